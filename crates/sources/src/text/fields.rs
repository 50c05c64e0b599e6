//! A block split into fields.
//!
//! How it works: 64 bytes at a time become three bit masks, of separators, line ends and quotes. A
//! running "exclusive or" over the quotes marks what lies inside quoted fields; the separators and line
//! ends that are left bound the fields. This holds as long as every quote opens or closes a field; the
//! masks show when one does not, and the block is then split byte for byte ([`Fields::split_slow`]),
//! which is also what the fast way is tested against.

use std::ops::Range;

use arrow_array::StringViewArray;
use arrow_buffer::{Buffer, ScalarBuffer};
use wide::u8x16;

use interligo_engine::proof::faults::{Fault, strikes};

use super::blocks::TextBlock;
use super::unquoted;

/// The fields of a block whose rows have the width of the column name.
pub struct Fields {
    width: usize,
    separator: u8,
    /// Where each row starts.
    starts: Vec<u32>,
    /// Of each row, where its fields end: at the separator or line end.
    ends: Vec<u32>,
    /// Whether every quote opens or closes a field, so that a field means the same wherever it is copied.
    regular: bool,
    /// Whether its rows are the lines of the block, one after the other: none has a line end in its quotes, and none is
    /// missing.
    line_by_line: bool,
    /// Rows with fewer or more fields than the header row.
    pub ragged: Vec<Ragged>,
    /// Rows without any value.
    pub blank: u64,
    /// Whether rows without any value are rows like any other.
    keeps_blank: bool,
    /// How many bytes the rows without any value take, and those with another number of fields.
    unusual_bytes: u64,
    /// How many bytes all rows take, before any is left out.
    covered: u64,
}

/// A row with another number of fields than the header row.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Ragged {
    /// How many rows of the header row's width come before it in the block.
    pub before: u32,
    /// Where it starts and ends in the block, without its line end.
    pub start: u32,
    /// Where it ends.
    pub end: u32,
    /// How many fields it has.
    pub fields: usize,
}

impl Fields {
    /// Splits a block into rows of `width` fields.
    pub fn split(block: &TextBlock, width: usize) -> Fields {
        let split = Fields::split_fast(block, width);
        let mut fields = split.unwrap_or_else(|| Fields::split_slow(block, width));
        fields.line_by_line = fields.rows() as u64 == block.lines && block.row_starts.is_none();
        if fields.rows() > 0 && strikes(Fault::RowLostInSplit) {
            let last = fields.rows() - 1;
            fields.keep(|row| row != last);
        }
        let rows = fields.starts.iter().zip(fields.ends.iter().skip(width - 1).step_by(width));
        let usual: u64 = rows.map(|(start, end)| u64::from(end - start) + 1).sum();
        fields.covered = usual + fields.unusual_bytes;
        fields
    }

    fn empty(block: &TextBlock, width: usize) -> Fields {
        let likely = block.length / (width * 4).max(16);
        Fields {
            width,
            separator: block.separator,
            starts: Vec::with_capacity(likely),
            ends: Vec::with_capacity(likely * width + 64),
            regular: true,
            line_by_line: false,
            ragged: Vec::new(),
            blank: 0,
            keeps_blank: block.row_starts.is_some(),
            unusual_bytes: 0,
            covered: 0,
        }
    }

    /// `None` when a quote stands where it neither opens nor closes a field.
    fn split_fast(block: &TextBlock, width: usize) -> Option<Fields> {
        let bytes = block.bytes.as_slice();
        let mut fields = Fields::empty(block, width);
        let (mut count, mut line_ends_found) = (0, 0u64);
        fields.ends.resize(fields.ends.capacity(), 0);
        // What the bytes before these 64 leave over: all ones inside a quoted field; whether the last
        // was a boundary; whether it was a closing quote.
        let (mut inside_before, mut boundary_before, mut closed_before) = (0u64, 1u64, 0u64);
        for base in (0..block.length).step_by(64) {
            let chunk: &[u8; 64] = bytes[base..base + 64].try_into().expect("blocks are padded");
            let Masks { separators, line_ends, quotes } = Masks::of(chunk, block.separator);
            let mut boundaries = separators | line_ends;
            if quotes != 0 || inside_before != 0 {
                let inside = prefix_xor(quotes) ^ inside_before;
                boundaries &= !inside;
                let opening = quotes & inside;
                let closing = quotes & !inside;
                let after_boundary = boundaries << 1 | boundary_before;
                let after_closing = closing << 1 | closed_before;
                if opening & !(after_boundary | after_closing) != 0
                    || !closed_well(after_closing & !(boundaries | opening), chunk)
                {
                    return None;
                }
                inside_before = ((inside as i64) >> 63) as u64;
                closed_before = closing >> 63;
            } else {
                if closed_before & !boundaries != 0 && !closed_well(1, chunk) {
                    return None;
                }
                closed_before = 0;
            }
            boundary_before = boundaries >> 63;
            line_ends_found += u64::from((boundaries & line_ends).count_ones());
            count = fields.end_fields(base as u32, boundaries, count);
        }
        fields.ends.truncate(count);
        if !fields.rows_are_even(bytes, line_ends_found) {
            fields.end_rows(bytes);
        }
        Some(fields)
    }

