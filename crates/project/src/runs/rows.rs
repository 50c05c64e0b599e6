//! Rows of a record, many of them in one piece of memory.

use std::io::{Error, ErrorKind, Read, Write};
use std::ops::Index;
use std::sync::Arc;

/// How many bytes of text a block has before it is full. So few that places in it are numbers of 32 bits, however long its last
/// row is.
const FULL: usize = 1 << 22;

/// Some rows of a record, with as many cells each.
#[derive(Debug, Default)]
pub(crate) struct RowBlock {
    text: String,
    /// Where each cell ends in it.
    ends: Vec<u32>,
    width: usize,
}

impl RowBlock {
    pub(crate) fn new(width: usize) -> RowBlock {
        RowBlock { text: String::new(), ends: Vec::new(), width }
    }

    pub(crate) fn push<'c>(&mut self, cells: impl Iterator<Item = &'c str>) {
        for cell in cells {
            self.text.push_str(cell);
            self.ends.push(self.text.len() as u32);
        }
    }

    pub(crate) fn len(&self) -> usize {
        self.ends.len().checked_div(self.width).unwrap_or(0)
    }

    /// Whether it is to be handed on.
    pub(crate) fn is_full(&self, rows: usize) -> bool {
        self.len() >= rows || self.text.len() >= FULL
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
        Row::only(block)
    }

    /// The row of a block that has no other. It may be held for long: no memory is left over.
    fn only(mut block: RowBlock) -> Row {
        block.text.shrink_to_fit();
        block.ends.shrink_to_fit();
        Row { block: Arc::new(block), first: 0 }
    }

    /// The same row in memory of its own, so that it does not hold those beside it.
    pub(crate) fn alone(&self) -> Row {
        let start = self.start(0);
        let ends = &self.block.ends[self.first..self.first + self.len()];
        let text =
            self.block.text[start..ends.last().map_or(start, |end| *end as usize)].to_owned();
        let ends = ends.iter().map(|end| end - start as u32).collect();
        Row::only(RowBlock { text, ends, width: self.len() })
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
        (self.first + cell).checked_sub(1).map_or(0, |before| self.block.ends[before] as usize)
    }

    /// Writes the row so that [`Row::read`] reads it.
    pub(crate) fn write(&self, to: &mut impl Write) -> Result<(), Error> {
        let own = self.alone();
        for number in [own.len() as u32, own.block.text.len() as u32].iter().chain(&own.block.ends)
        {
            to.write_all(&number.to_le_bytes())?;
        }
        to.write_all(own.block.text.as_bytes())
    }

    /// Reads a row that was written.
    pub(crate) fn read(from: &mut impl Read) -> Result<Row, Error> {
        let mut number = || {
            let mut bytes = [0; 4];
            from.read_exact(&mut bytes).map(|()| u32::from_le_bytes(bytes))
        };
        let (width, length) = (number()? as usize, number()? as usize);
        let ends = (0..width).map(|_| number()).collect::<Result<Vec<u32>, Error>>()?;
        let mut text = vec![0; length];
        from.read_exact(&mut text)?;
        let text =
            String::from_utf8(text).map_err(|error| Error::new(ErrorKind::InvalidData, error))?;
        Ok(Row::only(RowBlock { text, ends, width }))
    }
}

impl Index<usize> for Row {
    type Output = str;

    fn index(&self, cell: usize) -> &str {
        &self.block.text[self.start(cell)..self.block.ends[self.first + cell] as usize]
    }
}

impl PartialEq for Row {
    fn eq(&self, other: &Row) -> bool {
        self.len() == other.len() && self.iter().eq(other.iter())
    }
}
