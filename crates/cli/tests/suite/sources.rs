//! The same table in every format reads the same.

use proptest::prelude::*;

use crate::formats::{Format, Sheet, Value};
use crate::server::Server;
use crate::support::Folder;

const COLUMN_NAMES: [&str; 8] =
    ["order_no", "sold_on", "item", "quantity", "price", "note", "weight", "at"];

/// Lines of sales: codes with zeros in front and characters of their own, blanks, amounts.
fn sales() -> impl Strategy<Value = Sheet> {
    let line = (
        "[0-9]{3,6}",
        prop::option::weighted(0.9, 18_000i32..20_500),
        prop::sample::select(vec!["007", "7", "A-1", "é, \"q\"", "12"]),
        prop::option::weighted(0.9, -50i64..500),
        prop::option::weighted(0.9, -99_999i64..9_999_999),
        "[a-cñ ,\"';&<]{0,6}",
        prop::option::weighted(0.9, (-999_999_999_999_999i64..1_000_000_000_000_000, 0u32..14)),
        prop::option::weighted(0.9, 1_600_000_000i64..1_900_000_000),
    );
    let row = line.prop_map(|(order, day, item, quantity, price, note, weight, at)| {
        let weight = weight.map(|(digits, places)| format!("{digits}e-{places}").parse().unwrap());
        vec![
            Value::Text(order),
            Value::Day(day),
            Value::Text(item.to_owned()),
            Value::Count(quantity),
            Value::Amount(price),
            // Spaces around a text say nothing, and not every format keeps them.
            Value::Text(note.trim().to_owned()),
            Value::Real(weight),
            Value::Moment(at),
        ]
    });
    prop::collection::vec(row, 1..25)
        .prop_map(|rows| Sheet { column_names: COLUMN_NAMES.to_vec(), rows })
}

fn items() -> Sheet {
    let item = |code: &str, name: &str, cost| {
        vec![Value::Text(code.to_owned()), Value::Text(name.to_owned()), Value::Amount(Some(cost))]
    };
    let rows = vec![
        item("007", "Seven with zeros", 150),
        item("7", "Seven", 25),
        item("é, \"q\"", "Quoted", 1),
        item("12", "Dozen", 1200),
    ];
    Sheet { column_names: vec!["code", "name", "cost"], rows }
}

fn plan(format: Format, [sales, items]: [&str; 2]) -> String {
    let (sales, items) = (format.from(sales), format.from(items));
    format!(
        "[tables.sales]\nrole = \"fact\"\nfrom = '{sales}'\ntotal-rows = \"keep\"\n\
         columns = {{ sold_on = {{ type = \"date\" }}, quantity = {{ type = \"integer\" }}, price = {{ type = \"number\" }}, weight = {{ type = \"number\" }}, at = {{ type = \"date\" }} }}\n\
         [tables.items]\nfrom = '{items}'\nkey = \"code\"\n\
         [[link]]\npath = \"sales.item -> items.code\"\n\
         [figures]\nrevenue = \"quantity * price\"\nprofit = \"revenue - quantity * items.cost\"\nheavy = \"weight * quantity\"\n\
         [outputs.lines]\nto = \"lines.csv\"\n\
         columns = [\"order_no\", \"item\", \"note\", \"sold_on\", \"quantity * 1\", \"price * 1\", \"items.name\", \"revenue\", \"profit\", \"weight * 1\", \"day(at)\", \"month(at)\"]\n\
         [outputs.sums]\nto = \"sums.csv\"\nby = [\"items.name > year(sold_on) > quarter(at)\"]\n"
    )
}

/// Numbers without the zeros at their end, which formats keep or not.
fn trimmed(text: &str) -> String {
    let cell = |cell: &str| match cell.split_once('.') {
        Some((whole, places)) if places.bytes().all(|b| b.is_ascii_digit()) => {
            let places = places.trim_end_matches('0');
            if places.is_empty() { whole.to_owned() } else { format!("{whole}.{places}") }
        }
        _ => cell.to_owned(),
    };
    let line = |line: &str| line.split(',').map(cell).collect::<Vec<_>>().join(",");
    text.lines().map(line).collect::<Vec<_>>().join("\n")
}

/// What a plan makes of a table in a format.
fn outputs(
    format: Format,
    sales: &Sheet,
    server: Option<&Server>,
    options: &[&str],
) -> (String, String) {
    // On a server, tests have tables of their own.
    let tables = if options.is_empty() { ["lines_a", "items_a"] } else { ["lines_b", "items_b"] };
    let folder = Folder::with(&[("interligo.toml", &plan(format, tables))]);
    sales.write(format, folder.path(), tables[0], server);
    items().write(format, folder.path(), tables[1], server);
    let mut command = folder.command(&[&["run"], options].concat());
    if let Some(server) = server {
        command.envs(server.environment());
    }
    let output = command.output().unwrap();
    assert!(output.status.success(), "{format:?}: {}", String::from_utf8_lossy(&output.stderr));
    let file = |name| trimmed(&std::fs::read_to_string(folder.path().join(name)).unwrap());
    (file("lines.csv"), file("sums.csv"))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]

    #[test]
    fn prop_a_table_reads_the_same_from_every_format(sales in sales()) {
        let server = Server::get();
        let text = outputs(Format::Csv, &sales, None, &[]);
        prop_assert_eq!(text.0.lines().count(), sales.rows.len() + 1);
        for format in Format::ALL {
            if format != Format::Postgres || server.is_some() {
                prop_assert_eq!(&outputs(format, &sales, server, &[]), &text, "{:?}", format);
            }
        }
    }
}