    /// Puts the places of the boundaries in 64 bytes behind the first `count`, and counts them.
    #[inline]
    fn end_fields(&mut self, base: u32, mut boundaries: u64, count: usize) -> usize {
        if self.ends.len() < count + 64 {
            self.ends.resize((count + 64) * 2, 0);
        }
        let free: &mut [u32; 64] =
            (&mut self.ends[count..count + 64]).try_into().expect("there is room for as many");
        let found = boundaries.count_ones() as usize;
        // Mostly there are fewer than twelve, and no branch is needed for each.
        for place in &mut free[..12] {
            *place = base + boundaries.trailing_zeros();
            boundaries &= boundaries.wrapping_sub(1);
        }
        for place in free.iter_mut().take(found).skip(12) {
            *place = base + boundaries.trailing_zeros();
            boundaries &= boundaries - 1;
        }
        count + found
    }

    /// Where each row starts, if every row has the same number of fields and a value: the common case. Then each
    /// boundary that ends a row is a line end, and no other is, since there are as many of them.
    fn rows_are_even(&mut self, bytes: &[u8], line_ends: u64) -> bool {
        if self.ends.len() as u64 != line_ends * self.width as u64 {
            return false;
        }
        let (width, mut start) = (self.width, 0);
        for ends in self.ends.chunks_exact(width) {
            let end = ends[width - 1];
            // A row of separators and a space here and there is hardly longer than there are separators.
            if bytes[end as usize] != b'\n' || (end - start) as usize <= width * 2 {
                self.starts.clear();
                return false;
            }
            self.starts.push(start);
            start = end + 1;
        }
        true
    }

    /// Where each row starts, row by row, of boundaries that are in `ends`; those of rows that are none are left out.
    fn end_rows(&mut self, bytes: &[u8]) {
        let mut row = 0u32;
        for at in std::mem::take(&mut self.ends) {
            self.ends.push(at);
            if bytes[at as usize] == b'\n' {
                self.end_row(bytes, row);
                row = at + 1;
            }
        }
    }

    /// Byte for byte; the meaning of quotes as in the block reader.
    fn split_slow(block: &TextBlock, width: usize) -> Fields {
        let bytes = block.bytes.as_slice();
        let mut fields = Fields { regular: false, ..Fields::empty(block, width) };
        let (mut row, mut field, mut at) = (0u32, 0usize, 0usize);
        while at < block.length {
            match bytes[at] {
                b'"' if at == field => {
                    // The block reader made sure that it is closed.
                    at += 1;
                    while at < block.length {
                        if bytes[at] == b'"' {
                            if bytes[at + 1] != b'"' {
                                break;
                            }
                            at += 1;
                        }
                        at += 1;
                    }
                }
                byte if byte == block.separator || byte == b'\n' => {
                    fields.ends.push(at as u32);
                    field = at + 1;
                    if byte == b'\n' {
                        fields.end_row(bytes, row);
                        row = field as u32;
                    }
                }
                _ => {}
            }
            at += 1;
        }
        fields
    }

    /// Closes the row that starts at `start`; its last field has just ended.
    #[inline]
    fn end_row(&mut self, bytes: &[u8], start: u32) {
        let first = self.starts.len() * self.width;
        let found = self.ends.len() - first;
        let end = self.ends[self.ends.len() - 1];
        // A row of separators and a space here and there is hardly longer than there are separators.
        if found == self.width && (end - start) as usize > self.width * 2 {
            self.starts.push(start);
            return;
        }
        self.end_unusual_row(bytes, start, end, found);
    }

