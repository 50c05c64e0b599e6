//! A run: the fact's files block by block through the engine, over all cores, into the outputs.

use std::cell::OnceCell;
use std::path::{Path, PathBuf};

use arrow_buffer::Buffer;

use interligo_core::engine::{Engine, Output, OutputContent};
use interligo_core::findings::{Aside, Findings};
use interligo_core::lines::{LineBatch, Lines};
use interligo_core::plan::Missing;
use interligo_core::tieout::{TieOut, Written, aside_words};
use interligo_core::totals::{Groups, TotalsPlan, TotalsTable};

use crate::error::{Error, Stop};
use crate::lines_out::{Change, LinesOutput, RawLines, changes, write_own};
use crate::lookups::RowNumbers;
use crate::ordered::in_order;
use crate::parts::{Source, Table, block_not_utf8, skip_heading, split};
use crate::project::Project;
use crate::sinks::OutputFile;
use crate::text::{Block, BlockReader, Fields, same_text, write_cell};
use crate::totals_out;

/// How a run uses the machine; no result depends on it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Pace {
    /// Workers.
    pub threads: usize,
    /// Bytes of text that a worker takes at a time.
    pub block: usize,
}

impl Default for Pace {
    /// All cores, blocks that stay in their caches.
    fn default() -> Pace {
        Pace { threads: std::thread::available_parallelism().map_or(1, Into::into), block: 1 << 19 }
    }
}

/// What a run came to.
pub struct Outcome {
    /// What was met in the data.
    pub findings: Findings,
    /// The totals among the outputs, by name.
    pub totals: Vec<(String, TotalsTable)>,
    /// The statement that closes the counts.
    pub tie_out: TieOut,
}

/// What happens where the plan says that a finding stops the run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OnStop {
    /// The run ends and leaves no output.
    Stop,
    /// The run goes on; the caller reports.
    Report,
}

/// Runs an engine over the fact of a project. `progress` is told how many bytes were read.
///
/// # Errors
/// Input that cannot be read, output that cannot be written, a number that does not fit, a finding
/// that the plan says must stop; then no output appears.
pub fn run(
    project: &Project,
    engine: &Engine,
    pace: Pace,
    on_stop: OnStop,
    progress: &(dyn Fn(u64) + Sync),
) -> Result<Outcome, Error> {
    let fact = project.table(&engine.bound.fact.name);
    let mut sinks = Sinks::create(project, engine, fact)?;
    let worker = Worker {
        engine,
        fact,
        lines: &sinks.lines,
        aside: sinks.keeps_aside,
        changes: fact.parts.iter().map(|part| changes(engine, part)).collect(),
    };
    let mut stream = Stream { fact, next_part: 0, reader: None, block: pace.block, progress };
    let mut findings = Findings::default();
    let files = &mut sinks.files;
    let workers = in_order(
        pace.threads,
        || stream.next(),
        || totals_of(engine).map(Groups::new).collect::<Vec<_>>(),
        |groups: &mut Vec<Groups<'_>>, (part, block)| worker.work(part, block, groups),
        |done: Done| {
            findings.absorb(done.findings);
            files.write(&done.lines, &done.aside)
        },
    )?;
    let stops =
        if on_stop == OnStop::Stop { stops(project, engine, &findings) } else { Vec::new() };
    if !stops.is_empty() {
        return Err(Error::Stopped(stops));
    }
    let tables = merge_totals(engine, workers)?;
    sinks.finish(project, engine, findings, tables, fact.parts.len())
}

fn totals_of(engine: &Engine) -> impl Iterator<Item = &TotalsPlan> {
    engine.outputs.iter().filter_map(|output| match &output.content {
        OutputContent::Totals(totals) => Some(totals),
        OutputContent::Lines(_) => None,
    })
}

fn merge_totals(engine: &Engine, workers: Vec<Vec<Groups<'_>>>) -> Result<Vec<TotalsTable>, Error> {
    let mut workers: Vec<_> = workers.into_iter().map(Vec::into_iter).collect();
    totals_of(engine)
        .map(|plan| {
            let groups = workers.iter_mut().filter_map(Iterator::next).collect();
            Ok(TotalsTable::merge(plan, groups)?)
        })
        .collect()
}

/// The fact's files as one stream of blocks.
struct Stream<'a> {
    fact: &'a Table,
    next_part: usize,
    reader: Option<BlockReader>,
    block: usize,
    progress: &'a (dyn Fn(u64) + Sync),
}

