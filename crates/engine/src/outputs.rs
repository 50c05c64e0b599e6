//! The outputs of an engine, typed, and what they need to know of links.

use interligo_model::formula::parse;
use interligo_model::plan::{ListKind, Mistake, Repeats, Written};
use interligo_model::values::column::ColumnKind;

use crate::bind::{Bound, BoundTotals, LinesColumn, OutputKind, WorkbookRequest};
use crate::engine::{Engine, Extent, Sample};
use crate::eval::{ExprKind, Type, check, kind_of};
use crate::live::LiveLines;
use crate::lookup::Lookup;
use crate::totals::{Layout, MeasureKind, TotalsPlan, kind_shown, shown_of};

/// An output whose types are known.
pub struct Output {
    /// Its name.
    pub name: String,
    /// The file to write.
    pub to: Option<Written>,
    /// The workbook of the plan in which it is a sheet.
    pub workbook: Option<WorkbookRequest>,
    /// What it holds.
    pub content: OutputContent,
}

impl Output {
    /// Whether it is a page.
    pub fn is_page(&self) -> bool {
        matches!(self.content, OutputContent::Page)
    }
}

/// What an output holds.
pub enum OutputContent {
    /// Lines.
    Lines {
        /// The columns.
        columns: Vec<OutputColumn>,
        /// The numbers of the values by which lines go to files of their own.
        slots: Vec<usize>,
        /// What more a sheet with formulas has.
        live: Option<LiveLines>,
    },
    /// Totals: what they ask of this fact, and how the table is laid out; a fact that only adds to the table of
    /// another has no layout.
    Totals {
        /// What is summed.
        plan: Box<TotalsPlan>,
        /// How the table looks.
        layout: Option<Box<Layout>>,
    },
    /// A list, made when all lines are through, and whether it is of this fact alone.
    List(ListKind, bool),
    /// A page, made when all is known.
    Page,
}

/// A column of an output of lines.
pub enum OutputColumn {
    /// All of the fact's own columns, as they were read.
    Own,
    /// One of them, as it was read.
    Cell {
        /// The column name.
        column_name: String,
        /// The column.
        column: usize,
    },
    /// An attribute of a lookup.
    Attribute {
        /// The column name.
        column_name: String,
        /// The link that leads to it.
        link: usize,
        /// The column of the lookup.
        column: usize,
    },
    /// How a link came out.
    LinkStatus {
        /// The column name.
        column_name: String,
        /// The link.
        link: usize,
    },
    /// The row of its lookup to which a link leads, in a sheet of the lookup below its header row.
    LinkRow {
        /// The column name.
        column_name: String,
        /// The link.
        link: usize,
    },
    /// The key by which a link found its row.
    LinkKey {
        /// The column name.
        column_name: String,
        /// The link.
        link: usize,
    },
    /// A value that is computed.
    Value {
        /// The column name.
        column_name: String,
        /// By number among the values of the lines.
        value: usize,
        /// The decimal places written at least, of a number.
        least_places: u8,
        /// What its values are; a number has as many places as its formula can make.
        kind: ColumnKind,
        /// How it is best shown.
        shown: MeasureKind,
    },
}

impl Engine {
    /// An engine for a bound plan, with the outputs that it was asked for.
    ///
    /// `samples` has, for every column of the fact that is read (in the order of
    /// `bound.fact.read_columns()`), texts by which its type is found.
    ///
    /// # Errors
    /// All mistakes in formulas.
    pub fn prepare(
        bound: Bound,
        lookups: Vec<Lookup>,
        samples: &[Vec<Sample>],
        extent: Extent,
    ) -> Result<(Engine, Vec<Output>), Vec<Mistake>> {
        let mut engine = Engine::typed(bound, lookups, samples, extent)?;
        let mut outputs = engine.type_outputs()?;
        if extent == Extent::Needed {
            let exprs = outputs.iter().filter_map(|output| match &output.content {
                OutputContent::Totals { plan, .. } => Some(plan.exprs()),
                _ => None,
            });
            engine.leave_out_unneeded(exprs.flatten());
        }
        engine.measured = engine.measures();
        for output in &mut outputs {
            if let OutputContent::Totals { plan, .. } = &mut output.content {
                plan.prove(&engine);
            }
        }
        Ok((engine, outputs))
    }

