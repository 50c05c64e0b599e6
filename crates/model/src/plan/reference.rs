//! Every key of a plan: what it takes, what holds without it, an example, and what it is for. What the help prints and what
//! editors check is made of this list; a test holds it against what plans may have.

/// A key of a plan.
#[derive(Clone, Copy, Debug)]
pub struct PlanKey {
    /// Its name.
    pub key: &'static str,
    /// What it takes.
    pub takes: Takes,
    /// What holds without it; empty where that does not arise.
    pub default: &'static str,
    /// A value as plans write it; empty for what is a section of its own.
    pub example: &'static str,
    /// What it is for.
    pub about: &'static str,
}

/// What a key takes.
#[derive(Clone, Copy, Debug)]
pub enum Takes {
    /// A text.
    Text,
    /// A text, or a list of texts.
    Texts,
    /// The same, or such a value for each column in braces.
    TextsOrKeys,
    /// A whole number.
    Number,
    /// A list of numbers.
    Numbers,
    /// True or false.
    YesNo,
    /// One of these words; a word in uppercase is a name.
    OneOf(&'static [&'static str]),
    /// One of these words, or keys in braces.
    OneOfOrKeys(&'static [&'static str], &'static [&'static str]),
    /// These keys in braces; names of one's own, where there are none.
    Keys(&'static [&'static str]),
    /// A list of columns: texts, or keys in braces.
    Columns,
    /// Sections of their own.
    Tables,
}

/// A section of a plan.
#[derive(Clone, Copy, Debug)]
pub struct Section {
    /// As plans name it, without brackets: `plan`, `tables.NAME`.
    pub name: &'static str,
    /// What it is.
    pub about: &'static str,
    /// Its keys, in lists that sections share.
    lists: &'static [&'static [PlanKey]],
}

impl Section {
    /// The section of a name.
    pub fn called(name: &str) -> Option<&'static Section> {
        SECTIONS.iter().find(|section| section.name == name)
    }

    /// Its keys.
    pub fn keys(&self) -> impl Iterator<Item = &'static PlanKey> {
        self.lists.iter().copied().flatten()
    }
}

/// A key: what it takes, what holds without it, an example, what it is for.
const fn key(
    key: &'static str,
    takes: Takes,
    default: &'static str,
    example: &'static str,
    about: &'static str,
) -> PlanKey {
    PlanKey { key, takes, default, example, about }
}

/// The sections, in the order of plans.
pub const SECTIONS: &[Section] = &[
    Section { name: "plan", about: "the whole", lists: &[PLAN] },
    Section {
        name: "reading",
        about: "how files are written, for all tables that do not say it",
        lists: &[READING, HOW_WRITTEN],
    },
    Section { name: "tables.NAME", about: "a table", lists: &[TABLE, SHAPE, HOW_WRITTEN] },
    Section {
        name: "tables.NAME.part",
        about: "files of a table with settings of their own",
        lists: &[PART, SHAPE, HOW_WRITTEN],
    },
    Section { name: "link", about: "a link between two tables", lists: &[LINK] },
    Section {
        name: "figures.NAME",
        about: "a figure of each line; `NAME = \"formula\"` for short",
        lists: &[FIGURE],
    },
    Section { name: "bands.NAME", about: "ranges of a number", lists: &[BAND] },
    Section {
        name: "outputs.NAME",
        about: "an output: lines, totals, a list or a page",
        lists: &[OUTPUT],
    },
    Section {
        name: "workbooks.NAME",
        about: "a workbook with a sheet for each of some outputs",
        lists: &[WORKBOOK],
    },
];

/// How files are written: for all tables, for one, or for some files of it.
const HOW_WRITTEN: &[PlanKey] = &[
    key("separator", Takes::Text, "found", "\";\"", "the character between fields"),
    key("encoding", Takes::Text, "UTF-8", "\"windows-1252\"", "the encoding of a text file"),
    key("numbers", Takes::Text, "found", "\"1.234,56\"", "how 1234.56 is written"),
    key("dates", Takes::Text, "found", "\"31/12/2025\"", "how 31 December 2025 is written"),
    key("header-row", Takes::Number, "found", "3", "the row of the column names; 0 for none"),
    key("blank", Takes::Texts, "none", "[\"-\", \"n/a\"]", "texts that mean blank"),
    key(
        "total-rows",
        Takes::OneOf(&["keep", "leave-out"]),
        "asked",
        "\"leave-out\"",
        "what becomes of rows that look like totals",
    ),
];

