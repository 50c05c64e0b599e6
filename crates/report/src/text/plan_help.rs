//! The keys of a plan, by section.

use std::io;

use interligo_model::plan::reference::{SECTIONS, Takes};

use super::TITLE;
use crate::output::Out;

/// The sections, as a command names them: `outputs` for `outputs.NAME`.
pub fn plan_sections() -> impl Iterator<Item = &'static str> {
    SECTIONS.iter().map(|section| short(section.name))
}

fn short(section: &'static str) -> &'static str {
    match section.strip_suffix(".part") {
        Some(_) => "part",
        None => section.strip_suffix(".NAME").unwrap_or(section),
    }
}

/// How a plan begins a section.
fn header(section: &str) -> String {
    match section {
        "link" | "tables.NAME.part" => format!("[[{section}]]"),
        _ => format!("[{section}]"),
    }
}

/// Prints which sections a plan has, and their keys.
///
/// # Errors
/// Standard output cannot be written.
pub fn plan_overview(out: Out<'_>) -> io::Result<()> {
    writeln!(out, "{TITLE}The sections of a plan{TITLE:#}\n")?;
    for section in SECTIONS {
        writeln!(out, "{}  {}", header(section.name), section.about)?;
        let keys: Vec<&str> = section.keys().map(|key| key.key).collect();
        super::note(out, anstyle::Style::new(), "  ", &keys.join(", "))?;
    }
    writeln!(out, "\n`interligo help plan tables` explains the keys of one.")
}

/// Prints the keys of a section; false where there is no such section.
///
/// # Errors
/// Standard output cannot be written.
pub fn plan_section(out: Out<'_>, name: &str) -> io::Result<bool> {
    let known = SECTIONS.iter().find(|own| own.name == name || short(own.name) == name);
    let Some(section) = known else { return Ok(false) };
    writeln!(out, "{TITLE}{}{TITLE:#}  {}\n", header(section.name), section.about)?;
    for key in section.keys() {
        let example =
            if key.example.is_empty() { String::new() } else { format!(" = {}", key.example) };
        writeln!(out, "{TITLE}{}{TITLE:#}{example}", key.key)?;
        let without = match key.default {
            "" => String::new(),
            default => format!("; without it: {default}"),
        };
        super::note(out, anstyle::Style::new(), "    ", &format!("{}{without}", key.about))?;
        if let Some(words) = choice(key.takes) {
            super::note(out, anstyle::Style::new(), "    ", &words)?;
        }
    }
    Ok(true)
}

/// The words or keys that a key takes.
fn choice(takes: Takes) -> Option<String> {
    match takes {
        Takes::OneOf(words) => Some(format!("one of: {}", words.join(", "))),
        Takes::OneOfOrKeys(words, keys) => {
            Some(format!("one of: {}; or in braces: {}", words.join(", "), keys.join(", ")))
        }
        Takes::Keys([]) => None,
        Takes::Keys(keys) => Some(format!("in braces: {}", keys.join(", "))),
        _ => None,
    }
}
