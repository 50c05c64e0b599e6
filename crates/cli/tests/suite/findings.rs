//! What is found of links, keys and lines: nothing that touches a figure goes unsaid, and nothing is reported that
//! is not so.

use crate::support::{Came, Folder};

/// All that came back.
fn said(came: &Came) -> String {
    format!("{}{}", came.printed(), came.said())
}

/// Two facts over a chain, with a condition on what an earlier link brought.
const SHOP: &str = r#"
[tables.sales]
role = "fact"
from = "sales.csv"
[tables.back]
role = "fact"
from = "back.csv"
[tables.products]
from = "products.csv"
key = "sku"
[tables.customers]
from = "customers.csv"
key = "nr"
[tables.classes]
from = "classes.csv"
key = "class"
[[link]]
path = "sales.item or sales.old -> products.sku"
[[link]]
path = "back.item -> products.sku"
[[link]]
path = "sales.cust -> customers.nr"
[[link]]
path = "customers.class -> classes.class"
when = "customers.class <> 'Z'"
[figures]
v = "sales.qty * products.price"
w = "back.qty * products.price"
[outputs.u]
to = "u.csv"
list = "unmatched"
[outputs.l]
to = "l.csv"
of = "sales"
columns = ["cust", "classes.discount"]
"#;

fn shop() -> Folder {
    Folder::with(&[
        ("interligo.toml", SHOP),
        ("sales.csv", "item,old,cust,qty\na1,B2,1,5\nC9,,1,3\nX,b-2,2,4\n"),
        ("back.csv", "item,qty\nC9,3\nA1,2\n"),
        ("products.csv", "sku,price\nA1,2\nB2,3\n"),
        ("customers.csv", "nr,class\n1,K\n2,Z\n"),
        ("classes.csv", "class,discount\nK,5\n"),
    ])
}

#[test]
fn lists_that_name_no_fact_hold_those_of_all() {
    let mut came = shop().run(&["run"]);
    assert_eq!(
        came.take_file("u.csv"),
        "fact,link,status,key,lines,first,last,qty\n\
         sales,products,unmatched,C9,1,sales.csv:3,sales.csv:3,3\n\
         sales,products,unmatched,X or b-2,1,sales.csv:4,sales.csv:4,4\n\
         back,products,unmatched,C9,1,back.csv:2,back.csv:2,3\n"
    );
    let lines = came.take_file("l.csv");
    assert_eq!(
        lines, "cust,classes.discount\n1,5\n1,5\n2,\n",
        "a condition takes what a link brought"
    );
}

#[test]
fn lines_of_two_facts_are_not_added_up() {
    let came = shop().run(&["check"]);
    let all = said(&came);
    let of = |fact: &str| {
        let row = all.lines().find(|line| line.contains(&format!("products ({fact})")));
        row.unwrap_or_else(|| panic!("{all}")).split_whitespace().collect::<Vec<_>>().join(" ")
    };
    assert!(of("sales").starts_with("unmatched-key products (sales) 1 1 20.00 %"), "{all}");
    assert!(of("back").starts_with("unmatched-key products (back) 1 1 20.00 %"), "{all}");
}

#[test]
fn candidates_that_were_passed_over_and_second_ones_are_mended() {
    let folder = shop();
    let mut came = folder.run(&["mend", "--accept", "case,punctuation"]);
    assert_eq!(
        came.take_file("corrections.csv"),
        "found,use,link,note\nb-2,B2,products,\"case, punctuation\"\na1,A1,products,case\n"
    );
    let all = said(&came);
    assert!(all.contains("1 key left"), "a key that two facts miss is one: {all}");
    came.take_file("interligo.toml");
}

#[test]
fn corrections_that_no_plan_names_are_spoken_of() {
    let mut folder = shop();
    folder.put("corrections.csv", b"found,use,link,note\nC9,A1,products,\n");
    let came = folder.run(&["check"]);
    assert!(said(&came).contains("corrections-not-named"), "{}", said(&came));
    assert!(said(&came).contains("the plan does not name it"), "{}", said(&came));
}

