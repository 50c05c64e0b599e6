//! A folder with files, and what a run or a check of its plan comes to, in this process.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};

use interligo_engine::proof::tieout::TieOut;
use interligo_project::{
    Checked, Division, Error, Extent, Job, OnClosed, OnDuplicates, OnStop, Parallelism, Project,
    Request, RunResult, RunRules, Slices, divide, join, pool, read_plan, run, run_slice,
};
use tempfile::TempDir;

/// A folder with a plan and its files.
pub(crate) struct Folder(TempDir);

/// What a run came to.
#[must_use]
pub(crate) struct Ran {
    pub(crate) result: Result<RunResult, Error>,
    /// The files that it wrote, by path.
    pub(crate) files: BTreeMap<String, String>,
}

impl Folder {
    pub(crate) fn with(files: &[(&str, &str)]) -> Folder {
        let folder = Folder(TempDir::new().unwrap());
        files.iter().for_each(|(path, content)| folder.put(path, content.as_bytes()));
        folder
    }

    pub(crate) fn put(&self, path: &str, content: &[u8]) {
        std::fs::write(self.0.path().join(path), content).unwrap();
    }

    fn plan(&self) -> PathBuf {
        self.0.path().join("interligo.toml")
    }

    /// Runs the plan with usual blocks.
    pub(crate) fn run(&self) -> Ran {
        self.run_with(2, 1 << 19)
    }

    /// Runs the plan on this many threads, with blocks of this many bytes. Each run is the first.
    pub(crate) fn run_with(&self, threads: usize, block: usize) -> Ran {
        let _ = std::fs::remove_dir_all(self.0.path().join(".interligo"));
        let before = self.contents();
        let pool = pool(threads).unwrap();
        let result = pool.install(|| {
            let plan = read_plan(&self.plan()).map_err(|(error, _)| error)?;
            let project = Project::open(plan, self.0.path())?;
            let requests = Request::of_plan(&project.plan)?;
            let job = project.prepare(&requests, Extent::Everything, OnDuplicates::Stop)?;
            let parallelism = Parallelism { block, ..Parallelism::default() };
            run(&project, &job, parallelism, OnStop::Stop, &|_, _| {})
        });
        let mut files = self.contents();
        files.retain(|path, content| before.get(path) != Some(content));
        // What the next run writes again must be new.
        files.keys().for_each(|path| std::fs::remove_file(self.0.path().join(path)).unwrap());
        Ran { result, files }
    }

    /// Divides a run of the plan into slices, with blocks of this many bytes, runs them from the last to the first, and joins
    /// them.
    pub(crate) fn run_in_slices(&self, slices: usize, block: usize) -> Ran {
        self.run_divided(Slices { slices, lines_by_slice: false }, block)
    }

    /// The same, into slices that may leave their lines in files of their own.
    pub(crate) fn run_divided(&self, into_slices: Slices, block: usize) -> Ran {
        let slices = into_slices.slices;
        let _ = std::fs::remove_dir_all(self.0.path().join(".interligo"));
        let before = self.contents();
        let into = TempDir::new().unwrap();
        let parallelism = Parallelism { block, ..Parallelism::default() };
        let ready = || -> Result<(Project, Job), Error> {
            let plan = read_plan(&self.plan()).map_err(|(error, _)| error)?;
            let project = Project::open(plan, self.0.path())?;
            let requests = Request::of_plan(&project.plan)?;
            let job = project.prepare(&requests, Extent::Everything, OnDuplicates::Stop)?;
            Ok((project, job))
        };
        let result = pool(2).unwrap().install(|| {
            let (project, job) = ready()?;
            let read = AtomicU64::new(0);
            let progress = |bytes, _| {
                read.fetch_add(bytes, Ordering::Relaxed);
            };
            divide(&project, &job, into_slices, into.path(), parallelism, &progress)?;
            assert!(read.into_inner() > 0, "whoever waits is told how far it is");
            for slice in (1..=slices).rev() {
                // Each has a process of its own in life, and its blocks need not be those of the division.
                let (project, job) = ready()?;
                let parallelism = Parallelism { block: block / 2 + 1, ..parallelism };
                let division = Division::read(into.path(), &project)?;
                let own = (into.path(), slice);
                assert!(run_slice(&project, &job, &division, own, parallelism, &|_, _| {})?);
            }
            let (project, job) = ready()?;
            join(&project, &job, into.path(), parallelism, OnStop::Stop, &|_, _| {})
        });
        let mut files = self.contents();
        files.retain(|path, content| before.get(path) != Some(content));
        files.keys().for_each(|path| std::fs::remove_file(self.0.path().join(path)).unwrap());
        Ran { result, files }
    }

