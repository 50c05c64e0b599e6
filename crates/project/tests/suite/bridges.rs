//! The parts of a bridge add up, to the digit, to the difference between two runs: in all and for each group, for random
//! versions of a project; and a change that was made in one place appears under its own cause.

use std::collections::BTreeMap;

use interligo_model::values::decimal::Decimal;
use interligo_project::{Cause, CauseKind, CompareOptions, Comparison, FigureWay, Request};
use proptest::prelude::*;

use crate::support::Folder;

/// A project as it was at one time.
#[derive(Clone, Debug, PartialEq)]
struct Version {
    /// By number: item, day of January, quantity.
    sales: BTreeMap<u32, (String, u32, String)>,
    /// By key: family, cost.
    products: BTreeMap<String, (String, String)>,
    /// By key and first day: price. Each is valid for ten days.
    prices: BTreeMap<(String, u32), String>,
    gap: &'static str,
    round: Option<u8>,
    corrected: bool,
}

fn key() -> impl Strategy<Value = String> {
    "[ab][12]"
}

fn amount() -> impl Strategy<Value = String> {
    prop_oneof![
        8 => (1i64..4000, 0usize..3).prop_map(|(mantissa, places)| {
            let power = 10i64.pow(places as u32);
            match places {
                0 => mantissa.to_string(),
                _ => format!("{}.{:0places$}", mantissa / power, mantissa % power),
            }
        }),
        1 => Just("0".to_owned()),
        1 => Just(String::new()),
    ]
}

fn version() -> impl Strategy<Value = Version> {
    (
        prop::collection::btree_map(1u32..9, (key(), 1u32..29, amount()), 0..8),
        prop::collection::btree_map(key(), ("[FG]", amount()), 0..4),
        prop::collection::btree_map(
            (key(), prop::sample::select(vec![1u32, 11, 21])),
            amount(),
            0..8,
        ),
        prop::sample::select(vec!["blank", "earlier", "nearest"]),
        prop::option::of(0u8..3),
        any::<bool>(),
    )
        .prop_map(|(sales, products, prices, gap, round, corrected)| Version {
            sales,
            products,
            prices,
            gap,
            round,
            corrected,
        })
}

impl Version {
    fn write(&self, folder: &Folder) {
        let round = self.round.map_or(String::new(), |places| format!(", round = {places}"));
        let gap = self.gap;
        let plan = format!(
            r#"
[plan]
keep-runs = 4
corrections = "corrections.csv"
[reading]
separator = ","
numbers = "1234.56"
dates = "2025-12-31"
[tables.sales]
role = "fact"
from = "sales.csv"
key = "no"
[tables.sales.columns]
quantity = {{ type = "number" }}
[tables.products]
from = "products.csv"
key = "sku"
[tables.products.columns]
cost = {{ type = "number" }}
[tables.prices]
from = "prices.csv"
key = "sku"
valid = {{ from = "since", until = "until" }}
[tables.prices.columns]
price = {{ type = "number" }}
[[link]]
path = "sales.item -> products.sku"
[[link]]
path = "sales.item -> prices.sku as of day"
gap = "{gap}"
[figures]
revenue = {{ formula = "quantity * prices.price * (1 - 0.125)"{round} }}
cost = "quantity * products.cost"
profit = "revenue - cost"
margin = "profit / revenue"
[outputs.families]
to = "families.csv"
by = ["products.family"]
show = ["revenue"]
[outputs.items]
to = "items.csv"
by = ["item"]
show = ["revenue"]
"#
        );
        let sales = self.sales.iter();
        let sales: String = sales
            .map(|(no, (item, day, quantity))| format!("{no},2025-01-{day:02},{item},{quantity}\n"))
            .collect();
        let products = self.products.iter();
        let products: String =
            products.map(|(sku, (family, cost))| format!("{sku},{family},{cost}\n")).collect();
        let prices = self.prices.iter();
        let prices: String = prices
            .map(|((sku, day), price)| {
                format!("{sku},2025-01-{day:02},2025-01-{:02},{price}\n", day + 9)
            })
            .collect();
        let corrections = if self.corrected { "a1,b2,products,\na1,b2,prices,\n" } else { "" };
        for (file, content) in [
            ("interligo.toml", plan),
            ("sales.csv", format!("no,day,item,quantity\n{sales}")),
            ("products.csv", format!("sku,family,cost\n{products}")),
            ("prices.csv", format!("sku,since,until,price\n{prices}")),
            ("corrections.csv", format!("found,use,link,note\n{corrections}")),
        ] {
            folder.put(file, content.as_bytes());
        }
    }

    fn run(&self, folder: &Folder) {
        self.write(folder);
        folder.run_on();
    }
}

/// Two versions, run one after the other.
fn both(a: &Version, b: &Version) -> Folder {
    let folder = Folder::with(&[]);
    a.run(&folder);
    b.run(&folder);
    folder
}

