//! The counts of links close, against nested loops over random tables; and what rules do to lines.

use std::collections::{BTreeMap, BTreeSet};

use interligo_engine::links::LinkStatus;
use proptest::prelude::*;

use crate::support::Folder;

const KEYS: &str = "A[12]?|B|a1| A1|C 1";

fn plan(rule: &str, duplicates: &str, corrections: bool) -> String {
    let head = if corrections { "[plan]\ncorrections = \"c.csv\"\n" } else { "" };
    format!(
        "{head}[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
         [tables.products]\nfrom = \"products.csv\"\nkey = \"sku\"\nduplicates = \"{duplicates}\"\n\
         [[link]]\npath = \"sales.item -> products.sku\"\nignore = [\"case\"]\n{rule}\n\
         [figures]\nvalue = \"quantity * products.cost\"\n\
         [outputs.lines]\nto = \"lines.csv\"\ncolumns = [\"no\", \"products.cost\"]\nstatus = true\n"
    )
}

fn folder(sales: &[String], products: &[(String, u8)], plan: &str) -> Folder {
    let mut rows = String::from("no,item,quantity\n");
    for (no, item) in sales.iter().enumerate() {
        rows += &format!("{no},{item},1\n");
    }
    let mut lookup = String::from("sku,cost\n");
    for (sku, cost) in products {
        lookup += &format!("{sku},{cost}\n");
    }
    Folder::with(&[("interligo.toml", plan), ("sales.csv", &rows), ("products.csv", &lookup)])
}

/// How one key comes out: the steps of matching, one after the other, by loops.
fn status(item: &str, keys: &[&str]) -> &'static str {
    if item.trim().is_empty() {
        return "blank";
    }
    let clean = |key: &str| key.split_whitespace().collect::<Vec<_>>().join(" ");
    let steps: [&dyn Fn(&str) -> String; 3] =
        [&|key| key.to_owned(), &clean, &|key| clean(key).to_lowercase()];
    for (number, step) in steps.iter().enumerate() {
        let fits: BTreeSet<&&str> = keys.iter().filter(|key| step(key) == step(item)).collect();
        match (number, fits.len()) {
            (_, 0) => {}
            (0, _) => return "exact",
            (_, 1) => return "cleaned",
            _ => return "undecided",
        }
    }
    "unmatched"
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn prop_the_counts_of_a_link_close(
        sales in prop::collection::vec(prop_oneof![4 => KEYS, 1 => Just(String::new())], 0..25),
        products in prop::collection::vec((KEYS, 1u8..3), 0..8),
    ) {
        // The first row of a key holds, after trimming.
        let mut keys: Vec<&str> = Vec::new();
        for (key, _) in &products {
            if !keys.iter().any(|known| known.trim() == key.trim()) {
                keys.push(key);
            }
        }
        let folder = folder(&sales, &products, &plan("", "first", false));
        let checked = folder.check();
        let balance = &checked.balances[0].balance;
        let mut expected: BTreeMap<&str, u64> = BTreeMap::new();
        for item in &sales {
            *expected.entry(status(item, &keys)).or_default() += 1;
        }
        let mut lines = 0;
        for status in LinkStatus::ALL {
            let (name, count) = (status.name(), balance.lines[status as usize]);
            prop_assert_eq!(count, expected.get(name).copied().unwrap_or(0), "{} {:?}", name, balance);
            lines += count;
        }
        prop_assert_eq!(lines, sales.len() as u64);
        let missed: BTreeSet<&str> = sales
            .iter()
            .filter(|item| matches!(status(item, &keys), "unmatched" | "undecided"))
            .map(|item| item.trim())
            .collect();
        prop_assert_eq!(balance.keys_of_lines, missed.len() as u64);
        let clean = |key: &str| key.split_whitespace().collect::<Vec<_>>().join(" ");
        let used = |key: &&&str| {
            let of_key = |item: &&String| match status(item, &keys) {
                "exact" => item == *key,
                "cleaned" if keys.iter().filter(|k| clean(k) == clean(item)).count() == 1 => {
                    clean(item) == clean(key)
                }
                "cleaned" => clean(item).to_lowercase() == clean(key).to_lowercase(),
                _ => false,
            };
            sales.iter().filter(of_key).count() > 0
        };
        let both = keys.iter().filter(used).count() as u64;
        prop_assert_eq!((balance.keys_in_both, balance.keys_of_lookup), (both, keys.len() as u64 - both));
    }

    #[test]
    fn prop_only_rules_that_say_so_change_the_number_of_lines(
        sales in prop::collection::vec(prop_oneof![4 => KEYS, 1 => Just(String::new())], 0..25),
        products in prop::collection::vec((KEYS, 1u8..3), 0..8),
        rule in prop::sample::select(vec!["keep", "fill", "normal", "set-aside"]),
        duplicates in prop::sample::select(vec!["first", "last", "blank", "largest cost"]),
    ) {
        let rule = match rule {
            "fill" => "missing = \"fill\"\nfill = { cost = 7 }".to_owned(),
            other => format!("missing = \"{other}\""),
        };
        let folder = folder(&sales, &products, &plan(&rule, duplicates, false));
        let came = folder.run();
        let lines = came.file("lines.csv");
        let mut keys: Vec<&str> = Vec::new();
        for (key, _) in &products {
            if !keys.iter().any(|known| known.trim() == key.trim()) {
                keys.push(key);
            }
        }
        // The rows of one key may be written in several ways, of which the rule for duplicates keeps one.
        let clean = keys.len() == products.len();
        let missing = sales.iter().filter(|item| matches!(status(item, &keys), "unmatched" | "blank")).count();
        let aside = match missing {
            0 => 0,
            _ if rule.contains("aside") => came.file("out/set-aside.csv").lines().count() - 1,
            _ => 0,
        };
        prop_assert!(!clean || aside == if rule.contains("aside") { missing } else { 0 }, "{} {}", aside, missing);
        prop_assert_eq!(lines.lines().count() - 1 + aside, sales.len());
        // Duplicates that were settled do not depend on cores or the size of blocks.
        let slow = folder.run_with(3, 16);
        prop_assert_eq!(slow.file("lines.csv"), lines);
        // Corrections that say what is there already change nothing but how it came about; the same file twice
        // is the same as once.
        let plan = plan(&rule, duplicates, true);
        folder.put("interligo.toml", plan.as_bytes());
        let wrong = sales.iter().map(|item| item.trim()).find(|item| !item.is_empty());
        if let (Some(wrong), Some((right, _))) = (wrong, products.first()) {
            let row = format!("{wrong},{},products,\n", right.trim());
            folder.put("c.csv", format!("found,use,link,note\n{row}").as_bytes());
            let once = folder.run().file("lines.csv").to_owned();
            folder.put("c.csv", format!("found,use,link,note\n{row}{row}").as_bytes());
            let twice = folder.run();
            prop_assert_eq!(twice.file("lines.csv"), once);
        }
    }
}
