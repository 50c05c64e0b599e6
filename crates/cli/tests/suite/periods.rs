//! Prices over time: periods in every form, gaps, overlaps, several calendars for one line; against linear
//! scans.

use std::collections::BTreeMap;

use proptest::prelude::*;

use crate::support::Folder;

/// A plan with a price list that is valid as `valid` says, and a link with more settings.
fn plan(valid: &str, link: &str) -> String {
    format!(
        "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
         [tables.prices]\nfrom = \"prices.csv\"\nkey = \"sku\"\nvalid = {{ {valid} }}\n\
         [[link]]\npath = \"sales.item -> prices.sku as of day\"\n{link}\n\
         [figures]\nvalue = \"quantity * prices.price\"\n\
         [outputs.lines]\nto = \"out.csv\"\ncolumns = [\"no\", \"prices.price\"]\nstatus = true\n"
    )
}

fn folder(valid: &str, link: &str, prices: &str, days: &[&str]) -> Folder {
    let mut sales = String::from("no,day,item,quantity\n");
    for (no, day) in days.iter().enumerate() {
        sales += &format!("{no},{day},A,1\n");
    }
    let plan = plan(valid, link);
    Folder::with(&[("interligo.toml", &plan), ("sales.csv", &sales), ("prices.csv", prices)])
}

/// The price and status of each line.
fn priced(folder: &Folder) -> Vec<(String, String)> {
    let mut came = folder.run(&["run"]);
    assert_eq!(came.said(), "");
    let lines = came.take_file("out.csv");
    let cells = |line: &str| line.split(',').map(str::to_owned).collect::<Vec<_>>();
    lines.lines().skip(1).map(cells).map(|c| (c[1].clone(), c[2].clone())).collect()
}

fn prices_only(folder: &Folder) -> Vec<String> {
    priced(folder).into_iter().map(|(price, _)| price).collect()
}

#[test]
fn a_row_holds_from_a_day_until_another() {
    let list =
        "sku,from,until,price\nA,,2025-01-31,1\nA,2025-02-01,2025-02-28,2\nA,2025-03-10,,3\n";
    let days = [
        "2024-05-05",
        "2025-01-31",
        "2025-02-01",
        "2025-02-28",
        "2025-03-01",
        "2025-03-09",
        "2025-03-10",
    ];
    let included = folder("from = \"from\", until = \"until\"", "", list, &days);
    assert_eq!(prices_only(&included), ["1", "1", "2", "2", "", "", "3"]);
    // The last day is the first one after the period.
    let excluded =
        folder("from = \"from\", until = \"until\", ends = \"excluded\"", "", list, &days);
    assert_eq!(prices_only(&excluded), ["1", "", "2", "", "", "", "3"]);
}

#[test]
fn points_in_time_are_on_their_day_as_it_is_written() {
    let list = "sku,from,until,price\nA,,2025-01-31,1\nA,2025-02-01T00:00:00,,2\n";
    let days = [
        "2025-01-31T23:59:59+02:00",
        "2025-02-01 00:00",
        "2025-01-31T08:30:00.250Z",
        "2025-02-01T00:30:00-0500",
        "2025-02-01",
        "2025-02-01T25",
    ];
    let folder = folder("from = \"from\", until = \"until\"", "", list, &days);
    assert_eq!(prices_only(&folder), ["1", "2", "1", "2", "2", ""]);
    let check = folder.run(&["check", "--format", "csv"]);
    assert!(check.printed().contains("unreadable-value,sales,day,1,"), "{}", check.printed());
}