/// Rows that fill several blocks, with blank cells here and there.
#[test]
fn one_core_and_small_blocks_change_nothing_in_any_format() {
    let row = |number: i64| {
        vec![
            Value::Text(format!("{number:06}")),
            Value::Day((number % 13 != 0).then_some(20_000 + number as i32 % 400)),
            Value::Text(["007", "7", "A-1", "12"][number as usize % 4].to_owned()),
            Value::Count((number % 17 != 0).then_some(number % 90)),
            Value::Amount((number % 19 != 0).then_some(number * 7)),
            Value::Text("n, \"o\"".repeat((number % 3) as usize)),
            Value::Real((number % 23 != 0).then_some(number as f64 / 8.0)),
            Value::Moment((number % 11 != 0).then_some(1_700_000_000 + number * 7919)),
        ]
    };
    // One row more than a block of a sheet ends with.
    let sales = Sheet { column_names: COLUMN_NAMES.to_vec(), rows: (1..=1793).map(row).collect() };
    let server = Server::get();
    let text = outputs(Format::Csv, &sales, None, &[]);
    assert_eq!(text.0.lines().count(), 1794);
    for format in Format::ALL {
        if format != Format::Postgres || server.is_some() {
            let slow = outputs(format, &sales, server, &["--threads", "1", "--block", "300"]);
            assert_eq!(slow, text, "{format:?}");
            let usual = outputs(format, &sales, server, &["--threads", "2"]);
            assert_eq!(usual, text, "{format:?}");
        }
    }
}

/// A plan for one file, and what it comes to.
fn one(from: &str, columns: &str, content: &[u8]) -> crate::support::Came {
    let plan = format!(
        "[tables.sales]\nrole = \"fact\"\nfrom = \"{from}\"\n[outputs.lines]\nto = \"lines.csv\"\ncolumns = [{columns}]\n"
    );
    let mut folder = Folder::with(&[("interligo.toml", &plan)]);
    folder.put(from, content);
    folder.run(&["run"])
}

#[test]
fn json_lines_are_objects_of_values() {
    let text = "{\"sku\": \"007\", \"qty\": 2, \"tags\": [1, 2], \"price\": 1.50}\n\n\
        {\"price\": 25e-1, \"sku\": \"a\\u00e9 \\\"b\\\"\", \"qty\": null}\r\n{\"sku\": \"C\", \"qty\": 1}";
    let mut came = one("s.jsonl", "\"*\", \"qty * price\"", text.as_bytes());
    let note = "s.jsonl: `tags` has lists or objects; not read";
    assert!(came.printed().contains(note), "{}{}", came.printed(), came.said());
    assert_eq!(
        came.take_file("lines.csv"),
        "sku,qty,price,qty * price\n007,2,1.5,3.0\n\"aé \"\"b\"\"\",,2.5,\nC,1,,\n"
    );
}

#[test]
fn a_line_that_is_no_such_object_is_named_with_its_place() {
    for (text, message) in [
        ("{\"a\": 1}\n[1, 2]\n", "s.jsonl:2 has `[1, 2]`, which is not an object"),
        ("{\"a\": 1}\n{\"a\": 1, \n", "s.jsonl:2 is no JSON in column"),
        (
            "{\"a\": 1}\n{\"a\": {\"b\": 1}}\n",
            "s.jsonl:2 has a list or object in `a`, where others have a value",
        ),
        ("{\"a\": 1, \"a\": 2}\n", "s.jsonl:1 has `a` twice"),
        ("", "`s.jsonl` is empty"),
    ] {
        let came = one("s.jsonl", "\"*\"", text.as_bytes()).status(3);
        assert!(came.said().starts_with(&format!("error: {message}")), "{}", came.said());
        assert!(came.said().contains("\n  fix: "), "{}", came.said());
    }
    // A member that comes late is not lost silently.
    let mut text =
        "{\"a\": 1, \"b\": \"a long text to fill the head of the file\"}\n".repeat(40_000);
    let late = text.lines().count() / 3;
    let at = text.match_indices('\n').nth(late).unwrap().0;
    text.insert_str(at + 1, "{\"a\": 1, \"late\": 2}\n");
    let came = one("s.jsonl", "\"*\"", text.as_bytes()).status(3);
    assert!(
        came.said().contains("has `late`, which the lines that were looked at have not"),
        "{}",
        came.said()
    );
}

#[test]
fn parquet_columns_that_hold_lists_are_named_and_not_read() {
    use arrow_array::{
        ArrayRef, Float64Array, Int32Array, ListArray, RecordBatch, types::Int32Type,
    };
    use std::sync::Arc;
    let lists = ListArray::from_iter_primitive::<Int32Type, _, _>([Some([Some(1)]), None]);
    let columns: [(&str, ArrayRef); 3] = [
        ("qty", Arc::new(Int32Array::from(vec![Some(3), None]))),
        ("tags", Arc::new(lists)),
        ("weight", Arc::new(Float64Array::from(vec![0.1 + 0.2, 2.0]))),
    ];
    let content = crate::formats::parquet_of(&RecordBatch::try_from_iter(columns).unwrap());
    let mut came = one("s.parquet", "\"*\", \"qty * weight\"", &content);
    let note = "s.parquet: `tags` holds lists; not read";
    assert!(came.printed().contains(note), "{}{}", came.printed(), came.said());
    assert_eq!(
        came.take_file("lines.csv"),
        "qty,weight,qty * weight\n3,0.30000000000000004,0.90000000000000012\n,2,\n"
    );
    let came = one("s.parquet", "\"tags\"", &content).status(2);
    assert!(came.said().contains("tags"), "{}", came.said());
    for damaged in [&content[..content.len() / 2], b"no parquet", b""] {
        let came = one("s.parquet", "\"*\"", damaged).status(3);
        assert!(
            came.said().starts_with("error: `s.parquet` cannot be read as Parquet"),
            "{}",
            came.said()
        );
    }
}
