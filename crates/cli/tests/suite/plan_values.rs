//! Values of a plan: texts in braces, and others in their place.

use crate::support::{Folder, SALES, shop};

fn monthly() -> Folder {
    let mut folder = shop("");
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let plan = plan.replace(
        "name = \"Small\"",
        "name = \"Small, {period}\"\nvalues = { period = \"2025-01\", who = \"A\" }",
    );
    let plan = plan.replace("from = \"sales.csv\"", "from = \"sales_{period}.csv\"");
    let outputs = "\n[outputs.lines]\nto = \"lines_{period}.csv\"\n\
                   [outputs.mine]\nby = [\"day\"]\nshow = [\"quantity\"]\nwhere = \"item = '{who}'\"\n";
    folder.put("interligo.toml", format!("{plan}{outputs}").as_bytes());
    folder.put("sales_2025-01.csv", SALES.as_bytes());
    folder.put("sales_2025-02.csv", SALES.replace("A,2", "A,9").as_bytes());
    folder
}

#[test]
fn values_stand_in_paths_and_conditions_and_others_can_be_set() {
    let folder = monthly();
    let mut came = folder.run(&["run"]).status(0);
    assert!(came.printed().contains("Small, 2025-01"), "{}", came.printed());
    assert!(came.take_file("lines_2025-01.csv").contains("A,2"));
    let mut came = folder.run(&["run", "--set", "period=2025-02"]).status(0);
    assert!(came.take_file("lines_2025-02.csv").contains("A,9"));
    let of = |who: &str| {
        let set = format!("who={who}");
        let came = folder.run(&["totals", "mine", "--format", "csv", "--set", &set]).status(0);
        came.printed().to_owned()
    };
    assert_ne!(of("A"), of("B"));
    // The last of several counts.
    let came =
        folder.run(&["totals", "mine", "--format", "csv", "--set", "who=A", "--set", "who=B"]);
    assert_eq!(came.printed(), of("B"));
}

#[test]
fn what_is_no_value_is_refused() {
    let mut folder = monthly();
    for (set, said) in [
        ("peroid=2025-02", "the plan has no value `peroid` to set"),
        ("period=2025'02", "the value `period` has a quote, a backslash or a control character"),
        ("period", "write a name, = and a text: period=2025-04"),
        ("period=2026-01", "sales_2026-01.csv"),
    ] {
        let came = folder.run(&["run", "--set", set]);
        assert_ne!(came.exit_status(), 0, "{set}");
        assert!(came.said().contains(said), "{set} {}", came.said());
    }
    assert!(folder.run(&["run", "--set", "peroid=1"]).said().contains("did you mean `period`?"));
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    folder.put("interligo.toml", plan.replace("who = \"A\"", "who = \"A'B\"").as_bytes());
    let came = folder.run(&["run"]).status(2);
    assert!(came.said().contains("interligo.toml, line 4"), "{}", came.said());
    came.any_stderr().nothing_else();
}

#[test]
fn a_plan_that_is_changed_keeps_its_values_in_braces() {
    let folder = monthly();
    let added = ["link", "add", "sales.item -> products.sku", "--as", "again", "--anyway"];
    let came = folder.run(&added);
    assert_eq!(came.exit_status(), 0, "{}", came.said());
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    assert!(plan.contains("as = \"again\""), "{plan}");
    assert!(plan.contains("sales_{period}.csv") && plan.contains("'{who}'"), "{plan}");
}
