//! For the analyst: the counts that close, the links, the findings, the calendars, what changed, the plan.

use interligo_model::values::date::Day;
use interligo_project::{CalendarKey, Comparison, Group, PageResults, Span};
use maud::{Markup, PreEscaped, html};

use super::table::text_table;
use crate::axis::Axis;
use crate::finding_help::{capital, sentence};
use crate::svg::map_svg;
use crate::text::number::grouped;
use crate::text::{
    affected_cells, amounts_table, blanks_table, bridge_table, counted, counts_table, groups_table,
    links_table, moment, outputs_table, rounded_table, tied_links_table,
};
use crate::visible::{seen, without_secrets};

/// How many findings are listed, each with its key.
const FINDINGS: usize = 500;
/// How many kinds of findings stand among what to know.
const FIRST: usize = 5;
/// How many keys of a link have their calendar drawn.
const KEYS: usize = 25;

/// What to know before the figures are used.
pub(super) fn to_know(page: &PageResults<'_>) -> Markup {
    let groups = page.checked.groups();
    let lines: u64 = page.ties.iter().map(|tie| tie.lines_kept()).sum();
    html! {
        p.proved {
            "Every line that was read is in exactly one place, and all counts and amounts close over "
            (counted(lines, "line")) "."
        }
        @if groups.is_empty() {
            p { "Nothing was found in the data." }
        } @else {
            ul.know {
                @for group in groups.iter().take(FIRST) { li { (known(page, group)) } }
            }
            @if groups.len() > FIRST {
                p { a href="#findings" { (counted((groups.len() - FIRST) as u64, "kind")) " more" } }
            }
        }
    }
}

/// A kind of finding with what it costs.
fn known(page: &PageResults<'_>, group: &Group<'_>) -> Markup {
    let first = group.findings[0];
    let (names, amounts) =
        (&page.checked.columns, affected_cells(page.checked, group.affected.as_ref()));
    let amounts = names.iter().zip(amounts).filter(|(_, amount)| !amount.is_empty());
    let mut costs: Vec<String> = Vec::new();
    let named = group.findings.iter().filter(|finding| !finding.subject.is_empty()).count() as u64;
    if named > 1 {
        costs.push(format!("{} of them", grouped(&named.to_string())));
    }
    if let Some(affected) = &group.affected {
        costs.push(counted(affected.lines, "line"));
    }
    costs.extend(amounts.map(|(column, amount)| format!("{} {amount}", column.name)));
    html! {
        (capital(first.code.kind().what)) " in " b { (seen(&page.checked.place_of(first))) }
        @if !costs.is_empty() { ": " (seen(&costs.join(", "))) } "."
        @if let Some(place) = first.places.first() {
            span.quiet { " First: " bdi { (seen(&first.subject)) } " " (seen(place)) }
        }
    }
}

/// The tie-out of all facts.
pub(super) fn tie_out(page: &PageResults<'_>) -> Markup {
    html! {
        (text_table(&counts_table(&page.ties), "Where lines and amounts went", None))
        @for tie in &page.ties {
            @let fact = seen(&tie.fact.table);
            @let captioned = |what: &str| format!("{what}, {fact}");
            details {
                summary { "More of " (fact) }
                @if !tie.amounts.is_empty() { (text_table(&amounts_table(tie), &captioned("Amounts"), None)) }
                @if !tie.links.is_empty() {
                    (text_table(&tied_links_table(tie), &captioned("Lines by how their links came out"), None))
                }
                @if !tie.blanks.is_empty() {
                    (text_table(&blanks_table(tie), &captioned("Figures without a value"), None))
                }
                @if !tie.rounded.is_empty() {
                    (text_table(&rounded_table(tie), &captioned("Rounded on each line"), None))
                }
            }
        }
        @let outputs = outputs_table(&page.ties);
        @if !outputs.is_empty() { (text_table(&outputs, "Written", None)) }
    }
}

/// The tables and links, drawn and in numbers.
pub(super) fn links(page: &PageResults<'_>) -> Markup {
    let Some(map) = page.map else { return html! {} };
    html! {
        div.scroll.map tabindex="0" role="region" aria-label="Tables and links" {
            (PreEscaped(map_svg(map, "")))
        }
        @if !map.links.is_empty() { (text_table(&links_table(map), "Match rates", None)) }
        @for link in &map.links {
            @if let Some(note) = &link.note { p.quiet { (seen(&link.path)) ": " (seen(note)) } }
        }
    }
}

/// All that was found: by kind, and each.
pub(super) fn findings(page: &PageResults<'_>) -> Markup {
    let checked = page.checked;
    let groups = checked.groups();
    let rows = checked.rows();
    let mut kinds: Vec<_> = groups.iter().map(|group| group.findings[0].code).collect();
    kinds.sort_by_key(|code| code.name());
    kinds.dedup();
    let cells = |row: &[interligo_model::values::value::Value<'_>]| {
        row.iter().map(ToString::to_string).collect::<Vec<_>>()
    };
    html! {
        @if groups.is_empty() {
            p { "Nothing was found." }
        } @else {
            (text_table(&groups_table(checked, &groups, groups.len(), None), "Findings by kind, the largest amount first", Some("findings by kind")))
            details {
                summary { "Each finding" }
                @let columns = checked.row_columns();
                @let listed: Vec<Vec<String>> = rows.iter().take(FINDINGS).map(|row| cells(row)).collect();
                (super::table::plain_table(&columns, &listed, "Each finding", Some("the findings")))
                @if rows.len() > FINDINGS {
                    p.quiet { "The first " (FINDINGS) " of " (grouped(&rows.len().to_string())) "; an output with list = \"findings\" has all." }
                }
            }
            details {
                summary { "What the kinds mean" }
                dl { @for code in kinds {
                    dt { (code.name()) }
                    dd { (sentence(code)) }
                } }
            }
        }
    }
}

