//! How days are written in a file, with or without their time.

use std::fmt::{self, Write};

use crate::values::date::Day;
use crate::values::value::Value;

/// A part of the way in which days are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum DatePiece {
    Day,
    Month,
    MonthName,
    Year,
    /// The last two digits of a year: 00 to 68 are after 2000, as POSIX has it for `%y`.
    ShortYear,
    /// The same where 30 to 68 are after 1900.
    EarlierShortYear,
    /// The same where 30 to 69 are none; for looking whether what comes first may be a year.
    LikelyShortYear,
    /// Hours and minutes, perhaps seconds; a day is the day as written.
    Time,
    /// Days since an epoch, which is this many days after 1970-01-01; a fraction is the time of the day.
    DayNumber(i32),
    /// A character between the others.
    Between(char),
}

/// The 31st of December 2025, in days since 1970-01-01.
const LAST_OF_2025: i32 = 20_453;

/// The day 0 of workbooks, 1899-12-30 or 1904-01-01, in days since 1970-01-01.
const EPOCHS: [i32; 2] = [-25_569, -24_107];

/// The most pieces that a way of writing days may have.
const PIECES: usize = 8;

/// How days are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct DateStyle {
    pieces: [Option<DatePiece>; PIECES],
}

/// What comes after a time of the day: `08:30`, `08:30:15`, `08:30:15.250`, each with a zone or without: `Z`,
/// `+02:00`, `+0200`, `+02`. `None` where there is no time.
fn behind_time(text: &str) -> Option<&str> {
    let is_digit = |c: char| c.is_ascii_digit();
    let end = text.find(|c: char| !(is_digit(c) || c == ':')).unwrap_or(text.len());
    let (time, mut rest) = text.split_at(end);
    let parts: Vec<&str> = time.split(':').collect();
    let fits = (2..=3).contains(&parts.len()) && parts.iter().all(|part| part.len() == 2);
    if !fits {
        return None;
    }
    if let Some(fraction) = rest.strip_prefix(['.', ',']).filter(|f| f.starts_with(is_digit)) {
        rest = fraction.trim_start_matches(is_digit);
    }
    if let Some(zone) = rest.strip_prefix(['+', '-']) {
        let end = zone.find(|c: char| !(is_digit(c) || c == ':')).unwrap_or(zone.len());
        let (zone, behind) = zone.split_at(end);
        let pieces = zone.split(':').map(str::len).collect::<Vec<_>>();
        return matches!(pieces.as_slice(), [2] | [4] | [2, 2]).then_some(behind);
    }
    Some(rest.strip_prefix('Z').unwrap_or(rest))
}

/// The time of the day that a text has behind its day, in thousandths of a second; a zone is left out, as for the day.
pub fn millis_of_day(text: &str) -> Option<u32> {
    let colon = text.find(':')?;
    let hours = text.get(colon.checked_sub(2)?..colon)?;
    let rest = text.get(colon + 1..)?;
    let number = |text: &str| text.parse::<u32>().ok();
    let mut millis = (number(hours)? * 60 + number(rest.get(..2)?)?) * 60_000;
    if let Some(rest) = rest.get(2..).and_then(|rest| rest.strip_prefix(':')) {
        millis += number(rest.get(..2)?)? * 1000;
        if let Some(fraction) = rest.get(2..).and_then(|rest| rest.strip_prefix(['.', ','])) {
            let digits: String =
                fraction.chars().take_while(char::is_ascii_digit).take(3).collect();
            millis += number(&format!("{digits:0<3}"))?;
        }
    }
    Some(millis)
}

/// A day with the time that its text has, for comparing which of two is later; other values stay.
pub fn moment<'v>(value: Value<'v>, text: &str) -> Value<'v> {
    match value {
        Value::Date(day) => {
            let millis =
                i64::from(day.0) * 86_400_000 + i64::from(millis_of_day(text).unwrap_or(0));
            Value::Number(millis.into())
        }
        value => value,
    }
}

const MONTHS: [&str; 12] =
    ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];

