//! Text files: how they are written is found by reading their head, and stretches of their middle and end,
//! whatever their size.

use std::cell::OnceCell;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use arrow_array::StringViewArray;
use arrow_array::builder::StringViewBuilder;
use arrow_buffer::Buffer;

use interligo_model::place::PartName;

use super::{
    Address, Block, Container, Format, Limits, OwnTables, Reader, RowStart, Source, Stretch,
    Unsplit, Wanted, What, file_bytes,
};
use crate::error::{Error, InputKind};
use crate::formats::head::Head;
use crate::grid::{Grid, TextGrid};
use crate::table::header_row::{self, Header};
use crate::table::settings::TableSettings;
use crate::text::{BlockReader, Dialect, Fields, Input, PADDING, TextBlock, decoded, unquoted};

/// How much is read of the head; half as much of the middle and of the end.
const HEAD: usize = 1 << 16;

/// The head of a file with long rows.
const LONG_HEAD: usize = 1 << 22;

/// The separators that are looked for.
const SEPARATORS: [u8; 4] = [b',', b';', b'\t', b'|'];

/// Text files: fields between separators.
pub(super) struct TextFormat;

impl Format for TextFormat {
    fn takes(&self, _: &str) -> bool {
        true
    }

    fn open(&self, at: &Address, _: &Limits, _: &OwnTables) -> Result<Arc<dyn Container>, Error> {
        Ok(Arc::new(TextFile { path: at.path.clone() }))
    }
}

struct TextFile {
    path: PathBuf,
}

impl Container for TextFile {
    fn look(&self, _: &What, name: &PartName, given: TableSettings) -> Result<Head, Error> {
        head(&self.path, name, given)
    }
}

/// A text file with what is known of how it is written.
#[derive(Clone)]
struct TextSource {
    path: PathBuf,
    name: PartName,
    dialect: Dialect,
    /// How many rows to skip to get below the column names.
    skip: u64,
}

impl Source for TextSource {
    fn open(&self, _: &Wanted) -> Result<Box<dyn Reader>, Error> {
        let mut reader = BlockReader::open(&self.path, &self.name.shown, self.dialect)?;
        reader.skip_rows(self.skip)?;
        Ok(Box::new(reader))
    }

    fn open_stretch(&self, _: &Wanted, part: Stretch) -> Result<Option<Box<dyn Reader>>, Error> {
        let mut reader = BlockReader::open(&self.path, &self.name.shown, self.dialect)?;
        let from = match part.from {
            Some(from) => {
                reader.has_started();
                from
            }
            None => {
                reader.skip_rows(self.skip)?;
                let Some(first) = reader.next_row_start() else { return Ok(None) };
                first
            }
        };
        Ok(reader.go_to(from, part.to)?.then(|| Box::new(reader) as Box<dyn Reader>))
    }

    fn in_words(&self) -> Vec<String> {
        let mut words = vec![match self.dialect.separator {
            b'\t' => "separator tab".to_owned(),
            other => format!("separator \"{}\"", shown_separator(other)),
        }];
        words.extend(self.dialect.encoding.map(|encoding| encoding.name().to_lowercase()));
        if self.dialect.returns {
            words.push("rows end in carriage returns".to_owned());
        }
        words
    }

    fn bytes(&self) -> Option<u64> {
        file_bytes(&self.path)
    }

    fn separator(&self) -> Option<u8> {
        Some(self.dialect.separator)
    }

    fn layout(&self) -> String {
        format!("{:?}", self.dialect)
    }
}

impl Reader for BlockReader {
    fn next(&mut self, size: usize) -> Result<Option<Block>, Error> {
        let Some(text) = self.next_text(size)? else { return Ok(None) };
        let (bytes, lines) = (text.length as u64, text.lines);
        let (first, last) = (text.first, text.last);
        Ok(Some(Block { bytes, lines, extent: bytes, first, last, rows: Box::new(text) }))
    }

