//! Lines of closed periods: a run that would change one ends and leaves its outputs, whatever changes it; what is behind these
//! periods may change.

use std::collections::BTreeMap;

use interligo_project::{CauseKind, ClosedChange, ClosedChanges, Error, OnClosed};
use proptest::prelude::*;

use crate::support::Folder;

/// The tables of a shop: lines by number (month, day, item, quantity), prices by item and month.
#[derive(Clone, Debug, PartialEq)]
struct Shop {
    sales: BTreeMap<u32, (u32, u32, String, u32)>,
    prices: BTreeMap<(String, u32), u32>,
    families: BTreeMap<String, String>,
}

impl Shop {
    fn small() -> Shop {
        let line = |month, item: &str, quantity| (month, 10, item.to_owned(), quantity);
        let price = |item: &str, month, price| ((item.to_owned(), month), price);
        let family = |item: &str, family: &str| (item.to_owned(), family.to_owned());
        Shop {
            sales: [(1, line(1, "A", 2)), (2, line(2, "B", 3)), (3, line(3, "A", 5))].into(),
            prices: [price("A", 1, 10), price("B", 2, 20), price("A", 3, 30)].into(),
            families: [family("A", "F"), family("B", "G")].into(),
        }
    }

    fn write(&self, folder: &Folder) {
        let sales = self.sales.iter().map(|(no, (month, day, item, quantity))| {
            format!("{no},2025-{month:02}-{day:02},{item},{quantity}\n")
        });
        let prices = self.prices.iter().map(|((item, month), price)| {
            format!("{item},2025-{month:02}-01,2025-{month:02}-28,{price}\n")
        });
        let families = self.families.iter().map(|(item, family)| format!("{item},{family}\n"));
        for (file, heads, rows) in [
            ("sales.csv", "no,day,item,quantity", sales.collect::<String>()),
            ("prices.csv", "item,since,until,price", prices.collect::<String>()),
            ("families.csv", "item,family", families.collect::<String>()),
        ] {
            folder.put(file, format!("{heads}\n{rows}").as_bytes());
        }
    }

    /// What is known of the lines up to a month: revenue and family of each.
    fn lines_to(&self, last: u32) -> BTreeMap<u32, (Option<u32>, Option<String>)> {
        let closed = self.sales.iter().filter(|(_, (month, ..))| *month <= last);
        let line = |(no, (month, _, item, quantity)): (&u32, &(u32, u32, String, u32))| {
            let price = self.prices.get(&(item.clone(), *month));
            (*no, (price.map(|price| price * quantity), self.families.get(item).cloned()))
        };
        closed.map(line).collect()
    }
}

fn plan(closed: &str) -> String {
    format!(
        r#"
[plan]
{closed}
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
day = {{ type = "date" }}
[tables.prices]
from = "prices.csv"
key = "item"
valid = {{ from = "since", until = "until" }}
[tables.prices.columns]
price = {{ type = "number" }}
[tables.families]
from = "families.csv"
key = "item"
[[link]]
path = "sales.item -> prices.item as of day"
[[link]]
path = "sales.item -> families.item"
[figures]
revenue = "quantity * prices.price"
[outputs.lines]
to = "lines.csv"
[outputs.by_family]
to = "by_family.csv"
by = ["families.family"]
show = ["revenue"]
"#
    )
}

/// The small shop, closed up to a month, and run once.
fn closed(period: &str) -> Folder {
    let folder = Folder::with(&[("interligo.toml", &plan(&format!("closed = \"{period}\"")))]);
    Shop::small().write(&folder);
    assert_eq!(folder.run_closed(OnClosed::Refuse).map(|ran| ran.notes.len()).unwrap(), 1);
    folder
}

fn changes(error: &Error) -> &ClosedChanges {
    error.closed_changes().unwrap_or_else(|| panic!("{error}"))
}

fn refused(folder: &Folder) -> Error {
    folder.run_closed(OnClosed::Refuse).err().expect("it is refused")
}

