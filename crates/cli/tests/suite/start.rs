//! `interligo start` on made-up folders: the links that a careful analyst would draw, and no others.

use std::collections::BTreeSet;

use crate::start_folders::{all, plain};
use crate::support::Folder;

/// The paths of the links in a plan.
fn links_of(plan: &str) -> BTreeSet<String> {
    let paths = plan.lines().filter_map(|line| line.strip_prefix("path = "));
    let parsed = paths.map(|path| format!("path = {path}").parse::<toml::Table>().unwrap());
    parsed.map(|doc| doc["path"].as_str().unwrap().to_owned()).collect()
}

#[test]
fn the_links_of_a_careful_analyst_are_found_and_few_others() {
    let (mut expected, mut found, mut proposed) = (0, 0, 0);
    let mut report = String::new();
    for case in all() {
        let files: Vec<(&str, &str)> =
            case.files.iter().map(|(name, text)| (*name, text.as_str())).collect();
        let folder = Folder::with(&files);
        let mut came = folder.run(&["start"]);
        assert_eq!((came.exit_status(), came.said()), (0, ""), "{}", case.name);
        let plan = came.take_file("interligo.toml");
        assert!(plan.starts_with("#:schema .interligo/plan.schema.json\n"), "{plan}");
        let schema = std::fs::read(folder.path().join(".interligo/plan.schema.json")).unwrap();
        assert_eq!(String::from_utf8_lossy(&schema), folder.run(&["help", "--schema"]).printed());
        let links = links_of(&plan);
        let wanted: BTreeSet<String> = case.links.iter().map(|link| (*link).to_owned()).collect();
        expected += wanted.len();
        proposed += links.len();
        found += wanted.intersection(&links).count();
        for missed in wanted.difference(&links) {
            report += &format!("{}: missed {missed}\n", case.name);
        }
        for wrong in links.difference(&wanted) {
            report += &format!("{}: wrong  {wrong}\n", case.name);
        }
    }
    let wrong = proposed - found;
    println!(
        "{report}{found} of {expected} links found, {wrong} of {proposed} proposed ones wrong"
    );
    assert!(found * 100 >= expected * 95, "{report}");
    assert!(wrong * 100 <= proposed * 5, "{report}");
}

/// The demo's files without its plan: what `start` draws runs, and where it says nothing is left to decide but
/// what it names, taking these decisions in gives the profit of the demo's own plan.
#[test]
fn the_demo_without_its_plan_comes_to_the_same_profit() {
    let profit = |folder: &Folder, show: &str| {
        let came = folder.run(&["totals", "--show", show, "--format", "csv"]);
        assert_eq!(
            came.said().lines().find(|line| line.contains("error")),
            None,
            "{}",
            came.said()
        );
        came.printed().lines().last().unwrap().to_owned()
    };
    let folder = Folder::with(&[]);
    folder.run(&["demo", "."]).ended(0);
    let own = profit(&folder, "lines,profit");
    std::fs::remove_file(folder.path().join("interligo.toml")).unwrap();
    std::fs::remove_dir_all(folder.path().join("out")).unwrap();
    let came = folder.run(&["start"]);
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    // What is to be decided is reported, each with the lines to add.
    for decision in [
        "the column names of `prices_2024` are periods: the plan makes rows of them, and calls what is in the cells `price`",
        "the cells of `items`, `quantities`, `Disc. %` in `tilia` have several values: add unpack =",
        "`sales` takes sales/draft_corvo_2025.csv, which is called `draft`",
        "`products` has several rows for the key `SM-117`, which differ in `unit_cost`",
    ] {
        assert!(came.printed().contains(decision), "{decision} in {}", came.printed());
    }
    assert!(
        folder.run(&["run"]).said().contains("`products` has several rows for the key"),
        "{plan}"
    );
    let mut decided: toml::Table = plan.parse().unwrap();
    decide(&mut decided);
    std::fs::write(folder.path().join("interligo.toml"), decided.to_string()).unwrap();
    assert_eq!(profit(&folder, "lines,profit"), own);
}

