//! JSON lines: an object on each line, its members are the fields (RFC 8259 for each line).
//!
//! | value | what is made of it |
//! |---|---|
//! | string | text |
//! | number | as it is written: `1.50`; one with an exponent by its shortest decimal text |
//! | `true`, `false` | the same words |
//! | `null`, or no such member | blank |
//! | list, object | not read where all values of a column are such, and noted; else refused |

use std::collections::HashMap;
use std::fmt;
use std::io::Read;
use std::path::PathBuf;
use std::sync::Arc;

use arrow_array::builder::StringViewBuilder;
use interligo_engine::proof::findings::Noted;
use interligo_model::place::PartName;
use interligo_model::reading::style::{NumberStyle, Style};
use interligo_model::values::cells::Cells;
use interligo_model::values::decimal::Decimal;
use serde::de::{Deserializer, IgnoredAny, MapAccess, Visitor};
use serde_json::value::RawValue;

use super::text::{further, not_utf8};
use super::{
    Address, Block, Container, Format, Limits, OwnTables, Reader, Source, Unsplit, Wanted, What,
    ends_with, file_bytes,
};
use crate::error::{Error, InputKind};
use crate::formats::head::{Head, Typed};
use crate::grid::{CellGrid, Grid};
use crate::table::settings::TableSettings;
use crate::text::{Dialect, Input};

/// How much is looked at.
const HEAD: usize = 1 << 17;

/// A line longer than this is no line of a table.
const LONGEST_LINE: usize = 64 << 20;

/// JSON lines.
pub(super) struct JsonFormat;

impl Format for JsonFormat {
    fn takes(&self, name: &str) -> bool {
        const ENDINGS: [&str; 6] =
            [".jsonl", ".ndjson", ".jsonl.gz", ".ndjson.gz", ".jsonl.zst", ".ndjson.zst"];
        ends_with(name, &ENDINGS)
    }

    fn open(&self, at: &Address, _: &Limits, _: &OwnTables) -> Result<Arc<dyn Container>, Error> {
        Ok(Arc::new(JsonFile { path: at.path.clone() }))
    }
}

struct JsonFile {
    path: PathBuf,
}

/// A file with its fields.
#[derive(Clone)]
struct JsonSource {
    path: PathBuf,
    name: PartName,
    layout: ObjectLayout,
}

/// The members of the objects.
#[derive(Clone, Default)]
struct ObjectLayout {
    fields: Vec<String>,
    /// Members whose values are lists or objects, which are not read.
    nested: Vec<String>,
    /// How numbers are written, by field.
    styles: Vec<NumberStyle>,
    wanted: Option<Vec<bool>>,
}

impl Container for JsonFile {
    fn look(&self, _: &What, name: &PartName, given: TableSettings) -> Result<Head, Error> {
        let mut reader = JsonReader::open(&self.path, name)?;
        let mut stretches = vec![reader.fill(HEAD)?.unwrap_or_default()];
        if !reader.ended {
            stretches.extend(further(&self.path, Dialect::default()));
        }
        let layout = layout(&stretches, name)?;
        if layout.fields.is_empty() {
            return Err(Error::input(InputKind::Empty, name, "is empty: it has no object")
                .help("each line is an object: {\"sku\": \"A\", \"price\": 1.5}"));
        }
        let (mut columns, mut typed) =
            (columns(&layout), vec![Typed::default(); layout.fields.len()]);
        for (line, row) in stretches.iter().flat_map(|bytes| lines(bytes)).zip(1..) {
            let values = layout.read(line, row, name)?;
            for (field, value) in values.iter().enumerate() {
                columns[field].append_value(value);
                typed[field].rows.push(value.number);
            }
        }
        let column_names = layout.fields.clone();
        let notes = layout.nested.iter();
        let notes =
            notes.map(|name| (Noted::NestedColumn, format!("`{name}` has lists or objects")));
        let sample = columns.iter_mut().map(StringViewBuilder::finish).collect();
        let notes = notes.collect();
        let source = JsonSource { path: self.path.clone(), name: name.clone(), layout };
        let head = Head::of_fields(Arc::new(source), column_names, sample, typed, given);
        Ok(Head { notes, ..head })
    }
}

