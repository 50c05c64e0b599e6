//! What a trace says of a line is what a run gives it: figures, attributes and statuses, for every line of random projects;
//! and its formulas, with their numbers, come to their values when somebody else computes them with fractions.

use interligo_engine::links::LinkStatus;
use interligo_model::values::value::Value;
use interligo_project::{
    BesideLines, Extent, Listed, OnDuplicates, Parallelism, Project, Request, TracedLine, Wanted,
    trace, trace_request, traced_fact,
};
use num_rational::Ratio;
use proptest::prelude::*;

use crate::support::Folder;

type Exact = Ratio<i128>;

/// A random project: chains, dated prices with gaps, duplicates, corrections, several candidates, rows that become several
/// lines, rounding.
#[derive(Clone, Debug)]
struct Shop {
    /// item, other item, day, quantity
    sales: Vec<(String, String, u32, String)>,
    /// sku, family, cost
    products: Vec<(String, String, String)>,
    /// sku, first day, last day, price
    prices: Vec<(String, u32, u32, String)>,
    gap: &'static str,
    fill: bool,
    several: bool,
    corrected: bool,
}

fn key() -> impl Strategy<Value = String> {
    "[ ]{0,1}[abA][12][ ]{0,1}"
}

fn amount() -> impl Strategy<Value = String> {
    prop_oneof![
        6 => (1i64..4000, 0u32..3).prop_map(|(mantissa, places)| {
            let power = 10i64.pow(places);
            match places {
                0 => mantissa.to_string(),
                _ => format!("{}.{:0width$}", mantissa / power, mantissa % power, width = places as usize),
            }
        }),
        1 => Just("0".to_owned()),
        1 => Just(String::new()),
        1 => Just("x".to_owned()),
    ]
}

fn shop() -> impl Strategy<Value = Shop> {
    let price = (key(), 1u32..9, 1u32..9, amount());
    (
        prop::collection::vec((key(), key(), 1u32..10, amount()), 1..8),
        prop::collection::vec((key(), "[FG]?", amount()), 0..6),
        prop::collection::vec(price, 0..6),
        prop::sample::select(vec!["blank", "earlier", "nearest"]),
        any::<[bool; 3]>(),
    )
        .prop_map(|(sales, products, prices, gap, [fill, several, corrected])| Shop {
            sales,
            products,
            prices,
            gap,
            fill,
            several,
            corrected,
        })
}

impl Shop {
    fn folder(&self) -> Folder {
        let fill =
            if self.fill { "missing = \"fill\"\nfill = { family = \"(none)\" }\n" } else { "" };
        let gap = self.gap;
        let other = if self.several { " or other" } else { "" };
        let plan = format!(
            r#"
[plan]
corrections = "corrections.csv"
[reading]
separator = ","
numbers = "1234.56"
dates = "2025-12-31"
[tables.sales]
role = "fact"
from = "sales.csv"
key = ["no", "part"]
unpack = {{ columns = ["item", "quantity"], separator = "|", position = "part" }}
[tables.sales.columns]
quantity = {{ type = "number" }}
[tables.products]
from = "products.csv"
key = "sku"
duplicates = "last"
[tables.products.columns]
cost = {{ type = "number" }}
[tables.families]
from = "families.csv"
key = "code"
[tables.prices]
from = "prices.csv"
key = "sku"
valid = {{ from = "since", until = "until" }}
duplicates = "first"
[tables.prices.columns]
price = {{ type = "number" }}
[[link]]
path = "sales.item{other} -> products.sku"
ignore = ["case"]
{fill}
[[link]]
path = "products.family -> families.code"
[[link]]
path = "sales.item -> prices.sku as of day"
gap = "{gap}"
overlap = "first"
[figures]
revenue = "quantity * prices.price * (1 - 0.125)"
rounded = {{ formula = "revenue", round = 1 }}
cost = "quantity * products.cost"
profit = "revenue - cost"
margin = "profit / revenue"
kind = "if quantity > 5 then revenue - 1 else coalesce(cost, 0) + 1"
[outputs.lines]
to = "lines.csv"
columns = ["no", "part", "products.family", "families.name", "prices.price", "revenue", "rounded", "cost", "profit", "margin", "kind"]
status = true
"#
        );
        let rows = self.sales.chunks(2).enumerate().map(|(no, pair)| {
            let joined = |of: fn(&(String, String, u32, String)) -> &str| {
                pair.iter().map(of).collect::<Vec<_>>().join("|")
            };
            let (items, quantities) = (joined(|line| &line.0), joined(|line| &line.3));
            format!("{no},2025-01-{:02},{items},{},{quantities}\n", pair[0].2, pair[0].1)
        });
        let sales: String = rows.collect();
        let products: String = self
            .products
            .iter()
            .map(|(sku, family, cost)| format!("{sku},{family},{cost}\n"))
            .collect();
        let day = |day: u32| format!("2025-01-{day:02}");
        let prices: String = self
            .prices
            .iter()
            .map(|(sku, a, b, price)| format!("{sku},{},{},{price}\n", day(*a), day(*b)))
            .collect();
        let corrections = if self.corrected { "a1,b2,products,\n" } else { "" };
        Folder::with(&[
            ("interligo.toml", &plan),
            ("sales.csv", &format!("no,day,item,other,quantity\n{sales}")),
            ("products.csv", &format!("sku,family,cost\n{products}")),
            ("families.csv", "code,name\nF,Frames\n"),
            ("prices.csv", &format!("sku,since,until,price\n{prices}")),
            ("corrections.csv", &format!("found,use,link,note\n{corrections}")),
        ])
    }
}

