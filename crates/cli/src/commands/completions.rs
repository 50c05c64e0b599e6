//! `interligo completions`.

use clap_complete::env::Shells;
use interligo_report::output::Output as _;

use super::Out;
use crate::args::{CompletionsOptions, Shell};
use crate::failure::Failure;

/// The variable by which a shell asks for what may follow.
pub(crate) const ASKS: &str = "INTERLIGO_COMPLETES";

pub(crate) fn completions(options: &CompletionsOptions, out: Out<'_>) -> Result<(), Failure> {
    let shell = match options.shell {
        Shell::Bash => "bash",
        Shell::Zsh => "zsh",
        Shell::Fish => "fish",
    };
    let mut script = Vec::new();
    if let Some(shell) = Shells::builtins().completer(shell) {
        shell.write_registration(ASKS, "interligo", "interligo", "interligo", &mut script)?;
    }
    out.data(&script)?;
    Ok(())
}
