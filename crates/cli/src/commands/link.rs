//! `interligo link`.

use std::path::{Path, PathBuf};

use interligo_model::plan::{Ignore, Plan};
use interligo_project::{LinkMap, NewLink, Project, find_links, with_link, write_whole};
use interligo_report::{json, text};

use super::{Opened, Out, folder_of, parallelism, plan_path};
use crate::args::{Difference, Format, LinkCommand, LinkOptions, PlanOptions};
use crate::failure::Failure;
use crate::progress::Progress;

pub(crate) fn link(options: &LinkOptions, out: Out<'_>) -> Result<(), Failure> {
    match &options.what {
        None => list(options, out),
        Some(LinkCommand::Map { plan, svg }) => map(plan, svg.as_deref(), out),
        Some(LinkCommand::Find { plan }) => find(plan, out),
        Some(LinkCommand::Add { path, plan, name, ignore, dry_run, anyway }) => {
            let new = NewLink {
                path: path.trim().to_owned(),
                name: name.clone(),
                ignore: ignore.iter().map(|difference| ignored(*difference)).collect(),
                ..NewLink::default()
            };
            add(plan, &new, *dry_run, *anyway, out)
        }
    }
}

fn ignored(difference: Difference) -> Ignore {
    match difference {
        Difference::Case => Ignore::Case,
        Difference::Width => Ignore::Width,
        Difference::Punctuation => Ignore::Punctuation,
        Difference::LeadingZeros => Ignore::LeadingZeros,
    }
}

fn list(options: &LinkOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(&options.plan)?;
    let map = fared(&opened)?;
    match options.format {
        Format::Table => text::links(out, &map)?,
        Format::Csv => text::links_csv(out, &map)?,
        Format::Json => json::links_json(out, &map)?,
    }
    out.flush()?;
    Ok(())
}

/// How the links of a project fare.
fn fared(opened: &Opened) -> Result<LinkMap, Failure> {
    let progress = Progress::new(opened.project.bytes_of_facts());
    let map =
        opened.project.link_map(opened.parallelism, &|bytes, lines| progress.advance(bytes, lines));
    progress.finish();
    map.map_err(|error| opened.failure(error))
}

fn map(plan: &PlanOptions, svg: Option<&Path>, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(plan)?;
    let map = fared(&opened)?;
    match svg {
        None => text::map_text(out, &map, crate::printed::width())?,
        Some(path) => {
            let title = opened.project.plan.plan.name.as_deref().unwrap_or("Links");
            opened.write_picture(
                "--svg",
                path,
                interligo_report::svg::map_svg(&map, title).as_bytes(),
            )?;
            writeln!(out, "The map is written: {}", path.display())?;
        }
    }
    out.flush()?;
    Ok(())
}

fn find(plan: &PlanOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(plan)?;
    let (links, doubts) = find_links(&opened.project).map_err(|error| opened.failure(error))?;
    text::found_links(out, &links, &doubts)?;
    out.flush()?;
    Ok(())
}

fn add(
    plan: &PlanOptions,
    new: &NewLink,
    dry_run: bool,
    anyway: bool,
    out: Out<'_>,
) -> Result<(), Failure> {
    let at = plan_path(plan)?;
    let old = super::parsed(&at, &plan.set)?;
    let text = with_link(&old, new).map_err(|mistake| Failure::Work {
        error: mistake.into(),
        plan: at.clone(),
        text: old.source.clone(),
    })?;
    // Its lines are not all in the file.
    let extended = PathBuf::from(format!("{} with the new link", at.display()));
    let failed = |error| Failure::Work { error, plan: extended.clone(), text: text.clone() };
    let mut parsed = Plan::parse_given(&text, &plan.set).map_err(|m| failed(m.into()))?;
    parsed.stem.clone_from(&old.stem);
    let project = Project::open(parsed, folder_of(&at)).map_err(failed)?;
    let opened = Opened { project, plan: extended, parallelism: parallelism(plan) };
    let map = fared(&opened)?;
    let Some(link) = map.links.last() else { return Err(Failure::Found) };
    text::added(out, &map, link)?;
    let found = link.found().0 > 0;
    if dry_run || !(found || anyway) {
        writeln!(out, "\n  The plan is as it was.")?;
        out.flush()?;
        return if found || dry_run {
            Ok(())
        } else {
            Err(Failure::NothingFound(new.path.clone()))
        };
    }
    write_whole(&at, text.as_bytes()).map_err(|error| opened.failure(error))?;
    writeln!(out, "\n  The link is in the plan: {}", at.display())?;
    out.flush()?;
    Ok(())
}
