//! The outputs of a fact while its lines pass: open from before the first line, filled block by block.

use std::collections::BTreeMap;
use std::collections::btree_map::Entry;
use std::path::Path;

use crate::error::Error;
use interligo_engine::engine::Engine;
use interligo_engine::outputs::{Output, OutputContent};
use interligo_engine::proof::tally::Tally;
use interligo_model::plan::ListKind;
use interligo_sinks::containers::Containers;
use interligo_sinks::format::{LinesShape, RowColumn, RowsOf, WriteRows, whole_file};
use interligo_sinks::lines::{LinesOutput, PutOut, SlotKey};
use interligo_sinks::output_file::OutputFile;
use interligo_sinks::set_aside::aside_columns;
use interligo_sources::table::parts::Table;

use super::destination::Destination;
use super::output_plan::OutputPlan;
use super::slots::SlotNames;
use crate::project::Project;

/// What encodes the outputs of lines of a fact, by its number, in their order; all workers share it.
pub(crate) fn lines_outputs(
    plan: &OutputPlan,
    number: usize,
    (engine, outputs): (&Engine, &[Output]),
    fact: &Table,
) -> Vec<LinesOutput> {
    let all = outputs.iter().enumerate();
    let encoded = all.filter_map(|(output, asked)| {
        let OutputContent::Lines { columns, slots, live } = &asked.content else { return None };
        let destination = plan.of(number, output)?;
        let shape = LinesShape { columns, engine, fact, live: live.as_ref() };
        Some(LinesOutput::new(&*destination.format, &shape, slots.clone()))
    });
    encoded.collect()
}

/// The columns of the file for what is set aside of a fact.
pub(crate) fn columns_aside(fact: &Table) -> Vec<RowColumn> {
    aside_columns(fact).into_iter().map(RowColumn::text).collect()
}

/// The files that are filled while lines pass.
pub(crate) struct OpenFiles {
    /// Of each output of lines, in their order, with its number among the outputs.
    lines: Vec<(usize, LinesFiles)>,
    pub(super) aside: AsideFileOpen,
}

/// The files of an output, by the values that their lines share, with the lines that they hold.
pub(super) struct LinesFiles {
    pub(super) files: BTreeMap<SlotKey, Box<dyn WriteRows>>,
    pub(super) tally: Tally,
    columns: Vec<RowColumn>,
    destination: Destination,
    names: SlotNames,
}

impl LinesFiles {
    /// The file for some values, begun if it is the first line of it.
    fn at(&mut self, key: SlotKey, to: &Places<'_>) -> Result<&mut Box<dyn WriteRows>, Error> {
        let made = match self.files.entry(key) {
            Entry::Occupied(known) => return Ok(known.into_mut()),
            Entry::Vacant(free) => free,
        };
        let own = self.destination.for_values(&mut self.names, made.key(), to)?;
        Ok(made.insert(own.begin(&self.columns, RowsOf::Others, &to.plan.containers)?))
    }
}

/// What a file needs to know that is begun while lines pass.
pub(crate) struct Places<'a> {
    pub(crate) project: &'a Project,
    pub(crate) plan: &'a OutputPlan,
}

/// The file for what is set aside, which is there once a row is.
pub(super) struct AsideFileOpen {
    pub(super) destination: Destination,
    pub(super) columns: Vec<RowColumn>,
    pub(super) file: Option<Box<dyn WriteRows>>,
    pub(super) tally: Tally,
}

impl AsideFileOpen {
    fn open(&mut self, containers: &Containers) -> Result<&mut Box<dyn WriteRows>, Error> {
        if self.file.is_none() {
            self.file = Some(self.destination.begin(&self.columns, RowsOf::Others, containers)?);
        }
        Ok(self.file.as_mut().expect("the line above put it there"))
    }
}

impl OpenFiles {
    /// Adds what a block came to.
    ///
    /// # Errors
    /// It cannot be written.
    pub(crate) fn write(
        &mut self,
        lines: Vec<PutOut>,
        aside: PutOut,
        places: &Places<'_>,
    ) -> Result<(), Error> {
        for ((_, own), put_out) in self.lines.iter_mut().zip(lines) {
            for (key, piece) in put_out.pieces {
                own.at(key, places)?.write(piece)?;
            }
            own.tally.merge(&put_out.tally);
        }
        for (_, piece) in aside.pieces.into_iter().filter(|(_, piece)| piece.rows > 0) {
            self.aside.open(&places.plan.containers)?.write(piece)?;
            self.aside.tally.merge(&aside.tally);
        }
        Ok(())
    }

    /// Adds a file that holds what a slice put into an output of lines.
    ///
    /// # Errors
    /// Its place cannot be written.
    pub(crate) fn take_file(
        &mut self,
        output: usize,
        slice: usize,
        (file, rows): (&Path, u64),
        places: &Places<'_>,
    ) -> Result<(), Error> {
        let (_, own) = &mut self.lines[output];
        let key = vec![format!("{slice:03}")];
        // Each slice has a name of its own, and there may be many.
        let to = own.destination.for_values(&mut SlotNames::default(), &key, places)?.path;
        let file = OutputFile::of_file(file, &to, places.project.plan.file_stem())?;
        own.files.insert(key, whole_file(file, rows));
        Ok(())
    }

    /// Opens the outputs of a fact, by its number, that are filled while lines pass.
    ///
    /// # Errors
    /// A file cannot be written.
    pub(crate) fn open(
        plan: &OutputPlan,
        number: usize,
        (engine, outputs): (&Engine, &[Output]),
        fact: &Table,
    ) -> Result<OpenFiles, Error> {
        let aside = AsideFileOpen {
            destination: plan.aside(number).clone(),
            columns: columns_aside(fact),
            file: None,
            tally: Tally::default(),
        };
        let mut files = OpenFiles { lines: Vec::new(), aside };
        for (output, asked) in outputs.iter().enumerate() {
            let Some(destination) = plan.of(number, output) else { continue };
            match &asked.content {
                OutputContent::Lines { columns, slots, live } => {
                    let shape = LinesShape { columns, engine, fact, live: live.as_ref() };
                    let mut own = LinesFiles {
                        files: BTreeMap::new(),
                        tally: Tally::default(),
                        columns: shape.row_columns(),
                        destination: destination.clone(),
                        names: SlotNames::default(),
                    };
                    // Files for the values of slots, or for slices, begin with what they hold.
                    if slots.is_empty() && destination.ending_by_slice().is_none() {
                        let of = RowsOf::Lines(&shape);
                        let file = destination.begin(&own.columns, of, &plan.containers)?;
                        own.files.insert(SlotKey::new(), file);
                    }
                    files.lines.push((output, own));
                }
                OutputContent::List(ListKind::SetAside, _) => {
                    files.aside.open(&plan.containers)?;
                }
                OutputContent::List(..) | OutputContent::Totals { .. } | OutputContent::Page => {}
            }
        }
        Ok(files)
    }

    /// The files of lines by the numbers of their outputs, and that for what is set aside.
    pub(super) fn into_parts(self) -> (BTreeMap<usize, LinesFiles>, AsideFileOpen) {
        (self.lines.into_iter().collect(), self.aside)
    }
}
