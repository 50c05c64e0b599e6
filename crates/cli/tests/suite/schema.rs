//! The file that describes text outputs; totals in a file for each value; days with their times; the dates of the data.

use crate::office_suite::{opened_by_an_office_suite, sheet};
use crate::support::{Folder, shop};

const SCHEMA: &str = "[plan]\nname = \"Small\"\ncurrency = \"EUR\"\nschema = true\n\n\
    [tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\nkey = \"no\"\n\n[figures]\n\
    net = { formula = \"amount * (1 - rebate)\", shown = \"money\" }\n\n\
    [outputs.lines]\nto = \"out/lines.csv\"\n\
    [outputs.german]\nto = \"out/zeilen.csv.gz\"\ncolumns = [\"*\", \"month(day)\", \"net\"]\n\
    write = { separator = \";\", numbers = \"1.234,56\", dates = \"31.12.2025\", places = 2 }\n\
    [outputs.shares]\nto = \"out/{code}.tsv\"\nby = [\"code\"]\nshow = [\"lines\", \"net\"]\n";

const LINES: &str = "no,day,code,amount,rebate\n1,2025-03-05,a,1234.5,12.5 %\n2,2025-12-31,b,2,0\n";

#[test]
fn text_outputs_are_described_beside_them() {
    let folder = Folder::with(&[("interligo.toml", SCHEMA), ("s.csv", LINES)]);
    let mut came = folder.run(&["run"]);
    assert_eq!(came.exit_status(), 0, "{}", came.said());
    let package: serde_json::Value =
        serde_json::from_str(&came.take_file("out/datapackage.json")).unwrap();
    let resource = |at: usize| &package["resources"][at];
    let fields = |at: usize| {
        let fields = resource(at)["schema"]["fields"].as_array().unwrap();
        fields
            .iter()
            .map(|f| format!("{} {}", f["name"], f["type"]).replace('"', ""))
            .collect::<Vec<_>>()
    };
    assert_eq!(package["title"], "Small");
    let own = ["no number", "day date", "code string", "amount number", "rebate number"];
    assert_eq!(fields(0), [own.as_slice(), &["net number"]].concat());
    assert_eq!(resource(0)["schema"]["primaryKey"], serde_json::json!(["no"]));
    let net = &resource(0)["schema"]["fields"][5];
    assert_eq!((&net["unit"], &net["formula"]), (&"EUR".into(), &"amount * (1 - rebate)".into()));
    assert_eq!(resource(0)["schema"]["fields"][4]["bareNumber"], false);
    let german = resource(1);
    assert_eq!(
        (&german["dialect"]["delimiter"], &german["compression"]),
        (&";".into(), &"gz".into())
    );
    assert_eq!(german["schema"]["fields"][1]["format"], "%d.%m.%Y");
    assert_eq!(german["schema"]["fields"][3]["decimalChar"], ",");
    assert_eq!(german["schema"]["fields"][5]["type"], "yearmonth");
    assert_eq!(resource(2)["path"], serde_json::json!(["a.tsv", "b.tsv"]));
    // What is said of a file is what it is read back as.
    let looked = folder.run(&["look", "out/lines.csv", "--format", "json"]);
    let looked: serde_json::Value = serde_json::from_str(looked.printed()).unwrap();
    let columns = looked[0]["columns"].as_array().unwrap();
    for (column, field) in columns.iter().zip(resource(0)["schema"]["fields"].as_array().unwrap()) {
        let read = column["type"].as_str().unwrap();
        let same = match field["type"].as_str().unwrap() {
            "string" => read == "text",
            "number" | "integer" => ["number", "integer", "percent"].contains(&read),
            other => read == other,
        };
        assert!(same, "{column} {field}");
    }
}

#[test]
fn a_description_of_somebody_else_stays() {
    let folder = Folder::with(&[
        ("interligo.toml", SCHEMA),
        ("s.csv", LINES),
        ("out/datapackage.json", "{\"name\": \"theirs\"}"),
    ]);
    let came = folder.run(&["run"]).status(4);
    assert!(
        came.said().contains("datapackage.json` cannot be written: it was not made by Interligo")
    );
    came.any_stderr().nothing_else();
}

