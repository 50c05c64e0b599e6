//! What a workbook says of its run: the tie-out, the match rates, what to know.

use interligo_model::values::value::Value;

/// What is known of a run when its lines are through.
#[derive(Clone, Debug, Default)]
pub struct RunFacts {
    /// What the plan calls itself.
    pub title: String,
    /// Sentences below the title.
    pub notes: Vec<String>,
    /// Small tables, one below the other.
    pub sections: Vec<FactsSection>,
    /// The sheets and tables that the run writes, in the order of the plan.
    pub outputs: Vec<String>,
}

/// A small table.
#[derive(Clone, Debug, Default)]
pub struct FactsSection {
    /// Its columns; the first is its title too.
    pub columns: Vec<String>,
    /// Its rows.
    pub rows: Vec<Vec<Value<'static>>>,
}