impl Source for JsonSource {
    fn open(&self, wanted: &Wanted) -> Result<Box<dyn Reader>, Error> {
        let mut reader = JsonReader::open(&self.path, &self.name)?;
        let mut layout = self.layout.clone();
        if let Wanted::Fields(fields) = wanted {
            layout.wanted = Some(fields.clone());
        }
        reader.layout = Arc::new(layout);
        Ok(Box::new(reader))
    }

    fn in_words(&self) -> Vec<String> {
        vec!["JSON lines".to_owned()]
    }

    fn bytes(&self) -> Option<u64> {
        file_bytes(&self.path)
    }

    fn styled(&self, styles: &[Style]) -> Option<Arc<dyn Source>> {
        let mut source = self.clone();
        source.layout.styles = styles.iter().map(|style| style.numbers).collect();
        Some(Arc::new(source))
    }
}

/// Reads whole lines.
struct JsonReader {
    input: Input,
    name: PartName,
    layout: Arc<ObjectLayout>,
    rest: Vec<u8>,
    next_row: u64,
    ended: bool,
}

impl JsonReader {
    fn open(path: &std::path::Path, name: &PartName) -> Result<JsonReader, Error> {
        let (input, rest) = Input::open(path, &name.shown, Dialect::default())?;
        let layout = Arc::default();
        Ok(JsonReader { input, name: name.clone(), layout, rest, next_row: 1, ended: false })
    }

    /// Whole lines of about `size` bytes.
    fn fill(&mut self, size: usize) -> Result<Option<Vec<u8>>, Error> {
        let mut bytes = std::mem::take(&mut self.rest);
        loop {
            let want = size.max(bytes.len());
            let got =
                (&mut self.input).take(want as u64).read_to_end(&mut bytes).map_err(|error| {
                    Error::input(
                        InputKind::Damaged,
                        &self.name,
                        format!("cannot be read further: {error}"),
                    )
                    .help("the file may be damaged or cut off; fetch it again")
                })?;
            self.ended = got < want;
            if bytes.is_empty() {
                return Ok(None);
            }
            match memchr::memrchr(b'\n', &bytes) {
                Some(end) if !self.ended => {
                    self.rest = bytes.split_off(end + 1);
                    return Ok(Some(bytes));
                }
                _ if self.ended => return Ok(Some(bytes)),
                _ if bytes.len() > LONGEST_LINE => {
                    let message = "has a line of more than 64 MB: that is no table";
                    return Err(Error::input(InputKind::TooLarge, &self.name, message)
                        .at_row(self.next_row));
                }
                _ => {}
            }
        }
    }
}

impl Reader for JsonReader {
    fn next(&mut self, size: usize) -> Result<Option<Block>, Error> {
        let Some(bytes) = self.fill(size)? else { return Ok(None) };
        let first_row = self.next_row;
        let mut lines = memchr::memchr_iter(b'\n', &bytes).count() as u64;
        lines += u64::from(bytes.last() != Some(&b'\n'));
        self.next_row += lines;
        let length = bytes.len() as u64;
        let rows = Box::new(Objects { bytes, first_row, layout: self.layout.clone() });
        Ok(Some(Block {
            bytes: length,
            lines,
            extent: lines,
            first: first_row == 1,
            last: false,
            rows,
        }))
    }
}

/// Lines that are still to be read.
struct Objects {
    bytes: Vec<u8>,
    first_row: u64,
    layout: Arc<ObjectLayout>,
}

impl Unsplit for Objects {
    fn split(self: Box<Self>, name: &PartName, _: &[String]) -> Result<Grid, Error> {
        let mut columns = columns(&self.layout);
        let (mut offsets, mut blank) = (Vec::new(), 0);
        let lines = self.bytes.split(|byte| *byte == b'\n');
        let ends = usize::from(self.bytes.last() == Some(&b'\n'));
        let count = memchr::memchr_iter(b'\n', &self.bytes).count() + 1 - ends;
        for (offset, line) in lines.take(count).enumerate() {
            if line.trim_ascii().is_empty() {
                blank += 1;
                continue;
            }
            let values = self.layout.read(line, self.first_row + offset as u64, name)?;
            values.iter().zip(&mut columns).for_each(|(value, column)| column.append_value(value));
            offsets.push(offset as u32);
        }
        let cells = |(field, mut column): (usize, StringViewBuilder)| {
            let wanted = self.layout.wants(field);
            wanted.then(|| Cells::Texts(column.finish()))
        };
        let columns = columns.into_iter().enumerate().map(cells).collect();
        let mut grid = CellGrid::new(offsets.len(), columns, self.first_row);
        if blank > 0 {
            grid = grid.apart(offsets);
        }
        grid.blank = blank;
        Ok(Grid::Cells(grid))
    }
}

