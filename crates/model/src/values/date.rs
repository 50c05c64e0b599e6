//! Days and periods. A day is a count from 1 January 1970 in the proleptic Gregorian calendar, the
//! same as Arrow's `Date32`; a period is a year, quarter, month, week or day with its number.

use serde::{Deserialize, Serialize};
use std::fmt;

/// A day, counted from 1970-01-01.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Day(pub i32);

impl Day {
    /// Whether it can hardly be the day of a sale or price: before 1900, or from 2200 on. The end of the year 9999
    /// is how some programs write an open end.
    pub fn is_odd(self) -> bool {
        // 1900-01-01, 2200-01-01 and 9999-01-01.
        !(-25_567..84_006).contains(&self.0) && self.0 < 2_932_532
    }

    /// The day of a civil date; `None` when there is no such day, or outside the years 0 to 9999.
    pub fn from_civil(year: i32, month: u32, day: u32) -> Option<Day> {
        if !(0..=9999).contains(&year) || !(1..=12).contains(&month) || day == 0 {
            return None;
        }
        (day <= days_in_month(year, month)).then(|| Day(days_from_civil(year, month, day)))
    }

    /// Reads `2025-12-31` (ISO 8601, extended form) and nothing else.
    pub fn parse(text: &[u8]) -> Option<Day> {
        let t: &[u8; 10] = text.try_into().ok()?;
        if t[4] != b'-' || t[7] != b'-' {
            return None;
        }
        let mut digits = [0u32; 10];
        for (digit, byte) in digits.iter_mut().zip(t) {
            *digit = u32::from(byte.wrapping_sub(b'0'));
        }
        let d = |i: usize| digits[i];
        if [0, 1, 2, 3, 5, 6, 8, 9].iter().any(|&i| digits[i] > 9) {
            return None;
        }
        let year = d(0) * 1000 + d(1) * 100 + d(2) * 10 + d(3);
        Day::from_civil(year as i32, d(5) * 10 + d(6), d(8) * 10 + d(9))
    }

    /// Appends the day as `2025-12-31`; the text is that of its `Display`.
    pub fn write(self, out: &mut Vec<u8>) {
        let (year, month, day) = self.civil();
        let mut text = *b"0000-00-00";
        let numbers = [(0, year as u32 / 100), (2, year as u32 % 100), (5, month), (8, day)];
        for (at, number) in numbers {
            text[at] = b'0' + (number / 10 % 10) as u8;
            text[at + 1] = b'0' + (number % 10) as u8;
        }
        out.extend_from_slice(&text);
    }

    /// Year, month (1 to 12) and day of the month.
    pub fn civil(self) -> (i32, u32, u32) {
        // Days since 0000-03-01, so that a leap day ends its year; the counts of days per 400, 100,
        // 4 years and per month follow from there (the usual era arithmetic, as in the public
        // description of civil-from-days algorithms by H. Hinnant).
        let z = self.0 + 719_468;
        let era = z.div_euclid(146_097);
        let day_of_era = z.rem_euclid(146_097);
        let year_of_era =
            (day_of_era - day_of_era / 1460 + day_of_era / 36_524 - day_of_era / 146_096) / 365;
        let day_of_year = day_of_era - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
        let shifted_month = (5 * day_of_year + 2) / 153;
        let day = day_of_year - (153 * shifted_month + 2) / 5 + 1;
        let month = if shifted_month < 10 { shifted_month + 3 } else { shifted_month - 9 };
        let year = year_of_era + era * 400 + i32::from(month <= 2);
        (year, month as u32, day as u32)
    }
}

impl Day {
    /// Whether it lies in the years that can be written, 0 to 9999.
    pub fn is_written(self) -> bool {
        // 0000-01-01 and 9999-12-31.
        (-719_528..=2_932_896).contains(&self.0)
    }

    /// The same day of the month this many months later, or the last of a shorter month.
    pub fn months_later(self, months: i32) -> Option<Day> {
        let (year, month, day) = self.civil();
        let months = year.checked_mul(12)?.checked_add(month as i32 - 1)?.checked_add(months)?;
        let (year, month) = (months.div_euclid(12), months.rem_euclid(12) as u32 + 1);
        Day::from_civil(year, month, day.min(days_in_month(year, month)))
    }

