//! What each kind of finding means, why it matters, and the lines of a plan that settle it.

use std::io;

use interligo_project::Code;

use crate::output::Out;
use crate::text::{QUIET, TITLE, paragraph};

/// What a finding means.
pub struct Meaning {
    /// What it is, in a line.
    pub what: &'static str,
    /// Why it matters.
    why: &'static str,
    /// What settles it: a plan's lines, or a command, each with what it does.
    ways: &'static [(&'static str, &'static str)],
}

const SETTLE_MISSING: &[(&str, &str)] = &[
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

const CORRECT: &[(&str, &str)] =
    &[("interligo mend", "go through the keys and the file again; or edit the file")];

/// What a kind of finding means.
pub fn meaning(code: Code) -> Meaning {
    let (what, why, ways): (_, _, &'static [(&'static str, &'static str)]) = match code {
        Code::UnmatchedKey => (
            "keys of lines that the lookup does not have, nor one like them",
            "These lines have none of the lookup's attributes; figures that need them are blank, and totals lack them.",
            SETTLE_MISSING,
        ),
        Code::NearMiss => (
            "keys that the lookup does not have, but one that is written much like them",
            "Mostly these are slips of the keyboard or of an export. The lines are there, their attributes are not.",
            &[
                ("interligo mend", "go through them, with the keys that may be meant"),
                (
                    "interligo mend --accept look-alike,punctuation",
                    "take all of some classes at once",
                ),
                (
                    "ignore = [\"case\", \"punctuation\", \"leading-zeros\"]",
                    "in the [[link]]: let these differences not count",
                ),
                ("stop-on = [\"near-miss\"]", "in [plan]: end the run until they are settled"),
            ],
        ),
        Code::BlankKey => (
            "lines without a key for the link",
            "Nothing can be looked up for them. Sales at the counter have no customer; a line without an item is a fault.",
            &[
                (
                    "missing = \"fill\"\nfill    = { name = \"(counter sale)\" }",
                    "in the [[link]]: words in place of what is not known",
                ),
                ("missing = \"normal\"", "there need not be a row"),
                ("when    = \"item is not blank\"", "only some lines need a row"),
                ("missing = \"set-aside\"", "keep the lines out, in a file of their own"),
            ],
        ),
        Code::UndatedKey => (
            "keys that have rows, none of which holds on the day of the line",
            "The price of another time would be a wrong price, so there is none; the figures of the line are blank.",
            &[
                (
                    "interligo check --for-owner missing",
                    "write down for the owner of the list what to add",
                ),
                (
                    "gap = \"earlier\"",
                    "in the [[link]]: take the row before; or \"later\", \"nearest\", \"stop\"",
                ),
                (
                    "gap = { between = \"earlier\", days = 31 }",
                    "the same between two periods only, over 31 days at most",
                ),
                (
                    "valid = { from = \"valid_from\" }",
                    "in the table: each row holds until the next one of its key",
                ),
            ],
        ),
        Code::OverlappingPeriods => (
            "days on which several rows of a key hold",
            "Which price is the right one cannot be told. A run stops.",
            &[
                (
                    "overlap = \"latest-start\"",
                    "in the [[link]]: the row that started last holds; or \"first\", \"last\", \"blank\"",
                ),
                (
                    "valid = { from = \"valid_from\" }",
                    "in the table: each row holds until the next one of its key",
                ),
            ],
        ),
        Code::CarriedKey => (
            "keys whose lines took the row of another day, as `gap` says",
            "The price is that of a day before or after. It is listed because nothing is carried in silence.",
            &[(
                "gap = { between = \"earlier\", days = 31 }",
                "in the [[link]]: over so many days at most",
            )],
        ),
        Code::PeriodGap => (
            "days between two periods of a key on which none holds",
            "A sale on such a day has no price. Lines that have met one are under undated-key.",
            &[
                (
                    "gap = \"earlier\"",
                    "in the [[link]]: take the row before; or \"later\", \"nearest\", \"stop\"",
                ),
                ("interligo calendar", "see the periods of the keys, and where their lines lie"),
            ],
        ),
        Code::PeriodOverlap => (
            "days on which two periods of a key hold",
            "A sale on such a day has two prices. Lines that have met one are under overlapping-periods.",
            &[(
                "overlap = \"latest-start\"",
                "in the [[link]]: the row that started last holds; or \"first\", \"last\", \"blank\"",
            )],
        ),
        Code::MixedPeriods => (
            "periods of several lengths in one table",
            "A year and one of its months overlap: a day of that month has two rows.",
            &[(
                "overlap = \"latest-start\"",
                "in the [[link]]: the shorter period mostly started last",
            )],
        ),
        Code::OddDay => (
            "days that can hardly be meant: before 1900, or from 2200 on",
            "Mostly a slip of the keyboard. Such a day finds no price.",
            &[],
        ),
        Code::UndecidedKey => (
            "keys that fit several different keys of the lookup once they are cleaned",
            "With the differences that do not count, two keys of the lookup become one. None of them is taken.",
            &[
                ("ignore = [\"case\"]", "in the [[link]]: fewer differences that do not count"),
                ("match  = \"as-written\"", "compare keys byte for byte"),
                ("interligo mend", "say which one is meant"),
            ],
        ),
        Code::LackingValue => (
            "keys whose row is there, but blank in what the link needs of it",
            "A row without a price is no price.",
            &[(
                "needs = [\"unit_price\"]",
                "in the [[link]]: what a row must have; fewer columns, or complete the lookup",
            )],
        ),
        Code::PassedOverKey => (
            "first keys of lines that found nothing, where a later one did",
            "The line has a row, but perhaps not the one that was meant.",
            &[("interligo mend", "correct the first key")],
        ),
        Code::CleanedKey => (
            "keys that were found after cleaning: stray spaces, or what `ignore` names",
            "Nothing is lost. It is listed because nothing is cleaned in silence.",
            &[(
                "match = \"as-written\"",
                "in the [[link]]: compare keys byte for byte, without cleaning",
            )],
        ),
        Code::CorrectionAstray => (
            "corrections that lead to a key which the lookup does not have",
            "Such a correction changes nothing; its lines stay without a row.",
            CORRECT,
        ),
        Code::CorrectionContradicted => (
            "corrections that say different things for one key",
            "None of them holds, until one is left.",
            CORRECT,
        ),
        Code::CorrectionUnneeded => (
            "corrections that nothing needs any more",
            "No line has the key, or the lookup has it by now. One that the lookup has is still replaced.",
            CORRECT,
        ),
        Code::TextAgainstNumber => (
            "keys that are numbers in one place and texts in another",
            "Keys are compared as texts: `42` and `0042` differ, though a spreadsheet shows both as 42.",
            &[(
                "ignore = [\"leading-zeros\"]",
                "in the [[link]]: zeros before digits do not count",
            )],
        ),
        Code::TurnedLink => (
            "links that are written the other way round than they lead",
            "A link leads from many lines to one row; the other way round it would multiply lines.",
            &[("path = \"sales.item -> products.sku\"", "from the lines to the lookup")],
        ),
        Code::DuplicateConflicting => (
            "keys that a lookup holds more than once, with rows that differ",
            "A line would get two rows. One has to hold, by a rule that is said; without one a run stops.",
            &[
                ("duplicates = \"last\"", "in the table: the last row holds; or \"first\""),
                (
                    "duplicates = \"newest updated_on\"",
                    "the row with the latest day; or \"largest\", \"smallest\"",
                ),
                ("duplicates = \"blank\"", "what the rows agree on stays, the rest is blank"),
                ("valid = { from = \"valid_from\" }", "they hold for periods"),
            ],
        ),
        Code::DuplicateIdentical => (
            "keys that a lookup holds more than once, with the same row",
            "They count once. Nothing is wrong in the result.",
            &[],
        ),
        Code::UnusedRow => (
            "keys of a lookup that no line uses",
            "Products without sales, customers without orders; or keys that lines write differently.",
            &[("interligo check near-miss", "see whether lines mean them")],
        ),
        Code::RowLeftOut => (
            "rows of a lookup that cannot be used",
            "A row without a key, or with a period that cannot be read, is never found.",
            &[("leave-out-rows = \"sku is blank\"", "in the table: say that they do not belong")],
        ),
        Code::RepeatConflicting => (
            "lines that share their key and differ",
            "One of them is wrong, or the key does not tell lines apart. Without a rule a run stops.",
            &[
                (
                    "repeats = \"last\"",
                    "in the fact: the last line holds; or \"first\", \"newest COLUMN\"",
                ),
                (
                    "key = [\"order_no\", \"line_no\"]",
                    "name all columns that make a line what it is",
                ),
                ("repeats = \"keep\"", "all of them are lines"),
            ],
        ),
        Code::RepeatIdentical => (
            "lines that were delivered twice and are the same",
            "They count once, as the fact's key says.",
            &[("repeats = \"keep\"", "in the fact: they are different lines")],
        ),
        Code::MisfitRow => (
            "rows whose cells do not fit the headings, or each other",
            "What belongs to which column cannot be told. They are set aside, as they were read.",
            &[("interligo look sales --rows 5", "see how the rows are split")],
        ),
        Code::UnreadableValue => (
            "values that are not what the column holds",
            "They are taken as blank, and so is what is worked out from them.",
            &[
                ("blank = [\"n/a\"]", "in the table: texts that mean blank"),
                ("numbers = \"1.234,56\"", "how its numbers are written; or `dates`"),
            ],
        ),
        Code::BlankMark => (
            "texts among numbers or days that seem to mean blank",
            "Each is an unreadable value until the plan says otherwise.",
            &[("blank = [\"n/a\"]", "in the table")],
        ),
        Code::RepeatedAmount => (
            "amounts that stand on every line made of one row",
            "They are summed once for each line.",
            &[(
                "unpack = { columns = [\"item\"], once = [\"freight\"] }",
                "in the table: on the first line only",
            )],
        ),
        Code::TotalLikeRow => (
            "rows that look like totals, but are not the sum of the rows above",
            "A total among lines would be counted as a sale. A run stops.",
            &[(
                "total-rows = \"leave-out\"",
                "in the table: it is one; or \"keep\", it is a row like any other",
            )],
        ),
        Code::TotalRow => (
            "rows at the foot whose numbers are the sums of the rows above",
            "They are left out.",
            &[("total-rows = \"keep\"", "in the table: they are rows like any other")],
        ),
        Code::MissingHeading => (
            "headings that a part lacks and most other parts have",
            "The column is blank there, or a heading was renamed.",
            &[(
                "columns = { Qty = { name = \"quantity\" } }",
                "in the part: what the heading is called there",
            )],
        ),
        Code::ExtraHeading => (
            "headings that a part has and most other parts have not",
            "Perhaps another heading was renamed to it.",
            &[(
                "columns = { Qty = { name = \"quantity\" } }",
                "in the part: what the heading is called elsewhere",
            )],
        ),
        Code::RepeatedHeading => (
            "headings that a part has more than once",
            "The later ones are numbered.",
            &[(
                "columns = { price_2 = { name = \"old_price\" } }",
                "in the table: give them names",
            )],
        ),
        Code::ErrorCell => ("cells that hold an error instead of a value", "They are blank.", &[]),
        Code::CellBesideTable => ("cells under no heading", "They are not read.", &[]),
        Code::FormulaWithoutValue => (
            "formulas without a stored value",
            "They are blank; the program that made the book did not work them out.",
            &[],
        ),
        Code::HiddenRow => (
            "rows that are hidden",
            "They are read like any other.",
            &[(
                "leave-out-rows = \"status = 'void'\"",
                "in the table: say that they do not belong",
            )],
        ),
        Code::HiddenSheet => (
            "sheets that are hidden",
            "They are read like any other.",
            &[("leave-out = [\"book.xlsx#Old\"]", "in the table: say that they do not belong")],
        ),
        Code::NestedColumn => ("columns of lists or records", "They are not read.", &[]),
        Code::NoLines => (
            "facts whose files hold headings only",
            "All their totals are of nothing. Mostly an export came out empty, or a filter was left on.",
            &[("interligo look sales", "see which files were read, and how")],
        ),
        Code::BlankFigure => (
            "figures that are blank although the keys of their lines were found",
            "A value that they are made of is blank, the formula divides by zero, or it says blank. Totals leave these lines out.",
            &[
                ("coalesce(discount, 0)", "in the formula: a value in place of a blank one"),
                (
                    "if revenue = 0 then 0 else profit / revenue",
                    "in the formula: what a quotient by zero is",
                ),
            ],
        ),
        Code::AmountAsRatio => (
            "figures that look like amounts and are totalled as ratios",
            "They divide by an amount, so a total is worked out from totals and not added up from lines: the two differ.",
            &[
                ("net = { formula = \"...\", totals = \"sum\" }", "in [figures]: add up its lines"),
                ("net = { formula = \"...\", totals = \"again\" }", "in [figures]: it is meant so"),
            ],
        ),
        Code::NotFinite => (
            "numbers that are none: infinite, or what a program makes of 0 / 0",
            "They are taken as blank, and so is what is worked out from them.",
            &[("interligo look sales --where \"quantity is blank\"", "see their rows")],
        ),
        Code::SameKeyWrittenDifferently => (
            "keys of a lookup that are one key by what the link ignores",
            "In a lookup with periods they are one key: their periods are put together. In any other lookup a line takes the \
             row whose key is written exactly like its own.",
            &[
                ("", "write the key of these rows in one way, in the lookup"),
                ("match = \"as-written\"", "in the [[link]]: they are different keys"),
            ],
        ),
        Code::CorrectionsNotNamed => (
            "a file of corrections beside a plan that does not name it",
            "None of its corrections changes anything.",
            &[("corrections = \"corrections.csv\"", "in [plan]: let them hold")],
        ),
    };
    Meaning { what, why, ways }
}

/// Prints what a kind of finding means.
pub fn explain(out: Out<'_>, code: Code) -> io::Result<()> {
    let Meaning { what, why, ways } = meaning(code);
    writeln!(out, "{TITLE}{}{TITLE:#}\n{}", code.name(), paragraph(out.width(), &capital(what)))?;
    writeln!(out, "{}", paragraph(out.width(), why))?;
    for (line, does) in ways {
        writeln!(out)?;
        writeln!(out, "  {QUIET}{does}:{QUIET:#}")?;
        line.lines().try_for_each(|line| writeln!(out, "      {line}"))?;
    }
    Ok(())
}

/// Prints all kinds of findings, a line each.
pub fn explain_all(out: Out<'_>) -> io::Result<()> {
    let mut table = crate::text::table::TextTable::new(["Finding", "what it is"]);
    for code in Code::ALL {
        table.row([code.name(), meaning(code).what]);
    }
    table.print(out, "  ")
}

fn capital(text: &str) -> String {
    let mut signs = text.chars();
    let first = signs.next().map(|sign| sign.to_uppercase().collect::<String>());
    format!("{}{}.", first.unwrap_or_default(), signs.as_str())
}
