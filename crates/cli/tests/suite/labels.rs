//! What people call columns: in every output, and nowhere in the way of the plan's own names.

use crate::support::{Folder, shop};

const LABELS: &str = "\n[labels]\nrevenue = \"Turnover\"\n\"products.name\" = \"Product\"\nquantity = \"Pieces\"\n\
     \"month(day)\" = \"Month\"\nlines = \"Orders\"\n";

fn labelled(outputs: &str) -> Folder {
    shop(&format!("{LABELS}{outputs}"))
}

/// The first row of a file that a run wrote.
fn head(folder: &Folder, path: &str) -> String {
    let text = std::fs::read_to_string(folder.path().join(path)).unwrap();
    text.lines().next().unwrap_or_default().to_owned()
}

#[test]
fn columns_of_all_outputs_have_their_labels() {
    let folder = labelled(
        "[outputs.lines]\nto = \"out/lines.csv\"\ncolumns = [\"*\", \"products.name\", \"revenue\", { name = \"revenue\", value = \"revenue * 2\" }]\n\
         [outputs.all]\nto = \"out/all.tsv\"\n\
         [outputs.objects]\nto = \"out/lines.jsonl\"\ncolumns = [\"*\", \"revenue\"]\n\
         [outputs.months]\nto = \"out/{products.name}.csv\"\nby = [\"products.name\", \"month(day)\"]\nshow = [\"lines\", \"revenue\", \"avg(revenue)\"]\nsort = [\"-revenue\"]\n",
    );
    folder.run(&["run", "--verify"]).status(0).nothing_more();
    assert_eq!(head(&folder, "out/lines.csv"), "no,day,item,Pieces,Product,Turnover,revenue");
    assert_eq!(
        head(&folder, "out/all.tsv"),
        "no\tday\titem\tPieces\tTurnover\tcost\tprofit\tmargin"
    );
    assert!(head(&folder, "out/lines.jsonl").contains("\"Pieces\":2,\"Turnover\":2.00"));
    assert_eq!(head(&folder, "out/Smoker.csv"), "Product,Month,Orders,Turnover,avg(Turnover)");
    // Lines of the same columns without labels are the same, cell by cell.
    let plain = shop(
        "[outputs.lines]\nto = \"out/lines.csv\"\ncolumns = [\"*\", \"products.name\", \"revenue\", { name = \"revenue2\", value = \"revenue * 2\" }]\n",
    );
    plain.run(&["run"]).status(0).nothing_more();
    let rows = |folder: &Folder| {
        let text = std::fs::read_to_string(folder.path().join("out/lines.csv")).unwrap();
        text.split_once('\n').unwrap().1.to_owned()
    };
    assert_eq!(rows(&folder), rows(&plain));
}

#[test]
fn tables_at_the_terminal_have_labels_and_options_take_names() {
    let folder = labelled("");
    let arguments = [
        "totals",
        "--by",
        "products.name",
        "--show",
        "lines,revenue",
        "--sort=-revenue",
        "--bars=revenue",
    ];
    let came = folder.run(&arguments).status(0);
    assert!(
        came.printed().contains("Product     Orders  Turnover  Turnover"),
        "{}",
        came.printed()
    );
    assert!(came.printed().contains("interligo trace --total revenue"), "{}", came.printed());
    let json =
        folder.run(&["totals", "--by", "products.name", "--show", "revenue", "--format", "json"]);
    assert!(json.printed().contains("\"Turnover\""), "{}", json.printed());
}

#[test]
fn labels_of_nothing_are_refused() {
    for (label, says) in [
        ("revenu = \"Turnover\"", "did you mean `revenue`?"),
        ("\"products.nam\" = \"Product\"", "did you mean `name`?"),
        ("revenue = \"Sum\"\ncost = \"Sum\"", "`revenue` and `cost` would both be called `Sum`"),
        ("revenue = \"cost\"", "`cost` and `revenue` would both be called `cost`"),
        ("\"products.name\" = \"item\"", "`item` and `products.name` would both be called `item`"),
        ("revenue = \" \"", "the label of `revenue` is blank"),
        ("\"month(\" = \"Month\"", "the formula ends, wanted a value"),
    ] {
        let came =
            shop(&format!("\n[labels]\n{label}\n[outputs.lines]\nto = \"l.csv\"\n")).run(&["run"]);
        assert_eq!(came.exit_status(), 2, "{label}");
        assert!(came.said().contains(says), "{label}: {}", came.said());
    }
}
