//! The page of the demo in a browser: what can be done on it, by whom.

use std::sync::LazyLock;

use serde_json::Value;

use crate::browser::OpenPage;
use crate::support::Folder;

/// The demo of a month later, with its page.
fn demo() -> Folder {
    let folder = Folder::with(&[]);
    for arguments in [
        &["demo"][..],
        &["demo", "mielo", "--next-month"],
        &["report", "--plan", "mielo/interligo.toml", "--to", PAGE],
    ] {
        let output = folder.command(arguments).output().unwrap();
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    }
    folder
}

const PAGE: &str = "report.html";

/// A folder with the page of the demo, and the page opened; none where there is no browser. It is made once for all tests.
fn opened() -> Option<(Folder, OpenPage)> {
    static MADE: LazyLock<Vec<u8>> =
        LazyLock::new(|| std::fs::read(demo().path().join(PAGE)).unwrap());
    let mut folder = Folder::with(&[]);
    folder.put(PAGE, &MADE);
    let page = OpenPage::of(&folder.path().join(PAGE))?;
    Some((folder, page))
}

/// The totals of the demo as JSON.
fn totals(demo: &Folder, arguments: &[&str]) -> Value {
    let plan = ["--plan", "mielo/interligo.toml", "--format", "json"];
    let output = demo.command(&[&["totals"], arguments, &plan].concat()).output().unwrap();
    serde_json::from_slice(&output.stdout).unwrap()
}

/// The texts of a column of a table as they are shown.
fn column(table: &str, at: usize) -> String {
    format!(
        "[...document.querySelectorAll('{table} tbody tr')].map(row => row.cells[{at}].textContent)"
    )
}

const TOP: &str = "#totals-3 table.totals";

#[test]
fn nothing_is_asked_for_and_nothing_goes_wrong() {
    let Some((folder, mut page)) = opened() else { return };
    assert_eq!(page.complaints(), Vec::<String>::new());
    assert!(std::fs::metadata(folder.path().join(PAGE)).unwrap().len() < 2_000_000);
    // It has no address that a browser would load.
    let loads = "[...document.querySelectorAll('[src], link[href], object, iframe, image, use')]\
                 .map(own => own.getAttribute('src') ?? own.getAttribute('href') ?? own.outerHTML)";
    assert_eq!(page.texts(loads), ["data:,"]);
    let text = std::fs::read_to_string(folder.path().join(PAGE)).unwrap();
    assert!(!text.contains("url(") && !text.contains("@import"));
    // What would be loaded is refused by the policy of the page.
    let blocked = "fetch('http://127.0.0.1:9/').then(() => 'loaded', () => 'refused')";
    assert_eq!(page.text(blocked), "refused");
    assert!(page.complaints().iter().any(|own| own.contains("Content Security Policy")));
}

#[test]
fn figures_are_those_that_totals_print() {
    let folder = demo();
    let Some(mut page) = OpenPage::of(&folder.path().join(PAGE)) else { return };
    let names = ["by_group", "by_size", "budget", "top_products", "year_before"];
    for (number, name) in names.iter().enumerate() {
        // All rows are shown.
        page.get(&format!(
            "(() => {{ const more = () => document.querySelector('#totals-{number} .tools button:not([hidden])');\
             while (more()) more().click(); }})()"
        ));
        let read = |rows: &str| {
            format!(
                "[...document.querySelectorAll('#totals-{number} table.totals {rows} td:not([dir])')].map(cell => \
                 cell.dataset.v ?? (cell.textContent === '·' ? '' : cell.textContent.replace(/,/g, '')))"
            )
        };
        let json = totals(&folder, &[name]);
        let measures: Vec<&String> = json["all"].as_object().unwrap().keys().collect();
        let values = |row: &Value| -> Vec<String> {
            measures.iter().map(|name| plain(row[*name].as_str().unwrap_or_default())).collect()
        };
        let rows: Vec<String> = json["rows"].as_array().unwrap().iter().flat_map(values).collect();
        assert!(rows.len() > 10, "{name}");
        let shown = |page: &mut OpenPage, rows: &str| -> Vec<String> {
            page.texts(&read(rows)).iter().map(|own| plain(own)).collect()
        };
        assert_eq!(shown(&mut page, "tbody"), rows, "{name}");
        assert_eq!(shown(&mut page, "tfoot"), values(&json["all"]), "{name}");
    }
}

/// A number without zeros at its end.
fn plain(number: &str) -> String {
    match number.contains('.') {
        true => number.trim_end_matches('0').trim_end_matches('.').to_owned(),
        false => number.to_owned(),
    }
}

