//! A line as it is on the way from one run to another: some of its values are those of the first, some those of the second.

use std::cell::RefCell;
use std::collections::BTreeMap;

use interligo_engine::replay::LineValues;
use interligo_model::values::value::Value;

use crate::runs::Needs;

/// The values of a line, by name.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct State {
    pub(super) own: BTreeMap<String, Value<'static>>,
    /// By link and column of its lookup.
    pub(super) attributes: BTreeMap<(String, String), Value<'static>>,
}

/// A state as an engine asks for it.
pub(super) struct Asked<'s> {
    state: &'s State,
    needs: &'s Needs,
    /// What was asked for and is not there.
    missed: RefCell<Option<String>>,
}

impl<'s> Asked<'s> {
    pub(super) fn new(state: &'s State, needs: &'s Needs) -> Asked<'s> {
        Asked { state, needs, missed: RefCell::new(None) }
    }

    /// What was asked for and is not among the values of the line.
    pub(super) fn missed(&self) -> Option<String> {
        self.missed.take()
    }

    fn or_missed<'v>(
        &self,
        value: Option<&'v Value<'static>>,
        name: impl Fn() -> String,
    ) -> Value<'v> {
        if value.is_none() {
            self.missed.borrow_mut().get_or_insert_with(name);
        }
        value.map_or(Value::Blank, Value::borrowed)
    }
}

impl LineValues for Asked<'_> {
    fn column(&self, column: usize) -> Value<'_> {
        let Some(name) = self.needs.columns.get(column) else { return Value::Blank };
        self.or_missed(self.state.own.get(name), || name.clone())
    }

    fn attribute(&self, link: usize, column: usize) -> Value<'_> {
        let name = (self.needs.links[link].clone(), self.needs.attributes[link][column].clone());
        self.or_missed(self.state.attributes.get(&name), || format!("{}.{}", name.0, name.1))
    }
}
