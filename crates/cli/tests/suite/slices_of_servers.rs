//! A run in slices whose lookups are on a server: it is asked once, and all slices see the same rows.

use crate::server::Schema;
use crate::support::Folder;

const PLAN: &str = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
    [tables.prices]\nfrom = \"postgres:///postgres#SCHEMA.prices_{year}\"\nkey = \"sku\"\nvalid = { from = \"since\" }\n\
    [tables.groups]\nfrom = \"postgres:///postgres\"\nquery = \"SELECT sku, label AS name FROM SCHEMA.groups\"\nkey = \"sku\"\n\
    [[link]]\npath = \"sales.item -> prices.sku as of day\"\n\
    [[link]]\npath = \"sales.item -> groups.sku\"\n\
    [figures]\nrevenue = \"quantity * prices.price\"\n\
    [outputs.lines]\nto = \"out/lines.csv\"\ncolumns = [\"*\", \"groups.name\", \"prices.price\", \"prices.since\", \"prices.seen\", \"revenue\"]\n\
    [outputs.totals]\nto = \"out/totals.csv\"\nby = [\"groups.name\"]\nshow = [\"lines\", \"revenue\"]\n\
    [outputs.found]\nto = \"out/found.csv\"\nlist = \"findings\"\n";

/// Numbers, days and times that a server knows as such, texts that look like them, a text that would be quoted, blanks.
const TABLES: &str = "SET search_path = SCHEMA; \
    CREATE TABLE prices_2024 (sku text, since date, price numeric(8, 3), seen timestamp); \
    INSERT INTO prices_2024 VALUES ('007', '2024-01-01', 1.5, '2024-01-01 08:30'), ('7', '2024-01-01', NULL, NULL); \
    CREATE TABLE prices_2025 (sku text, since date, price numeric(8, 3), seen timestamp); \
    INSERT INTO prices_2025 VALUES ('007', '2025-02-01', 2.125, NULL), (NULL, '2025-01-01', 9, NULL); \
    CREATE TABLE groups (sku text, label text); \
    INSERT INTO groups VALUES ('007', 'wax, \"fine\"'), ('7', ''), ('8', '1.234')";

/// A folder with sales, and the tables on the server.
fn shop(name: &'static str) -> Option<(Schema, Folder)> {
    let schema = Schema::new(name)?;
    schema.server.client().batch_execute(&TABLES.replace("SCHEMA", name)).unwrap();
    let line = |n: usize| {
        let item = ["007", "7", "8", "9"][n % 4];
        format!("2025-0{}-1{},{item},{}\n", 1 + n % 3, n % 9, n % 7)
    };
    let sales: String = (0..900).map(line).collect();
    let plan = PLAN.replace("SCHEMA", name);
    let sales = format!("day,item,quantity\n{sales}");
    Some((schema, Folder::with(&[("interligo.toml", &plan), ("sales.csv", &sales)])))
}

fn printed(schema: &Schema, folder: &Folder, arguments: &[&str], more: &[(&str, &str)]) -> String {
    let came = schema.run(folder, arguments, more);
    assert!(came.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&came.stderr));
    String::from_utf8(came.stdout).unwrap()
}

/// What the outputs hold.
fn written(folder: &Folder) -> Vec<String> {
    let file = |name| std::fs::read_to_string(folder.path().join("out").join(name)).unwrap();
    ["lines.csv", "totals.csv", "found.csv"].map(file).to_vec()
}

/// An environment in which there is no server.
const NO_SERVER: [(&str, &str); 1] = [("PGHOST", "/nowhere")];

#[test]
fn slices_read_what_the_server_had_when_the_run_was_divided() {
    let Some((schema, folder)) = shop("slices_handed_on") else { return };
    let single = printed(&schema, &folder, &["run", "--full"], &[]);
    let files = written(&folder);
    assert!(files[0].contains("\"wax, \"\"fine\"\"\",2.125,2025-02-01"), "{}", files[0]);
    std::fs::remove_dir_all(folder.path().join("out")).unwrap();
    std::fs::remove_dir_all(folder.path().join(".interligo")).unwrap();
    let divided =
        printed(&schema, &folder, &["slices", "3", "--into", "work", "--block", "2000"], &[]);
    assert!(divided.contains("3 tables of servers are handed on in work/lookups\n"), "{divided}");
    // What the server has later is of no slice, nor whether it is there.
    schema.server.client().batch_execute("DROP TABLE slices_handed_on.groups").unwrap();
    for slice in ["2/3", "1/3", "3/3"] {
        printed(&schema, &folder, &["run", "--slice", slice, "--into", "work"], &NO_SERVER);
    }
    assert_eq!(printed(&schema, &folder, &["join", "work", "--full"], &NO_SERVER), single);
    assert_eq!(written(&folder), files);
}

