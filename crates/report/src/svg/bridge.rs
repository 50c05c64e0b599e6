//! The bridges between two runs as a picture, in SVG: for each figure a row for each cause, whose bar leads from what the figure
//! came to before it to what it comes to after it.

use std::fmt::Write;

use interligo_model::values::decimal::{Decimal, Rounding};
use interligo_project::{Comparison, FigureWay};

use super::{INK, POOR, WELL, escaped};
use crate::text::{cause_words, difference_shown, figure_shown};

const WIDTH: usize = 1100;
/// Where the words begin, where the bars are, and where the amounts end.
const WORDS: usize = 40;
const LEFT: usize = 430;
const RIGHT: usize = 900;
const AMOUNTS: usize = 1060;
const TOP: usize = 84;
const ROW: usize = 26;
const BAR: usize = 14;
/// Between two figures.
const BETWEEN: usize = 34;
const QUIET: &str = "#857f76";

/// Two runs, compared: the figures that changed, one below the other.
pub fn bridge_svg(compared: &Comparison) -> String {
    let mut rows = String::new();
    let mut y = TOP;
    for fact in &compared.facts {
        for (name, way) in fact.figures.iter().filter(|(_, way)| !way.steps.is_empty()) {
            y = figure(&mut rows, y, &format!("{} · {name}", fact.fact), way) + BETWEEN;
        }
    }
    if y == TOP {
        words(&mut rows, y, INK, "no figure changed");
        y += ROW;
    }
    let [a, b] = &compared.runs;
    format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {WIDTH} {y}\" style=\"width:100%;max-width:{WIDTH}px\" \
         font-family=\"Verdana, DejaVu Sans, sans-serif\" font-size=\"12\">\n\
         <rect width=\"100%\" height=\"100%\" fill=\"#ffffff\"/>\n\
         <text x=\"{WORDS}\" y=\"42\" font-size=\"20\" fill=\"{INK}\">From run {} to run {}</text>\n\
         <text x=\"{WORDS}\" y=\"62\" font-size=\"11\" fill=\"{QUIET}\">Each figure is drawn from the least to the largest \
         that it is on the way, not from zero.</text>\n{rows}</svg>\n",
        escaped(a),
        escaped(b)
    )
}

/// A figure; the answer is where it ends.
fn figure(svg: &mut String, mut y: usize, name: &str, way: &FigureWay) -> usize {
    let zero = Decimal::ZERO;
    let mut at = way.from.unwrap_or(zero);
    let mut ends = vec![at];
    for step in &way.steps {
        at = at.checked_add(step.difference.unwrap_or(zero)).unwrap_or(at);
        ends.push(at);
    }
    let scale = Scale::of(&ends);
    let _ = writeln!(
        svg,
        "<text x=\"{WORDS}\" y=\"{}\" font-size=\"14\" fill=\"{INK}\">{}</text>",
        y + 12,
        escaped(name)
    );
    y += ROW;
    let end = |svg: &mut String, y: usize, run: &str, value: Option<Decimal>| {
        words(svg, y, INK, run);
        let x = scale.position(value.unwrap_or(zero));
        let _ = writeln!(
            svg,
            "<rect x=\"{}\" y=\"{y}\" width=\"4\" height=\"{BAR}\" fill=\"{INK}\"/>",
            x.saturating_sub(2)
        );
        amount(svg, y, INK, &figure_shown(value, way));
    };
    end(svg, y, "first run", way.from);
    for (step, pair) in way.steps.iter().zip(ends.windows(2)) {
        let (before, after) = (scale.position(pair[0]), scale.position(pair[1]));
        // What comes after begins where this ends.
        let _ = writeln!(
            svg,
            "<path d=\"M{before} {} V{}\" stroke=\"{QUIET}\" stroke-width=\"1\"/>",
            y + BAR,
            y + ROW
        );
        y += ROW;
        let fill = if pair[1] < pair[0] { POOR } else { WELL };
        words(svg, y, INK, &cause_words(&step.cause));
        let _ = writeln!(
            svg,
            "<rect x=\"{}\" y=\"{y}\" width=\"{}\" height=\"{BAR}\" fill=\"{fill}\"/>",
            before.min(after),
            before.abs_diff(after).max(2)
        );
        amount(svg, y, fill, &difference_shown(step.difference, way));
    }
    y += ROW;
    end(svg, y, "second run", way.to);
    y + ROW
}

fn words(svg: &mut String, y: usize, fill: &str, text: &str) {
    let text = escaped(text);
    let _ = writeln!(svg, "<text x=\"{WORDS}\" y=\"{}\" fill=\"{fill}\">{text}</text>", y + 12);
}

fn amount(svg: &mut String, y: usize, fill: &str, text: &str) {
    let _ = writeln!(
        svg,
        "<text x=\"{AMOUNTS}\" y=\"{}\" fill=\"{fill}\" text-anchor=\"end\">{}</text>",
        y + 12,
        escaped(text)
    );
}

/// Where amounts are. The differences are small beside the figure, so what is drawn goes from the least to the largest.
struct Scale {
    least: Decimal,
    most: Decimal,
}

impl Scale {
    fn of(ends: &[Decimal]) -> Scale {
        let least = ends.iter().copied().min().unwrap_or(Decimal::ZERO);
        let most = ends.iter().copied().max().unwrap_or(Decimal::ZERO);
        Scale { least, most }
    }

    fn position(&self, value: Decimal) -> usize {
        let part = || {
            let whole = self.most.checked_sub(self.least)?;
            let wide = Decimal::from((RIGHT - LEFT) as i64);
            let own = value.checked_sub(self.least)?.checked_mul(wide)?;
            own.checked_div(whole, 2)?.round(0, Rounding::HalfEven)?.whole()
        };
        let right = part().and_then(|right| usize::try_from(right).ok()).unwrap_or(0);
        LEFT + right.min(RIGHT - LEFT)
    }
}
