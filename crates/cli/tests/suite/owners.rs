//! Lists for the owners of lookups: one row for each key that is missing, and the answers taken back.

use rust_xlsxwriter::Workbook;

use crate::support::{Folder, shop};

/// The small shop with items that its lookups lack, one of them written in three ways.
fn lacking() -> Folder {
    let mut folder = shop("");
    let lines = "no,day,item,quantity\n1,2025-01-10,A,2\n2,2025-02-10,VL-07,3\n3,2025-02-11,vl-07,1\n4,2025-03-01,VL 7,4\n\
         5,2025-03-02,VL-07,5\n6,2025-03-03,HX-1,6\n";
    folder.put("sales.csv", lines.as_bytes());
    folder
}

/// The rows of a sheet of a list, as text, below its column names.
fn rows(folder: &Folder, sheet: &str) -> Vec<Vec<String>> {
    let name = format!("{}#{sheet}", folder.path().join("missing.xlsx").display());
    let came = folder.run(&["look", &name, "--rows", "100", "--format", "json"]);
    assert_eq!(came.exit_status(), 0, "{}", came.said());
    let looked: serde_json::Value = serde_json::from_str(came.printed()).unwrap();
    let rows: Vec<_> = looked["rows"]
        .as_array()
        .unwrap()
        .iter()
        .map(|row| row["values"].as_object().unwrap())
        .collect();
    let names = rows[0].keys().cloned().collect();
    let cells =
        rows.iter().map(|row| row.values().map(|cell| cell.as_str().unwrap().to_owned()).collect());
    std::iter::once(names).chain(cells).collect()
}

#[test]
fn answers_in_a_workbook_are_taken_back() {
    let mut folder = lacking();
    let came = folder.run(&["check", "--for-owner", "missing.xlsx"]).status(0);
    assert_eq!(
        came.printed(),
        "missing.xlsx#prices  2 keys\nmissing.xlsx#products  2 keys\n\n\
         Owners add the keys, or write into the column `use` which is meant. Then:\n\
         \x20 interligo mend --from missing.xlsx\n"
    );
    let products = rows(&folder, "products");
    let at = |name: &str| {
        products[0].iter().position(|own| own == name).unwrap_or_else(|| panic!("{name}"))
    };
    let key =
        products.iter().find(|row| row[at("found")] == "VL-07").expect("the way of most lines");
    assert_eq!(key[at("lines")], "4");
    assert_eq!(key[at("quantity")], "13");
    assert_eq!(
        (key[at("first_day")].as_str(), key[at("last_day")].as_str()),
        ("2025-02-10", "2025-03-02")
    );
    let mut written: Vec<&str> = key[at("also_written")].split(" | ").collect();
    written.sort_unstable();
    assert_eq!(written, ["VL 7", "vl-07"]);
    assert_eq!(products.len(), 3, "a row for each key: {products:?}");

    // Its owner answers for one of the keys.
    let mut book = Workbook::new();
    book.add_worksheet().set_name("About").unwrap().write(0, 0, "Missing").unwrap();
    let sheet = book.add_worksheet();
    sheet.set_name("products").unwrap();
    for (row, cells) in (0..).zip(&products) {
        for (column, cell) in (0..).zip(cells) {
            let is_answer = cells[at("found")] == "VL-07" && usize::from(column) == at("use");
            sheet.write(row, column, if is_answer { "B" } else { cell }).unwrap();
        }
    }
    folder.put("answered.xlsx", &book.save_to_buffer().unwrap());
    let mut came = folder.run(&["mend", "--from", "answered.xlsx"]).status(0);
    assert!(came.printed().contains("1 key without an answer in the list."), "{}", came.printed());
    let mut corrections: Vec<String> =
        came.take_file("corrections.csv").lines().map(str::to_owned).collect();
    corrections.sort();
    assert_eq!(
        corrections,
        ["VL 7,B,products,", "VL-07,B,products,", "found,use,link,note", "vl-07,B,products,"]
    );

    // A list with answers is not replaced.
    folder.put("missing.xlsx", &std::fs::read(folder.path().join("answered.xlsx")).unwrap());
    let came = folder.run(&["check", "--for-owner", "missing.xlsx"]);
    assert_eq!(came.exit_status(), 4, "{}", came.printed());
    assert!(came.said().contains("it has answers"), "{}", came.said());
}

#[test]
fn answers_in_text_are_taken_back_and_other_files_refused() {
    let mut folder = lacking();
    folder.run(&["check", "--for-owner", "missing"]).status(0).nothing_more();
    let path = folder.path().join("missing/products-to-complete.csv");
    let list = std::fs::read_to_string(&path).unwrap();
    let answered = list.replace("\nHX-1,,,", "\nHX-1,,A,sure");
    assert_ne!(list, answered);
    folder.put("missing/products-to-complete.csv", answered.as_bytes());
    let refused = folder.run(&["check", "--for-owner", "missing"]);
    assert_eq!(refused.exit_status(), 4, "{}", refused.said());
    assert_eq!(std::fs::read_to_string(&path).unwrap(), answered);
    let mut came = folder.run(&["mend", "--from", "missing/products-to-complete.csv"]).status(0);
    assert_eq!(came.take_file("corrections.csv"), "found,use,link,note\nHX-1,A,products,sure\n");

    let mut book = Workbook::new();
    book.add_worksheet().write(0, 0, "key").unwrap().write(1, 0, "A").unwrap();
    folder.put("other.xlsx", &book.save_to_buffer().unwrap());
    // Neither an input nor what somebody else made is replaced.
    for (file, says) in [
        ("other.xlsx", "what is there is no list of missing keys"),
        ("products.csv/x.xlsx", "cannot be"),
        ("sales.xlsx", "this would overwrite an input"),
    ] {
        folder.put("sales.xlsx", &book.save_to_buffer().unwrap());
        let plan = std::fs::read_to_string(folder.path().join("interligo.toml")).unwrap();
        let more = "\n[tables.more]\nfrom = \"sales.xlsx\"\n";
        let named = if plan.contains(more) { plan } else { plan + more };
        folder.put("interligo.toml", named.as_bytes());
        let refused = folder.run(&["check", "--for-owner", file]);
        assert_ne!(refused.exit_status(), 0, "{file}");
        assert!(refused.said().contains(says), "{file}: {}", refused.said());
    }
    let came = folder.run(&["mend", "--from", "other.xlsx"]);
    assert_eq!(came.exit_status(), 3);
    assert!(
        came.said().contains("`other.xlsx` has no sheet with the columns found, use, link"),
        "{}",
        came.said()
    );
}
