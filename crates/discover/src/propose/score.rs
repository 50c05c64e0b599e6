//! The evidence for a link: how many values are found, how alike the column names are, and whether the values would be
//! found by chance.

use super::ColumnAt;
use super::candidates::{Candidates, is_weak};
use super::column::{Fit, Kind};
use super::meanings::Meaning;
use super::words::Words;

impl Candidates<'_> {
    pub(super) fn score(&self, fit: &Fit, alike: u32, from: ColumnAt, to: ColumnAt) -> u32 {
        let (one, other) = (self.view.of(from), self.view.of(to));
        // What counts is most of the rows, or most of the values.
        let values = fit.share().max((fit.row_share() * 9 + fit.share()) / 10).min(100);
        let used = (fit.used * 100 / other.values.len().max(1)) as u32;
        let few = fit.found < 3 && one.values.len() < 3;
        if one.is_dense() && other.is_dense() {
            // Found by chance: the column names decide, and typing errors are not to be expected.
            let named = if alike >= 60 { alike } else { 0 };
            let measured = [Meaning::Quantity, Meaning::Position, Meaning::Amount];
            let is_measure = measured.iter().any(|m| one.words.means(*m)) && alike < 90;
            let own_number = one.is_unique() && alike < 90;
            if is_measure || own_number || values < 60 {
                return 0;
            }
            return (values * 4 + named * 5 + used.min(100)) / 10;
        }
        // What the rows of one table are called says nothing of those of another.
        let both_named = one.words.means(Meaning::Name) && other.words.means(Meaning::Name);
        if both_named && one.uniqueness() >= 90 {
            return 0;
        }
        if is_weak(one) || few {
            return (values * 5 + alike * 4 + used.min(100)) / 10;
        }
        // Columns that hold what rows are called are seldom keys.
        let prose = if other.kind == Kind::Prose && !other.words.is_mark { 12 } else { 0 };
        ((values * 78 + alike * 14 + used.min(100) * 8) / 100).saturating_sub(prose)
    }

    /// How alike the column names are, of the columns or of the column and the other table.
    pub(super) fn alike(&self, from: ColumnAt, to: ColumnAt) -> u32 {
        let (one, other) = (&self.view.of(from).words, &self.view.of(to).words);
        let table = Words::of(&self.view.seen[to.table].name);
        // `id` here and `id` there say nothing; `product` here says the table there.
        let own = Words::of(&self.view.seen[from.table].name);
        let columns =
            if one.about.is_empty() && other.about.is_empty() { 0 } else { one.alike(other) };
        let of_table = one.alike(&table);
        // `customer_id` of `customers` itself does not lead elsewhere.
        let is_own = one.about.is_empty() || one.alike(&own) > of_table.max(columns);
        // A day here and a day there, however each is called: a calendar.
        let day = |at: ColumnAt| {
            let traits = self.view.of(at);
            traits.kind == Kind::Day && traits.words.means(Meaning::Sold)
        };
        let columns = if day(from) && day(to) { columns.max(80) } else { columns };
        if is_own { columns } else { columns.max(of_table) }
    }
}
