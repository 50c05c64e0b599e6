//! `run`: what is written, to the last digit, and what the tie-out says.

use crate::support::{Folder, PLAN, SALES, shop, shop_but};

const LINES: &str = "\n[outputs.lines]\nto = \"out/lines.csv\"\n";

/// The calculation by hand:
/// 1: A in January, 2 × 1.00 = 2.00, cost 2 × 0.40 = 0.80, profit 1.20, margin 1.20 / 2.00 = 0.6
/// 2: A in February, 3 × 1.25 = 3.75, cost 1.20, profit 2.55, margin 2.55 / 3.75 = 0.68
/// 3: B in February, 1 × 20 = 20, cost 12.50, profit 7.50, margin 7.5 / 20 = 0.375
/// 4: B in March has no price; its cost is 4 × 12.5 = 50
/// 5: X is no product
#[test]
fn the_figures_are_those_computed_by_hand() {
    shop(LINES)
        .run(&["run"])
        .any_stdout()
        .file(
            "out/lines.csv",
            "no,day,item,quantity,revenue,cost,profit,margin\n\
             1,2025-01-10,A,2,2.00,0.80,1.20,0.6\n\
             2,2025-02-10,A,3,3.75,1.20,2.55,0.68\n\
             3,2025-02-11,B,1,20.00,12.50,7.50,0.375\n\
             4,2025-03-01,B,4,,50.00,,\n\
             5,2025-03-02,X,5,,,,\n",
        )
        .nothing_else();
}

#[test]
fn the_tie_out_closes_and_says_why_figures_are_blank() {
    insta::assert_snapshot!(shop(LINES).run(&["run", "--full"]).as_text());
}

#[test]
fn the_tie_out_is_there_for_other_programs_too() {
    insta::assert_snapshot!("tie_out_json", shop("").run(&["run", "--format", "json"]).as_text());
    insta::assert_snapshot!("tie_out_csv", shop("").run(&["run", "--format", "csv"]).as_text());
}

#[test]
fn columns_are_chosen_ordered_and_headed_as_the_plan_writes_them() {
    let output = r#"
[outputs.lines]
to = "lines.csv"
columns = ["products.name", "no", "*", "round(revenue, 1)", "if quantity > 2 then 'many' else 'few'", "month(day)", "prices.price"]
"#;
    shop(output)
        .run(&["run"])
        .any_stdout()
        .file(
            "lines.csv",
            "products.name,no,no,day,item,quantity,\"round(revenue, 1)\",if quantity > 2 then 'many' else 'few',month(day),prices.price\n\
             \"Jar, small\",1,1,2025-01-10,A,2,2.0,few,2025-01,1.00\n\
             \"Jar, small\",2,2,2025-02-10,A,3,3.8,many,2025-02,1.25\n\
             Smoker,3,3,2025-02-11,B,1,20.0,few,2025-02,20\n\
             Smoker,4,4,2025-03-01,B,4,,many,2025-03,\n\
             ,5,5,2025-03-02,X,5,,many,2025-03,\n",
        )
        .nothing_else();
}

#[test]
fn totals_leave_out_what_is_not_known_and_work_ratios_out_again() {
    let output = r#"
[outputs.by]
to = "by.csv"
by = ["products.name"]
show = ["lines", "quantity", "revenue", "profit", "margin"]
"#;
    // Of B only line 3 has a margin: 7.50 / 20. Over all: (1.20 + 2.55) / 5.75 for A.
    shop(output)
        .run(&["run"])
        .any_stdout()
        .file(
            "by.csv",
            "products.name,lines,quantity,revenue,profit,margin\n\
             \"Jar, small\",2,5,5.75,3.75,0.65217391304348\n\
             Smoker,2,5,20.00,7.50,0.375\n\
             ,1,5,,,\n",
        )
        .nothing_else();
}

#[test]
fn lines_are_set_aside_as_they_were_read_with_the_reason() {
    let mut folder = shop_but(
        "path = \"sales.item -> products.sku\"",
        "path = \"sales.item -> products.sku\"\nmissing = \"set-aside\"",
        LINES,
    );
    folder.put(
        "sales.csv",
        format!("{SALES}6,2025-01-01,A,1,extra \"x\"\n\n,,,\n7,2025-01-02,A,1\n").as_bytes(),
    );
    let came = folder.run(&["run", "--format", "csv"]);
    for row in [
        "lines,sales,read,9",
        "left out,blank,rows,2",
        "lines,sales,kept,5",
        "set aside,too few or too many fields,lines,1",
        "set aside,products unmatched,lines,1",
        "amounts,quantity,read,16",
        "amounts,quantity,kept,11",
        "amounts,quantity,set aside,5",
    ] {
        assert!(came.printed().contains(row), "{row} in {}", came.printed());
    }
    came.any_stdout()
        .file(
            "out/set-aside.csv",
            "reason,file,row,no,day,item,quantity,as_read\n\
             products unmatched,sales.csv,6,5,2025-03-02,X,5,\n\
             too few or too many fields,sales.csv,7,,,,,\"6,2025-01-01,A,1,extra \"\"x\"\"\"\n",
        )
        .file(
            "out/lines.csv",
            "no,day,item,quantity,revenue,cost,profit,margin\n\
             1,2025-01-10,A,2,2.00,0.80,1.20,0.6\n\
             2,2025-02-10,A,3,3.75,1.20,2.55,0.68\n\
             3,2025-02-11,B,1,20.00,12.50,7.50,0.375\n\
             4,2025-03-01,B,4,,50.00,,\n\
             7,2025-01-02,A,1,1.00,0.40,0.60,0.6\n",
        )
        .nothing_else();
}