/// The keys of dated links that have gaps, overlaps or lines without a row.
pub(super) fn calendars(page: &PageResults<'_>) -> Markup {
    html! {
        @for (link, keys) in &page.calendars {
            (calendar(link, keys))
        }
    }
}

fn calendar(link: &str, keys: &[CalendarKey]) -> Markup {
    let shown = &keys[..keys.len().min(KEYS)];
    let axis = Axis::over(shown.iter().flat_map(|key| key.spans.iter().copied()), &[], STRIP);
    let n = |count: u64| if count == 0 { "·".to_owned() } else { grouped(&count.to_string()) };
    html! {
        div.scroll tabindex="0" role="region" aria-label={ "Calendars of " (seen(link)) } {
            table.sorted data-name={ "calendars of " (seen(link)) } {
                caption { "Calendars of " (seen(link)) ", " (axis.from) " to " (axis.until) }
                thead { tr {
                    th scope="col" { "key" }
                    th scope="col" { "periods" }
                    th.n scope="col" { "lines without a row" }
                    th.n scope="col" { "lines with the row of another day" }
                    th.n scope="col" { "gaps" }
                    th.n scope="col" { "overlaps" }
                } }
                tbody { @for key in shown { tr {
                    th scope="row" dir="auto" { (seen(&key.key)) }
                    td { (strip(&axis, key)) }
                    td.n { (n(key.undated)) }
                    td.n { (n(key.carried)) }
                    td.n { (n(key.gaps as u64)) }
                    td.n { (n(key.overlaps as u64)) }
                } } }
            }
        }
        @if keys.len() > KEYS {
            p.quiet { "The worst " (KEYS) " of " (counted(keys.len() as u64, "key")) "; `interligo calendar` shows all." }
        }
    }
}

/// How long a strip of periods is.
const STRIP: usize = 360;

/// The periods of a key as a strip; its gaps are what is not covered.
fn strip(axis: &Axis, key: &CalendarKey) -> Markup {
    let ends = |span: &Span| {
        let next = |day: Day| Day(day.0.saturating_add(1));
        let from = span.from.map_or(0, |day| axis.position_of(day));
        let until = span.until.map_or(STRIP, |day| axis.position_of(next(day)));
        (from, until.saturating_sub(from).max(1))
    };
    let words = |span: &Span| {
        let day = |day: Option<Day>, open: &str| day.map_or(open.to_owned(), |day| day.to_string());
        format!("{} to {}", day(span.from, "always"), day(span.until, "open"))
    };
    let says: Vec<String> = key.spans.iter().map(words).collect();
    html! {
        svg.strip viewBox={ "0 0 " (STRIP) " 14" } role="img" aria-label=(says.join(", ")) {
            title { (says.join(", ")) }
            rect.track width=(STRIP) height="14" {}
            @for span in &key.spans {
                @let (x, width) = ends(span);
                rect.span x=(x) y="1" width=(width) height="12" rx="2" {}
            }
        }
    }
}

/// What changed since the run before.
pub(super) fn changes(compared: &Comparison) -> Markup {
    let [a, b] = &compared.runs;
    let run = |name: &str| match name.parse::<u32>() {
        Ok(number) => format!("run {number}"),
        Err(_) => seen(name).into_owned(),
    };
    html! {
        p { "From " (run(a)) " (" (moment(compared.at[0])) ") to " (run(b)) " (" (moment(compared.at[1])) ")." }
        @for (what, files) in [("new", &compared.files.new), ("gone", &compared.files.gone), ("changed", &compared.files.changed)] {
            @if !files.is_empty() { p.quiet { "Files " (what) ": " (seen(&files.join(", "))) } }
        }
        @for note in &compared.notes { p.quiet { (seen(note)) } }
        @let changed = compared.facts.iter().flat_map(|fact| fact.figures.iter().map(move |figure| (fact, figure)));
        @let changed: Vec<_> = changed.filter(|(_, (_, way))| !way.steps.is_empty()).collect();
        @if changed.is_empty() { p { "No figure changed." } }
        @for (fact, (name, way)) in changed {
            (text_table(&bridge_table(name, way), &format!("{} of {}", seen(name), seen(&fact.fact)), None))
        }
    }
}

/// The plan as it is written, without passwords.
pub(super) fn plan(page: &PageResults<'_>) -> Markup {
    html! {
        details {
            summary { "The plan, by which all of this was computed" }
            pre tabindex="0" { (seen(&without_secrets(&page.plan.source))) }
        }
    }
}
