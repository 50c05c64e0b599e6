//! The functions of formulas: what they give.
//!
//! `coalesce`, `round`, `abs` and the
//! periods of a day have columnar forms of their own in `columns`; all others are computed value by value here.
//! A blank among the values makes the result blank, except for `coalesce`.

use std::borrow::Cow;

use interligo_model::formula::{Field, Scalar};
use interligo_model::values::date::{Day, Period, PeriodUnit, week_of_year};
use interligo_model::values::decimal::{Decimal, Rounding};
use interligo_model::values::value::Value;

use super::by_row::Overflow;

/// The value of a function; `values` are as many as it takes. A blank among them makes it blank, but for `nullif`: a value
/// is not equal to what is not known.
pub(super) fn call_of(scalar: Scalar, values: &[Value<'_>]) -> Result<Value<'static>, Overflow> {
    match values {
        [first, Value::Blank] if scalar == Scalar::NullIf => Ok(first.clone().into_owned()),
        _ if values.iter().any(Value::is_blank) => Ok(Value::Blank),
        _ => apply(scalar, values),
    }
}

/// The value of a function of known values.
fn apply(scalar: Scalar, values: &[Value<'_>]) -> Result<Value<'static>, Overflow> {
    let number = |at: usize| values.get(at).and_then(Value::number).ok_or(Overflow::Digits);
    let text = |at: usize| match values.get(at) {
        Some(Value::Text(text)) => text.as_ref(),
        _ => "",
    };
    let day = |at: usize| match values.get(at) {
        Some(Value::Date(day)) => *day,
        _ => Day(0),
    };
    let whole = |at: usize| Ok::<_, Overflow>(number(at)?.whole());
    Ok(match scalar {
        Scalar::Floor => Value::Number(floor(number(0)?)?),
        Scalar::Ceiling => {
            let below = floor(number(0)?.checked_neg().ok_or(Overflow::Digits)?)?;
            Value::Number(below.checked_neg().ok_or(Overflow::Digits)?)
        }
        Scalar::Mod => return remainder(number(0)?, number(1)?),
        Scalar::Power(times) => {
            let mut product = Decimal::from(1);
            for _ in 0..times {
                product = product.checked_mul(number(0)?).ok_or(Overflow::Digits)?;
            }
            Value::Number(product)
        }
        Scalar::Least => values.iter().min().map_or(Value::Blank, |v| v.clone().into_owned()),
        Scalar::Greatest => values.iter().max().map_or(Value::Blank, |v| v.clone().into_owned()),
        Scalar::NullIf if values.get(1) == Some(&values[0]) => Value::Blank,
        Scalar::NullIf => values[0].clone().into_owned(),
        Scalar::Upper => written(text(0).to_uppercase()),
        Scalar::Lower => written(text(0).to_lowercase()),
        Scalar::Trim => written(text(0).trim().to_owned()),
        Scalar::Join => written(format!("{}{}", text(0), text(1))),
        Scalar::Replace if text(1).is_empty() => written(text(0).to_owned()),
        Scalar::Replace => written(text(0).replace(text(1), text(2))),
        Scalar::Substring | Scalar::Left | Scalar::Right => {
            return substring(scalar, text(0), &values[1..]);
        }
        Scalar::CharLength => Value::Number((text(0).chars().count() as i64).into()),
        Scalar::Position => {
            let before = text(1).find(text(0)).map(|at| text(1)[..at].chars().count() as i64 + 1);
            Value::Number(before.unwrap_or(0).into())
        }
        Scalar::Lpad | Scalar::Rpad => {
            let with = if values.len() > 2 { text(2) } else { " " };
            let Some(length) = whole(1)?.and_then(|n| usize::try_from(n).ok()) else {
                return Ok(Value::Blank);
            };
            written(padded(text(0), length.min(LONGEST_PAD), with, scalar == Scalar::Lpad))
        }
        Scalar::Like => Value::YesNo(is_like(text(0), text(1))),
        Scalar::Extract(field) => Value::Number(i64::from(part_of(field, day(0))).into()),
        Scalar::Date => {
            let part =
                |at: usize| Ok::<_, Overflow>(whole(at)?.and_then(|n| i32::try_from(n).ok()));
            let found = match (part(0)?, part(1)?, part(2)?) {
                (Some(year), Some(month), Some(of_month)) if month > 0 && of_month > 0 => {
                    Day::from_civil(year, month as u32, of_month as u32)
                }
                _ => None,
            };
            found.map_or(Value::Blank, Value::Date)
        }
        Scalar::DaysLater => match whole(1)? {
            Some(days) => Value::Date(later(day(0), days)?),
            None => Value::Blank,
        },
        Scalar::DaysBetween => Value::Number((i64::from(day(0).0) - i64::from(day(1).0)).into()),
        Scalar::AddMonths => match whole(1)? {
            Some(months) => Value::Date(months_later(day(0), months)?),
            None => Value::Blank,
        },
        Scalar::WeekYearLater => Value::Date(day(0).week_year_later().ok_or(Overflow::Days)?),
        Scalar::FirstDay | Scalar::LastDay => match values.first() {
            Some(Value::Period(period)) => {
                let days = period.days();
                let chosen =
                    days.map(|(first, last)| if scalar == Scalar::FirstDay { first } else { last });
                chosen.map_or(Value::Blank, Value::Date)
            }
            _ => Value::Blank,
        },
        // What is read in other lines does not show in this one.
        Scalar::CastText => written(match &values[0] {
            Value::Number(number) => number.trimmed(0).to_string(),
            value => value.to_string(),
        }),
        Scalar::CastNumber => match &values[0] {
            Value::Number(number) => Value::Number(*number),
            _ => Decimal::parse(text(0).trim().as_bytes()).map_or(Value::Blank, Value::Number),
        },
        Scalar::CastDate => match &values[0] {
            Value::Date(day) => Value::Date(*day),
            _ => Day::parse(text(0).trim().as_bytes()).map_or(Value::Blank, Value::Date),
        },
    })
}

/// The longest text that filling up makes.
const LONGEST_PAD: usize = 1_000;

/// A text, also one that says nothing.
fn written(text: String) -> Value<'static> {
    Value::Text(Cow::Owned(text))
}

fn floor(number: Decimal) -> Result<Decimal, Overflow> {
    let nearest = number.round(0, Rounding::HalfEven).ok_or(Overflow::Digits)?;
    if nearest > number {
        nearest.checked_sub(1.into()).ok_or(Overflow::Digits)
    } else {
        Ok(nearest)
    }
}

/// What is left of a division, with the sign of what is divided; blank for a division by zero.
fn remainder(x: Decimal, y: Decimal) -> Result<Value<'static>, Overflow> {
    if y.is_zero() {
        return Ok(Value::Blank);
    }
    let places = x.places().max(y.places());
    let (a, b) = (
        x.with_places(places).ok_or(Overflow::Digits)?,
        y.with_places(places).ok_or(Overflow::Digits)?,
    );
    Ok(Value::Number(Decimal::new(a.mantissa() % b.mantissa(), places).ok_or(Overflow::Digits)?))
}

fn substring(scalar: Scalar, text: &str, bounds: &[Value<'_>]) -> Result<Value<'static>, Overflow> {
    let bound = |at: usize| bounds.get(at).and_then(Value::number).map(Decimal::whole);
    let length = text.chars().count() as i128;
    // Positions count from 1; what lies before the text takes part in the length, as in the standard.
    let (first, end) = match (scalar, bound(0), bound(1)) {
        (_, Some(None), _) | (_, _, Some(None)) => return Ok(Value::Blank),
        (Scalar::Left, Some(Some(count)), _) => (1, count.saturating_add(1)),
        (Scalar::Right, Some(Some(count)), _) => {
            (length.saturating_sub(count).saturating_add(1), length + 1)
        }
        (_, Some(Some(first)), None) => (first, length + 1),
        (_, Some(Some(first)), Some(Some(count))) => (first, first.saturating_add(count)),
        _ => (1, length + 1),
    };
    let (first, end) = (first.clamp(1, length + 1), end.clamp(1, length + 1));
    let taken = usize::try_from(end - first).unwrap_or(0);
    Ok(written(text.chars().skip(first as usize - 1).take(taken).collect()))
}

fn padded(text: &str, length: usize, with: &str, left: bool) -> String {
    let own = text.chars().count();
    if own >= length || with.is_empty() {
        return text.chars().take(length).collect();
    }
    let filling: String = with.chars().cycle().take(length - own).collect();
    if left { filling + text } else { text.to_owned() + &filling }
}

/// Whether a text fits a pattern in which `%` is any text and `_` any one character.
fn is_like(text: &str, pattern: &str) -> bool {
    if text.is_ascii() && pattern.is_ascii() {
        return fits(text.as_bytes(), pattern.as_bytes(), b'%', b'_');
    }
    let (text, pattern): (Vec<char>, Vec<char>) =
        (text.chars().collect(), pattern.chars().collect());
    fits(&text, &pattern, '%', '_')
}

fn fits<T: Copy + PartialEq>(text: &[T], pattern: &[T], any: T, one: T) -> bool {
    // Where to go on when a longer text is tried for the last `any`.
    let (mut at, mut of, mut again) = (0, 0, None);
    while at < text.len() {
        match pattern.get(of) {
            Some(character) if *character == any => {
                again = Some((at, of + 1));
                of += 1;
            }
            Some(character) if *character == one || *character == text[at] => {
                at += 1;
                of += 1;
            }
            _ => match again {
                Some((from, behind)) => {
                    again = Some((from + 1, behind));
                    (at, of) = (from + 1, behind);
                }
                None => return false,
            },
        }
    }
    pattern[of..].iter().all(|character| *character == any)
}

fn part_of(field: Field, day: Day) -> i32 {
    let (year, month, of_month) = day.civil();
    match field {
        Field::Year => year,
        Field::Quarter => (month as i32 + 2) / 3,
        Field::Month => month as i32,
        Field::Week => week_of_year(Period::containing(PeriodUnit::Week, day).ordinal).1,
        Field::Day => of_month as i32,
        // 1970-01-01 was a Thursday.
        Field::Weekday => (day.0 + 3).rem_euclid(7) + 1,
    }
}

fn later(day: Day, days: i128) -> Result<Day, Overflow> {
    let days = i32::try_from(days).map_err(|_| Overflow::Days)?;
    day.0.checked_add(days).map(Day).filter(|day| day.is_written()).ok_or(Overflow::Days)
}

fn months_later(day: Day, months: i128) -> Result<Day, Overflow> {
    let months = i32::try_from(months).map_err(|_| Overflow::Days)?;
    day.months_later(months).ok_or(Overflow::Days)
}

#[cfg(test)]
mod tests {
    use super::*;
    use interligo_model::formula::FUNCTIONS;
    use proptest::prelude::*;

    /// The value of a formula without names; nothing when it overflows.
    fn value(formula: &str) -> Option<String> {
        let read = super::super::Formula::over(&[], formula);
        let read = read.unwrap_or_else(|mistake| panic!("{formula}: {}", mistake.message));
        Some(read.values(&[])?.value(0).to_string())
    }

    #[test]
    fn every_example_of_the_help_gives_what_it_says() {
        for function in FUNCTIONS {
            let found = value(function.example);
            assert_eq!(found.as_deref(), Some(function.gives), "{}", function.example);
        }
    }

    #[test]
    fn functions_keep_to_their_edges() {
        for (formula, gives) in [
            ("substring('wax' from 0 for 2)", "w"),
            ("substring('wax' from 9)", ""),
            ("left('wax', 9)", "wax"),
            ("right('wax', 0)", ""),
            ("left('wax', 1.5)", ""),
            ("mod(-7, 5)", "-2"),
            ("mod(7.5, 0)", ""),
            ("floor(3)", "3"),
            ("ceiling(-2.5)", "-2"),
            ("power(5, 0)", "1"),
            ("'añil' like '_ñ%l'", "yes"),
            ("'BO' like 'B'", "no"),
            ("'B' not like 'B%'", "no"),
            ("date(2024, 12, 31) + 60", "2025-03-01"),
            ("date(2024, 2, 29) - 366", "2023-02-28"),
            ("add_months(date(2024, 2, 29), 12)", "2025-02-28"),
            ("extract(weekday from date(2025, 11, 23))", "7"),
            ("extract(week from date(2027, 1, 1))", "53"),
            ("cast('x' as number)", ""),
            ("cast(date(2025, 1, 2) as text) || '!'", "2025-01-02!"),
            ("cast('2025-02-30' as date) is blank", "yes"),
            ("lpad('wax', 2)", "wa"),
            ("upper('ß')", "SS"),
            ("true and not false", "yes"),
        ] {
            assert_eq!(value(formula).as_deref(), Some(gives), "{formula}");
        }
        assert_eq!(value("power(99999999999999999999, 2)"), None);
        assert_eq!(value("date(9999, 12, 31) + 1"), None);
    }

    proptest! {
        /// Patterns against all ways of cutting the text.
        #[test]
        fn prop_patterns_fit_as_trying_all_cuts_says(text in "[abñ]{0,6}", pattern in "[abñ_%]{0,5}") {
            fn cut(text: &[char], pattern: &[char]) -> bool {
                match pattern.split_first() {
                    None => text.is_empty(),
                    Some(('%', rest)) => (0..=text.len()).any(|at| cut(&text[at..], rest)),
                    Some((character, rest)) => {
                        text.first().is_some_and(|t| *character == '_' || t == character) && cut(&text[1..], rest)
                    }
                }
            }
            let characters = |text: &str| text.chars().collect::<Vec<_>>();
            prop_assert_eq!(is_like(&text, &pattern), cut(&characters(&text), &characters(&pattern)));
        }

        /// The week of a year later is the same week, but for a week 53.
        #[test]
        fn prop_a_week_year_later_is_the_same_week(day in -20_000i32..40_000) {
            let later = Day(day).week_year_later().unwrap();
            let week = |day: Day| part_of(Field::Week, day);
            prop_assert_eq!(part_of(Field::Weekday, later), part_of(Field::Weekday, Day(day)));
            prop_assert_eq!(week(later), week(Day(day)).min(week(later).max(52)));
        }
    }
}
