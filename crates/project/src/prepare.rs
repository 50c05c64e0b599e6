//! A project made ready for lines: its names bound, its lookups loaded, its formulas typed.

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;

use crate::error::{Error, ErrorClass};
use interligo_engine::bind::{
    Bound, BoundLookup, ColumnNames, Content, Home, Request, Route, bind,
};
use interligo_engine::engine::{Engine, Extent, Sample};
use interligo_engine::lookup::{Duplicate, Lookup, LookupShape};
use interligo_engine::outputs::Output;
use interligo_model::plan::Plan;
use interligo_sinks::format::Takes;

use crate::run::output_form::form_of;
use interligo_sources::table::lookup_table;
use interligo_sources::table::parts::WantedColumns;
use interligo_sources::table::rows::Rows;

use crate::project::Project;
use crate::run::stop_rules::duplicate_stops;

/// How much of a part is looked at to find the types of its columns.
const SAMPLE: usize = 1 << 16;

/// How many parts are looked at.
const SAMPLED_PARTS: usize = 16;

/// What to do when a lookup holds duplicates that the plan does not settle.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OnDuplicates {
    /// End with the rows.
    Stop,
    /// Go on with the first row of each key; the caller reports them.
    Report,
}

/// What is to be computed: an engine for each fact, and what is asked of it.
pub struct Job {
    /// The engines, in the order of the facts.
    pub engines: Vec<Engine>,
    /// Of each, its outputs.
    pub outputs: Vec<Vec<Output>>,
}

/// A fact with its lookups.
type Loaded = (Bound, Vec<Lookup>);

impl Project {
    /// Binds the plan with the outputs asked for, loads its lookups and prepares an engine for each fact;
    /// only for those with an output where no more than that is needed.
    ///
    /// # Errors
    /// Mistakes in the plan; files that cannot be read; duplicates that the plan does not settle.
    pub fn prepare(
        &self,
        requests: &[Request],
        extent: Extent,
        on_duplicates: OnDuplicates,
    ) -> Result<Job, Error> {
        let requests = &in_form(&self.plan, requests)?;
        let loaded = self.load_directed(requests, extent)?;
        self.prepare_loaded(requests, loaded, extent, on_duplicates)
    }

    /// The same for totals of lines of which it is known which rows their links found, none of them turned: lookups are read
    /// where totals name their attributes, and need no keys. `shapes` has the others, by fact.
    pub(crate) fn prepare_linked(
        &self,
        requests: &[Request],
        shapes: &BTreeMap<&str, &[LookupShape]>,
    ) -> Result<Job, Error> {
        let load = |bound: Bound| {
            let named = bound.lookups_of_totals();
            let shapes = shapes.get(bound.fact.name.as_str()).copied().unwrap_or_default();
            let lookup = |number: usize| {
                let shape = shapes.get(number).filter(|_| !named.contains(&number));
                match shape.and_then(|shape| Lookup::without_rows(&bound.lookups[number], shape)) {
                    Some(bare) => Ok(bare),
                    None => self.load_values(&bound.lookups[number]),
                }
            };
            let lookups = (0..bound.lookups.len()).into_par_iter().map(lookup);
            let lookups = lookups.collect::<Result<_, Error>>()?;
            Ok((bound, lookups))
        };
        let bound = self.bind_turned(requests, &BTreeSet::new())?.into_iter();
        let loaded = bound.map(load).collect::<Result<_, Error>>()?;
        self.prepare_loaded(requests, loaded, Extent::Everything, OnDuplicates::Stop)
    }

    fn prepare_loaded(
        &self,
        requests: &[Request],
        mut loaded: Vec<Loaded>,
        extent: Extent,
        on_duplicates: OnDuplicates,
    ) -> Result<Job, Error> {
        let mut job = Job { engines: Vec::new(), outputs: Vec::new() };
        if let Some(file) = self.corrections_file() {
            // Also those that only other facts reach.
            let all = self.bind_turned(requests, &BTreeSet::new()).unwrap_or_default();
            let bound = loaded.iter().map(|(bound, _)| bound).chain(&all);
            let corrections = file.read(&names_of_links(bound))?;
            loaded.iter_mut().for_each(|(bound, _)| bound.corrections = corrections.clone());
        }
        for (bound, lookups) in loaded {
            for lookup in &lookups {
                self.table(&lookup.name).refuse_doubtful(&lookup.doubts, ToString::to_string)?;
            }
            if on_duplicates == OnDuplicates::Stop {
                let stops = duplicate_stops(&bound, &lookups);
                if !stops.is_empty() {
                    return Err(Error::stopped(stops));
                }
            }
            let samples = self.sample(&bound)?;
            let (engine, outputs) = Engine::prepare(bound, lookups, &samples, extent)?;
            job.engines.push(engine);
            job.outputs.push(outputs);
        }
        Ok(job)
    }

