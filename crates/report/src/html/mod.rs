//! One page with the results of a plan: for whoever wants the figures first, then for the analyst.
//!
//! It is one file that loads nothing: style and script are in it, and a policy forbids every request. All of it can be read
//! without the script, which sorts, filters and picks periods. What comes from data is text wherever it stands: markup is
//! made by `maud`, which escapes it, and the script makes texts of what it is given.

mod bars;
mod cell;
mod data;
mod figures;
mod heat;
mod proof;
mod scale;
mod table;
mod time_chart;
mod totals;

use interligo_project::{MADE_BY, PageResults};
use maud::{DOCTYPE, Markup, PreEscaped, html};

use crate::text::moment;
use crate::visible::seen;

const STYLE: &str = include_str!("style.css");
const SCRIPT: &str = include_str!("script.js");

/// What a page may do: show what is in it.
const POLICY: &str =
    "default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'; img-src data:";

/// A part of the page that the navigation leads to.
struct Section {
    id: String,
    title: String,
    body: Markup,
}

impl Section {
    fn new(id: &str, title: &str, body: Markup) -> Section {
        Section { id: id.to_owned(), title: title.to_owned(), body }
    }
}

/// The page as the bytes of its file.
pub fn page(results: &PageResults<'_>) -> Vec<u8> {
    let sections = sections(results);
    let title = seen(&results.title);
    let currency = results.plan.plan.currency.as_deref();
    let markup = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                meta name="generator" content=(MADE_BY);
                meta name="color-scheme" content="light dark";
                meta http-equiv="Content-Security-Policy" content=(POLICY);
                title { (title) }
                // A picture of nothing, so that no browser asks for one.
                link rel="icon" href="data:,";
                style { (PreEscaped(STYLE)) }
                // Where scripts run, rows that the script will not show at first are not laid out before it does.
                script { "document.documentElement.className = 'loading';" }
            }
            body {
                a.skip href="#main" { "To the figures" }
                header {
                    h1 dir="auto" { (title) }
                    p.quiet {
                        @for fact in &results.facts {
                            (seen(fact.fact)) " from " (fact.days.0) " to " (fact.days.1) " · "
                        }
                        @if let Some(currency) = currency { "money in " (seen(currency)) " · " }
                        "made " (moment(results.at))
                    }
                }
                nav aria-label="Sections" {
                    ul { @for section in &sections { li { a href={ "#" (section.id) } { (seen(&section.title)) } } } }
                    div #controls {}
                }
                main #main {
                    @for section in &sections {
                        section id=(section.id) aria-labelledby={ (section.id) "-title" } {
                            h2 id={ (section.id) "-title" } { (seen(&section.title)) }
                            (section.body)
                        }
                    }
                }
                script #data type="application/json" { (PreEscaped(data::page_data(results))) }
                script { (PreEscaped(SCRIPT)) }
            }
        }
    };
    markup.into_string().into_bytes()
}

fn sections(results: &PageResults<'_>) -> Vec<Section> {
    let mut sections = Vec::new();
    for (number, fact) in results.facts.iter().enumerate() {
        let title = match results.facts.len() {
            1 => "Figures".to_owned(),
            _ => format!("Figures of {}", fact.fact),
        };
        let body = html! {
            (figures::key_figures(fact, number))
            (figures::through_time(fact))
        };
        sections.push(Section::new(&format!("figures-{number}"), &title, body));
    }
    sections.push(Section::new("know", "What to know", proof::to_know(results)));
    let aside: u64 = results.ties.iter().map(|tie| tie.lines_aside()).sum();
    for (number, totals) in results.totals.iter().enumerate() {
        let body = totals::totals_section(results, totals, number, aside);
        sections.push(Section::new(&format!("totals-{number}"), totals.name, body));
    }
    sections.push(Section::new("proof", "Proof", proof::tie_out(results)));
    if results.map.is_some_and(|map| !map.tables.is_empty()) {
        sections.push(Section::new("links", "Tables and links", proof::links(results)));
    }
    sections.push(Section::new("findings", "Findings", proof::findings(results)));
    if !results.calendars.is_empty() {
        sections.push(Section::new("calendars", "Calendars with gaps", proof::calendars(results)));
    }
    if let Some(compared) = results.bridge {
        sections.push(Section::new("changes", "What changed", proof::changes(compared)));
    }
    sections.push(Section::new("plan", "Plan", proof::plan(results)));
    sections
}
