//! Any bytes in place of what a run left behind: its record, the lines that it kept, a division into slices and what a slice came
//! to. What reads them says what is wrong, or comes to an answer.

#![no_main]

use std::path::{Path, PathBuf};

use interligo_project::{
    CompareOptions, Extent, Job, OnDuplicates, OnStop, Parallelism, Project, Slices, divide, join, run_slice,
};
use libfuzzer_sys::fuzz_target;
use tempfile::TempDir;

const PLAN: &str = "[tables.s]\nrole = 'fact'\nfrom = 's.csv'\nkey = 'no'\n[tables.p]\nfrom = 'p.csv'\nkey = 'item'\n\
     [[link]]\npath = 's.item -> p.item'\nmissing = 'set-aside'\n[figures]\nx = 'amount * p.factor'\n\
     [outputs.lines]\nto = 'lines.csv'\n[outputs.totals]\nto = 'totals.csv'\nby = ['item']\n";

const SALES: &str =
    "no,item,day,amount\n1,A,2025-01-02,1.50\n2,B,2025-01-09,20\n3,C,2025-02-01,3\n3,C,2025-02-01,3\n";

const PACE: Parallelism = Parallelism { threads: 1, block: 64 };

/// A folder with what a run left behind, and of each of these files what was in it. The plan and its tables stay as they are, so
/// that they are read once.
struct Left {
    _folder: TempDir,
    project: Project,
    job: Job,
    files: Vec<(PathBuf, Vec<u8>)>,
}

fn opened(folder: &Path) -> Project {
    Project::open_file(&folder.join("interligo.toml")).unwrap()
}

fn job(project: &Project) -> Job {
    let requests = project.run_requests().unwrap();
    project.prepare(&requests, Extent::Everything, OnDuplicates::Stop).unwrap()
}

fn folder(more: &str) -> TempDir {
    let folder = TempDir::new_in("/dev/shm").unwrap();
    let (plan, products) = (format!("{more}{PLAN}"), "item,factor\nA,2\nB,0.5\n");
    for (name, text) in [("interligo.toml", plan.as_str()), ("s.csv", SALES), ("p.csv", products)] {
        std::fs::write(folder.path().join(name), text).unwrap();
    }
    folder
}

impl Left {
    fn with(folder: TempDir, names: &[&str]) -> Left {
        let path = |name: &&str| folder.path().join(name);
        let files = names.iter().map(path).map(|path| (path.clone(), std::fs::read(path).unwrap()));
        let files = files.collect();
        let project = opened(folder.path());
        Left { files, job: job(&project), project, _folder: folder }
    }

    /// Two runs that a record is kept of.
    fn by_runs() -> Left {
        let folder = folder("[plan]\nkeep-runs = 2\nkeep-lines = true\n");
        opened(folder.path()).run_outputs().unwrap();
        opened(folder.path()).run_outputs().unwrap();
        let own = ["runs/1/run.json", "runs/1/fact-0.csv.zst", "last-run.json", "lines/about.cbor", "lines/fact-0.columns"];
        let own = own.map(|name| format!(".interligo/interligo/{name}"));
        Left::with(folder, &own.each_ref().map(String::as_str))
    }

    /// A run in two slices.
    fn by_slices() -> Left {
        let folder = folder("");
        let (project, slices) = (opened(folder.path()), folder.path().join("slices"));
        let job = job(&project);
        let into = Slices { slices: 2, lines_by_slice: false };
        let division = divide(&project, &job, into, &slices, PACE, &|_, _| {}).unwrap();
        for slice in 1..=2 {
            run_slice(&project, &job, &division, (&slices, slice), PACE, &|_, _| {}).unwrap();
        }
        let own = ["slices.json", "repeats-0.cbor", "slice-001/record.cbor", "slice-002/lines-0.cbor", "slice-002/lines-0.bytes"];
        let own = own.map(|name| format!("slices/{name}"));
        Left::with(folder, &own.each_ref().map(String::as_str))
    }

    /// Lets `read` meet a file of which some bytes are others, or all of what is compressed in it.
    fn spoilt(&self, (which, at, bytes): (u8, u16, &[u8]), read: impl FnOnce(&Project, &Job)) {
        let (path, whole) = &self.files[usize::from(which) % self.files.len()];
        let mut content = whole.clone();
        let at = usize::from(at) % (whole.len() + 1);
        content.splice(at..(at + bytes.len()).min(whole.len()), bytes.iter().copied());
        if path.extension().is_some_and(|ending| ending == "zst") {
            content = zstd::encode_all(bytes, 1).unwrap();
        }
        std::fs::write(path, content).unwrap();
        read(&self.project, &self.job);
        std::fs::write(path, whole).unwrap();
    }
}

thread_local! {
    static LEFT: [Left; 2] = [Left::by_runs(), Left::by_slices()];
}

fuzz_target!(|input: (bool, u8, u16, &[u8])| {
    let (sliced, which, at, bytes) = input;
    LEFT.with(|[by_runs, by_slices]| match sliced {
        false => by_runs.spoilt((which, at, bytes), |project, job| {
            let _ = project.kept_runs();
            let _ = project.compare(&[], &CompareOptions::default());
            if let Some(kept) = project.kept_lines() {
                let _ = kept.answer(project, job, PACE);
            }
        }),
        true => by_slices.spoilt((which, at, bytes), |project, job| {
            let slices = project.folder().join("slices");
            let _ = join(project, job, &slices, PACE, OnStop::Report, &|_, _| {});
        }),
    });
});
