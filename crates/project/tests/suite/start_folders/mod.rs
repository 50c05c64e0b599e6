//! How often a first plan is right: thirty folders that nobody prepared for it, and what is true of them.
//!
//! What is not found is lost work; what is wrong and looks right is a wrong figure. So links are counted both ways, and a
//! draft whose revenue is wrong must ask something about it.

mod choices;
mod developed_on;
mod kept_aside;
mod language;
mod lookups;
mod score;
mod world;

use choices::{Choices, Parts};
use developed_on::DEVELOPED_ON;
use kept_aside::KEPT_ASIDE;
use score::Scores;

#[test]
fn drafts_are_right_as_often_as_they_were() {
    let (developed, left_out) = readable(&DEVELOPED_ON);
    let (aside, left_out_aside) = readable(&KEPT_ASIDE);
    let (developed, aside) = (Scores::over(&developed), Scores::over(&aside));
    println!("developed on:\n{developed}\nkept aside:\n{aside}");
    developed.are_at_least_as_they_were(45 - left_out);
    aside.are_at_least_as_they_were(21 - left_out_aside);
}

/// The folders that this build can read, and how many it cannot, which are right where they can be read.
fn readable(all: &[Choices]) -> (Vec<Choices>, usize) {
    let reads = |own: &&Choices| cfg!(feature = "workbook") || own.parts != Parts::Sheets;
    let readable: Vec<Choices> = all.iter().filter(reads).copied().collect();
    let left_out = all.len() - readable.len();
    if left_out > 0 {
        println!("{left_out} folders with workbooks were left out: this build reads none");
    }
    (readable, left_out)
}
