//! Tables as people have them: titles and totals, lists in cells, columns that become rows, parts that
//! differ, duplicate lines.

use crate::support::{Came, Folder};

/// A plan with one fact table, whose lines are written as they are.
fn gathered(table: &str, files: &[(&str, &str)]) -> Came {
    let plan = format!(
        "[tables.sales]\nrole = \"fact\"\n{table}\n[figures]\ntwice = \"2 * quantity\"\n\
         [outputs.lines]\nto = \"lines.csv\"\ncolumns = [\"*\", \"twice\"]\n"
    );
    let files: Vec<(&str, &str)> =
        [("interligo.toml", plan.as_str())].into_iter().chain(files.iter().copied()).collect();
    Folder::with(&files).run(&["run", "--format", "csv"])
}

/// The same for one file.
fn one(table: &str, text: &str) -> Came {
    gathered(&format!("from = \"s.csv\"\n{table}"), &[("s.csv", text)])
}

/// A count of the tie-out.
fn count(came: &Came, row: &str) -> u64 {
    let found = came.printed().lines().find_map(|line| line.strip_prefix(row)?.strip_prefix(','));
    found.map_or(0, |count| count.parse().unwrap())
}

#[test]
fn titles_blanks_and_proved_totals_are_left_out_and_counted() {
    let mut came = one(
        "leave-out-rows = \"state = 'void' or item is blank\"",
        "Mielo Cooperative;;;;\nSales;;;;\n;;;;\nitem;quantity;state;;price\nA;2;ok;;1,50\n;9;;;\n;;;;\nB;3;void;;2,00\n\
         C;4;ok;;0,50\nTotal;6;;;2,00\n;;;;\n",
    );
    let lines = came.take_file("lines.csv");
    assert_eq!(lines, "item,quantity,state,price,twice\nA,2,ok,1.50,4\nC,4,ok,0.50,8\n");
    for (row, rows) in [
        ("lines,sales,read", 10),
        ("left out,before the header row,rows", 3),
        ("left out,blank,rows", 2),
        ("left out,by `leave-out-rows`,rows", 2),
        ("left out,total rows,rows", 1),
        ("lines,sales,kept", 2),
    ] {
        assert_eq!(count(&came, row), rows, "{row}");
    }
}

#[test]
fn a_row_that_merely_looks_like_a_total_is_asked_about() {
    let text = "item,quantity\nA,2\nB,3\nTotal,6\n";
    let came = one("", text);
    assert_eq!(
        came.said(),
        "error: `sales` has 1 row that looks like a total, but is not the sum of the rows above\n  \
         s.csv:4 Total · 6\n  fix: add total-rows = \"leave-out\" to [tables.sales] if it is a total, or \"keep\" if it \
         is a row like any other\nNothing was written.\n"
    );
    came.ended(1);
    let two = one("total-rows = \"leave-out\"", text).take_file("lines.csv");
    assert_eq!(two.lines().count(), 3);
    let three = one("total-rows = \"keep\"", text).take_file("lines.csv");
    assert_eq!(three.lines().count(), 4);
    // A lookup is asked about likewise.
    let plan = "[tables.sales]\nrole = 'fact'\nfrom = 's.csv'\n[tables.p]\nfrom = 'p.csv'\nkey = 'sku'\n\
                [[link]]\npath = 'sales.item -> p.sku'\n[figures]\nx = 'p.price'\n[outputs.l]\nto = 'l.csv'\n";
    let lookup = "sku,name,price\nA,x,1\nB,y,2\n,,4\n";
    let folder =
        Folder::with(&[("interligo.toml", plan), ("s.csv", "item\nA\n"), ("p.csv", lookup)]);
    let came = folder.run(&["run"]);
    assert!(came.said().contains("`p` has 1 row that looks like a total"), "{}", came.said());
    came.ended(1);
}

#[test]
fn the_plan_says_where_the_header_row_is() {
    let mut came = one("header-row = 3", "x,y\n1,2\nitem,quantity\nA,2\n");
    assert_eq!(came.take_file("lines.csv"), "item,quantity,twice\nA,2,4\n");
    let mut came =
        one("header-row = 0\ncolumns = { column_2 = { name = \"quantity\" } }", "A,2\nB,3\n");
    assert_eq!(came.take_file("lines.csv"), "column_1,quantity,twice\nA,2,4\nB,3,6\n");
    let came = one("header-row = 9", "item,quantity\nA,2\n");
    assert_eq!(
        came.said(),
        "error: `s.csv` has no row that begins in line 9\n  fix: `header-row` counts the lines of the file from 1\n"
    );
}

