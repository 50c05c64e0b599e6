//! What the help says of the functions of formulas.

/// What the help says of a function.
#[derive(Clone, Copy, Debug)]
pub struct FunctionHelp {
    /// What it works on: numbers, text, dates, any values.
    pub group: &'static str,
    /// How it is written.
    pub shape: &'static str,
    /// What it gives.
    pub says: &'static str,
    /// An example.
    pub example: &'static str,
    /// What the example gives, as it is written to a file; nothing for blank.
    pub gives: &'static str,
}

impl FunctionHelp {
    /// The name by which it is called, if it is.
    pub(super) fn name(&self) -> Option<&'static str> {
        let (name, _) = self.shape.split_once('(')?;
        name.bytes().all(|b| b.is_ascii_lowercase() || b == b'_').then_some(name)
    }
}

const fn help(
    group: &'static str,
    shape: &'static str,
    says: &'static str,
    example: &'static str,
    gives: &'static str,
) -> FunctionHelp {
    FunctionHelp { group, shape, says, example, gives }
}

/// All functions, for the help.
pub const FUNCTIONS: [FunctionHelp; 37] = [
    help("numbers", "abs(x)", "the absolute value", "abs(-2.5)", "2.5"),
    help(
        "numbers",
        "round(x, places)",
        "rounded, halves to the even digit",
        "round(2.345, 2)",
        "2.34",
    ),
    help(
        "numbers",
        "round(x, places, 'half-up')",
        "rounded, halves away from zero",
        "round(2.345, 2, 'half-up')",
        "2.35",
    ),
    help("numbers", "floor(x)", "the next whole number below", "floor(-2.5)", "-3"),
    help("numbers", "ceiling(x)", "the next whole number above", "ceiling(2.1)", "3"),
    help("numbers", "mod(x, y)", "the remainder of x divided by y", "mod(17, 5)", "2"),
    help("numbers", "power(x, n)", "x multiplied n times, n from 0 to 20", "power(1.1, 2)", "1.21"),
    help("text", "x || y", "one text after the other", "'BO-' || '104'", "BO-104"),
    help(
        "text",
        "x like 'pattern'",
        "whether it matches: % is any text, _ any single character",
        "'BO-104' like 'BO%'",
        "yes",
    ),
    help("text", "upper(x)", "in uppercase", "upper('bo-104')", "BO-104"),
    help("text", "lower(x)", "in lowercase", "lower('BO')", "bo"),
    help("text", "trim(x)", "without spaces at its ends", "trim('  wax ')", "wax"),
    help(
        "text",
        "substring(x from n for m)",
        "m characters from the nth on; without `for` to the end",
        "substring('BO-104' from 4 for 2)",
        "10",
    ),
    help("text", "left(x, n)", "the first n characters", "left('BO-104', 2)", "BO"),
    help("text", "right(x, n)", "the last n characters", "right('BO-104', 3)", "104"),
    help("text", "char_length(x)", "its number of characters", "char_length('wax')", "3"),
    help(
        "text",
        "position(x in y)",
        "where x begins in y, counted from 1; 0 where it does not",
        "position('-' in 'BO-104')",
        "3",
    ),
    help("text", "replace(x, y, z)", "with z for every y", "replace('1 234', ' ', '')", "1234"),
    help(
        "text",
        "lpad(x, n, y)",
        "padded on the left to n characters, with spaces or y",
        "lpad('104', 6, '0')",
        "000104",
    ),
    help(
        "text",
        "rpad(x, n, y)",
        "padded on the right to n characters, with spaces or y",
        "rpad('wax', 5, '.')",
        "wax..",
    ),
    help("dates", "year(d)", "the year of a day, a period", "year(date(2025, 3, 5))", "2025"),
    help("dates", "quarter(d)", "the quarter", "quarter(date(2025, 3, 5))", "2025-Q1"),
    help("dates", "month(d)", "the month", "month(date(2025, 3, 5))", "2025-03"),
    help("dates", "week(d)", "the week of ISO 8601", "week(date(2025, 3, 5))", "2025-W10"),
    help("dates", "day(d)", "the day as a period", "day(date(2025, 3, 5))", "2025-03-05"),
    help(
        "dates",
        "extract(part from d)",
        "a plain number: year, quarter, month, week, day, weekday (Monday is 1)",
        "extract(month from date(2025, 3, 5))",
        "3",
    ),
    help(
        "dates",
        "date(y, m, d)",
        "the day of that year, month and day; blank where there is none",
        "date(2025, 2, 29)",
        "",
    ),
    help("dates", "d + n", "the day n days later", "date(2025, 2, 28) + 1", "2025-03-01"),
    help(
        "dates",
        "d - e",
        "how many days lie between",
        "date(2025, 3, 1) - date(2025, 2, 1)",
        "28",
    ),
    help(
        "dates",
        "add_months(d, n)",
        "the same day n months later, or the last of a shorter month",
        "add_months(date(2025, 1, 31), 1)",
        "2025-02-28",
    ),
    help(
        "dates",
        "first_day(p)",
        "the first day of a period",
        "first_day(quarter(date(2025, 5, 17)))",
        "2025-04-01",
    ),
    help(
        "dates",
        "last_day(p)",
        "the last day of a period",
        "last_day(month(date(2024, 2, 3)))",
        "2024-02-29",
    ),
    help("any values", "coalesce(x, y, …)", "the first that is known", "coalesce(blank, 7)", "7"),
    help("any values", "nullif(x, y)", "x, but blank where it equals y", "nullif(0, 0)", ""),
    help(
        "any values",
        "least(x, y, …)",
        "the smallest; blank if any is blank",
        "least(3, 1.5, 2)",
        "1.5",
    ),
    help(
        "any values",
        "greatest(x, y, …)",
        "the largest; blank if any is blank",
        "greatest(3, 1, 2)",
        "3",
    ),
    help(
        "any values",
        "cast(x as number)",
        "the text as a number, a date or text (`as date`, `as text`); blank where it is none",
        "cast('12.50' as number) * 2",
        "25",
    ),
];

#[cfg(test)]
mod tests {
    use super::super::scalar::PLAIN;
    use super::*;

    #[test]
    fn every_function_has_help() {
        for (name, ..) in PLAIN {
            let known = FUNCTIONS.iter().any(|function| function.name() == Some(name));
            assert!(known, "{name} has no help");
        }
    }
}