fn columns(layout: &ObjectLayout) -> Vec<StringViewBuilder> {
    layout.fields.iter().map(|_| StringViewBuilder::new()).collect()
}

/// The lines that say something.
fn lines(bytes: &[u8]) -> impl Iterator<Item = &[u8]> {
    bytes.split(|byte| *byte == b'\n').filter(|line| !line.trim_ascii().is_empty())
}

/// The members of the objects in some stretches, in the order in which they come first.
fn layout(stretches: &[Vec<u8>], name: &PartName) -> Result<ObjectLayout, Error> {
    let mut layout = ObjectLayout::default();
    // Of each member, whether it has a value, and whether it has a list or object.
    let mut seen: HashMap<String, (bool, bool)> = HashMap::new();
    let mut order: Vec<String> = Vec::new();
    for (line, row) in stretches.iter().flat_map(|bytes| lines(bytes)).zip(1..) {
        object(line, row, name, |member, value| {
            let kinds = seen.entry(member.to_owned()).or_insert_with(|| {
                order.push(member.to_owned());
                (false, false)
            });
            match value.as_bytes().first() {
                Some(b'{' | b'[') => kinds.1 = true,
                Some(b'n') | None => {}
                _ => kinds.0 = true,
            }
            Ok(())
        })?;
    }
    for member in order {
        match seen.get(&member) {
            Some((false, true)) => layout.nested.push(member),
            _ => layout.fields.push(member),
        }
    }
    layout.styles = vec![NumberStyle::PLAIN; layout.fields.len()];
    Ok(layout)
}

#[derive(Clone, Debug, Default)]
struct Value {
    text: String,
    number: bool,
}

impl AsRef<str> for Value {
    fn as_ref(&self) -> &str {
        &self.text
    }
}

impl ObjectLayout {
    fn wants(&self, field: usize) -> bool {
        self.wanted.as_ref().is_none_or(|wanted| wanted[field])
    }

    /// The values of a line, by field.
    fn read(&self, line: &[u8], row: u64, name: &PartName) -> Result<Vec<Value>, Error> {
        let mut values = vec![Value::default(); self.fields.len()];
        let mut set = vec![false; self.fields.len()];
        let mut next = 0;
        object(line, row, name, |member, raw| {
            // Members mostly come in one order.
            let field = match self.fields.get(next) {
                Some(field) if field == member => Some(next),
                _ => self.fields.iter().position(|field| field == member),
            };
            let Some(field) = field else {
                if self.nested.iter().any(|nested| nested == member) {
                    return Ok(());
                }
                return Err(Wrong {
                    what: format!("has `{member}`, which the lines that were looked at have not"),
                    help: "put a line with it at the start of the file",
                });
            };
            next = field + 1;
            if std::mem::replace(&mut set[field], true) {
                let help = "leave one of them out";
                return Err(Wrong { what: format!("has `{member}` twice"), help });
            }
            if self.wants(field) {
                values[field] = value(raw, self.styles[field]).ok_or_else(|| Wrong {
                    what: format!("has a list or object in `{member}`, where others have a value"),
                    help: "make it a single value, or one object for each",
                })?;
            }
            Ok(())
        })?;
        Ok(values)
    }
}

/// The text of a value; `None` for a list or object.
fn value(raw: &str, style: NumberStyle) -> Option<Value> {
    let text = |text: &str| Some(Value { text: text.to_owned(), number: false });
    match raw.as_bytes().first()? {
        b'"' => match memchr::memchr(b'\\', raw.as_bytes()) {
            None => text(&raw[1..raw.len() - 1]),
            Some(_) => text(&serde_json::from_str::<String>(raw).ok()?),
        },
        b'n' => text(""),
        b't' | b'f' => text(raw),
        b'{' | b'[' => None,
        _ => {
            let mut number = plain_number(raw);
            style.rewrite(&mut number);
            Some(Value { text: number, number: true })
        }
    }
}

