//! `look`: what tables hold, with and without a plan.

use crate::support::{Folder, shop};

#[test]
fn tables_of_the_plan_are_shown_column_by_column() {
    insta::assert_snapshot!("look_shop", shop("").run(&["look"]).as_text());
}

#[test]
fn a_file_that_nobody_described_is_read_as_well() {
    let folder = Folder::with(&[(
        "as exported {1}.txt",
        "Corvo;;;\n\ncode;price;since;rate\n007;1.234,50;13/01/2025;5 %\n008;n/a;01/02/2025;12,5 %\nTotal;1.234,50;;\n",
    )]);
    let came = folder.run(&["look", "as exported {1}.txt"]);
    insta::assert_snapshot!("look_file", came.as_text());
    let came = folder.run(&["look", "as exported {1}.txt", "--format", "csv"]);
    assert_eq!(
        came.printed(),
        "table,column,type,rows,blank,of_that_type,distinct,distinct_is,smallest,largest,first_value,could_be_key\n\
         as exported {1},code,text,2,0,2,2,exact,007,008,007,yes\n\
         as exported {1},price,text,2,0,2,2,exact,\"1.234,50\",n/a,\"1.234,50\",yes\n\
         as exported {1},since,date,2,0,2,2,exact,2025-01-13,2025-02-01,13/01/2025,yes\n\
         as exported {1},rate,percent,2,0,2,2,exact,0.05,0.125,5 %,yes\n"
    );
}

#[test]
fn what_has_two_readings_is_shown_with_what_decides() {
    let folder = Folder::with(&[("s.csv", "day,n\n03/04/2025,1\n05/06/2025,2\n")]);
    let came = folder.run(&["look", "s.csv"]);
    let said = "`03/04/2025` in `day` of s.csv can be read as 2025-04-03 or as 2025-03-04: add dates = \"31/12/2025\" or \
                dates = \"12/31/2025\" to [tables.s].";
    assert!(came.printed().contains(said), "{}", came.printed());
}

#[test]
fn the_values_of_a_column_are_counted() {
    let came = shop("").run(&["look", "sales", "--column", "item", "--format", "csv"]);
    assert_eq!(came.printed(), "table,value,rows\nsales,A,2\nsales,B,2\nsales,X,1\n");
    insta::assert_snapshot!(
        "look_column",
        shop("").run(&["look", "sales", "--column", "item"]).as_text()
    );
}

#[test]
fn rows_are_shown_with_their_places() {
    let folder = shop("");
    let rows = |arguments: &[&str]| {
        let all = [&["look", "sales", "--format", "csv"], arguments].concat();
        folder.run(&all).printed().to_owned()
    };
    assert_eq!(
        rows(&["--rows", "1"]),
        "file,row,no,day,item,quantity\nsales.csv,2,1,2025-01-10,A,2\n"
    );
    assert_eq!(
        rows(&["--where", "quantity > 3 and month(day) = '2025-03'"]),
        "file,row,no,day,item,quantity\nsales.csv,5,4,2025-03-01,B,4\nsales.csv,6,5,2025-03-02,X,5\n"
    );
    // Numbers are looked at as the texts they are, where texts are wanted.
    assert_eq!(
        rows(&["--where", "no like '_' and left(quantity, 1) = '4'"]),
        "file,row,no,day,item,quantity\nsales.csv,5,4,2025-03-01,B,4\n"
    );
    let came = folder.run(&["look", "sales", "--where", "item = 'none'"]);
    assert!(came.printed().ends_with("  No row.\n"), "{}", came.printed());
}

#[test]
fn the_numbers_are_the_same_for_any_cores_and_blocks() {
    let folder = Folder::with(&[]);
    folder.run(&["demo", "."]).ended(0);
    let usual = folder.run(&["look", "--format", "json"]);
    for options in [["--threads", "1"], ["--threads", "7"], ["--block", "300"]] {
        let other = folder.run(&["look", "--format", "json", options[0], options[1]]);
        assert_eq!(other, usual, "{options:?}");
    }
}

#[test]
fn what_is_not_there_is_reported_with_what_is() {
    let folder = shop("");
    for (arguments, message, status) in [
        (
            vec!["look", "salse"],
            "error: there is no table and no file called `salse`\n  fix: did you mean the table `sales`?\n",
            3,
        ),
        (
            vec!["look", "sales", "--column", "itm"],
            "error: `sales` has no column `itm`\n  in --column:\n    itm\n    ▔▔▔\n  fix: did you mean `item`?\n",
            2,
        ),
        (
            vec!["look", "sales", "--where", "quantity"],
            "error: a condition is wanted here\n  in --where:\n    quantity\n    ▔▔▔▔▔▔▔▔\n  fix: compare \
             something: \"quantity > 100\", \"item = 'BO-110'\"\n",
            2,
        ),
    ] {
        let came = folder.run(&arguments);
        assert_eq!(came.said(), message);
        came.ended(status);
    }
    let came = Folder::with(&[]).run(&["look"]);
    assert!(
        came.said().starts_with("error: there is no plan here, and no file is named"),
        "{}",
        came.said()
    );
    came.ended(2);
}

