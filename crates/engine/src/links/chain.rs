//! A link from a lookup: resolved once for each row of that lookup, before the first line is read.

use std::collections::BTreeMap;

use interligo_model::plan::Mistake;
use interligo_model::values::value::Value;

use super::resolve::{KeyQuery, MatchedVia, Passed, Resolver};
use super::{Link, LinkParts, days_of, require_condition};
use crate::bind::{BoundLookup, KeyPart, RowNames};
use crate::eval::{Expr, ExprKind, Type, check, evaluate, type_of};
use crate::lookup::gather::{brought_days, brought_texts};
use crate::lookup::{Lookup, RowOf};
use crate::proof::link_status::{LinkStatus, no_row, why_no_row};

/// The rows that the rows of a lookup lead to.
pub(super) struct Chain {
    /// The row, or why there is none.
    rows: Vec<u32>,
    /// The rows that were not found by their key as it is written, in order.
    via: Vec<MatchedVia>,
    /// The rows on whose day no row holds, where the run is to end on it.
    pub(super) stopping: Vec<u32>,
    /// The rows without one to which a correction leads, each with its number.
    pub(super) in_vain: Vec<(u32, u32)>,
    /// The candidates that were passed over, by row.
    pub(super) passed: BTreeMap<u32, Vec<Passed>>,
    /// What was asked for, for messages.
    pub(super) query: KeyQuery,
}

impl Chain {
    pub(super) fn new(resolver: &Resolver, query: KeyQuery) -> Chain {
        let mut found = resolver.resolve(&query, None);
        for (at, status) in found.problems {
            found.rows[at as usize] = no_row(status);
        }
        found.matched_via.sort_unstable_by_key(|via| via.line);
        let mut passed: BTreeMap<u32, Vec<Passed>> = BTreeMap::new();
        for over in found.passed {
            passed.entry(over.line).or_default().push(over);
        }
        let (rows, via) = (found.rows, found.matched_via);
        Chain { rows, via, stopping: found.stopping, in_vain: found.in_vain, passed, query }
    }

    /// The row that a row of the parent leads to, how it was found or why there is none, and by what, see [`MatchedVia`];
    /// under a parent without a row there is no key.
    pub(super) fn at(&self, parent: u32) -> (u32, LinkStatus, u32) {
        let row = self.rows.get(parent as usize).copied().unwrap_or(no_row(LinkStatus::Blank));
        if let Some(status) = why_no_row(row) {
            return (row, status, 0);
        }
        match self.via.binary_search_by_key(&parent, |via| via.line) {
            Ok(at) => (row, self.via[at].how, self.via[at].by),
            Err(_) => (row, LinkStatus::Exact, 0),
        }
    }
}

/// What a link from a lookup looks for, on each of its rows.
pub(super) fn chain_query(
    parts: &LinkParts<'_>,
    parent: usize,
    lookups: &[Lookup],
    links: &[Link],
) -> Result<KeyQuery, Mistake> {
    let home = &lookups[links[parent].lookup];
    let rows = home.all_rows();
    // The rows, of the lookup of a link that starts from this one, that the rows here lead to.
    let leads = |route: usize| -> Vec<u32> {
        let mut way = vec![route];
        while let Some(next) = links[way[way.len() - 1]].parent().filter(|next| *next != parent) {
            way.push(next);
        }
        let walk =
            |row: u32| way.iter().rev().try_fold(row, |row, link| links[*link].step(Some(row)));
        (0..rows as u32).map(|row| walk(row).unwrap_or(no_row(LinkStatus::Blank))).collect()
    };
    let texts = |part: &KeyPart| match part.route {
        None => home.key_texts(part.column),
        Some(route) => {
            brought_texts(&lookups[links[route].lookup].key_texts(part.column), &leads(route))
        }
    };
    let days = |part: &KeyPart| match part.route {
        None => days_of(home, part.column),
        Some(route) => {
            brought_days(&days_of(&lookups[links[route].lookup], part.column), &leads(route))
        }
    };
    let candidates = parts.route.candidates.iter();
    Ok(KeyQuery {
        lines: rows,
        candidates: candidates.map(|parts| parts.iter().map(texts).collect()).collect(),
        days: parts.route.as_of.as_ref().map(days),
        meant: match &parts.route.when {
            None => None,
            Some(_) => Some(meant_rows(parts, (parts.bound_of)(parent), home)?),
        },
    })
}

/// The rows of a lookup for which the condition of a link holds; one that is blank counts as holding.
fn meant_rows(
    parts: &LinkParts<'_>,
    bound: &BoundLookup,
    lookup: &Lookup,
) -> Result<Vec<bool>, Mistake> {
    let Some((node, written)) = &parts.route.when else { return Ok(Vec::new()) };
    let columns = &lookup.columns;
    let leaf = |column: usize| Expr {
        kind: ExprKind::Column(column),
        ty: columns[column].column.as_ref().map_or(Type::Text, type_of),
    };
    let names = RowNames { table: &bound.name, columns: &bound.columns, leaf: &leaf };
    let expr = check(node, &names, written)?;
    require_condition(&expr, written)?;
    let holds =
        |row: usize| !matches!(evaluate(&expr, &RowOf { columns, row }), Ok(Value::YesNo(false)));
    Ok((0..lookup.all_rows()).map(holds).collect())
}