    /// Runs the plan as the program does, after the runs before it: with the records that it keeps.
    pub(crate) fn run_on(&self) {
        self.project().run_outputs().unwrap();
    }

    /// The same, with what becomes of it where lines of closed periods are not as they were.
    pub(crate) fn run_closed(&self, on_closed: OnClosed) -> Result<RunResult, Error> {
        let project = self.project();
        let job =
            project.prepare(&project.run_requests()?, Extent::Everything, OnDuplicates::Stop)?;
        let rules = RunRules { on_closed, ..OnStop::Stop.into() };
        run(&project, &job, Parallelism::default(), rules, &|_, _| {})
    }

    /// Writes some outputs of the plan, and no record.
    pub(crate) fn run_some(&self, outputs: &[&str]) {
        let project = self.project();
        let mut requests = Request::of_plan(&project.plan).unwrap();
        requests.retain(|request| outputs.contains(&request.name.as_str()));
        let job = project.prepare(&requests, Extent::Everything, OnDuplicates::Stop).unwrap();
        run(&project, &job, Parallelism::default(), OnStop::Stop, &|_, _| {}).unwrap();
    }

    /// Removes a folder with all that is in it.
    pub(crate) fn remove_folder(&self, path: &str) {
        std::fs::remove_dir_all(self.0.path().join(path)).unwrap();
    }

    /// The path of a file.
    pub(crate) fn path(&self, path: &str) -> PathBuf {
        self.0.path().join(path)
    }

    /// The content of a file.
    pub(crate) fn content(&self, path: &str) -> String {
        std::fs::read_to_string(self.0.path().join(path)).unwrap()
    }

    /// Whether a file is there.
    pub(crate) fn has(&self, path: &str) -> bool {
        self.0.path().join(path).exists()
    }

    /// The plan, opened.
    pub(crate) fn project(&self) -> Project {
        Project::open_file(&self.plan()).unwrap()
    }

    /// Checks the plan.
    pub(crate) fn check(&self) -> Checked {
        Project::open_file(&self.plan()).and_then(|project| project.check_all()).unwrap()
    }

    fn contents(&self) -> BTreeMap<String, String> {
        let mut found = BTreeMap::new();
        let mut folders = vec![self.0.path().to_owned()];
        while let Some(folder) = folders.pop() {
            for entry in std::fs::read_dir(folder).unwrap() {
                let path = entry.unwrap().path();
                if path.is_dir() {
                    if !path.ends_with(".interligo") {
                        folders.push(path);
                    }
                    continue;
                }
                let content = std::fs::read(&path).unwrap();
                found.insert(self.name(&path), String::from_utf8_lossy(&content).into_owned());
            }
        }
        found
    }

    fn name(&self, path: &Path) -> String {
        path.strip_prefix(self.0.path()).unwrap().to_string_lossy().into_owned()
    }
}

impl Ran {
    /// The sentence with which it ended; nothing where it came to its end.
    pub(crate) fn error(&self) -> String {
        self.result.as_ref().err().map_or(String::new(), ToString::to_string)
    }

    /// The tie-outs of the facts.
    pub(crate) fn tie_outs(&self) -> Vec<&TieOut> {
        let result = self.result.as_ref().unwrap_or_else(|error| panic!("{error}"));
        result.outcomes.iter().map(|outcome| &outcome.tie_out).collect()
    }

    /// A file that was written.
    pub(crate) fn file(&self, path: &str) -> &str {
        self.files.get(path).unwrap_or_else(|| panic!("no {path}: {}", self.error()))
    }

    /// The names of the files that were written.
    pub(crate) fn written(&self) -> Vec<&str> {
        self.files.keys().map(String::as_str).collect()
    }

    /// All that can be told of it, without what tells into which blocks its lines were cut.
    pub(crate) fn all_but_blocks(&self) -> (String, String, &BTreeMap<String, String>) {
        let (error, ties, files) = self.all();
        let mut told = format!("{ties:#?}");
        for of_blocks in ["marks: ", "handed: (\n", "taken: (\n"] {
            let mut pieces = told.split(of_blocks).map(str::to_owned).collect::<Vec<_>>();
            for piece in &mut pieces[1..] {
                let digits = piece.trim_start_matches(|c: char| c.is_whitespace());
                *piece = digits.trim_start_matches(|c: char| c.is_ascii_digit()).to_owned();
            }
            told = pieces.join(of_blocks);
        }
        (error, told, files)
    }

    /// All that can be told of it.
    pub(crate) fn all(&self) -> (String, Option<Vec<&TieOut>>, &BTreeMap<String, String>) {
        (self.error(), self.result.is_ok().then(|| self.tie_outs()), &self.files)
    }
}
