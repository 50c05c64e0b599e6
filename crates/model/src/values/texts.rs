//! Columns of text views, made of other such columns without copying their text.

use std::collections::HashMap;
use std::ops::Range;

use arrow_array::{Array, StringViewArray};
use arrow_buffer::{Buffer, ScalarBuffer};

/// A text of up to this many bytes lies in its view; a longer one in a buffer.
const INLINE: usize = 12;

/// A column of views that all come from another column.
pub fn with_views(texts: &StringViewArray, views: Vec<u128>) -> StringViewArray {
    column(views, texts.data_buffers().to_vec())
}

/// The texts of these rows; blank where there is none.
pub fn gathered(
    texts: &StringViewArray,
    rows: impl Iterator<Item = Option<u32>>,
) -> StringViewArray {
    let views = texts.views();
    with_views(texts, rows.map(|row| row.map_or(0, |row| views[row as usize])).collect())
}

/// The same column with blanks where the trimmed text is one of `marks`.
pub fn without_marks(texts: &StringViewArray, marks: &[String]) -> StringViewArray {
    let is_mark = |row: usize| {
        let text = texts.value(row).trim();
        marks.iter().any(|mark| mark == text)
    };
    if marks.is_empty() || !(0..texts.len()).any(is_mark) {
        return texts.clone();
    }
    let views = texts.views().iter().enumerate();
    with_views(texts, views.map(|(row, view)| if is_mark(row) { 0 } else { *view }).collect())
}

/// A column of new texts.
pub struct TextWriter {
    views: Vec<u128>,
    /// The bytes of those that are too long for their views.
    long: Vec<u8>,
}

impl TextWriter {
    /// With room for this many texts.
    pub fn with_capacity(rows: usize) -> TextWriter {
        TextWriter { views: Vec::with_capacity(rows), long: Vec::new() }
    }

    /// Appends a text.
    pub fn push(&mut self, text: &str) {
        let (bytes, length) = (text.as_bytes(), text.len());
        let mut view = [0; 16];
        view[..4].copy_from_slice(&(length as u32).to_le_bytes());
        if length <= INLINE {
            view[4..4 + length].copy_from_slice(bytes);
        } else {
            // Length, first bytes, the number of the buffer, which is the only one, and the place in it.
            view[4..8].copy_from_slice(&bytes[..4]);
            view[12..].copy_from_slice(&(self.long.len() as u32).to_le_bytes());
            self.long.extend_from_slice(bytes);
        }
        self.views.push(u128::from_le_bytes(view));
    }

    /// The column.
    pub fn finish(self) -> StringViewArray {
        column(self.views, vec![Buffer::from(self.long)])
    }
}

/// A column put together from the texts of others.
#[derive(Default)]
pub struct TextBuilder {
    views: Vec<u128>,
    buffers: Vec<Buffer>,
}

/// A column whose texts are put into another.
pub struct TextOrigin<'a> {
    texts: &'a StringViewArray,
    /// What is added to the view of a long text, so that it names its buffer in the new column.
    moved: u128,
}

impl TextBuilder {
    /// Appends a whole column.
    pub fn push(&mut self, texts: &StringViewArray) {
        let origin = self.origin(texts);
        self.views.extend(texts.views().iter().map(|view| origin.moved(*view)));
    }

    /// Lets texts of a column be taken one by one.
    pub fn origin<'a>(&mut self, texts: &'a StringViewArray) -> TextOrigin<'a> {
        debug_assert!(texts.nulls().is_none());
        // The third word of a view names the buffer.
        let moved = (self.buffers.len() as u128) << 64;
        // Short texts need none, and a buffer is the whole block that was read.
        if texts.views().iter().any(|view| *view as u32 as usize > INLINE) {
            self.buffers.extend(texts.data_buffers().iter().cloned());
        }
        TextOrigin { texts, moved }
    }

    /// Appends a text of an origin.
    pub fn take(&mut self, origin: &TextOrigin<'_>, row: usize) {
        self.views.push(origin.moved(origin.texts.views()[row]));
    }

    /// Appends a part of such a text, which begins and ends between two characters.
    pub fn take_part(&mut self, origin: &TextOrigin<'_>, row: usize, part: Range<usize>) {
        let view = origin.texts.views()[row];
        let piece = &origin.texts.value(row).as_bytes()[part.clone()];
        let length = piece.len();
        if length <= INLINE {
            let mut bytes = [0; 16];
            bytes[..length].copy_from_slice(piece);
            self.views.push(u128::from_le_bytes(bytes) << 32 | length as u128);
            return;
        }
        // Long parts are parts of long texts: the same buffer, further on.
        let prefix = u32::from_le_bytes([piece[0], piece[1], piece[2], piece[3]]);
        let buffer = (view >> 64) & 0xFFFF_FFFF;
        let offset = (view >> 96) + part.start as u128;
        let piece = length as u128 | u128::from(prefix) << 32 | buffer << 64 | offset << 96;
        self.views.push(origin.moved(piece));
    }

    /// Appends a blank.
    pub fn blank(&mut self) {
        self.views.push(0);
    }

    /// The column.
    pub fn finish(self) -> StringViewArray {
        column(self.views, self.buffers)
    }
}