    /// The names by which links may be called.
    pub(crate) fn link_names<'e>(&self, engines: &'e [Engine]) -> Vec<&'e str> {
        names_of_links(engines.iter().map(|engine| &engine.bound))
    }

    /// The facts with their lookups, and links that the data shows to be written backwards turned.
    fn load_directed(&self, requests: &[Request], extent: Extent) -> Result<Vec<Loaded>, Error> {
        let load = |turned: &BTreeSet<usize>| self.load_facts(requests, extent, turned);
        let mut turned = BTreeSet::new();
        let mut loaded = match load(&turned) {
            Ok(loaded) => loaded,
            Err(error) if error.class() == ErrorClass::Plan => {
                // What the plan names may be there once a link is taken the other way round.
                let closes = |link: usize| {
                    let loaded = load(&BTreeSet::from([link])).ok()?;
                    let fits = |(bound, lookups): &Loaded| turns_rightly(link, bound, lookups);
                    loaded.iter().all(fits).then_some((link, loaded))
                };
                let (link, loaded) = (0..self.plan.link.len()).find_map(closes).ok_or(error)?;
                turned.insert(link);
                loaded
            }
            Err(error) => return Err(error),
        };
        while let Some(link) = loaded.iter().find_map(|(bound, lookups)| backwards(bound, lookups))
        {
            // Where the plan does not hold with a link turned, what is wrong is the link as it is.
            match turned.insert(link).then(|| load(&turned)) {
                Some(Ok(again)) => loaded = again,
                _ => break,
            }
        }
        Ok(loaded)
    }

    fn load_facts(
        &self,
        requests: &[Request],
        extent: Extent,
        turned: &BTreeSet<usize>,
    ) -> Result<Vec<Loaded>, Error> {
        let facts = self.bind_turned(requests, turned)?.into_iter();
        let wanted = facts.filter(|b| extent == Extent::Everything || !b.outputs.is_empty());
        wanted.map(|bound| self.load(&bound).map(|lookups| (bound, lookups))).collect()
    }

    /// The facts with what is asked of them, bound; `turned` are links, by number, that are taken the other way round.
    pub(crate) fn bind_turned(
        &self,
        requests: &[Request],
        turned: &BTreeSet<usize>,
    ) -> Result<Vec<Bound>, Error> {
        let mut column_names = ColumnNames::default();
        for table in self.tables() {
            column_names.0.insert(table.name.clone(), table.columns.clone());
        }
        let facts = bind(&self.plan, &column_names, requests, turned)?;
        facts.iter().try_for_each(|bound| self.require_columns(bound))?;
        Ok(facts)
    }

    fn require_columns(&self, bound: &Bound) -> Result<(), Error> {
        let fact = self.table(&bound.fact.name);
        fact.require(bound.fact.read_columns().into_iter())?;
        let days: Vec<usize> = bound.fact.days.keys().copied().collect();
        fact.refuse_open(&bound.fact.column_use, &days)?;
        for lookup in &bound.lookups {
            let needed = lookup.column_use.used().chain(lookup.column_use.keys().iter().copied());
            let table = self.table(&lookup.name);
            table.require(needed)?;
            table.refuse_open(&lookup.column_use, &[])?;
        }
        Ok(())
    }

    /// Loads the lookups, side by side.
    fn load(&self, bound: &Bound) -> Result<Vec<Lookup>, Error> {
        bound.lookups.par_iter().map(|lookup| self.load_lookup(lookup)).collect()
    }

    fn load_values(&self, bound: &BoundLookup) -> Result<Lookup, Error> {
        let columns = lookup_table::read(self.table(&bound.name), Some(&bound.needed_columns()))?;
        Ok(Lookup::without_keys(columns, bound)?)
    }

    fn load_lookup(&self, bound: &BoundLookup) -> Result<Lookup, Error> {
        let (table, needed) = (self.table(&bound.name), bound.needed_columns());
        let lookup = Lookup::settle(lookup_table::read(table, Some(&needed))?, bound)?;
        if lookup.duplicates.is_empty() || needed.len() == bound.columns.len() {
            return Ok(lookup);
        }
        // Whether rows of one key differ is a question to all of their columns.
        Lookup::settle(lookup_table::read(table, None)?, bound).map_err(Error::from)
    }

    /// Texts of the fact's columns, by which their types are found.
    fn sample(&self, bound: &Bound) -> Result<Vec<Vec<Sample>>, Error> {
        let table = self.table(&bound.fact.name);
        let columns = bound.fact.read_columns();
        let wanted = WantedColumns::Some(columns.iter().copied().collect());
        let mut samples: Vec<Vec<Sample>> = vec![Vec::new(); columns.len()];
        let step = table.parts.len().div_ceil(SAMPLED_PARTS);
        for part in table.parts.iter().step_by(step.max(1)) {
            let mut reader = part.open(&wanted.of(part))?;
            let Some(block) = reader.next(SAMPLE)? else { continue };
            let rows = Rows::of(block, table, part)?;
            for (sample, column) in samples.iter_mut().zip(&columns) {
                let texts = rows.values(part, *column);
                sample.push(Sample { texts, style: part.style.of(*column) });
            }
        }
        Ok(samples)
    }
}

