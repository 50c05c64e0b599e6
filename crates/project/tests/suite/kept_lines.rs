//! Totals from lines that a run kept against totals from the files.

use std::sync::Arc;

use interligo_project::{
    Extent, Job, KeptAnswer, MemoryTable, OnDuplicates, OnStop, OwnTables, Parallelism, Plan,
    Project, Request, RunResult, run,
};
use proptest::prelude::*;

use crate::slices::{PRICES, Row, file, plan, row};
use crate::support::Folder;

fn opened(folder: &Folder) -> Project {
    Project::open_file(&folder.path("interligo.toml")).unwrap()
}

/// The totals of the plan.
fn requests(project: &Project) -> Vec<Request> {
    let mut requests = Request::of_plan(&project.plan).unwrap();
    requests.retain(|request| project.plan.outputs.get(&request.name).unwrap().value.by.is_some());
    requests.iter_mut().for_each(|request| request.to = None);
    requests
}

fn job(project: &Project) -> Job {
    project.prepare(&requests(project), Extent::Everything, OnDuplicates::Stop).unwrap()
}

fn told(project: &Project) -> RunResult {
    let kept = project.kept_lines().expect("the run kept its lines, and nothing has changed");
    let job = kept.prepare(project, &requests(project)).unwrap();
    match kept.answer(project, &job, Parallelism::default()) {
        KeptAnswer::Told(ran) => *ran,
        KeptAnswer::NotKept => panic!("all that totals ask for is kept"),
        KeptAnswer::Damaged(why) => panic!("{why}"),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn prop_totals_from_kept_lines_are_those_of_the_files(
        files in prop::collection::vec((prop::collection::vec(row(), 1..30), any::<[bool; 2]>()), 1..4),
        key in prop::sample::select(vec!["", "key = 'no'\nrepeats = 'last'", "key = 'no'\nrepeats = 'keep'"]),
    ) {
        // Attributes of the lookup too, one of them never blank, which lines on days without a row do not have.
        let more = "[outputs.prices]\nto = 'prices.csv'\nby = ['p.factor', 'p.since']\nshow = ['lines', 'x']\n";
        let plan = format!("[plan]\nkeep-lines = true\n{}{more}", plan(key));
        let folder = Folder::with(&[("interligo.toml", &plan), ("p.csv", PRICES)]);
        for (number, (rows, [title, total])) in files.iter().enumerate() {
            folder.put(&format!("s{number}.csv"), file(rows, *title, *total).as_bytes());
        }
        // What ends the run leaves nothing to ask.
        if opened(&folder).run_outputs().is_ok() {
            let project = opened(&folder);
            let job = job(&project);
            let read = run(&project, &job, Parallelism::default(), OnStop::Stop, &|_, _| {}).unwrap();
            let kept = told(&project);
            prop_assert_eq!(read.outcomes.len(), kept.outcomes.len());
            for (read, kept) in read.outcomes.iter().zip(&kept.outcomes) {
                prop_assert_eq!(&read.totals, &kept.totals);
                prop_assert_eq!(&read.tie_out.ends, &kept.tie_out.ends);
                prop_assert_eq!(&read.tie_out.read, &kept.tie_out.read);
                prop_assert_eq!(&read.findings.blanks, &kept.findings.blanks);
            }
        }
    }
}

/// A folder with some lines, in which a plan was run.
fn ran(plan: &str) -> Folder {
    let folder = Folder::with(&[("interligo.toml", plan), ("p.csv", PRICES)]);
    let rows: Vec<Row> = (0..40)
        .map(|n| Row::Line(n, "A".to_owned(), crate::slices::Note::Plain, 1 + n % 27, 100))
        .collect();
    folder.put("s1.csv", file(&rows, false, false).as_bytes());
    opened(&folder).run_outputs().unwrap();
    folder
}

#[test]
fn lines_are_of_the_files_and_the_plan_as_they_were() {
    let own = format!("[plan]\nkeep-lines = true\n{}", plan(""));
    let folder = ran(&own);
    assert!(opened(&folder).kept_lines().is_some());
    // Outputs say nothing about lines.
    let with_more = format!("{own}[outputs.more]\nto = 'more.csv'\nby = ['note']\n");
    folder.put("interligo.toml", with_more.as_bytes());
    assert!(opened(&folder).kept_lines().is_some());
    let doubled = own.replace("amount * p.factor", "2 * amount * p.factor");
    folder.put("interligo.toml", doubled.as_bytes());
    assert!(opened(&folder).kept_lines().is_none());
    folder.put("interligo.toml", own.as_bytes());
    assert!(opened(&folder).kept_lines().is_some());
    folder.put("p.csv", PRICES.replace("A,2025-01-01,2", "A,2025-01-01,7").as_bytes());
    assert!(opened(&folder).kept_lines().is_none(), "of the same size, and written later");
    opened(&folder).run_outputs().unwrap();
    assert!(opened(&folder).kept_lines().is_some());
    folder.put("s2.csv", b"no,item,note,day,amount\n1,A,b,2025-01-05,1.00\n");
    assert!(opened(&folder).kept_lines().is_none());
}

#[test]
fn lines_are_kept_as_long_as_the_plan_says_so() {
    let own = format!("[plan]\nkeep-lines = true\n{}", plan(""));
    let folder = ran(&own);
    let lines = folder.path(".interligo/interligo/lines");
    assert!(lines.join("about.cbor").is_file());
    folder.put("interligo.toml", plan("").as_bytes());
    opened(&folder).run_outputs().unwrap();
    assert!(!lines.exists());
}

#[test]
fn no_lines_are_kept_of_what_is_in_no_file() {
    let folder = ran(&format!("[plan]\nkeep-lines = true\n{}", plan("")));
    let lines = folder.path(".interligo/interligo/lines");
    assert!(lines.join("about.cbor").is_file());
    let of_program =
        format!("[plan]\nkeep-lines = true\n{}", plan("")).replace("'p.csv'", "'program:p'");
    let rates = MemoryTable::new(["item", "since", "factor"], [["A", "2025-01-01", "2"]]);
    let own = OwnTables::from([("p".to_owned(), Arc::new(rates) as _)]);
    let plan = Plan::parse(&of_program).unwrap();
    let project = Project::open_with(plan, &folder.path(""), &own).unwrap();
    project.run_outputs().unwrap();
    assert!(project.kept_lines().is_none());
    assert!(!lines.exists(), "those of the run before are of other rows");
}

#[test]
fn what_was_kept_and_is_damaged_is_said_to_be() {
    let own = format!("[plan]\nkeep-lines = true\n{}", plan(""));
    let folder = ran(&own);
    let columns = folder.path(".interligo/interligo/lines/fact-0.columns");
    let whole = std::fs::read(&columns).unwrap();
    let answer = || {
        let project = opened(&folder);
        project.kept_lines().unwrap().answer(&project, &job(&project), Parallelism::default())
    };
    assert!(matches!(answer(), KeptAnswer::Told(_)));
    std::fs::write(&columns, &whole[..whole.len() / 2]).unwrap();
    assert!(matches!(answer(), KeptAnswer::Damaged(_)), "cut off");
    std::fs::write(&columns, vec![0; whole.len()]).unwrap();
    assert!(matches!(answer(), KeptAnswer::Damaged(_)), "of nothing but zeros");
    std::fs::remove_file(&columns).unwrap();
    assert!(matches!(answer(), KeptAnswer::Damaged(_)), "gone");
    let about = folder.path(".interligo/interligo/lines/about.cbor");
    std::fs::write(&about, b"\x01").unwrap();
    assert!(opened(&folder).kept_lines().is_none());
}

#[test]
fn no_bit_can_be_another_unseen() {
    let own = format!("[plan]\nkeep-lines = true\n{}", plan(""));
    let folder = ran(&own);
    let project = opened(&folder);
    let job = job(&project);
    for name in ["fact-0.columns", "about.cbor"] {
        let path = folder.path(&format!(".interligo/interligo/lines/{name}"));
        let whole = std::fs::read(&path).unwrap();
        let mut refused = 0;
        for at in 0..whole.len() {
            let mut wrong = whole.clone();
            wrong[at] ^= 1 << (at % 8);
            std::fs::write(&path, &wrong).unwrap();
            refused += match project.kept_lines() {
                None => 1,
                Some(kept) => match kept.answer(&project, &job, Parallelism::default()) {
                    KeptAnswer::Damaged(_) => 1,
                    KeptAnswer::Told(_) | KeptAnswer::NotKept => 0,
                },
            };
        }
        // Columns that the totals do not ask for are not read.
        let unread = if name == "about.cbor" { 0 } else { 150 };
        assert!(refused + unread >= whole.len(), "{name}: {refused} of {}", whole.len());
        std::fs::write(&path, &whole).unwrap();
    }
}
