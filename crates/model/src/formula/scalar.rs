//! The functions of formulas: their names, and what they take.
//!
//! Names are those of the SQL standard (ISO/IEC 9075-2) where it has one.

use std::fmt;

use super::syntax::Node;

/// A function that works value by value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scalar {
    /// The next whole number below.
    Floor,
    /// The next whole number above.
    Ceiling,
    /// What is left of a division.
    Mod,
    /// To a whole number that is written in the formula.
    Power(u8),
    /// The smallest of some values.
    Least,
    /// The largest of some values.
    Greatest,
    /// The first value, unless it is the second.
    NullIf,
    /// In uppercase.
    Upper,
    /// In lowercase.
    Lower,
    /// Without spaces at its ends.
    Trim,
    /// A part of a text.
    Substring,
    /// The first characters of a text.
    Left,
    /// The last characters of a text.
    Right,
    /// How many characters a text has.
    CharLength,
    /// Where a text begins in another.
    Position,
    /// A text in the place of another.
    Replace,
    /// Filled up on the left.
    Lpad,
    /// Filled up on the right.
    Rpad,
    /// `||`
    Join,
    /// `like`
    Like,
    /// A part of a day.
    Extract(Field),
    /// `date(year, month, day)`
    Date,
    /// A day this many months later.
    AddMonths,
    /// The first day of a period.
    FirstDay,
    /// The last day of a period.
    LastDay,
    /// A day this many days later: `day + number`.
    DaysLater,
    /// The days between two: `day - day`.
    DaysBetween,
    /// The same day of the week, a year of ISO 8601 later.
    WeekYearLater,
    /// As a number.
    CastNumber,
    /// As a text.
    CastText,
    /// As a day.
    CastDate,
}

/// A part of a day as a number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Field {
    /// The year.
    Year,
    /// The quarter, from 1.
    Quarter,
    /// The month, from 1.
    Month,
    /// The week of ISO 8601.
    Week,
    /// The day of the month.
    Day,
    /// 1 for Monday to 7 for Sunday.
    Weekday,
}

pub(super) const FIELDS: [(&str, Field); 6] = [
    ("year", Field::Year),
    ("quarter", Field::Quarter),
    ("month", Field::Month),
    ("week", Field::Week),
    ("day", Field::Day),
    ("weekday", Field::Weekday),
];

/// What a function takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Takes {
    /// A number.
    Number,
    /// A text.
    Text,
    /// A day.
    Date,
    /// A period.
    Period,
    /// Values that go together.
    Common,
    /// Anything.
    Any,
}

/// The functions that are written `name(value, …)`: how many values they take at least and at most, and of
/// what kind; of more values than kinds the last kind holds.
pub(super) const PLAIN: [(&str, Scalar, usize, usize, &[Takes]); 19] = {
    use Takes::{Common, Date, Number, Period, Text};
    [
        ("floor", Scalar::Floor, 1, 1, &[Number]),
        ("ceiling", Scalar::Ceiling, 1, 1, &[Number]),
        ("mod", Scalar::Mod, 2, 2, &[Number]),
        ("least", Scalar::Least, 1, 100, &[Common]),
        ("greatest", Scalar::Greatest, 1, 100, &[Common]),
        ("nullif", Scalar::NullIf, 2, 2, &[Common]),
        ("upper", Scalar::Upper, 1, 1, &[Text]),
        ("lower", Scalar::Lower, 1, 1, &[Text]),
        ("trim", Scalar::Trim, 1, 1, &[Text]),
        ("left", Scalar::Left, 2, 2, &[Text, Number]),
        ("right", Scalar::Right, 2, 2, &[Text, Number]),
        ("char_length", Scalar::CharLength, 1, 1, &[Text]),
        ("replace", Scalar::Replace, 3, 3, &[Text]),
        ("lpad", Scalar::Lpad, 2, 3, &[Text, Number, Text]),
        ("rpad", Scalar::Rpad, 2, 3, &[Text, Number, Text]),
        ("date", Scalar::Date, 3, 3, &[Number]),
        ("add_months", Scalar::AddMonths, 2, 2, &[Date, Number]),
        ("first_day", Scalar::FirstDay, 1, 1, &[Period]),
        ("last_day", Scalar::LastDay, 1, 1, &[Period]),
    ]
};

/// What a function takes, its last entry holding for all further values.
pub fn takes_of(scalar: Scalar) -> &'static [Takes] {
    match scalar {
        Scalar::Power(_) => &[Takes::Number],
        Scalar::Substring => &[Takes::Text, Takes::Number],
        Scalar::Position => &[Takes::Text],
        Scalar::Extract(_) => &[Takes::Date],
        Scalar::CastNumber | Scalar::CastText | Scalar::CastDate => &[Takes::Any],
        _ => PLAIN.iter().find(|(_, known, ..)| *known == scalar).map_or(&[Takes::Any], |f| f.4),
    }
}

/// The name of a function as formulas have it.
pub fn name_of(scalar: Scalar) -> &'static str {
    match scalar {
        Scalar::Power(_) => "power",
        Scalar::Substring => "substring",
        Scalar::Position => "position",
        Scalar::Extract(_) => "extract",
        Scalar::CastNumber | Scalar::CastText | Scalar::CastDate => "cast",
        _ => PLAIN.iter().find(|(_, known, ..)| *known == scalar).map_or("", |f| f.0),
    }
}

impl Scalar {
    /// A call of a function of these operands as a formula has it.
    pub fn written(self, values: &[String]) -> String {
        let extra = |at: usize, word: &str| match values.get(at) {
            Some(value) => format!(" {word} {value}"),
            None => String::new(),
        };
        let first = values.first().map_or("", String::as_str);
        match self {
            Scalar::Power(times) => format!("power({first}, {times})"),
            Scalar::Substring => {
                format!("substring({first}{}{})", extra(1, "from"), extra(2, "for"))
            }
            // A test in front of `in` would be read as more than it is.
            Scalar::Position => format!("position(({first}){})", extra(1, "in")),
            Scalar::Extract(field) => {
                let known = FIELDS.iter().find(|(_, known)| *known == field);
                format!("extract({} from {first})", known.map_or("", |(name, _)| name))
            }
            Scalar::CastNumber => format!("cast({first} as number)"),
            Scalar::CastText => format!("cast({first} as text)"),
            Scalar::CastDate => format!("cast({first} as date)"),
            _ => format!("{}({})", name_of(self), values.join(", ")),
        }
    }

    /// Prints a call of a function as a formula has it.
    pub(super) fn print(self, values: &[Node], f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let values: Vec<String> = values.iter().map(Node::to_string).collect();
        f.write_str(&self.written(&values))
    }
}