impl Default for DateStyle {
    fn default() -> DateStyle {
        DateStyle::ISO
    }
}

impl DateStyle {
    /// `2025-12-31`.
    pub const ISO: DateStyle = DateStyle {
        pieces: [
            Some(DatePiece::Year),
            Some(DatePiece::Between('-')),
            Some(DatePiece::Month),
            Some(DatePiece::Between('-')),
            Some(DatePiece::Day),
            None,
            None,
            None,
        ],
    };

    /// The style of a format sample; `None` when it does not write the 31st of December 2025.
    pub fn from_sample(sample: &str) -> Option<DateStyle> {
        let mut pieces = [None; PIECES];
        if let Some(epoch) = sample
            .parse()
            .ok()
            .and_then(|number: i32| EPOCHS.into_iter().find(|epoch| number == LAST_OF_2025 - epoch))
        {
            pieces[0] = Some(DatePiece::DayNumber(epoch));
            return Some(DateStyle { pieces });
        }
        let mut rest = sample;
        let mut count = 0;
        let known = [
            ("2025", DatePiece::Year),
            ("31", DatePiece::Day),
            ("12", DatePiece::Month),
            ("Dec", DatePiece::MonthName),
            ("23:59", DatePiece::Time),
            ("25", DatePiece::ShortYear),
        ];
        while let Some(first) = rest.chars().next() {
            let found = known.iter().find(|(text, _)| rest.starts_with(text));
            let (length, piece) = match found {
                Some((text, piece)) => (text.len(), *piece),
                None if first.is_ascii_digit() => return None,
                None => (first.len_utf8(), DatePiece::Between(first)),
            };
            *pieces.get_mut(count)? = Some(piece);
            count += 1;
            rest = &rest[length..];
        }
        let times =
            |wanted: &[DatePiece]| pieces.iter().flatten().filter(|p| wanted.contains(p)).count();
        let whole = times(&[DatePiece::Day]) == 1
            && times(&[DatePiece::Month, DatePiece::MonthName]) == 1
            && times(&[DatePiece::Year, DatePiece::ShortYear]) == 1;
        whole.then_some(DateStyle { pieces })
    }

    /// The day that a text says.
    pub fn read(&self, text: &str) -> Option<Day> {
        if *self == DateStyle::ISO {
            let Some((day, time)) = text.split_at_checked(10).filter(|(_, time)| !time.is_empty())
            else {
                return Day::parse(text.as_bytes());
            };
            // A point in time is on its day, as it is written.
            let time = time.strip_prefix(['T', ' '])?;
            return Day::parse(day.as_bytes()).filter(|_| behind_time(time) == Some(""));
        }
        let (mut year, mut month, mut day) = (0, 0, 0);
        let mut rest = text;
        for (number, piece) in self.pieces.iter().flatten().enumerate() {
            // Next to another number a number has all its digits.
            let compact = matches!(
                self.pieces.get(number + 1),
                Some(Some(DatePiece::Day | DatePiece::Month))
            ) || (number > 0
                && matches!(self.pieces[number - 1], Some(DatePiece::Year | DatePiece::Month)));
            let least = if compact { 2 } else { 1 };
            match piece {
                DatePiece::Day => day = digits(&mut rest, least, 2)?,
                DatePiece::Month => month = digits(&mut rest, least, 2)?,
                DatePiece::Year => year = digits(&mut rest, 4, 4)?,
                DatePiece::ShortYear => year = century(digits(&mut rest, 2, 2)?, 69),
                DatePiece::EarlierShortYear => year = century(digits(&mut rest, 2, 2)?, SURE_YEARS),
                DatePiece::LikelyShortYear => {
                    let short = digits(&mut rest, 2, 2)?;
                    year = century(short, 69);
                    if (SURE_YEARS..70).contains(&short) {
                        return None;
                    }
                }
                DatePiece::MonthName => {
                    let name = rest.get(..3)?.to_ascii_lowercase();
                    month = 1 + MONTHS.iter().position(|month| *month == name)? as u32;
                    rest = &rest[3..];
                }
                DatePiece::Time => rest = behind_time(rest)?,
                DatePiece::DayNumber(epoch) => return day_number(text, *epoch),
                DatePiece::Between(character) => rest = rest.strip_prefix(*character)?,
            }
        }
        if rest.is_empty() { Day::from_civil(year as i32, month, day) } else { None }
    }
}

