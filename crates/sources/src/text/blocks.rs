//! A text file as blocks of whole rows.
//!
//! Blocks are cut one after the other, so this is kept short: where a block ends depends only on its
//! quotes and its last line end. A quote opens a quoted field only at the start of a field; anywhere
//! else it is a letter like any other.

use std::io::Read;
use std::path::Path;
use std::sync::Arc;

use interligo_engine::proof::faults::{Fault, strikes};

use super::fields::first_row;
use super::source::{Dialect, Input};
use crate::error::{Error, InputKind};
use crate::formats::RowStart;

/// Zero bytes after the rows of a block, so that its end can be read in whole vectors.
pub const PADDING: usize = 64;

/// A row longer than this is taken for a quote that was never closed.
const LONGEST_ROW: usize = 256 << 20;

/// How much of the end of a file is in its last block at least, blank rows not counted: what is at
/// the foot is looked at in one piece.
pub const TAIL: usize = 4096;

/// Some whole rows of a file.
pub struct TextBlock {
    /// The rows, each with its line end, and [`PADDING`].
    pub bytes: Vec<u8>,
    /// How many bytes the rows take.
    pub length: usize,
    /// The row of the file at which the block begins, counted in lines from 1.
    pub first_row: u64,
    /// How many lines the rows take.
    pub lines: u64,
    /// The character between two fields.
    pub separator: u8,
    /// Whether the rows are the first of the file after those that were skipped.
    pub first: bool,
    /// Whether they are the last of the file.
    pub last: bool,
    /// Where each row starts, should rows be counted one by one and not by line ends. Blank ones are rows
    /// then, like any other.
    pub row_starts: Option<Vec<u32>>,
}

impl TextBlock {
    /// The rows as text.
    pub fn rows(&self) -> &[u8] {
        &self.bytes[..self.length]
    }

    /// The row of the file in which a byte of the block stands.
    pub fn row_of(&self, byte: usize) -> u64 {
        self.first_row + memchr::memchr_iter(b'\n', &self.bytes[..byte]).count() as u64
    }
}

/// Reads a file block by block.
pub struct BlockReader {
    input: Input,
    separator: u8,
    shown: Arc<str>,
    /// What was read beyond the last block.
    rest: Vec<u8>,
    /// The byte of the file at which reading began; none where its bytes are not those of the file.
    began_at: Option<u64>,
    /// Whether the file goes on behind what is read of it.
    goes_on: bool,
    next_row: u64,
    started: bool,
    ended: bool,
    /// Bytes that came in, and bytes that were skipped or handed out; in the end as many.
    came_in: u64,
    went_out: u64,
}

impl BlockReader {
    /// Opens a file; a byte order mark at its start is left out.
    pub fn open(path: &Path, shown: &Arc<str>, dialect: Dialect) -> Result<BlockReader, Error> {
        let (input, rest) = Input::open(path, shown, dialect)?;
        Ok(BlockReader {
            began_at: input.position().map(|at| at - rest.len() as u64),
            goes_on: false,
            came_in: rest.len() as u64,
            went_out: 0,
            input,
            separator: dialect.separator,
            shown: shown.clone(),
            rest,
            next_row: 1,
            started: false,
            ended: false,
        })
    }

    /// Goes to a row of the file, and reads up to the byte at which another begins. Whether it can: what is compressed
    /// or in another encoding is read from its first byte.
    pub fn go_to(&mut self, from: RowStart, to: Option<u64>) -> Result<bool, Error> {
        if self.began_at.is_none() || to.is_some_and(|to| to < from.at) {
            return Ok(false);
        }
        let length = to.map(|to| to - from.at);
        self.input.go_to(from.at, length).map_err(|error| self.unreadable(&error))?;
        self.rest.clear();
        (self.came_in, self.went_out, self.ended) = (0, 0, false);
        (self.began_at, self.next_row, self.goes_on) = (Some(from.at), from.row, to.is_some());
        Ok(true)
    }

    /// The rows that follow are not the first of the file.
    pub fn has_started(&mut self) {
        self.started = true;
    }

    /// Where the next row begins; none where the bytes are not those of the file.
    pub fn next_row_start(&self) -> Option<RowStart> {
        Some(RowStart { at: self.began_at? + self.went_out, row: self.next_row })
    }

    fn unreadable(&self, error: &std::io::Error) -> Error {
        let message = format!("cannot be read further: {error}");
        Error::input(InputKind::Damaged, &self.shown, message)
            .help("the file may be damaged or cut off; fetch it again")
    }

    /// Leaves out the first rows of the file; quoted line ends do not end them.
    pub fn skip_rows(&mut self, rows: u64) -> Result<(), Error> {
        let mut bytes = std::mem::take(&mut self.rest);
        for _ in 0..rows {
            let end = loop {
                let (_, end) = first_row(&bytes, self.separator);
                if end < bytes.len() || self.ended {
                    break end;
                }
                let want = (bytes.len() * 2).max(TAIL);
                self.fill(&mut bytes, want)?;
            };
            self.next_row += memchr::memchr_iter(b'\n', &bytes[..end]).count() as u64;
            self.went_out += end as u64;
            bytes.drain(..end);
        }
        self.rest = bytes;
        Ok(())
    }

