//! A run in slices, which any number of machines can work on: the bytes of the facts are divided once, each slice passes its
//! lines through the engine and keeps what came of them, and a join puts that together as a single run would.
//!
//! A folder that all machines see holds it:
//!
//! | file | holds |
//! |---|---|
//! | `slices.json` | the [`Division`]: the plan, the inputs as they were, where each slice begins and ends |
//! | `lookups/table-0.parquet` | a lookup that is on a server, as it was then |
//! | `repeats-0.cbor` | of a fact with a key, by its number, the lines that do not hold |
//! | `slice-001/record.cbor` | what was found and summed in the first slice |
//! | `slice-001/lines-0.cbor` | of a fact the encoded rows of its outputs, block by block |
//! | `slice-001/lines-0.bytes` | of a fact those of them that are long, as they go into the outputs |
//! | `slice-001/fact-0-1.csv` | of a fact and an output its lines, where each slice has a file of its own |
//!
//! Records are in CBOR (RFC 8949), rows are a sequence of such items (RFC 8742). What a worker of a single run hands on
//! within the program is what a slice keeps: findings, tallies, groups and encoded rows merge in the order of the lines, so
//! that the outputs of a join are those of a single run.

mod divide;
mod division;
mod error;
mod handed_on;
mod join;
mod kept_rows;
mod on_spark;
mod one_slice;
mod own_files;
mod record;

pub use divide::divide;
pub use division::{Division, Slices};
pub use error::SlicesError;
pub(crate) use handed_on::handed_on;
pub use join::join;
pub use on_spark::OnSpark;
pub use one_slice::run_slice;
