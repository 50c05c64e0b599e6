//! `check`: the keys that find nothing, the keys that come twice, and what each costs.

use crate::support::{PRODUCTS, shop, shop_but};

#[test]
fn all_is_well_and_is_said_so() {
    let mut folder = shop("");
    folder.put("sales.csv", b"no,day,item,quantity\n1,2025-01-10,A,2\n");
    let came = folder.run(&["check"]);
    assert!(came.printed().contains("Every key finds its row as it is written."));
    came.any_stdout().nothing_else();
}

#[test]
fn keys_and_rows_are_listed_with_what_they_cost() {
    let mut folder = shop_but(
        "key  = \"sku\"\n\n[tables.prices]",
        "key  = \"sku\"\nduplicates = \"last\"\n\n[tables.prices]",
        "",
    );
    folder.put(
        "products.csv",
        format!("{PRODUCTS}A,\"Jar, small\",0.4\nB ,Smoker,13\n,Nothing,1\nD,Dish,cheap\n")
            .as_bytes(),
    );
    folder.put("prices.csv", b"sku,from,until,price\nA,2025-01-01,,1\nB,2025-02-30,,2\nB,2025-03-01,2025-02-01,3\nD,2025-01-01,,4\n");
    folder.put(
        "sales.csv",
        b"no,day,item,quantity\n1,2025-01-10, A,2\n2,2024-12-31,A,3\n3,2025-01-01,Z,1.5\n4,2025-01-02,Z,x\n5,2025-01-03,,4\n6,soon,A,1\n",
    );
    insta::assert_snapshot!("check_table", folder.run(&["check"]).as_text());
    insta::assert_snapshot!("check_csv", folder.run(&["check", "--format", "csv"]).as_text());
    insta::assert_snapshot!("check_json", folder.run(&["check", "--format", "json"]).as_text());
}

#[test]
fn what_would_stop_a_run_ends_the_check_with_status_one() {
    let mut folder = shop("");
    folder.put("products.csv", format!("{PRODUCTS}A,Jar,0.40\n").as_bytes());
    let came = folder.run(&["check"]);
    assert!(came.printed().contains("differ in name: stops a run"), "{}", came.printed());
    came.status(1)
        .any_stdout()
        .stderr(
            "A run would stop: `products` has several rows for the key `A`, which differ in `name`: one line would become 2\n  \
             help: correct the rows, or add `duplicates = \"first\"` or \"last\" to [tables.products], or add `valid` if its rows \
             hold for periods; `interligo check` lists them all\n",
        )
        .nothing_else();
}

#[test]
fn periods_that_overlap_stop_a_run_where_a_line_meets_them() {
    let mut folder = shop("");
    let overlapping =
        "sku,from,until,price\nA,2025-01-01,2025-02-15,1\nA,2025-02-01,,2\nB,2025-01-01,,20\n";
    folder.put("prices.csv", overlapping.as_bytes());
    let came = folder.run(&["run"]);
    came.status(1)
        .stderr(
            "error: 1 line on a day on which several rows hold in `prices`\n  \
             sales.csv:3 `A`\n  \
             help: correct the periods so that they do not overlap; `interligo check` lists them all\n\
             Nothing was written.\n",
        )
        .nothing_else();
    // No line lies in the overlap: no harm done.
    folder.put("sales.csv", b"no,day,item,quantity\n1,2025-01-10,A,2\n");
    folder.run(&["run"]).any_stdout().nothing_else();
}

#[test]
fn a_link_may_stop_the_run_and_nothing_is_written_then() {
    let outputs = "[outputs.lines]\nto = \"out/lines.csv\"\n";
    let folder = shop_but(
        "path = \"sales.item -> products.sku\"",
        "path = \"sales.item -> products.sku\"\nmissing = \"stop\"",
        outputs,
    );
    folder
        .run(&["run"])
        .status(1)
        .stderr(
            "error: 1 line with a key that is not in `products`\n  \
             sales.csv:6 `X`\n  \
             help: correct the keys, complete the lookup, or change `missing` of the link; `interligo check` lists them all\n\
             Nothing was written.\n",
        )
        .nothing_else();
}
