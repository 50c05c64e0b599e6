//! `check`: the keys that find nothing, the keys that come twice, and what each costs.

use crate::support::{PRODUCTS, shop, shop_but};

#[test]
fn all_is_well_and_is_reported_so() {
    let mut folder = shop("");
    folder.put("sales.csv", b"no,day,item,quantity\n1,2025-01-10,A,2\n");
    let came = folder.run(&["check"]);
    assert!(came.printed().contains("Every key matches as it is written."));
    came.any_stdout().nothing_else();
}

#[test]
fn keys_and_rows_are_listed_with_what_they_cost() {
    let mut folder = shop_but(
        "key  = \"sku\"\n\n[tables.prices]",
        "key  = \"sku\"\nduplicates = \"last\"\n\n[tables.prices]",
        "",
    );
    folder.put(
        "products.csv",
        format!("{PRODUCTS}A,\"Jar, small\",0.4\nB ,Smoker,13\n,Nothing,1\nD,Dish,cheap\n")
            .as_bytes(),
    );
    folder.put("prices.csv", b"sku,from,until,price\nA,2025-01-01,,1\nB,2025-02-30,,2\nB,2025-03-01,2025-02-01,3\nD,2025-01-01,,4\n");
    folder.put(
        "sales.csv",
        b"no,day,item,quantity\n1,2025-01-10, A,2\n2,2024-12-31,A,3\n3,2025-01-01,Z,1.5\n4,2025-01-02,Z,x\n5,2025-01-03,,4\n6,soon,A,1\n",
    );
    insta::assert_snapshot!("check_table", folder.run(&["check"]).as_text());
    insta::assert_snapshot!("check_csv", folder.run(&["check", "--format", "csv"]).as_text());
    insta::assert_snapshot!("check_json", folder.run(&["check", "--format", "json"]).as_text());
}

#[test]
fn what_would_stop_a_run_ends_the_check_with_status_one() {
    let mut folder = shop("");
    folder.put("products.csv", format!("{PRODUCTS}A,Jar,0.40\n").as_bytes());
    let came = folder.run(&["check"]);
    assert!(came.printed().contains("differ in name: stops a run"), "{}", came.printed());
    came.status(1)
        .any_stdout()
        .stderr(
            "A run would stop: `products` has several rows for the key `A`, which differ in `name`: one line would become 2\n  \
             fix: correct the rows, or add `duplicates = \"first\"` or \"last\" to [tables.products], or add `valid` if its rows \
             are valid for periods; `interligo check` lists them all\n",
        )
        .nothing_else();
}

#[test]
fn periods_that_overlap_stop_a_run_where_a_line_meets_them() {
    let mut folder = shop("");
    let overlapping =
        "sku,from,until,price\nA,2025-01-01,2025-02-15,1\nA,2025-02-01,,2\nB,2025-01-01,,20\n";
    folder.put("prices.csv", overlapping.as_bytes());
    let came = folder.run(&["run"]);
    came.status(1)
        .stderr(
            "error: 1 line on a day on which several rows are valid in `prices`\n  \
             sales.csv:3 `A`\n  \
             fix: correct the periods so that they do not overlap, or say which row applies: overlap = \"latest-start\"; \
             `interligo check` lists them all\n\
             Nothing was written.\n",
        )
        .nothing_else();
    // No line lies in the overlap: no harm done.
    folder.put("sales.csv", b"no,day,item,quantity\n1,2025-01-10,A,2\n");
    folder.run(&["run"]).any_stdout().nothing_else();
}

#[test]
fn a_link_may_stop_the_run_and_nothing_is_written_then() {
    let outputs = "[outputs.lines]\nto = \"out/lines.csv\"\n";
    let folder = shop_but(
        "path = \"sales.item -> products.sku\"",
        "path = \"sales.item -> products.sku\"\nmissing = \"stop\"",
        outputs,
    );
    folder
        .run(&["run"])
        .status(1)
        .stderr(
            "error: 1 line with a key that is not in `products`\n  \
             sales.csv:6 `X`\n  \
             fix: correct the keys, complete the lookup, or change `missing` of the link; `interligo check` lists them all\n\
             Nothing was written.\n",
        )
        .nothing_else();
}

