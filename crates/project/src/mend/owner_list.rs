//! What the owner of a lookup should add: the missing keys, with what they cost and since when, and room for the answer.
//!
//! As files of text, one for each lookup, or as a workbook with a sheet for each. `interligo mend --from` takes back what its owner
//! has filled in.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use interligo_engine::near::bare_key;
use interligo_engine::proof::exact_sum::ExactSum;
use interligo_engine::totals::MeasureKind;
use interligo_model::values::date::Day;
use interligo_model::values::value::Value;
use interligo_sinks::containers::Containers;
use interligo_sinks::error::{Error as SinkError, OutputErrorKind};
use interligo_sinks::format::{IfThere, RowsOf, Target};
use interligo_sinks::formats::format_of;
use interligo_sinks::formats::text::csv_row;
use interligo_sinks::formats::typed::columns_of;
use interligo_sinks::output_file::write_whole;
use interligo_sinks::run_facts::{FactsSection, RunFacts};

use super::corrections_file::{ALSO_WRITTEN, BETWEEN, CorrectionsFile};
use crate::check::{Checked, Code, Finding};
use crate::error::Error;
use crate::project::Project;

/// What is written for the owners of lookups.
struct OwnerList<'a> {
    /// The lookup.
    lookup: String,
    /// The keys that it lacks.
    keys: Vec<LackedKey<'a>>,
}

/// A key that a lookup lacks, in all the ways in which lines write it.
struct LackedKey<'a> {
    /// The way that most lines have first.
    findings: Vec<&'a Finding>,
    links: Vec<&'a str>,
}

/// A list that was written for the owner of a lookup.
pub struct WrittenList {
    /// The file.
    pub file: PathBuf,
    /// Its sheet, where it is a workbook.
    pub sheet: Option<String>,
    /// How many keys it has.
    pub keys: usize,
}

