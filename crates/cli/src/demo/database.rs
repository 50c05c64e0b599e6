//! A part of the demo as a SQLite database.

use std::io;
use std::path::Path;

use rusqlite::Connection;

use super::book::cells;

/// The files that become tables, and their names there.
pub(super) const TABLES: [(&str, &str); 2] =
    [("sales/corvo_2025.csv", "corvo_2025"), ("customers.csv", "customers")];

/// Moves files of a demo into tables of a new database.
pub(super) fn move_into(folder: &Path, database: &Path) -> io::Result<()> {
    if database.exists() {
        std::fs::remove_file(database)?;
    }
    let mut connection = Connection::open(database).map_err(io::Error::other)?;
    for (file, table) in TABLES {
        let path = folder.join(file);
        let text = std::fs::read_to_string(&path)?;
        load(&mut connection, table, &text).map_err(io::Error::other)?;
        std::fs::remove_file(path)?;
    }
    Ok(())
}

fn load(connection: &mut Connection, table: &str, text: &str) -> rusqlite::Result<()> {
    let mut lines = text.lines();
    let column_names = cells(lines.next().unwrap_or_default());
    let columns: Vec<String> =
        column_names.iter().map(|column_name| format!("\"{column_name}\"")).collect();
    let marks = vec!["?"; column_names.len()].join(", ");
    let transaction = connection.transaction()?;
    transaction.execute(&format!("CREATE TABLE {table} ({})", columns.join(", ")), [])?;
    {
        let insert = format!("INSERT INTO {table} VALUES ({marks})");
        let mut insert = transaction.prepare(&insert)?;
        for line in lines {
            insert.execute(rusqlite::params_from_iter(cells(line)))?;
        }
    }
    transaction.commit()
}
