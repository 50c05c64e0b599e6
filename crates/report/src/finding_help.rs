//! What a kind of finding means, as text.

use std::io;

use interligo_project::{Code, FindingKind};

use crate::output::Out;
use crate::text::{QUIET, TITLE, paragraph, reaching};

/// Prints what a kind of finding means.
pub fn explain(out: Out<'_>, code: Code) -> io::Result<()> {
    let FindingKind { what, why, ways, stops, .. } = code.kind();
    writeln!(
        out,
        "{TITLE}{}{TITLE:#}\n{}",
        code.name(),
        paragraph(out.width(), &format!("{}.", capital(what)))
    )?;
    writeln!(out, "{}", paragraph(out.width(), why))?;
    if let Some(stopping) = stops {
        let when = format!("It ends a run {}.", stopping.when);
        writeln!(out, "{}", paragraph(out.width(), &when))?;
    }
    for (line, does) in *ways {
        writeln!(out)?;
        writeln!(out, "  {QUIET}{does}:{QUIET:#}")?;
        line.lines().try_for_each(|line| writeln!(out, "      {}", reaching(line)))?;
    }
    Ok(())
}

/// Prints all kinds of findings, a line each.
pub fn explain_all(out: Out<'_>) -> io::Result<()> {
    let mut table = crate::text::table::TextTable::new(["Finding", "what it is"]);
    for code in Code::ALL.iter().copied() {
        table.row([code.name(), code.kind().what]);
    }
    table.print(out, "  ")
}

/// What a kind of finding means, in some sentences.
pub(crate) fn sentence(code: Code) -> String {
    let FindingKind { what, why, .. } = code.kind();
    format!("{}. {why}", capital(what))
}

/// The same with a capital letter.
pub(crate) fn capital(text: &str) -> String {
    let mut characters = text.chars();
    let first = characters.next().map(|character| character.to_uppercase().collect::<String>());
    format!("{}{}", first.unwrap_or_default(), characters.as_str())
}
