//! `interligo help`: of a command, of formulas, of a plan; as manual pages and as a schema.

use std::path::Path;

use clap::CommandFactory;
use interligo_report::{json, text};

use super::Out;
use crate::args::{Arguments, HelpOptions};
use crate::failure::Failure;

pub(crate) fn help(options: &HelpOptions, out: Out<'_>) -> Result<(), Failure> {
    let mut program = Arguments::command();
    program.build();
    if let Some(folder) = &options.man {
        return manual(folder, out);
    }
    if options.schema {
        return Ok(json::plan_schema(out)?);
    }
    let about: Vec<&str> = options.about.iter().map(String::as_str).collect();
    match about.as_slice() {
        [] => write!(out, "{}", program.render_long_help().ansi())?,
        ["formulas"] => text::formulas(out)?,
        ["plan"] => text::plan_overview(out)?,
        ["plan", section] => {
            if !text::plan_section(out, section)? {
                let names = text::plan_sections().map(str::to_owned).collect();
                return Err(Failure::NoHelp { name: (*section).to_owned(), names });
            }
        }
        [name, ..] => match program.find_subcommand_mut(name) {
            Some(command) => write!(out, "{}", command.render_long_help().ansi())?,
            None => {
                let names = program.get_subcommands().map(|command| command.get_name().to_owned());
                let names = names.chain(["formulas", "plan"].map(str::to_owned)).collect();
                return Err(Failure::NoHelp { name: (*name).to_owned(), names });
            }
        },
    }
    out.flush()?;
    Ok(())
}

/// Writes a manual page for each command.
fn manual(folder: &Path, out: Out<'_>) -> Result<(), Failure> {
    let failed = |reason| Failure::Manual { path: folder.to_owned(), reason };
    std::fs::create_dir_all(folder).map_err(failed)?;
    clap_mangen::generate_to(Arguments::command(), folder).map_err(failed)?;
    writeln!(out, "the manual is written: man -l {}", folder.join("interligo.1").display())?;
    Ok(())
}
