//! Findings over rows, values and column names: of lookups, of the fact's files, and of the links as such.

use std::collections::BTreeMap;

use interligo_engine::lookup::{LeftOut, Lookup};
use interligo_engine::proof::findings::{BlankBecause, Findings, Noted, Unreadable};
use interligo_engine::proof::tieout::blank_words;
use interligo_model::place::Parts;
use interligo_model::place::Place;
use interligo_model::plan::Duplicates;
use interligo_sources::table::column_drift::Drift;

use super::{Checked, Code, FactRun, Finding};
use crate::project::Project;

/// How many faults of the periods of a lookup are listed.
const FAULTS: usize = 20_000;

/// How many places of a finding are named.
const PLACES: usize = 20;

impl Finding {
    /// A finding without lines.
    fn of_rows(code: Code, about: &str, subject: impl Into<String>, count: u64) -> Finding {
        Finding {
            code,
            about: about.to_owned(),
            subject: subject.into(),
            count,
            affected: None,
            places: Vec::new(),
            last: None,
            table: about.to_owned(),
            spots: Vec::new(),
            days: None,
            note: String::new(),
            suggestions: Vec::new(),
            stops: false,
        }
    }

    fn at(mut self, places: Vec<String>, note: impl Into<String>) -> Finding {
        self.last = places.last().cloned();
        self.places = places;
        self.places.truncate(PLACES);
        self.note = note.into();
        self
    }
}

impl Checked {
    /// Rows and values of a fact.
    pub(super) fn add_fact_rows(&mut self, project: &Project, fact: &FactRun<'_>) {
        let (engine, findings) = (fact.engine, &fact.outcome.findings);
        let table = &engine.bound.fact.name;
        let parts = project.fact_parts(engine);
        for (part, column) in project.repeated_amounts(engine, findings) {
            let finding = Finding::of_rows(Code::RepeatedAmount, table, column, 1);
            let note = "repeated on every line of a row: added more than once";
            self.findings.push(finding.at(vec![part], note));
        }
        for (what, noted) in &findings.noted {
            let places = noted.first.iter();
            let places = places.map(|(spot, words)| format!("{}{words}", parts.0[spot.part]));
            let finding = Finding::of_rows(Code::from(*what), table, "", noted.count);
            self.findings.push(finding.at(places.collect(), what.outcome()));
        }
        for (column, unreadable) in &findings.unreadable {
            let name = engine.column_name(*column);
            let places = unreadable
                .first
                .iter()
                .map(|(spot, value)| format!("{} `{value}`", parts.place(*spot).in_column(name)));
            let mut finding =
                Finding::of_rows(Code::UnreadableValue, table, name, unreadable.count)
                    .at(places.collect(), "taken as blank");
            finding.spots = unreadable.first.iter().map(|(spot, _)| *spot).collect();
            self.findings.push(finding);
        }
        if findings.malformed.count > 0 {
            let malformed = &findings.malformed;
            let places = malformed.first.iter();
            let places = places.map(|(spot, _)| parts.place(*spot).to_string()).collect();
            let finding = Finding::of_rows(Code::MalformedRow, table, "", malformed.count);
            self.findings.push(finding.at(places, "set aside, as it was read"));
        }
        if findings.odd_days.count > 0 {
            let days = findings.odd_days.first.iter();
            let places = days.map(|(spot, day)| format!("{} `{day}`", parts.place(*spot)));
            let finding =
                Finding::of_rows(Code::ImplausibleDate, table, "", findings.odd_days.count);
            self.findings.push(finding.at(places.collect(), "an implausible date"));
        }
        if findings.rows().read == findings.rows().all_left_out() {
            let files = parts.0.iter().map(ToString::to_string).collect();
            let finding = Finding::of_rows(Code::NoLines, table, "", 0);
            self.findings.push(finding.at(files, "only a header row"));
        }
        self.add_blank_figures(fact, &parts);
        for figure in engine.amounts_as_ratios() {
            let finding = Finding::of_rows(Code::AmountAsRatio, table, figure, 1);
            let note = "its totals are computed from totals, not added up from lines";
            self.findings.push(finding.at(Vec::new(), note));
        }
        self.add_repeats(findings, table, &parts);
        self.add_total_rows(findings, table, &parts);
    }

