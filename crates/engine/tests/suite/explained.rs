//! What the engine says of its lines and lookups to those who show them: keys as they were tried, faults of calendars, what
//! measures are made of and how they are shown, and what is wrong with a plan or a list.

use std::collections::BTreeSet;

use interligo_engine::bind::{ColumnNames, Request, TableColumns, TotalsRequest, bind};
use interligo_engine::engine::Engine;
use interligo_engine::lines::Lines;
use interligo_engine::links::LinkStatus;
use interligo_engine::live::LiveMeasure;
use interligo_engine::lookup::Lookup;
use interligo_engine::totals::MeasureKind;
use interligo_engine::trace::LineTrace;
use interligo_model::plan::{MistakeKind, Plan};

use crate::support::{Asked, Tables, engine, over_all_lines, raw, run_whole, shown, table, tables};

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.prices]\nfrom = 'p.csv'\nkey = 'sku'\n\
     valid = { from = 'since', until = 'last' }\n[[link]]\npath = 'sales.item or sales.other -> prices.sku as of day'\n\
     [figures]\nrevenue = 'quantity * prices.price'\nper_hundred = 'revenue / 100'\n\
     share = { formula = 'revenue / quantity', shown = 'percent' }\n";

fn shop(sales: &str, prices: &str) -> Tables {
    tables(&[("sales", sales), ("prices", prices)])
}

const SALES: &str =
    "item,other,day,quantity\nA,,2025-01-05,2\n a ,,2025-01-12,3\nX,B,2025-01-05,4\n,,2025-01-05,5";

const PRICES: &str = "sku,since,last,price\nA,2025-01-01,2025-01-09,1.50\nA,2025-01-11,2025-01-31,2\nB,2025-01-01,2025-01-20,3\n\
     B,2025-01-15,2025-01-31,3\nB,2025-01-28,2025-02-10,4";

/// What the lines of the sales, in one batch, say of themselves.
fn traces(engine: &Engine, tables: &Tables) -> Vec<LineTrace> {
    let traces = |lines: &Lines<'_>| (0..lines.rows).map(|row| lines.trace(row)).collect();
    over_all_lines(engine, tables, traces)
}

#[test]
fn a_trace_has_the_keys_that_were_tried_and_the_day() {
    let tables = shop(SALES, PRICES);
    let (engine, _) = engine(PLAN, &tables, &[], &[]);
    let tried: Vec<(Vec<String>, bool)> = traces(&engine, &tables)
        .iter()
        .map(|line| {
            let keys = line.links[0].attempts.iter().map(|attempt| attempt.written.clone());
            (keys.collect(), line.links[0].day.is_some())
        })
        .collect();
    let keys = |keys: &[&str]| (keys.iter().map(|key| (*key).to_owned()).collect(), true);
    assert_eq!(tried[0], keys(&["A"]));
    assert_eq!(tried[1].0[0].trim(), "a");
    assert_eq!(tried[2], keys(&["X", "B"]), "the second where the first has no row");
}

#[test]
fn a_link_behind_a_link_says_how_its_key_was_found() {
    let plan = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n\
         [tables.families]\nfrom = 'f.csv'\nkey = 'code'\n[[link]]\npath = 'sales.item -> products.sku'\n\
         [[link]]\npath = 'products.family -> families.code'\n[figures]\nworth = 'quantity * families.rate'\n";
    let tables = tables(&[
        ("sales", "item,quantity\nA,1\nB,2\nC,3\nD,4\nX,5"),
        ("products", "sku,family,no\nA,hive,1\nB, hive ,2\nC,none,3\nD,,4"),
        ("families", "code,rate\nhive,2"),
    ]);
    let (engine, _) = engine(plan, &tables, &[], &["worth"]);
    let statuses: Vec<LinkStatus> =
        traces(&engine, &tables).iter().map(|line| line.links[1].status).collect();
    let expected =
        [LinkStatus::Exact, LinkStatus::Cleaned, LinkStatus::Unmatched, LinkStatus::Blank];
    assert_eq!(statuses[..4], expected);
    assert!(!statuses[4].is_found());
}

