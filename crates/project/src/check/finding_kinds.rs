//! The kinds of findings, a row each: its code, its stable name, what it means, what settles it, and when it ends a run.
//! All that is reported of a kind, in help, messages and the guide, is made from its row.

use interligo_engine::links::LinkStatus;
use interligo_engine::proof::findings::Noted;
use interligo_model::plan::{Mistake, MistakeKind, Plan, Written};

use super::finding_kind::{FindingKind, Stopping, Ways, kinds, renamed_kind};

const SETTLE_MISSING: Ways = &[
    ("interligo check --for-owner missing.xlsx", "list for the owner of the lookup what to add"),
    ("interligo mend", "correct the keys, permanently"),
    (
        "missing = \"fill\"\nfill    = { name = \"(unknown)\" }",
        "in the [[link]]: a value for what is unknown",
    ),
    ("missing = \"set-aside\"", "set the lines aside, in a file of their own"),
    ("missing = \"normal\"", "a row is not required"),
    ("missing = \"stop\"", "end the run"),
];

const CORRECT: Ways = &[("interligo mend", "review the keys and the file again; or edit the file")];

kinds! {
    UnmatchedKey {
        name: "unmatched-key",
        settled: false,
        stops: Some(Stopping {
            when: "where the link says missing = \"stop\"",
            fix: "correct the keys, complete the lookup, or change `missing` of the link",
        }),
        what: "keys that are not in the lookup, and nothing similar is",
        why: "These lines have no attributes of the lookup; figures that need them are blank and missing from totals.",
        ways: SETTLE_MISSING,
    }
    NearMiss {
        name: "near-miss",
        settled: false,
        stops: None,
        what: "keys that are not in the lookup, although a similar one is",
        why: "Most are typing errors, or come from an export. The lines are kept, but without attributes.",
        ways: &[
            ("interligo mend", "review them, with the keys that were probably meant"),
            ("interligo mend --accept look-alike,punctuation", "accept whole classes at once"),
            ("ignore = [\"case\", \"punctuation\", \"leading-zeros\"]", "in the [[link]]: ignore these differences"),
            ("stop-on = [\"near-miss\"]", "in [plan]: stop the run until they are settled"),
        ],
    }
    BlankKey {
        name: "blank-key",
        settled: false,
        stops: Some(Stopping {
            when: "where the link says missing = \"stop\"",
            fix: "complete the lines, or change `missing` of the link",
        }),
        what: "lines without a key for the link",
        why: "Nothing can be looked up for them. A counter sale has no customer; a line without an item is an error.",
        ways: &[
            ("missing = \"fill\"\nfill    = { name = \"(counter sale)\" }", "in the [[link]]: a value for what is unknown"),
            ("missing = \"normal\"", "a row is not required"),
            ("when    = \"item is not blank\"", "only some lines need a row"),
            ("missing = \"set-aside\"", "set the lines aside, in a file of their own"),
        ],
    }
    UndatedKey {
        name: "undated-key",
        settled: false,
        stops: Some(Stopping {
            when: "where the link says gap = \"stop\"",
            fix: "complete the periods, or change `gap` of the link",
        }),
        what: "keys whose rows are not valid on the day of the line",
        why: "A price from another time would be wrong, so none is used; the figures of the line are blank.",
        ways: &[
            ("interligo check --for-owner missing.xlsx", "list for the owner of the lookup what to add"),
            ("gap = \"earlier\"", "in the [[link]]: use the row before; or \"later\", \"nearest\", \"stop\""),
            ("gap = { between = \"earlier\", days = 31 }", "the same between two periods only, over 31 days at most"),
            ("valid = { from = \"valid_from\" }", "in the table: each row is valid until the next one of its key"),
        ],
    }
    OverlappingPeriods {
        name: "overlapping-periods",
        settled: false,
        stops: Some(Stopping {
            when: "unless `overlap` says which row applies",
            fix: "correct the periods so that they do not overlap, or say which row applies: overlap = \"latest-start\"",
        }),
        what: "days on which several rows of a key are valid",
        why: "There is no way to know which price is right. A run stops.",
        ways: &[
            ("overlap = \"latest-start\"", "in the [[link]]: the row that started last applies; or \"first\", \"last\", \"blank\""),
            ("valid = { from = \"valid_from\" }", "in the table: each row is valid until the next one of its key"),
        ],
    }
    CarriedKey {
        name: "carried-key",
        settled: true,
        stops: None,
        what: "keys whose lines used the row of another day, as `gap` says",
        why: "The price is that of an earlier or later day. It is listed because no price is carried silently.",
        ways: &[
            ("gap = { between = \"earlier\", days = 31 }", "in the [[link]]: over at most this many days"),
        ],
    }
    PeriodGap {
        name: "period-gap",
        settled: false,
        stops: None,
        what: "days between two periods of a key on which no row is valid",
        why: "A sale on such a day has no price. Lines affected are listed under undated-key.",
        ways: &[
            ("gap = \"earlier\"", "in the [[link]]: use the row before; or \"later\", \"nearest\", \"stop\""),
            ("interligo calendar", "see the periods of the keys, and where their lines lie"),
        ],
    }
    PeriodOverlap {
        name: "period-overlap",
        settled: false,
        stops: None,
        what: "days on which two periods of a key overlap",
        why: "A sale on such a day has two prices. Lines affected are listed under overlapping-periods.",
        ways: &[
            ("overlap = \"latest-start\"", "in the [[link]]: the row that started last applies; or \"first\", \"last\", \"blank\""),
        ],
    }
    MixedPeriods {
        name: "mixed-periods",
        settled: false,
        stops: None,
        what: "periods of several lengths in one table",
        why: "A year overlaps its own months: a day of such a month has two rows.",
        ways: &[
            ("overlap = \"latest-start\"", "in the [[link]]: the shorter period mostly started last"),
        ],
    }
    ImplausibleDate {
        name: "implausible-date",
        settled: false,
        stops: None,
        what: "implausible dates: before 1900, or from 2200 on",
        why: "Usually a typing error. No price is found for such a day.",
        ways: &[],
    }
    AmbiguousKey {
        name: "ambiguous-key",
        settled: false,
        stops: None,
        what: "keys that match several keys of the lookup once they are cleaned",
        why: "With the ignored differences, two keys of the lookup look the same. Neither is used.",
        ways: &[
            ("ignore = [\"case\"]", "in the [[link]]: ignore fewer differences"),
            ("match  = \"as-written\"", "compare keys byte for byte"),
            ("interligo mend", "say which one is meant"),
        ],
    }
    IncompleteRow {
        name: "incomplete-row",
        settled: false,
        stops: None,
        what: "keys whose row exists, but is blank in a column that the link needs",
        why: "A price list row without a price is no price.",
        ways: &[
            ("needs = [\"unit_price\"]", "in the [[link]]: the columns a row must have; require fewer, or complete the lookup"),
        ],
    }
    SkippedCandidate {
        name: "skipped-candidate",
        settled: true,
        stops: None,
        what: "first candidates of lines that did not match, where a later one did",
        why: "The line has a row, but perhaps not the intended one.",
        ways: &[
            ("interligo mend", "correct the first key"),
        ],
    }
    CleanedKey {
        name: "cleaned-key",
        settled: true,
        stops: None,
        what: "keys that matched after cleaning: stray spaces, or what `ignore` names",
        why: "Nothing is lost. It is listed because nothing is cleaned silently.",
        ways: &[
            ("match = \"as-written\"", "in the [[link]]: compare keys byte for byte, without cleaning"),
        ],
    }
    CorrectionWithoutTarget {
        name: "correction-without-target",
        settled: false,
        stops: None,
        what: "corrections to a key that is not in the lookup",
        why: "Such a correction changes nothing; its lines stay unmatched.",
        ways: CORRECT,
    }
    CorrectionConflict {
        name: "correction-conflict",
        settled: false,
        stops: None,
        what: "corrections that contradict each other",
        why: "None of them applies until only one is left.",
        ways: CORRECT,
    }
    CorrectionUnused {
        name: "correction-unused",
        settled: true,
        stops: None,
        what: "corrections that are no longer needed",
        why: "No line has the key, or the lookup now has it. A key that the lookup has is still replaced.",
        ways: CORRECT,
    }
    TextAgainstNumber {
        name: "text-against-number",
        settled: false,
        stops: None,
        what: "keys that are numbers in one place and texts in another",
        why: "Keys are compared as texts: `42` and `0042` differ, though a spreadsheet shows both as 42.",
        ways: &[
            ("ignore = [\"leading-zeros\"]", "in the [[link]]: ignore zeros before digits"),
        ],
    }
    ReversedLink {
        name: "reversed-link",
        settled: false,
        stops: None,
        what: "links that are written in reverse",
        why: "A link leads from many lines to one row; in reverse it would multiply lines.",
        ways: &[
            ("path = \"sales.item -> products.sku\"", "from the lines to the lookup"),
        ],
    }
    DuplicateConflicting {
        name: "duplicate-conflicting",
        settled: false,
        stops: Some(Stopping {
            when: "unless `duplicates` or `valid` settles it",
            fix: "correct the rows",
        }),
        what: "keys that a lookup has more than once, with different values",
        why: "A line would get two rows. A rule must say which one is used; without one a run stops.",
        ways: &[
            ("duplicates = \"last\"", "in the table: the last row is used; or \"first\""),
            ("duplicates = \"newest updated_on\"", "the row with the latest day; or \"largest\", \"smallest\""),
            ("duplicates = \"blank\"", "values that agree stay, the others are blank"),
            ("valid = { from = \"valid_from\" }", "they are valid for periods"),
        ],
    }
    DuplicateIdentical {
        name: "duplicate-identical",
        settled: true,
        stops: None,
        what: "keys that a lookup has more than once, with the same values",
        why: "They count once. The result is not affected.",
        ways: &[],
    }
    UnusedRow {
        name: "unused-row",
        settled: false,
        stops: None,
        what: "keys of a lookup that no line uses",
        why: "Products without sales, customers without orders; or keys written differently in the lines.",
        ways: &[
            ("interligo check near-miss", "see whether lines mean one of them"),
        ],
    }
    RowLeftOut {
        name: "row-left-out",
        settled: false,
        stops: None,
        what: "rows of a lookup that cannot be used",
        why: "A row without a key, or with an unreadable period, is never matched.",
        ways: &[
            ("leave-out-rows = \"sku is blank\"", "in the table: leave them out"),
        ],
    }
    RepeatConflicting {
        name: "repeat-conflicting",
        settled: false,
        stops: Some(Stopping {
            when: "unless `repeats` settles it",
            fix: "correct the lines, name all columns that identify a line in `key`",
        }),
        what: "lines that share their key and differ",
        why: "One of them is wrong, or the key does not identify a line. Without a rule a run stops.",
        ways: &[
            ("repeats = \"last\"", "in the fact: the last line is used; or \"first\", \"newest COLUMN\""),
            ("key = [\"order_no\", \"line_no\"]", "name all columns that identify a line"),
            ("repeats = \"keep\"", "all of them are lines"),
        ],
    }
    RepeatIdentical {
        name: "repeat-identical",
        settled: true,
        stops: None,
        what: "duplicate lines that are identical",
        why: "They count once, as the fact's key says.",
        ways: &[
            ("repeats = \"keep\"", "in the fact: they are different lines"),
        ],
    }
    MalformedRow {
        name: "malformed-row",
        settled: false,
        stops: None,
        what: "rows with too few or too many cells, or whose cells cannot be split in step",
        why: "It is not clear which value belongs to which column. They are set aside as they were read.",
        ways: &[
            ("interligo look sales --rows 5", "see how the rows are split"),
        ],
    }
    UnreadableValue {
        name: "unreadable-value",
        settled: false,
        stops: None,
        what: "values that do not have the type of their column",
        why: "They count as blank, and so does what is computed from them.",
        ways: &[
            ("blank = [\"n/a\"]", "in the table: texts that mean blank"),
            ("numbers = \"1.234,56\"", "the format of its numbers; or `dates`"),
        ],
    }
    BlankMarker {
        name: "blank-marker",
        settled: false,
        stops: None,
        what: "texts among numbers or days that seem to mean blank",
        why: "Each counts as unreadable until the plan says that it means blank.",
        ways: &[
            ("blank = [\"n/a\"]", "in the table"),
        ],
    }
    RepeatedAmount {
        name: "repeated-amount",
        settled: false,
        stops: None,
        what: "amounts that are repeated on every line of one row",
        why: "They are added once for each line.",
        ways: &[
            ("unpack = { columns = [\"item\"], once = [\"freight\"] }", "in the table: on the first line only"),
        ],
    }
    NoLines {
        name: "no-lines",
        settled: false,
        stops: None,
        what: "facts whose files have a header row only",
        why: "All their totals are empty. Usually an export was empty, or a filter was left on.",
        ways: &[
            ("interligo look sales", "see which files were read, and how"),
        ],
    }
    BlankFigure {
        name: "blank-figure",
        settled: false,
        stops: None,
        what: "figures that are blank although the keys of their lines matched",
        why: "A value in the formula is blank, it divides by zero, or it gives blank. Totals leave these lines out.",
        ways: &[
            ("coalesce(discount, 0)", "in the formula: a value in place of a blank one"),
            ("if revenue = 0 then 0 else profit / revenue", "in the formula: what a quotient by zero is"),
        ],
    }
    AmountAsRatio {
        name: "amount-as-ratio",
        settled: false,
        stops: None,
        what: "figures that look like amounts but are totalled as ratios",
        why: "They divide by an amount, so a total is computed from totals instead of being the sum of the lines.",
        ways: &[
            ("net = { formula = \"...\", totals = \"sum\" }", "in [figures]: add up its lines"),
            ("net = { formula = \"...\", totals = \"again\" }", "in [figures]: it is meant so"),
        ],
    }
    NotFinite {
        name: "not-finite",
        settled: false,
        stops: None,
        what: "values that are not finite numbers: infinite, or 0 / 0",
        why: "They count as blank, and so does what is computed from them.",
        ways: &[
            ("interligo look sales --where \"quantity is blank\"", "see their rows"),
        ],
    }
    SameKeyWrittenDifferently {
        name: "same-key-written-differently",
        settled: false,
        stops: None,
        what: "keys of a lookup that are the same key by what the link ignores",
        why: "In a lookup with periods they are one key, with all their periods. In any other lookup a line uses the \
             row whose key is written exactly like its own.",
        ways: &[
            ("", "write the key of these rows in the same way, in the lookup"),
            ("match = \"as-written\"", "in the [[link]]: they are different keys"),
        ],
    }
    CorrectionsNotNamed {
        name: "corrections-not-named",
        settled: false,
        stops: None,
        what: "a file of corrections beside a plan that does not name it",
        why: "None of its corrections changes anything.",
        ways: &[
            ("corrections = \"corrections.csv\"", "in [plan]: apply them"),
        ],
    }
    TotalLikeRow {
        name: "total-like-row",
        settled: false,
        stops: Some(Stopping {
            when: "unless `total-rows` says what it is",
            fix: "say what it is",
        }),
        what: "rows that look like totals but are not the sum of the rows above",
        why: "A total among the lines would count as a sale. A run stops.",
        ways: &[
            ("total-rows = \"leave-out\"", "in the table: it is a total; or \"keep\", it is an ordinary row"),
        ],
    }
    TotalRow {
        name: "total-row",
        settled: true,
        stops: None,
        what: "total rows whose numbers are the sums of the rows above",
        why: "They are left out.",
        ways: &[
            ("total-rows = \"keep\"", "in the table: they are ordinary rows"),
        ],
    }
    MissingColumn {
        name: "missing-column",
        settled: false,
        stops: None,
        what: "columns that a file lacks although most of the files have them",
        why: "The column is blank there, or it was renamed.",
        ways: &[
            ("columns = { Qty = { name = \"quantity\" } }", "in the [[part]]: the name of the column there"),
        ],
    }
    ExtraColumn {
        name: "extra-column",
        settled: false,
        stops: None,
        what: "columns that a file has although most of the files do not",
        why: "Perhaps another column was renamed to it.",
        ways: &[
            ("columns = { Qty = { name = \"quantity\" } }", "in the [[part]]: its name in the other files"),
        ],
    }
    DuplicateColumn {
        name: "duplicate-column",
        settled: false,
        stops: None,
        what: "columns that a file has more than once",
        why: "The later ones are numbered.",
        ways: &[
            ("columns = { price_2 = { name = \"old_price\" } }", "in the table: give them names"),
        ],
    }
    ErrorCell {
        name: "error-cell",
        settled: false,
        stops: None,
        what: "cells that contain an error instead of a value",
        why: "They are blank.",
        ways: &[],
    }
    CellBesideTable {
        name: "cell-beside-table",
        settled: false,
        stops: None,
        what: "cells in a column without a name",
        why: "They are not read.",
        ways: &[],
    }
    FormulaWithoutValue {
        name: "formula-without-value",
        settled: false,
        stops: None,
        what: "formulas without a stored value",
        why: "They count as blank; the program that wrote the workbook did not compute them.",
        ways: &[],
    }
    HiddenRow {
        name: "hidden-row",
        settled: false,
        stops: None,
        what: "rows that are hidden",
        why: "They are read like all others.",
        ways: &[
            ("leave-out-rows = \"status = 'void'\"", "in the table: leave them out"),
        ],
    }
    HiddenSheet {
        name: "hidden-sheet",
        settled: false,
        stops: None,
        what: "sheets that are hidden",
        why: "They are read like all others.",
        ways: &[
            ("leave-out = [\"book.xlsx#Old\"]", "in the table: leave them out"),
        ],
    }
    NestedColumn {
        name: "nested-column",
        settled: false,
        stops: None,
        what: "columns of lists or records",
        why: "They are not read.",
        ways: &[],
    }
}

