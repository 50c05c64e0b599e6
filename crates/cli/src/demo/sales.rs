//! Made-up sales lines: the same number always gives the same lines. The faults in them are sown on
//! purpose and listed in the demo's README.

use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::Path;

const DEPOTS: [&str; 3] = ["corvo", "salgado", "tilia"];
const YEARS: [u32; 2] = [2024, 2025];
const HEADING: [&str; 7] =
    ["order_no", "line_no", "sold_on", "item", "customer_no", "quantity", "Disc. %"];
/// The depot whose program writes semicolons, decimal commas and the day first.
const ABROAD: &str = "salgado";
const DISCOUNTS: [&str; 8] = ["0", "0", "0", "0", "2.5 %", "5 %", "10 %", "12.5 %"];

/// Codes that the product list does not have.
const UNKNOWN: [&str; 3] = ["HV-404", "MX-900", "FR-999"];
/// A customer that the list of customers does not have.
const GONE: &str = "1999";
/// A product without a price from 1 to 23 March 2025.
const UNPRICED: &str = "SY-117";

/// A generator of numbers that look like chance (splitmix64, by S. Vigna; public domain).
struct Chance(u64);

impl Chance {
    fn below(&mut self, bound: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        ((u128::from(z ^ (z >> 31)) * bound as u128) >> 64) as usize
    }
}

/// Writes `lines` sales lines in a file for each depot and year, and a draft that does not belong.
pub(super) fn write(
    folder: &Path,
    lines: u64,
    skus: &[&str],
    customers: &[&str],
) -> io::Result<()> {
    let files = (DEPOTS.len() * YEARS.len()) as u64;
    for (number, (depot, year)) in
        DEPOTS.iter().flat_map(|depot| YEARS.iter().map(move |year| (depot, year))).enumerate()
    {
        let number = number as u64;
        let own = lines / files + u64::from(number < lines % files);
        let file = File::create(folder.join(format!("{depot}_{year}.csv")))?;
        let mut out = BufWriter::new(file);
        let lines = Lines { file: number, year: *year, count: own, abroad: *depot == ABROAD };
        write_file(&mut out, &lines, skus, customers)?;
        out.flush()?;
    }
    let draft = format!("{}\nDRAFT-1,1,2025-12-31,BO-110,1001,999,0\n", HEADING.join(","));
    std::fs::write(folder.join("draft_corvo_2025.csv"), draft)
}

/// The lines of one file.
struct Lines {
    file: u64,
    year: u32,
    count: u64,
    abroad: bool,
}

fn write_file(
    out: &mut impl Write,
    lines: &Lines,
    skus: &[&str],
    customers: &[&str],
) -> io::Result<()> {
    let Lines { file, year, count: lines, abroad } = *lines;
    let separator = if abroad { ";" } else { "," };
    let mut chance = Chance(20_250_101 + file);
    writeln!(out, "{}", HEADING.join(separator))?;
    let (mut line, mut order) = (0, 0u64);
    while line < lines {
        order += 1;
        let day = (line * days_in(year) / lines) as u32;
        let (month, day_of_month) = month_and_day(year, day);
        let customer = match order {
            _ if order % 61 == 7 => GONE,
            _ if order % 53 == 11 => "",
            _ => customers[chance.below(customers.len())],
        };
        let in_order = (1 + chance.below(6) as u64).min(lines - line);
        for position in 1..=in_order {
            let unpriced_days = year == 2025 && month == 3 && day_of_month < 24;
            let item = match line {
                _ if line % 331 == 17 => {
                    UNKNOWN[(line / 331 + file) as usize % UNKNOWN.len()].to_owned()
                }
                _ if line % 97 == 5 => format!(" {} ", skus[chance.below(skus.len())]),
                _ if line % 149 == 40 => skus[chance.below(skus.len())].to_lowercase(),
                _ if unpriced_days && line % 13 == 0 => UNPRICED.to_owned(),
                _ => {
                    let item = skus[chance.below(skus.len())];
                    // Without a price only where that is meant.
                    if unpriced_days && item == UNPRICED { skus[0] } else { item }.to_owned()
                }
            };
            let most = if chance.below(12) == 0 { 120 } else { 12 };
            let mut quantity = (1 + chance.below(most)).to_string();
            if chance.below(80) == 0 {
                quantity.insert(0, '-');
            }
            if file == 0 && line == 200 {
                quantity.push_str(" pcs");
            }
            let discount = DISCOUNTS[chance.below(DISCOUNTS.len())];
            let note = if file == 0 && line == 100 { ",call back" } else { "" };
            let (day, discount) = if abroad {
                (format!("{day_of_month:02}/{month:02}/{year}"), discount.replace('.', ","))
            } else {
                (format!("{year}-{month:02}-{day_of_month:02}"), discount.to_owned())
            };
            let order_no = format!("{year}{:02}{order:06}", file + 1);
            let position = position.to_string();
            let cells = [&order_no, &position, &day, &item, customer, &quantity, &discount];
            writeln!(out, "{}{note}", cells.join(separator))?;
            line += 1;
        }
    }
    Ok(())
}

fn days_in(year: u32) -> u64 {
    if year.is_multiple_of(4) { 366 } else { 365 }
}

fn month_and_day(year: u32, mut day: u32) -> (u32, u32) {
    let february = if days_in(year) == 366 { 29 } else { 28 };
    for (number, length) in
        [31, february, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31].into_iter().enumerate()
    {
        if day < length {
            return (number as u32 + 1, day + 1);
        }
        day -= length;
    }
    (12, 31)
}
