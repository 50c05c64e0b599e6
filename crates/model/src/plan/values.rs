//! Values of a plan: texts for names in braces, which may be anywhere in it, or others given from outside. `last-month` and the like
//! are periods that are counted from the newest day in the data.

use std::fmt;

use serde::Deserialize;

use super::{Entry, FillValue, InOrder, Mistake, MistakeKind};
use crate::values::date::{Day, Period, PeriodUnit};
use crate::written::At;

/// As much of a plan as says which values it has.
#[derive(Deserialize)]
struct WithValues {
    #[serde(default)]
    plan: HeadWithValues,
}

#[derive(Default, Deserialize)]
struct HeadWithValues {
    #[serde(default)]
    values: InOrder<FillValue>,
}

/// A period that is counted from the newest day in the data: `this-month`, `last-year`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct CountedPeriod {
    unit: PeriodUnit,
    /// Whether it is the one before that which has the newest day.
    is_last: bool,
}

impl CountedPeriod {
    /// Reads one; none where a text is any other.
    pub fn read(text: &str) -> Option<CountedPeriod> {
        let (which, unit) = text.split_once('-')?;
        let is_last = match which {
            "last" => true,
            "this" => false,
            _ => return None,
        };
        let units = [PeriodUnit::Year, PeriodUnit::Quarter, PeriodUnit::Month, PeriodUnit::Week];
        let unit = units.into_iter().find(|own| own.name() == unit)?;
        Some(CountedPeriod { unit, is_last })
    }

    /// The period, where that is the newest day.
    pub fn with(self, newest: Day) -> Period {
        let this = Period::containing(self.unit, newest);
        Period { ordinal: this.ordinal - i32::from(self.is_last), ..this }
    }
}

impl fmt::Display for CountedPeriod {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}-{}", if self.is_last { "last" } else { "this" }, self.unit.name())
    }
}

/// The values that are counted from the newest day, by their names; `given` replace those that the plan has.
pub(super) fn counted(source: &str, given: &[(String, String)]) -> Vec<(String, CountedPeriod)> {
    let own = toml::from_str::<WithValues>(source)
        .map_or_else(|_| InOrder::default(), |own| own.plan.values);
    let of = |entry: &Entry<FillValue>| {
        let text = given_for(given, &entry.name).unwrap_or(&entry.value.0);
        Some((entry.name.clone(), CountedPeriod::read(text)?))
    };
    own.iter().filter_map(of).collect()
}

/// The text of a plan with its values in their places; `given` replace those that it has.
///
/// # Errors
/// A value is given that the plan does not have; one would end the text that it is put into.
pub(super) fn in_place(source: &str, given: &[(String, String)]) -> Result<String, Mistake> {
    // What is wrong with the plan is told by whoever reads all of it.
    let own = toml::from_str::<WithValues>(source)
        .map_or_else(|_| InOrder::default(), |own| own.plan.values);
    if let Some((name, _)) = given.iter().find(|(name, _)| own.iter().all(|own| own.name != *name))
    {
        let message = format!("the plan has no value `{name}` to set");
        let names: Vec<&str> = own.iter().map(|own| own.name.as_str()).collect();
        let mistake = Mistake::of_plan(MistakeKind::UnknownName, message);
        return Err(match names.is_empty() {
            true => mistake.help(format!("add it: values = {{ {name} = \"…\" }} under [plan]")),
            false => mistake.nearest(name, names),
        });
    }
    for entry in own.iter() {
        let other = given_for(given, &entry.name);
        let value = other.unwrap_or(&entry.value.0);
        let ends_text =
            |character: char| matches!(character, '"' | '\'' | '\\') || character.is_control();
        if value.contains(ends_text) {
            let message = format!(
                "the value `{}` has a quote, a backslash or a control character",
                entry.name
            );
            let at = if other.is_some() { At::PLAN } else { At::in_plan(entry.span.clone()) };
            let mistake = at.mistake(MistakeKind::WrongValue, message);
            return Err(mistake.help("values are put into texts and formulas; write it there"));
        }
    }
    Ok(filled(source, &own, given))
}

/// The value that is given for a name; the last one counts.
fn given_for<'g>(given: &'g [(String, String)], name: &str) -> Option<&'g str> {
    given.iter().rev().find(|(own, _)| own == name).map(|(_, value)| value.as_str())
}

/// A text with values in the places of their names.
pub(super) fn filled(
    text: &str,
    values: &InOrder<FillValue>,
    given: &[(String, String)],
) -> String {
    values.iter().fold(text.to_owned(), |text, entry| {
        let value = given_for(given, &entry.name).unwrap_or(&entry.value.0);
        text.replace(&format!("{{{}}}", entry.name), value)
    })
}
