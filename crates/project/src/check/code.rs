//! The codes of findings: stable names for what is met in data.

use interligo_engine::links::LinkStatus;
use interligo_engine::proof::findings::Noted;

/// What kind of thing was found.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Code {
    /// A key that the lookup does not have, nor one like it.
    UnmatchedKey,
    /// A key that the lookup does not have, but one that is written much like it.
    NearMiss,
    /// Lines without a key.
    BlankKey,
    /// A key that has rows, none of them for the day.
    UndatedKey,
    /// Several rows of the key hold on the day.
    OverlappingPeriods,
    /// A key whose lines took the row of another day.
    CarriedKey,
    /// Days between two periods of a key on which none holds.
    PeriodGap,
    /// Days on which two periods of a key hold.
    PeriodOverlap,
    /// Periods in several forms in one table.
    MixedPeriods,
    /// A day that can hardly be meant.
    OddDay,
    /// Several different keys fit.
    UndecidedKey,
    /// The row is blank in what the link needs.
    LackingValue,
    /// A first key that found nothing, where a later one did.
    PassedOverKey,
    /// A key that was found after cleaning.
    CleanedKey,
    /// A correction that leads to no key of the lookup.
    CorrectionAstray,
    /// Corrections that say different things for one key.
    CorrectionContradicted,
    /// A correction that nothing needs any more.
    CorrectionUnneeded,
    /// One side of a link holds numbers, the other texts.
    TextAgainstNumber,
    /// A link that is written the other way round than it is taken.
    TurnedLink,
    /// Rows of a lookup with one key that differ.
    DuplicateConflicting,
    /// Rows of a lookup with one key that are the same.
    DuplicateIdentical,
    /// A row of a lookup that no line uses.
    UnusedRow,
    /// A row of a lookup that cannot be used.
    RowLeftOut,
    /// Lines with one key that differ.
    RepeatConflicting,
    /// Lines that were delivered twice.
    RepeatIdentical,
    /// A line whose cells do not fit the headings, or each other.
    MisfitRow,
    /// A value that cannot be read.
    UnreadableValue,
    /// A text that seems to mean blank.
    BlankMark,
    /// An amount that stands on every line made of a row.
    RepeatedAmount,
    /// A fact of which there are headings only.
    NoLines,
    /// A figure that is blank by its formula, or by what it is made of.
    BlankFigure,
    /// A figure with the form of an amount that is totalled as a ratio.
    AmountAsRatio,
    /// A number that is none: infinite, or the result of a division by zero.
    NotFinite,
    /// Keys of a lookup that are one key by the link's own rules.
    SameKeyWrittenDifferently,
    /// A file of corrections beside the plan, which does not name it.
    CorrectionsNotNamed,
    /// A row that looks like a total and is none.
    TotalLikeRow,
    /// A total.
    TotalRow,
    /// A part lacks a heading that most others have.
    MissingHeading,
    /// A part has a heading that most others have not.
    ExtraHeading,
    /// A part has a heading more than once.
    RepeatedHeading,
    /// A cell that holds an error.
    ErrorCell,
    /// A cell under no heading.
    CellBesideTable,
    /// Formulas without a stored value.
    FormulaWithoutValue,
    /// Rows that are hidden.
    HiddenRow,
    /// A sheet that is hidden.
    HiddenSheet,
    /// A column of lists or records.
    NestedColumn,
}

impl Code {
    /// All of them.
    pub const ALL: [Code; 46] = [
        Code::UnmatchedKey,
        Code::NearMiss,
        Code::BlankKey,
        Code::UndatedKey,
        Code::OverlappingPeriods,
        Code::CarriedKey,
        Code::PeriodGap,
        Code::PeriodOverlap,
        Code::MixedPeriods,
        Code::OddDay,
        Code::UndecidedKey,
        Code::LackingValue,
        Code::PassedOverKey,
        Code::CleanedKey,
        Code::CorrectionAstray,
        Code::CorrectionContradicted,
        Code::CorrectionUnneeded,
        Code::TextAgainstNumber,
        Code::TurnedLink,
        Code::DuplicateConflicting,
        Code::DuplicateIdentical,
        Code::UnusedRow,
        Code::RowLeftOut,
        Code::RepeatConflicting,
        Code::RepeatIdentical,
        Code::MisfitRow,
        Code::UnreadableValue,
        Code::BlankMark,
        Code::RepeatedAmount,
        Code::NoLines,
        Code::BlankFigure,
        Code::AmountAsRatio,
        Code::NotFinite,
        Code::SameKeyWrittenDifferently,
        Code::CorrectionsNotNamed,
        Code::TotalLikeRow,
        Code::TotalRow,
        Code::MissingHeading,
        Code::ExtraHeading,
        Code::RepeatedHeading,
        Code::ErrorCell,
        Code::CellBesideTable,
        Code::FormulaWithoutValue,
        Code::HiddenRow,
        Code::HiddenSheet,
        Code::NestedColumn,
    ];

