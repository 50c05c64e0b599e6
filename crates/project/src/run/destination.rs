//! A place to which a run writes: a file, or a sheet or table in one, with the form that rows take there.

use std::path::PathBuf;
use std::sync::Arc;

use interligo_engine::bind::slots_of;
use interligo_engine::outputs::Output;
use interligo_engine::totals::MeasureKind;
use interligo_model::plan::{MistakeKind, WhenThere, Written};
use interligo_model::values::value::Value;
use interligo_sinks::containers::Containers;
use interligo_sinks::format::{IfThere, OutputFormat, RowColumn, RowsOf, Target, WriteRows};
use interligo_sinks::formats::text::Text;
use interligo_sinks::formats::typed::columns_of;
use interligo_sinks::formats::{FORMATS, file_and_table};
use interligo_sources::formats::is_address;
use interligo_sources::same_file::{FileIdentity, is_stream};

use super::open_outputs::Places;
use super::output_form::form_of;
use super::slots::{SlotKey, SlotNames};
use crate::error::Error;
use crate::project::Project;

/// A file, or a sheet or table in one, that a run writes.
#[derive(Clone)]
pub(crate) struct Destination {
    pub(crate) path: PathBuf,
    /// By what the file is known again.
    pub(super) identity: FileIdentity,
    /// The sheet or table, where the file holds several.
    pub(crate) table: Option<String>,
    pub(crate) format: Arc<dyn OutputFormat>,
    /// The output, by its name.
    pub(super) output: String,
    /// The workbook of the plan in which it is a sheet.
    pub(super) workbook: Option<String>,
    /// What the plan says of it.
    pub(super) to: Option<Written>,
    /// Whether it is a server and not a file.
    pub(super) is_server: bool,
    /// What happens to what is there.
    pub(super) when_there: WhenThere,
    /// The plan, by which its unfinished files are known.
    pub(super) plan: String,
}

/// How the files are called to which lines go by their slice.
const BY_SLICE: &str = "slice-{slice}";

/// Rows are encoded in groups of this many, where there are many.
const ROWS_AT_ONCE: usize = 10_000;

impl Destination {
    /// Begins the file with these columns.
    ///
    /// # Errors
    /// It cannot be written.
    pub(crate) fn begin(
        &self,
        columns: &[RowColumn],
        of: RowsOf<'_>,
        containers: &Containers,
    ) -> Result<Box<dyn WriteRows>, Error> {
        let table = self.table.as_deref().unwrap_or_default();
        let (path, plan) = (self.path.as_path(), self.plan.as_str());
        let if_there = match (self.when_there, of) {
            (WhenThere::Append, RowsOf::Lines(shape)) => {
                let key = shape.engine.key_among(shape.columns).unwrap_or_default();
                IfThere::Append(key.into_iter().map(|at| columns[at].name.clone()).collect())
            }
            (WhenThere::Stop, _) => IfThere::Stop,
            _ => IfThere::Replace,
        };
        let target = Target { path, table, plan, of, if_there, containers };
        Ok(self.format.begin(&target, columns)?)
    }

    /// Where it goes, as it is written; empty for what the plan has no place for.
    pub(crate) fn to(&self) -> &str {
        self.to.as_ref().map_or("", |to| to.text.as_str())
    }

    /// The attributes in braces that its path has.
    pub(crate) fn slots(&self) -> Vec<&str> {
        let to = self.to();
        slots_of(to).into_iter().map(|slot| &to[slot]).collect()
    }

    /// The same for one of several files that lines go to by the slice that they are of; none where all go to one in any case.
    pub(super) fn by_slice(&self) -> Option<Destination> {
        let to = self.to.as_ref()?;
        let is_file = !self.is_server && !self.format.holds_several() && !is_stream(&self.path);
        if !is_file || !self.slots().is_empty() {
            return None;
        }
        let at = to.text.rfind('/').map_or(0, |at| at + 1);
        // The name begins with a letter or a full stop; what ends it begins with the next one.
        let dot = to.text[at..].char_indices().skip(1).find(|(_, c)| *c == '.')?.0;
        let (stem, ending) = to.text.split_at(at + dot);
        let text = format!("{stem}/{BY_SLICE}{ending}");
        let path = self.path.with_file_name(text.get(at..)?);
        let identity = FileIdentity::of(&path);
        Some(Destination { path, identity, to: Some(to.changed_to(text)), ..self.clone() })
    }

