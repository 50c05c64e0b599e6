//! Standard output and standard error, as reports and messages go there.

use std::fmt;
use std::io::{self, IsTerminal, Write};

use interligo_report::output::Output;
use interligo_report::visible::Visible;

/// Standard output: text for people, and data for programs.
pub(crate) struct Printed {
    text: Visible<anstream::AutoStream<io::StdoutLock<'static>>>,
    is_terminal: bool,
}

impl Printed {
    pub(crate) fn stdout() -> Printed {
        let is_terminal = io::stdout().is_terminal();
        Printed { text: Visible::new(anstream::stdout().lock()), is_terminal }
    }

    /// What `write!` and `writeln!` call.
    pub(crate) fn write_fmt(&mut self, text: fmt::Arguments<'_>) -> io::Result<()> {
        self.text.write_fmt(text)
    }

    /// Lets all of it reach whoever reads it.
    pub(crate) fn flush(&mut self) -> io::Result<()> {
        self.text.flush()
    }
}

impl Output for Printed {
    fn text(&mut self, text: fmt::Arguments<'_>) -> io::Result<()> {
        self.text.write_fmt(text)
    }

    /// On a terminal it is text like any other.
    fn data(&mut self, bytes: &[u8]) -> io::Result<()> {
        if self.is_terminal {
            return self.text.write_all(bytes);
        }
        self.flush()?;
        io::stdout().write_all(bytes)
    }

    fn width(&self) -> Option<usize> {
        told_width()
    }
}

/// Prints a line on standard error.
pub(crate) fn say(line: fmt::Arguments<'_>) {
    let mut stderr = Visible::new(anstream::stderr().lock());
    // Where nobody can be told, nothing can be said of that either.
    let _ = writeln!(stderr, "{line}").and_then(|()| stderr.flush());
}

/// Standard error, where a message is longer than some lines.
struct Explained(Visible<anstream::AutoStream<io::StderrLock<'static>>>);

impl Output for Explained {
    fn text(&mut self, text: fmt::Arguments<'_>) -> io::Result<()> {
        self.0.write_fmt(text)
    }

    fn data(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.0.write_all(bytes)
    }

    fn width(&self) -> Option<usize> {
        told_width()
    }
}

/// Prints a report on standard error, as a part of a message.
pub(crate) fn explain(report: impl FnOnce(&mut dyn Output) -> io::Result<()>) {
    let mut stderr = Explained(Visible::new(anstream::stderr().lock()));
    let _ = report(&mut stderr).and_then(|()| stderr.0.flush());
}

/// Prints some lines on standard error.
pub(crate) fn say_all(lines: impl IntoIterator<Item = String>) {
    lines.into_iter().for_each(|line| say(format_args!("{line}")));
}

/// How wide the terminal is; 80 where there is none.
pub(crate) fn width() -> usize {
    told_width().unwrap_or(80)
}

/// How wide the terminal is, if there is one or its width is told.
fn told_width() -> Option<usize> {
    let told = std::env::var("COLUMNS").ok().and_then(|columns| columns.parse().ok());
    // Not that of standard error: what goes to a file or another program is as wide as it is.
    let terminal = || terminal_size::terminal_size_of(io::stdout());
    told.or_else(|| terminal().map(|(width, _)| usize::from(width.0)))
}
