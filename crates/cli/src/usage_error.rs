//! What is wrong with the arguments themselves, in the form of all other messages.

use clap::error::{ContextKind, ContextValue, ErrorKind};

use interligo_report::text::{error_line, fix_line};

/// The message of an argument error, or its own text for what has no words of ours, such as the help of a command.
pub(crate) fn usage_message(error: &clap::Error) -> String {
    let Some((what, fix)) = worded(error) else {
        return error.render().ansi().to_string().trim_end().to_owned();
    };
    let fix = fix.unwrap_or_else(|| format!("`{} --help` lists the options", command(error)));
    format!("{}\n{}", error_line(&what), fix_line(&fix))
}

/// What is wrong, and what to do where that is known.
fn worded(error: &clap::Error) -> Option<(String, Option<String>)> {
    let text = |kind| context(error, kind).into_iter().next();
    let argument = text(ContextKind::InvalidArg).map(|shown| name_of(&shown));
    let nearest = |kind| text(kind).map(|name| format!("did you mean `{}`?", name_of(&name)));
    Some(match error.kind() {
        ErrorKind::InvalidSubcommand => {
            let name = text(ContextKind::InvalidSubcommand)?;
            let fix = nearest(ContextKind::SuggestedSubcommand)
                .unwrap_or_else(|| "`interligo --help` lists the commands".to_owned());
            (format!("there is no command `{name}`"), Some(fix))
        }
        ErrorKind::UnknownArgument => {
            let argument = argument?;
            let what = if argument.starts_with('-') {
                format!("`{}` has no option `{argument}`", command(error))
            } else {
                format!("`{}` takes no further argument, and `{argument}` is one", command(error))
            };
            let renamed = RENAMED.iter().find(|(former, _)| *former == argument);
            let renamed =
                renamed.map(|(former, present)| format!("`{former}` is now called `{present}`"));
            (what, renamed.or_else(|| nearest(ContextKind::SuggestedArg)))
        }
        ErrorKind::InvalidValue => {
            let (argument, value) = (argument?, text(ContextKind::InvalidValue)?);
            let valid = context(error, ContextKind::ValidValue);
            let what = match value.is_empty() {
                true => format!("`{argument}` needs a value"),
                false => format!("`{value}` is not a value of `{argument}`"),
            };
            let all = || match valid.is_empty() {
                true => text(ContextKind::InvalidArg).map(|shown| written(&shown)),
                false => Some(format!("choose one of {}", valid.join(", "))),
            };
            (what, nearest(ContextKind::SuggestedValue).or_else(all))
        }
        ErrorKind::ValueValidation => {
            let what =
                format!("`{}` is not a value of `{}`", text(ContextKind::InvalidValue)?, argument?);
            (what, std::error::Error::source(error).map(|reason| reason.to_string()))
        }
        ErrorKind::ArgumentConflict => {
            let other = text(ContextKind::PriorArg).map(|shown| name_of(&shown))?;
            let argument = argument?;
            let what = match other == argument {
                true => format!("`{argument}` is given twice"),
                false => format!("`{argument}` and `{other}` cannot be used together"),
            };
            (what, Some("leave one of them out".to_owned()))
        }
        ErrorKind::MissingRequiredArgument => {
            let missing = context(error, ContextKind::InvalidArg);
            let missing = missing.iter().map(|shown| format!("`{}`", name_of(shown)));
            (format!("{} is missing", missing.collect::<Vec<_>>().join(" and ")), None)
        }
        ErrorKind::NoEquals | ErrorKind::TooFewValues | ErrorKind::WrongNumberOfValues => {
            (format!("`{}` needs a value", argument?), None)
        }
        ErrorKind::TooManyValues => {
            (format!("`{}` is one argument too many", text(ContextKind::InvalidValue)?), None)
        }
        ErrorKind::InvalidUtf8 => ("an argument is not UTF-8".to_owned(), None),
        _ => return None,
    })
}

/// Former names of options, each with the present one.
const RENAMED: [(&str, &str); 1] = [("--unreached", "--not-shared")];

/// How an argument is written, from how the help shows it: `--top <N>`.
fn written(shown: &str) -> String {
    format!("write `{}`", shown.replace(['<', '>'], ""))
}

/// The texts of a part of an error.
fn context(error: &clap::Error, kind: ContextKind) -> Vec<String> {
    match error.get(kind) {
        Some(ContextValue::String(text)) => vec![text.clone()],
        Some(ContextValue::Strings(texts)) => texts.clone(),
        _ => Vec::new(),
    }
}

/// The name of an argument that is shown with its value: `--top` of `--top <N>`.
fn name_of(shown: &str) -> String {
    shown.split(" <").next().unwrap_or(shown).trim_end_matches("...").to_owned()
}

/// The command that was called, as its usage begins.
fn command(error: &clap::Error) -> String {
    let usage = match error.get(ContextKind::Usage) {
        Some(ContextValue::StyledStr(usage)) => usage.to_string(),
        _ => String::new(),
    };
    let is_name = |word: &&str| word.chars().all(|letter| letter.is_ascii_lowercase());
    let words = usage.split_whitespace().skip_while(|word| *word != "interligo");
    let command: Vec<&str> = words.take_while(is_name).collect();
    if command.is_empty() { "interligo".to_owned() } else { command.join(" ") }
}
