//! Values that are easily read wrongly: each is read as it is meant, or asked about.

use std::sync::Arc;

use arrow_array::{ArrayRef, Float64Array, RecordBatch, StringArray, TimestampMicrosecondArray};

use crate::support::{Came, Folder};

/// A plan over one fact, with a formula or two.
fn plan(from: &str, columns: &str, figures: &str, outputs: &str) -> String {
    format!(
        "[tables.s]\nrole = \"fact\"\nfrom = \"{from}\"\n{columns}\n[figures]\n{figures}\n[outputs.l]\nto = \"l.csv\"\n{outputs}\n"
    )
}

fn run(plan: &str, files: &[(&str, &[u8])]) -> Came {
    let mut folder = Folder::with(&[("interligo.toml", plan)]);
    for (name, content) in files {
        folder.put(name, content);
    }
    folder.run(&["run"])
}

/// What a formula makes of one column of a text file, line by line.
fn values(rows: &[&str], formula: &str) -> Result<Vec<String>, String> {
    let plan = plan("s.csv", "", &format!("v = \"{formula}\""), "columns = [\"no\", \"v\"]");
    let rows: String = rows.iter().enumerate().map(|(n, row)| format!("{n};{row}\n")).collect();
    let mut came = run(&plan, &[("s.csv", format!("no;x\n{rows}").as_bytes())]);
    if came.exit_status() != 0 {
        return Err(came.said().to_owned());
    }
    let lines = came.take_file("l.csv");
    Ok(lines.lines().skip(1).map(|line| line.split_once(',').unwrap().1.to_owned()).collect())
}

#[test]
fn amounts_are_read_as_people_write_them() {
    for (rows, sums) in [
        (&["5.-", "CHF 12.-", "7.50"][..], &["6.00", "13.00", "8.50"][..]),
        (&["5,-", "7,50", "12,--"], &["6.00", "8.50", "13.00"]),
        (&["€ (5)", "(5) EUR", "5.25-€", "€ 1"], &["-4.00", "-4.00", "-4.25", "2.00"]),
        (&["1'234,56", "7,5"], &["1235.56", "8.50"]),
        (&["0", "5 %", "12.5 %"], &["1.000", "1.050", "1.125"]),
    ] {
        assert_eq!(values(rows, "x + 1").unwrap(), sums, "{rows:?}");
    }
}

#[test]
fn percents_among_bare_numbers_are_asked_about() {
    for rows in [&["5 %", "0.1", "7 %"][..], &["0.1", "0.2", "5 %"]] {
        let said = values(rows, "x * 2").unwrap_err();
        assert!(said.contains("is a percent among plain numbers, which may be"), "{said}");
        assert!(said.contains("x = { scale = 0.01 }"), "{said}");
    }
    for (scale, doubles) in [("0.01", "0,0.10\n1,0.20\n"), ("1", "0,0.10\n1,20\n")] {
        let columns = format!("columns = {{ x = {{ scale = {scale} }} }}");
        let plan = plan("s.csv", &columns, "v = \"2 * x\"", "columns = [\"no\", \"v\"]");
        let mut came = run(&plan, &[("s.csv", b"no,x\n0,5 %\n1,10\n")]);
        let lines = came.take_file("l.csv");
        let number = |text: &str| text.parse::<f64>().unwrap();
        for (line, meant) in lines.lines().skip(1).zip(doubles.lines()) {
            let value = |line: &str| number(line.split_once(',').unwrap().1);
            assert!((value(line) - value(meant)).abs() < 1e-9, "{scale}: {lines}");
        }
    }
}

#[test]
fn years_of_two_digits_are_asked_about_where_both_centuries_make_sense() {
    assert_eq!(values(&["31/12/24", "13/01/25"], "month(x)").unwrap(), ["2024-12", "2025-01"]);
    assert_eq!(values(&["31/12/84", "13/01/99"], "month(x)").unwrap(), ["1984-12", "1999-01"]);
    for rows in [&["31/12/45", "30/01/45"][..], &["25/01/13", "25/02/14"]] {
        let said = values(rows, "month(x)").unwrap_err();
        assert!(said.contains("can be read as"), "{rows:?} {said}");
    }
}

