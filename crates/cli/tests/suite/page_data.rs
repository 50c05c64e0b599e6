//! Pages of data that nobody would wish for: names that look like markup, figures of any size, too much and too little.

use std::fmt::Write;

use crate::browser::OpenPage;
use crate::support::Folder;

const PLAN: &str = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
key  = "no"
date = "sold_on"
columns = { amount = { type = "number" } }

[figures]
worth = "amount * 1"

[outputs.by_name]
by = ["name"]

[outputs.by_both]
by = ["name", "kind"]
"#;

/// A page of these sales, each a day, a name, a kind and an amount; none where there is no browser.
fn page_of(sales: &[(&str, &str, &str, &str)]) -> Option<(Folder, OpenPage)> {
    let mut text = "no,sold_on,name,kind,amount\n".to_owned();
    for (number, (day, name, kind, amount)) in sales.iter().enumerate() {
        let quoted = |text: &str| format!("\"{}\"", text.replace('"', "\"\""));
        let _ = writeln!(text, "{number},{day},{},{},{amount}", quoted(name), quoted(kind));
    }
    let folder = Folder::with(&[("interligo.toml", PLAN), ("sales.csv", &text)]);
    let output = folder.command(&["report"]).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let mut page = OpenPage::of(&folder.path().join("report.html"))?;
    assert_eq!(page.complaints(), Vec::<String>::new());
    Some((folder, page))
}

const NAMES: &str =
    "[...document.querySelectorAll('#totals-0 table.totals tbody th')].map(own => own.textContent)";

#[test]
fn names_are_text_wherever_they_stand() {
    let long = "very-long-".repeat(50);
    let names = [
        "<script>window.broken = 1</script>",
        "</script><img src=x onerror='window.broken = 1'>",
        "\" onmouseover=\"window.broken = 1",
        "]]> --> <!-- &amp; &lt;",
        "it's a `quote` \\u003c",
        "שלום, ברוכים",
        "🐝🍯 é 漢",
        "a|b|1.5",
        long.as_str(),
    ];
    let sales: Vec<_> = names.iter().map(|name| ("2025-03-05", *name, *name, "1.25")).collect();
    let Some((_folder, mut page)) = page_of(&sales) else { return };
    let mut sorted = names.to_vec();
    sorted.sort_unstable();
    let mut found = page.texts(NAMES);
    found.sort_unstable();
    assert_eq!(found, sorted);
    // The same where the script makes the rows, and what is picked by a bar.
    page.get("(() => { const own = document.querySelector('#period'); own.value = '2025-03'; own.dispatchEvent(new Event('change')); })()");
    let mut made = page.texts(NAMES);
    made.sort_unstable();
    assert_eq!(made, sorted);
    for name in 0..names.len() {
        page.get(&format!("document.querySelectorAll('#totals-0 .group')[{name}].click()"));
        let key = page
            .text(&format!("document.querySelectorAll('#totals-0 .group')[{name}].dataset.key"));
        assert_eq!(page.texts(NAMES), [key.as_str()]);
        page.get(&format!("document.querySelectorAll('#totals-0 .group')[{name}].click()"));
    }
    assert_eq!(page.get("window.broken === undefined"), true);
    assert_eq!(page.complaints(), Vec::<String>::new());
    page.widen(400);
    assert!(page.get("document.documentElement.scrollWidth").as_u64().unwrap() <= 400);
}

#[test]
fn characters_that_are_obeyed_are_shown_as_what_they_are() {
    let sales = [("2025-03-05", "a\u{202e}b\u{1}c", "x", "1"), ("2025-03-05", "d\u{7}", "x", "2")];
    let Some((_folder, mut page)) = page_of(&sales) else { return };
    let mut names = page.texts(NAMES);
    names.sort_unstable();
    assert_eq!(names, ["a\\u202eb\\u0001c", "d\\u0007"]);
}

/// The left end and the width of each bar, in percent of its track.
const BARS: &str = "[...document.querySelectorAll('#totals-0 .fill')].map(own => `${parseFloat(own.style.left).toFixed(1)} ${parseFloat(own.style.width).toFixed(1)}`)";

#[test]
fn bars_begin_at_zero_and_go_below_it() {
    let sales = [
        ("2025-01-01", "most", "x", "30"),
        ("2025-02-01", "least", "x", "-10"),
        ("2025-02-02", "none", "x", "0"),
    ];
    let Some((_folder, mut page)) = page_of(&sales) else { return };
    // From -10 to 30: zero is at a quarter.
    assert_eq!(page.texts(BARS), ["25.0 75.0", "25.0 0.0", "0.0 25.0"]);
    assert_eq!(page.get("document.querySelectorAll('#totals-0 .fill.below').length"), 1);
    // A column below zero hangs from it.
    let columns = "[...document.querySelectorAll('#figures-0 .column')].map(own => { const bar = own.querySelector('.bar'), ground = document.querySelector('#figures-0 .ground').getAttribute('y1'); return `${own.dataset.period} ${bar.getAttribute('y') === ground ? 'down' : 'up'} ${bar.classList.contains('below')}`; })";
    assert_eq!(page.texts(columns), ["2025-01 up false", "2025-02 down true"]);
}