/// The lines that an argument names, or all.
fn traced(project: &Project, argument: Option<&str>) -> Vec<TracedLine> {
    let mut requests = vec![trace_request(argument.is_none().then_some("true"))];
    requests.extend(Request::of_plan(&project.plan).unwrap());
    requests.iter_mut().for_each(|request| request.to = None);
    let job = project.prepare(&requests, Extent::Everything, OnDuplicates::Stop).unwrap();
    let fact = traced_fact(&job);
    let wanted = match argument {
        Some(argument) => project.wanted(argument, &job.engines[fact]).unwrap(),
        None => Wanted::Condition,
    };
    let found = trace(project, (&job, fact), &wanted, 1_000, Parallelism::default(), &|_, _| {});
    found.unwrap().lines
}

/// The value of a formula with its numbers in place; none where it is blank.
struct Evaluator<'t> {
    rest: &'t str,
}

impl Evaluator<'_> {
    fn of(text: &str) -> Option<Exact> {
        let mut own = Evaluator { rest: text };
        let value = own.choice();
        assert_eq!(own.rest.trim(), "", "{text}");
        value
    }

    fn takes(&mut self, word: &str) -> bool {
        self.rest = self.rest.trim_start();
        match self.rest.strip_prefix(word) {
            Some(rest) => {
                self.rest = rest;
                true
            }
            None => false,
        }
    }

    /// `if … then …` and `if … else …` have the branch that is taken.
    fn choice(&mut self) -> Option<Exact> {
        if !self.takes("if") {
            return self.sum();
        }
        let Some(at) = self.rest.find(" then ").or_else(|| self.rest.find(" else ")) else {
            // A condition that is blank takes no branch.
            self.rest = "";
            return None;
        };
        self.rest = &self.rest[at + 6..];
        self.sum()
    }

    fn sum(&mut self) -> Option<Exact> {
        let mut value = self.product();
        loop {
            let sign = if self.takes("+ ") {
                Exact::from(1)
            } else if self.takes("- ") {
                Exact::from(-1)
            } else {
                return value;
            };
            let next = self.product();
            value = value.zip(next).map(|(a, b)| a + sign * b);
        }
    }

    fn product(&mut self) -> Option<Exact> {
        let mut value = self.one();
        loop {
            if self.takes("* ") {
                value = value.zip(self.one()).map(|(a, b)| a * b);
            } else if self.takes("/ ") {
                let divisor = self.one();
                value =
                    value.zip(divisor).filter(|(_, b)| *b != Exact::from(0)).map(|(a, b)| a / b);
            } else {
                return value;
            }
        }
    }

    fn one(&mut self) -> Option<Exact> {
        if self.takes("blank") {
            return None;
        }
        if self.takes("round(") {
            let value = self.sum();
            assert!(self.takes(", 1)"));
            return value.map(half_even);
        }
        if self.takes("coalesce(") {
            let value = self.sum();
            assert!(self.takes(", 0)"));
            return value.or(Some(Exact::from(0)));
        }
        if self.takes("(") {
            let value = self.sum();
            assert!(self.takes(")"));
            return value;
        }
        self.rest = self.rest.trim_start();
        let end = self.rest.find(|c: char| !(c.is_ascii_digit() || c == '.' || c == '-'));
        let (number, rest) = self.rest.split_at(end.unwrap_or(self.rest.len()));
        self.rest = rest;
        Some(exact(number).unwrap_or_else(|| panic!("{number} is no number")))
    }
}

