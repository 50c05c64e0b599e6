//! What a page shows: the results of a whole plan, gathered from one run, for whoever lays them out.
//!
//! A run with a page is asked for more totals than the plan has ([`parts`]): its facts day by day, and its tables year by
//! year and month by month. What comes of them ([`in_time`]) is put together here; how it looks is not known here.

mod in_time;
mod parts;

use std::path::Path;

use interligo_engine::engine::Engine;
use interligo_engine::proof::tieout::TieOut;
use interligo_engine::totals::TotalsTable;
use interligo_model::plan::{Entry, MistakeKind, OutputEntry, Plan, Written};
use interligo_sinks::formats::page::is_page;
use interligo_sources::same_file::is_stream;

pub use in_time::{Change, FactInTime, PeriodFigures};
pub(crate) use parts::is_page_part;

use crate::calendar::{CalendarKey, dated_links, worst_keys};
use crate::check::Checked;
use crate::compare::{CompareOptions, Comparison};
use crate::error::Error;
use crate::link_map::LinkMap;
use crate::prepare::Job;
use crate::project::Project;
use crate::run::RunResult;
use crate::runs::{RunRecord, now};
use parts::{PagePart, TableByPeriod};

/// Turns what a page shows into the bytes of its file. Who calls the library hands it over, see [`Project::draw_pages_with`].
pub type DrawPage = fn(&PageResults<'_>) -> Vec<u8>;

/// What a page shows.
pub struct PageResults<'a> {
    /// What is above it.
    pub title: String,
    /// The plan.
    pub plan: &'a Plan,
    /// When the run was, in seconds since 1970.
    pub at: u64,
    /// Of each fact, the statement that closes its counts.
    pub ties: Vec<&'a TieOut>,
    /// The facts whose lines have a date and some lines, through time.
    pub facts: Vec<FactInTime<'a>>,
    /// The tables of totals, in the order of the plan.
    pub totals: Vec<PageTotals<'a>>,
    /// What was found.
    pub checked: &'a Checked,
    /// The tables and links.
    pub map: Option<&'a LinkMap>,
    /// Of each dated link, by its name, the keys that have gaps, overlaps or lines on days without a row, the worst first.
    pub calendars: Vec<(String, Vec<CalendarKey>)>,
    /// What changed since the run before; none where no record of one is kept.
    pub bridge: Option<&'a Comparison>,
}

/// A table of totals on a page.
pub struct PageTotals<'a> {
    /// Its name in the plan.
    pub name: &'a str,
    /// The table over all lines.
    pub table: &'a TotalsTable,
    /// The same with a level more above its rows, the years; none where it cannot be divided by them.
    pub by_year: Option<&'a TotalsTable>,
    /// The same with months.
    pub by_month: Option<&'a TotalsTable>,
    /// Whether its first two measures are set against each other.
    pub is_versus: bool,
}

/// What a page is made from.
pub(crate) struct PageSources<'a> {
    pub(crate) job: &'a Job,
    pub(crate) ties: Vec<&'a TieOut>,
    /// The totals of all facts, by name.
    pub(crate) totals: Vec<(&'a str, &'a TotalsTable)>,
    pub(crate) checked: &'a Checked,
    pub(crate) map: Option<&'a LinkMap>,
    pub(crate) bridge: Option<&'a Comparison>,
}

impl Project {
    /// Lets runs draw the pages that the plan asks for. Without it such a plan is refused.
    pub fn draw_pages_with(&mut self, draw: DrawPage) {
        self.draw_page = Some(draw);
    }

    /// What is in the way of writing a page to a file that an option names.
    ///
    /// # Errors
    /// It is read or written by the plan, or is there and no page that Interligo made.
    pub fn refuse_page(&self, option: &'static str, path: &Path) -> Result<(), Error> {
        self.refuse_overwriting(option, path)?;
        if !path.exists() || is_stream(path) || is_page(path) {
            return Ok(());
        }
        let text = path.to_string_lossy().into_owned();
        let message = format!("`{text}` is there, and is no page that Interligo made");
        let end = text.len();
        Err(Written::in_option(option, &text, 0..end)
            .mistaken(MistakeKind::Overwrites, message)
            .help("move it away, or name another file")
            .into())
    }

