//! The first look at a file: how it is written. Only its head, and stretches of its middle and end, are
//! read, whatever its size.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;
use std::sync::Arc;

use encoding_rs::Encoding;
use interligo_core::plan::{Mistake, Plan, ReadingSettings};
use interligo_core::reading::Evidence;
use interligo_core::style::{DateStyle, NumberStyle};

use crate::error::Error;
use crate::parts::not_utf8;
use crate::style::{FoundStyle, find};
use crate::text::{Block, BlockReader, Dialect, Fields, PADDING, first_row, unquoted};

/// How much is read of the head; half as much of the middle and of the end.
const HEAD: usize = 1 << 16;

/// The separators that are looked for.
const SEPARATORS: [u8; 4] = [b',', b';', b'\t', b'|'];

/// What the plan says of how a table's files are written.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Given {
    separator: Option<u8>,
    encoding: Option<&'static Encoding>,
    numbers: Option<NumberStyle>,
    dates: Option<DateStyle>,
}

impl Given {
    /// What the plan says of some files.
    pub(crate) fn of(plan: &Plan, settings: ReadingSettings<'_>) -> Result<Given, Mistake> {
        let mut given = Given::default();
        if let Some(text) = settings.separator {
            given.separator = Some(match text.get_ref().as_bytes() {
                b"tab" => b'\t',
                [sign] if sign.is_ascii() && !sign.is_ascii_alphanumeric() && *sign != b'"' => {
                    *sign
                }
                _ => {
                    return Err(plan
                        .written(text)
                        .mistaken(format!("`{}` cannot separate fields", text.get_ref()))
                        .help("write one sign, such as separator = \";\", or \"tab\""));
                }
            });
        }
        if let Some(label) = settings.encoding {
            let known = Encoding::for_label(label.get_ref().as_bytes());
            given.encoding = Some(known.ok_or_else(|| {
                plan.written(label)
                    .mistaken(format!("there is no encoding `{}`", label.get_ref()))
                    .help("write for instance encoding = \"windows-1252\" or \"utf-16le\"")
            })?);
        }
        if let Some(specimen) = settings.numbers {
            given.numbers =
                Some(NumberStyle::from_specimen(specimen.get_ref()).ok_or_else(|| {
                    plan.written(specimen)
                        .mistaken(format!(
                            "`{}` does not show how 1234.56 is written",
                            specimen.get_ref()
                        ))
                        .help("write for instance numbers = \"1.234,56\"")
                })?);
        }
        if let Some(specimen) = settings.dates {
            given.dates = Some(DateStyle::from_specimen(specimen.get_ref()).ok_or_else(|| {
                plan.written(specimen)
                    .mistaken(format!(
                        "`{}` does not show how the 31st of December 2025 is written",
                        specimen.get_ref()
                    ))
                    .help("write for instance dates = \"31/12/2025\" or \"31-Dec-2025 23:59\"")
            })?);
        }
        Ok(given)
    }
}

/// What the first look at a file showed.
pub(crate) struct Looked {
    pub(crate) dialect: Dialect,
    pub(crate) headings: Vec<String>,
    pub(crate) found: FoundStyle,
    /// What each field holds in all rows that were looked at.
    pub(crate) evidence: Vec<Evidence>,
}

/// Looks at a file. `is_text` says which fields the plan takes for text; they have no say in how numbers
/// and days are written.
pub(crate) fn look(
    path: &Path,
    shown: &Arc<str>,
    given: Given,
    is_text: impl Fn(&[String]) -> Vec<bool>,
) -> Result<Looked, Error> {
    let mut dialect = Dialect { encoding: given.encoding, ..Dialect::default() };
    let head = head(path, shown, dialect)?;
    dialect.separator = match given.separator {
        Some(separator) => separator,
        None => separator(&head, shown)?,
    };
    let (fields, start) = first_row(&head, dialect.separator);
    let heading = std::str::from_utf8(&head[..start])
        .map_err(|_| not_utf8(shown, 1, None, &head[..start]))?;
    let headings: Vec<String> =
        fields.into_iter().map(|f| unquoted(&heading[f]).into_owned()).collect();
    let mut stretches = vec![head[start..].to_vec()];
    stretches.extend(further(path, dialect));
    let blocks = stretches.into_iter().map(|bytes| whole_rows(bytes, dialect.separator));
    let split: Vec<(Block, Fields)> = blocks
        .map(|block| {
            let fields = Fields::split(&block, headings.len());
            (block, fields)
        })
        .collect();
    let columns: Vec<Vec<&str>> =
        (0..headings.len()).map(|field| texts_of(&split, field)).collect();
    let text = is_text(&headings);
    let telling: Vec<Vec<&str>> = columns
        .iter()
        .zip(&text)
        .map(|(texts, is_text)| if *is_text { Vec::new() } else { texts.clone() })
        .collect();
    let found = find(&telling, given.numbers, given.dates);
    let evidence = columns
        .iter()
        .map(|texts| {
            let mut evidence = Evidence::default();
            texts.iter().for_each(|text| evidence.add(text, &found.style));
            evidence
        })
        .collect();
    Ok(Looked { dialect, headings, found, evidence })
}

