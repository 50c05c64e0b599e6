//! Proposals by tables in memory: what values and column names are evidence for, and what they do not.

use arrow_array::StringViewArray;
use interligo_discover::propose::{
    Proposal, Seen, SeenColumn, figures, lists, looked_for, propose,
};
use interligo_model::plan::{Ignore, Role};
use interligo_model::reading::evidence::Evidence;
use interligo_model::reading::style::Style;
use proptest::prelude::*;

/// A table with columns of this many rows each.
fn table(name: &str, rows: usize, columns: &[(&str, &dyn Fn(usize) -> String)]) -> Seen {
    let column = |(name, text): &(&str, &dyn Fn(usize) -> String)| {
        let texts = StringViewArray::from_iter_values((0..rows).map(text));
        let mut evidence = Evidence::default();
        evidence.add_all(&texts, &Style::default());
        SeenColumn { name: (*name).to_owned(), texts, evidence }
    };
    Seen {
        name: name.to_owned(),
        columns: columns.iter().map(column).collect(),
        rows: rows as u64,
        stated_keys: Vec::new(),
        is_chosen: false,
    }
}

/// The links as `table.column>table.column`.
fn links(seen: &[Seen], proposal: &Proposal) -> Vec<String> {
    let shown = |link: &interligo_discover::propose::LinkProposal| {
        let column = |table: usize, column: usize| {
            format!("{}.{}", seen[table].name, seen[table].columns[column].name)
        };
        let from: Vec<String> = link.from.iter().map(|at| column(at.table, at.column)).collect();
        let to: Vec<String> = link.to.iter().map(|to| column(link.to_table, *to)).collect();
        format!("{}>{}", from.join("+"), to.join("+"))
    };
    proposal.links.iter().map(shown).collect()
}

fn number(n: usize) -> String {
    n.to_string()
}

#[test]
fn numbers_in_small_ranges_need_column_names_that_say_so() {
    let lookup = |column_name: &'static str| {
        table(
            "things",
            30,
            &[(column_name, &|n| number(n + 1)), ("title", &|n| format!("Thing {n}"))],
        )
    };
    let lines = |column_name: &'static str| {
        table(
            "lines",
            200,
            &[
                ("day", &|n| format!("2025-01-{:02}", 1 + n % 28)),
                (column_name, &|n| number(1 + n * 7 % 30)),
            ],
        )
    };
    for (from, to, expected) in [
        ("thing", "id", vec!["lines.thing>things.id"]),
        ("thing_no", "number", vec!["lines.thing_no>things.number"]),
        ("hour", "id", vec![]),
        ("quantity", "id", vec![]),
        ("id", "id", vec![]),
    ] {
        let seen = [lines(from), lookup(to)];
        let proposal = propose(&seen, &[]);
        assert_eq!(links(&seen, &proposal), expected, "{from} {to}");
    }
}

#[test]
fn codes_speak_for_themselves_in_whatever_way_they_are_written() {
    let lookup = table(
        "things",
        30,
        &[("code", &|n| format!("HV-{n:03}")), ("title", &|n| format!("Thing {n}"))],
    );
    let lines = |of: &dyn Fn(usize) -> String| {
        table("lines", 90, &[("x", of), ("qty", &|n| number(n % 7))])
    };
    for (of, ignore) in [
        (&(|n: usize| format!("HV-{:03}", n % 30)) as &dyn Fn(usize) -> String, vec![]),
        (&|n| format!(" HV-{:03} ", n % 30), vec![]),
        (&|n| format!("hv-{:03}", n % 30), vec![Ignore::Case]),
        (&|n| format!("HV{:03}", n % 30), vec![Ignore::Punctuation]),
        (&|n| format!("hv {:03}", n % 30), vec![Ignore::Case, Ignore::Punctuation]),
    ] {
        let seen = [lines(of), lookup_of(&lookup)];
        let proposal = propose(&seen, &[]);
        assert_eq!(links(&seen, &proposal), ["lines.x>things.code"]);
        assert_eq!(proposal.links[0].fit.ignore, ignore);
        assert_eq!(proposal.links[0].fit.share(), 100);
        assert_eq!(
            (proposal.tables[0].role, proposal.tables[1].role),
            (Some(Role::Fact), Some(Role::Lookup))
        );
    }
}

fn lookup_of(seen: &Seen) -> Seen {
    let columns = seen.columns.iter().map(|column| SeenColumn {
        name: column.name.clone(),
        texts: column.texts.clone(),
        evidence: column.evidence,
    });
    Seen {
        name: seen.name.clone(),
        columns: columns.collect(),
        rows: seen.rows,
        stated_keys: Vec::new(),
        is_chosen: false,
    }
}

