//! Links at work: from the keys of a batch of lines to a row number per line and link.
//!
//! A link from the fact looks its keys up; one from a lookup was resolved once per row of that lookup
//! before the first line, and costs a line no more than reading a number.

mod beside;
mod chain;
mod corrections;
mod resolve;
mod resolver;

use std::borrow::Cow;

use arrow_array::StringViewArray;

pub(crate) use crate::proof::link_status::is_row;
pub use crate::proof::link_status::{LinkStatus, StatusCounts, lines_found};
pub use corrections::CorrectionOutcome;
pub(crate) use corrections::key_of;
pub(crate) use resolve::{KeyQuery, MatchedVia, Passed, SameKeys};

use crate::bind::{BoundLookup, Home, KeyPart, Route};
use crate::eval::{Expr, Type};
use crate::keys::{Found, KeyIndex, joined, shown_parts};
use crate::lookup::Lookup;
use crate::lookup::calendar::Calendar;
use crate::lookup::gather::{brought_days, brought_texts};
use crate::trace::KeyAttempt;
use beside::{Beside, KnownKeys};
use chain::{Chain, chain_query};
use interligo_model::plan::{ColumnType, Correction, Missing, Mistake, MistakeKind};
use interligo_model::reading::column_reader::Reading;
use interligo_model::reading::style::Style;
use interligo_model::values::column::{Column, DateColumn, is_known, known_where};
use interligo_model::values::date::Day;
use interligo_model::values::value::Value;
use resolve::{Resolver, offered};
use resolver::resolver;

/// A link, ready for lines.
pub(crate) struct Link {
    pub(crate) lookup: usize,
    pub(crate) missing: Missing,
    /// The columns of the fact that hold its keys and its day, for one that starts there.
    start: Start,
    resolver: Resolver,
    /// A link that looks for the same keys.
    beside: Option<Beside>,
    /// The condition for lines that need a row, over the columns of lines.
    pub(crate) when: Option<Expr>,
    /// The row with the attributes of `fill`.
    fill: Option<u32>,
}

/// Where a link takes its keys from.
enum Start {
    Fact {
        /// Of each candidate, its columns.
        candidates: Vec<Vec<Part>>,
        day: Option<Part>,
    },
    /// What each row of the parent's lookup leads to.
    Chain { parent: usize, found: Chain },
}

/// A column with keys or days.
enum Part {
    /// A column of lines, by number.
    Own(usize),
    /// Texts or days of a lookup that another link brings.
    Texts(usize, StringViewArray),
    Days(usize, DateColumn),
}

/// The rows of one link for a batch of lines.
#[derive(Debug, Default)]
pub(crate) struct LinkedRows {
    /// A row of the lookup per line, or why there is none.
    pub(crate) rows: Vec<u32>,
    /// Whether every line has a row.
    pub(crate) complete: bool,
    /// How many lines came out how, before the rule for missing rows.
    pub(crate) counts: StatusCounts,
    /// The lines without a row of their own, and why; also those that are filled.
    pub(crate) problems: Vec<(u32, LinkStatus)>,
    /// The lines whose row was not found by their first key as it is written.
    pub(crate) matched_via: Vec<MatchedVia>,
    /// Candidates that were passed over for a later one.
    pub(crate) passed: Vec<Passed>,
    /// Lines on a day without a row on which the run is to end.
    pub(crate) stopping: u64,
    /// The corrections of lines that led to no row nevertheless, by number, once per line.
    pub(crate) in_vain: Vec<u32>,
}

/// What a link needs of the plan and the tables.
pub(crate) struct LinkParts<'a> {
    pub(crate) route: &'a Route,
    pub(crate) bound: &'a BoundLookup,
    /// Of a route by number, its lookup as it is bound.
    pub(crate) bound_of: &'a dyn Fn(usize) -> &'a BoundLookup,
    /// The number, among the columns that are read, of a fact's column as a key.
    pub(crate) key_read: &'a dyn Fn(usize) -> usize,
    /// The same as a day.
    pub(crate) day_read: &'a dyn Fn(usize) -> usize,
    /// The plan's corrections.
    pub(crate) corrections: &'a [Correction],
}

impl Link {
    /// Prepares a link; `links` are those before it. A row for `fill` is added to the lookup.
    ///
    /// # Errors
    /// A condition that is none.
    pub(crate) fn new(
        parts: &LinkParts<'_>,
        lookups: &mut [Lookup],
        links: &[Link],
    ) -> Result<Link, Mistake> {
        let route = parts.route;
        let fill = (route.missing == Missing::Fill).then(|| {
            let lookup = &mut lookups[route.lookup];
            let values: Vec<_> = route
                .fill
                .iter()
                .map(|(column, text)| (*column, fill_value(lookup, *column, text)))
                .collect();
            lookup.add_row(&values)
        });
        let resolver = resolver(parts, &lookups[route.lookup]);
        let start = match route.home {
            Home::Fact => fact_start(parts, lookups, links),
            Home::Route(parent) => {
                let query = chain_query(parts, parent, lookups, links)?;
                Start::Chain { parent, found: Chain::new(&resolver, query) }
            }
        };
        let beside = Beside::find(&start, &resolver, links);
        let (lookup, missing) = (route.lookup, route.missing);
        Ok(Link { lookup, missing, start, resolver, beside, when: None, fill })
    }

