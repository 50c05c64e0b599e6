//! How the numbers and days of a file are written: said by the plan, or found by reading, or open where
//! what was read leaves two readings.

use interligo_model::reading::date_style::DateStyle;
use interligo_model::reading::style::{NumberStyle, Rivals, Style};
use interligo_model::values::amount;

/// A style with what was left open.
#[derive(Clone, Debug, Default)]
pub struct FoundStyle {
    /// The style.
    pub style: Style,
    /// The styles that read all texts just as well.
    pub rivals: Rivals,
    /// Fields with a number that has two readings, with it and both.
    pub open_numbers: Vec<Open>,
    /// The same for days.
    pub open_dates: Vec<Open>,
}

/// A text with two readings.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Open {
    /// The field.
    pub field: usize,
    /// What is there.
    pub text: String,
    /// What it may say, and the format sample of each way of writing.
    pub readings: [(String, String); 2],
}

/// The ways of writing days that are looked for.
const DATES: [&str; 17] = [
    "2025-12-31",
    "31/12/2025",
    "12/31/2025",
    "31.12.2025",
    "12.31.2025",
    "31-12-2025",
    "12-31-2025",
    "2025/12/31",
    "2025.12.31",
    "31-Dec-2025",
    "31 Dec 2025",
    "31/12/25",
    "12/31/25",
    "31.12.25",
    "25/12/31",
    "25-12-31",
    "25.12.31",
];

/// No number with what stands around it is longer than this.
const LONGEST_NUMBER: usize = 60;

/// No day with its time is longer than this.
const LONGEST_DAY: usize = 24;

/// How many texts of a column are tried first.
const FEW: usize = 100;

/// The ways in which a time may follow.
const TIMES: [&str; 3] = ["", " 23:59", "T23:59"];

/// The number in front of a percent separator, if there is one.
fn number(text: &str) -> &str {
    text.strip_suffix('%').unwrap_or(text).trim_end()
}

/// Finds the style of a file by its columns, except for what is given.
pub fn find(
    columns: &[Vec<&str>],
    numbers: Option<NumberStyle>,
    dates: Option<DateStyle>,
) -> FoundStyle {
    let mut found = FoundStyle::default();
    match numbers {
        Some(given) => found.style.numbers = given,
        None => {
            let styles = NumberStyle::ALL.map(|style| (style.to_string(), style));
            // Digits without any mark go with every way of writing.
            let neutral = |text: &str| {
                amount::digits(number(text))
                    .is_some_and(|digits| digits.bytes().all(|b| b.is_ascii_digit() || b == b'+'))
            };
            let read = |style: &NumberStyle, text: &str| {
                let may = text.len() <= LONGEST_NUMBER && text.bytes().any(|b| b.is_ascii_digit());
                if may { Some(amount::read(number(text), *style)?.number) } else { None }
            };
            match decide(&styles, columns, neutral, read) {
                Ok(decided) => {
                    found.style.numbers = decided.style;
                    found.rivals.numbers = decided.rivals;
                }
                Err(open) => found.open_numbers = open,
            }
        }
    }
    match dates {
        Some(given) => found.style.dates = given,
        None => {
            let specimens =
                TIMES.iter().flat_map(|time| DATES.iter().map(move |date| format!("{date}{time}")));
            let styles: Vec<(String, DateStyle)> = specimens
                .filter_map(|sample| {
                    DateStyle::from_sample(&sample).map(|style| (sample, style.as_looked_for()))
                })
                .flat_map(|(sample, style)| {
                    let earlier = style.in_earlier_century().map(|style| (sample.clone(), style));
                    [(sample, style)].into_iter().chain(earlier)
                })
                .collect();
            let read = |style: &DateStyle, text: &str| {
                let begins =
                    text.len() <= LONGEST_DAY && text.starts_with(|c: char| c.is_ascii_digit());
                if begins { style.read(text) } else { None }
            };
            match decide(&styles, columns, |_| false, read) {
                Ok(decided) => {
                    found.style.dates = decided.style;
                    found.rivals.dates = decided.rivals;
                }
                Err(open) => found.open_dates = open,
            }
        }
    }
    found
}

