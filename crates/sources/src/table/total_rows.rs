//! Which rows of a part are totals: those that look like one are found block by block, and proved by going through the
//! part once more, whatever block the first of them is in.

use std::collections::BTreeMap;
use std::sync::{Arc, LazyLock, Mutex, PoisonError};

use aho_corasick::{AhoCorasick, MatchKind};
use interligo_engine::rows::total_row::{
    FieldSums, TotalEvidence, is_footer, is_named_total, looks_like_total, total_words,
};
use interligo_model::plan::TotalRows;
use interligo_model::values::cells::Cells;

use crate::error::Error;
use crate::formats::Wanted;
use crate::grid::{Grid, TextGrid};
use crate::table::parts::{Part, Table};
use crate::table::rows::Rows;

/// How many bytes are read at a time where a part is scanned for itself.
const BLOCK: usize = 1 << 19;

/// How many rows may follow a total at the end that say something of the file.
const FOOTERS: usize = 3;

/// The words in lowercase, in uppercase, and beginning with one; a text without any of them has no row that says
/// that it is a total. So few words, as they are, are found many bytes at a time.
static WORDS: LazyLock<AhoCorasick> = LazyLock::new(|| {
    let words: Vec<&str> = total_words().collect();
    // A word within another is found with it.
    let holds_other = |word: &&&str| words.iter().any(|one| one != *word && word.contains(one));
    let stems = words.iter().filter(|word| !holds_other(word));
    let ways = stems.flat_map(|word| {
        let mut letters = word.chars();
        let first = letters.next().into_iter().flat_map(char::to_uppercase);
        [(*word).to_owned(), word.to_uppercase(), first.chain(letters).collect()]
    });
    AhoCorasick::builder()
        .match_kind(MatchKind::LeftmostFirst)
        .build(ways)
        .expect("some forty short words make an automaton")
});

/// A row that looks like a total, by its number in the grid.
pub struct Candidate {
    /// Its number.
    pub row: usize,
    /// The evidence for it.
    pub evidence: TotalEvidence,
}

/// The rows of a part that look like totals, by their row in the file: whether each is proved to be one.
type Judged = BTreeMap<u64, bool>;

/// The same, found when it is asked for, and then known to all who read the part.
#[derive(Clone, Default)]
pub struct JudgedOnce(Arc<Mutex<Option<Arc<Judged>>>>);

/// The rows of a grid that look like totals, ascending. `last` says that the grid ends with the last row of the part.
pub fn candidates(rows: &Rows, part: &Part, last: bool) -> Vec<Candidate> {
    let mut found = named(&rows.grid, part);
    if last {
        for candidate in at_foot(rows, part) {
            if found.iter().all(|known| known.row != candidate.row) {
                found.push(candidate);
            }
        }
    }
    found.sort_by_key(|candidate| candidate.row);
    found
}

/// Which candidates are totals.
///
/// # Errors
/// The part cannot be read again.
pub fn judge(
    candidates: &[Candidate],
    rows: &Rows,
    table: &Table,
    part: &Part,
) -> Result<Vec<bool>, Error> {
    if part.total_rows == Some(TotalRows::LeaveOut) {
        return Ok(vec![true; candidates.len()]);
    }
    let mut once = part.judged.0.lock().unwrap_or_else(PoisonError::into_inner);
    let judged = match &*once {
        Some(judged) => judged.clone(),
        None => once.insert(Arc::new(go_through(table, part)?)).clone(),
    };
    let is_total =
        |candidate: &Candidate| judged.get(&rows.number_of(candidate.row)) == Some(&true);
    Ok(candidates.iter().map(is_total).collect())
}

/// Scans a part and compares each row that looks like a total with the sums of the rows above.
fn go_through(table: &Table, part: &Part) -> Result<Judged, Error> {
    let mut judged = Judged::new();
    let as_they_are = part.with_totals();
    let numeric = part.evidence.iter().map(|evidence| evidence.numeric > 0);
    let mut sums = FieldSums::of(numeric, &part.style.style);
    let fields = sums.fields();
    let mut reader = part.open(&Wanted::All)?;
    while let Some(block) = reader.next(BLOCK)? {
        let last = block.last;
        let rows = Rows::of(block, table, &as_they_are)?;
        let columns: Vec<_> = fields.iter().map(|field| rows.grid.column(*field)).collect();
        let mut from = 0;
        let candidates = candidates(&rows, part, last);
        for to in candidates.iter().map(|c| c.row).chain([rows.grid.rows()]) {
            for (field, column) in fields.iter().zip(&columns) {
                sums.add(*field, &column.slice(from, to - from));
            }
            from = to + 1;
            if let Some(candidate) = candidates.iter().find(|candidate| candidate.row == to) {
                let cells = rows.cells_of(to);
                let cells: Vec<&str> = cells.iter().map(String::as_str).collect();
                let proved = sums.prove(&cells) && candidate.evidence.can_be_proved();
                judged.insert(rows.number_of(to), proved);
            }
        }
    }
    Ok(judged)
}

/// The rows that say that they are totals.
fn named(grid: &Grid, part: &Part) -> Vec<Candidate> {
    let mut rows: Vec<usize> = match grid {
        Grid::Text(text) => rows_with_words(text),
        Grid::Cells(_) => {
            (0..grid.width()).flat_map(|field| cells_with_words(grid, field)).collect()
        }
    };
    rows.sort_unstable();
    rows.dedup();
    rows.retain(|row| {
        let cells: Vec<_> = (0..grid.width()).map(|field| grid.cell(*row, field)).collect();
        is_named_total(&cells.iter().map(|cell| &**cell).collect::<Vec<_>>(), &part.style.style)
    });
    rows.into_iter().map(|row| Candidate { row, evidence: TotalEvidence::Named }).collect()
}

fn rows_with_words(text: &TextGrid) -> Vec<usize> {
    let starts: Vec<usize> = (0..text.fields.rows()).map(|row| text.fields.start(row)).collect();
    let found = WORDS.find_iter(text.buffer.as_slice());
    found
        .filter_map(|word| starts.partition_point(|start| *start <= word.start()).checked_sub(1))
        .collect()
}

fn cells_with_words(grid: &Grid, field: usize) -> Vec<usize> {
    let cells = grid.cells(field);
    let Cells::Texts(texts) = &*cells else { return Vec::new() };
    let has_word = |text: Option<&str>| text.is_some_and(|text| WORDS.is_match(text));
    texts.iter().enumerate().filter(|(_, text)| has_word(*text)).map(|(row, _)| row).collect()
}

/// The last rows that look like totals by what they leave blank, judged by the rows before them in the last stretch of
/// the part. A few rows below them may say something of the file.
fn at_foot(rows: &Rows, part: &Part) -> Vec<Candidate> {
    let (all, window) = (rows.grid.rows(), rows.grid.foot());
    let style = &part.style.style;
    let mut found = Vec::new();
    for row in (window + 1..all).rev() {
        let mut always = vec![true; part.width()];
        for other in window..row {
            for (field, always) in always.iter_mut().enumerate() {
                *always &= !rows.grid.cell(other, field).trim().is_empty();
            }
        }
        let cells = rows.cells_of(row);
        let cells: Vec<&str> = cells.iter().map(String::as_str).collect();
        match looks_like_total(&cells, &always, row - window, style) {
            Some(evidence) => found.push(Candidate { row, evidence }),
            None if found.is_empty()
                && all - row <= FOOTERS
                && is_footer(&cells, &always, style) => {}
            None => break,
        }
    }
    found
}