impl Stream<'_> {
    fn next(&mut self) -> Result<Option<(usize, Block)>, Error> {
        loop {
            if let Some(reader) = &mut self.reader {
                if let Some(block) = reader.next(self.block)? {
                    (self.progress)(block.length as u64);
                    return Ok(Some((self.next_part - 1, block)));
                }
                self.reader = None;
            }
            let Some(part) = self.fact.parts.get(self.next_part) else { return Ok(None) };
            self.reader = Some(part.open()?);
            self.next_part += 1;
        }
    }
}

/// What a block came to.
struct Done {
    findings: Findings,
    /// Of each output of lines, its bytes and how many lines they are.
    lines: Vec<(Vec<u8>, u64)>,
    aside: (Vec<u8>, u64),
}

struct Worker<'a> {
    engine: &'a Engine,
    fact: &'a Table,
    lines: &'a [LinesOutput],
    /// Whether there is a file for what is set aside.
    aside: bool,
    /// Of each part, what happens to its columns on the way to an output.
    changes: Vec<Vec<Change>>,
}

impl Worker<'_> {
    fn work(&self, number: usize, block: Block, groups: &mut [Groups<'_>]) -> Result<Done, Error> {
        let part = &self.fact.parts[number];
        let block = skip_heading(block);
        if let Err(error) = std::str::from_utf8(&block.bytes) {
            return Err(block_not_utf8(&block, self.fact, part, error.valid_up_to()));
        }
        let fields = split(&block, part);
        let (first_row, length) = (block.first_row, block.length);
        let buffer = Buffer::from_vec(block.bytes);
        let columns = self.engine.read.iter().map(|column| match &part.sources[*column] {
            Source::Field(field) => fields.column(&buffer, *field),
            Source::Slot(text) => same_text(text, fields.rows()),
            Source::Absent => same_text("", fields.rows()),
        });
        let row_numbers = OnceCell::new();
        let row_of = |row: u32| {
            row_numbers.get_or_init(|| all_row_numbers(&buffer, first_row, &fields))[row as usize]
        };
        let batch = LineBatch {
            rows: fields.rows(),
            columns: columns.collect(),
            part: number,
            style: part.found.style,
            row_of: &row_of,
        };
        let unfit = |unfit| Error::does_not_fit(unfit, &self.parts());
        let lines = self.engine.work_out(&batch).map_err(unfit)?;
        for groups in groups {
            groups.add(&lines).map_err(|row| {
                let spot = interligo_core::findings::Spot { part: number, row: row_of(row as u32) };
                unfit(interligo_core::lines::DoesNotFit { what: "totals".to_owned(), spot })
            })?;
        }
        let raw = RawLines {
            bytes: &buffer.as_slice()[..length + crate::text::PADDING],
            fields: &fields,
            part,
            changes: &self.changes[number],
        };
        let write = |output: &LinesOutput| {
            let mut bytes = Vec::with_capacity(length * 3);
            let written = output.write(&lines, &raw, &mut bytes);
            (bytes, written)
        };
        let written = self.lines.iter().map(write).collect();
        let mut aside = (Vec::new(), 0);
        if self.aside && (!lines.aside.is_empty() || !fields.ragged.is_empty()) {
            aside = self.write_aside(&lines, &raw, first_row);
        }
        let mut findings = lines.findings;
        findings.blank_rows = fields.blank;
        if !fields.ragged.is_empty() {
            findings.lines += fields.ragged.len() as u64;
            findings.aside.insert(Aside::Fields, fields.ragged.len() as u64);
        }
        Ok(Done { findings, lines: written, aside })
    }

    fn parts(&self) -> interligo_core::findings::Parts {
        interligo_core::findings::Parts(self.fact.parts.iter().map(|p| p.shown.clone()).collect())
    }

    /// The lines of a block that are set aside, in their order: why, where, and as they were read.
    fn write_aside(&self, lines: &Lines<'_>, raw: &RawLines<'_>, first_row: u64) -> (Vec<u8>, u64) {
        let regular = lines.aside.iter().map(|(row, why)| {
            let row = *row as usize;
            (raw.fields.start(row), Some(row), aside_words(self.engine, *why))
        });
        let ragged =
            raw.fields.ragged.iter().map(|ragged| {
                (ragged.start as usize, None, aside_words(self.engine, Aside::Fields))
            });
        let mut all: Vec<_> = regular.chain(ragged).collect();
        all.sort_by_key(|(start, ..)| *start);
        let mut row_numbers = RowNumbers::new(raw.bytes, first_row);
        let mut ragged = raw.fields.ragged.iter();
        let mut out = Vec::new();
        let count = all.len() as u64;
        for (start, row, why) in all {
            write_cell(&mut out, &why);
            out.push(b',');
            write_cell(&mut out, &raw.part.shown);
            out.extend_from_slice(format!(",{},", row_numbers.of(start)).as_bytes());
            match row {
                Some(row) => {
                    write_own(raw, row, &mut out);
                    out.push(b',');
                }
                None => {
                    let ragged = ragged.next().expect("there is a ragged row for each such entry");
                    let text = &raw.bytes[ragged.start as usize..ragged.end as usize];
                    out.extend(std::iter::repeat_n(b',', raw.part.sources.len()));
                    write_cell(&mut out, &String::from_utf8_lossy(text));
                }
            }
            out.push(b'\n');
        }
        (out, count)
    }
}

