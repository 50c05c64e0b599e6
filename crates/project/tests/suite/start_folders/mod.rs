//! How often a first plan is right: thirty folders that nobody prepared for it, and what is true of them.
//!
//! What is not found is lost work; what is wrong and looks right is a wrong figure. So links are counted both ways, and a
//! draft whose revenue is wrong must ask something about it.

mod choices;
mod language;
mod lookups;
mod score;
mod world;

use choices::{DEVELOPED_ON, KEPT_ASIDE};
use score::Scores;

#[test]
fn drafts_are_right_as_often_as_they_were() {
    let developed = Scores::over(&DEVELOPED_ON);
    let aside = Scores::over(&KEPT_ASIDE);
    println!("developed on:\n{developed}\nkept aside:\n{aside}");
    developed.are_at_least_as_they_were(45);
    aside.are_at_least_as_they_were(14);
}
