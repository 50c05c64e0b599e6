//! What is noted of a batch of lines: what was set aside, unmatched keys, figures that are blank and why, and the
//! sums that must close.

use std::collections::BTreeMap;

use interligo_model::place::Spot;
use interligo_model::values::column::{Column, is_known};
use interligo_model::values::date::Day;
use interligo_model::values::value::Value;

use super::{Line, LineBatch, Lines};
use crate::engine::Extent;
use crate::eval::{WhyBlank, why_blank};
use crate::links::{Link, LinkStatus, LinkedRows, is_row};
use crate::proof::findings::{BlankBecause, Findings, PLACES_KEPT, Unreadable};
use crate::proof::tallies::{KeyTallies, KeyTally, SoughtRef};
use crate::proof::tally::Tally;

impl Lines<'_> {
    pub(super) fn look_into(&mut self, batch: &LineBatch<'_>) {
        let mut findings = Findings {
            lines: self.rows as u64,
            currencies: std::mem::take(&mut self.findings.currencies),
            rounded: std::mem::take(&mut self.findings.rounded),
            doubts: std::mem::take(&mut self.findings.doubts),
            ..Findings::default()
        };
        findings.ends.kept = match self.aside.is_empty() {
            true => Tally { lines: self.rows as u64, marks: 0, sums: self.sums_over(None) },
            false => {
                let rows = 0..self.rows as u32;
                self.tally_of(&rows.filter(|row| !self.is_aside(*row)).collect::<Vec<u32>>())
            }
        };
        if !self.aside.is_empty() {
            let aside: Vec<u32> = self.aside.iter().map(|(row, _)| *row).collect();
            findings.ends.aside = self.tally_of(&aside);
        }
        for (_, reason) in &self.aside {
            *findings.aside.entry(*reason).or_default() += 1;
        }
        let spot = |row: u32| Spot { part: batch.part, row: (batch.row_of)(row) };
        for (number, rows) in
            self.unreadable.iter().enumerate().filter(|(_, rows)| !rows.is_empty())
        {
            let first: Vec<u32> = rows.iter().take(PLACES_KEPT).copied().collect();
            let texts = batch.columns[number].gathered(&first).texts();
            let examples = first.iter().zip(texts.iter().flatten());
            let first = examples.map(|(row, text)| (spot(*row), text.to_owned())).collect();
            findings.unreadable.insert(number, Unreadable { count: rows.len() as u64, first });
        }
        for linked in &self.linked {
            findings.links.push(linked.as_ref().map(|l| l.counts).unwrap_or_default());
        }
        if self.engine.extent == Extent::Everything {
            self.tally_keys(&mut findings, &spot);
        }
        self.note_odd_days(&mut findings, &spot);
        findings.dates = self.dates();
        findings.blanks = self.blanks(&spot);
        self.findings = findings;
    }

    /// The first and the last date of the lines.
    fn dates(&self) -> Option<(Day, Day)> {
        let Some(Column::Date(days)) = self.engine.date.map(|date| &self.columns[date]) else {
            return None;
        };
        let known = days.days.iter().enumerate();
        let known = known.filter(|(row, _)| is_known(days.known.as_ref(), *row));
        known.fold(None, |span, (_, day)| match span {
            None => Some((Day(*day), Day(*day))),
            Some((first, last)) => Some((first.min(Day(*day)), last.max(Day(*day)))),
        })
    }

    /// Days of lines that cannot well be meant.
    fn note_odd_days(&self, findings: &mut Findings, spot: &impl Fn(u32) -> Spot) {
        let Some(Column::Date(days)) = self.engine.day.map(|day| &self.columns[day]) else {
            return;
        };
        for (row, day) in days.days.iter().enumerate().filter(|(_, day)| Day(**day).is_odd()) {
            if is_known(days.known.as_ref(), row) {
                findings.odd_days.note(spot(row as u32), || Day(*day).to_string());
            }
        }
    }

    /// Some lines with what they amount to.
    fn tally_of(&self, rows: &[u32]) -> Tally {
        Tally { lines: rows.len() as u64, marks: 0, sums: self.sums_over(Some(rows)) }
    }

    fn tally_keys(&self, findings: &mut Findings, spot: &impl Fn(u32) -> Spot) {
        for (number, linked) in self.linked.iter().enumerate() {
            let Some(linked) = linked else { continue };
            self.tally_missed(findings, number, linked);
            self.tally_same_keys(findings, number, linked);
            self.tally_matched_via(findings, number, linked);
            if linked.stopping > 0 {
                findings.gaps_stopping.insert(number, linked.stopping);
            }
            for by in &linked.in_vain {
                *findings.mended_in_vain.entry((number, *by)).or_default() += 1;
            }
        }
        for tallies in [
            &mut findings.keys,
            &mut findings.absent,
            &mut findings.passed_over,
            &mut findings.cleaned,
            &mut findings.carried,
            &mut findings.same_keys,
        ] {
            tallies.place(spot);
        }
    }

    /// The rows from which a link starts; none where it starts at the fact.
    fn parents_of(&self, link: &Link) -> &[u32] {
        link.parent().map_or(&[][..], |parent| self.link_rows(parent))
    }

    /// Keys that have no row, and candidates that were passed over.
    fn tally_missed(&self, findings: &mut Findings, number: usize, linked: &LinkedRows) {
        let link = &self.engine.links[number];
        let (parents, query) = (self.parents_of(link), self.queries[number].as_ref());
        // Under a parent without a row there is no key to speak of.
        let has_key = |row: u32| parents.get(row as usize).is_none_or(|parent| is_row(*parent));
        let bringing: Vec<&[u32]> = match link.parent() {
            Some(_) => Vec::new(),
            None => link.builds_on().iter().map(|other| self.link_rows(*other)).collect(),
        };
        // A key that another link should have brought is blank because of that link.
        let follows = |row: u32| bringing.iter().any(|rows| !is_row(rows[row as usize]));
        let cause = |row: u32, status: LinkStatus| {
            has_key(row) && !(status == LinkStatus::Blank && follows(row))
        };
        for (row, status) in linked.problems.iter().filter(|(row, status)| cause(*row, *status)) {
            let tallies = match link.settled(*status) {
                LinkStatus::NotNeeded => continue,
                LinkStatus::Absent => &mut findings.absent,
                _ => &mut findings.keys,
            };
            let key = link.offered(query, parents, *row as usize);
            let key = SoughtRef { link: number, status: *status, key: &key };
            self.tally(tallies, key, *row);
        }
        for over in &linked.passed {
            let key = link.offered_in(query, parents, over.line as usize, over.round as usize);
            let key = SoughtRef { link: number, status: over.status, key: &key };
            self.tally(&mut findings.passed_over, key, over.line);
        }
    }

    /// Keys of a lookup that are one key to the link, where lines took one of their rows.
    fn tally_same_keys(&self, findings: &mut Findings, number: usize, linked: &LinkedRows) {
        let same = self.engine.links[number].same_keys();
        if same.of_row.is_empty() {
            return;
        }
        for (line, row) in linked.rows.iter().enumerate() {
            let Some(group) = same.of_row.get(row) else { continue };
            let key = &same.groups[*group][0];
            let key = SoughtRef { link: number, status: LinkStatus::Exact, key };
            self.tally(&mut findings.same_keys, key, line as u32);
        }
    }

    /// Keys that found their row after cleaning, by a correction, or on another day.
    fn tally_matched_via(&self, findings: &mut Findings, number: usize, linked: &LinkedRows) {
        let link = &self.engine.links[number];
        let (parents, query) = (self.parents_of(link), self.queries[number].as_ref());
        for via in &linked.matched_via {
            if via.how == LinkStatus::Mended {
                *findings.mended.entry((number, via.by)).or_default() += 1;
            }
            let line = via.line as usize;
            let (tallies, key) = match via.how {
                LinkStatus::Cleaned => (&mut findings.cleaned, link.written(query, parents, line)),
                LinkStatus::Carried => (&mut findings.carried, link.offered(query, parents, line)),
                _ => continue,
            };
            let key = SoughtRef { link: number, status: via.how, key: &key };
            if let Some(tally) = self.tally(tallies, key, via.line) {
                tally.row = tally.row.or(Some(linked.rows[line]));
                if via.how == LinkStatus::Carried {
                    tally.gap = tally.gap.max(via.by);
                }
            }
        }
    }

    /// Adds a line to the tally of its key, with its number in place of its spot.
    fn tally<'t>(
        &self,
        tallies: &'t mut KeyTallies,
        key: SoughtRef<'_>,
        row: u32,
    ) -> Option<&'t mut KeyTally> {
        let tally = tallies.of(key)?;
        tally.note(Spot { part: 0, row: u64::from(row) });
        tally.amounts.resize(self.engine.amounts.len(), None);
        let line = row as usize;
        let number = |column: &Column| match column {
            Column::Number(numbers) => numbers.get(line),
            _ => None,
        };
        for (sum, column) in tally.amounts.iter_mut().zip(&self.engine.amounts) {
            let amount = number(&self.columns[*column]).into_iter();
            amount.for_each(|amount| sum.get_or_insert_default().add(amount));
        }
        if let Some(figure) = self.engine.weigh_by {
            match self.figures[figure].as_ref().and_then(number) {
                Some(amount) => tally.weight.add(amount),
                None => tally.unknown += 1,
            }
        }
        if let Some(Value::Date(day)) = self.engine.day.map(|day| self.columns[day].value(line)) {
            tally.note_day(day);
        }
        Some(tally)
    }

    /// The blank lines of every figure, by what made them blank.
    fn blanks(&self, spot: &impl Fn(u32) -> Spot) -> BTreeMap<(usize, BlankBecause), Unreadable> {
        let mut blanks: BTreeMap<_, Unreadable> = BTreeMap::new();
        for &figure in &self.engine.figure_order {
            let Some(column) = &self.figures[figure] else { continue };
            for row in column.blank_rows() {
                if self.is_aside(row as u32) {
                    continue;
                }
                let because = self.blank_because(figure, row);
                blanks.entry((figure, because)).or_default().note(spot(row as u32), String::new);
            }
        }
        blanks
    }

    /// Why a figure is blank on a line.
    pub fn blank_because(&self, figure: usize, row: usize) -> BlankBecause {
        match why_blank(&self.engine.figure(figure).expr, &Line { lines: self, row }) {
            WhyBlank::Figure(figure) => self.blank_because(figure, row),
            WhyBlank::Column(column) => {
                // A column that is computed is never unreadable itself.
                if self.is_unreadable(column, row) {
                    BlankBecause::Unreadable(column)
                } else {
                    BlankBecause::Column(column)
                }
            }
            WhyBlank::Attribute { route, column } => {
                let linked = self.linked[route].as_ref().expect("links of figures are resolved");
                // The problem of the nearest link on the way that found no row.
                match linked.problems.binary_search_by_key(&(row as u32), |(row, _)| *row) {
                    Ok(at) if !is_row(linked.rows[row]) => {
                        self.at_its_root(route, row, linked.problems[at].1)
                    }
                    _ => BlankBecause::Attribute(route, column),
                }
            }
            WhyBlank::DividedByZero => BlankBecause::DividedByZero(figure),
            WhyBlank::Chosen => BlankBecause::Chosen(figure),
        }
    }

    /// On a chain, the link that broke it.
    fn at_its_root(&self, link: usize, row: usize, status: LinkStatus) -> BlankBecause {
        let parent = self.engine.links[link].parent();
        if let Some((parent, linked)) = parent.and_then(|p| Some((p, self.linked[p].as_ref()?)))
            && !is_row(linked.rows[row])
            && let Ok(at) = linked.problems.binary_search_by_key(&(row as u32), |(row, _)| *row)
        {
            return self.at_its_root(parent, row, linked.problems[at].1);
        }
        BlankBecause::Link(link, status)
    }
}
