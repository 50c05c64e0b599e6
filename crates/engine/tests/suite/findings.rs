//! What is noted of lines while they pass, and the statement over them: keys that were tried, why figures are blank, what lines
//! amount to and where they end.

use interligo_engine::proof::exact_sum::ExactSum;
use interligo_engine::proof::findings::{Findings, Noted, Unreadable};
use interligo_engine::proof::tallies::{KeyTallies, KeyTally, SoughtKey};
use interligo_engine::proof::tieout::{Amount, BlankFigure, ReadSide, RoundedFigure};
use interligo_model::values::decimal::Decimal;

use crate::support::{Asked, Tables, engine, run, run_both_sides, tables, whole_tie_out};

const PLAN: &str = "[plan]\nweigh-by = 'revenue'\n[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\ndate = 'day'\n\
     [tables.sales.columns]\nquantity = { type = 'number' }\n\
     [tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n[tables.families]\nfrom = 'f.csv'\nkey = 'code'\n\
     [tables.depots]\nfrom = 'd.csv'\nkey = 'no'\n\
     [tables.prices]\nfrom = 'r.csv'\nkey = 'sku'\nvalid = { from = 'since', until = 'last' }\n\
     [[link]]\npath = 'sales.item -> products.sku'\nignore = ['case']\n\
     [[link]]\npath = 'products.family -> families.code'\n\
     [[link]]\npath = 'sales.depot -> depots.no'\nmissing = 'set-aside'\n\
     [[link]]\npath = 'sales.item -> prices.sku as of day'\nignore = ['case']\ngap = 'earlier'\n\
     [figures]\nrevenue = { formula = 'quantity * prices.price', round = 1 }\n\
     rate = 'revenue / back'\nworth = 'quantity * families.rate'\nlate = \"if back > 1 then quantity\"\n";

fn shop() -> Tables {
    tables(&[
        (
            "sales",
            "item,day,depot,quantity,back\nA,2025-01-05,1,2,1\na,2025-01-06,1,3,0\n A ,2025-02-10,2,4,2\nB,2025-01-07,9,5,1\n\
             X,1899-12-31,1,6,1\nC,2025-01-08,1,many,1\nC,2025-01-09,,7,1\n,2025-01-10,2,8,1\nX,2025-01-11,2,9,\nB,2025-01-07,1,1,1",
        ),
        ("products", "sku,family\nA,hive\nB,wax\nC,none"),
        ("families", "code,rate\nhive,2\nwax,"),
        ("depots", "no,land\n1,DE\n2,AT"),
        (
            "prices",
            "sku,since,last,price\nA,2025-01-01,2025-01-31,1.55\nB,2025-01-01,,2\nC,2025-01-01,,3",
        ),
    ])
}

fn asked() -> Asked {
    engine(PLAN, &shop(), &["products.family"], &["lines", "quantity", "revenue"])
}

/// Each key with its link and how it came out: its lines, what they amount to, the figure that weighs it and on how many lines
/// that is not known, the rows of the first and the last of them, their days, the row that they found, and over how many days.
fn keys(tallies: &KeyTallies) -> Vec<String> {
    let one = |(sought, tally): (&SoughtKey, &KeyTally)| {
        let amount = |sum: &Option<ExactSum>| {
            sum.and_then(|sum| sum.value()).map_or("-".to_owned(), |sum| sum.to_string())
        };
        let (first, last) = tally.days.unwrap();
        format!(
            "{} {} `{}`: {} lines, {} and {}, {} but {}, {}-{}, {first} {last}, {:?} {}",
            sought.link,
            sought.status.name(),
            sought.key,
            tally.lines,
            amount(&tally.amounts[0]),
            amount(&tally.amounts[1]),
            amount(&Some(tally.weight)),
            tally.unknown,
            tally.first[0].row,
            tally.last.unwrap().row,
            tally.row,
            tally.gap,
        )
    };
    tallies.sorted().into_iter().map(one).collect()
}

fn findings(batch: usize) -> Findings {
    run(&asked(), &shop(), &[batch], 1).0
}

#[test]
fn keys_without_a_row_are_tallied_with_what_their_lines_amount_to() {
    for batch in [1, 4, 99] {
        let findings = findings(batch);
        let expected = [
            "0 unmatched `X`: 2 lines, 15 and 1, 0 but 2, 6-10, 1899-12-31 2025-01-11, None 0",
            "0 blank ``: 1 lines, 8 and 1, 0 but 1, 9-9, 2025-01-10 2025-01-10, None 0",
            "1 unmatched `none`: 2 lines, 7 and 2, 21.0 but 1, 7-8, 2025-01-08 2025-01-09, None 0",
            "2 unmatched `9`: 1 lines, 5 and 1, 10.0 but 0, 5-5, 2025-01-07 2025-01-07, None 0",
            "2 blank ``: 1 lines, 7 and 1, 21.0 but 0, 8-8, 2025-01-09 2025-01-09, None 0",
            "3 unmatched `X`: 2 lines, 15 and 1, 0 but 2, 6-10, 1899-12-31 2025-01-11, None 0",
            "3 blank ``: 1 lines, 8 and 1, 0 but 1, 9-9, 2025-01-10 2025-01-10, None 0",
        ];
        assert_eq!(keys(&findings.keys), expected);
        assert!(findings.absent.is_empty() && findings.passed_over.is_empty());
    }
}

