//! Formats that this build was made without: what is named so is refused, with what to do.

use std::sync::Arc;

use super::{Address, Container, Format, Limits, OwnTables, server_address};
use crate::error::{Error, InputKind};

/// A format that is not there.
pub(super) struct Absent {
    /// Whether what is named so is of it.
    pub(super) takes: fn(&str) -> bool,
    /// What it is called.
    pub(super) name: &'static str,
    /// The feature that brings it.
    pub(super) feature: &'static str,
}

impl Format for Absent {
    fn takes(&self, name: &str) -> bool {
        (self.takes)(name)
    }

    fn is_address(&self) -> bool {
        self.feature == "postgres"
    }

    fn shown(&self, address: &str) -> Result<Arc<str>, Error> {
        match self.is_address() {
            true => server_address::shown(address),
            false => Ok(address.into()),
        }
    }

    fn open(&self, at: &Address, _: &Limits, _: &OwnTables) -> Result<Arc<dyn Container>, Error> {
        let message = format!("cannot be read: this program was built without {}", self.name);
        Err(Error::input(InputKind::NotBuilt, &at.shown, message).help(format!(
            "build it with the feature `{}`, or export the table as CSV",
            self.feature
        )))
    }
}
