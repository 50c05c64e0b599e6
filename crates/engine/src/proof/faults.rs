//! Faults on purpose: a build for tests can make one thing go wrong once, to show that the tie-out notices.
//!
//! They are in builds with debug assertions alone; in any other, [`strikes`] is `false` and nothing of it is left.

#[cfg(debug_assertions)]
use std::sync::atomic::{AtomicU8, Ordering};

/// What can be made to go wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[repr(u8)]
pub enum Fault {
    /// A file of the fact is not read.
    PartSkipped = 1,
    /// A row at the end of a block is not in the next one either.
    RowLostAtBlockEnd,
    /// A row of a block is not split off.
    RowLostInSplit,
    /// A block that was read is not worked on.
    BlockLost,
    /// What a worker made of a block is not written.
    BatchLost,
    /// It is written twice.
    BatchTwice,
    /// An amount is changed after it was read.
    AmountChanged,
    /// A figure is changed after it was summed.
    FigureChanged,
    /// A line is written twice.
    LineTwice,
    /// A line is written in the place of the next.
    LineInPlaceOfNext,
    /// A line is not written.
    LineNotWritten,
    /// A row of a batch of text is missing from the file.
    TextCutShort,
    /// A line that is set aside is not written.
    AsideLost,
    /// A copy is dropped without being counted.
    CopyNotCounted,
    /// A row is left out without being counted.
    RowLeftOutNotCounted,
    /// What a worker summed is not brought together with the rest.
    WorkerLost,
    /// A group is dropped when groups are brought together.
    GroupLost,
    /// A row of a table of totals is missing from it.
    TotalsRowLost,
    /// A row of a table of totals is missing from its file.
    TotalsRowNotWritten,
    /// A sum of a group is changed.
    GroupSumChanged,
}

impl Fault {
    /// All of them.
    pub const ALL: [Fault; 20] = [
        Fault::PartSkipped,
        Fault::RowLostAtBlockEnd,
        Fault::RowLostInSplit,
        Fault::BlockLost,
        Fault::BatchLost,
        Fault::BatchTwice,
        Fault::AmountChanged,
        Fault::FigureChanged,
        Fault::LineTwice,
        Fault::LineInPlaceOfNext,
        Fault::LineNotWritten,
        Fault::TextCutShort,
        Fault::AsideLost,
        Fault::CopyNotCounted,
        Fault::RowLeftOutNotCounted,
        Fault::WorkerLost,
        Fault::GroupLost,
        Fault::TotalsRowLost,
        Fault::TotalsRowNotWritten,
        Fault::GroupSumChanged,
    ];

    /// The fault of a name: `line-twice`.
    pub fn called(name: &str) -> Option<Fault> {
        Fault::ALL.into_iter().find(|fault| fault.name() == name)
    }

    /// Its name.
    pub fn name(self) -> String {
        let mut name = String::new();
        for letter in format!("{self:?}").chars() {
            if letter.is_uppercase() && !name.is_empty() {
                name.push('-');
            }
            name.extend(letter.to_lowercase());
        }
        name
    }
}

#[cfg(debug_assertions)]
static ARMED: AtomicU8 = AtomicU8::new(0);

#[cfg(debug_assertions)]
static WAITING: AtomicU8 = AtomicU8::new(0);

/// Lets a fault happen, once, where it can after the next [`begin`].
#[cfg(debug_assertions)]
pub fn arm(fault: Fault) {
    WAITING.store(fault as u8, Ordering::SeqCst);
}

/// Lines are about to pass: from here on the fault may happen.
#[cfg(debug_assertions)]
pub fn begin() {
    ARMED.store(WAITING.swap(0, Ordering::SeqCst), Ordering::SeqCst);
}

/// Lines are about to pass.
#[cfg(not(debug_assertions))]
#[inline(always)]
pub fn begin() {}

/// Whether a fault happens here and now.
#[cfg(debug_assertions)]
pub fn strikes(fault: Fault) -> bool {
    let armed = fault as u8;
    ARMED.load(Ordering::Relaxed) == armed
        && ARMED.compare_exchange(armed, 0, Ordering::SeqCst, Ordering::SeqCst).is_ok()
}

/// Whether a fault happens here and now: never, in this build.
#[cfg(not(debug_assertions))]
#[inline(always)]
pub fn strikes(_: Fault) -> bool {
    false
}