    fn end_unusual_row(&mut self, bytes: &[u8], start: u32, end: u32, found: usize) {
        let row = &bytes[start as usize..end as usize];
        let length = row.len() as u64 + 1;
        let blank = |b: &u8| *b == self.separator || matches!(*b, b' ' | b'\t' | b'\r');
        if !self.keeps_blank && row.iter().all(blank) {
            self.blank += 1;
            self.unusual_bytes += length;
        } else if found == self.width {
            self.starts.push(start);
            return;
        } else {
            let end = end - u32::from(row.last() == Some(&b'\r'));
            let before = self.starts.len() as u32;
            self.unusual_bytes += length;
            self.ragged.push(Ragged { before, start, end, fields: found });
        }
        self.ends.truncate(self.starts.len() * self.width);
    }

    /// Leaves out rows.
    pub fn keep(&mut self, keep: impl Fn(usize) -> bool) {
        let kept: Vec<usize> = (0..self.rows()).filter(|row| keep(*row)).collect();
        if kept.len() == self.rows() {
            return;
        }
        self.line_by_line = false;
        self.starts = kept.iter().map(|row| self.starts[*row]).collect();
        let ends = kept.iter().flat_map(|row| &self.ends[row * self.width..(row + 1) * self.width]);
        self.ends = ends.copied().collect();
    }

    /// How many bytes of the block its rows took when it was split.
    pub fn covered(&self) -> u64 {
        self.covered
    }

    /// Whether every quote opens or closes a field. Where one does not, as in `5" nail`, a field that is copied as it is
    /// would not be read as the same.
    pub fn is_regular(&self) -> bool {
        self.regular
    }

    /// Whether its rows are the lines of the block, one after the other.
    pub fn is_line_by_line(&self) -> bool {
        self.line_by_line
    }

    /// How many fields a row has.
    pub fn width(&self) -> usize {
        self.width
    }

    /// How many rows there are.
    pub fn rows(&self) -> usize {
        self.starts.len()
    }

    /// Where a row starts in the block.
    pub fn start(&self, row: usize) -> usize {
        self.starts[row] as usize
    }

    /// A row as it is in the block, without its line end.
    pub fn row<'b>(&self, bytes: &'b [u8], row: usize) -> &'b [u8] {
        let end = self.ends[(row + 1) * self.width - 1] as usize;
        trim_return(&bytes[self.start(row)..end])
    }

    /// A field as it is in the block, with its quotes.
    pub fn field<'b>(&self, bytes: &'b [u8], row: usize, field: usize) -> &'b [u8] {
        let at = row * self.width + field;
        let start = if field == 0 { self.starts[row] } else { self.ends[at - 1] + 1 };
        let bytes = &bytes[start as usize..self.ends[at] as usize];
        if field + 1 == self.width { trim_return(bytes) } else { bytes }
    }

    /// The texts of a field in all rows. `text` must be the block as valid UTF-8.
    pub fn column(&self, block: &Buffer, field: usize) -> StringViewArray {
        let bytes = block.as_slice();
        // Texts with doubled quotes, which are not in the block as they read.
        let mut mended: Vec<u8> = Vec::new();
        let last = field + 1 == self.width;
        let rows = self.ends.chunks_exact(self.width).zip(&self.starts);
        let views = rows.map(|(ends, row_start)| {
            let start = if field == 0 { *row_start } else { ends[field - 1] + 1 } as usize;
            let mut end = ends[field] as usize;
            if last && end > start && bytes[end - 1] == b'\r' {
                end -= 1;
            }
            let head = head_of(bytes, start);
            if head as u8 == b'"' {
                return quoted_view(bytes, (start, end), &mut mended);
            }
            view_of(head, start, end - start, 0)
        });
        let views: Vec<u128> = views.collect();
        let mut buffers = vec![block.clone()];
        if !mended.is_empty() {
            mended.extend_from_slice(&[0; 16]);
            buffers.push(Buffer::from_vec(mended));
        }
        checked_texts(views, buffers)
    }
}

