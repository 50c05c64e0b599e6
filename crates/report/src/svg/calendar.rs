//! The calendar of a key as a picture, in SVG: a bar for each period, as long as it holds.

use std::fmt::Write;

use interligo_model::values::date::Day;
use interligo_model::values::decimal::{Decimal, Rounding};
use interligo_project::{DayLines, KeyCalendar, KeyPeriod, Span};

use super::{INK, POOR, WELL, escaped};
use crate::axis::Axis;
use crate::text::counted;
use crate::text::totals::measure_of;

const WIDTH: usize = 1100;
/// Where labels begin, and where the first day is; labels are beside the picture, clear of its grid.
const LABELS: usize = 40;
const LEFT: usize = 330;
const RIGHT: usize = 40;
const TOP: usize = 110;
/// How high the panel with the first value is, such as a price.
const STEPS: usize = 90;
const BAR: usize = 14;
const ROW: usize = 26;
/// How high the columns of lines are, and how wide each is.
const LINES: usize = 70;
const COLUMN: usize = 7;
const QUIET: &str = "#857f76";

/// Where the left side of a day is; that of the next one is its right side.
type Across<'a> = &'a dyn Fn(Day) -> usize;

/// The calendar of a key.
pub fn calendar_svg(calendar: &KeyCalendar) -> String {
    let axis = Axis::of(calendar, WIDTH - LEFT - RIGHT);
    let x = |day: Day| LEFT + axis.position_of(day);
    let steps = Steps::of(calendar, &x);
    let rows = TOP + steps.as_ref().map_or(0, |_| STEPS + 30);
    let ground = rows + (calendar.periods.len() + calendar.undated.len()) * ROW + LINES + 20;
    let height = ground + 50;
    let mut svg = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {WIDTH} {height}\" style=\"width:100%;max-width:{WIDTH}px\" \
         font-family=\"Verdana, DejaVu Sans, sans-serif\" font-size=\"12\">\n\
         <rect width=\"100%\" height=\"100%\" fill=\"#ffffff\"/>\n\
         <text x=\"{LABELS}\" y=\"42\" font-size=\"20\" fill=\"{INK}\">{} in {}</text>\n",
        escaped(&calendar.key),
        escaped(&calendar.link)
    );
    months(&mut svg, &axis, ground, &x);
    if let Some(steps) = &steps {
        steps.draw(&mut svg);
    }
    let mut y = rows;
    for period in &calendar.periods {
        let (start, end) = ends(period.span, &x);
        bar(&mut svg, (start, y), end.saturating_sub(start).max(2), WELL);
        label(&mut svg, y, INK, &period_label(calendar, period));
        y += ROW;
    }
    for finding in &calendar.undated {
        let Some((first, last)) = finding.days else { continue };
        let (start, end) = (x(first), x(Day(last.0.saturating_add(1))).max(x(first) + 3));
        let _ = writeln!(
            svg,
            "<rect x=\"{start}\" y=\"{TOP}\" width=\"{}\" height=\"{}\" fill=\"{POOR}\" fill-opacity=\"0.14\"/>",
            end - start,
            ground - TOP,
        );
        bar(&mut svg, (start, y), end - start, POOR);
        let lines = counted(finding.count, "line");
        label(&mut svg, y, POOR, &format!("{lines} without a valid row"));
        y += ROW;
    }
    lines(&mut svg, calendar, &axis, ground);
    svg + "</svg>\n"
}

/// The left and right side of a period; one that is open goes on to the margin.
fn ends(span: Span, x: Across<'_>) -> (usize, usize) {
    let end = |day: Day| x(Day(day.0.saturating_add(1)));
    (span.from.map_or(LEFT - 10, x), span.until.map_or(WIDTH - RIGHT + 10, end))
}