/// A column of texts of its own, which holds no blocks that others were read from. Long texts that come again are held once, as
/// far as there are not too many.
#[derive(Default)]
pub struct TextKeeper {
    views: Vec<u128>,
    /// Buffers that are full.
    full: Vec<Buffer>,
    /// The bytes of long texts since.
    long: Vec<u8>,
    /// The views of long texts that were met.
    known: HashMap<Box<str>, u128>,
}

/// How many long texts are known when they come again.
const MOST_KNOWN: usize = 1 << 15;

/// A buffer is full at this size: places in it have 32 bits.
const FULL: usize = 1 << 30;

impl TextKeeper {
    /// Appends a whole column.
    pub fn push(&mut self, texts: &StringViewArray) {
        self.views.reserve(texts.len());
        for (row, view) in texts.views().iter().enumerate() {
            let kept = if *view as u32 as usize <= INLINE {
                *view
            } else {
                self.keep(texts.value(row), *view)
            };
            self.views.push(kept);
        }
    }

    /// The view of a long text, whose bytes are copied if they are not known.
    fn keep(&mut self, text: &str, view: u128) -> u128 {
        if let Some(known) = self.known.get(text) {
            return *known;
        }
        if self.long.len() + text.len() > FULL {
            self.full.push(std::mem::take(&mut self.long).into());
        }
        let (buffer, offset) = (self.full.len() as u128, self.long.len() as u128);
        // Length and first bytes stay; the number of the buffer and the place in it are new.
        let own = view & u128::from(u64::MAX) | buffer << 64 | offset << 96;
        self.long.extend_from_slice(text.as_bytes());
        if self.known.len() < MOST_KNOWN {
            self.known.insert(text.into(), own);
        }
        own
    }

    /// The column.
    pub fn finish(mut self) -> StringViewArray {
        if !self.long.is_empty() {
            self.long.shrink_to_fit();
            self.full.push(self.long.into());
        }
        self.views.shrink_to_fit();
        column(self.views, self.full)
    }
}

impl TextOrigin<'_> {
    fn moved(&self, view: u128) -> u128 {
        if view as u32 as usize <= INLINE { view } else { view + self.moved }
    }
}

fn column(views: Vec<u128>, buffers: Vec<Buffer>) -> StringViewArray {
    // SAFETY: every view is zero (the empty text), or that of a valid column or of a part of its text
    // that begins and ends between two characters; its buffers are among these, where it says.
    #[allow(unsafe_code)]
    unsafe {
        StringViewArray::new_unchecked(ScalarBuffer::from(views), buffers.into(), None)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn prop_kept_texts_are_those_that_came_and_hold_no_buffer_of_others(
            blocks in prop::collection::vec(prop::collection::vec("[aé]{0,3}|[bü]{14}|[a-c]{13,16}", 0..12), 0..6),
        ) {
            let mut keeper = TextKeeper::default();
            blocks.iter().for_each(|texts| keeper.push(&StringViewArray::from_iter_values(texts)));
            let found = keeper.finish();
            let checked = StringViewArray::try_new(found.views().clone(), found.data_buffers().to_vec(), None);
            prop_assert!(checked.is_ok());
            prop_assert!(found.iter().flatten().eq(blocks.iter().flatten().map(String::as_str)));
            let long: std::collections::BTreeSet<&str> =
                blocks.iter().flatten().map(String::as_str).filter(|text| text.len() > INLINE).collect();
            let held: usize = found.data_buffers().iter().map(|buffer| buffer.len()).sum();
            prop_assert_eq!(held, long.iter().map(|text| text.len()).sum::<usize>());
        }

        #[test]
        fn prop_columns_put_together_hold_the_texts_of_their_origins(
            first in prop::collection::vec("[aé|]{0,20}", 1..8),
            second in prop::collection::vec("[bü|]{0,20}", 1..8),
        ) {
            let columns = [StringViewArray::from_iter_values(&first), StringViewArray::from_iter_values(&second)];
            let mut builder = TextBuilder::default();
            builder.push(&columns[0]);
            let origin = builder.origin(&columns[1]);
            let mut expected = first.clone();
            for (row, text) in second.iter().enumerate() {
                let mut start = 0;
                for piece in text.split('|') {
                    builder.take_part(&origin, row, start..start + piece.len());
                    expected.push(piece.to_owned());
                    start += piece.len() + 1;
                }
                builder.take(&origin, row);
                expected.push(text.clone());
            }
            let found = builder.finish();
            // The checked way of making a column accepts its parts.
            let checked = StringViewArray::try_new(found.views().clone(), found.data_buffers().to_vec(), None);
            prop_assert!(checked.is_ok());
            prop_assert!(found.iter().flatten().eq(expected.iter().map(String::as_str)));
        }
    }
}