#[test]
fn tables_sort_and_filter() {
    let Some((_folder, mut page)) = opened() else { return };
    let names = column(TOP, 0);
    let at_first = page.texts(&names);
    assert_eq!(at_first[0], "Uncapping fork");
    let click =
        |at: usize| format!("document.querySelectorAll('{TOP} thead button')[{at}].click()");
    // By margin: the largest first, then the smallest, then as they were; the rest stays below.
    page.get(&click(3));
    let margins = page.texts(&column(TOP, 3))[..10].to_vec();
    let mut sorted = margins.clone();
    sorted.sort_by(|a, b| b.cmp(a));
    assert_eq!(margins, sorted);
    assert_ne!(page.texts(&names), at_first);
    assert_eq!(
        page.text(&format!("document.querySelector('{TOP} [aria-sort]').ariaSort")),
        "descending"
    );
    page.get(&click(3));
    assert_eq!(page.texts(&column(TOP, 3))[0], sorted[9]);
    assert_eq!(page.texts(&names)[10], "(the other 51)");
    page.get(&click(3));
    assert_eq!(page.texts(&names), at_first);
    // A filter keeps rows, and the foot sums up what adds up.
    let type_in = "(() => { const own = document.querySelector('#totals-3 input');\
                   own.value = 'extractor'; own.dispatchEvent(new Event('input')); })()";
    page.get(type_in);
    assert_eq!(page.texts(&names), ["Extractor, 9 frames", "Extractor, 4 frames"]);
    let foot = format!(
        "[...document.querySelector('{TOP} tfoot tr').cells].map(cell => cell.textContent)"
    );
    assert_eq!(page.texts(&foot), ["rows shown", "213,266.42", "·", "·"]);
    assert_eq!(
        page.text("document.querySelector('#totals-3 [role=status]').textContent"),
        "2 of 11 rows"
    );
}

#[test]
fn one_picker_sets_the_period_of_all() {
    let folder = demo();
    let Some(mut page) = OpenPage::of(&folder.path().join(PAGE)) else { return };
    let pick = |period: &str| {
        format!(
            "(() => {{ const own = document.querySelector('#period'); own.value = '{period}';\
             own.dispatchEvent(new Event('change')); }})()"
        )
    };
    let period = "document.querySelector('.period').textContent";
    assert!(page.text(period).starts_with("2026 so far, up to 2026-01-"), "{}", page.text(period));
    page.get(&pick("2025"));
    assert_eq!(page.text(period), "2025, beside the year before");
    // A table without a period has the rows of the year, as totals have them.
    let json = totals(&folder, &["top_products", "--where", "year(sold_on) = '2025'"]);
    let expected: Vec<&str> = json["rows"].as_array().unwrap()[..10]
        .iter()
        .map(|row| row["products.name"].as_str().unwrap())
        .collect();
    assert_eq!(page.texts(&column(TOP, 0))[..10], expected);
    let exact = format!(
        "[...document.querySelectorAll('{TOP} tbody tr')].slice(0, 10).flatMap(row => [1, 2, 3].map(at => row.cells[at].dataset.v ?? ''))"
    );
    let values = json["rows"].as_array().unwrap()[..10].iter().flat_map(|row| {
        ["revenue", "share(revenue)", "margin"]
            .map(|name| row[name].as_str().unwrap_or_default().to_owned())
    });
    assert_eq!(page.texts(&exact), values.collect::<Vec<_>>());
    assert_eq!(
        page.text(&format!("document.querySelector('{TOP} tfoot th').textContent")),
        "all of 2025"
    );
    // A share is of the year.
    let share = format!("document.querySelector('{TOP} tfoot').rows[0].cells[2].textContent");
    assert_eq!(page.text(&share), "100.0 %");
    // Its bars are those of the year.
    let bars = "[...document.querySelectorAll('#totals-3 .group')].map(bar => bar.dataset.key)";
    assert_eq!(page.texts(bars), expected);
    // A table with months keeps those of the year; its foot sums them up.
    let months = page.texts(&column("#totals-0 table.totals", 1));
    assert!(months.iter().all(|month| month.starts_with("2025-")), "{months:?}");
    let foot = "document.querySelector('#totals-0 tfoot td:nth-of-type(3)').textContent";
    let revenue = &json["all"]["revenue"];
    let cards =
        page.texts("[...document.querySelectorAll('.cards .value')].map(own => own.textContent)");
    assert_eq!(page.text(foot), cards[1], "{revenue}");
    // Columns of other years go.
    let heads = "[...document.querySelectorAll('#totals-1 table.totals thead th')].filter(own => !own.hidden).map(own => own.textContent)";
    assert!(page.texts(heads).iter().all(|head| !head.starts_with("2024")));
    // A month of the chart is a period as well, and all is shown again.
    page.get("document.querySelector('#figures-0 .column[data-period=\"2024-07\"]').dispatchEvent(new Event('click'))");
    assert_eq!(page.text(period), "July 2024, beside the year before");
    assert_eq!(page.text("document.querySelector('#period').value"), "2024-07");
    page.get("[...document.querySelectorAll('#controls button')].at(-1).click()");
    assert_eq!(page.texts(&column(TOP, 0))[0], "Uncapping fork");
}