/// The same requests; lines that go to a form of typed values are asked for as such.
fn in_form(plan: &Plan, requests: &[Request]) -> Result<Vec<Request>, Error> {
    let mut requests = requests.to_vec();
    for request in &mut requests {
        let format = match &request.to {
            Some(to) => form_of(plan, &request.name, to, request.workbook.as_ref())?,
            None => None,
        };
        let Some(format) = format else { continue };
        match &mut request.content {
            Content::Lines(lines) => lines.as_values = format.takes() == Takes::Values,
            Content::Totals(totals) => totals.compare_known |= format.has_notes(),
            Content::List(_) | Content::Page => {}
        }
    }
    Ok(requests)
}

/// The names by which the links of facts may be called: their own, and their ways.
fn names_of_links<'b>(bound: impl Iterator<Item = &'b Bound>) -> Vec<&'b str> {
    let mut names: Vec<&str> = Vec::new();
    for route in bound.flat_map(|bound| &bound.routes) {
        names.push(&route.name);
        names.extend(route.way.last().map(String::as_str));
    }
    names.sort_unstable();
    names.dedup();
    names
}

/// A link, by number, that leads to rows which share their key, while the key that it is taken from is
/// unique: it is written the other way round.
fn backwards(bound: &Bound, lookups: &[Lookup]) -> Option<usize> {
    let shares = |route: &Route| {
        let to = &bound.lookups[route.lookup];
        let columns = to.key_columns(route.key).iter().map(|column| &to.columns[*column]);
        let open = |d: &Duplicate| d.held.is_none() && d.columns.iter().eq(columns.clone());
        lookups[route.lookup].duplicates.iter().any(open)
    };
    let route = bound
        .routes
        .iter()
        .find(|route| shares(route) && is_unique_at_home(route, bound, lookups) == Some(true))?;
    Some(route.link)
}

/// Whether a link that was turned leads from rows which may share their key to rows which do not.
fn turns_rightly(link: usize, bound: &Bound, lookups: &[Lookup]) -> bool {
    let mut turned = bound.routes.iter().filter(|route| route.link == link);
    duplicate_stops(bound, lookups).is_empty()
        && turned.all(|route| is_unique_at_home(route, bound, lookups) == Some(false))
}

/// Whether the key of a link is unique in the lookup that it starts from.
fn is_unique_at_home(route: &Route, bound: &Bound, lookups: &[Lookup]) -> Option<bool> {
    let (Home::Route(home), [from]) = (route.home, route.candidates.as_slice()) else {
        return None;
    };
    let own: Option<Vec<usize>> =
        from.iter().map(|part| part.route.is_none().then_some(part.column)).collect();
    Some(lookups[bound.routes[home].lookup].is_unique(&own?))
}
