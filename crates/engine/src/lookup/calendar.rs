//! The periods of a dated lookup: which of a key's rows is valid on a day.

use interligo_model::plan::{GapRule, Gaps, Overlap};
use interligo_model::values::date::Day;

/// What looking for a day came to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OnDay {
    /// The one row that is valid.
    Row(u32),
    /// No row holds on that day.
    Nothing,
    /// Two rows or more hold.
    Several(u32, u32),
}

/// What a line gets on a day on which no row of its key holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Bridged {
    /// A row that is valid on other days, this many days away.
    Row {
        /// The row.
        row: u32,
        /// How far the day is from its period.
        days: u32,
    },
    /// No row.
    Nothing,
    /// No row, and the run ends.
    Stops,
}

/// A row with the first and the last day on which it holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Holds {
    /// The first day; the earliest possible when the start is open.
    pub from: Day,
    /// The last day, which belongs to the period; the latest possible when the end is open.
    pub until: Day,
    /// The row of the lookup.
    pub row: u32,
}

impl Holds {
    /// The order of a key's periods in a calendar.
    pub(crate) fn order(&self) -> (Day, Day, u32) {
        (self.from, self.until, self.row)
    }
}

/// Where the periods of a key are in a calendar.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Span {
    start: u32,
    end: u32,
    overlaps: bool,
}

/// The days by which a search in the periods of a key begins.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Marks {
    /// The first day of the first period.
    first: Day,
    /// The first day of the period in the middle.
    middle: Day,
    /// The last day of the last period.
    last: Day,
}

impl Marks {
    /// Of no period.
    pub(crate) const NONE: Marks = Marks { first: FOREVER, middle: FOREVER, last: ALWAYS };
}

/// The earliest day: an open start.
pub const ALWAYS: Day = Day(i32::MIN);
/// The latest day: an open end.
pub const FOREVER: Day = Day(i32::MAX);

/// Periods by key, those of a key side by side in the order of their starts.
#[derive(Debug, Default)]
pub struct Calendar {
    holds: Vec<Holds>,
    /// Of each key, where its periods begin; one more at the end.
    starts: Vec<u32>,
    /// Whether any two periods of a key share a day.
    overlaps: Vec<bool>,
}

impl Calendar {
    /// A calendar of the periods of each key, in any order.
    pub fn new(keys: impl IntoIterator<Item = Vec<Holds>>) -> Calendar {
        let (mut holds, mut starts) = (Vec::new(), vec![0]);
        for periods in keys {
            holds.extend(periods);
            starts.push(holds.len() as u32);
        }
        Calendar::side_by_side(holds, starts)
    }

    /// A calendar of periods of which those of a key stand together, in any order among themselves; `starts`
    /// says where those of each key begin, and at its end how many there are.
    pub(crate) fn side_by_side(mut holds: Vec<Holds>, starts: Vec<u32>) -> Calendar {
        let mut overlaps = Vec::with_capacity(starts.len());
        for ends in starts.windows(2) {
            let periods = &mut holds[ends[0] as usize..ends[1] as usize];
            if !periods.is_sorted_by_key(Holds::order) {
                periods.sort_by_key(Holds::order);
            }
            let mut latest = ALWAYS;
            let mut overlap = false;
            for (i, period) in periods.iter().enumerate() {
                overlap |= i > 0 && period.from <= latest;
                latest = latest.max(period.until);
            }
            overlaps.push(overlap);
        }
        Calendar { holds, starts, overlaps }
    }

    /// The row of a key, by its number, that is valid on a day.
    ///
    /// Cost: two looks where the key's periods are about of one length, else a binary search; a scan where they overlap.
    #[inline]
    pub fn exactly_one(&self, key: u32, day: Day) -> OnDay {
        let span = self.span(key);
        self.one_in(span, self.marks(span), day)
    }

    /// Where the periods of a key are. Many keys are looked up with this for all of them, then [`Calendar::marks`] for all,
    /// then [`Calendar::one_in`]: so the reads that miss the cache do not wait for each other.
    #[inline]
    pub(crate) fn span(&self, key: u32) -> Span {
        let key = key as usize;
        Span { start: self.starts[key], end: self.starts[key + 1], overlaps: self.overlaps[key] }
    }

