//! The evidence for and against each column that another might lead to.

use super::candidates::Candidates;
use super::column::{Domain, Fit};
use super::{ColumnAt, LIKELY, Proposal, Seen, View};

/// A column that another might lead to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Candidate {
    /// The column.
    pub to: ColumnAt,
    /// How many values are found there.
    pub fit: Fit,
    /// How alike the column names are, in percent.
    pub alike: u32,
    /// The evidence in all, in percent; nothing where it was not weighed.
    pub score: Option<u32>,
    /// What became of it.
    pub verdict: Verdict,
}

/// What becomes of a candidate.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// It is a link of the draft, by itself or with other columns.
    Drafted,
    /// It is a comment.
    Mentioned,
    /// There is enough evidence, and another link is in its place.
    Superseded,
    /// Its values would be found by chance.
    ByChance,
    /// Its values are not unique, so that no row could be found by them.
    NotUnique,
    /// There is too little evidence.
    Weak,
}

/// The columns that have some of the values of one, the likeliest first; before them, how many rows of that are filled, and
/// how many different values it has.
pub fn explain(
    seen: &[Seen],
    (table, column): (usize, usize),
    proposal: &Proposal,
) -> ((u64, u64), Vec<Candidate>) {
    let view = View::new(seen.iter());
    let from = ColumnAt { table, column };
    let traits = view.of(from);
    let filled = (traits.filled as u64, traits.values.len() as u64);
    let candidates = Candidates::new(&view);
    let mut all: Vec<Candidate> = Vec::new();
    for to in (0..seen.len()).filter(|other| *other != table).flat_map(|other| view.columns(other))
    {
        let weighed = candidates.is_key(to).then(|| candidates.weigh(from, to)).flatten();
        let fit = weighed.as_ref().map(|link| link.fit.clone());
        let fit = fit.unwrap_or_else(|| traits.fit(&Domain::new(view.of(to).values.clone())));
        if fit.found == 0 {
            continue;
        }
        let leads = |links: &[super::LinkProposal]| {
            links.iter().any(|link| {
                let pairs = link.from.iter().zip(&link.to);
                link.to_table == to.table
                    && pairs.into_iter().any(|(own, at)| *own == from && *at == to.column)
            })
        };
        let score = weighed.map(|link| link.score);
        let verdict = match score {
            _ if leads(&proposal.links) => Verdict::Drafted,
            _ if leads(&proposal.doubts) => Verdict::Mentioned,
            None => Verdict::NotUnique,
            Some(0) => Verdict::ByChance,
            Some(score) if score >= LIKELY => Verdict::Superseded,
            Some(_) => Verdict::Weak,
        };
        all.push(Candidate { to, fit, alike: candidates.alike(from, to), score, verdict });
    }
    let rank = |own: &Candidate| (own.verdict == Verdict::Drafted, own.score, own.fit.found_rows);
    all.sort_by_key(|own| std::cmp::Reverse(rank(own)));
    (filled, all)
}
