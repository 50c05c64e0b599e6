//! Links of every kind against nested loops: keys of several columns, alternatives, what a row must have, what
//! is ignored, days. And laws: a path turned round is the same path, and an unused link changes nothing.

use proptest::prelude::*;

use crate::support::Folder;

/// A random table of lines and a lookup with a key of two columns.
#[derive(Clone, Debug)]
struct Case {
    /// item, zone, other item, day of January
    lines: Vec<(String, String, String, u32)>,
    /// sku, zone, note, first and last day of January
    rows: Vec<(String, String, String, u32, u32)>,
    alternative: bool,
    needs: bool,
    dated: bool,
    ignore_case: bool,
    as_written: bool,
    threads: usize,
}

fn cell() -> impl Strategy<Value = String> {
    "[ ]?[aAb][1]?[ ]?|"
}

fn case() -> impl Strategy<Value = Case> {
    let line = (cell(), cell(), cell(), 1u32..9);
    let row = (cell(), cell(), "[xy]?", 1u32..9, 1u32..9);
    let rows = prop::collection::vec(row, 0..8);
    (prop::collection::vec(line, 0..12), rows, any::<[bool; 5]>(), 1usize..4).prop_map(
        |(lines, rows, [alternative, needs, dated, ignore_case, as_written], threads)| Case {
            lines,
            rows,
            alternative,
            needs,
            dated,
            ignore_case,
            as_written,
            threads,
        },
    )
}

fn cleaned(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// What looking for a key came to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Found {
    Row(usize),
    Nothing,
    /// Several rows hold on the day: the run must stop.
    Overlap,
}

impl Case {
    /// The rows that the lookup keeps: with a key and a period; of equal keys and periods the first.
    fn kept(&self) -> Vec<usize> {
        let mut kept: Vec<usize> = Vec::new();
        for (number, (sku, zone, _, from, until)) in self.rows.iter().enumerate() {
            let blank = sku.trim().is_empty() || zone.trim().is_empty();
            if blank || self.dated && until < from {
                continue;
            }
            let same = |other: &&usize| {
                let other = &self.rows[**other];
                let period = !self.dated || (other.3, other.4) == (*from, *until);
                other.0.trim() == sku.trim() && other.1.trim() == zone.trim() && period
            };
            if !kept.iter().any(|other| same(&other)) {
                kept.push(number);
            }
        }
        kept
    }

    /// The rows of the key that is found step by step; none where several distinct keys fit.
    fn rows_of(&self, item: &str, zone: &str, kept: &[usize]) -> Vec<usize> {
        if item.trim().is_empty() || zone.trim().is_empty() {
            return Vec::new();
        }
        let steps: [&dyn Fn(&str) -> String; 3] =
            [&str::to_owned, &cleaned, &|text| cleaned(text).to_lowercase()];
        let last = match (self.as_written, self.ignore_case) {
            (true, _) => 1,
            (_, false) => 2,
            _ => 3,
        };
        // A key is written as its first row writes it.
        let key_of = |row: usize| {
            let trimmed = |n: usize| (self.rows[n].0.trim(), self.rows[n].1.trim());
            let first = kept.iter().copied().find(|n| trimmed(*n) == trimmed(row)).unwrap();
            (self.rows[first].0.as_str(), self.rows[first].1.as_str())
        };
        for step in &steps[..last] {
            let wanted = (step(item), step(zone));
            let mut keys: Vec<(&str, &str)> = Vec::new();
            let fits = |row: &usize| (step(key_of(*row).0), step(key_of(*row).1)) == wanted;
            let rows: Vec<usize> = kept.iter().copied().filter(|row| fits(row)).collect();
            for row in &rows {
                if !keys.contains(&key_of(*row)) {
                    keys.push(key_of(*row));
                }
            }
            match keys.len() {
                0 => {}
                1 => return rows,
                _ => return Vec::new(),
            }
        }
        Vec::new()
    }

