//! What lies in a folder: its files, the tables in them, and which of these are parts of one table.

use std::collections::{BTreeMap, BTreeSet};
use std::io::Read;
use std::path::{Path, PathBuf};

use chardetng::{EncodingDetector, Iso2022JpDetection, Utf8Detection};
use interligo_discover::propose::{Meaning, PERIOD, words_mean};

use crate::error::Error;
use interligo_model::plan::{ColumnType, Plan, quoted};
use interligo_sources::formats::is_address;
use interligo_sources::table::parts::Table;
use unicode_normalization::UnicodeNormalization;

use super::names::{Patterns, pattern_over, period_pattern, shape, table_name};
use crate::look::{plan_for, tables_in};
use crate::project::{PLAN_FILE, Project};

/// The endings of files that hold tables.
const ENDINGS: [&str; 15] = [
    ".csv", ".tsv", ".tab", ".txt", ".psv", ".xlsx", ".xlsm", ".ods", ".parquet", ".arrow",
    ".jsonl", ".ndjson", ".sqlite", ".sqlite3", ".db",
];

/// How deep folders are gone into.
const DEPTH: usize = 4;

/// The most files that are looked at.
const FILES: usize = 20_000;

/// One table as it lies there: a file, a sheet, a table of a database.
pub(super) struct Piece {
    /// How a plan names it: a path, and behind `#` the table in it.
    pub(super) from: String,
    /// The folder of its file, or the file that it lies in.
    pub(super) home: String,
    column_names: Vec<String>,
    /// How its column names that are periods become rows.
    tall: Option<Tall>,
    /// Its encoding, where it is not that of all.
    encoding: Option<&'static str>,
    /// A word that the encoding settles.
    telling: Vec<u8>,
    /// Whether it has both numbers and days, as sales lines have.
    is_fact_like: bool,
}

/// What lies in a folder.
pub(super) struct Gathered {
    /// Tables, each with its pieces.
    pub(super) stacks: Vec<Stack>,
    /// What could not be read, with the reason.
    pub(super) unread: Vec<(String, String)>,
    /// Files that describe others.
    pub(super) descriptions: Vec<PathBuf>,
    /// Tables that became parts of others.
    pub(super) joined: Vec<Joined>,
    /// How many files were left out because there are too many.
    pub(super) left_out: usize,
}

/// Pieces that are stacked to one table.
pub(super) struct Stack {
    pub(super) name: String,
    /// The patterns that fit its pieces.
    pub(super) from: Vec<String>,
    /// The files, sheets and tables that it is made of.
    pub(super) files: Vec<String>,
    /// The column names of the first of them, as they are compared.
    pub(super) column_names: Vec<String>,
    /// How column names that are periods become rows.
    pub(super) tall: Option<Tall>,
    /// The encoding of its files, where it is not that of all.
    pub(super) encoding: Option<&'static str>,
    /// A word with a letter that the encoding settles, as it lies in the file.
    pub(super) telling: Vec<u8>,
    /// What has its columns under other names.
    pub(super) renamed: Vec<RenamedPart>,
    /// What the patterns would take besides.
    pub(super) leave_out: Vec<String>,
    /// Lines of its section that were decided on.
    pub(super) settings: Vec<String>,
}

/// A table that became a part of another, whose columns it has under other names.
pub(super) struct Joined {
    pub(super) table: String,
    pub(super) main: String,
    /// Each of its names with that of the other.
    pub(super) columns: Vec<(String, String)>,
}

/// Column names that are periods, and what is in the cells below.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Tall {
    /// The pattern that fits them.
    pub(super) pattern: String,
    /// What the cells have.
    pub(super) value: &'static str,
    /// The other columns, where the pattern would fit them as well.
    pub(super) others: Vec<String>,
}

/// Files of a table that have its columns under other names.
pub(super) struct RenamedPart {
    pub(super) from: Vec<String>,
    pub(super) leave_out: Vec<String>,
    pub(super) encoding: Option<&'static str>,
    /// Each name of theirs with that of the table.
    pub(super) columns: Vec<(String, String)>,
}

/// Finds the tables below a folder, or in some files and databases. `folder` is where the plan will lie.
pub(super) fn gather(folder: &Path, named: &[String]) -> Result<Gathered, Error> {
    gather_beside(folder, named, BTreeSet::new(), &|_| false)
}