#[test]
fn totals_have_a_file_for_each_value_that_they_are_grouped_by() {
    let of = |output: &str| {
        shop(&format!("\n[outputs.t]\nto = \"out/{{item}}.csv\"\nshow = [\"quantity\"]\n{output}"))
    };
    let mut came = of("by = [\"item > month(day)\"]\n").run(&["run"]);
    assert_eq!(
        came.take_file("out/A.csv"),
        "level,item,month(day),quantity\n1,A,,5\n2,A,2025-01,2\n2,A,2025-02,3\n"
    );
    assert_eq!(
        came.take_file("out/X.csv"),
        "level,item,month(day),quantity\n1,X,,5\n2,X,2025-03,5\n"
    );
    assert!(came.printed().contains("t           8  out/{item}.csv"), "{}", came.printed());
    for (output, said) in [
        ("by = [\"month(day)\"]\n", "error: the totals are not grouped by `item`"),
        ("by = [\"month(day) > item\"]\n", "error: the totals are not grouped by `item`"),
        ("by = [\"item\"]\ntop = 1\n", "error: the first rows alone have no file for each value"),
    ] {
        let came = of(output).run(&["run"]).status(2);
        assert!(came.said().starts_with(said), "{}", came.said());
        came.any_stderr().nothing_else();
    }
    let list =
        shop("\n[outputs.l]\nto = \"{item}.csv\"\nlist = \"findings\"\n").run(&["run"]).status(2);
    assert!(list.said().contains("`l` is a list: braces in `to` are for lines and totals"));
}

#[test]
fn days_keep_their_time() {
    let plan = "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\ndate = \"at\"\n\n\
                [outputs.a]\nto = \"a.csv\"\n[outputs.b]\nto = \"b.jsonl\"\n[outputs.c]\nto = \"c.xlsx#c\"\n\
                [outputs.d]\nto = \"d.tsv\"\ncolumns = [\"at\", \"month(at)\"]\n";
    let lines = "no;at\n1;31/12/2025 14:30\n2;30/12/2025 09:05:10\n3;29/12/2025 00:00\n";
    let folder = Folder::with(&[("interligo.toml", plan), ("s.csv", lines)]);
    let mut came = folder.run(&["run"]);
    assert_eq!(came.exit_status(), 0, "{}", came.said());
    let times = ["2025-12-31 14:30", "2025-12-30 09:05:10", "2025-12-29"];
    assert_eq!(
        came.take_file("a.csv"),
        format!("no,at\n1,{}\n2,{}\n3,{}\n", times[0], times[1], times[2])
    );
    let json = came.take_file("b.jsonl");
    assert!(times.iter().all(|time| json.contains(&format!("\"at\":\"{time}\""))), "{json}");
    assert!(came.take_file("d.tsv").contains("2025-12-30 09:05:10\t2025-12\n"));
    let Some(()) = opened_by_an_office_suite(&folder, "c.xlsx") else { return };
    assert_eq!(sheet(&folder, "c", "c")[1], ["1", times[0]]);
    let about = sheet(&folder, "c", "About").into_iter().flatten().collect::<Vec<_>>();
    assert!(
        about.contains(&"The lines of s are from 2025-12-29 to 2025-12-31.".to_owned()),
        "{about:?}"
    );
}

#[test]
fn the_date_of_lines_is_a_column_with_dates() {
    for (date, said) in [
        ("dya", "error: `sales` has no column `dya`"),
        ("item", "error: the plan needs dates (2025-12-31) in `sales.item`"),
    ] {
        let plan = format!("role = \"fact\"\ndate = \"{date}\"");
        let came = crate::support::shop_but("role = \"fact\"", &plan, "").run(&["run"]).status(2);
        assert!(came.said().starts_with(said), "{}", came.said());
    }
    let came = crate::support::shop_but(
        "key  = \"sku\"\n\n[tables.prices]",
        "key  = \"sku\"\ndate = \"cost\"\n\n[tables.prices]",
        "",
    )
    .run(&["run"])
    .status(2);
    assert!(came.said().starts_with("error: a lookup takes no `date`"), "{}", came.said());
}

#[test]
fn files_for_values_are_none_of_other_outputs() {
    let plan = SCHEMA.replace("out/{code}.tsv", "out/{code}.csv");
    let folder = Folder::with(&[("interligo.toml", &plan), ("s.csv", LINES)]);
    let mut came = folder.run(&["run", "--verify"]);
    assert_eq!(came.exit_status(), 0, "{} {}", came.printed(), came.said());
    let package: serde_json::Value =
        serde_json::from_str(&came.take_file("out/datapackage.json")).unwrap();
    assert_eq!(package["resources"][2]["path"], serde_json::json!(["a.csv", "b.csv"]));
}
