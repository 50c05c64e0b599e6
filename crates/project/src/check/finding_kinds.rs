//! The kinds of findings, a row each: its code, its stable name, what it means, what settles it, and when it ends a run.
//! All that is said of a kind, in help, messages and the guide, is made from its row.

use interligo_engine::links::LinkStatus;
use interligo_engine::proof::findings::Noted;
use interligo_model::plan::{Mistake, MistakeKind, Plan, Written};

use super::finding_kind::{FindingKind, Stopping, Ways, kinds};

const SETTLE_MISSING: Ways = &[
    ("interligo mend", "put the right key in its place, once and for all"),
    ("interligo check --for-owner missing", "write down for the owner of the lookup what to add"),
    (
        "missing = \"fill\"\nfill    = { name = \"(unknown)\" }",
        "in the [[link]]: words in place of what is not known",
    ),
    ("missing = \"set-aside\"", "keep the lines out, in a file of their own"),
    ("missing = \"normal\"", "there need not be a row"),
    ("missing = \"stop\"", "end the run"),
];

const CORRECT: Ways =
    &[("interligo mend", "go through the keys and the file again; or edit the file")];

kinds! {
    UnmatchedKey {
        name: "unmatched-key",
        settled: false,
        stops: Some(Stopping {
            when: "where the link says missing = \"stop\"",
            fix: "correct the keys, complete the lookup, or change `missing` of the link",
        }),
        what: "keys of lines that the lookup does not have, nor one like them",
        why: "These lines have none of the lookup's attributes; figures that need them are blank, and totals lack them.",
        ways: SETTLE_MISSING,
    }
    NearMiss {
        name: "near-miss",
        settled: false,
        stops: None,
        what: "keys that the lookup does not have, but one that is written much like them",
        why: "Mostly these are slips of the keyboard or of an export. The lines are there, their attributes are not.",
        ways: &[
            ("interligo mend", "go through them, with the keys that may be meant"),
            ("interligo mend --accept look-alike,punctuation", "take all of some classes at once"),
            ("ignore = [\"case\", \"punctuation\", \"leading-zeros\"]", "in the [[link]]: let these differences not count"),
            ("stop-on = [\"near-miss\"]", "in [plan]: end the run until they are settled"),
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
        why: "Nothing can be looked up for them. Sales at the counter have no customer; a line without an item is a fault.",
        ways: &[
            ("missing = \"fill\"\nfill    = { name = \"(counter sale)\" }", "in the [[link]]: words in place of what is not known"),
            ("missing = \"normal\"", "there need not be a row"),
            ("when    = \"item is not blank\"", "only some lines need a row"),
            ("missing = \"set-aside\"", "keep the lines out, in a file of their own"),
        ],
    }
    UndatedKey {
        name: "undated-key",
        settled: false,
        stops: Some(Stopping {
            when: "where the link says gap = \"stop\"",
            fix: "complete the periods, or change `gap` of the link",
        }),
        what: "keys that have rows, none of which holds on the day of the line",
        why: "The price of another time would be a wrong price, so there is none; the figures of the line are blank.",
        ways: &[
            ("interligo check --for-owner missing", "write down for the owner of the list what to add"),
            ("gap = \"earlier\"", "in the [[link]]: take the row before; or \"later\", \"nearest\", \"stop\""),
            ("gap = { between = \"earlier\", days = 31 }", "the same between two periods only, over 31 days at most"),
            ("valid = { from = \"valid_from\" }", "in the table: each row holds until the next one of its key"),
        ],
    }
    OverlappingPeriods {
        name: "overlapping-periods",
        settled: false,
        stops: Some(Stopping {
            when: "unless `overlap` says which row holds",
            fix: "correct the periods so that they do not overlap, or say which row holds: overlap = \"latest-start\"",
        }),
        what: "days on which several rows of a key hold",
        why: "Which price is the right one cannot be told. A run stops.",
        ways: &[
            ("overlap = \"latest-start\"", "in the [[link]]: the row that started last holds; or \"first\", \"last\", \"blank\""),
            ("valid = { from = \"valid_from\" }", "in the table: each row holds until the next one of its key"),
        ],
    }
    CarriedKey {
        name: "carried-key",
        settled: true,
        stops: None,
        what: "keys whose lines took the row of another day, as `gap` says",
        why: "The price is that of a day before or after. It is listed because nothing is carried in silence.",
        ways: &[
            ("gap = { between = \"earlier\", days = 31 }", "in the [[link]]: over so many days at most"),
        ],
    }
    PeriodGap {
        name: "period-gap",
        settled: false,
        stops: None,
        what: "days between two periods of a key on which none holds",
        why: "A sale on such a day has no price. Lines that have met one are under undated-key.",
        ways: &[
            ("gap = \"earlier\"", "in the [[link]]: take the row before; or \"later\", \"nearest\", \"stop\""),
            ("interligo calendar", "see the periods of the keys, and where their lines lie"),
        ],
    }
    PeriodOverlap {
        name: "period-overlap",
        settled: false,
        stops: None,
        what: "days on which two periods of a key hold",
        why: "A sale on such a day has two prices. Lines that have met one are under overlapping-periods.",
        ways: &[
            ("overlap = \"latest-start\"", "in the [[link]]: the row that started last holds; or \"first\", \"last\", \"blank\""),
        ],
    }
    MixedPeriods {
        name: "mixed-periods",
        settled: false,
        stops: None,
        what: "periods of several lengths in one table",
        why: "A year and one of its months overlap: a day of that month has two rows.",
        ways: &[
            ("overlap = \"latest-start\"", "in the [[link]]: the shorter period mostly started last"),
        ],
    }
    OddDay {
        name: "odd-day",
        settled: false,
        stops: None,
        what: "days that can hardly be meant: before 1900, or from 2200 on",
        why: "Mostly a slip of the keyboard. Such a day finds no price.",
        ways: &[],
    }
    UndecidedKey {
        name: "undecided-key",
        settled: false,
        stops: None,
        what: "keys that fit several different keys of the lookup once they are cleaned",
        why: "With the differences that do not count, two keys of the lookup become one. None of them is taken.",
        ways: &[
            ("ignore = [\"case\"]", "in the [[link]]: fewer differences that do not count"),
            ("match  = \"as-written\"", "compare keys byte for byte"),
            ("interligo mend", "say which one is meant"),
        ],
    }
    LackingValue {
        name: "lacking-value",
        settled: false,
        stops: None,
        what: "keys whose row is there, but blank in what the link needs of it",
        why: "A row without a price is no price.",
        ways: &[
            ("needs = [\"unit_price\"]", "in the [[link]]: what a row must have; fewer columns, or complete the lookup"),
        ],
    }
    PassedOverKey {
        name: "passed-over-key",
        settled: true,
        stops: None,
        what: "first keys of lines that found nothing, where a later one did",
        why: "The line has a row, but perhaps not the one that was meant.",
        ways: &[
            ("interligo mend", "correct the first key"),
        ],
    }
    CleanedKey {
        name: "cleaned-key",
        settled: true,
        stops: None,
        what: "keys that were found after cleaning: stray spaces, or what `ignore` names",
        why: "Nothing is lost. It is listed because nothing is cleaned in silence.",
        ways: &[
            ("match = \"as-written\"", "in the [[link]]: compare keys byte for byte, without cleaning"),
        ],
    }
    CorrectionAstray {
        name: "correction-astray",
        settled: false,
        stops: None,
        what: "corrections that lead to a key which the lookup does not have",
        why: "Such a correction changes nothing; its lines stay without a row.",
        ways: CORRECT,
    }
    CorrectionContradicted {
        name: "correction-contradicted",
        settled: false,
        stops: None,
        what: "corrections that say different things for one key",
        why: "None of them holds, until one is left.",
        ways: CORRECT,
    }
    CorrectionUnneeded {
        name: "correction-unneeded",
        settled: true,
        stops: None,
        what: "corrections that nothing needs any more",
        why: "No line has the key, or the lookup has it by now. One that the lookup has is still replaced.",
        ways: CORRECT,
    }
    TextAgainstNumber {
        name: "text-against-number",
        settled: false,
        stops: None,
        what: "keys that are numbers in one place and texts in another",
        why: "Keys are compared as texts: `42` and `0042` differ, though a spreadsheet shows both as 42.",
        ways: &[
            ("ignore = [\"leading-zeros\"]", "in the [[link]]: zeros before digits do not count"),
        ],
    }
    TurnedLink {
        name: "turned-link",
        settled: false,
        stops: None,
        what: "links that are written the other way round than they lead",
        why: "A link leads from many lines to one row; the other way round it would multiply lines.",
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
        what: "keys that a lookup holds more than once, with rows that differ",
        why: "A line would get two rows. One has to hold, by a rule that is said; without one a run stops.",
        ways: &[
            ("duplicates = \"last\"", "in the table: the last row holds; or \"first\""),
            ("duplicates = \"newest updated_on\"", "the row with the latest day; or \"largest\", \"smallest\""),
            ("duplicates = \"blank\"", "what the rows agree on stays, the rest is blank"),
            ("valid = { from = \"valid_from\" }", "they hold for periods"),
        ],
    }
    DuplicateIdentical {
        name: "duplicate-identical",
        settled: true,
        stops: None,
        what: "keys that a lookup holds more than once, with the same row",
        why: "They count once. Nothing is wrong in the result.",
        ways: &[],
    }
    UnusedRow {
        name: "unused-row",
        settled: false,
        stops: None,
        what: "keys of a lookup that no line uses",
        why: "Products without sales, customers without orders; or keys that lines write differently.",
        ways: &[
            ("interligo check near-miss", "see whether lines mean them"),
        ],
    }
    RowLeftOut {
        name: "row-left-out",
        settled: false,
        stops: None,
        what: "rows of a lookup that cannot be used",
        why: "A row without a key, or with a period that cannot be read, is never found.",
        ways: &[
            ("leave-out-rows = \"sku is blank\"", "in the table: say that they do not belong"),
        ],
    }
    RepeatConflicting {
        name: "repeat-conflicting",
        settled: false,
        stops: Some(Stopping {
            when: "unless `repeats` settles it",
            fix: "correct the lines, name all columns that make a line what it is in `key`",
        }),
        what: "lines that share their key and differ",
        why: "One of them is wrong, or the key does not tell lines apart. Without a rule a run stops.",
        ways: &[
            ("repeats = \"last\"", "in the fact: the last line holds; or \"first\", \"newest COLUMN\""),
            ("key = [\"order_no\", \"line_no\"]", "name all columns that make a line what it is"),
            ("repeats = \"keep\"", "all of them are lines"),
        ],
    }
    RepeatIdentical {
        name: "repeat-identical",
        settled: true,
        stops: None,
        what: "lines that were delivered twice and are the same",
        why: "They count once, as the fact's key says.",
        ways: &[
            ("repeats = \"keep\"", "in the fact: they are different lines"),
        ],
    }
    MisfitRow {
        name: "misfit-row",
        settled: false,
        stops: None,
        what: "rows whose cells do not fit the headings, or each other",
        why: "What belongs to which column cannot be told. They are set aside, as they were read.",
        ways: &[
            ("interligo look sales --rows 5", "see how the rows are split"),
        ],
    }
    UnreadableValue {
        name: "unreadable-value",
        settled: false,
        stops: None,
        what: "values that are not what the column holds",
        why: "They are taken as blank, and so is what is worked out from them.",
        ways: &[
            ("blank = [\"n/a\"]", "in the table: texts that mean blank"),
            ("numbers = \"1.234,56\"", "how its numbers are written; or `dates`"),
        ],
    }
    BlankMark {
        name: "blank-mark",
        settled: false,
        stops: None,
        what: "texts among numbers or days that seem to mean blank",
        why: "Each is an unreadable value until the plan says otherwise.",
        ways: &[
            ("blank = [\"n/a\"]", "in the table"),
        ],
    }
    RepeatedAmount {
        name: "repeated-amount",
        settled: false,
        stops: None,
        what: "amounts that stand on every line made of one row",
        why: "They are summed once for each line.",
        ways: &[
            ("unpack = { columns = [\"item\"], once = [\"freight\"] }", "in the table: on the first line only"),
        ],
    }
    NoLines {
        name: "no-lines",
        settled: false,
        stops: None,
        what: "facts whose files hold headings only",
        why: "All their totals are of nothing. Mostly an export came out empty, or a filter was left on.",
        ways: &[
            ("interligo look sales", "see which files were read, and how"),
        ],
    }
    BlankFigure {
        name: "blank-figure",
        settled: false,
        stops: None,
        what: "figures that are blank although the keys of their lines were found",
        why: "A value that they are made of is blank, the formula divides by zero, or it says blank. Totals leave these lines out.",
        ways: &[
            ("coalesce(discount, 0)", "in the formula: a value in place of a blank one"),
            ("if revenue = 0 then 0 else profit / revenue", "in the formula: what a quotient by zero is"),
        ],
    }
    AmountAsRatio {
        name: "amount-as-ratio",
        settled: false,
        stops: None,
        what: "figures that look like amounts and are totalled as ratios",
        why: "They divide by an amount, so a total is worked out from totals and not added up from lines: the two differ.",
        ways: &[
            ("net = { formula = \"...\", totals = \"sum\" }", "in [figures]: add up its lines"),
            ("net = { formula = \"...\", totals = \"again\" }", "in [figures]: it is meant so"),
        ],
    }
    NotFinite {
        name: "not-finite",
        settled: false,
        stops: None,
        what: "numbers that are none: infinite, or what a program makes of 0 / 0",
        why: "They are taken as blank, and so is what is worked out from them.",
        ways: &[
            ("interligo look sales --where \"quantity is blank\"", "see their rows"),
        ],
    }
    SameKeyWrittenDifferently {
        name: "same-key-written-differently",
        settled: false,
        stops: None,
        what: "keys of a lookup that are one key by what the link ignores",
        why: "In a lookup with periods they are one key: their periods are put together. In any other lookup a line takes the \
             row whose key is written exactly like its own.",
        ways: &[
            ("", "write the key of these rows in one way, in the lookup"),
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
            ("corrections = \"corrections.csv\"", "in [plan]: let them hold"),
        ],
    }
    TotalLikeRow {
        name: "total-like-row",
        settled: false,
        stops: Some(Stopping {
            when: "unless `total-rows` says what it is",
            fix: "say what it is",
        }),
        what: "rows that look like totals, but are not the sum of the rows above",
        why: "A total among lines would be counted as a sale. A run stops.",
        ways: &[
            ("total-rows = \"leave-out\"", "in the table: it is one; or \"keep\", it is a row like any other"),
        ],
    }
    TotalRow {
        name: "total-row",
        settled: true,
        stops: None,
        what: "rows at the foot whose numbers are the sums of the rows above",
        why: "They are left out.",
        ways: &[
            ("total-rows = \"keep\"", "in the table: they are rows like any other"),
        ],
    }
    MissingHeading {
        name: "missing-heading",
        settled: false,
        stops: None,
        what: "headings that a part lacks and most other parts have",
        why: "The column is blank there, or a heading was renamed.",
        ways: &[
            ("columns = { Qty = { name = \"quantity\" } }", "in the part: what the heading is called there"),
        ],
    }
    ExtraHeading {
        name: "extra-heading",
        settled: false,
        stops: None,
        what: "headings that a part has and most other parts have not",
        why: "Perhaps another heading was renamed to it.",
        ways: &[
            ("columns = { Qty = { name = \"quantity\" } }", "in the part: what the heading is called elsewhere"),
        ],
    }
    RepeatedHeading {
        name: "repeated-heading",
        settled: false,
        stops: None,
        what: "headings that a part has more than once",
        why: "The later ones are numbered.",
        ways: &[
            ("columns = { price_2 = { name = \"old_price\" } }", "in the table: give them names"),
        ],
    }
    ErrorCell {
        name: "error-cell",
        settled: false,
        stops: None,
        what: "cells that hold an error instead of a value",
        why: "They are blank.",
        ways: &[],
    }
    CellBesideTable {
        name: "cell-beside-table",
        settled: false,
        stops: None,
        what: "cells under no heading",
        why: "They are not read.",
        ways: &[],
    }
    FormulaWithoutValue {
        name: "formula-without-value",
        settled: false,
        stops: None,
        what: "formulas without a stored value",
        why: "They are blank; the program that made the book did not work them out.",
        ways: &[],
    }
    HiddenRow {
        name: "hidden-row",
        settled: false,
        stops: None,
        what: "rows that are hidden",
        why: "They are read like any other.",
        ways: &[
            ("leave-out-rows = \"status = 'void'\"", "in the table: say that they do not belong"),
        ],
    }
    HiddenSheet {
        name: "hidden-sheet",
        settled: false,
        stops: None,
        what: "sheets that are hidden",
        why: "They are read like any other.",
        ways: &[
            ("leave-out = [\"book.xlsx#Old\"]", "in the table: say that they do not belong"),
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

/// The codes that a plan stops on.
///
/// # Errors
/// A code that there is not.
pub(crate) fn stop_on(plan: &Plan) -> Result<Vec<Code>, Mistake> {
    let code = |written: Written| {
        Code::called(&written.text).ok_or_else(|| {
            written
                .mistaken(
                    MistakeKind::UnknownName,
                    format!("there is no finding `{}`", written.text),
                )
                .nearest(&written.text, Code::ALL.iter().map(|code| code.name()))
                .or_help("`interligo check --explain all` lists the kinds of findings")
        })
    };
    plan.plan.stop_on.iter().map(|name| code(plan.written(name))).collect()
}
