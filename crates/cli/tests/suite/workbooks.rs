//! Workbooks as people have them: titles, merged column names, hidden sheets and rows, errors, remarks beside the
//! table, codes as numbers, days counted from 1900 and 1904; and workbooks that are none.

use rust_xlsxwriter::{ExcelDateTime, Format, Formula, Table, TableColumn, Workbook, Worksheet};

use crate::formats::{ods_of, zipped};
use crate::support::{Came, Folder};

/// A workbook of one sheet.
fn book(name: &str, fill: impl FnOnce(&mut Worksheet)) -> Vec<u8> {
    let mut workbook = Workbook::new();
    fill(workbook.add_worksheet().set_name(name).unwrap());
    workbook.save_to_buffer().unwrap()
}

/// Writes rows of text, from a row on.
fn texts(sheet: &mut Worksheet, first: u32, rows: &[&[&str]]) {
    for (row, cells) in (first..).zip(rows) {
        for (column, cell) in (0..).zip(*cells) {
            match cell.parse::<f64>() {
                _ if cell.is_empty() => continue,
                Ok(number) if !cell.starts_with('0') => sheet.write(row, column, number).unwrap(),
                _ => sheet.write(row, column, *cell).unwrap(),
            };
        }
    }
}

/// A folder with a plan that writes the lines of a fact, and one file.
fn folder(table: &str, columns: &str, file: &str, content: &[u8]) -> Folder {
    let plan = format!(
        "[tables.sales]\nrole = \"fact\"\n{table}\n[outputs.lines]\nto = \"lines.csv\"\ncolumns = [{columns}]\n"
    );
    let mut folder = Folder::with(&[("interligo.toml", &plan)]);
    folder.put(file, content);
    folder
}

fn lines(mut came: Came) -> String {
    came.take_file("lines.csv")
}

#[test]
fn a_sheet_is_read_as_a_person_sees_it() {
    let content = book("North", |sheet| {
        let day = |text| ExcelDateTime::parse_from_str(text).unwrap();
        let format = |code: &str| Format::new().set_num_format(code);
        sheet.merge_range(0, 1, 0, 6, "Mielo Cooperative, north", &Format::new()).unwrap();
        for (column, column_name) in
            (1..).zip(["sku", "sold on", "qty", "price", "off", "paid", "state"])
        {
            sheet.write(2, column, column_name).unwrap();
        }
        sheet.write(3, 1, "007").unwrap();
        sheet.write_with_format(3, 2, day("2025-12-31"), &format("dd.mm.yyyy")).unwrap();
        sheet.write(3, 3, 3).unwrap();
        // As workbooks keep it: 0.30000000000000004.
        sheet.write(3, 4, 0.1f64 + 0.2f64).unwrap();
        sheet.write_with_format(3, 5, 0.07, &format("0.0%")).unwrap();
        sheet.write_boolean(3, 6, true).unwrap();
        sheet.write(3, 7, "ok, \"so\"").unwrap();
        sheet.write(5, 1, 388).unwrap();
        sheet
            .write_with_format(5, 2, day("2024-02-29 08:30"), &format("yyyy-mm-dd hh:mm"))
            .unwrap();
        sheet.write_formula(5, 3, Formula::new("=D4+1").set_result("4")).unwrap();
        sheet.write(5, 4, 1234.5).unwrap();
        sheet.write(6, 1, "Total").unwrap();
        sheet.write_formula(6, 3, Formula::new("=SUM(D4:D6)").set_result("7")).unwrap();
        sheet.write_formula(6, 4, Formula::new("=SUM(E4:E6)").set_result("1234.8")).unwrap();
    });
    let columns = "\"*\", \"qty * price\", \"year(\\\"sold on\\\")\"";
    let columns = columns.replace("\\\\\"", "\\\"");
    let folder = folder("from = \"book.xlsx#North\"", &columns, "book.xlsx", &content);
    let came = folder.run(&["run", "--format", "csv"]);
    assert!(
        came.printed().contains("left out,total rows,rows,1"),
        "{}{}",
        came.printed(),
        came.said()
    );
    assert!(came.printed().contains("left out,blank,rows,1"), "{}", came.printed());
    assert_eq!(
        lines(came),
        "sku,sold on,qty,price,off,paid,state,qty * price,\"year(\"\"sold on\"\")\"\n\
         007,2025-12-31,3,0.3,7%,true,\"ok, \"\"so\"\"\",0.9,2025\n\
         388,2024-02-29 08:30,4,1234.5,,,,4938.0,2024\n"
    );
}