impl Project {
    /// Writes lists for the owners of lookups that lack keys: into a workbook, or into a folder. `lookups` has the lookup of each
    /// link. The answer is where each list is.
    ///
    /// # Errors
    /// A list is there that has answers; a file cannot be written.
    pub fn for_owners(
        &self,
        checked: &Checked,
        lookups: &BTreeMap<String, String>,
        to: &Path,
    ) -> Result<Vec<WrittenList>, Error> {
        let lists = OwnerList::of(checked, lookups);
        let links: Vec<&str> = lookups.keys().map(String::as_str).collect();
        let is_book = to.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("xlsx"));
        if !is_book {
            let place = |list: &OwnerList<'_>| to.join(format!("{}-to-complete.csv", list.lookup));
            lists.iter().try_for_each(|list| self.refuse_replacing(&place(list), &links))?;
            let mut written = Vec::new();
            for list in &lists {
                write_whole(&place(list), &list.as_text(checked))?;
                written.push(WrittenList { file: place(list), sheet: None, keys: list.keys.len() });
            }
            return Ok(written);
        }
        self.refuse_replacing(to, &links)?;
        if !lists.is_empty() {
            self.write_book(checked, &lists, to)?;
        }
        let sheet = |list: &OwnerList<'_>| WrittenList {
            file: to.to_owned(),
            sheet: Some(list.lookup.clone()),
            keys: list.keys.len(),
        };
        Ok(lists.iter().map(sheet).collect())
    }

    /// Refuses to replace what is no list of missing keys, or one in which somebody has answered.
    fn refuse_replacing(&self, path: &Path, links: &[&str]) -> Result<(), Error> {
        self.refuse_overwriting("--for-owner", path)?;
        if !path.exists() {
            return Ok(());
        }
        let reason = match CorrectionsFile::given(path).is_answered(links) {
            Ok(false) => return Ok(()),
            Ok(true) => "it has answers; take them with `interligo mend --from`, then remove it",
            Err(_) => "what is there is no list of missing keys",
        };
        Err(SinkError::new(OutputErrorKind::NotOwn, path, reason).into())
    }

    fn write_book(
        &self,
        checked: &Checked,
        lists: &[OwnerList<'_>],
        to: &Path,
    ) -> Result<(), Error> {
        let Some(format) = format_of(&to.to_string_lossy()) else {
            let reason = "this program was built without workbooks";
            return Err(SinkError::new(OutputErrorKind::Failed, to, reason).into());
        };
        let containers = Containers::default();
        let mut sheets = Vec::new();
        for list in lists {
            let (names, rows) = list.table(checked);
            let named = names.into_iter().map(|name| (name, MeasureKind::Other));
            let columns = columns_of(named.collect(), &rows);
            let target = Target {
                path: to,
                table: &list.lookup,
                plan: self.plan.file_stem(),
                of: RowsOf::Others,
                if_there: IfThere::Replace,
                containers: &containers,
            };
            let mut sheet = format.begin(&target, &columns)?;
            let piece = format.encode_rows(&columns, &rows);
            sheet.write(piece.map_err(|unfit| Error::unfit(unfit, None))?)?;
            sheets.push(sheet);
        }
        for sheet in sheets {
            sheet.finish()?;
        }
        for mut file in containers.finish(&self.about_lists(lists))?.files {
            file.complete()?;
            file.appear()?;
        }
        Ok(())
    }

    /// The sheet about the workbook.
    fn about_lists(&self, lists: &[OwnerList<'_>]) -> RunFacts {
        let title = self.plan.plan.name.as_deref().unwrap_or(self.plan.file_stem());
        let row = |list: &OwnerList<'_>| {
            let keys = Value::Number((list.keys.len() as i64).into());
            vec![Value::Text(list.lookup.clone().into()), keys]
        };
        RunFacts {
            title: format!("{title}: keys that are missing"),
            notes: vec![
                "Each row is a key that sales lines have and the table lacks.".to_owned(),
                "Where another key is meant, write that into the column `use`. Where the key is right, add it to the table, and leave `use` blank.".to_owned(),
                "Back with `interligo mend --from` and the name of this file.".to_owned(),
            ],
            sections: vec![FactsSection {
                columns: vec!["Table".to_owned(), "Keys".to_owned()],
                rows: lists.iter().map(row).collect(),
            }],
            outputs: lists.iter().map(|list| list.lookup.clone()).collect(),
        }
    }
}

impl<'a> OwnerList<'a> {
    /// The lists, by lookup.
    fn of(checked: &'a Checked, lookups: &BTreeMap<String, String>) -> Vec<OwnerList<'a>> {
        let lacking = |finding: &&Finding| {
            matches!(finding.code, Code::UnmatchedKey | Code::NearMiss | Code::UndatedKey)
        };
        let mut lists: BTreeMap<&str, OwnerList<'a>> = BTreeMap::new();
        // Where the key of a list is, by what it is but for its writing.
        let mut places: BTreeMap<(&str, bool, String), usize> = BTreeMap::new();
        for finding in checked.findings.iter().filter(lacking) {
            let lookup = lookups.get(&finding.about).map_or(finding.about.as_str(), String::as_str);
            let list = lists
                .entry(lookup)
                .or_insert_with(|| OwnerList { lookup: lookup.to_owned(), keys: Vec::new() });
            let is_undated = finding.code == Code::UndatedKey;
            let at = *places
                .entry((lookup, is_undated, bare_key(&finding.subject)))
                .or_insert_with(|| {
                    list.keys.push(LackedKey { findings: Vec::new(), links: Vec::new() });
                    list.keys.len() - 1
                });
            list.keys[at].add(finding);
        }
        lists.into_values().collect()
    }

    /// The sums that are known of some key, by their number in what was checked.
    fn used(&self, checked: &Checked) -> Vec<usize> {
        let has = |number: usize| self.keys.iter().any(|key| key.sum(checked, number).is_some());
        (0..checked.columns.len()).filter(|number| has(*number)).collect()
    }

    /// Its column names and its rows.
    fn table(&self, checked: &Checked) -> (Vec<String>, Vec<Vec<Value<'a>>>) {
        let used = self.used(checked);
        let before =
            ["found", "may_be", "use", "note", "missing", "link", "first_day", "last_day", "lines"];
        let sums = used.iter().map(|number| checked.columns[*number].name.as_str());
        let names = before.into_iter().chain(sums).chain([ALSO_WRITTEN, "examples"]);
        let rows = self.keys.iter().map(|key| key.cells(checked, &used));
        (names.map(str::to_owned).collect(), rows.collect())
    }

    fn as_text(&self, checked: &Checked) -> Vec<u8> {
        let (names, rows) = self.table(checked);
        let mut out = csv_row(names.iter().map(String::as_str));
        for cells in rows {
            let cells: Vec<String> = cells.iter().map(Value::to_string).collect();
            out.extend(csv_row(cells.iter().map(String::as_str)));
        }
        out
    }
}

impl<'a> LackedKey<'a> {
    /// Takes in what was found of one way of writing it, in one link.
    fn add(&mut self, finding: &'a Finding) {
        if !self.links.contains(&finding.about.as_str()) {
            self.links.push(&finding.about);
        }
        self.findings.push(finding);
        self.findings.sort_by_key(|own| std::cmp::Reverse(own.count));
    }

