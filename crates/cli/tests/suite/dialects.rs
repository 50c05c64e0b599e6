//! Text files as people have them: separators, decimal commas, days in any order, encodings, compressed.

use std::io::Write;

use crate::support::{Folder, shop};

const PLAN: &str = r#"
[tables.sales]
role = "fact"
from = "sales_{part}.csv"
[tables.prices]
from = "prices.csv"
key = "sku"
valid = { from = "since", until = "until" }
[[link]]
path = "sales.item -> prices.sku as of day"
[figures]
revenue = "quantity * prices.price * (1 - rebate)"
[outputs.lines]
to = "lines.csv"
columns = ["*", "quantity", "day", "prices.price", "revenue"]
"#;

#[test]
fn each_file_is_read_in_its_own_way_and_all_are_written_in_one() {
    let files = [
        ("interligo.toml", PLAN),
        ("sales_1.csv", "day,item,quantity,rebate,note\n2025-01-13,007,1.5,5 %,plain\n"),
        (
            "sales_2.csv",
            "day;item;quantity;rebate;note\n13/01/2025;007;1.234,5;0;\"a;b\"\n01/02/2025;8;2;12,5%;c,d\n",
        ),
        (
            "sales_3.csv",
            "note\trebate\titem\tday\tquantity\n5\" nail\t0\t007\t31-Jan-2025\t1,000.25\n",
        ),
        (
            "prices.csv",
            "sku|since|until|price\n007|13.01.2025||1,50\n8|01.01.2025|31.12.2025|2.000,00\n",
        ),
    ];
    Folder::with(&files)
        .run(&["run"])
        .any_stdout()
        .file(
            "lines.csv",
            "day,item,quantity,rebate,note,part,quantity,day,prices.price,revenue\n\
             2025-01-13,007,1.5,5 %,plain,1,1.5,2025-01-13,1.50,2.1375000\n\
             2025-01-13,007,1234.5,0,a;b,2,1234.5,2025-01-13,1.50,1851.7500000\n\
             2025-02-01,8,2,12.5%,\"c,d\",2,2,2025-02-01,2000.00,3500.0000000\n\
             2025-01-31,007,1000.25,0,\"5\"\" nail\",3,1000.25,2025-01-31,1.50,1500.3750000\n",
        )
        .nothing_else();
}

/// A small shop whose sales are written like this.
fn sales(settings: &str, text: &str) -> crate::support::Came {
    let mut folder = shop("");
    let plan = crate::support::PLAN
        .replace("from = \"sales.csv\"", &format!("from = \"sales.csv\"\n{settings}"));
    folder.put("interligo.toml", plan.as_bytes());
    folder.put("sales.csv", text.as_bytes());
    folder.run(&["totals", "--by", "day", "--show", "quantity", "--format", "csv"])
}

#[test]
fn two_readings_are_asked_and_a_line_of_the_plan_decides() {
    let days = "no,day,item,quantity\n1,03/04/2025,A,2\n2,05/06/2025,A,3\n";
    let asked = sales("", days);
    assert_eq!(
        asked.said(),
        "error: `03/04/2025` in `day` of sales.csv can be read as 2025-04-03 or as 2025-03-04\n  \
         in interligo.toml\n  fix: add dates = \"31/12/2025\" or dates = \"12/31/2025\" to [tables.sales]\n"
    );
    asked.ended(2);
    for (sample, first) in [("31/12/2025", "2025-04-03"), ("12/31/2025", "2025-03-04")] {
        let came = sales(&format!("dates = \"{sample}\""), days);
        assert!(came.printed().contains(&format!("\n{first},2\n")), "{}", came.printed());
    }
    let amounts = "no;day;item;quantity\n1;2025-04-03;A;1.200\n";
    let asked = sales("", amounts);
    assert!(
        asked.said().contains("`1.200` in `quantity` of sales.csv can be read as 1.200 or as 1200"),
        "{}",
        asked.said()
    );
    assert!(sales("numbers = \"1.234,56\"", amounts).printed().contains("2025-04-03,1200\n"));
    assert!(sales("numbers = \"1234.56\"", amounts).printed().contains("2025-04-03,1.200\n"));
    let either = "no;day,item;quantity\n1;2025-04-03,A;2\n";
    let asked = sales("", either);
    assert!(asked.said().contains("can be split at `,` and at `;`"), "{}", asked.said());
}

