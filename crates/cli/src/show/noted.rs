//! What was noted of workbooks and columnar files: errors, what is hidden, what is not read.

use std::collections::BTreeMap;

use interligo_core::engine::Engine;
use interligo_core::findings::{Findings, Noted};
use interligo_io::Project;

use super::counted;

/// What was noted of one kind in a table.
pub(crate) struct Note {
    pub(crate) table: String,
    pub(crate) what: Noted,
    pub(crate) count: u64,
    /// The first of the places.
    pub(crate) places: Vec<String>,
}

impl Note {
    /// All of a run.
    pub(crate) fn all(project: &Project, engine: &Engine, findings: &Findings) -> Vec<Note> {
        let of_part = |note: interligo_io::PartNote<'_>| Note {
            table: note.table.to_owned(),
            what: note.what,
            count: 1,
            places: vec![format!("{}: {}", note.part, note.words)],
        };
        let mut notes: Vec<Note> = project.part_notes().into_iter().map(of_part).collect();
        let (fact, parts) = (&engine.bound.fact.name, project.fact_parts(engine));
        for (what, noted) in &findings.noted {
            let places = noted.first.iter();
            let places = places.map(|(spot, words)| format!("{}{words}", parts.0[spot.part]));
            let (table, places) = (fact.clone(), places.collect());
            notes.push(Note { table, what: *what, count: noted.count, places });
        }
        for lookup in &engine.lookups {
            let mut places: BTreeMap<Noted, Vec<String>> = BTreeMap::new();
            for (what, place) in lookup.noted() {
                places.entry(*what).or_default().push(place.clone());
            }
            notes.extend(places.into_iter().map(|(what, places)| Note {
                table: lookup.name.clone(),
                what,
                count: places.len() as u64,
                places,
            }));
        }
        notes
    }

    /// In a sentence.
    pub(crate) fn words(&self) -> String {
        let first = self.places.first().map_or("", String::as_str);
        let separator = if self.what.is_of_cells() { " " } else { "; " };
        let more = match self.count {
            0 | 1 => String::new(),
            n if self.what.is_of_cells() => format!("; so do {}", counted(n - 1, "more cell")),
            n => format!("; likewise {}", counted(n - 1, "more part")),
        };
        format!("{first}{separator}{}{more}", self.what.outcome())
    }
}
