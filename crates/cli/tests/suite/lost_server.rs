//! A server that is lost just when a run commits: with the commit on its way, or with its answer. Whoever comes next asks the
//! server, and completes all outputs or takes all of them back.
#![cfg(unix)]

use std::io::{Read, Write};
use std::net::Shutdown;
use std::os::unix::net::{UnixListener, UnixStream};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;

use tempfile::TempDir;

use crate::destinations::{json_quantity, outputs, sqlite};
use crate::server::Schema;
use crate::support::{SALES, shop};

/// What is lost.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Lost {
    /// The commit: the server never hears of it.
    Commit,
    /// The answer to it: the server has it.
    Answer,
}

/// Stands between a program and the server, on a socket of its own, and cuts the first connection that commits.
struct Cutting(TempDir);

impl Cutting {
    fn new(server: &Path, lost: Lost) -> Cutting {
        let folder = TempDir::new().unwrap();
        let listener = UnixListener::bind(folder.path().join(".s.PGSQL.5432")).unwrap();
        let (server, has_cut) = (server.to_owned(), Arc::new(AtomicBool::new(false)));
        // It ends with the process of the tests.
        thread::spawn(move || {
            for program in listener.incoming().map_while(Result::ok) {
                let Ok(server) = UnixStream::connect(&server) else { return };
                between(program, server, lost, &has_cut);
            }
        });
        Cutting(folder)
    }

    fn environment(&self) -> [(&'static str, String); 2] {
        let folder = self.0.path().to_string_lossy().into_owned();
        [("PGHOST", folder), ("PGPORT", "5432".to_owned())]
    }
}

/// Passes on what both say, until the first commit.
fn between(program: UnixStream, server: UnixStream, lost: Lost, has_cut: &Arc<AtomicBool>) {
    let (mut from_program, mut to_server) =
        (program.try_clone().unwrap(), server.try_clone().unwrap());
    let (mut from_server, mut to_program) = (server, program);
    let (has_cut, is_cut) = (Arc::clone(has_cut), Arc::new(AtomicBool::new(false)));
    let cuts = Arc::clone(&is_cut);
    thread::spawn(move || {
        let mut said = [0; 8_192];
        while let Ok(length @ 1..) = from_program.read(&mut said) {
            let commits = said[..length].windows(6).any(|word| word == b"COMMIT");
            if commits && !has_cut.swap(true, Ordering::SeqCst) {
                cuts.store(true, Ordering::SeqCst);
                if lost == Lost::Commit {
                    break;
                }
            }
            if to_server.write_all(&said[..length]).is_err() {
                break;
            }
        }
        let _ = to_server.shutdown(Shutdown::Write);
        if cuts.load(Ordering::SeqCst) && lost == Lost::Commit {
            let _ = from_program.shutdown(Shutdown::Both);
        }
    });
    thread::spawn(move || {
        let mut said = [0; 8_192];
        while let Ok(length @ 1..) = from_server.read(&mut said) {
            if is_cut.load(Ordering::SeqCst) || to_program.write_all(&said[..length]).is_err() {
                break;
            }
        }
        let _ = to_program.shutdown(Shutdown::Both);
        let _ = from_server.shutdown(Shutdown::Both);
    });
}

#[test]
fn a_commit_or_its_answer_that_is_lost_leaves_all_or_nothing() {
    let Some(schema) = Schema::new("cut_off") else { return };
    for (lost, expected) in [(Lost::Commit, "15"), (Lost::Answer, "22")] {
        let mut folder = shop(&outputs("cut_off"));
        let first = schema.run(&folder, &["run"], &[]);
        assert!(first.status.success(), "{}", String::from_utf8_lossy(&first.stderr));
        folder.put("sales.csv", SALES.replace("A,2", "A,9").as_bytes());
        let cutting = Cutting::new(&schema.socket(), lost);
        let environment = cutting.environment();
        let more: Vec<(&str, &str)> =
            environment.iter().map(|(name, value)| (*name, value.as_str())).collect();
        let ran = schema.run(&folder, &["run"], &more);
        let said = String::from_utf8_lossy(&ran.stderr).into_owned();
        assert_eq!(ran.status.code(), Some(4), "{lost:?} {said}");
        assert_eq!(json_quantity(&folder).as_deref(), Some("15"), "{lost:?}: nothing was moved");
        // The next command asks the server.
        let next = schema.run(&folder, &["look", "sales"], &[]);
        assert!(next.status.success(), "{lost:?} {}", String::from_utf8_lossy(&next.stderr));
        let copy = sqlite(&folder, "SELECT sum(quantity) FROM lines");
        let all = [schema.quantity(), copy, json_quantity(&folder)].map(Option::unwrap);
        assert_eq!(all, [expected; 3], "{lost:?}");
        let again = schema.run(&folder, &["run"], &[]);
        assert!(again.status.success(), "{lost:?} {}", String::from_utf8_lossy(&again.stderr));
        assert_eq!(schema.quantity().as_deref(), Some("22"), "{lost:?}");
    }
}