/// The same beside tables that are known, by the names that are taken and the files, sheets and tables that they read.
pub(super) fn gather_beside(
    folder: &Path,
    named: &[String],
    taken: BTreeSet<String>,
    is_known: &dyn Fn(&str) -> bool,
) -> Result<Gathered, Error> {
    let mut files: Vec<String> = Vec::new();
    let mut descriptions = Vec::new();
    for name in named {
        let path = Path::new(name);
        if is_address(name) || !path.is_dir() {
            files.push(if is_address(name) { name.clone() } else { relative(folder, path) });
        } else {
            walk(folder, path, DEPTH, &mut BTreeSet::new(), &mut files, &mut descriptions);
        }
    }
    files.sort_by(|a, b| interligo_sources::table::path_pattern::natural_order(a, b));
    files.dedup();
    let left_out = files.len().saturating_sub(FILES);
    files.truncate(FILES);
    let mut gathered = Gathered {
        stacks: Vec::new(),
        unread: Vec::new(),
        descriptions,
        joined: Vec::new(),
        left_out,
    };
    let (mut pieces, mut others) = (Vec::new(), Vec::new());
    for file in &files {
        if is_known(file) {
            others.push(doubled(file));
            continue;
        }
        match pieces_of(folder, file) {
            Ok((found, unread)) => {
                pieces.extend(found);
                gathered.unread.extend(unread);
            }
            Err(error) => gathered.unread.push((file.clone(), error.to_string())),
        }
    }
    let (known, pieces): (Vec<Piece>, Vec<Piece>) =
        pieces.into_iter().partition(|piece| is_known(&piece.from));
    others.extend(known.into_iter().map(|piece| piece.from));
    gathered.stacks = stacked(pieces, others, taken);
    Ok(gathered)
}

/// A path as a plan in `folder` has it.
fn relative(folder: &Path, path: &Path) -> String {
    let own = path.strip_prefix(folder).unwrap_or(path);
    own.strip_prefix(".").unwrap_or(own).to_string_lossy().replace('\\', "/")
}

fn walk(
    root: &Path,
    folder: &Path,
    depth: usize,
    known: &mut BTreeSet<PathBuf>,
    files: &mut Vec<String>,
    descriptions: &mut Vec<PathBuf>,
) {
    // A link may lead to a folder that is scanned already, or around in a circle.
    if !known.insert(std::fs::canonicalize(folder).unwrap_or(folder.to_owned())) {
        return;
    }
    let Ok(entries) = std::fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let (path, name) = (entry.path(), entry.file_name().to_string_lossy().to_lowercase());
        if name.starts_with(['.', '~']) || name == PLAN_FILE {
            continue;
        }
        if path.is_dir() {
            // What a run writes is no input.
            if depth > 0 && !(folder == root && name == "out") {
                walk(root, &path, depth - 1, known, files, descriptions);
            }
            continue;
        }
        let plain = name.trim_end_matches(".gz").trim_end_matches(".zst");
        if ENDINGS.iter().any(|ending| plain.ends_with(ending)) {
            files.push(relative(root, &path));
        } else if name.ends_with("datapackage.json") || name.ends_with("-metadata.json") {
            descriptions.push(path);
        }
    }
}

/// The tables of a file, and those of them that cannot be read.
#[expect(clippy::type_complexity, reason = "two lists")]
fn pieces_of(folder: &Path, file: &str) -> Result<(Vec<Piece>, Vec<(String, String)>), Error> {
    let full = if is_address(file) {
        file.to_owned()
    } else {
        folder.join(file).to_string_lossy().into_owned()
    };
    let (mut pieces, mut unread) = (Vec::new(), Vec::new());
    let tables = tables_in(&full)?.unwrap_or_default();
    let several = tables.len() > 1;
    for full_table in tables {
        let own = match full_table.strip_prefix(&full) {
            Some(inner) => format!("{}{inner}", doubled(file)),
            None => doubled(file),
        };
        match look_at(&full_table, &full) {
            Ok((table, found)) => pieces.push(piece(&own, file, &table, found)),
            Err(error) if several => unread.push((own, error.to_string())),
            Err(error) => return Err(error),
        }
    }
    Ok((pieces, unread))
}

/// A path with the characters of patterns doubled.
fn doubled(path: &str) -> String {
    if is_address(path) {
        return path.to_owned();
    }
    let times = |character: char| if "{}*#".contains(character) { 2 } else { 1 };
    path.chars().flat_map(|character| std::iter::repeat_n(character, times(character))).collect()
}