/// Years of two digits from here to 68 may be of either century.
const SURE_YEARS: u32 = 30;

/// The year of two digits; from `first` on it is before 2000.
fn century(year: u32, first: u32) -> u32 {
    if year < first { 2000 + year } else { 1900 + year }
}

impl DateStyle {
    /// The same style with years of two digits in the century before, where they may be; none where years have four.
    pub fn in_earlier_century(&self) -> Option<DateStyle> {
        let mut earlier = *self;
        let short =
            earlier.pieces.iter_mut().flatten().find(|piece| **piece == DatePiece::ShortYear)?;
        *short = DatePiece::EarlierShortYear;
        Some(earlier)
    }

    /// The style as it is looked for: one that begins with a year of two digits reads only years that are likely, since
    /// otherwise any day might be one.
    pub fn as_looked_for(mut self) -> DateStyle {
        if self.pieces[0] == Some(DatePiece::ShortYear) {
            self.pieces[0] = Some(DatePiece::LikelyShortYear);
        }
        self
    }

    /// Whether its days are whole numbers, as in `20251231` and `46022`.
    pub fn is_digits(&self) -> bool {
        !self
            .pieces
            .iter()
            .flatten()
            .any(|p| matches!(p, DatePiece::Between(_) | DatePiece::MonthName))
    }

    /// Whether a time of the day comes with each day.
    pub fn has_time(&self) -> bool {
        self.pieces.iter().flatten().any(|piece| matches!(piece, DatePiece::Time))
    }

    /// The pattern of POSIX for it, `%d.%m.%Y`; none of a day number.
    pub fn strftime(&self) -> Option<String> {
        let mut pattern = String::new();
        for piece in self.pieces.iter().flatten() {
            match piece {
                DatePiece::Day => pattern += "%d",
                DatePiece::Month => pattern += "%m",
                DatePiece::MonthName => pattern += "%b",
                DatePiece::Year => pattern += "%Y",
                DatePiece::ShortYear | DatePiece::EarlierShortYear | DatePiece::LikelyShortYear => {
                    pattern += "%y";
                }
                DatePiece::Time => pattern += "%H:%M",
                DatePiece::DayNumber(_) => return None,
                DatePiece::Between(character) => pattern.push(*character),
            }
        }
        Some(pattern)
    }

    /// `2025-12-31 23:59`.
    pub fn iso_with_time() -> DateStyle {
        let mut pieces = DateStyle::ISO.pieces;
        pieces[5] = Some(DatePiece::Between(' '));
        pieces[6] = Some(DatePiece::Time);
        DateStyle { pieces }
    }

    /// Writes a day with its time of day, in seconds; the time only where the style has one.
    pub fn write(&self, day: Day, seconds: u32, text: &mut String) {
        let (year, month, number) = day.civil();
        for piece in self.pieces.iter().flatten() {
            // Writing into a String does not fail.
            let _ = match piece {
                DatePiece::Day => write!(text, "{number:02}"),
                DatePiece::Month => write!(text, "{month:02}"),
                DatePiece::MonthName => {
                    let name = MONTHS[month as usize - 1];
                    write!(text, "{}{}", name[..1].to_uppercase(), &name[1..])
                }
                DatePiece::Year => write!(text, "{year:04}"),
                DatePiece::ShortYear | DatePiece::EarlierShortYear | DatePiece::LikelyShortYear => {
                    write!(text, "{:02}", year % 100)
                }
                DatePiece::DayNumber(epoch) => write!(text, "{}", day.0 - epoch),
                DatePiece::Between(character) => write!(text, "{character}"),
                DatePiece::Time => {
                    let (hours, minutes) = (seconds / 3600, seconds / 60 % 60);
                    match seconds % 60 {
                        0 => write!(text, "{hours:02}:{minutes:02}"),
                        rest => write!(text, "{hours:02}:{minutes:02}:{rest:02}"),
                    }
                }
            };
        }
    }
}