#[test]
fn a_row_holds_until_the_next_one_or_for_some_days() {
    let list = "sku,day,price\nA,2025-01-03,1\nA,2025-01-06,2\nA,2025-01-20,3\n";
    let days = [
        "2025-01-02",
        "2025-01-03",
        "2025-01-05",
        "2025-01-06",
        "2025-01-10",
        "2025-01-11",
        "2025-02-01",
    ];
    let open = folder("from = \"day\"", "", list, &days);
    assert_eq!(prices_only(&open), ["", "1", "1", "2", "2", "2", "3"]);
    let carry = folder("from = \"day\", carry = 4", "", list, &days);
    assert_eq!(prices_only(&carry), ["", "1", "1", "2", "2", "", ""]);
}

#[test]
fn a_row_holds_for_a_year_a_quarter_a_month_or_a_week() {
    let days = ["2024-12-29", "2024-12-30", "2025-01-05", "2025-03-31", "2025-04-01", "2025-12-31"];
    for (list, valid, expected) in [
        ("sku,when,price\nA,2025,1\n", "period = \"when\"", ["", "", "1", "1", "1", "1"]),
        (
            "sku,when,price\nA,2025-Q1,1\nA,Q2 2025,2\n",
            "period = \"when\"",
            ["", "", "1", "1", "2", ""],
        ),
        (
            "sku,when,price\nA,2025-03,1\nA,Dec 2024,2\n",
            "period = \"when\"",
            ["2", "2", "", "1", "", ""],
        ),
        // The first week of 2025 begins in December.
        (
            "sku,when,price\nA,2025-W01,1\nA,2025-W14,2\n",
            "period = \"when\"",
            ["", "1", "1", "2", "2", ""],
        ),
        (
            "sku,y,m,price\nA,2025,3,1\nA,2025,04,2\nA,2024,Dec,3\n",
            "year = \"y\", month = \"m\"",
            ["3", "3", "", "1", "2", ""],
        ),
        (
            "sku,y,q,price\nA,2025,Q1,1\nA,2025,4,2\n",
            "year = \"y\", quarter = \"q\"",
            ["", "", "1", "1", "", "2"],
        ),
        ("sku,y,price\nA,2024,1\nA,2025,2\n", "year = \"y\"", ["1", "1", "2", "2", "2", "2"]),
    ] {
        assert_eq!(prices_only(&folder(valid, "", list, &days)), expected, "{list}");
    }
}

#[test]
fn lists_by_year_are_stacked_with_the_year_of_their_name() {
    let plan = plan("year = \"year\"", "")
        .replace("from = \"prices.csv\"", "from = \"prices_{year}.csv\"");
    let folder = Folder::with(&[
        ("interligo.toml", &plan),
        (
            "sales.csv",
            "no,day,item,quantity\n1,2024-02-29,A,1\n2,2025-02-28,A,1\n3,2026-01-01,A,1\n",
        ),
        ("prices_2024.csv", "sku,price\nA,1\n"),
        ("prices_2025.csv", "sku,price\nA,2\n"),
    ]);
    assert_eq!(prices_only(&folder), ["1", "2", ""]);
}

