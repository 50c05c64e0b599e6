//! Several facts in a plan: each at its own grain, and one as the lookup of another.

use crate::linking::SHOP;
use crate::support::Folder;

const TWO_FACTS: &str = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
key = ["order", "line"]
[tables.returns]
role = "fact"
from = "returns.csv"
[tables.products]
from = "products.csv"
key = "sku"
[tables.prices]
from = "prices.csv"
key = "sku"
valid = { from = "since", until = "until" }
[[link]]
path = "returns.order + line -> sales.order + line"
[[link]]
path = "sales.item -> products.sku"
[[link]]
path = "sales.item -> prices.sku as of day"
[figures]
revenue = "quantity * prices.price"
given_back = "pieces * sales.prices.price"
[outputs.sold]
to = "lines.csv"
by = ["products.name"]
show = ["quantity", "revenue"]
[outputs.returned]
to = "returned.csv"
by = ["products.name", "sales.day"]
show = ["pieces", "given_back"]
"#;

/// A return names the line of the sale; from there it reaches the product, and the price of that day.
#[test]
fn a_fact_may_be_the_lookup_of_another_fact() {
    let folder = Folder::with(&[
        ("interligo.toml", TWO_FACTS),
        (
            "sales.csv",
            "order,line,item,day,quantity\n1,1,A,2025-01-10,4\n1,2,B,2025-01-10,1\n2,1,A,2025-03-01,2\n",
        ),
        ("returns.csv", "order,line,pieces\n1,1,1\n2,1,2\n3,1,1\n"),
        ("products.csv", "sku,name\nA,Hive\nB,Frame\n"),
        ("prices.csv", "sku,since,until,price\nA,2025-01-01,2025-01-31,5\nA,2025-02-01,,6\n"),
    ]);
    let mut came = folder.run(&["run"]);
    assert_eq!(came.said(), "");
    assert_eq!(
        came.take_file("lines.csv"),
        "products.name,quantity,revenue\nFrame,1,\nHive,6,32\n"
    );
    assert_eq!(
        came.take_file("returned.csv"),
        "products.name,sales.day,pieces,given_back\nHive,2025-01-10,1,5\nHive,2025-03-01,2,12\n,,1,\n"
    );
    came.any_stdout().nothing_else();
    let totals =
        folder.run(&["totals", "--by", "products.name", "--show", "pieces", "--format", "csv"]);
    assert_eq!(totals.printed(), "products.name,pieces\nHive,3\n,1\n");
    let json = folder.run(&["run", "--format", "json"]);
    let tie: serde_json::Value = serde_json::from_str(json.printed()).unwrap();
    assert_eq!((&tie[0]["fact"], &tie[1]["fact"]), (&"sales".into(), &"returns".into()));
}

#[test]
fn a_fact_that_is_looked_up_needs_a_key_of_its_own() {
    for (key, message) in [
        ("", "a link leads to the fact `sales`, which has no key"),
        (
            "key = [\"order\", \"line\"]\nrepeats = \"keep\"",
            "a link leads to the fact `sales`, whose lines may share a key",
        ),
    ] {
        let plan = TWO_FACTS.replace("key = [\"order\", \"line\"]", key);
        let came = Folder::with(&[
            ("interligo.toml", plan.as_str()),
            ("sales.csv", "order,line,item,day,quantity\n1,1,A,2025-01-10,4\n"),
            ("returns.csv", "order,line,pieces\n1,1,1\n"),
            ("products.csv", "sku,name\nA,Hive\n"),
            ("prices.csv", "sku,since,until,price\nA,2025-01-01,2025-01-31,5\n"),
        ])
        .run(&["run"]);
        assert!(came.said().contains(message), "{}", came.said());
    }
}

/// A sales table, a budget at another grain, and a lookup that both reach.
fn budget(more: &str) -> Folder {
    let plan = format!(
        r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.budget]
role = "fact"
from = "budget.csv"
[tables.products]
from = "products.csv"
[tables.families]
from = "families.csv"
[[link]]
path = "sales.item -> products.sku"
[[link]]
path = "products.family -> families.code"
[[link]]
path = "budget.family -> families.code"
missing = "set-aside"
{more}
"#
    );
    Folder::with(&[
        ("interligo.toml", &plan),
        ("sales.csv", "no,item,quantity\n1,A,2\n2,B,3\n3,X,1\n"),
        ("budget.csv", "month,family,target\n2025-01,F,100\n2025-01,G,50\n2025-01,Q,7\n"),
        SHOP[1],
        SHOP[2],
    ])
}

