//! How many rows of a part became lines of its table, and where the others are.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Why a row of a file is no row of its table.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum RowLeftOut {
    /// It comes before the header row.
    AboveHeader,
    /// It holds no value.
    Blank,
    /// The plan's `leave-out-rows` says so.
    ByRule,
    /// It is a total of the rows above.
    Total,
}

impl RowLeftOut {
    /// What such rows are called.
    pub fn name(self) -> &'static str {
        match self {
            RowLeftOut::AboveHeader => "before the header row",
            RowLeftOut::Blank => "blank",
            RowLeftOut::ByRule => "by `leave-out-rows`",
            RowLeftOut::Total => "total rows",
        }
    }
}

/// The rows of a part, or of several.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct RowCounts {
    /// Rows read, without the header row.
    pub read: u64,
    /// Rows that came to be by unpacking and by columns that became rows.
    pub made: u64,
    /// Rows left out.
    pub left_out: BTreeMap<RowLeftOut, u64>,
    /// Lines that were copies of an earlier one, and were dropped.
    pub identical: u64,
    /// Lines that shared a key with another, which holds by the plan's rule.
    pub dropped: u64,
}

impl RowCounts {
    /// Notes rows that are left out.
    pub fn leave_out(&mut self, why: RowLeftOut, rows: u64) {
        if rows > 0 {
            *self.left_out.entry(why).or_default() += rows;
        }
    }

    /// Adds other counts.
    pub fn absorb(&mut self, other: &RowCounts) {
        self.read += other.read;
        self.made += other.made;
        self.identical += other.identical;
        self.dropped += other.dropped;
        for (why, rows) in &other.left_out {
            self.leave_out(*why, *rows);
        }
    }

    /// How many rows were left out.
    pub fn all_left_out(&self) -> u64 {
        self.left_out.values().sum()
    }

    /// Lines of the table, those set aside among them.
    pub fn lines(&self) -> u64 {
        (self.read + self.made).saturating_sub(self.all_left_out() + self.identical + self.dropped)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_read_and_made_are_lines_or_left_out() {
        let mut first = RowCounts { read: 10, made: 4, identical: 1, ..RowCounts::default() };
        first.leave_out(RowLeftOut::Blank, 2);
        first.leave_out(RowLeftOut::Total, 0);
        let mut all = RowCounts { read: 5, dropped: 1, ..RowCounts::default() };
        all.leave_out(RowLeftOut::Blank, 1);
        all.leave_out(RowLeftOut::ByRule, 1);
        assert_eq!((first.lines(), all.lines()), (11, 2));
        all.absorb(&first);
        assert_eq!((all.lines(), all.all_left_out()), (13, 4));
        let names: Vec<&str> = all.left_out.keys().map(|why| why.name()).collect();
        assert_eq!(names, ["blank", "by `leave-out-rows`"]);
    }
}
