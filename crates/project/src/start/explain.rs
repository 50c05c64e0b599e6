//! Why a column leads where the draft says, and not elsewhere: the evidence for and against each other column.

use std::path::Path;

use interligo_discover::propose::{Candidate, Verdict, explain, propose};
use interligo_model::plan::{Mistake, MistakeKind, Written, nearest_name};

use super::answers::Answers;
use super::{Looked, look};
use crate::error::Error;

/// A column with all that it might lead to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ExplainedColumn {
    /// Its table and name.
    pub column: String,
    /// Rows that have a value, and different values.
    pub filled: (u64, u64),
    /// The columns that have some of its values, the likeliest first.
    pub candidates: Vec<ExplainedCandidate>,
}

/// A column that another might lead to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ExplainedCandidate {
    /// Its table and name.
    pub column: String,
    /// The evidence for it, and what became of it.
    pub evidence: Candidate,
}

/// The evidence for and against the columns that one may lead to, which is named `table.column` as a draft would name it.
///
/// # Errors
/// There is no such table or column; as for a draft.
pub fn explain_column(
    folder: &Path,
    named: &[String],
    column: &str,
    progress: &(dyn Fn(u64, u64) + Sync),
) -> Result<ExplainedColumn, Error> {
    let Looked { seen, known, .. } = look(folder, named, &Answers::default(), progress)?;
    let name = |table: usize, column: usize| {
        format!("{}.{}", seen[table].name, seen[table].columns[column].name)
    };
    let all: Vec<(usize, usize)> = (0..seen.len())
        .flat_map(|table| (0..seen[table].columns.len()).map(move |column| (table, column)))
        .collect();
    let Some((table, own)) = all.iter().copied().find(|(t, c)| name(*t, *c) == column) else {
        let names: Vec<String> = all.iter().map(|(table, column)| name(*table, *column)).collect();
        let names: Vec<&str> = names.iter().map(String::as_str).collect();
        let near = nearest_name(column, &names).map_or_else(
            || {
                "name it as in `sales.item`: the table as the draft calls it, and the column"
                    .to_owned()
            },
            |near| format!("did you mean `{near}`?"),
        );
        let mistake = Written::in_option("--explain", column, 0..column.len())
            .mistaken(MistakeKind::UnknownName, format!("there is no column `{column}` here"));
        let mistake: Mistake = mistake.help(near);
        return Err(mistake.into());
    };
    let proposal = propose(&seen, &known);
    let (filled, candidates) = explain(&seen, (table, own), &proposal);
    let shown = |evidence: Candidate| ExplainedCandidate {
        column: name(evidence.to.table, evidence.to.column),
        evidence,
    };
    Ok(ExplainedColumn {
        column: column.to_owned(),
        filled,
        candidates: candidates.into_iter().map(shown).collect(),
    })
}

impl ExplainedCandidate {
    /// What became of it, in words.
    pub fn verdict(&self) -> &'static str {
        match self.evidence.verdict {
            Verdict::Drafted => "drafted",
            Verdict::Mentioned => "a comment in the plan",
            Verdict::Superseded => "another link does it",
            Verdict::ByChance => "no: by chance",
            Verdict::NotUnique => "no: not unique",
            Verdict::Weak => "no: too little evidence",
        }
    }
}