#[test]
fn a_value_without_a_column_name_is_not_lost() {
    let rows = "A,1,\n".repeat(20_000);
    let came = one("", &format!("item,quantity,\n{rows}B,2,note\n{rows}{rows}{rows}"));
    assert_eq!(
        came.said(),
        "error: s.csv:20002 has `note` in its column 3, which has no name\n  \
         fix: give the column a name, or clear the cell\n"
    );
    came.ended(3);
}

#[test]
fn lists_in_cells_become_lines_and_uneven_ones_are_set_aside() {
    let mut came = one(
        "unpack = { columns = [\"item\", \"quantity\"], separator = \"|\", position = \"no\", once = [\"freight\"] }",
        "order,item,quantity,freight\n1,A | B,2|3,9.50\n2,C,4,1\n3,A|B,5,2\n4,D|E|,1|1|,3\n",
    );
    assert_eq!(
        came.take_file("lines.csv"),
        "order,item,quantity,freight,no,twice\n1,A,2,9.50,1,4\n1,B,3,,2,6\n2,C,4,1,1,8\n4,D,1,3,1,2\n4,E,1,,2,2\n"
    );
    assert_eq!(
        came.take_file("out/set-aside.csv"),
        "reason,file,row,order,item,quantity,freight,no,as_read\n\
         uneven lists in its cells,s.csv,4,,,,,,\"3,A|B,5,2\"\n"
    );
    assert_eq!((count(&came, "lines,sales,read"), count(&came, "lines,sales,added")), (4, 2));
    // An amount that is on every line of a typing error is summed more than once.
    let plan = "[tables.s]\nrole = 'fact'\nfrom = 's.csv'\nunpack = { columns = ['item'], separator = '|' }\n\
                [figures]\nx = '2 * price'\n";
    let folder = Folder::with(&[("interligo.toml", plan), ("s.csv", "item,price\nA|B,5\n")]);
    let came = folder.run(&["check", "--format", "csv"]);
    assert!(came.printed().contains("repeated-amount,s,price,1,,,,s.csv"), "{}", came.printed());
}

#[test]
fn columns_become_rows_with_what_their_names_say() {
    let mut came = one(
        "tall = { \"n {year}-{half}\" = \"quantity\", \"price {year}-{half}\" = \"price\" }",
        "item,n 2024-1,price 2024-1,n 2025-2\nA,1,1.5,2\nB,,2,3\n",
    );
    assert_eq!(
        came.take_file("lines.csv"),
        "item,year,half,quantity,price,twice\nA,2024,1,1,1.5,2\nA,2025,2,2,,4\nB,2024,1,,2,\nB,2025,2,3,,6\n"
    );
    let came = one("tall = { \"m {year}\" = \"quantity\" }", "item,n 2024\nA,1\n");
    assert!(
        came.said().starts_with("error: no column matches m {year} (s.csv)\n"),
        "{}",
        came.said()
    );
}

#[test]
fn each_part_has_settings_of_its_own_beside_those_of_the_table() {
    let mut came = gathered(
        "columns = { note = { optional = true }, big = { formula = \"if quantity > 2 then 'yes' else 'no'\" } }\n\
         [[tables.sales.part]]\nfrom = \"a.csv\"\nset = { depot = \"corvo\" }\n\
         [[tables.sales.part]]\nfrom = \"b.csv\"\nset = { depot = \"tilia\" }\nblank = [\"n/a\"]\n\
         columns = { Menge = { name = \"quantity\", scale = 0.01 }, day = { like = \"31.12.2025\", type = \"date\" } }\n",
        &[
            ("a.csv", "item,quantity,day\nA,2,2025-03-04\n"),
            ("b.csv", "item,Menge,day\nB,350,04.03.2025\nC,n/a,05.03.2025\n"),
        ],
    );
    assert_eq!(
        came.take_file("lines.csv"),
        "item,quantity,day,depot,note,big,twice\nA,2,2025-03-04,corvo,,no,4.00\nB,350,2025-03-04,tilia,,yes,7.00\n\
         C,n/a,2025-03-05,tilia,,,\n"
    );
}

#[test]
fn amounts_may_have_marks_and_signs_but_one_currency() {
    let rows = "A,€ 1\nB,(2.50)\nC,3-\nD,\u{2212}4 EUR\n";
    let mut came = one("", &format!("item,quantity\n{rows}"));
    assert_eq!(
        came.take_file("lines.csv"),
        "item,quantity,twice\nA,€ 1,2.00\nB,(2.50),-5.00\nC,3-,-6.00\nD,\u{2212}4 EUR,-8.00\n"
    );
    let came = one("", &format!("item,quantity\n{rows}E,$ 5\n"));
    assert!(
        came.said().starts_with(
            "error: the amounts in `sales.quantity` are in 2 currencies\n  s.csv:2 EUR\n  s.csv:6 $\n"
        ),
        "{}",
        came.said()
    );
    came.ended(1);
}

