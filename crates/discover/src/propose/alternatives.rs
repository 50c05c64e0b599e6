//! Keys that are in one column or in another, and several keys in one cell.

use std::collections::{BTreeMap, HashMap};

use arrow_array::StringViewArray;

use super::column::{Domain, Fit, Kind, SeenColumn, Traits};
use super::{ColumnAt, LinkProposal, View};

/// Of a hundred rows that have a key in one of two columns, at most this many have one in both: then it is one key, written
/// here or there. Two roles of one lookup have theirs side by side.
const BOTH: usize = 2;

/// Links of columns that never have a value side by side and lead to the same key become one, the column with more values first.
pub(super) fn merged(view: &View<'_>, links: Vec<LinkProposal>) -> Vec<LinkProposal> {
    let mut merged: Vec<LinkProposal> = Vec::new();
    for link in links {
        let known = merged.iter_mut().find(|known| are_alternatives(view, known, &link));
        match known {
            Some(known) => join(known, link),
            None => merged.push(link),
        }
    }
    let pairs: Vec<(ColumnAt, ColumnAt)> =
        merged.iter().filter_map(|link| Some((link.from[0], *link.or.first()?))).collect();
    for link in merged.iter_mut().filter(|link| is_simple(link) && link.or.is_empty()) {
        let pair = pairs.iter().find(|(one, other)| link.from[0] == *one || link.from[0] == *other);
        if let Some((one, other)) = pair {
            let missing = if link.from[0] == *one { *other } else { *one };
            add_alternative(view, link, missing);
        }
    }
    merged
}

/// The other of two columns has the keys of a link as well, where its values say so.
fn add_alternative(view: &View<'_>, link: &mut LinkProposal, missing: ColumnAt) {
    let to = ColumnAt { table: link.to_table, column: link.to[0] };
    let fit = view.of(missing).fit(&Domain::new(view.of(to).values.clone()));
    if fit.row_share() >= FOUND {
        join(link, LinkProposal { from: vec![missing], fit, ..link.clone() });
    }
}

/// Of a hundred rows with a value in the other column, this many must find a row.
const FOUND: u32 = 80;

fn is_simple(link: &LinkProposal) -> bool {
    link.from.len() == 1 && link.stated.is_none() && link.split.is_none()
}

fn are_alternatives(view: &View<'_>, one: &LinkProposal, other: &LinkProposal) -> bool {
    let is_simple =
        |link: &LinkProposal| link.from.len() == 1 && link.stated.is_none() && link.split.is_none();
    let (a, b) = (one.from[0], other.from[0]);
    let same = a.table == b.table
        && (one.to_table, &one.to, one.as_of) == (other.to_table, &other.to, other.as_of);
    same && is_simple(one) && is_simple(other) && one.or.is_empty() && stand_apart(view, a, b)
}

/// Whether hardly a row has a value in both columns.
fn stand_apart(view: &View<'_>, one: ColumnAt, other: ColumnAt) -> bool {
    let texts = |at: ColumnAt| view.seen[at.table].columns[at.column].texts.iter();
    let is_filled = |text: Option<&str>| text.is_some_and(|text| !text.trim().is_empty());
    let (mut some, mut both) = (0, 0);
    for (a, b) in texts(one).zip(texts(other)) {
        let (a, b) = (is_filled(a), is_filled(b));
        some += usize::from(a || b);
        both += usize::from(a && b);
    }
    both * 100 <= some * BOTH
}

fn join(known: &mut LinkProposal, mut other: LinkProposal) {
    if other.fit.rows > known.fit.rows {
        std::mem::swap(known, &mut other);
    }
    known.or = other.from;
    let (fit, more) = (&mut known.fit, other.fit);
    fit.values += more.values;
    fit.found += more.found;
    fit.rows += more.rows;
    fit.found_rows += more.found_rows;
    for ignore in more.ignore {
        if !fit.ignore.contains(&ignore) {
            fit.ignore.push(ignore);
        }
    }
}

/// What parts keys in a cell.
const SEPARATORS: [char; 4] = [';', '|', '/', ','];

/// Cells that have several keys, and what parts these.
pub(super) struct Cells<'a> {
    pub(super) separator: char,
    column: &'a SeenColumn,
    /// The keys, each cell's by itself.
    pieces: Traits,
}

impl Cells<'_> {
    /// How many cells have a key that another column has.
    pub(super) fn fit(&self, other: &Domain) -> Fit {
        let of_pieces = self.pieces.fit(other);
        if of_pieces.found == 0 {
            return of_pieces;
        }
        let loosely = !of_pieces.ignore.is_empty();
        let mut fit = Fit { ignore: of_pieces.ignore, used: of_pieces.used, ..Fit::default() };
        let mut known: BTreeMap<&str, bool> = BTreeMap::new();
        for cell in filled(self.column) {
            let is_found = *known.entry(cell).or_insert_with(|| {
                cell.split(self.separator).any(|piece| other.has(piece.trim(), loosely))
            });
            fit.rows += 1;
            fit.found_rows += usize::from(is_found);
        }
        fit.values = known.len();
        fit.found = known.values().filter(|found| **found).count();
        fit
    }

    /// Whether they may be keys.
    fn may_be_keys(&self) -> bool {
        matches!(self.pieces.kind, Kind::Code | Kind::Whole)
    }
}

fn filled(column: &SeenColumn) -> impl Iterator<Item = &str> {
    column.texts.iter().flatten().map(str::trim).filter(|text| !text.is_empty())
}

/// The columns some of whose cells have several keys.
pub(super) fn cells_with_several<'a>(view: &View<'a>) -> HashMap<ColumnAt, Cells<'a>> {
    let mut all = HashMap::new();
    for (number, table) in view.seen.iter().enumerate() {
        // Lists that stand side by side are rows of their own.
        let in_step = super::lists(table).map_or(Vec::new(), |(_, columns)| columns);
        for at in view.columns(number).filter(|at| !in_step.contains(&at.column)) {
            let is_text = matches!(view.of(at).kind, Kind::Code | Kind::Prose);
            let found = is_text.then(|| cells(&table.columns[at.column])).flatten();
            all.extend(found.filter(Cells::may_be_keys).map(|cells| (at, cells)));
        }
    }
    all
}

/// The cells of a column where some have several keys.
fn cells(column: &SeenColumn) -> Option<Cells<'_>> {
    let rows = filled(column).count();
    let separator = SEPARATORS.into_iter().find(|separator| {
        filled(column).filter(|text| text.contains(*separator)).count() * 20 >= rows.max(1)
    })?;
    let pieces = filled(column).flat_map(|text| text.split(separator)).map(str::trim);
    let texts = StringViewArray::from_iter_values(pieces.filter(|piece| !piece.is_empty()));
    let (name, evidence) = (column.name.clone(), column.evidence);
    let pieces = Traits::of(&SeenColumn { name, texts, evidence });
    Some(Cells { separator, column, pieces })
}