#[test]
fn a_part_has_settings_of_its_own() {
    let parts = |more: &str| {
        format!(
            "[tables.sales]\nrole = 'fact'\nleave-out = ['*_old.csv']\n{more}\
             [[tables.sales.part]]\nfrom = 'a_*.csv'\ndates = '31/12/2025'\n\
             [[tables.sales.part]]\nfrom = ['b.csv', 'c.csv']\ndates = '12/31/2025'\nnumbers = '1.234,56'\n"
        )
    };
    let files = [
        ("interligo.toml", parts("")),
        ("a_north.csv", "day,amount\n03/04/2025,1.5\n".to_owned()),
        ("a_old.csv", "day,amount\n03/04/2025,99\n".to_owned()),
        ("b.csv", "amount;day\n1.500;03/04/2025\n".to_owned()),
        ("c.csv", "day,amount\n03/05/2025,\"2,5\"\n".to_owned()),
    ];
    let files: Vec<(&str, &str)> =
        files.iter().map(|(name, text)| (*name, text.as_str())).collect();
    let mut folder = Folder::with(&files);
    let totals = ["totals", "--by", "day", "--show", "amount", "--format", "csv"];
    folder
        .run(&totals)
        .stdout("day,amount\n2025-03-04,1500.0\n2025-03-05,2.5\n2025-04-03,1.5\n")
        .nothing_else();
    for (more, message) in [
        ("from = 'b.csv'\n", "the table has both `from` and [[part]]s"),
        ("numbers = '1'\n", "`1` is not a format sample for 1234.56"),
    ] {
        folder.put("interligo.toml", parts(more).as_bytes());
        let came = folder.run(&totals);
        assert!(came.said().contains(message), "{}", came.said());
        came.ended(2);
    }
}

#[test]
fn what_the_plan_says_of_reading_must_make_sense() {
    for (settings, message) in [
        ("separator = \"ab\"", "`ab` cannot separate fields"),
        ("numbers = \"1,5\"", "`1,5` is not a format sample for 1234.56"),
        ("dates = \"1/2/2025\"", "`1/2/2025` is not a format sample for 31 December 2025"),
        ("encoding = \"klingon\"", "there is no encoding `klingon`"),
    ] {
        let came = sales(settings, "no,day,item,quantity\n");
        assert!(came.said().contains(message), "{}", came.said());
        came.ended(2);
    }
}

#[test]
fn a_misfit_that_the_first_look_did_not_see_is_a_finding() {
    let many: String = (0..9_000).map(|n| format!("{n};1{}/01/2025;A;1,5\n", 3 + n % 7)).collect();
    let came = sales("", &format!("no;day;item;quantity\n{many}x;01/13/2025;A;1.5\n"));
    assert!(came.said().contains("quantity: 1 of 9,001 lines has no value"), "{}", came.said());
}

#[test]
fn other_encodings_and_packed_files_are_read() {
    let text = "no;day;item;quantity;Größe\r\n1;2025-01-10;A;2;süß\r\n";
    let utf16: Vec<u8> =
        std::iter::once(0xFEFF).chain(text.encode_utf16()).flat_map(u16::to_le_bytes).collect();
    let latin: Vec<u8> = text.chars().map(|c| c as u8).collect();
    let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    gzip.write_all(text.as_bytes()).unwrap();
    let gzip = gzip.finish().unwrap();
    let zstd = zstd::encode_all(text.as_bytes(), 3).unwrap();
    let cut_off = gzip[..gzip.len() - 12].to_vec();
    let output = "\n[outputs.lines]\nto = \"lines.csv\"\ncolumns = [\"*\"]\n";
    for (bytes, settings) in [
        (utf16, ""),
        (latin.clone(), "[reading]\nencoding = \"windows-1252\"\n"),
        (gzip, ""),
        (zstd, ""),
    ] {
        let mut folder = shop("");
        folder.put(
            "interligo.toml",
            format!("{}{output}{settings}", crate::support::PLAN).as_bytes(),
        );
        folder.put("sales.csv", &bytes);
        folder
            .run(&["run"])
            .any_stdout()
            .file("lines.csv", "no,day,item,quantity,Größe\n1,2025-01-10,A,2,süß\n")
            .nothing_else();
    }
    let mut folder = shop(output);
    folder.put("sales.csv", &latin);
    let came = folder.run(&["run"]);
    assert!(
        came.said().contains("sales.csv:1 contains bytes that are not UTF-8"),
        "{}",
        came.said()
    );
    assert!(came.said().contains("if it means `no;day;item;quantity;Größe`"), "{}", came.said());
    folder.put("sales.csv", &cut_off);
    let came = folder.run(&["run"]);
    assert!(came.said().contains("`sales.csv` cannot be read further"), "{}", came.said());
    came.ended(3);
}
