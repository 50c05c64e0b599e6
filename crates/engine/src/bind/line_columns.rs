//! The columns of outputs of lines: what each is made of, and what it is called.

use interligo_model::formula::{NodeKind, parse};
use interligo_model::plan::{ColumnType, Mistake, ShownAs, Written};

use super::{Bound, FigureKind, Reference, Scope, Use, uses_of};

/// What is asked for of lines.
#[derive(Clone, Debug, Default)]
pub struct LinesRequest {
    /// The columns; all when `None`.
    pub columns: Option<Vec<ColumnRequest>>,
    /// Whether each line says how its links came out.
    pub status: bool,
    /// Whether own columns and attributes are wanted as typed values and not as their sources write them.
    pub as_values: bool,
    /// Whether they are a record of the run: all that figures and links are made of.
    pub record: bool,
}

/// What is asked for of a column.
#[derive(Clone, Debug)]
pub struct ColumnRequest {
    /// Its formula.
    pub written: Written,
    /// What it is called, if not as its formula.
    pub name: Option<String>,
    /// How it is shown, and its decimal places, where the plan says so.
    pub form: ColumnForm,
}

/// How a column is shown, and the decimal places that it has, where the plan says so.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct ColumnForm {
    /// How it is shown.
    pub shown: Option<ShownAs>,
    /// Its decimal places.
    pub places: Option<u8>,
}

/// A column of an output of lines.
#[derive(Clone, Debug)]
pub enum LinesColumn {
    /// All of the fact's own columns, as they were read.
    Own,
    /// One of them, as it was read.
    Cell {
        /// The column name, as the plan writes it.
        column_name: String,
        /// The column.
        column: usize,
    },
    /// An attribute of a lookup.
    Attribute {
        /// The column name, as the plan writes it.
        column_name: String,
        /// The route to the lookup.
        route: usize,
        /// The column of the lookup.
        column: usize,
    },
    /// All that figures and links are made of: a column for each column that is read, and for the row of each link.
    Record,
    /// How a link came out, and the key that was used: two columns.
    Status {
        /// The route.
        route: usize,
    },
    /// A value that is computed, by its number among the expressions.
    Value {
        /// The column name, as the plan writes it.
        column_name: String,
        /// Where the expression stands.
        written: Written,
        /// What the plan says of its form.
        form: ColumnForm,
    },
}

/// The columns of an output of lines.
pub(super) fn bind_line_columns(
    asked: &LinesRequest,
    bound: &mut Bound,
    mistakes: &mut Vec<Mistake>,
) -> Result<Vec<LinesColumn>, Mistake> {
    if asked.record {
        let key = bound.fact.key.as_ref().map_or(Vec::new(), |key| key.columns.clone());
        for column in key {
            let at = Written::in_option("record", "", 0..0).at_all();
            bound.note(&Use { reference: Reference::Column(column), at, needed: None });
        }
        return Ok(vec![LinesColumn::Record]);
    }
    let own = |bound: &mut Bound| match asked.as_values {
        true => own_values(bound),
        false => own_cells(bound),
    };
    let labels = bound.labels.clone();
    let Some(columns) = &asked.columns else {
        let mut all = own(bound);
        let figures = bound.figures.iter().filter(|f| !matches!(f.kind, FigureKind::Shared));
        let figures = figures.map(|figure| LinesColumn::Value {
            column_name: labels.of(&figure.name).into_owned(),
            written: quoted_name(&figure.name),
            form: ColumnForm::default(),
        });
        all.extend(figures);
        return Ok(all);
    };
    let mut found = Vec::new();
    for ColumnRequest { written, name: called, form } in columns {
        if written.text == "*" {
            found.extend(own(bound));
            continue;
        }
        let node = parse(written)?;
        let uses = uses_of(&node, written, &Scope::of(bound), mistakes);
        uses.iter().for_each(|used| bound.note(used));
        let column_name = called.clone().unwrap_or_else(|| labels.of(&written.text).into_owned());
        let name = matches!(node.kind, NodeKind::Name(_)).then(|| uses.first()).flatten();
        found.push(match name.map(|used| used.reference) {
            Some(Reference::Attribute { route, column }) if !asked.as_values => {
                LinesColumn::Attribute { column_name, route, column }
            }
            Some(Reference::Column(column)) if !asked.as_values && !has_unit(bound, column) => {
                LinesColumn::Cell { column_name, column }
            }
            _ => LinesColumn::Value { column_name, written: written.clone(), form: *form },
        });
    }
    Ok(found)
}

/// All of the fact's own columns as they are; one by one where people call some of them otherwise.
fn own_cells(bound: &Bound) -> Vec<LinesColumn> {
    let labels = &bound.labels;
    let names = bound.fact.columns.iter();
    if names.clone().all(|name| !labels.has(name)) {
        return vec![LinesColumn::Own];
    }
    let cell = |(column, name): (usize, &String)| LinesColumn::Cell {
        column_name: labels.of(name).into_owned(),
        column,
    };
    names.enumerate().map(cell).collect()
}

/// All of the fact's own columns as values.
fn own_values(bound: &mut Bound) -> Vec<LinesColumn> {
    let names = bound.fact.columns.clone();
    let fact = quoted_name(&bound.fact.name).text;
    let column = |(column, column_name): (usize, String)| {
        let text = format!("{fact}.{}", quoted_name(&column_name).text);
        let written = Written::in_option("columns", &text, 0..text.len());
        let (reference, at) = (Reference::Column(column), written.at_all());
        bound.note(&Use { reference, at, needed: None });
        let column_name = bound.labels.of(&column_name).into_owned();
        LinesColumn::Value { column_name, written, form: ColumnForm::default() }
    };
    names.into_iter().enumerate().map(column).collect()
}

/// A name that is known to be right, as a formula.
pub(super) fn quoted_name(name: &str) -> Written {
    let text = format!("\"{}\"", name.replace('"', "\"\""));
    Written::in_option("columns", &text, 0..text.len())
}

/// Whether reading a column of the fact changes its numbers.
fn has_unit(bound: &Bound, column: usize) -> bool {
    let declared = bound.fact.column_use.declared(column);
    declared.way.scale.is_some() || declared.declared == Some(ColumnType::Percent)
}