/// What becomes of the rows of a table, or of some files of it.
const SHAPE: &[PlanKey] = &[
    key("query", Takes::Text, "none", "\"SELECT * FROM sales\"", "what is asked of a database"),
    key(
        "leave-out",
        Takes::Texts,
        "none",
        "[\"*draft*\"]",
        "files that the pattern would take and that are not of it",
    ),
    key(
        "leave-out-rows",
        Takes::Text,
        "none",
        "\"status = 'cancelled'\"",
        "rows that meet this condition are left out",
    ),
    key(
        "tall",
        Takes::Keys(&[]),
        "none",
        "{ columns = \"2025-*\", name = \"month\", value = \"amount\" }",
        "columns that become rows",
    ),
    key(
        "unpack",
        Takes::Keys(&["columns", "separator", "position", "once"]),
        "none",
        "{ columns = [\"items\"], separator = \"|\" }",
        "cells with several values become rows",
    ),
    key(
        "set",
        Takes::Keys(&[]),
        "none",
        "{ depot = \"Corvo\" }",
        "columns with one value for all rows",
    ),
    key(
        "columns",
        Takes::Keys(&[]),
        "as they are",
        "{ qty = { name = \"quantity\" } }",
        "name, type, like, scale, optional, formula of columns",
    ),
];

/// Of the whole.
const PLAN: &[PlanKey] = &[
    key("name", Takes::Text, "the folder", "\"Mielo Cooperative\"", "shown above results"),
    key("currency", Takes::Text, "", "\"EUR\"", "shown below totals"),
    key(
        "corrections",
        Takes::Text,
        "corrections.csv, where it is there",
        "\"corrections.csv\"",
        "keys that are known to be wrong, with those to use",
    ),
    key(
        "weigh-by",
        Takes::Text,
        "the first figure that is an amount",
        "\"revenue\"",
        "the figure by which findings are weighed",
    ),
    key("keep-runs", Takes::Number, "none", "3", "how many records of runs are kept, for compare"),
    key(
        "keep-lines",
        Takes::YesNo,
        "false",
        "true",
        "lines are kept as computed, for quick totals",
    ),
    key("verify", Takes::YesNo, "false", "true", "outputs are kept as text, for verify"),
    key(
        "closed",
        Takes::Text,
        "none",
        "\"2025-03\"",
        "lines up to the end of this period stay as they are",
    ),
    key("schema", Takes::YesNo, "false", "true", "a datapackage.json beside text outputs"),
    key(
        "stop-on",
        Takes::Texts,
        "none",
        "[\"near-miss\"]",
        "kinds of findings that end a run with status 1",
    ),
    key(
        "values",
        Takes::Keys(&[]),
        "none",
        "{ period = \"2025-03\" }",
        "texts for `{period}` anywhere in the plan; --set period=2025-04 gives another",
    ),
];

/// Of reading.
const READING: &[PlanKey] = &[
    key(
        "largest-sheet",
        Takes::Text,
        "\"2 GB\"",
        "\"4 GB\"",
        "how much a sheet of a workbook may unpack to",
    ),
    key(
        "largest-cell",
        Takes::Text,
        "\"16 MB\"",
        "\"32 MB\"",
        "how much one of its cells may have",
    ),
];

/// Of a table.
const TABLE: &[PlanKey] = &[
    key(
        "role",
        Takes::OneOf(&["fact", "lookup"]),
        "\"lookup\"",
        "\"fact\"",
        "a fact has lines; a lookup is looked up in",
    ),
    key(
        "from",
        Takes::Texts,
        "",
        "\"sales/*.csv\"",
        "its files, sheets or tables; patterns stack them",
    ),
    key("part", Takes::Tables, "", "", "files with settings of their own: [[tables.NAME.part]]"),
    key(
        "sums",
        Takes::Keys(&["of", "by", "show", "where"]),
        "",
        "{ of = \"sales\", by = [\"customer_no\"], show = [\"revenue\"] }",
        "the table has the sums of a fact",
    ),
    key(
        "key",
        Takes::Texts,
        "",
        "[\"order_no\", \"line_no\"]",
        "the columns that identify a row or line",
    ),
    key(
        "date",
        Takes::Text,
        "the date by which links are dated",
        "\"sold_on\"",
        "the date of a line",
    ),
    key(
        "valid",
        Takes::Keys(&["from", "until", "ends", "carry", "period", "year", "quarter", "month"]),
        "always",
        "{ from = \"valid_from\", until = \"valid_to\" }",
        "when a row of a lookup is valid",
    ),
    key(
        "duplicates",
        Takes::OneOf(&[
            "stop",
            "first",
            "last",
            "blank",
            "newest COLUMN",
            "largest COLUMN",
            "smallest COLUMN",
        ]),
        "\"stop\"",
        "\"newest changed_on\"",
        "which row of a key of a lookup is used",
    ),
    key(
        "repeats",
        Takes::OneOf(&[
            "stop",
            "first",
            "last",
            "keep",
            "newest COLUMN",
            "largest COLUMN",
            "smallest COLUMN",
        ]),
        "\"stop\"",
        "\"first\"",
        "which line of a key of a fact is used",
    ),
];

