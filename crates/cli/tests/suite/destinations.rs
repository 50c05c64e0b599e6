//! Files, a workbook, a SQLite file and a PostgreSQL server, written together or not at all; the same totals from all of
//! them; and what each of them refuses.

use crate::office_suite::opened_by_an_office_suite;
use crate::server::Schema;
use crate::support::{Folder, SALES, shop};

pub(crate) fn outputs(schema: &str) -> String {
    format!(
        "\n[outputs.lines]\nto = \"postgres:///postgres#{schema}.lines\"\n\
         [outputs.copy]\nto = \"shop.sqlite#lines\"\ncolumns = [\"*\"]\n\
         [outputs.file]\nto = \"lines.jsonl\"\ncolumns = [\"*\"]\n"
    )
}

pub(crate) fn sqlite(folder: &Folder, query: &str) -> Option<String> {
    let database = rusqlite::Connection::open(folder.path().join("shop.sqlite")).ok()?;
    let value: rusqlite::types::Value = database.query_row(query, [], |row| row.get(0)).ok()?;
    match value {
        rusqlite::types::Value::Integer(whole) => Some(whole.to_string()),
        rusqlite::types::Value::Real(real) => Some(real.to_string()),
        rusqlite::types::Value::Text(text) => Some(text),
        _ => None,
    }
}

/// The sum of a number over the lines of a JSON file.
pub(crate) fn json_quantity(folder: &Folder) -> Option<String> {
    let text = std::fs::read_to_string(folder.path().join("lines.jsonl")).ok()?;
    let number = |line: &str| -> i64 {
        let line: serde_json::Value = serde_json::from_str(line).unwrap();
        line["quantity"].as_i64().unwrap_or(0)
    };
    Some(text.lines().map(number).sum::<i64>().to_string())
}

#[test]
fn a_run_that_dies_leaves_databases_and_files_all_new_or_all_old() {
    if !cfg!(debug_assertions) {
        println!("left out: crashes on purpose are in builds with debug assertions alone");
        return;
    }
    let Some(schema) = Schema::new("dying") else { return };
    let steps =
        ["complete", "journal", "former", "marked", "committed", "go", "move-0", "moved", "done"];
    for step in steps {
        let mut folder = shop(&outputs("dying"));
        let first = schema.run(&folder, &["run"], &[]);
        assert!(first.status.success(), "{}", String::from_utf8_lossy(&first.stderr));
        let all = |folder: &Folder| {
            let copy = sqlite(folder, "SELECT sum(quantity) FROM lines");
            [schema.quantity(), copy, json_quantity(folder)].map(Option::unwrap)
        };
        assert_eq!(all(&folder), ["15", "15", "15"], "{step}");
        folder.put("sales.csv", SALES.replace("A,2", "A,9").as_bytes());
        let crash = schema.run(&folder, &["run"], &[("INTERLIGO_DIES_AFTER", step)]);
        assert_eq!(crash.status.code(), None, "{step}: the process dies");
        // Any command completes or takes back what was begun.
        let next = schema.run(&folder, &["look", "sales"], &[]);
        assert!(next.status.success(), "{step}: {}", String::from_utf8_lossy(&next.stderr));
        let decided = !["complete", "journal", "former", "marked"].contains(&step);
        let expected = if decided { "22" } else { "15" };
        assert_eq!(all(&folder), [expected; 3], "{step}");
        let again = schema.run(&folder, &["run"], &[]);
        assert!(again.status.success(), "{step}: {}", String::from_utf8_lossy(&again.stderr));
        assert_eq!(all(&folder), ["22"; 3], "{step}");
    }
}