fn all_row_numbers(buffer: &Buffer, first_row: u64, fields: &Fields) -> Vec<u64> {
    let mut numbers = RowNumbers::new(buffer.as_slice(), first_row);
    (0..fields.rows()).map(|row| numbers.of(fields.start(row))).collect()
}

/// The files of a run.
struct Sinks {
    lines: Vec<LinesOutput>,
    /// Whether there is a file for what is set aside: there is, where anything is written.
    keeps_aside: bool,
    files: Files,
}

struct Files {
    /// Of each output of lines, its file and how many lines it took.
    lines: Vec<(OutputFile, u64)>,
    aside_path: PathBuf,
    aside: Option<OutputFile>,
    aside_heading: Vec<u8>,
    aside_lines: u64,
}

impl Files {
    fn write(&mut self, lines: &[(Vec<u8>, u64)], aside: &(Vec<u8>, u64)) -> Result<(), Error> {
        for ((file, count), (bytes, written)) in self.lines.iter_mut().zip(lines) {
            file.write(bytes)?;
            *count += written;
        }
        if aside.1 > 0 {
            if self.aside.is_none() {
                let mut file = OutputFile::create(&self.aside_path)?;
                file.write(&self.aside_heading)?;
                self.aside = Some(file);
            }
            if let Some(file) = &mut self.aside {
                file.write(&aside.0)?;
            }
            self.aside_lines += aside.1;
        }
        Ok(())
    }
}

impl Sinks {
    /// Opens the outputs that have a file.
    fn create(project: &Project, engine: &Engine, fact: &Table) -> Result<Sinks, Error> {
        let mut sinks = Sinks {
            lines: Vec::new(),
            keeps_aside: engine.outputs.iter().any(|output| output.to.is_some()),
            files: Files {
                lines: Vec::new(),
                aside_path: project.aside_path(),
                aside: None,
                aside_heading: Vec::new(),
                aside_lines: 0,
            },
        };
        let mut known: Vec<PathBuf> = Vec::new();
        for output in &engine.outputs {
            let Some(path) = path_of(project, output)? else { continue };
            refuse_overwriting(project, output, &path, &mut known)?;
            if let OutputContent::Lines(columns) = &output.content {
                let prepared = LinesOutput::new(columns, engine, fact);
                let mut file = OutputFile::create(&path)?;
                file.write(prepared.heading())?;
                sinks.files.lines.push((file, 0));
                sinks.lines.push(prepared);
            }
        }
        let heading = &mut sinks.files.aside_heading;
        heading.extend_from_slice(b"reason,file,row,");
        for name in &fact.columns.names {
            write_cell(heading, name);
            heading.push(b',');
        }
        heading.extend_from_slice(b"as_read\n");
        Ok(sinks)
    }