/// Of some files of a table.
const PART: &[PlanKey] =
    &[key("from", Takes::Texts, "", "\"sales/corvo_*.csv\"", "the files of the part")];

/// Of a link.
const LINK: &[PlanKey] = &[
    key(
        "path",
        Takes::Text,
        "",
        "\"sales.item -> products.sku\"",
        "from a column to the key of a lookup; `as of` a date, `or` another key",
    ),
    key("as", Takes::Text, "the name of the lookup", "\"article\"", "another name of the link"),
    key("split", Takes::Text, "none", "\"|\"", "separates several keys in a cell"),
    key(
        "match",
        Takes::OneOf(&["cleaned", "as-written"]),
        "\"cleaned\"",
        "\"as-written\"",
        "how keys are compared",
    ),
    key(
        "ignore",
        Takes::TextsOrKeys,
        "none",
        "[\"case\"]",
        "differences that do not count: case, width, punctuation, leading-zeros",
    ),
    key("when", Takes::Text, "every line", "\"kind = 'goods'\"", "the lines that need a row"),
    key("needs", Takes::Texts, "none", "[\"unit_price\"]", "columns that the row must have"),
    key(
        "missing",
        Takes::OneOf(&["keep", "fill", "normal", "set-aside", "stop"]),
        "\"keep\"",
        "\"set-aside\"",
        "what becomes of lines without a row",
    ),
    key(
        "gap",
        Takes::OneOfOrKeys(
            &["blank", "earlier", "later", "nearest", "stop"],
            &["before", "between", "after", "days"],
        ),
        "\"blank\"",
        "\"earlier\"",
        "which row serves on days without one",
    ),
    key(
        "overlap",
        Takes::OneOf(&["stop", "blank", "latest-start", "first", "last"]),
        "\"stop\"",
        "\"latest-start\"",
        "which row serves on days with several",
    ),
    key(
        "fill",
        Takes::Keys(&[]),
        "none",
        "{ name = \"unknown\" }",
        "values in place of a row that is missing",
    ),
];

/// Of a figure.
const FIGURE: &[PlanKey] = &[
    key(
        "formula",
        Takes::Text,
        "",
        "\"quantity * prices.unit_price\"",
        "how it is computed; a figure may be its formula alone",
    ),
    key("of", Takes::Text, "the fact whose columns it names", "\"sales\"", "the fact"),
    key("round", Takes::Number, "not rounded", "2", "decimal places on each line"),
    key(
        "rounding",
        Takes::OneOf(&["half-even", "half-up"]),
        "\"half-even\"",
        "\"half-up\"",
        "how a half is rounded",
    ),
    key(
        "totals",
        Takes::OneOf(&["sum", "again", "average", "largest", "smallest", "none"]),
        "by its formula",
        "\"again\"",
        "what its total is",
    ),
    key("shown", Takes::Text, "by its formula", "\"percent 1\"", "how it is shown"),
];

/// Of a band.
const BAND: &[PlanKey] = &[
    key("of", Takes::Text, "", "\"revenue\"", "what is divided into bands"),
    key("edges", Takes::Numbers, "", "[0, 100, 1000]", "where bands begin"),
    key("names", Takes::Texts, "by their edges", "[\"small\", \"large\"]", "what they are called"),
    key(
        "included",
        Takes::OneOf(&["lower", "upper"]),
        "\"lower\"",
        "\"upper\"",
        "which edge belongs to a band",
    ),
];

