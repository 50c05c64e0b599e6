//! Which columns of the fact are read, and how. A column that serves two purposes, a key and a number in
//! a formula for instance, is read in two ways.

use std::collections::{BTreeMap, BTreeSet};

use arrow_array::StringViewArray;
use interligo_model::plan::{At, ColumnType};
use interligo_model::reading::column_reader::Reading;
use interligo_model::reading::date_style::millis_of_day;
use interligo_model::reading::evidence::Evidence;
use interligo_model::reading::style::Style;

use crate::bind::Bound;
use crate::lookup::{TypeMismatch, first_mismatch};

/// Texts of a column from one file, by which its type is found.
#[derive(Clone, Debug)]
pub struct Sample {
    /// The texts.
    pub texts: StringViewArray,
    /// How the numbers and days of the file are written.
    pub style: Style,
}

/// The columns of the fact that are read, each in one way.
pub(crate) struct Reads {
    /// The columns, by their position in the fact.
    pub(crate) columns: Vec<usize>,
    /// How each is read.
    pub(crate) readings: Vec<Reading>,
    /// Of a column whose values are used, its number among these.
    pub(crate) values: BTreeMap<usize, usize>,
    /// Columns with times of the day beside their days.
    pub(crate) timed: BTreeSet<usize>,
    /// Columns that are computed, by the type that links take them for, with their numbers.
    computed: BTreeMap<(usize, u8), usize>,
}

impl Reads {
    /// Settles how the columns of a bound plan are read, by samples of their texts.
    pub(crate) fn new(bound: &Bound, samples: &[Vec<Sample>]) -> Result<Reads, TypeMismatch> {
        let fact = &bound.fact;
        let sampled: BTreeMap<usize, &Vec<Sample>> =
            fact.read_columns().into_iter().zip(samples).collect();
        let mismatch = |column: usize, wanted: ColumnType, at: Option<At>| TypeMismatch {
            table: fact.name.clone(),
            column: fact.columns[column].clone(),
            wanted,
            example: sampled[&column]
                .iter()
                .map(|sample| first_mismatch(&sample.texts, &sample.style, wanted))
                .find(|text| !text.is_empty())
                .unwrap_or_default(),
            at: at.map(Box::new),
        };
        let evidence = |column: usize| {
            let mut evidence = Evidence::default();
            for sample in sampled[&column] {
                evidence.add_all(&sample.texts, &sample.style);
            }
            evidence
        };
        let mut reads = Reads {
            columns: Vec::new(),
            readings: Vec::new(),
            values: BTreeMap::new(),
            timed: sampled.iter().filter(|(_, own)| has_times(own)).map(|(at, _)| *at).collect(),
            computed: BTreeMap::new(),
        };
        let is_computed = |column: usize| fact.formulas.iter().any(|f| f.column == column);
        for column in fact.column_use.used().filter(|column| !is_computed(*column)) {
            // The day of a link is no text: what it is compared with must be a day.
            let is_day = fact.days.contains_key(&column) && fact.column_use.is_beside_text(column);
            let read = || fact.column_use.reading(column, &evidence(column));
            let reading = if is_day { Ok(Reading::DATE) } else { read() };
            let reading = reading
                .map_err(|wanted| mismatch(column, wanted, fact.column_use.needed_at(column)))?;
            let number = reads.add(column, reading);
            reads.values.insert(column, number);
        }
        for column in fact.column_use.keys().iter().filter(|column| !is_computed(**column)) {
            reads.add(*column, Reading::TEXT);
        }
        for (column, at) in fact.days.iter().filter(|(column, _)| !is_computed(**column)) {
            if !evidence(*column).allows(ColumnType::Date) {
                return Err(mismatch(*column, ColumnType::Date, Some(at.clone())));
            }
            reads.add(*column, Reading::DATE);
        }
        Ok(reads)
    }

    /// The number of a column read in this way; it is added if it is not there yet.
    fn add(&mut self, column: usize, reading: Reading) -> usize {
        self.position(column, reading.column_type).unwrap_or_else(|| {
            self.columns.push(column);
            self.readings.push(reading);
            self.columns.len() - 1
        })
    }

    /// Adds a column that is computed, which may serve as a day or as a key. Its number is the answer.
    pub(crate) fn compute(&mut self, column: usize, is_day: bool, is_key: bool) -> usize {
        self.columns.push(column);
        let number = self.columns.len() - 1;
        self.values.insert(column, number);
        if is_day {
            self.computed.insert((column, ColumnType::Date as u8), number);
        }
        if is_key {
            self.computed.insert((column, ColumnType::Text as u8), number);
        }
        number
    }

    /// Adds the text of such a column, which serves as a key.
    pub(crate) fn compute_text(&mut self, column: usize) {
        self.columns.push(column);
        self.computed.insert((column, ColumnType::Text as u8), self.columns.len() - 1);
    }

    /// The number of a column that is there as this type.
    pub(crate) fn as_type(&self, column: usize, column_type: ColumnType) -> usize {
        let computed = self.computed.get(&(column, column_type as u8)).copied();
        let found = computed.or_else(|| self.position(column, column_type));
        found.expect("keys and days of links are read or computed")
    }

    fn position(&self, column: usize, column_type: ColumnType) -> Option<usize> {
        let mut known = self.columns.iter().zip(&self.readings);
        known.position(|(own, reading)| (*own, reading.column_type) == (column, column_type))
    }
}

/// Whether a day in a sample has a time of the day other than its begin, or days are said to have one.
fn has_times(samples: &[Sample]) -> bool {
    let is_within = |text: &str| millis_of_day(text).is_some_and(|millis| millis > 0);
    samples
        .iter()
        .any(|sample| sample.style.dates.has_time() || sample.texts.iter().flatten().any(is_within))
}