#[test]
fn a_price_of_a_closed_month_ends_the_run_with_the_bridge_and_outputs_stay() {
    let folder = closed("2025-02");
    let lines = folder.content("lines.csv");
    let mut shop = Shop::small();
    shop.prices.insert(("B".to_owned(), 2), 21);
    shop.write(&folder);
    let error = refused(&folder);
    assert_eq!(
        error.to_string(),
        "closed lines, up to 2025-02, are not as they were: 1 with another value"
    );
    let changes = changes(&error);
    let (what, before, now) = ("revenue".to_owned(), "60".to_owned(), "63".to_owned());
    let change = ClosedChange::Value { what, is_figure: true, before, now };
    assert_eq!(changes.lines.iter().map(|line| &line.change).collect::<Vec<_>>(), [&change]);
    assert_eq!((changes.lines[0].key.as_str(), changes.lines[0].fact.as_str()), ("2", "sales"));
    let comparison = changes.comparison.as_ref().unwrap();
    let (name, way) = &comparison.facts[0].figures[0];
    assert_eq!((name.as_str(), way.steps.len()), ("revenue", 1));
    assert_eq!(way.steps[0].cause.kind, CauseKind::Value);
    assert_eq!(way.steps[0].difference.map(|own| own.to_string()).as_deref(), Some("3"));
    assert_eq!(comparison.files.changed, ["prices.csv"]);
    assert_eq!(folder.content("lines.csv"), lines);
    // It is as it was again, and the run goes through.
    Shop::small().write(&folder);
    assert!(folder.run_closed(OnClosed::Refuse).unwrap().notes.is_empty());
}

/// A period ends with its last day.
#[test]
fn a_line_of_the_last_day_is_closed_and_one_of_the_next_is_not() {
    for (month, day, is_closed) in [(2, 28, true), (3, 1, false)] {
        let folder = closed("2025-02");
        let mut shop = Shop::small();
        shop.sales.insert(4, (month, day, "A".to_owned(), 1));
        shop.write(&folder);
        let ran = folder.run_closed(OnClosed::Refuse);
        assert_eq!(ran.is_err(), is_closed, "{month} {day}");
    }
}

#[test]
fn lines_that_are_late_missing_or_in_another_group_are_told_apart() {
    let folder = closed("2025-02");
    let mut shop = Shop::small();
    shop.sales.remove(&1);
    shop.sales.insert(4, (1, 31, "A".to_owned(), 1));
    shop.families.insert("B".to_owned(), "H".to_owned());
    shop.write(&folder);
    let error = refused(&folder);
    let own = changes(&error);
    assert_eq!((own.new, own.gone, own.changed), (1, 1, 1));
    let (what, before, now) = ("families.family".to_owned(), "G".to_owned(), "H".to_owned());
    let value = ClosedChange::Value { what, is_figure: false, before, now };
    let all: Vec<(&str, &ClosedChange)> =
        own.lines.iter().map(|line| (line.key.as_str(), &line.change)).collect();
    assert_eq!(all.len(), 3);
    for expected in [("2", &value), ("4", &ClosedChange::New), ("1", &ClosedChange::Gone)] {
        assert!(all.contains(&expected), "{all:?}");
    }
}

#[test]
fn reopening_accepts_the_data_and_keeps_the_former_record() {
    let folder = closed("2025-02");
    let mut shop = Shop::small();
    shop.prices.insert(("B".to_owned(), 2), 21);
    shop.write(&folder);
    refused(&folder);
    let notes = folder.run_closed(OnClosed::Reopen).unwrap().notes;
    assert!(notes[0].ends_with("the former record stays in closed/interligo/1"), "{notes:?}");
    assert!(folder.has("closed/interligo/1/run.json") && folder.has("closed/interligo/2/run.json"));
    assert!(folder.run_closed(OnClosed::Refuse).unwrap().notes.is_empty());
    // The former data are what is refused now.
    Shop::small().write(&folder);
    assert_eq!(changes(&refused(&folder)).record, "closed/interligo/2");
}

#[test]
fn a_month_more_is_closed_without_a_word_of_the_former() {
    let folder = closed("2025-01");
    folder.put("interligo.toml", plan("closed = \"2025-03\"").as_bytes());
    let notes = folder.run_closed(OnClosed::Refuse).unwrap().notes;
    let note = "closed up to 2025-03: 3 lines in closed/interligo/2, kept from now on";
    assert_eq!(notes, [note]);
    folder.put("interligo.toml", plan("closed = \"2025-02\"").as_bytes());
    let error = refused(&folder);
    assert_eq!(error.code(), "closed.shorter");
    assert_eq!(
        error.to_string(),
        "periods are closed up to 2025-03, and the plan says up to 2025-02 only"
    );
    folder.run_closed(OnClosed::Reopen).unwrap();
    let mut shop = Shop::small();
    shop.sales.remove(&3);
    shop.write(&folder);
    folder.run_closed(OnClosed::Refuse).unwrap();
}