/// Of an output.
const OUTPUT: &[PlanKey] = &[
    key(
        "to",
        Takes::Text,
        "",
        "\"out/lines.csv\"",
        "the file, sheet or table; {attribute} makes a file for each value",
    ),
    key("title", Takes::Text, "the name of the plan", "\"The year so far\"", "above a page"),
    key("of", Takes::Text, "the only fact", "\"sales\"", "the fact"),
    key("columns", Takes::Columns, "all", "[\"*\", \"revenue\"]", "columns of lines"),
    key("status", Takes::YesNo, "false", "true", "how each link came out, in columns of their own"),
    key(
        "write",
        Takes::Keys(&["separator", "numbers", "dates", "encoding", "line-end", "places"]),
        "as 1234.56",
        "{ separator = \";\" }",
        "how a text file is written",
    ),
    key(
        "guard",
        Takes::YesNo,
        "false",
        "true",
        "an apostrophe before texts that a spreadsheet would compute",
    ),
    key(
        "when-there",
        Takes::OneOf(&["replace", "append", "stop"]),
        "\"replace\"",
        "\"append\"",
        "what happens to a file or table that is there",
    ),
    key(
        "list",
        Takes::OneOf(&["findings", "unmatched", "set-aside", "repeats"]),
        "",
        "\"findings\"",
        "a list in place of lines",
    ),
    key("by", Takes::Texts, "", "[\"groups.name\"]", "attributes that make rows of totals"),
    key("across", Takes::Texts, "", "[\"quarter(sold_on)\"]", "attributes that make columns"),
    key(
        "show",
        Takes::Texts,
        "lines and all figures",
        "[\"revenue\", \"margin\"]",
        "what is shown of each group",
    ),
    key(
        "versus",
        Takes::Texts,
        "none",
        "[\"revenue\", \"year_before(revenue)\"]",
        "two figures to compare",
    ),
    key("sort", Takes::Texts, "by attributes", "[\"-revenue\"]", "what rows are sorted by"),
    key("top", Takes::Number, "all", "10", "only the first rows of each level"),
    key(
        "having",
        Takes::Text,
        "all rows",
        "\"revenue > 1000\"",
        "only rows that meet this condition on what is shown; the others become one",
    ),
    key("all-periods", Takes::YesNo, "false", "true", "periods without lines are shown"),
    key(
        "not-shared",
        Takes::OneOf(&["stop", "blank"]),
        "\"stop\"",
        "\"blank\"",
        "an attribute that not all facts have",
    ),
    key(
        "where",
        Takes::Text,
        "all lines",
        "\"depot = 'Corvo'\"",
        "only lines that meet this condition",
    ),
];

/// Of a workbook.
const WORKBOOK: &[PlanKey] = &[
    key("to", Takes::Text, "", "\"out/result.xlsx\"", "the file"),
    key(
        "sheets",
        Takes::Texts,
        "",
        "[\"lines\", \"by_group\"]",
        "outputs that are its sheets, in this order",
    ),
    key("formulas", Takes::YesNo, "false", "true", "figures, attributes and totals are formulas"),
    key("charts", Takes::YesNo, "true", "false", "totals are drawn"),
];

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;
    use crate::plan::Plan;

    /// A plan with this line in a section.
    fn plan_with(section: &str, line: &str) -> String {
        let header = match section {
            "link" => "[[link]]".to_owned(),
            "tables.NAME.part" => "[[tables.NAME.part]]".to_owned(),
            other => format!("[{other}]"),
        };
        format!("{header}\n{line}\n")
    }

    /// What the reader says of a plan, besides what is missing in it.
    fn said(text: &str) -> String {
        let said =
            toml::from_str::<Plan>(text).err().map_or(String::new(), |e| e.message().to_owned());
        if said.starts_with("missing field") { String::new() } else { said }
    }

    #[test]
    fn the_keys_are_those_that_plans_may_have() {
        for section in SECTIONS {
            let said = said(&plan_with(section.name, "zzz = 1"));
            let valid: BTreeSet<&str> = said.split('`').skip(3).step_by(2).collect();
            let own: BTreeSet<&str> = section.keys().map(|key| key.key).collect();
            assert_eq!(own, valid, "[{}] {said}", section.name);
        }
    }

    #[test]
    fn what_a_key_takes_is_taken() {
        let all = SECTIONS.iter().flat_map(|section| section.keys().map(|key| (section.name, key)));
        for (section, key) in all.filter(|(_, key)| !key.example.is_empty()) {
            let mut values = vec![key.example.to_owned()];
            if let Takes::OneOf(words) | Takes::OneOfOrKeys(words, _) = key.takes {
                values.extend(words.iter().map(|word| format!("\"{word}\"")));
            }
            for value in values {
                let text = plan_with(section, &format!("{} = {value}", key.key));
                assert_eq!(said(&text), "", "{text}");
            }
            if let Takes::Keys(names) | Takes::OneOfOrKeys(_, names) = key.takes
                && !names.is_empty()
            {
                let said = said(&plan_with(section, &format!("{} = {{ zzz = 1 }}", key.key)));
                let valid: BTreeSet<&str> = said.split('`').skip(3).step_by(2).collect();
                assert_eq!(
                    names.iter().copied().collect::<BTreeSet<_>>(),
                    valid,
                    "{} {said}",
                    key.key
                );
            }
        }
    }
}
