//! Totals over the lines of several facts: each line is in the groups of its own fact, and no total is repeated.

use interligo_engine::bind::Request;
use interligo_engine::lookup::Lookup;
use interligo_engine::outputs::{Output, OutputContent};
use interligo_engine::totals::{Cube, Groups, TotalsTable};
use interligo_model::plan::{Mistake, Plan};

use crate::support::{Tables, of_all_facts, over_all_lines, shown, tables, totals_plans};

const PLAN: &str = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.budget]\nrole = 'fact'\nfrom = 'b.csv'\n\
     [tables.products]\nfrom = 'p.csv'\nkey = 'sku'\n[tables.groups]\nfrom = 'g.csv'\nkey = 'code'\n\
     [[link]]\npath = 'sales.item -> products.sku'\n[[link]]\npath = 'products.family -> groups.code'\n\
     [[link]]\npath = 'budget.family -> groups.code'\n\
     [figures]\nrevenue = 'quantity * products.price'\nplanned = { formula = 'target * 2', of = 'budget' }\n\
     [shared.when]\nsales = 'month(day)'\nbudget = 'period'\n[bands.size]\nof = 'quantity'\nedges = [3]\n";

fn shop() -> Tables {
    tables(&[
        (
            "sales",
            "item,day,quantity,lines\nA,2025-01-05,2,7\nB,2025-01-06,3,7\nA,2025-02-05,4,7\nX,2025-02-06,5,7",
        ),
        (
            "budget",
            "family,period,target\nhive,2025-01,10\nwax,2025-02,20\nhive,2025-03,40\nnone,2025-01,80",
        ),
        ("products", "sku,family,price\nA,hive,1.50\nB,wax,2"),
        ("groups", "code,name\nhive,Hives\nwax,Wax\nveil,Veils"),
    ])
}

/// The table of an output of totals, or what is mistaken.
fn table(settings: &str) -> Result<TotalsTable, Vec<Mistake>> {
    let text = format!("{PLAN}[outputs.totals]\nto = 't.csv'\n{settings}\n");
    let plan = Plan::parse(&text).unwrap();
    let requests = Request::of_plan(&plan).map_err(|mistake| vec![mistake])?;
    let engines = of_all_facts(&plan, &shop(), &requests, &[], Lookup::settle)?;
    let all: Vec<&Output> = engines.iter().flat_map(|(_, outputs)| outputs).collect();
    let layout = all.iter().find_map(|output| match &output.content {
        OutputContent::Totals { layout, .. } => layout.as_deref(),
        _ => None,
    });
    let layout = layout.unwrap();
    let plans: Vec<_> = engines.iter().flat_map(|(_, outputs)| totals_plans(outputs)).collect();
    let first = plans.iter().find(|plan| plan.source() == 0).unwrap();
    let mut cube = Cube::new(first, layout);
    for (engine, outputs) in &engines {
        over_all_lines(engine, &shop(), |lines| {
            for plan in totals_plans(outputs) {
                let mut groups = Groups::new(plan);
                groups.add(lines).unwrap();
                cube.absorb(plan, groups);
            }
        });
    }
    Ok(layout.table(&plans, cube).unwrap())
}

fn rows(settings: &str) -> Vec<String> {
    match table(settings) {
        Ok(table) => {
            let whole: Vec<String> = table.whole.cells().map(ToString::to_string).collect();
            shown(&table).into_iter().chain([whole]).map(|row| row.join(" ")).collect()
        }
        Err(mistakes) => mistakes.iter().map(|own| own.message.clone()).collect(),
    }
}

#[test]
fn each_fact_adds_its_own_lines() {
    for (settings, expected) in [
        (
            "by = ['groups.name']\nshow = ['revenue', 'budget.target', 'budget.planned']",
            vec!["Hives 9.00 50 100", "Wax 6.00 20 40", "  80 160", "15.00 150 300"],
        ),
        (
            "by = ['when']\nshow = ['lines', 'revenue', 'budget.target', 'budget.lines']",
            vec!["2025-01 2 9.00 90 2", "2025-02 2 6.00 20 1", "2025-03   40 1", "4 15.00 150 4"],
        ),
        (
            "by = ['groups.name > when']\nversus = ['revenue', 'budget.target']",
            vec![
                "Hives 9.00 50 -41.00 -0.82",
                "Hives 2025-01 3.00 10 -7.00 -0.7",
                "Hives 2025-02 6.00  6.00 ",
                "Hives 2025-03  40 -40 -1",
                "Wax 6.00 20 -14.00 -0.7",
                "Wax 2025-01 6.00  6.00 ",
                "Wax 2025-02  20 -20 -1",
                "  80 -80 -1",
                " 2025-01  80 -80 -1",
                " 2025-02    ",
                "15.00 150 -135.00 -0.9",
            ],
        ),
        (
            "by = ['when']\nshow = ['revenue', 'budget.target']\nwhere = \"when >= '2025-02'\"",
            vec!["2025-02 6.00 20", "2025-03  40", "6.00 60"],
        ),
        (
            "by = ['quarter(when)']\nshow = ['revenue', 'budget.target']",
            vec!["`quarter` needs a date, `when` is a period (month)"],
        ),
        (
            "by = ['item']\nshow = ['revenue', 'budget.target']",
            vec![
                "`budget` does not have `item`, and no total is repeated in its place: no figure or column of `budget` is called `item`",
            ],
        ),
        (
            "by = ['item']\nshow = ['revenue', 'budget.target']\nnot-shared = 'blank'",
            vec!["A 9.00 ", "B 6.00 ", "X  ", "  150", "15.00 150"],
        ),
        (
            "by = ['when']\nshow = ['revenue', 'budget.target']\nwhere = 'quantity > 2'",
            vec![
                "`budget` does not have `quantity > 2`, and no total is repeated in its place: no figure or column of `budget` is called `quantity`",
            ],
        ),
        (
            "by = ['groups.name']\nshow = ['sales.lines', 'lines']",
            vec!["Hives 14 2", "Wax 7 1", " 7 1", "28 4"],
        ),
        ("by = ['size']\nshow = ['revenue']", vec!["under 3 3.00", "3 and over 12.00", "15.00"]),
        (
            "by = ['size']\nshow = ['revenue', 'budget.target']",
            vec![
                "`budget` does not have `size`, and no total is repeated in its place: no figure or column of `budget` is called `size`",
            ],
        ),
        ("by = ['when']\nshow = ['budget.revenue']", vec!["`budget` has no column `revenue`"]),
        (
            "by = ['when']\nshow = ['planned', 'revenue']",
            vec!["no figure or column of `sales` is called `planned`"],
        ),
        (
            "by = ['when']\nshow = ['avg(budget.target)', 'share(budget.target)', 'count(revenue)']",
            vec![
                "2025-01 45 0.6 2",
                "2025-02 20 0.133333333333 1",
                "2025-03 40 0.266666666667 ",
                "37.5 1 3",
            ],
        ),
        (
            "by = ['when']\nof = 'budget'",
            vec!["2025-01 2 180", "2025-02 1 40", "2025-03 1 80", "4 300"],
        ),
        (
            "by = ['groups.name']\nshow = ['revenue', 'budget.target']\nsort = ['-budget.target']\ntop = 1",
            vec!["  80", "15.00 70", "15.00 150"],
        ),
    ] {
        assert_eq!(rows(settings), expected, "{settings}");
    }
}
