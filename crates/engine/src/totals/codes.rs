//! The values of an attribute as small numbers, for one worker.

use std::borrow::Cow;

use arrow_array::{Array, StringViewArray};
use arrow_buffer::NullBuffer;
use hashbrown::{HashMap, HashSet};
use interligo_model::values::column::{Column, is_blank_at, is_known};
use interligo_model::values::date::{Day, Period};
use interligo_model::values::value::Value;
use unicode_normalization::UnicodeNormalization;

use smallvec::SmallVec;

use super::measure::ByExpr;
use crate::keys::KeyTable;
use crate::lines::Lines;

/// The values of attributes by their numbers, or ranks.
pub(super) type Key = SmallVec<[u32; 4]>;

/// A text in the form in which it is one value: Unicode's composed form, as for keys.
pub(super) fn same_text(text: &str) -> Cow<'_, str> {
    if text.is_ascii() { text.into() } else { text.nfc().collect::<String>().into() }
}

pub(super) type FastMap<K, V> = HashMap<K, V, foldhash::fast::FixedState>;
pub(super) type FastSet<K> = HashSet<K, foldhash::fast::FixedState>;

/// The values of an attribute as small numbers; 0 is blank.
pub(super) struct Attribute<'p> {
    by: &'p ByExpr,
    texts: KeyTable,
    others: FastMap<Value<'static>, u32>,
    /// Days or periods that were met, by their number less the first one's.
    near: Vec<u32>,
    near_from: i32,
    values: Vec<Value<'static>>,
}

/// How many days or periods apart may lie for the short way of numbering them.
const NEAR: i32 = 1 << 16;

impl<'p> Attribute<'p> {
    pub(super) fn new(by: &'p ByExpr) -> Attribute<'p> {
        Attribute {
            by,
            texts: KeyTable::with_capacity(0),
            others: FastMap::default(),
            near: Vec::new(),
            near_from: 0,
            values: vec![Value::Blank],
        }
    }

    /// How many codes there are.
    pub(super) fn count(&self) -> usize {
        self.by.dictionary.as_ref().map_or(self.values.len(), |dictionary| dictionary.texts.len())
    }

    /// Its values, by code.
    pub(super) fn values(&self) -> Vec<Value<'static>> {
        (0..self.count() as u32).map(|code| self.value(code)).collect()
    }

    fn value(&self, code: u32) -> Value<'static> {
        match &self.by.dictionary {
            Some(_) if code == 0 => Value::Blank,
            Some(dictionary) => Value::Text(dictionary.texts[code as usize].clone().into()),
            None => self.values[code as usize].clone(),
        }
    }

    /// The code of the attribute on every line.
    pub(super) fn codes(&mut self, lines: &Lines<'_>) -> Result<Vec<u32>, usize> {
        if let (Some(dictionary), Some((route, _))) =
            (&self.by.dictionary, crate::lines::plain_attribute(&self.by.expr))
        {
            return Ok(lines.codes(route, &dictionary.codes));
        }
        let column = lines.computed(&self.by.expr)?;
        Ok(match column.as_ref() {
            Column::Text(texts) => self.text_codes(texts),
            Column::Period(unit, periods) => {
                let value = |ordinal| Value::Period(Period { unit: *unit, ordinal });
                self.near_codes(&periods.days, periods.known.as_ref(), value)
            }
            Column::Date(dates) => {
                self.near_codes(&dates.days, dates.known.as_ref(), |day| Value::Date(Day(day)))
            }
            other => (0..other.len())
                .map(|row| match other.value(row) {
                    // 1.50 and 1.5 are one group.
                    Value::Number(number) => self.code_of(Value::Number(number.trimmed(0))),
                    value => self.code_of(value.into_owned()),
                })
                .collect(),
        })
    }

    fn text_codes(&mut self, texts: &StringViewArray) -> Vec<u32> {
        let mut codes = Vec::with_capacity(texts.len());
        self.texts.get_all(texts, &mut codes);
        for (row, code) in codes.iter_mut().enumerate() {
            if *code != u32::MAX {
                continue;
            }
            *code = if is_blank_at(texts, row) { 0 } else { self.code_of_text(texts.value(row)) };
        }
        // A text that says nothing may be known beside rows that are blank.
        if let Some(known) = texts.nulls() {
            codes
                .iter_mut()
                .enumerate()
                .filter(|(row, _)| known.is_null(*row))
                .for_each(|(_, code)| *code = 0);
        }
        codes
    }

    /// The code of a text that is new as it is written; its forms in Unicode are one value.
    fn code_of_text(&mut self, text: &str) -> u32 {
        let composed = same_text(text);
        let next = self.values.len() as u32;
        let code = self.texts.insert(&composed, next).unwrap_or_else(|| {
            self.values.push(Value::Text(composed.clone().into_owned().into()));
            next
        });
        if composed != text {
            self.texts.insert(text, code);
        }
        code
    }

    fn near_codes(
        &mut self,
        days: &[i32],
        known: Option<&NullBuffer>,
        value: impl Fn(i32) -> Value<'static>,
    ) -> Vec<u32> {
        if self.near.is_empty() {
            let first = days.iter().enumerate().find(|(row, _)| is_known(known, *row));
            self.near_from = first.map_or(0, |(_, day)| day.saturating_sub(NEAR / 2));
            self.near = vec![u32::MAX; NEAR as usize];
        }
        let mut codes = Vec::with_capacity(days.len());
        for (row, &day) in days.iter().enumerate() {
            if !is_known(known, row) {
                codes.push(0);
                continue;
            }
            let near = usize::try_from(i64::from(day) - i64::from(self.near_from)).ok();
            codes.push(match near.and_then(|at| self.near.get(at)).copied() {
                Some(code) if code != u32::MAX => code,
                found => {
                    let code = self.code_of(value(day));
                    if let (Some(_), Some(at)) = (found, near) {
                        self.near[at] = code;
                    }
                    code
                }
            });
        }
        codes
    }

    fn code_of(&mut self, value: Value<'static>) -> u32 {
        if value.is_blank() {
            return 0;
        }
        let next = self.values.len() as u32;
        let values = &mut self.values;
        *self.others.entry(value).or_insert_with_key(|value| {
            values.push(value.clone());
            next
        })
    }
}