#[test]
fn patterns_name_the_sheets_and_what_does_not_belong_is_left_out() {
    let mut workbook = Workbook::new();
    for (name, quantity) in [("North", "1"), ("South", "2"), ("Notes", "x")] {
        texts(
            workbook.add_worksheet().set_name(name).unwrap(),
            0,
            &[&["sku", "qty"], &["A", quantity]],
        );
    }
    let content = workbook.save_to_buffer().unwrap();
    let table = "from = \"sales_{year}.xlsx#{region}\"\nleave-out = \"*.xlsx#Notes\"";
    let mut folder = folder(table, "\"*\", \"qty * 10\"", "sales_2025.xlsx", &content);
    folder.put("~$sales_2025.xlsx", b"a lock");
    let expected = "sku,qty,year,region,qty * 10\nA,1,2025,North,10\nA,2,2025,South,20\n";
    assert_eq!(lines(folder.run(&["run"])), expected);
}

#[test]
fn column_names_of_several_rows_are_put_together() {
    let content = book("Prices", |sheet| {
        let none = Format::new();
        sheet.merge_range(0, 0, 1, 0, "sku", &none).unwrap();
        sheet.merge_range(0, 1, 0, 2, "2024", &none).unwrap();
        sheet.merge_range(0, 3, 0, 4, "2025", &none).unwrap();
        texts(sheet, 1, &[&["", "price", "cost", "price", "cost"], &["A", "2", "1", "3", "1.5"]]);
    });
    let table =
        "from = \"p.xlsx\"\ntall = { \"{year} price\" = \"price\", \"{year} cost\" = \"cost\" }";
    let folder = folder(table, "\"*\", \"price - cost\"", "p.xlsx", &content);
    let expected = "sku,year,price,cost,price - cost\nA,2024,2,1,1.0\nA,2025,3,1.5,1.5\n";
    assert_eq!(lines(folder.run(&["run"])), expected);
}

/// Of two rows of column names only the upper cells are merged: each over the columns of its group.
#[test]
fn groups_of_columns_are_named_in_the_row_above() {
    let expected = "sku,year,price,cost,price - cost\nA,2024,2,1,1.0\nA,2025,3,1.5,1.5\n";
    for first in ["", "sku"] {
        let content = book("Prices", |sheet| {
            let none = Format::new();
            sheet.write(0, 0, first).unwrap();
            sheet.merge_range(0, 1, 0, 2, "2024", &none).unwrap();
            sheet.merge_range(0, 3, 0, 4, "2025", &none).unwrap();
            texts(sheet, 1, &[&["sku", "price", "cost", "price", "cost"]]);
            sheet.write(2, 0, "A").unwrap();
            for (column, number) in [(1, 2.0), (2, 1.0), (3, 3.0), (4, 1.5)] {
                sheet.write(2, column, number).unwrap();
            }
        });
        let table = "from = \"p.xlsx\"\ntall = { \"{year} price\" = \"price\", \"{year} cost\" = \"cost\" }";
        let folder = folder(table, "\"*\", \"price - cost\"", "p.xlsx", &content);
        assert_eq!(lines(folder.run(&["run"])), expected, "{first}");
    }
    // A title over all columns is no group.
    let content = book("Prices", |sheet| {
        sheet.merge_range(0, 0, 0, 1, "Prices of the year", &Format::new()).unwrap();
        texts(sheet, 1, &[&["sku", "qty"], &["A", "2"]]);
    });
    let folder = folder("from = \"p.xlsx\"", "\"*\", \"qty * 2\"", "p.xlsx", &content);
    assert_eq!(lines(folder.run(&["run"])), "sku,qty,qty * 2\nA,2,4\n");
}