#[test]
fn formulas_say_what_they_say() {
    for (rows, formula, expected) in [
        (&["7", "8"][..], "nullif(x, blank)", &["7", "8"][..]),
        (&["7", "8.25"], "cast(x as text)", &["7", "8.25"]),
        (
            &["Jo Doe", "a"],
            "left(x, 2) || substring(x from 3 for 1) || right(x, 3)",
            &["Jo Doe", "aa"],
        ),
        (&["Jo", "a"], "if left(x, 0) = '' then 'same' else 'other'", &["same", "same"]),
        (&["Jo", "a"], "char_length(replace(x, 'a', ''))", &["2", "0"]),
        (&["18786", "5"], "x / 100", &["187.86", "0.05"]),
        // What is exact has no more places than it needs, and neither has what it is divided by.
        (&["18786", "5"], "x / 100 / 7", &["26.83714285714286", "0.00714285714286"]),
        (&["18786", "5"], "if x / 100 > 1 then x / 100 / 7 else 0", &["26.83714285714286", "0"]),
        (&["2025-01-31", "2025-02-01"], "x + 1", &["2025-02-01", "2025-02-02"]),
    ] {
        assert_eq!(values(rows, formula).unwrap(), expected, "{formula}");
    }
    let said = values(&["9999-12-31", "2025-01-01"], "x + 1").unwrap_err();
    assert!(said.contains("`v` is a day outside of the calendar at s.csv:2"), "{said}");
    assert!(said.contains("days go from 0001-01-01 to 9999-12-31"), "{said}");
    let said = values(&["2025-01-31", "2025-02-01"], "x + 1.5").unwrap_err();
    assert!(said.contains("only whole days can be added to a date"), "{said}");
}

#[test]
fn forms_of_one_text_are_one_group() {
    let plan = plan("s.csv", "", "v = \"2 * n\"", "by = [\"x\"]\nshow = [\"lines\"]");
    let mut came = run(&plan, &[("s.csv", "x,n\nCafé,1\nCafe\u{301},2\nTee,3\n".as_bytes())]);
    assert_eq!(came.take_file("l.csv"), "x,lines\nCafé,2\nTee,1\n");
}

#[test]
fn doubles_keep_all_their_digits_and_what_is_no_number_is_a_finding() {
    let ids = [2024000000012346.0, 2024000000012347.0, 2024000000012348.0];
    let columns: [(&str, ArrayRef); 2] = [
        ("id", Arc::new(Float64Array::from(ids.to_vec()))),
        ("n", Arc::new(Float64Array::from(vec![0.1, f64::INFINITY, f64::NAN]))),
    ];
    let parquet = crate::formats::parquet_of(&RecordBatch::try_from_iter(columns).unwrap());
    let folder = tempfile::TempDir::new().unwrap();
    let path = folder.path().join("s.sqlite");
    let database = rusqlite::Connection::open(&path).unwrap();
    database
        .execute_batch(
            "CREATE TABLE s (id REAL, n REAL); INSERT INTO s VALUES (2024000000012346, 0.1), \
             (2024000000012347, 9e999), (2024000000012348, -9e999)",
        )
        .unwrap();
    drop(database);
    let sqlite = std::fs::read(&path).unwrap();
    let json = "{\"id\": 2024000000012346.0, \"n\": 1e-1}\n{\"id\": 2024000000012347}\n{\"id\": 2.024000000012348e15}\n";
    for (name, content, finite) in [
        ("s.parquet", &parquet[..], false),
        ("s.sqlite", &sqlite, false),
        ("s.jsonl", json.as_bytes(), true),
    ] {
        let plan = plan(name, "key = \"id\"", "v = \"2 * n\"", "columns = [\"id\", \"v\"]");
        let mut came = run(&plan, &[(name, content)]);
        let lines = came.take_file("l.csv");
        assert_eq!(
            lines,
            "id,v\n2024000000012346,0.2\n2024000000012347,\n2024000000012348,\n",
            "{name} {}",
            came.said()
        );
        assert_eq!(came.printed().contains("not-finite"), !finite, "{name} {}", came.printed());
        assert!(!came.printed().contains("copies"), "{name} {}", came.printed());
    }
}

