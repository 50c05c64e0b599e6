//! Text files that are damaged, cut off, huge, or no text at all: a message with place and way out, and
//! nothing lost in silence.

use std::io::Write;

use crate::support::{Came, Folder};

const PLAN: &str = "[tables.s]\nrole = 'fact'\nfrom = 's*.csv'\n[figures]\nx = '2 * n'\n\
                    [outputs.l]\nto = 'l.csv'\ncolumns = ['k', 'n', 'x']\n";

fn run(bytes: &[u8]) -> Came {
    let mut folder = Folder::with(&[("interligo.toml", PLAN)]);
    folder.put("s.csv", bytes);
    folder.run(&["run", "--format", "csv"])
}

fn gzip(text: &str) -> Vec<u8> {
    let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    gzip.write_all(text.as_bytes()).unwrap();
    gzip.finish().unwrap()
}

#[test]
fn what_cannot_be_read_is_said_with_its_place_and_a_way_out() {
    let long = gzip(&format!("k,n\n{}", "A,1\n".repeat(200_000)));
    let cut = gzip("k,n\nA,1\nB,2\n");
    let utf16: Vec<u8> = "k,n\nA,1\nB,2\n".encode_utf16().flat_map(u16::to_le_bytes).collect();
    for (bytes, message, help) in [
        (
            b"k,n\nA,1\nB,\"2\nC,3\n".as_slice(),
            "s.csv:3 opens a quote that is not closed",
            "put a quote at the end of that field, or double a quote that belongs to the text; the file may also have \
             been cut off",
        ),
        (
            &cut[..cut.len() - 12],
            "`s.csv` cannot be read further: incomplete deflate stream",
            "the file may be damaged or cut off; fetch it again",
        ),
        (
            &long[..long.len() - 200],
            "`s.csv` cannot be read further: incomplete deflate stream",
            "the file may be damaged or cut off; fetch it again",
        ),
        (b"k,n\nA\0,1\n", "s.csv:2 contains zero bytes: it is not text", "export the table as CSV"),
        (
            &utf16,
            "s.csv:1 has a zero byte in every other place",
            "if it is UTF-16, add encoding = \"utf-16le\" to the table",
        ),
        (
            b"k,n\nA,1\n\xE9,2\n",
            "s.csv:3 contains bytes that are not UTF-8 in column `k`",
            "if it means `\u{e9},2`, add encoding = \"windows-1252\" to the table; or name another",
        ),
        (
            b"k,n\n\xC3\xA9,1\n\xE9,2\n",
            "s.csv:3 contains bytes that are not UTF-8 in column `k`",
            "the rows above are UTF-8, and this one probably means `\u{e9},2`: the file mixes encodings; save it again in \
             one",
        ),
        (
            b" \n\r\n",
            "`s.csv` is empty: it has no header row",
            "the first row of a table has the names of its columns",
        ),
        (
            b"PK\x03\x04",
            "`s.csv` is a compressed file, not text",
            "decompress it first, or save the sheet as CSV",
        ),
    ] {
        run(bytes).stderr(&format!("error: {message}\n  fix: {help}\n")).status(3).nothing_else();
    }
}

#[test]
fn line_ends_of_every_kind_end_lines() {
    let lines = "k,n,x\nA,1,2\nB,2,4\n";
    for text in ["k,n\r\nA,1\r\nB,2\r\n", "k,n\rA,1\rB,2\r", "k,n\r\nA,1\nB,2"] {
        assert_eq!(run(text.as_bytes()).take_file("l.csv"), lines, "{text:?}");
    }
    // One that is alone among others belongs to its line, which then has too many fields.
    let mut came = run(b"k,n\nA,1\rC,3\nB,2\n");
    assert_eq!(came.take_file("l.csv"), "k,n,x\nB,2,4\n");
    let aside = came.take_file("out/set-aside.csv");
    assert!(aside.contains("too few or too many fields,s.csv,2,"), "{aside}");
}

#[test]
fn values_that_are_none_are_findings_with_their_place() {
    let rows =
        "A,1.2.3,31/02/2025\nB,2,13/01/2025\nC,3,28/02/2025\nD,4,14/02/2025\nE,5,15/02/2025\n";
    let plan =
        PLAN.replace("x = '2 * n'", "x = '2 * n'\nm = \"if month(day) = '2025-01' then 1 else 0\"");
    let folder = Folder::with(&[("interligo.toml", &plan), ("s.csv", &format!("k,n,day\n{rows}"))]);
    let found = folder.run(&["check", "--format", "csv"]);
    for row in [
        "unreadable-value,s,n,1,,,,s.csv:2 `1.2.3`,s.csv:2 `1.2.3`,,,,taken as blank",
        "unreadable-value,s,day,1,,,,s.csv:2 `31/02/2025`,s.csv:2 `31/02/2025`,,,,taken as blank",
    ] {
        assert!(found.printed().contains(row), "{}{}", found.printed(), found.said());
    }
}

#[test]
fn sizes_beyond_reason_are_read_all_the_same() {
    // A field of many blocks, and a row of many columns.
    let long = format!("k,n,note\nA,1,\"{}\"\nB,2,\n", "y\n".repeat(3_000_000));
    assert_eq!(run(long.as_bytes()).take_file("l.csv"), "k,n,x\nA,1,2\nB,2,4\n");
    let columns: Vec<String> = (0..20_000).map(|column| format!("c{column}")).collect();
    let wide = format!("k,n,{}\nA,1{}\n", columns.join(","), ",5".repeat(20_000));
    assert_eq!(run(wide.as_bytes()).take_file("l.csv"), "k,n,x\nA,1,2\n");
}

#[test]
fn many_small_files_are_one_table() {
    let mut folder = Folder::with(&[("interligo.toml", PLAN)]);
    for number in 0..1_500 {
        folder.put(&format!("s{number}.csv"), format!("k,n\nA{number},{number}\n").as_bytes());
    }
    let mut came = folder.run(&["run", "--full"]);
    let said = "… and 1,488 more";
    assert!(came.printed().contains(said), "{}", came.printed());
    let lines = came.take_file("l.csv");
    assert_eq!(lines.lines().count(), 1_501);
    assert_eq!(lines.lines().nth(3), Some("A2,2,4"), "2 comes before 10");
}

#[test]
fn a_pattern_that_fits_nothing_and_a_table_without_column_names_are_reported_so() {
    let folder = Folder::with(&[("interligo.toml", PLAN)]);
    let came = folder.run(&["run"]);
    assert!(came.said().starts_with("error: no file fits 's*.csv'\n"), "{}", came.said());
    came.ended(2);
    let came = run(b"A,1\nB,2\n");
    assert!(came.said().contains("no figure or column of `s` is called `n`"), "{}", came.said());
    came.ended(2);
}
