//! `interligo trace`: what it prints of lines and of cells of totals, and what it answers to what is no line.

use crate::support::{Folder, SALES, shop, shop_but};

fn keyed(more: &str) -> Folder {
    shop_but("role = \"fact\"", "role = \"fact\"\nkey  = \"no\"", more)
}

#[test]
fn a_line_is_explained_by_its_key() {
    keyed("")
        .run(&["trace", "4"])
        .stdout(
            "sales.csv:5   4
  as read   no 4 · day 2025-03-01 · item B · quantity 4
  products  item B   exact   products.csv:3
            cost 12.5
  prices    item B as of 2025-03-01   undated
            before: 2025-01-01 to 2025-02-28, price 20 (prices.csv:4)
            gap = \"earlier\" would take prices.csv:4, over 1 day
  revenue   quantity * prices.price = 4 * blank = blank: prices undated
  cost      quantity * products.cost = 4 * 12.5 = 50.00
  profit    revenue - cost = blank - 50.00 = blank: prices undated
  margin    profit / revenue = blank / blank = blank: prices undated
",
        )
        .nothing_else();
}

#[test]
fn the_same_line_as_json_and_as_markdown() {
    let came = keyed("").run(&["trace", "sales.csv:3", "--format", "json"]);
    let json: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
    let line = &json["lines"][0];
    assert_eq!((&line["place"], &line["key"]), (&"sales.csv:3".into(), &"2".into()));
    let price = &line["links"][1];
    assert_eq!((&price["status"], &price["as_of"]), (&"exact".into(), &"2025-02-10".into()));
    assert_eq!(price["row"]["attributes"]["price"], "1.25");
    assert_eq!(price["not_taken"][0]["until"], "2025-01-31");
    let revenue = &line["figures"][0];
    assert_eq!(revenue["with_numbers"], serde_json::json!(["3 * 1.25"]));
    assert_eq!(revenue["value"], "3.75");
    let came = keyed("").run(&["trace", "2", "--format", "markdown"]);
    for said in [
        "## sales.csv:3   2\n",
        "- **revenue**\n  - quantity \\* prices.price\n  - = 3 \\* 1.25\n  - = 3.75\n",
    ] {
        assert!(came.printed().contains(said), "{}", came.printed());
    }
}

#[test]
fn what_is_no_line_is_answered_with_the_reason() {
    let plan = "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\nkey = [\"no\", \"part\"]\nleave-out-rows = \"note = 'draft'\"\n\
                unpack = { columns = [\"item\", \"n\"], separator = \"|\", position = \"part\" }\n[figures]\nm = \"n * 2\"\n";
    let lines =
        "no,item,n,note\n1,a|b,2|3,\n2,c,4,draft\n\n3,d|e,5,\n4,f,6,,\n5,g,7,\nTotal,,22,\n";
    let folder = Folder::with(&[("interligo.toml", plan), ("s.csv", lines)]);
    for (argument, said) in [
        ("s.csv:1", "s.csv:1 is the header row, or above it, or blank\n"),
        ("s.csv:3", "s.csv:3 is left out by `leave-out-rows`\n"),
        ("s.csv:4", "s.csv:4 is blank\n"),
        (
            "s.csv:5",
            "s.csv:5 is set aside: it has too few or too many cells, or cells that cannot be split in step\n",
        ),
        (
            "s.csv:6",
            "s.csv:6 is set aside: it has too few or too many cells, or cells that cannot be split in step\n",
        ),
        ("s.csv:99", "s.csv:99 is behind the last row\n"),
        ("s.csv:2:3", "s.csv:2 became 2 lines, and has no line 3\n"),
    ] {
        folder.run(&["trace", argument]).stdout(said).nothing_else();
    }
    let came = folder.run(&["trace", "s.csv:2"]);
    for said in [
        "s.csv:2:1   1,1\n",
        "line 2 of 2 of this row: item b · n 3 · part 2\n",
        "n * 2 = 3 * 2 = 6\n",
    ] {
        assert!(came.printed().contains(said), "{said}{}", came.printed());
    }
    folder
        .run(&["trace", "1,2"])
        .stdout(
            "s.csv:2:2   1,2\n  as read  no 1 · item a|b · n 2|3 · note (blank)\n           \
         line 2 of 2 of this row: item b · n 3 · part 2\n  m        n * 2 = 3 * 2 = 6\n",
        )
        .nothing_else();
}