    /// Writes the totals, closes the counts, and lets the files appear.
    fn finish(
        self,
        project: &Project,
        engine: &Engine,
        findings: Findings,
        tables: Vec<TotalsTable>,
        parts: usize,
    ) -> Result<Outcome, Error> {
        let keeps_aside = self.keeps_aside;
        let Files { lines, aside_path, aside, aside_lines, .. } = self.files;
        let mut lines = lines.into_iter();
        let mut tables = tables.into_iter();
        let (mut written, mut files, mut totals) = (Vec::new(), Vec::new(), Vec::new());
        for output in &engine.outputs {
            let to = output.to.as_ref().map_or(String::new(), |to| to.text.clone());
            let (output_name, mut note) = (
                output.name.clone(),
                Written { output: output.name.clone(), to, lines: 0, groups: None, filtered: 0 },
            );
            match &output.content {
                OutputContent::Lines(_) => {
                    let (file, count) = lines.next().expect("every output of lines has a file");
                    files.push(file);
                    note.lines = count;
                }
                OutputContent::Totals(_) => {
                    let table = tables.next().expect("every output of totals has a table");
                    (note.lines, note.filtered) = (table.lines, table.filtered);
                    note.groups = Some(table.rows.len() as u64);
                    if let Some(path) = path_of(project, output)? {
                        let mut file = OutputFile::create(&path)?;
                        file.write(&totals_out::totals_csv(&table))?;
                        files.push(file);
                    }
                    totals.push((output_name, table));
                }
            }
            written.push(note);
        }
        let aside_to = aside.as_ref().map(|_| relative(project.folder(), &aside_path));
        let aside_lines = if keeps_aside { aside_lines } else { findings.lines_aside() };
        let tie_out = TieOut::new(engine, &findings, parts, written, aside_to, aside_lines);
        if !tie_out.open().is_empty() {
            return Err(Error::NotClosed(Box::new(tie_out)));
        }
        files.extend(aside);
        // All files are whole before the first appears.
        files.iter_mut().try_for_each(OutputFile::flush)?;
        files.into_iter().try_for_each(OutputFile::appear)?;
        if keeps_aside && tie_out.lines_aside() == 0 && aside_path.exists() {
            // What an earlier run set aside would be taken for this one's.
            std::fs::remove_file(&aside_path)
                .map_err(|error| Error::output(&aside_path, &error))?;
        }
        Ok(Outcome { findings, totals, tie_out })
    }
}

fn relative(folder: &Path, path: &Path) -> String {
    path.strip_prefix(folder).unwrap_or(path).to_string_lossy().into_owned()
}

/// The file of an output, if it has one.
fn path_of(project: &Project, output: &Output) -> Result<Option<PathBuf>, Error> {
    let Some(to) = &output.to else { return Ok(None) };
    if !to.text.to_lowercase().ends_with(".csv") {
        let message = format!("`{}` is no text file; other forms cannot be written yet", to.text);
        return Err(to.mistaken(message).help("let the name end in .csv").into());
    }
    Ok(Some(project.folder().join(&to.text)))
}

fn refuse_overwriting(
    project: &Project,
    output: &Output,
    path: &Path,
    known: &mut Vec<PathBuf>,
) -> Result<(), Error> {
    let Some(to) = &output.to else { return Ok(()) };
    let same = |other: &Path| match (path.canonicalize(), other.canonicalize()) {
        (Ok(a), Ok(b)) => a == b,
        _ => path == other,
    };
    if project.inputs().any(same) {
        let message =
            format!("the output `{}` would write over an input, `{}`", output.name, to.text);
        return Err(to.mistaken(message).help("give the output another name or folder").into());
    }
    if known.iter().any(|other| same(other)) || same(&project.aside_path()) {
        let message = format!("two outputs would write the same file, `{}`", to.text);
        return Err(to.mistaken(message).help("give one of them another name").into());
    }
    known.push(path.to_owned());
    Ok(())
}

/// Findings over the lines that the plan says must stop a run.
pub fn stops(project: &Project, engine: &Engine, findings: &Findings) -> Vec<Stop> {
    use interligo_core::links::LinkStatus;
    let parts = project.fact_parts(engine);
    let mut found = Vec::new();
    for (number, route) in engine.bound.routes.iter().enumerate() {
        let counts = findings.links.get(number).copied().unwrap_or_default();
        let stopping: &[LinkStatus] = match route.missing {
            Missing::Stop => &[LinkStatus::Unmatched, LinkStatus::Blank, LinkStatus::Overlapping],
            _ => &[LinkStatus::Overlapping],
        };
        for status in stopping {
            let lines = counts[*status as usize];
            if lines == 0 {
                continue;
            }
            let tallies: Vec<_> =
                findings.keys.iter().filter(|((l, s, _), _)| *l == number && s == status).collect();
            let name = &route.name;
            let (what, help) = match status {
                LinkStatus::Unmatched => (
                    "with a key that is not in",
                    "correct the keys, complete the lookup, or change `missing` of the link",
                ),
                LinkStatus::Blank => {
                    ("without a key for", "complete the lines, or change `missing` of the link")
                }
                _ => (
                    "on a day on which several rows hold in",
                    "correct the periods so that they do not overlap",
                ),
            };
            let keys = if tallies.len() > 1 {
                format!(" ({} different keys)", tallies.len())
            } else {
                String::new()
            };
            let count = if lines == 1 { "1 line".to_owned() } else { format!("{lines} lines") };
            found.push(Stop {
                message: format!("{count} {what} `{name}`{keys}"),
                places: tallies
                    .iter()
                    .take(10)
                    .map(|((_, _, key), tally)| format!("{} `{key}`", parts.place(tally.first)))
                    .collect(),
                help: format!("{help}; `interligo check` lists them all"),
            });
        }
    }
    found
}