fn bar(svg: &mut String, (x, y): (usize, usize), width: usize, fill: &str) {
    let _ = writeln!(
        svg,
        "<rect x=\"{x}\" y=\"{y}\" width=\"{width}\" height=\"{BAR}\" rx=\"3\" fill=\"{fill}\"/>"
    );
}

fn label(svg: &mut String, y: usize, fill: &str, text: &str) {
    let text = escaped(text);
    let _ = writeln!(svg, "<text x=\"{LABELS}\" y=\"{}\" fill=\"{fill}\">{text}</text>", y + 12);
}

/// What the row of a period says, and what was sold in it.
fn period_label(calendar: &KeyCalendar, period: &KeyPeriod) -> String {
    let mut text = period.says.first().cloned().unwrap_or_default();
    let values = calendar.measures.iter().zip(&period.values).take(2);
    for ((name, kind), value) in values.filter(|(_, value)| value.is_some()) {
        let _ = write!(text, " · {name} {}", measure_of(*value, *kind));
    }
    text
}

/// The first value of the rows, such as a price, as a line that steps where it changes.
struct Steps<'a> {
    name: &'a str,
    /// Of each period its two sides and its value.
    values: Vec<((usize, usize), Decimal)>,
    least: Decimal,
    most: Decimal,
}

impl Steps<'_> {
    /// None where the rows say nothing in numbers, or the same in all of them.
    fn of<'a>(calendar: &'a KeyCalendar, x: Across<'_>) -> Option<Steps<'a>> {
        let value = |period: &KeyPeriod| Decimal::parse(period.says.first()?.as_bytes());
        let values = calendar.periods.iter().map(|p| Some((ends(p.span, x), value(p)?)));
        let values: Vec<((usize, usize), Decimal)> = values.collect::<Option<_>>()?;
        let (least, most) = (values.iter().map(|v| v.1).min()?, values.iter().map(|v| v.1).max()?);
        let name = calendar.columns.first()?;
        (least < most).then_some(Steps { name, values, least, most })
    }

    /// How far down a value is.
    fn down(&self, value: Decimal) -> usize {
        let part = || {
            let whole = self.most.checked_sub(self.least)?;
            let above = self.most.checked_sub(value)?.checked_mul(Decimal::from(STEPS as i64))?;
            above.checked_div(whole, 2)?.round(0, Rounding::HalfEven)?.whole()
        };
        TOP + part().and_then(|down| usize::try_from(down).ok()).unwrap_or(0).min(STEPS)
    }

    fn draw(&self, svg: &mut String) {
        let mut path = String::new();
        let mut before: Option<(usize, Decimal)> = None;
        for ((start, end), value) in &self.values {
            let y = self.down(*value);
            // A line from the period before, unless there are days between them.
            let joined = before.is_some_and(|(end, _)| end == *start);
            let _ = write!(path, "{}{start} {y} H{end} ", if joined { "L" } else { "M" });
            if before.is_none_or(|(_, other)| other != *value) {
                // Above the line where it rises, below it where it falls.
                let falls = before.is_some_and(|(_, other)| other > *value);
                let _ = writeln!(
                    svg,
                    "<text x=\"{}\" y=\"{}\" fill=\"{INK}\" font-size=\"11\" stroke=\"#ffffff\" stroke-width=\"4\" \
                     paint-order=\"stroke\">{value}</text>",
                    start + 5,
                    if falls { y + 15 } else { y - 6 },
                );
            }
            before = Some((*end, *value));
        }
        let _ = writeln!(
            svg,
            "<path d=\"{path}\" fill=\"none\" stroke=\"{WELL}\" stroke-width=\"2.5\"/>\n\
             <text x=\"{LABELS}\" y=\"{}\" fill=\"{INK}\">{} from {} to {}</text>",
            TOP + STEPS / 2,
            escaped(self.name),
            self.least,
            self.most
        );
    }
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
fn months(svg: &mut String, axis: &Axis, ground: usize, x: Across<'_>) {
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
            TOP - 24,
            ground,
            TOP - 30
        );
    }
}
