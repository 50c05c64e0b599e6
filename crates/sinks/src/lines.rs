//! Outputs of lines: which lines each puts out, and what they amount to.

use std::collections::BTreeMap;

use interligo_engine::outputs::OutputColumn;
use interligo_engine::proof::faults::{Fault, strikes};
use interligo_engine::proof::tally::Tally;

use crate::format::{EncodeLines, LinesShape, OutputFormat, Piece, Unfit};
use crate::raw_lines::LinesBatch;

/// The values by which a line goes to a file of its own; none where all go to one.
pub type SlotKey = Vec<String>;

/// Rows by the file that they go to.
pub type Pieces = Vec<(SlotKey, Piece)>;

/// An output of lines, ready for all workers.
pub struct LinesOutput {
    encoder: Box<dyn EncodeLines>,
    /// The values of the slots, by number.
    slots: Vec<usize>,
    /// The figures that it holds, each with the number of its value.
    pub figures: BTreeMap<usize, usize>,
}

/// Rows that an output puts out, with the lines that they hold.
#[derive(Clone, Default)]
pub struct PutOut {
    /// The rows, by the file that they go to.
    pub pieces: Pieces,
    /// The lines that they hold.
    pub tally: Tally,
}

impl LinesOutput {
    /// Prepares an output in a form.
    pub fn new(
        format: &dyn OutputFormat,
        shape: &LinesShape<'_>,
        slots: Vec<usize>,
    ) -> LinesOutput {
        let figure = |column: &OutputColumn| match column {
            OutputColumn::Value { value, .. } => {
                Some((shape.engine.figure_of_value(*value)?, *value))
            }
            _ => None,
        };
        let figures = shape.columns.iter().filter_map(figure).collect();
        LinesOutput { encoder: format.encode_lines(shape), slots, figures }
    }

    /// Encodes the lines of a batch that are not set aside; the answer has those that were put out, one for each row.
    ///
    /// # Errors
    /// A value that its column cannot hold.
    pub fn write(&self, batch: &LinesBatch<'_>) -> Result<(Pieces, Vec<u32>), Unfit> {
        let lines = batch.lines;
        let mut kept: Vec<u32> = (0..lines.rows as u32)
            .filter(|row| lines.aside.is_empty() || !lines.is_aside(*row))
            .collect();
        go_wrong(&mut kept);
        if self.slots.is_empty() {
            let piece = self.encoder.encode(batch, &kept)?;
            return Ok((vec![(SlotKey::new(), piece)], kept));
        }
        let mut files: BTreeMap<SlotKey, Vec<u32>> = BTreeMap::new();
        for line in &kept {
            let value = |slot: &usize| lines.values[*slot].value(*line as usize).to_string();
            files.entry(self.slots.iter().map(value).collect()).or_default().push(*line);
        }
        let mut pieces = Vec::with_capacity(files.len());
        for (key, lines) in files {
            let piece = self.encoder.encode(batch, &lines)?;
            pieces.push((key, piece));
        }
        Ok((pieces, kept))
    }
}

/// Faults on purpose: lines that are written twice, or not at all.
fn go_wrong(lines: &mut Vec<u32>) {
    if !lines.is_empty() && strikes(Fault::LineTwice) {
        lines.insert(0, lines[0]);
    }
    if !lines.is_empty() && strikes(Fault::LineNotWritten) {
        lines.pop();
    }
    if lines.len() > 1 && strikes(Fault::LineInPlaceOfNext) {
        lines[1] = lines[0];
    }
}
