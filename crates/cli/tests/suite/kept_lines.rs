//! `totals` and `report` from the lines that the last run kept: the same as from the files, and said to be.

use crate::support::{Folder, SALES, shop};

const OUTPUT: &str = "\n[outputs.lines]\nto = \"lines.csv\"\n";

/// Lookups in every form that questions may ask for: texts, numbers, days.
fn keeping(more: &str) -> Folder {
    let mut folder = shop("");
    let plan = crate::support::PLAN.replacen("[plan]", "[plan]\nkeep-lines = true", 1);
    let plan = plan.replace(
        "path = \"sales.item -> products.sku\"",
        &format!("path = \"sales.item -> products.sku\"\n{more}"),
    );
    folder.put("interligo.toml", format!("{plan}{OUTPUT}").as_bytes());
    folder.run(&["run", "--quiet"]).ended(0);
    folder
}

fn from_kept(said: &str) -> bool {
    let first = said.lines().next().unwrap_or_default();
    first.starts_with("From the lines of the run of 20")
        && first.ends_with("; --fresh reads the files again.")
}

/// What a question comes to; both ways.
fn asked(folder: &Folder, question: &[&str]) -> String {
    let kept = folder.run(question);
    assert!(from_kept(kept.said()), "{question:?}: {}", kept.said());
    let read = folder.run(&[question, &["--fresh"]].concat());
    assert_eq!(kept.said().split_once('\n').unwrap().1, read.said(), "{question:?}");
    assert_eq!(kept.printed(), read.printed(), "{question:?}");
    assert_eq!(kept.exit_status(), 0);
    kept.printed().to_owned()
}

#[test]
fn questions_are_answered_as_from_the_files() {
    for more in
        ["", "missing = \"set-aside\"", "missing = \"fill\"\nfill = { name = \"other\", cost = 1 }"]
    {
        let folder = keeping(more);
        for question in [
            &["totals"][..],
            &["totals", "--by", "products.name", "--show", "lines,revenue,margin"],
            &[
                "totals",
                "--by",
                "products.name > item",
                "--across",
                "month(day)",
                "--show",
                "profit",
            ],
            &["totals", "--by", "prices.price", "--show", "avg(products.cost),median(quantity)"],
            &[
                "totals",
                "--by",
                "month(prices.until)",
                "--show",
                "count(distinct products.name),min(day)",
            ],
            &["totals", "--where", "products.cost > 1 and revenue > 3", "--by", "item"],
            &[
                "totals",
                "--by",
                "month(day)",
                "--show",
                "share(revenue),running(revenue)",
                "--format",
                "csv",
            ],
            &["totals", "--by", "item", "--format", "json"],
            &["totals", "--by", "item", "--having", "quantity > 3", "--show", "quantity"],
        ] {
            let table = asked(&folder, question);
            assert!(table.lines().count() > 1, "{table}");
        }
    }
}

#[test]
fn the_lines_that_are_summed_are_those_that_were_kept() {
    let mut folder = keeping("");
    let before = asked(&folder, &["totals", "--show", "quantity"]);
    // Same size, and the time is set back: the one change that is not seen.
    let sales = folder.path().join("sales.csv");
    let time = std::fs::metadata(&sales).unwrap().modified().unwrap();
    folder.put("sales.csv", SALES.replace(",B,4", ",B,9").as_bytes());
    let file = std::fs::File::options().write(true).open(&sales).unwrap();
    file.set_modified(time).unwrap();
    let kept = folder.run(&["totals", "--show", "quantity"]);
    assert_eq!(kept.printed(), before);
    let read = folder.run(&["totals", "--show", "quantity", "--fresh"]);
    assert_ne!(read.printed(), before);
    read.ended(0);
    kept.ended(0);
}

#[test]
fn what_the_run_did_not_keep_is_read() {
    let folder = keeping("");
    let came = folder.run(&["totals", "--by", "no", "--show", "quantity", "--format", "csv"]);
    assert_eq!(came.said(), "", "no figure, link or output needs the number of a line");
    assert_eq!(came.printed().lines().count(), 6);
    came.ended(0);
}

#[test]
fn a_question_that_is_wrong_is_refused_as_ever() {
    let folder = keeping("");
    let question = ["totals", "--by", "products.nmae"];
    let (kept, read) = (folder.run(&question), folder.run(&[&question[..], &["--fresh"]].concat()));
    assert_eq!(kept.said(), read.said());
    assert!(kept.said().contains("nmae"), "{}", kept.said());
    kept.ended(2);
    read.ended(2);
}

#[test]
fn lines_that_are_damaged_are_read_anew() {
    let folder = keeping("");
    let columns = folder.path().join(".interligo/interligo/lines/fact-0.columns");
    let mut bytes = std::fs::read(&columns).unwrap();
    let right = asked(&folder, &["totals", "--show", "quantity"]);
    bytes.truncate(3);
    std::fs::write(&columns, bytes).unwrap();
    let came = folder.run(&["totals", "--show", "quantity"]);
    assert!(
        came.said().starts_with("The lines that the last run kept are damaged ("),
        "{}",
        came.said()
    );
    assert_eq!(came.printed(), right);
    came.ended(0);
}

#[test]
fn a_page_is_made_of_lines_that_a_run_with_a_page_kept() {
    let mut folder = keeping("");
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let plan = format!(
        "{plan}\n[outputs.page]\nto = \"page.html\"\n[outputs.items]\nto = \"items.csv\"\nby = [\"products.name\"]\n"
    );
    folder.put("interligo.toml", plan.as_bytes());
    // The run before looked less closely than a page needs.
    assert_eq!(folder.run(&["report"]).said(), "");
    folder.run(&["run", "--quiet"]).ended(0);
    let (mut kept, mut read) = (
        folder.run(&["report", "--to", "a.html"]),
        folder.run(&["report", "--to", "b.html", "--fresh"]),
    );
    assert!(from_kept(kept.said()), "{}", kept.said());
    assert_eq!(read.said(), "");
    let minutes = |page: String| {
        let at = page.find("made 20").expect("a page says when it was made");
        page[..at].to_owned() + &page[at + "made 2026-01-01 00:00".len()..]
    };
    assert_eq!(minutes(kept.take_file("a.html")), minutes(read.take_file("b.html")));
}
