//! `interligo report`, and pages among the outputs of a run.

use crate::support::Folder;

/// The files of a small shop: two years of sales, products, and a page among the outputs.
fn shop() -> Folder {
    Folder::with(&[
        ("interligo.toml", PLAN),
        (
            "sales.csv",
            "no,sold_on,item,quantity\n\
             1,2024-01-10,A,2\n2,2024-03-05,B,1\n3,2024-12-31,A,4\n\
             4,2025-01-20,A,3\n5,2025-02-03,B,5\n6,2025-02-28,C,1\n",
        ),
        ("products.csv", "sku,name,price,cost\nA,Frame,10.00,6.00\nB,Feeder,20.00,11.00\n"),
    ])
}

const PLAN: &str = r#"
[plan]
name = "Small shop"
currency = "EUR"

[tables.sales]
role = "fact"
from = "sales.csv"
key  = "no"
date = "sold_on"

[tables.products]
from = "products.csv"
key  = "sku"

[[link]]
path = "sales.item -> products.sku"

[figures]
revenue = "quantity * products.price"
cost    = "quantity * products.cost"
margin  = { formula = "(revenue - cost) / revenue", shown = "percent" }

[outputs.by_product]
by = ["products.name"]

[outputs.lines]
to = "out/lines.csv"

[outputs.page]
to = "out/page.html"
"#;

fn read(folder: &Folder, path: &str) -> String {
    std::fs::read_to_string(folder.path().join(path)).unwrap()
}

/// What a command prints, with its errors, and its status.
fn said(folder: &Folder, arguments: &[&str]) -> (String, i32) {
    let output = folder.command(arguments).output().unwrap();
    let text = [output.stdout, output.stderr].concat();
    (String::from_utf8(text).unwrap(), output.status.code().unwrap())
}

/// The texts of the elements of a class, without markup inside of them.
fn of_class(page: &str, class: &str) -> Vec<String> {
    let start = format!("class=\"{class}\">");
    let after = page.split(&start).skip(1);
    after.map(|rest| rest.split('<').next().unwrap_or_default().to_owned()).collect()
}

#[test]
fn a_run_writes_its_page_with_its_other_outputs() {
    let folder = shop();
    let (said, status) = said(&folder, &["run"]);
    assert_eq!(status, 0, "{said}");
    assert!(said.contains("page") && said.contains("out/page.html"), "{said}");
    let page = read(&folder, "out/page.html");
    assert!(page.contains("<h1 dir=\"auto\">Small shop</h1>"));
    // The last year is not over: it is held against the same days of the year before.
    let period = &of_class(&page, "period")[0];
    assert_eq!(
        period,
        "2025 so far, up to 2025-02-28, beside the same days of the year before, of which there are lines from 2024-01-10 on"
    );
    assert_eq!(of_class(&page, "value"), ["3", "130.00", "73.00", "43.8 %"]);
    // Up to 28 February 2024 there is one line, of 2 A.
    assert_eq!(
        of_class(&page, "change"),
        ["+200.0 % on 1", "+550.0 % on 20.00", "+508.3 % on 12.00", "+3.85 points on 40.0 %"]
    );
    // A table of the plan without a file is on the page all the same.
    assert!(page.contains("by_product: 3 rows, 6 lines"), "{page}");
}

#[test]
fn report_writes_a_page_and_nothing_else() {
    let folder = shop();
    let (said_first, status) = said(&folder, &["report", "--title", "Spring & <b>"]);
    assert_eq!((said_first.as_str(), status), ("The page is written: report.html\n", 0));
    assert!(!folder.path().join("out").exists());
    let page = read(&folder, "report.html");
    assert!(page.contains("<title>Spring &amp; &lt;b&gt;</title>"));
    // It is the page of a run, but for its title and the moment.
    assert_eq!(said(&folder, &["run"]).1, 0);
    let of_run = read(&folder, "out/page.html");
    let same = |page: &str| {
        let body = page.split("<section").skip(1).collect::<Vec<_>>().join("<section");
        body.replace("Spring &amp; &lt;b&gt;", "Small shop")
    };
    // What was written is that of the run alone.
    let without_proof = |page: &str| {
        let page = same(page);
        let (before, rest) = page.split_once("Written").unwrap_or((&page, ""));
        (before.to_owned(), rest.split_once("</section>").map(|(_, after)| after.to_owned()))
    };
    let (own, run) = (same(&page), without_proof(&of_run));
    assert!(own.starts_with(run.0.split("id=\"proof\"").next().unwrap()));
    assert!(run.1.is_some());
    // Its own page is replaced, the file of somebody else is not.
    assert_eq!(said(&folder, &["report"]).1, 0);
    std::fs::write(folder.path().join("notes.html"), "<p>mine</p>").unwrap();
    let (refused, status) = said(&folder, &["report", "--to", "notes.html"]);
    assert_eq!(status, 2);
    assert!(
        refused.contains("`notes.html` is there, and is no page that Interligo made"),
        "{refused}"
    );
    assert_eq!(read(&folder, "notes.html"), "<p>mine</p>");
}

#[test]
fn a_page_is_not_written_over_what_the_plan_reads_or_writes() {
    let folder = shop();
    for (to, what) in [
        ("sales.csv", "an input"),
        ("interligo.toml", "the plan"),
        ("out/lines.csv", "an output of the plan"),
        ("out/page.html", "an output of the plan"),
    ] {
        let (refused, status) = said(&folder, &["report", "--to", to]);
        assert_eq!(status, 2, "{refused}");
        assert!(refused.contains(&format!("this would overwrite {what}")), "{refused}");
    }
    std::fs::write(folder.path().join("file"), "").unwrap();
    let (refused, status) = said(&folder, &["report", "--to", "file/page.html"]);
    assert_eq!(status, 4, "{refused}");
    assert!(refused.contains("file/page.html"), "{refused}");
}

