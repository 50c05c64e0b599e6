//! Mistakes in plans and options: each is shown at its word, with a fix.

use crate::support::{PLAN, shop, shop_but};

/// One piece of the plan written wrongly.
fn wrong(old: &str, new: &str) -> String {
    let came = shop_but(old, new, "").run(&["run"]);
    let shown = came.said().to_owned();
    came.status(2).stderr(&shown).nothing_else();
    shown
}

#[test]
fn every_mistake_is_named_with_the_nearest_valid_name() {
    for (old, new, message, help) in [
        (
            "role = \"fact\"",
            "role = \"facts\"",
            "`facts` is not one of the choices here",
            "did you mean `fact`?",
        ),
        ("role = \"fact\"", "", "no table of the plan is a fact table", "role = \"fact\""),
        (
            "from  = \"prices.csv\"",
            "form  = \"prices.csv\"",
            "there is no plan key `form` here",
            "did you mean `from`?",
        ),
        ("from  = \"prices.csv\"\n", "", "the plan key `from` is missing here", ""),
        (
            "from  = \"prices.csv\"",
            "from  = \"prices.csv#A\"",
            "`prices.csv` is one table, without others in it",
            "a `#` in the name of a file is doubled",
        ),
        (
            "from = \"sales.csv\"",
            "from = \"sales/*.csv\"",
            "no file fits \"sales/*.csv\"",
            "relative to the folder of the plan",
        ),
        (
            "from = \"sales.csv\"",
            "from = \"sales_{year.csv\"",
            "the slot `{year.csv` has no name or no closing brace",
            "",
        ),
        (
            "key  = \"sku\"\n\n",
            "key  = \"sk\"\n\n",
            "`products` has no column `sk`",
            "did you mean `sku`?",
        ),
        (
            "key  = \"sku\"\n\n",
            "key  = [\"sku\", \"nam\"]\n\n",
            "`products` has no column `nam`",
            "did you mean `name`?",
        ),
        (
            "from = \"from\"",
            "from = \"form\"",
            "`prices` has no column `form`",
            "did you mean `from`?",
        ),
        (
            "from = \"sales.csv\"",
            "from = \"sales.csv\"\nrepeats = \"first\"",
            "`repeats` needs a `key`: it says what happens to lines that share one",
            "add for instance key = [\"order_no\", \"line_no\"]",
        ),
        (
            "sales.item -> products.sku",
            "sales.itm -> products.sku",
            "`sales` has no column `itm`",
            "did you mean `item`?",
        ),
        (
            "sales.item -> products.sku",
            "sales.item -> product.sku",
            "the plan has no table `product`",
            "did you mean `products`?",
        ),
        (
            "sales.item -> products.sku",
            "sale.item -> products.sku",
            "the plan has no table `sale`",
            "did you mean `sales`?",
        ),
        (
            "sales.item -> products.sku",
            "sales.item + day -> products.sku",
            "2 columns on the left, 1 column on the right",
            "compared column by column",
        ),
        (
            "path = \"sales.item -> products.sku\"",
            "path = \"sales.item -> products.sku\"\nsplit = \"\"",
            "`split` is the separator between two keys",
            "split = \";\"",
        ),
        (
            "path = \"sales.item -> products.sku\"",
            "path = \"sales.item -> products.sku\"\nneeds = [\"nam\"]",
            "`products` has no column `nam`",
            "did you mean `name`?",
        ),
        (
            "path = \"sales.item -> products.sku\"",
            "path = \"sales.item -> products.sku\"\nwhen = \"quantity + 1\"",
            "`when` wants a condition",
            "compare something",
        ),
        (
            "path = \"sales.item -> products.sku\"",
            "path = \"sales.item -> products.sku\"\nignore = { name = [\"case\"] }",
            "the link does not lead to a column `name`",
            "there is `sku`",
        ),
        (
            "sales.item -> products.sku",
            "sales.item products.sku",
            "found `products`, wanted `->`",
            "a path reads",
        ),
        (
            "sales.item -> products.sku",
            "sales.item -> products.sku as of day",
            "the link asks for a day, the rows of `products` have no period",
            "valid =",
        ),
        (
            " as of day",
            "",
            "the rows of `prices` are valid for a period, but the link names no date",
            "as of",
        ),
        (" as of day", " as of dy", "`sales` has no column `dy`", "did you mean `day`?"),
        (
            " as of day",
            " as of item",
            "the plan needs dates (2025-12-31) in `sales.item`, but it contains `A`",
            "right column",
        ),
        (
            "path = \"sales.item -> products.sku\"",
            "path = \"sales.item -> products.sku\"\nmissing = \"fill\"",
            "`missing = \"fill\"` needs the values to fill in",
            "fill = {",
        ),
        (
            "path = \"sales.item -> products.sku\"",
            "path = \"sales.item -> products.sku\"\nfill = { name = '-' }",
            "`fill` has no effect here",
            "missing = \"fill\"",
        ),
        (
            "path = \"sales.item -> products.sku\"",
            "path = \"sales.item -> products.sku\"\nmissing = \"fill\"\nfill = { nam = '-' }",
            "`products` has no column `nam`",
            "did you mean `name`?",
        ),
        (
            "[[link]]",
            "[[link]]\npath = \"sales.item -> products.sku\"\n[[link]]",
            "`products` is already the name of the link",
            "as =",
        ),
        (
            "[figures]",
            "[tables.sales.columns]\nqty = { type = 'number' }\n[figures]",
            "no file of the table has a column `qty`",
            "",
        ),
        (
            "[figures]",
            "[tables.sales.columns]\nquantity = { scale = 'a' }\n[figures]",
            "`a` is no number to multiply by",
            "scale = 0.01",
        ),
        (
            "quantity * prices.price",
            "quantiti * prices.price",
            "no figure or column of `sales` is called `quantiti`",
            "did you mean `quantity`?",
        ),
        (
            "quantity * prices.price",
            "quantity * price",
            "no figure or column of `sales` is called `price`",
            "`prices.price` is within reach",
        ),
        (
            "quantity * prices.price",
            "quantity * customers.price",
            "no link leads from `sales` to `customers`",
            "add a [[link]]",
        ),
        (
            "quantity * prices.price",
            "quantity * item",
            "the plan needs numbers (1234.56) in `sales.item`, but it contains `A`",
            "right column",
        ),
        (
            "quantity * prices.price",
            "quantity * month(day)",
            "`*` needs a number, `month(day)` is a period (month)",
            "",
        ),
        (
            "quantity * prices.price",
            "coalesce(quantity, item)",
            "`coalesce` cannot combine a number and text",
            "",
        ),
        ("quantity * prices.price", "quantity * (prices.price", "the formula ends, wanted `)`", ""),
        (
            "profit / revenue",
            "margin / revenue",
            "the figures go in a circle: margin -> margin",
            "",
        ),
        (
            "margin  =",
            "quantity =",
            "`quantity` is both a figure and a column of `sales`",
            "rename the figure",
        ),
        (
            "name = \"Small\"",
            "name = \"Small\"\nstake = \"profit\"",
            "the plan key `stake` is now called `weigh-by`",
            "write `weigh-by`",
        ),
        ("name = \"Small\"", "name = Small", "string values must be quoted", ""),
    ] {
        let shown = wrong(old, new);
        assert!(shown.contains(message), "{new}: {shown}");
        assert!(shown.contains(help), "{new}: {shown}");
    }
}