#[test]
fn facts_share_lookups_at_their_own_grains() {
    let folder = budget(
        r#"
[figures]
pieces = "quantity * 1"
aim = { formula = "target / 10", of = "budget" }
[outputs.sold]
to = "sold.csv"
by = ["families.name"]
show = ["pieces"]
[outputs.planned]
of = "budget"
to = "planned.csv"
by = ["families.name"]
show = ["lines", "aim"]
"#,
    );
    let mut came = folder.run(&["run", "--full"]);
    assert_eq!(came.said(), "");
    assert_eq!(came.take_file("sold.csv"), "families.name,pieces\nFrames,3\nHives,2\n,1\n");
    assert_eq!(came.take_file("planned.csv"), "families.name,lines,aim\nFrames,1,5\nHives,1,10\n");
    // What is set aside of the second fact has a file of its own.
    let aside = came.take_file("out/set-aside-budget.csv");
    assert!(aside.contains("families unmatched,budget.csv,4,2025-01,Q,7"), "{aside}");
    for said in ["Tie-out · sales", "Tie-out · budget", "3 = 2 + 1   closes"] {
        assert!(came.printed().contains(said), "{said} in {}", came.printed());
    }
    came.any_stdout().nothing_else();
    let csv = folder.run(&["run", "--format", "csv"]);
    assert!(
        csv.printed().starts_with("fact,section,item,measure,value\nsales,lines,sales,read,3\n")
    );
    assert!(csv.printed().contains("\nbudget,links,families,unmatched,1\n"), "{}", csv.printed());
}

#[test]
fn a_check_over_several_facts_has_each_finding_once() {
    let mut folder = budget("[figures]\na = \"quantity * 1\"\nb = \"target * 1\"\n");
    folder.put("families.csv", b"code,name\nF,Hives\nG,Frames\nG,Frames\n");
    let came = folder.run(&["check", "--format", "csv"]);
    let printed = came.printed();
    // Amounts of the one fact are blank beside keys of the other.
    assert!(
        printed.starts_with(
            "finding,in,key_or_column,count,quantity,a,target,b,lines_without_a,first,"
        )
    );
    assert!(printed.contains("unmatched-key,products,X,1,1,1,,,0,sales.csv:4"), "{printed}");
    assert!(printed.contains("unmatched-key,families,Q,1,,,7,7,0,budget.csv:4"), "{printed}");
    assert_eq!(printed.matches("duplicate-identical").count(), 1, "{printed}");
    let listed = folder.run(&["link", "--format", "csv"]);
    assert_eq!(listed.printed().lines().count(), 4, "{}", listed.printed());
    let map = folder.run(&["link", "map"]);
    assert!(map.printed().contains("│ budget   3 lines │"), "{}", map.printed());
}

#[test]
fn what_belongs_to_no_fact_is_refused() {
    for (more, said, help) in [
        (
            "[figures]\na = { formula = \"quantity\", of = \"sale\" }\n",
            "`sale` is no fact table of the plan",
            "did you mean `sales`?",
        ),
        (
            "[figures]\na = { formula = \"target\", of = \"sales\" }\n",
            "no figure or column of `sales` is called `target`",
            "there is",
        ),
        (
            "[outputs.x]\nto = \"x.csv\"\nof = \"products\"\n",
            "`products` is no fact table of the plan",
            "there is `sales`, `budget`",
        ),
        // A budget by family does not know products, and its total is not repeated for each of them.
        (
            "[outputs.x]\nto = \"x.csv\"\nby = [\"products.sku\"]\nshow = [\"target\"]\n",
            "no link leads from `budget` to `products`",
            "links lead to `families`",
        ),
        ("[figures]\na = { formla = \"1\" }\n", "there is no plan key `formla` here", "`formula`"),
    ] {
        let came = budget(more).run(&["run"]);
        assert!(came.said().contains(said) && came.said().contains(help), "{}", came.said());
        came.status(2).any_stderr().nothing_else();
    }
}