#[test]
fn what_is_hidden_or_odd_is_named_and_read() {
    let mut workbook = Workbook::new();
    workbook.add_worksheet().set_name("Front").unwrap();
    let sheet = workbook.add_worksheet().set_name("Stock").unwrap();
    sheet.set_hidden(true);
    texts(sheet, 0, &[&["sku", "qty"], &["A", "1"], &["B", ""], &["C", "3"]]);
    sheet.write_formula(2, 1, Formula::new("=NA()").set_result("#N/A")).unwrap();
    sheet.set_row_hidden(3).unwrap();
    sheet.write(1, 5, "ask Bento").unwrap();
    let content = workbook.save_to_buffer().unwrap();
    let folder = folder("from = \"b.xlsx#Stock\"", "\"sku\", \"qty * 2\"", "b.xlsx", &content);
    let came = folder.run(&["run", "--full"]);
    for note in [
        "b.xlsx#Stock: a hidden sheet; read like any other",
        "b.xlsx#Stock: 1 hidden row (4); read like any other",
        "b.xlsx#Stock!B3 #N/A; contains an error instead of a value",
        "b.xlsx#Stock!F2 ask Bento; is in a column without a name and is not read",
        "qty  b.xlsx#Stock!B3 `#N/A`; taken as blank",
    ] {
        assert!(came.printed().contains(note), "{note}\n{}{}", came.printed(), came.said());
    }
    assert_eq!(lines(came), "sku,qty * 2\nA,2\nB,\nC,6\n");
    let check = folder.run(&["check", "--format", "csv"]);
    for code in ["error-cell", "cell-beside-table", "hidden-row", "hidden-sheet"] {
        assert!(
            check.printed().contains(&format!("\n{code},sales,")),
            "{code}\n{}",
            check.printed()
        );
    }
}

#[test]
fn tables_and_ranges_have_names_of_their_own() {
    let mut workbook = Workbook::new();
    let sheet = workbook.add_worksheet().set_name("All of it").unwrap();
    texts(sheet, 2, &[&["x", "sku", "qty"], &["-", "A", "1"], &["-", "B", "2"], &["-", "C", "3"]]);
    texts(sheet, 9, &[&["a remark"]]);
    let column_names = ["sku", "qty"].map(|column_name| TableColumn::new().set_header(column_name));
    let table = Table::new().set_name("Deliveries").set_columns(&column_names);
    sheet.add_table(2, 1, 5, 2, &table).unwrap();
    workbook.define_name("first_two", "='All of it'!$B$3:$C$5").unwrap();
    let content = workbook.save_to_buffer().unwrap();
    for (name, rows) in [("Deliveries", "A,10\nB,20\nC,30\n"), ("first_two", "A,10\nB,20\n")] {
        let table = format!("from = \"b.xlsx#{name}\"");
        let folder = folder(&table, "\"sku\", \"qty * 10\"", "b.xlsx", &content);
        assert_eq!(lines(folder.run(&["run"])), format!("sku,qty * 10\n{rows}"), "{name}");
    }
}

#[test]
fn numbers_as_text_beside_numbers_are_read_in_their_own_style() {
    let content = book("S", |sheet| {
        texts(
            sheet,
            0,
            &[&["sku", "price"], &["A", ""], &["B", "1234.5"], &["C", "1.234"], &["D", ""]],
        );
        sheet.write(1, 1, "1.234,56").unwrap();
        sheet.write(4, 1, "12,5").unwrap();
    });
    let folder = folder("from = \"b.xlsx\"", "\"sku\", \"price * 1\"", "b.xlsx", &content);
    let expected = "sku,price * 1\nA,1234.560\nB,1234.500\nC,1.234\nD,12.500\n";
    assert_eq!(lines(folder.run(&["run"])), expected);
}