/// A price list that changes how it writes its codes, and a fact with repeats.
const LIST: &str = r#"
[plan]
corrections = "corrections.csv"
[tables.sales]
role = "fact"
from = "sales.csv"
key = "no"
repeats = "last"
[tables.prices]
from = "prices.csv"
key = "sku"
valid = { from = "since" }
[[link]]
path = "sales.item -> prices.sku as of day"
ignore = ["leading-zeros"]
[figures]
v = "sales.qty * prices.price"
[outputs.l]
to = "l.csv"
columns = ["no", "v"]
[outputs.r]
to = "r.csv"
list = "repeats"
"#;

fn list(plan: &str) -> Folder {
    Folder::with(&[
        ("interligo.toml", plan),
        (
            "sales.csv",
            "no,day,item,qty\n1,2025-03-01,007,1\n2,2025-11-01,007,1\n3,2024-03-01,OO7,1\n\
             4,2025-11-01,8,1\n4,2025-11-01,8,2\n",
        ),
        ("prices.csv", "sku,since,price\n007,2025-01-01,2\n7,2025-10-01,3\n8,2025-01-01,4\n"),
        ("corrections.csv", "found,use,link,note\nOO7,007,prices,\n"),
    ])
}

#[test]
fn keys_that_a_link_takes_for_one_have_one_calendar() {
    let mut came = list(LIST).run(&["run"]);
    assert_eq!(came.take_file("l.csv"), "no,v\n1,2\n2,3\n3,\n4,8\n");
    assert!(said(&came).contains("same-key-written-differently"), "{}", said(&came));
    assert_eq!(
        came.take_file("r.csv"),
        "finding,key,first,other,differing\n\
         repeat-conflicting,no 4,sales.csv:6,sales.csv:5,qty: 2 | 1\n",
        "a line that was dropped is in the list"
    );
    let as_written = LIST.replace("ignore = [\"leading-zeros\"]", "match = \"as-written\"");
    let mut came = list(&as_written).run(&["run"]);
    assert_eq!(came.take_file("l.csv"), "no,v\n1,2\n2,2\n3,\n4,8\n");
    assert!(!said(&came).contains("same-key-written-differently"), "{}", said(&came));
    came.take_file("r.csv");
}

#[test]
fn a_correction_whose_line_has_no_day_is_needed() {
    let came = list(LIST).run(&["check"]);
    assert!(said(&came).contains("undated-key"), "{}", said(&came));
    assert!(!said(&came).contains("correction-unused"), "{}", said(&came));
    let mut folder = list(LIST);
    folder.put("corrections.csv", b"found,use,link,note\nQ,007,prices,\n");
    let came = folder.run(&["check"]);
    assert!(said(&came).contains("no line has this key"), "{}", said(&came));
}

#[test]
fn a_run_stops_on_repeats_that_were_dropped() {
    let plan = LIST.replace("[plan]", "[plan]\nstop-on = [\"repeat-conflicting\"]");
    let came = list(&plan).run(&["run"]);
    assert_eq!(came.exit_status(), 1);
    assert!(said(&came).contains("1 finding of the kind `repeat-conflicting`"), "{}", said(&came));
}

#[test]
fn a_list_of_corrections_that_contradicts_itself_or_ours_is_not_taken_over() {
    let mut folder = list(LIST);
    folder.put(
        "theirs.csv",
        b"found,use,link,note\nOO7,8,prices,\nQ,7,prices,\nQ,8,prices,\nW,8,prices,\nV,9,prices,\n",
    );
    let mut came = folder.run(&["mend", "--from", "theirs.csv"]);
    assert_eq!(came.exit_status(), 1);
    let kept = came.take_file("corrections.csv");
    assert_eq!(kept, "found,use,link,note\nOO7,007,prices,\nW,8,prices,\n");
    for why in [
        "theirs.csv:2 `OO7`, because corrections.csv already has `007` for it",
        "theirs.csv:3 `Q`, because another row contradicts it",
        "theirs.csv:4 `Q`, because another row contradicts it",
        "theirs.csv:6 `V`, because the lookup of `prices` has no key `9`",
    ] {
        assert!(said(&came).contains(why), "{}", said(&came));
    }
}

