//! Any bytes as a file: its format is found and its rows are summed up, or there is a message. Every row
//! that was read is a line, set aside, or left out.

#![no_main]

use std::io::Write;
use std::path::Path;

use interligo_project::{Parallelism, Project, plan_for};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let mut file = tempfile::Builder::new().suffix(".csv").tempfile_in("/dev/shm").unwrap();
    file.write_all(bytes).unwrap();
    let plan = plan_for(file.path().to_str().unwrap()).unwrap();
    let Ok(project) = Project::open_tables(plan, Path::new("/"), |_| true) else { return };
    let name = project.table_names().next().unwrap().to_owned();
    let pace = Parallelism { threads: 1, block: 64 };
    if let Ok(profile) = project.profile(&name, None, pace, &|_, _| {}) {
        let lines = profile.rows.lines() - profile.malformed;
        assert!(profile.columns.iter().all(|column| column.summary.rows == lines));
        assert!(profile.columns.iter().all(|column| {
            let summary = &column.summary;
            summary.blank + summary.fitting <= summary.rows && summary.distinct.count() <= summary.rows
        }));
    }
});
