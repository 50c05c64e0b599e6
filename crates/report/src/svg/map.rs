//! The map as a picture, in SVG: facts on the left, each lookup to the right of all that lead to it.

use std::fmt::Write;

use interligo_project::{LinkHealth, LinkMap};

use super::{INK, POOR, WELL, escaped};
use crate::text::number::grouped;
use crate::text::number::share;

const BOX_WIDTH: usize = 160;
/// From the left side of one column of boxes to that of the next.
const COLUMN: usize = 370;
/// From one link's end at a box to the next.
const PORT: usize = 44;
const HEAD: usize = 54;
const GAP: usize = 34;
/// From a link that passes a box to the box, or to another link.
const LANE: usize = 10;
const MARGIN: usize = 40;
const TOP: usize = 90;

const FACT: &str = "#5b3f73";
const LOOKUP: &str = "#fbf8f1";
const FAIR: &str = "#b07d12";

/// Where a box is drawn.
#[derive(Clone, Copy, Debug, Default)]
struct Place {
    x: usize,
    y: usize,
    height: usize,
}

/// The map as a picture; `title` is above it.
pub fn map_svg(map: &LinkMap, title: &str) -> String {
    let (places, width, height) = places(map);
    let mut svg = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {width} {height}\" style=\"width:100%;max-width:{width}px\" \
         font-family=\"Verdana, DejaVu Sans, sans-serif\" font-size=\"13\">\n\
         <rect width=\"100%\" height=\"100%\" fill=\"#ffffff\"/>\n\
         <text x=\"{MARGIN}\" y=\"46\" font-size=\"20\" fill=\"{INK}\">{}</text>\n",
        escaped(title)
    );
    let mut lanes = Lanes::default();
    for (number, link) in map.links.iter().enumerate() {
        // Ends at a box are in the order of the boxes that they come from and go to, so that few lines cross.
        let rank = |end: &dyn Fn(&LinkHealth) -> usize, other: &dyn Fn(&LinkHealth) -> usize| {
            let key = |(at, link): (usize, &LinkHealth)| (places[other(link)].y, at);
            let links = map.links.iter().enumerate().filter(|(_, l)| end(l) == end(link));
            links.filter(|(at, l)| key((*at, l)) < key((number, link))).count()
        };
        let start = rank(&|l| l.from, &|l| l.to);
        let end = rank(&|l| l.to, &|l| l.from);
        draw_link(&mut svg, link, &places, (start, end), &mut lanes);
    }
    for (table, place) in map.tables.iter().zip(&places) {
        let (fill, ink) = if table.is_fact { (FACT, "#ffffff") } else { (LOOKUP, INK) };
        let noun = if table.is_fact { "lines" } else { "rows" };
        let _ = write!(
            svg,
            "<rect x=\"{}\" y=\"{}\" width=\"{BOX_WIDTH}\" height=\"{}\" rx=\"5\" fill=\"{fill}\" stroke=\"{INK}\"/>\n\
             <text x=\"{}\" y=\"{}\" font-weight=\"bold\" fill=\"{ink}\">{}</text>\n\
             <text x=\"{}\" y=\"{}\" font-size=\"11\" fill=\"{ink}\">{} {noun}</text>\n",
            place.x,
            place.y,
            place.height,
            place.x + 12,
            place.y + 22,
            escaped(&cut(&table.name, 17)),
            place.x + 12,
            place.y + 40,
            grouped(&table.rows.to_string()),
        );
    }
    svg + "</svg>\n"
}

/// Where the boxes stand, and how large the picture is.
fn places(map: &LinkMap) -> (Vec<Place>, usize, usize) {
    let mut depth = vec![0usize; map.tables.len()];
    // A link leads at least one column further; links go in no circle.
    for _ in 0..map.tables.len() {
        for link in &map.links {
            depth[link.to] = depth[link.to].max(depth[link.from] + 1);
        }
    }
    let columns = depth.iter().max().map_or(1, |deepest| deepest + 1);
    let mut next = vec![TOP; columns];
    let mut places = vec![Place::default(); map.tables.len()];
    let mut order: Vec<usize> = (0..map.tables.len()).collect();
    // Boxes are in the order of what leads to them, so that few lines cross.
    order.sort_by_key(|table| depth[*table]);
    for table in order {
        let incoming = map.links.iter().filter(|link| link.to == table);
        let declared = incoming.clone().map(|link| places[link.from].y).min().unwrap_or(TOP);
        let (incoming, outgoing) =
            (incoming.count(), map.links.iter().filter(|link| link.from == table).count());
        let height = HEAD.max((incoming.max(outgoing)) * PORT);
        let at = &mut next[depth[table]];
        let y = (*at).max(declared);
        places[table] = Place { x: MARGIN + depth[table] * COLUMN, y, height };
        *at = y + height + GAP;
    }
    let bottom = places.iter().map(|place| place.y + place.height).max().unwrap_or(TOP);
    (places, 2 * MARGIN + (columns - 1) * COLUMN + BOX_WIDTH, bottom + MARGIN)
}

