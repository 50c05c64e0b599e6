//! Every key of a plan: what it takes, what holds without it, an example, and what it is for. What the help prints and what
//! editors check is made of this list; a test holds it against what plans may have.

/// A key of a plan.
#[derive(Clone, Copy, Debug)]
pub struct PlanKey {
    /// The section it is in, as plans name it without brackets: `plan`, `tables.NAME`.
    pub section: &'static str,
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

/// The sections, in the order of plans, with what each is.
pub const SECTIONS: &[(&str, &str)] = &[
    ("plan", "the whole"),
    ("reading", "how files are written, for all tables that do not say it"),
    ("tables.NAME", "a table"),
    ("tables.NAME.part", "files of a table with settings of their own"),
    ("link", "a link between two tables"),
    ("figures.NAME", "a figure of each line; `NAME = \"formula\"` for short"),
    ("bands.NAME", "ranges of a number"),
    ("outputs.NAME", "an output: lines, totals, a list or a page"),
    ("workbooks.NAME", "a workbook with a sheet for each of some outputs"),
];

/// All keys, by section.
pub const KEYS: &[PlanKey] = &[
    PlanKey {
        section: "plan",
        key: "name",
        takes: Takes::Text,
        default: "the folder",
        example: "\"Mielo Cooperative\"",
        about: "shown above results",
    },
    PlanKey {
        section: "plan",
        key: "currency",
        takes: Takes::Text,
        default: "",
        example: "\"EUR\"",
        about: "shown below totals",
    },
    PlanKey {
        section: "plan",
        key: "corrections",
        takes: Takes::Text,
        default: "corrections.csv, where it is there",
        example: "\"corrections.csv\"",
        about: "keys that are known to be wrong, with those to use",
    },
    PlanKey {
        section: "plan",
        key: "weigh-by",
        takes: Takes::Text,
        default: "the first figure that is an amount",
        example: "\"revenue\"",
        about: "the figure by which findings are weighed",
    },
    PlanKey {
        section: "plan",
        key: "keep-runs",
        takes: Takes::Number,
        default: "none",
        example: "3",
        about: "how many records of runs are kept, for compare",
    },
    PlanKey {
        section: "plan",
        key: "verify",
        takes: Takes::YesNo,
        default: "false",
        example: "true",
        about: "outputs are kept as text, for verify",
    },
    PlanKey {
        section: "plan",
        key: "closed",
        takes: Takes::Text,
        default: "none",
        example: "\"2025-03\"",
        about: "lines up to the end of this period stay as they are",
    },
    PlanKey {
        section: "plan",
        key: "schema",
        takes: Takes::YesNo,
        default: "false",
        example: "true",
        about: "a datapackage.json beside text outputs",
    },
    PlanKey {
        section: "plan",
        key: "stop-on",
        takes: Takes::Texts,
        default: "none",
        example: "[\"near-miss\"]",
        about: "kinds of findings that end a run with status 1",
    },
    PlanKey {
        section: "plan",
        key: "values",
        takes: Takes::Keys(&[]),
        default: "none",
        example: "{ period = \"2025-03\" }",
        about: "texts for `{period}` anywhere in the plan; --set period=2025-04 gives another",
    },
    PlanKey {
        section: "reading",
        key: "largest-sheet",
        takes: Takes::Text,
        default: "\"2 GB\"",
        example: "\"4 GB\"",
        about: "how much a sheet of a workbook may unpack to",
    },
    PlanKey {
        section: "reading",
        key: "largest-cell",
        takes: Takes::Text,
        default: "\"16 MB\"",
        example: "\"32 MB\"",
        about: "how much one of its cells may have",
    },
    PlanKey {
        section: "reading",
        key: "separator",
        takes: Takes::Text,
        default: "found",
        example: "\";\"",
        about: "the character between fields",
    },
    PlanKey {
        section: "reading",
        key: "encoding",
        takes: Takes::Text,
        default: "UTF-8",
        example: "\"windows-1252\"",
        about: "the encoding of a text file",
    },
    PlanKey {
        section: "reading",
        key: "numbers",
        takes: Takes::Text,
        default: "found",
        example: "\"1.234,56\"",
        about: "how 1234.56 is written",
    },
    PlanKey {
        section: "reading",
        key: "dates",
        takes: Takes::Text,
        default: "found",
        example: "\"31/12/2025\"",
        about: "how 31 December 2025 is written",
    },
    PlanKey {
        section: "reading",
        key: "header-row",
        takes: Takes::Number,
        default: "found",
        example: "3",
        about: "the row of the column names; 0 for none",
    },
    PlanKey {
        section: "reading",
        key: "blank",
        takes: Takes::Texts,
        default: "none",
        example: "[\"-\", \"n/a\"]",
        about: "texts that mean blank",
    },
    PlanKey {
        section: "reading",
        key: "total-rows",
        takes: Takes::OneOf(&["keep", "leave-out"]),
        default: "asked",
        example: "\"leave-out\"",
        about: "what becomes of rows that look like totals",
    },
    PlanKey {
        section: "tables.NAME",
        key: "role",
        takes: Takes::OneOf(&["fact", "lookup"]),
        default: "\"lookup\"",
        example: "\"fact\"",
        about: "a fact has lines; a lookup is looked up in",
    },
    PlanKey {
        section: "tables.NAME",
        key: "from",
        takes: Takes::Texts,
        default: "",
        example: "\"sales/*.csv\"",
        about: "its files, sheets or tables; patterns stack them",
    },
    PlanKey {
        section: "tables.NAME",
        key: "part",
        takes: Takes::Tables,
        default: "",
        example: "",
        about: "files with settings of their own: [[tables.NAME.part]]",
    },
    PlanKey {
        section: "tables.NAME",
        key: "sums",
        takes: Takes::Keys(&["of", "by", "show", "where"]),
        default: "",
        example: "{ of = \"sales\", by = [\"customer_no\"], show = [\"revenue\"] }",
        about: "the table has the sums of a fact",
    },
    PlanKey {
        section: "tables.NAME",
        key: "query",
        takes: Takes::Text,
        default: "none",
        example: "\"SELECT * FROM sales\"",
        about: "what is asked of a database",
    },
    PlanKey {
        section: "tables.NAME",
        key: "leave-out",
        takes: Takes::Texts,
        default: "none",
        example: "[\"*draft*\"]",
        about: "files that the pattern would take and that are not of it",
    },
    PlanKey {
        section: "tables.NAME",
        key: "leave-out-rows",
        takes: Takes::Text,
        default: "none",
        example: "\"status = 'cancelled'\"",
        about: "rows that meet this condition are left out",
    },
    PlanKey {
        section: "tables.NAME",
        key: "tall",
        takes: Takes::Keys(&[]),
        default: "none",
        example: "{ columns = \"2025-*\", name = \"month\", value = \"amount\" }",
        about: "columns that become rows",
    },
    PlanKey {
        section: "tables.NAME",
        key: "unpack",
        takes: Takes::Keys(&["columns", "separator", "position", "once"]),
        default: "none",
        example: "{ columns = [\"items\"], separator = \"|\" }",
        about: "cells with several values become rows",
    },
    PlanKey {
        section: "tables.NAME",
        key: "set",
        takes: Takes::Keys(&[]),
        default: "none",
        example: "{ depot = \"Corvo\" }",
        about: "columns with one value for all rows",
    },
    PlanKey {
        section: "tables.NAME",
        key: "columns",
        takes: Takes::Keys(&[]),
        default: "as they are",
        example: "{ qty = { name = \"quantity\" } }",
        about: "name, type, like, scale, optional, formula of columns",
    },
    PlanKey {
        section: "tables.NAME",
        key: "key",
        takes: Takes::Texts,
        default: "",
        example: "[\"order_no\", \"line_no\"]",
        about: "the columns that identify a row or line",
    },
    PlanKey {
        section: "tables.NAME",
        key: "date",
        takes: Takes::Text,
        default: "the date by which links are dated",
        example: "\"sold_on\"",
        about: "the date of a line",
    },
    PlanKey {
        section: "tables.NAME",
        key: "valid",
        takes: Takes::Keys(&[
            "from", "until", "ends", "carry", "period", "year", "quarter", "month",
        ]),
        default: "always",
        example: "{ from = \"valid_from\", until = \"valid_to\" }",
        about: "when a row of a lookup is valid",
    },
    PlanKey {
        section: "tables.NAME",
        key: "duplicates",
        takes: Takes::OneOf(&[
            "stop",
            "first",
            "last",
            "blank",
            "newest COLUMN",
            "largest COLUMN",
            "smallest COLUMN",
        ]),
        default: "\"stop\"",
        example: "\"newest changed_on\"",
        about: "which row of a key of a lookup is used",
    },
    PlanKey {
        section: "tables.NAME",
        key: "repeats",
        takes: Takes::OneOf(&[
            "stop",
            "first",
            "last",
            "keep",
            "newest COLUMN",
            "largest COLUMN",
            "smallest COLUMN",
        ]),
        default: "\"stop\"",
        example: "\"first\"",
        about: "which line of a key of a fact is used",
    },
    PlanKey {
        section: "tables.NAME",
        key: "separator",
        takes: Takes::Text,
        default: "found",
        example: "\";\"",
        about: "the character between fields",
    },
    PlanKey {
        section: "tables.NAME",
        key: "encoding",
        takes: Takes::Text,
        default: "UTF-8",
        example: "\"windows-1252\"",
        about: "the encoding of a text file",
    },
    PlanKey {
        section: "tables.NAME",
        key: "numbers",
        takes: Takes::Text,
        default: "found",
        example: "\"1.234,56\"",
        about: "how 1234.56 is written",
    },
    PlanKey {
        section: "tables.NAME",
        key: "dates",
        takes: Takes::Text,
        default: "found",
        example: "\"31/12/2025\"",
        about: "how 31 December 2025 is written",
    },
    PlanKey {
        section: "tables.NAME",
        key: "header-row",
        takes: Takes::Number,
        default: "found",
        example: "3",
        about: "the row of the column names; 0 for none",
    },
    PlanKey {
        section: "tables.NAME",
        key: "blank",
        takes: Takes::Texts,
        default: "none",
        example: "[\"-\", \"n/a\"]",
        about: "texts that mean blank",
    },
    PlanKey {
        section: "tables.NAME",
        key: "total-rows",
        takes: Takes::OneOf(&["keep", "leave-out"]),
        default: "asked",
        example: "\"leave-out\"",
        about: "what becomes of rows that look like totals",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "from",
        takes: Takes::Texts,
        default: "",
        example: "\"sales/corvo_*.csv\"",
        about: "the files of the part",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "query",
        takes: Takes::Text,
        default: "none",
        example: "\"SELECT * FROM sales\"",
        about: "what is asked of a database",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "leave-out",
        takes: Takes::Texts,
        default: "none",
        example: "[\"*draft*\"]",
        about: "files that the pattern would take and that are not of it",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "leave-out-rows",
        takes: Takes::Text,
        default: "none",
        example: "\"status = 'cancelled'\"",
        about: "rows that meet this condition are left out",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "tall",
        takes: Takes::Keys(&[]),
        default: "none",
        example: "{ columns = \"2025-*\", name = \"month\", value = \"amount\" }",
        about: "columns that become rows",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "unpack",
        takes: Takes::Keys(&["columns", "separator", "position", "once"]),
        default: "none",
        example: "{ columns = [\"items\"], separator = \"|\" }",
        about: "cells with several values become rows",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "set",
        takes: Takes::Keys(&[]),
        default: "none",
        example: "{ depot = \"Corvo\" }",
        about: "columns with one value for all rows",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "columns",
        takes: Takes::Keys(&[]),
        default: "as they are",
        example: "{ qty = { name = \"quantity\" } }",
        about: "name, type, like, scale, optional, formula of columns",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "separator",
        takes: Takes::Text,
        default: "found",
        example: "\";\"",
        about: "the character between fields",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "encoding",
        takes: Takes::Text,
        default: "UTF-8",
        example: "\"windows-1252\"",
        about: "the encoding of a text file",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "numbers",
        takes: Takes::Text,
        default: "found",
        example: "\"1.234,56\"",
        about: "how 1234.56 is written",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "dates",
        takes: Takes::Text,
        default: "found",
        example: "\"31/12/2025\"",
        about: "how 31 December 2025 is written",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "header-row",
        takes: Takes::Number,
        default: "found",
        example: "3",
        about: "the row of the column names; 0 for none",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "blank",
        takes: Takes::Texts,
        default: "none",
        example: "[\"-\", \"n/a\"]",
        about: "texts that mean blank",
    },
    PlanKey {
        section: "tables.NAME.part",
        key: "total-rows",
        takes: Takes::OneOf(&["keep", "leave-out"]),
        default: "asked",
        example: "\"leave-out\"",
        about: "what becomes of rows that look like totals",
    },
    PlanKey {
        section: "link",
        key: "path",
        takes: Takes::Text,
        default: "",
        example: "\"sales.item -> products.sku\"",
        about: "from a column to the key of a lookup; `as of` a date, `or` another key",
    },
    PlanKey {
        section: "link",
        key: "as",
        takes: Takes::Text,
        default: "the name of the lookup",
        example: "\"article\"",
        about: "another name of the link",
    },
    PlanKey {
        section: "link",
        key: "split",
        takes: Takes::Text,
        default: "none",
        example: "\"|\"",
        about: "separates several keys in a cell",
    },
    PlanKey {
        section: "link",
        key: "match",
        takes: Takes::OneOf(&["cleaned", "as-written"]),
        default: "\"cleaned\"",
        example: "\"as-written\"",
        about: "how keys are compared",
    },
    PlanKey {
        section: "link",
        key: "ignore",
        takes: Takes::TextsOrKeys,
        default: "none",
        example: "[\"case\"]",
        about: "differences that do not count: case, width, punctuation, leading-zeros",
    },
    PlanKey {
        section: "link",
        key: "when",
        takes: Takes::Text,
        default: "every line",
        example: "\"kind = 'goods'\"",
        about: "the lines that need a row",
    },
    PlanKey {
        section: "link",
        key: "needs",
        takes: Takes::Texts,
        default: "none",
        example: "[\"unit_price\"]",
        about: "columns that the row must have",
    },
    PlanKey {
        section: "link",
        key: "missing",
        takes: Takes::OneOf(&["keep", "fill", "normal", "set-aside", "stop"]),
        default: "\"keep\"",
        example: "\"set-aside\"",
        about: "what becomes of lines without a row",
    },
    PlanKey {
        section: "link",
        key: "gap",
        takes: Takes::OneOfOrKeys(
            &["blank", "earlier", "later", "nearest", "stop"],
            &["before", "between", "after", "days"],
        ),
        default: "\"blank\"",
        example: "\"earlier\"",
        about: "which row serves on days without one",
    },
    PlanKey {
        section: "link",
        key: "overlap",
        takes: Takes::OneOf(&["stop", "blank", "latest-start", "first", "last"]),
        default: "\"stop\"",
        example: "\"latest-start\"",
        about: "which row serves on days with several",
    },
    PlanKey {
        section: "link",
        key: "fill",
        takes: Takes::Keys(&[]),
        default: "none",
        example: "{ name = \"unknown\" }",
        about: "values in place of a row that is missing",
    },
    PlanKey {
        section: "figures.NAME",
        key: "formula",
        takes: Takes::Text,
        default: "",
        example: "\"quantity * prices.unit_price\"",
        about: "how it is computed; a figure may be its formula alone",
    },
    PlanKey {
        section: "figures.NAME",
        key: "of",
        takes: Takes::Text,
        default: "the fact whose columns it names",
        example: "\"sales\"",
        about: "the fact",
    },
    PlanKey {
        section: "figures.NAME",
        key: "round",
        takes: Takes::Number,
        default: "not rounded",
        example: "2",
        about: "decimal places on each line",
    },
    PlanKey {
        section: "figures.NAME",
        key: "rounding",
        takes: Takes::OneOf(&["half-even", "half-up"]),
        default: "\"half-even\"",
        example: "\"half-up\"",
        about: "how a half is rounded",
    },
    PlanKey {
        section: "figures.NAME",
        key: "totals",
        takes: Takes::OneOf(&["sum", "again", "average", "largest", "smallest", "none"]),
        default: "by its formula",
        example: "\"again\"",
        about: "what its total is",
    },
    PlanKey {
        section: "figures.NAME",
        key: "shown",
        takes: Takes::Text,
        default: "by its formula",
        example: "\"percent 1\"",
        about: "how it is shown",
    },
    PlanKey {
        section: "bands.NAME",
        key: "of",
        takes: Takes::Text,
        default: "",
        example: "\"revenue\"",
        about: "what is divided into bands",
    },
    PlanKey {
        section: "bands.NAME",
        key: "edges",
        takes: Takes::Numbers,
        default: "",
        example: "[0, 100, 1000]",
        about: "where bands begin",
    },
    PlanKey {
        section: "bands.NAME",
        key: "names",
        takes: Takes::Texts,
        default: "by their edges",
        example: "[\"small\", \"large\"]",
        about: "what they are called",
    },
    PlanKey {
        section: "bands.NAME",
        key: "included",
        takes: Takes::OneOf(&["lower", "upper"]),
        default: "\"lower\"",
        example: "\"upper\"",
        about: "which edge belongs to a band",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "to",
        takes: Takes::Text,
        default: "",
        example: "\"out/lines.csv\"",
        about: "the file, sheet or table; {attribute} makes a file for each value",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "title",
        takes: Takes::Text,
        default: "the name of the plan",
        example: "\"The year so far\"",
        about: "above a page",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "of",
        takes: Takes::Text,
        default: "the only fact",
        example: "\"sales\"",
        about: "the fact",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "columns",
        takes: Takes::Columns,
        default: "all",
        example: "[\"*\", \"revenue\"]",
        about: "columns of lines",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "status",
        takes: Takes::YesNo,
        default: "false",
        example: "true",
        about: "how each link came out, in columns of their own",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "write",
        takes: Takes::Keys(&["separator", "numbers", "dates", "encoding", "line-end", "places"]),
        default: "as 1234.56",
        example: "{ separator = \";\" }",
        about: "how a text file is written",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "guard",
        takes: Takes::YesNo,
        default: "false",
        example: "true",
        about: "an apostrophe before texts that a spreadsheet would compute",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "when-there",
        takes: Takes::OneOf(&["replace", "append", "stop"]),
        default: "\"replace\"",
        example: "\"append\"",
        about: "what happens to a file or table that is there",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "list",
        takes: Takes::OneOf(&["findings", "unmatched", "set-aside", "repeats"]),
        default: "",
        example: "\"findings\"",
        about: "a list in place of lines",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "by",
        takes: Takes::Texts,
        default: "",
        example: "[\"groups.name\"]",
        about: "attributes that make rows of totals",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "across",
        takes: Takes::Texts,
        default: "",
        example: "[\"quarter(sold_on)\"]",
        about: "attributes that make columns",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "show",
        takes: Takes::Texts,
        default: "lines and all figures",
        example: "[\"revenue\", \"margin\"]",
        about: "what is shown of each group",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "versus",
        takes: Takes::Texts,
        default: "none",
        example: "[\"revenue\", \"year_before(revenue)\"]",
        about: "two figures to compare",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "sort",
        takes: Takes::Texts,
        default: "by attributes",
        example: "[\"-revenue\"]",
        about: "what rows are sorted by",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "top",
        takes: Takes::Number,
        default: "all",
        example: "10",
        about: "only the first rows of each level",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "having",
        takes: Takes::Text,
        default: "all rows",
        example: "\"revenue > 1000\"",
        about: "only rows that meet this condition on what is shown; the others become one",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "all-periods",
        takes: Takes::YesNo,
        default: "false",
        example: "true",
        about: "periods without lines are shown",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "not-shared",
        takes: Takes::OneOf(&["stop", "blank"]),
        default: "\"stop\"",
        example: "\"blank\"",
        about: "an attribute that not all facts have",
    },
    PlanKey {
        section: "outputs.NAME",
        key: "where",
        takes: Takes::Text,
        default: "all lines",
        example: "\"depot = 'Corvo'\"",
        about: "only lines that meet this condition",
    },
    PlanKey {
        section: "workbooks.NAME",
        key: "to",
        takes: Takes::Text,
        default: "",
        example: "\"out/result.xlsx\"",
        about: "the file",
    },
    PlanKey {
        section: "workbooks.NAME",
        key: "sheets",
        takes: Takes::Texts,
        default: "",
        example: "[\"lines\", \"by_group\"]",
        about: "outputs that are its sheets, in this order",
    },
    PlanKey {
        section: "workbooks.NAME",
        key: "formulas",
        takes: Takes::YesNo,
        default: "false",
        example: "true",
        about: "figures, attributes and totals are formulas",
    },
    PlanKey {
        section: "workbooks.NAME",
        key: "charts",
        takes: Takes::YesNo,
        default: "true",
        example: "false",
        about: "totals are drawn",
    },
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
        for (section, _) in SECTIONS {
            let said = said(&plan_with(section, "zzz = 1"));
            let valid: BTreeSet<&str> = said.split('`').skip(3).step_by(2).collect();
            let own = KEYS.iter().filter(|key| key.section == *section);
            let own: BTreeSet<&str> = own.map(|key| key.key).collect();
            assert_eq!(own, valid, "[{section}] {said}");
        }
    }

    #[test]
    fn what_a_key_takes_is_taken() {
        for key in KEYS.iter().filter(|key| !key.example.is_empty()) {
            let mut values = vec![key.example.to_owned()];
            if let Takes::OneOf(words) | Takes::OneOfOrKeys(words, _) = key.takes {
                values.extend(words.iter().map(|word| format!("\"{word}\"")));
            }
            for value in values {
                let text = plan_with(key.section, &format!("{} = {value}", key.key));
                assert_eq!(said(&text), "", "{text}");
            }
            if let Takes::Keys(names) | Takes::OneOfOrKeys(_, names) = key.takes
                && !names.is_empty()
            {
                let said = said(&plan_with(key.section, &format!("{} = {{ zzz = 1 }}", key.key)));
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
