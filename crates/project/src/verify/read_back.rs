//! Reading an output back: as a table like any other, by the readers of inputs.

use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};

use arrow_array::{Array, StringViewArray};
use interligo_model::place::Place;
use interligo_model::plan::{Plan, quoted};
use interligo_sources::table::parts::WantedColumns;
use interligo_sources::table::rows::Rows;

use super::pairing::Pairing;
use crate::error::Error;
use crate::project::Project;
use crate::run::stream::Stream;
use crate::runs::TextSettings;
use interligo_sources::table::parts_found::pattern_of;

/// The table of the plan by which an output is read.
const NAME: &str = "output";

/// How many bytes are read at a time.
const BLOCK: usize = 1 << 19;

/// How many blocks are read ahead.
const AHEAD: usize = 4;

/// An output, or the copy of one, opened.
pub(super) struct Table {
    project: Project,
}

/// Some rows of it.
pub(super) struct Batch {
    texts: Vec<StringViewArray>,
    rows: Vec<RowSpot>,
    /// Rows that have too few or too many cells.
    malformed: u64,
}

/// Where a row is: its part, and its number there.
pub(super) type RowSpot = (usize, u64);

/// A row of it.
#[derive(Clone, Copy)]
pub(super) struct Row<'b> {
    batch: &'b Batch,
    line: usize,
}

impl Table {
    /// # Errors
    /// It cannot be read.
    pub(super) fn open(
        folder: &Path,
        files: &[PathBuf],
        table: Option<&str>,
        text: &TextSettings,
    ) -> Result<Table, Error> {
        let pattern = |file: &PathBuf| quoted(&pattern_of(&file.to_string_lossy(), table));
        let from: Vec<String> = files.iter().map(pattern).collect();
        let mut plan = format!(
            "[tables.{NAME}]\nrole = \"fact\"\nfrom = [{}]\ntotal-rows = \"keep\"\n",
            from.join(", ")
        );
        let is_sheet =
            files.iter().any(|file| file.extension().is_some_and(|ending| ending == "xlsx"));
        if text.separator.is_some() || is_sheet {
            plan += "header-row = 1\n";
        }
        if let Some(separator) = text.separator {
            let separator =
                if separator == '\t' { "tab".to_owned() } else { separator.to_string() };
            plan += &format!("separator = {}\n", quoted(&separator));
        }
        if let Some(encoding) = &text.encoding {
            plan += &format!("encoding = {}\n", quoted(encoding));
        }
        if is_sheet {
            // A run wrote it: it may be larger than what is taken from others without a question.
            plan += "[reading]\nlargest-sheet = \"64 GB\"\n";
        }
        let mut plan = Plan::parse(&plan)?;
        // Its notes are nobody's: there is no run of it.
        plan.stem = Some("verify".to_owned());
        let project = Project::open(plan, folder)?;
        Ok(Table { project })
    }

    fn table(&self) -> &interligo_sources::table::parts::Table {
        self.project.table(NAME)
    }

    /// The names of its columns.
    pub(super) fn columns(&self) -> &[String] {
        &self.table().columns.names
    }

    /// Where a cell of a row is, as messages say it.
    pub(super) fn place(&self, (part, number): RowSpot, column: Option<&str>) -> String {
        let mut place = Place::row(self.table().parts[part].name.clone(), number);
        place.column = column.map(str::to_owned);
        let place = place.to_string();
        // In a sheet the column is in the address of the cell; elsewhere the row is enough.
        match column.and_then(|column| place.strip_suffix(&format!(" `{column}`"))) {
            Some(bare) => bare.to_owned(),
            None => place,
        }
    }

    /// Reads it, block by block.
    fn read(&self, progress: &(dyn Fn(u64, u64) + Sync), to: &SyncSender<Result<Batch, Error>>) {
        let (table, wanted) = (self.table(), WantedColumns::All);
        let mut stream = Stream::new(table, BLOCK, &wanted, progress);
        let mut next = || -> Result<Option<Batch>, Error> {
            let Some((_, number, block)) = stream.next()? else { return Ok(None) };
            let part = &table.parts[number];
            let rows = Rows::of(block, table, part)?;
            let columns = 0..table.columns.names.len();
            Ok(Some(Batch {
                texts: columns.map(|column| rows.texts(part, column)).collect(),
                rows: (0..rows.len()).map(|line| (number, rows.row_of(line))).collect(),
                malformed: (rows.grid.ragged().len() + rows.uneven().len()) as u64,
            }))
        };
        // Whoever does not listen any more has its reason.
        while let Some(batch) = next().transpose() {
            let is_last = batch.is_err();
            if to.send(batch).is_err() || is_last {
                return;
            }
        }
    }
}

impl<'b> Row<'b> {
    pub(super) fn spot(self) -> RowSpot {
        self.batch.rows[self.line]
    }

    /// A cell of it.
    pub(super) fn text(self, column: usize) -> &'b str {
        let texts = &self.batch.texts[column];
        if texts.is_null(self.line) { "" } else { texts.value(self.line) }
    }
}

/// One of the two that are read side by side.
struct Side {
    from: Receiver<Result<Batch, Error>>,
    batch: Option<Batch>,
    line: usize,
}

impl Side {
    fn new(from: Receiver<Result<Batch, Error>>) -> Side {
        Side { from, batch: None, line: 0 }
    }

    /// Goes to the next row. Says how many rows on the way have too few or too many cells.
    fn step(&mut self) -> Result<u64, Error> {
        let mut malformed = 0;
        self.line += 1;
        while self.batch.as_ref().is_none_or(|batch| self.line >= batch.rows.len()) {
            // The sender is gone when all is read.
            let Ok(batch) = self.from.recv() else {
                self.batch = None;
                return Ok(malformed);
            };
            let batch = batch?;
            malformed += batch.malformed;
            (self.batch, self.line) = (Some(batch), 0);
        }
        Ok(malformed)
    }

    fn row(&self) -> Option<Row<'_>> {
        self.batch.as_ref().map(|batch| Row { batch, line: self.line })
    }
}

/// Reads the copy of an output and what is there side by side, each in a thread.
///
/// # Errors
/// The copy cannot be read.
pub(super) fn side_by_side(
    (copy, there): (&Table, &Table),
    progress: &(dyn Fn(u64, u64) + Sync),
    pairing: &mut Pairing<'_>,
) -> Result<(), Error> {
    std::thread::scope(|scope| {
        let (to, from_copy) = sync_channel(AHEAD);
        scope.spawn(move || copy.read(&|_, _| {}, &to));
        let (to, from_there) = sync_channel(AHEAD);
        scope.spawn(move || there.read(progress, &to));
        let (mut of_copy, mut of_there) = (Side::new(from_copy), Side::new(from_there));
        loop {
            of_copy.step()?;
            match of_there.step() {
                Ok(malformed) => pairing.malformed(malformed),
                Err(error) => {
                    pairing.unreadable(&error);
                    of_there.batch = None;
                }
            }
            match (of_copy.row(), of_there.row()) {
                (None, None) => return Ok(()),
                (written, found) => pairing.take(written, found),
            }
        }
    })
}