    /// The same day of the same week of ISO 8601 in the next year; of week 53 where that has only 52, the one
    /// 52 weeks later.
    pub fn week_year_later(self) -> Option<Day> {
        let weeks = Period::containing(PeriodUnit::Week, self).ordinal;
        let (year, week) = week_of_year(weeks);
        let last_of_year = week_of_year(weeks + 53 - week);
        let weeks_of_year = if last_of_year == (year, 53) && week < 53 { 53 } else { 52 };
        Some(Day(self.0.checked_add(7 * weeks_of_year)?)).filter(|day| day.is_written())
    }
}

/// The year and number of a week of ISO 8601, of which a period holds the count. A week belongs to the year of
/// its Thursday.
pub fn week_of_year(weeks: i32) -> (i32, i32) {
    let thursday = Day(weeks.saturating_mul(7));
    let (year, _, _) = thursday.civil();
    (year, (thursday.0 - days_from_civil(year, 1, 1)) / 7 + 1)
}

fn days_from_civil(year: i32, month: u32, day: u32) -> i32 {
    let year = if month <= 2 { year - 1 } else { year };
    let era = year.div_euclid(400);
    let year_of_era = year.rem_euclid(400);
    let month = month as i32;
    let shifted_month = if month > 2 { month - 3 } else { month + 9 };
    let day_of_year = (153 * shifted_month + 2) / 5 + day as i32 - 1;
    let day_of_era = year_of_era * 365 + year_of_era / 4 - year_of_era / 100 + day_of_year;
    era * 146_097 + day_of_era - 719_468
}

fn days_in_month(year: i32, month: u32) -> u32 {
    match month {
        2 if year % 4 == 0 && (year % 100 != 0 || year % 400 == 0) => 29,
        2 => 28,
        4 | 6 | 9 | 11 => 30,
        _ => 31,
    }
}

impl fmt::Display for Day {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (year, month, day) = self.civil();
        write!(f, "{year:04}-{month:02}-{day:02}")
    }
}

/// The length of a period.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub enum PeriodUnit {
    /// A calendar year, written `2025`.
    Year,
    /// A quarter, written `2025-Q3`.
    Quarter,
    /// A month, written `2025-03`.
    Month,
    /// A week of ISO 8601, Monday to Sunday, written `2025-W14`.
    Week,
    /// A day, written `2025-03-05`.
    Day,
}

impl PeriodUnit {
    /// The unit's name, which is also its function's in formulas.
    pub fn name(self) -> &'static str {
        match self {
            PeriodUnit::Year => "year",
            PeriodUnit::Quarter => "quarter",
            PeriodUnit::Month => "month",
            PeriodUnit::Week => "week",
            PeriodUnit::Day => "day",
        }
    }

    /// A period of this unit as its readers know it, for messages.
    pub fn sample(self) -> &'static str {
        match self {
            PeriodUnit::Year => "2025",
            PeriodUnit::Quarter => "2025-Q3",
            PeriodUnit::Month => "2025-03",
            PeriodUnit::Week => "2025-W14",
            PeriodUnit::Day => "2025-03-05",
        }
    }
}

/// A year, quarter, month, week or day. Periods of one unit are in the order of time.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Period {
    /// The length of the period.
    pub unit: PeriodUnit,
    /// Years, quarters, months, weeks or days since a fixed first one.
    pub ordinal: i32,
}

impl Period {
    /// The period of `unit` in which `day` lies.
    pub fn containing(unit: PeriodUnit, day: Day) -> Period {
        let ordinal = match unit {
            PeriodUnit::Day => day.0,
            // 1970-01-01 was a Thursday; weeks are counted from the Monday before it.
            PeriodUnit::Week => (day.0 + 3).div_euclid(7),
            _ => {
                let (year, month, _) = day.civil();
                let month = month as i32 - 1;
                match unit {
                    PeriodUnit::Year => year,
                    PeriodUnit::Quarter => year * 4 + month / 3,
                    _ => year * 12 + month,
                }
            }
        };
        Period { unit, ordinal }
    }

