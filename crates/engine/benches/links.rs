//! What finding a row costs a line: keys of one, two and three columns, alternatives, and chains; beside a plain
//! hash lookup of the cleaned key. One batch of 10,000 lines, 20,000 keys; all set up beforehand.
#![allow(missing_docs, clippy::unwrap_used)]

use std::borrow::Cow;
use std::collections::{BTreeSet, HashMap};
use std::hint::black_box;

use arrow_array::StringViewArray;
use divan::counter::ItemsCount;
use interligo_engine::bind::{ColumnNames, Request, TableColumns, TotalsRequest, bind};
use interligo_engine::engine::{Engine, Extent, Sample};
use interligo_engine::lines::LineBatch;
use interligo_engine::lookup::{Lookup, RawTable};
use interligo_model::plan::{Plan, Written};
use interligo_model::reading::style::{PartStyle, Style};
use interligo_model::values::cells::Cells;

const LINES: usize = 10_000;
const KEYS: usize = 20_000;

fn main() {
    divan::main();
}

/// Numbers that look like chance, the same each time.
fn scattered(number: usize, bound: usize) -> usize {
    (number.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 20) % bound
}

fn texts(cells: impl Iterator<Item = String>) -> StringViewArray {
    StringViewArray::from_iter_values(cells)
}

/// The parts of a key.
fn part(key: usize, column: usize) -> String {
    match column {
        0 => format!("HV-{:06}", key),
        1 => format!("Z{}", key % 7),
        _ => ["web", "shop"][key % 2].to_owned(),
    }
}

fn line_column(column: usize) -> StringViewArray {
    texts((0..LINES).map(|line| part(scattered(line, KEYS), column)))
}

/// A hash lookup of the cleaned key, as it would be written by hand.
#[divan::bench(args = [1, 2, 3])]
fn plain_hash_lookup(bencher: divan::Bencher, columns: usize) {
    let key = |parts: &mut dyn Iterator<Item = String>| {
        parts.map(|part| part.trim().to_owned()).collect::<Vec<_>>().join("\u{1f}")
    };
    let rows: HashMap<String, usize> =
        (0..KEYS).map(|row| (key(&mut (0..columns).map(|c| part(row, c))), row)).collect();
    let lines: Vec<StringViewArray> = (0..columns).map(line_column).collect();
    bencher.counter(ItemsCount::new(LINES)).bench(|| {
        let mut found = Vec::with_capacity(LINES);
        let mut text = String::new();
        for line in 0..LINES {
            text.clear();
            for (number, column) in lines.iter().enumerate() {
                if number > 0 {
                    text.push('\u{1f}');
                }
                text.push_str(column.value(line).trim());
            }
            found.push(rows.get(black_box(&text)).copied());
        }
        found
    });
}

/// Tables by name: their columns, and the texts of each.
fn table(name: &str) -> (Vec<String>, Vec<StringViewArray>, usize) {
    let named = |names: &[&str]| names.iter().map(|name| (*name).to_owned()).collect::<Vec<_>>();
    let column = |column: usize| texts((0..KEYS).map(|row| part(row, column)));
    match name {
        "sales" => {
            let other = texts((0..LINES).map(|line| {
                if line % 2 == 0 { "none".to_owned() } else { part(scattered(line, KEYS), 0) }
            }));
            let columns = vec![line_column(0), line_column(1), line_column(2), other];
            (named(&["a", "b", "c", "first"]), columns, LINES)
        }
        "keys" => {
            let next = texts((0..KEYS).map(|row| format!("G{}", row % 500)));
            let value = texts((0..KEYS).map(|row| row.to_string()));
            (
                named(&["a", "b", "c", "next", "value"]),
                vec![column(0), column(1), column(2), next, value],
                KEYS,
            )
        }
        "groups" => {
            let code = texts((0..500).map(|row| format!("G{row}")));
            let next = texts((0..500).map(|row| format!("H{}", row % 20)));
            (named(&["code", "next", "value"]), vec![code.clone(), next, code], 500)
        }
        _ => {
            let code = texts((0..20).map(|row| format!("H{row}")));
            (named(&["code", "value"]), vec![code.clone(), code], 20)
        }
    }
}

/// An engine for one link, or for a chain of three.
fn engine(path: &str) -> (Engine, Vec<StringViewArray>) {
    let mut plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"-\"\n".to_owned();
    let names = ["keys", "groups", "heads"];
    names.iter().for_each(|name| plan += &format!("[tables.{name}]\nfrom = \"-\"\n"));
    let chain = path == "chain";
    let first = if chain { "sales.a -> keys.a" } else { path };
    plan += &format!("[[link]]\npath = \"{first}\"\n");
    if chain {
        plan += "[[link]]\npath = \"keys.next -> groups.code\"\n[[link]]\npath = \"groups.next -> heads.code\"\n";
    }
    let mut column_names = ColumnNames::default();
    for name in ["sales"].into_iter().chain(names) {
        let columns = TableColumns { names: table(name).0, slots: BTreeSet::new() };
        column_names.0.insert(name.to_owned(), columns);
    }
    let shown = if chain { "heads.value" } else { "keys.value" };
    let request = Request::of_totals(
        "totals",
        TotalsRequest {
            by: vec![Written::in_option("bench", shown, 0..shown.len())],
            show: Some(vec![Written::in_option("bench", "lines", 0..5)]),
            ..TotalsRequest::default()
        },
    );
    let plan = Plan::parse(&plan).unwrap();
    let bound = bind(&plan, &column_names, &[request], &BTreeSet::new()).unwrap().remove(0);
    let settle = |lookup: &interligo_engine::bind::BoundLookup| {
        let (_, columns, rows) = table(&lookup.name);
        let raw = RawTable {
            parts: vec!["table.csv".into()],
            styles: vec![PartStyle::default()],
            first_rows: vec![0],
            rows: (0..rows as u32).collect(),
            columns,
            ..RawTable::default()
        };
        Lookup::settle(raw, lookup).unwrap()
    };
    let lookups = bound.lookups.iter().map(settle).collect();
    let sales = table("sales").1;
    let sample = |column| {
        vec![Sample { texts: StringViewArray::clone(&sales[column]), style: Style::default() }]
    };
    let samples: Vec<_> = bound.fact.read_columns().into_iter().map(sample).collect();
    (Engine::prepare(bound, lookups, &samples, Extent::Needed).unwrap().0, sales)
}

/// From the texts of the lines to the rows of the lookup.
#[divan::bench(args = [
    "sales.a -> keys.a",
    "sales.a + b -> keys.a + b",
    "sales.a + b + c -> keys.a + b + c",
    "sales.first or a -> keys.a",
    "chain",
])]
fn link(bencher: divan::Bencher, path: &str) {
    let (engine, sales) = engine(path);
    let style = PartStyle::default();
    let columns: Vec<Cells> =
        engine.read_columns().iter().map(|column| Cells::Texts(sales[*column].clone())).collect();
    bencher.counter(ItemsCount::new(LINES)).bench(|| {
        let batch = LineBatch {
            rows: LINES,
            columns: columns.iter().map(Cow::Borrowed).collect(),
            part: 0,
            style: &style,
            row_of: &|row| u64::from(row),
        };
        engine.work_out(black_box(&batch)).map(|lines| lines.link_rows(0).len())
    });
}