#[test]
fn a_server_that_does_not_answer_leaves_all_in_doubt() {
    if !cfg!(debug_assertions) {
        return;
    }
    let Some(schema) = Schema::new("doubtful") else { return };
    for (step, expected) in [("marked", "15"), ("committed", "22")] {
        let mut folder = shop(&outputs("doubtful"));
        assert!(schema.run(&folder, &["run"], &[]).status.success());
        folder.put("sales.csv", SALES.replace("A,2", "A,9").as_bytes());
        let crash = schema.run(&folder, &["run"], &[("INTERLIGO_DIES_AFTER", step)]);
        assert_eq!(crash.status.code(), None);
        // Nobody listens there.
        let lost = schema.run(&folder, &["run"], &[("PGPORT", "1")]);
        let said = String::from_utf8_lossy(&lost.stderr).into_owned();
        assert_eq!(lost.status.code(), Some(4), "{said}");
        assert!(said.contains("it is not known whether its database has all of it"), "{said}");
        assert!(said.contains("an earlier run is in doubt"), "{said}");
        assert_eq!(json_quantity(&folder).as_deref(), Some("15"), "nothing was moved");
        let found = schema.run(&folder, &["look", "sales"], &[]);
        assert!(found.status.success());
        assert_eq!(json_quantity(&folder).as_deref(), Some(expected), "{step}");
        assert_eq!(schema.quantity().as_deref(), Some(expected), "{step}");
    }
}

#[test]
fn a_table_on_a_server_keeps_its_indexes_views_and_rights() {
    let Some(schema) = Schema::new("keeping") else { return };
    let folder = shop("\n[outputs.lines]\nto = \"postgres:///postgres#keeping.lines\"\n");
    assert!(schema.run(&folder, &["run"], &[]).status.success());
    let own = "CREATE INDEX own ON keeping.lines (item);
        CREATE VIEW keeping.total AS SELECT sum(quantity)::text FROM keeping.lines;
        GRANT SELECT ON keeping.lines TO pg_read_all_stats";
    schema.server.client().batch_execute(own).unwrap();
    assert!(schema.run(&folder, &["run"], &[]).status.success());
    assert_eq!(schema.ask("SELECT * FROM keeping.total").as_deref(), Some("15"));
    let index =
        "SELECT indexname::text FROM pg_indexes WHERE schemaname = 'keeping' AND indexname = 'own'";
    assert_eq!(schema.ask(index).as_deref(), Some("own"));
    let right = "SELECT has_table_privilege('pg_read_all_stats', 'keeping.lines', 'SELECT')::text";
    assert_eq!(schema.ask(right).as_deref(), Some("true"));
}

/// The totals of the plan, and those that SQL and other readers make of the lines.
#[test]
fn all_forms_have_the_same_totals() {
    let forms = "
[outputs.a]\nto = \"shop.sqlite#lines\"
[outputs.b]\nto = \"lines.parquet\"
[outputs.c]\nto = \"book.xlsx#Lines\"
[outputs.d]\nto = \"lines.tsv.gz\"
[outputs.e]\nto = \"lines.jsonl\"
[outputs.f]\nto = \"lines.csv\"
[outputs.totals]\nto = \"totals.jsonl\"\nby = []\nshow = [\"lines\", \"quantity\", \"revenue\"]
";
    let folder = shop(forms);
    let mut came = folder.run(&["run"]);
    let whole = came.take_file("totals.jsonl");
    assert_eq!(whole, "{\"lines\":5,\"quantity\":15,\"revenue\":25.75}\n");
    assert_eq!(sqlite(&folder, "SELECT sum(revenue) FROM lines").as_deref(), Some("25.75"));
    for (from, more) in [
        ("shop.sqlite#lines", ""),
        ("lines.parquet", ""),
        ("book.xlsx#Lines", ""),
        ("lines.tsv.gz", "separator = \"tab\""),
        ("lines.jsonl", ""),
        ("lines.csv", ""),
    ] {
        let plan = format!(
            "[tables.lines]\nrole = \"fact\"\nfrom = \"{from}\"\n{more}\n[outputs.x]\nto = \"x.jsonl\"\nby = []\n\
             show = [\"lines\", \"quantity\", \"revenue\"]\n"
        );
        std::fs::write(folder.path().join("back.toml"), plan).unwrap();
        let mut came = folder.run(&["run", "--plan", "back.toml"]);
        assert_eq!(came.take_file("x.jsonl"), whole, "{from}");
    }
}

