//! Slices on a real Spark: a master and two workers on the loopback address, one of them killed in mid-run.
//!
//! `INTERLIGO_TEST_SPARK` names a Python that has the package `pyspark`, which is all of Spark; it needs Java besides. Without
//! it these tests report that they were left out.
#![cfg(unix)]

use std::fs::File;
use std::net::TcpListener;
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use tempfile::TempDir;

use crate::support::{Folder, SALES, shop};

/// How long is waited for what Spark does.
const LONGEST: Duration = Duration::from_secs(240);

struct Spark {
    python: String,
    home: PathBuf,
    folder: TempDir,
    master: String,
    /// The master, then its workers.
    processes: Vec<Child>,
}

impl Spark {
    /// None where there is no Spark, which is reported.
    fn installed() -> Option<(String, PathBuf)> {
        let python = std::env::var("INTERLIGO_TEST_SPARK").ok().filter(|path| !path.is_empty());
        let Some(python) = python else {
            println!("left out: INTERLIGO_TEST_SPARK names no Python with Spark");
            return None;
        };
        let asked = "import os, pyspark; print(os.path.dirname(pyspark.__file__))";
        let said = Command::new(&python).args(["-c", asked]).output().unwrap();
        let home = String::from_utf8(said.stdout).unwrap();
        Some((python, home.trim().into()))
    }

    fn start(workers: usize) -> Option<Spark> {
        let (python, home) = Spark::installed()?;
        let port = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
        let master = format!("spark://127.0.0.1:{port}");
        let folder = TempDir::new().unwrap();
        let mut spark = Spark { python, home, folder, master, processes: Vec::new() };
        let port = port.to_string();
        let own = ["--host", "127.0.0.1", "--webui-port", "0", "--port", &port];
        spark.process("org.apache.spark.deploy.master.Master", &own);
        for number in 0..workers {
            let place = spark.folder.path().join(format!("work-{number}"));
            let (place, master) = (place.to_string_lossy().into_owned(), spark.master.clone());
            let own =
                ["--host", "127.0.0.1", "--webui-port", "0", "--cores", "1", "--memory", "1g"];
            let all: Vec<&str> = own.into_iter().chain(["--work-dir", &place, &master]).collect();
            spark.process("org.apache.spark.deploy.worker.Worker", &all);
        }
        let log = spark.folder.path().join("log-0");
        until("the workers are known to their master", || {
            std::fs::read_to_string(&log).unwrap().matches("Registering worker").count() == workers
        });
        Some(spark)
    }

    /// Starts a part of Spark, in a process group of its own.
    fn process(&mut self, class: &str, arguments: &[&str]) {
        let log = self.folder.path().join(format!("log-{}", self.processes.len()));
        let log = File::create(log).unwrap();
        let mut command = Command::new(self.home.join("bin/spark-class"));
        command.arg(class).args(arguments).envs(environment(&self.python, &self.home));
        command.stdin(Stdio::null()).stdout(log.try_clone().unwrap()).stderr(log);
        self.processes.push(command.process_group(0).spawn().unwrap());
    }

    fn kill(&mut self, process: usize) {
        let process = &mut self.processes[process];
        // With what it has started.
        let group = format!("-{}", process.id());
        let _ = Command::new("kill").args(["-9", "--", &group]).stderr(Stdio::null()).status();
        let _ = process.wait();
    }
}

impl Drop for Spark {
    fn drop(&mut self) {
        (0..self.processes.len()).rev().for_each(|process| self.kill(process));
    }
}

fn environment(python: &str, home: &Path) -> Vec<(&'static str, String)> {
    vec![
        ("SPARK_HOME", home.to_string_lossy().into_owned()),
        ("SPARK_LOCAL_IP", "127.0.0.1".to_owned()),
        ("PYSPARK_PYTHON", python.to_owned()),
        ("PYSPARK_DRIVER_PYTHON", python.to_owned()),
    ]
}

fn until(what: &str, is_so: impl Fn() -> bool) {
    let start = Instant::now();
    while !is_so() {
        assert!(start.elapsed() < LONGEST, "it took too long until {what}");
        std::thread::sleep(Duration::from_millis(50));
    }
}