    /// The link that this one starts from.
    pub(crate) fn parent(&self) -> Option<usize> {
        match self.start {
            Start::Chain { parent, .. } => Some(parent),
            Start::Fact { .. } => None,
        }
    }

    /// The column of lines that it takes the day from.
    pub(crate) fn own_day(&self) -> Option<usize> {
        match &self.start {
            Start::Fact { day: Some(Part::Own(column)), .. } => Some(*column),
            _ => None,
        }
    }

    /// The links that bring what it looks for.
    pub(crate) fn builds_on(&self) -> Vec<usize> {
        match &self.start {
            Start::Chain { parent, .. } => vec![*parent],
            Start::Fact { candidates, day } => {
                let through = |part: &Part| match part {
                    Part::Own(_) => None,
                    Part::Texts(link, _) | Part::Days(link, _) => Some(*link),
                };
                candidates.iter().flatten().chain(day).filter_map(through).collect()
            }
        }
    }

    /// What a link from the fact looks for on a batch of lines. `linked` are the rows of the links before
    /// this one, `meant` the lines that need a row.
    pub(crate) fn query(
        &self,
        rows: usize,
        columns: &[Column],
        linked: &[Option<LinkedRows>],
        meant: Option<Vec<bool>>,
    ) -> Option<KeyQuery> {
        let Start::Fact { candidates, day } = &self.start else { return None };
        let rows_of = |link: usize| {
            &linked[link].as_ref().expect("a link comes after those that it builds on").rows
        };
        let texts = |part: &Part| match part {
            Part::Own(column) => match &columns[*column] {
                Column::Text(texts) => texts.clone(),
                _ => unreachable!("key columns are read as text"),
            },
            Part::Texts(link, texts) => brought_texts(texts, rows_of(*link)),
            Part::Days(..) => unreachable!("keys are texts"),
        };
        let days = |part: &Part| match part {
            Part::Own(column) => match &columns[*column] {
                Column::Date(days) => days.clone(),
                _ => unreachable!("dates of links are read as dates"),
            },
            Part::Days(link, days) => brought_days(days, rows_of(*link)),
            Part::Texts(..) => unreachable!("days are dates"),
        };
        Some(KeyQuery {
            lines: rows,
            candidates: candidates.iter().map(|c| c.iter().map(texts).collect()).collect(),
            days: day.as_ref().map(days),
            meant,
        })
    }

    /// The rows of a batch, by what is query on it.
    pub(crate) fn resolve(
        &self,
        query: Option<&KeyQuery>,
        linked: &[Option<LinkedRows>],
    ) -> LinkedRows {
        let mut found = match (&self.start, query) {
            (Start::Fact { .. }, Some(query)) => {
                let known = self.beside.as_ref().and_then(|beside| beside.known(linked));
                self.resolve_keys(query, known)
            }
            (Start::Chain { parent, found }, _) => {
                let parent = linked[*parent].as_ref().expect("a link comes after its parent");
                self.follow(&parent.rows, found)
            }
            _ => unreachable!("a link from the fact looks for keys"),
        };
        found.complete = found.rows.iter().all(|row| is_row(*row));
        found
    }

    fn resolve_keys(&self, query: &KeyQuery, known: Option<KnownKeys<'_>>) -> LinkedRows {
        let found = self.resolver.resolve(query, known.as_ref());
        let mut linked = LinkedRows {
            rows: found.rows,
            problems: found.problems,
            passed: found.passed,
            matched_via: found.matched_via,
            stopping: found.stopping.len() as u64,
            in_vain: found.in_vain.iter().map(|(_, by)| *by).collect(),
            ..LinkedRows::default()
        };
        for (line, status) in &linked.problems {
            linked.counts[*status as usize] += 1;
            if let Some(fill) = self.fill_for(*status) {
                linked.rows[*line as usize] = fill;
            }
        }
        for via in &linked.matched_via {
            linked.counts[via.how as usize] += 1;
        }
        let without_exact: u64 = linked.counts.iter().sum();
        linked.counts[LinkStatus::Exact as usize] = query.lines as u64 - without_exact;
        linked
    }