#[test]
fn gaps_are_bridged_as_the_plan_says_and_said() {
    let list = "sku,from,until,price\nA,2025-01-10,2025-01-20,1\nA,2025-02-01,2025-02-10,2\n";
    let days = ["2025-01-01", "2025-01-22", "2025-01-30", "2025-02-20"];
    let come =
        |link: &str| priced(&folder("from = \"from\", until = \"until\"", link, list, &days));
    let named = |all: &[(&str, &str)]| -> Vec<(String, String)> {
        all.iter().map(|(price, how)| ((*price).to_owned(), (*how).to_owned())).collect()
    };
    let (none, carried) = ("undated", "carried");
    for (link, expected) in [
        ("", [("", none), ("", none), ("", none), ("", none)]),
        ("gap = \"earlier\"", [("", none), ("1", carried), ("1", carried), ("2", carried)]),
        ("gap = \"later\"", [("1", carried), ("2", carried), ("2", carried), ("", none)]),
        ("gap = \"nearest\"", [("1", carried), ("1", carried), ("2", carried), ("2", carried)]),
        (
            "gap = { between = \"earlier\" }",
            [("", none), ("1", carried), ("1", carried), ("", none)],
        ),
        (
            "gap = { before = \"later\", after = \"earlier\", days = 9 }",
            [("1", carried), ("", none), ("", none), ("", none)],
        ),
    ] {
        let with_days: Vec<(String, String)> = come(link)
            .into_iter()
            .map(|(price, how)| (price, how.split(' ').next().unwrap().to_owned()))
            .collect();
        assert_eq!(with_days, named(&expected), "{link}");
    }
    // How many days a price was carried is beside it.
    assert_eq!(come("gap = \"earlier\"")[1].1, "carried 2 days");
    let folder = folder("from = \"from\", until = \"until\"", "gap = \"earlier\"", list, &days);
    let check = folder.run(&["check", "--format", "csv"]);
    for row in [
        "undated-key,prices,A,1,",
        ",before the first period, from 2025-01-10",
        "carried-key,prices,A,3,",
        "took the row of up to 10 days away",
        "period-gap,prices,A,1,,,,prices.csv:2,prices.csv:3,,,,2025-01-21 to 2025-01-31",
    ] {
        assert!(check.printed().replace('"', "").contains(row), "{row}\n{}", check.printed());
    }
}

#[test]
fn a_gap_or_an_overlap_may_end_the_run() {
    let list = "sku,from,until,price\nA,2025-01-01,2025-01-20,1\nA,2025-01-15,2025-02-10,2\n";
    let days = ["2025-01-17", "2025-03-01"];
    let valid = "from = \"from\", until = \"until\"";
    let came = folder(valid, "overlap = \"first\"\ngap = \"stop\"", list, &days).run(&["run"]);
    assert_eq!(
        came.said(),
        "error: 1 line on a day on which no row of its key is valid in `prices`\n  `A` 2025-03-01 to 2025-03-01\n  \
         fix: complete the periods, or change `gap` of the link; `interligo check undated-key` lists them\n\
         Nothing was written.\n"
    );
    came.status(1).any_stderr().nothing_else();
    let stopped = folder(valid, "", list, &days).run(&["run"]).status(1);
    assert!(
        stopped.said().contains("on a day on which several rows are valid in `prices`"),
        "{}",
        stopped.said()
    );
    for (rule, price) in [("first", "1"), ("last", "2"), ("latest-start", "2"), ("blank", "")] {
        let folder = folder(valid, &format!("overlap = \"{rule}\""), list, &days[..1]);
        assert_eq!(prices_only(&folder), [price], "{rule}");
        let check = folder.run(&["check", "--format", "csv"]);
        assert!(
            check.printed().contains("\"2025-01-15 to 2025-01-20, with other values\""),
            "{}",
            check.printed()
        );
    }
}

