//! `interligo calendar`.

use interligo_engine::bind::Request;
use interligo_engine::engine::{Engine, Extent};
use interligo_engine::totals::TotalsTable;
use interligo_model::plan::nearest_name;
use interligo_project::{
    Checked, Inspection, Job, OnDuplicates, dated_links, days_request, fill_periods, key_calendar,
    periods_request, totals_csv, worst_keys,
};
use interligo_report::output::Output as _;
use interligo_report::text;

use super::check::checked;
use super::{Opened, Out};
use crate::args::{CalendarFormat, CalendarOptions};
use crate::failure::Failure;

pub(crate) fn calendar(options: &CalendarOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(&options.plan)?;
    let job = opened.prepare(&[], Extent::Everything, OnDuplicates::Report)?;
    let dated: Vec<(usize, usize)> = job
        .engines
        .iter()
        .enumerate()
        .flat_map(|(fact, engine)| dated_links(engine).into_iter().map(move |link| (fact, link)))
        .collect();
    let (chosen, key) = chosen(&job.engines, &dated, &options.named)?;
    if options.format == CalendarFormat::Csv {
        return periods(&opened, &job, chosen[0], key.as_deref(), out);
    }
    match key {
        None => overview(&opened, &job, &chosen, out),
        Some(key) => one(&opened, &job, chosen[0], &key, options, out),
    }
}

/// Links by fact and number, and the key that is asked for.
type Chosen = (Vec<(usize, usize)>, Option<String>);

/// Which links are meant, and which key.
fn chosen(
    engines: &[Engine],
    dated: &[(usize, usize)],
    named: &[String],
) -> Result<Chosen, Failure> {
    if dated.is_empty() {
        return Err(Failure::NoCalendar);
    }
    let is_called = |(fact, link): &&(usize, usize), name: &String| {
        engines[*fact].bound.routes[*link].is_called(name)
    };
    let Some(first) = named.first() else { return Ok((dated.to_vec(), None)) };
    let links: Vec<_> = dated.iter().filter(|link| is_called(link, first)).copied().collect();
    if !links.is_empty() {
        return Ok((links, named.get(1).cloned()));
    }
    // Without a link, the first that has the key is meant.
    let has = |(fact, link): &&(usize, usize)| engines[*fact].key_meant(*link, first).is_some();
    match dated.iter().find(has) {
        Some(link) if named.len() == 1 => Ok((vec![*link], Some(first.clone()))),
        _ => {
            let names =
                |(fact, link): &(usize, usize)| engines[*fact].bound.routes[*link].name.clone();
            let known: Vec<String> = dated.iter().map(names).collect();
            let keys = dated.iter().flat_map(|(fact, link)| engines[*fact].lookup_keys(*link));
            let all: Vec<String> = known.iter().cloned().chain(keys).collect();
            let all: Vec<&str> = all.iter().map(String::as_str).collect();
            let near = nearest_name(first, &all).map(str::to_owned);
            Err(Failure::NoCalendarOf { name: first.clone(), known, near })
        }
    }
}

fn overview(
    opened: &Opened,
    job: &Job,
    links: &[(usize, usize)],
    out: Out<'_>,
) -> Result<(), Failure> {
    let ran = checked(opened, job, Inspection::default())?;
    for (number, (fact, link)) in links.iter().enumerate() {
        if number > 0 {
            writeln!(out)?;
        }
        let engine = &job.engines[*fact];
        let keys = worst_keys(engine, *link, &ran.checked);
        let counts = ran.outcomes[*fact].findings.links.get(*link).copied().unwrap_or_default();
        let counts = engine.settled(*link, &counts);
        text::calendars(
            out,
            &engine.bound.routes[*link].name,
            &keys,
            &counts,
            crate::printed::width(),
        )?;
    }
    out.flush()?;
    Ok(())
}

fn one(
    opened: &Opened,
    job: &Job,
    (fact, link): (usize, usize),
    key: &str,
    options: &CalendarOptions,
    out: Out<'_>,
) -> Result<(), Failure> {
    let engine = &job.engines[fact];
    if engine.key_meant(link, key).is_none() {
        let keys: Vec<String> = engine.lookup_keys(link).collect();
        let keys: Vec<&str> = keys.iter().map(String::as_str).collect();
        return Err(Failure::NoKey {
            link: engine.bound.routes[link].name.clone(),
            key: key.to_owned(),
            near: nearest_name(key, &keys).map(str::to_owned),
        });
    }
    let requests = [periods_request(engine, link), days_request(engine, link, key)];
    let (job, [sold, days], checked) = summed(opened, fact, requests)?;
    let calendar = key_calendar(&job.engines[fact], link, key, (&sold, &days), &checked)
        .expect("the key was found before");
    match &options.svg {
        None => text::calendar(out, &calendar, crate::printed::width())?,
        Some(path) => {
            opened.write_picture(
                "--svg",
                path,
                interligo_report::svg::calendar_svg(&calendar).as_bytes(),
            )?;
            writeln!(out, "The calendar is written: {}", path.display())?;
        }
    }
    out.flush()?;
    Ok(())
}

/// Some totals of a fact, with all that was found.
fn summed<const N: usize>(
    opened: &Opened,
    fact: usize,
    requests: [Request; N],
) -> Result<(Job, [TotalsTable; N], Checked), Failure> {
    let job = opened.prepare(&requests, Extent::Everything, OnDuplicates::Report)?;
    let mut ran = checked(opened, &job, Inspection::default())?;
    let totals = &mut ran.outcomes[fact].totals;
    let tables = requests.map(|request| {
        let at = totals.iter().position(|(name, _)| *name == request.name);
        totals.swap_remove(at.expect("what is asked for is totals")).1
    });
    Ok((job, tables, ran.checked))
}

/// All periods of a link, or those of one key, as comma-separated text.
fn periods(
    opened: &Opened,
    job: &Job,
    (fact, link): (usize, usize),
    key: Option<&str>,
    out: Out<'_>,
) -> Result<(), Failure> {
    let requests = [periods_request(&job.engines[fact], link)];
    let (job, [mut sold], _) = summed(opened, fact, requests)?;
    fill_periods(&job.engines[fact], link, key, &mut sold);
    totals_csv(&sold).try_for_each(|piece| out.data(&piece))?;
    out.flush()?;
    Ok(())
}
