//! Commands that messages propose: each can be typed where the message was read, and works.

use std::process::Command;

use crate::support::{Folder, PLAN, PRICES, PRODUCTS, SALES};

/// A shop in a folder beside the one where commands are typed, and whose name a shell would take apart.
fn elsewhere() -> Folder {
    let plan = PLAN.replace("name = \"Small\"", "name = \"Small\"\nvalues = { least = \"0\" }");
    Folder::with(&[
        ("my shop/interligo.toml", &plan),
        ("my shop/sales.csv", SALES),
        ("my shop/products.csv", PRODUCTS),
        ("my shop/prices.csv", PRICES),
    ])
}

/// The commands in a text: those in backquotes, and those that have a line for themselves.
fn proposed(text: &str) -> Vec<String> {
    let quoted = text.split('`').filter(|part| part.starts_with("interligo "));
    let alone = text.lines().filter_map(|line| {
        let begins = line.find("interligo ")?;
        (!line.contains('`')).then(|| &line[begins..])
    });
    quoted.chain(alone).map(str::to_owned).collect()
}

#[test]
fn commands_that_messages_propose_reach_the_plan() {
    let folder = elsewhere();
    let program = assert_cmd::cargo::cargo_bin!("interligo");
    let mut tried = 0;
    for arguments in [
        vec!["run"],
        vec!["check"],
        vec!["check", "unmatched-key"],
        vec!["calendar"],
        vec!["totals", "--show", "revenue,median(revenue),share(cost),max(day)"],
        vec!["totals", "--where", "item = 'Zebra'"],
        vec!["totals", "--show", "revenue", "--format", "csv"],
        vec!["link"],
        vec!["look", "sales", "--column", "item"],
        vec!["slices", "2", "--into", "parts"],
    ] {
        let given = ["--plan", "my shop/interligo.toml", "--set", "least=1"];
        let came = folder.run(&[&arguments[..], &given[..]].concat());
        let commands = proposed(&format!("{}{}", came.printed(), came.said()));
        came.nothing_more();
        assert!(!commands.is_empty(), "{arguments:?} proposes nothing");
        for command in commands {
            let whole = command
                .replace("FIGURE", "revenue")
                .replace("K/2", "1/2")
                .replace("--where", "--where true");
            let named = "--plan 'my shop/interligo.toml' --set 'least=1'";
            assert_eq!(whole.matches(named).count(), 1, "{whole}");
            let typed = whole.replacen("interligo", &format!("'{}'", program.display()), 1);
            let ran = Command::new("sh").arg("-c").arg(&typed).current_dir(folder.path()).output();
            let ran = ran.unwrap();
            let said = String::from_utf8_lossy(&ran.stderr).into_owned();
            // What is not there yet, as the results of slices, may be missing; the command is right.
            assert!(!matches!(ran.status.code(), Some(2)), "{whole}: {said}");
            tried += 1;
        }
    }
    assert!(tried > 15, "{tried}");
}

#[test]
fn a_plan_that_is_drafted_elsewhere_is_named() {
    let folder = Folder::with(&[("shop/sales.csv", SALES), ("shop/products.csv", PRODUCTS)]);
    let came = folder.run(&["start", "shop"]).status(0);
    let commands = proposed(came.printed());
    came.nothing_more();
    let named = ["link", "run"].map(|name| format!("interligo {name} --plan shop/interligo.toml"));
    assert_eq!(commands, named);
    folder.run(&["link", "--plan", "shop/interligo.toml"]).status(0).nothing_more();
}

#[test]
fn the_plan_at_hand_is_not_named() {
    let folder = crate::support::shop("");
    for arguments in [vec!["check"], vec!["check", "--plan", "interligo.toml"]] {
        let came = folder.run(&arguments);
        assert!(came.printed().contains("`interligo check unmatched-key`"), "{}", came.printed());
        assert!(!came.printed().contains("--plan"), "{}", came.printed());
        came.nothing_more();
    }
}