    fn follow(&self, parents: &[u32], chain: &Chain) -> LinkedRows {
        let mut found =
            LinkedRows { rows: Vec::with_capacity(parents.len()), ..LinkedRows::default() };
        for (line, &parent) in parents.iter().enumerate() {
            let (row, status, by) = chain.at(parent);
            found.counts[status as usize] += 1;
            if status.is_found() {
                found.rows.push(row);
                if status != LinkStatus::Exact {
                    found.matched_via.push(MatchedVia { line: line as u32, how: status, by });
                }
            } else {
                found.rows.push(self.fill_for(status).unwrap_or(row));
                found.problems.push((line as u32, status));
                found.stopping += u64::from(chain.stopping.binary_search(&parent).is_ok());
                let led = chain.in_vain.partition_point(|(row, _)| *row < parent);
                let led = chain.in_vain[led..].iter().take_while(|(row, _)| *row == parent);
                found.in_vain.extend(led.map(|(_, by)| *by));
            }
            if !chain.passed.is_empty() {
                let passed = chain.passed.get(&parent).into_iter().flatten();
                found.passed.extend(passed.map(|p| Passed { line: line as u32, ..*p }));
            }
        }
        found
    }

    /// On a chain, the row that a row of the parent leads to.
    pub(crate) fn step(&self, parent: Option<u32>) -> Option<u32> {
        let Start::Chain { found, .. } = &self.start else { return parent };
        let (row, status, _) = found.at(parent.unwrap_or(u32::MAX));
        if status.is_found() { Some(row) } else { self.fill_for(status) }
    }

    /// What was asked for on a line, and its number there; `parents` are the rows of the link that this one
    /// starts from.
    fn asked<'s>(
        &'s self,
        query: Option<&'s KeyQuery>,
        parents: &[u32],
        line: usize,
    ) -> Option<(&'s KeyQuery, usize)> {
        match &self.start {
            Start::Chain { found, .. } => Some((&found.query, parents[line] as usize)),
            Start::Fact { .. } => query.map(|query| (query, line)),
        }
    }

    /// The keys that a line offers, in the order in which they are tried, as messages show them.
    pub(crate) fn offered<'s>(
        &'s self,
        query: Option<&'s KeyQuery>,
        parents: &[u32],
        line: usize,
    ) -> Cow<'s, str> {
        let Some((query, line)) = self.asked(query, parents, line) else { return "".into() };
        match (query.candidates.as_slice(), &self.resolver.split) {
            ([only], None) if only.len() == 1 => only[0].value(line).trim().into(),
            _ => {
                let all = offered(query, self.resolver.split.as_deref(), line);
                let said: Vec<&str> =
                    all.iter().map(String::as_str).filter(|key| !key.trim().is_empty()).collect();
                said.join(" or ").into()
            }
        }
    }

    /// One of them.
    pub(crate) fn offered_in(
        &self,
        query: Option<&KeyQuery>,
        parents: &[u32],
        line: usize,
        round: usize,
    ) -> String {
        let asked = self.asked(query, parents, line);
        let offered =
            asked.map(|(query, line)| offered(query, self.resolver.split.as_deref(), line));
        offered.into_iter().flatten().nth(round).unwrap_or_default()
    }

    /// The first key of a line as it is written, stray spaces and all.
    pub(crate) fn written<'s>(
        &'s self,
        query: Option<&'s KeyQuery>,
        parents: &[u32],
        line: usize,
    ) -> Cow<'s, str> {
        let Some((query, line)) = self.asked(query, parents, line) else { return "".into() };
        match query.candidates.first().map(Vec::as_slice) {
            Some([only]) => only.value(line).into(),
            Some(several) => {
                let texts: Vec<&str> = several.iter().map(|column| column.value(line)).collect();
                shown_parts(&texts).into()
            }
            None => "".into(),
        }
    }

    /// The keys that a line offers, as the index is asked for them, and its day where the link is dated.
    pub(crate) fn keys_asked(
        &self,
        query: Option<&KeyQuery>,
        parents: &[u32],
        line: usize,
    ) -> (Vec<String>, Option<Option<Day>>) {
        let Some((query, line)) = self.asked(query, parents, line) else {
            return (Vec::new(), None);
        };
        if line >= query.lines {
            return (Vec::new(), None);
        }
        let keys = match &self.resolver.split {
            Some(separator) => offered(query, Some(separator), line),
            None => {
                let key = |columns: &Vec<StringViewArray>| {
                    let texts: Vec<&str> = columns.iter().map(|texts| texts.value(line)).collect();
                    joined(&texts).into_owned()
                };
                query.candidates.iter().map(key).collect()
            }
        };
        let day = query
            .days
            .as_ref()
            .map(|days| is_known(days.known.as_ref(), line).then(|| Day(days.days[line])));
        (keys, day)
    }

    /// The steps by which a key is looked up.
    pub(crate) fn explain(&self, key: &str) -> KeyAttempt {
        let correction = self.correction_of(key).map(|(number, _)| number as usize);
        KeyAttempt::new(key, self.resolver.index.steps(key), correction)
    }

    /// What the index has for a key: a row, or of a dated lookup the number of a key.
    pub(crate) fn row_of_key(&self, key: &str) -> Option<u32> {
        if let Some((_, row)) = self.correction_of(key) {
            return Some(row);
        }
        match self.resolver.index.exactly_one(key) {
            Found::Exact(row) | Found::Cleaned(row) => Some(row),
            Found::Ambiguous | Found::Nothing => None,
        }
    }

    /// The correction of a key, by number, and what it leads to: as it is written, else where the lookup does not have it
    /// as it is written, after cleaning.
    fn correction_of(&self, key: &str) -> Option<(u32, u32)> {
        let corrections = self.resolver.corrections.as_ref()?;
        let keys = StringViewArray::from(vec![key]);
        let at = match corrections.as_written(&keys).first() {
            Some((_, at)) => Some(*at),
            None if self.resolver.index.exact_all(&keys).is_empty() => corrections.cleaned(key),
            None => None,
        };
        at.map(|at| corrections.target(at))
    }

    /// Keys of its lookup that are one key to it.
    pub(crate) fn same_keys(&self) -> &SameKeys {
        &self.resolver.same_keys
    }

    /// What becomes of the corrections that are for it.
    pub(crate) fn outcomes_of_corrections(&self) -> &[(usize, CorrectionOutcome)] {
        self.resolver
            .corrections
            .as_ref()
            .map_or(&[], |corrections| &corrections.outcomes_of_corrections)
    }

    /// The keys of its lookup: by row, or, where it is dated, by number of the key.
    pub(crate) fn index(&self) -> &KeyIndex {
        &self.resolver.index
    }

    /// The periods of its lookup's keys, by number.
    pub(crate) fn calendar(&self) -> Option<&Calendar> {
        self.resolver.calendar.as_deref()
    }

    /// Whether a row must hold on the day of a line.
    pub(crate) fn is_dated(&self) -> bool {
        self.resolver.calendar.is_some()
    }

    /// The row of `fill`, if it reaches lines that came out so.
    fn fill_for(&self, status: LinkStatus) -> Option<u32> {
        self.fill.filter(|_| status.is_missing())
    }

    /// The status after the plan's rule for missing rows.
    pub(crate) fn settled(&self, status: LinkStatus) -> LinkStatus {
        match self.missing {
            Missing::Normal if status.is_missing() => LinkStatus::Absent,
            _ if self.fill_for(status).is_some() => LinkStatus::Filled,
            _ => status,
        }
    }
}