#[test]
fn figures_that_are_unknown_zero_or_far_apart_break_nothing() {
    // Nothing is known.
    let Some((_folder, mut page)) =
        page_of(&[("2025-01-01", "a", "x", ""), ("2025-01-02", "b", "y", "")])
    else {
        return;
    };
    assert!(
        page.text("document.querySelector('#figures-0').textContent")
            .contains("No value of worth is known.")
    );
    assert_eq!(page.texts(NAMES), ["a", "b"]);
    // All is zero, of one period only.
    let Some((_folder, mut page)) =
        page_of(&[("2025-01-01", "a", "x", "0"), ("2025-01-02", "b", "y", "0")])
    else {
        return;
    };
    assert_eq!(page.texts(BARS), ["0.0 0.0", "0.0 0.0"]);
    assert_eq!(page.get("document.querySelectorAll('#figures-0 .column').length"), 1);
    // Nine powers of ten: none vanishes.
    let far = [("2025-01-01", "small", "x", "0.01"), ("2025-01-02", "large", "y", "99999999.99")];
    let Some((_folder, mut page)) = page_of(&far) else { return };
    assert_eq!(page.texts(BARS), ["0.0 100.0", "0.0 0.0"]);
    let wide = "[...document.querySelectorAll('#totals-0 .fill')].map(own => String(own.getBoundingClientRect().width >= 1))";
    assert_eq!(page.texts(wide), ["true", "true"]);
    assert_eq!(
        page.texts(
            "[...document.querySelectorAll('#totals-0 .amount')].map(own => own.textContent)"
        ),
        ["99,999,999.99", "0.01"]
    );
    // More digits than a script's numbers have are summed up all the same.
    let digits = [
        ("2025-01-01", "a", "x", "12345678901234567890.12"),
        ("2025-01-02", "ab", "y", "0.01"),
        ("2025-01-02", "c", "y", "5"),
    ];
    let Some((_folder, mut page)) = page_of(&digits) else { return };
    page.get("(() => { const own = document.querySelector('#totals-0 input') ; own.value = 'a'; own.dispatchEvent(new Event('input')); })()");
    let foot =
        "[...document.querySelector('#totals-0 tfoot tr').cells].map(own => own.textContent)";
    assert_eq!(page.texts(foot), ["rows shown", "2", "12,345,678,901,234,567,890.13"]);
}

#[test]
fn no_line_and_no_figure_make_a_page_as_well() {
    let empty =
        Folder::with(&[("interligo.toml", PLAN), ("sales.csv", "no,sold_on,name,kind,amount\n")]);
    let output = empty.command(&["report"]).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    if let Some(mut page) = OpenPage::of(&empty.path().join("report.html")) {
        assert_eq!(page.complaints(), Vec::<String>::new());
        assert_eq!(page.get("document.querySelectorAll('#period option').length"), 0);
    }
    // Without a figure, lines are shown.
    let bare = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\ndate = \"sold_on\"\n";
    let sales = "sold_on,quantity\n2024-05-01,3\n2025-05-01,4\n";
    let folder = Folder::with(&[("interligo.toml", bare), ("sales.csv", sales)]);
    assert!(folder.command(&["report"]).output().unwrap().status.success());
    if let Some(mut page) = OpenPage::of(&folder.path().join("report.html")) {
        assert_eq!(page.complaints(), Vec::<String>::new());
        let cards = "[...document.querySelectorAll('.cards li')].map(own => own.textContent)";
        assert_eq!(page.texts(cards), ["lines1+0.0 % on 1"]);
    }
    // A fact without a date has no figures through time.
    let undated = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n";
    let folder =
        Folder::with(&[("interligo.toml", undated), ("sales.csv", "item,quantity\nA,3\n")]);
    assert!(folder.command(&["report"]).output().unwrap().status.success());
    if let Some(mut page) = OpenPage::of(&folder.path().join("report.html")) {
        assert_eq!(page.complaints(), Vec::<String>::new());
        assert_eq!(page.get("document.querySelectorAll('.cards, #period').length"), 0);
    }
}

#[test]
fn many_groups_are_shown_in_part_and_all_are_there() {
    let names: Vec<String> = (0..10_000).map(|number| format!("name {number:05}")).collect();
    let sales: Vec<_> =
        names.iter().map(|name| ("2025-03-05", name.as_str(), "x", "1.5")).collect();
    let Some((_folder, mut page)) = page_of(&sales) else { return };
    assert_eq!(page.texts(NAMES).len(), 20);
    assert_eq!(
        page.text("document.querySelector('#totals-0 [role=status]').textContent"),
        "20 shown of 10,000 rows"
    );
    page.get("(() => { const own = document.querySelector('#totals-0 input'); own.value = '09999'; own.dispatchEvent(new Event('input')); })()");
    assert_eq!(page.texts(NAMES), ["name 09999"]);
    page.get("document.querySelectorAll('#totals-0 thead button')[0].click(); document.querySelectorAll('#totals-0 thead button')[0].click(); (() => { const own = document.querySelector('#totals-0 input'); own.value = ''; own.dispatchEvent(new Event('input')); })()");
    assert_eq!(page.texts(NAMES)[0], "name 09999");
}