    /// The next block of about `size` bytes; `None` at the end of the file.
    ///
    /// # Errors
    /// The file cannot be read; a quote is never closed.
    pub fn next_text(&mut self, size: usize) -> Result<Option<TextBlock>, Error> {
        if self.ended && self.rest.is_empty() {
            return Ok(None);
        }
        let mut bytes = std::mem::take(&mut self.rest);
        let mut want = size.max(1);
        loop {
            self.fill(&mut bytes, want + TAIL)?;
            if self.ended && bytes.last().is_some_and(|last| *last != b'\n') {
                bytes.push(b'\n');
                self.came_in += 1;
            }
            if bytes.is_empty() {
                return Ok(None);
            }
            let limit = if self.ended { bytes.len() } else { self.foot(&bytes) };
            match last_row_end(&bytes[..limit], self.separator) {
                Cut::After(end) => return Ok(Some(self.cut(bytes, end))),
                Cut::Open(quote) if self.ended || bytes.len() > LONGEST_ROW => {
                    let row =
                        self.next_row + memchr::memchr_iter(b'\n', &bytes[..quote]).count() as u64;
                    return Err(Error::input(InputKind::Malformed, &self.shown, "opens a quote that is not closed")
                        .at_row(row)
                        .help("put a quote at the end of that field, or double a quote that belongs to the text; the file may also have been cut off"));
                }
                Cut::None if bytes.len() > LONGEST_ROW => {
                    let message = "has a row of more than 256 MB: that is no table of text";
                    return Err(Error::input(InputKind::TooLarge, &self.shown, message)
                        .at_row(self.next_row));
                }
                Cut::Open(_) | Cut::None => want = bytes.len() * 2,
            }
        }
    }

    /// Where the stretch begins that stays for the last block, should nothing but blank rows follow.
    fn foot(&self, bytes: &[u8]) -> usize {
        let says =
            |b: &u8| !matches!(*b, b' ' | b'\t' | b'\r' | b'\n' | b'"') && *b != self.separator;
        bytes.iter().rposition(says).map_or(0, |last| (last + 1).saturating_sub(TAIL))
    }

    fn fill(&mut self, bytes: &mut Vec<u8>, want: usize) -> Result<(), Error> {
        let room = want.saturating_sub(bytes.len());
        if room == 0 || self.ended {
            return Ok(());
        }
        bytes.reserve(room + PADDING + 1);
        let read = Read::by_ref(&mut self.input).take(room as u64).read_to_end(bytes);
        let read = read.map_err(|error| self.unreadable(&error))?;
        self.ended = read < room;
        self.came_in += read as u64;
        Ok(())
    }

    /// Whether all bytes that came in were skipped or handed out.
    pub fn hands_out_all(&self) -> bool {
        self.came_in == self.went_out
    }

    fn cut(&mut self, mut bytes: Vec<u8>, mut end: usize) -> TextBlock {
        self.rest.extend_from_slice(&bytes[end..]);
        if strikes(Fault::RowLostAtBlockEnd) {
            end = memchr::memrchr(b'\n', &bytes[..end - 1]).map_or(0, |before| before + 1);
        }
        self.went_out += end as u64;
        bytes.truncate(end);
        let ended = self.ended && self.rest.is_empty();
        let (first, last) = (!self.started, ended && !self.goes_on);
        self.started = true;
        let first_row = self.next_row;
        let lines = memchr::memchr_iter(b'\n', &bytes).count() as u64;
        self.next_row += lines;
        bytes.resize(end + PADDING, 0);
        TextBlock {
            bytes,
            length: end,
            first_row,
            lines,
            separator: self.separator,
            first,
            last,
            row_starts: None,
        }
    }
}

/// Where a block can be cut.
enum Cut {
    /// After the last row that ends in it.
    After(usize),
    /// No row ends in it, and a quote at this byte is open.
    Open(usize),
    /// No row ends in it.
    None,
}

fn last_row_end(bytes: &[u8], separator: u8) -> Cut {
    // Stretches outside of quoted fields; the cut is the last line end in any of them.
    let mut outside: Vec<(usize, usize)> = Vec::new();
    let mut start = 0;
    let mut at = 0;
    let mut open = None;
    while let Some(quote) = memchr::memchr(b'"', &bytes[at..]).map(|found| at + found) {
        let opens = quote == 0 || bytes[quote - 1] == separator || bytes[quote - 1] == b'\n';
        if !opens {
            at = quote + 1;
            continue;
        }
        outside.push((start, quote));
        match closing_quote(bytes, quote + 1) {
            Some(close) => {
                start = close + 1;
                at = start;
            }
            None => {
                open = Some(quote);
                start = bytes.len();
                break;
            }
        }
    }
    outside.push((start, bytes.len()));
    let last = outside.iter().rev().find_map(|(from, to)| {
        memchr::memrchr(b'\n', &bytes[*from..*to]).map(|found| from + found + 1)
    });
    match (last, open) {
        (Some(end), _) => Cut::After(end),
        (None, Some(quote)) => Cut::Open(quote),
        (None, None) => Cut::None,
    }
}

