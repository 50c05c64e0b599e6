//! The same table in every format reads the same.

use proptest::prelude::*;

use crate::formats::{Format, Sheet, Value};
use crate::server::Server;
use crate::support::Folder;

const HEADINGS: [&str; 6] = ["order_no", "sold_on", "item", "quantity", "price", "note"];

/// Lines of sales: codes with zeros in front and signs of their own, blanks, amounts.
fn sales() -> impl Strategy<Value = Sheet> {
    let line = (
        "[0-9]{3,6}",
        prop::option::weighted(0.9, 18_000i32..20_500),
        prop::sample::select(vec!["007", "7", "A-1", "é, \"q\"", "12"]),
        prop::option::weighted(0.9, -50i64..500),
        prop::option::weighted(0.9, -99_999i64..9_999_999),
        "[a-cñ ,\"';&<]{0,6}",
    );
    let row = line.prop_map(|(order, day, item, quantity, price, note)| {
        vec![
            Value::Text(order),
            Value::Day(day),
            Value::Text(item.to_owned()),
            Value::Count(quantity),
            Value::Amount(price),
            // Spaces around a text say nothing, and not every format keeps them.
            Value::Text(note.trim().to_owned()),
        ]
    });
    prop::collection::vec(row, 1..25).prop_map(|rows| Sheet { headings: HEADINGS.to_vec(), rows })
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
    Sheet { headings: vec!["code", "name", "cost"], rows }
}

fn plan(format: Format) -> String {
    let (sales, items) = (format.from("sales_lines"), format.from("item_list"));
    format!(
        "[tables.sales]\nrole = \"fact\"\nfrom = '{sales}'\n\
         columns = {{ sold_on = {{ type = \"date\" }}, quantity = {{ type = \"integer\" }}, price = {{ type = \"number\" }} }}\n\
         [tables.items]\nfrom = '{items}'\nkey = \"code\"\n\
         [[link]]\npath = \"sales.item -> items.code\"\n\
         [figures]\nrevenue = \"quantity * price\"\nprofit = \"revenue - quantity * items.cost\"\n\
         [outputs.lines]\nto = \"lines.csv\"\n\
         columns = [\"order_no\", \"item\", \"note\", \"sold_on\", \"quantity * 1\", \"price * 1\", \"items.name\", \"revenue\", \"profit\"]\n\
         [outputs.sums]\nto = \"sums.csv\"\nby = [\"items.name\", \"year(sold_on)\"]\n"
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
fn outputs(format: Format, sales: &Sheet, server: Option<&Server>) -> (String, String) {
    let folder = Folder::with(&[("interligo.toml", &plan(format))]);
    sales.write(format, folder.path(), "sales_lines", server);
    items().write(format, folder.path(), "item_list", server);
    let mut command = folder.command(&["run"]);
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
        let text = outputs(Format::Csv, &sales, None);
        prop_assert_eq!(text.0.lines().count(), sales.rows.len() + 1);
        for format in Format::ALL {
            if format != Format::Postgres || server.is_some() {
                prop_assert_eq!(&outputs(format, &sales, server), &text, "{:?}", format);
            }
        }
    }
}
