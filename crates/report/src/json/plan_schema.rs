//! The plan as a JSON Schema (draft 2020-12), by which editors of TOML complete keys and mark what is none.

use std::io;

use interligo_model::plan::reference::{PlanKey, Section, Takes};
use serde_json::{Map, Value, json};

use crate::output::Out;

/// Writes the schema.
///
/// # Errors
/// Standard output cannot be written.
pub fn plan_schema(out: Out<'_>) -> io::Result<()> {
    out.data(plan_schema_text().as_bytes())
}

/// The schema.
pub fn plan_schema_text() -> String {
    let named =
        |section: &str| json!({ "type": "object", "additionalProperties": object(section) });
    let text_or = |section: &str| json!({ "type": "object", "additionalProperties": { "anyOf": [{ "type": "string" }, object(section)] } });
    let mut table = object("tables.NAME");
    table["properties"]["part"] = json!({ "type": "array", "items": object("tables.NAME.part") });
    let schema = json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A plan of Interligo",
        "type": "object",
        "additionalProperties": false,
        "properties": {
            "plan": object("plan"),
            "reading": object("reading"),
            "tables": { "type": "object", "additionalProperties": table },
            "link": { "type": "array", "items": object("link") },
            "figures": text_or("figures.NAME"),
            "bands": named("bands.NAME"),
            "labels": { "type": "object", "additionalProperties": { "type": "string" } },
            "shared": { "type": "object", "additionalProperties": { "type": "object", "additionalProperties": { "type": "string" } } },
            "outputs": named("outputs.NAME"),
            "workbooks": named("workbooks.NAME"),
        },
    });
    format!("{schema:#}\n")
}

fn object(section: &str) -> Value {
    let own = Section::called(section).into_iter().flat_map(Section::keys);
    let properties: Map<String, Value> =
        own.map(|key| (key.key.to_owned(), property(key))).collect();
    json!({ "type": "object", "additionalProperties": false, "properties": properties })
}

fn property(key: &PlanKey) -> Value {
    let mut property = taken(key.takes);
    let without = if key.default.is_empty() {
        String::new()
    } else {
        format!("; without it: {}", key.default)
    };
    property["description"] = format!("{}{without}", key.about).into();
    property
}

fn taken(takes: Takes) -> Value {
    let texts = json!({ "type": "array", "items": { "type": "string" } });
    match takes {
        Takes::Text => json!({ "type": "string" }),
        Takes::Texts => json!({ "anyOf": [{ "type": "string" }, texts] }),
        Takes::TextsOrKeys => {
            json!({ "anyOf": [{ "type": "string" }, texts, { "type": "object" }] })
        }
        Takes::Number => json!({ "type": "integer", "minimum": 0 }),
        Takes::Numbers => json!({ "type": "array", "items": { "type": "number" } }),
        Takes::YesNo => json!({ "type": "boolean" }),
        Takes::OneOf(words) => one_of(words),
        Takes::OneOfOrKeys(words, keys) => json!({ "anyOf": [one_of(words), braces(keys)] }),
        Takes::Keys(keys) => braces(keys),
        Takes::Columns => json!({ "type": "array", "items": { "type": ["string", "object"] } }),
        Takes::Tables => json!({ "type": "array" }),
    }
}

fn one_of(words: &[&str]) -> Value {
    let (with_name, plain): (Vec<&str>, Vec<&str>) =
        words.iter().partition(|word| word.contains(' '));
    let with_name = with_name.iter().filter_map(|words| words.split(' ').next());
    let mut all = vec![json!({ "enum": plain })];
    all.extend(with_name.map(|word| json!({ "type": "string", "pattern": format!("^{word} .") })));
    json!({ "anyOf": all })
}

fn braces(keys: &[&str]) -> Value {
    let any: Map<String, Value> = keys.iter().map(|key| ((*key).to_owned(), json!({}))).collect();
    match keys {
        [] => json!({ "type": "object" }),
        _ => json!({ "type": "object", "additionalProperties": false, "properties": any }),
    }
}
