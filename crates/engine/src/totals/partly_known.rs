//! Rows of totals whose amounts are known on different lines: a cost on 22 of them and a revenue on 14. Each sum is right,
//! and their difference or quotient is not what it seems.

use std::fmt;

use interligo_model::values::decimal::Decimal;
use interligo_model::words::counted;

use super::cells::GroupSums;
use super::measure::{Aggregate, Summed, Work};
use super::plan::TotalsPlan;

/// Sums of a row that are not over the same lines.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PartlyKnown {
    /// The lines of the row.
    pub lines: u64,
    /// Those on which all amounts are known.
    pub together: u64,
    /// The amounts.
    pub amounts: Vec<PartlyKnownAmount>,
}

/// One of the amounts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PartlyKnownAmount {
    /// Its column name.
    pub column_name: String,
    /// On how many other lines it is known.
    pub more_lines: u64,
    /// What it comes to on these; none where that overflows.
    pub more: Option<Decimal>,
}

/// What is to know of such a row: "These sums are over different lines. Of 22 lines, 14 have all of cost, revenue. On 8 others,
/// cost comes to 807.84."
impl fmt::Display for PartlyKnown {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let names: Vec<&str> = self.amounts.iter().map(|own| own.column_name.as_str()).collect();
        let have = match self.together {
            0 => "none has".to_owned(),
            1 => "1 has".to_owned(),
            together => format!("{together} have"),
        };
        let lines = counted(self.lines, "line");
        write!(
            f,
            "These sums are over different lines. Of {lines}, {have} all of {}.",
            names.join(", ")
        )?;
        for own in self.amounts.iter().filter(|own| own.more_lines > 0) {
            let amount = own.more.map_or("overflows".to_owned(), |more| format!("comes to {more}"));
            let others = counted(own.more_lines, "other");
            write!(f, " On {others}, {} {amount}.", own.column_name)?;
        }
        Ok(())
    }
}

impl TotalsPlan {
    /// Gathers besides, of each amount that is summed, what it comes to on the lines on which all of them are known.
    pub(super) fn compare_known(&mut self) {
        let is_amount = |measure: &usize| match self.measures[*measure].work {
            Work::Of(sum) => {
                self.measures[*measure].kind.is_amount() && self.sums[sum].how == Aggregate::Sum
            }
            _ => false,
        };
        let amounts: Vec<usize> = (0..self.measures.len()).filter(is_amount).collect();
        if amounts.len() < 2 {
            return;
        }
        let first = self.sums.len();
        let companions: Vec<usize> = (first..first + amounts.len()).collect();
        for (measure, number) in amounts.into_iter().zip(first..) {
            let Work::Of(sum) = self.measures[measure].work else { continue };
            let (expr, companions) = (self.sums[sum].expr.clone(), companions.clone());
            self.sums.push(Summed { expr, how: Aggregate::Sum, companions, by: None });
            self.known_together.push((measure, number));
        }
    }

    /// What amounts of a row are known on other lines than the rest, if any are.
    pub(super) fn partly_known(&self, sums: GroupSums<'_>) -> Option<PartlyKnown> {
        let mut pairs = self.known_together.iter().filter_map(|(measure, together)| {
            match self.measures[*measure].work {
                Work::Of(own) => Some((measure, own, *together)),
                _ => None,
            }
        });
        // Nearly all rows have all amounts on the same lines.
        if pairs.clone().all(|(_, own, together)| sums.known(own) == sums.known(together)) {
            return None;
        }
        let mut found = PartlyKnown { lines: sums.lines(), together: 0, amounts: Vec::new() };
        pairs.try_for_each(|(measure, own, together)| {
            let ((all, known), (common, together)) = (sums.sum(own)?, sums.sum(together)?);
            found.together = together;
            let more = all.value().zip(common.value());
            found.amounts.push(PartlyKnownAmount {
                column_name: self.measures[*measure].column_name.clone(),
                more_lines: known - together,
                more: more.and_then(|(all, common)| all.checked_sub(common)),
            });
            Some(())
        })?;
        Some(found)
    }
}