/// The view of a field that begins with a quote. Where it has doubled quotes, its text goes to `mended`.
#[cold]
fn quoted_view(bytes: &[u8], (start, end): (usize, usize), mended: &mut Vec<u8>) -> u128 {
    if end - start < 2 || bytes[end - 1] != b'"' {
        return view(bytes, start, end - start, 0);
    }
    if memchr::memchr(b'"', &bytes[start + 1..end - 1]).is_none() {
        return view(bytes, start + 1, end - start - 2, 0);
    }
    let from = mended.len();
    let inner = std::str::from_utf8(&bytes[start..end]).expect("blocks are checked to be UTF-8");
    mended.extend_from_slice(unquoted(inner).as_bytes());
    let length = mended.len() - from;
    mended.extend_from_slice(&[0; 16]);
    let view = view(mended, from, length, 1);
    mended.truncate(from + length);
    view
}

fn trim_return(row: &[u8]) -> &[u8] {
    row.strip_suffix(b"\r").unwrap_or(row)
}

/// A string view of the Arrow columnar format: the length, then up to 12 bytes of text; or the first
/// four, the buffer and the offset. At least 16 bytes must follow `start`.
#[inline]
fn view(bytes: &[u8], start: usize, length: usize, buffer: u32) -> u128 {
    view_of(head_of(bytes, start), start, length, buffer)
}

/// The 16 bytes from a place on.
#[inline]
fn head_of(bytes: &[u8], start: usize) -> u128 {
    u128::from_le_bytes(bytes[start..start + 16].try_into().expect("blocks are padded"))
}

/// What keeps the first bytes of 16, by how many.
const FIRST: [u128; 13] = {
    let mut masks = [0u128; 13];
    let mut length = 1;
    while length < 13 {
        masks[length] = u128::MAX >> (128 - 8 * length);
        length += 1;
    }
    masks
};

/// A view by the bytes at its start.
#[inline]
fn view_of(head: u128, start: usize, length: usize, buffer: u32) -> u128 {
    if let Some(mask) = FIRST.get(length) {
        return (head & mask) << 32 | length as u128;
    }
    let prefix = head as u32;
    length as u128 | u128::from(prefix) << 32 | u128::from(buffer) << 64 | (start as u128) << 96
}

/// The fields of the first row, and where the next one starts.
pub fn first_row(bytes: &[u8], separator: u8) -> (Vec<Range<usize>>, usize) {
    let (mut fields, mut start, mut at) = (Vec::new(), 0, 0);
    while at < bytes.len() {
        match bytes[at] {
            b'"' if at == start => {
                at += 1;
                while at < bytes.len() && (bytes[at] != b'"' || bytes.get(at + 1) == Some(&b'"')) {
                    at += if bytes[at] == b'"' { 2 } else { 1 };
                }
            }
            byte if byte == separator => {
                fields.push(start..at);
                start = at + 1;
            }
            b'\n' => break,
            _ => {}
        }
        at += 1;
    }
    let end = at.min(bytes.len());
    fields.push(start..start + trim_return(&bytes[start..end]).len());
    (fields, (end + 1).min(bytes.len()))
}

/// A column of one text in every row.
pub fn same_text(text: &str, rows: usize) -> StringViewArray {
    let mut padded = text.as_bytes().to_vec();
    padded.resize(text.len() + 16, 0);
    let same = view(&padded, 0, text.len(), 0);
    checked_texts(vec![same; rows], vec![Buffer::from_vec(padded)])
}

/// Views that are known to hold.
fn checked_texts(views: Vec<u128>, buffers: Vec<Buffer>) -> StringViewArray {
    // SAFETY: the buffers were checked to be UTF-8 as a whole (or are made from text), views begin and
    // end at ASCII characters or at the ends of such texts, and `view` writes them as the format says.
    #[allow(unsafe_code)]
    unsafe {
        StringViewArray::new_unchecked(ScalarBuffer::from(views), buffers.into(), None)
    }
}

struct Masks {
    separators: u64,
    line_ends: u64,
    quotes: u64,
}

impl Masks {
    #[inline]
    fn of(chunk: &[u8; 64], separator: u8) -> Masks {
        let (mut separators, mut line_ends, mut quotes) = (0u64, 0u64, 0u64);
        for part in 0..4 {
            let bytes: [u8; 16] =
                chunk[part * 16..part * 16 + 16].try_into().expect("a quarter of 64 is 16");
            let bytes = u8x16::from(bytes);
            let shift = part * 16;
            let mask = |character: u8| {
                u64::from(bytes.simd_eq(u8x16::splat(character)).to_bitmask()) << shift
            };
            separators |= mask(separator);
            line_ends |= mask(b'\n');
            quotes |= mask(b'"');
        }
        Masks { separators, line_ends, quotes }
    }
}

