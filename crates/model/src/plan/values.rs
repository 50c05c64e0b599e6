//! Values of a plan: texts for names in braces, which may be anywhere in it, or others given from outside.

use serde::Deserialize;

use super::{FillValue, InOrder, Mistake, MistakeKind};
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
    let mut text = source.to_owned();
    for entry in own.iter() {
        let other = given.iter().rev().find(|(name, _)| *name == entry.name);
        let value = other.map_or(entry.value.0.as_str(), |(_, value)| value.as_str());
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
        text = text.replace(&format!("{{{}}}", entry.name), value);
    }
    Ok(text)
}
