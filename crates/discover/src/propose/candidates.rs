//! Candidates for links: every column against every key, then keys of several columns; weighed, and settled
//! to those that hold together.

use std::collections::{BTreeSet, HashMap};

use arrow_array::{Array, StringViewArray};
use interligo_engine::keys::KeyTable;
use interligo_model::values::texts::gathered;

use super::alternatives::{Cells, cells_with_several};
use super::column::{Domain, Fit, Kind, Traits};
use super::joint::WiderKeys;
use super::keys::{Key, single_keys, wider_keys};
use super::meanings::Meaning;
use super::{ColumnAt, LIKELY, LinkProposal, SURE, Stated, View};

/// Columns that are tried for one part of a wider key.
const PARTS_TRIED: usize = 4;

/// Where this many of a hundred cells are keys, none is taken for several.
const WHOLE_CELLS: u32 = 97;

/// A part of a wider key must be found to this share, in percent of its distinct values.
const PART_SHARE: u32 = 70;

pub(super) struct Candidates<'a> {
    pub(super) view: &'a View<'a>,
    /// Of each table, the columns that are keys by themselves.
    keys: Vec<Vec<Key>>,
    domains: HashMap<ColumnAt, Domain>,
    /// Columns some of whose cells have several keys.
    cells: HashMap<ColumnAt, Cells<'a>>,
    wider_keys: WiderKeys<'a>,
    found: Vec<LinkProposal>,
}

/// One column that might be a part of a wider key: its own table's, or one that a link brings.
struct Part {
    at: ColumnAt,
    texts: StringViewArray,
    fit: Fit,
    /// What parts several keys in one cell.
    split: Option<char>,
    alike: u32,
    /// Whether its values would be found by chance.
    is_weak: bool,
}