    /// Reads a period of `unit` as [`Period`]'s `Display` writes it; `None` for any other text.
    pub fn parse(unit: PeriodUnit, text: &str) -> Option<Period> {
        let year = || text.get(..4)?.bytes().all(|b| b.is_ascii_digit()).then(|| &text[..4]);
        let first_day = match unit {
            PeriodUnit::Year => format!("{}-01-01", year()?),
            PeriodUnit::Quarter => {
                let quarter: u32 = text.strip_prefix(&format!("{}-Q", year()?))?.parse().ok()?;
                let month = quarter.checked_sub(1)?.checked_mul(3)?.checked_add(1)?;
                format!("{}-{month:02}-01", year()?)
            }
            PeriodUnit::Month => format!("{text}-01"),
            PeriodUnit::Day => text.to_owned(),
            PeriodUnit::Week => {
                let week: i32 = text.strip_prefix(&format!("{}-W", year()?))?.parse().ok()?;
                // 4 January is always in week 1.
                let fourth = Day::parse(format!("{}-01-04", year()?).as_bytes())?;
                let week = week.checked_sub(1)?.checked_mul(7)?;
                Day(fourth.0.checked_add(week)?).to_string()
            }
        };
        let period = Period::containing(unit, Day::parse(first_day.as_bytes())?);
        (period.to_string() == text).then_some(period)
    }
}

impl Period {
    /// Reads a year, quarter, month, week or day as price lists name them: `2025`, `2025-Q3`, `Q3 2025`,
    /// `2025-03`, `03/2025`, `202503`, `Mar 2025`, `2025-W14`, `2025-03-05`.
    pub fn read(text: &str) -> Option<Period> {
        let text = text.trim();
        for unit in [
            PeriodUnit::Year,
            PeriodUnit::Quarter,
            PeriodUnit::Month,
            PeriodUnit::Week,
            PeriodUnit::Day,
        ] {
            if let Some(period) = Period::parse(unit, text) {
                return Some(period);
            }
        }
        if text.len() == 6 && text.bytes().all(|character| character.is_ascii_digit()) {
            return Period::of_year(&text[..4], Some((PeriodUnit::Month, &text[4..])));
        }
        let mut pieces = text.split(['-', '/', '.', ' ']).filter(|piece| !piece.is_empty());
        let (one, other) = (pieces.next()?, pieces.next());
        if pieces.next().is_some() {
            return None;
        }
        let is_year = |piece: &str| piece.len() == 4 && piece.bytes().all(|b| b.is_ascii_digit());
        let (year, part) = match other {
            // `2025Q3`, `2025W14`.
            None => {
                let (year, part) = one.split_at_checked(4)?;
                (year, part.starts_with(['Q', 'q', 'W', 'w']).then_some(part)?)
            }
            Some(other) if is_year(one) => (one, other),
            Some(other) => (other, one),
        };
        let unit = match part.chars().next()? {
            'Q' | 'q' => PeriodUnit::Quarter,
            'W' | 'w' => PeriodUnit::Week,
            _ => PeriodUnit::Month,
        };
        is_year(year).then_some(())?;
        Period::of_year(year, Some((unit, part)))
    }

    /// A year, or a part of it by its number or, for a month, by its English name.
    pub fn of_year(year: &str, part: Option<(PeriodUnit, &str)>) -> Option<Period> {
        let year: i32 = year.parse().ok().filter(|year| (0..=9999).contains(year))?;
        let Some((unit, part)) = part else {
            return Some(Period { unit: PeriodUnit::Year, ordinal: year });
        };
        let digits = part.trim_start_matches(['Q', 'q', 'W', 'w']);
        let number = digits.parse::<i32>().ok().or_else(|| month_called(part));
        let number = number?;
        match unit {
            PeriodUnit::Quarter if (1..=4).contains(&number) => {
                Some(Period { unit, ordinal: year * 4 + number - 1 })
            }
            PeriodUnit::Month if (1..=12).contains(&number) => {
                Some(Period { unit, ordinal: year * 12 + number - 1 })
            }
            PeriodUnit::Week => Period::parse(unit, &format!("{year:04}-W{number:02}")),
            _ => None,
        }
    }

