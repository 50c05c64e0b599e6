//! Corrections: keys that are known to be wrong, each with the key that is meant.

/// One row of the corrections file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Correction {
    /// The link that it is for.
    pub link: String,
    /// The key as it is found; the columns of a key are joined by ` + `.
    pub found: String,
    /// The key of the lookup that is meant.
    pub used: String,
    /// What somebody wanted to say about it.
    pub note: String,
    /// Its row in the file.
    pub row: u64,
}
