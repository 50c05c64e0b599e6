//! One value of any type, as the line-by-line ways of working see it.

use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use std::cmp::Ordering;
use std::fmt;

use crate::values::date::{Day, Period};
use crate::values::decimal::Decimal;

/// One value. Values of one type are ordered; a blank comes after all others.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub enum Value<'a> {
    /// Nothing is known; never zero.
    Blank,
    /// A number.
    Number(Decimal),
    /// Text as it was written.
    Text(Cow<'a, str>),
    /// A day.
    Date(Day),
    /// A year, quarter, month or week.
    Period(Period),
    /// Yes or no.
    YesNo(bool),
}

impl Value<'_> {
    /// Whether nothing is known.
    pub fn is_blank(&self) -> bool {
        matches!(self, Value::Blank)
    }

    /// The number, if it is one.
    pub fn number(&self) -> Option<Decimal> {
        match self {
            Value::Number(number) => Some(*number),
            _ => None,
        }
    }

    /// The same value, whose text is not copied.
    pub fn borrowed(&self) -> Value<'_> {
        match self {
            Value::Text(text) => Value::Text(Cow::Borrowed(text)),
            other => other.clone(),
        }
    }

    /// The value without ties to what it was taken from.
    pub fn into_owned(self) -> Value<'static> {
        match self {
            Value::Blank => Value::Blank,
            Value::Number(n) => Value::Number(n),
            Value::Text(text) => Value::Text(Cow::Owned(text.into_owned())),
            Value::Date(day) => Value::Date(day),
            Value::Period(period) => Value::Period(period),
            Value::YesNo(yes) => Value::YesNo(yes),
        }
    }

    fn rank(&self) -> u8 {
        match self {
            Value::Number(_) => 0,
            Value::Text(_) => 1,
            Value::Date(_) => 2,
            Value::Period(_) => 3,
            Value::YesNo(_) => 4,
            Value::Blank => 5,
        }
    }
}

impl PartialOrd for Value<'_> {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Value<'_> {
    fn cmp(&self, other: &Self) -> Ordering {
        match (self, other) {
            (Value::Number(a), Value::Number(b)) => a.cmp(b),
            (Value::Text(a), Value::Text(b)) => a.cmp(b),
            (Value::Date(a), Value::Date(b)) => a.cmp(b),
            (Value::Period(a), Value::Period(b)) => a.cmp(b),
            (Value::YesNo(a), Value::YesNo(b)) => a.cmp(b),
            _ => self.rank().cmp(&other.rank()),
        }
    }
}

impl fmt::Display for Value<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Value::Blank => Ok(()),
            Value::Number(number) => number.fmt(f),
            Value::Text(text) => f.write_str(text),
            Value::Date(day) => day.fmt(f),
            Value::Period(period) => period.fmt(f),
            Value::YesNo(yes) => f.write_str(if *yes { "yes" } else { "no" }),
        }
    }
}
