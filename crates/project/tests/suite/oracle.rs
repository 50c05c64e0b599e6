//! The whole program against a plain resolver: nested loops, linear scans, exact fractions.

use std::collections::BTreeMap;

use num_rational::Ratio;
use proptest::prelude::*;

use crate::support::Folder;

type Exact = Ratio<i128>;

/// Tables of a random little shop, cell by cell as text.
#[derive(Clone, Debug)]
struct Shop {
    /// item, day of January, quantity
    sales: Vec<(String, u32, String)>,
    /// sku, family, cost
    products: Vec<(String, String, String)>,
    families: Vec<&'static str>,
    /// sku, first day, last day, price; day 0 is blank, which is open
    prices: Vec<(String, u32, u32, String)>,
    keep_last: bool,
    set_aside: bool,
    ignore_case: bool,
}

fn key() -> impl Strategy<Value = String> {
    "[ ]{0,1}[abAB][12]( x|  x)?[ ]{0,1}"
}

fn amount() -> impl Strategy<Value = String> {
    prop_oneof![
        8 => (-400i64..4000, 0u32..4).prop_map(|(mantissa, places)| {
            let power = 10i64.pow(places);
            let (whole, rest) = (mantissa.abs() / power, mantissa.abs() % power);
            let sign = if mantissa < 0 { "-" } else { "" };
            if places == 0 { format!("{sign}{whole}") } else { format!("{sign}{whole}.{rest:0width$}", width = places as usize) }
        }),
        1 => Just(String::new()),
        1 => Just("x".to_owned()),
    ]
}

fn shop() -> impl Strategy<Value = Shop> {
    let family = prop::sample::select(vec!["F", "G", "H", ""]);
    let product = (key(), family.prop_map(str::to_owned), amount());
    let price = (key(), 0u32..9, 0u32..9, amount());
    (
        prop::collection::vec((key(), 1u32..10, amount()), 0..12),
        prop::collection::vec(product, 0..7),
        Just(vec!["F", "G"]),
        prop::collection::vec(price, 0..7),
        any::<[bool; 3]>(),
    )
        .prop_map(
            |(sales, products, families, prices, [keep_last, set_aside, ignore_case])| Shop {
                sales,
                products,
                families,
                prices,
                keep_last,
                set_aside,
                ignore_case,
            },
        )
}

impl Shop {
    fn folder(&self) -> Folder {
        let ignore = if self.ignore_case { "ignore = [\"case\"]\n" } else { "" };
        let missing = if self.set_aside { "missing = \"set-aside\"\n" } else { "" };
        let duplicates = if self.keep_last { "last" } else { "first" };
        let plan = format!(
            r#"
[reading]
separator = ","
numbers = "1234.56"
dates = "2025-12-31"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.sales.columns]
quantity = {{ type = "number" }}
[tables.products]
from = "products.csv"
key = "sku"
duplicates = "{duplicates}"
[tables.products.columns]
cost = {{ type = "number" }}
[tables.families]
from = "families.csv"
key = "code"
[tables.prices]
from = "prices.csv"
key = "sku"
valid = {{ from = "since", until = "until" }}
duplicates = "{duplicates}"
[tables.prices.columns]
price = {{ type = "number" }}
since = {{ type = "date" }}
until = {{ type = "date" }}
[[link]]
path = "sales.item -> products.sku"
{ignore}{missing}
[[link]]
path = "products.family -> families.code"
[[link]]
path = "sales.item -> prices.sku as of day"
{ignore}
[figures]
revenue = "quantity * prices.price"
cost = "quantity * products.cost"
profit = "revenue - cost"
[outputs.lines]
to = "lines.csv"
columns = ["no", "families.name", "revenue", "cost", "profit"]
[outputs.totals]
to = "totals.csv"
by = ["families.name"]
show = ["lines", "quantity", "revenue", "profit"]
"#
        );
        let day = |day: u32| if day == 0 { String::new() } else { format!("2025-01-{day:02}") };
        let sales = self.sales.iter().enumerate();
        let sales: String =
            sales.map(|(no, (item, d, q))| format!("{no},{},{item},{q}\n", day(*d))).collect();
        let products: String = self
            .products
            .iter()
            .map(|(sku, family, cost)| format!("{sku},{family},{cost}\n"))
            .collect();
        let families: String =
            self.families.iter().map(|code| format!("{code},Family {code}\n")).collect();
        let prices: String = self
            .prices
            .iter()
            .map(|(sku, a, b, price)| format!("{sku},{},{},{price}\n", day(*a), day(*b)))
            .collect();
        Folder::with(&[
            ("interligo.toml", &plan),
            ("sales.csv", &format!("no,day,item,quantity\n{sales}")),
            ("products.csv", &format!("sku,family,cost\n{products}")),
            ("families.csv", &format!("code,name\n{families}")),
            ("prices.csv", &format!("sku,since,until,price\n{prices}")),
        ])
    }

    /// The lookup rows of a key: of all rows whose key it finds.
    fn find<'r, T>(
        &self,
        item: &str,
        rows: &'r [T],
        sku: impl Fn(&T) -> &str,
    ) -> Option<Vec<&'r T>> {
        let clean = |key: &str| key.split_whitespace().collect::<Vec<_>>().join(" ");
        let steps: [&dyn Fn(&str) -> String; 3] = [&|key| key.to_owned(), &clean, &|key| {
            if self.ignore_case { clean(key).to_lowercase() } else { clean(key) }
        }];
        for form in steps {
            // The same key is the same text after trimming; its first row says how it is written.
            let mut keys: Vec<&str> = Vec::new();
            for row in rows {
                if !keys.iter().any(|known| known.trim() == sku(row).trim()) {
                    keys.push(sku(row));
                }
            }
            keys.retain(|key| form(key) == form(item));
            match keys.as_slice() {
                [] => continue,
                [key] => {
                    return Some(rows.iter().filter(|row| sku(row).trim() == key.trim()).collect());
                }
                _ => return None,
            }
        }
        None
    }

    fn settled<'r, T>(&self, rows: Vec<&'r T>) -> Option<&'r T> {
        if self.keep_last { rows.last().copied() } else { rows.first().copied() }
    }

    /// The price of a day; `Err` when two periods hold.
    fn price(&self, item: &str, day: u32) -> Result<Option<&(String, u32, u32, String)>, ()> {
        // A row whose period ends before it starts is left out, its key with it.
        let stands = |row: &&(String, u32, u32, String)| row.2 == 0 || row.1 <= row.2;
        let standing: Vec<_> = self.prices.iter().filter(stands).collect();
        // Keys that the link takes for one key are one calendar, however they are written.
        let form = |key: &str| {
            let clean = key.split_whitespace().collect::<Vec<_>>().join(" ");
            if self.ignore_case { clean.to_lowercase() } else { clean }
        };
        let last = |until: u32| if until == 0 { u32::MAX } else { until };
        let holding: Vec<_> = standing
            .into_iter()
            .filter(|row| form(&row.0) == form(item) && row.1 <= day && day <= last(row.2))
            .collect();
        let mut rows: Vec<(&str, u32, u32)> =
            holding.iter().map(|row| (row.0.trim(), row.1, row.2)).collect();
        rows.sort();
        rows.dedup();
        if rows.len() > 1 { Err(()) } else { Ok(self.settled(holding)) }
    }
}