/// Takes in what an analyst knows: the last row of a product holds, a draft does not belong, and receipts are unpacked to
/// sales lines.
fn decide(plan: &mut toml::Table) {
    let parse = |text: &str| text.parse::<toml::Table>().unwrap();
    let tables = plan["tables"].as_table_mut().unwrap();
    tables.remove("tilia");
    tables["products"].as_table_mut().unwrap().insert("duplicates".into(), "last".into());
    let sales = tables["sales"].as_table_mut().unwrap();
    let mut own = toml::Table::new();
    own.insert("from".into(), sales.remove("from").unwrap());
    let mut leave_out = sales.remove("leave-out").unwrap();
    leave_out.as_array_mut().unwrap().push("sales/draft_corvo_2025.csv".into());
    own.insert("leave-out".into(), leave_out);
    let typos = parse(
        "from = \"sales/tilia_{year}.csv\"\n\
         unpack = { columns = [\"item\", \"quantity\", \"Disc. %\"], separator = \"|\", position = \"line_no\" }\n\
         columns = { items = { name = \"item\" }, quantities = { name = \"quantity\" } }",
    );
    sales.insert("part".into(), vec![own, typos].into());
    let gone = |text: &str| text.contains("tilia");
    plan["link"].as_array_mut().unwrap().retain(|link| !gone(link["path"].as_str().unwrap()));
    let outputs = plan["outputs"].as_table_mut().unwrap();
    let names: Vec<String> = outputs.keys().filter(|name| gone(name)).cloned().collect();
    names.iter().for_each(|name| {
        outputs.remove(name);
    });
}

#[test]
fn a_plan_is_kept_unless_it_is_reported_otherwise() {
    let (_, files) = ("", plain().files);
    let mut folder = Folder::with(&[("interligo.toml", "# mine\n")]);
    files.iter().for_each(|(name, text)| folder.put(name, text.as_bytes()));
    folder.run(&["start"]).ended(0);
    assert_eq!(std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap(), "# mine\n");
    let printed = folder.run(&["start", "--print"]);
    assert!(printed.printed().contains("path = \"sales.product_no -> products.number\""));
    printed.any_stdout().nothing_else();
    let mut came = folder.run(&["start", "--replace"]);
    assert_eq!(came.said(), "");
    assert!(came.take_file("interligo.toml").contains("[tables.sales]"));
    // What is drawn runs as it is.
    let mut ran = folder.run(&["run"]);
    assert_eq!(ran.said(), "");
    assert_eq!(ran.take_file("out/lines.csv").lines().count(), 401);
}

#[test]
fn what_can_be_drawn_is_drawn_from_little() {
    let sales = "day,item,qty\n2025-01-01,A,2\n2025-01-02,B,1\n";
    let many: String = (0..60).map(|n| format!("2025-01-02,P{:02},{n}\n", n % 30)).collect();
    let many = format!("day,item,qty\n{many}");
    let rows: String = (0..30).map(|n| format!("P{n:02},Name {n},{n}.5\n")).collect();
    let rows = format!("sku,name,price\n{rows}");
    for (files, status, said, printed) in [
        (vec![], 2, "there is no table to start from", ""),
        (vec![("a.csv", "")], 2, "`./a.csv` is empty", ""),
        (vec![("a.xlsx", "no")], 2, "there is no table to start from: a.xlsx", ""),
        (vec![("sales.csv", sales)], 0, "", "No column of one table matches another table"),
        (
            vec![("sales.csv", "day,item,qty\n"), ("b.csv", "sku,name\n")],
            0,
            "",
            "No column of one table",
        ),
        (
            vec![("sales.csv", "item\nA\nB\n"), ("b.csv", "item\nA\nB\n")],
            0,
            "",
            "No column of one table",
        ),
        (
            vec![
                ("sales.csv", many.as_str()),
                ("p.csv", rows.as_str()),
                ("p_old.csv", rows.as_str()),
                ("x.csv", ""),
            ],
            0,
            "",
            "`p` and `p_old` have the same columns and match sales.item equally well",
        ),
    ] {
        let came = Folder::with(&files).run(&["start"]);
        assert!(came.said().contains(said), "{}", came.said());
        assert!(came.printed().contains(printed), "{files:?} {}", came.printed());
        assert_eq!(came.exit_status(), status);
    }
    let came = Folder::with(&[]).run(&["start", "sale.csv"]);
    assert!(
        came.said().contains("there is no file or folder called `sale.csv`"),
        "{}",
        came.said()
    );
}

/// Many files of one kind are one table.
#[test]
fn a_thousand_files_are_one_table() {
    let mut folder = Folder::with(&[]);
    for number in 0..1000 {
        let text = format!("day,item,qty\n2025-01-02,P{:02},{number}\n", number % 30);
        folder.put(&format!("till_{number:04}.csv"), text.as_bytes());
    }
    let rows: String = (0..30).map(|n| format!("P{n:02},Name {n},{n}.5\n")).collect();
    folder.put("products.csv", format!("sku,name,price\n{rows}").as_bytes());
    let mut came = folder.run(&["start"]);
    let plan = came.take_file("interligo.toml");
    assert!(plan.contains("from = \"till_{number}.csv\""), "{plan}");
    assert!(came.printed().contains("100.0 % of 1,000 lines"), "{}", came.printed());
}