const OUTPUTS: &str = "\n[outputs.lines]\nto = \"out/lines.csv\"\n\
     [outputs.totals]\nto = \"out/totals.csv\"\nby = [\"month(day)\"]\nshow = [\"lines\", \"revenue\"]\n";

fn lines(count: u32) -> String {
    let line = |n: u32| {
        let item = ["A", "B"][n as usize % 2];
        format!("{n},2025-0{}-1{},{item},{}\n", 1 + n % 3, n % 9, n % 7)
    };
    let head = SALES.lines().next().unwrap_or_default();
    format!("{head}\n{}", (1..count).map(line).collect::<String>())
}

fn outputs(folder: &Folder) -> Vec<Vec<u8>> {
    ["out/lines.csv", "out/totals.csv"]
        .map(|file| std::fs::read(folder.path().join(file)).unwrap_or_default())
        .to_vec()
}

#[test]
fn a_cluster_that_loses_a_machine_comes_to_a_single_run() {
    let Some(mut spark) = Spark::start(2) else { return };
    let mut folder = shop(OUTPUTS);
    folder.put("sales.csv", lines(400_000).as_bytes());
    assert_eq!(folder.run(&["run"]).exit_status(), 0);
    let single = outputs(&folder);
    std::fs::remove_dir_all(folder.path().join("out")).unwrap();
    let arguments = ["run", "--on", &spark.master, "--into", "work", "--slices", "24"];
    let mut command = folder.command(&arguments);
    command.envs(environment(&spark.python, &spark.home));
    let running = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let done = || {
        let slices = (1..=24).map(|k| folder.path().join(format!("work/slice-{k:03}")));
        slices.filter(|slice| slice.is_dir()).count()
    };
    until("some slices are done", || done() >= 3);
    let left = 24 - done();
    spark.kill(2);
    let came = running.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&came.stderr).into_owned();
    assert_eq!(came.status.code(), Some(0), "{said}");
    assert!(left > 2, "the machine was lost while there was work: {left}");
    assert!(String::from_utf8_lossy(&came.stdout).contains("399,999"), "{came:?}");
    assert_eq!(outputs(&folder), single);
}

#[test]
fn what_goes_wrong_on_a_cluster_is_told_in_a_sentence() {
    let Some((python, home)) = Spark::installed() else { return };
    let mut folder = shop(OUTPUTS);
    folder.put("sales.csv", lines(20_000).as_bytes());
    let run = |folder: &Folder, master: &str, home: &Path| {
        let arguments = ["run", "--on", master, "--into", "work", "--slices", "2"];
        let mut command = folder.command(&arguments);
        let came = command.envs(environment(&python, home)).output().unwrap();
        (came.status.code(), String::from_utf8_lossy(&came.stderr).into_owned())
    };
    let (status, said) = run(&folder, "local[2]", Path::new("/nowhere"));
    assert_eq!(status, Some(3), "{said}");
    assert!(said.contains("`spark-submit` was not found"), "{said}");
    let (status, said) = run(&folder, "spark:/wrong", &home);
    assert_eq!(status, Some(3), "{said}");
    assert!(
        said.contains("Spark did not run the slices: ") && said.contains("spark.log"),
        "{said}"
    );
    assert!(!said.contains("\tat "), "no stack of calls: {said}");
    // What the program says on a machine is what is told.
    let places = "[outputs.few]\nto = \"out/few.parquet\"\ncolumns = [{ name = \"q\", value = \"quantity\", places = 0 }]\n";
    let mut folder = shop(&format!("{OUTPUTS}{places}"));
    folder.put("sales.csv", format!("{}20000,2025-01-01,A,1.5\n", lines(20_000)).as_bytes());
    let (status, said) = run(&folder, "local[2]", &home);
    assert_eq!(status, Some(3), "{said}");
    assert!(said.contains("slice 2 ended with this:"), "{said}");
    assert!(said.contains("`1.5` of `q` at sales.csv:20001 has more decimal places"), "{said}");
    assert_eq!(outputs(&folder), [b"".to_vec(), b"".to_vec()]);
}
