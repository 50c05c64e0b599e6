//! Whatever a person writes into a plan or a formula, the answer is a result or a mistake with a place.

use std::collections::BTreeSet;
use std::sync::LazyLock;

use interligo_engine::bind::{ColumnNames, Request, TableColumns, TotalsRequest, bind};
use interligo_model::pattern::NamePattern;
use interligo_model::plan::{Mistake, Plan, Written};
use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::NumberStyle;
use interligo_model::values::amount;
use proptest::prelude::*;

use crate::support::totals_request;

const PLAN: &str = include_str!("../../../../demo/interligo.toml");

static PARSED: LazyLock<Plan> = LazyLock::new(|| Plan::parse(PLAN).unwrap());

fn column_names() -> ColumnNames {
    let mut column_names = ColumnNames::default();
    for (table, columns) in [
        ("sales", "order_no,line_no,sold_on,item,customer_no,quantity,discount,depot,year"),
        ("products", "sku,name,family,unit_cost"),
        ("families", "code,name,group"),
        ("groups", "code,name"),
        ("prices", "sku,valid_from,valid_to,unit_price"),
        ("customers", "customer_no,name,region,type"),
        ("budget", "group_code,month,target"),
    ] {
        let names = columns.split(',').map(str::to_owned).collect();
        column_names.0.insert(table.into(), TableColumns { names, slots: BTreeSet::new() });
    }
    column_names
}

fn mistakes(plan: &str, by: &str) -> Vec<Mistake> {
    let parsed = match Plan::parse(plan) {
        Ok(parsed) => parsed,
        Err(mistake) => return vec![mistake],
    };
    let mut requests = match Request::of_plan(&parsed) {
        Ok(requests) => requests,
        Err(mistake) => return vec![mistake],
    };
    requests.push(totals_request(&[by], &[]));
    bind(&parsed, &column_names(), &requests, &BTreeSet::new()).err().unwrap_or_default()
}

#[test]
fn the_plan_of_the_demo_binds() {
    assert_eq!(mistakes(PLAN, "groups.name"), []);
}

proptest! {
    #[test]
    fn prop_a_damaged_plan_is_a_mistake_at_a_place(
        at in 0usize..PLAN.len(), length in 0usize..12, put in "[a-z\"'\\[\\]{}=.,*>() \n\u{e9}-]{0,6}",
    ) {
        prop_assume!(PLAN.is_char_boundary(at));
        let end = (at + length).min(PLAN.len());
        prop_assume!(PLAN.is_char_boundary(end));
        let damaged = format!("{}{put}{}", &PLAN[..at], &PLAN[end..]);
        for mistake in mistakes(&damaged, "depot") {
            prop_assert!(!mistake.message.is_empty());
            if let Some(span) = &mistake.at.span {
                prop_assert!(span.start <= span.end && span.end <= damaged.len());
            }
        }
    }

    #[test]
    fn prop_any_text_is_a_formula_or_a_mistake(text in "\\PC{0,40}|[a-c0-9.'\"()+*/<>= -]{0,30}") {
        for mistake in mistakes(PLAN, &text) {
            prop_assert!(!mistake.message.is_empty());
            if let Some(span) = &mistake.at.span {
                prop_assert!(span.end <= text.len() && text.is_char_boundary(span.start));
            }
        }
    }

    /// The words of the language in any order, as an attribute, as what is shown, as a condition and as an order.
    #[test]
    fn prop_any_words_are_totals_or_a_mistake(words in prop::collection::vec(prop::sample::select(vec![
        "quantity", "sold_on", "groups.name", "budget.target", "lines", "(", ")", ",", ">", "-", "+", "*", "/", "||", "=",
        "not", "and", "or", "in", "between", "is", "blank", "like", "if", "then", "else", "'x'", "2", "true", "month(sold_on)",
        "extract(", "from", "for", "substring(", "position(", "cast(", "as", "number", "date", "count(", "distinct", "avg(",
        "share(", "running(", "year_before(", "year_to_date(", "revenue", "coalesce(", "power(", "round(", "least(",
    ]), 0..9)) {
        let text = words.join(" ");
        let written = || vec![Written::in_option("test", &text, 0..text.len())];
        let plan = &*PARSED;
        let asked = [
            TotalsRequest { by: written(), ..TotalsRequest::default() },
            TotalsRequest { across: written(), ..TotalsRequest::default() },
            TotalsRequest { show: Some(written()), ..TotalsRequest::default() },
            TotalsRequest { filter: Some(written().remove(0)), ..TotalsRequest::default() },
            TotalsRequest { sort: written(), ..TotalsRequest::default() },
        ];
        for asked in asked {
            let request = Request::of_totals("totals", asked);
            for mistake in bind(plan, &column_names(), &[request], &BTreeSet::new()).err().into_iter().flatten() {
                prop_assert!(!mistake.message.is_empty());
                if let Some(span) = &mistake.at.span {
                    prop_assert!(span.start <= span.end && span.end <= text.len(), "{}: {:?}", text, mistake);
                }
            }
        }
    }

    #[test]
    fn prop_any_text_is_a_pattern_or_none_and_fits_or_not(pattern in "\\PC{0,20}|[ab{}*]{0,16}", name in "\\PC{0,20}|[ab]{0,30}") {
        if let Ok(read) = NamePattern::parse(&pattern) {
            if let Some(slots) = read.fit(&name) {
                prop_assert_eq!(slots.len(), read.slots().count());
                prop_assert!(slots.iter().all(|slot| !slot.is_empty() && name.contains(slot.as_str())));
            }
            prop_assert!(read.plain().is_none_or(|plain| read.fit(plain).is_some()));
        }
    }

    #[test]
    fn prop_any_text_is_a_value_or_none(text in "\\PC{0,24}|[0-9€$()., %'EURkr\u{a0}-]{0,16}", style in 0usize..7) {
        let style = NumberStyle::ALL[style];
        if let Some(found) = amount::read(&text, style) {
            // What is read as a number is one with the currency and the percent sign taken off.
            prop_assert!(text.chars().any(|character| character.is_ascii_digit()), "{text}");
            prop_assert!(found.currency.is_none_or(|mark| !mark.is_empty()));
        }
        let specimens = ["2025-12-31", "31.12.25 23:59", "12/31/2025", "31-Dec-2025", "20251231", "46022", &text];
        for style in specimens.into_iter().filter_map(DateStyle::from_sample) {
            if let Some(day) = style.read(&text) {
                prop_assert_eq!(DateStyle::ISO.read(&day.to_string()), Some(day), "{}", text);
            }
        }
        let _ = NumberStyle::from_sample(&text);
    }
}
