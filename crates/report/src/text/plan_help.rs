//! The keys of a plan, by section.

use std::io;

use interligo_model::plan::reference::{KEYS, PlanKey, SECTIONS, Takes};

use super::TITLE;
use crate::output::Out;

/// The sections, as a command names them: `outputs` for `outputs.NAME`.
pub fn plan_sections() -> impl Iterator<Item = &'static str> {
    SECTIONS.iter().map(|(section, _)| short(section))
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
    for (section, about) in SECTIONS {
        writeln!(out, "{}  {about}", header(section))?;
        let keys: Vec<&str> = of(section).map(|key| key.key).collect();
        super::note(out, anstyle::Style::new(), "  ", &keys.join(", "))?;
    }
    writeln!(out, "\n`interligo help plan tables` explains the keys of one.")
}

/// Prints the keys of a section; false where there is no such section.
///
/// # Errors
/// Standard output cannot be written.
pub fn plan_section(out: Out<'_>, name: &str) -> io::Result<bool> {
    let known = SECTIONS.iter().find(|(section, _)| *section == name || short(section) == name);
    let Some((section, about)) = known else { return Ok(false) };
    writeln!(out, "{TITLE}{}{TITLE:#}  {about}\n", header(section))?;
    for key in of(section) {
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

fn of(section: &str) -> impl Iterator<Item = &'static PlanKey> {
    KEYS.iter().filter(move |key| key.section == section)
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
