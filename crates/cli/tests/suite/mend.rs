//! `mend`: keys that were not found, corrected at a terminal and without one, and what is wrong with the file.

use crate::support::{Came, Folder, shop, shop_but};

const LINES: &str = "[outputs.lines]\nto = \"out.csv\"\ncolumns = [\"no\", \"products.name\", \"revenue\"]\nstatus = true\n";

const WRONG: &str = "\
no,day,item,quantity
1,2025-01-10,ab-100,2
2,2025-02-10,AB-1OO,3
3,2025-02-11,AB-110X,1
4,2025-02-12,QQ-7,4
5,2025-02-13,AB-1OO,5
";

/// A shop in which most lines have a wrong code.
fn wrong() -> Folder {
    let mut folder = shop(LINES);
    folder.put("sales.csv", WRONG.as_bytes());
    folder.put("products.csv", b"sku,name,cost\nAB-100,Jar,1\nAB-110,Lid,2\nZZ-900,Veil,9\n");
    folder.put("prices.csv", b"sku,from,until,price\nAB-100,,,1.00\nAB-110,2025-02-01,,1.50\n");
    folder
}

/// What `run` makes of the lines.
fn lines(folder: &Folder) -> String {
    let mut came = folder.run(&["run"]);
    assert_eq!(came.said(), "");
    came.take_file("out.csv")
}

fn corrections(came: &mut Came) -> String {
    came.take_file("corrections.csv")
}

#[test]
fn whole_classes_are_mended_and_the_next_run_applies_them() {
    let folder = wrong();
    let before = lines(&folder);
    assert!(before.contains("\n1,,,unmatched,,unmatched,\n"), "{before}");
    let dry = folder.run(&["mend", "--accept", "case,look-alike", "--dry-run"]);
    assert!(dry.printed().contains("2 keys would be mended; nothing was written."));
    dry.any_stdout().file("out.csv", &before).nothing_else();

    let mut came = folder.run(&["mend", "--accept", "case,look-alike"]);
    let expected = "found,use,link,note\n\
        AB-1OO,AB-100,products,look-alike characters\nAB-1OO,AB-100,prices,look-alike characters\n\
        ab-100,AB-100,products,case\nab-100,AB-100,prices,case\n";
    let mut written: Vec<String> = corrections(&mut came).lines().map(str::to_owned).collect();
    let mut wanted: Vec<&str> = expected.lines().collect();
    written.sort();
    wanted.sort();
    assert_eq!(written, wanted);
    assert!(
        came.take_file("interligo.toml")
            .contains("name = \"Small\"\ncorrections = \"corrections.csv\"\n")
    );
    assert!(came.printed().contains("2 keys left"), "{}", came.printed());

    let after = "no,products.name,revenue,products status,products key,prices status,prices key\n\
        1,Jar,2.00,mended,AB-100,mended,AB-100\n2,Jar,3.00,mended,AB-100,mended,AB-100\n\
        3,,,unmatched,,unmatched,\n4,,,unmatched,,unmatched,\n5,Jar,5.00,mended,AB-100,mended,AB-100\n";
    assert_eq!(lines(&folder), after);
    // Once more makes no difference.
    let again = folder.run(&["mend", "--accept", "case,look-alike"]);
    assert!(again.printed().starts_with("No key was mended."), "{}", again.printed());
    assert_eq!(lines(&folder), after);
    let tie = folder.run(&["run", "--format", "csv"]);
    assert!(tie.printed().contains("links,products,mended,3\n"), "{}", tie.printed());
}

#[test]
fn a_list_is_taken_over_but_for_what_leads_nowhere() {
    let mut folder = wrong();
    folder.put(
        "agreed.csv",
        "\u{feff}Found;Use;Link;Note\nQQ-7;ZZ-900;products;Ana said so\nAB-110X;AB-111;products;\n"
            .as_bytes(),
    );
    let mut came = folder.run(&["mend", "--from", "agreed.csv"]).status(1);
    assert_eq!(
        came.said(),
        "Not imported: agreed.csv:3 `AB-110X`, because the lookup of `products` has no key `AB-111`\n"
    );
    assert_eq!(corrections(&mut came), "found,use,link,note\nQQ-7,ZZ-900,products,Ana said so\n");
    // A decision that applies is not taken back in silence.
    folder.put("agreed.csv", b"found,use,link\nQQ-7,AB-100,products\n");
    let mut came = folder.run(&["mend", "--from", "agreed.csv"]).status(1);
    assert_eq!(
        came.said(),
        "Not imported: agreed.csv:2 `QQ-7`, because corrections.csv already has `ZZ-900` for it; remove that first if \
         `AB-100` is meant\n"
    );
    assert_eq!(corrections(&mut came), "found,use,link,note\nQQ-7,ZZ-900,products,Ana said so\n");
    let missing = folder.run(&["mend", "--from", "agred.csv"]).status(3);
    assert!(missing.said().contains("there is no file or folder called `agred.csv`"));
}