impl Code {
    /// Its stable name.
    pub fn name(self) -> &'static str {
        self.kind().name
    }
    /// What to do where the kind ends a run by itself.
    pub(crate) fn fix(self) -> &'static str {
        self.kind().stops.map_or("", |stopping| stopping.fix)
    }
    /// The code of that name.
    pub fn called(name: &str) -> Option<Code> {
        Code::ALL.iter().copied().find(|code| code.name() == name)
    }
    /// The code of a key that came out so.
    pub(crate) fn of_key(status: LinkStatus) -> Code {
        match status {
            LinkStatus::Undated => Code::UndatedKey,
            LinkStatus::Ambiguous => Code::AmbiguousKey,
            LinkStatus::Overlapping => Code::OverlappingPeriods,
            LinkStatus::Blank => Code::BlankKey,
            LinkStatus::Incomplete => Code::IncompleteRow,
            LinkStatus::Cleaned => Code::CleanedKey,
            LinkStatus::Carried => Code::CarriedKey,
            LinkStatus::Exact
            | LinkStatus::Mended
            | LinkStatus::Alternate
            | LinkStatus::Filled
            | LinkStatus::Absent
            | LinkStatus::NotNeeded
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

/// The codes that a plan stops on.
///
/// # Errors
/// A code that there is not.
pub(crate) fn stop_on(plan: &Plan) -> Result<Vec<Code>, Mistake> {
    let code = |written: Written| {
        let name = written.text.as_str();
        Code::called(name).ok_or_else(|| {
            if let Some(present) = renamed_kind(name) {
                return written
                    .mistaken(
                        MistakeKind::UnknownName,
                        format!("the finding `{name}` is now called `{present}`"),
                    )
                    .help(format!("write \"{present}\""));
            }
            written
                .mistaken(MistakeKind::UnknownName, format!("there is no finding `{name}`"))
                .nearest(name, Code::ALL.iter().map(|code| code.name()))
                .or_help("`interligo check --explain all` lists the kinds of findings")
        })
    };
    plan.plan.stop_on.iter().map(|name| code(plan.written(name))).collect()
}
