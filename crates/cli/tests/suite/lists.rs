//! Lists among the outputs, how each link came out on each line, and findings that end a run.

use crate::support::{PRODUCTS, shop, shop_but};

#[test]
fn lists_are_outputs_like_others() {
    let lists = "[outputs.found]\nto = \"found.csv\"\nlist = \"findings\"\n\
                 [outputs.open]\nto = \"open.csv\"\nlist = \"unmatched\"\n\
                 [outputs.apart]\nto = \"apart.csv\"\nlist = \"set-aside\"\n\
                 [outputs.twice]\nto = \"twice.csv\"\nlist = \"repeats\"\n";
    let mut folder = shop_but(
        "from = \"sales.csv\"",
        "from = \"sales.csv\"\nkey = \"no\"\nrepeats = \"first\"",
        lists,
    );
    folder.put(
        "sales.csv",
        b"no,day,item,quantity\n1,2025-01-10,A,2\n2,2025-02-10,X,3\n1,2025-01-10,A,2\n2,2025-02-10,X,4\n3,2025-03-09,B,1\n4,2025-01-10,A,1,x\n",
    );
    let mut came = folder.run(&["run", "--full"]);
    assert_eq!(
        came.take_file("open.csv"),
        "link,status,key,lines,first,last,quantity\n\
         products,unmatched,X,1,sales.csv:3,sales.csv:3,3\n\
         prices,unmatched,X,1,sales.csv:3,sales.csv:3,3\n\
         prices,undated,B,1,sales.csv:6,sales.csv:6,1\n"
    );
    assert_eq!(
        came.take_file("twice.csv"),
        "finding,key,first,other,differing\n\
         repeat-identical,no 1,sales.csv:2,sales.csv:4,\n\
         repeat-conflicting,no 2,sales.csv:3,sales.csv:5,quantity: 3 | 4\n"
    );
    assert_eq!(
        came.take_file("apart.csv"),
        "reason,file,row,no,day,item,quantity,as_read\n\
         too few or too many fields,sales.csv,7,,,,,\"4,2025-01-10,A,1,x\"\n"
    );
    let found = came.take_file("found.csv");
    for kind in
        ["unmatched-key,prices,X,1,3,", "repeat-identical,sales,no 1,1,", "malformed-row,sales,,1,"]
    {
        assert!(found.contains(kind), "{kind} in {found}");
    }
    assert!(came.printed().contains("twice       2    a list  twice.csv"), "{}", came.printed());
    // All of it is in these files; there is no other for what is set aside.
    came.any_stdout().nothing_else();
    // What `check` lists is what the run lists, but for the names of what it looks at.
    assert_eq!(folder.run(&["check", "--format", "csv"]).printed(), found);
}

#[test]
fn each_line_says_how_its_links_came_out() {
    let mut folder = shop_but(
        "path = \"sales.item -> products.sku\"",
        "path = \"sales.item -> products.sku or sales.other -> products.sku\"\nmissing = \"fill\"\nfill = { name = \"?\" }",
        "",
    );
    let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
    let plan = plan.replace(
        "sales.item -> products.sku or sales.other -> products.sku",
        "sales.item or sales.other -> products.sku",
    );
    let outputs = "[outputs.lines]\nto = \"out.csv\"\ncolumns = [\"no\"]\nstatus = true\n";
    folder.put("interligo.toml", format!("{plan}{outputs}").as_bytes());
    folder.put(
        "sales.csv",
        b"no,day,item,quantity,other\n1,2025-01-10, A,2,\n2,2025-02-10,Q,3,B\n3,2025-02-11,,1,\n4,2025-03-02,B,1,\n",
    );
    folder
        .run(&["run"])
        .any_stdout()
        .file(
            "out.csv",
            "no,products status,products key,prices status,prices key\n\
             1,cleaned,A,cleaned,A\n2,alternate 2,B,unmatched,\n3,filled,,blank,\n4,exact,B,undated,\n",
        )
        .nothing_else();
}

