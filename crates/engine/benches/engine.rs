//! What a line costs, part by part: finding keys, cleaning them, finding a period, working formulas out,
//! summing up. One batch of 10,000 lines, 20,000 products, 6 price periods each; all set up beforehand.
#![allow(missing_docs, clippy::unwrap_used)]

use std::collections::BTreeSet;
use std::hint::black_box;

use arrow_array::StringViewArray;
use divan::counter::ItemsCount;
use interligo_engine::bind::{ColumnNames, Request, TableColumns, TotalsRequest, bind};
use interligo_engine::engine::{Engine, Extent, Sample};
use interligo_engine::keys::{KeyForm, KeyIndex};
use interligo_engine::lines::LineBatch;
use interligo_engine::lookup::calendar::{Calendar, Holds, OnDay};
use interligo_engine::lookup::{Lookup, RawTable};
use interligo_engine::outputs::{Output, OutputContent};
use interligo_engine::totals::{Groups, TotalsPlan};
use interligo_model::plan::{Ignore, Plan, Written};
use interligo_model::reading::style::{PartStyle, Style};
use interligo_model::values::cells::Cells;
use interligo_model::values::date::Day;

const LINES: usize = 10_000;
const PRODUCTS: usize = 20_000;
const PERIODS: usize = 6;

fn main() {
    divan::main();
}

/// Numbers that look like chance, the same each time.
fn scattered(number: usize, bound: usize) -> usize {
    (number.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 20) % bound
}

fn sku(number: usize) -> String {
    format!("HV-{number:06}")
}

fn texts(cells: impl Iterator<Item = String>) -> StringViewArray {
    StringViewArray::from_iter_values(cells)
}

fn index(ignore: &[Ignore]) -> KeyIndex {
    let keys: Vec<String> = (0..PRODUCTS).map(sku).collect();
    let rows: Vec<(&str, u32)> =
        keys.iter().zip(0..).map(|(key, row)| (key.as_str(), row)).collect();
    KeyIndex::new(rows.into_iter(), Some(vec![KeyForm::ignoring(ignore)]))
}

/// Keys found as they are written, and keys that must be cleaned first.
#[divan::bench(args = ["as written", "with spaces", "other case"])]
fn find_keys(bencher: divan::Bencher, written: &str) {
    let index = index(&[Ignore::Case]);
    let key = |line| {
        let key = sku(scattered(line, PRODUCTS));
        match written {
            "with spaces" => format!(" {key}"),
            "other case" => key.to_lowercase(),
            _ => key,
        }
    };
    let keys = texts((0..LINES).map(key));
    bencher.counter(ItemsCount::new(LINES)).bench(|| {
        let mut rows = Vec::with_capacity(LINES);
        index.find_all(&keys, &mut rows, |_, found| match found {
            interligo_engine::keys::Found::Cleaned(row) => row,
            _ => u32::MAX,
        });
        rows
    });
}

/// The period of a day, with a few periods a key and with many, in even steps and in steps that grow.
#[divan::bench(args = [(PERIODS, true), (1_000, true), (1_000, false)])]
fn find_period(bencher: divan::Bencher, (periods, even): (usize, bool)) {
    let keys = 120_000 / periods;
    let start = |number: usize| if even { number * 10 } else { number * number / 100 + number };
    let period = |number: usize| Holds {
        from: Day(start(number) as i32),
        until: Day(start(number + 1) as i32 - 1),
        row: number as u32,
    };
    let calendar = Calendar::new((0..keys).map(|_| (0..periods).map(period).collect()));
    let day = |line: usize| Day(scattered(line + LINES, start(periods)) as i32);
    let asked: Vec<(u32, Day)> =
        (0..LINES).map(|line| (scattered(line, keys) as u32, day(line))).collect();
    bencher.counter(ItemsCount::new(LINES)).bench(|| {
        let held = |(key, day): &&(u32, Day)| calendar.exactly_one(*key, *day) != OnDay::Nothing;
        asked.iter().filter(held).count()
    });
}

const PLAN: &str = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.products]
from = "products.csv"
key = "sku"
[tables.prices]
from = "prices.csv"
key = "sku"
valid = { from = "since", until = "until" }
[[link]]
path = "sales.item -> products.sku"
[[link]]
path = "sales.item -> prices.sku as of day"
[figures]
revenue = "quantity * prices.price * (1 - discount)"
cost = "quantity * products.cost"
profit = "revenue - cost"
margin = "profit / revenue"
"#;

fn raw(columns: Vec<StringViewArray>, rows: usize) -> RawTable {
    RawTable {
        parts: vec!["table.csv".into()],
        styles: vec![PartStyle::default()],
        first_rows: vec![0],
        rows: (0..rows as u32).collect(),
        columns,
        ..RawTable::default()
    }
}