    /// The first and the last day.
    pub fn days(self) -> Option<(Day, Day)> {
        let first = |ordinal: i32| match self.unit {
            PeriodUnit::Day => Some(Day(ordinal)),
            PeriodUnit::Week => Some(Day(ordinal.checked_mul(7)?.checked_sub(3)?)),
            PeriodUnit::Year => Day::from_civil(ordinal, 1, 1),
            PeriodUnit::Quarter => {
                Day::from_civil(ordinal.div_euclid(4), ordinal.rem_euclid(4) as u32 * 3 + 1, 1)
            }
            PeriodUnit::Month => {
                Day::from_civil(ordinal.div_euclid(12), ordinal.rem_euclid(12) as u32 + 1, 1)
            }
        };
        let next = match self.unit {
            // The year 10000 has no days to count from.
            PeriodUnit::Year if self.ordinal == 9999 => Day(Day::from_civil(9999, 12, 31)?.0 + 1),
            _ => first(self.ordinal + 1)
                .or_else(|| Some(Day(Day::from_civil(9999, 12, 31)?.0 + 1)))?,
        };
        Some((first(self.ordinal)?, Day(next.0 - 1)))
    }
}

/// The number of a month by its English name, in full or by at least its first three letters.
fn month_called(name: &str) -> Option<i32> {
    const MONTHS: [&str; 12] = [
        "january",
        "february",
        "march",
        "april",
        "may",
        "june",
        "july",
        "august",
        "september",
        "october",
        "november",
        "december",
    ];
    let name = name.trim_end_matches('.').to_lowercase();
    let known = MONTHS.iter().position(|month| name.len() >= 3 && month.starts_with(&name));
    known.map(|month| month as i32 + 1)
}