#[test]
fn a_point_in_time_is_on_its_day_where_its_zone_holds() {
    // 2025-03-30 22:30 in UTC; an hour later in Berlin's winter, two in its summer.
    let micros = vec![1_743_373_800_000_000i64, 1_738_362_600_000_000];
    for (zone, days) in [
        (None, "2025-03-30,2025-01-31"),
        (Some("UTC"), "2025-03-30,2025-01-31"),
        (Some("+02:00"), "2025-03-31,2025-02-01"),
        (Some("-05:30"), "2025-03-30,2025-01-31"),
        (Some("Europe/Berlin"), "2025-03-31,2025-01-31"),
    ] {
        let times = TimestampMicrosecondArray::from(micros.clone());
        let times = zone.map_or_else(|| times.clone(), |zone| times.clone().with_timezone(zone));
        let columns: [(&str, ArrayRef); 2] =
            [("no", Arc::new(StringArray::from(vec!["a", "b"]))), ("at", Arc::new(times))];
        let content = crate::formats::parquet_of(&RecordBatch::try_from_iter(columns).unwrap());
        let plan = plan("s.parquet", "", "v = \"day(at)\"", "columns = [\"no\", \"v\"]");
        let lines = run(&plan, &[("s.parquet", &content)]).take_file("l.csv");
        let found: Vec<&str> = lines.lines().skip(1).map(|line| &line[2..]).collect();
        assert_eq!(found.join(","), days, "{zone:?}");
    }
}

#[test]
fn numbers_of_a_sheet_are_in_the_currency_that_their_format_shows() {
    let mut book = rust_xlsxwriter::Workbook::new();
    let sheet = book.add_worksheet();
    for (column, column_name) in ["no", "n"].iter().enumerate() {
        sheet.write(0, column as u16, *column_name).unwrap();
    }
    for (row, format) in ["#,##0.00 [$€-407]", "\"USD\" 0.00"].iter().enumerate() {
        let format = rust_xlsxwriter::Format::new().set_num_format(*format);
        sheet.write(row as u32 + 1, 0, row as u32).unwrap();
        sheet.write_with_format(row as u32 + 1, 1, 12.5, &format).unwrap();
    }
    let content = book.save_to_buffer().unwrap();
    let plan = plan("s.xlsx", "", "v = \"2 * n\"", "");
    let came = run(&plan, &[("s.xlsx", &content)]);
    assert!(came.said().contains("the amounts in `s.n` are in 2 currencies"), "{}", came.said());
}

#[test]
fn times_of_the_day_decide_what_is_newest_and_no_period_begins_within_a_day() {
    let plan = |key: &str| {
        format!(
            "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\nkey = \"no\"\nrepeats = \"newest at\"\n\
             [tables.p]\nfrom = \"p.csv\"\nkey = \"sku\"\n{key}\n[[link]]\npath = \"s.sku -> p.sku{}\"\n\
             [figures]\nv = \"n * p.price\"\n[outputs.l]\nto = \"l.csv\"\ncolumns = [\"n\", \"v\"]\n",
            if key.contains("valid") { " as of at" } else { "" },
        )
    };
    let sales =
        "no,sku,at,n\n1,A,2025-03-05 10:00,1\n1,A,2025-03-05 10:00:30,2\n1,A,2025-03-05 09:59,3\n";
    let prices = "sku,price,at\nA,5,2025-03-05T10:00:30\nA,7,2025-03-05T10:00:29.5\n";
    let files = [("s.csv", sales.as_bytes()), ("p.csv", prices.as_bytes())];
    let mut came = run(&plan("duplicates = \"newest at\""), &files);
    assert_eq!(came.take_file("l.csv"), "n,v\n2,10\n");
    let came = run(&plan("valid = { from = \"at\" }"), &files);
    assert!(came.said().contains("a period of `p` begins or ends within a day"), "{}", came.said());
    assert_eq!(came.exit_status(), 2);
    let whole =
        "sku,price,at,end\nA,5,2025-03-05 00:00:00,2025-03-05 23:59:59\nA,7,2025-03-06 00:00,\n";
    let files = [("s.csv", sales.as_bytes()), ("p.csv", whole.as_bytes())];
    let mut came = run(&plan("valid = { from = \"at\", until = \"end\" }"), &files);
    assert_eq!(came.take_file("l.csv"), "n,v\n2,10\n");
}