    /// How the names of its files end, where lines go to one for each slice.
    pub(crate) fn ending_by_slice(&self) -> Option<&str> {
        self.to().rsplit('/').next()?.strip_prefix(BY_SLICE)
    }

    /// The same, into another file.
    pub(crate) fn moved_to(&self, path: PathBuf) -> Destination {
        Destination { identity: FileIdentity::of(&path), path, ..self.clone() }
    }

    /// The file for some values of its slots.
    ///
    /// # Errors
    /// Other values make the same name, or something is there that is not to be overwritten.
    pub(crate) fn for_values(
        &self,
        names: &mut SlotNames,
        key: &SlotKey,
        places: &Places<'_>,
    ) -> Result<Destination, Error> {
        let Some(to) = &self.to else { return Ok(self.clone()) };
        let text = names.path(to, key)?;
        let (name, table) = file_and_table(&text);
        let path = places.project.folder().join(&name);
        let own = Destination {
            identity: FileIdentity::of(&path),
            path,
            table: table.or_else(|| self.table.clone()),
            ..self.clone()
        };
        places.plan.refuse_file(places.project, to, &own)?;
        Ok(own)
    }

    /// Writes a whole table of values.
    ///
    /// # Errors
    /// It cannot be written.
    pub(crate) fn write_table<'v>(
        &self,
        columns: Vec<(String, MeasureKind)>,
        of: RowsOf<'_>,
        mut rows: impl Iterator<Item = Vec<Value<'v>>> + Clone,
        containers: &Containers,
    ) -> Result<Box<dyn WriteRows>, Error> {
        let columns = columns_of(columns, rows.clone());
        let mut file = self.begin(&columns, of, containers)?;
        loop {
            let some: Vec<_> = rows.by_ref().take(ROWS_AT_ONCE).collect();
            if some.is_empty() {
                return Ok(file);
            }
            let piece = self.format.encode_rows(&columns, &some);
            file.write(piece.map_err(|unfit| Error::unfit(unfit, None))?)?;
        }
    }
}

/// Where an output goes, if it goes anywhere.
pub(super) fn destination_of(
    project: &Project,
    output: &Output,
) -> Result<Option<Destination>, Error> {
    let Some(to) = &output.to else { return Ok(None) };
    let (name, table) = file_and_table(&to.text);
    let is_server = is_address(&name);
    let path = match is_server {
        true => PathBuf::from(&name),
        false => project.folder().join(&name),
    };
    let plain = || is_stream(&path).then(|| Arc::new(Text) as Arc<dyn OutputFormat>);
    let form = form_of(&project.plan, &output.name, to, output.workbook.as_ref())?;
    let Some(format) = form.or_else(plain) else {
        let message = format!("`{}` has no form that can be written", to.text);
        let endings: Vec<&str> = FORMATS.iter().map(|(ending, _)| *ending).collect();
        let help = format!("let the name end in {}", endings.join(" or "));
        return Err(to.mistaken(MistakeKind::UnknownForm, message).help(help).into());
    };
    let table = table.or_else(|| format.holds_several().then(|| output.name.clone()));
    if let Some(reason) = table.as_ref().and_then(|table| format.refuse_table(table)) {
        let message = format!("`{}` cannot be written: {reason}", to.text);
        let help = "name it after `#`, as in \"out/result.xlsx#Lines\"";
        return Err(to.mistaken(MistakeKind::UnknownForm, message).help(help).into());
    }
    let plan = project.plan.file_stem().to_owned();
    let entry = project.plan.outputs.get(&output.name).map(|entry| &entry.value);
    let when_there = entry.and_then(|entry| Some(*entry.when_there.as_ref()?.get_ref()));
    let when_there = when_there.unwrap_or_default();
    let workbook = output.workbook.as_ref().map(|book| book.name.clone());
    let (output, to) = (output.name.clone(), Some(to.clone()));
    let identity = FileIdentity::of(&path);
    Ok(Some(Destination {
        path,
        identity,
        table,
        format,
        plan,
        is_server,
        when_there,
        output,
        workbook,
        to,
    }))
}