#[test]
fn what_a_destination_cannot_be_is_refused_before_the_run() {
    let long = "x".repeat(32);
    for (outputs, said) in [
        ("[outputs.a]\nto = \"b.xlsx#a/b\"\n", "the name of a sheet has none of [ ] : * ? / \\"),
        (&*format!("[outputs.a]\nto = \"b.xlsx#{long}\"\n"), "has 1 to 31 characters"),
        ("[outputs.a]\nto = \"b.xlsx#About\"\n", "the first sheet is called `About`"),
        (
            "[outputs.a]\nto = \"b.xlsx#Lines\"\n[outputs.b]\nto = \"b.xlsx#LINES\"\n",
            "two outputs would write the same sheet or table, `b.xlsx#LINES`",
        ),
        (
            "[outputs.a]\nto = \"b.sqlite\"\n[outputs.b]\nto = \"b.sqlite#A\"\n",
            "two outputs would write the same sheet or table, `b.sqlite#A`",
        ),
        ("[outputs.a]\nto = \"b.sqlite#sqlite_x\"\n", "a table cannot be called `sqlite_x`"),
        ("[outputs.a]\nto = \"b.parquet.gz\"\n", "`b.parquet.gz` has no form that can be written"),
        (
            "[outputs.a]\nto = \"b.parquet\"\nguard = true\n",
            "`b.parquet` is no text file: `write` and `guard` are for text",
        ),
        (
            "[outputs.a]\nto = \"b.csv\"\nwrite = { numbers = \"1,5\" }\n",
            "is not a way of writing 1234.56",
        ),
        (
            "[outputs.a]\nto = \"b.csv\"\nwrite = { dates = \"today\" }\n",
            "is not a way of writing 31 December 2025",
        ),
        (
            "[outputs.a]\nto = \"b.csv\"\nwrite = { separator = \"..\" }\n",
            "`..` cannot separate fields",
        ),
        (
            "[outputs.a]\nto = \"b.csv\"\nwrite = { encoding = \"utf-16\" }\n",
            "`utf-16` is no encoding that can be written",
        ),
    ] {
        let came = shop(&format!("\n{outputs}")).run(&["run"]).status(2);
        assert!(came.said().contains(said), "{outputs}\n{}", came.said());
        came.any_stderr().nothing_else();
    }
}

#[test]
fn what_the_data_does_not_let_be_written_ends_the_run() {
    let columns =
        "columns = [{ name = \"A\", value = \"item\" }, { name = \"a\", value = \"quantity\" }]\n";
    let mut folder = shop("");
    for (outputs, status, said) in [
        (
            "[outputs.a]\nto = \"b.parquet\"\ncolumns = [{ name = \"x\", value = \"quantity / 3\", places = 2 }]\n"
                .to_owned(),
            1,
            "has more decimal places than the 2 of its column",
        ),
        (format!("[outputs.a]\nto = \"b.sqlite\"\n{columns}"), 4, "two of its columns would be called `a`"),
        (format!("[outputs.a]\nto = \"b.parquet\"\n{columns}"), 4, "two of its columns would be called `a`"),
    ] {
        let plan = format!("{}\n{outputs}", crate::support::PLAN);
        folder.put("interligo.toml", plan.as_bytes());
        let came = folder.run(&["run"]);
        assert_eq!(came.exit_status(), status, "{}", came.said());
        assert!(came.said().contains(said), "{outputs}\n{}", came.said());
        came.status(status).any_stderr().nothing_else();
    }
    let text = "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n[outputs.a]\nto = \"b.csv\"\n\
                write = { encoding = \"windows-1252\" }\n";
    let folder =
        Folder::with(&[("interligo.toml", text), ("s.csv", "k,t\n1,a\n2,\u{17e}\u{107}\n")]);
    let came = folder.run(&["run"]).status(1);
    assert!(
        came.said().contains(
            "`\u{17e}\u{107}` of `t` at s.csv:3 has a character that windows-1252 does not have"
        ),
        "{}",
        came.said()
    );
    came.any_stderr().nothing_else();
}

