//! Figures: the columns that look like quantity, price, cost and discount, and what is computed of them.

use std::collections::BTreeSet;

use interligo_model::plan::{ColumnType, Role, name};

use super::column::Kind;
use super::meanings::Meaning;
use super::words::Words;
use super::{ColumnAt, Proposal, Seen, Traits};

/// A figure that is proposed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FigureProposal {
    /// Its name.
    pub name: String,
    /// Its formula.
    pub formula: String,
    /// The fact that it belongs to, by number.
    pub fact: usize,
    /// Why it is left to the reader, where it is.
    pub doubt: Option<String>,
}

/// The numeric columns of a kind that a fact reaches, nearest first, with their names in formulas.
fn columns(
    seen: &[Seen],
    proposal: &Proposal,
    fact: usize,
    meaning: Meaning,
) -> Vec<(String, ColumnAt)> {
    let mut found = Vec::new();
    for (way, table) in ways(seen, proposal, fact) {
        for (column, of) in seen[table].columns.iter().enumerate() {
            let words = Words::of(&of.name);
            let numeric = matches!(
                of.evidence.mostly(),
                ColumnType::Number | ColumnType::Integer | ColumnType::Percent
            );
            let key = is_key(proposal, ColumnAt { table, column });
            let first = words.meanings().first().copied();
            if numeric && !key && first == Some(meaning) {
                let own = name(&of.name);
                let shown = if way.is_empty() { own.into_owned() } else { format!("{way}.{own}") };
                found.push((shown, ColumnAt { table, column }));
            }
        }
    }
    found
}

/// Whether a column is part of a key.
fn is_key(proposal: &Proposal, at: ColumnAt) -> bool {
    proposal.tables[at.table].key.contains(&at.column)
        || proposal.links.iter().any(|link| link.from.contains(&at))
}

/// The tables that a fact reaches, nearest first, with the names by which formulas reach them.
fn ways(seen: &[Seen], proposal: &Proposal, fact: usize) -> Vec<(String, usize)> {
    let mut ways = vec![(String::new(), fact)];
    let mut at = 0;
    while at < ways.len() {
        let table = ways[at].1;
        for link in proposal.links.iter().filter(|link| link.from[0].table == table) {
            let own = link.name.clone().unwrap_or_else(|| seen[link.to_table].name.clone());
            if !ways.iter().any(|(_, known)| *known == link.to_table) {
                ways.push((name(&own).into_owned(), link.to_table));
            }
        }
        at += 1;
    }
    ways
}

/// Revenue, cost, profit and margin, of each fact that has or reaches what they are made of.
pub fn figures(seen: &[Seen], proposal: &Proposal) -> Vec<FigureProposal> {
    let mut all: Vec<FigureProposal> = Vec::new();
    let is_fact = |table: &usize| proposal.tables[*table].role == Some(Role::Fact);
    let mut facts: Vec<usize> = (0..seen.len()).filter(is_fact).collect();
    // The plain names are those of the largest.
    facts.sort_by_key(|fact| std::cmp::Reverse(seen[*fact].rows));
    for fact in facts {
        // A sum over several currencies says nothing.
        if currencies(&seen[fact]).is_some() {
            continue;
        }
        let own = |meaning| {
            let found = columns(seen, proposal, fact, meaning).into_iter();
            found.filter(|(_, at)| at.table == fact).collect::<Vec<_>>()
        };
        let Some((quantity, _)) = own(Meaning::Quantity).into_iter().next() else { continue };
        let before = all.len();
        let mut add = |name: &str, formula: String, doubt: Option<String>| {
            // A second fact has figures of its own names.
            let taken = all.iter().any(|figure| figure.name == name);
            let name =
                if taken { format!("{name}_of_{}", seen[fact].name) } else { name.to_owned() };
            all.push(FigureProposal { name, formula, fact, doubt });
        };
        let prices = columns(seen, proposal, fact, Meaning::Price);
        let costs = columns(seen, proposal, fact, Meaning::Cost);
        let discount = own(Meaning::Discount).into_iter().next();
        if let Some((price, _)) = prices.first() {
            let other =
                prices.get(1).map(|(other, _)| format!("`{other}` looks like a price as well"));
            let (price, unit) = of_one(price, &seen[prices[0].1.table], prices[0].1.column);
            let (price, other) = match of_all_lists(&prices, fact, (seen, proposal)) {
                Some(lists) => {
                    let how = "each list is used where those before it have no price";
                    (lists, Some(how.to_owned()))
                }
                None => (price, other),
            };
            let (factor, doubt) = match &discount {
                None => (String::new(), None),
                Some((column, at)) => discount_factor(&seen[at.table], at.column, column),
            };
            add("revenue", format!("{quantity} * {price}{factor}"), doubt.or(unit).or(other));
        }
        if let Some((cost, _)) = costs.first() {
            let other =
                costs.get(1).map(|(other, _)| format!("`{other}` looks like a cost as well"));
            let (cost, unit) = of_one(cost, &seen[costs[0].1.table], costs[0].1.column);
            add("cost", format!("{quantity} * {cost}"), unit.or(other));
        }
        if let [revenue, cost] = &all[before..] {
            let (revenue, cost) = (revenue.name.clone(), cost.name.clone());
            let suffix = revenue.strip_prefix("revenue").unwrap_or_default().to_owned();
            for (name, formula) in [
                (format!("profit{suffix}"), format!("{revenue} - {cost}")),
                (format!("margin{suffix}"), format!("profit{suffix} / {revenue}")),
            ] {
                all.push(FigureProposal { name, formula, fact, doubt: None });
            }
        }
    }
    all
}