/// Keys that say nothing by themselves: small numbers under column names that are not alike.
const BARE: [(&str, &str); 2] = [
    ("umsatz.csv", "t,a,b\n1,1,2\n2,2,1\n3,1,1\n"),
    ("dinge.csv", "n,text\n1,Stock\n2,Smoker\n3,Zange\n"),
];

#[test]
fn what_is_stated_beside_the_files_is_believed() {
    let with = |extra: Option<(&str, &str)>| {
        let mut files: Vec<(&str, &str)> = BARE.to_vec();
        files.extend(extra);
        let mut came = Folder::with(&files).run(&["start"]);
        assert_eq!(came.said(), "");
        came.take_file("interligo.toml")
    };
    assert_eq!(links_of(&with(None)), BTreeSet::new());
    let csvw = r#"{ "@context": "http://www.w3.org/ns/csvw", "tables": [
        { "url": "umsatz.csv", "tableSchema": { "columns": [{ "name": "thing", "titles": "a" }],
          "foreignKeys": [{ "columnReference": "thing",
            "reference": { "resource": "dinge.csv", "columnReference": "n" } }] } },
        { "url": "dinge.csv", "tableSchema": { "primaryKey": "n" } } ] }"#;
    let package = r#"{ "resources": [
        { "name": "sales", "path": "umsatz.csv", "schema": {
          "foreignKeys": [{ "fields": ["b"], "reference": { "resource": "things", "fields": ["n"] } }] } },
        { "name": "things", "path": "dinge.csv", "schema": { "primaryKey": ["n"] } } ] }"#;
    for (name, text, column) in
        [("csv-metadata.json", csvw, "a"), ("datapackage.json", package, "b")]
    {
        let plan = with(Some((name, text)));
        let wanted = BTreeSet::from([format!("umsatz.{column} -> dinge.n")]);
        assert_eq!(links_of(&plan), wanted, "{plan}");
        assert!(plan.contains(&format!("stated by {name}")), "{plan}");
    }
    // What is no description changes nothing.
    assert_eq!(
        links_of(&with(Some(("datapackage.json", "{ \"resources\": 7 }")))),
        BTreeSet::new()
    );
}

#[test]
fn the_keys_of_a_database_are_believed() {
    const TABLES: &str = "CREATE TABLE dinge (n integer PRIMARY KEY, text text);\
        CREATE TABLE umsatz (t integer, a integer REFERENCES dinge (n), b integer);\
        INSERT INTO dinge VALUES (1, 'Stock'), (2, 'Smoker'), (3, 'Zange');\
        INSERT INTO umsatz VALUES (1, 1, 2), (2, 2, 1), (3, 1, 1);";
    let folder = Folder::with(&[]);
    let file = folder.path().join("shop.sqlite");
    rusqlite::Connection::open(file).unwrap().execute_batch(TABLES).unwrap();
    let plan = folder.run(&["start", "--print", "shop.sqlite"]);
    assert_eq!(links_of(plan.printed()), BTreeSet::from(["umsatz.a -> dinge.n".to_owned()]));
    let Some(server) = crate::server::Server::get() else { return };
    let made = format!("CREATE SCHEMA bare; SET search_path = bare; {TABLES}");
    server.client().batch_execute(&made).unwrap();
    let output = folder
        .command(&["start", "--print", "postgres:///postgres"])
        .envs(server.environment())
        .output()
        .unwrap();
    let printed = String::from_utf8(output.stdout).unwrap();
    assert!(
        links_of(&printed).iter().any(|link| link.contains("umsatz") && link.ends_with("dinge.n")),
        "{printed}{}",
        String::from_utf8_lossy(&output.stderr)
    );
}