#[test]
fn a_database_of_somebody_else_is_left_alone() {
    let plan = "\n[outputs.lines]\nto = \"shop.sqlite#own\"\n";
    let folder = shop(plan);
    let path = folder.path().join("shop.sqlite");
    let own = rusqlite::Connection::open(&path).unwrap();
    own.execute_batch("CREATE TABLE own (a); INSERT INTO own VALUES (7); CREATE TABLE other (b)")
        .unwrap();
    drop(own);
    let before = std::fs::read(&path).unwrap();
    let came = folder.run(&["run"]);
    assert!(came.said().contains("its table `own` was not made by Interligo"), "{}", came.said());
    assert_eq!(came.exit_status(), 4);
    assert_eq!(std::fs::read(&path).unwrap(), before);
    // Other tables stay beside a new one, and a table of an earlier run keeps its index.
    std::fs::write(
        folder.path().join("interligo.toml"),
        crate::support::PLAN.to_owned() + &plan.replace("#own", "#mine"),
    )
    .unwrap();
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    let index = rusqlite::Connection::open(&path).unwrap();
    index.execute_batch("CREATE INDEX fast ON mine (item)").unwrap();
    drop(index);
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    assert_eq!(sqlite(&folder, "SELECT a FROM own").as_deref(), Some("7"));
    assert_eq!(sqlite(&folder, "SELECT sum(quantity) FROM mine").as_deref(), Some("15"));
    let fast = "SELECT name FROM sqlite_schema WHERE name = 'fast'";
    assert_eq!(sqlite(&folder, fast).as_deref(), Some("fast"));
    // What is no database is no place for a table.
    std::fs::write(&path, "no database, but a text of some length that is no header").unwrap();
    let came = folder.run(&["run"]);
    assert!(came.said().contains("it is not a SQLite database"), "{}", came.said());
}

#[test]
fn a_workbook_that_somebody_made_or_changed_is_left_alone() {
    let folder = shop("\n[outputs.lines]\nto = \"book.xlsx#Lines\"\n");
    let path = folder.path().join("book.xlsx");
    let mut own = rust_xlsxwriter::Workbook::new();
    own.add_worksheet().write(0, 0, "mine").unwrap();
    own.save(&path).unwrap();
    let before = std::fs::read(&path).unwrap();
    let came = folder.run(&["run"]);
    assert!(came.said().contains("which was not made by Interligo"), "{}", came.said());
    assert_eq!(std::fs::read(&path).unwrap(), before);
    std::fs::remove_file(&path).unwrap();
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    assert_eq!(folder.run(&["run"]).exit_status(), 0, "its own workbook is replaced");
    let mut changed = std::fs::read(&path).unwrap();
    changed.push(0);
    std::fs::write(&path, &changed).unwrap();
    let came = folder.run(&["run"]);
    assert!(came.said().contains("was changed since the last run wrote it"), "{}", came.said());
    assert_eq!(std::fs::read(&path).unwrap(), changed);
}

/// The lines of all files with their paths.
fn files_of(folder: &Folder, inside: &str) -> Vec<(String, String)> {
    let entries = std::fs::read_dir(folder.path().join(inside)).into_iter().flatten();
    let mut found: Vec<(String, String)> = entries
        .map(|entry| {
            let path = entry.unwrap().path();
            let name = path.file_name().unwrap().to_string_lossy().into_owned();
            (name, std::fs::read_to_string(path).unwrap_or_default())
        })
        .collect();
    found.sort();
    found
}

#[test]
fn lines_go_to_a_file_for_each_value() {
    let mut folder =
        shop("\n[outputs.lines]\nto = \"out/{item}.csv\"\ncolumns = [\"no\", \"item\"]\n");
    let came = folder.run(&["run"]);
    assert_eq!(came.exit_status(), 0, "{}", came.said());
    let files = files_of(&folder, "out");
    let names: Vec<&str> = files.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(names, ["A.csv", "B.csv", "X.csv"]);
    let lines: usize = files.iter().map(|(_, text)| text.lines().count() - 1).sum();
    assert_eq!(lines, 5, "every line is in one file");
    for (name, text) in &files {
        assert!(text.starts_with("no,item\n"), "{text}");
        let item = name.trim_end_matches(".csv");
        assert!(
            text.lines().skip(1).all(|line| line.ends_with(&format!(",{item}"))),
            "{name} {text}"
        );
    }
    // A value that is gone takes its file along, unless somebody changed it.
    folder.put("sales.csv", SALES.replace(",X,", ",A,").replace(",B,", ",CON,").as_bytes());
    std::fs::write(folder.path().join("out/B.csv"), "mine").unwrap();
    let came = folder.run(&["run"]);
    assert_eq!(came.exit_status(), 0, "{}", came.said());
    assert!(
        came.said().contains("`out/B.csv` is of a value that is gone, and stays"),
        "{}",
        came.said()
    );
    let names: Vec<String> = files_of(&folder, "out").into_iter().map(|(name, _)| name).collect();
    assert_eq!(names, ["A.csv", "B.csv", "CON_.csv"]);
    // Two values that would be one file.
    folder.put("sales.csv", SALES.replace(",X,", ",a,").as_bytes());
    let came = folder.run(&["run"]).status(2);
    assert!(came.said().contains("would be one file, `out/"), "{}", came.said());
    // A file of a value is no input, not even for a pattern.
    let over = shop("\n[outputs.lines]\nto = \"{item}.csv\"\n");
    std::fs::write(over.path().join("sales.csv"), SALES.replace(",X,", ",prices,")).unwrap();
    let came = over.run(&["run"]);
    assert!(
        came.said().contains("the output `lines` would overwrite an input, `prices.csv`"),
        "{}",
        came.said()
    );
}