    /// Lines that share their key.
    fn add_repeats(&mut self, findings: &Findings, table: &str, parts: &Parts) {
        for (number, repeat) in findings.repeats.iter().enumerate() {
            let differing: Vec<&str> = repeat.differing.iter().map(|(c, ..)| c.as_str()).collect();
            let places = [repeat.first, repeat.other].map(|spot| parts.place(spot).to_string());
            let mut finding = Finding::of_rows(Code::RepeatConflicting, table, &*repeat.key, 2)
                .at(places.to_vec(), format!("differ in {}", differing.join(", ")));
            // Those that no rule settles come first.
            finding.stops = (number as u64) < findings.repeats_open;
            finding.spots = vec![repeat.first, repeat.other];
            self.findings.push(finding);
        }
        for repeat in &findings.copies {
            let places = [repeat.first, repeat.other].map(|spot| parts.place(spot).to_string());
            let mut finding = Finding::of_rows(Code::RepeatIdentical, table, &*repeat.key, 1)
                .at(places.to_vec(), "identical copy, counted once");
            finding.spots = vec![repeat.first, repeat.other];
            self.findings.push(finding);
        }
        let identical = findings.rows().identical;
        if identical > findings.copies.len() as u64 {
            let rest = identical - findings.copies.len() as u64;
            let subject = if findings.copies.is_empty() { "" } else { "(others)" };
            let finding = Finding::of_rows(Code::RepeatIdentical, table, subject, rest);
            self.findings.push(finding.at(Vec::new(), "copies of lines that came before"));
        }
    }

    /// Rows that are totals, or look like some.
    fn add_total_rows(&mut self, findings: &Findings, table: &str, parts: &Parts) {
        for (code, rows, note) in [
            (Code::TotalRow, &findings.total_rows, "the sum of the rows above: left out"),
            (Code::TotalLikeRow, &findings.suspects, "looks like a total and is none"),
        ] {
            for (spot, cells) in rows {
                let mut finding = Finding::of_rows(code, table, &**cells, 1)
                    .at(vec![parts.place(*spot).to_string()], note);
                finding.stops = code == Code::TotalLikeRow;
                self.findings.push(finding);
            }
        }
    }

    /// Figures that are blank on lines whose keys were found, by the reason; what is the consequence of another finding is not
    /// among them.
    fn add_blank_figures(&mut self, fact: &FactRun<'_>, parts: &Parts) {
        let (engine, table) = (fact.engine, &fact.engine.bound.fact.name);
        let mut reasons: BTreeMap<BlankBecause, (Vec<&str>, &Unreadable)> = BTreeMap::new();
        for ((figure, why), lines) in &fact.outcome.findings.blanks {
            if matches!(why, BlankBecause::Link(..) | BlankBecause::Unreadable(_)) {
                continue;
            }
            let (names, most) = reasons.entry(*why).or_insert((Vec::new(), lines));
            names.push(&engine.bound.figures[*figure].name);
            if lines.count > most.count {
                *most = lines;
            }
        }
        for (why, (names, lines)) in reasons {
            let subject = match why {
                BlankBecause::DividedByZero(figure) | BlankBecause::Chosen(figure) => {
                    format!("{}: {}", engine.bound.figures[figure].name, blank_words(engine, why))
                }
                _ => blank_words(engine, why),
            };
            let places = lines.first.iter().map(|(spot, _)| parts.place(*spot).to_string());
            let mut finding = Finding::of_rows(Code::BlankFigure, table, subject, lines.count)
                .at(places.collect(), format!("without a value there: {}", names.join(", ")));
            finding.spots = lines.first.iter().map(|(spot, _)| *spot).collect();
            self.findings.push(finding);
        }
    }

