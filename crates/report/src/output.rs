//! Where reports go: text for people, and data for programs.

use std::fmt;
use std::io;

/// Takes a report, piece by piece.
pub trait Output {
    /// Takes text for people.
    ///
    /// # Errors
    /// It cannot be written.
    fn text(&mut self, text: fmt::Arguments<'_>) -> io::Result<()>;

    /// Takes what a program reads, byte for byte.
    ///
    /// # Errors
    /// It cannot be written.
    fn data(&mut self, bytes: &[u8]) -> io::Result<()>;

    /// How many characters a line of running text may have; none where it goes on as long as it is.
    fn width(&self) -> Option<usize>;
}

impl dyn Output + '_ {
    /// What `write!` and `writeln!` call.
    ///
    /// # Errors
    /// It cannot be written.
    pub fn write_fmt(&mut self, text: fmt::Arguments<'_>) -> io::Result<()> {
        self.text(text)
    }
}

/// Where a report goes.
pub type Out<'a> = &'a mut (dyn Output + 'a);
