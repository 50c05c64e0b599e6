//! The first look at a file: how it is written. Only its head, and stretches of its middle and end, are
//! read, whatever its size.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;
use std::sync::Arc;

use interligo_core::evidence::Evidence;
use interligo_core::style::Way;

use crate::error::Error;
use crate::given::Given;
use crate::heading::{self, Heading};
use crate::parts::not_utf8;
use crate::style::{FoundStyle, find};
use crate::text::{Block, Dialect, Fields, Input, PADDING, unquoted};

/// How much is read of the head; half as much of the middle and of the end.
const HEAD: usize = 1 << 16;

/// The head of a file with long rows.
const LONG_HEAD: usize = 1 << 22;

/// The separators that are looked for.
const SEPARATORS: [u8; 4] = [b',', b';', b'\t', b'|'];

/// Words and signs that people and programs write where there is no value.
const MARKS: [&str; 22] = [
    "-", "--", "—", "–", ".", "?", "NA", "N/A", "n/a", "na", "#N/A", "NULL", "null", "None",
    "none", "nil", "(blank)", "k.A.", "s/d", "n.d.", "NaN", "#NV",
];

/// What the plan says of a field, once its heading is known.
#[derive(Clone, Debug, Default)]
pub(crate) struct FieldNote {
    /// It is text, whatever it looks like.
    pub(crate) text: bool,
    /// How its values are written.
    pub(crate) way: Way,
    /// What stands between several values of a cell.
    pub(crate) unpack: Option<String>,
}

/// The heading of a file, with the rows that were looked at.
pub(crate) struct Head {
    pub(crate) dialect: Dialect,
    /// How many rows stand above the headings.
    pub(crate) above: u64,
    /// How many rows to skip to get to the first one below the headings.
    pub(crate) skip: u64,
    pub(crate) headings: Vec<String>,
    /// Which fields have neither a heading nor, in the rows that were looked at, a value.
    pub(crate) empty: Vec<bool>,
    rows: Vec<(Block, Fields)>,
    given: Given,
}

/// What the rows of a file showed.
pub(crate) struct Looked {
    pub(crate) found: FoundStyle,
    /// What each field holds in all rows that were looked at.
    pub(crate) evidence: Vec<Evidence>,
    /// Fields that would be numbers or days but for texts that seem to mean blank, with one of these.
    pub(crate) marks: Vec<(usize, String)>,
}

/// Looks at the head of a file.
///
/// # Errors
/// It is empty, no text, or can be split in two ways.
pub(crate) fn head(path: &Path, shown: &Arc<str>, given: Given) -> Result<Head, Error> {
    let mut dialect = Dialect { encoding: given.encoding, ..Dialect::default() };
    let head = first_bytes(path, shown, &mut dialect)?;
    let found = match given.separator {
        Some(separator) => {
            dialect.separator = separator;
            heading::find(&head, separator, given.heading_row, shown)?
        }
        None => {
            let (separator, heading) = separator(&head, shown, given.heading_row)?;
            dialect.separator = separator;
            heading
        }
    };
    let Heading { above, skip, row, rest } = found;
    let text = std::str::from_utf8(&head[row.clone()])
        .map_err(|_| not_utf8(shown, skip.max(1), None, &head[row.clone()], false))?;
    let mut headings: Vec<String> = heading::fields(text.as_bytes(), dialect.separator)
        .into_iter()
        .map(|field| unquoted(&text[field]).into_owned())
        .collect();
    if given.heading_row == Some(0) {
        headings.iter_mut().for_each(String::clear);
    }
    let mut stretches = vec![head[rest..].to_vec()];
    stretches.extend(further(path, dialect));
    let rows: Vec<(Block, Fields)> = stretches
        .into_iter()
        .map(|bytes| whole_rows(bytes, dialect.separator))
        .map(|block| {
            let fields = Fields::split(&block, headings.len());
            (block, fields)
        })
        .collect();
    let mut head = Head { dialect, above, skip, headings, empty: Vec::new(), rows, given };
    head.empty = (0..head.headings.len())
        .map(|field| {
            head.given.heading_row != Some(0)
                && head.headings[field].trim().is_empty()
                && head.texts(field).iter().all(|text| text.trim().is_empty())
        })
        .collect();
    Ok(head)
}

