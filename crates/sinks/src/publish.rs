//! The files of a run appear together or not at all, also when the process dies on the way.
//!
//! All are written beside their places and on the disk before the first is moved. A journal then says what is to be
//! moved where; the word `go` at its end, once that is on the disk, decides. Whoever finds a journal with it completes the
//! moves; whoever finds one without it removes what was written. A move that is refused brings all former files back, which
//! the word `back` says. Until all is done, former files are kept under a second name.
//!
//! Where a run also fills tables of a server, the commit of its transaction decides instead: the journal names the mark that
//! the transaction leaves, and whoever finds a journal without `go` asks the server for it. A server that does not answer
//! leaves all as it is. Other servers have their rows beside the tables until then, and put them into their places after it,
//! each in one transaction that leaves the mark as well.

use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use crate::crash::step;
use interligo_sources::refusal::refusal;

use crate::error::{Error, OutputErrorKind};
use crate::output_file::{OutputFile, appearing};
use crate::transactions::{Decision, Following, Servers, Transactions, Undecided};

/// What became of a run that died while its files appeared.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Recovered {
    /// It had decided: its files are there now.
    Completed,
    /// It had not: its files are gone, and the former ones are there.
    Undone,
    /// It is not known, and nothing was moved or removed: why.
    InDoubt(String),
}

/// What is to be moved.
#[derive(Debug, Default, Serialize, Deserialize)]
struct Journal {
    moves: Vec<Move>,
    /// The transaction that decides, where there is one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    decision: Option<Decision>,
    /// What is to be put into its place on other servers.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    following: Vec<Following>,
}

/// A file that takes the place of another, or goes.
#[derive(Debug, Serialize, Deserialize)]
struct Move {
    /// The new file; none where the former one just goes.
    part: Option<Name>,
    to: Name,
    /// The second name of the former file; none where there is none.
    former: Option<Name>,
}

/// A path in a journal; one that is no text as its bytes.
#[derive(Debug, Serialize, Deserialize)]
#[serde(untagged)]
enum Name {
    Text(String),
    Bytes(Vec<u8>),
}

impl From<&Path> for Name {
    fn from(path: &Path) -> Name {
        match path.to_str() {
            Some(text) => Name::Text(text.to_owned()),
            None => Name::Bytes(path.as_os_str().as_encoded_bytes().to_vec()),
        }
    }
}

impl Name {
    fn path(&self) -> PathBuf {
        match self {
            Name::Text(text) => text.into(),
            #[cfg(unix)]
            Name::Bytes(bytes) => {
                use std::os::unix::ffi::OsStrExt;
                std::ffi::OsStr::from_bytes(bytes).into()
            }
            #[cfg(not(unix))]
            Name::Bytes(bytes) => String::from_utf8_lossy(bytes).into_owned().into(),
        }
    }
}

/// How a journal ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum End {
    /// Nothing was decided.
    Open,
    Go,
    Back,
}