/// Where links pass boxes that are between their ends.
#[derive(Default)]
struct Lanes {
    taken: Vec<usize>,
}

impl Lanes {
    /// The height nearest to `wanted` at which no box lies between two columns, and no other link passes.
    fn between(&mut self, places: &[Place], (left, right): (usize, usize), wanted: usize) -> usize {
        let boxes: Vec<&Place> = places.iter().filter(|p| left < p.x && p.x < right).collect();
        let free = |y: &usize| {
            boxes.iter().all(|place| *y + LANE <= place.y || place.y + place.height + LANE <= *y)
                && self.taken.iter().all(|taken| taken.abs_diff(*y) >= LANE)
        };
        let lowest = boxes.iter().map(|place| place.y + place.height).max().unwrap_or(wanted);
        let last = lowest + LANE * (self.taken.len() + 2);
        let heights = (TOP..=last.max(wanted)).filter(free);
        let lane = heights.min_by_key(|y| y.abs_diff(wanted)).unwrap_or(last);
        self.taken.push(lane);
        lane
    }
}

/// The way from one end of a link to the other, straight at the height of the lane past the boxes between them.
fn way_past((from, start): (usize, usize), (to, end): (usize, usize), lane: usize) -> String {
    let (enter, leave) = (from + COLUMN / 4, to + BOX_WIDTH - COLUMN);
    let (first, second) = ((from + enter) / 2, (leave + to) / 2);
    format!(
        "M{from} {start} C{first} {start} {first} {lane} {enter} {lane} L{leave} {lane} \
         C{second} {lane} {second} {end} {to} {end}"
    )
}

fn draw_link(
    svg: &mut String,
    link: &LinkHealth,
    places: &[Place],
    ports: (usize, usize),
    lanes: &mut Lanes,
) {
    let (from, to) = (places[link.from], places[link.to]);
    let start = (from.x + BOX_WIDTH, from.y + 23 + ports.0 * PORT);
    let end = (to.x, to.y + 27 + ports.1 * PORT);
    let (found, all) = link.found();
    let colour = match (found * 100).checked_div(all).unwrap_or(100) {
        99.. => WELL,
        90.. => FAIR,
        _ => POOR,
    };
    // The last stretch is straight; the label is on it.
    let straight = end.0 - 184.min(end.0 - start.0 - 10);
    let bend = (start.0 + straight) / 2;
    let way = if to.x - from.x > COLUMN {
        let lane = lanes.between(places, (from.x, to.x), end.1);
        way_past(start, (straight, end.1), lane)
    } else {
        format!(
            "M{} {} C{bend} {} {bend} {} {straight} {}",
            start.0, start.1, start.1, end.1, end.1
        )
    };
    let date = link.as_of.as_ref().map_or(String::new(), |date| format!(", on {date}"));
    let _ = write!(
        svg,
        "<path d=\"{way} L{} {}\" fill=\"none\" stroke=\"{colour}\" stroke-width=\"2\"/>\n\
         <path d=\"M{} {} l-9 -5 v10 z\" fill=\"{colour}\"/>\n\
         <text x=\"{}\" y=\"{}\" font-size=\"11\" text-anchor=\"end\" fill=\"{INK}\">{}</text>\n\
         <text x=\"{}\" y=\"{}\" font-size=\"11\" text-anchor=\"end\" fill=\"{colour}\">{}</text>\n",
        end.0 - 8,
        end.1,
        end.0,
        end.1,
        end.0 - 12,
        end.1 - 6,
        escaped(&cut(&link.columns, 27)),
        end.0 - 12,
        end.1 + 14,
        escaped(&cut(&format!("{}{date}", share(found, all)), 27)),
    );
}

fn cut(text: &str, most: usize) -> String {
    match text.char_indices().nth(most) {
        None => text.to_owned(),
        Some((at, _)) => format!("{}…", &text[..at]),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn links_pass_boxes_and_each_other_at_a_distance(
            heights in proptest::collection::vec(HEAD..200_usize, 0..12),
            wanted in proptest::collection::vec(TOP..900_usize, 1..6),
        ) {
            let mut y = TOP;
            let boxes: Vec<Place> = heights.iter().map(|height| {
                let place = Place { x: MARGIN + COLUMN, y, height: *height };
                y += height + GAP;
                place
            }).collect();
            let mut lanes = Lanes::default();
            for wanted in &wanted {
                let lane = lanes.between(&boxes, (MARGIN, MARGIN + 2 * COLUMN), *wanted);
                let apart = |place: &Place| lane + LANE <= place.y || place.y + place.height + LANE <= lane;
                prop_assert!(boxes.iter().all(apart), "{lane} in {boxes:?}");
            }
            let mut taken = lanes.taken;
            taken.sort_unstable();
            prop_assert!(taken.windows(2).all(|two| two[1] - two[0] >= LANE), "{taken:?}");
        }
    }
}
