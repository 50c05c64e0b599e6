//! Tables of PostgreSQL, filled by COPY in one transaction, which stays open until all is well. That it commits decides
//! over the other outputs of the run, too. Where a run writes to several databases, the first decides; in the others rows
//! are beside their tables until it has.
//!
//! A table of an earlier run is emptied and filled: it keeps its rights, indexes and views, and its readers see the former
//! rows until the commit. Tables of others are left alone.

mod commit;
mod server;

pub(crate) use commit::PostgresServers;

use std::io::Write;

use interligo_model::values::column::Column;
use interligo_model::values::value::Value;

use self::server::{Filling, Server, failed, schema_and_table};
use super::typed::{refuse_names, typed_lines, typed_rows};
use crate::background::Background;
use crate::containers::{Container, Shared, with};
use crate::error::{Error, OutputErrorKind};
use crate::format::{
    Content, EncodeLines, LinesShape, OutputFormat, Piece, RowColumn, Target, Unfit, UnfitReason,
    WriteRows,
};
use crate::output_file::OutputFile;
use crate::raw_lines::LinesBatch;
use crate::transactions::ServerTable;

/// The schema of a table that names none.
const SCHEMA: &str = "public";

/// The longest name of a column, in bytes.
const LONGEST: usize = 63;

/// PostgreSQL.
pub(super) struct Postgres;

impl OutputFormat for Postgres {
    fn holds_several(&self) -> bool {
        true
    }

    fn can_append(&self) -> bool {
        true
    }

    fn refuse_table(&self, name: &str) -> Option<String> {
        let (schema, table) = schema_and_table(name);
        let unfit = |name: &str| name.is_empty() || name.len() > LONGEST || name.contains('\0');
        (unfit(schema) || unfit(table))
            .then(|| format!("the name of a table has 1 to {LONGEST} bytes"))
    }

    fn encode_lines(&self, shape: &LinesShape<'_>) -> Box<dyn EncodeLines> {
        Box::new(CopyLines { typed: typed_lines(shape), columns: shape.row_columns() })
    }

    fn encode_rows(&self, columns: &[RowColumn], rows: &[Vec<Value<'_>>]) -> Result<Piece, Unfit> {
        copy_text(typed_rows(columns, rows).as_columns(), columns)
    }

    fn begin(
        &self,
        target: &Target<'_>,
        columns: &[RowColumn],
    ) -> Result<Box<dyn WriteRows>, Error> {
        refuse_names(target.path, columns)?;
        if let Some(long) = columns.iter().find(|column| column.name.len() > LONGEST) {
            let reason = format!("`{}` is longer than the {LONGEST} bytes of a name", long.name);
            return Err(Error::new(OutputErrorKind::BadColumn, target.path, reason));
        }
        let table = ServerTable::new(target.table, columns);
        let decides = target.containers.decides(target.path);
        let server = target.containers.at(target.path, || {
            let server = Server::open(target.path, &table.schema, target.plan, decides)?;
            Ok(Box::new(server) as Box<dyn Container>)
        })?;
        let filling = with(&server, |server: &mut Server| server.table(table, &target.if_there))?;
        Background::of(Box::new(TableRows { server, filling, rows: 0 }), target.path)
    }
}

/// A table that takes rows.
struct TableRows {
    server: Shared,
    filling: Filling,
    rows: u64,
}

impl WriteRows for TableRows {
    fn write(&mut self, piece: Piece) -> Result<(), Error> {
        let copied = with(&self.server, |server: &mut Server| {
            let address = server.address.clone();
            let failed = |error: postgres::Error| failed(&address, &error);
            let mut copy = server.client()?.copy_in(&self.filling.copy).map_err(failed)?;
            let broken = |error: std::io::Error| Error::io(&address, &error);
            match &piece.content {
                Content::InFile(stretch) => stretch.copy_to(&mut copy, &address)?,
                _ => copy.write_all(piece.as_bytes()).map_err(broken)?,
            }
            copy.finish().map_err(failed)
        })?;
        self.rows += copied;
        Ok(())
    }

    fn rows(&mut self) -> Result<u64, Error> {
        Ok(self.rows)
    }

    fn finish(self: Box<Self>) -> Result<Option<OutputFile>, Error> {
        if let Some(append) = &self.filling.append {
            with(&self.server, |server: &mut Server| server.merge(append))?;
        }
        Ok(None)
    }
}

struct CopyLines {
    typed: Box<dyn EncodeLines>,
    columns: Vec<RowColumn>,
}

impl EncodeLines for CopyLines {
    fn encode(&self, batch: &LinesBatch<'_>, lines: &[u32]) -> Result<Piece, Unfit> {
        let typed = self.typed.encode(batch, lines)?;
        let placed = |unfit: Unfit| Unfit { line: lines[unfit.line as usize], ..unfit };
        copy_text(typed.as_columns(), &self.columns).map_err(placed)
    }
}

/// Rows in the text form of COPY.
fn copy_text(columns: &[Column], own: &[RowColumn]) -> Result<Piece, Unfit> {
    let rows = columns.first().map_or(0, Column::len);
    let mut bytes = Vec::new();
    for row in 0..rows {
        for (number, (column, own)) in columns.iter().zip(own).enumerate() {
            if number > 0 {
                bytes.push(b'\t');
            }
            match column.value(row) {
                Value::Blank => bytes.extend_from_slice(b"\\N"),
                Value::Text(text) if text.trim().is_empty() => bytes.extend_from_slice(b"\\N"),
                Value::Text(text) => {
                    if text.contains('\0') {
                        let value = text.replace('\0', "\\0");
                        let (column, why) = (own.name.clone(), UnfitReason::Nul);
                        return Err(Unfit { column, value, why, line: row as u32 });
                    }
                    write_escaped(&text, &mut bytes);
                }
                Value::YesNo(yes) => bytes.push(if yes { b't' } else { b'f' }),
                other => bytes.extend_from_slice(other.to_string().as_bytes()),
            }
        }
        bytes.push(b'\n');
    }
    Ok(Piece::bytes(bytes, rows as u64))
}

fn write_escaped(text: &str, bytes: &mut Vec<u8>) {
    for byte in text.bytes() {
        match byte {
            b'\\' => bytes.extend_from_slice(b"\\\\"),
            b'\t' => bytes.extend_from_slice(b"\\t"),
            b'\n' => bytes.extend_from_slice(b"\\n"),
            b'\r' => bytes.extend_from_slice(b"\\r"),
            other => bytes.push(other),
        }
    }
}