    /// What was found in the link that lacks it on most lines: others may lack it on the same.
    fn of_lines(&self) -> impl Iterator<Item = &'a Finding> {
        let lines = |link: &&&str| -> u64 {
            let own = self.findings.iter().filter(|own| own.about == **link);
            own.map(|own| own.count).sum()
        };
        let most = self.links.iter().rev().max_by_key(lines).copied().unwrap_or_default();
        self.findings.iter().copied().filter(move |own| own.about == most)
    }

    /// A sum over its lines.
    fn sum(&self, checked: &Checked, number: usize) -> Option<ExactSum> {
        let column = &checked.columns[number];
        let known = self.of_lines().filter_map(|own| own.affected.as_ref()?.known(number, column));
        known.reduce(|mut all, own| {
            all.merge(own);
            all
        })
    }

    fn cells(&self, checked: &Checked, used: &[usize]) -> Vec<Value<'a>> {
        let text = |text: String| Value::Text(text.into());
        let first = self.findings[0];
        let missing = match first.code {
            Code::UndatedKey => "a period for these days",
            Code::NearMiss => "the key, unless another is meant",
            _ => "the key",
        };
        let mut may_be: Vec<&str> = Vec::new();
        let mut written: Vec<&str> = Vec::new();
        for own in &self.findings {
            for suggestion in own.suggestions.iter().take(3) {
                if !may_be.contains(&suggestion.key.as_str()) {
                    may_be.push(&suggestion.key);
                }
            }
            if own.subject != first.subject && !written.contains(&own.subject.as_str()) {
                written.push(&own.subject);
            }
        }
        let days = self.findings.iter().filter_map(|own| own.days);
        let day = |day: Option<Day>| day.map_or(Value::Blank, Value::Date);
        let lines: u64 = self.of_lines().map(|own| own.count).sum();
        let mut cells = vec![
            text(first.subject.clone()),
            text(may_be.join(BETWEEN)),
            Value::Blank,
            Value::Blank,
            text(missing.to_owned()),
            text(self.links.join(BETWEEN)),
            day(days.clone().map(|(first, _)| first).min()),
            day(days.map(|(_, last)| last).max()),
            Value::Number((lines as i64).into()),
        ];
        cells.extend(used.iter().map(|number| {
            let sum = self.sum(checked, *number).and_then(|sum| sum.value());
            sum.map_or(Value::Blank, Value::Number)
        }));
        let examples = self.of_lines().flat_map(|own| &own.places).take(3);
        cells.push(text(written.join(BETWEEN)));
        cells.push(text(examples.cloned().collect::<Vec<_>>().join(" ")));
        cells
    }
}