#[test]
fn what_is_wrong_with_the_file_is_said_with_its_row() {
    let plan = |name: &str| format!("name = \"Small\"\ncorrections = \"{name}\"\n");
    let mut folder = shop_but("name = \"Small\"\n", &plan("c.csv"), LINES);
    // One that is listed and absent is empty.
    folder.run(&["run"]).any_stdout().take_file("out.csv");
    for (file, said) in [
        (
            "found,used,link,note\nX,A,products,\n",
            "error: c.csv:1 has no column `use`\n  fix: is `used` meant by it?\n",
        ),
        (
            "found,use,link\nX,A,product\n",
            "error: c.csv:2 names a link `product`, which the plan does not have\n  fix: did you mean `products`?\n",
        ),
        (
            "found,use,link\n\nX,,products\n",
            "error: c.csv:3 is blank in `use`\n  fix: complete the row, or leave it out\n",
        ),
        (
            "found,use,link\nX,\u{0},\n",
            "error: c.csv:2 is blank in `link`\n  fix: complete the row, or leave it out\n",
        ),
    ] {
        folder.put("c.csv", file.as_bytes());
        let came = folder.run(&["run"]).status(3);
        assert_eq!(came.said(), said);
    }
    folder.put("c.csv", b"found,use,link\nX,\xff,products\n");
    assert!(folder.run(&["run"]).status(3).said().contains("c.csv` is not UTF-8"));
    folder.put("c.csv", b"");
    folder.run(&["run"]).status(0).any_stdout().take_file("out.csv");
}

#[test]
fn corrections_that_are_of_no_use_are_findings() {
    let mut folder =
        shop_but("name = \"Small\"\n", "name = \"Small\"\ncorrections = \"c.csv\"\n", LINES);
    folder.put(
        "c.csv",
        b"found,use,link\nX,A,products\nX,B,products\nY,C,products\nW,B,prices\nA,B,prices\n X ,A,prices\nX,A,prices\n",
    );
    let came = folder.run(&["check", "--format", "csv"]);
    for row in [
        "correction-conflict,products,X,1,,,,c.csv:2,",
        "correction-conflict,products,X,1,,,,c.csv:3,",
        "correction-without-target,products,Y,1,,,,c.csv:4,",
        "correction-unused,prices,W,1,,,,c.csv:5,c.csv:5,,,,no line has this key",
        "correction-unused,prices,A,1,,,,c.csv:6,c.csv:6,,,,the lookup has the key by now; lines that still get `B`: 2",
        "correction-unused,prices,X,1,,,,c.csv:8,c.csv:8,,,,it is there twice",
    ] {
        assert!(came.printed().contains(row), "{row}\n{}", came.printed());
    }
    // What two rows contradict each other on stays as it is.
    let lines = lines(&folder);
    assert!(lines.ends_with("5,,6.25,unmatched,,mended,A\n"), "{lines}");
}

#[test]
fn keys_are_mended_at_a_terminal() {
    let folder = wrong();
    let mut terminal = folder.at_terminal(&["mend"]);
    let mut says = |text: &str, answer: &str| {
        let before = terminal.exp_string(text).unwrap_or_else(|error| panic!("{text}: {error}"));
        terminal.exp_string("use> ").unwrap();
        terminal.send_line(answer).unwrap();
        before
    };
    // The largest amount first: two lines, one of them with five pieces.
    says("1 of 4  AB-1OO  in prices, products", "1");
    says("AB-1OO means AB-100 in prices, products", "u");
    says("1 of 4", "s");
    says("2 of 4", "AB-999");
    says("The lookup has no key `AB-999`", "?");
    says("Tab completes", "ZZ\t");
    let after = says("in products", "q");
    assert!(after.contains("means ZZ-900"), "{after}");
    terminal.exp_string("1 key mended, 3 left.").unwrap();
    terminal.exp_string("corrections.csv has 1 correction;").unwrap();
    terminal.exp_eof().unwrap();
    let written = std::fs::read_to_string(folder.path().join("corrections.csv")).unwrap();
    assert!(
        written.contains(",ZZ-900,products,typed\n") && written.lines().count() == 2,
        "{written}"
    );
}

#[test]
fn a_terminal_that_closes_keeps_what_was_decided() {
    let folder = wrong();
    let mut terminal = folder.at_terminal(&["mend"]);
    terminal.exp_string("use> ").unwrap();
    terminal.send_line("1").unwrap();
    terminal.exp_string("2 of 4").unwrap();
    terminal.exp_string("use> ").unwrap();
    drop(terminal);
    let written = std::fs::read_to_string(folder.path().join("corrections.csv")).unwrap();
    assert_eq!(written.lines().count(), 3, "{written}");
    assert!(lines(&folder).contains("2,Jar,3.00,mended,AB-100,mended,AB-100\n"));
}

#[test]
fn without_a_terminal_there_is_nobody_to_ask() {
    let came = wrong().run(&["mend"]);
    assert_eq!(
        came.said(),
        "error: keys are mended at a terminal, and there is none\n  \
         fix: --accept case,punctuation,… accepts whole classes without asking, --from FILE imports a list\n"
    );
    came.status(2).any_stderr().nothing_else();
}