#[test]
fn a_page_takes_a_title_and_nothing_more() {
    for (more, message) in [
        ("by = [\"item\"]", "the output `page` is a page and takes only `to` and `title`"),
        ("list = \"findings\"", "the output `page` is a page and takes only `to` and `title`"),
        ("columns = [\"no\"]", "the output `page` is a page and takes only `to` and `title`"),
    ] {
        let mut folder = shop();
        folder.put("interligo.toml", format!("{PLAN}{more}\n").as_bytes());
        let (said, status) = said(&folder, &["run"]);
        assert_eq!(status, 2);
        assert!(said.contains(message), "{said}");
    }
    let mut folder = shop();
    folder.put("interligo.toml", PLAN.replace("out/page.html", "out/{item}.html").as_bytes());
    let (refused, status) = said(&folder, &["run"]);
    assert_eq!(status, 2);
    assert!(
        refused.contains("`page` is a page: braces in `to` are for lines and totals"),
        "{refused}"
    );
    folder.put(
        "interligo.toml",
        PLAN.replace("\"out/lines.csv\"", "\"out/lines.csv\"\ntitle = \"x\"").as_bytes(),
    );
    let (refused, status) = said(&folder, &["run"]);
    assert_eq!(status, 2);
    assert!(refused.contains("the output `lines` has a `title`, and is no page"), "{refused}");
    folder.put("interligo.toml", format!("{PLAN}title = \"Of spring\"\n").as_bytes());
    assert_eq!(said(&folder, &["run"]).1, 0);
    assert!(read(&folder, "out/page.html").contains("<h1 dir=\"auto\">Of spring</h1>"));
    // A page is no sheet.
    let book = "\n[workbooks.book]\nto = \"out/book.xlsx\"\nsheets = [\"page\"]\n";
    folder.put("interligo.toml", format!("{PLAN}{book}").as_bytes());
    let (refused, status) = said(&folder, &["run"]);
    assert_eq!(status, 2);
    assert!(refused.contains("`page` is a page, which is no sheet"), "{refused}");
}

#[test]
fn a_page_that_somebody_else_made_stays_and_so_do_the_outputs() {
    let mut folder = shop();
    folder.put("out/page.html", b"<p>mine</p>");
    let (refused, status) = said(&folder, &["run"]);
    assert_eq!(status, 2, "{refused}");
    assert!(refused.contains("which was not made by Interligo"), "{refused}");
    assert!(!folder.path().join("out/lines.csv").exists());
    assert_eq!(read(&folder, "out/page.html"), "<p>mine</p>");
}

#[test]
fn what_changed_since_the_run_before_is_on_the_page() {
    let mut folder = shop();
    folder.put("interligo.toml", PLAN.replace("[plan]", "[plan]\nkeep-runs = 2").as_bytes());
    assert_eq!(said(&folder, &["run"]).1, 0);
    assert!(!read(&folder, "out/page.html").contains("What changed"));
    let sales = read(&folder, "sales.csv");
    folder.put("sales.csv", format!("{sales}7,2025-02-28,A,1\n").as_bytes());
    assert_eq!(said(&folder, &["run"]).1, 0);
    let page = read(&folder, "out/page.html");
    assert!(page.contains("What changed") && page.contains("to this run"), "{page}");
    assert!(
        page.contains(
            "<th scope=\"row\">new lines</th><td class=\"n\">1</td><td class=\"n\">+10.00</td>"
        ),
        "{page}"
    );
    // A report has the last two runs that are kept.
    assert_eq!(said(&folder, &["report"]).1, 0);
    assert!(read(&folder, "report.html").contains("From run 1"));
    // Pages have no copy to be verified by; the other outputs have.
    let (verified, status) = said(&folder, &["run", "--verify"]);
    assert_eq!(status, 0, "{verified}");
    assert!(verified.contains("lines"), "{verified}");
}

#[test]
fn closed_periods_do_not_see_what_a_page_asks_for() {
    let mut folder = shop();
    let closed = PLAN.replace("[plan]", "[plan]\nclosed = \"2024-12\"");
    folder.put(
        "interligo.toml",
        closed.replace("[outputs.page]\nto = \"out/page.html\"\n", "").as_bytes(),
    );
    assert_eq!(said(&folder, &["run"]).1, 0);
    folder.put("interligo.toml", closed.as_bytes());
    let (said, status) = said(&folder, &["run"]);
    assert_eq!(status, 0, "{said}");
    assert!(read(&folder, "out/page.html").contains("Small shop"));
}

#[test]
fn a_page_has_the_map_also_where_the_plan_has_no_totals_and_no_date() {
    let mut folder = shop();
    let bare = PLAN
        .replace("date = \"sold_on\"\n", "")
        .replace("[outputs.by_product]\nby = [\"products.name\"]\n", "");
    folder.put(
        "interligo.toml",
        bare.replace(
            "key  = \"no\"\n",
            "key  = \"no\"\ncolumns = { sold_on = { type = \"text\" } }\n",
        )
        .as_bytes(),
    );
    assert_eq!(said(&folder, &["report"]), ("The page is written: report.html\n".to_owned(), 0));
    assert_eq!(said(&folder, &["run"]).1, 0);
    for page in ["report.html", "out/page.html"] {
        let page = read(&folder, page);
        assert!(
            page.contains("Tables and links") && page.contains("sales.item → products.sku"),
            "{page}"
        );
    }
}