#[test]
fn an_output_is_of_one_kind() {
    for (output, said) in [
        ("list = \"findings\"\nby = []", "the output `x` is a list and takes only `to` and `of`"),
        ("status = true\nby = []", "the output `x` has both `status` and `by`"),
        ("list = \"finding\"", "`finding` is not one of the choices here"),
    ] {
        let came =
            shop(&format!("[outputs.x]\nto = \"x.csv\"\n{output}\n")).run(&["run"]).status(2);
        assert!(came.said().contains(said), "{}", came.said());
    }
}

#[test]
fn findings_end_a_run_where_the_plan_says_so() {
    let stop_on = |codes: &str| {
        let head = format!("name = \"Small\"\nstop-on = [{codes}]\n");
        shop_but("name = \"Small\"\n", &head, "[outputs.lines]\nto = \"lines.csv\"\n")
    };
    let came = stop_on("\"near-miss\", \"unmatched-key\"").run(&["run"]);
    came.status(1)
        .stderr(
            "error: 2 findings of the kind `unmatched-key`, on which the plan says to stop\n  \
             sales.csv:6 `X` in prices\n  sales.csv:6 `X` in products\n  \
             fix: `interligo check unmatched-key` shows them all, `interligo check --explain unmatched-key` what settles \
             them; or take it out of `stop-on`\nNothing was written.\n",
        )
        .nothing_else();
    let mut folder = stop_on("\"unused-row\"");
    folder.put("products.csv", format!("{PRODUCTS}C,Cup,1\n").as_bytes());
    let came = folder.run(&["run"]).status(1);
    assert!(came.said().contains("products.csv:4 `C` in products"), "{}", came.said());
    folder.run(&["check"]).ended(1);
    let came = stop_on("\"near-mis\"").run(&["run"]).status(2);
    assert!(came.said().contains("there is no finding `near-mis`"), "{}", came.said());
    assert!(came.said().contains("did you mean `near-miss`?"), "{}", came.said());
    let came = stop_on("\"odd-day\"").run(&["run"]).status(2);
    let renamed = "the finding `odd-day` is now called `implausible-date`";
    assert!(came.said().contains(renamed), "{}", came.said());
}

#[test]
fn the_end_of_a_run_says_what_is_new() {
    let mut folder = shop("[outputs.lines]\nto = \"lines.csv\"\n");
    let first = folder.run(&["run", "--full"]);
    assert!(!first.printed().contains("since the last run"), "{}", first.printed());
    let same = folder.run(&["run", "--full"]);
    assert!(same.printed().contains("X  sales.csv:6  as before"), "{}", same.printed());
    let sales = "no,day,item,quantity\n1,2025-01-10,A,2\n5,2025-03-02,X,5\n6,2025-03-03,Y,5\n";
    folder.put("sales.csv", sales.as_bytes());
    let more = folder.run(&["run", "--full"]);
    assert!(more.printed().contains("1 more: Y"), "{}", more.printed());
    assert!(
        more.printed().contains("No more since the last run: undated-key in prices."),
        "{}",
        more.printed()
    );
    // The note is for this only: without it there is nothing to compare with.
    std::fs::remove_dir_all(folder.path().join(".interligo")).unwrap();
    let again = folder.run(&["run", "--full"]);
    assert!(!again.printed().contains("since the last run"), "{}", again.printed());
}

/// A note that was left before a kind of finding was renamed is still compared with.
#[test]
fn a_note_with_a_former_name_is_of_the_same_kind() {
    let mut folder = shop("[outputs.lines]\nto = \"lines.csv\"\n");
    folder.put("sales.csv", b"no,day,item,quantity\n1,2025-01-10,A\n2,2025-01-10,A,1\n");
    folder.run(&["run"]).ended(0);
    let note = folder.path().join(".interligo/interligo/last-run.json");
    let text = std::fs::read_to_string(&note).unwrap();
    assert!(text.contains("malformed-row"), "{text}");
    std::fs::write(&note, text.replace("malformed-row", "misfit-row")).unwrap();
    let again = folder.run(&["run"]);
    assert!(again.printed().contains("as before"), "{}", again.printed());
    assert!(!again.printed().contains("No more since the last run"), "{}", again.printed());
}