fn compared(folder: &Folder, runs: [&str; 2], by: Option<&str>) -> Comparison {
    let options = CompareOptions { by: by.map(str::to_owned), lines: 0 };
    folder.project().compare(&runs.map(str::to_owned), &options).unwrap()
}

fn zero_or(value: Option<Decimal>) -> Decimal {
    value.unwrap_or(Decimal::ZERO)
}

/// What a figure comes to by its causes.
fn closing(way: &FigureWay) -> Decimal {
    let steps = way.steps.iter().map(|step| zero_or(step.difference));
    steps.fold(zero_or(way.from), |sum, difference| sum.checked_add(difference).unwrap())
}

fn way<'c>(comparison: &'c Comparison, figure: &str) -> &'c FigureWay {
    let figures = &comparison.facts[0].figures;
    &figures.iter().find(|(name, _)| name == figure).unwrap().1
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn the_parts_add_up_in_all_and_for_each_group(a in version(), b in version()) {
        let folder = both(&a, &b);
        let there = compared(&folder, ["1", "2"], Some("products.family"));
        let back = compared(&folder, ["2", "1"], None);
        let kept = folder.project().kept_runs();
        let kept = kept.into_iter().collect::<Result<Vec<_>, _>>().unwrap();
        for (name, way) in &there.facts[0].figures {
            // What the runs themselves came to is the ends of the bridge.
            let ends = [(way.from, &kept[0]), (way.to, &kept[1])];
            for (end, run) in ends.into_iter().filter(|_| way.is_sum) {
                let totals = &run.totals[0].1;
                let total = totals.iter().find(|(own, _)| own == name).map(|(_, total)| total.as_str());
                let total = total.and_then(|text| Decimal::parse(text.as_bytes()));
                // Nothing known is nothing in a bridge.
                prop_assert_eq!(zero_or(end), zero_or(total), "{}", name);
            }
            prop_assert_eq!(closing(way), zero_or(way.to), "{} {:?}", name, way);
            let back = &back.facts[0].figures.iter().find(|(own, _)| own == name).unwrap().1;
            prop_assert_eq!((way.from, way.to), (back.to, back.from));
            if !way.is_sum {
                continue;
            }
            let mut sum = Decimal::ZERO;
            for (group, ways) in &there.facts[0].groups {
                let own = &ways.iter().find(|(own, _)| own == name).unwrap().1;
                prop_assert_eq!(closing(own), zero_or(own.to), "{} of {}", name, group);
                sum = sum.checked_add(zero_or(own.to)).unwrap();
            }
            prop_assert_eq!(sum, zero_or(way.to));
        }
        let same = compared(&folder, ["2", "2"], Some("products.family"));
        prop_assert!(same.facts[0].figures.iter().all(|(_, way)| way.steps.is_empty()));
    }

    #[test]
    fn a_change_in_one_place_has_one_cause(a in version(), b in version()) {
        let only: [(CauseKind, Version); 5] = [
            (CauseKind::Own, Version { sales: a.sales.iter().map(|(no, line)| {
                (*no, b.sales.get(no).map_or(line, |other| other).clone())
            }).collect(), ..a.clone() }),
            (CauseKind::Match, Version { corrected: b.corrected, ..a.clone() }),
            (CauseKind::Value, Version { prices: a.prices.iter().map(|(key, price)| {
                (key.clone(), b.prices.get(key).unwrap_or(price).clone())
            }).collect(), ..a.clone() }),
            (CauseKind::Plan, Version { round: b.round, ..a.clone() }),
            (CauseKind::New, {
                let mut more = b.sales.clone();
                more.extend(a.sales.clone());
                Version { sales: more, ..a.clone() }
            }),
        ];
        for (kind, version) in only {
            let folder = both(&a, &version);
            let comparison = compared(&folder, ["1", "2"], None);
            for (name, way) in &comparison.facts[0].figures {
                let others = way.steps.iter().filter(|step| step.cause.kind != kind);
                prop_assert_eq!(others.count(), 0, "{}: {:?}", name, way);
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Keys with separators, quotes and line ends in them are read from a record as they were written.
    #[test]
    fn texts_of_any_kind_are_kept(items in prop::collection::btree_set("[ab,;\"'\né|+]{1,4}", 1..6)) {
        let quoted = |text: &str| format!("\"{}\"", text.replace('"', "\"\""));
        let plan = r#"
[plan]
keep-runs = 2
[reading]
separator = ","
[tables.sales]
role = "fact"
from = "sales.csv"
key = "item"
[figures]
pieces = "quantity * 2"
[outputs.items]
to = "items.csv"
by = ["item"]
show = ["pieces"]
"#;
        let rows = items.iter().enumerate();
        // With a number before it no item is another with spaces; with a letter behind it none ends with one.
        let rows: String =
            rows.map(|(at, item)| format!("{},{}\n", quoted(&format!("{at}{item}z")), at + 1)).collect();
        let sales = format!("item,quantity\n{rows}");
        let folder = Folder::with(&[("interligo.toml", plan), ("sales.csv", &sales)]);
        folder.run_on();
        folder.run_on();
        let comparison = compared(&folder, ["1", "2"], Some("item"));
        let fact = &comparison.facts[0];
        prop_assert_eq!(fact.lines, [items.len() as u64; 2]);
        let pieces = &fact.figures[0].1;
        let all: i64 = (1..=items.len() as i64).map(|quantity| 2 * quantity).sum();
        prop_assert_eq!(pieces.to, Some(Decimal::from(all)));
        prop_assert!(pieces.steps.is_empty(), "{:?}", pieces);
        prop_assert_eq!(fact.groups.len(), items.len());
    }
}

fn some_version() -> Version {
    let text = str::to_owned;
    Version {
        sales: [(1, (text("a1"), 5, text("2"))), (2, (text("b1"), 15, text("3")))].into(),
        products: [(text("a1"), (text("F"), text("1"))), (text("b1"), (text("G"), text("2")))]
            .into(),
        prices: [((text("a1"), 1), text("10")), ((text("b1"), 11), text("4"))].into(),
        gap: "blank",
        round: None,
        corrected: false,
    }
}

#[test]
fn a_product_renumbered_on_both_sides_is_one_cause_of_two_names() {
    let before = some_version();
    let mut now = before.clone();
    now.sales.insert(1, ("a2".to_owned(), 5, "2".to_owned()));
    now.products = [
        ("a2".to_owned(), ("F".to_owned(), "1.5".to_owned())),
        before.products.clone().into_iter().nth(1).unwrap(),
    ]
    .into();
    now.prices =
        [(("a2".to_owned(), 1), "10".to_owned()), (("b1".to_owned(), 11), "4".to_owned())].into();
    let folder = both(&before, &now);
    let comparison = compared(&folder, ["1", "2"], None);
    let cost = way(&comparison, "cost");
    let [step] = cost.steps.as_slice() else { panic!("{cost:?}") };
    assert_eq!((step.became_known, step.became_unknown), (0, 0));
    assert_eq!(step.difference.unwrap().to_string(), "1.0");
    let Cause { kind, what, example, .. } = &step.cause;
    assert_eq!((*kind, what.as_str()), (CauseKind::Match, "item and products and prices"));
    assert_eq!(example, "a1 → a2, a2, a2 from 2025-01-01");
}

#[test]
fn a_corrected_price_is_under_its_product_and_month() {
    let before = some_version();
    let mut now = before.clone();
    now.prices.insert(("a1".to_owned(), 1), "9.50".to_owned());
    let folder = both(&before, &now);
    let comparison = compared(&folder, ["1", "2"], Some("sales.item"));
    let [step] = way(&comparison, "revenue").steps.as_slice() else { panic!("{comparison:?}") };
    let Cause { kind, what, example, has_others } = &step.cause;
    assert_eq!(
        (*kind, what.as_str(), example.as_str(), *has_others),
        (CauseKind::Value, "prices.price", "a1 from 2025-01-01", false)
    );
    assert_eq!(step.difference.unwrap().trimmed(0).to_string(), "-0.875");
    // Of each line it has the share in the sums; a margin has none.
    let options = CompareOptions { by: None, lines: 9 };
    let listed = folder.project().compare(&[], &options).unwrap();
    let [line] = listed.facts[0].changed.as_slice() else { panic!("{listed:?}") };
    let shares = line.causes[0].1.iter().map(|own| own.map(|own| own.trimmed(0).to_string()));
    let wanted = [Some("-0.875"), Some("0"), Some("-0.875"), None];
    let names: Vec<&str> = listed.facts[0].figures.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(names, ["revenue", "cost", "profit", "margin"]);
    assert_eq!(shares.collect::<Vec<_>>(), wanted.map(|own| own.map(str::to_owned)));
    let changed: Vec<&str> = comparison.facts[0]
        .groups
        .iter()
        .filter(|(_, ways)| ways.iter().any(|(_, way)| !way.steps.is_empty()))
        .map(|(group, _)| group.as_str())
        .collect();
    assert_eq!(changed, ["a1"]);
}

#[test]
fn records_of_more_runs_than_are_kept_are_forgotten() {
    let version = some_version();
    let folder = Folder::with(&[]);
    (0..6).for_each(|_| version.run(&folder));
    let numbers: Vec<u32> =
        folder.project().kept_runs().into_iter().map(|run| run.unwrap().number).collect();
    assert_eq!(numbers, [3, 4, 5, 6]);
    // What is written for records only is no output of the plan.
    assert_eq!(Request::of_plan(&folder.project().plan).unwrap().len(), 2);
}
