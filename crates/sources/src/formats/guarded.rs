//! What formats do when a file breaks their library: a panic on damaged bytes is an error of that file, and
//! nothing else ends.

use std::cell::Cell;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;

use interligo_model::place::PartName;

use super::{Block, Container, Head, KeysStated, Reader, RowStart, TableSettings, What};
use crate::error::{Error, InputKind};

thread_local! {
    static GUARDED: Cell<bool> = const { Cell::new(false) };
}

/// Whether a panic on this thread is caught and told as an error.
pub fn is_guarded() -> bool {
    GUARDED.get()
}

/// Does something that a library may break; its panic becomes the first line of what it says.
///
/// # Errors
/// A panic.
pub fn caught<R>(work: impl FnOnce() -> R) -> Result<R, String> {
    let before = GUARDED.replace(true);
    let done = catch_unwind(AssertUnwindSafe(work));
    GUARDED.set(before);
    done.map_err(|panic| {
        let text = panic.downcast_ref::<String>().map(String::as_str);
        let why = text.or_else(|| panic.downcast_ref::<&str>().copied());
        why.unwrap_or("no reason is given").lines().next().unwrap_or_default().to_owned()
    })
}

/// Does something with a file; a panic becomes an error of it.
///
/// # Errors
/// Those of `work`, and its panic.
pub fn guarded<R>(name: &PartName, work: impl FnOnce() -> Result<R, Error>) -> Result<R, Error> {
    caught(work).unwrap_or_else(|why| Err(broken(name, &why)))
}

fn broken(name: &PartName, why: &str) -> Error {
    Error::input(InputKind::Damaged, name, format!("cannot be read: it is damaged ({why})"))
        .help("fetch the file again from where it came from")
}

/// A container whose panics are errors.
pub(super) struct GuardedContainer {
    pub(super) container: Arc<dyn Container>,
    pub(super) shown: PartName,
}

impl Container for GuardedContainer {
    fn tables(&self) -> Result<Option<Vec<String>>, Error> {
        guarded(&self.shown, || self.container.tables())
    }

    fn noun(&self) -> &'static str {
        self.container.noun()
    }

    fn has(&self, name: &str) -> bool {
        self.container.has(name)
    }

    fn name(&self, what: &What, shown: Arc<str>) -> PartName {
        self.container.name(what, shown)
    }

    fn server(&self) -> Option<&str> {
        self.container.server()
    }

    fn answers(&self) -> bool {
        self.container.answers()
    }

    fn keys_stated(&self) -> Result<KeysStated, Error> {
        guarded(&self.shown, || self.container.keys_stated())
    }

    fn look(&self, what: &What, name: &PartName, given: TableSettings) -> Result<Head, Error> {
        guarded(name, || self.container.look(what, name, given))
    }
}

/// A reader whose panics are errors.
pub struct Guarded {
    /// The reader.
    pub reader: Box<dyn Reader>,
    /// What it reads.
    pub name: PartName,
}

impl Reader for Guarded {
    fn next(&mut self, size: usize) -> Result<Option<Block>, Error> {
        let Guarded { reader, name } = self;
        guarded(name, || reader.next(size))
    }

    fn row_start(&self) -> Option<RowStart> {
        self.reader.row_start()
    }

    fn is_whole(&self) -> bool {
        self.reader.is_whole()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Breaks(u8);

    impl Reader for Breaks {
        fn next(&mut self, _: usize) -> Result<Option<Block>, Error> {
            self.0 -= 1;
            assert!(self.0 > 0, "offset {} is beyond the end", 7);
            Ok(None)
        }
    }

    #[test]
    fn a_panic_of_a_format_is_an_error_of_its_file() {
        let mut reader = Guarded { reader: Box::new(Breaks(2)), name: PartName::from("a.parquet") };
        assert!(reader.next(1).is_ok());
        let error = reader.next(1).err().map(|error| error.to_string()).unwrap_or_default();
        assert!(error.contains("it is damaged (offset 7 is beyond the end)"), "{error}");
        assert!(!is_guarded());
    }
}