#[test]
fn an_office_suite_reads_the_values_of_a_workbook() {
    let folder = shop(
        "
[outputs.lines]\nto = \"book.xlsx#Lines\"
[outputs.totals]\nto = \"book.xlsx#By item\"\nby = [\"item\"]\nshow = [\"lines\", \"quantity\", \"revenue\"]
[outputs.plain]\nto = \"lines.jsonl\"
[outputs.sums]\nto = \"sums.jsonl\"\nby = [\"item\"]\nshow = [\"lines\", \"quantity\", \"revenue\"]
",
    );
    let mut came = folder.run(&["run"]);
    let Some(()) = opened_by_an_office_suite(&folder, "book.xlsx") else { return };
    for (sheet, plain) in [("Lines", "lines.jsonl"), ("By item", "sums.jsonl")] {
        let path = folder.path().join(format!("book-{sheet}.csv"));
        let text = std::fs::read_to_string(path).unwrap();
        let mut rows = text.lines().map(|line| line.replace('"', ""));
        let names: Vec<String> = rows.next().unwrap().split(',').map(str::to_owned).collect();
        let sheet: Vec<Vec<String>> =
            rows.map(|row| row.split(',').map(str::to_owned).collect()).collect();
        let text = came.take_file(plain);
        let lines: Vec<serde_json::Map<String, serde_json::Value>> =
            text.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
        assert_eq!(sheet.len(), lines.len());
        for (row, line) in sheet.iter().zip(&lines) {
            for (name, cell) in names.iter().zip(row) {
                match &line[name] {
                    serde_json::Value::Null => assert_eq!(cell, "", "{name}"),
                    serde_json::Value::String(text) => assert_eq!(cell, text, "{name}"),
                    number => {
                        let (cell, number): (f64, f64) =
                            (cell.parse().unwrap(), number.to_string().parse().unwrap());
                        assert!(cell == number, "{name}: {cell} is not {number}");
                    }
                }
            }
        }
    }
    let about = std::fs::read_to_string(folder.path().join("book-About.csv")).unwrap();
    for said in ["Counts,read,added,kept", "sales,\"5\",\"0\",\"5\"", "unmatched-key"] {
        assert!(about.replace(['\u{a0}'], " ").contains(said), "{said} in {about}");
    }
}

#[test]
fn text_is_written_as_the_plan_says() {
    let plan = "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n\n[figures]\nhalf = \"amount / 2\"\n\n\
                [outputs.a]\nto = \"a.csv\"\nguard = true\n\
                columns = [\"code\", { name = \"Day\", value = \"day\" }, \"amount\", \"half\", \"note\"]\n\
                write = { separator = \";\", numbers = \"1.234,56\", dates = \"31.12.2025\", places = 1, line-end = \"crlf\", \
                encoding = \"windows-1252\" }\n";
    let lines = "code,day,amount,note\n007,2025-03-05,1234567.25,=1+1\n12,2025-12-31,-0.25,\"a;b\"\n013,,,-5\n014,,,\u{e9}t\u{e9}\n";
    let folder = Folder::with(&[("interligo.toml", plan), ("s.csv", lines)]);
    let came = folder.run(&["run"]);
    assert_eq!(came.exit_status(), 0, "{}", came.said());
    let bytes = std::fs::read(folder.path().join("a.csv")).unwrap();
    let text: String = bytes.iter().map(|byte| char::from(*byte)).collect();
    assert_eq!(
        text,
        "code;Day;amount;half;note\r\n\
         007;05.03.2025;1.234.567,2;617.283,6;'=1+1\r\n\
         12;31.12.2025;-0,2;-0,1;\"a;b\"\r\n\
         013;;;;-5\r\n\
         014;;;;\u{e9}t\u{e9}\r\n"
    );
}