    /// What a page of the plan shows, from a run that was asked for [`Project::page_requests`]; `title` in place of the
    /// plan's name. The bridge leads from the last run but one that a record is kept of to the last.
    pub fn page_of<'a>(
        &'a self,
        job: &'a Job,
        ran: &'a RunResult,
        bridge: Option<&'a Comparison>,
        title: Option<&str>,
    ) -> PageResults<'a> {
        let totals = ran.outcomes.iter().flat_map(|outcome| &outcome.totals);
        let sources = PageSources {
            job,
            ties: ran.outcomes.iter().map(|outcome| &outcome.tie_out).collect(),
            totals: totals.map(|(name, table)| (name.as_str(), table)).collect(),
            checked: &ran.checked,
            map: ran.map.as_ref(),
            bridge,
        };
        self.page_from(sources, title)
    }

    /// What changed from the last run but one that a record is kept of to the last; none where there are not two, or they
    /// cannot be compared.
    pub fn last_bridge(&self) -> Option<Comparison> {
        self.compare(&[], &CompareOptions::default()).ok()
    }

    /// The same from the last run that a record is kept of to the one whose files are about to appear.
    pub(crate) fn pending_bridge(&self, pending: (&Path, &RunRecord)) -> Option<Comparison> {
        let last = self.run_numbers().last()?.to_string();
        let folder = self.record_at(&last).ok()?;
        let record = RunRecord::read(&folder).ok()?;
        let options = CompareOptions::default();
        let compared = self.compare_records((&folder, &record), pending, &options).ok()?;
        Some(Comparison { runs: [last, "this run".to_owned()], ..compared })
    }

    /// What a page shows.
    pub(crate) fn page_from<'a>(
        &'a self,
        sources: PageSources<'a>,
        title: Option<&str>,
    ) -> PageResults<'a> {
        let PageSources { job, ties, totals, checked, map, bridge } = sources;
        let called = |name: &str| totals.iter().find(|(own, _)| *own == name).map(|(_, own)| *own);
        let part = |part: PagePart<'_>| called(&part.name());
        let in_time = |engine: &'a Engine| {
            let fact = engine.bound.fact.name.as_str();
            FactInTime::of(fact, part(PagePart::InTime { fact })?)
        };
        let table = |entry: &'a Entry<OutputEntry>| {
            let name = entry.name.as_str();
            let divided = |by| part(PagePart::Table { output: name, by });
            Some(PageTotals {
                name,
                table: called(name).or_else(|| divided(TableByPeriod::Whole))?,
                by_year: divided(TableByPeriod::Years),
                by_month: divided(TableByPeriod::Months),
                is_versus: entry.value.versus.is_some() && entry.value.show.is_none(),
            })
        };
        let calendars = job.engines.iter().flat_map(|engine| {
            dated_links(engine).into_iter().map(|link| {
                let name = engine.bound.routes[link].name.clone();
                (name, worst_keys(engine, link, checked))
            })
        });
        let own =
            || self.plan.plan.name.clone().unwrap_or_else(|| self.plan.file_stem().to_owned());
        PageResults {
            title: title.map_or_else(own, str::to_owned),
            plan: &self.plan,
            at: now(),
            facts: job.engines.iter().filter_map(in_time).collect(),
            totals: self.plan.outputs.iter().filter_map(table).collect(),
            calendars: calendars.filter(|(_, keys)| !keys.is_empty()).collect(),
            ties,
            checked,
            map,
            bridge,
        }
    }

    /// The bytes of a page of the plan.
    ///
    /// # Errors
    /// Nobody has said how pages are drawn.
    pub(crate) fn drawn(&self, page: &PageResults<'_>) -> Result<Vec<u8>, Error> {
        self.draw_page.map(|draw| draw(page)).ok_or_else(|| parts::cannot_draw().into())
    }
}