/// The price of one out of several lists, one for each year perhaps: those that a fact looks up by the same columns and the
/// day.
fn of_all_lists(
    prices: &[(String, ColumnAt)],
    fact: usize,
    (seen, proposal): (&[Seen], &Proposal),
) -> Option<String> {
    let link = |at: &ColumnAt| {
        let own = |link: &&super::LinkProposal| {
            link.to_table == at.table && link.from[0].table == fact && link.as_of.is_some()
        };
        proposal.links.iter().find(own)
    };
    let first = link(&prices.first()?.1)?;
    let is_alike =
        |(_, at): &&(String, ColumnAt)| link(at).is_some_and(|own| own.from == first.from);
    let lists: Vec<&(String, ColumnAt)> = prices.iter().filter(is_alike).collect();
    let tables: BTreeSet<usize> = lists.iter().map(|(_, at)| at.table).collect();
    // Each list may be of another unit.
    let each = lists.iter().map(|(shown, at)| of_one(shown, &seen[at.table], at.column).0);
    let each: Vec<String> = each.collect();
    (lists.len() > 1 && tables.len() == lists.len())
        .then(|| format!("coalesce({})", each.join(", ")))
}

/// The column of a table that says in which currency its amounts are, and the currencies, where there are several.
pub fn currencies(table: &Seen) -> Option<(usize, Vec<String>)> {
    let of = |(at, column): (usize, &super::SeenColumn)| {
        let values = Traits::of(column).values;
        let are_known = values.iter().all(|value| CURRENCIES.contains(&value.as_str()));
        (values.len() > 1 && are_known).then_some((at, values))
    };
    table.columns.iter().enumerate().find_map(of)
}

/// Codes of currencies, by ISO 4217: those in which sales are mostly made.
const CURRENCIES: [&str; 44] = [
    "AED", "ARS", "AUD", "BGN", "BRL", "CAD", "CHF", "CLP", "CNY", "COP", "CZK", "DKK", "EGP",
    "EUR", "GBP", "HKD", "HUF", "IDR", "ILS", "INR", "ISK", "JPY", "KRW", "MAD", "MXN", "MYR",
    "NGN", "NOK", "NZD", "PEN", "PHP", "PLN", "RON", "RSD", "SAR", "SEK", "SGD", "THB", "TRY",
    "UAH", "USD", "UYU", "VND", "ZAR",
];

/// The price of one, where the column name says that it is one of ten, a hundred or a thousand, or in cents.
fn of_one(shown: &str, table: &Seen, column: usize) -> (String, Option<String>) {
    let words = Words::of(&table.columns[column].name);
    let (divisor, what) = match (words.number(), words.means(Meaning::Cents)) {
        (Some(number), _) => (number, format!("the price of {number}")),
        (None, true) => (100, "cents".to_owned()),
        (None, false) => return (shown.to_owned(), None),
    };
    (format!("({shown} / {divisor})"), Some(format!("`{shown}` is taken as {what}, by its name")))
}

/// How a discount is taken off: a share of one, or percents as bare numbers, which are asked.
fn discount_factor(table: &Seen, column: usize, shown: &str) -> (String, Option<String>) {
    let of = &table.columns[column];
    let traits = Traits::of(of);
    let is_share = |value: &String| {
        value.trim_start_matches(['0', '.', ',']).len() < value.len() || value == "1"
    };
    if of.evidence.mostly() == ColumnType::Percent
        || traits.kind == Kind::Measure && traits.values.iter().all(is_share)
    {
        return (format!(" * (1 - {shown})"), None);
    }
    let doubt = format!("`{shown}` is taken as percents");
    (format!(" * (1 - {shown} / 100)"), Some(doubt))
}
