//! The periods of a dated lookup: which of a key's rows holds on a day.

use crate::date::Day;

/// What looking for a day came to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OnDay {
    /// The one row that holds.
    Row(u32),
    /// No row holds on that day.
    Nothing,
    /// Two rows or more hold.
    Several(u32, u32),
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
        let mut calendar = Calendar { starts: vec![0], ..Calendar::default() };
        for mut periods in keys {
            periods.sort_by_key(|p| (p.from, p.until, p.row));
            let mut latest = ALWAYS;
            let mut overlap = false;
            for (i, period) in periods.iter().enumerate() {
                overlap |= i > 0 && period.from <= latest;
                latest = latest.max(period.until);
            }
            calendar.overlaps.push(overlap);
            calendar.holds.extend(periods);
            calendar.starts.push(calendar.holds.len() as u32);
        }
        calendar
    }

    /// The row of a key, by its number, that holds on a day.
    ///
    /// Cost: a binary search over the key's periods; a scan where they overlap.
    #[inline]
    pub fn on(&self, key: u32, day: Day) -> OnDay {
        let periods = self.of(key);
        if self.overlaps[key as usize] {
            return several(periods, day);
        }
        let after = periods.partition_point(|p| p.from <= day);
        match after.checked_sub(1).map(|last| &periods[last]) {
            Some(period) if day <= period.until => OnDay::Row(period.row),
            _ => OnDay::Nothing,
        }
    }

    /// The periods of a key, by start.
    pub fn of(&self, key: u32) -> &[Holds] {
        let key = key as usize;
        &self.holds[self.starts[key] as usize..self.starts[key + 1] as usize]
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
                    match calendar.on(key as u32, day) {
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
}