impl Head {
    /// Finds out how the values are written. `notes` are what the plan says of the fields.
    pub(crate) fn values(&self, notes: &[FieldNote]) -> Looked {
        let columns: Vec<Vec<&str>> = notes
            .iter()
            .enumerate()
            .map(|(field, note)| {
                let texts = self.texts(field).into_iter();
                let texts: Vec<&str> = match &note.unpack {
                    Some(separator) => texts.flat_map(|t| t.split(separator.as_str())).collect(),
                    None => texts.collect(),
                };
                let is_mark = |text: &str| self.given.blank.iter().any(|mark| mark == text.trim());
                texts.into_iter().filter(|text| !is_mark(text)).collect()
            })
            .collect();
        let telling: Vec<Vec<&str>> = columns
            .iter()
            .zip(notes)
            .map(|(texts, note)| match note {
                FieldNote { text: true, .. } => Vec::new(),
                note if note.way.numbers.is_some() || note.way.dates.is_some() => Vec::new(),
                // What seems to mean blank says nothing of how numbers are written.
                _ => texts.iter().copied().filter(|text| !MARKS.contains(&text.trim())).collect(),
            })
            .collect();
        let found = find(&telling, self.given.numbers, self.given.dates);
        let evidence: Vec<Evidence> = columns
            .iter()
            .zip(notes)
            .map(|(texts, note)| {
                let style = note.way.style(&found.style);
                let mut evidence = Evidence::default();
                texts.iter().for_each(|text| evidence.add(text, &style));
                evidence
            })
            .collect();
        let marks = columns.iter().zip(&evidence).enumerate();
        let marks = marks.filter(|(field, _)| !notes[*field].text);
        let marks = marks.filter_map(|(field, (texts, all))| Some((field, mark(texts, all)?)));
        Looked { marks: marks.collect(), found, evidence }
    }

    /// What a field holds in all rows, without quotes around it.
    fn texts(&self, field: usize) -> Vec<&str> {
        let mut texts = Vec::new();
        for (block, fields) in &self.rows {
            for row in 0..fields.rows() {
                let text = fields.field(&block.bytes, row, field);
                let inner = text.strip_prefix(b"\"").and_then(|text| text.strip_suffix(b"\""));
                texts.extend(std::str::from_utf8(inner.unwrap_or(text)));
            }
        }
        texts
    }
}

/// A text that seems to mean blank, in a column that is otherwise all numbers or all days.
fn mark(texts: &[&str], all: &Evidence) -> Option<String> {
    let first = texts.iter().map(|text| text.trim()).find(|text| MARKS.contains(text))?;
    let marks = texts.iter().filter(|text| MARKS.contains(&text.trim())).count();
    let others = all.filled - marks;
    (others > 0 && (all.numbers == others || all.percents == others || all.dates == others))
        .then(|| first.to_owned())
}

