//! What outputs say when they are read back: what the run wrote, in every form, whatever is in their cells; and a change by
//! hand is found in its cell.

use interligo_project::{OnClosed, OutputDifference, RowDifference, Verified};
use proptest::prelude::*;

use crate::support::Folder;

/// A line: its text, number, day, and whether it is so.
type Line = (String, String, String, String);

/// Outputs in every form that this build writes to files.
const OUTPUTS: &str = r#"
[plan]
verify = true
[tables.sales]
role = "fact"
from = "sales.csv"
KEY
separator = ","
encoding = "utf-8"
header-row = 1
total-rows = "keep"
numbers = "1234.56"
dates = "2025-12-31"
[tables.sales.columns]
no = { type = "text" }
word = { type = "text" }
amount = { type = "number" }
day = { type = "date" }
so = { type = "yes-no" }
[figures]
double = "amount * 2"
third = "amount / 3"
[outputs.csv]
to = "lines.csv"
[outputs.gzip]
to = "lines.csv.gz"
[outputs.tabs]
to = "lines.tsv"
[outputs.german]
to = "zeilen.csv"
write = { separator = ";", numbers = "1.234,56", dates = "31.12.2025", line-end = "crlf", places = 2 }
guard = true
[outputs.json]
to = "lines.jsonl"
[outputs.parquet]
to = "lines.parquet"
[outputs.arrow]
to = "lines.arrow"
[outputs.book]
to = "book.xlsx#Lines"
[outputs.lite]
to = "lite.sqlite#lines"
[outputs.split]
to = "split/{so}.csv"
[outputs.by_word]
to = "book.xlsx#by_word"
by = ["word"]
show = ["lines", "double", "third"]
[outputs.by_month]
to = "by_month.csv"
by = ["month(day)", "so"]
show = ["double", "min(amount)", "max(day)"]
[outputs.findings]
to = "findings.csv"
list = "findings"
"#;

/// The files of a shop with these lines; its lines have a key or none.
fn folder(lines: &[Line], has_key: bool) -> Folder {
    let key = if has_key { "key = \"no\"" } else { "" };
    let mut sales = csv::Writer::from_writer(Vec::new());
    sales.write_record(["no", "word", "amount", "day", "so"]).unwrap();
    for (no, (word, amount, day, so)) in lines.iter().enumerate() {
        sales.write_record([&format!("{no:03}"), word, amount, day, so]).unwrap();
    }
    let folder = Folder::with(&[("interligo.toml", &OUTPUTS.replace("KEY", key))]);
    folder.put("sales.csv", &sales.into_inner().unwrap());
    folder.run_closed(OnClosed::Refuse).unwrap();
    folder
}

fn verified(folder: &Folder) -> Verified {
    folder.project().verify(&[], 10, &|_, _| {}).unwrap()
}

/// The outputs that are not as they were written, with their differences.
fn changed(verified: &Verified) -> Vec<(&str, &[OutputDifference])> {
    let changed = verified.outputs.iter().filter(|own| !own.is_same());
    changed.map(|own| (own.output.as_str(), own.differences.as_slice())).collect()
}

fn few() -> Vec<Line> {
    let line = |word: &str, amount: &str, day: &str, so: &str| {
        (word.to_owned(), amount.to_owned(), day.to_owned(), so.to_owned())
    };
    vec![
        line("A", "1.50", "2025-01-31", "yes"),
        line("B", "20", "2025-02-01", "no"),
        line("A", "", "2025-02-02", "yes"),
    ]
}

fn word() -> impl Strategy<Value = String> {
    prop_oneof![
        4 => "[ -~äß€]{0,6}",
        1 => prop::sample::select(vec![
            "007", "7", "7.0", "TRUE", "yes", "(none)", "=1+1", "@x", "12 %", "1e5", "2025-01-01", "\"", "a\nb", " x ",
            "total", "null", "NaN", "-", "12345678901234567890",
        ])
        .prop_map(str::to_owned),
    ]
}

