//! A plan with tables in memory, computed in batches of any size.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use arrow_array::StringViewArray;
use interligo_engine::bind::{
    Bound, BoundLookup, ColumnNames, Content, Request, TableColumns, TotalsRequest, bind,
};
use interligo_engine::engine::{Engine, Extent, Sample};
use interligo_engine::lines::{LineBatch, Lines};
use interligo_engine::lookup::{Lookup, RawTable};
use interligo_engine::outputs::{Output, OutputContent};
use interligo_engine::proof::findings::Findings;
use interligo_engine::proof::tally::Tally;
use interligo_engine::proof::tieout::{OutputTally, ReadSide, TieOut};
use interligo_engine::totals::{Cube, Groups, TotalsPlan, TotalsRow, TotalsTable};
use interligo_model::place::Parts;
use interligo_model::plan::{Correction, Mistake, Plan, Written};
use interligo_model::reading::style::{PartStyle, Style};
use interligo_model::row_counts::RowCounts;
use interligo_model::values::cells::Cells;

/// Rows of cells; the first row is the header row. Cells are separated by commas.
pub(crate) type Tables = BTreeMap<&'static str, Vec<Vec<String>>>;

pub(crate) fn table(text: &str) -> Vec<Vec<String>> {
    text.trim_start()
        .lines()
        .map(|row| row.trim().split(',').map(str::to_owned).collect())
        .collect()
}

