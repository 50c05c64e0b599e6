//! Writes lines of sales with large lookups, the same for the same number of lines: `generate FOLDER LINES`.

use std::fs::File;
use std::io::{BufWriter, Result, Write};
use std::path::Path;

const ORDERS: u64 = 1_500_000;
const CUSTOMERS: u64 = 200_000;
const PRODUCTS: u64 = 10_000;
const SITES: u64 = 80;

const CHANNELS: [&str; 6] = ["Shop", "Phone", "Market", "Web", "Reseller", "Fair"];
const SEGMENTS: [&str; 5] = ["Hobby", "Smallholder", "Commercial", "School", "Trade"];
const REGIONS: [&str; 6] = ["Coast", "Fenland", "Upland", "Borders", "Isles", "Valley"];
const GOODS: [&str; 8] =
    ["brood box", "smoker", "veil", "hive tool", "feeder", "strainer", "jar", "frame set"];

const PLAN: &str = r#"[plan]
name = "large lookups"

[tables.lines]
role = "fact"
from = "lines.csv"

[tables.orders]
from = "orders.csv"
key  = "order_no"

[tables.customers]
from = "customers.csv"
key  = "customer_no"

[tables.products]
from = "products.csv"
key  = "sku"

[tables.costs]
from = "costs.csv"
key  = ["sku", "site"]

[[link]]
path = "lines.order_no -> orders.order_no"

[[link]]
path = "orders.customer_no -> customers.customer_no"

[[link]]
path = "lines.sku -> products.sku"

[[link]]
path = "lines.sku + site -> costs.sku + site"

[figures]
revenue = "quantity * products.list_price"
cost    = "quantity * costs.unit_cost"
profit  = "revenue - cost"
"#;

/// Numbers that look random: a counter whose bits are mixed.
struct Mixed(u64);

impl Mixed {
    fn below(&mut self, limit: u64) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((u128::from(z ^ (z >> 31)) * u128::from(limit)) >> 64) as u64
    }

    fn one_of<'t>(&mut self, texts: &[&'t str]) -> &'t str {
        texts[self.below(texts.len() as u64) as usize]
    }
}

fn main() -> Result<()> {
    let mut arguments = std::env::args().skip(1);
    let (Some(folder), Some(Ok(lines))) =
        (arguments.next(), arguments.next().map(|n| n.parse::<u64>()))
    else {
        eprintln!("usage: generate FOLDER LINES");
        std::process::exit(2);
    };
    let folder = Path::new(&folder);
    std::fs::create_dir_all(folder)?;
    std::fs::write(folder.join("interligo.toml"), PLAN)?;
    let file = |name: &str| File::create(folder.join(name)).map(BufWriter::new);
    write_lines(&mut file("lines.csv")?, lines)?;
    write_orders(&mut file("orders.csv")?)?;
    write_customers(&mut file("customers.csv")?)?;
    write_products(&mut file("products.csv")?)?;
    write_costs(&mut file("costs.csv")?)
}

fn write_lines(out: &mut impl Write, lines: u64) -> Result<()> {
    let mut mixed = Mixed(1);
    writeln!(out, "order_no,sku,site,quantity,packer")?;
    for line in 0..lines {
        // The lines of an order stand near each other.
        let order = (line * ORDERS / lines.max(1) + mixed.below(50)).min(ORDERS - 1);
        let (sku, site) = (mixed.below(PRODUCTS), mixed.below(SITES));
        let (quantity, packer) = (1 + mixed.below(12), mixed.below(400));
        writeln!(
            out,
            "SO-{:07},BK-{sku:05},S{site:03},{quantity},packer {packer}",
            scattered(order)
        )?;
    }
    out.flush()
}

/// Another order for each: they do not come in the order of their numbers.
fn scattered(order: u64) -> u64 {
    order * 700_001 % ORDERS
}

fn write_orders(out: &mut impl Write) -> Result<()> {
    let mut mixed = Mixed(2);
    writeln!(out, "order_no,ordered_on,customer_no,channel,reference,remark")?;
    for order in 0..ORDERS {
        let (month, day) = (1 + mixed.below(12), 1 + mixed.below(28));
        let (customer, channel) = (mixed.below(CUSTOMERS), mixed.one_of(&CHANNELS));
        let reference = mixed.below(u64::MAX);
        writeln!(
            out,
            "SO-{order:07},2025-{month:02}-{day:02},C{customer:06},{channel},{reference:016x},left at the gate"
        )?;
    }
    out.flush()
}

fn write_customers(out: &mut impl Write) -> Result<()> {
    let mut mixed = Mixed(3);
    writeln!(out, "customer_no,name,segment,region")?;
    for customer in 0..CUSTOMERS {
        let (segment, region) = (mixed.one_of(&SEGMENTS), mixed.one_of(&REGIONS));
        writeln!(out, "C{customer:06},Apiary number {customer},{segment},{region}")?;
    }
    out.flush()
}

fn write_products(out: &mut impl Write) -> Result<()> {
    let mut mixed = Mixed(4);
    writeln!(out, "sku,name,list_price")?;
    for product in 0..PRODUCTS {
        let (goods, cents) = (mixed.one_of(&GOODS), 150 + mixed.below(20_000));
        writeln!(out, "BK-{product:05},{goods} {product},{}.{:02}", cents / 100, cents % 100)?;
    }
    out.flush()
}

fn write_costs(out: &mut impl Write) -> Result<()> {
    let mut mixed = Mixed(5);
    writeln!(out, "sku,site,unit_cost,agreed_with,remark")?;
    for product in 0..PRODUCTS {
        for site in 0..SITES {
            let (cents, buyer) = (80 + mixed.below(12_000), mixed.below(60));
            writeln!(
                out,
                "BK-{product:05},S{site:03},{}.{:02},buyer {buyer},carriage included",
                cents / 100,
                cents % 100
            )?;
        }
    }
    out.flush()
}