#[test]
fn outputs_are_checked_before_anything_is_read() {
    for (output, message) in [
        ("to = \"sales.csv\"", "the output `x` would overwrite an input, `sales.csv`"),
        ("to = \"./sub/../sales.csv\"", "would overwrite an input"),
        ("to = \"out/set-aside.csv\"", "two outputs would write the same file"),
        ("to = \"x.doc\"", "`x.doc` has no form that can be written"),
        ("to = \"x.csv\"\ncolumns = [\"*\"]\nby = []", "has both `columns` and `by`"),
        ("to = \"x.csv\"\nshow = [\"lines\"]", "the output `x` has no `by`"),
        ("to = \"x.csv\"\ncolumns = [\"nme\"]", "no figure or column of `sales` is called `nme`"),
        (
            "to = \"x.csv\"\nby = [\"item\"]\nshow = [\"quantity * 2\"]",
            "`quantity * 2` is not the name of a figure or column",
        ),
        (
            "to = \"x.csv\"\nby = []\nshow = [\"prices.price\"]",
            "is a column of a lookup; its sum over lines is meaningless",
        ),
        ("to = \"x.csv\"\nby = []\nwhere = \"quantity\"", "this is a number, not a condition"),
    ] {
        let mut folder = shop(&format!("\n[outputs.x]\n{output}\n"));
        folder.put("sub/empty.txt", b"");
        let came = folder.run(&["run"]);
        let shown = came.said().to_owned();
        assert!(shown.contains(message), "{output}: {shown}");
        came.status(2).stderr(&shown).nothing_else();
    }
    let twice = "\n[outputs.x]\nto = \"x.csv\"\n[outputs.y]\nto = \"x.csv\"\n";
    let came = shop(twice).run(&["run"]);
    assert!(
        came.said().contains("two outputs would write the same file, `x.csv`"),
        "{}",
        came.said()
    );
}

#[test]
fn figures_without_a_total_are_refused_where_they_are_shown() {
    for (figure, message) in [
        ("'a' || 'b'", "`x` is text, and only numbers are summed"),
        ("'a' | 'b'", "`|` has no meaning here"),
        ("if quantity > 2 then 'large' else 'small'", "`x` is text, and only numbers are summed"),
        ("prices.price * 2", "`x` is a rate: its sum over lines is meaningless"),
        (
            "profit / revenue + prices.price",
            "`x` mixes a ratio with an attribute of a lookup and has no total",
        ),
    ] {
        let folder = shop(&format!("x = \"{figure}\"\n"));
        let came = folder.run(&["totals", "--show", "x"]);
        let shown = came.said().to_owned();
        assert!(shown.contains(message), "{figure}: {shown}");
        came.status(2).stderr(&shown).nothing_else();
    }
}