/// The quote that closes a field whose content starts at `from`. A doubled quote does not; at the end
/// of what was read, a quote may still turn out to be doubled.
fn closing_quote(bytes: &[u8], mut from: usize) -> Option<usize> {
    loop {
        let quote = from + memchr::memchr(b'"', &bytes[from..])?;
        match bytes.get(quote + 1) {
            Some(b'"') => from = quote + 2,
            Some(_) => return Some(quote),
            None => return None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::io::Write;

    fn blocks(content: &[u8], size: usize) -> Result<Vec<(String, u64)>, Error> {
        let mut file = tempfile::NamedTempFile::new().unwrap();
        file.write_all(content).unwrap();
        let mut reader = BlockReader::open(file.path(), &"t.csv".into(), Dialect::default())?;
        let mut found = Vec::new();
        while let Some(block) = reader.next_text(size)? {
            found.push((String::from_utf8(block.rows().to_vec()).unwrap(), block.first_row));
        }
        Ok(found)
    }

    #[test]
    fn blocks_end_with_a_row() {
        let long = "z".repeat(TAIL);
        let content = format!("\u{feff}a,b\n\"x\ny\",1\n5\" nail,2\n{long},3\n{long},4\n");
        let found = blocks(content.as_bytes(), 4).unwrap();
        let texts: Vec<(&str, u64)> = found.iter().map(|(text, row)| (&text[..4], *row)).collect();
        assert_eq!(texts, [("a,b\n", 1), ("\"x\ny", 2)]);
    }

    #[test]
    fn an_open_quote_is_named_with_its_row() {
        for size in [4, 1 << 20] {
            let error = blocks(b"a,b\n1,2\n3,\"x\n4,5\n", size).unwrap_err();
            assert!(error.to_string().contains("t.csv:3"), "{error}");
        }
    }

    /// The rows of a stretch, where they begin, and whether the last block says that it is the last of the file.
    fn stretch(path: &Path, from: RowStart, to: Option<u64>, size: usize) -> (String, u64, bool) {
        let mut reader = BlockReader::open(path, &"t.csv".into(), Dialect::default()).unwrap();
        reader.has_started();
        assert!(reader.go_to(from, to).unwrap());
        let (mut text, mut row, mut last) = (String::new(), from.row, false);
        while let Some(block) = reader.next_text(size).unwrap() {
            assert_eq!((block.first, block.first_row), (false, row));
            (row, last) = (row + block.lines, block.last);
            text += std::str::from_utf8(block.rows()).unwrap();
        }
        assert!(reader.hands_out_all());
        (text, row, last)
    }

    #[test]
    fn stretches_put_together_are_the_file() {
        let rows: String = (0..2_000).map(|n| format!("{n},\"a\nb\",5\" nail\n")).collect();
        let content = format!("\u{feff}no,text,note\n{rows}");
        let mut file = tempfile::NamedTempFile::new().unwrap();
        file.write_all(content.as_bytes()).unwrap();
        let mut reader =
            BlockReader::open(file.path(), &"t.csv".into(), Dialect::default()).unwrap();
        reader.skip_rows(1).unwrap();
        let mut starts = Vec::new();
        loop {
            starts.push(reader.next_row_start().unwrap());
            if reader.next_text(700).unwrap().is_none() {
                break;
            }
        }
        // Nothing begins at the end of the file.
        starts.pop();
        assert!(starts.len() > 9);
        for size in [1, 900, 1 << 20] {
            let mut text = String::new();
            for (at, from) in starts.iter().enumerate() {
                let next = starts.get(at + 1);
                let (own, row, last) = stretch(file.path(), *from, next.map(|next| next.at), size);
                assert_eq!(last, next.is_none(), "{size} {from:?}");
                next.into_iter().for_each(|next| assert_eq!(row, next.row));
                text += &own;
            }
            assert_eq!(text, rows, "{size}");
        }
    }

    proptest! {
        #[test]
        fn prop_blocks_put_together_are_the_file(
            rows in prop::collection::vec("[ab,]{0,4}(\"[a\n,]{0,4}(\"\")?\")?", 1..12),
            size in 1usize..40,
            times in prop::sample::select(vec![1, 300]),
        ) {
            // A quoted field must start a field.
            let content: String = rows
                .iter()
                .map(|row| row.replacen('"', ",\"", 1) + "\n")
                .collect();
            let content = content.repeat(times);
            let found = blocks(content.as_bytes(), size).unwrap();
            let whole: String = found.iter().map(|(text, _)| text.as_str()).collect();
            prop_assert_eq!(&whole, &content);
            let mut row = 1;
            for (text, first) in found {
                prop_assert_eq!(first, row);
                row += text.matches('\n').count() as u64;
            }
        }
    }
}