#[test]
fn keys_that_found_their_row_otherwise_are_tallied_with_it() {
    for batch in [1, 4, 99] {
        let findings = findings(batch);
        let cleaned = [
            "0 cleaned `A `: 1 lines, 4 and 2, 6.2 but 0, 4-4, 2025-02-10 2025-02-10, Some(0) 0",
            "0 cleaned `a`: 1 lines, 3 and 0, 4.6 but 0, 3-3, 2025-01-06 2025-01-06, Some(0) 0",
            "3 cleaned `a`: 1 lines, 3 and 0, 4.6 but 0, 3-3, 2025-01-06 2025-01-06, Some(0) 0",
        ];
        assert_eq!(keys(&findings.cleaned), cleaned);
        let carried =
            "3 carried `A`: 1 lines, 4 and 2, 6.2 but 0, 4-4, 2025-02-10 2025-02-10, Some(0) 10";
        assert_eq!(keys(&findings.carried), [carried]);
    }
}

#[test]
fn days_and_texts_that_cannot_be_meant_are_noted_where_they_are() {
    let findings = findings(4);
    let (first, last) = findings.dates.unwrap();
    assert_eq!([first.to_string(), last.to_string()], ["1899-12-31", "2025-02-10"]);
    let noted = |unreadable: &Unreadable| {
        let (spot, text) = &unreadable.first[0];
        (unreadable.count, spot.row, text.clone())
    };
    assert_eq!(noted(&findings.odd_days), (1, 6, "1899-12-31".to_owned()));
    assert_eq!(noted(&findings.unreadable[&0]), (1, 7, "many".to_owned()));
    assert_eq!(findings.lines_aside(), 2);
}

#[test]
fn the_statement_says_where_lines_end_and_why_figures_are_blank() {
    let asked = asked();
    let tie_out = whole_tie_out(&asked, &run_both_sides(&asked, &shop(), &[4], 2));
    assert_eq!(tie_out.open(), [""; 0]);
    let aside = [("depots unmatched".to_owned(), 1), ("depots blank".to_owned(), 1)];
    assert_eq!(tie_out.aside, aside);
    assert_eq!((tie_out.lines_kept(), tie_out.lines_aside()), (8, 2));
    let amount = |own: &Amount| {
        let shown = |number: Option<Decimal>| number.unwrap().to_string();
        format!("{} {} = {} + {}", own.column, shown(own.read), shown(own.kept), shown(own.aside))
    };
    assert_eq!(
        tie_out.amounts.iter().map(amount).collect::<Vec<_>>(),
        ["quantity 45 = 33 + 12", "back 9 = 7 + 2"]
    );
    let blank = |own: &BlankFigure| {
        let reasons = own.reasons.iter().map(|(why, lines)| format!("{why} {lines}"));
        format!("{} {}: {}", own.name, own.lines, reasons.collect::<Vec<_>>().join(", "))
    };
    let expected = [
        "revenue 4: prices unmatched 2, no key for prices 1, quantity unreadable 1",
        "rate 5: prices unmatched 2, divided by zero 1, no key for prices 1, quantity unreadable 1",
        "worth 5: products unmatched 2, families.rate blank 1, no key for products 1, quantity unreadable 1",
        "late 7: the formula gives blank 6, back blank 1",
    ];
    assert_eq!(tie_out.blanks.iter().map(blank).collect::<Vec<_>>(), expected);
    let rounded = |own: &RoundedFigure| {
        [own.rounded, own.exact, own.difference].map(|number| number.unwrap().to_string())
    };
    assert_eq!(
        tie_out.rounded.iter().map(rounded).collect::<Vec<_>>(),
        [["15.9", "15.95", "-0.05"]]
    );
}

#[test]
fn what_does_not_close_is_said() {
    let asked = asked();
    let both = run_both_sides(&asked, &shop(), &[4], 2);
    let open = |change: fn(&mut Findings, &mut ReadSide)| {
        let (mut findings, mut read, table) = both.clone();
        change(&mut findings, &mut read);
        whole_tie_out(&asked, &(findings, read, table)).open()
    };
    for (change, said) in [
        (
            (|_, read| read.rows -= 1) as fn(&mut Findings, &mut ReadSide),
            "9 rows were read, 10 are accounted for",
        ),
        (|_, read| read.handed.0 += 1, "4 blocks were read, 3 were worked on"),
        (|_, read| read.handed.1 += 1, "not all that was read was split into rows"),
        (|_, read| read.unread.push("s.csv".into()), "`s.csv` was not read to its end"),
        (|_, read| read.cut.push("s.csv".into()), "some rows of `s.csv` were lost while reading"),
        (|findings, _| findings.lines -= 1, "10 lines were read, 9 went through the plan"),
        (|findings, _| findings.links[0][0] += 1, "the link `products` counts 11 of 10 lines"),
        (
            |findings, _| findings.ends.kept.lines -= 1,
            "what went through the plan has 7 of 8 lines",
        ),
        (
            |_, read| read.lines.sums[0] = Some(ExactSum::default()),
            "`quantity` sums up to 33 in what went through the plan, and should to -12; `quantity` sums up to 33 in the output `totals`, and should to -12",
        ),
    ] {
        assert_eq!(open(change).join("; "), said);
    }
}

#[test]
fn what_is_noted_has_a_stable_code() {
    let codes = [
        (Noted::ErrorCell, "error-cell"),
        (Noted::BesideTable, "cell-beside-table"),
        (Noted::NoStoredValue, "formula-without-value"),
        (Noted::HiddenRow, "hidden-row"),
        (Noted::HiddenSheet, "hidden-sheet"),
        (Noted::NestedColumn, "nested-column"),
    ];
    for (noted, code) in codes {
        assert_eq!(noted.code(), code);
    }
}