#[test]
fn figures_are_made_of_what_the_column_names_name() {
    let seen = [
        table(
            "lines",
            60,
            &[
                ("item", &|n| format!("P{:02}", n % 20)),
                ("Menge", &|n| number(1 + n % 9)),
                ("Rabatt", &|n| ["0", "0.05", "0.1"][n % 3].to_owned()),
            ],
        ),
        table(
            "things",
            20,
            &[
                ("code", &|n| format!("P{n:02}")),
                ("VK-Preis", &|n| format!("{n}.90")),
                ("EK-Preis", &|n| format!("{n}.40")),
            ],
        ),
    ];
    let proposal = propose(&seen, &[]);
    let found = figures(&seen, &proposal);
    let shown: Vec<String> = found.iter().map(|f| format!("{} = {}", f.name, f.formula)).collect();
    assert_eq!(
        shown,
        [
            "revenue = Menge * things.\"VK-Preis\" * (1 - Rabatt)",
            "cost = Menge * things.\"EK-Preis\"",
            "profit = revenue - cost",
            "margin = profit / revenue",
        ]
    );
}

#[test]
fn a_large_table_is_looked_through_only_for_what_others_know() {
    let large = table(
        "things",
        100,
        &[("sku", &|n| format!("SKU-{n:06}")), ("family", &|n| format!("F{}", n % 5))],
    );
    let near = table("lines", 50, &[("item", &|n| format!("SKU-{:06}", n * 2)), ("qty", &number)]);
    let far = table("other", 50, &[("code", &|n| format!("Z{n}")), ("qty", &number)]);
    let (columns, values) = looked_for(&[&large, &near, &far], 0);
    assert_eq!((columns, values.len()), (vec![0], 50));
    assert_eq!(looked_for(&[&large, &far], 0), (vec![], vec![]));
}

#[test]
fn cells_with_several_values_in_step_are_lists() {
    let typos = table(
        "typos",
        12,
        &[
            ("no", &number),
            ("items", &|n| if n % 2 == 0 { "A|B".to_owned() } else { "C".to_owned() }),
            ("pieces", &|n| if n % 2 == 0 { "1|2".to_owned() } else { "3".to_owned() }),
            ("note", &|n| if n % 4 == 0 { "x|y|z".to_owned() } else { String::new() }),
        ],
    );
    assert_eq!(lists(&typos), Some(('|', vec![1, 2])));
    assert_eq!(lists(&table("plain", 3, &[("a", &number), ("b", &number)])), None);
}

proptest! {
    /// Whatever is seen, proposals name columns that are there, lead to other tables, and go in no circle.
    #[test]
    fn prop_proposals_hold_together(
        tables in prop::collection::vec(prop::collection::vec((0usize..6, 1usize..9, 0usize..5), 1..5), 1..5),
    ) {
        let column_names = ["id", "code", "item_no", "qty", "name"];
        let seen: Vec<Seen> = tables.iter().enumerate().map(|(number, columns)| {
            let texts: Vec<Box<dyn Fn(usize) -> String>> = columns.iter().map(|(kind, spread, _)| {
                let (kind, spread) = (*kind, *spread);
                Box::new(move |n: usize| match kind {
                    0 => (n % (spread * 4)).to_string(),
                    1 => format!("K{}", n * spread % 17),
                    2 => format!("2025-01-{:02}", 1 + n % 28),
                    3 => format!("{}.5", n % spread),
                    4 => String::new(),
                    _ => format!("K{n}"),
                }) as Box<dyn Fn(usize) -> String>
            }).collect();
            let named: Vec<(&str, &dyn Fn(usize) -> String)> = columns
                .iter()
                .zip(&texts)
                .map(|((.., column_name), text)| (column_names[*column_name], text.as_ref()))
                .collect();
            table(&format!("t{number}"), 5 + number * 9, &named)
        }).collect();
        let proposal = propose(&seen, &[]);
        prop_assert_eq!(proposal.tables.len(), seen.len());
        prop_assert!(proposal.tables.iter().any(|table| table.role == Some(Role::Fact)));
        let mut reached: Vec<Vec<usize>> = vec![Vec::new(); seen.len()];
        for link in &proposal.links {
            prop_assert_eq!(link.from.len(), link.to.len());
            for at in &link.from {
                prop_assert!(at.table != link.to_table && at.column < seen[at.table].columns.len());
                reached[at.table].push(link.to_table);
            }
        }
        for start in 0..seen.len() {
            let (mut open, mut known) = (reached[start].clone(), Vec::new());
            while let Some(next) = open.pop() {
                prop_assert!(next != start, "a circle at t{}", start);
                if !known.contains(&next) {
                    known.push(next);
                    open.extend(&reached[next]);
                }
            }
        }
        figures(&seen, &proposal);
    }
}
