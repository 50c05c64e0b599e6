//! `interligo help`: of a command, or of formulas.

use clap::CommandFactory;
use interligo_report::text;

use super::Out;
use crate::args::{Arguments, HelpOptions};
use crate::failure::Failure;

pub(crate) fn help(options: &HelpOptions, out: Out<'_>) -> Result<(), Failure> {
    let mut program = Arguments::command();
    program.build();
    match options.about.as_deref() {
        None => write!(out, "{}", program.render_long_help().ansi())?,
        Some("formulas") => text::formulas(out)?,
        Some(name) => match program.find_subcommand_mut(name) {
            Some(command) => write!(out, "{}", command.render_long_help().ansi())?,
            None => {
                let names = program.get_subcommands().map(|command| command.get_name().to_owned());
                let names = names.chain(["formulas".to_owned()]).collect();
                return Err(Failure::NoHelp { name: name.to_owned(), names });
            }
        },
    }
    out.flush()?;
    Ok(())
}
