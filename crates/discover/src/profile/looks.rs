//! What values look like, and between which bounds they lie.

use arrow_array::StringViewArray;

use interligo_model::plan::ColumnType;
use interligo_model::reading::column_reader::Reading;
use interligo_model::reading::evidence::Evidence;
use interligo_model::reading::style::Style;
use interligo_model::values::amount;
use interligo_model::values::column::{NumberColumn, Numbers, is_blank_text};
use interligo_model::values::date::Day;
use interligo_model::values::decimal::Decimal;

/// The smallest and the largest of some values.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Range<T>(pub(super) Option<(T, T)>);

impl<T> Default for Range<T> {
    fn default() -> Range<T> {
        Range(None)
    }
}

impl<T: PartialOrd + Clone> Range<T> {
    fn add(&mut self, value: &T) {
        match &mut self.0 {
            None => self.0 = Some((value.clone(), value.clone())),
            Some((smallest, largest)) => {
                if value < smallest {
                    *smallest = value.clone();
                } else if value > largest {
                    *largest = value.clone();
                }
            }
        }
    }

    fn merge(&mut self, other: &Range<T>) {
        if let Some((smallest, largest)) = &other.0 {
            self.add(smallest);
            self.add(largest);
        }
    }
}

impl Range<String> {
    fn add_text(&mut self, text: &str) {
        match &mut self.0 {
            None => self.0 = Some((text.to_owned(), text.to_owned())),
            Some((smallest, largest)) => {
                if text < smallest.as_str() {
                    *smallest = text.to_owned();
                } else if text > largest.as_str() {
                    *largest = text.to_owned();
                }
            }
        }
    }
}

/// What values look like, and between which bounds they lie.
#[derive(Clone, Debug, Default)]
pub(super) struct Looks {
    pub(super) evidence: Evidence,
    pub(super) blank: u64,
    pub(super) numbers: Range<Decimal>,
    pub(super) dates: Range<Day>,
    /// Of texts that are longer than a view holds.
    long: Range<String>,
    /// Of the others: their bytes as a number, so that they compare as the texts do.
    short: Range<u128>,
}

impl Looks {
    pub(super) fn add(&mut self, text: &str, times: u64) {
        let style = &Style::default();
        if is_blank_text(text) {
            self.blank += times;
            return;
        }
        let text = text.trim();
        let mut one = Evidence::default();
        one.add(text, style);
        if one.numeric > 0 {
            // Of equal numbers it must not matter which came first, and how it was written.
            if let Some(amount) = amount::read(text, style.numbers) {
                self.numbers.add(&amount.number.trimmed(0));
            }
        } else if one.percents > 0 {
            let number = text.strip_suffix('%').and_then(|n| amount::read(n, style.numbers));
            let share =
                number.and_then(|n| Decimal::new(n.number.mantissa(), n.number.places() + 2));
            share.iter().for_each(|share| self.numbers.add(&share.trimmed(0)));
        } else if one.dates > 0 {
            style.dates.read(text).iter().for_each(|day| self.dates.add(day));
        }
        match short_text(text) {
            Some(text) => self.short.add(&text),
            None => self.long.add_text(text),
        }
        self.evidence.merge(&one.times(times as usize));
    }

    pub(super) fn merge(&mut self, other: &Looks) {
        self.evidence.merge(&other.evidence);
        self.blank += other.blank;
        self.numbers.merge(&other.numbers);
        self.dates.merge(&other.dates);
        self.long.merge(&other.long);
        self.short.merge(&other.short);
    }

    /// Adds texts; columns of plain numbers or days at speed.
    pub(super) fn add_all(&mut self, texts: &StringViewArray) {
        if !self.add_numbers(texts) && !self.add_days(texts) {
            texts.iter().flatten().for_each(|text| self.add(text, 1));
        }
    }

    /// Adds texts that are all plain numbers; false when they are not.
    fn add_numbers(&mut self, texts: &StringViewArray) -> bool {
        let views = texts.views();
        // Zeros before other digits make a code.
        let code = |view: &u128| {
            let bytes = (view >> 32).to_le_bytes();
            let digits = if bytes[0] == b'-' { &bytes[1..] } else { &bytes[..] };
            digits[0] == b'0' && digits[1].is_ascii_digit()
        };
        if views.iter().any(|view| *view as u32 == 0 || code(view)) {
            return false;
        }
        let reading = Reading { places: PLACES, ..Reading::of(ColumnType::Number) };
        let Some(NumberColumn { numbers: Numbers::Fixed { mantissas, .. }, .. }) =
            reading.read_fixed(texts, Style::default().numbers)
        else {
            return false;
        };
        let mut range = Range::<i64>::default();
        mantissas.iter().for_each(|mantissa| range.add(mantissa));
        for end in range.0.iter().flat_map(|(smallest, largest)| [smallest, largest]) {
            let number = Decimal::new(i128::from(*end), PLACES);
            number.iter().for_each(|number| self.numbers.add(&number.trimmed(0)));
        }
        views.iter().for_each(|view| self.short.add(&view_text(*view)));
        let (all, zeros) = (views.len(), mantissas.iter().filter(|m| **m == 0).count());
        let looks = Evidence {
            filled: all,
            numbers: all,
            numeric: all,
            percents: zeros,
            ..Evidence::default()
        };
        self.evidence.merge(&looks);
        true
    }

    /// Adds texts that are all days as outputs write them; false when they are not.
    fn add_days(&mut self, texts: &StringViewArray) -> bool {
        let views = texts.views();
        let day = |view: &u128| match *view as u32 {
            10 => Day::parse(&(view >> 32).to_le_bytes()[..10]),
            _ => None,
        };
        let Some(days) = views.iter().map(day).collect::<Option<Vec<Day>>>() else { return false };
        days.iter().for_each(|day| self.dates.add(day));
        views.iter().for_each(|view| self.short.add(&view_text(*view)));
        let looks = Evidence { filled: days.len(), dates: days.len(), ..Evidence::default() };
        self.evidence.merge(&looks);
        true
    }

    /// The smallest and the largest text.
    pub(super) fn texts(&self) -> Option<(String, String)> {
        let mut texts = self.long.clone();
        for end in self.short.0.iter().flat_map(|(smallest, largest)| [smallest, largest]) {
            let bytes = end.to_be_bytes();
            let text = bytes.iter().copied().take_while(|byte| *byte != 0).collect();
            texts.add_text(&String::from_utf8(text).unwrap_or_default());
        }
        texts.0
    }
}

/// A text of up to 12 bytes lies in its Arrow view, behind its length.
const SHORT: usize = 12;

/// The decimal places with which plain numbers are read.
const PLACES: u8 = 4;

/// The bytes of a short text as a number that compares as the text does, from its view.
fn view_text(view: u128) -> u128 {
    (view >> 32).swap_bytes()
}

/// The same from the text; none for a longer one.
fn short_text(text: &str) -> Option<u128> {
    let mut bytes = [0; 16];
    let room = bytes[..SHORT].get_mut(..text.len())?;
    room.copy_from_slice(text.as_bytes());
    Some(u128::from_be_bytes(bytes))
}
