//! What `start` leaves open, answered: at a terminal, by `--yes`, and what it adds to a plan that is there.

use crate::support::Folder;

/// Sales of some days; cells with several items, and a lookup with two rows for one key.
fn open_folder() -> Folder {
    let sales: String = (0..40)
        .map(|n| {
            let day = 1 + n % 28;
            let (one, two) = (n % 7, (n + 3) % 7);
            format!("{},2025-01-{day:02},P{one}|P{two},{}|{}\n", 100 + n, 1 + n % 5, 2 + n % 3)
        })
        .collect();
    let products: String = (0..7).map(|n| format!("P{n},Frame {n},{}.50\n", 2 + n)).collect();
    Folder::with(&[
        ("sales.csv", &format!("order_no,sold_on,sku,quantity\n{sales}")),
        ("products.csv", &format!("sku,name,price\n{products}P3,Frame 3,9.00\n")),
    ])
}

/// Runs `start` at a terminal: each text is waited for and answered, then the last one ends it.
fn answered(folder: &Folder, answers: &[(&str, &str)], last: &str) {
    let mut terminal = folder.at_terminal(&["start"]);
    // What comes from the terminal is compared byte by byte.
    let bytes = |text: &str| text.bytes().map(char::from).collect::<String>();
    for (text, answer) in answers {
        terminal.exp_string(&bytes(text)).unwrap_or_else(|error| panic!("{text}: {error}"));
        terminal.exp_string("answer> ").unwrap();
        terminal.send_line(answer).unwrap();
    }
    terminal.exp_string(last).unwrap();
    terminal.exp_eof().unwrap();
}

fn plan_of(folder: &Folder) -> String {
    std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap()
}

fn revenue(folder: &Folder) -> String {
    let came = folder.run(&["totals", "--show", "lines,revenue", "--format", "csv"]);
    assert_eq!(came.said().lines().find(|line| line.starts_with("error")), None, "{}", came.said());
    came.printed().lines().last().unwrap().to_owned()
}

/// The lines of the folder come to this, made by hand, with this price for the key that has two.
fn by_hand(third: i64) -> String {
    let price = |item: i64| if item == 3 { third } else { 250 + 100 * item };
    let cents: i64 =
        (0..40).map(|n| price(n % 7) * (1 + n % 5) + price((n + 3) % 7) * (2 + n % 3)).sum();
    format!("80,{}.{:02}", cents / 100, cents % 100)
}

#[test]
fn questions_are_asked_at_a_terminal_and_what_follows_is_asked_as_well() {
    let folder = open_folder();
    answered(
        &folder,
        &[
            ("the cells of `sku`, `quantity` in `sales` have several values", "7"),
            ("Type 1 to 2", "1"),
            // Only lines of one item each lead to products, and so to the key that has two rows.
            ("has several rows for the key `P3`", "2"),
        ],
        "The plan is written",
    );
    let plan = plan_of(&folder);
    for line in [
        "unpack = { columns = [\"sku\", \"quantity\"], separator = \"|\" }",
        "duplicates = \"first\"",
        "# Decided:",
    ] {
        assert!(plan.contains(line), "{line}\n{plan}");
    }
    assert!(!plan.contains("# To be decided:"), "{plan}");
    assert_eq!(revenue(&folder), by_hand(550));
}

#[test]
fn what_is_left_open_stays_a_question_in_the_plan() {
    let folder = open_folder();
    answered(&folder, &[("1 of 1", "1"), ("1 of 1", "")], "The plan is written");
    let plan = plan_of(&folder);
    assert!(plan.contains("# To be decided:\n# - `products` has several rows"), "{plan}");
    assert!(folder.run(&["run"]).said().contains("`products` has several rows"), "{plan}");
}

#[test]
fn yes_takes_the_first_answers_and_says_so() {
    let folder = open_folder();
    let came = folder.run(&["start", "--yes"]);
    let said = "have several values: each value is a line of its own";
    assert!(came.printed().contains(said), "{}", came.printed());
    came.ended(0);
    assert!(plan_of(&folder).contains(said));
    assert_eq!(revenue(&folder), by_hand(900));
}

const PLAN: &str = "\
# What we sell.
[tables.sales]
role = \"fact\"
from = \"sales.csv\" # the shop
leave-out = \"draft_*.csv\"

[tables.products]
from = \"products.csv\"

[[link]]
path = \"sales.sku -> products.sku\"

[figures]
revenue = \"quantity * products.price\"

[outputs.lines]
to = \"lines.csv\"
";