    /// Rows and values of the lookups; one that several facts use is spoken of once.
    pub(super) fn add_lookups(&mut self, project: &Project, facts: &[FactRun<'_>]) {
        let mut known: Vec<&str> = Vec::new();
        for fact in facts {
            let bound = &fact.engine.bound.lookups;
            for (lookup, bound) in fact.engine.lookups.iter().zip(bound) {
                if !known.contains(&lookup.name.as_str()) {
                    known.push(&lookup.name);
                    self.add_lookup(project, lookup, &bound.duplicates);
                }
            }
        }
    }

    fn add_lookup(&mut self, project: &Project, lookup: &Lookup, rule: &Duplicates) {
        let name = &lookup.name;
        for duplicate in &lookup.duplicates {
            let identical = duplicate.differing.is_empty();
            let differing = duplicate.differing.join(", ");
            let note = match (&duplicate.held, rule) {
                _ if identical => "identical copy, counted once".to_owned(),
                (None, _) => format!("differ in {differing}: stops a run"),
                (_, Duplicates::Blank) => format!("differ in {differing}, which is blank"),
                (Some(used), _) => {
                    format!(
                        "differ in {differing}; {} is used",
                        row_beside(used, &duplicate.places)
                    )
                }
            };
            let code =
                if identical { Code::DuplicateIdentical } else { Code::DuplicateConflicting };
            let places = duplicate.places.iter().map(ToString::to_string).collect::<Vec<_>>();
            let mut finding =
                Finding::of_rows(code, name, &*duplicate.key, places.len() as u64).at(places, note);
            finding.stops = duplicate.held.is_none();
            finding.spots = project.spots(name, &duplicate.places);
            self.findings.push(finding);
        }
        for (why, places) in &lookup.left_out {
            let note = match why {
                LeftOut::BlankKey => "no key",
                LeftOut::UnreadablePeriod => "a day of its period cannot be read",
                LeftOut::PeriodReversed => "its period ends before it starts",
                LeftOut::Uneven => "its cells have different numbers of values",
            };
            let mut finding = Finding::of_rows(Code::RowLeftOut, name, "", places.len() as u64)
                .at(places.iter().map(ToString::to_string).collect(), note);
            finding.spots = project.spots(name, &places[..places.len().min(PLACES)]);
            self.findings.push(finding);
        }
        if !lookup.unreadable.is_empty() {
            let places = lookup.unreadable.iter().map(ToString::to_string);
            let count = lookup.unreadable.len() as u64;
            let finding = Finding::of_rows(Code::UnreadableValue, name, "", count);
            self.findings.push(finding.at(places.collect(), "taken as blank"));
        }
        if !lookup.odd_days.is_empty() {
            let places = lookup.odd_days.iter().map(|(place, day)| format!("{place} `{day}`"));
            let count = lookup.odd_days.len() as u64;
            let finding = Finding::of_rows(Code::ImplausibleDate, name, "", count);
            self.findings.push(finding.at(places.collect(), "an implausible date"));
        }
        if lookup.periods.len() > 1 {
            let forms = lookup.periods.iter();
            let forms = forms.map(|(unit, (rows, _))| format!("{}: {rows}", unit.name()));
            let places = lookup.periods.values().map(|(_, place)| place.to_string());
            let count = lookup.periods.len() as u64;
            let note = forms.collect::<Vec<_>>().join(", ");
            let finding = Finding::of_rows(Code::MixedPeriods, name, "", count);
            self.findings.push(finding.at(places.collect(), note));
        }
        for (place, cells) in lookup.suspects() {
            let mut finding = Finding::of_rows(Code::TotalLikeRow, name, &**cells, 1)
                .at(vec![place.to_string()], "looks like a total and is none");
            finding.stops = true;
            self.findings.push(finding);
        }
        let mut noted: BTreeMap<Noted, Vec<String>> = BTreeMap::new();
        for (what, place) in lookup.noted() {
            noted.entry(*what).or_default().push(place.clone());
        }
        for (what, places) in noted {
            let finding = Finding::of_rows(Code::from(what), name, "", places.len() as u64);
            self.findings.push(finding.at(places, what.outcome()));
        }
    }

    /// Keys of lookups of which no line uses a row.
    pub(super) fn add_unused(&mut self, project: &Project, facts: &[FactRun<'_>]) {
        // By lookup, over all links of all facts that lead there.
        let mut used: BTreeMap<&str, (&Lookup, Vec<bool>)> = BTreeMap::new();
        for fact in facts {
            let Some(usage) = fact.usage else { return };
            for (link, route) in fact.engine.bound.routes.iter().enumerate() {
                let lookup = &fact.engine.lookups[route.lookup];
                let rows = usage.rows(link);
                let (_, all) =
                    used.entry(&lookup.name).or_insert_with(|| (lookup, vec![false; rows.len()]));
                all.iter_mut().zip(rows).for_each(|(all, own)| *all |= own);
                fact.engine.mark_named(link, &fact.outcome.findings, all);
            }
        }
        for (name, (lookup, rows)) in used {
            for (key, place) in lookup.unused_keys(&rows) {
                let finding = Finding::of_rows(Code::UnusedRow, name, key, 1);
                let mut finding = finding.at(vec![place.to_string()], "no line uses it");
                finding.spots = project.spots(name, &[place]);
                self.findings.push(finding);
            }
        }
    }

    /// Gaps between the periods of keys, and periods that overlap.
    pub(super) fn add_calendars(&mut self, facts: &[FactRun<'_>]) {
        let mut known: Vec<(&str, usize)> = Vec::new();
        for engine in facts.iter().map(|fact| fact.engine) {
            for (link, route) in engine.bound.routes.iter().enumerate() {
                let name = &engine.lookups[route.lookup].name;
                if known.contains(&(name, route.key)) {
                    continue;
                }
                known.push((name, route.key));
                for fault in engine.calendar_faults(link, FAULTS) {
                    let (code, note) = match fault.overlap {
                        None => (Code::PeriodGap, String::new()),
                        Some(true) => (Code::PeriodOverlap, ", with the same values".to_owned()),
                        Some(false) => (Code::PeriodOverlap, ", with other values".to_owned()),
                    };
                    let finding = Finding::of_rows(code, name, fault.key.as_str(), 1);
                    let places = fault.places.iter().map(ToString::to_string).collect();
                    self.findings.push(finding.at(places, fault.days() + &note));
                }
            }
        }
    }

    /// What is noteworthy of the links as such.
    pub(super) fn add_links(&mut self, project: &Project, facts: &[FactRun<'_>]) {
        let mut known = Vec::new();
        for fact in facts {
            for route in &fact.engine.bound.routes {
                if known.contains(&route.link) {
                    continue;
                }
                known.push(route.link);
                if let Some(note) = project.types_differ(fact.engine, route) {
                    let finding =
                        Finding::of_rows(Code::TextAgainstNumber, &route.name, &*route.path, 1);
                    self.findings.push(finding.at(Vec::new(), note));
                }
            }
        }
        let mut tables: Vec<(&str, &str)> = Vec::new();
        for engine in facts.iter().map(|fact| fact.engine) {
            let fact = &engine.bound.fact;
            let own = fact.column_use.keys().iter().map(|key| (&*fact.name, &*fact.columns[*key]));
            let lookups = engine.bound.lookups.iter().flat_map(|lookup| {
                let keys = lookup.column_use.keys().iter();
                keys.map(|key| (&*lookup.name, &*lookup.columns[*key]))
            });
            tables.extend(own.chain(lookups));
        }
        tables.sort_unstable();
        tables.dedup();
        for (table, column) in tables {
            let parts = project.mixed_parts(table, column);
            if !parts.is_empty() {
                let count = parts.len() as u64;
                let note = "numbers in some cells, texts in others";
                let finding = Finding::of_rows(Code::TextAgainstNumber, table, column, count);
                self.findings.push(finding.at(parts, note));
            }
        }
        for turned in facts.iter().take(1).flat_map(|fact| &fact.engine.bound.turned) {
            let finding = Finding::of_rows(Code::ReversedLink, "", &*turned.written, 1);
            self.findings.push(finding.at(Vec::new(), format!("taken as {}", turned.taken)));
        }
    }

    /// Column names in which parts differ, texts that seem to mean blank, and what was noted of parts.
    pub(super) fn add_column_names(&mut self, project: &Project) {
        for (table, drift) in project.drift() {
            let (code, note) = match drift {
                Drift::Repeated { column, .. } => (
                    Code::DuplicateColumn,
                    format!("later ones are called `{column}_2`, `{column}_3`"),
                ),
                Drift::Missing { likely: Some(likely), .. } => {
                    (Code::MissingColumn, format!("it has `{likely}` instead?"))
                }
                Drift::Missing { likely: None, .. } => {
                    (Code::MissingColumn, "most of the files have it".to_owned())
                }
                Drift::Extra { .. } => {
                    (Code::ExtraColumn, "most of the files do not have it".to_owned())
                }
            };
            let (part, column) = drift.place();
            let finding = Finding::of_rows(code, table, column, 1);
            self.findings.push(finding.at(vec![part.to_string()], note));
        }
        for (table, part, column, mark) in project.blank_marks() {
            let finding = Finding::of_rows(Code::BlankMarker, table, column, 1);
            let note = format!("`{mark}` seems to mean blank: if so, add blank = [\"{mark}\"]");
            self.findings.push(finding.at(vec![part.to_owned()], note));
        }
        for note in project.part_notes() {
            let finding = Finding::of_rows(Code::from(note.what), note.table, "", 1);
            let place = format!("{}: {}", note.part, note.words);
            self.findings.push(finding.at(vec![place], note.what.outcome()));
        }
    }
}

/// A row among others of its key: by its number where they are all in its file.
fn row_beside(row: &Place, others: &[Place]) -> String {
    match row.row {
        Some(number) if others.iter().all(|other| other.part == row.part) => {
            format!("row {number}")
        }
        _ => row.to_string(),
    }
}