#[test]
fn a_time_of_the_day_far_below_is_not_lost_in_forms_that_take_values() {
    let rows: String = (0..20_000).map(|n| format!("{n},2025-03-05\n")).collect();
    let sales = format!("no,day\n{rows}20000,2025-03-05 00:00\n20001,2025-03-05 17:30\n");
    for (form, columns) in [("jsonl", ""), ("parquet", ""), ("sqlite#l", ""), ("xlsx#L", "")]
        .into_iter()
        .chain([("jsonl", "columns = { day = { type = \"date\", like = \"2025-12-31 23:59\" } }")])
    {
        let plan = plan("s.csv", columns, "v = \"year(day)\"", "columns = [\"day\"]")
            .replace("l.csv", &format!("l.{form}"));
        let mut came = run(&plan, &[("s.csv", sales.as_bytes())]);
        if columns.is_empty() {
            let said = came.said();
            assert!(
                said.contains("has a time of the day, and its column takes days alone"),
                "{form} {said}"
            );
            assert!(said.contains("s.csv:20003") && said.contains("17:30"), "{form} {said}");
            assert_eq!(came.exit_status(), 1, "{form}");
        } else {
            let lines = came.take_file("l.jsonl");
            assert!(lines.ends_with("{\"day\":\"2025-03-05 17:30\"}\n"), "{}", came.said());
        }
    }
}

#[test]
fn days_of_digits_alone_serve_a_dated_link() {
    for (like, day) in [("46022", "45721"), ("20251231", "20250305")] {
        let plan = format!(
            "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n[tables.s.columns]\nday = {{ type = \"date\", like = \"{like}\" }}\n\
             [tables.p]\nfrom = \"p.csv\"\nkey = \"sku\"\nvalid = {{ from = \"since\" }}\n\
             [[link]]\npath = \"s.sku -> p.sku as of day\"\n[figures]\nv = \"n * p.price\"\n\
             [outputs.l]\nto = \"l.csv\"\ncolumns = [\"n\", \"v\"]\n"
        );
        let prices = "sku,since,price\nA,2025-03-05,5\nA,2025-03-06,7\n";
        let sales = format!("sku,day,n\nA,{day},2\n");
        let mut came = run(&plan, &[("s.csv", sales.as_bytes()), ("p.csv", prices.as_bytes())]);
        assert_eq!(came.take_file("l.csv"), "n,v\n2,10\n", "{like} {}", came.said());
    }
}

#[test]
fn rows_that_end_in_returns_may_hold_line_ends_in_quotes() {
    let plan = plan("s.csv", "", "v = \"2 * n\"", "columns = [\"x\", \"v\"]");
    let mut came = run(&plan, &[("s.csv", b"x,n\r\"a\nb\",1\rc,2\r")]);
    assert_eq!(came.take_file("l.csv"), "x,v\n\"a\nb\",2\nc,4\n");
}

#[test]
fn totals_of_what_is_unknown_are_rows_and_lines_without_a_day_are_in_no_year() {
    let all = plan("s.csv", "", "v = \"2 * n\"", "by = []\nshow = [\"v\"]");
    let mut came = run(&all, &[("s.csv", b"day,n\n2025-01-01,\n")]);
    assert_eq!(came.take_file("l.csv"), "v\n\"\"\n");
    let shifted = plan(
        "s.csv",
        "",
        "v = \"2 * n\"",
        "by = [\"year(day)\"]\nshow = [\"v\", \"year_before(v)\"]",
    );
    let mut came = run(&shifted, &[("s.csv", b"day,n\n2024-01-01,1\n,3\n2025-01-01,2\n")]);
    let lines = came.take_file("l.csv");
    assert_eq!(lines, "year(day),v,year_before(v)\n2024,2,\n2025,4,2\n,6,\n");
}

#[test]
fn a_column_that_parts_give_two_units_is_refused() {
    let plan = "[tables.s]\nrole = \"fact\"\n[[tables.s.part]]\nfrom = \"a.csv\"\ncolumns = { x = { type = \"percent\" } }\n\
                [[tables.s.part]]\nfrom = \"b.csv\"\ncolumns = { x = { scale = 0.01 } }\n[outputs.l]\nto = \"l.csv\"\n";
    let came = run(plan, &[("a.csv", b"x\n5 %\n"), ("b.csv", b"x\n5\n")]);
    assert_eq!(came.exit_status(), 2);
    assert!(
        came.said().contains("`x` is a percent in one [[part]] and has a `scale` in another"),
        "{}",
        came.said()
    );
}