/// A shop with a mistyped code, one unlike any other, and an unknown day.
fn mistyped() -> crate::support::Folder {
    let mut folder = shop("");
    folder.put("products.csv", b"sku,name,cost\nAB-100,Jar,1\nAB-217,Lid,2\nQQ-900,Veil,3\n");
    folder.put(
        "prices.csv",
        b"sku,from,until,price\nAB-100,2025-01-01,2025-01-31,1\nAB-217,,,1.50\n",
    );
    folder.put(
        "sales.csv",
        b"no,day,item,quantity\n1,2025-01-10,AB-1OO,2\n2,2025-02-10,AB-100,3\n3,2025-02-11,ab 217,-1\n4,2025-03-02,XYZ,5\n5,,XYZ,1\n",
    );
    folder
}

#[test]
fn a_kind_a_link_or_a_table_is_shown_with_keys_and_rows() {
    let folder = mistyped();
    let came = folder.run(&["check", "near-miss"]);
    insta::assert_snapshot!("check_detail", came.printed());
    came.any_stdout().nothing_else();
    let products = folder.run(&["check", "products"]);
    for said in
        ["unused-row\n  keys of a lookup that no line uses", "products.csv:4  QQ-900  Veil  3"]
    {
        assert!(products.printed().contains(said), "{said} in {}", products.printed());
    }
    assert!(!products.printed().contains("undated-key"), "{}", products.printed());
    let none = folder.run(&["check", "repeat-identical"]);
    none.stdout("There are no findings about `repeat-identical`.\n").nothing_else();
    let json = folder.run(&["check", "undated-key", "--format", "json"]);
    let found: serde_json::Value = serde_json::from_str(json.printed()).unwrap();
    assert_eq!(found["findings"].as_array().unwrap().len(), 1);
    assert_eq!(found["rows"][0]["cells"]["item"], "AB-100");
    for asked in [&["check", "misfit-row"][..], &["check", "--explain", "misfit-row"]] {
        let came = folder.run(asked).status(2);
        let help = "fix: `misfit-row` is now called `malformed-row`\n";
        assert!(came.said().ends_with(help), "{}", came.said());
    }
    for (asked, near) in [("nearmiss", "near-miss"), ("product", "products")] {
        let came = folder.run(&["check", asked]).status(2);
        assert_eq!(
            came.said(),
            format!(
                "error: there is no kind of finding, link or table called `{asked}`\n  fix: did you mean `{near}`?\n"
            )
        );
    }
}

#[test]
fn every_kind_is_explained() {
    let folder = crate::support::Folder::with(&[]);
    let all = folder.run(&["check", "--explain", "all"]);
    let kinds: Vec<&str> =
        all.printed().lines().skip(2).filter_map(|line| line.split_whitespace().next()).collect();
    assert_eq!(kinds.len(), 46, "{}", all.printed());
    for kind in kinds {
        let came = folder.run(&["check", "--explain", kind]);
        assert!(came.printed().starts_with(&format!("{kind}\n  ")), "{}", came.printed());
        came.any_stdout().nothing_else();
    }
    let came = folder.run(&["check", "--explain", "unmatched-keys"]).status(2);
    assert!(came.said().contains("did you mean `unmatched-key`?"), "{}", came.said());
}

#[test]
fn what_the_plan_lines_of_an_explanation_say_is_part_of_the_language() {
    // Whole settings are in the explanations; each is one that the plan takes.
    let folder = crate::support::Folder::with(&[]);
    for (kind, setting) in [
        ("near-miss", "stop-on = [\"near-miss\"]"),
        ("cleaned-key", "match = \"as-written\""),
        ("duplicate-conflicting", "duplicates = \"blank\""),
        ("total-row", "total-rows = \"keep\""),
    ] {
        let came = folder.run(&["check", "--explain", kind]);
        assert!(came.printed().contains(setting), "{}", came.printed());
        let plan = match kind {
            "near-miss" => shop_but("name = \"Small\"\n", &format!("{setting}\n"), ""),
            "cleaned-key" => shop(&format!(
                "[[link]]\npath = \"sales.no -> products.sku\"\nas = \"again\"\n{setting}\n"
            )),
            _ => shop_but(
                "from = \"products.csv\"\n",
                &format!("from = \"products.csv\"\n{setting}\n"),
                "",
            ),
        };
        let came = plan.run(&["check"]);
        assert!(!came.said().contains("error"), "{}", came.said());
    }
}