/// The columns that a link from the fact takes its keys from.
fn fact_start(parts: &LinkParts<'_>, lookups: &[Lookup], links: &[Link]) -> Start {
    let key = |part: &KeyPart| match part.route {
        None => Part::Own((parts.key_read)(part.column)),
        Some(route) => Part::Texts(route, lookups[links[route].lookup].key_texts(part.column)),
    };
    let day = |part: &KeyPart| match part.route {
        None => Part::Own((parts.day_read)(part.column)),
        Some(route) => Part::Days(route, days_of(&lookups[links[route].lookup], part.column)),
    };
    let candidates = parts.route.candidates.iter();
    Start::Fact {
        candidates: candidates.map(|parts| parts.iter().map(key).collect()).collect(),
        day: parts.route.as_of.as_ref().map(day),
    }
}

/// Refuses a formula that is no condition.
pub(crate) fn require_condition(
    expr: &Expr,
    written: &interligo_model::plan::Written,
) -> Result<(), Mistake> {
    if expr.ty == Type::YesNo {
        return Ok(());
    }
    Err(written
        .mistaken(MistakeKind::WrongType, "`when` wants a condition")
        .help("compare something: when = \"currency <> 'EUR'\""))
}

/// The days of a lookup's column.
fn days_of(lookup: &Lookup, column: usize) -> DateColumn {
    match &lookup.columns[column].column {
        Some(Column::Date(days)) => days.clone(),
        // What is no date is never on a day.
        _ => {
            let rows = lookup.all_rows();
            DateColumn { days: vec![0; rows], known: known_where(rows, |_| false) }
        }
    }
}

/// A text of `fill` as a value of its column.
fn fill_value(lookup: &Lookup, column: usize, text: &str) -> Value<'static> {
    let column_type = match &lookup.columns[column].column {
        Some(Column::Number(_)) => ColumnType::Number,
        Some(Column::Date(_)) => ColumnType::Date,
        Some(Column::YesNo(_)) => ColumnType::YesNo,
        _ => return Value::Text(text.to_owned().into()),
    };
    let reading = Reading::of(column_type);
    let read = reading.read(&StringViewArray::from(vec![text]), &Style::default());
    read.column.value(0).into_owned()
}
