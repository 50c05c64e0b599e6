//! How a line came out in a link.

use crate::keys::ROW_LIMIT;
use serde::{Deserialize, Serialize};

/// How a line came out in a link.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum LinkStatus {
    /// Found by the key as it is written.
    Exact,
    /// Found by the key after cleaning.
    Cleaned,
    /// Found by the key that a correction puts in its place.
    Mended,
    /// Found by another than the first of its candidates.
    Alternate,
    /// The row is valid on other days, and the plan says that it may be taken.
    Carried,
    /// Not found; its attributes are those that the plan fills in.
    Filled,
    /// There is no row, and the plan says that this is normal.
    Absent,
    /// The condition of the link says that the line needs no row.
    NotNeeded,
    /// There is no row for the key.
    Unmatched,
    /// The key has rows, none of them for that day.
    Undated,
    /// Several distinct keys fit.
    Ambiguous,
    /// Several rows of the key hold on that day.
    Overlapping,
    /// The row is there, and blank in what the link needs of it.
    Incomplete,
    /// There is no key.
    Blank,
}

impl LinkStatus {
    /// All of them, in the order in which they are shown.
    pub const ALL: [LinkStatus; 14] = [
        LinkStatus::Exact,
        LinkStatus::Cleaned,
        LinkStatus::Mended,
        LinkStatus::Alternate,
        LinkStatus::Carried,
        LinkStatus::Filled,
        LinkStatus::Absent,
        LinkStatus::NotNeeded,
        LinkStatus::Unmatched,
        LinkStatus::Undated,
        LinkStatus::Ambiguous,
        LinkStatus::Overlapping,
        LinkStatus::Incomplete,
        LinkStatus::Blank,
    ];

    /// The word for it.
    pub fn name(self) -> &'static str {
        match self {
            LinkStatus::Exact => "exact",
            LinkStatus::Cleaned => "cleaned",
            LinkStatus::Mended => "mended",
            LinkStatus::Alternate => "alternate",
            LinkStatus::Carried => "carried",
            LinkStatus::Filled => "filled",
            LinkStatus::Absent => "absent",
            LinkStatus::NotNeeded => "not-needed",
            LinkStatus::Unmatched => "unmatched",
            LinkStatus::Undated => "undated",
            LinkStatus::Ambiguous => "ambiguous",
            LinkStatus::Overlapping => "overlapping",
            LinkStatus::Incomplete => "incomplete",
            LinkStatus::Blank => "blank",
        }
    }

    /// Whether a row was found.
    pub fn is_found(self) -> bool {
        matches!(
            self,
            LinkStatus::Exact
                | LinkStatus::Cleaned
                | LinkStatus::Mended
                | LinkStatus::Alternate
                | LinkStatus::Carried
        )
    }

    /// Whether the rule for missing rows reaches a line that came out so.
    pub(crate) fn is_missing(self) -> bool {
        matches!(self, LinkStatus::Unmatched | LinkStatus::Blank)
    }

    /// Whether the key has a row, which a line that came out so did not get.
    pub fn names_a_row(self) -> bool {
        matches!(self, LinkStatus::Undated | LinkStatus::Overlapping | LinkStatus::Incomplete)
    }

    /// Of two candidates that found no row, the one that says more: how far it came on the way from a key
    /// to a row.
    pub(crate) fn further(self, other: LinkStatus) -> LinkStatus {
        let steps = |status: LinkStatus| match status {
            LinkStatus::Blank => 0,
            LinkStatus::Unmatched => 1,
            LinkStatus::Ambiguous => 2,
            LinkStatus::Undated => 3,
            LinkStatus::Overlapping => 4,
            _ => 5,
        };
        if steps(other) > steps(self) { other } else { self }
    }
}

/// How many lines came out how, by [`LinkStatus`] as a number.
pub type StatusCounts = [u64; LinkStatus::ALL.len()];

/// How many of these lines found their row.
pub fn lines_found(counts: &StatusCounts) -> u64 {
    let found = LinkStatus::ALL.into_iter().filter(|status| status.is_found());
    found.map(|status| counts[status as usize]).sum()
}

/// The row number that says "none, because of this".
pub(crate) fn no_row(status: LinkStatus) -> u32 {
    ROW_LIMIT + status as u32
}

/// What a number says that stands for no row.
pub(crate) fn why_no_row(row: u32) -> Option<LinkStatus> {
    LinkStatus::ALL.get(row.checked_sub(ROW_LIMIT)? as usize).copied()
}

/// Whether a row number is one.
#[inline]
pub(crate) fn is_row(row: u32) -> bool {
    row < ROW_LIMIT
}