#[test]
fn json_has_everything_for_other_programs() {
    let folder = Folder::with(&[
        ("interligo.toml", "[tables.s]\nrole = 'fact'\nfrom = 's*.csv'\n"),
        ("s1.csv", "Depot 1;;\n;;\nday;n;k\n03/04/2025;1;a\n;;\n05/06/2025;2\n"),
        ("s2.csv", "day,n\n2025-04-03,7\n"),
    ]);
    let came = folder.run(&["look", "--column", "n", "--format", "json"]);
    let all: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
    let table = &all[0];
    assert_eq!((&table["table"], &table["rows"]), (&"s".into(), &6.into()));
    assert_eq!(table["set_aside"], 1, "a row with too few fields");
    assert_eq!(table["left_out"][0]["reason"], "before the header row");
    assert_eq!(table["files"][0]["lines"], 2);
    assert_eq!(table["files"][1]["written"], "separator \",\", numbers 1234.56, dates 2025-12-31");
    assert_eq!(table["columns"][0]["values"][1], serde_json::json!({ "value": "7", "rows": 1 }));
    assert_eq!(table["questions"][0]["column"], "day");
    let answer = table["questions"][0]["answer"].as_str().unwrap();
    assert!(answer.ends_with("to [tables.s], or to a [[part]] of it with this file"), "{answer}");
}

#[test]
fn files_with_other_column_names_are_named() {
    let folder = Folder::with(&[
        ("interligo.toml", "[tables.s]\nfrom = 's*.csv'\n"),
        ("s1.csv", "code,price\nA,1\n"),
        ("s2.csv", "code,price,price\nB,2,3\n"),
        ("s3.csv", "code,Price\nC,3\n"),
    ]);
    let came = folder.run(&["look"]);
    for said in [
        "s2.csv has a column `price_2`, which most of the files do not have.",
        "s2.csv has the column `price` more than once; the later ones are `price_2`, `price_3`.",
        "s3.csv has no column `price`; it has `Price`, which may be the same.",
    ] {
        assert!(came.printed().contains(said), "{}", came.printed());
    }
}

#[test]
fn columns_that_the_plan_computes_are_looked_at_like_others() {
    let plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
                [tables.sales.columns]\n\
                first_day = { formula = \"date(year, month, 1)\" }\n\
                label = { formula = \"code || ' of ' || cast(month(first_day) as text)\" }\n\
                net = { formula = \"paid - month\" }\n\
                [[tables.sales.part]]\nfrom = \"sales.csv\"\n\
                [[tables.sales.part]]\nfrom = \"comma.csv\"\nnumbers = \"1.234,56\"\n";
    let folder = Folder::with(&[
        ("interligo.toml", &plan.replacen("from = \"sales.csv\"\n", "", 1)),
        ("sales.csv", "code,year,month,paid\n007,2025,1,1.50\n8,2025,2,\n"),
        ("comma.csv", "code;year;month;paid\n9;2024;12;3,5\n"),
    ]);
    insta::assert_snapshot!("look_worked_out", folder.run(&["look"]).as_text());
    let rows = |condition: &str| {
        let came = folder.run(&["look", "sales", "--format", "csv", "--where", condition]);
        came.printed().to_owned()
    };
    let column_name = "file,row,code,year,month,paid,first_day,label,net\n";
    assert_eq!(
        rows("first_day < '2025-02-01' and net < 0"),
        format!("{column_name}comma.csv,2,9,2024,12,\"3,5\",2024-12-01,9 of 2024-12,-8.5\n")
    );
    assert_eq!(
        rows("label like '007%'"),
        format!("{column_name}sales.csv,2,007,2025,1,1.50,2025-01-01,007 of 2025-01,0.50\n")
    );
    // Only what is asked for, and what it is computed from.
    let came = folder.run(&["look", "sales", "--column", "first_day", "--format", "csv"]);
    let values = "sales,2024-12-01,1\nsales,2025-01-01,1\nsales,2025-02-01,1\n";
    assert_eq!(came.printed(), format!("table,value,rows\n{values}"));
}

#[test]
fn a_value_that_does_not_fit_is_no_row_that_is_left_out() {
    let folder = Folder::with(&[("s.csv", "n\n99999999999999999999\n1\n")]);
    let came = folder.run(&["look", "s.csv", "--where", "n * n * n > 1"]);
    assert!(came.said().contains("overflows: it needs more than 38 digits"), "{}", came.said());
    came.ended(2);
}