#[test]
fn the_owner_of_a_lookup_is_reported_what_to_add() {
    let folder = mistyped();
    let mut came = folder.run(&["check", "--for-owner", "missing"]);
    assert_eq!(
        came.take_file("missing/products-to-complete.csv"),
        "found,may_be,use,note,missing,link,first_day,last_day,lines,quantity,also_written,examples\n\
         XYZ,,,,the key,products,2025-03-02,2025-03-02,2,6,,sales.csv:5 sales.csv:6\n\
         AB-1OO,AB-100,,,\"the key, unless another is meant\",products,2025-01-10,2025-01-10,1,2,,sales.csv:2\n\
         ab 217,AB-217,,,\"the key, unless another is meant\",products,2025-02-11,2025-02-11,1,-1,,sales.csv:4\n"
    );
    let prices = came.take_file("missing/prices-to-complete.csv");
    assert!(
        prices.contains("\nAB-100,,,,a period for these days,prices,2025-02-10,2025-02-10,1,3,"),
        "{prices}"
    );
    assert_eq!(
        came.printed(),
        "missing/prices-to-complete.csv  4 keys\nmissing/products-to-complete.csv  3 keys\n\n\
         Owners add the keys, or write into the column `use` which is meant. Then:\n\
         \x20 interligo mend --from missing/prices-to-complete.csv\n\
         \x20 interligo mend --from missing/products-to-complete.csv\n"
    );
    came.any_stdout().nothing_else();
    let mut well = shop("");
    well.put("sales.csv", b"no,day,item,quantity\n1,2025-01-10,A,2\n");
    let came = well.run(&["check", "--for-owner", "missing"]);
    came.stdout("No lookup lacks a key: nothing was written.\n").nothing_else();
}

#[test]
fn another_figure_may_say_what_is_affected() {
    let stake = |figure: &str| {
        let head = format!("name = \"Small\"\nweigh-by = \"{figure}\"\n");
        shop_but("name = \"Small\"\n", &head, "").run(&["check", "--format", "csv"])
    };
    let came = stake("cost");
    assert!(
        came.printed()
            .starts_with("finding,in,key_or_column,count,quantity,cost,lines_without_cost,")
    );
    assert!(came.printed().contains("undated-key,prices,B,1,4,50.00,0,"), "{}", came.printed());
    let ratio = stake("margin").status(2);
    assert!(
        ratio.said().contains("`margin` is not an amount: its sum over lines is meaningless"),
        "{}",
        ratio.said()
    );
    let unknown = stake("profits").status(2);
    assert!(unknown.said().contains("did you mean `profit`?"), "{}", unknown.said());
}

#[test]
fn keys_of_several_columns_have_near_misses_and_corrections_too() {
    let plan = "[plan]\ncorrections = \"c.csv\"\n[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n\
                [tables.rates]\nfrom = 'r.csv'\nkey = ['zone', 'class']\n\
                [[link]]\npath = 'sales.zone + sales.class -> rates.zone + rates.class'\n\
                [figures]\nfreight = 'weight * rates.rate'\n[outputs.lines]\nto = 'l.csv'\ncolumns = ['freight']\n";
    let mut folder = crate::support::Folder::with(&[
        ("interligo.toml", plan),
        ("s.csv", "zone,class,weight\nnorth,A1,2\nsouth,B2,3\nSouth,B2,4\n"),
        ("r.csv", "zone,class,rate\nnorth,Al,1.5\nsouth,B2,2\n"),
    ]);
    let came = folder.run(&["check", "near-miss", "--format", "csv"]);
    assert!(
        came.printed().contains(",north + Al,`north + Al`? look-alike characters\n"),
        "{}",
        came.printed()
    );
    assert!(came.printed().contains(",south + B2,`south + B2`? case\n"), "{}", came.printed());
    folder
        .put("c.csv", b"found,use,link\nnorth + A1,north + Al,rates\nSouth + B2,south+B2,rates\n");
    let came = folder.run(&["check", "--format", "csv"]);
    // A space on either side of the character belongs to it; without them it is a text of its own.
    assert!(
        came.printed().contains("correction-without-target,rates,South + B2,1,"),
        "{}",
        came.printed()
    );
    assert_eq!(folder.run(&["run"]).take_file("l.csv"), "freight\n3.0\n6.0\n\"\"\n");
}