#[test]
fn gaps_and_overlaps_of_a_calendar_are_told_apart() {
    let (engine, _) = engine(PLAN, &shop(SALES, PRICES), &[], &[]);
    let faults = |most| {
        let one = |fault: interligo_engine::proof::balance::CalendarFault| {
            (fault.key, fault.from.to_string(), fault.until.to_string(), fault.overlap)
        };
        engine.calendar_faults(0, most).into_iter().map(one).collect::<Vec<_>>()
    };
    let day = |day: &str| day.to_owned();
    assert_eq!(
        faults(9),
        [
            ("A".to_owned(), day("2025-01-10"), day("2025-01-10"), None),
            ("B".to_owned(), day("2025-01-15"), day("2025-01-20"), Some(true)),
            ("B".to_owned(), day("2025-01-28"), day("2025-01-31"), Some(false)),
        ]
    );
    assert_eq!(faults(2).len(), 2);
}

#[test]
fn a_calendar_without_a_day_between_has_no_fault() {
    let even = "sku,since,last,price\nA,2025-01-01,2025-01-09,1\nA,2025-01-10,2025-01-31,2";
    let (engine, _) = engine(PLAN, &shop(SALES, even), &[], &[]);
    assert_eq!(engine.calendar_faults(0, 9).len(), 0);
}

/// The measures of a table by name, with what each is made of and how it is shown.
fn measures((_, outputs): &Asked) -> Vec<(String, &'static str)> {
    let made_of = |measure: &Option<LiveMeasure>| match measure {
        None => "nothing",
        Some(LiveMeasure::Lines) => "lines",
        Some(LiveMeasure::Sum(_)) => "sum",
        Some(LiveMeasure::Average(_)) => "average",
        Some(LiveMeasure::Known(_)) => "known",
        Some(LiveMeasure::Blank(_)) => "blank",
        Some(LiveMeasure::Ratio { .. }) => "ratio",
    };
    let measures = outputs[0].named_measures();
    measures.iter().map(|(name, measure)| (name.clone(), made_of(measure))).collect()
}

#[test]
fn measures_say_what_they_are_made_of() {
    let show = [
        "lines",
        "revenue",
        "avg(quantity)",
        "count(revenue)",
        "blank(revenue)",
        "share",
        "max(quantity)",
    ];
    let asked = engine(PLAN, &shop(SALES, PRICES), &["item"], &show);
    let made = ["lines", "sum", "average", "known", "blank", "ratio", "nothing"];
    let names = show.iter().zip(made).map(|(name, made)| ((*name).to_owned(), made));
    assert_eq!(measures(&asked), names.collect::<Vec<_>>());
    let live = asked.1[0].live_totals().unwrap();
    assert_eq!((live.by.len(), live.measures.len()), (1, 7));
}

#[test]
fn measures_are_shown_as_the_plan_says_or_by_what_they_are() {
    let show = ["lines", "quantity", "revenue", "share", "per_hundred", "min(day)"];
    let asked = engine(PLAN, &shop(SALES, PRICES), &["item"], &show);
    let (_, table) = run_whole(&asked, &shop(SALES, PRICES));
    let kinds: Vec<MeasureKind> = table.measures.iter().map(|measure| measure.kind).collect();
    use MeasureKind::{Amount, Count, Other, Percent};
    // A hundredth of a number of two places has four.
    assert_eq!(kinds, [Count, Amount(0), Amount(2), Percent(1), Amount(4), Other]);
    let all = shown(&table);
    assert_eq!(all.iter().find(|row| row[0] == "A").unwrap()[5], "0.03", "3 by a hundred");
}