#[test]
fn a_key_that_two_ways_of_writing_may_mean_is_left_open() {
    let plan = "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n[tables.p]\nfrom = \"p.csv\"\nkey = \"k\"\n\
                [[link]]\npath = \"s.k -> p.k\"\n[figures]\nv = \"p.v\"\n";
    let folder = Folder::with(&[
        ("interligo.toml", plan),
        ("s.csv", "k,q\nPOLLEN1,1\n"),
        ("p.csv", "k,v\nPOLLEN-1,1\nPOLLEN 1,2\nAB,3\nCD,4\n"),
    ]);
    for ways in ["spaces", "punctuation", "spaces,punctuation"] {
        let came = folder.run(&["mend", "--accept", ways]);
        assert!(said(&came).contains("1 key left"), "{ways}: {}", said(&came));
        came.any_stdout().nothing_else();
    }
}

#[test]
fn a_day_without_a_price_stops_a_chain_as_it_stops_a_fact() {
    let plan = |path: &str| {
        format!(
            "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n[tables.p]\nfrom = \"p.csv\"\nkey = \"k\"\n\
             [tables.t]\nfrom = \"t.csv\"\nkey = \"c\"\nvalid = {{ from = \"since\", until = \"until\" }}\n\
             [[link]]\npath = \"s.k -> p.k\"\n[[link]]\npath = \"{path}\"\n[link.gap]\nbefore = \"stop\"\n\
             [figures]\nv = \"t.v\"\n[outputs.l]\nto = \"l.csv\"\ncolumns = [\"v\"]\n"
        )
    };
    let run = |path: &str, day: &str| {
        let folder = Folder::with(&[
            ("interligo.toml", &plan(path)),
            ("s.csv", &format!("k,c,day\nA,C,{day}\n")),
            ("p.csv", &format!("k,c,day\nA,C,{day}\n")),
            ("t.csv", "c,since,until,v\nC,2025-01-01,2025-02-01,1\nC,2025-03-01,2025-04-01,2\n"),
        ]);
        let mut came = folder.run(&["run"]);
        if came.exit_status() == 0 { came.take_file("l.csv") } else { "stops".to_owned() }
    };
    for path in ["s.c -> t.c as of s.day", "p.c -> t.c as of p.day"] {
        assert_eq!(run(path, "2024-12-01"), "stops", "{path} before the first period");
        assert_eq!(run(path, "2025-02-15"), "v\n\n".replace("\n\n", "\n\"\"\n"), "{path} between");
        assert_eq!(run(path, "2025-03-15"), "v\n2\n", "{path} in a period");
    }
}

#[test]
fn figures_that_are_totalled_as_a_ratio_say_so() {
    let plan = "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n[figures]\n\
                v = \"qty * price * (qty - back) / qty\"\nrate = \"back / qty\"\n";
    let folder = Folder::with(&[
        ("interligo.toml", plan),
        ("s.csv", "g,qty,price,back\na,10,3,1\nb,20,4,2\n"),
    ]);
    let came = folder.run(&["totals", "--by", "g", "--show", "v,rate"]);
    let all = said(&came);
    assert!(
        all.contains("v divides by an amount, so its totals are computed from totals"),
        "{all}"
    );
    assert!(!all.contains("rate divides"), "{all}");
    came.as_text();
    let came = folder.run(&["check"]);
    assert!(said(&came).contains("amount-as-ratio"), "{}", said(&came));
}

#[test]
fn what_is_normal_to_miss_still_counts_as_missed() {
    let plan = "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n[tables.p]\nfrom = \"p.csv\"\nkey = \"k\"\n\
                [[link]]\npath = \"s.k -> p.k\"\nmissing = \"normal\"\n";
    let folder = Folder::with(&[
        ("interligo.toml", plan),
        ("s.csv", "k,q\nA,1\nB,1\nC,1\nD,1\n"),
        ("p.csv", "k,v\nA,1\n"),
    ]);
    let came = folder.run(&["link"]);
    assert!(said(&came).contains("25.0 %"), "{}", said(&came));
    assert!(!said(&came).contains("100"), "{}", said(&came));
}