#[test]
fn what_was_handed_on_and_is_damaged_ends_a_slice() {
    let Some((schema, folder)) = shop("slices_damaged") else { return };
    printed(&schema, &folder, &["slices", "2", "--into", "work"], &[]);
    let lookup = folder.path().join("work/lookups/table-0.parquet");
    let whole = std::fs::read(&lookup).unwrap();
    let said = || {
        let came = schema.run(&folder, &["run", "--slice", "1/2", "--into", "work"], &NO_SERVER);
        assert_eq!(came.status.code(), Some(3));
        String::from_utf8(came.stderr).unwrap()
    };
    std::fs::write(&lookup, &whole[..whole.len() - 1]).unwrap();
    let damaged = said();
    assert!(damaged.contains("table-0.parquet`, which is not as it was written"), "{damaged}");
    assert!(damaged.contains("divide the run again, with `interligo slices`"), "{damaged}");
    std::fs::remove_file(&lookup).unwrap();
    let gone = said();
    assert!(gone.contains("table-0.parquet`, which cannot be read"), "{gone}");
    assert!(gone.contains("divide the run again, with `interligo slices`"), "{gone}");
}

#[test]
fn results_for_other_rows_of_a_server_are_not_joined() {
    let Some((schema, folder)) = shop("slices_changed") else { return };
    printed(&schema, &folder, &["slices", "2", "--into", "work"], &[]);
    printed(&schema, &folder, &["run", "--slice", "1/2", "--into", "work"], &NO_SERVER);
    // In the same order, and as many bytes.
    let other = "UPDATE slices_changed.prices_2025 SET price = price + 0.001";
    schema.server.client().batch_execute(other).unwrap();
    printed(&schema, &folder, &["slices", "2", "--into", "work"], &[]);
    printed(&schema, &folder, &["run", "--slice", "2/2", "--into", "work"], &NO_SERVER);
    let came = schema.run(&folder, &["join", "work"], &NO_SERVER);
    let said = String::from_utf8(came.stderr).unwrap();
    assert!(said.contains("slice 1 is of another division of the run"), "{said}");
    let again = printed(&schema, &folder, &["run", "--slice", "1/2", "--into", "work"], &NO_SERVER);
    assert_eq!(again, "slice 1 of 2 is done\n");
    printed(&schema, &folder, &["join", "work"], &NO_SERVER);
    assert!(written(&folder)[0].contains(",2.126,"));
}

#[test]
fn a_server_takes_the_lines_of_all_slices() {
    let Some(schema) = Schema::new("slices_into_a_server") else { return };
    let plan = "[tables.sales]\nrole = \"fact\"\nfrom = \"sales.csv\"\n\
        [outputs.lines]\nto = \"postgres:///postgres#slices_into_a_server.lines\"\ncolumns = [\"*\"]\n";
    // Rows of several blocks, so long that they are kept apart in the slices.
    let sales: String = (0..20_000).map(|n| format!("wax no {n},{}\n", n % 7)).collect();
    let sales = format!("item,quantity\n{sales}");
    let folder = Folder::with(&[("interligo.toml", plan), ("sales.csv", &sales)]);
    printed(&schema, &folder, &["slices", "2", "--into", "work"], &[]);
    for slice in ["1/2", "2/2"] {
        printed(
            &schema,
            &folder,
            &["run", "--slice", slice, "--into", "work", "--block", "80000"],
            &[],
        );
    }
    assert!(folder.path().join("work/slice-002/lines-0.bytes").metadata().unwrap().len() > 1 << 17);
    printed(&schema, &folder, &["join", "work"], &[]);
    let rows =
        "SELECT count(DISTINCT item)::text || ' ' || sum(quantity) FROM slices_into_a_server.lines";
    assert_eq!(schema.ask(rows).unwrap(), "20000 59997");
}
