//! Keys and links that are stated already: by a database, and by descriptions that lie beside text files, of the
//! W3C's "Metadata Vocabulary for Tabular Data" (CSV on the Web) and of Data Package's Table Schema.

use std::path::Path;

use crate::error::Error;
use interligo_discover::propose::{ColumnAt, Stated};
use interligo_sources::formats::declared_keys::{ForeignKey, KeysStated};
use interligo_sources::formats::{Address, Containers, is_address, shown_address};
use interligo_sources::table::parts::Table;
use serde_json::Value;

use super::gather::Gathered;
use super::sample::Sampled;

/// Links that are stated; keys that are go to the tables.
pub(super) fn stated(
    folder: &Path,
    gathered: &Gathered,
    tables: &[&Table],
    sampled: &mut [Sampled],
) -> Vec<Stated> {
    let mut links = Vec::new();
    for path in &gathered.descriptions {
        let Ok(bytes) = std::fs::read(path) else { continue };
        let Ok(json) = serde_json::from_slice::<Value>(&bytes) else { continue };
        let home = path.parent().unwrap_or(folder);
        let home = home.strip_prefix(folder).unwrap_or(home).to_string_lossy().into_owned();
        let by = path.file_name().map_or(String::new(), |name| name.to_string_lossy().into_owned());
        let within = |file: &str| {
            let file = file.trim_start_matches("./");
            if home.is_empty() { file.to_owned() } else { format!("{home}/{file}") }
        };
        take(described(&json), &by, &within, tables, sampled, &mut links);
    }
    let mut seen: Vec<&str> = Vec::new();
    for (file, _) in gathered.stacks.iter().flat_map(|s| &s.from).filter_map(|f| f.split_once('#'))
    {
        if seen.contains(&file) {
            continue;
        }
        seen.push(file);
        if let Ok((shown, keys)) = of_container(folder, file) {
            take(keys, &shown, &|table| format!("{shown}#{table}"), tables, sampled, &mut links);
        }
    }
    links
}

/// What a file or database states, with its name as messages show it.
fn of_container(folder: &Path, file: &str) -> Result<(String, KeysStated), Error> {
    let path = if is_address(file) { file.into() } else { folder.join(file) };
    let shown = shown_address(file)?;
    let container = Containers::default().open(&Address { path, shown: shown.clone() })?;
    Ok((shown.to_string(), container.keys_stated()?))
}

/// Imports what is stated of tables that are there. `within` is the name of a part.
fn take(
    stated: KeysStated,
    by: &str,
    within: &dyn Fn(&str) -> String,
    tables: &[&Table],
    sampled: &mut [Sampled],
    links: &mut Vec<Stated>,
) {
    let find = |named: &(String, Vec<String>)| -> Option<(usize, Vec<usize>)> {
        let part = within(&named.0);
        let table = tables
            .iter()
            .position(|table| table.parts.iter().any(|own| *own.name.shown == part))?;
        let position = |name: &String| {
            tables[table].columns.names.iter().position(|own| own.trim() == name.trim())
        };
        Some((table, named.1.iter().map(position).collect::<Option<Vec<usize>>>()?))
    };
    for (table, columns) in stated.keys.iter().filter_map(find) {
        sampled[table].seen.stated_keys.push(columns);
    }
    for link in &stated.links {
        if let (Some(from), Some(to)) = (find(&link.from), find(&link.to))
            && from.0 != to.0
        {
            let at = |column| ColumnAt { table: from.0, column };
            let columns = from.1.into_iter().map(at).collect();
            links.push(Stated { from: columns, to_table: to.0, to: to.1, by: by.to_owned() });
        }
    }
}

/// What a description states, whichever of the two it is.
fn described(json: &Value) -> KeysStated {
    let mut stated = KeysStated::default();
    let resources = json["resources"].as_array();
    let tables = json["tables"].as_array();
    for resource in resources.into_iter().flatten() {
        let path = match &resource["path"] {
            Value::Array(paths) => paths.first().and_then(Value::as_str),
            path => path.as_str(),
        };
        let Some(path) = path else { continue };
        let file_of = |name: &str| -> Option<String> {
            if name.is_empty() {
                return Some(path.to_owned());
            }
            let named = resources.into_iter().flatten().find(|r| r["name"] == name)?;
            named["path"].as_str().map(str::to_owned)
        };
        of_schema(&resource["schema"], path, ("fields", "resource"), &file_of, &mut stated);
    }
    let alone = json["url"].is_string().then_some(json);
    for table in tables.into_iter().flatten().chain(alone) {
        let Some(url) = table["url"].as_str() else { continue };
        of_schema(
            &table["tableSchema"],
            url,
            ("columnReference", "resource"),
            &|name| Some(name.to_owned()),
            &mut stated,
        );
    }
    stated
}

fn of_schema(
    schema: &Value,
    file: &str,
    (columns, resource): (&str, &str),
    file_of: &dyn Fn(&str) -> Option<String>,
    stated: &mut KeysStated,
) {
    let titled = |names: Vec<String>| names.into_iter().map(|name| title(schema, name)).collect();
    let key: Vec<String> = titled(texts(&schema["primaryKey"]));
    if !key.is_empty() {
        stated.keys.push((file.to_owned(), key));
    }
    for link in schema["foreignKeys"].as_array().into_iter().flatten() {
        let reference = &link["reference"];
        let Some(to) = file_of(reference[resource].as_str().unwrap_or_default()) else { continue };
        let from: Vec<String> = titled(texts(&link[columns]));
        let into = texts(&reference[columns]);
        if !from.is_empty() && from.len() == into.len() {
            stated.links.push(ForeignKey { from: (file.to_owned(), from), to: (to, into) });
        }
    }
}

/// The column name of a column that a description calls by another name.
fn title(schema: &Value, name: String) -> String {
    let columns = schema["columns"].as_array();
    let column = columns.into_iter().flatten().find(|column| column["name"] == name.as_str());
    let titles = column.map(|column| texts(&column["titles"])).unwrap_or_default();
    titles.into_iter().next().unwrap_or(name)
}

/// A text or a list of texts.
fn texts(value: &Value) -> Vec<String> {
    match value {
        Value::String(text) => vec![text.clone()],
        Value::Array(all) => all.iter().filter_map(|v| v.as_str().map(str::to_owned)).collect(),
        _ => Vec::new(),
    }
}
