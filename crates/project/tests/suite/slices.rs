//! A run in slices against a single one: whatever is in the files and wherever they are cut, all that is written and all that
//! is proved is the same.

use std::collections::BTreeMap;

use interligo_project::Slices;
use proptest::prelude::*;

use crate::support::Folder;

/// What a row is like.
#[derive(Clone, Debug)]
pub(crate) enum Row {
    /// An order, an item, a note, a day of January and an amount in cents.
    Line(u32, String, Note, u32, i64),
    /// The separators alone.
    Blank,
    /// An amount alone, as a total has it.
    AmountAlone(i64),
}

/// What a note has in it.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Note {
    Plain,
    /// A quote that opens nothing.
    Inches,
    /// Line ends and quotes in quotes.
    Quoted,
    /// Nothing but a quoted line end, so that a row seems to begin in it.
    LikeARow,
}

impl Note {
    fn text(self) -> &'static str {
        match self {
            Note::Plain => "wax",
            Note::Inches => "5\" nail",
            Note::Quoted => "\"said \"\"yes\"\"\nand more\"",
            Note::LikeARow => "\"\n7,A,b,2025-01-05,1.00\"",
        }
    }
}

pub(crate) fn row() -> impl Strategy<Value = Row> {
    let notes = vec![Note::Plain, Note::Plain, Note::Inches, Note::Quoted, Note::LikeARow];
    let note = prop::sample::select(notes);
    let line = (0u32..4_000, "[A-D]", note, 1u32..28, 0i64..99_999)
        .prop_map(|(no, item, note, day, cents)| Row::Line(no, item, note, day, cents));
    prop_oneof![12 => line, 1 => Just(Row::Blank), 2 => (1i64..9_999).prop_map(Row::AmountAlone)]
}

/// A file of these rows, with a title above and a total as its last row.
pub(crate) fn file(rows: &[Row], title: bool, total: bool) -> String {
    let mut text = if title { "Sales;;\n".replace(';', ",") } else { String::new() };
    text += "no,item,note,day,amount\n";
    let mut sum = 0;
    for row in rows {
        match row {
            Row::Line(no, item, note, day, cents) => {
                sum += cents;
                let (note, whole, rest) = (note.text(), cents / 100, cents % 100);
                text += &format!("{no},{item},{note},2025-01-{day:02},{whole}.{rest:02}\n");
            }
            Row::Blank => text += ",,,,\n",
            Row::AmountAlone(cents) => {
                sum += cents;
                text += &format!(",,,,{}.{:02}\n", cents / 100, cents % 100);
            }
        }
    }
    if total {
        text += &format!("Total,,,,{}.{:02}\n", sum / 100, sum % 100);
    }
    text
}

pub(crate) fn plan(key: &str) -> String {
    format!(
        "[tables.s]\nrole = 'fact'\nfrom = 's*.csv'\n{key}\ncolumns = {{ no = {{ type = 'text' }} }}\n\
         [tables.p]\nfrom = 'p.csv'\nkey = 'item'\nvalid = {{ from = 'since' }}\n\
         [[link]]\npath = 's.item -> p.item as of day'\nmissing = 'set-aside'\n\
         [figures]\nx = 'amount * p.factor'\n\
         [outputs.lines]\nto = 'lines.csv'\n[outputs.objects]\nto = 'lines.jsonl'\ncolumns = ['*', 'x']\n\
         [outputs.by_item]\nto = 'by_{{item}}.csv'\n\
         [outputs.totals]\nto = 'totals.csv'\nby = ['item', 'week(day)']\n\
         show = ['lines', 'x', 'avg(x)', 'median(x)', 'min(day)', 'max(note)', 'count(distinct no)']\n\
         [outputs.earlier]\nto = 'earlier.csv'\nby = ['item', 'month(day)']\n\
         show = ['x', 'month_to_date(x)', 'running(x)', 'year_before(x)', 'share(x)']\n\
         [outputs.findings]\nto = 'findings.csv'\nlist = 'findings'\n\
         [outputs.aside]\nto = 'aside.csv'\nlist = 'set-aside'\n\
         [outputs.repeats]\nto = 'repeats.csv'\nlist = 'repeats'\n"
    )
}