#[test]
fn a_mistake_is_shown_with_its_line_and_a_mark_under_the_word() {
    insta::assert_snapshot!(
        "mistake_in_the_plan",
        wrong("quantity * products.cost", "quantity * products.cots")
    );
    insta::assert_snapshot!(
        "mistake_in_an_option",
        shop("").run(&["totals", "--by", "item, products.nam"]).as_text()
    );
}

#[test]
fn links_in_a_circle_are_refused_with_the_circle() {
    let circle = "
[tables.families]
from = \"products.csv\"
[[link]]
path = \"products.name -> families.name\"
[[link]]
path = \"families.sku -> products.sku\"
";
    let came = shop(circle).run(&["run"]);
    assert!(
        came.said().contains("the links go in a circle: products -> families -> products"),
        "{}",
        came.said()
    );
    let apart = "
[tables.a]
from = \"products.csv\"
[tables.b]
from = \"products.csv\"
[[link]]
path = \"a.sku -> b.sku\"
[[link]]
path = \"b.sku -> a.sku\"
";
    let came = shop(apart).run(&["run"]);
    assert!(came.said().contains("the links go in a circle: a -> b -> a"), "{}", came.said());
}

#[test]
fn several_mistakes_are_shown_together() {
    let mut folder = shop("");
    folder.put("interligo.toml", PLAN.replace("quantity *", "qantity *").as_bytes());
    let came = folder.run(&["run"]);
    assert_eq!(came.said().matches("did you mean `quantity`?").count(), 2, "{}", came.said());
}

#[test]
fn without_a_plan_the_way_to_one_is_shown() {
    let folder = crate::support::Folder::with(&[]);
    folder
        .run(&["run"])
        .status(2)
        .stderr(
            "error: no plan found\n  fix: `interligo start` drafts one from the files here; or name one \
             with --plan, or see `interligo demo`\n",
        )
        .nothing_else();
    let came = folder.run(&["run", "--plan", "interligo.tml"]);
    assert!(came.said().contains("`interligo.tml` does not exist"), "{}", came.said());
    came.ended(3);
}

#[test]
fn what_is_not_in_a_file_is_not_placed_there() {
    let folder = shop("");
    let lines = folder.run(&["totals", "--by", "item", "--show", "line"]);
    assert!(
        lines.said().contains("did you mean `lines`, the number of lines?"),
        "{}",
        lines.said()
    );
    let added = folder.run(&["link", "add", "sales.itm -> products.sku", "--as", "x"]);
    assert!(
        added.said().contains("  in interligo.toml with the new link, line "),
        "{}",
        added.said()
    );
    added.status(2).any_stderr().nothing_else();
}

/// The system's own words, and its numbers, are for programmers.
#[test]
fn what_the_system_refuses_is_reported_in_plain_words() {
    let mut folder = shop("[outputs.lines]\nto = \"sales.csv/lines.csv\"\n");
    folder.put("sub/x", b"");
    for came in [
        folder.run(&["run"]),
        folder.run(&["look", "."]),
        folder.run(&["demo", "sales.csv/x"]),
        folder.run(&["run", "--plan", "sub"]),
        folder.run(&["link", "map", "--svg", "sales.csv/map.svg"]),
    ] {
        assert_ne!(came.exit_status(), 0);
        assert!(came.said().starts_with("error: "), "{}", came.said());
        assert!(!came.said().contains("os error"), "{}", came.said());
    }
}

#[test]
fn a_condition_on_rows_is_about_what_is_shown() {
    let folder = shop("");
    for (having, said) in [
        ("revenu > 1", "`revenu` is not shown in the table"),
        ("revenue", "a condition is wanted here"),
        ("running(revenue) > 1", "running"),
        ("\"running(revenue)\" > 1", "a running total follows the order of the rows"),
        ("\"min(day)\" > 5", "`min(day)` is no number, and rows are chosen by numbers"),
        ("lines > 1", "`lines` counts lines, but a formula is about one line"),
    ] {
        let show = ["--show", "revenue,running(revenue),min(day)", "--having", having];
        let came = folder.run(&[&["totals", "--by", "item"][..], &show].concat()).status(2);
        assert!(came.said().contains(said), "{having}: {}", came.said());
        came.any_stderr().nothing_else();
    }
    let plan = "\n[outputs.t]\nto = \"t.csv\"\nby = [\"item\"]\ntop = 2\nhaving = \"lines > 1\"\n";
    let came = shop(plan).run(&["run"]).status(2);
    assert!(came.said().contains("rows are kept by `top` or by `having`"), "{}", came.said());
    came.any_stderr().nothing_else();
}