/// A style, and those that read all texts just as well.
struct Decided<S> {
    style: S,
    rivals: Vec<S>,
}

/// The first style that reads most of every column that some style reads, texts that are `neutral` apart; the usual one when there are no such
/// columns.
///
/// # Errors
/// Texts that styles read differently, when more than one style reads everything; or, when none does,
/// texts of columns that can only be read in different styles.
fn decide<S: Copy + Default + PartialEq, V: PartialEq + ToString>(
    styles: &[(String, S)],
    columns: &[Vec<&str>],
    neutral: impl Fn(&str) -> bool,
    read: impl Fn(&S, &str) -> Option<V>,
) -> Result<Decided<S>, Vec<Open>> {
    let mut fitting: Vec<usize> = (0..styles.len()).collect();
    // Of each column that counts, its texts that say something.
    let mut telling: Vec<(usize, Vec<&str>)> = Vec::new();
    for (field, texts) in columns.iter().enumerate() {
        let filled = texts.iter().map(|text| text.trim()).filter(|text| !text.is_empty());
        let texts: Vec<&str> = filled.filter(|text| !neutral(text)).collect();
        // A few texts, from all over, show which styles are worth trying on all of them.
        let few = || texts.iter().step_by((texts.len() / FEW).max(1));
        let half = few().count().div_ceil(2);
        let count = |style: &S| {
            let reads = few().filter(|text| read(style, text).is_some()).count();
            let all = || texts.iter().filter(|text| read(style, text).is_some()).count();
            if reads < half { 0 } else { all() }
        };
        let counts: Vec<usize> = styles.iter().map(|(_, style)| count(style)).collect();
        let most = counts.iter().copied().max().unwrap_or(0);
        // A typing error here and there does not make a column of numbers one of text.
        if most > 0 && most * 5 >= texts.len() * 4 {
            fitting.retain(|number| counts[*number] == most);
            let told = counts.iter().position(|count| *count == most).unwrap_or(0);
            let texts = texts.into_iter().filter(|text| read(&styles[told].1, text).is_some());
            telling.push((field, texts.collect()));
        }
    }
    let Some(first) = fitting.first().copied() else {
        return Err(disagreeing(styles, &telling, read));
    };
    let decided = |style: S| {
        let fitting = fitting.iter().map(|number| styles[*number].1);
        Decided { style, rivals: fitting.filter(|other| *other != style).collect() }
    };
    let mut open = Vec::new();
    for (field, texts) in &telling {
        let other = texts.iter().find_map(|text| {
            let value = read(&styles[first].1, text)?;
            let other =
                fitting.iter().find(|n| read(&styles[**n].1, text).is_some_and(|v| v != value))?;
            Some((*text, value, *other))
        });
        if let Some((text, value, other)) = other {
            let second =
                read(&styles[other].1, text).map_or(String::new(), |value| value.to_string());
            open.push(Open {
                field: *field,
                text: text.to_owned(),
                readings: [
                    (value.to_string(), styles[first].0.clone()),
                    (second, styles[other].0.clone()),
                ],
            });
        }
    }
    match (open.is_empty(), telling.is_empty()) {
        (_, true) => Ok(decided(S::default())),
        (true, false) => Ok(decided(styles[first].1)),
        (false, false) => Err(open),
    }
}

