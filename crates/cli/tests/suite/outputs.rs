//! Every form of output, read back: the same values and types; and what a form cannot hold.

use std::collections::BTreeMap;

use proptest::prelude::*;

use crate::support::Folder;

/// A plan that writes lines of the table below in a form.
fn plan(to: &str, more: &str) -> String {
    format!(
        "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.jsonl\"\n{COLUMNS}\n[figures]\n\
         half = \"amount / 3\"\n\n[outputs.lines]\nto = \"{to}\"\n{more}\n"
    )
}

const COLUMNS: &str = "
[tables.sales.columns]
text   = { type = \"text\" }
amount = { type = \"number\" }
wide   = { type = \"number\" }
day    = { type = \"date\" }
sure   = { type = \"yes-no\" }
";

/// A plan that reads what was written, and writes it as JSON lines.
fn reading(from: &str, more: &str) -> String {
    format!(
        "[tables.sales]\nrole = \"fact\"\nfrom = \"{from}\"\n{more}\n{COLUMNS}half = {{ type = \"number\" }}\n\n\
         [outputs.lines]\nto = \"back.jsonl\"\n"
    )
}

/// All forms that are read as well, with what the plan says when it writes them, and when it reads them.
const FORMS: [(&str, &str, &str); 11] = [
    ("out.csv", "", ""),
    ("out.tsv", "", "separator = \"tab\""),
    ("out.csv.gz", "", ""),
    ("out.csv.zst", "", ""),
    ("out.jsonl.gz", "", ""),
    (
        "out.txt.csv",
        "write = { separator = \";\", numbers = \"1.234,56\", dates = \"31.12.2025\", line-end = \"crlf\" }",
        "separator = \";\"\nnumbers = \"1.234,56\"\ndates = \"31.12.2025\"",
    ),
    ("out.parquet", "", ""),
    ("out.arrow", "", ""),
    ("out.sqlite#lines", "", ""),
    ("book.xlsx#Lines", "", ""),
    ("out.jsonl", "", ""),
];

/// Of each line its members as they are written, but numbers without zeros at their end.
fn values(json: &str) -> Vec<Vec<(String, String)>> {
    let plain = |value: &str| match value.contains('.') && !value.starts_with('"') {
        true => value.trim_end_matches('0').trim_end_matches('.').to_owned(),
        false => value.to_owned(),
    };
    let line = |line: &str| -> Vec<(String, String)> {
        // Digits beyond those of a double count as well.
        let object: BTreeMap<String, &serde_json::value::RawValue> =
            serde_json::from_str(line).unwrap();
        object.iter().map(|(name, value)| (name.clone(), plain(value.get()))).collect()
    };
    json.lines().map(line).collect()
}

/// A cell of a workbook and of SQLite holds 15 digits; longer numbers are texts there, and quotients are rounded.
fn shortened(rows: Vec<Vec<(String, String)>>) -> Vec<Vec<(String, String)>> {
    let short = |(name, value): (String, String)| match name.as_str() {
        "half" => (name, value.chars().take(12).collect()),
        _ => (name, value.replace('"', "")),
    };
    rows.into_iter().map(|row| row.into_iter().map(short).collect()).collect()
}

/// A line with values of all types, some of them unknown.
fn row() -> impl Strategy<Value = String> {
    let text = prop_oneof![
        4 => "[a-zäč,;'\"|\\t=+@ -]{1,12}",
        1 => "[0-9]{1,4}",
        1 => Just(String::new()),
    ];
    let number = prop_oneof![
        3 => (-99_999_i64..99_999, 0_u32..4).prop_map(|(n, places)| decimal(n, places)),
        1 => Just("null".to_owned()),
    ];
    let wide = "-?[1-9][0-9]{0,20}\\.[0-9]{1,6}";
    let day = (1_i64..3_000_i64).prop_map(|days| {
        let (year, rest) = (1950 + days / 336, days % 336);
        format!("\"{year:04}-{:02}-{:02}\"", rest / 28 + 1, rest % 28 + 1)
    });
    let day = prop_oneof![4 => day, 1 => Just("null".to_owned())];
    let sure = prop_oneof![Just("true"), Just("false"), Just("null")];
    (text, number, wide, day, sure).prop_map(|(text, amount, wide, day, sure)| {
        let text = serde_json::Value::String(format!("x{text}"));
        format!(
            "{{\"text\":{text},\"amount\":{amount},\"wide\":\"{wide}\",\"day\":{day},\"sure\":{sure}}}\n"
        )
    })
}

fn decimal(mantissa: i64, places: u32) -> String {
    match places {
        0 => mantissa.to_string(),
        places => {
            let one = 10_i64.pow(places);
            let sign = if mantissa < 0 { "-" } else { "" };
            let (whole, part) = (mantissa.abs() / one, mantissa.abs() % one);
            format!("{sign}{whole}.{part:0width$}", width = places as usize)
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, max_shrink_iters: 40, ..ProptestConfig::default() })]

    #[test]
    fn prop_what_is_written_in_any_form_reads_back(rows in proptest::collection::vec(row(), 1..30)) {
        let lines: String = rows.concat();
        let mut folder = Folder::with(&[("sales.jsonl", &lines)]);
        folder.put("interligo.toml", plan("plain.jsonl", "").as_bytes());
        let mut came = folder.run(&["run"]);
        let plain = values(&came.take_file("plain.jsonl"));
        prop_assert_eq!(plain.len(), rows.len());
        for (to, write, read) in FORMS {
            folder.put("interligo.toml", plan(to, write).as_bytes());
            let written = folder.run(&["run"]);
            prop_assert_eq!(written.exit_status(), 0, "{} {}", to, written.said());
            folder.put("interligo.toml", reading(to, read).as_bytes());
            let mut came = folder.run(&["run"]);
            prop_assert_eq!(came.exit_status(), 0, "{} {}", to, came.said());
            let back = values(&came.take_file("back.jsonl"));
            match to {
                "out.sqlite#lines" | "book.xlsx#Lines" => {
                    prop_assert_eq!(shortened(back), shortened(plain.clone()), "{}", to);
                }
                _ => prop_assert_eq!(&back, &plain, "{}", to),
            }
        }
    }
}

#[test]
fn a_quote_within_a_field_is_written_so_that_it_is_read_again() {
    let plan = "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n\n[outputs.x]\nto = \"x.csv\"\n\
                [outputs.y]\nto = \"y.csv\"\ncolumns = [\"size\", \"no\"]\n";
    let lines = "no,size,note\n1,5\" nail,a\n2,\"b\"c,\"d, e\"\n3,f,g\n";
    let folder = Folder::with(&[("interligo.toml", plan), ("s.csv", lines)]);
    let came = folder.run(&["run"]).any_stdout();
    let own = "no,size,note\n1,\"5\"\" nail\",a\n2,\"\"\"b\"\"c\",\"d, e\"\n3,f,g\n";
    came.file("x.csv", own)
        .file("y.csv", "size,no\n\"5\"\" nail\",1\n\"\"\"b\"\"c\",2\nf,3\n")
        .nothing_else();
}