    fn type_outputs(&mut self) -> Result<Vec<Output>, Vec<Mistake>> {
        let (mut outputs, mut mistakes) = (Vec::new(), Vec::new());
        let bound_outputs = std::mem::take(&mut self.bound.outputs);
        for output in &bound_outputs {
            let content = match &output.kind {
                OutputKind::Lines(columns, slots) => self.type_lines(columns).and_then(|columns| {
                    let slots = slots.iter().map(|slot| self.type_slot(slot));
                    let slots = slots.collect::<Result<_, _>>()?;
                    Ok(OutputContent::Lines { columns, slots, live: None })
                }),
                OutputKind::List(list, alone) => Ok(OutputContent::List(*list, *alone)),
                OutputKind::Page => Ok(OutputContent::Page),
                OutputKind::Totals(totals) => self.type_totals(totals),
            };
            match content {
                Ok(content) => outputs.push(Output {
                    name: output.name.clone(),
                    to: output.to.clone(),
                    workbook: output.workbook.clone(),
                    content,
                }),
                Err(mistake) => mistakes.push(mistake),
            }
        }
        self.bound.outputs = bound_outputs;
        if !mistakes.is_empty() {
            return Err(mistakes);
        }
        self.add_what_formulas_need(&mut outputs);
        Ok(outputs)
    }

    fn type_totals(&self, totals: &BoundTotals) -> Result<OutputContent, Mistake> {
        let (plan, basis) = TotalsPlan::new(totals, self)?;
        let layout = match &totals.layout {
            Some(layout) => Some(Box::new(Layout::new(layout, totals, basis)?)),
            None => None,
        };
        Ok(OutputContent::Totals { plan: Box::new(plan), layout })
    }

    /// A value by which lines go to files of their own, by number.
    fn type_slot(&mut self, written: &Written) -> Result<usize, Mistake> {
        let expr = check(&parse(written)?, self, written)?;
        self.values.push(expr);
        Ok(self.values.len() - 1)
    }

    /// The columns of a record: of the fact those that are read or computed, each once, and the row of each link.
    fn type_record(&mut self) -> Vec<OutputColumn> {
        let mut typed = Vec::new();
        for read in self.recorded_columns() {
            let expr = self.column_expr(read);
            let (kind, column_name) = (kind_of(expr.ty), self.column_name(read).to_owned());
            self.values.push(expr);
            let (value, shown, least_places) = (self.values.len() - 1, MeasureKind::Other, 0);
            typed.push(OutputColumn::Value { column_name, value, least_places, kind, shown });
        }
        typed.extend((0..self.links.len()).map(|link| OutputColumn::LinkRow {
            column_name: self.bound.routes[link].name.clone(),
            link,
        }));
        typed
    }

    /// The columns of lines that a record has: of those that are read in several ways, the one whose values are used.
    pub fn recorded_columns(&self) -> Vec<usize> {
        let is_used = |read: &usize| {
            let used = self.value_read_of(self.columns[*read]);
            used.is_none_or(|used| used == *read)
        };
        let mut known = std::collections::BTreeSet::new();
        (0..self.columns.len())
            .filter(is_used)
            .filter(|read| known.insert(self.columns[*read]))
            .collect()
    }