/// The first bytes of a file as UTF-8, as many as show its heading and some rows.
fn first_bytes(path: &Path, shown: &Arc<str>, dialect: &mut Dialect) -> Result<Vec<u8>, Error> {
    let unreadable = |error| {
        Error::input(shown, format!("cannot be read further: {error}"))
            .help("the file may be damaged or cut off; fetch it again")
    };
    let (mut input, mut bytes) = Input::open(path, shown, *dialect)?;
    let mut want = HEAD;
    loop {
        let room = want.saturating_sub(bytes.len());
        let read = input.by_ref().take(room as u64).read_to_end(&mut bytes).map_err(unreadable)?;
        let ended = read < room;
        if bytes.iter().all(u8::is_ascii_whitespace) && ended {
            return Err(Error::input(shown, "is empty: it has no heading row")
                .help("the first row of a table holds the names of its columns"));
        }
        refuse_other_than_text(&bytes, shown)?;
        match memchr::memrchr(b'\n', &bytes) {
            Some(end) if !ended => {
                bytes.truncate(end + 1);
                return Ok(bytes);
            }
            None if bytes.contains(&b'\r') && !bytes.contains(&b'\n') && !dialect.returns => {
                // Rows that end as they did on old machines.
                dialect.returns = true;
                (input, bytes) = Input::open(path, shown, *dialect)?;
            }
            None if !ended && want < LONG_HEAD => want = LONG_HEAD,
            None if !ended => {
                return Err(Error::input(shown, "has no line end in its first 4 MB")
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

/// Refuses what is no text, or text of two bytes a sign without a mark that says so.
fn refuse_other_than_text(bytes: &[u8], shown: &Arc<str>) -> Result<(), Error> {
    let Some(first) = memchr::memchr(0, bytes) else { return Ok(()) };
    let zeros = |odd: usize| bytes.iter().skip(odd).step_by(2).filter(|b| **b == 0).count();
    let half = (bytes.len() / 2).max(1);
    let little = zeros(1) * 10 > half * 8;
    if little || zeros(0) * 10 > half * 8 {
        let name = if little { "utf-16le" } else { "utf-16be" };
        return Err(Error::input(shown, "has a zero byte in every other place")
            .at_row(1)
            .help(format!("if it is UTF-16, add encoding = \"{name}\" to the table")));
    }
    let row = memchr::memchr_iter(b'\n', &bytes[..first]).count() as u64 + 1;
    let many = bytes.iter().filter(|b| **b == 0).count() * 100 > bytes.len();
    if many {
        return Err(Error::input(shown, "holds zero bytes: it is no text")
            .at_row(row)
            .help("export the table as CSV"));
    }
    Ok(())
}

/// The separator by which the rows of a file have the most even number of fields, with the heading.
///
/// # Errors
/// Two separators do so equally well.
fn separator(
    head: &[u8],
    shown: &Arc<str>,
    heading_row: Option<u32>,
) -> Result<(u8, Heading), Error> {
    let mut best: Vec<(u64, u8, Heading)> = Vec::new();
    for separator in SEPARATORS {
        let Ok(heading) = heading::find(head, separator, heading_row, shown) else { continue };
        let width = heading::fields(&head[heading.row.clone()], separator).len();
        if width < 2 {
            continue;
        }
        let block = whole_rows(head[heading.rest..].to_vec(), separator);
        let split = Fields::split(&block, width);
        let all = (split.rows() + split.ragged.len()).max(1) as u64;
        best.push((split.rows() as u64 * 1000 / all, separator, heading));
    }
    // Of equals the one that does not take rows for titles.
    best.sort_by_key(|(even, _, heading)| (std::cmp::Reverse(*even), heading.above));
    if let [(first, a, one), (second, b, other), ..] = best.as_slice()
        && (first, one.above) == (second, other.above)
    {
        return Err(Error::input(
            shown,
            format!("can be split at `{}` and at `{}`", sign(*a), sign(*b)),
        )
        .at_row(1)
        .help(format!("say which in the table: separator = \"{}\"", sign(*a))));
    }
    match best.into_iter().next() {
        Some((_, separator, heading)) => Ok((separator, heading)),
        None => Ok((b',', heading::find(head, b',', heading_row, shown)?)),
    }
}

/// A separator as the plan names it.
pub(crate) fn sign(separator: u8) -> String {
    if separator == b'\t' { "tab".to_owned() } else { char::from(separator).to_string() }
}

/// Stretches of the middle and the end of a long plain file, without the rows cut off at their ends.
fn further(path: &Path, dialect: Dialect) -> Vec<Vec<u8>> {
    let Ok(mut file) = File::open(path) else { return Vec::new() };
    let length = file.metadata().map_or(0, |file| file.len());
    // What is packed or in another encoding can only be read from its start.
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

fn whole_rows(mut bytes: Vec<u8>, separator: u8) -> Block {
    if bytes.last().is_some_and(|last| *last != b'\n') {
        bytes.push(b'\n');
    }
    let length = bytes.len();
    bytes.resize(length + PADDING, 0);
    Block { bytes, length, first_row: 1, lines: 0, separator, first: true, last: true }
}

#[cfg(test)]
mod tests {
    use super::*;
    use interligo_core::style::{DateStyle, NumberStyle};
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
            let dates = DateStyle::from_specimen(order).unwrap();
            let day = |month: u32, day: u32| {
                order.replace("2025", "2024").replace("31", &format!("{day:02}")).replace("12", &format!("{month:02}"))
            };
            // Thousands that cannot be told from decimals would leave it open; this row decides.
            let mut rows = vec![("code".to_owned(), written(123_456_789, numbers), day(11, 30))];
            for ((cents, (month, date)), number) in amounts.iter().zip(&days).zip(0..) {
                rows.push((format!("{number:03}"), written(*cents, numbers), day(*month, *date)));
            }
            let sign = char::from(separator);
            let quoted = |cell: &str| if cell.contains(sign) { format!("\"{cell}\"") } else { cell.to_owned() };
            let mut text = format!("code{sign}amount{sign}day\n");
            for (code, amount, day) in &rows {
                text += &format!("{}{sign}{}{sign}{}\n", quoted(code), quoted(amount), quoted(day));
            }
            let file = tempfile::NamedTempFile::new().unwrap();
            std::fs::write(file.path(), &text).unwrap();
            let head = head(file.path(), &"t.csv".into(), Given::default()).unwrap();
            prop_assert_eq!(head.dialect.separator, separator);
            let notes: Vec<FieldNote> = head
                .headings
                .iter()
                .map(|heading| FieldNote { text: heading == "code", ..FieldNote::default() })
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