#[test]
fn a_record_that_is_missing_damaged_or_about_something_else_is_told() {
    let folder = closed("2025-02");
    let kept = folder.content("closed/interligo/1/run.json");
    folder.put("closed/interligo/1/run.json", b"{}");
    assert_eq!(refused(&folder).code(), "record.other-version");
    folder.put("closed/interligo/1/run.json", kept.replace("2025-02\"", "soon\"").as_bytes());
    assert_eq!(refused(&folder).code(), "record.damaged");
    folder.put("closed/interligo/1/run.json", kept.as_bytes());
    folder.put("closed/interligo/1/closed-0.csv.zst", b"");
    assert_eq!(refused(&folder).code(), "record.damaged");
    folder.remove_folder("closed");
    assert_eq!(
        refused(&folder).to_string(),
        "the record of closed periods, `closed/interligo`, is missing"
    );
    folder.run_closed(OnClosed::Reopen).unwrap();
    let without = plan("closed = \"2025-02\"").replace("revenue", "turnover");
    folder.put("interligo.toml", without.as_bytes());
    assert_eq!(
        refused(&folder).to_string(),
        "the figure `revenue` is in the record of closed periods, and the plan does not have it any more"
    );
}

/// A run that is asked for some outputs only, and keeps no record, does not make others forget that there was one.
#[test]
fn a_run_of_other_outputs_does_not_hide_that_the_record_is_gone() {
    let folder = closed("2025-02");
    folder.run_some(&["lines"]);
    folder.remove_folder("closed");
    assert_eq!(refused(&folder).code(), "closed.missing");
}

#[test]
fn what_is_no_period_or_has_no_date_is_a_mistake_of_the_plan() {
    let folder = Folder::with(&[]);
    Shop::small().write(&folder);
    let mistaken = |text: &str| {
        folder.put("interligo.toml", text.as_bytes());
        (refused(&folder).to_string(), refused(&folder).code())
    };
    for text in ["2025-13", "March", "", "2025-02-30"] {
        let (message, code) = mistaken(&plan(&format!("closed = \"{text}\"")));
        assert_eq!((message, code), (format!("`{text}` is no period"), "plan.wrong-value"));
    }
    let undated = plan("closed = \"2025-02\"").replace(" as of day", "");
    let undated = undated
        .replace("valid = { from = \"since\", until = \"until\" }", "duplicates = \"first\"");
    let (message, code) = mistaken(&undated);
    assert_eq!(code, "plan.missing-setting");
    assert!(message.contains("it is not certain which column of `sales` has it"), "{message}");
    let dated = undated.replace("key = \"no\"", "key = \"no\"\ndate = \"day\"");
    folder.put("interligo.toml", dated.as_bytes());
    folder.run_closed(OnClosed::Refuse).unwrap();
    folder.put("interligo.toml", plan("").as_bytes());
    let error = folder.run_closed(OnClosed::Reopen).err().unwrap();
    assert_eq!(error.to_string(), "`--reopen` is about closed periods, and the plan has none");
}

fn shop() -> impl Strategy<Value = Shop> {
    let item = || "[AB]";
    (
        prop::collection::btree_map(1u32..7, (1u32..5, 1u32..28, item(), 1u32..4), 0..6),
        prop::collection::btree_map((item(), 1u32..5), 1u32..4, 0..8),
        prop::collection::btree_map(item(), "[FG]", 1..3),
    )
        .prop_map(|(sales, prices, families)| Shop { sales, prices, families })
}

/// A shop, and another that differs from it in little.
fn versions() -> impl Strategy<Value = (Shop, Shop)> {
    (shop(), shop(), 0usize..4).prop_map(|(one, other, what)| {
        let mut now = one.clone();
        match what {
            0 => now.sales = other.sales,
            1 => now.prices = other.prices,
            2 => now.families = other.families,
            _ => now.sales.extend(other.sales.into_iter().filter(|(_, line)| line.0 > 2)),
        }
        (one, now)
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// A run is refused if and only if a closed line is new, gone, or has another revenue or group; each is counted.
    #[test]
    fn a_run_is_refused_just_where_closed_lines_differ((before, now) in versions()) {
        let folder = Folder::with(&[("interligo.toml", &plan("closed = \"2025-02\""))]);
        before.write(&folder);
        folder.run_closed(OnClosed::Refuse).unwrap();
        now.write(&folder);
        let (was, is) = (before.lines_to(2), now.lines_to(2));
        let new = is.keys().filter(|no| !was.contains_key(*no)).count() as u64;
        let gone = was.keys().filter(|no| !is.contains_key(*no)).count() as u64;
        let changed = was.iter().filter(|(no, line)| is.get(*no).is_some_and(|own| own != *line));
        let expected = (new, gone, changed.count() as u64);
        let found = match folder.run_closed(OnClosed::Refuse) {
            Ok(_) => (0, 0, 0),
            Err(error) => {
                let own = changes(&error);
                (own.new, own.gone, own.changed)
            }
        };
        prop_assert_eq!(found, expected);
    }
}
