//! The proof: what was met on the way, counted and summed twice, and whether both sides close.

pub mod balance;
pub mod doubts;
pub mod exact_sum;
pub mod faults;
pub mod findings;
pub mod link_status;
pub mod tallies;
pub mod tally;
pub mod tieout;
pub mod usage;
