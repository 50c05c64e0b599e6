//! Links of every kind, on files as they come.

use crate::support::Folder;

/// The lines of an output called `lines.csv`, of a plan with these tables and links.
fn lines(plan: &str, files: &[(&str, &str)]) -> String {
    let mut all = vec![("interligo.toml", plan)];
    all.extend(files);
    let mut came = Folder::with(&all).run(&["run"]);
    assert_eq!(came.said(), "");
    let lines = came.take_file("lines.csv");
    came.any_stdout().nothing_else();
    lines
}

#[test]
fn one_lookup_serves_in_two_roles() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.places]
from = "places.csv"
key = "code"
[[link]]
path = "sales.ship_to -> places.code"
as = "ship"
missing = "fill"
fill = { name = "(nowhere)" }
[[link]]
path = "sales.bill_to -> places.code"
as = "bill"
missing = "fill"
fill = { name = "(nobody)" }
[outputs.lines]
to = "lines.csv"
columns = ["no", "ship.name", "bill.name"]
"#;
    let files = [
        ("sales.csv", "no,ship_to,bill_to\n1,P,Q\n2,Q,X\n3,,P\n"),
        ("places.csv", "code,name\nP,Port\nQ,Quay\n"),
    ];
    assert_eq!(
        lines(plan, &files),
        "no,ship.name,bill.name\n1,Port,Quay\n2,Quay,(nobody)\n3,(nowhere),Port\n"
    );
}

#[test]
fn headings_of_any_kind_stand_in_quotes() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables."price list"]
from = "prices.csv"
key = "Art.-Nr"
[[link]]
path = 'sales."Art.-Nr" -> "price list"."Art.-Nr"'
[figures]
"net amount" = '"Menge (kg)" * "price list"."if"'
[outputs.lines]
to = "lines.csv"
columns = ["Größe", '"net amount"', '"price list"."if"', "column_4"]
"#;
    let files = [
        (
            "sales.csv",
            "\u{feff}Art.-Nr,Menge (kg),Gr\u{f6}\u{df}e,\r\n\"0,1\",2.5,\"say \"\"XL\"\"\",z\r\n",
        ),
        ("prices.csv", "Art.-Nr,if\n\"0,1\",4\n"),
    ];
    assert_eq!(
        lines(plan, &files),
        "Größe,\"\"\"net amount\"\"\",\"\"\"price list\"\".\"\"if\"\"\",column_4\n\"say \"\"XL\"\"\",10.0,4,z\n"
    );
}

#[test]
fn a_price_list_may_lie_in_a_file_a_year() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.prices]
from = ["lists/{year}.csv", "lists/*.csv"]
key = "sku"
valid = { from = "since", until = "until" }
[[link]]
path = "sales.item -> prices.sku as of day"
[outputs.lines]
to = "lines.csv"
columns = ["*", "prices.price", "prices.year"]
"#;
    let files = [
        (
            "sales.csv",
            "item,day\nA,2023-12-31\nA,2024-01-01\nA,2024-12-31\nA,2025-01-01\nA,2026-01-01\nA,\n",
        ),
        ("lists/2024.csv", "sku,since,until,price\nA,2024-01-01,2024-12-31,1.5\n"),
        ("lists/2025.csv", "price,sku,until,since,remark\n1.75,A,2025-12-31,2025-01-01,up\n"),
    ];
    assert_eq!(
        lines(plan, &files),
        "item,day,prices.price,prices.year\n\
         A,2023-12-31,,\nA,2024-01-01,1.5,2024\nA,2024-12-31,1.5,2024\nA,2025-01-01,1.75,2025\nA,2026-01-01,,\nA,,,\n"
    );
}

#[test]
fn codes_keep_their_zeros_and_a_column_may_be_key_and_number_at_once() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.products]
from = "products.csv"
key = "code"
[[link]]
path = "sales.code -> products.code"
[figures]
twice = "code * 2"
[outputs.lines]
to = "lines.csv"
columns = ["code", "products.name", "products.code", "twice"]
"#;
    let files = [
        ("sales.csv", "code\n007\n7\n07\n8.0\n"),
        ("products.csv", "code,name\n007,Seven with zeros\n7,Seven\n8,Eight\n"),
    ];
    assert_eq!(
        lines(plan, &files),
        "code,products.name,products.code,twice\n007,Seven with zeros,007,14.0\n7,Seven,7,14.0\n07,,,14.0\n8.0,,,16.0\n"
    );
}

#[test]
fn a_key_that_fits_several_is_left_undecided() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.products]
from = "products.csv"
key = "code"
[[link]]
path = "sales.code -> products.code"
ignore = ["punctuation", "case"]
missing = "set-aside"
[outputs.lines]
to = "lines.csv"
columns = ["code", "products.name"]
"#;
    let files = [
        ("sales.csv", "code\na-1\na.1\nA1\nb/2\n"),
        ("products.csv", "code,name\nA-1,dash\nA.1,dot\nB-2,b\n"),
    ];
    // Several rows fit: that is not missing, and no rule for missing rows reaches it.
    assert_eq!(lines(plan, &files), "code,products.name\na-1,\na.1,\nA1,\nb/2,b\n");
}

#[test]
fn an_output_of_totals_may_have_a_condition_and_the_tie_out_knows() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[outputs.large]
to = "large.csv"
by = ["kind"]
show = ["lines", "amount"]
where = "amount > 10"
"#;
    let files =
        [("interligo.toml", plan), ("sales.csv", "kind,amount\na,10\na,11\nb,12.50\nb,\nc,1\n")];
    let came = Folder::with(&files).run(&["run"]);
    assert!(
        came.printed().contains("large.csv (3 lines do not meet its condition)"),
        "{}",
        came.printed()
    );
    came.any_stdout().file("large.csv", "kind,lines,amount\na,1,11.00\nb,1,12.50\n").nothing_else();
}
