//! The tie-out can fail: each of a number of faults, made on purpose in builds for tests, ends the run without an output.

use std::collections::BTreeSet;

use interligo_engine::proof::faults::Fault;

use crate::support::Folder;

/// A plan with a bit of everything: two files, copies, rows left out, lines set aside, lines and totals written.
const PLAN: &str = r#"
[tables.sales]
role = "fact"
from = "sales_*.csv"
key = "no"
leave-out-rows = "item = 'test'"
[tables.products]
from = "products.csv"
key = "sku"
[[link]]
path = "sales.item -> products.sku"
missing = "set-aside"
[figures]
cost = "quantity * products.cost"
[outputs.lines]
to = "lines.csv"
[outputs.by_item]
to = "by_item.csv"
by = ["item"]
[outputs.large]
to = "large.csv"
by = ["products.name > item"]
show = ["lines", "cost"]
where = "quantity > 2"
"#;

fn folder() -> Folder {
    let rows = |from: u32| -> String {
        let row = |no: u32| format!("{no},{},{}\n", ["A", "B", "X"][no as usize % 3], no % 7);
        (from..from + 60).map(row).collect()
    };
    Folder::with(&[
        ("interligo.toml", PLAN),
        ("sales_1.csv", &format!("no,item,quantity\n{}1,B,1\n900,test,5\n", rows(1))),
        ("sales_2.csv", &format!("no,item,quantity\n{}", rows(200))),
        ("products.csv", "sku,name,cost\nA,Jar,0.4\nB,Smoker,12.5\n"),
    ])
}

#[test]
fn without_a_fault_the_run_closes() {
    let mut came = folder().run(&["run", "--full", "--block", "100"]);
    assert_eq!(came.take_file("lines.csv").lines().count(), 81);
    assert_eq!(came.take_file("out/set-aside.csv").lines().count(), 41);
    // What the lines amount to, computed by hand, a copy of one piece, and a test of five.
    let amounts = "quantity   367   242        119         5                         1  yes";
    assert!(came.printed().contains(amounts), "{}", came.printed());
    for file in ["by_item.csv", "large.csv"] {
        came.take_file(file);
    }
    came.status(0).any_stdout().nothing_else();
}

#[test]
fn each_fault_ends_the_run_without_an_output() {
    if !cfg!(debug_assertions) {
        println!("left out: faults on purpose are in builds with debug assertions alone");
        return;
    }
    let mut said = BTreeSet::new();
    for fault in Fault::ALL {
        let folder = folder();
        let mut command = folder.command(&["run", "--block", "100"]);
        let output = command.env("INTERLIGO_FAULT", fault.name()).output().unwrap();
        let message = String::from_utf8(output.stderr).unwrap();
        assert!(message.contains("the tie-out does not close: "), "{fault:?}: {message}");
        assert!(message.contains("nothing was written"), "{fault:?}: {message}");
        assert_eq!(output.status.code(), Some(1), "{fault:?}");
        folder.run(&["--version"]).any_stdout().nothing_else();
        said.insert(message);
    }
    // They are distinguished, as far as anybody could.
    assert!(said.len() >= 12, "{said:#?}");
}

#[test]
fn sums_that_pass_the_range_midway_close() {
    let large = "9".repeat(37);
    let rows: String = (0..40).map(|no| format!("{no},{large}\n")).collect();
    let less: String = (40..79).map(|no| format!("{no},-{large}\n")).collect();
    let folder = Folder::with(&[
        (
            "interligo.toml",
            "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n[figures]\nthrice = \"3 * quantity\"\n\
             [outputs.all]\nto = \"all.csv\"\nby = []\nshow = [\"lines\", \"quantity\"]\n",
        ),
        ("sales.csv", &format!("no,quantity\n{rows}{less}")),
    ]);
    for arguments in [&["run", "--full"][..], &["run", "--full", "--threads", "3", "--block", "64"]]
    {
        let came = folder.run(arguments);
        assert!(came.printed().contains("79 = 79   closes"), "{}{}", came.printed(), came.said());
        came.any_stdout().file("all.csv", &format!("lines,quantity\n79,{large}\n")).nothing_else();
    }
}