#[test]
fn a_key_that_is_not_there_has_the_nearest_named() {
    for (arguments, said) in [
        (
            vec!["trace", "44"],
            "error: no line of `sales` has the key `44`\n  in trace:\n    44\n    ▔▔\n  fix: did you mean `4`?\n",
        ),
        (vec!["trace", "4,1"], "error: no line of `sales` has the key `4,1`"),
        (vec!["trace", "nofile.csv:3x"], "error: no line of `sales` has the key `nofile.csv:3x`"),
        (vec!["trace"], "error: `<KEY|PLACE>` is missing"),
        (
            vec!["trace", "--total", "revenu"],
            "error: no figure or column of `sales` is called `revenu`",
        ),
        (
            vec!["trace", "--total", "count(distinct item)"],
            "error: `count(distinct item)` does not follow from lines one by one\n  in --total:\n    count(distinct item)\n    ▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔\n  fix: `count(item)` has the same lines: take that apart\n",
        ),
        (
            vec!["trace", "--total", "year_before(median(quantity))"],
            "error: `year_before(median(quantity))` does not follow from lines one by one\n  in --total:\n    year_before(median(quantity))\n    ▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔▔\n  fix: `median(quantity)` has the same lines: take that apart\n",
        ),
        (
            vec!["trace", "--total", "revenue", "--output", "x"],
            "error: the plan has no totals called `x`",
        ),
        (vec!["trace", "--where", "item = 5"], "error: "),
        (vec!["trace", "4", "--of", "products"], "error: `products` is no fact table of the plan"),
    ] {
        let came = keyed("").run(&arguments).status(2);
        assert!(came.said().starts_with(said), "{arguments:?}\n{}", came.said());
        came.any_stderr().nothing_else();
    }
    let came = shop("").run(&["trace", "4"]).status(2);
    let wanted = "error: `sales` has no key, by which a line would be known";
    assert!(came.said().starts_with(wanted), "{}", came.said());
    shop("")
        .run(&["trace", "--where", "quantity > 100"])
        .stdout("No line meets the condition.\n")
        .nothing_else();
}

/// The sign for kelvin is a K by another number: a block with it is read, although the bytes of the key are not in it.
#[test]
fn a_key_is_found_however_its_letters_are_written() {
    let mut folder = keyed("");
    folder.put("sales.csv", SALES.replace("2,2025-02-10", "\u{212a}7,2025-02-10").as_bytes());
    for key in ["K7", "\u{212a}7"] {
        let came = folder.run(&["trace", key]);
        assert!(came.printed().starts_with("sales.csv:3   "), "{}{}", came.printed(), came.said());
        came.ended(0);
    }
}

#[test]
fn several_lines_of_a_key_are_all_shown() {
    let mut folder =
        shop_but("role = \"fact\"", "role = \"fact\"\nkey  = \"no\"\nrepeats = \"keep\"", "");
    folder.put("sales.csv", format!("{SALES}4,2025-02-01,A,1\n").as_bytes());
    let came = folder.run(&["trace", "4"]);
    for said in [
        "sales.csv:5   4\n",
        "sales.csv:7   4\n",
        "2 lines have this key; all are kept: repeats = \"keep\"\n",
    ] {
        assert!(came.printed().contains(said), "{}", came.printed());
    }
    let came = folder.run(&["trace", "--where", "quantity > 0", "--rows", "2"]);
    assert!(
        came.printed().ends_with("\n4 more lines: --rows N shows as many.\n"),
        "{}",
        came.printed()
    );
}

#[test]
fn a_cell_of_totals_is_taken_apart() {
    let output = "\n[outputs.big]\nby = [\"item\"]\nwhere = \"quantity > 1\"\n";
    keyed(output)
        .run(&["trace", "--total", "revenue", "--output", "big", "--rows", "1"])
        .stdout(
            "revenue 5.75, over 4 lines

  amount  key  formula   place
  ───────────────────────────────────────────
    3.75  2    3 * 1.25  sales.csv:3
    2.00                 1 more line
  ───────────────────────────────────────────
    5.75                 2 lines with a value
  1 line without a value: prices undated, first sales.csv:5
  1 line without a value: prices unmatched, first sales.csv:6
",
        )
        .nothing_else();
    let came = keyed("").run(&["trace", "--total", "margin", "--format", "json"]);
    let json: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
    assert_eq!(json["value"], "0.4368932038835");
    let parts = &json["computed_from"];
    assert_eq!(parts["sums"], serde_json::json!({ "profit": "11.25", "revenue": "25.75" }));
    assert_eq!(parts["lines"], 3);
    let came =
        keyed("").run(&["trace", "--total", "quantity", "--format", "markdown", "--rows", "1"]);
    assert!(
        came.printed().starts_with("## quantity 15, over 5 lines\n\n| amount | key |"),
        "{}",
        came.printed()
    );
}