#[test]
fn an_old_set_aside_file_does_not_outlive_its_run() {
    let mut folder = shop(LINES);
    folder.put("sales.csv", format!("{SALES}6,2025-01-01\n").as_bytes());
    let there = |folder: &Folder| folder.path().join("out/set-aside.csv").exists();
    folder.run(&["run"]).ended(0);
    assert!(there(&folder));
    folder.put("sales.csv", SALES.as_bytes());
    folder.run(&["run"]).ended(0);
    assert!(!there(&folder));
    // What no run of the plan wrote is somebody's.
    folder.put("out/set-aside.csv", b"reason\nof another program\n");
    folder.run(&["run"]).ended(0);
    assert!(there(&folder));
}

#[test]
fn missing_rows_are_filled_with_labels_also_along_a_chain() {
    let files = [
        (
            "interligo.toml",
            r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.products]
from = "products.csv"
key = "sku"
[tables.families]
from = "families.csv"
key = "code"
[[link]]
path = "sales.item -> products.sku"
ignore = ["case", "leading-zeros"]
missing = "fill"
fill = { name = "(new product)", cost = 1 }
[[link]]
path = "products.family -> families.code"
missing = "fill"
fill = { name = "(none)" }
[figures]
cost = "quantity * products.cost"
[outputs.lines]
to = "lines.csv"
columns = ["*", "products.name", "families.name", "cost"]
[outputs.totals]
to = "totals.csv"
by = ["families.name"]
show = ["lines", "cost"]
"#,
        ),
        ("sales.csv", "item,quantity\n a1 ,1\nB,2\nC,3\n,4\n007,5\n"),
        ("products.csv", "sku,name,family,cost\nA1,Anvil,F,10\nB,Bell,Q,20\n7,Seven,F,0.5\n"),
        ("families.csv", "code,name\nF,Ferrous\n"),
    ];
    Folder::with(&files)
        .run(&["run"])
        .any_stdout()
        .file(
            "lines.csv",
            "item,quantity,products.name,families.name,cost\n\
             \u{20}a1 ,1,Anvil,Ferrous,10.0\n\
             B,2,Bell,(none),40.0\n\
             C,3,(new product),(none),3.0\n\
             ,4,(new product),(none),4.0\n\
             007,5,Seven,Ferrous,2.5\n",
        )
        .file("totals.csv", "families.name,lines,cost\n(none),3,47.0\nFerrous,2,12.5\n")
        .nothing_else();
}

#[test]
fn files_of_a_pattern_are_stacked_by_column_name_with_their_slots() {
    let plan = r#"
[tables.sales]
role = "fact"
from = "sales/{depot}_{year}.csv"
leave-out = ["sales/draft_*.csv"]
[tables.sales.columns]
"Qty." = { name = "quantity" }
cents = { name = "price", scale = 0.01 }
"Disc. %" = { name = "discount", type = "percent" }
[figures]
revenue = "quantity * price * (1 - discount)"
[outputs.lines]
to = "sales/out_1.csv"
[outputs.by]
to = "by.csv"
by = ["depot", "year"]
show = ["lines", "revenue"]
"#;
    let files = [
        ("interligo.toml", plan),
        ("sales/tilia_10.csv", "no,Qty.,cents,Disc. %\r\n1,2,150,10 %\r\n"),
        ("sales/tilia_9.csv", "cents,no,Qty.,Disc. %,note\n200,\"2\",1,0,\"a \"\"b\"\"\"\n"),
        ("sales/draft_9.csv", "nothing of use\n"),
        ("sales/.tilia_8.csv", "hidden\n"),
    ];
    let folder = Folder::with(&files);
    for _ in 0..2 {
        // The second time the output is there, in the folder that the pattern searches.
        folder
            .run(&["run"])
            .any_stdout()
            .file(
                "sales/out_1.csv",
                "price,no,quantity,discount,note,depot,year,revenue\n\
                 200,\"2\",1,0,\"a \"\"b\"\"\",tilia,9,2.0000\n\
                 150,1,2,10 %,,tilia,10,2.7000\n",
            )
            .file("by.csv", "depot,year,lines,revenue\ntilia,9,1,2.0000\ntilia,10,1,2.7000\n")
            .nothing_else();
    }
}

#[test]
fn a_run_without_outputs_prints_the_tie_out() {
    let came = shop("").run(&["run", "--full"]);
    assert!(came.printed().contains("Nothing was written: the plan has no [outputs]."));
    came.any_stdout().nothing_else();
}

#[test]
fn one_core_and_the_smallest_blocks_give_the_same_bytes() {
    let outputs =
        format!("{LINES}\n[outputs.by]\nto = \"out/by.csv\"\nby = [\"item\", \"month(day)\"]\n");
    let usual = shop(&outputs).run(&["run"]);
    for arguments in [&["--threads", "1", "--block", "1"], &["--threads", "4", "--block", "30"]] {
        let other = shop(&outputs).run(&[&["run"], &arguments[..]].concat());
        assert_eq!(other.as_text(), usual.as_text());
    }
}

#[test]
fn the_plan_is_found_from_a_folder_below() {
    let mut folder = Folder::with(&[]);
    for (path, content) in [("interligo.toml", PLAN), ("sales.csv", SALES)] {
        folder.put(path, content.as_bytes());
    }
    folder.put("products.csv", crate::support::PRODUCTS.as_bytes());
    folder.put("prices.csv", crate::support::PRICES.as_bytes());
    folder.put("below/here/note.txt", b"");
    let output = folder
        .command(&["totals", "--show", "lines", "--format", "csv"])
        .current_dir(folder.path().join("below/here"))
        .output()
        .unwrap();
    assert_eq!(String::from_utf8(output.stdout).unwrap(), "lines\n5\n");
}