/// A plan, and beside it more sales, a lookup of the products' families, and a draft.
fn planned() -> Folder {
    let sales = |from: usize| -> String {
        let row = |n: usize| format!("{n},2025-01-{:02},P{},{}\n", 1 + n % 28, n % 7, 1 + n % 5);
        std::iter::once("order_no,sold_on,sku,quantity\n".to_owned())
            .chain((from..from + 30).map(row))
            .collect()
    };
    let products: String = (0..7).map(|n| format!("P{n},F{},{}.50\n", n % 3, 2 + n)).collect();
    Folder::with(&[
        ("interligo.toml", PLAN),
        ("sales.csv", &sales(100)),
        ("till.csv", &sales(200)),
        ("draft_sales.csv", &sales(300)),
        ("products.csv", &format!("sku,family,price\n{products}")),
        ("families.csv", "family,name,buyer\nF0,Hives,Ana\nF1,Frames,Rui\nF2,Feed,Ines\n"),
        ("notes.csv", "about,text\nx,nothing of it\n"),
        ("lines.csv", "order_no\n1\n"),
    ])
}

#[test]
fn what_a_plan_does_not_know_is_shown_and_added_when_it_is_taken() {
    let folder = planned();
    let came = folder.run(&["start"]);
    for text in [
        "no table reads till.csv, which has the columns of `sales`",
        "no table reads families.csv: it may be the lookup `families`",
        "path = \"products.family -> families.family\"",
        "no table reads notes.csv, and no link leads to or from there",
        "`interligo.toml` stays as it is",
    ] {
        assert!(came.printed().contains(text), "{text}\n{}", came.printed());
    }
    // What the plan leaves out and what it writes are no news.
    assert!(!came.printed().contains("draft_sales"), "{}", came.printed());
    assert!(!came.printed().contains("lines.csv"), "{}", came.printed());
    came.any_stdout().nothing_else();
    assert_eq!(plan_of(&folder), PLAN);
    folder.run(&["start", "--yes"]).ended(0);
    let plan = plan_of(&folder);
    let expected = PLAN
        .replace("from = \"sales.csv\" #", "from = [\"sales.csv\", \"till.csv\"] #")
        .replace(
            "[tables.products]\nfrom = \"products.csv\"\n",
            "[tables.products]\nfrom = \"products.csv\"\n\n[tables.families]\nfrom = \"families.csv\"\nkey  = \"family\"\n",
        )
        .replace(
            "products.sku\"\n",
            "products.sku\"\n\n[[link]]\npath = \"products.family -> families.family\"\n",
        );
    assert_eq!(plan, expected);
    let came =
        folder.run(&["totals", "--by", "families.buyer", "--show", "lines", "--format", "csv"]);
    assert!(came.printed().contains("Ana,"), "{}", came.printed());
    let lines = came
        .printed()
        .lines()
        .skip(1)
        .filter_map(|row| row.rsplit(',').next()?.parse::<u32>().ok());
    assert_eq!(lines.sum::<u32>(), 60, "{}", came.printed());
    let came = folder.run(&["start"]);
    assert!(came.printed().contains("There is nothing to add"), "{}", came.printed());
}

#[test]
fn each_addition_is_asked_for_at_a_terminal() {
    let folder = planned();
    let answers = [("no table reads till.csv", ""), ("no table reads families.csv", "1")];
    answered(&folder, &answers, "1 of 2 are added");
    let plan = plan_of(&folder);
    assert!(plan.contains("from = \"sales.csv\" # the shop"), "{plan}");
    assert!(plan.contains("[tables.families]"), "{plan}");
}

#[test]
fn a_column_that_one_file_calls_otherwise_gets_the_name_of_the_others() {
    let folder = Folder::with(&[
        (
            "interligo.toml",
            "[tables.sales]\nrole = \"fact\"\nfrom = \"sales_*.csv\"\n\n[outputs.lines]\nto = \"o.csv\"\n",
        ),
        ("sales_1.csv", "no,sold_on,quantity\n1,2025-01-01,3\n2,2025-01-02,4\n"),
        ("sales_2.csv", "no,sold_on,quantity\n3,2025-02-01,3\n4,2025-02-02,5\n"),
        ("sales_3.csv", "no,sold_on,quantities\n5,2025-03-01,6\n6,2025-03-02,7\n"),
    ]);
    let came = folder.run(&["start"]);
    assert!(
        came.printed()
            .contains("sales_3.csv has no column `quantity`, and `quantities` in its place"),
        "{}",
        came.printed()
    );
    folder.run(&["start", "--yes"]).ended(0);
    let plan = plan_of(&folder);
    assert!(plan.contains("columns = { quantities = { name = \"quantity\" } }"), "{plan}");
    let came = folder.run(&["totals", "--show", "quantity", "--format", "csv"]);
    assert!(came.printed().ends_with("28\n"), "{}", came.printed());
}

#[test]
fn a_plan_that_does_not_hold_is_said_and_a_broken_one_is_an_error() {
    let mut folder = planned();
    folder.put("products.csv", b"sku,family,cost\nP0,F0,1\n");
    let came = folder.run(&["start"]);
    assert!(came.printed().contains("the plan does not hold"), "{}", came.printed());
    folder.put("interligo.toml", b"[tables.sales\n");
    folder.run(&["start"]).status(2).any_stderr().nothing_else();
}