impl<'a> Candidates<'a> {
    pub(super) fn new(view: &'a View<'a>) -> Candidates<'a> {
        let keys: Vec<Vec<Key>> =
            (0..view.seen.len()).map(|table| single_keys(view, table)).collect();
        let mut domains = HashMap::new();
        for (table, keys) in keys.iter().enumerate() {
            for key in keys {
                let at = ColumnAt { table, column: key.columns[0] };
                domains.insert(at, Domain::new(view.of(at).values.clone()));
            }
        }
        let (cells, wider_keys) = (cells_with_several(view), WiderKeys::new(view));
        Candidates { view, keys, domains, cells, wider_keys, found: Vec::new() }
    }

    /// All candidates.
    pub(super) fn found(self) -> Vec<LinkProposal> {
        self.found
    }

    /// Links that are stated somewhere hold without further ado.
    pub(super) fn take_stated(&mut self, stated: &[Stated]) {
        for link in stated {
            let fit = match (link.from.as_slice(), link.to.as_slice()) {
                ([from], [to]) => {
                    let to = ColumnAt { table: link.to_table, column: *to };
                    self.view.of(*from).fit(&Domain::new(self.view.of(to).values.clone()))
                }
                // Rows of several tables do not stand side by side.
                ([first, rest @ ..], _) if rest.iter().any(|at| at.table != first.table) => {
                    Fit::default()
                }
                (from, to) => {
                    let texts: Vec<StringViewArray> =
                        from.iter().map(|at| self.texts(*at).clone()).collect();
                    self.wider_keys.fit(&texts, link.to_table, to)
                }
            };
            self.found.push(LinkProposal {
                from: link.from.clone(),
                to_table: link.to_table,
                to: link.to.clone(),
                fit,
                alike: 100,
                score: 100,
                stated: Some(link.by.clone()),
                ..LinkProposal::default()
            });
        }
    }

    fn texts(&self, at: ColumnAt) -> &'a StringViewArray {
        &self.view.seen[at.table].columns[at.column].texts
    }

    /// Keys of one column.
    pub(super) fn single(&mut self) {
        for table in 0..self.view.seen.len() {
            for from in self.view.columns(table) {
                self.single_from(from);
            }
        }
    }

    fn single_from(&mut self, from: ColumnAt) {
        let traits = self.view.of(from);
        if self.view.seen[from.table].is_chosen && super::keys::may_be_key(traits) {
            return;
        }
        if !matches!(traits.kind, Kind::Code | Kind::Whole | Kind::Prose | Kind::Day) {
            return;
        }
        let mut here: Vec<LinkProposal> = Vec::new();
        for to_table in (0..self.view.seen.len()).filter(|table| *table != from.table) {
            if !self.tells_something(to_table) {
                continue;
            }
            let best = self.keys[to_table]
                .iter()
                .map(|key| ColumnAt { table: to_table, column: key.columns[0] })
                .filter_map(|to| self.weigh(from, to))
                .max_by_key(|link| (link.score, link.fit.found, std::cmp::Reverse(link.to[0])));
            here.extend(best.filter(|link| link.score >= LIKELY));
        }
        self.prefer_cells(from, &mut here);
        here.sort_by_key(|link| std::cmp::Reverse(link.score));
        for number in 0..here.len() {
            let own = &here[number];
            let is_next =
                |other: &LinkProposal| (other.to_table, &other.to) != (own.to_table, &own.to);
            let next = here.iter().enumerate().find(|(_, other)| is_next(other));
            let next = next.map(|(_, link)| {
                (ColumnAt { table: link.to_table, column: link.to[0] }, link.fit.clone())
            });
            here[number].runner_up = next;
        }
        let known = |link: &LinkProposal| {
            self.found.iter().any(|f| f.from == link.from && f.to_table == link.to_table)
        };
        here.retain(|link| !known(link));
        self.found.extend(here);
    }

    /// Where cells have several keys, the link that finds one of them takes the place of that by whole cells.
    fn prefer_cells(&self, from: ColumnAt, here: &mut Vec<LinkProposal>) {
        let best = here.iter().map(|link| link.fit.row_share()).max().unwrap_or(0);
        if best >= WHOLE_CELLS {
            return;
        }
        if let Some(link) = self.split_from(from).filter(|link| link.fit.row_share() > best) {
            here.retain(|other| (other.to_table, &other.to) != (link.to_table, &link.to));
            here.push(link);
        }
    }

    /// The best link by several keys in each cell.
    fn split_from(&self, from: ColumnAt) -> Option<LinkProposal> {
        let cells = self.cells.get(&from)?;
        let keys = (0..self.view.seen.len())
            .filter(|table| *table != from.table && self.tells_something(*table))
            .flat_map(|table| self.keys[table].iter().map(move |key| (table, key.columns[0])));
        let weighed = keys.filter_map(|(table, column)| {
            let to = ColumnAt { table, column };
            let fit = cells.fit(self.domains.get(&to)?);
            let alike = self.alike(from, to);
            let score = if fit.found == 0 { 0 } else { self.score(&fit, alike, from, to) };
            Some(LinkProposal {
                from: vec![from],
                to_table: table,
                to: vec![column],
                split: Some(cells.separator),
                fit,
                alike,
                score,
                ..LinkProposal::default()
            })
        });
        weighed.max_by_key(|link| link.score).filter(|link| link.score >= SURE)
    }

    /// Whether a lookup has more to say than its key.
    fn tells_something(&self, table: usize) -> bool {
        let filled = self.view.traits[table].iter().filter(|column| column.kind != Kind::Empty);
        filled.count() > 1
    }

    /// Whether a column is a key by itself.
    pub(super) fn is_key(&self, at: ColumnAt) -> bool {
        self.keys[at.table].iter().any(|key| key.columns == [at.column])
    }

    /// The evidence for a link of two columns.
    pub(super) fn weigh(&self, from: ColumnAt, to: ColumnAt) -> Option<LinkProposal> {
        let (one, other) = (self.view.of(from), self.view.of(to));
        if (one.kind == Kind::Day) != (other.kind == Kind::Day) {
            return None;
        }
        let fit = one.fit(self.domains.get(&to)?);
        if fit.found == 0 {
            return None;
        }
        let alike = self.alike(from, to);
        // Where both sides are unique, lines are taken to look their rows up, and not the other way round.
        let shared =
            self.keys[to.table].iter().any(|key| key.columns == [to.column] && key.shared > 0);
        let backwards = u32::from(self.has_lines(to.table)) + 2 * u32::from(shared);
        let score = self.score(&fit, alike, from, to).saturating_sub(backwards);
        Some(LinkProposal {
            from: vec![from],
            to_table: to.table,
            to: vec![to.column],
            fit,
            alike,
            score,
            ..LinkProposal::default()
        })
    }

    /// Keys of several columns, and keys that hold for periods.
    pub(super) fn several(&mut self) {
        let singles = self.found.clone();
        for to_table in 0..self.view.seen.len() {
            let dated = self.view.periods[to_table];
            let is_reached = |link: &LinkProposal| {
                link.to_table == to_table && (link.score >= SURE || link.stated.is_some())
            };
            if dated.is_none() && singles.iter().any(is_reached) {
                continue;
            }
            let keys = wider_keys(self.view, to_table);
            for from_table in (0..self.view.seen.len()).filter(|table| *table != to_table) {
                // The rows of a price list do not look for a price.
                if dated.is_some()
                    && (self.view.periods[from_table].is_some() || self.day(from_table).is_none())
                {
                    continue;
                }
                let best = keys
                    .iter()
                    .filter_map(|key| self.wider(from_table, to_table, key, &singles))
                    .max_by_key(|link| (link.score, std::cmp::Reverse(link.to.len())));
                self.found.extend(best.filter(|link| link.score >= LIKELY));
            }
        }
        self.prefer_dated();
    }

    /// Where rows have a first and a last day, a link asks for the day, also if each key has one row only: last year's price is
    /// no price of this year.
    fn prefer_dated(&mut self) {
        let has_end =
            |table: usize| self.view.periods[table].is_some_and(|own| own.until.is_some());
        let is_dated = |link: &&LinkProposal| {
            link.as_of.is_some() && link.score >= SURE && has_end(link.to_table)
        };
        let dated = self.found.iter().filter(is_dated);
        let dated: BTreeSet<(ColumnAt, usize)> =
            dated.map(|link| (link.from[0], link.to_table)).collect();
        let stays = |link: &LinkProposal| {
            let is_known = link.as_of.is_some() || link.stated.is_some();
            is_known || !dated.contains(&(link.from[0], link.to_table))
        };
        self.found.retain(stays);
    }

    /// The day of a line on which a price must hold: the one whose column name says so, else the first.
    fn day(&self, from_table: usize) -> Option<ColumnAt> {
        let days =
            || self.view.columns(from_table).filter(|at| self.view.of(*at).kind == Kind::Day);
        let sold = days().find(|at| {
            let words = &self.view.of(*at).words;
            words.means(Meaning::Sold) && !words.means(Meaning::Until)
        });
        sold.or_else(|| days().next())
    }

    fn wider(
        &self,
        from_table: usize,
        to_table: usize,
        key: &Key,
        singles: &[LinkProposal],
    ) -> Option<LinkProposal> {
        let dated = self.view.periods[to_table].is_some();
        let mut choices: Vec<Vec<Part>> = Vec::new();
        for column in &key.columns {
            let to = ColumnAt { table: to_table, column: *column };
            let parts = self.parts(from_table, to, singles);
            if parts.is_empty() {
                return None;
            }
            choices.push(parts);
        }
        let mut best: Option<LinkProposal> = None;
        for choice in combinations(&choices) {
            let ats: BTreeSet<ColumnAt> = choice.iter().map(|part| part.at).collect();
            let own = choice.iter().any(|part| part.at.table == from_table);
            if ats.len() < choice.len() || !own {
                continue;
            }
            let link = self.joint(from_table, to_table, key, &choice, dated);
            if link.score > best.as_ref().map_or(0, |best| best.score) {
                best = Some(link);
            }
        }
        best
    }

    /// The columns within reach of a table that might be the part of a key that `to` is.
    fn parts(&self, from_table: usize, to: ColumnAt, singles: &[LinkProposal]) -> Vec<Part> {
        let other = self.view.of(to);
        let domain = Domain::new(other.values.clone());
        let mut parts = Vec::new();
        let mut add = |at: ColumnAt, texts: StringViewArray| {
            let traits = self.view.of(at);
            if !matches!(traits.kind, Kind::Code | Kind::Whole | Kind::Prose) {
                return;
            }
            let (fit, split) = self.fit_or_cells(at, &domain);
            let (alike, by_chance) = (self.alike(at, to), traits.is_dense() && other.is_dense());
            let named = alike >= 60 || !(by_chance || self.is_measure(at));
            if named && fit.share().max(fit.row_share()) >= PART_SHARE {
                parts.push(Part {
                    at,
                    texts,
                    fit,
                    split,
                    alike,
                    is_weak: by_chance || is_weak(traits),
                });
            }
        };
        for at in self.view.columns(from_table) {
            add(at, self.texts(at).clone());
        }
        let reached = singles.iter().filter(|link| {
            link.score >= SURE
                && link.from.len() == 1
                && link.from[0].table == from_table
                && link.to_table != to.table
        });
        for link in reached {
            let rows = self.rows_of(link);
            for at in self.view.columns(link.to_table).filter(|at| at.column != link.to[0]) {
                add(at, gathered(self.texts(at), rows.iter().copied()));
            }
        }
        parts.sort_by_key(|part| {
            let own = part.at.table == from_table;
            std::cmp::Reverse((part.fit.share() + part.alike, own))
        });
        parts.truncate(PARTS_TRIED);
        parts
    }

    /// How a column fits another, by its cells or by one of several keys in each, whichever finds more.
    fn fit_or_cells(&self, at: ColumnAt, domain: &Domain) -> (Fit, Option<char>) {
        let fit = self.view.of(at).fit(domain);
        let cells = self.cells.get(&at).filter(|_| fit.row_share() < WHOLE_CELLS);
        let by_cells = cells.map(|cells| (cells.fit(domain), Some(cells.separator)));
        match by_cells {
            Some(more) if more.0.row_share() > fit.row_share() => more,
            _ => (fit, None),
        }
    }

    fn is_measure(&self, at: ColumnAt) -> bool {
        self.view.of(at).words.means(Meaning::Quantity)
    }

    /// The rows of a lookup that the rows of a table lead to.
    fn rows_of(&self, link: &LinkProposal) -> Vec<Option<u32>> {
        let keys = self.texts(ColumnAt { table: link.to_table, column: link.to[0] });
        let mut table = KeyTable::with_capacity(keys.len());
        for (row, key) in keys.iter().enumerate() {
            table.insert(key.unwrap_or_default().trim(), row as u32);
        }
        let from = self.texts(link.from[0]);
        from.iter().map(|key| table.get(key.unwrap_or_default().trim())).collect()
    }

    /// The evidence for a link by all columns of a key together.
    fn joint(
        &self,
        from_table: usize,
        to_table: usize,
        key: &Key,
        parts: &[&Part],
        dated: bool,
    ) -> LinkProposal {
        let texts: Vec<StringViewArray> = parts.iter().map(|part| part.texts.clone()).collect();
        let fit = if let ([part], [_]) = (parts, key.columns.as_slice()) {
            part.fit.clone()
        } else {
            self.wider_keys.fit(&texts, to_table, &key.columns)
        };
        let alike = parts.iter().map(|part| part.alike).sum::<u32>() / parts.len() as u32;
        let values = fit.share().max((fit.row_share() * 9 + fit.share()) / 10);
        let strong = parts.iter().any(|part| !part.is_weak || part.alike >= 60);
        let mut score =
            if strong { (values * 75 + alike * 25) / 100 } else { alike * values / 200 };
        // By wider keys two facts fit each other as well, and neither is a lookup.
        if !dated && self.is_fact_like(to_table) && !self.is_part_of(from_table, to_table) {
            score = 0;
        }
        LinkProposal {
            from: parts.iter().map(|part| part.at).collect(),
            to_table,
            to: key.columns.clone(),
            split: if parts.len() == 1 { parts[0].split } else { None },
            as_of: if dated { self.day(from_table) } else { None },
            fit,
            alike,
            score,
            ..LinkProposal::default()
        }
    }

    /// Whether the rows of a table look like lines: something measured, on a day.
    fn has_lines(&self, table: usize) -> bool {
        let traits = &self.view.traits[table];
        let measured = traits.iter().any(|column| {
            matches!(column.kind, Kind::Whole | Kind::Measure)
                && column.words.means(Meaning::Quantity)
        });
        measured && traits.iter().any(|column| column.kind == Kind::Day)
    }

    /// Whether a table has measured amounts, and keys of others besides.
    fn is_fact_like(&self, table: usize) -> bool {
        let measured = self.view.columns(table).any(|at| {
            let traits = self.view.of(at);
            let numeric = matches!(traits.kind, Kind::Whole | Kind::Measure);
            numeric
                && (traits.words.means(Meaning::Quantity)
                    || traits.words.means(Meaning::Target)
                    || traits.words.means(Meaning::Amount))
        });
        let links = self.found.iter().any(|link| link.score >= SURE && link.from[0].table == table);
        measured && links
    }

    /// Whether the rows of one table speak of single rows of the other: there are fewer of them.
    fn is_part_of(&self, table: usize, of: usize) -> bool {
        self.view.seen[table].rows < self.view.seen[of].rows
    }
}

/// Every choice of one part for each column, a few hundred at most.
fn combinations(choices: &[Vec<Part>]) -> Vec<Vec<&Part>> {
    let mut all: Vec<Vec<&Part>> = vec![Vec::new()];
    for parts in choices {
        all = all
            .into_iter()
            .flat_map(|before| {
                parts.iter().map(move |part| before.iter().copied().chain([part]).collect())
            })
            .collect();
    }
    all
}

/// Whether values would be found elsewhere by chance: single letters, yes and no.
pub(super) fn is_weak(traits: &Traits) -> bool {
    let longest = traits.values.iter().map(|value| value.chars().count()).max().unwrap_or(0);
    longest <= 1 || traits.values.len() <= 2
}