#[test]
fn more_places_than_a_number_has_change_no_value() {
    for to in ["typed.parquet", "typed.arrow", "typed.sqlite#t", "typed.xlsx#T", "typed.tsv"] {
        let columns = "columns = [{ name = \"n\", value = \"quantity\", places = 3 }, \
                       { name = \"r\", value = \"revenue\", places = 7, shown = \"money 4\" }]\n";
        let folder = shop(&format!(
            "\n[outputs.typed]\nto = \"{to}\"\n{columns}[outputs.sums]\nto = \"sums.jsonl\"\nby = []\nshow = [\"quantity\", \"revenue\"]\n"
        ));
        let mut came = folder.run(&["run"]);
        let sums = came.take_file("sums.jsonl");
        let plan = format!(
            "[tables.t]\nrole = \"fact\"\nfrom = \"{to}\"\n[outputs.x]\nto = \"x.jsonl\"\nby = []\nshow = [\"n\", \"r\"]\n"
        );
        std::fs::write(folder.path().join("back.toml"), plan).unwrap();
        let read = folder.run(&["run", "--plan", "back.toml"]).take_file("x.jsonl");
        let value = |text: &str| -> Vec<f64> {
            let line: serde_json::Map<String, serde_json::Value> =
                serde_json::from_str(text).unwrap();
            line.values().map(|value| value.as_f64().unwrap()).collect()
        };
        assert_eq!(value(&read), value(&sums), "{to}");
    }
}

#[test]
fn two_runs_of_a_plan_at_once_write_every_line_once() {
    let Some(schema) = Schema::new("together") else { return };
    let lines: String = (0..20_000).map(|n| format!("{n},2025-01-10,A,1\n")).collect();
    let mut folder = shop(&outputs("together"));
    folder.put("sales.csv", format!("no,day,item,quantity\n{lines}").as_bytes());
    assert!(schema.run(&folder, &["run"], &[]).status.success());
    for _ in 0..3 {
        let start = || {
            let mut command = folder.command(&["run"]);
            let quiet =
                command.envs(schema.server.environment()).stdout(std::process::Stdio::null());
            quiet.stderr(std::process::Stdio::piped()).spawn().unwrap()
        };
        let both = [start(), start()];
        let ended = both.map(|run| run.wait_with_output().unwrap());
        let said = ended.each_ref().map(|run| String::from_utf8_lossy(&run.stderr).into_owned());
        assert!(ended.iter().any(|run| run.status.success()), "{said:?}");
        assert_eq!(schema.quantity().as_deref(), Some("20000"), "{said:?}");
        let copy = sqlite(&folder, "SELECT sum(quantity) FROM lines");
        assert_eq!(copy.as_deref(), Some("20000"), "{said:?}");
        assert_eq!(json_quantity(&folder).as_deref(), Some("20000"), "{said:?}");
    }
}