    /// The days that begin a search in some periods.
    #[inline]
    pub(crate) fn marks(&self, span: Span) -> Marks {
        let periods = &self.holds[span.start as usize..span.end as usize];
        match (periods.first(), periods.get(periods.len() / 2), periods.last()) {
            (Some(first), Some(middle), Some(last)) => {
                Marks { first: first.from, middle: middle.from, last: last.until }
            }
            _ => Marks::NONE,
        }
    }

    /// The row of a key that is valid on a day, by where its periods are and their marks.
    #[inline]
    pub(crate) fn one_in(&self, span: Span, marks: Marks, day: Day) -> OnDay {
        let periods = &self.holds[span.start as usize..span.end as usize];
        if span.overlaps {
            return several(periods, day);
        }
        // Where no two share a day, the last one ends last.
        if day < marks.first || day > marks.last {
            return OnDay::Nothing;
        }
        let after = match periods.len() < MANY {
            true => {
                // All of a half: that costs less than to guess where to go.
                let half = periods.len() / 2;
                let (before, half) = if marks.middle <= day {
                    (half, &periods[half..])
                } else {
                    (0, &periods[..half])
                };
                before + half.iter().map(|period| usize::from(period.from <= day)).sum::<usize>()
            }
            false => begun(periods, day),
        };
        match after.checked_sub(1).map(|last| &periods[last]) {
            Some(period) if day <= period.until => OnDay::Row(period.row),
            _ => OnDay::Nothing,
        }
    }

    /// The row for a day on which several hold, by a rule; none where the rule is to leave it.
    pub fn settled(&self, key: u32, day: Day, rule: Overlap) -> Option<u32> {
        let holding = self.all(key).iter().filter(|p| p.from <= day && day <= p.until);
        let best = match rule {
            Overlap::Stop | Overlap::Blank => None,
            Overlap::LatestStart => holding.max_by_key(|p| (p.from, p.row)),
            Overlap::First => holding.min_by_key(|p| p.row),
            Overlap::Last => holding.max_by_key(|p| p.row),
        };
        best.map(|period| period.row)
    }

    /// What a line gets on a day on which no row of its key holds.
    pub fn bridged(&self, key: u32, day: Day, gaps: &Gaps) -> Bridged {
        let (earlier, later) = self.around(key, day);
        let rule = match (earlier, later) {
            (None, _) => gaps.before,
            (Some(_), Some(_)) => gaps.between,
            (Some(_), None) => gaps.after,
        };
        let far = |days: i64| u32::try_from(days).unwrap_or(u32::MAX);
        let earlier = earlier.map(|p| (far(i64::from(day.0) - i64::from(p.until.0)), p.row));
        let later = later.map(|p| (far(i64::from(p.from.0) - i64::from(day.0)), p.row));
        let chosen = match rule {
            GapRule::Stop => return Bridged::Stops,
            GapRule::Blank => None,
            GapRule::Earlier => earlier,
            GapRule::Later => later,
            GapRule::Nearest => match (earlier, later) {
                (Some(one), Some(other)) if other.0 < one.0 => Some(other),
                (one, other) => one.or(other),
            },
        };
        match chosen.filter(|(days, _)| gaps.days.is_none_or(|most| *days <= most)) {
            Some((days, row)) => Bridged::Row { row, days },
            None => Bridged::Nothing,
        }
    }

    /// Of a key, the period that ended last before a day on which none holds, and the one that starts first
    /// after it.
    pub fn around(&self, key: u32, day: Day) -> (Option<&Holds>, Option<&Holds>) {
        let periods = self.all(key);
        let after = begun(periods, day);
        let earlier = match self.overlaps[key as usize] {
            false => after.checked_sub(1).map(|last| &periods[last]),
            true => periods[..after].iter().max_by_key(|p| (p.until, p.from, p.row)),
        };
        (earlier, periods.get(after))
    }

    /// The period of a row.
    pub fn of_row(&self, row: u32) -> Option<&Holds> {
        self.holds.iter().find(|holds| holds.row == row)
    }

    /// How many keys there are.
    pub(crate) fn keys(&self) -> usize {
        self.overlaps.len()
    }

    /// The periods of all keys, those of a key side by side.
    pub(crate) fn periods(&self) -> &[Holds] {
        &self.holds
    }

    /// The periods of a key, by start.
    pub fn all(&self, key: u32) -> &[Holds] {
        let key = key as usize;
        &self.holds[self.starts[key] as usize..self.starts[key + 1] as usize]
    }
}