/// Opens a table of a file; text that is not UTF-8 in the encoding that it seems to have.
fn look_at(named: &str, file: &str) -> Result<(Table, Option<FoundEncoding>), Error> {
    let encoding = encoding_of(file);
    let mut plan = plan_for(named)?;
    if let Some(FoundEncoding { name, .. }) = &encoding {
        let source = format!("{}encoding = {}\n", plan.source, quoted(name));
        plan = Plan::parse(&source)?;
    }
    let project = Project::open_tables(plan, Path::new(""), |_| true)?;
    Ok((project.tables()[0].clone(), encoding))
}

/// An encoding other than UTF-8, and a word that it settles.
struct FoundEncoding {
    name: &'static str,
    telling: Vec<u8>,
}

/// The word around the first byte that is no ASCII.
fn telling_word(bytes: &[u8]) -> Vec<u8> {
    let is_end = |byte: &u8| byte.is_ascii() && !byte.is_ascii_alphabetic();
    let Some(at) = bytes.iter().position(|byte| !byte.is_ascii()) else { return Vec::new() };
    let start = bytes[..at].iter().rposition(is_end).map_or(0, |end| end + 1);
    let end = bytes[at..].iter().position(is_end).map_or(bytes.len(), |end| at + end);
    bytes[start..end].to_vec()
}

/// The encoding that a text file seems to have; none where it is UTF-8, or no text.
fn encoding_of(file: &str) -> Option<FoundEncoding> {
    let name = file.to_lowercase();
    let is_text = TEXT_ENDINGS.iter().any(|ending| name.ends_with(ending));
    if !is_text || is_address(file) {
        return None;
    }
    let mut bytes = Vec::new();
    std::fs::File::open(file).ok()?.take(ENCODING_BYTES).read_to_end(&mut bytes).ok()?;
    let is_utf = match std::str::from_utf8(&bytes) {
        Ok(_) => true,
        // The last character may be cut off.
        Err(error) => error.error_len().is_none() && bytes.len() as u64 == ENCODING_BYTES,
    };
    if is_utf || bytes.starts_with(&[0xff, 0xfe]) || bytes.starts_with(&[0xfe, 0xff]) {
        return None;
    }
    let mut detector = EncodingDetector::new(Iso2022JpDetection::Deny);
    detector.feed(&bytes, true);
    let encoding = detector.guess(None, Utf8Detection::Deny);
    (encoding != encoding_rs::UTF_8)
        .then(|| FoundEncoding { name: encoding.name(), telling: telling_word(&bytes) })
}

/// The endings of text files.
const TEXT_ENDINGS: [&str; 5] = [".csv", ".tsv", ".tab", ".txt", ".psv"];

/// By this many bytes of a file it is told in which encoding it is.
const ENCODING_BYTES: u64 = 4 << 20;

/// Column names that are periods, two or more.
fn tall(table: &Table) -> Option<Tall> {
    let patterns = table.columns.names.iter().filter_map(|name| period_pattern(name));
    let mut counts: BTreeMap<String, usize> = BTreeMap::new();
    patterns.for_each(|pattern| *counts.entry(pattern).or_default() += 1);
    let (pattern, count) = counts.into_iter().max_by_key(|(_, count)| *count)?;
    if count < 2 {
        return None;
    }
    let meaning = [(Meaning::Cost, "cost"), (Meaning::Target, "target"), (Meaning::Price, "price")];
    let value = meaning.into_iter().find(|(meaning, _)| words_mean(&table.name, *meaning));
    // A slot alone takes all columns that the plan does not name.
    let is_bare = pattern == format!("{{{PERIOD}}}");
    let other = |name: &&String| is_bare && period_pattern(name).as_ref() != Some(&pattern);
    let others = table.columns.names.iter().filter(other).cloned().collect();
    Some(Tall { value: value.map_or("value", |(_, value)| value), others, pattern })
}