#[test]
fn column_names_that_differ_are_findings_with_the_likely_match() {
    let plan =
        "[tables.sales]\nrole = 'fact'\nfrom = 's*.csv'\n[figures]\ntwice = '2 * quantity'\n";
    let mut folder = Folder::with(&[
        ("interligo.toml", plan),
        ("s1.csv", "item,quantity,note\nA,1,x\n"),
        ("s2.csv", "item,quantity,note,extra\nA,1,x,y\n"),
        ("s3.csv", "item,quantity,notes\nA,1,x\n"),
    ]);
    let found = folder.run(&["check", "--format", "csv"]);
    for row in [
        "extra-column,sales,extra,1,,,,s2.csv,s2.csv,,,,most of the files do not have it",
        "missing-column,sales,note,1,,,,s3.csv,s3.csv,,,,it has `notes` instead?",
    ] {
        assert!(found.printed().contains(row), "{}", found.printed());
    }
    folder.put("s3.csv", b"item,Quantity,note\nA,1,x\n");
    let came = folder.run(&["check"]);
    assert_eq!(
        came.said(),
        "error: s3.csv:1 has no column `quantity`, which the plan needs in `sales`\n  fix: if `Quantity` is that \
         column, add \"Quantity\" = { name = \"quantity\" } to [tables.sales.columns]\n"
    );
}

const TWICE: [(&str, &str); 2] = [
    ("s1.csv", "no,item,quantity,day\n1,A,1.50,2025-01-20\n2,B,2,2025-01-21\n3,C,3,2025-01-22\n"),
    ("s2.csv", "quantity;no;day;item\n1,5;1;20/01/2025;A\n7;2;25/01/2025;B\n4;4;26/01/2025;D\n"),
];

#[test]
fn lines_duplicate_are_dropped_or_settled() {
    let settle = |rule: &str| {
        gathered(&format!("from = \"s*.csv\"\nkey = [\"no\"]\nrepeats = \"{rule}\"\n"), &TWICE)
    };
    let came = settle("stop");
    assert_eq!(
        came.said(),
        "error: `sales` has 1 key on several lines, which differ\n  s1.csv:3 and s2.csv:3  no 2: quantity `2` and `7`, \
         day `2025-01-21` and `25/01/2025`\n  fix: correct the lines, name all columns that identify a line in \
         `key`, or add `repeats = \"first\"`, \"last\" or \"newest COLUMN\" to [tables.sales]\nNothing was written.\n"
    );
    came.ended(1);
    for (rule, quantity) in
        [("first", "2"), ("last", "7"), ("newest day", "7"), ("smallest quantity", "2")]
    {
        let mut came = settle(rule);
        let lines = came.take_file("lines.csv");
        let second = lines.lines().find(|line| line.starts_with("2,")).unwrap();
        assert_eq!(second.split(',').nth(2), Some(quantity), "{rule}");
        let counts = ["identical copies dropped", "dropped", "kept"];
        let counts = counts.map(|what| count(&came, &format!("lines,sales,{what}")));
        assert_eq!(counts, [1, 1, 4], "{rule}");
    }
    let mut kept = settle("keep");
    assert_eq!(kept.take_file("lines.csv").lines().count(), 7);
}

#[test]
fn lines_without_a_key_are_not_compared() {
    let mut came =
        one("key = [\"no\", \"part\"]", "no,part,quantity\n1,a,1\n1,,1\n1,,1\n 1,a ,1\n");
    assert_eq!(came.take_file("lines.csv"), "no,part,quantity,twice\n1,a,1,2\n1,,1,2\n1,,1,2\n");
    assert_eq!(count(&came, "lines,sales,identical copies dropped"), 1);
}

#[test]
fn files_that_are_new_or_gone_are_named() {
    let plan = "[tables.sales]\nrole = 'fact'\nfrom = '*.csv'\n[outputs.l]\nto = 'out/l.csv'\n";
    let mut folder =
        Folder::with(&[("interligo.toml", plan), ("a.csv", "n\n1\n"), ("b.csv", "n\n1\n")]);
    assert!(!folder.run(&["run"]).printed().contains("since the last run"));
    folder.put("c.csv", b"n\n1\n");
    std::fs::remove_file(folder.path().join("a.csv")).unwrap();
    let came = folder.run(&["run"]);
    for said in ["1 file new since the last run: c.csv.", "1 file gone since the last run: a.csv."]
    {
        assert!(came.printed().contains(said), "{}", came.printed());
    }
}
