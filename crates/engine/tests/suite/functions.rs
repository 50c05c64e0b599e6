//! What each function of the formula language gives at its edges.

use interligo_model::values::decimal::{Decimal, QUOTIENT_PLACES};

use crate::support::{engine, over_all_lines, tables};

/// What a formula gives, without anything of a line.
fn given(formula: &str) -> String {
    let plan = format!(
        "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[figures]\nf = \"if no is blank then {formula} else {formula}\"\n"
    );
    let tables = tables(&[("sales", "no\n1")]);
    let (engine, _) = engine(&plan, &tables, &[], &["lines"]);
    over_all_lines(&engine, &tables, |lines| {
        lines.values_of(engine.figure_expr(0)).unwrap().value(0).to_string()
    })
}

#[test]
fn functions_of_texts_count_characters_from_one() {
    for (formula, expected) in [
        ("substring('BO-104' from 4 for 2)", "10"),
        ("substring('BO-104' from 1 for 2)", "BO"),
        ("substring('BO-104' from 6)", "4"),
        ("substring('BO-104' from 7)", ""),
        ("substring('BO-104' from 0 for 3)", "BO"),
        ("substring('BO-104' from -2 for 4)", "B"),
        ("substring('BO-104' from 5 for 9)", "04"),
        ("substring('BO-104' from 3 for 0)", ""),
        ("left('Größe', 3)", "Grö"),
        ("left('wax', 0)", ""),
        ("left('wax', 9)", "wax"),
        ("right('Größe', 2)", "ße"),
        ("right('wax', 0)", ""),
        ("right('wax', 9)", "wax"),
        ("char_length('Größe')", "5"),
        ("position('-' in 'BO-104')", "3"),
        ("position('x' in 'BO-104')", "0"),
        ("position('ß' in 'Größe')", "4"),
        ("replace('1 234', ' ', '')", "1234"),
        ("replace('wax', '', 'x')", "wax"),
        ("lpad('104', 6, '0')", "000104"),
        ("lpad('104', 2, '0')", "10"),
        ("lpad('104', 3, '0')", "104"),
        ("rpad('wax', 5, '.')", "wax.."),
        ("rpad('wax', 6, 'ab')", "waxaba"),
        ("rpad('wax', 5, '')", "wax"),
        ("upper('bo') || lower('BO')", "BObo"),
        ("trim('  wax ')", "wax"),
    ] {
        assert_eq!(given(formula), expected, "{formula}");
    }
}

#[test]
fn patterns_fit_any_text_and_any_character() {
    for (text, pattern, fits) in [
        ("BO-104", "BO%", true),
        ("BO-104", "%104", true),
        ("BO-104", "%-%", true),
        ("BO-104", "BO-1_4", true),
        ("BO-104", "BO-1_", false),
        ("BO-104", "O%", false),
        ("aab", "%ab", true),
        ("abab", "%ab%ab", true),
        ("aba", "%ab%ab", false),
        ("", "%", true),
        ("", "_", false),
        ("wax", "wax%%", true),
        ("wax", "", false),
        ("Größe", "Gr_ße", true),
        ("Größe", "%ß_", true),
        ("Größe", "%ß", false),
        ("abcabd", "%abd", true),
    ] {
        let expected = if fits { "1" } else { "0" };
        assert_eq!(
            given(&format!("if '{text}' like '{pattern}' then 1 else 0")),
            expected,
            "{text} {pattern}"
        );
    }
}

#[test]
fn functions_of_days_know_the_calendar() {
    for (formula, expected) in [
        ("extract(year from date(2025, 3, 5))", "2025"),
        ("extract(quarter from date(2025, 3, 31))", "1"),
        ("extract(quarter from date(2025, 4, 1))", "2"),
        ("extract(quarter from date(2025, 12, 1))", "4"),
        ("extract(month from date(2025, 3, 5))", "3"),
        ("extract(day from date(2025, 3, 5))", "5"),
        ("extract(week from date(2024, 12, 30))", "1"),
        ("extract(weekday from date(2025, 3, 3))", "1"),
        ("extract(weekday from date(2025, 3, 9))", "7"),
        ("extract(weekday from date(1969, 12, 31))", "3"),
        ("date(2025, 2, 29)", ""),
        ("date(2025, 0, 1)", ""),
        ("date(2025, 1, 0)", ""),
        ("date(2025, -1, 1)", ""),
        ("date(2024, 2, 29)", "2024-02-29"),
        ("date(2025, 2, 28) + 1", "2025-03-01"),
        ("date(2025, 3, 1) - 1", "2025-02-28"),
        ("date(2025, 3, 1) - date(2025, 2, 1)", "28"),
        ("add_months(date(2025, 1, 31), 1)", "2025-02-28"),
        ("add_months(date(2025, 3, 31), -1)", "2025-02-28"),
        ("add_months(date(2025, 11, 30), 3)", "2026-02-28"),
        ("first_day(quarter(date(2025, 5, 17)))", "2025-04-01"),
        ("last_day(month(date(2024, 2, 3)))", "2024-02-29"),
        ("week(date(2025, 3, 5))", "2025-W10"),
        ("day(date(2025, 3, 5))", "2025-03-05"),
    ] {
        assert_eq!(given(formula), expected, "{formula}");
    }
}

#[test]
fn functions_of_numbers_keep_signs_and_places() {
    for (formula, expected) in [
        ("floor(-1.5)", "-2"),
        ("floor(1.5)", "1"),
        ("floor(2)", "2"),
        ("ceiling(1.2)", "2"),
        ("ceiling(-1.2)", "-1"),
        ("mod(7, 3)", "1"),
        ("mod(-7, 3)", "-1"),
        ("mod(7.5, 2)", "1.5"),
        ("mod(7, 0)", ""),
        ("power(1.5, 2)", "2.25"),
        ("power(7, 0)", "1"),
        ("least(3, 1.5, 2)", "1.5"),
        ("greatest(3, 1, 2)", "3"),
        ("nullif(0, 0)", ""),
        ("nullif(1, 0)", "1"),
        ("nullif(1, nullif(0, 0))", "1"),
        ("nullif(nullif(0, 0), 1)", ""),
        ("cast('12.50' as number) * 2", "25"),
        ("cast('wax' as number)", ""),
        ("cast(12.50 as text)", "12.5"),
        ("cast('2025-03-05' as date)", "2025-03-05"),
        ("cast('5.3.' as date)", ""),
    ] {
        assert_eq!(given(formula), expected, "{formula}");
    }
}

/// Exact halves behind the last place that a quotient keeps: an odd number over a power of two with one place more.
#[test]
fn a_quotient_halfway_between_two_goes_to_the_even_one() {
    let kept = u32::from(QUOTIENT_PLACES);
    let plan = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[figures]\nf = 'a / b'\n";
    let over = 2i128.pow(kept + 1);
    for above in [1i128, 3, 5, 7, -1, -3, -5, -7] {
        let tables = tables(&[("sales", &format!("a,b\n{above},{over}"))]);
        let (engine, _) = engine(plan, &tables, &[], &["lines"]);
        let given = over_all_lines(&engine, &tables, |lines| {
            lines.values_of(engine.figure_expr(0)).unwrap().value(0).number()
        });
        // In units of the last place: above * 5^(kept + 1) / 10, which ends in 5.
        let (whole, sign) = (above.abs() * 5i128.pow(kept + 1) / 10, above.signum());
        let even = sign * (whole + whole % 2);
        assert_eq!(given, Some(Decimal::new(even, QUOTIENT_PLACES).unwrap()), "{above}");
    }
}