#[test]
fn the_special_price_holds_where_there_is_one_else_the_general() {
    let plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
        [tables.sales.columns]\neveryone = { formula = \"'all'\" }\n\
        [tables.customers]\nfrom = \"customers.csv\"\nkey = \"no\"\n\
        [tables.prices]\nfrom = \"prices.csv\"\nkey = [\"sku\", \"for\"]\nvalid = { from = \"from\", until = \"until\" }\n\
        [tables.rates]\nfrom = \"rates.csv\"\nkey = \"currency\"\nvalid = { from = \"day\", carry = 3 }\n\
        [[link]]\npath = \"sales.customer -> customers.no\"\n\
        [[link]]\npath = \"sales.item + customers.type or sales.item + sales.everyone -> prices.sku + prices.for as of day\"\n\
        [[link]]\npath = \"prices.currency -> rates.currency as of sales.day\"\nwhen = \"prices.currency <> 'EUR'\"\n\
        [figures]\nvalue = \"quantity * prices.price * if prices.currency = 'EUR' then 1 else rates.rate\"\n\
        [outputs.lines]\nto = \"out.csv\"\ncolumns = [\"no\", \"value\"]\nstatus = true\n";
    let folder = Folder::with(&[
        ("interligo.toml", plan),
        ("customers.csv", "no,type\n1,Trade\n2,Hobby\n"),
        (
            "prices.csv",
            "sku,for,from,until,price,currency\nA,all,2025-01-01,,10,EUR\nA,Trade,2025-02-01,2025-02-28,8,CHF\n",
        ),
        // No rates at weekends; the first of March 2025 was a Saturday.
        ("rates.csv", "currency,day,rate\nCHF,2025-02-07,1.05\nCHF,2025-02-10,1.06\n"),
        (
            "sales.csv",
            "no,customer,day,item,quantity\n1,1,2025-01-31,A,2\n2,1,2025-02-09,A,2\n3,2,2025-02-09,A,2\n4,1,2025-02-20,A,2\n5,1,2025-03-01,A,1\n",
        ),
    ]);
    // Lines are on the calendar of the row that they found, or, without one, of the key that they look for first.
    for (key, first, lines) in [
        ("A + Trade", "2025-02-01", "2 lines; █ is 1 line in 1 day"),
        ("A + all", "2025-01-01", "3 lines; █ is 1 line in 1 day"),
        ("CHF", "2025-02-07", "2 lines; █ is 1 line in 1 day"),
    ] {
        let came = folder.run(&["calendar", if key == "CHF" { "rates" } else { "prices" }, key]);
        let printed = came.printed();
        assert!(printed.contains(lines) && printed.contains(first), "{key}: {printed}");
        assert_eq!(printed.contains("▲ 1 line"), key == "CHF", "{key}: {printed}");
    }
    let mut came = folder.run(&["run"]);
    assert_eq!(came.said(), "");
    assert_eq!(
        came.take_file("out.csv"),
        "no,value,customers status,customers key,prices status,prices key,rates status,rates key\n\
         1,20.00,exact,1,alternate 2,A + all,not-needed,\n\
         2,16.80,exact,1,exact,A + Trade,exact,CHF\n\
         3,20.00,exact,2,alternate 2,A + all,not-needed,\n\
         4,,exact,1,exact,A + Trade,undated,\n\
         5,10.00,exact,1,alternate 2,A + all,not-needed,\n"
    );
}

#[test]
fn what_is_wrong_with_a_calendar_is_a_finding() {
    let list = "sku,when,price\nA,2025,1\nA,2025-03,2\nA,soon,3\nB,0205,4\n";
    let check = folder(
        "period = \"when\"",
        "overlap = \"latest-start\"",
        list,
        &["2025-03-05", "0205-01-01", "20255-01-01", ""],
    )
    .run(&["check", "--format", "csv"]);
    for row in [
        "mixed-periods,prices,,2,,,,prices.csv:2,prices.csv:3,,,,\"year: 2, month: 1\"",
        "row-left-out,prices,,1,,,,prices.csv:4,prices.csv:4,,,,a day of its period cannot be read",
        "implausible-date,prices,,1,,,,prices.csv:5 `0205-01-01`,",
        "implausible-date,sales,,1,,,,sales.csv:3 `0205-01-01`,",
        "unreadable-value,sales,day,1,,,,sales.csv:4 `20255-01-01`,",
        "period-overlap,prices,A,1,,,,prices.csv:2,prices.csv:3,,,,\"2025-03-01 to 2025-03-31, with other values\"",
    ] {
        assert!(check.printed().contains(row), "{row}\n{}", check.printed());
    }
}

#[test]
fn settings_that_do_not_go_together_are_refused_at_their_place() {
    for (valid, link, said) in [
        (
            "from = \"when\", period = \"when\"",
            "",
            "days and a period do not go together in `valid`",
        ),
        ("until = \"when\"", "", "`until` needs a `from` beside it in `valid`"),
        (
            "from = \"when\", until = \"when\", carry = 3",
            "",
            "`carry` does not go with `until` in `valid`",
        ),
        ("month = \"when\"", "", "there is no day, period or year in `valid`"),
        ("period = \"when\", ends = \"excluded\"", "", "a whole period has its own end"),
        ("period = \"wen\"", "", "`prices` has no column `wen`"),
        ("period = \"when\"", "gap = \"before\"", "`before` is not one of the choices here"),
        ("period = \"when\"", "gap = { befor = \"later\" }", "there is no plan key `befor` here"),
        ("period = \"when\"", "overlap = \"newest\"", "`newest` is not one of the choices here"),
    ] {
        let came = folder(valid, link, "sku,when,price\nA,2025,1\n", &["2025-01-01"])
            .run(&["run"])
            .status(2);
        assert!(came.said().contains(said), "{said}\n{}", came.said());
    }
    let plain = "[tables.sales]\nrole = \"fact\"\nfrom = \"s.csv\"\n[tables.p]\nfrom = \"p.csv\"\nkey = \"k\"\n\
                 [[link]]\npath = \"sales.k -> p.k\"\ngap = \"earlier\"\n";
    let came = Folder::with(&[("interligo.toml", plain), ("s.csv", "k\n1\n"), ("p.csv", "k\n1\n")])
        .run(&["run"])
        .status(2);
    assert!(
        came.said().contains("the rows of `p` have no period, so `gap` has no effect"),
        "{}",
        came.said()
    );
}

#[test]
fn the_calendar_shows_the_worst_keys_and_one_of_them() {
    let list = "sku,from,until,price\nA,2025-01-10,2025-01-20,1.00\nA,2025-02-01,,1.25\nB,2025-01-01,,7\nC,2025-01-01,2025-03-01,1\nC,2025-02-01,,2\n";
    let folder = folder(
        "from = \"from\", until = \"until\"",
        "overlap = \"last\"",
        list,
        &["2025-01-12", "2025-01-25", "2025-02-03"],
    );
    let mut all = folder.run(&["calendar"]);
    assert!(
        all.printed().contains("  A          2     1         ·              1        ·  "),
        "{}",
        all.printed()
    );
    assert!(!all.printed().contains("\n  B "), "{}", all.printed());
    all = folder.run(&["calendar", "A"]);
    insta::assert_snapshot!("calendar_of_a_key", all.printed());
    // Days that can hardly be meant do not stretch the axis, and lines without one are told.
    let list = "sku,from,until,price\nA,2025-01-10,2025-01-20,1\n";
    let days = ["2025-01-12", "0205-01-13", "", "2025-02-03"];
    let odd = self::folder("from = \"from\", until = \"until\"", "", list, &days);
    let came = odd.run(&["calendar", "A"]);
    let printed = came.printed();
    assert!(
        printed.contains("\n  2025-01-10  ") && printed.contains("  2025-02-03\n"),
        "{printed}"
    );
    assert!(printed.contains("2 lines; █ is 1 line"), "{printed}");
    assert!(printed.contains("2 lines without a day, or on one that can hardly be"), "{printed}");
    let mut drawn = folder.run(&["calendar", "prices", "A", "--svg", "a.svg"]);
    let svg = drawn.take_file("a.svg");
    assert!(
        svg.starts_with("<svg ")
            && svg.ends_with("</svg>\n")
            && svg.contains("1 line without a valid row"),
        "{svg}"
    );
    for (arguments, said) in [
        (&["calendar", "prices", "D"][..], "error: the lookup of `prices` has no key `D`\n"),
        (
            &["calendar", "price", "A"],
            "error: there is no dated link called `price`, and none of their lookups has such a key\n  \
             fix: did you mean `prices`?\n",
        ),
    ] {
        let came = folder.run(arguments).status(2);
        assert!(came.said().starts_with(said), "{}", came.said());
    }
}

#[test]
fn the_calendar_of_several_candidates_counts_the_lines_that_need_a_row() {
    let plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
        [tables.prices]\nfrom = \"prices.csv\"\nkey = \"sku\"\nvalid = { from = \"since\", until = \"to\" }\n\
        [[link]]\npath = \"sales.a or sales.b -> prices.sku as of sales.day\"\nwhen = \"qty > 0\"\nNEEDS\n\
        [figures]\nrevenue = \"qty * prices.price\"\n";
    let sales =
        "a,b,day,qty\nx,y,2025-01-05,1\nx,y,2025-03-05,1\nq,y,2025-03-05,1\nx,,2025-03-05,0\n";
    let prices = "sku,since,to,price\nx,2025-01-01,2025-01-31,5\ny,2025-01-01,2025-01-31,5\nz,2025-01-01,2025-01-31,\n";
    let folder = Folder::with(&[
        ("interligo.toml", &plan.replace("NEEDS", "")),
        ("sales.csv", sales),
        ("prices.csv", prices),
    ]);
    let all = folder.run(&["calendar"]);
    assert!(all.printed().contains("  y          1     ·         ·              2 "), "{all:?}");
    assert!(all.printed().contains("  x          1     ·         ·              1 "), "{all:?}");
    let one = folder.run(&["calendar", "x"]);
    assert!(one.printed().contains("  2 lines; █ is 1 line"), "{}", one.printed());
    assert!(
        one.printed().contains("1 line with x or y without a valid row: 2025-03-05"),
        "{one:?}"
    );
    // Every period has its row, and lines without one are told behind them.
    let csv = folder.run(&["calendar", "--format", "csv"]);
    let rows = "x,2025-01-01,2025-01-31,1,1,5\ny,2025-01-01,2025-01-31,0,,\nz,2025-01-01,2025-01-31,0,,\n,,,2,2,\n";
    assert!(csv.printed().ends_with(rows), "{}", csv.printed());
    // A row that lacks what the link needs is no row.
    let folder = Folder::with(&[
        ("interligo.toml", &plan.replace("NEEDS", "needs = [\"price\"]")),
        ("sales.csv", "a,b,day,qty\nx,y,2025-01-05,1\nz,,2025-01-05,1\n"),
        ("prices.csv", prices),
    ]);
    let all = folder.run(&["calendar"]);
    assert!(
        all.printed().contains("1 line without a row for other reasons: 1 incomplete"),
        "{}",
        all.printed()
    );
}

#[test]
fn a_key_that_figures_take_for_a_number_has_a_calendar() {
    let plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
        [tables.prices]\nfrom = \"prices.csv\"\nkey = \"no\"\nvalid = { period = \"year\" }\n\
        [[link]]\npath = \"sales.item -> prices.no as of day\"\n\
        [figures]\nodd = \"prices.no * 2 + quantity\"\n";
    let folder = Folder::with(&[
        ("interligo.toml", plan),
        ("sales.csv", "day,item,quantity\n2025-01-05,7,1\n2023-05-05,7,2\n"),
        ("prices.csv", "no,year\n7,2025\n 7,2024\n"),
    ]);
    let came = folder.run(&["calendar", "prices", "7"]);
    assert!(came.printed().contains("  2 lines; █ is 1 line in "), "{}", came.printed());
    assert!(came.printed().contains("\n  ▲ 1 line\n"), "{}", came.printed());
}

/// A day of a few weeks around the end of February of a leap year and the end of the year.
fn day() -> impl Strategy<Value = i64> {
    prop_oneof![40i64..70, 355i64..375]
}

fn text(day: i64) -> String {
    (jiff::civil::date(2024, 1, 1) + jiff::Span::new().days(day)).to_string()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// The built program against a linear scan over the periods, with all rules.
    #[test]
    fn prop_a_line_gets_the_price_that_a_scan_finds(
        periods in prop::collection::vec((prop::option::of(day()), prop::option::of(0i64..20)), 0..6),
        excluded in any::<bool>(),
        gap in prop::sample::select(vec!["blank", "earlier", "later", "nearest"]),
        overlap in prop::sample::select(vec!["blank", "latest-start", "first", "last"]),
        most in prop::option::of(0i64..15),
        turn in any::<bool>(),
    ) {
        // Of each row, its first and its last day; far away where they are open.
        let spans: Vec<(i64, i64)> = periods
            .iter()
            .map(|(from, length)| {
                let first = from.unwrap_or(-100_000);
                let last = length.map_or(100_000, |length| from.unwrap_or(50) + length);
                (first, if excluded && length.is_some() { last - 1 } else { last })
            })
            .collect();
        let mut same: BTreeMap<(i64, i64), usize> = BTreeMap::new();
        spans.iter().for_each(|span| *same.entry(*span).or_default() += 1);
        prop_assume!(same.values().all(|count| *count == 1));
        let mut rows: Vec<(usize, String)> = Vec::new();
        for (row, (from, length)) in periods.iter().enumerate() {
            let from_text = from.map_or(String::new(), text);
            let until = length.map_or(String::new(), |length| text(from.unwrap_or(50) + length));
            rows.push((row, format!("A,{from_text},{until},{row}\n")));
        }
        if turn {
            rows.reverse();
        }
        let order: Vec<usize> = rows.iter().map(|(row, _)| *row).collect();
        let list = rows.iter().fold("sku,from,until,price\n".to_owned(), |all, (_, row)| all + row);
        let ends = if excluded { "excluded" } else { "included" };
        let gaps = match most {
            None => format!("gap = \"{gap}\""),
            Some(days) => format!("gap = {{ before = \"{gap}\", between = \"{gap}\", after = \"{gap}\", days = {days} }}"),
        };
        let days: Vec<i64> = (38..72).chain(353..377).collect();
        let texts: Vec<String> = days.iter().map(|day| text(*day)).collect();
        let texts: Vec<&str> = texts.iter().map(String::as_str).collect();
        let folder = folder(
            &format!("from = \"from\", until = \"until\", ends = \"{ends}\""),
            &format!("{gaps}\noverlap = \"{overlap}\""),
            &list,
            &texts,
        );
        let found = prices_only(&folder);
        let at = |row: &usize| order.iter().position(|other| other == row);
        for (day, price) in days.iter().zip(found) {
            let valid = |row: &usize| spans[*row].0 <= spans[*row].1;
            let all = || (0..spans.len()).filter(valid);
            let holding: Vec<usize> = all().filter(|row| spans[*row].0 <= *day && *day <= spans[*row].1).collect();
            let expected = match holding.as_slice() {
                [] => {
                    let earlier = all().filter(|row| spans[*row].1 < *day).max_by_key(|row| (spans[*row].1, spans[*row].0, at(row)));
                    let later = all().filter(|row| spans[*row].0 > *day).min_by_key(|row| (spans[*row].0, spans[*row].1, at(row)));
                    let far = |row: usize| (day - spans[row].1).max(spans[row].0 - day);
                    let chosen = match gap {
                        "earlier" => earlier,
                        "later" => later,
                        "nearest" => [earlier, later].into_iter().flatten().min_by_key(|row| far(*row)),
                        _ => None,
                    };
                    chosen.filter(|row| most.is_none_or(|most| far(*row) <= most))
                }
                [only] => Some(*only),
                several => match overlap {
                    "first" => several.iter().copied().min_by_key(|row| at(row)),
                    "last" => several.iter().copied().max_by_key(|row| at(row)),
                    "latest-start" => several.iter().copied().max_by_key(|row| (spans[*row].0, at(row))),
                    _ => None,
                },
            };
            let expected = expected.map_or(String::new(), |row| row.to_string());
            prop_assert_eq!(price, expected, "{} in {}", text(*day), list);
        }
    }
}
