//! Tables that the program which embeds Interligo holds or makes itself. A plan names them `from = "program:NAME"`.

use std::collections::BTreeMap;
use std::sync::Arc;

use arrow_array::StringViewArray;
use arrow_array::builder::StringViewBuilder;
use interligo_model::place::PartName;
use interligo_model::values::cells::Cells;

use super::threaded::Threaded;
use super::{Address, Block, Container, Format, Limits, Reader, Source, Wanted, What};
use crate::error::{Error, InputKind};
use crate::formats::head::{Head, Typed};
use crate::grid::{CellGrid, Grid};
use crate::table::settings::TableSettings;

/// How the address of such a table begins.
const SCHEME: &str = "program:";

/// Rows that are looked at.
const SAMPLE: usize = 4_096;

/// Rows that are handed on together.
const BATCH: usize = 8_192;

/// A table of a program's own.
///
/// **Shape**: every row has a cell for each column, in their order. A cell is text, as in a file: `1234.56`,
/// `2025-12-31`. An empty one is unknown. The rows are asked for more than once, and must be the same each time.
pub trait OwnTable: Send + Sync {
    /// The names of the columns.
    fn columns(&self) -> Vec<String>;

    /// The rows, in their order.
    fn rows(&self) -> Box<dyn Iterator<Item = Vec<String>> + Send + '_>;
}

/// Rows that are held in memory.
#[derive(Clone, Debug, Default)]
pub struct MemoryTable {
    columns: Vec<String>,
    rows: Vec<Vec<String>>,
}

impl MemoryTable {
    /// A table with these columns and rows.
    pub fn new<C: Into<String>, R: IntoIterator<Item = I>, I: Into<String>>(
        columns: impl IntoIterator<Item = C>,
        rows: impl IntoIterator<Item = R>,
    ) -> MemoryTable {
        let row = |row: R| row.into_iter().map(Into::into).collect();
        MemoryTable {
            columns: columns.into_iter().map(Into::into).collect(),
            rows: rows.into_iter().map(row).collect(),
        }
    }
}

impl OwnTable for MemoryTable {
    fn columns(&self) -> Vec<String> {
        self.columns.clone()
    }

    fn rows(&self) -> Box<dyn Iterator<Item = Vec<String>> + Send + '_> {
        Box::new(self.rows.iter().cloned())
    }
}

/// The tables of a program, by name.
pub type OwnTables = BTreeMap<String, Arc<dyn OwnTable>>;

/// Tables of the program.
pub(super) struct ProgramFormat;

impl Format for ProgramFormat {
    fn takes(&self, name: &str) -> bool {
        name.starts_with(SCHEME)
    }

    fn is_address(&self) -> bool {
        true
    }

    fn open(&self, at: &Address, _: &Limits, own: &OwnTables) -> Result<Arc<dyn Container>, Error> {
        let name = at.shown.strip_prefix(SCHEME).unwrap_or_default();
        match own.get(name) {
            Some(table) => Ok(Arc::new(ProgramTable { table: table.clone() })),
            None => Err(Error::input(
                InputKind::Missing,
                &at.shown,
                "is a table of the program that runs the plan, and it has none of that name",
            )
            .help("name a file in `from`, or hand the table to `Project::open_with`")),
        }
    }
}

struct ProgramTable {
    table: Arc<dyn OwnTable>,
}

impl Container for ProgramTable {
    fn look(&self, _: &What, name: &PartName, given: TableSettings) -> Result<Head, Error> {
        let columns = self.table.columns();
        let mut sample = Rows::new(columns.len(), &Wanted::All);
        for row in self.table.rows().take(SAMPLE) {
            sample.add(&row, name)?;
        }
        let typed = vec![Typed::default(); columns.len()];
        let width = columns.len();
        let source = ProgramSource { table: self.table.clone(), name: name.clone(), width };
        Ok(Head::of_fields(Arc::new(source), columns, sample.finish(), typed, given))
    }
}

struct ProgramSource {
    table: Arc<dyn OwnTable>,
    name: PartName,
    width: usize,
}

impl Source for ProgramSource {
    fn open(&self, wanted: &Wanted) -> Result<Box<dyn Reader>, Error> {
        let (table, name) = (self.table.clone(), self.name.clone());
        let mut rows = Rows::new(self.width, wanted);
        Ok(Threaded::start(&self.name, move |send| {
            for row in table.rows() {
                rows.add(&row, &name)?;
                if rows.count == BATCH && !send(rows.take()) {
                    return Ok(());
                }
            }
            if rows.count > 0 {
                send(rows.take());
            }
            Ok(())
        }))
    }

    fn in_words(&self) -> Vec<String> {
        Vec::new()
    }
}

/// Rows as they come in.
struct Rows {
    texts: Vec<StringViewBuilder>,
    wanted: Vec<bool>,
    count: usize,
    first_row: u64,
}

impl Rows {
    fn new(width: usize, wanted: &Wanted) -> Rows {
        Rows {
            texts: (0..width).map(|_| StringViewBuilder::new()).collect(),
            wanted: (0..width).map(|field| wanted.has(field)).collect(),
            count: 0,
            first_row: 1,
        }
    }

    fn add(&mut self, row: &[String], name: &PartName) -> Result<(), Error> {
        if row.len() != self.texts.len() {
            let message = format!("has {} cells for {} columns", row.len(), self.texts.len());
            return Err(Error::input(InputKind::Malformed, name, message)
                .at_row(self.first_row + self.count as u64)
                .help("give each row a cell for each column; an empty text is unknown"));
        }
        for ((texts, cell), wanted) in self.texts.iter_mut().zip(row).zip(&self.wanted) {
            if *wanted {
                texts.append_value(cell);
            }
        }
        self.count += 1;
        Ok(())
    }

    fn finish(&mut self) -> Vec<StringViewArray> {
        self.texts.iter_mut().map(StringViewBuilder::finish).collect()
    }

    fn take(&mut self) -> Block {
        let (rows, lines) = (std::mem::take(&mut self.count), self.first_row);
        let wanted = self.wanted.clone();
        let columns = self.finish().into_iter().zip(wanted);
        let columns = columns.map(|(texts, wanted)| wanted.then_some(Cells::Texts(texts)));
        let grid = CellGrid::new(rows, columns.collect(), self.first_row);
        self.first_row += rows as u64;
        Block {
            bytes: 0,
            lines: rows as u64,
            extent: rows as u64,
            first: lines == 1,
            last: false,
            rows: Box::new(Grid::Cells(grid)),
        }
    }
}