fn day(number: usize) -> String {
    Day(19_000 + number as i32).to_string()
}

fn sales() -> Vec<StringViewArray> {
    vec![
        texts((0..LINES).map(|line| day(line * 1_000 / LINES))),
        texts((0..LINES).map(|line| sku(scattered(line, PRODUCTS)))),
        texts((0..LINES).map(|line| (1 + scattered(line + 7, 200)).to_string())),
        texts((0..LINES).map(|line| ["0", "0.05", "0.125"][scattered(line + 9, 3)].to_owned())),
    ]
}

/// An engine for totals of these figures by these attributes.
fn engine(by: &[&str], show: &[&str]) -> (Engine, Vec<Output>) {
    let plan = Plan::parse(PLAN).unwrap();
    let mut column_names = ColumnNames::default();
    for (table, names) in [
        ("sales", vec!["day", "item", "quantity", "discount"]),
        ("products", vec!["sku", "family", "cost"]),
        ("prices", vec!["sku", "since", "until", "price"]),
    ] {
        let names = names.into_iter().map(str::to_owned).collect();
        column_names.0.insert(table.to_owned(), TableColumns { names, slots: BTreeSet::new() });
    }
    let written =
        |texts: &[&str]| texts.iter().map(|t| Written::in_option("bench", t, 0..t.len())).collect();
    let totals =
        TotalsRequest { by: written(by), show: Some(written(show)), ..TotalsRequest::default() };
    let request = Request::of_totals("totals", totals);
    let bound = bind(&plan, &column_names, &[request], &BTreeSet::new()).unwrap().remove(0);
    let products = vec![
        texts((0..PRODUCTS).map(sku)),
        texts((0..PRODUCTS).map(|n| format!("Family {}", n % 20))),
        texts((0..PRODUCTS).map(|n| format!("{}.{:04}", n % 90, n % 10_000))),
    ];
    let rows = PRODUCTS * PERIODS;
    let prices =
        vec![
            texts((0..rows).map(|n| sku(n / PERIODS))),
            texts((0..rows).map(|n| day(n % PERIODS * 170))),
            texts((0..rows).map(|n| {
                if n % PERIODS == 5 { String::new() } else { day(n % PERIODS * 170 + 169) }
            })),
            texts((0..rows).map(|n| format!("{}.{:02}", n % 300, n % 100))),
        ];
    let lookups = bound
        .lookups
        .iter()
        .map(|lookup| match lookup.name.as_str() {
            "products" => Lookup::settle(raw(products.clone(), PRODUCTS), lookup).unwrap(),
            _ => Lookup::settle(raw(prices.clone(), rows), lookup).unwrap(),
        })
        .collect();
    let sales = sales();
    let samples: Vec<_> = bound
        .fact
        .read_columns()
        .into_iter()
        .map(|column| vec![Sample { texts: sales[column].clone(), style: Style::default() }])
        .collect();
    Engine::prepare(bound, lookups, &samples, Extent::Needed).unwrap()
}

fn totals(outputs: &[Output]) -> &TotalsPlan {
    match &outputs[0].content {
        OutputContent::Totals { plan, .. } => plan,
        _ => unreachable!(),
    }
}

fn batch<'a>(engine: &Engine, sales: &[StringViewArray], style: &'a PartStyle) -> LineBatch<'a> {
    let columns = engine
        .read_columns()
        .iter()
        .map(|column| std::borrow::Cow::Owned(Cells::Texts(sales[*column].clone())))
        .collect();
    LineBatch { rows: LINES, columns, part: 0, style, row_of: &|row| u64::from(row) }
}

/// From text to figures: reading, linking and computing what these figures need.
#[divan::bench(args = ["quantity", "cost", "revenue", "profit", "margin"])]
fn work_out(bencher: divan::Bencher, figure: &str) {
    let (engine, _) = engine(&[], &[figure]);
    let sales = sales();
    bencher.counter(ItemsCount::new(LINES)).bench(|| {
        engine
            .work_out(black_box(&batch(&engine, &sales, &PartStyle::default())))
            .map(|lines| lines.rows)
    });
}

/// Grouping and summing three figures of lines that are computed already.
#[divan::bench(args = ["", "products.family", "month(day)", "products.family month(day)", "item"])]
fn sum_up(bencher: divan::Bencher, by: &str) {
    let by: Vec<&str> = by.split(' ').filter(|by| !by.is_empty()).collect();
    let (engine, outputs) = engine(&by, &["lines", "revenue", "cost", "profit"]);
    let sales = sales();
    let lines = engine.work_out(&batch(&engine, &sales, &PartStyle::default())).unwrap();
    let mut groups = Groups::new(totals(&outputs));
    bencher.counter(ItemsCount::new(LINES)).bench_local(|| groups.add(black_box(&lines)));
}
