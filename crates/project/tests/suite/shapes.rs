//! Laws of the shapes of tables: totals are proved by their sums, a lookup reads as a fact does, and no way of writing a
//! table changes its lines.

use interligo_engine::links::LinkStatus;
use proptest::prelude::*;

use crate::support::Folder;

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// A last row with the sums is a total; one that is a cent off is asked about, whatever is above.
    #[test]
    fn prop_a_total_is_proved_by_its_sums_and_by_nothing_else(
        rows in prop::collection::vec((1i64..9_999, 1i64..999_999), 2..40), off in -1i64..=1, word in any::<bool>(), compressed in any::<bool>(),
    ) {
        let amount = |cents: i64| format!("{}.{:02}", cents / 100, cents % 100);
        let mut text = "code,name,n,amount\n".to_owned();
        for (number, (n, cents)) in rows.iter().enumerate() {
            text += &format!("K{number},name {n},{n},{}\n", amount(*cents));
        }
        let (n, cents): (i64, i64) = rows.iter().fold((0, 0), |sum, row| (sum.0 + row.0, sum.1 + row.1));
        let label = if word { "Total" } else { "" };
        text += &format!("{label},,{n},{}\n", amount(cents + off));
        let plan = "[tables.s]\nrole = 'fact'\nfrom = 's.csv'\n[figures]\nx = '2 * amount'\n[outputs.l]\nto = 'l.csv'\n";
        let folder = Folder::with(&[("interligo.toml", plan)]);
        let bytes = if compressed { zstd::encode_all(text.as_bytes(), 1).unwrap() } else { text.into_bytes() };
        folder.put("s.csv", &bytes);
        let came = folder.run();
        if off == 0 {
            prop_assert_eq!(came.file("l.csv").lines().count(), rows.len() + 1);
            let left_out = &came.tie_outs()[0].fact.rows.left_out;
            prop_assert_eq!(left_out.iter().map(|(why, rows)| (why.name(), *rows)).collect::<Vec<_>>(), [("total rows", 1)]);
        } else {
            prop_assert!(came.error().contains("looks like a total, but is not the sum"), "{}", came.error());
        }
    }

    /// A table is the same whether it is streamed as a fact or loaded as a lookup.
    #[test]
    fn prop_a_lookup_is_read_as_a_fact_is(
        rows in prop::collection::vec(("[a-c]{1,3}(\\|[a-c]{1,3}){0,2}", 0u32..99), 1..12), skip in "[a-c]",
    ) {
        let mut text = "Title;;\n;;\nkey;codes;n\n".to_owned();
        for (number, (codes, n)) in rows.iter().enumerate() {
            text += &format!("{number};{codes};{n}\n");
        }
        let shape = format!(
            "from = 't.csv'\nleave-out-rows = \"codes = '{skip}'\"\nunpack = {{ columns = ['codes'], separator = '|', position = 'at' }}\n\
             columns = {{ id = {{ formula = 'n' }} }}\n"
        );
        let fact = format!("[tables.t]\nrole = 'fact'\n{shape}[outputs.l]\nto = 'l.csv'\ncolumns = ['*']\n");
        let plan = |key: &str| format!(
            "[tables.s]\nrole = 'fact'\nfrom = 's.csv'\n[tables.t]\n{shape}key = '{key}'\nduplicates = 'first'\n\
             [[link]]\npath = 's.{key} -> t.{key}'\n"
        );
        let files = [("interligo.toml", fact.as_str()), ("t.csv", text.as_str())];
        let came = Folder::with(&files).run();
        let lines = came.file("l.csv");
        let codes: Vec<&str> = lines.lines().skip(1).map(|line| line.split(',').nth(1).unwrap()).collect();
        let distinct: std::collections::BTreeSet<&str> = codes.iter().copied().collect();
        // A count of nothing is not written.
        prop_assume!(!codes.is_empty());
        // Every code of the fact, looked up in the same table as a lookup, is found.
        let sales: String = codes.iter().map(|code| format!("{code}\n")).collect();
        let plan = plan("codes");
        let sales = format!("codes\n{sales}");
        let files = [("interligo.toml", plan.as_str()), ("t.csv", text.as_str()), ("s.csv", sales.as_str())];
        let found = Folder::with(&files).run();
        let link = &found.tie_outs()[0].links[0];
        prop_assert_eq!(link.counts[LinkStatus::Exact as usize], codes.len() as u64, "{}", found.error());
        let made: usize = rows.iter().filter(|(codes, _)| *codes != skip).map(|(codes, _)| codes.split('|').count()).sum();
        prop_assert_eq!(codes.len(), made);
        prop_assert!(distinct.len() <= made);
    }
}