    fn row_start(&self) -> Option<RowStart> {
        self.next_row_start()
    }

    fn is_whole(&self) -> bool {
        self.hands_out_all()
    }
}

impl Unsplit for TextBlock {
    fn split(self: Box<Self>, name: &PartName, column_names: &[String]) -> Result<Grid, Error> {
        if let Err(error) = std::str::from_utf8(&self.bytes) {
            return Err(block_not_utf8(&self, name, column_names, error.valid_up_to()));
        }
        let fields = Fields::split(&self, column_names.len());
        Ok(Grid::Text(TextGrid {
            fields,
            first_row: self.first_row,
            row_starts: self.row_starts,
            buffer: Buffer::from_vec(self.bytes),
            row_numbers: OnceCell::new(),
        }))
    }

    /// Beyond ASCII the same text may be written in several ways.
    fn may_have(&self, text: &str) -> bool {
        let rows = self.rows();
        memchr::memmem::find(rows, text.as_bytes()).is_some() || !rows.is_ascii()
    }
}

/// The error for a block that is not UTF-8.
fn block_not_utf8(block: &TextBlock, name: &PartName, column_names: &[String], at: usize) -> Error {
    let bytes = block.rows();
    let start = memchr::memrchr(b'\n', &bytes[..at]).map_or(0, |end| end + 1);
    let field = bytes[start..at].iter().filter(|byte| **byte == block.separator).count();
    let end = at + bytes[at..].iter().position(|byte| matches!(*byte, b'\n' | b'\r')).unwrap_or(0);
    let column_name = column_names.get(field).map(String::as_str);
    not_utf8(name, block.row_of(at), column_name, &bytes[start..end], !bytes[..at].is_ascii())
}

/// Bytes that are no text, with the row and the column name of the column. `mixed` says that other bytes of the
/// file are UTF-8 beyond ASCII.
pub(super) fn not_utf8(
    name: &PartName,
    row: u64,
    column_name: Option<&str>,
    near: &[u8],
    mixed: bool,
) -> Error {
    let column =
        column_name.map_or(String::new(), |column_name| format!(" in column `{column_name}`"));
    let reads = decoded(near);
    let reads = reads.trim();
    let help = if mixed {
        format!(
            "the rows above are UTF-8, and this one probably means `{reads}`: the file mixes encodings; save it again in one"
        )
    } else {
        format!(
            "if it means `{reads}`, add encoding = \"windows-1252\" to the table; or name another"
        )
    };
    Error::input(InputKind::Encoding, name, format!("contains bytes that are not UTF-8{column}"))
        .at_row(row)
        .help(help)
}

/// Looks at the head of a file.
///
/// # Errors
/// It is empty, no text, or can be split in two ways.
fn head(path: &Path, name: &PartName, given: TableSettings) -> Result<Head, Error> {
    let mut dialect = Dialect { encoding: given.encoding, ..Dialect::default() };
    let shown = &name.shown;
    let head = first_bytes(path, shown, &mut dialect)?;
    let found = match given.separator {
        Some(separator) => {
            dialect.separator = separator;
            header_row::find(&head, separator, given.header_row, shown)?
        }
        None => {
            let (separator, header) = separator(&head, shown, given.header_row)?;
            dialect.separator = separator;
            header
        }
    };
    let Header { above, skip, row, rest } = found;
    let text = std::str::from_utf8(&head[row.clone()])
        .map_err(|_| not_utf8(name, skip.max(1), None, &head[row.clone()], false))?;
    let mut column_names: Vec<String> = header_row::fields(text.as_bytes(), dialect.separator)
        .into_iter()
        .map(|field| unquoted(&text[field]).into_owned())
        .collect();
    if given.header_row == Some(0) {
        column_names.iter_mut().for_each(String::clear);
    }
    let mut stretches = vec![head[rest..].to_vec()];
    stretches.extend(further(path, dialect));
    let sample = sample(stretches, dialect.separator, column_names.len());
    let empty = match given.header_row {
        Some(0) => vec![false; column_names.len()],
        _ => Head::empty_fields(&column_names, &sample),
    };
    let source = TextSource { path: path.to_owned(), name: name.clone(), dialect, skip };
    Ok(Head {
        source: Arc::new(source),
        above,
        header_row: skip.max(1),
        column_names,
        first_column: 0,
        empty,
        notes: Vec::new(),
        sample,
        typed: Vec::new(),
        given,
    })
}

