//! Which of several lines with one key holds. Which keys came before is known by [`super::line_keys`].

use interligo_model::plan::Rule;
use interligo_model::values::value::Value;

use crate::lookup::duplicate_rule;

/// Two lines that share a key, by number: the first or the one that is used, and another.
pub type Pair = (u32, u32);

/// What a line that shares its key with others holds.
#[derive(Clone, Debug, PartialEq)]
pub struct Copy {
    /// Its number.
    pub line: u32,
    /// A hash of its values in the columns that the files of all lines with the key have.
    pub values: u64,
    /// What it says in the column that decides.
    pub decides: Value<'static>,
}

/// How lines that share keys were settled.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Settled {
    /// Lines that are equal to the one that is used, ascending, each after that one.
    pub identical: Vec<Pair>,
    /// Lines that differ from the one that is used, ascending, each after that one.
    pub dropped: Vec<Pair>,
    /// Keys that no rule settles: two of the lines that differ.
    pub open: Vec<Pair>,
}

/// Settles lines that share a key, one group after the other; `copies` ascend by the first line of their
/// group, then by line.
pub fn settle<'c>(rule: &Rule, groups: impl Iterator<Item = &'c [Copy]>) -> Settled {
    let mut settled = Settled::default();
    for copies in groups {
        let equal = copies.iter().all(|copy| copy.values == copies[0].values);
        let values: Vec<Value<'_>> = copies.iter().map(|copy| copy.decides.clone()).collect();
        let differ = |a: usize, b: usize| copies[a].values != copies[b].values;
        let held = if equal { Some(0) } else { duplicate_rule::held(rule, &values, differ) };
        let Some(held) = held else {
            let other = copies.iter().find(|copy| copy.values != copies[0].values);
            settled.open.push((copies[0].line, other.map_or(copies[0].line, |copy| copy.line)));
            continue;
        };
        for (number, copy) in copies.iter().enumerate().filter(|(number, _)| *number != held) {
            let list =
                if differ(number, held) { &mut settled.dropped } else { &mut settled.identical };
            list.push((copies[held].line, copy.line));
        }
    }
    settled.identical.sort_unstable_by_key(|(_, line)| *line);
    settled.dropped.sort_unstable_by_key(|(_, line)| *line);
    settled
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_line_that_holds_is_reported_by_the_rule() {
        let copy = |line, values, decides: i64| Copy {
            line,
            values,
            decides: Value::Number(interligo_model::values::decimal::Decimal::from(decides)),
        };
        let equal = [copy(0, 5, 0), copy(7, 5, 0)];
        let differing = [copy(1, 5, 3), copy(4, 6, 9), copy(8, 5, 3)];
        let tied = [copy(2, 5, 1), copy(3, 6, 1)];
        let groups = || [&equal[..], &differing[..], &tied[..]].into_iter();
        let column = || "n".to_owned();
        for (rule, identical, dropped, open) in [
            (Rule::Stop, vec![(0, 7)], vec![], vec![(1, 4), (2, 3)]),
            (Rule::First, vec![(0, 7), (1, 8)], vec![(2, 3), (1, 4)], vec![]),
            (Rule::Last, vec![(8, 1), (0, 7)], vec![(3, 2), (8, 4)], vec![]),
            (Rule::Largest(column()), vec![(0, 7)], vec![(4, 1), (4, 8)], vec![(2, 3)]),
            (Rule::Smallest(column()), vec![(0, 7), (1, 8)], vec![(1, 4)], vec![(2, 3)]),
        ] {
            assert_eq!(settle(&rule, groups()), Settled { identical, dropped, open }, "{rule:?}");
        }
    }
}