#[test]
fn a_number_in_an_order_has_the_lines_beside_it() {
    keyed("")
        .run(&["trace", "--total", "median(quantity)", "--rows", "2"])
        .stdout(
            "median(quantity) 3, over 5 lines

  amount  key  formula  place
  ──────────────────────────────────
       3  2             sales.csv:3
       2  1             sales.csv:2
                        3 more lines
  5 lines with a value: 2 below 3, 1 with it, 2 above
",
        )
        .nothing_else();
    let json = |total: &str| -> serde_json::Value {
        let came = keyed("").run(&["trace", "--total", total, "--format", "json"]);
        serde_json::from_str(came.printed()).unwrap()
    };
    let most = json("max(revenue)");
    assert_eq!(most["value"], "20.00");
    assert_eq!(most["lines"][0]["place"], "sales.csv:4");
    assert_eq!(most["in_order"], serde_json::json!({ "below": 2, "equal": 1, "above": 0 }));
    assert_eq!(most["without_value"].as_array().unwrap().len(), 2);
    assert_eq!(json("revenue")["in_order"], serde_json::Value::Null);
}

#[test]
fn a_day_or_a_text_in_an_order_has_the_lines_beside_it() {
    keyed("")
        .run(&["trace", "--total", "min(day)", "--rows", "2"])
        .stdout(
            "min(day) 2025-01-10, over 5 lines

  value       key  formula  place
  ──────────────────────────────────────
  2025-01-10  1             sales.csv:2
  2025-02-10  2             sales.csv:3
                            3 more lines
  5 lines with a value: 0 before 2025-01-10, 1 with it, 4 after
",
        )
        .nothing_else();
    let came = keyed("").run(&["trace", "--total", "max(item)", "--rows", "1", "--format", "json"]);
    let json: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
    assert_eq!((&json["value"], &json["lines"][0]["amount"]), (&"X".into(), &"X".into()));
    assert_eq!(json["in_order"], serde_json::json!({ "below": 4, "equal": 1, "above": 0 }));
    let came = keyed("").run(&["trace", "--total", "min(day)", "--format", "markdown"]);
    assert!(
        came.printed().starts_with("## min(day) 2025-01-10, over 5 lines\n\n| value | key |"),
        "{}",
        came.printed()
    );
}

#[test]
fn counted_lines_are_listed_one_by_one_and_close() {
    for (total, value, of_lines, first) in [
        ("lines", "5", 5, "sales.csv:2"),
        ("count(item)", "5", 5, "sales.csv:2"),
        ("count(revenue)", "3", 5, "sales.csv:2"),
        ("blank(revenue)", "2", 5, "sales.csv:5"),
    ] {
        let came = keyed("").run(&["trace", "--total", total, "--rows", "1", "--format", "json"]);
        let json: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
        assert_eq!(json["value"], value, "{total}");
        assert_eq!(json["sum"], value, "{total}");
        assert_eq!(json["of_lines"], of_lines, "{total}");
        assert_eq!(json["lines"][0]["place"], first, "{total}");
        assert_eq!(json["lines"][0]["amount"], "1", "{total}");
    }
    let came = keyed("").run(&["trace", "--total", "blank(revenue)", "--rows", "1"]);
    for said in [
        "       2                  2 lines without a value\n",
        "  1 line without a value: prices undated, first sales.csv:5\n",
    ] {
        assert!(came.printed().contains(said), "{}", came.printed());
    }
    let came = keyed("").run(&["trace", "--total", "count(item)", "--rows", "1"]);
    assert!(came.printed().contains("       1  1    A        sales.csv:2\n"), "{}", came.printed());
}