#[test]
fn a_link_opens_it_on_a_period() {
    let Some((folder, mut page)) = opened() else { return };
    page.load_at(&folder.path().join(PAGE), "#period=2024");
    assert_eq!(page.text("document.querySelector('#period').value"), "2024");
    assert!(page.text("document.querySelector('.period').textContent").starts_with("2024, "));
    page.load_at(&folder.path().join(PAGE), "#period=1999");
    assert_eq!(page.text("document.querySelector('#period').value"), "");
    assert_eq!(page.complaints(), Vec::<String>::new());
}

#[test]
fn a_bar_picks_what_stands_beside_it() {
    let Some((_folder, mut page)) = opened() else { return };
    let bar = "document.querySelector('#totals-3 .group[data-key=\"Honey gate\"]')";
    page.get(&format!("{bar}.click()"));
    assert_eq!(page.texts(&column(TOP, 0)), ["Honey gate"]);
    assert_eq!(page.text(&format!("{bar}.ariaPressed")), "true");
    assert_eq!(
        page.text("document.querySelector('.picked').textContent"),
        "Only products.name: Honey gate"
    );
    // A table without this attribute stays as it is.
    assert_eq!(page.texts(&column("#totals-4 table.totals", 0)).len(), 12);
    page.get(&format!("{bar}.click()"));
    assert_eq!(page.texts(&column(TOP, 0)).len(), 11);
}

#[test]
fn keys_alone_reach_all() {
    let Some((_folder, mut page)) = opened() else { return };
    let active = "(() => { const own = document.activeElement; return own.id || own.dataset.key || own.dataset.period || own.textContent; })()";
    page.press("Tab");
    assert_eq!(page.text(active), "To the figures");
    let mut reached = Vec::new();
    for _ in 0..400 {
        page.press("Tab");
        reached.push(page.text(active));
        if reached.last() == Some(&"interligo".to_owned()) {
            break;
        }
    }
    for wanted in ["Figures", "period", "2024-01", "Uncapping fork", "margin", "More of sales"] {
        assert!(reached.iter().any(|own| own == wanted), "{wanted} is not among {reached:?}");
    }
    page.get("document.querySelector('.column[data-period=\"2024-01\"]').focus()");
    page.press("ArrowRight");
    page.press("Enter");
    assert_eq!(page.text("document.querySelector('#period').value"), "2024-02");
    page.get("document.querySelector('.group[data-key]').focus()");
    let key = page.text("document.activeElement.dataset.key");
    page.press("Enter");
    assert_eq!(page.texts(&column(TOP, 0)), [key.as_str()]);
    assert_eq!(page.text("document.activeElement.dataset.key"), key);
}

#[test]
fn a_phone_shows_it_without_moving_sideways() {
    let Some((_folder, mut page)) = opened() else { return };
    for width in [320, 400, 1280] {
        page.widen(width);
        let wide = page.get("document.documentElement.scrollWidth");
        assert!(wide.as_u64().unwrap() <= u64::from(width), "{wide} at {width}");
    }
}

#[test]
fn all_of_it_can_be_read_without_a_script() {
    let Some((folder, mut page)) = opened() else { return };
    page.forbid_scripts();
    page.load(&folder.path().join(PAGE));
    assert_eq!(page.get("document.querySelectorAll('#totals-0 tbody tr').length > 100"), true);
    assert_eq!(page.get("document.querySelectorAll('button, select, input').length"), 0);
    assert_eq!(page.text("document.querySelector('.group .amount').textContent"), "183,229.42");
    assert!(page.text("document.querySelector('.period').textContent").starts_with("2026 so far"));
}

#[test]
fn a_checker_of_accessibility_finds_nothing_serious() {
    let Ok(checker) = std::env::var("INTERLIGO_TEST_AXE") else {
        println!("left out: INTERLIGO_TEST_AXE names no accessibility checker");
        return;
    };
    let Some((_folder, mut page)) = opened() else { return };
    let script = std::fs::read_to_string(checker).unwrap();
    page.get("document.querySelectorAll('details').forEach(own => { own.open = true; })");
    for is_dark in [false, true] {
        page.darken(is_dark);
        page.get(&format!("{script}; 1"));
        let found = page.texts(
            "axe.run().then(all => all.violations.filter(own => ['serious', 'critical'].includes(own.impact))\
             .map(own => `${own.id}: ${own.nodes.slice(0, 3).map(node => node.html + ' ' + node.failureSummary).join('; ')}`))",
        );
        assert_eq!(found, Vec::<String>::new(), "dark: {is_dark}");
    }
}