/// Lets files appear, and others go, together. The journal lies at `journal` meanwhile, and nobody else uses it: its
/// `lock` is held.
///
/// # Errors
/// A file cannot be written or moved; all are as they were then.
pub fn publish(
    mut files: Vec<OutputFile>,
    gone: &[PathBuf],
    journal: &Path,
    lock: Option<&Path>,
    transactions: Transactions,
    servers: &dyn Servers,
) -> Result<(), Error> {
    files.iter_mut().try_for_each(OutputFile::complete)?;
    let (moved, poured): (Vec<OutputFile>, Vec<OutputFile>) =
        files.into_iter().partition(|file| file.target().is_some());
    // A device or pipe may refuse what it is given, or let it wait, and cannot be brought back: it comes before what can,
    // and a signal still ends the run.
    poured.into_iter().try_for_each(OutputFile::pour)?;
    let _lock = lock.and_then(hold);
    let _whole = appearing();
    step("complete");
    let Transactions { decides, mut follow } = transactions;
    let plan = Journal {
        moves: moves(&moved, gone),
        decision: decides.as_ref().map(|decides| decides.decision().clone()),
        following: follow.iter().map(|follow| follow.following().clone()).collect(),
    };
    let failed = |error: std::io::Error| Error::io(journal, &error);
    let mut writing = write_journal(journal, &plan).map_err(failed)?;
    step("journal");
    if let Err((path, error)) = plan.keep_former() {
        plan.undo();
        let _ = std::fs::remove_file(journal);
        return Err(Error::io(&path, &error));
    }
    step("former");
    if let Some(mut decides) = decides {
        let beside = follow.iter_mut().try_for_each(|follow| follow.commit_beside());
        step("beside");
        match beside.map_err(Undecided::Refused).and_then(|()| decides.decide()) {
            Ok(()) => step("committed"),
            Err(Undecided::Refused(error)) => {
                plan.undo();
                // Without its journal nobody would know of rows that stayed on a server.
                if plan.discard(servers).is_ok() {
                    let _ = std::fs::remove_file(journal);
                }
                return Err(error);
            }
            // The next command asks the server; until then all stays as it is.
            Err(Undecided::Unknown(error)) => {
                moved.into_iter().for_each(OutputFile::leave);
                return Err(error);
            }
        }
        return carry_on(&plan, writing, moved, (journal, servers));
    }
    let decided = writing.write_all(b"go\n").and_then(|()| writing.sync_all());
    step("go");
    let done = match decided {
        Ok(()) => plan.carry_out(),
        Err(error) => Err((journal.to_owned(), error)),
    };
    if let Err((path, error)) = done {
        let _ = writing.write_all(b"back\n").and_then(|()| writing.sync_all());
        step("back");
        plan.bring_back();
        let _ = std::fs::remove_file(journal);
        return Err(Error::io(&named(&moved, &path), &error));
    }
    step("moved");
    plan.forget_former();
    step("forgotten");
    let _ = std::fs::remove_file(journal);
    step("done");
    Ok(())
}

/// Moves the files of a run whose transaction is committed: there is no way back. What cannot be moved now is left to the
/// next command.
fn carry_on(
    plan: &Journal,
    mut writing: File,
    moved: Vec<OutputFile>,
    (journal, servers): (&Path, &dyn Servers),
) -> Result<(), Error> {
    // Without it the next command asks the server.
    let _ = writing.write_all(b"go\n").and_then(|()| writing.sync_all());
    step("go");
    let half_done = |path: &Path, why: &str| {
        let reason = format!("{why}; the database has its tables of the run already");
        Error::new(OutputErrorKind::HalfDone, path, reason)
    };
    if let Err((path, error)) = plan.carry_out() {
        let path = named(&moved, &path);
        moved.into_iter().for_each(OutputFile::leave);
        return Err(half_done(&path, &refusal(&error)));
    }
    step("moved");
    plan.swap(servers).map_err(|error| half_done(&error.path, &error.reason))?;
    plan.forget_former();
    let _ = std::fs::remove_file(journal);
    step("done");
    Ok(())
}

/// The name by which the plan knows a file.
fn named(files: &[OutputFile], target: &Path) -> PathBuf {
    let own = files.iter().find(|file| file.target() == Some(target));
    own.map_or(target, OutputFile::path).to_owned()
}

/// Completes or undoes what a run that died had begun.
pub fn recover(journal: &Path, lock: Option<&Path>, servers: &dyn Servers) -> Option<Recovered> {
    if !journal.exists() {
        return None;
    }
    // Whoever is at work has the lock; when it is free, the journal is gone or nobody's.
    let _lock = lock.and_then(hold);
    let text = std::fs::read_to_string(journal).ok()?;
    let (plan, mut end) = read_journal(&text);
    if let (Some(decision), End::Open) = (&plan.decision, end) {
        match servers.was_decided(decision) {
            Ok(true) => end = End::Go,
            Ok(false) => {}
            Err(error) => return Some(Recovered::InDoubt(error.to_string())),
        }
    }
    let in_doubt = |why: Error| Some(Recovered::InDoubt(why.to_string()));
    let recovered = match end {
        End::Go if plan.decision.is_some() => {
            if let Err((path, error)) = plan.carry_out() {
                return in_doubt(Error::io(&path, &error));
            }
            if let Err(error) = plan.swap(servers) {
                return in_doubt(error);
            }
            plan.forget_former();
            Recovered::Completed
        }
        // A move that is refused now was not refused then; better all as it was than half.
        End::Go if plan.carry_out().is_ok() => {
            plan.forget_former();
            Recovered::Completed
        }
        End::Go | End::Back => {
            plan.bring_back();
            Recovered::Undone
        }
        End::Open => {
            if let Err(error) = plan.discard(servers) {
                return in_doubt(error);
            }
            plan.undo();
            Recovered::Undone
        }
    };
    std::fs::remove_file(journal).ok()?;
    Some(recovered)
}