/// A number of JSON as digits, as short as it can be: `388.0` is the number 388, and `1.5e3` is 1500. One that needs more
/// digits than exact arithmetic has stays as it is.
fn plain_number(raw: &str) -> String {
    let (digits, exponent) = raw.split_once(['e', 'E']).unwrap_or((raw, "0"));
    let shifted = || {
        let number = Decimal::parse(digits.as_bytes())?.trimmed(0);
        let places = i32::from(number.places()).checked_sub(exponent.parse().ok()?)?;
        match u8::try_from(places) {
            Ok(places) => Decimal::new(number.mantissa(), places),
            Err(_) => {
                let power = 10i128.checked_pow(places.checked_neg()?.try_into().ok()?)?;
                Decimal::new(number.mantissa().checked_mul(power)?, 0)
            }
        }
    };
    shifted().map_or_else(|| raw.to_owned(), |number| number.trimmed(0).to_string())
}

/// What is wrong with a line.
struct Wrong {
    what: String,
    help: &'static str,
}

/// Hands on the members of the object in a line.
fn object(
    line: &[u8],
    row: u64,
    name: &PartName,
    each: impl FnMut(&str, &str) -> Result<(), Wrong>,
) -> Result<(), Error> {
    let text = std::str::from_utf8(line).map_err(|_| not_utf8(name, row, None, line, false))?;
    let start = text.trim_start();
    if !start.starts_with('{') {
        let shown: String = start.chars().take(30).collect();
        return Err(Error::input(
            InputKind::Malformed,
            name,
            format!("has `{}`, which is not an object", shown.trim_end()),
        )
        .at_row(row)
        .help("each line is an object: {\"sku\": \"A\", \"price\": 1.5}"));
    }
    let mut wrong = None;
    let mut json = serde_json::Deserializer::from_str(text);
    let read = json.deserialize_map(Members { each, wrong: &mut wrong }).and_then(|()| json.end());
    match (wrong, read) {
        (Some(Wrong { what, help }), _) => {
            Err(Error::input(InputKind::Malformed, name, what).at_row(row).help(help))
        }
        (None, Ok(())) => Ok(()),
        (None, Err(error)) => {
            let message = format!("is no JSON in column {}: {error}", error.column());
            Err(Error::input(InputKind::Malformed, name, message)
                .at_row(row)
                .help("correct the line; the file may also have been cut off"))
        }
    }
}

struct Members<'w, F> {
    each: F,
    wrong: &'w mut Option<Wrong>,
}

impl<'de, F: FnMut(&str, &str) -> Result<(), Wrong>> Visitor<'de> for Members<'_, F> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an object")
    }

    fn visit_map<M: MapAccess<'de>>(mut self, mut map: M) -> Result<(), M::Error> {
        while let Some(member) = map.next_key::<MemberName<'de>>()? {
            if self.wrong.is_some() {
                map.next_value::<IgnoredAny>()?;
                continue;
            }
            let value = map.next_value::<&'de RawValue>()?;
            if let Err(found) = (self.each)(&member.0, value.get()) {
                *self.wrong = Some(found);
            }
        }
        Ok(())
    }
}

/// The name of a member, which is copied only where it holds escapes.
#[derive(serde::Deserialize)]
#[serde(transparent)]
struct MemberName<'a>(#[serde(borrow)] std::borrow::Cow<'a, str>);

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_become_text() {
        for (raw, text, number) in [
            ("\"007\"", "007", false),
            ("\"a\\u00e9\\n\"", "aé\n", false),
            ("1.50", "1.5", true),
            ("388.0", "388", true),
            ("-0.0", "0", true),
            ("-12e-1", "-1.2", true),
            ("1E3", "1000", true),
            ("true", "true", false),
            ("null", "", false),
        ] {
            let found = value(raw, NumberStyle::PLAIN).unwrap();
            assert_eq!((found.text.as_str(), found.number), (text, number), "{raw}");
        }
        assert!(value("[1]", NumberStyle::PLAIN).is_none());
    }
}
