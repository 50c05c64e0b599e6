//! Bands: ranges of a number with a name each, in the order of their edges.

use std::sync::Arc;

use interligo_model::plan::Included;
use interligo_model::values::decimal::Decimal;

/// Ranges of a number.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Band {
    /// Where one range ends and the next begins, ascending.
    pub edges: Vec<Decimal>,
    /// Of each range, its name: one more than edges.
    pub names: Vec<Arc<str>>,
    /// Which range an edge belongs to.
    pub included: Included,
}

impl Band {
    /// The number of the range in which a value lies.
    pub(crate) fn of(&self, value: Decimal) -> usize {
        match self.included {
            Included::Lower => self.edges.partition_point(|edge| *edge <= value),
            Included::Upper => self.edges.partition_point(|edge| *edge < value),
        }
    }

    /// The name of a range.
    pub(crate) fn name(&self, range: usize) -> &str {
        &self.names[range]
    }

    /// The names of ranges between such edges, where the plan gives none. They say where an edge belongs.
    pub(crate) fn usual_names(edges: &[Decimal], included: Included) -> Vec<Arc<str>> {
        let name = |range: usize| {
            let low = range.checked_sub(1).map(|below| edges[below]);
            match (included, low, edges.get(range)) {
                (_, None, None) => "all".to_owned(),
                (Included::Lower, None, Some(high)) => format!("under {high}"),
                (Included::Lower, Some(low), Some(high)) => format!("{low} to under {high}"),
                (Included::Lower, Some(low), None) => format!("{low} and over"),
                (Included::Upper, None, Some(high)) => format!("up to {high}"),
                (Included::Upper, Some(low), Some(high)) => format!("over {low} to {high}"),
                (Included::Upper, Some(low), None) => format!("over {low}"),
            }
        };
        (0..=edges.len()).map(|range| name(range).into()).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn band(edges: &[i64], included: Included) -> Band {
        let edges: Vec<Decimal> = edges.iter().map(|edge| (*edge).into()).collect();
        Band { names: Band::usual_names(&edges, included), edges, included }
    }

    #[test]
    fn names_say_where_an_edge_belongs() {
        let name = |included, value: i64| {
            let band = band(&[10, 50], included);
            band.name(band.of(value.into())).to_owned()
        };
        for (value, lower, upper) in [
            (9, "under 10", "up to 10"),
            (10, "10 to under 50", "up to 10"),
            (50, "50 and over", "over 10 to 50"),
            (51, "50 and over", "over 50"),
        ] {
            assert_eq!(name(Included::Lower, value), lower);
            assert_eq!(name(Included::Upper, value), upper);
        }
    }

    proptest! {
        #[test]
        fn prop_the_range_is_the_one_that_a_scan_finds(
            mut edges in prop::collection::vec(-20i64..20, 0..6),
            value in -25i64..25,
        ) {
            edges.sort_unstable();
            edges.dedup();
            let passed = edges.iter().filter(|edge| **edge <= value).count();
            prop_assert_eq!(band(&edges, Included::Lower).of(value.into()), passed);
            let passed = edges.iter().filter(|edge| **edge < value).count();
            prop_assert_eq!(band(&edges, Included::Upper).of(value.into()), passed);
        }
    }
}