/// Holds the lock of a plan until it is dropped. Without a place for it nothing is locked.
fn hold(path: &Path) -> Option<File> {
    let file = File::options().create(true).truncate(false).write(true).open(path).ok()?;
    file.lock().ok()?;
    Some(file)
}

fn write_journal(path: &Path, journal: &Journal) -> std::io::Result<File> {
    let mut text = serde_json::to_vec(journal)?;
    text.push(b'\n');
    let mut file = File::create(path)?;
    file.write_all(&text)?;
    file.sync_all()?;
    sync_folder(path);
    Ok(file)
}

/// A journal whose first line is not whole was never decided, and moved nothing.
fn read_journal(text: &str) -> (Journal, End) {
    let mut lines = text.lines();
    let journal = lines.next().and_then(|line| serde_json::from_str(line).ok());
    let Some(journal) = journal else { return (Journal::default(), End::Open) };
    let end = match (lines.next(), lines.next()) {
        (Some("go"), Some("back")) => End::Back,
        (Some("go"), _) => End::Go,
        _ => End::Open,
    };
    (journal, end)
}

/// Lets the disk take the names in the folder of a file.
fn sync_folder(path: &Path) {
    if let Some(folder) = path.parent()
        && let Ok(folder) = File::open(folder)
    {
        let _ = folder.sync_all();
    }
}

/// The moves of new files and of those that go.
fn moves(files: &[OutputFile], gone: &[PathBuf]) -> Vec<Move> {
    let former = |to: &Path, number: usize| {
        let name = to.file_name()?.to_string_lossy().into_owned();
        let former = to.with_file_name(format!(".interligo-{name}-{number}.former"));
        to.exists().then(|| Name::from(former.as_path()))
    };
    let mut moves = Vec::new();
    for file in files {
        let Some(to) = file.target() else { continue };
        let former = former(to, moves.len());
        moves.push(Move { part: Some(file.part().into()), to: to.into(), former });
    }
    for to in gone {
        if let Some(former) = former(to, moves.len()) {
            moves.push(Move { part: None, to: to.as_path().into(), former: Some(former) });
        }
    }
    moves
}

type Refused = (PathBuf, std::io::Error);

impl Journal {
    /// Gives former files a second name.
    fn keep_former(&self) -> Result<(), Refused> {
        for step in &self.moves {
            let Some(former) = &step.former else { continue };
            let (to, former) = (step.to.path(), former.path());
            let _ = std::fs::remove_file(&former);
            // Where a file cannot have two names, it is copied.
            let kept = std::fs::hard_link(&to, &former)
                .or_else(|_| std::fs::copy(&to, &former).map(|_| ()));
            kept.map_err(|error| (to, error))?;
        }
        Ok(())
    }

    /// Moves what is not moved yet.
    fn carry_out(&self) -> Result<(), Refused> {
        for (number, own) in self.moves.iter().enumerate() {
            let to = own.to.path();
            let moved = match &own.part {
                Some(part) if part.path().exists() => std::fs::rename(part.path(), &to),
                Some(_) => Ok(()),
                None => match std::fs::remove_file(&to) {
                    Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(()),
                    other => other,
                },
            };
            moved.map_err(|error| (to, error))?;
            step(&format!("move-{number}"));
        }
        self.moves.iter().for_each(|own| sync_folder(&own.to.path()));
        Ok(())
    }

