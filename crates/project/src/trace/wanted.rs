//! What a trace is asked for: a key, a place, or a condition.

use interligo_model::plan::{Mistake, MistakeKind, Written};
use interligo_sources::table::parts::Table;

use interligo_engine::engine::Engine;

/// The lines that are traced.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Wanted {
    /// Those with a key, by its columns.
    Key(Vec<String>),
    /// Those of a row.
    Place {
        /// The file of the fact, by number.
        part: usize,
        /// The row, as the file has it.
        row: u64,
        /// Of a row that became several lines, which.
        nth: Option<usize>,
    },
    /// Those that meet the condition of the request.
    Condition,
}

impl Wanted {
    /// What an argument asks for: `sales/corvo.csv:12`, `book.xlsx#Q1!A12`, or the values of a key with commas between them.
    ///
    /// # Errors
    /// The fact has no key; the key has another number of columns.
    pub fn of(text: &str, engine: &Engine, fact: &Table) -> Result<Wanted, Mistake> {
        if let Some(place) = place_of(text, fact) {
            return Ok(place);
        }
        let written = Written::in_option("trace", text, 0..text.len());
        let Some(key) = &engine.bound.fact.key else {
            let message = format!("`{}` has no key, by which a line would be known", fact.name);
            let help = "name a place, as in sales.csv:12, a condition with --where, or give the table a `key`";
            return Err(written.mistaken(MistakeKind::MissingSetting, message).help(help));
        };
        let parts = match key.columns.len() {
            1 if !text.starts_with('"') => vec![text.to_owned()],
            _ => values_of(text),
        };
        if parts.len() != key.columns.len() {
            let names: Vec<&str> =
                key.columns.iter().map(|column| fact.columns.names[*column].as_str()).collect();
            let message = format!("`{text}` is no place, and no key of `{}`", fact.name);
            let help = format!(
                "a key is {}, with commas between them; a place is a file of the table and a row, as in {}:2",
                names.join(", "),
                fact.parts.first().map_or("sales.csv", |part| &part.name.shown)
            );
            return Err(written.mistaken(MistakeKind::WrongValue, message).help(help));
        }
        Ok(Wanted::Key(parts))
    }

    /// Whether an argument is a place in one of a table's files.
    pub fn is_place(text: &str, fact: &Table) -> bool {
        place_of(text, fact).is_some()
    }
}

/// The place that a text names, if it names a file of the table.
fn place_of(text: &str, fact: &Table) -> Option<Wanted> {
    let part_of = |name: &str| {
        let exact = fact.parts.iter().position(|part| &*part.name.shown == name);
        let ends = |part: &str| part.ends_with(&format!("/{name}"));
        exact.or_else(|| fact.parts.iter().position(|part| ends(&part.name.shown)))
    };
    if let Some((name, cell)) = text.rsplit_once('!')
        && let Some(part) = part_of(name)
    {
        let (cell, nth) = match cell.split_once(':') {
            Some((cell, nth)) => (cell, Some(nth.parse().ok()?)),
            None => (cell, None),
        };
        let row = cell.trim_start_matches(|c: char| c.is_ascii_alphabetic()).parse().ok()?;
        return Some(Wanted::Place { part, row, nth });
    }
    let (name, last) = text.rsplit_once(':')?;
    let last: u64 = last.parse().ok()?;
    if let Some(part) = part_of(name) {
        return Some(Wanted::Place { part, row: last, nth: None });
    }
    let (name, row) = name.rsplit_once(':')?;
    let (part, row) = (part_of(name)?, row.parse().ok()?);
    Some(Wanted::Place { part, row, nth: usize::try_from(last).ok() })
}

/// Values with commas between them; one with a comma is in double quotes.
fn values_of(text: &str) -> Vec<String> {
    let (mut values, mut value, mut quoted) = (Vec::new(), String::new(), false);
    let mut characters = text.chars().peekable();
    while let Some(character) = characters.next() {
        match character {
            '"' if quoted && characters.peek() == Some(&'"') => {
                characters.next();
                value.push('"');
            }
            '"' => quoted = !quoted,
            ',' if !quoted => values.push(std::mem::take(&mut value)),
            other => value.push(other),
        }
    }
    values.push(value);
    values
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_with_a_comma_is_in_quotes() {
        for (text, values) in [
            ("1,2", vec!["1", "2"]),
            ("\"a, b\",2", vec!["a, b", "2"]),
            ("\"say \"\"so\"\"\"", vec!["say \"so\""]),
            ("", vec![""]),
        ] {
            assert_eq!(values_of(text), values, "{text}");
        }
    }
}