/// Bit i of the result is the "exclusive or" of the bits 0 to i.
fn prefix_xor(mut bits: u64) -> u64 {
    for shift in [1, 2, 4, 8, 16, 32] {
        bits ^= bits << shift;
    }
    bits
}

/// Whether all of the bytes after closing quotes that are no boundary are the first half of a line end.
fn closed_well(mut bits: u64, chunk: &[u8; 64]) -> bool {
    while bits != 0 {
        let bit = bits.trailing_zeros() as usize;
        bits &= bits - 1;
        if chunk[bit] != b'\r' {
            return false;
        }
    }
    true
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::write_cell;
    use proptest::prelude::*;

    fn block(rows: &str) -> TextBlock {
        let mut bytes = rows.as_bytes().to_vec();
        let length = bytes.len();
        bytes.resize(length + super::super::blocks::PADDING, 0);
        TextBlock {
            bytes,
            length,
            first_row: 1,
            lines: 0,
            separator: b',',
            first: true,
            last: true,
            row_starts: None,
        }
    }

    fn texts(block: &TextBlock, fields: &Fields) -> Vec<Vec<String>> {
        let buffer = Buffer::from_vec(block.bytes.clone());
        let columns: Vec<_> = (0..fields.width).map(|f| fields.column(&buffer, f)).collect();
        let row = |row| columns.iter().map(|c| c.value(row).to_owned()).collect();
        (0..fields.rows()).map(row).collect()
    }

    #[test]
    fn rows_are_split_as_they_are_meant() {
        let block =
            block("a,b\r\n\"x,\n1\",\"say \"\"ha\"\"\"\r\n5\" nail,2\n,\n\n1,2,3\n1\n \"q\",z\n");
        let fields = Fields::split(&block, 2);
        assert_eq!(
            texts(&block, &fields),
            [["a", "b"], ["x,\n1", "say \"ha\""], ["5\" nail", "2"], [" \"q\"", "z"]]
        );
        assert_eq!(fields.blank, 2);
        let ragged: Vec<_> = fields.ragged.iter().map(|r| (r.before, r.fields)).collect();
        assert_eq!(ragged, [(3, 3), (3, 1)]);
        assert_eq!(fields.row(&block.bytes, 0), b"a,b");
    }

    proptest! {
        #[test]
        fn prop_the_fast_way_splits_as_the_slow_one(
            rows in prop::collection::vec("[ab,\"\r]{0,9}", 1..30), width in 1usize..4,
        ) {
            let text: String = rows.iter().map(|row| format!("{row}\n")).collect();
            let whole = block(&text);
            if let Some(fast) = Fields::split_fast(&whole, width) {
                let slow = Fields::split_slow(&whole, width);
                prop_assert_eq!(&fast.starts, &slow.starts);
                prop_assert_eq!(&fast.ends, &slow.ends);
                prop_assert_eq!(&fast.ragged, &slow.ragged);
                prop_assert_eq!(fast.blank, slow.blank);
            }
        }

        #[test]
        fn prop_what_was_written_is_read_back(
            cells in prop::collection::vec(prop::collection::vec("[a-cé,\"\n ]{0,20}", 3), 1..20),
        ) {
            let mut text = Vec::new();
            for row in &cells {
                for (i, cell) in row.iter().enumerate() {
                    if i > 0 { text.push(b','); }
                    write_cell(&mut text, cell);
                }
                text.push(b'\n');
            }
            let block = block(std::str::from_utf8(&text).unwrap());
            let fields = Fields::split(&block, 3);
            let expected: Vec<Vec<String>> = cells
                .into_iter()
                .filter(|row| row.iter().any(|cell| !cell.trim_matches([' ', '\t']).is_empty() || cell.contains(',')))
                .collect();
            let found = texts(&block, &fields);
            // A row of spaces and commas counts as blank unless quotes show that it is meant.
            prop_assert!(found.iter().all(|row| expected.contains(row)));
            prop_assert_eq!(found.len() + fields.blank as usize >= expected.len(), true);
            prop_assert_eq!(fields.ragged.len(), 0);
        }
    }
}