/// The same as with a server, where there is none: a SQLite file and a workbook are moved with the other files.
#[test]
fn a_run_that_dies_leaves_a_database_file_and_a_workbook_with_the_others() {
    if !cfg!(debug_assertions) {
        return;
    }
    let outputs = "\n[outputs.copy]\nto = \"shop.sqlite#lines\"\ncolumns = [\"*\"]\n\
                   [outputs.book]\nto = \"book.xlsx#Lines\"\ncolumns = [\"*\"]\n\
                   [outputs.file]\nto = \"lines.jsonl\"\ncolumns = [\"*\"]\n";
    let back = "[tables.t]\nrole = \"fact\"\nfrom = \"book.xlsx#Lines\"\n[outputs.x]\nto = \"x.jsonl\"\nby = []\n\
                show = [\"quantity\"]\n";
    for step in ["complete", "journal", "former", "go", "move-0", "move-1", "moved", "forgotten"] {
        let mut folder = shop(outputs);
        folder.put("back.toml", back.as_bytes());
        folder.run(&["run"]).ended(0);
        folder.put("sales.csv", SALES.replace("A,2", "A,9").as_bytes());
        let mut command = folder.command(&["run"]);
        let crash = command.env("INTERLIGO_DIES_AFTER", step).output().unwrap();
        assert_eq!(crash.status.code(), None, "{step}: the process dies");
        folder.run(&["look", "sales"]).ended(0);
        let expected = if ["complete", "journal", "former"].contains(&step) { "15" } else { "22" };
        let copy = sqlite(&folder, "SELECT sum(quantity) FROM lines");
        let book = folder.run(&["run", "--plan", "back.toml"]).take_file("x.jsonl");
        assert_eq!(copy.as_deref(), Some(expected), "{step}");
        assert_eq!(json_quantity(&folder).as_deref(), Some(expected), "{step}");
        assert_eq!(book, format!("{{\"quantity\":{expected}}}\n"), "{step}");
    }
}

/// What is in the parts of a workbook, by their names.
fn parts_of(book: &[u8]) -> Vec<(String, String)> {
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(book)).unwrap();
    let names: Vec<String> = archive.file_names().map(|name| name.unwrap().into_owned()).collect();
    names
        .into_iter()
        .map(|name| {
            let mut text = String::new();
            let _ = std::io::Read::read_to_string(&mut archive.by_name(&name).unwrap(), &mut text);
            (name, text)
        })
        .collect()
}

/// A column may be called `level`, and lines may be few: neither makes them totals.
#[test]
fn only_totals_are_drawn_and_grouped() {
    let mut folder = Folder::with(&[("s.csv", "level,n\n1,2\n2,3\n2,4\n1,5\n")]);
    let plan = |output: &str| {
        format!(
            "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n[figures]\ndouble = \"n * 2\"\n{output}"
        )
    };
    let lines = "[outputs.lines]\nto = \"book.xlsx#Lines\"\n";
    let totals = "[outputs.t]\nto = \"book.xlsx#T\"\nby = [\"level\"]\nshow = [\"double\"]\n";
    let levels = "[outputs.t]\nto = \"book.xlsx#T\"\nby = [\"level > n\"]\nshow = [\"double\"]\n";
    let two = "[outputs.t]\nto = \"book.xlsx#T\"\nby = [\"level\", \"n\"]\nshow = [\"double\"]\n";
    for (output, drawn, grouped) in
        [(lines, false, false), (totals, true, false), (levels, false, true), (two, false, false)]
    {
        folder.put("interligo.toml", plan(output).as_bytes());
        assert_eq!(folder.run(&["run"]).exit_status(), 0);
        let book = std::fs::read(folder.path().join("book.xlsx")).unwrap();
        let parts = parts_of(&book);
        let has_chart = parts.iter().any(|(name, _)| name.starts_with("xl/charts/"));
        let has_levels = parts.iter().any(|(_, text)| text.contains("outlineLevel="));
        assert_eq!((has_chart, has_levels), (drawn, grouped), "{output}");
    }
}

/// Rows that are only in the log of a database are kept; one that another program has open is left alone.
#[test]
fn a_database_with_a_log_beside_it_loses_nothing() {
    let folder = shop("\n[outputs.lines]\nto = \"shop.sqlite#lines\"\n");
    let path = folder.path().join("shop.sqlite");
    let other = rusqlite::Connection::open(&path).unwrap();
    other
        .execute_batch(
            "PRAGMA journal_mode = WAL; CREATE TABLE own (a); INSERT INTO own VALUES (7)",
        )
        .unwrap();
    let came = folder.run(&["run"]);
    assert_eq!(came.exit_status(), 4, "{}", came.said());
    assert!(came.said().contains("another program has it open"), "{}", came.said());
    let kept: i64 = other.query_row("SELECT a FROM own", [], |row| row.get(0)).unwrap();
    assert_eq!(kept, 7);
    drop(other);
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    assert!(!folder.path().join("shop.sqlite-wal").exists());
    assert_eq!(sqlite(&folder, "SELECT a FROM own").as_deref(), Some("7"));
    assert_eq!(sqlite(&folder, "SELECT sum(quantity) FROM lines").as_deref(), Some("15"));
}
