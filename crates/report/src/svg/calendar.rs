//! The calendar of a key as a picture, in SVG: a bar for each period, as long as it holds.

use std::fmt::Write;

use interligo_model::values::date::Day;
use interligo_project::{DayLines, KeyCalendar};

use super::{INK, POOR, WELL, escaped};
use crate::axis::Axis;
use crate::text::counted;
use crate::text::totals::measure_of;

const WIDTH: usize = 1100;
const LEFT: usize = 60;
const TOP: usize = 110;
const BAR: usize = 30;
const ROW: usize = 46;
/// How high the columns of lines are, and how wide each is.
const LINES: usize = 70;
const COLUMN: usize = 7;
const QUIET: &str = "#857f76";

/// The calendar of a key.
pub fn calendar_svg(calendar: &KeyCalendar) -> String {
    let axis = Axis::of(calendar, WIDTH - 2 * LEFT);
    // The left side of a day; that of the next one is its right side.
    let x = |day: Day| LEFT + axis.sign_of(day);
    let rows = calendar.periods.len() + calendar.undated.len();
    let height = TOP + rows * ROW + LINES + 80;
    let mut svg = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {WIDTH} {height}\" style=\"width:100%;max-width:{WIDTH}px\" \
         font-family=\"Verdana, DejaVu Sans, sans-serif\" font-size=\"12\">\n\
         <rect width=\"100%\" height=\"100%\" fill=\"#ffffff\"/>\n\
         <text x=\"{LEFT}\" y=\"42\" font-size=\"20\" fill=\"{INK}\">{} in {}</text>\n",
        escaped(&calendar.key),
        escaped(&calendar.link)
    );
    months(&mut svg, &axis, height, &x);
    let text = |svg: &mut String, at: usize, y: usize, fill: &str, anchor: &str, text: &str| {
        let text = escaped(text);
        let _ = writeln!(
            svg,
            "<text x=\"{at}\" y=\"{y}\" fill=\"{fill}\" text-anchor=\"{anchor}\">{text}</text>"
        );
    };
    let mut y = TOP;
    for period in &calendar.periods {
        let (start, end) = (
            period.span.from.map_or(LEFT - 20, &x),
            period.span.until.map_or(WIDTH - LEFT + 20, |day| x(Day(day.0.saturating_add(1)))),
        );
        let width = end.saturating_sub(start).max(2);
        let _ = writeln!(
            svg,
            "<rect x=\"{start}\" y=\"{y}\" width=\"{width}\" height=\"{BAR}\" rx=\"4\" fill=\"{WELL}\"/>"
        );
        let mut said = period.says.first().cloned().unwrap_or_default();
        let values = calendar.measures.iter().zip(&period.values).take(2);
        for ((name, kind), value) in values.filter(|(_, value)| value.is_some()) {
            said += &format!(" · {name} {}", measure_of(*value, *kind));
        }
        // Beside the bar where it is too long to are in it.
        let room = said.chars().count() * 8 + 16;
        match (width > room, start > WIDTH / 2) {
            (true, _) => text(&mut svg, start + 8, y + 20, "#ffffff", "start", &said),
            (false, true) => text(&mut svg, start - 8, y + 20, INK, "end", &said),
            (false, false) => text(&mut svg, end + 8, y + 20, INK, "start", &said),
        }
        y += ROW;
    }
    for finding in &calendar.undated {
        let Some((first, last)) = finding.days else { continue };
        let (start, end) = (x(first), x(Day(last.0.saturating_add(1))).max(x(first) + 3));
        let _ = writeln!(
            svg,
            "<rect x=\"{start}\" y=\"{TOP}\" width=\"{}\" height=\"{}\" fill=\"{POOR}\" fill-opacity=\"0.14\"/>\n\
             <rect x=\"{start}\" y=\"{y}\" width=\"{}\" height=\"{BAR}\" rx=\"4\" fill=\"{POOR}\"/>",
            end - start,
            y + BAR - TOP,
            end - start
        );
        let said =
            format!("{} without a valid row, {}", counted(finding.count, "line"), finding.note);
        let (at, anchor) = if start > WIDTH / 2 { (start - 8, "end") } else { (end + 8, "start") };
        text(&mut svg, at, y + 20, POOR, anchor, &said);
        y += ROW;
    }
    lines(&mut svg, calendar, &axis, y + LINES);
    svg + "</svg>\n"
}

/// Where the lines lie: columns upon a ground, for as many days each as are drawn in some points.
fn lines(svg: &mut String, calendar: &KeyCalendar, axis: &Axis, ground: usize) {
    let points = axis.lines(&calendar.days);
    let columns = points.chunks(COLUMN).map(|points| {
        let sum = |of: fn(&DayLines) -> u64| points.iter().map(of).sum::<u64>();
        (sum(DayLines::all), sum(|lines| lines.without))
    });
    let columns: Vec<(u64, u64)> = columns.collect();
    let most = columns.iter().map(|(all, _)| *all).max().unwrap_or(0).max(1);
    let high = |lines: u64| (lines * LINES as u64).div_ceil(most) as usize;
    for (number, (all, without)) in columns.iter().enumerate() {
        let at = LEFT + number * COLUMN;
        for (lines, fill) in [(*all, WELL), (*without, POOR)] {
            if lines > 0 {
                let _ = writeln!(
                    svg,
                    "<rect x=\"{at}\" y=\"{}\" width=\"{}\" height=\"{}\" fill=\"{fill}\"/>",
                    ground - high(lines),
                    COLUMN - 1,
                    high(lines)
                );
            }
        }
    }
    let all = counted(columns.iter().map(|(all, _)| all).sum(), "line");
    let most = counted(most, "line");
    let days = counted(axis.days_of(COLUMN), "day");
    let _ = writeln!(
        svg,
        "<text x=\"{LEFT}\" y=\"{}\" fill=\"{QUIET}\" font-size=\"11\">{all}; each bar is {days}, \
         the highest for {most}</text>",
        ground + 18
    );
}

/// A line for each year, quarter or month, so that there are not too many.
fn months(svg: &mut String, axis: &Axis, height: usize, x: &dyn Fn(Day) -> usize) {
    let (from, until) = (axis.from, axis.until);
    let ((first, ..), (last, ..)) = (from.civil(), until.civil());
    let step = match last - first {
        0 => 1,
        1..=3 => 3,
        years => 12 * (1 + years as u32 / 20),
    };
    let starts = (0..)
        .step_by(step as usize)
        .map(|month: u32| (first + (month / 12) as i32, month % 12 + 1));
    let starts = starts.take_while(|(year, _)| *year <= last);
    for (year, month) in starts {
        let Some(day) = Day::from_civil(year, month, 1).filter(|day| from <= *day && *day <= until)
        else {
            continue;
        };
        let at = x(day);
        let _ = writeln!(
            svg,
            "<line x1=\"{at}\" y1=\"{}\" x2=\"{at}\" y2=\"{}\" stroke=\"#e4dfd6\"/>\n\
             <text x=\"{at}\" y=\"{}\" fill=\"{QUIET}\" font-size=\"11\">{year:04}-{month:02}</text>",
            TOP - 14,
            height - 80,
            TOP - 22
        );
    }
}