    /// Puts what is beside its place on other servers there, where that was not done.
    fn swap(&self, servers: &dyn Servers) -> Result<(), Error> {
        self.following.iter().enumerate().try_for_each(|(number, following)| {
            servers.swap(following)?;
            step(&format!("swap-{number}"));
            Ok(())
        })
    }

    /// Removes what is beside its place on other servers.
    fn discard(&self, servers: &dyn Servers) -> Result<(), Error> {
        self.following.iter().try_for_each(|following| servers.discard(following))
    }

    fn forget_former(&self) {
        for former in self.moves.iter().filter_map(|own| own.former.as_ref()) {
            let _ = std::fs::remove_file(former.path());
        }
    }

    /// Brings former files back to their places, and removes new ones.
    fn bring_back(&self) {
        for own in &self.moves {
            let to = own.to.path();
            let part = own.part.as_ref().map(Name::path);
            let is_moved = part.as_ref().is_none_or(|part| !part.exists());
            match own.former.as_ref().map(Name::path) {
                Some(former) if is_moved && former.exists() => {
                    let _ = std::fs::rename(former, &to);
                }
                None if is_moved => {
                    let _ = std::fs::remove_file(&to);
                }
                _ => {}
            }
        }
        self.undo();
    }

    /// Removes what was written beside, of moves that were not made.
    fn undo(&self) {
        for own in &self.moves {
            for beside in [&own.part, &own.former].into_iter().flatten() {
                let _ = std::fs::remove_file(beside.path());
            }
        }
        self.moves.iter().for_each(|own| sync_folder(&own.to.path()));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::transactions::servers;

    fn published(files: Vec<OutputFile>, gone: &Path, journal: &Path) -> Result<(), Error> {
        publish(files, &[gone.to_owned()], journal, None, Transactions::default(), servers())
    }

    #[test]
    fn a_move_that_is_refused_leaves_all_files_as_they_were() {
        let folder = tempfile::TempDir::new().unwrap();
        let at = |name: &str| folder.path().join(name);
        let started = |name: &str| {
            let mut file = OutputFile::create(&at(name), "plan").unwrap();
            file.write(b"new").unwrap();
            file
        };
        std::fs::write(at("one"), "old").unwrap();
        std::fs::write(at("gone"), "old").unwrap();
        let files = ["one", "two", "three"].map(started).into();
        // A folder has come in the way since the file was begun.
        std::fs::create_dir_all(at("three/full")).unwrap();
        let error = published(files, &at("gone"), &at("journal")).unwrap_err();
        assert!(error.to_string().contains("three"), "{error}");
        let text = |name: &str| std::fs::read_to_string(at(name)).ok();
        assert_eq!((text("one").as_deref(), text("gone").as_deref()), (Some("old"), Some("old")));
        let mut names: Vec<_> =
            std::fs::read_dir(folder.path()).unwrap().map(|e| e.unwrap().file_name()).collect();
        names.sort();
        assert_eq!(names, ["gone", "one", "three"]);
        std::fs::remove_dir_all(at("three")).unwrap();
        published(["one", "three"].map(started).into(), &at("gone"), &at("journal")).unwrap();
        assert_eq!((text("one").as_deref(), text("three").as_deref()), (Some("new"), Some("new")));
        assert_eq!(text("gone"), None);
    }

    #[test]
    fn a_journal_that_was_cut_off_moves_nothing() {
        let folder = tempfile::TempDir::new().unwrap();
        let at = |name: &str| folder.path().join(name);
        let whole = format!(
            "{{\"moves\":[{{\"part\":{:?},\"to\":{:?},\"former\":null}}]}}\ngo\n",
            at("part"),
            at("to"),
        );
        for length in 0..=whole.len() {
            std::fs::write(at("part"), "new").unwrap();
            std::fs::write(at("journal"), &whole[..length]).unwrap();
            let recovered = recover(&at("journal"), None, servers()).unwrap();
            let is_there = at("to").exists();
            assert_eq!(recovered == Recovered::Completed, is_there, "{length}");
            // The line end after `go` need not have reached the disk.
            assert_eq!(is_there, length + 1 >= whole.len(), "{length}");
            assert!(!at("journal").exists());
            let _ = std::fs::remove_file(at("to"));
        }
    }
}