/// Tables with the same column names are parts of one only where their place or their lines say so.
#[test]
fn partners_of_two_kinds_are_two_tables_and_regions_of_one_kind_are_one() {
    let partners = |letter: char| -> String {
        let rows = (0..20).map(|n| format!("{letter}{n:02},Partner {n},Town {},PT\n", n % 3));
        format!("code,name,town,country\n{}", rows.collect::<String>())
    };
    let sales: String =
        (0..60).map(|n| format!("2025-01-{:02},C{:02},{}\n", 1 + n % 28, n % 20, n % 7)).collect();
    let folder = Folder::with(&[
        ("customers.csv", &partners('C')),
        ("suppliers.csv", &partners('S')),
        ("tills/north.csv", &format!("day,customer,qty\n{sales}")),
        ("tills/south.csv", &format!("day,customer,qty\n{sales}")),
    ]);
    let plan = folder.run(&["start", "--print"]).printed().to_owned();
    assert!(plan.contains("from = \"tills/{part}.csv\""), "{plan}");
    assert!(plan.contains("[tables.customers]") && plan.contains("[tables.suppliers]"), "{plan}");
    assert_eq!(links_of(&plan), BTreeSet::from(["tills.customer -> customers.code".to_owned()]));
}

#[test]
fn a_column_is_explained_by_the_evidence() {
    let sales: String = (0..60)
        .map(|n| format!("{n},2025-01-{:02},P{:02},{}\n", 1 + n % 28, n % 20, 1 + n % 7))
        .collect();
    let products: String = (0..20).map(|n| format!("{n},P{n:02},Frame {n}\n")).collect();
    let folder = Folder::with(&[
        ("sales.csv", &format!("no,day,item,quantity\n{sales}")),
        ("products.csv", &format!("id,sku,name\n{products}")),
    ]);
    let came = folder.run(&["start", "--explain", "sales.item"]);
    let rows: Vec<Vec<&str>> =
        came.printed().lines().map(|line| line.split_whitespace().collect()).collect();
    assert_eq!(rows[0].join(" "), "sales.item 60 rows with 20 different values");
    assert_eq!(rows[4].join(" "), "products.sku 100.0 % 100.0 % 0 % 86 of 100 drafted");
    came.any_stdout().nothing_else();
    // Small numbers are found in any surrogate; that says nothing.
    let came = folder.run(&["start", "--explain", "sales.quantity"]);
    assert!(came.printed().contains("products.id"), "{}", came.printed());
    assert!(came.printed().contains("no: by chance"), "{}", came.printed());
    let came = folder.run(&["start", "--explain", "sales.itme"]);
    assert!(came.said().contains("did you mean `sales.item`?"), "{}", came.said());
    came.status(2).any_stderr().nothing_else();
}

#[test]
fn price_lists_of_two_years_are_each_of_their_own_unit() {
    let folder = Folder::with(&[
        (
            "sales.csv",
            "no,sold_on,item,qty\n1,2024-02-01,A,3\n2,2025-02-01,A,3\n3,2025-02-01,B,5\n",
        ),
        (
            "prices_a.csv",
            "item,valid_from,valid_to,price per 100\nA,2024-01-01,2024-12-31,200\nB,2024-01-01,2024-12-31,100\n",
        ),
        (
            "prices_b.csv",
            "item,from,until,price\nA,2025-01-01,2025-12-31,4\nB,2025-01-01,2025-12-31,5\n",
        ),
    ]);
    let plan = folder.run(&["start", "--print"]).printed().to_owned();
    assert!(
        plan.contains("coalesce((prices_a.\\\"price per 100\\\" / 100), prices_b.price)"),
        "{plan}"
    );
}

/// Two columns that lead to one lookup: side by side on each line they are two roles; where each line fills one, it is one key
/// that is written here or there.
#[test]
fn two_columns_of_one_lookup_are_two_links_or_one() {
    let customers: String = (0..20).map(|n| format!("C{n:03},Apiary {n}\n")).collect();
    let sales = |both: bool| -> String {
        let row = |n: usize| {
            let (one, other) = (format!("C{:03}", n * 7 % 20), format!("C{:03}", n * 3 % 20));
            let (one, other) = match (both, n % 3) {
                (true, _) => (one, other),
                (false, 0) => (one, String::new()),
                (false, _) => (String::new(), other),
            };
            format!("{n},2025-01-{:02},{one},{other},{}\n", 1 + n % 28, 1 + n % 5)
        };
        std::iter::once("no,sold_on,buyer,payer,quantity\n".to_owned())
            .chain((0..60).map(row))
            .collect()
    };
    for (both, expected) in [
        (true, vec!["sales.buyer -> customers.customer", "sales.payer -> customers.customer"]),
        (false, vec!["sales.payer or sales.buyer -> customers.customer"]),
    ] {
        let folder = Folder::with(&[
            ("sales.csv", &sales(both)),
            ("customers.csv", &format!("customer,name\n{customers}")),
        ]);
        let plan = folder.run(&["start", "--print"]).printed().to_owned();
        let links: Vec<String> = links_of(&plan).into_iter().collect();
        assert_eq!(links, expected, "{plan}");
    }
}