fn exact(text: &str) -> Option<Exact> {
    let (whole, fraction) = text.split_once('.').unwrap_or((text, ""));
    let mantissa: i128 = format!("{whole}{fraction}").parse().ok()?;
    Some(Exact::new(mantissa, 10i128.pow(fraction.len() as u32)))
}

type Line = (String, String, Option<Exact>, Option<Exact>, Option<Exact>);

#[derive(Debug, Default, PartialEq)]
struct Expected {
    /// no, family, revenue, cost, profit
    lines: Vec<Line>,
    aside: usize,
    /// lines, and the sums of quantity, revenue and profit with whether any is known
    totals: BTreeMap<String, (usize, [Option<Exact>; 3])>,
}

/// The lines as they must come out; `None` when the run must stop.
fn resolve(shop: &Shop) -> Option<Expected> {
    let mut expected = Expected::default();
    for (no, (item, day, quantity)) in shop.sales.iter().enumerate() {
        let price = shop.price(item, *day).ok()?;
        let product = shop.find(item, &shop.products, |row| &row.0);
        let undecided = product.is_none()
            && shop.products.iter().any(|row| {
                let clean =
                    |key: &str| key.split_whitespace().collect::<Vec<_>>().join(" ").to_lowercase();
                let same = clean(&row.0) == clean(item);
                same && (shop.ignore_case || row.0.split_whitespace().eq(item.split_whitespace()))
            });
        let product = product.and_then(|rows| shop.settled(rows));
        if product.is_none() && shop.set_aside && !undecided {
            expected.aside += 1;
            continue;
        }
        let family = product.filter(|p| shop.families.contains(&p.1.as_str()));
        let family = family.map_or(String::new(), |p| format!("Family {}", p.1));
        let quantity = exact(quantity);
        let times = |other: Option<Exact>| Some(quantity? * other?);
        let revenue = times(price.and_then(|row| exact(&row.3)));
        let cost = times(product.and_then(|row| exact(&row.2)));
        let profit = revenue.zip(cost).map(|(revenue, cost)| revenue - cost);
        let total = expected.totals.entry(family.clone()).or_default();
        total.0 += 1;
        for (sum, value) in total.1.iter_mut().zip([quantity, revenue, profit]) {
            *sum = match (*sum, value) {
                (Some(sum), Some(value)) => Some(sum + value),
                (sum, value) => sum.or(value),
            };
        }
        expected.lines.push((no.to_string(), family, revenue, cost, profit));
    }
    Some(expected)
}

fn cells(text: &str) -> impl Iterator<Item = Vec<&str>> {
    text.lines().skip(1).map(|row| row.split(',').collect())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]

    #[test]
    fn prop_a_run_gives_what_nested_loops_give(shop in shop()) {
        let folder = shop.folder();
        let came = folder.run();
        let Some(expected) = resolve(&shop) else {
            prop_assert!(came.error().contains("several rows are valid"), "{}", came.error());
            prop_assert!(came.written().is_empty(), "{:?}", came.written());
            return Ok(());
        };
        let slow = folder.run_with(1, 1);
        prop_assert_eq!(slow.all(), came.all(), "one core and one row at a time");

        let lines = came.file("lines.csv");
        let found: Vec<_> = cells(lines)
            .map(|c| (c[0].to_owned(), c[1].to_owned(), exact(c[2]), exact(c[3]), exact(c[4])))
            .collect();
        prop_assert_eq!(found, expected.lines);

        let totals = came.file("totals.csv");
        let found: BTreeMap<String, (usize, [Option<Exact>; 3])> = cells(totals)
            .map(|c| (c[0].to_owned(), (c[1].parse().unwrap(), [exact(c[2]), exact(c[3]), exact(c[4])])))
            .collect();
        prop_assert_eq!(found, expected.totals);

        let aside = if expected.aside > 0 { came.file("out/set-aside.csv") } else { "" };
        prop_assert_eq!(cells(aside).count(), expected.aside);
        prop_assert_eq!(cells(lines).count() + expected.aside, shop.sales.len());
        prop_assert_eq!(came.written().len(), if expected.aside > 0 { 3 } else { 2 });
    }
}