/// To one place, half to the even neighbour.
fn half_even(value: Exact) -> Exact {
    let scaled = value * Exact::from(10);
    let floor = scaled.floor();
    let half = Exact::new(1, 2);
    let rounded = match (scaled - floor).cmp(&half) {
        std::cmp::Ordering::Less => floor,
        std::cmp::Ordering::Greater => floor + Exact::from(1),
        std::cmp::Ordering::Equal if floor.to_integer() % 2 == 0 => floor,
        std::cmp::Ordering::Equal => floor + Exact::from(1),
    };
    rounded / Exact::from(10)
}

fn exact(text: &str) -> Option<Exact> {
    let (whole, fraction) = text.split_once('.').unwrap_or((text, ""));
    let mantissa: i128 = format!("{whole}{fraction}").parse().ok()?;
    Some(Exact::new(mantissa, 10i128.pow(fraction.len() as u32)))
}

/// A status as outputs write it.
fn status_text(status: LinkStatus, by: u32) -> String {
    match status {
        LinkStatus::Alternate => format!("{} {}", status.name(), by + 1),
        LinkStatus::Carried if by == 1 => format!("{} 1 day", status.name()),
        LinkStatus::Carried => format!("{} {by} days", status.name()),
        _ => status.name().to_owned(),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn prop_a_trace_says_what_a_run_gives(shop in shop()) {
        let folder = shop.folder();
        let came = folder.run();
        if !came.error().is_empty() {
            return Ok(());
        }
        let project = folder.project();
        let lines = traced(&project, None);
        let written: Vec<Vec<&str>> =
            came.file("lines.csv").lines().skip(1).map(|line| line.split(',').collect()).collect();
        prop_assert_eq!(lines.len(), written.len());
        for (line, cells) in lines.iter().zip(&written) {
            let place = &line.place;
            prop_assert_eq!(&line.key, &format!("{},{}", cells[0], cells[1]));
            let of_link = |name: &str| line.trace.links.iter().find(|link| link.name == name).unwrap();
            let attribute = |link: &str, name: &str| {
                let row = of_link(link).row.as_ref();
                let known = row.and_then(|row| row.attributes.iter().find(|(own, _)| own == name));
                known.map_or(String::new(), |(_, value)| value.to_string())
            };
            prop_assert_eq!(attribute("products", "family"), cells[2], "{}", place);
            prop_assert_eq!(attribute("families", "name"), cells[3], "{}", place);
            prop_assert_eq!(exact(&attribute("prices", "price")), exact(cells[4]), "{}", place);
            for (number, link) in ["products", "families", "prices"].into_iter().enumerate() {
                let own = of_link(link);
                prop_assert_eq!(status_text(own.status, own.by), cells[11 + number * 2], "{} {}", place, link);
            }
            for (figure, cell) in line.trace.figures.iter().zip(&cells[5..11]) {
                prop_assert_eq!(figure.value.to_string(), *cell, "{} {}", place, &figure.name);
                prop_assert_eq!(figure.blank.is_some(), cell.is_empty());
                for step in &figure.steps.shown {
                    let computed = Evaluator::of(step);
                    // A written quotient ends somewhere.
                    let close = match (computed, exact(cell)) {
                        (Some(computed), Some(cell)) => {
                            let off = if computed > cell { computed - cell } else { cell - computed };
                            off < Exact::new(1, 1_000_000_000_000)
                        }
                        (computed, cell) => computed == cell,
                    };
                    prop_assert!(close, "{} {}: {} is not {}", place, &figure.name, step, cell);
                }
            }
            // Its place and its key lead to the same line.
            let by_place = traced(&project, Some(place));
            prop_assert_eq!(by_place.as_slice(), std::slice::from_ref(line), "{}", place);
            let by_key = traced(&project, Some(&line.key));
            prop_assert_eq!(by_key.as_slice(), std::slice::from_ref(line), "{}", place);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn prop_a_cell_of_totals_closes_over_its_lines(shop in shop(), most in 1usize..5) {
        let folder = shop.folder();
        if !folder.run().error().is_empty() {
            return Ok(());
        }
        let project = folder.project();
        for (name, condition) in [
            ("revenue", "part = '1'"), ("profit", "true"), ("margin", "products.family = 'F'"), ("count(revenue)", "true"),
            ("lines", "part = '1'"), ("median(revenue)", "true"), ("min(profit)", "true"), ("max(revenue)", "true"),
            ("min(day)", "true"), ("max(products.family)", "true"),
        ] {
            let requests = project.cell_requests(name, Some(condition), None).unwrap();
            let job = project.prepare(&requests, Extent::Everything, OnDuplicates::Stop).unwrap();
            let cell = project.trace_cell((&job, name), most, Parallelism::default(), &|_, _| {}).unwrap();
            let known = cell.lines.len() as u64 + cell.rest.0;
            let without: u64 = cell.without.iter().map(|own| own.lines).sum();
            prop_assert_eq!(known + without, cell.of_lines, "{}", name);
            if let Listed::Nearest(BesideLines { below, equal, above }) = cell.listed {
                prop_assert_eq!(below + equal + above, known, "{}", name);
                let nearest = cell.lines.first().map(|line| &line.value);
                prop_assert!(equal == 0 || nearest == cell.value.as_ref(), "{:?}", cell);
                let half = known / 2;
                match name {
                    "median(revenue)" => prop_assert!(below <= half && above <= half, "{:?}", cell),
                    "min(profit)" | "min(day)" => prop_assert!(below == 0 && (equal > 0 || known == 0), "{:?}", cell),
                    _ => prop_assert!(above == 0 && (equal > 0 || known == 0), "{:?}", cell),
                }
                prop_assert!(cell.lines.len() as u64 == known.min(most as u64) && cell.sum.is_none());
                continue;
            }
            let listed = cell.lines.iter().map(|line| exact(&line.value.to_string()).unwrap());
            let listed: Exact = listed.sum::<Exact>();
            let rest = cell.rest.1.map_or(Exact::from(0), |rest| exact(&rest.to_string()).unwrap());
            let sum = cell.sum.map(|sum| exact(&sum.to_string()).unwrap());
            let counts = matches!(name, "lines" | "count(revenue)");
            prop_assert_eq!(sum, (known > 0 || counts).then_some(listed + rest));
            match &cell.parts {
                None => prop_assert_eq!(cell.sum, cell.value.as_ref().and_then(Value::number), "{}", name),
                Some(parts) => {
                    let sums = parts.sums.iter().map(|part| exact(&part.sum.unwrap().to_string()).unwrap());
                    let sums: Vec<Exact> = sums.collect();
                    let value = cell.value.as_ref().map(|value| exact(&value.to_string()).unwrap());
                    let ratio = (sums[1] != Exact::from(0)).then(|| sums[0] / sums[1]);
                    let close = match (value, ratio) {
                        (Some(a), Some(b)) => (if a > b { a - b } else { b - a }) < Exact::new(1, 1_000_000_000),
                        (value, ratio) => value == ratio,
                    };
                    prop_assert!(close || parts.lines == 0, "{} {:?} {:?}", name, value, ratio);
                }
            }
        }
    }
}