fn line() -> impl Strategy<Value = Line> {
    let amount = prop_oneof![
        4 => (-99_999i64..99_999, 0u32..5).prop_map(|(mantissa, places)| {
            let sign = if mantissa < 0 { "-" } else { "" };
            let (whole, rest) = (mantissa.abs() / 10i64.pow(places), mantissa.abs() % 10i64.pow(places));
            if places == 0 { format!("{sign}{whole}") } else { format!("{sign}{whole}.{rest:0width$}", width = places as usize) }
        }),
        1 => Just("1234567890123.456789".to_owned()),
        1 => Just(String::new()),
    ];
    let day = prop_oneof![4 => (1u32..13, 1u32..29).prop_map(|(m, d)| format!("2024-{m:02}-{d:02}")), 1 => Just(String::new())];
    (word(), amount, day, prop::sample::select(vec!["yes", "no", ""]))
        .prop_map(|(word, amount, day, so)| (word, amount, day, so.to_owned()))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// Each form gives back what was written.
    #[test]
    fn what_was_written_is_what_is_read_back(
        lines in prop::collection::vec(line(), 1..12),
        has_key in any::<bool>(),
    ) {
        let folder = folder(&lines, has_key);
        let verified = verified(&folder);
        prop_assert_eq!(changed(&verified), Vec::new());
        let rows: Vec<u64> = verified.outputs.iter().take(10).map(|own| own.rows).collect();
        prop_assert_eq!(rows, vec![lines.len() as u64; 10]);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// One cell of one file that is another is one difference, in its row and column, and none elsewhere.
    #[test]
    fn a_cell_that_was_changed_is_the_one_difference(
        lines in prop::collection::vec(line(), 1..8),
        has_key in any::<bool>(),
        row in any::<prop::sample::Index>(),
        column in 1usize..7,
    ) {
        let folder = folder(&lines, has_key);
        let mut reader = csv::Reader::from_path(folder.path("lines.csv")).unwrap();
        let heads = reader.headers().unwrap().clone();
        let mut rows: Vec<Vec<String>> = reader
            .records()
            .map(|row| row.unwrap().iter().map(str::to_owned).collect())
            .collect();
        let row = row.index(rows.len());
        let written = std::mem::replace(&mut rows[row][column], "changed by hand".to_owned());
        let mut changed_file = csv::Writer::from_path(folder.path("lines.csv")).unwrap();
        changed_file.write_record(&heads).unwrap();
        rows.iter().for_each(|row| changed_file.write_record(row).unwrap());
        changed_file.flush().unwrap();
        let verified = verified(&folder);
        let changed = changed(&verified);
        prop_assert_eq!(changed.len(), 1);
        let (output, differences) = changed[0];
        let own = RowDifference::Cell {
            place: format!("lines.csv:{}", row_number(&folder, row)),
            column: heads[column].to_owned(),
            written,
            there: "changed by hand".to_owned(),
        };
        prop_assert_eq!((output, differences.len()), ("csv", 1));
        prop_assert_eq!(&differences[0].what, &own);
    }
}

/// The line of the file in which a row begins: cells may have line breaks.
fn row_number(folder: &Folder, row: usize) -> u64 {
    let mut reader = csv::Reader::from_path(folder.path("lines.csv")).unwrap();
    let found = reader.records().nth(row).unwrap().unwrap();
    found.position().unwrap().line()
}

#[test]
fn a_cell_that_was_changed_is_named_with_both_values() {
    for has_key in [true, false] {
        let folder = folder(&few(), has_key);
        assert_eq!(verified(&folder).outputs.len(), 13);
        let text = folder.content("lines.tsv");
        assert!(text.contains("\t3.00\t"), "{text}");
        folder.put("lines.tsv", text.replace("\t3.00\t", "\t3.01\t").as_bytes());
        let verified = verified(&folder);
        let what = RowDifference::Cell {
            place: "lines.tsv:2".to_owned(),
            column: "double".to_owned(),
            written: "3.00".to_owned(),
            there: "3.01".to_owned(),
        };
        let row = if has_key { "000" } else { "000,A" }.to_owned();
        assert_eq!(changed(&verified), [("tabs", &[OutputDifference { row, what }][..])]);
    }
}

#[test]
fn rows_in_another_order_are_the_same_rows() {
    let folder = folder(&few(), true);
    let text = folder.content("lines.csv");
    let mut lines: Vec<&str> = text.lines().collect();
    lines[1..].reverse();
    folder.put("lines.csv", (lines.join("\n") + "\n").as_bytes());
    assert!(verified(&folder).is_same());
}

#[test]
fn rows_that_are_missing_added_or_cut_off_are_counted() {
    let folder = folder(&few(), true);
    let text = folder.content("lines.csv");
    let lines: Vec<&str> = text.lines().collect();
    let changed_text = [lines[0], lines[1], lines[3], "009,Z,1,2025-01-01,yes,2,0.3"].join("\n");
    folder.put("lines.csv", format!("{changed_text}\n000,A").as_bytes());
    let json = folder.content("lines.jsonl");
    folder.put("lines.jsonl", &json.as_bytes()[..json.len() - 20]);
    folder.put("lines.parquet", b"PAR1");
    std::fs::remove_file(folder.path("lines.csv.gz")).unwrap();
    let verified = verified(&folder);
    let own = |name: &str| verified.outputs.iter().find(|own| own.output == name).unwrap();
    assert_eq!((own("csv").missing, own("csv").foreign, own("csv").malformed), (1, 1, 1));
    assert!(own("gzip").is_gone && own("gzip").rows == 3);
    assert!(own("parquet").unreadable.is_some(), "{:?}", own("parquet"));
    // What lies behind the place that cannot be read is not known to be missing.
    assert!(own("json").unreadable.is_some() && own("json").missing == 0, "{:?}", own("json"));
    assert!(own("split").is_same() && own("book").is_same() && own("lite").is_same());
}

/// Lines that fill several blocks, with one that changed near their end: in a file, and in the data of a closed month.
#[test]
fn one_line_among_many_is_found() {
    let lines: Vec<Line> = (0..20_000)
        .map(|no| {
            let amount = format!("{}.{:02}", no % 977, no % 100);
            let word = format!("word {no}, which takes its place");
            (word, amount, "2025-01-15".to_owned(), "yes".to_owned())
        })
        .collect();
    let folder = folder(&lines, true);
    let settings = "[plan]\nkeep-runs = 2\nclosed = \"2025-01\"\nverify = true";
    // Of the outputs the lines as text will do.
    let outputs = OUTPUTS.split("[outputs.gzip]").next().unwrap();
    let plan = outputs.replace("KEY", "key = \"no\"\ndate = \"day\"");
    let plan = plan.replace("[plan]\nverify = true", settings);
    folder.put("interligo.toml", plan.as_bytes());
    folder.run_closed(OnClosed::Refuse).unwrap();
    let text = folder.content("lines.csv");
    assert!(text.len() > 1 << 20, "several blocks");
    let changed_text = text.replace("word 11990,", "word 11991,");
    folder.put("lines.csv", changed_text.as_bytes());
    let verified = verified(&folder);
    let own = &verified.outputs[0];
    assert_eq!((own.rows, own.cells, own.missing, own.foreign), (20_000, 1, 0, 0));
    let RowDifference::Cell { place, .. } = &own.differences[0].what else { panic!("{own:?}") };
    assert_eq!(place, "lines.csv:11992");
    let sales = folder.content("sales.csv");
    folder.put("sales.csv", sales.replacen("word 11990,", "word 11991,", 1).as_bytes());
    // What no figure is made of may change; an amount may not.
    folder.run_closed(OnClosed::Refuse).unwrap();
    let line = folder.content("sales.csv").lines().nth(11_991).unwrap().to_owned();
    let other = line.replace(",\"word 11991", ",\"word 11990").replace(".90,", ".91,");
    folder.put("sales.csv", folder.content("sales.csv").replacen(&line, &other, 1).as_bytes());
    let error = folder.run_closed(OnClosed::Refuse).err().unwrap();
    let changes = error.closed_changes().unwrap();
    assert_eq!((changes.new, changes.gone, changes.changed), (0, 0, 1));
    assert_eq!(changes.lines[0].key, "11990");
    let comparison = changes.comparison.as_ref().unwrap();
    assert_eq!(comparison.facts[0].lines, [20_000, 20_000]);
    assert_eq!(comparison.facts[0].figures[0].1.steps[0].lines, 1);
}

/// A table that runs add to has the rows of all of them, and each run answers for its own.
#[test]
fn rows_of_other_runs_are_none_of_this_one() {
    let folder = folder(&few(), true);
    let added = "to = \"lite.sqlite#lines\"\nwhen-there = \"append\"";
    let plan = OUTPUTS.replace("KEY", "key = \"no\"").replace("to = \"lite.sqlite#lines\"", added);
    folder.put("interligo.toml", plan.as_bytes());
    folder.put("sales.csv", b"no,word,amount,day,so\n100,A,1,2025-03-01,yes\n");
    folder.run_closed(OnClosed::Refuse).unwrap();
    let verified = verified(&folder);
    let own = verified.outputs.iter().find(|own| own.output == "lite").unwrap();
    assert!(own.is_same() && own.rows == 1, "{own:?}");
}

#[test]
fn columns_that_are_missing_or_added_are_named() {
    let folder = folder(&few(), true);
    let text = folder.content("lines.csv");
    folder.put("lines.csv", text.replacen("word,amount", "word,sum", 1).as_bytes());
    let verified = verified(&folder);
    let own = &verified.outputs[0];
    assert_eq!(
        (&own.lost_columns[..], &own.new_columns[..]),
        (&["amount".to_owned()][..], &["sum".to_owned()][..])
    );
    assert!(!verified.is_same());
}

#[test]
fn a_file_of_a_value_that_is_gone_lacks_its_rows() {
    let folder = folder(&few(), true);
    std::fs::remove_file(folder.path("split/yes.csv")).unwrap();
    let verified = verified(&folder);
    let own = verified.outputs.iter().find(|own| own.output == "split").unwrap();
    assert_eq!((own.missing, own.foreign, own.cells), (2, 0, 0));
}

#[test]
fn a_copy_that_is_gone_or_damaged_is_told_with_what_to_do() {
    let folder = folder(&few(), true);
    let error = |folder: &Folder| {
        let error = folder.project().verify(&[], 10, &|_, _| {}).unwrap_err();
        (error.code(), error.help().map(str::to_owned))
    };
    let help = "run again with `interligo run --verify`: it keeps new copies";
    folder.put(".interligo/interligo/copies/0.csv.zst", b"");
    assert_eq!(error(&folder), ("record.damaged", Some(help.to_owned())));
    folder.put(".interligo/interligo/copies/copies.json", b"{");
    assert_eq!(error(&folder), ("record.damaged", Some(help.to_owned())));
}

/// Copies are those of the last run: one that keeps none leaves none of an earlier one.
#[test]
fn a_run_without_copies_leaves_none() {
    let folder = folder(&few(), true);
    folder
        .put("interligo.toml", OUTPUTS.replace("KEY", "").replace("verify = true", "").as_bytes());
    folder.run_closed(OnClosed::Refuse).unwrap();
    let error = folder.project().verify(&[], 10, &|_, _| {}).unwrap_err();
    assert_eq!(error.to_string(), "the last run kept no copies of what its outputs said");
    assert!(!folder.has(".interligo/interligo/copies/0.csv.zst"));
}