    /// Its stable name.
    pub fn name(self) -> &'static str {
        match self {
            Code::UnmatchedKey => "unmatched-key",
            Code::NearMiss => "near-miss",
            Code::BlankKey => "blank-key",
            Code::UndatedKey => "undated-key",
            Code::OverlappingPeriods => "overlapping-periods",
            Code::CarriedKey => "carried-key",
            Code::PeriodGap => "period-gap",
            Code::PeriodOverlap => "period-overlap",
            Code::MixedPeriods => "mixed-periods",
            Code::OddDay => "odd-day",
            Code::UndecidedKey => "undecided-key",
            Code::LackingValue => "lacking-value",
            Code::PassedOverKey => "passed-over-key",
            Code::CleanedKey => "cleaned-key",
            Code::CorrectionAstray => "correction-astray",
            Code::CorrectionContradicted => "correction-contradicted",
            Code::CorrectionUnneeded => "correction-unneeded",
            Code::TextAgainstNumber => "text-against-number",
            Code::TurnedLink => "turned-link",
            Code::DuplicateConflicting => "duplicate-conflicting",
            Code::DuplicateIdentical => "duplicate-identical",
            Code::UnusedRow => "unused-row",
            Code::RowLeftOut => "row-left-out",
            Code::RepeatConflicting => "repeat-conflicting",
            Code::RepeatIdentical => "repeat-identical",
            Code::MisfitRow => "misfit-row",
            Code::UnreadableValue => "unreadable-value",
            Code::BlankMark => "blank-mark",
            Code::RepeatedAmount => "repeated-amount",
            Code::TotalLikeRow => "total-like-row",
            Code::TotalRow => "total-row",
            Code::MissingHeading => "missing-heading",
            Code::ExtraHeading => "extra-heading",
            Code::RepeatedHeading => "repeated-heading",
            Code::ErrorCell => "error-cell",
            Code::CellBesideTable => "cell-beside-table",
            Code::FormulaWithoutValue => "formula-without-value",
            Code::HiddenRow => "hidden-row",
            Code::HiddenSheet => "hidden-sheet",
            Code::NestedColumn => "nested-column",
            Code::NoLines => "no-lines",
            Code::BlankFigure => "blank-figure",
            Code::AmountAsRatio => "amount-as-ratio",
            Code::NotFinite => "not-finite",
            Code::SameKeyWrittenDifferently => "same-key-written-differently",
            Code::CorrectionsNotNamed => "corrections-not-named",
        }
    }

    /// Whether what was found is settled, and only to be known of.
    pub fn is_settled(self) -> bool {
        matches!(
            self,
            Code::CleanedKey
                | Code::CarriedKey
                | Code::PassedOverKey
                | Code::DuplicateIdentical
                | Code::RepeatIdentical
                | Code::TotalRow
                | Code::CorrectionUnneeded
        )
    }

    /// The code of that name.
    pub fn called(name: &str) -> Option<Code> {
        Code::ALL.into_iter().find(|code| code.name() == name)
    }

    /// The code of a key that came out so.
    pub(super) fn of_key(status: LinkStatus) -> Code {
        match status {
            LinkStatus::Undated => Code::UndatedKey,
            LinkStatus::Undecided => Code::UndecidedKey,
            LinkStatus::Overlapping => Code::OverlappingPeriods,
            LinkStatus::Blank => Code::BlankKey,
            LinkStatus::Lacking => Code::LackingValue,
            LinkStatus::Cleaned => Code::CleanedKey,
            LinkStatus::Carried => Code::CarriedKey,
            LinkStatus::Exact
            | LinkStatus::Mended
            | LinkStatus::Alternate
            | LinkStatus::Filled
            | LinkStatus::Absent
            | LinkStatus::NotMeant
            | LinkStatus::Unmatched => Code::UnmatchedKey,
        }
    }
}

impl From<Noted> for Code {
    fn from(noted: Noted) -> Code {
        match noted {
            Noted::ErrorCell => Code::ErrorCell,
            Noted::BesideTable => Code::CellBesideTable,
            Noted::NoStoredValue => Code::FormulaWithoutValue,
            Noted::HiddenRow => Code::HiddenRow,
            Noted::HiddenSheet => Code::HiddenSheet,
            Noted::NestedColumn => Code::NestedColumn,
            Noted::NotFinite => Code::NotFinite,
        }
    }
}