impl fmt::Display for Period {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let n = self.ordinal;
        match self.unit {
            PeriodUnit::Year => write!(f, "{n:04}"),
            PeriodUnit::Quarter => write!(f, "{:04}-Q{}", n.div_euclid(4), n.rem_euclid(4) + 1),
            PeriodUnit::Month => write!(f, "{:04}-{:02}", n.div_euclid(12), n.rem_euclid(12) + 1),
            PeriodUnit::Day => Day(n).fmt(f),
            PeriodUnit::Week => {
                let (year, week) = week_of_year(n);
                write!(f, "{year:04}-W{week:02}")
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_day_of_four_centuries_agrees_with_the_calendar_library() {
        let mut civil = jiff::civil::date(1899, 12, 31);
        let mut day = Day::from_civil(1899, 12, 31).unwrap();
        while civil.year() < 2300 {
            civil = civil.tomorrow().unwrap();
            day = Day(day.0 + 1);
            let parts = (i32::from(civil.year()), civil.month() as u32, civil.day() as u32);
            assert_eq!(day.civil(), parts);
            assert_eq!(Day::parse(civil.to_string().as_bytes()), Some(day));
            let mut written = Vec::new();
            day.write(&mut written);
            assert_eq!(written, day.to_string().into_bytes());
            let week = civil.iso_week_date();
            let shown = format!("{:04}-W{:02}", week.year(), week.week());
            let period = Period::containing(PeriodUnit::Week, day);
            assert_eq!(period.to_string(), shown);
            assert_eq!(Period::parse(PeriodUnit::Week, &shown), Some(period));
        }
    }

    #[test]
    fn days_that_do_not_exist_are_refused() {
        for text in
            ["2025-02-29", "2025-13-01", "2025-00-10", "2025-01-00", "31/12/2025", "2025-1-1", ""]
        {
            assert_eq!(Day::parse(text.as_bytes()), None, "{text}");
        }
        assert!(Day::parse(b"2024-02-29").is_some());
    }

    #[test]
    fn periods_read_as_they_are_written() {
        let day = Day::parse(b"2025-08-09").unwrap();
        for (unit, shown) in [
            (PeriodUnit::Year, "2025"),
            (PeriodUnit::Quarter, "2025-Q3"),
            (PeriodUnit::Month, "2025-08"),
            (PeriodUnit::Week, "2025-W32"),
            (PeriodUnit::Day, "2025-08-09"),
        ] {
            let period = Period::containing(unit, day);
            assert_eq!(period.to_string(), shown);
            assert_eq!(Period::parse(unit, shown), Some(period));
        }
        for (unit, text) in [
            (PeriodUnit::Year, "25"),
            (PeriodUnit::Quarter, "2025-Q5"),
            (PeriodUnit::Month, "2025-13"),
            (PeriodUnit::Week, "2025-W54"),
            (PeriodUnit::Year, "é0"),
        ] {
            assert_eq!(Period::parse(unit, text), None, "{text}");
        }
    }

    #[test]
    fn periods_are_read_as_price_lists_name_them() {
        for (texts, period) in [
            (&["2025", " 2025 "][..], "2025"),
            (&["2025-Q3", "2025Q3", "Q3 2025", "2025 q3", "Q3/2025"], "2025-Q3"),
            (
                &[
                    "2025-03",
                    "2025/3",
                    "03/2025",
                    "3.2025",
                    "202503",
                    "Mar 2025",
                    "2025 march",
                    "Mar. 2025",
                ],
                "2025-03",
            ),
            (&["2025-W01", "2025W1", "W01 2025"], "2025-W01"),
            (&["2025-03-05"], "2025-03-05"),
        ] {
            for text in texts {
                assert_eq!(
                    Period::read(text).map(|p| p.to_string()).as_deref(),
                    Some(period),
                    "{text}"
                );
            }
        }
        for text in [
            "",
            "25",
            "20255",
            "2025-13",
            "2025-Q5",
            "2025-W54",
            "Smarch 2025",
            "ma 2025",
            "1/2/3",
            "é",
            "2025é",
            "Q",
            "W",
        ] {
            assert_eq!(Period::read(text), None, "{text}");
        }
    }

    proptest::proptest! {
        /// The days of a period are those that lie in it.
        #[test]
        fn prop_a_period_has_the_days_that_lie_in_it(
            ordinal in -30_000i32..80_000,
            unit in proptest::sample::select(vec![
                PeriodUnit::Year, PeriodUnit::Quarter, PeriodUnit::Month, PeriodUnit::Week, PeriodUnit::Day,
            ]),
        ) {
            let day = Day(ordinal);
            let period = Period::containing(unit, day);
            let (first, last) = period.days().unwrap();
            proptest::prop_assert!(first <= day && day <= last);
            for inside in [first, last] {
                proptest::prop_assert_eq!(Period::containing(unit, inside), period);
            }
            for outside in [Day(first.0 - 1), Day(last.0 + 1)] {
                proptest::prop_assert_ne!(Period::containing(unit, outside), period);
            }
            let text = period.to_string();
            proptest::prop_assert_eq!(Period::read(&text), Some(period), "{}", text);
        }
    }

    #[test]
    fn days_that_can_hardly_be_meant_are_odd() {
        let odd = |text: &str| Day::parse(text.as_bytes()).unwrap().is_odd();
        for text in ["0205-03-04", "1899-12-31", "2200-01-01", "5025-01-01"] {
            assert!(odd(text), "{text}");
        }
        for text in ["1900-01-01", "2025-02-28", "2199-12-31", "9999-12-31"] {
            assert!(!odd(text), "{text}");
        }
    }

    proptest::proptest! {
        /// Months later, and the same week of the next year, as the calendar library has them.
        #[test]
        fn prop_later_days_agree_with_the_calendar_library(days in 0i32..60_000, months in -400i32..400) {
            let civil = |day: Day| {
                let (year, month, of_month) = day.civil();
                jiff::civil::date(year as i16, month as i8, of_month as i8)
            };
            let day = Day(days);
            let later = day.months_later(months).map(civil);
            proptest::prop_assert_eq!(later, civil(day).checked_add(jiff::Span::new().months(months)).ok());
            let (own, next) = (civil(day).iso_week_date(), civil(day.week_year_later().unwrap()).iso_week_date());
            proptest::prop_assert_eq!(next.weekday(), own.weekday());
            proptest::prop_assert_eq!(next.year(), own.year() + 1);
            let weeks = next.last_of_year().unwrap().week();
            proptest::prop_assert_eq!(next.week(), own.week().min(weeks));
        }
    }

    #[test]
    fn days_beyond_the_written_years_are_none() {
        let last = Day::from_civil(9999, 12, 31).unwrap();
        assert!(last.is_written() && !Day(last.0 + 1).is_written());
        assert_eq!(last.months_later(1), None);
        assert_eq!(last.week_year_later(), None);
        assert_eq!(Day::from_civil(0, 1, 1).unwrap().months_later(-1), None);
    }
}