/// What a field holds in all rows, without quotes around it.
fn texts_of(split: &[(Block, Fields)], field: usize) -> Vec<&str> {
    let mut texts = Vec::new();
    for (block, fields) in split {
        for row in 0..fields.rows() {
            let text = fields.field(&block.bytes, row, field);
            let inner = text.strip_prefix(b"\"").and_then(|text| text.strip_suffix(b"\""));
            texts.extend(std::str::from_utf8(inner.unwrap_or(text)));
        }
    }
    texts
}

/// The head of a file, in whole rows as far as that can be told before its separator is known.
fn head(path: &Path, shown: &Arc<str>, dialect: Dialect) -> Result<Vec<u8>, Error> {
    let mut reader = BlockReader::open(path, shown, dialect)?;
    let empty = || {
        Error::input(shown, "is empty: it has no heading row")
            .help("the first row of a table holds the names of its columns")
    };
    let block = reader.next(HEAD)?.ok_or_else(empty)?;
    Ok(block.rows().to_vec())
}

/// The separator by which the rows of a file have the most even number of fields.
///
/// # Errors
/// Two separators do so equally well.
fn separator(head: &[u8], shown: &Arc<str>) -> Result<u8, Error> {
    let block = whole_rows(head.to_vec(), b',');
    let mut best: Vec<(u64, u8)> = Vec::new();
    for separator in SEPARATORS {
        let (fields, _) = first_row(head, separator);
        if fields.len() < 2 {
            continue;
        }
        let block = Block { separator, bytes: block.bytes.clone(), ..block };
        let split = Fields::split(&block, fields.len());
        let all = (split.rows() + split.ragged.len()).max(1) as u64;
        best.push((split.rows() as u64 * 1000 / all, separator));
    }
    best.sort_by_key(|(even, _)| std::cmp::Reverse(*even));
    match best.as_slice() {
        [] => Ok(b','),
        [(first, a), (second, b), ..] if first == second => {
            let shown_sign = |sign: &u8| {
                if *sign == b'\t' { "tab".to_owned() } else { char::from(*sign).to_string() }
            };
            Err(Error::input(
                shown,
                format!("can be split at `{}` and at `{}`", shown_sign(a), shown_sign(b)),
            )
            .at_row(1)
            .help(format!("say which in the table: separator = \"{}\"", shown_sign(a))))
        }
        [(_, separator), ..] => Ok(*separator),
    }
}

/// Stretches of the middle and the end of a long plain file, without the rows cut off at their ends.
fn further(path: &Path, dialect: Dialect) -> Vec<Vec<u8>> {
    let Ok(mut file) = File::open(path) else { return Vec::new() };
    let length = file.metadata().map_or(0, |file| file.len());
    // What is packed or in another encoding can only be read from its start.
    let mut first = [0; 4];
    let plain = dialect.encoding.is_none()
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
    Block { bytes, length, first_row: 1, separator }
}

#[cfg(test)]
mod tests {
    use super::*;
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
            let is_text = |headings: &[String]| headings.iter().map(|h| h == "code").collect();
            let looked = look(file.path(), &"t.csv".into(), Given::default(), is_text).unwrap();
            prop_assert_eq!(looked.dialect.separator, separator);
            prop_assert_eq!(looked.found.style.dates, dates);
            prop_assert!(looked.found.open_numbers.is_empty() && looked.found.open_dates.is_empty());
            for (_, amount, _) in &rows {
                prop_assert_eq!(looked.found.style.numbers.read(amount), numbers.read(amount), "{}", text);
            }
        }
    }
}