/// The day of a number of days since an epoch; the time after the point is left out.
fn day_number(text: &str, epoch: i32) -> Option<Day> {
    let (days, time) = text.split_once(['.', ',']).unwrap_or((text, "0"));
    let digits = |text: &str| !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
    // Up to the year 9999.
    let days: i32 =
        days.parse().ok().filter(|number| (1..=2_958_465).contains(number) && digits(days))?;
    digits(time).then_some(Day(days + epoch))
}

impl fmt::Display for DateStyle {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for piece in self.pieces.iter().flatten() {
            match piece {
                DatePiece::Day => f.write_str("31")?,
                DatePiece::Month => f.write_str("12")?,
                DatePiece::MonthName => f.write_str("Dec")?,
                DatePiece::Year => f.write_str("2025")?,
                DatePiece::ShortYear | DatePiece::EarlierShortYear | DatePiece::LikelyShortYear => {
                    f.write_str("25")?
                }
                DatePiece::Time => f.write_str("23:59")?,
                DatePiece::DayNumber(epoch) => write!(f, "{}", LAST_OF_2025 - epoch)?,
                DatePiece::Between(character) => write!(f, "{character}")?,
            }
        }
        Ok(())
    }
}

/// Takes a number of this many digits from the front.
fn digits(rest: &mut &str, least: usize, most: usize) -> Option<u32> {
    let (mut number, mut length) = (0, 0);
    for byte in rest.bytes().take(most).take_while(u8::is_ascii_digit) {
        number = number * 10 + u32::from(byte - b'0');
        length += 1;
    }
    if length < least {
        return None;
    }
    *rest = &rest[length..];
    Some(number)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_of_the_day_are_distinguished() {
        for (text, millis) in [
            ("2025-03-05 10:00", Some(36_000_000)),
            ("2025-03-05T10:00:30Z", Some(36_030_000)),
            ("05.03.2025 23:59:59.5", Some(86_399_500)),
            ("2025-03-05", None),
            ("at: 5", None),
        ] {
            assert_eq!(millis_of_day(text), millis, "{text}");
        }
    }

    #[test]
    fn format_samples_say_how_days_are_written() {
        for (sample, text, day) in [
            ("31/12/2025", "1/2/2024", Some("2024-02-01")),
            ("12/31/2025", "1/2/2024", Some("2024-01-02")),
            ("31.12.25", "05.06.24", Some("2024-06-05")),
            ("31-Dec-2025", "7-JUN-2024", Some("2024-06-07")),
            ("20251231", "20240607", Some("2024-06-07")),
            ("20251231", "2024607", None),
            ("2025-12-31 23:59", "2024-06-07 08:15:00", Some("2024-06-07")),
            ("46022", "45366", Some("2024-03-15")),
            ("46022", "45366.75", Some("2024-03-15")),
            ("44560", "43904", Some("2024-03-15")),
            ("46022", "-3", None),
            ("46022", "4536x", None),
            ("31/12/2025", "31/02/2024", None),
            ("31/12/2025", "2024-06-07", None),
            ("31/12/2025", "1/2/2024x", None),
        ] {
            let style = DateStyle::from_sample(sample).unwrap();
            assert_eq!(style.to_string(), sample);
            if let Some(day) = style.read(text) {
                let mut written = String::new();
                style.write(day, 8 * 3600 + 15 * 60, &mut written);
                assert_eq!(style.read(&written), Some(day), "{sample} {written}");
            }
            assert_eq!(style.read(text).map(|d| d.to_string()).as_deref(), day, "{sample} {text}");
        }
        for sample in ["", "31/12", "1/1/2025", "2025-12-30", "31/31/2025"] {
            assert_eq!(DateStyle::from_sample(sample), None, "{sample}");
        }
    }
}
