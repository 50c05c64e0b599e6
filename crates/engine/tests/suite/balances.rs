//! What an engine says of a link when all lines are through: which counts must close, which keys are in lines, in the lookup
//! or in both, which are meant, and what became of corrections.

use interligo_engine::engine::Engine;
use interligo_engine::links::{CorrectionOutcome, LinkStatus, StatusCounts};
use interligo_engine::near::Likeness;
use interligo_engine::proof::balance::Balance;
use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::tallies::KEYS_KEPT;
use interligo_engine::proof::usage::{LookupUse, Usage};
use interligo_model::plan::{Correction, Plan};
use interligo_model::values::date::Day;

use crate::support::{
    Asked, Tables, over_all_lines, prepared, run, run_whole, tables, totals_request,
};

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n\
     [tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n\
     [tables.families]\nfrom = 'f.csv'\nkey = 'code'\n\
     [tables.prices]\nfrom = 'r.csv'\nkey = 'sku'\nvalid = { from = 'since', until = 'last' }\n\
     [tables.depots]\nfrom = 'd.csv'\nkey = ['land', 'no']\n\
     [[link]]\npath = 'sales.item -> products.sku'\nignore = ['case']\n\
     [[link]]\npath = 'products.family -> families.code'\nmissing = 'fill'\nfill = { rate = 7 }\n\
     [[link]]\npath = 'sales.item or sales.other -> prices.sku as of day'\ngap = 'earlier'\n\
     [[link]]\npath = 'sales.land + no -> depots.land + no'\nwhen = \"land <> 'XX'\"\n\
     [plan]\nweigh-by = 'revenue'\n\
     [figures]\nrevenue = 'quantity * prices.price'\nworth = 'quantity * families.rate'\n";

/// One line of each kind: as it is written, cleaned, in other case, corrected, unknown, blank, and on a day without a price.
fn shop() -> Tables {
    tables(&[
        (
            "sales",
            "item,other,day,quantity,land,no\nHV-1,,2025-01-05,2,DE,1\n HV-2 ,,2025-01-12,3,DE,2\nhv-1,,2025-01-05,4,DE,9\n\
             HIVE,,2025-01-06,5,XX,1\nHV-10,SM-5,2025-01-05,6,AT,1\n,,2025-01-05,7,,\nSM-5,,2025-02-20,8,DE,1",
        ),
        ("products", "sku,family\nHV-1,hive\nHV-2,wax\nSM-5,\nVL-9,hive"),
        ("families", "code,rate\nhive,2\nveil,3"),
        (
            "prices",
            "sku,since,last,price\nHV-1,2025-01-01,2025-01-31,1.50\nHV-2,2025-01-01,2025-01-10,2\nHV-2,2025-01-15,2025-01-31,2.50\n\
             SM-5,2025-01-01,2025-01-31,3\nQQ-7,2025-01-01,,4",
        ),
        ("depots", "land,no,place\nDE,1,Kiel\nDE,2,Ulm\nAT,1,Graz\nAT,7,Linz"),
    ])
}

fn correction(link: &str, found: &str, used: &str) -> Correction {
    let [link, found, used] = [link, found, used].map(str::to_owned);
    Correction { link, found, used, note: String::new(), row: 2 }
}

fn asked() -> Asked {
    asked_of(PLAN)
}

fn asked_of(plan: &str) -> Asked {
    let corrections = vec![
        correction("products", "HIVE", "HV-2"),
        correction("products", "HV-1", "HV-2"),
        correction("products", "VEIL", "VL-9"),
        correction("products", "VEIL", "SM-5"),
        correction("products", "OLD", "GONE"),
        correction("products", "HIVE", "HV-2"),
        correction("prices", "HIVE", "HV-2"),
    ];
    let plan = Plan::parse(plan).unwrap();
    prepared(&plan, &shop(), &[totals_request(&[], &["lines"])], corrections).unwrap()
}

// The links by number, in the order of the plan.
const PRODUCTS: usize = 0;
const FAMILIES: usize = 1;
const PRICES: usize = 2;
const DEPOTS: usize = 3;

fn counts(of: &[(LinkStatus, u64)]) -> StatusCounts {
    let mut counts = StatusCounts::default();
    of.iter().for_each(|(status, lines)| counts[*status as usize] = *lines);
    counts
}

/// What was found, and which rows of lookups lines have.
fn passed(asked: &Asked) -> (Findings, Usage) {
    let (findings, _) = run_whole(asked, &shop());
    let usage = over_all_lines(&asked.0, &shop(), |lines| {
        let mut usage = Usage::new(&asked.0);
        usage.add(lines);
        usage
    });
    (findings, usage)
}

fn balance(asked: &Asked, link: usize) -> Balance {
    let (findings, usage) = passed(asked);
    asked.0.balance(link, &findings, &usage)
}

#[test]
fn the_counts_of_a_link_close_over_lines_and_keys() {
    use LinkStatus::*;
    let asked = asked();
    for (link, lines, keys) in [
        (
            PRODUCTS,
            vec![(Exact, 1), (Cleaned, 1), (Mended, 3), (Unmatched, 1), (Blank, 1)],
            [2, 1, 2],
        ),
        (FAMILIES, vec![(Unmatched, 4), (Blank, 3)], [0, 1, 2]),
        (
            PRICES,
            vec![(Exact, 1), (Mended, 1), (Alternate, 1), (Carried, 2), (Unmatched, 1), (Blank, 1)],
            [3, 1, 1],
        ),
        (DEPOTS, vec![(Exact, 4), (NotNeeded, 1), (Unmatched, 1), (Blank, 1)], [3, 1, 1]),
    ] {
        let balance = balance(&asked, link);
        assert_eq!(balance.lines, counts(&lines), "{link}");
        let own = [balance.keys_in_both, balance.keys_of_lines, balance.keys_of_lookup];
        assert_eq!(own, keys, "{link}");
        assert!(!balance.more);
    }
}

#[test]
fn the_rule_for_missing_rows_settles_how_lines_came_out() {
    use LinkStatus::*;
    let asked = asked();
    let (findings, _) = passed(&asked);
    let settled = |link: usize| asked.0.settled(link, &findings.links[link]);
    assert_eq!(settled(FAMILIES), counts(&[(Filled, 7)]));
    assert_eq!(settled(DEPOTS), findings.links[DEPOTS]);
}

#[test]
fn rows_that_no_line_found_are_counted_key_by_key() {
    let asked = asked();
    let (findings, usage) = passed(&asked);
    let of = |link| {
        let LookupUse { keys_found, keys, rows_unused } = usage.of(&asked.0, link);
        [keys_found, keys, rows_unused]
    };
    assert_eq!(
        [PRODUCTS, FAMILIES, PRICES, DEPOTS].map(of),
        [[2, 4, 2], [0, 2, 2], [3, 4, 2], [3, 4, 1]]
    );
    let mut merged = Usage::new(&asked.0);
    merged.merge(&usage);
    merged.merge(&Usage::new(&asked.0));
    assert_eq!(merged.rows(PRICES), [true, true, false, true, false]);
    let mut named = [false; 5];
    asked.0.mark_named(PRICES, &findings, &mut named);
    assert_eq!(named, [false; 5], "whoever names a key gets a row of it");
    let asked = asked_of(&PLAN.replace("gap = 'earlier'", ""));
    let (findings, _) = passed(&asked);
    asked.0.mark_named(PRICES, &findings, &mut named);
    assert_eq!(named, [false, true, true, true, false], "two keys on days without a row");
    let balance = balance(&asked, PRICES);
    assert_eq!((balance.keys_in_both, balance.keys_of_lines, balance.keys_of_lookup), (3, 1, 1));
}

#[test]
fn a_key_in_a_message_is_found_again() {
    let (engine, _) = asked();
    let keys = |link| engine.lookup_keys(link).collect::<Vec<_>>();
    assert_eq!(keys(DEPOTS), ["DE + 1", "DE + 2", "AT + 1", "AT + 7"]);
    assert_eq!(keys(PRICES), ["HV-1", "HV-2", "SM-5", "QQ-7"]);
    assert_eq!(engine.key_of_row(DEPOTS, 1), "DE + 2");
    assert_eq!(engine.key_meant(DEPOTS, "DE + 2"), Some("DE + 2".to_owned()));
    assert_eq!(engine.key_meant(PRODUCTS, "hv-2"), Some("HV-2".to_owned()));
    assert_eq!(engine.key_meant(PRICES, "hv-2"), None, "case counts in this link");
    let place = |link| engine.place_of_key(link, "SM-5").unwrap().to_string();
    assert_eq!([place(PRICES), place(PRODUCTS)], ["prices:5", "products:4"]);
    assert_eq!(engine.candidates_of(PRICES, "HV-10 or SM-5"), ["HV-10", "SM-5"]);
    assert_eq!(engine.candidates_of(PRODUCTS, "HV-10 or SM-5"), ["HV-10 or SM-5"]);
    assert_eq!(engine.keys_meant(PRICES, "HV-10 or SM-5"), ["SM-5"]);
    assert_eq!(engine.keys_meant(PRODUCTS, "hv-1"), ["HV-1"]);
    assert!(engine.keys_meant(PRODUCTS, "HV-10 or SM-5").is_empty());
    assert!(engine.same_keys(PRODUCTS).is_empty());
    let alike = |one, other| engine.seek_alike(one, other);
    assert!(alike(PRICES, PRICES) && !alike(PRODUCTS, PRICES) && !alike(PRODUCTS, FAMILIES));
}

#[test]
fn keys_that_may_be_meant_have_their_reason() {
    let (engine, _) = asked();
    let found = engine.suggestions(PRODUCTS, &["HV-10", " hv2 ", "nothing"]);
    let words = |at: usize| {
        let of = |one: &interligo_engine::proof::balance::Suggestion| {
            (one.found.clone(), one.key.clone(), one.words(), one.likely)
        };
        found[at].iter().map(of).collect::<Vec<_>>()
    };
    let one = |found: &str, key: &str, words: &str, likely: bool| {
        vec![(found.to_owned(), key.to_owned(), words.to_owned(), likely)]
    };
    assert_eq!(words(0), one("HV-10", "HV-1", "one character differs", false));
    assert_eq!(words(1), one(" hv2 ", "HV-2", "case, punctuation", true));
    assert_eq!(found[1][0].why, [Likeness::Case, Likeness::Punctuation]);
    assert_eq!(words(2), []);
}

#[test]
fn each_correction_has_its_outcome() {
    use CorrectionOutcome::*;
    let (engine, _) = asked();
    let outcomes = [
        (0, Holds),
        (1, HasRow),
        (2, Contradicted),
        (3, Contradicted),
        (4, LeadsNowhere),
        (5, Twice),
    ];
    assert_eq!(engine.outcomes_of_corrections(PRODUCTS), outcomes);
    assert_eq!(engine.outcomes_of_corrections(PRICES), [(6, Holds)]);
    assert_eq!(engine.outcomes_of_corrections(DEPOTS), []);
}

#[test]
fn the_periods_of_a_key_are_those_before_and_after_a_day() {
    let (engine, _) = asked();
    let day = |text: &str| Day::parse(text.as_bytes()).unwrap();
    let around = |on: &str| engine.periods_around(PRICES, "HV-2", day(on)).unwrap();
    assert_eq!(around("2024-12-31"), (None, Some(day("2025-01-01"))));
    assert_eq!(around("2025-01-12"), (Some(day("2025-01-10")), Some(day("2025-01-15"))));
    assert_eq!(around("2025-02-20"), (Some(day("2025-01-31")), None));
    assert_eq!(engine.periods_around(PRODUCTS, "HV-2", day("2025-01-12")), None);
    let rows = |key: &str| engine.periods_of(PRICES, key).iter().map(|p| p.row).collect::<Vec<_>>();
    assert_eq!((rows("HV-2"), rows("ZZ")), (vec![1, 2], vec![]));
    assert!(engine.is_dated(PRICES) && !engine.is_dated(PRODUCTS));
    assert!(engine.periods_of(PRODUCTS, "HV-2").is_empty());
}

#[test]
fn a_condition_is_told_as_a_formula_over_lines() {
    let (engine, _) = asked();
    let told =
        |engine: &Engine, link| engine.condition_of(link, |_, name| format!("products.{name}"));
    assert_eq!(told(&engine, DEPOTS), Some("land <> 'XX'".to_owned()));
    assert_eq!(told(&engine, PRODUCTS), None);
    let plan = PLAN
        .replace("missing = 'fill'", "when = \"family <> 'wax' and sku <> ''\"\nmissing = 'fill'");
    let (engine, _) = asked_of(&plan);
    let on_lines = "products.family <> 'wax' and products.sku <> ''".to_owned();
    assert_eq!(told(&engine, FAMILIES), Some(on_lines));
}

#[test]
fn findings_are_weighed_by_the_figure_of_the_plan() {
    let (engine, _) = asked();
    assert_eq!((engine.weigh_by(), engine.weigh_by_places()), (Some("revenue"), 2));
    let (engine, _) = asked_of(&PLAN.replace("'revenue'\n[fig", "'worth'\n[fig"));
    assert_eq!((engine.weigh_by(), engine.weigh_by_places()), (Some("worth"), 0));
    assert_eq!(engine.measure_names(), ["read quantity", "figure revenue", "figure worth"]);
}

#[test]
fn keys_that_are_one_to_a_link_are_named_together() {
    let plan = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n\
         [[link]]\npath = 'sales.item -> products.sku'\nignore = ['case']\n";
    let shop = tables(&[
        ("sales", "item\nhv-1"),
        ("products", "sku,no\nHV-1,1\nVL-9,2\nHv-1,3\nvl-9,4\nSM-5,5"),
    ]);
    let asked = prepared(
        &Plan::parse(plan).unwrap(),
        &shop,
        &[totals_request(&[], &["lines"])],
        Vec::new(),
    );
    let same = asked.unwrap().0.same_keys(0).to_vec();
    assert_eq!(same, [["HV-1", "Hv-1"], ["VL-9", "vl-9"]]);
}

#[test]
fn overlaps_and_gaps_are_told_beside_the_period_that_lasts_longest() {
    let plan = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n\
         [tables.prices]\nfrom = 'r.csv'\nkey = 'sku'\nvalid = { from = 'since', until = 'last' }\n\
         [[link]]\npath = 'sales.item -> prices.sku as of day'\noverlap = 'first'\n[figures]\ngot = 'n * prices.price'\n";
    let prices = "sku,since,last,price\nA,2025-01-01,2025-01-31,1\nA,2025-01-05,2025-01-10,1\nA,2025-01-20,2025-01-25,2\n\
         A,2025-02-03,2025-02-28,3\nB,2025-01-01,2025-01-31,1\nB,2025-02-01,,2";
    let shop = tables(&[("sales", "item,day,n\nA,2025-01-05,1"), ("prices", prices)]);
    let asked = prepared(
        &Plan::parse(plan).unwrap(),
        &shop,
        &[totals_request(&[], &["lines"])],
        Vec::new(),
    );
    let (engine, _) = asked.unwrap();
    let told = |most: usize| -> Vec<String> {
        let faults = engine.calendar_faults(0, most);
        let one = |own: &interligo_engine::proof::balance::CalendarFault| {
            let [one, other] = &own.places;
            format!("{} {} {:?} {one} {other}", own.key, own.days(), own.overlap)
        };
        faults.iter().map(one).collect()
    };
    let expected = [
        "A 2025-01-05 to 2025-01-10 Some(true) prices:2 prices:3",
        "A 2025-01-20 to 2025-01-25 Some(false) prices:2 prices:4",
        "A 2025-02-01 to 2025-02-02 None prices:2 prices:5",
    ];
    assert_eq!(told(9), expected);
    assert_eq!(told(2), expected[..2]);
}

/// More keys without a row than are kept one by one.
#[test]
fn keys_beyond_those_that_are_kept_are_said_to_be_more() {
    let plan = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n\
         [[link]]\npath = 'sales.item -> products.sku'\n";
    let all: Vec<String> = (0..KEYS_KEPT + 3).map(|n| format!("X{n}")).collect();
    let shop =
        tables(&[("sales", &format!("item\nA\n{}", all.join("\n"))), ("products", "sku\nA")]);
    let asked = prepared(
        &Plan::parse(plan).unwrap(),
        &shop,
        &[totals_request(&[], &["lines"])],
        Vec::new(),
    );
    let asked = asked.unwrap();
    // In one batch, and in two of which each keeps all of its own.
    for sizes in [&[usize::MAX >> 1][..], &[KEYS_KEPT / 2]] {
        let (findings, _) = run(&asked, &shop, sizes, 1);
        assert_eq!(findings.keys.further, [(0, 3)].into(), "{sizes:?}");
        let balance = asked.0.balance(0, &findings, &Usage::new(&asked.0));
        assert_eq!((balance.keys_of_lines, balance.more), (KEYS_KEPT as u64, true));
    }
}