pub(crate) fn tables(texts: &[(&'static str, &str)]) -> Tables {
    texts.iter().map(|(name, text)| (*name, table(text))).collect()
}

fn columns(rows: &[Vec<String>]) -> Vec<StringViewArray> {
    let column =
        |at: usize| StringViewArray::from_iter_values(rows.iter().map(|row| row[at].as_str()));
    let width = rows.first().map_or(0, Vec::len);
    (0..width).map(column).collect()
}

pub(crate) fn raw(name: &str, rows: &[Vec<String>]) -> RawTable {
    let (column_name, rows) = rows.split_first().unwrap();
    let empty = || column_name.iter().map(|_| StringViewArray::new_null(0)).collect();
    RawTable {
        parts: vec![name.into()],
        styles: vec![PartStyle::default()],
        first_rows: vec![0],
        rows: (2..).take(rows.len()).collect(),
        columns: if rows.is_empty() { empty() } else { columns(rows) },
        ..RawTable::default()
    }
}

fn column_names(tables: &Tables) -> ColumnNames {
    let mut column_names = ColumnNames::default();
    for (name, rows) in tables {
        let columns = TableColumns { names: rows[0].clone(), slots: BTreeSet::new() };
        column_names.0.insert((*name).to_owned(), columns);
    }
    column_names
}

pub(crate) fn totals_request(by: &[&str], show: &[&str]) -> Request {
    let written = |texts: &[&str]| -> Vec<Written> {
        texts.iter().map(|text| Written::in_option("test", text, 0..text.len())).collect()
    };
    let show = (!show.is_empty()).then(|| written(show));
    Request::of_totals(
        "totals",
        TotalsRequest { by: written(by), show, ..TotalsRequest::default() },
    )
}

/// The same over the lines that meet a condition.
pub(crate) fn totals_request_where(by: &[&str], show: &[&str], filter: &str) -> Request {
    let mut request = totals_request(by, show);
    if let Content::Totals(totals) = &mut request.content {
        totals.filter = Some(Written::in_option("test", filter, 0..filter.len()));
    }
    request
}

/// An engine with the outputs that it was asked for.
pub(crate) type Asked = (Engine, Vec<Output>);

/// The plan bound to the tables; the fact is called `sales`.
pub(crate) fn engine(plan: &str, tables: &Tables, by: &[&str], show: &[&str]) -> Asked {
    engine_for(plan, tables, totals_request(by, show))
}

/// The same for any request.
pub(crate) fn engine_for(plan: &str, tables: &Tables, request: Request) -> Asked {
    prepared(&Plan::parse(plan).unwrap(), tables, &[request], Vec::new()).unwrap()
}

/// The same for the outputs of the plan.
pub(crate) fn engine_of_plan(plan: &str, tables: &Tables) -> Asked {
    let plan = Plan::parse(plan).unwrap();
    let requests = Request::of_plan(&plan).unwrap();
    prepared(&plan, tables, &requests, Vec::new()).unwrap()
}

/// The same with keys that are known to be wrong, or what is mistaken.
pub(crate) fn prepared(
    plan: &Plan,
    tables: &Tables,
    requests: &[Request],
    corrections: Vec<Correction>,
) -> Result<Asked, Vec<Mistake>> {
    prepared_with(plan, tables, requests, corrections, Lookup::settle)
}

/// The same with lookups made another way.
pub(crate) fn prepared_with(
    plan: &Plan,
    tables: &Tables,
    requests: &[Request],
    corrections: Vec<Correction>,
    settle: impl Fn(RawTable, &BoundLookup) -> Result<Lookup, Mistake>,
) -> Result<Asked, Vec<Mistake>> {
    Ok(of_all_facts(plan, tables, requests, &corrections, settle)?.remove(0))
}

/// The same of each fact of the plan.
pub(crate) fn of_all_facts(
    plan: &Plan,
    tables: &Tables,
    requests: &[Request],
    corrections: &[Correction],
    settle: impl Fn(RawTable, &BoundLookup) -> Result<Lookup, Mistake>,
) -> Result<Vec<Asked>, Vec<Mistake>> {
    let engine = |mut bound: Bound| {
        bound.corrections = corrections.to_vec();
        let mut lookups = Vec::new();
        for lookup in &bound.lookups {
            let raw = raw(&lookup.name, &tables[lookup.name.as_str()]);
            lookups.push(settle(raw, lookup).map_err(|mistake| vec![mistake])?);
        }
        let lines = columns(&tables[bound.fact.name.as_str()][1..]);
        let sample = |texts| Sample { texts, style: Style::default() };
        let texts = |column| lines.get(column).cloned().map(sample).into_iter().collect();
        let samples: Vec<_> = bound.fact.read_columns().into_iter().map(texts).collect();
        Engine::prepare(bound, lookups, &samples, Extent::Everything)
    };
    let facts = bind(plan, &column_names(tables), requests, &BTreeSet::new())?;
    facts.into_iter().map(engine).collect()
}

/// What becomes of all lines of an engine's fact as one batch.
pub(crate) fn over_all_lines<R>(
    engine: &Engine,
    tables: &Tables,
    then: impl FnOnce(&Lines<'_>) -> R,
) -> R {
    let rows = &tables[engine.bound.fact.name.as_str()][1..];
    let all = columns(rows);
    let cells = |column: &usize| Cow::Owned(Cells::Texts(all[*column].clone()));
    let batch = LineBatch {
        rows: rows.len(),
        columns: engine.read_columns().iter().map(cells).collect(),
        part: 0,
        style: &PartStyle::default(),
        row_of: &|row| u64::from(row) + 2,
    };
    then(&engine.work_out(&batch).unwrap())
}

/// The totals asked for, a plan for each of their sources.
pub(crate) fn totals_plans(outputs: &[Output]) -> Vec<&TotalsPlan> {
    let plans = outputs.iter().filter_map(|output| match &output.content {
        OutputContent::Totals { plan, .. } => Some(plan.as_ref()),
        _ => None,
    });
    plans.collect()
}

/// The sales in batches of these sizes, dealt out to this many workers in turn.
pub(crate) fn run(
    engine: &Asked,
    tables: &Tables,
    sizes: &[usize],
    workers: usize,
) -> (Findings, TotalsTable) {
    let (findings, _, table) = run_both_sides(engine, tables, sizes, workers);
    (findings, table)
}

/// The same with what came out of the reader, which the other side is proved by.
pub(crate) fn run_both_sides(
    (engine, outputs): &Asked,
    tables: &Tables,
    sizes: &[usize],
    workers: usize,
) -> (Findings, ReadSide, TotalsTable) {
    let rows = &tables["sales"][1..];
    let plans = totals_plans(outputs);
    let layout = outputs.iter().find_map(|output| match &output.content {
        OutputContent::Totals { layout, .. } => layout.as_deref(),
        _ => None,
    });
    let layout = layout.expect("the first source has the layout");
    let mut groups: Vec<Vec<Groups<'_>>> =
        (0..workers).map(|_| plans.iter().map(|plan| Groups::new(plan)).collect()).collect();
    let mut findings = Findings::default();
    let mut read = ReadSide::default();
    let mut start = 0;
    for (number, size) in sizes.iter().cycle().enumerate() {
        if start >= rows.len() {
            break;
        }
        let batch = &rows[start..rows.len().min(start + size)];
        let all = columns(batch);
        let cells = |column: usize| Cow::Owned(Cells::Texts(all[column].clone()));
        read.merge(&ReadSide {
            handed: (1, batch.len() as u64),
            taken: (1, batch.len() as u64),
            rows: batch.len() as u64,
            lines: Tally {
                lines: batch.len() as u64,
                marks: 0,
                sums: engine.sums_of_cells(cells, &PartStyle::default()),
            },
            ..ReadSide::default()
        });
        let row_of = move |row: u32| (start + row as usize + 2) as u64;
        let lines = engine
            .work_out(&LineBatch {
                rows: batch.len(),
                columns: engine.read_columns().iter().map(|column| cells(*column)).collect(),
                part: 0,
                style: &PartStyle::default(),
                row_of: &row_of,
            })
            .unwrap();
        groups[number % workers].iter_mut().for_each(|groups| groups.add(&lines).unwrap());
        let counts = RowCounts { read: batch.len() as u64, ..RowCounts::default() };
        findings.absorb(lines.findings);
        findings.parts.entry(0).or_default().absorb(&counts);
        start += size;
    }
    let mut cube = Cube::new(plans[0], layout);
    for (plan, groups) in groups.into_iter().flat_map(|groups| plans.iter().zip(groups)) {
        cube.absorb(plan, groups);
    }
    (findings, read, layout.table(&plans, cube).unwrap())
}

/// All in one batch.
pub(crate) fn run_whole(engine: &Asked, tables: &Tables) -> (Findings, TotalsTable) {
    run(engine, tables, &[usize::MAX >> 1], 1)
}

/// The statement over lines alone.
pub(crate) fn tie_out((engine, _): &Asked, findings: &Findings) -> TieOut {
    let read = ReadSide::default();
    TieOut::new(engine, findings, &Parts(vec!["sales".into()]), read, Vec::new(), None)
}

/// The statement over both sides and the totals.
pub(crate) fn whole_tie_out(
    (engine, _): &Asked,
    (findings, read, table): &(Findings, ReadSide, TotalsTable),
) -> TieOut {
    let written = OutputTally {
        output: "totals".to_owned(),
        tally: table.sources[0].grouped.clone(),
        filtered: table.sources[0].filtered.clone(),
        groups: Some(table.rows.len() as u64),
        not_adding_up: table.not_adding_up().into_iter().map(str::to_owned).collect(),
        ..OutputTally::default()
    };
    let parts = Parts(vec!["sales".into()]);
    TieOut::new(engine, findings, &parts, read.clone(), vec![written], None)
}

/// The totals as rows of text.
pub(crate) fn shown(table: &TotalsTable) -> Vec<Vec<String>> {
    let row = |row: &TotalsRow| row.cells().map(ToString::to_string).collect();
    table.rows.iter().map(row).collect()
}