    fn type_lines(&mut self, columns: &[LinesColumn]) -> Result<Vec<OutputColumn>, Mistake> {
        let mut typed = Vec::new();
        for column in columns {
            if let LinesColumn::Record = column {
                typed.extend(self.type_record());
                continue;
            }
            if let LinesColumn::Status { route } = column {
                let (name, link) = (&self.bound.routes[*route].name, *route);
                typed
                    .push(OutputColumn::LinkStatus { column_name: format!("{name} status"), link });
                typed.push(OutputColumn::LinkKey { column_name: format!("{name} key"), link });
                continue;
            }
            typed.push(match column {
                LinesColumn::Record | LinesColumn::Status { .. } => {
                    unreachable!("several columns, see above")
                }
                LinesColumn::Own => OutputColumn::Own,
                LinesColumn::Cell { column_name, column } => {
                    OutputColumn::Cell { column_name: column_name.clone(), column: *column }
                }
                LinesColumn::Attribute { column_name, route, column } => OutputColumn::Attribute {
                    column_name: column_name.clone(),
                    link: *route,
                    column: *column,
                },
                LinesColumn::Value { column_name, written, form } => {
                    let expr = check(&parse(written)?, self, written)?;
                    if let (ExprKind::Column(read), Type::Date) = (&expr.kind, expr.ty)
                        && self.timed.contains(&self.columns[*read])
                    {
                        let (column, column_name) = (self.columns[*read], column_name.clone());
                        typed.push(OutputColumn::Cell { column_name, column });
                        continue;
                    }
                    let least_places = self.least_places(&expr);
                    let kind = kind_of(expr.ty);
                    // Whole numbers that are no figures may be codes.
                    let shown = match (&expr.kind, kind) {
                        (ExprKind::Figure(_), _) => shown_of(&expr, self),
                        (_, ColumnKind::Number(0)) => MeasureKind::Other,
                        _ => shown_of(&expr, self),
                    };
                    let kind = match (kind, form.places) {
                        (ColumnKind::Number(_), Some(places)) => ColumnKind::Number(places),
                        _ => kind,
                    };
                    let shown = form.shown.map_or(shown, |shown| kind_shown(shown, expr.ty));
                    self.values.push(expr);
                    let (value, column_name) = (self.values.len() - 1, column_name.clone());
                    OutputColumn::Value { column_name, value, least_places, kind, shown }
                }
            });
        }
        Ok(typed)
    }
}

/// What outputs of lines need to know of links and columns.
impl Engine {
    /// The column of the fact whose days a value is, if it is just that and none has been computed for it.
    pub fn day_column(&self, value: usize) -> Option<usize> {
        match (&self.values[value].kind, self.values[value].ty) {
            (ExprKind::Column(read), Type::Date) => {
                let column = self.columns[*read];
                self.computed_column(column).is_none().then_some(column)
            }
            _ => None,
        }
    }

    /// The columns of an output of lines that are the key of the fact, if it has one and they are all there.
    pub fn key_among(&self, columns: &[OutputColumn]) -> Option<Vec<usize>> {
        let key = self.bound.fact.key.as_ref().filter(|key| key.repeats != Repeats::Keep)?;
        let is_column = |output: &OutputColumn, wanted: usize| match output {
            OutputColumn::Value { value, .. } => match self.values[*value].kind {
                ExprKind::Column(read) => self.columns[read] == wanted,
                _ => false,
            },
            OutputColumn::Cell { column, .. } => *column == wanted,
            _ => false,
        };
        let position = |wanted: &usize| columns.iter().position(|own| is_column(own, *wanted));
        key.columns.iter().map(position).collect()
    }

    /// The link from the fact that a link starts from in the end; itself if it starts there.
    pub fn anchor(&self, link: usize) -> usize {
        self.links[link].parent().map_or(link, |parent| self.anchor(parent))
    }

    /// The figure that a value of an output is, if it is one as it is.
    pub fn figure_of_value(&self, value: usize) -> Option<usize> {
        match self.values[value].kind {
            ExprKind::Figure(figure) => Some(figure),
            _ => None,
        }
    }

    /// The decimal places that sums of an amount are written with at least.
    pub fn amount_places(&self, amount: usize) -> u8 {
        self.readings.get(self.amounts[amount]).map_or(0, |reading| reading.places)
    }

    /// How many rows the columns of a link's lookup have.
    pub fn lookup_rows(&self, link: usize) -> usize {
        self.lookups[self.links[link].lookup].all_rows()
    }

    /// What an attribute says on a line whose anchor found `row`, or none.
    pub fn attribute_text(&self, link: usize, column: usize, row: Option<u32>) -> String {
        let row = self.follow(link, row);
        row.map_or(String::new(), |row| self.lookups[self.links[link].lookup].text(column, row))
    }

    /// The row of a link on a line whose anchor found `row`.
    fn follow(&self, link: usize, row: Option<u32>) -> Option<u32> {
        match self.links[link].parent() {
            None => row,
            Some(parent) => self.links[link].step(self.follow(parent, row)),
        }
    }
}