#[test]
fn keys_of_several_columns_are_distinguished() {
    let plan = "[tables.s]\nrole = \"fact\"\nfrom = \"s.csv\"\n[tables.p]\nfrom = \"p.csv\"\nkey = [\"a\", \"b\"]\n\
                [[link]]\npath = \"s.a + s.b -> p.a + p.b\"\n[outputs.u]\nto = \"u.csv\"\nlist = \"unmatched\"\n";
    let folder = Folder::with(&[
        ("interligo.toml", plan),
        ("s.csv", "a,b,q\nA + B,X,1\nA,B + X,2\n"),
        ("p.csv", "a,b,v\nA,B,1\n"),
    ]);
    let mut came = folder.run(&["run"]);
    let list = came.take_file("u.csv");
    assert!(list.contains("\"\"\"A + B\"\" + X\",1,s.csv:2"), "{list}");
    assert!(list.contains("\"A + \"\"B + X\"\"\",1,s.csv:3"), "{list}");
}

/// Two facts that miss keys of one lookup, some of them the same.
fn two_facts(missing: &str) -> Folder {
    let plan = format!(
        "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
         [tables.returns]\nrole = \"fact\"\nfrom = \"returns.csv\"\n\
         [tables.prices]\nfrom = \"prices.csv\"\nkey = \"sku\"\n\
         [[link]]\npath = \"sales.item -> prices.sku\"\n{missing}\n\
         [[link]]\npath = \"returns.item -> prices.sku\"\n{missing}\n\
         [figures]\nworth = {{ formula = \"qty * prices.price\", of = \"sales\" }}\n\
         [outputs.keys]\nlist = \"unmatched\"\nto = \"keys.csv\"\n"
    );
    Folder::with(&[
        ("interligo.toml", &plan),
        ("sales.csv", "item,qty\nx,1\n,5\nq,\nq,\nr,2\nr,\n"),
        ("returns.csv", "item,back\ny,1\nq,1\nx,1\n"),
        ("prices.csv", "sku,price\nx,1\ny,2\nz,3\n"),
    ])
}

#[test]
fn a_sum_over_quantities_that_nobody_knows_is_blank() {
    let folder = two_facts("");
    let mut ran = folder.run(&["run"]);
    let keys = ran.take_file("keys.csv");
    assert!(keys.contains("q,2,sales.csv:4,sales.csv:5,"), "{keys}");
    assert!(keys.contains("r,2,sales.csv:6,sales.csv:7,2"), "{keys}");
    let check = folder.run(&["check", "--format", "csv"]);
    assert!(check.printed().contains("unmatched-key,prices,q,2,,"), "{}", check.printed());
}

#[test]
fn keys_of_links_are_counted_alike_everywhere() {
    let missing = "missing = \"normal\"";
    for rule in ["", missing] {
        let folder = two_facts(rule);
        let check = folder.run(&["check"]);
        let counts = "1 in both + 2 only in lines + 2 only in prices = 5";
        assert!(check.printed().contains(counts), "{rule}: {}", check.printed());
        let links = folder.run(&["link", "--format", "csv"]);
        // A blank is no key.
        let of_sales = "prices,sales.item -> prices.sku,sales,prices,6,1,1,2,2,";
        assert!(links.printed().contains(of_sales), "{rule}: {}", links.printed());
    }
}

#[test]
fn a_row_that_lines_name_and_cannot_use_is_not_unused() {
    let plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
        [tables.prices]\nfrom = \"prices.csv\"\nkey = \"sku\"\n\
        [[link]]\npath = \"sales.item or sales.old -> prices.sku\"\nneeds = [\"price\"]\n\
        [figures]\nprice = \"prices.price\"\n";
    let folder = Folder::with(&[
        ("interligo.toml", plan),
        ("sales.csv", "item,old,qty\nx,,1\ny,x,2\nw,v,3\n"),
        ("prices.csv", "sku,price\nx,1\ny,\nz,3\nv,\n"),
    ]);
    let check = folder.run(&["check", "--format", "csv"]);
    let unused: Vec<&str> =
        check.printed().lines().filter(|line| line.starts_with("unused-row")).collect();
    assert_eq!(unused.len(), 1, "{}", check.printed());
    assert!(unused[0].starts_with("unused-row,prices,z,"), "{}", unused[0]);
}