#[test]
fn a_correction_and_duplicates_are_named() {
    let mut folder = shop_but("name = \"Small\"", "name = \"Small\"\ncorrections = \"c.csv\"", "");
    folder.put("c.csv", b"found,use,link,note\nX,A,products,\nX,A,prices,\n");
    folder.put("products.csv", b"sku,name,cost\nA,Jar,0.40\nA,Jar,0.45\nB,Smoker,12.5\n");
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let plan = plan.replace(
        "key  = \"sku\"\n\n[tables.prices]",
        "key  = \"sku\"\nduplicates = \"last\"\n\n[tables.prices]",
    );
    folder.put("interligo.toml", plan.as_bytes());
    let came = folder.run(&["trace", "sales.csv:6"]);
    for said in [
        "products  item X   mended   products.csv:3\n            a correction has A for X\n",
        "not taken, a duplicate of the key: products.csv:2, cost 0.40\n",
        "prices    item X as of 2025-03-02   mended   prices.csv:3\n",
    ] {
        assert!(came.printed().contains(said), "{said}{}", came.printed());
    }
}

/// Five lines of the demo, computed by hand from its files: what each was looked up as, and what
/// its figures come to.
#[test]
fn lines_of_the_demo_are_what_they_are_by_hand() {
    let folder = Folder::with(&[]);
    folder.run(&["demo", "."]).ended(0);
    // place or key; price and status; revenue, cost, profit
    type ByHand = (&'static str, (&'static str, Option<&'static str>), [Option<&'static str>; 3]);
    let by_hand: [ByHand; 5] = [
        // 7 * 13.82 * 0.875; 7 * 9.97
        (
            "202401000001,1",
            ("exact", Some("13.82")),
            [Some("84.6475"), Some("69.79"), Some("14.8575")],
        ),
        // " SM-131 ": 5 * 9.97 * 0.9; 5 * 6.98
        (
            "sales/corvo_2024.csv:7",
            ("cleaned", Some("9.97")),
            [Some("44.865"), Some("34.9"), Some("9.965")],
        ),
        // the third of six items of a receipt: 92 * 19.34; 92 * 13.1
        (
            "sales/tilia_2024.csv:7:3",
            ("exact", Some("19.34")),
            [Some("1779.28"), Some("1205.2"), Some("574.08")],
        ),
        // no price on 2025-03-05; 9 * 15.84
        ("202502000022,1", ("undated", None), [None, Some("142.56"), None]),
        // the later of two rows of the product: 10 * 18.68 * 0.875; 10 * 12.96
        (
            "202403000001,2",
            ("exact", Some("18.68")),
            [Some("163.45"), Some("129.6"), Some("33.85")],
        ),
    ];
    for (line, (status, price), figures) in by_hand {
        let came = folder.run(&["trace", line, "--format", "json"]);
        let json: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
        let [traced] = json["lines"].as_array().unwrap().as_slice() else {
            panic!("{line}: {json}")
        };
        let links = traced["links"].as_array().unwrap();
        let prices = links.iter().find(|link| link["link"] == "prices").unwrap();
        assert_eq!(prices["status"], status, "{line}");
        assert_eq!(prices["row"]["attributes"]["unit_price"].as_str(), price, "{line}");
        for (name, value) in ["revenue", "cost", "profit"].into_iter().zip(figures) {
            let all = traced["figures"].as_array().unwrap();
            let figure = all.iter().find(|figure| figure["figure"] == name).unwrap();
            let shown = figure["value"].as_str().map(|text| text.trim_end_matches('0'));
            assert_eq!(shown, value, "{name} of {line}");
        }
    }
}

/// An output of the plan may be called as it likes: what `trace` asks for is told from it.
#[test]
fn an_output_called_trace_is_no_hindrance() {
    let folder = keyed("[outputs.trace]\nto = \"t.csv\"\ncolumns = [\"no\", \"revenue\"]\n");
    let came = folder.run(&["trace", "2"]);
    assert!(came.printed().starts_with("sales.csv:3   2\n"), "{}", came.printed());
    let came = folder.run(&["trace", "--where", "quantity = 3"]);
    assert!(came.printed().starts_with("sales.csv:3   2\n"), "{}", came.printed());
    let mut came = folder.run(&["run"]);
    assert_eq!(came.take_file("t.csv").lines().nth(2), Some("2,3.75"));
}
