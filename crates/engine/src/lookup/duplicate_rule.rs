//! Which of several rows with one key holds: the plan's rules, for rows of lookups and lines of facts
//! alike.

use std::cmp::Ordering;

use interligo_model::plan::Rule;
use interligo_model::values::value::Value;

/// The row that is used, by number, given what each says in the column that decides. `None` when the rule
/// is to stop, or leaves several rows that `differ`.
pub fn held(
    rule: &Rule,
    values: &[Value<'_>],
    differ: impl Fn(usize, usize) -> bool,
) -> Option<usize> {
    let best = |better: Ordering| {
        let mut best = 0;
        for row in 1..values.len() {
            if beats(&values[row], &values[best], better) {
                best = row;
            }
        }
        let tie = |row: usize| row != best && values[row] == values[best] && differ(row, best);
        (!(0..values.len()).any(tie)).then_some(best)
    };
    match rule {
        Rule::Stop => None,
        Rule::First => Some(0),
        Rule::Last => Some(values.len() - 1),
        Rule::Newest(_) | Rule::Largest(_) => best(Ordering::Greater),
        Rule::Smallest(_) => best(Ordering::Less),
    }
}

/// A blank never beats a value.
fn beats(value: &Value<'_>, other: &Value<'_>, better: Ordering) -> bool {
    match (value.is_blank(), other.is_blank()) {
        (true, _) => false,
        (false, true) => true,
        (false, false) => value.cmp(other) == better,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use interligo_model::values::decimal::Decimal;

    #[test]
    fn rules_say_which_row_holds() {
        let number = |n: i32| Value::Number(Decimal::from(i64::from(n)));
        let values = [number(2), Value::Blank, number(7), number(1), number(7)];
        let column = || "price".to_owned();
        for (rule, differ, row) in [
            (Rule::Stop, true, None),
            (Rule::First, true, Some(0)),
            (Rule::Last, true, Some(4)),
            (Rule::Largest(column()), false, Some(2)),
            (Rule::Largest(column()), true, None),
            (Rule::Newest(column()), false, Some(2)),
            (Rule::Smallest(column()), true, Some(3)),
        ] {
            assert_eq!(held(&rule, &values, |_, _| differ), row, "{rule:?}");
        }
        let blanks = [Value::Blank, Value::Blank];
        assert_eq!(held(&Rule::Largest(column()), &blanks, |_, _| false), Some(0));
        assert_eq!(held(&Rule::Largest(column()), &blanks, |_, _| true), None);
    }
}