/// Of fewer periods than this it does not pay to guess.
const MANY: usize = 16;

/// How many of some periods begin on a day or before.
#[inline]
fn begun(periods: &[Holds], day: Day) -> usize {
    if periods.len() >= MANY
        && let Some(begun) = begun_if_even(periods, day)
    {
        return begun;
    }
    periods.partition_point(|period| period.from <= day)
}

/// The same where periods are of about the same length, as those of daily rates and monthly lists are: where the day
/// would lie if they all were, or right beside that.
#[inline]
fn begun_if_even(periods: &[Holds], day: Day) -> Option<usize> {
    let last = periods.len() - 1;
    // The first may have begun at any time.
    let (first, end) = (i64::from(periods[1].from.0), i64::from(periods[last].from.0));
    let far = (i64::from(day.0) - first).clamp(0, end - first);
    let at = 1 + (far * (last as i64 - 1) / (end - first).max(1)) as usize;
    let is_before = |at: usize| periods.get(at).is_some_and(|period| period.from <= day);
    match is_before(at) {
        true if !is_before(at + 1) => Some(at + 1),
        false if is_before(at - 1) => Some(at),
        _ => None,
    }
}

fn several(periods: &[Holds], day: Day) -> OnDay {
    let mut holding = periods.iter().filter(|p| p.from <= day && day <= p.until);
    match (holding.next(), holding.next()) {
        (Some(a), Some(b)) => OnDay::Several(a.row, b.row),
        (Some(only), None) => OnDay::Row(only.row),
        _ => OnDay::Nothing,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn periods() -> impl Strategy<Value = Vec<Holds>> {
        let end = |open: Day| prop_oneof![4 => (0i32..40).prop_map(Day), 1 => Just(open)];
        prop::collection::vec((end(ALWAYS), end(FOREVER)), 0..6).prop_map(|ends| {
            let period = |(row, (from, until)): (usize, (Day, Day))| {
                (from <= until).then_some(Holds { from, until, row: row as u32 })
            };
            ends.into_iter().enumerate().filter_map(period).collect()
        })
    }

    proptest! {
        /// Against a linear scan, on every day at and around each boundary.
        #[test]
        fn prop_a_calendar_finds_what_a_scan_finds(keys in prop::collection::vec(periods(), 1..4)) {
            let calendar = Calendar::new(keys.clone());
            for (key, periods) in keys.iter().enumerate() {
                for day in (-2..42).map(Day) {
                    let holding: Vec<u32> = periods
                        .iter()
                        .filter(|p| p.from <= day && day <= p.until)
                        .map(|p| p.row)
                        .collect();
                    match calendar.exactly_one(key as u32, day) {
                        OnDay::Nothing => prop_assert!(holding.is_empty()),
                        OnDay::Row(row) => prop_assert_eq!(holding, vec![row]),
                        OnDay::Several(a, b) => {
                            prop_assert!(holding.len() > 1 && holding.contains(&a) && holding.contains(&b));
                        }
                    }
                }
            }
        }
    }

    proptest! {
        /// Of many periods, in even steps or not, at and around each boundary.
        #[test]
        fn prop_many_periods_are_searched_as_by_a_scan(
            steps in prop::collection::vec(steps_of_days(), 1..200), open in any::<bool>(), gap in 0i32..3,
        ) {
            let mut day = -500;
            let starts = steps.iter().map(|step| { day += step; day });
            let mut starts: Vec<i32> = starts.collect();
            let until = |pair: &[i32]| (pair[1] - 1 - gap).max(pair[0]);
            let ends: Vec<i32> = starts.windows(2).map(until).collect();
            let days: Vec<i32> = starts.iter().flat_map(|start| [start - 1, *start, start + 1]).collect();
            if open {
                starts[0] = ALWAYS.0;
            }
            let ends = ends.into_iter().chain([FOREVER.0]).map(Day);
            let rows = starts.iter().zip(ends).zip(0..);
            let periods: Vec<Holds> =
                rows.map(|((from, until), row)| Holds { from: Day(*from), until, row }).collect();
            let calendar = Calendar::new([periods.clone()]);
            for day in days.into_iter().chain([-9_000, 9_000_000]).map(Day) {
                let scanned = periods.iter().filter(|period| period.from <= day).count();
                prop_assert_eq!(begun(&periods, day), scanned, "{:?}", day);
                let row = periods.iter().find(|p| p.from <= day && day <= p.until).map(|p| p.row);
                prop_assert_eq!(calendar.exactly_one(0, day), row.map_or(OnDay::Nothing, OnDay::Row));
            }
        }
    }

    /// Days from one period to the next: mostly a week, a day or a month, at times many years.
    fn steps_of_days() -> impl Strategy<Value = i32> {
        prop_oneof![8 => Just(7), 2 => 1i32..32, 1 => 1i32..9_000]
    }

    fn rule() -> impl Strategy<Value = GapRule> {
        prop::sample::select(vec![
            GapRule::Blank,
            GapRule::Earlier,
            GapRule::Later,
            GapRule::Nearest,
            GapRule::Stop,
        ])
    }

    proptest! {
        /// Days without a row against linear scans over the periods, with all rules.
        #[test]
        fn prop_gaps_are_bridged_as_a_scan_says(
            periods in periods(),
            before in rule(), between in rule(), after in rule(),
            days in prop::option::of(0u32..12),
        ) {
            let gaps = Gaps { before, between, after, days };
            let calendar = Calendar::new([periods.clone()]);
            for day in (-2..42).map(Day) {
                if periods.iter().any(|p| p.from <= day && day <= p.until) {
                    continue;
                }
                let distance = |a: Day, b: Day| i64::from(a.0) - i64::from(b.0);
                let ended = periods.iter().filter(|p| p.until < day);
                let earlier = ended.max_by_key(|p| (p.until, p.from, p.row));
                let to_come = periods.iter().filter(|p| p.from > day);
                let later = to_come.min_by_key(|p| (p.from, p.until, p.row));
                let rule = match (earlier, later) {
                    (None, _) => before,
                    (_, None) => after,
                    _ => between,
                };
                let earlier = earlier.map(|p| (distance(day, p.until), p.row));
                let later = later.map(|p| (distance(p.from, day), p.row));
                let nearest = [earlier, later].into_iter().flatten().min_by_key(|(days, _)| *days);
                let chosen = match rule {
                    GapRule::Earlier => earlier,
                    GapRule::Later => later,
                    GapRule::Nearest => nearest,
                    GapRule::Blank | GapRule::Stop => None,
                };
                let expected = match chosen {
                    _ if rule == GapRule::Stop => Bridged::Stops,
                    Some((far, row)) if days.is_none_or(|most| far <= i64::from(most)) => {
                        Bridged::Row { row, days: far as u32 }
                    }
                    _ => Bridged::Nothing,
                };
                prop_assert_eq!(calendar.bridged(0, day, &gaps), expected, "{:?} {:?}", day, periods);
            }
        }

        /// Days with several rows, by each rule; and the order of the rows changes nothing.
        #[test]
        fn prop_overlaps_are_settled_as_a_scan_says(periods in periods(), turn in any::<bool>()) {
            let mut rows = periods.clone();
            if turn {
                rows.reverse();
            }
            let calendar = Calendar::new([rows]);
            for day in (-2..42).map(Day) {
                let holding = || periods.iter().filter(|p| p.from <= day && day <= p.until);
                for (rule, expected) in [
                    (Overlap::Blank, None),
                    (Overlap::Stop, None),
                    (Overlap::First, holding().map(|p| p.row).min()),
                    (Overlap::Last, holding().map(|p| p.row).max()),
                    (Overlap::LatestStart, holding().max_by_key(|p| (p.from, p.row)).map(|p| p.row)),
                ] {
                    prop_assert_eq!(calendar.settled(0, day, rule), expected);
                }
            }
        }

        /// Cutting a period in two changes nothing but the row.
        #[test]
        fn prop_cutting_a_period_in_two_changes_nothing(periods in periods(), cut in 0i32..40) {
            let mut pieces = Vec::new();
            for period in &periods {
                let cut = Day(cut);
                if period.from < cut && cut <= period.until {
                    pieces.push(Holds { until: Day(cut.0 - 1), ..*period });
                    pieces.push(Holds { from: cut, ..*period });
                } else {
                    pieces.push(*period);
                }
            }
            let (whole, cut) = (Calendar::new([periods]), Calendar::new([pieces]));
            for day in (-2..42).map(Day) {
                match (whole.exactly_one(0, day), cut.exactly_one(0, day)) {
                    (OnDay::Several(..), OnDay::Several(..)) => {}
                    (one, other) => prop_assert_eq!(one, other),
                }
            }
        }
    }
}