#[test]
fn many_blank_formatted_rows_are_blank_rows() {
    let mut rows = String::from(
        "<row r=\"1\"><c r=\"A1\" t=\"str\"><v>qty</v></c></row><row r=\"2\"><c r=\"A2\"><v>5</v></c></row>",
    );
    for row in 3..100_003 {
        rows += &format!("<row r=\"{row}\"><c r=\"A{row}\" s=\"0\"/></row>");
    }
    let sheet = format!(
        "<worksheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\"><sheetData>{rows}</sheetData></worksheet>"
    );
    let content = xlsx_of(&sheet);
    let folder = folder("from = \"b.xlsx\"", "\"qty * 2\"", "b.xlsx", &content);
    let came = folder.run(&["run", "--format", "csv"]);
    assert!(
        came.printed().contains("left out,blank,rows,100000"),
        "{}{}",
        came.printed(),
        came.said()
    );
    assert_eq!(lines(came), "qty * 2\n10\n");
}

/// A workbook of one sheet, by hand.
fn xlsx_of(sheet: &str) -> Vec<u8> {
    let relations = |inner: &str| {
        format!(
            "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\">{inner}</Relationships>"
        )
    };
    let office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
    let workbook = format!(
        "<workbook xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\" xmlns:r=\"{office}\">\
         <workbookPr date1904=\"1\"/><sheets><sheet name=\"S\" sheetId=\"1\" r:id=\"rId1\"/></sheets></workbook>"
    );
    let styles = "<styleSheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\"><cellXfs>\
        <xf numFmtId=\"0\"/><xf numFmtId=\"14\"/></cellXfs></styleSheet>";
    zipped(&[
        ("[Content_Types].xml", b"<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"/>"),
        ("_rels/.rels", relations(&format!("<Relationship Id=\"rId1\" Type=\"{office}/officeDocument\" Target=\"xl/workbook.xml\"/>")).as_bytes()),
        ("xl/workbook.xml", workbook.as_bytes()),
        ("xl/_rels/workbook.xml.rels", relations(&format!(
            "<Relationship Id=\"rId1\" Type=\"{office}/worksheet\" Target=\"worksheets/sheet1.xml\"/>\
             <Relationship Id=\"rId2\" Type=\"{office}/styles\" Target=\"styles.xml\"/>"
        )).as_bytes()),
        ("xl/styles.xml", styles.as_bytes()),
        ("xl/worksheets/sheet1.xml", sheet.as_bytes()),
    ])
}

#[test]
fn days_are_counted_from_1904_where_the_workbook_says_so() {
    let sheet = "<worksheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\"><sheetData>\
        <row r=\"1\"><c r=\"A1\" t=\"str\"><v>day</v></c><c r=\"B1\" t=\"str\"><v>cost</v></c></row>\
        <row r=\"2\"><c r=\"A2\" s=\"1\"><v>44560</v></c><c r=\"B2\"><f>1+1</f></c></row></sheetData></worksheet>";
    let folder = folder("from = \"b.xlsx\"", "\"day\", \"month(day)\"", "b.xlsx", &xlsx_of(sheet));
    let came = folder.run(&["run"]);
    let note = "b.xlsx#S: 1 formula; formulas without a stored value are blank";
    assert!(came.printed().contains(note), "{}{}", came.printed(), came.said());
    assert_eq!(lines(came), "day,month(day)\n2025-12-31,2025-12\n");
}

#[test]
fn an_ods_workbook_has_hidden_rows_and_merged_column_names_too() {
    let text = |text: &str| {
        format!(
            "<table:table-cell office:value-type=\"string\"><text:p>{text}</text:p></table:table-cell>"
        )
    };
    let number =
        |n: &str| format!("<table:table-cell office:value-type=\"float\" office:value=\"{n}\"/>");
    let tables = format!(
        "<table:table table:name=\"Stock\">\
         <table:table-row><table:table-cell table:number-columns-spanned=\"2\" office:value-type=\"string\"><text:p>Stock of the year</text:p></table:table-cell><table:covered-table-cell/></table:table-row>\
         <table:table-row>{}{}</table:table-row>\
         <table:table-row table:visibility=\"collapse\">{}{}</table:table-row>\
         <table:table-row table:number-rows-repeated=\"2\">{}{}</table:table-row></table:table>",
        text("sku"),
        text("qty"),
        text("A"),
        number("1.5"),
        text("B"),
        number("2")
    );
    let folder = folder("from = \"b.ods\"", "\"sku\", \"qty * 2\"", "b.ods", &ods_of(&tables));
    let came = folder.run(&["run"]);
    let note = "b.ods#Stock: 1 hidden row (3); read like any other";
    assert!(came.printed().contains(note), "{}{}", came.printed(), came.said());
    assert_eq!(lines(came), "sku,qty * 2\nA,3.0\nB,4.0\nB,4.0\n");
}

#[test]
fn what_is_no_workbook_says_so() {
    let whole = book("S", |sheet| texts(sheet, 0, &[&["sku", "qty"], &["A", "1"]]));
    let mut broken = whole.clone();
    // In the compressed sheet, behind its name.
    let name = b"xl/worksheets/sheet1.xml";
    let sheet = whole.windows(name.len()).position(|part| part == name).unwrap();
    broken[sheet + name.len() + 20] ^= 0x55;
    let old = [&[0xD0, 0xCF, 0x11, 0xE0, 0xA1, 0xB1, 0x1A, 0xE1][..], &[0; 600]].concat();
    let empty = book("S", |_| ());
    let cut = zipped(&[
        ("mimetype", b"application/vnd.oasis.opendocument.spreadsheet"),
        ("META-INF/manifest.xml", b"<manifest/>"),
        ("content.xml", b"<office:document-content><office:body><table:table table:name=\"S\">"),
    ]);
    for (name, content, message) in [
        ("b.xlsx", &whole[..whole.len() / 2], "`b.xlsx` is no workbook"),
        ("b.xlsx", b"sku,qty\nA,1\n", "`b.xlsx` is no workbook"),
        ("b.xlsx", b"", "`b.xlsx` is empty"),
        ("b.xlsx", &old, "`b.xlsx` is protected with a password, or of the old binary kind"),
        ("b.xlsx", &empty, "`b.xlsx#S` is empty: it has no header row"),
        ("b.ods", &cut, "`b.ods` cannot be read as a workbook: its content breaks off"),
        ("b.ods", &whole, "`b.ods` cannot be read as a workbook"),
    ] {
        let folder = folder(&format!("from = \"{name}\""), "\"qty * 2\"", name, content);
        let came = folder.run(&["run"]).status(3);
        assert!(
            came.said().starts_with(&format!("error: {message}")),
            "{name} {message}\n{}",
            came.said()
        );
        assert!(came.said().contains("\n  fix: "), "{}", came.said());
        let said = came.said().to_owned();
        came.stderr(&said).nothing_else();
    }
    // Damage inside is met on the way; nothing of it is passed off as whole.
    let folder = folder("from = \"b.xlsx\"", "\"qty * 2\"", "b.xlsx", &broken);
    let came = folder.run(&["run"]);
    assert_ne!(came.exit_status(), 0);
}

#[test]
fn an_archive_that_would_unpack_to_more_than_any_workbook_is_refused() {
    // Zeros pack to a thousandth; the entry only says that it is larger than it is.
    let mut bomb =
        zipped(&[("xl/workbook.xml", &[b' '; 4096]), ("xl/sharedStrings.xml", &[b' '; 4096])]);
    let size = 3u32 << 30;
    let central = bomb.windows(4).rposition(|w| w == b"PK\x01\x02").unwrap();
    bomb[central + 24..central + 28].copy_from_slice(&size.to_le_bytes());
    let folder = folder("from = \"b.xlsx\"", "\"qty * 2\"", "b.xlsx", &bomb);
    folder
        .run(&["run"])
        .status(3)
        .stderr(
            "error: `b.xlsx` would unpack to 3 GB in `xl/sharedStrings.xml`\n  fix: check where it comes from; \
             if it is what it should be, write a larger largest-sheet = \"4 GB\" into [reading]\n",
        )
        .nothing_else();
}

#[test]
fn a_sheet_that_unfolds_is_refused_up_to_what_the_plan_allows() {
    let cell = |reference: &str, text: &str| {
        format!("<c r=\"{reference}\" t=\"inlineStr\"><is><t>{text}</t></is></c>")
    };
    let rows = |text: &str| {
        format!(
            "<worksheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\"><sheetData>\
             <row r=\"1\">{}{}</row><row r=\"2\"><c r=\"A2\"><v>5</v></c>{}</row></sheetData></worksheet>",
            cell("A1", "qty"),
            cell("B1", "note"),
            cell("B2", text)
        )
    };
    let reading = |limits: &str, content: &[u8]| {
        let mut folder = folder("from = \"b.xlsx\"", "\"qty * 2\"", "b.xlsx", content);
        let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
        folder.put("interligo.toml", format!("{plan}\n[reading]\n{limits}\n").as_bytes());
        folder.run(&["run"])
    };
    // Two million characters pack to two thousand bytes.
    let book = xlsx_of(&rows(&"a".repeat(2_000_000)));
    assert!(book.len() < 10_000);
    assert_eq!(lines(reading("", &book)), "qty * 2\n10\n");
    let small = "largest-cell = \"1 MB\"";
    let came = reading(small, &book).status(3);
    let said = "error: `b.xlsx` has a cell of more than 1 MB in `xl/worksheets/sheet1.xml`\n";
    assert!(came.said().starts_with(said), "{}", came.said());
    // An entry may say that it is smaller than it is.
    let mut lying = xlsx_of(&rows(&"<b/>".repeat(500_000)));
    for header in [b"PK\x01\x02", b"PK\x03\x04"] {
        let at = lying.windows(4).rposition(|w| w == header).unwrap();
        let size = at + if header[2] == 1 { 24 } else { 22 };
        lying[size..size + 4].copy_from_slice(&1000u32.to_le_bytes());
    }
    let came = reading("largest-sheet = \"1 MB\"\nlargest-cell = \"64 KB\"", &lying).status(3);
    assert!(came.said().contains("File is larger than its declared"), "{}", came.said());
    let came = reading("largest-sheet = \"1 MB\"", &book).status(3);
    let said = "error: `b.xlsx` would unpack to 1 MB in `xl/worksheets/sheet1.xml`\n";
    assert!(came.said().starts_with(said), "{}", came.said());
    let came = reading("largest-sheet = \"much\"", &book).status(2);
    assert!(came.said().starts_with("error: `much` is no size"), "{}", came.said());
}

#[test]
fn the_right_sheet_must_be_named() {
    let mut workbook = Workbook::new();
    for name in ["North", "South"] {
        texts(workbook.add_worksheet().set_name(name).unwrap(), 0, &[&["sku", "qty"], &["A", "1"]]);
    }
    let content = workbook.save_to_buffer().unwrap();
    for (from, message, help) in [
        ("b.xlsx", "`b.xlsx` has 2 sheets", "its sheets are `North`, `South`"),
        ("b.xlsx#Nort", "`b.xlsx` has no sheet `Nort`", "did you mean `North`?"),
        ("b.xlsx#East-{x}", "no file fits", "paths are relative"),
    ] {
        let folder = folder(&format!("from = \"{from}\""), "\"qty * 2\"", "b.xlsx", &content);
        let came = folder.run(&["run"]).status(2);
        assert!(came.said().contains(message) && came.said().contains(help), "{}", came.said());
    }
}

#[test]
fn a_book_that_no_plan_describes_is_looked_at_sheet_by_sheet() {
    let mut workbook = Workbook::new();
    for (name, rows) in [
        ("North", &[&["sku", "qty"][..], &["A", "1"]][..]),
        ("Blank", &[]),
        ("South#2", &[&["x"], &["7"]]),
    ] {
        texts(workbook.add_worksheet().set_name(name).unwrap(), 0, rows);
    }
    let mut folder = Folder::with(&[]);
    folder.put("lot#1.xlsx", &workbook.save_to_buffer().unwrap());
    let came = folder.run(&["look", "lot#1.xlsx"]);
    for shown in ["North  1 sheet", "South#2  1 sheet", "lot#1.xlsx#South#2: sheet"] {
        assert!(came.printed().contains(shown), "{shown}\n{}", came.printed());
    }
    assert_eq!(came.exit_status(), 3);
    assert!(came.said().starts_with("error: `lot#1.xlsx#Blank` is empty"), "{}", came.said());
    let one =
        folder.run(&["look", "lot##1.xlsx#North", "--rows", "1", "--format", "csv"]).status(0);
    assert_eq!(one.printed(), "file,row,sku,qty\nlot#1.xlsx#North,2,A,1\n");
}