pub(crate) const PRICES: &str =
    "item,since,factor\nA,2025-01-01,2\nA,2025-01-10,3\nB,2025-01-04,0.5\nC,2025-01-01,\n";

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn prop_slices_come_to_what_a_single_run_comes_to(
        files in prop::collection::vec((prop::collection::vec(row(), 1..30), 1usize..30, any::<[bool; 2]>()), 1..4),
        slices in 1usize..17, block in 1usize..3_000,
        key in prop::sample::select(vec![
            "", "key = 'no'", "key = 'no'\nrepeats = 'first'", "key = 'no'\nrepeats = 'last'", "key = 'no'\nrepeats = 'newest day'",
            "key = 'no'\nrepeats = 'keep'", "key = ['no', 'item', 'note', 'day', 'amount']",
        ]),
    ) {
        let plan = plan(key);
        let folder = Folder::with(&[("interligo.toml", &plan), ("p.csv", PRICES)]);
        for (number, (rows, copies, [title, total])) in files.iter().enumerate() {
            let rows: Vec<Row> = rows.iter().cycle().take(rows.len() * copies).cloned().collect();
            folder.put(&format!("s{number}.csv"), file(&rows, *title, *total).as_bytes());
        }
        let (single, joined) = (folder.run(), folder.run_in_slices(slices, block));
        prop_assert_eq!(single.all_but_blocks(), joined.all_but_blocks());
    }
}

/// Puts files of lines by slice together again: those of text with one head, those of JSON as they are.
fn put_together(files: &mut BTreeMap<String, String>) {
    for ending in [".csv", ".jsonl"] {
        let is_own = |path: &str| path.starts_with("lines/slice-") && path.ends_with(ending);
        let (own, others): (BTreeMap<_, _>, BTreeMap<_, _>) =
            std::mem::take(files).into_iter().partition(|(path, _)| is_own(path));
        *files = others;
        let mut all = String::new();
        for text in own.values() {
            let is_first = all.is_empty() || ending == ".jsonl";
            all += if is_first { text } else { text.split_once('\n').unwrap().1 };
        }
        files.insert(format!("lines{ending}"), all);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(20))]

    #[test]
    fn prop_lines_in_files_by_slice_are_those_of_a_single_run(
        rows in prop::collection::vec(row(), 1..30), copies in 1usize..60, slices in 1usize..12, block in 1usize..3_000,
    ) {
        let folder = Folder::with(&[("interligo.toml", &plan("key = 'no'")), ("p.csv", PRICES)]);
        let rows: Vec<Row> = rows.iter().cycle().take(rows.len() * copies).cloned().collect();
        folder.put("s0.csv", file(&rows, true, true).as_bytes());
        let single = folder.run();
        let mut joined = folder.run_divided(Slices { slices, lines_by_slice: true }, block);
        if joined.result.is_ok() {
            let by_slice = joined.files.keys().filter(|path| path.starts_with("lines/")).count();
            prop_assert_eq!(by_slice, 2 * slices);
            put_together(&mut joined.files);
        }
        prop_assert_eq!(single.files, joined.files);
    }
}

#[test]
fn a_file_that_is_read_whole_is_in_one_slice() {
    let rows: Vec<Row> =
        (0..900).map(|n| Row::Line(n, "A".to_owned(), Note::Quoted, 1 + n % 27, 100)).collect();
    let text = file(&rows, true, true);
    let folder = Folder::with(&[("interligo.toml", &plan("key = 'no'")), ("p.csv", PRICES)]);
    folder.put("s1.csv", &zstd::encode_all(text.as_bytes(), 1).unwrap());
    folder.put("s2.csv", text.replace(",A,", ",B,").replace('\n', "\r\n").as_bytes());
    folder.put("s3.csv", &[b"\xEF\xBB\xBF", text.as_bytes()].concat());
    let (single, joined) = (folder.run(), folder.run_in_slices(5, 2_000));
    assert_eq!(single.all_but_blocks(), joined.all_but_blocks());
}
