//! Rows of a record, many of them in one piece of memory.

use std::ops::Index;
use std::sync::Arc;

/// Some rows of a record, with as many cells each.
#[derive(Debug, Default)]
pub(crate) struct RowBlock {
    text: String,
    /// Where each cell ends in it.
    ends: Vec<usize>,
    width: usize,
}

impl RowBlock {
    pub(crate) fn new(width: usize) -> RowBlock {
        RowBlock { text: String::new(), ends: Vec::new(), width }
    }

    pub(crate) fn push<'c>(&mut self, cells: impl Iterator<Item = &'c str>) {
        for cell in cells {
            self.text.push_str(cell);
            self.ends.push(self.text.len());
        }
    }

    pub(crate) fn len(&self) -> usize {
        self.ends.len().checked_div(self.width).unwrap_or(0)
    }

    /// Its rows, in their order.
    pub(crate) fn into_rows(self) -> impl Iterator<Item = Row> {
        let block = Arc::new(self);
        (0..block.len()).map(move |at| Row { block: Arc::clone(&block), first: at * block.width })
    }
}

/// A row of a record, as texts: its own columns, then the rows of its links, then what was computed of it.
#[derive(Clone, Debug)]
pub(crate) struct Row {
    block: Arc<RowBlock>,
    /// The number of its first cell in the block.
    first: usize,
}

impl Row {
    /// A row of these cells.
    pub(crate) fn of<'c>(width: usize, cells: impl Iterator<Item = &'c str>) -> Row {
        let mut block = RowBlock::new(width);
        block.push(cells);
        Row { block: Arc::new(block), first: 0 }
    }

    /// The same row in memory of its own, so that it does not hold those beside it.
    pub(crate) fn alone(&self) -> Row {
        Row::of(self.len(), self.iter())
    }

    pub(crate) fn len(&self) -> usize {
        self.block.width
    }

    pub(crate) fn get(&self, cell: usize) -> Option<&str> {
        (cell < self.len()).then(|| &self[cell])
    }

    pub(crate) fn iter(&self) -> impl Iterator<Item = &str> {
        (0..self.len()).map(|cell| &self[cell])
    }

    fn start(&self, cell: usize) -> usize {
        (self.first + cell).checked_sub(1).map_or(0, |before| self.block.ends[before])
    }
}

impl Index<usize> for Row {
    type Output = str;

    fn index(&self, cell: usize) -> &str {
        &self.block.text[self.start(cell)..self.block.ends[self.first + cell]]
    }
}

impl PartialEq for Row {
    fn eq(&self, other: &Row) -> bool {
        self.len() == other.len() && self.iter().eq(other.iter())
    }
}