/// Rows of a table: an order, an item, a number of cents and a day of January.
fn rows() -> impl Strategy<Value = Vec<(u32, String, i64, u32)>> {
    prop::collection::vec((0u32..6, "[A-C]{1,2}", -99_999_999i64..99_999_999, 13u32..28), 1..25)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// Whatever the order of a file's columns, its separator, its style, and what is above and below.
    #[test]
    fn prop_every_way_of_writing_a_table_gives_the_same_lines(
        rows in rows(), order in Just(vec![0usize, 1, 2, 3]).prop_shuffle(), separator in "[;\t|]",
        grouped in any::<bool>(), title in any::<bool>(), total in any::<bool>(), blanks in 0usize..3, compressed in any::<bool>(),
    ) {
        let cents = |cents: i64, style: fn(i64, i64) -> String| {
            let sign = if cents < 0 { "-" } else { "" };
            format!("{sign}{}", style(cents.abs() / 100, cents.abs() % 100))
        };
        let plain = |whole: i64, rest: i64| format!("{whole}.{rest:02}");
        let comma = |whole: i64, rest: i64| format!("{whole},{rest:02}");
        let groups = |whole: i64, rest: i64| match (whole / 1_000_000, whole / 1000 % 1000, whole % 1000) {
            (0, 0, ones) => format!("{ones},{rest:02}"),
            (0, thousands, ones) => format!("{thousands}.{ones:03},{rest:02}"),
            (millions, thousands, ones) => format!("{millions}.{thousands:03}.{ones:03},{rest:02}"),
        };
        let style: fn(i64, i64) -> String = if grouped { groups } else { comma };
        let mut text = String::new();
        if title {
            text += &format!("Sales{0}{0}{0}\n{0}{0}{0}\n", separator);
        }
        let mut row = |cells: [String; 4]| {
            let cells: Vec<String> = order.iter().map(|at| cells[*at].clone()).collect();
            text += &(cells.join(&separator) + "\n");
        };
        row(["no", "item", "quantity", "day"].map(str::to_owned));
        for (no, item, amount, day) in &rows {
            row([format!("N{no}"), item.clone(), cents(*amount, style), format!("{day}/01/2025")]);
        }
        (0..blanks).for_each(|_| row(Default::default()));
        if total {
            let sum = rows.iter().map(|(_, _, amount, _)| amount).sum();
            row(["Total".to_owned(), String::new(), cents(sum, style), String::new()]);
        }
        let plan = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\ncolumns = { no = { type = 'text' }, item = { type = 'text' } }\n\
                    [figures]\nx = 'quantity'\n[outputs.l]\nto = 'l.csv'\ncolumns = ['no', 'item', 'quantity', 'day']\n";
        let folder = Folder::with(&[("interligo.toml", plan)]);
        let bytes = if compressed { zstd(&text) } else { text.into_bytes() };
        folder.put("s.csv", &bytes);
        let came = folder.run();
        let expected: String = rows
            .iter()
            .map(|(no, item, amount, day)| format!("N{no},{item},{},2025-01-{day}\n", cents(*amount, plain)))
            .collect();
        prop_assert_eq!(came.file("l.csv"), format!("no,item,quantity,day\n{expected}"));
        let read = rows.len() + blanks + usize::from(total) + if title { 2 } else { 0 };
        prop_assert_eq!(came.tie_outs()[0].fact.rows.read, read as u64);
    }

    /// Repeated lines against a list of all lines so far, for any size of block.
    #[test]
    fn prop_repeats_are_those_that_a_list_of_all_lines_shows(rows in rows(), copies in 1usize..200, block in 1usize..9000) {
        // Copies make files of several blocks.
        let line = |(no, item, amount, day): &(u32, String, i64, u32)| format!("{no},{item},{amount},2025-01-{day}\n");
        let text: String = rows.iter().cycle().take(rows.len() * copies).map(line).collect();
        let (mut kept, mut identical, mut dropped) = (Vec::new(), 0, 0);
        for line in text.lines() {
            let key = |line: &str| line.split(',').next().unwrap().to_owned();
            match kept.iter().find(|known: &&&str| key(known) == key(line)) {
                None => kept.push(line),
                Some(known) if *known == line => identical += 1,
                Some(_) => dropped += 1,
            }
        }
        let plan = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\nkey = 'no'\nrepeats = 'first'\n[outputs.l]\nto = 'l.csv'\n\
                    columns = ['*']\n";
        let text = format!("no,item,quantity,day\n{text}");
        let folder = Folder::with(&[("interligo.toml", plan), ("s.csv", &text)]);
        let came = folder.run_with(2, block);
        prop_assert_eq!(came.file("l.csv"), format!("no,item,quantity,day\n{}\n", kept.join("\n")));
        prop_assert_eq!(came.tie_outs()[0].fact.rows.identical, identical);
        prop_assert_eq!(came.tie_outs()[0].fact.rows.dropped, dropped);
    }
}

fn zstd(text: &str) -> Vec<u8> {
    zstd::encode_all(text.as_bytes(), 1).unwrap()
}