/// What the fields hold in stretches of a file, without quotes around it.
fn sample(stretches: Vec<Vec<u8>>, separator: u8, width: usize) -> Vec<StringViewArray> {
    // Samples of all files are held at once, and most may be short: room is made for the rows that come.
    let mut columns: Vec<StringViewBuilder> =
        (0..width).map(|_| StringViewBuilder::with_capacity(0)).collect();
    for bytes in stretches {
        let block = whole_rows(bytes, separator);
        let fields = Fields::split(&block, width);
        for row in 0..fields.rows() {
            for (field, column) in columns.iter_mut().enumerate() {
                let text = fields.field(&block.bytes, row, field);
                let inner = text.strip_prefix(b"\"").and_then(|text| text.strip_suffix(b"\""));
                if let Ok(text) = std::str::from_utf8(inner.unwrap_or(text)) {
                    column.append_value(text);
                }
            }
        }
    }
    columns.iter_mut().map(StringViewBuilder::finish).collect()
}

/// The first bytes of a file as UTF-8, as many as show its column name and some rows.
fn first_bytes(path: &Path, shown: &Arc<str>, dialect: &mut Dialect) -> Result<Vec<u8>, Error> {
    let unreadable = |error| {
        Error::input(InputKind::Damaged, shown, format!("cannot be read further: {error}"))
            .help("the file may be damaged or cut off; fetch it again")
    };
    let (mut input, mut bytes) = Input::open(path, shown, *dialect)?;
    let mut want = HEAD;
    loop {
        let room = want.saturating_sub(bytes.len());
        let read = input.by_ref().take(room as u64).read_to_end(&mut bytes).map_err(unreadable)?;
        let ended = read < room;
        if bytes.iter().all(u8::is_ascii_whitespace) && ended {
            return Err(Error::input(InputKind::Empty, shown, "is empty: it has no header row")
                .help("the first row of a table has the names of its columns"));
        }
        refuse_other_than_text(&bytes, shown)?;
        if !dialect.returns && ends_in_returns(&bytes) {
            // Rows that end as they did on old machines; a line end in quotes is none of a row.
            dialect.returns = true;
            (input, bytes) = Input::open(path, shown, *dialect)?;
            continue;
        }
        match memchr::memrchr(b'\n', &bytes) {
            Some(end) if !ended => {
                bytes.truncate(end + 1);
                return Ok(bytes);
            }
            None if !ended && want < LONG_HEAD => want = LONG_HEAD,
            None if !ended => {
                return Err(Error::input(
                    InputKind::NotText,
                    shown,
                    "has no line end in its first 4 MB",
                )
                .help("a text table has a row for each line; check that this is one"));
            }
            _ => {
                if bytes.last() != Some(&b'\n') {
                    bytes.push(b'\n');
                }
                return Ok(bytes);
            }
        }
    }
}

/// Whether rows end in carriage returns alone: outside of quotes there are such, and no line ends.
fn ends_in_returns(bytes: &[u8]) -> bool {
    let (mut quoted, mut returns) = (false, false);
    for byte in bytes {
        match byte {
            b'"' => quoted = !quoted,
            b'\n' if !quoted => return false,
            b'\r' if !quoted => returns = true,
            _ => {}
        }
    }
    returns
}