fn piece(from: &str, file: &str, table: &Table, found: Option<FoundEncoding>) -> Piece {
    let part = &table.parts[0];
    let types: Vec<ColumnType> = part.evidence.iter().map(|e| e.mostly()).collect();
    let has = |wanted: &[ColumnType]| types.iter().any(|found| wanted.contains(found));
    let home = match from.split_once('#') {
        Some(_) => file.to_owned(),
        None => {
            Path::new(file).parent().map_or(String::new(), |p| p.to_string_lossy().into_owned())
        }
    };
    let column_name =
        |column_name: &String| column_name.trim().to_lowercase().nfc().collect::<String>();
    Piece {
        from: from.to_owned(),
        home,
        column_names: part.column_names.iter().map(column_name).collect(),
        tall: tall(table),
        encoding: found.as_ref().map(|found| found.name),
        telling: found.map_or(Vec::new(), |found| found.telling),
        is_fact_like: has(&[ColumnType::Date])
            && has(&[ColumnType::Number, ColumnType::Integer, ColumnType::Percent]),
    }
}

/// Puts pieces with the same column names together, where their names or their place say that they belong together. Their
/// patterns fit none of `others`, and their names are none that are taken.
fn stacked(pieces: Vec<Piece>, others: Vec<String>, mut taken: BTreeSet<String>) -> Vec<Stack> {
    let mut all = others;
    all.extend(pieces.iter().map(|piece| piece.from.clone()));
    // Folders and books that hold nothing but parts of one table.
    let column_names = |home: &str| {
        let here = pieces.iter().filter(|piece| piece.home == home);
        here.map(|piece| &piece.column_names).collect::<BTreeSet<_>>().len()
    };
    let homes: BTreeSet<String> = pieces.iter().map(|piece| piece.home.clone()).collect();
    let uniform: BTreeSet<String> =
        homes.into_iter().filter(|home| !home.is_empty() && column_names(home) == 1).collect();
    let mut groups: Vec<Vec<Piece>> = Vec::new();
    for piece in pieces {
        let known = groups.iter_mut().find(|group| belongs(&piece, group, &uniform));
        match known {
            Some(group) => group.push(piece),
            None => groups.push(vec![piece]),
        }
    }
    groups
        .into_iter()
        .map(|group| {
            let names: Vec<&str> = group.iter().map(|piece| piece.from.as_str()).collect();
            let Patterns { from, leave_out } = pattern_over(&names, &all);
            let name = table_name(&names, &group[0].home, &mut taken);
            let (tall, encoding) = (group[0].tall.clone(), group[0].encoding);
            Stack {
                name,
                from,
                files: names.iter().map(|name| (*name).to_owned()).collect(),
                column_names: group[0].column_names.clone(),
                telling: group[0].telling.clone(),
                tall,
                encoding,
                renamed: Vec::new(),
                settings: Vec::new(),
                leave_out,
            }
        })
        .collect()
}

/// Whether a piece belongs to others.
fn belongs(piece: &Piece, group: &[Piece], uniform: &BTreeSet<String>) -> bool {
    let first = &group[0];
    if (piece.encoding, &piece.tall) != (first.encoding, &first.tall) {
        return false;
    }
    let own: BTreeSet<&String> = piece.column_names.iter().collect();
    let other: BTreeSet<&String> = first.column_names.iter().collect();
    let common = own.intersection(&other).count();
    let same = own == other;
    let alike = common * 10 >= own.union(&other).count() * 7 && common >= 2;
    let (shape, first_shape) = (shape(&piece.from), shape(&first.from));
    if shape == first_shape && piece.home == first.home {
        return same || alike;
    }
    // Files of a folder of their own, and sales lines that lie in one folder, in books and text files.
    let near = home_folder(piece) == home_folder(first);
    let own_place = piece.home == first.home && uniform.contains(&piece.home);
    let kin = same_book(piece, first) || first_word(piece) == first_word(first);
    let fewest = if kin { 3 } else { 5 };
    let lines =
        piece.is_fact_like && first.is_fact_like && near && piece.column_names.len() >= fewest;
    same && (own_place || lines)
}

/// Whether two pieces are sheets or tables of one file.
fn same_book(one: &Piece, other: &Piece) -> bool {
    one.from.contains('#') && one.home == other.home
}

/// The word that the name of a piece begins with.
fn first_word(piece: &Piece) -> String {
    let name = piece.from.rsplit(['/', '#']).next().unwrap_or_default();
    name.chars()
        .take_while(|character| character.is_alphabetic())
        .collect::<String>()
        .to_lowercase()
}

/// The folder that a piece lies in.
fn home_folder(piece: &Piece) -> String {
    let file = piece.from.split('#').next().unwrap_or_default();
    Path::new(file).parent().map_or(String::new(), |p| p.to_string_lossy().into_owned())
}
