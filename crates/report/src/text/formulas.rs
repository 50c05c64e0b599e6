//! What formulas can say, for `interligo help formulas`.

use std::io;

use anstyle::Style;
use interligo_model::formula::{FUNCTIONS, SUMMARIES};

use super::table::TextTable;
use super::{Out, TITLE, note};

/// Prints the language of formulas: its operators, and all functions with an example each.
pub fn formulas(out: Out<'_>) -> io::Result<()> {
    let section = |out: Out<'_>, title: &str, table: &TextTable| {
        writeln!(out, "\n{TITLE}{title}{TITLE:#}\n")?;
        table.print(out, "  ")
    };
    for text in [
        "Formulas are used in [figures], in columns, and as conditions and attributes.",
        "Numbers are exact. An unknown value is blank; a blank in a sum, product or comparison makes the result blank.",
    ] {
        note(out, Style::new(), "", text)?;
    }
    let mut operators = TextTable::new(["Written", "means"]);
    for (written, means) in [
        ("quantity, prices.unit_price", "a column of the lines, a column that a link leads to"),
        ("\"Unit price\"", "a name with characters other than letters, digits and _"),
        ("12.5  'text'  true  blank", "a number, a text, yes or no, unknown"),
        ("+ - * /", "arithmetic; a quotient has 12 more decimals than its operands"),
        ("= <> < <= > >=", "comparisons; a date can be compared with '2025-12-31'"),
        (
            "and  or  not",
            "of conditions; `not` binds tighter than `and`, and that tighter than `or`",
        ),
        ("x in ('a', 'b')", "one of these"),
        ("x between 1 and 5", "from 1 to 5, both included"),
        ("x is blank, is not blank", "whether it is known"),
        ("if c then x else y", "without else: blank"),
    ] {
        operators.row([written, means]);
    }
    section(out, "Operators and words", &operators)?;
    let mut at = 0;
    while let Some(first) = FUNCTIONS.get(at) {
        let mut table = TextTable::new(["Written", "is", "for instance", "gives"]);
        for function in FUNCTIONS[at..].iter().take_while(|f| f.group == first.group) {
            let gives = if function.gives.is_empty() { "(blank)" } else { function.gives };
            table.row([function.shape, function.says, function.example, gives]);
            at += 1;
        }
        section(out, &format!("Functions of {}", first.group), &table)?;
    }
    let mut table = TextTable::new(["Written", "is"]);
    for summary in SUMMARIES {
        table.row([summary.shape, summary.says]);
    }
    section(out, "What totals can show of the lines of a group", &table)?;
    writeln!(out)?;
    for text in [
        "The last group is for `show`, `versus` and `sort` of totals, not for formulas of lines. They can be nested:",
        "a share of a running total, share(running(revenue)); an earlier year to date, \
         year_to_date(year_before(revenue)).",
    ] {
        note(out, Style::new(), "", text)?;
    }
    Ok(())
}
