//! Outputs in two databases and in files: the first database decides, the other follows it, and a run that breaks off anywhere
//! leaves all new or all old.

use crate::destinations::json_quantity;
use crate::server::{Schema, Server};
use crate::support::{Folder, SALES, shop, shop_but};

/// A second database on the server of the tests.
struct SecondDatabase {
    server: &'static Server,
    name: &'static str,
}

impl SecondDatabase {
    fn new(schema: &Schema, name: &'static str) -> SecondDatabase {
        let second = SecondDatabase { server: schema.server, name };
        second.drop_it();
        second.server.client().batch_execute(&format!("CREATE DATABASE {name}")).unwrap();
        second
    }

    fn drop_it(&self) {
        let gone = format!("DROP DATABASE IF EXISTS {} WITH (FORCE)", self.name);
        self.server.client().batch_execute(&gone).unwrap();
    }

    fn ask(&self, query: &str) -> Option<String> {
        let Server { folder, port, .. } = self.server;
        let login = format!("host={folder} port={port} user=mielo dbname={}", self.name);
        let mut client = postgres::Client::connect(&login, postgres::NoTls).unwrap();
        client.query_opt(query, &[]).ok()??.get(0)
    }

    fn quantity(&self) -> Option<String> {
        self.ask("SELECT sum(quantity)::text FROM copied")
    }

    /// The tables of its own schema.
    fn tables(&self) -> String {
        let names = "SELECT string_agg(tablename::text, ' ' ORDER BY tablename) FROM pg_tables \
                     WHERE schemaname = 'public'";
        self.ask(names).unwrap_or_default()
    }
}

impl Drop for SecondDatabase {
    fn drop(&mut self) {
        self.drop_it();
    }
}

fn outputs(schema: &str, second: &str) -> String {
    format!(
        "\n[outputs.lines]\nto = \"postgres:///postgres#{schema}.lines\"\n\
         [outputs.copy]\nto = \"postgres:///{second}#copied\"\ncolumns = [\"*\"]\n\
         [outputs.totals]\nto = \"postgres:///{second}#totals\"\nby = [\"item\"]\nshow = [\"quantity\"]\n\
         [outputs.file]\nto = \"lines.jsonl\"\ncolumns = [\"*\"]\n"
    )
}

const TABLES: &str = "copied interligo_runs interligo_tables totals";

#[test]
fn two_databases_and_files_are_all_new_or_all_old_after_a_crash_at_any_step() {
    if !cfg!(debug_assertions) {
        println!("left out: crashes on purpose are in builds with debug assertions alone");
        return;
    }
    let Some(schema) = Schema::new("first_of_two") else { return };
    let second = SecondDatabase::new(&schema, "interligo_second");
    let before = ["complete", "journal", "former", "beside", "marked"];
    let after = ["committed", "go", "move-0", "moved", "swap-0", "done"];
    for step in before.into_iter().chain(after) {
        let mut folder = shop(&outputs("first_of_two", "interligo_second"));
        let first = schema.run(&folder, &["run"], &[]);
        assert!(first.status.success(), "{}", String::from_utf8_lossy(&first.stderr));
        let all = |folder: &Folder| {
            [schema.quantity(), second.quantity(), json_quantity(folder)].map(Option::unwrap)
        };
        assert_eq!(all(&folder), ["15"; 3], "{step}");
        folder.put("sales.csv", SALES.replace("A,2", "A,9").as_bytes());
        let crash = schema.run(&folder, &["run"], &[("INTERLIGO_DIES_AFTER", step)]);
        assert_eq!(crash.status.code(), None, "{step}: the process dies");
        let next = schema.run(&folder, &["look", "sales"], &[]);
        assert!(next.status.success(), "{step}: {}", String::from_utf8_lossy(&next.stderr));
        let expected = if after.contains(&step) { "22" } else { "15" };
        assert_eq!(all(&folder), [expected; 3], "{step}");
        assert_eq!(second.tables(), TABLES, "{step}: nothing is left beside");
        let again = schema.run(&folder, &["run"], &[]);
        assert!(again.status.success(), "{step}: {}", String::from_utf8_lossy(&again.stderr));
        assert_eq!(all(&folder), ["22"; 3], "{step}");
    }
}

#[test]
fn a_table_that_came_in_the_way_meanwhile_is_not_replaced() {
    if !cfg!(debug_assertions) {
        return;
    }
    let Some(schema) = Schema::new("met_by_others") else { return };
    let second = SecondDatabase::new(&schema, "interligo_met");
    let folder = shop(&outputs("met_by_others", "interligo_met"));
    let crash = schema.run(&folder, &["run"], &[("INTERLIGO_DIES_AFTER", "go")]);
    assert_eq!(crash.status.code(), None);
    second.ask("CREATE TABLE copied AS SELECT 1 AS quantity");
    let met = schema.run(&folder, &["run"], &[]);
    let said = String::from_utf8_lossy(&met.stderr).into_owned();
    assert_eq!(met.status.code(), Some(4), "{said}");
    assert!(said.contains("its table `public.copied` was not made by Interligo"), "{said}");
    assert_eq!(second.quantity().as_deref(), Some("1"), "it stays");
    second.ask("DROP TABLE copied");
    let next = schema.run(&folder, &["look", "sales"], &[]);
    assert!(next.status.success());
    assert_eq!(second.quantity().as_deref(), Some("15"));
    assert_eq!(second.tables(), TABLES);
}

#[test]
fn a_refused_table_leaves_both_databases_as_they_were() {
    let Some(schema) = Schema::new("refused_of_two") else { return };
    let second = SecondDatabase::new(&schema, "interligo_refusing");
    second.ask("CREATE TABLE copied AS SELECT 1 AS quantity");
    let folder = shop(&outputs("refused_of_two", "interligo_refusing"));
    let met = schema.run(&folder, &["run"], &[]);
    assert_eq!(met.status.code(), Some(4), "{}", String::from_utf8_lossy(&met.stderr));
    assert_eq!((schema.quantity(), second.quantity().as_deref()), (None, Some("1")));
    assert_eq!(json_quantity(&folder), None);
    assert!(!second.tables().contains("interligo_1"), "{}", second.tables());
}

#[test]
fn lines_are_added_to_tables_of_the_first_database_alone() {
    let [first, second] = ["a", "b"].map(|name| {
        format!("[outputs.{name}]\nto = \"postgres://{name}/x#t\"\nwhen-there = \"append\"\n")
    });
    let more = format!("\n{first}{second}");
    let folder = shop_but("role = \"fact\"", "role = \"fact\"\nkey  = \"no\"", &more);
    let came = folder.run(&["run"]).status(2);
    let wanted = "outputs go to two databases, and lines are added to tables of the first alone";
    assert!(came.said().contains(wanted), "{}", came.said());
    assert!(came.said().contains("under [outputs.b]"), "{}", came.said());
}