#[test]
fn a_name_that_two_have_is_a_mistake() {
    let names = |more: &str| {
        let plan = format!("{PLAN}[bands.{more}]\nof = 'quantity'\nedges = [1]\n");
        let mut column_names = ColumnNames::default();
        for (name, columns) in
            [("sales", "item,other,day,quantity"), ("prices", "sku,since,last,price")]
        {
            let names = columns.split(',').map(str::to_owned).collect();
            column_names.0.insert(name.into(), TableColumns { names, slots: BTreeSet::new() });
        }
        bind(&Plan::parse(&plan).unwrap(), &column_names, &[], &BTreeSet::new()).map(|_| ())
    };
    assert!(names("size").is_ok());
    let mistakes = names("revenue").unwrap_err();
    assert_eq!(mistakes[0].kind, MistakeKind::DuplicateName);
    assert_eq!(mistakes[0].message, "`revenue` is a figure already");
}

#[test]
fn what_totals_show_is_read_where_nothing_else_needs_it() {
    let sales = "item,other,day,quantity,weight\nA,,2025-01-05,2,10\nA,,2025-01-06,1,5";
    let asked = engine(PLAN, &shop(sales, PRICES), &["item"], &["weight", "max(weight)"]);
    let (_, table) = run_whole(&asked, &shop(sales, PRICES));
    assert_eq!(shown(&table), [["A", "15", "10"]]);
    let request = Request::of_totals("totals", TotalsRequest::default());
    assert!(!request.content.is_page());
}

/// A price list whose rows of a key lie anywhere, long enough for several cores.
#[test]
fn rows_of_a_key_that_lie_apart_are_found_by_their_days() {
    const KEYS: usize = 7_001;
    let row = |number: usize| {
        let (key, month) = (number * 31 % KEYS, 1 + number / KEYS);
        format!("K{key},2025-{month:02}-01,2025-{month:02}-28,{}.{month:02}\n", key % 97)
    };
    let prices = format!("sku,since,last,price\n{}", (0..4 * KEYS).map(row).collect::<String>());
    let line = |number: usize| {
        let (key, month) = (number * 97 % KEYS, 1 + number % 4);
        (
            format!("K{key},,2025-{month:02}-{:02},1\n", 1 + number % 28),
            format!("{}.{month:02}", key % 97),
        )
    };
    let lines: Vec<(String, String)> = (0..500).map(line).collect();
    let sales = format!(
        "item,other,day,quantity\n{}",
        lines.iter().map(|(line, _)| line.as_str()).collect::<String>()
    );
    let tables = shop(&sales, &prices);
    let (engine, _) = engine(PLAN, &tables, &[], &[]);
    for (trace, (line, price)) in traces(&engine, &tables).iter().zip(&lines) {
        let revenue = trace.figures.iter().find(|figure| figure.name == "revenue").unwrap();
        assert_eq!(revenue.value.to_string(), *price, "{line}");
    }
}

#[test]
fn a_period_that_begins_within_a_day_is_refused() {
    let plan = Plan::parse(PLAN).unwrap();
    let mut column_names = ColumnNames::default();
    for (name, columns) in
        [("sales", "item,other,day,quantity"), ("prices", "sku,since,last,price")]
    {
        let names = columns.split(',').map(str::to_owned).collect();
        column_names.0.insert(name.into(), TableColumns { names, slots: BTreeSet::new() });
    }
    let bound =
        bind(&plan, &column_names, &[], &BTreeSet::new()).unwrap().remove(0).lookups.remove(0);
    let settled = |since: &str, last: &str| {
        let rows = table(&format!("sku,since,last,price\nA,{since},{last},1"));
        Lookup::settle(raw("prices", &rows), &bound).map(|_| ()).map_err(|mistake| mistake.message)
    };
    assert_eq!(settled("2025-01-01 00:00", "2025-01-31 23:59"), Ok(()));
    let refused = settled("2025-01-01 12:30", "2025-01-31").unwrap_err();
    assert!(refused.starts_with("a period of `prices` begins or ends within a day: "), "{refused}");
    assert!(settled("2025-01-01", "2025-01-31 12:00").is_err());
    assert!(
        settled("2025-01-01 23:59", "2025-01-31").is_err(),
        "the end of a day is none to begin at"
    );
}
