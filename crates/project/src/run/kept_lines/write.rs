//! Keeping lines while they pass.

use interligo_engine::engine::Engine;
use interligo_engine::lines::{LinePart, Lines};
use interligo_engine::lookup::{Lookup, LookupShape};
use interligo_engine::proof::findings::{Aside, Findings};
use interligo_engine::proof::tieout::ReadSide;
use interligo_engine::proof::usage::Usage;
use interligo_model::values::column::Column;
use interligo_sinks::output_file::OutputFile;
use serde::Serialize;

use super::origin::Origin;
use super::{BlockPlace, FORM, LinesAbout, about_path, checksum, columns_path};
use crate::error::Error;
use crate::project::Project;
use crate::runs::now;

/// What is kept of the lines of an engine.
pub(in crate::run) struct PartsKept(Vec<(LinePart, String)>);

/// What is kept of a block of lines.
#[derive(Clone)]
pub(in crate::run) struct KeptBlock {
    lines: usize,
    aside: Vec<(u32, Aside)>,
    columns: Vec<Vec<u8>>,
}

impl PartsKept {
    pub(in crate::run) fn of(engine: &Engine) -> PartsKept {
        PartsKept(engine.line_parts())
    }

    /// What is kept of a block.
    pub(in crate::run) fn of_lines(&self, lines: &Lines<'_>) -> KeptBlock {
        let column = |(part, _): &(LinePart, String)| encoded(&lines.part(*part));
        KeptBlock {
            lines: lines.rows,
            aside: lines.aside.clone(),
            columns: self.0.iter().map(column).collect(),
        }
    }
}

/// A column as it is in a file.
fn encoded(column: &Column) -> Vec<u8> {
    let mut bytes = Vec::new();
    add(&mut bytes, column);
    bytes
}

fn add(bytes: &mut Vec<u8>, item: &impl Serialize) {
    ciborium::into_writer(item, bytes).expect("memory takes what can be written");
}

/// The columns of a fact, as they are written.
pub(in crate::run) struct KeptFile {
    file: OutputFile,
    blocks: Vec<BlockPlace>,
    at: u64,
}

impl KeptFile {
    pub(in crate::run) fn create(project: &Project, fact: usize) -> Result<KeptFile, Error> {
        let path = columns_path(project, fact);
        let file = OutputFile::create(&path, project.plan.file_stem())?;
        Ok(KeptFile { file, blocks: Vec::new(), at: 0 })
    }

    pub(in crate::run) fn write(&mut self, block: KeptBlock) -> Result<(), Error> {
        let KeptBlock { lines, aside, columns } = block;
        let places = columns.iter().map(|column| (column.len() as u32, checksum(column)));
        self.blocks.push(BlockPlace { lines, aside, at: self.at, columns: places.collect() });
        for column in columns {
            self.file.write(&column)?;
            self.at += column.len() as u64;
        }
        Ok(())
    }

    /// Ends the file; with it goes what was found in the lines.
    pub(in crate::run) fn end(
        self,
        engine: &Engine,
        parts: PartsKept,
        (findings, read, usage): (&Findings, &ReadSide, Option<&Usage>),
    ) -> Result<PendingLines, Error> {
        #[derive(Serialize)]
        struct Borrowed<'f> {
            table: &'f str,
            parts: Vec<String>,
            has_turned: bool,
            lookups: Vec<LookupShape>,
            measures: Vec<String>,
            blocks: Vec<BlockPlace>,
            findings: &'f Findings,
            read: &'f ReadSide,
            usage: Option<&'f Usage>,
        }
        let kept = Borrowed {
            table: &engine.bound.fact.name,
            parts: parts.0.into_iter().map(|(_, name)| name).collect(),
            has_turned: !engine.bound.turned.is_empty(),
            lookups: engine.lookups.iter().map(Lookup::shape).collect(),
            measures: engine.measure_names(),
            blocks: self.blocks,
            findings,
            read,
            usage,
        };
        let mut about = Vec::new();
        add(&mut about, &kept);
        Ok(PendingLines { file: self.file, about })
    }
}

/// The lines of a fact, which appear together with the outputs.
pub(in crate::run) struct PendingLines {
    file: OutputFile,
    about: Vec<u8>,
}

impl PendingLines {
    /// The files of all facts, with the one that says what is in them.
    pub(in crate::run) fn files(
        project: &Project,
        all: Vec<PendingLines>,
        copies: usize,
    ) -> Result<Vec<OutputFile>, Error> {
        let of = Origin::of(project).filter(|_| !all.is_empty());
        let Some(of) = of else { return Ok(Vec::new()) };
        let mut known = Vec::new();
        add(&mut known, &LinesAbout { at: now(), of, copies });
        add(&mut known, &all.len());
        let mut files = Vec::new();
        for PendingLines { file, about } in all {
            known.extend(about);
            files.push(file);
        }
        let mut head = Vec::new();
        add(&mut head, &FORM);
        add(&mut head, &checksum(&known));
        let mut file = OutputFile::create(&about_path(project), project.plan.file_stem())?;
        file.write(&head)?;
        file.write(&known)?;
        files.push(file);
        Ok(files)
    }
}