    /// The row of a line, candidate by candidate.
    fn row_of(&self, line: &(String, String, String, u32), kept: &[usize]) -> Found {
        let (item, zone, other, day) = line;
        let candidates: &[&String] = if self.alternative { &[item, other] } else { &[item] };
        let mut overlap = false;
        for candidate in candidates {
            let mut rows = self.rows_of(candidate, zone, kept);
            if self.dated {
                rows.retain(|row| self.rows[*row].3 <= *day && *day <= self.rows[*row].4);
            }
            match rows.as_slice() {
                [] => {}
                [row] if self.needs && self.rows[*row].2.is_empty() => {}
                [row] => return Found::Row(*row),
                _ => overlap = true,
            }
        }
        if overlap { Found::Overlap } else { Found::Nothing }
    }

    fn folder(&self, path: &str, more: &str) -> Folder {
        let day = |day: &u32| format!("2025-01-{day:02}");
        let quoted = |text: &String| format!("\"{text}\"");
        let lines: String = self
            .lines
            .iter()
            .enumerate()
            .map(|(n, (item, zone, other, d))| {
                format!("{n},{},{},{},{}\n", quoted(item), quoted(zone), quoted(other), day(d))
            })
            .collect();
        let rows: String = self
            .rows
            .iter()
            .enumerate()
            .map(|(n, (sku, zone, note, from, until))| {
                format!(
                    "{n},{},{},{note},{},{}\n",
                    quoted(sku),
                    quoted(zone),
                    day(from),
                    day(until)
                )
            })
            .collect();
        let valid =
            if self.dated { "valid = { from = \"since\", until = \"until\" }\n" } else { "" };
        let mut link = String::new();
        if self.needs {
            link += "needs = [\"note\"]\n";
        }
        if self.ignore_case {
            link += "ignore = [\"case\"]\n";
        }
        if self.as_written {
            link += "match = \"as-written\"\n";
        }
        let plan = format!(
            "[reading]\nseparator = \",\"\nnumbers = \"1234.56\"\ndates = \"2025-12-31\"\n\
             [tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
             [tables.marks]\nfrom = \"marks.csv\"\nkey = [\"sku\", \"zone\"]\nduplicates = \"first\"\n{valid}\
             [[link]]\npath = \"{path}\"\n{link}{more}\
             [outputs.lines]\nto = \"lines.csv\"\ncolumns = [\"no\", \"marks.row\"]\n"
        );
        Folder::with(&[
            ("interligo.toml", &plan),
            ("sales.csv", &format!("no,item,zone,other,day\n{lines}")),
            ("marks.csv", &format!("row,sku,zone,note,since,until\n{rows}")),
            ("extra.csv", "sku,name\na1,x\n"),
        ])
    }

    fn path(&self) -> String {
        let or = if self.alternative { " or other + zone" } else { "" };
        let date = if self.dated { " as of day" } else { "" };
        format!("sales.item + zone{or} -> marks.sku + zone{date}")
    }

    fn lines(&self, path: &str, more: &str) -> Result<String, String> {
        let came = self.folder(path, more).run_with(self.threads, 64);
        match came.error() {
            error if error.is_empty() => Ok(came.file("lines.csv").to_owned()),
            error => Err(error),
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]
    #[test]
    fn prop_links_find_what_nested_loops_find(case in case()) {
        let kept = case.kept();
        let found: Vec<Found> = case.lines.iter().map(|line| case.row_of(line, &kept)).collect();
        let came = case.lines(&case.path(), "");
        if found.contains(&Found::Overlap) {
            prop_assert!(came.clone().is_err_and(|said| said.contains("several rows are valid")), "{came:?}");
            return Ok(());
        }
        let expected: String = found.iter().enumerate().map(|(no, found)| match found {
            Found::Row(row) => format!("{no},{row}\n"),
            _ => format!("{no},\n"),
        }).collect();
        prop_assert_eq!(&came, &Ok(format!("no,marks.row\n{expected}")));
        // The order of the columns on both sides does not matter, nor which side stands where.
        if !case.alternative {
            let date = if case.dated { " as of day" } else { "" };
            for path in [
                format!("sales.zone + item -> marks.zone + sku{date}"),
                format!("marks.sku + zone -> sales.item + zone{date}"),
            ] {
                prop_assert_eq!(&case.lines(&path, ""), &came, "{}", path);
            }
        }
        let unused = "[tables.extra]\nfrom = \"extra.csv\"\n[[link]]\npath = \"sales.item -> extra.sku\"\n";
        prop_assert_eq!(&case.lines(&case.path(), unused), &came);
    }
}