/// Refuses what is no text, or text of two bytes a separator without a mark that says so.
fn refuse_other_than_text(bytes: &[u8], shown: &Arc<str>) -> Result<(), Error> {
    let Some(first) = memchr::memchr(0, bytes) else { return Ok(()) };
    let zeros = |odd: usize| bytes.iter().skip(odd).step_by(2).filter(|b| **b == 0).count();
    let half = (bytes.len() / 2).max(1);
    let little = zeros(1) * 10 > half * 8;
    if little || zeros(0) * 10 > half * 8 {
        let name = if little { "utf-16le" } else { "utf-16be" };
        return Err(Error::input(
            InputKind::Encoding,
            shown,
            "has a zero byte in every other place",
        )
        .at_row(1)
        .help(format!("if it is UTF-16, add encoding = \"{name}\" to the table")));
    }
    let row = memchr::memchr_iter(b'\n', &bytes[..first]).count() as u64 + 1;
    let many = bytes.iter().filter(|b| **b == 0).count() * 100 > bytes.len();
    if many {
        return Err(Error::input(
            InputKind::Encoding,
            shown,
            "contains zero bytes: it is not text",
        )
        .at_row(row)
        .help("export the table as CSV"));
    }
    Ok(())
}

/// The separator by which the rows of a file have the most even number of fields, with the column name.
///
/// # Errors
/// Two separators do so equally well.
fn separator(
    head: &[u8],
    shown: &Arc<str>,
    header_row: Option<u32>,
) -> Result<(u8, Header), Error> {
    let mut best: Vec<(u64, u8, Header)> = Vec::new();
    for separator in SEPARATORS {
        let Ok(header) = header_row::find(head, separator, header_row, shown) else {
            continue;
        };
        let width = header_row::fields(&head[header.row.clone()], separator).len();
        if width < 2 {
            continue;
        }
        let block = whole_rows(head[header.rest..].to_vec(), separator);
        let split = Fields::split(&block, width);
        let all = (split.rows() + split.ragged.len()).max(1) as u64;
        best.push((split.rows() as u64 * 1000 / all, separator, header));
    }
    // Of equals the one that does not take rows for titles.
    best.sort_by_key(|(even, _, header)| (std::cmp::Reverse(*even), header.above));
    if let [(first, a, one), (second, b, other), ..] = best.as_slice()
        && (first, one.above) == (second, other.above)
    {
        return Err(Error::input(
            InputKind::OpenSeparator,
            shown,
            format!("can be split at `{}` and at `{}`", shown_separator(*a), shown_separator(*b)),
        )
        .at_row(1)
        .help(format!("choose one in the table: separator = \"{}\"", shown_separator(*a))));
    }
    match best.into_iter().next() {
        Some((_, separator, header)) => Ok((separator, header)),
        None => Ok((b',', header_row::find(head, b',', header_row, shown)?)),
    }
}

/// A separator as the plan names it.
fn shown_separator(separator: u8) -> String {
    if separator == b'\t' { "tab".to_owned() } else { char::from(separator).to_string() }
}

/// Stretches of the middle and the end of a long plain file, without the rows cut off at their ends.
pub(super) fn further(path: &Path, dialect: Dialect) -> Vec<Vec<u8>> {
    let Ok(mut file) = File::open(path) else { return Vec::new() };
    let length = file.metadata().map_or(0, |file| file.len());
    // What is compressed or in another encoding can only be read from its start.
    let mut first = [0; 4];
    let plain = dialect.encoding.is_none()
        && !dialect.returns
        && file.read_exact(&mut first).is_ok()
        && !matches!(
            first,
            [0x1F, 0x8B, ..] | [0x28, 0xB5, 0x2F, 0xFD] | [0xFF, 0xFE, ..] | [0xFE, 0xFF, ..]
        );
    if !plain || length < 4 * HEAD as u64 {
        return Vec::new();
    }
    let stretch = |at: u64| -> Option<Vec<u8>> {
        let mut bytes = Vec::new();
        (&file).seek(SeekFrom::Start(at)).ok()?;
        (&file).take(HEAD as u64 / 2).read_to_end(&mut bytes).ok()?;
        let start = memchr::memchr(b'\n', &bytes)? + 1;
        let end = memchr::memrchr(b'\n', &bytes)? + 1;
        (start < end).then(|| bytes[start..end].to_vec())
    };
    [length / 2, length - HEAD as u64 / 2].into_iter().filter_map(stretch).collect()
}