/// A text of each column, with two ways in which texts of the file must be read.
fn disagreeing<S, V: ToString>(
    styles: &[(String, S)],
    telling: &[(usize, Vec<&str>)],
    read: impl Fn(&S, &str) -> Option<V>,
) -> Vec<Open> {
    let one = |(field, texts): &(usize, Vec<&str>)| {
        let way = |text: &str| {
            let (sample, style) = styles.iter().find(|(_, style)| read(style, text).is_some())?;
            Some((read(style, text)?.to_string(), sample.clone()))
        };
        let text = texts[0];
        let first = way(text)?;
        let others = telling.iter().flat_map(|(_, texts)| texts).filter_map(|text| way(text));
        let second = others.into_iter().find(|(_, sample)| *sample != first.1)?;
        Some(Open { field: *field, text: text.to_owned(), readings: [first, second] })
    };
    telling.iter().filter_map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn numbers(columns: &[&[&str]]) -> Result<String, Vec<String>> {
        let columns: Vec<Vec<&str>> = columns.iter().map(|c| c.to_vec()).collect();
        let found = find(&columns, None, None);
        let texts: Vec<String> = found.open_numbers.into_iter().map(|open| open.text).collect();
        if texts.is_empty() { Ok(found.style.numbers.to_string()) } else { Err(texts) }
    }

    fn dates(columns: &[&[&str]]) -> Result<DateStyle, Vec<[String; 2]>> {
        let columns: Vec<Vec<&str>> = columns.iter().map(|c| c.to_vec()).collect();
        let found = find(&columns, None, None);
        let ways = found.open_dates.into_iter().map(|open| open.readings.map(|(_, way)| way));
        let ways: Vec<_> = ways.collect();
        if ways.is_empty() { Ok(found.style.dates) } else { Err(ways) }
    }

    #[test]
    fn the_numbers_of_a_file_decide_for_each_other() {
        assert_eq!(numbers(&[&["1", "20"]]), Ok("1234.56".into()));
        assert_eq!(numbers(&[&["1.5", "20"]]), Ok("1234.56".into()));
        assert_eq!(numbers(&[&["1,5", "20"]]), Ok("1234,56".into()));
        assert_eq!(numbers(&[&["1.234,5", "1,25"]]), Ok("1.234,56".into()));
        assert_eq!(numbers(&[&["0.125"]]), Ok("1234.56".into()));
        assert_eq!(numbers(&[&["1.234"], &["0,5"]]), Ok("1.234,56".into()));
        assert_eq!(
            numbers(&[&["12,5 %", "0", "5 %", "10%"], &["two", "words"]]),
            Ok("1234,56".into())
        );
        assert_eq!(numbers(&[&["1.5", "x", "2.5", "3.5", "4.5"]]), Ok("1234.56".into()));
        assert_eq!(numbers(&[&["1.25", "1,5", "2.5", "0.5", "3.5"]]), Ok("1234.56".into()));
        assert_eq!(
            numbers(&[&["1.234", "1,5", "2.345", "0.5", "3.456"]]),
            Err(vec!["1.234".into()])
        );
        // Two readings are left, or none.
        assert_eq!(numbers(&[&["1.234", "5.678"]]), Err(vec!["1.234".into()]));
        assert_eq!(numbers(&[&["1,234", "x"], &["12,345"]]), Err(vec!["12,345".into()]));
        assert_eq!(numbers(&[&["1.25"], &["1,25"]]), Err(vec!["1.25".into(), "1,25".into()]));
    }

    #[test]
    fn a_thirteenth_day_decides_the_order() {
        let style = |sample| DateStyle::from_sample(sample).unwrap();
        assert_eq!(dates(&[&["2025-01-02"]]), Ok(DateStyle::ISO));
        assert_eq!(dates(&[&["01/02/2025", "13/02/2025"]]), Ok(style("31/12/2025")));
        assert_eq!(dates(&[&["01/02/2025"], &["12/13/2025"]]), Ok(style("12/31/2025")));
        assert_eq!(dates(&[&["7-Mar-2025", "31-Jan-2024"]]), Ok(style("31-Dec-2025")));
        assert_eq!(dates(&[&["31.12.2025 08:30", ""]]), Ok(style("31.12.2025 23:59")));
        assert_eq!(
            dates(&[&["03/04/2025", "05/06/2025"]]),
            Err(vec![["31/12/2025".into(), "12/31/2025".into()]])
        );
    }

    use proptest::prelude::*;

    /// A number with this many places, written in a style.
    fn written(mantissa: i64, places: u32, style: NumberStyle, grouped: bool) -> String {
        let (whole, rest) = (mantissa / 10i64.pow(places), mantissa % 10i64.pow(places));
        let digits = whole.to_string();
        let mut text = String::new();
        for (at, digit) in digits.chars().enumerate() {
            if grouped && at > 0 && (digits.len() - at).is_multiple_of(3) {
                text.extend(style.thousands);
            }
            text.push(digit);
        }
        if places > 0 {
            text += &format!("{}{rest:0width$}", style.decimal, width = places as usize);
        }
        text
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(2_000))]

        /// The style that is found reads every number as it was meant, or the file is asked about; and it
        /// is asked about only where another style reads all of them, and one of them differently.
        #[test]
        fn prop_numbers_are_read_as_meant_or_asked_about(
            numbers in prop::collection::vec((0i64..9_999_999, 0u32..4), 1..8), style in 0usize..7, grouped in any::<bool>(),
        ) {
            let style = NumberStyle::ALL[style];
            let texts: Vec<String> =
                numbers.iter().map(|(mantissa, places)| written(*mantissa, *places, style, grouped)).collect();
            let column: Vec<&str> = texts.iter().map(String::as_str).collect();
            let found = find(&[column], None, None);
            let meant: Vec<_> = texts.iter().map(|text| style.read(text)).collect();
            let reads = |other: &NumberStyle| -> Vec<_> { texts.iter().map(|text| other.read(text)).collect() };
            let rivals = NumberStyle::ALL.iter().filter(|other| {
                let values = reads(other);
                values.iter().all(Option::is_some) && values != meant
            });
            if rivals.count() == 0 {
                prop_assert!(found.open_numbers.is_empty(), "{texts:?}");
                prop_assert_eq!(reads(&found.style.numbers), meant, "{:?}", texts);
            } else {
                prop_assert!(!found.open_numbers.is_empty(), "{texts:?}");
            }
        }

        /// The same for days.
        #[test]
        fn prop_days_are_read_as_meant_or_asked_about(
            days in prop::collection::vec((1u32..=12, 1u32..=28, 2019i32..2032), 1..8),
            sample in prop::sample::select(DATES.to_vec()), time in prop::sample::select(TIMES.to_vec()),
        ) {
            let sample = format!("{sample}{time}");
            let style = DateStyle::from_sample(&sample).unwrap().as_looked_for();
            let text = |(month, day, year): &(u32, u32, i32)| {
                const NAMES: [&str; 12] =
                    ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
                let short = if sample.contains("2025") { "2025" } else { "25" };
                let year = year.to_string();
                sample
                    .replace(short, if short == "2025" { "Y" } else { "y" })
                    .replace("31", &format!("{day:02}"))
                    .replace("Dec", NAMES[*month as usize - 1])
                    .replace("12", &format!("{month:02}"))
                    .replace('Y', &year)
                    .replace('y', &year[2..])
            };
            let texts: Vec<String> = days.iter().map(text).collect();
            let meant: Vec<_> = texts.iter().map(|text| style.read(text)).collect();
            prop_assume!(meant.iter().all(Option::is_some));
            let found = find(&[texts.iter().map(String::as_str).collect()], None, None);
            let specimens = TIMES.iter().flat_map(|time| DATES.iter().map(move |date| format!("{date}{time}")));
            let styles = specimens.map(|other| DateStyle::from_sample(&other).unwrap().as_looked_for());
            let rivals = styles.flat_map(|style| [Some(style), style.in_earlier_century()]).flatten().filter(|other| {
                let values: Vec<_> = texts.iter().map(|text| other.read(text)).collect();
                values.iter().all(Option::is_some) && values != meant
            });
            if rivals.count() == 0 {
                let read: Vec<_> = texts.iter().map(|text| found.style.dates.read(text)).collect();
                prop_assert_eq!(read, meant, "{:?}", texts);
            } else {
                prop_assert!(!found.open_dates.is_empty(), "{texts:?}");
            }
        }
    }
}