#[test]
fn an_encoding_is_asked_for_with_a_word_in_each() {
    let rows: String = (0..30)
        .map(|n| format!("{n};2025-01-{:02};K{};{}\n", 1 + n % 28, n % 6, 1 + n % 4))
        .collect();
    // `Břeclav` in windows-1250.
    let towns: Vec<u8> = (0..6)
        .flat_map(|n| [format!("K{n};").into_bytes(), b"B\xf8eclav\n".to_vec()].concat())
        .collect();
    let mut folder =
        Folder::with(&[("prodeje.csv", &format!("c;datum;zakaznik;mnozstvi\n{rows}"))]);
    folder.put("zakaznici.csv", &[b"zakaznik;mesto\n".to_vec(), towns].concat());
    let both = "it is windows-1250, with `Břeclav`\r\n  2  it is windows-1252, with `Bøeclav`";
    answered(&folder, &[(both, "2")], "The plan is written");
    assert!(plan_of(&folder).contains("encoding = \"windows-1252\""), "{}", plan_of(&folder));
}

#[test]
fn a_file_that_is_called_old_is_asked_about() {
    let sales = |from: usize| -> String {
        let row = |n: usize| format!("{n},2025-01-{:02},P{},{}\n", 1 + n % 28, n % 7, 1 + n % 5);
        std::iter::once("order_no,sold_on,sku,quantity\n".to_owned())
            .chain((from..from + 30).map(row))
            .collect()
    };
    let folder = Folder::with(&[
        ("sales_porto.csv", &sales(100)),
        ("sales_faro.csv", &sales(200)),
        ("sales_porto_old.csv", &sales(300)),
    ]);
    let plan = folder.run(&["start", "--print"]).printed().to_owned();
    assert!(
        plan.contains("# - `sales` takes sales_porto_old.csv, which is called `old`"),
        "{plan}"
    );
    assert!(plan.contains("from = \"sales_{part}.csv\"\n"), "{plan}");
    answered(&folder, &[("which is called `old`", "2")], "The plan is written");
    let came = folder.run(&["totals", "--show", "lines", "--format", "csv"]);
    assert!(came.printed().ends_with("60\n"), "{}", came.printed());
}

/// A pattern over new files that would take a file of another table is none: the files are named.
#[test]
fn files_that_are_added_bring_no_others_along() {
    let sales = |from: usize| -> String {
        let row = |n: usize| format!("{n},2025-01-{:02},P{},{}\n", 1 + n % 28, n % 7, 1 + n % 5);
        std::iter::once("order_no,sold_on,sku,quantity\n".to_owned())
            .chain((from..from + 30).map(row))
            .collect()
    };
    let folder = Folder::with(&[
        (
            "interligo.toml",
            "[tables.sales]\nrole = \"fact\"\nfrom = \"till.csv\"\n\n[tables.products]\nfrom = \"d9.csv\"\n\n\
             [[link]]\npath = \"sales.sku -> products.sku\"\n\n[outputs.lines]\nto = \"o.csv\"\n",
        ),
        ("till.csv", &sales(100)),
        ("d1.csv", &sales(200)),
        ("d2.csv", &sales(300)),
        ("d9.csv", "sku,name\nP0,Box\nP1,Lid\n"),
    ]);
    folder.run(&["start", "--yes"]).ended(0);
    let plan = plan_of(&folder);
    assert!(plan.contains("from = [\"till.csv\", \"d1.csv\", \"d2.csv\"]"), "{plan}");
    let came = folder.run(&["totals", "--show", "lines", "--format", "csv"]);
    assert!(came.printed().ends_with("90\n"), "{}{}", came.printed(), came.said());
}

/// A possible link that is taken makes its table a lookup, and figures follow.
#[test]
fn a_possible_link_that_is_taken_brings_its_table_along() {
    let products: String =
        (0..60).map(|n| format!("BO-{},Box {n},{}.50\n", 100 + n, 2 + n % 9)).collect();
    // Two of five lines have a code of their own.
    let row = |n: usize| {
        let code = if n % 5 < 3 { format!("BO-{}", 100 + n * 7 % 60) } else { format!("Q{n:04}") };
        format!("{n},2025-01-{:02},{code},{}\n", 1 + n % 28, 1 + n % 4)
    };
    let sales: String = (0..300).map(row).collect();
    let folder = Folder::with(&[
        ("sales.csv", &format!("order_no,sold_on,article,qty\n{sales}")),
        ("products.csv", &format!("sku,name,price\n{products}")),
    ]);
    let plan = folder.run(&["start", "--print"]).printed().to_owned();
    assert!(plan.contains("# path = \"sales.article -> products.sku\""), "{plan}");
    let question = "the link sales.article -> products.sku may hold";
    answered(&folder, &[(question, "2")], "The plan is written");
    let plan = plan_of(&folder);
    assert!(plan.contains("\n[tables.products]\n"), "{plan}");
    assert!(plan.contains("\npath = \"sales.article -> products.sku\""), "{plan}");
    assert!(plan.contains("revenue = \"qty * products.price\""), "{plan}");
    // What many lines do not find is said.
    assert!(plan.contains("find no row by sales.article -> products.sku"), "{plan}");
    folder.run(&["run"]).ended(0);
}