fn whole_rows(mut bytes: Vec<u8>, separator: u8) -> TextBlock {
    if bytes.last().is_some_and(|last| *last != b'\n') {
        bytes.push(b'\n');
    }
    let length = bytes.len();
    bytes.resize(length + PADDING, 0);
    TextBlock {
        bytes,
        length,
        first_row: 1,
        lines: 0,
        separator,
        first: true,
        last: true,
        row_starts: None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::formats::head::FieldNote;
    use interligo_model::reading::date_style::DateStyle;
    use interligo_model::reading::style::NumberStyle;
    use proptest::prelude::*;

    /// Writes a number with two places in a style.
    fn written(cents: i64, style: NumberStyle) -> String {
        let whole = (cents / 100).to_string();
        let mut text = String::new();
        for (at, digit) in whole.chars().enumerate() {
            if at > 0 && (whole.len() - at).is_multiple_of(3) {
                text.extend(style.thousands);
            }
            text.push(digit);
        }
        format!("{text}{}{:02}", style.decimal, cents % 100)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(200))]

        /// A file with a decisive number and day is found out, whatever else is in it.
        #[test]
        fn prop_the_way_a_file_is_written_is_found(
            amounts in prop::collection::vec(0i64..500_000_000, 1..30),
            days in prop::collection::vec((1u32..=12, 1u32..=28), 1..30),
            separator in prop::sample::select(SEPARATORS.to_vec()),
            style in 0usize..7,
            order in prop::sample::select(vec!["31/12/2025", "12/31/2025", "31.12.2025", "2025-12-31"]),
        ) {
            let numbers = NumberStyle::ALL[style];
            let dates = DateStyle::from_sample(order).unwrap();
            let day = |month: u32, day: u32| {
                order.replace("2025", "2024").replace("31", &format!("{day:02}")).replace("12", &format!("{month:02}"))
            };
            // Thousands that cannot be told from decimals would leave it open; this row decides.
            let mut rows = vec![("code".to_owned(), written(123_456_789, numbers), day(11, 30))];
            for ((cents, (month, date)), number) in amounts.iter().zip(&days).zip(0..) {
                rows.push((format!("{number:03}"), written(*cents, numbers), day(*month, *date)));
            }
            let between = char::from(separator);
            let quoted = |cell: &str| if cell.contains(between) { format!("\"{cell}\"") } else { cell.to_owned() };
            let mut text = format!("code{between}amount{between}day\n");
            for (code, amount, day) in &rows {
                text += &format!("{}{between}{}{between}{}\n", quoted(code), quoted(amount), quoted(day));
            }
            let file = tempfile::NamedTempFile::new().unwrap();
            std::fs::write(file.path(), &text).unwrap();
            let head = head(file.path(), &Arc::<str>::from("t.csv").into(), TableSettings::default()).unwrap();
            prop_assert_eq!(head.source.separator(), Some(separator));
            let notes: Vec<FieldNote> = head
                .column_names
                .iter()
                .map(|column_name| FieldNote { text: column_name == "code", ..FieldNote::default() })
                .collect();
            let looked = head.values(&notes);
            prop_assert_eq!(looked.found.style.dates, dates);
            prop_assert!(looked.found.open_numbers.is_empty() && looked.found.open_dates.is_empty());
            for (_, amount, _) in &rows {
                prop_assert_eq!(looked.found.style.numbers.read(amount), numbers.read(amount), "{}", text);
            }
        }
    }
}
