//! `closed` in a plan, as its users see it: a refused run with its bridge, and `run --reopen`.

use crate::support::{Folder, PRICES, SALES, shop_but};

/// The small shop, closed up to February, and run once.
fn closed() -> Folder {
    let mut folder = shop_but("name = \"Small\"", "name = \"Small\"\nclosed = \"2025-02\"", "");
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let keyed = plan.replace("role = \"fact\"", "role = \"fact\"\nkey  = \"no\"");
    folder.put("interligo.toml", keyed.as_bytes());
    let came = folder.run(&["run"]);
    assert_eq!(
        came.said(),
        "note: closed up to 2025-02: 3 lines in closed/interligo/1, kept from now on\n"
    );
    came.ended(0);
    folder
}

#[test]
fn a_run_on_closed_lines_ends_with_the_bridge() {
    let mut folder = closed();
    // What it holds against the record is not kept where the plan keeps no records of runs.
    folder
        .run(&["runs"])
        .stdout("No record is kept: add keep-runs = 3 to [plan], and run.\n")
        .ended(0);
    assert!(!folder.path().join(".interligo/interligo/runs/1/run.json").exists());
    folder.put("sales.csv", SALES.replace("2,2025-02-10,A,3", "2,2025-02-10,A,5").as_bytes());
    folder.put("prices.csv", PRICES.replace("1.25", "1.20").as_bytes());
    let came = folder.run(&["run"]);
    let (said, bridge) = came.said().split_once("\nclosed/interligo/1 (").unwrap();
    assert_eq!(
        said,
        "error: closed lines, up to 2025-02, are not as they were: 1 with another value
  fix: put the data back; `interligo run --reopen` accepts them, and the former record stays

  closed line  what      was  is
  ──────────────────────────────
  2            revenue  3.75   6
"
    );
    for part in [
        "  files changed: prices.csv, sales.csv\n\nsales: 3 lines, then 3\n\n  revenue ",
        "  own column quantity: 3 → 5                 1       +2.50\n",
        "  value prices.price: A from 2025-02-01      1       -0.25\n",
        "  +2.25 in all\n",
        "  +0.80 in all\n",
    ] {
        assert!(bridge.contains(part), "{part} in {bridge}");
    }
    assert!(bridge.ends_with("\n\nNothing was written.\n"), "{bridge}");
    came.ended(1);
    let came = folder.run(&["run", "--reopen"]);
    assert_eq!(
        came.said(),
        "note: closed up to 2025-02: 3 lines in closed/interligo/2, the former record stays in closed/interligo/1\n"
    );
    came.ended(0);
    // Both records are compared like runs.
    let came = folder.run(&["compare", "closed/interligo/1", "closed/interligo/2"]);
    assert!(came.printed().contains("+2.25 in all"), "{}", came.printed());
    let came = folder.run(&["run"]);
    assert_eq!(came.said(), "");
    came.ended(0);
}

#[test]
fn a_record_that_is_gone_and_a_period_that_is_none_are_told() {
    let mut folder = closed();
    std::fs::remove_dir_all(folder.path().join("closed")).unwrap();
    folder
        .run(&["run"])
        .stderr(
            "error: the record of closed periods, `closed/interligo`, is missing\n  \
             fix: bring it back: it is kept like the plan; `interligo run --reopen` makes one of the data as they are now\n",
        )
        .ended(1);
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    folder.put("interligo.toml", plan.replace("2025-02", "2025-14").as_bytes());
    let came = folder.run(&["run"]);
    for said in ["error: `2025-14` is no period\n", "closed = \"2025-14\"", "\"2025-Q1\""] {
        assert!(came.said().contains(said), "{}", came.said());
    }
    came.ended(2);
}
