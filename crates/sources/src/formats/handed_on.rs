//! Tables of a database server as they were at one moment, handed on to runs on other machines as Parquet files. The server is asked
//! once, and all runs see the same rows.
//!
//! A file has each value as the text that the server wrote, and the list of files says which fields the server knows as numbers or
//! days. So rows are read as from the server.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::fs::File;
use std::hash::{BuildHasher, Hash, Hasher};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use arrow_array::{Array, ArrayRef, RecordBatch};
use arrow_schema::{DataType, Field, Schema};
use foldhash::quality::FixedState;
use interligo_model::place::PartName;
use parquet::arrow::ArrowWriter;
use parquet::basic::{Compression, ZstdLevel};
use parquet::file::properties::WriterProperties;
use serde::{Deserialize, Serialize};

use super::parquet::ParquetFile;
use super::{Container, Wanted, What};
use crate::error::{Error, InputKind};
use crate::formats::declared_keys::KeysStated;
use crate::formats::head::{Head, Typed};
use crate::refusal::refusal;
use crate::table::settings::TableSettings;

/// Tables that were handed on, and the folder that their files are in.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct HandedOn {
    #[serde(skip)]
    folder: PathBuf,
    /// The names of all tables of each server, by the server as messages show it.
    names: BTreeMap<String, Vec<String>>,
    tables: Vec<HandedTable>,
}

/// A table or answer that was handed on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
struct HandedTable {
    /// The database, as messages show it.
    server: String,
    what: What,
    /// Its name in messages.
    shown: String,
    file: String,
    /// How many bytes the file has.
    bytes: u64,
    /// A number that is another where the values are others.
    fingerprint: u64,
    fields: Vec<HandedField>,
}

#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
struct HandedField {
    name: String,
    /// Whether its values are numbers or days by themselves.
    is_typed: bool,
    /// Whether days have times.
    has_times: bool,
}

impl HandedOn {
    /// None yet, for files in this folder.
    pub fn new(folder: &Path) -> HandedOn {
        HandedOn { folder: folder.to_owned(), ..HandedOn::default() }
    }

    /// The same in another folder.
    pub fn in_folder(self, folder: &Path) -> HandedOn {
        HandedOn { folder: folder.to_owned(), ..self }
    }

    /// The tables as messages name them, each with the name of its file.
    pub fn tables(&self) -> impl Iterator<Item = (&str, &str)> {
        self.tables.iter().map(|table| (table.shown.as_str(), table.file.as_str()))
    }

    /// Hands on a table of a server, unless it was.
    ///
    /// # Errors
    /// It cannot be read, or the file cannot be written.
    pub fn add(
        &mut self,
        (container, what): (&dyn Container, &What),
        name: &PartName,
    ) -> Result<(), Error> {
        let Some(server) = container.server() else { return Ok(()) };
        if self.tables.iter().any(|table| table.server == server && table.what == *what) {
            return Ok(());
        }
        if !self.names.contains_key(server) {
            self.names.insert(server.to_owned(), container.tables()?.unwrap_or_default());
        }
        let file = format!("table-{}.parquet", self.tables.len());
        std::fs::create_dir_all(&self.folder)
            .map_err(|error| unwritten(&self.folder, name, &refusal(&error)))?;
        let path = self.folder.join(&file);
        let head = container.look(what, name, TableSettings::default())?;
        let fingerprint = write(&head, &path, name)?;
        let bytes =
            path.metadata().map_err(|error| unwritten(&path, name, &refusal(&error)))?.len();
        let typed = head.column_names.into_iter().zip(head.typed);
        let fields = typed.map(|(name, typed)| HandedField {
            name,
            is_typed: typed.rows.contains(&true),
            has_times: typed.times,
        });
        self.tables.push(HandedTable {
            server: server.to_owned(),
            what: what.clone(),
            shown: name.to_string(),
            file,
            bytes,
            fingerprint,
            fields: fields.collect(),
        });
        Ok(())
    }

    /// A server with the tables of it that were handed on; the server itself where none were.
    pub(super) fn over(&self, server: Arc<dyn Container>) -> Arc<dyn Container> {
        let is_of = |table: &&HandedTable| server.server() == Some(&table.server);
        let tables: Vec<HandedTable> = self.tables.iter().filter(is_of).cloned().collect();
        let names = server.server().and_then(|server| self.names.get(server)).cloned();
        match names {
            None => server,
            Some(names) => {
                Arc::new(HandedServer { folder: self.folder.clone(), names, tables, server })
            }
        }
    }
}

/// Writes the rows of a table to a file; the answer is their fingerprint.
fn write(head: &Head, path: &Path, name: &PartName) -> Result<u64, Error> {
    let unwritten = |error: &dyn fmt::Display| unwritten(path, name, error);
    // Two columns of an answer may have one name.
    let mut known = BTreeSet::new();
    let names = head.column_names.iter().enumerate();
    let names = names.map(|(at, name)| match known.insert(name) {
        true => name.clone(),
        false => format!("{name} {}", at + 1),
    });
    let fields = names.map(|name| Field::new(name, DataType::Utf8View, true));
    let schema = Arc::new(Schema::new(fields.collect::<Vec<_>>()));
    let zstd = Compression::ZSTD(ZstdLevel::default());
    let properties = WriterProperties::builder().set_compression(zstd).build();
    let file = File::create(path).map_err(|error| unwritten(&refusal(&error)))?;
    let mut writer = ArrowWriter::try_new(file, schema.clone(), Some(properties))
        .map_err(|error| unwritten(&error))?;
    let mut fingerprint = FixedState::with_seed(0x6861_6e64).build_hasher();
    let mut reader = head.source.open(&Wanted::All)?;
    while let Some(block) = reader.next(BLOCK)? {
        let grid = block.rows.split(name, &head.column_names)?;
        let columns = (0..head.column_names.len()).map(|field| grid.column(field));
        let columns: Vec<ArrayRef> = columns
            .map(|texts| {
                texts.iter().for_each(|text| text.hash(&mut fingerprint));
                Arc::new(texts) as ArrayRef
            })
            .collect();
        let batch = RecordBatch::try_new(schema.clone(), columns);
        let batch = batch.map_err(|error| unwritten(&error))?;
        writer.write(&batch).map_err(|error| unwritten(&error))?;
    }
    let file = writer.into_inner().map_err(|error| unwritten(&error))?;
    file.sync_all().map_err(|error| unwritten(&refusal(&error)))?;
    Ok(fingerprint.finish())
}

fn unwritten(path: &Path, name: &PartName, error: &dyn fmt::Display) -> Error {
    Error::input(InputKind::Unreadable, name, format!("cannot be handed on: {error}"))
        .help(format!("look whether `{}` can be written", path.display()))
}

/// About how many bytes are read at a time.
const BLOCK: usize = 1 << 20;

/// A server of which some tables are in files.
struct HandedServer {
    folder: PathBuf,
    names: Vec<String>,
    tables: Vec<HandedTable>,
    server: Arc<dyn Container>,
}

impl Container for HandedServer {
    fn tables(&self) -> Result<Option<Vec<String>>, Error> {
        Ok(Some(self.names.clone()))
    }

    fn has(&self, name: &str) -> bool {
        let is_own = |table: &HandedTable| matches!(&table.what, What::Table(own) if own == name);
        self.tables.iter().any(is_own) || self.server.has(name)
    }

    fn answers(&self) -> bool {
        self.server.answers()
    }

    fn server(&self) -> Option<&str> {
        self.server.server()
    }

    fn keys_stated(&self) -> Result<KeysStated, Error> {
        self.server.keys_stated()
    }

    fn look(&self, what: &What, name: &PartName, given: TableSettings) -> Result<Head, Error> {
        let Some(table) = self.tables.iter().find(|table| table.what == *what) else {
            return self.server.look(what, name, given);
        };
        let path = self.folder.join(&table.file);
        let wrong = match path.metadata() {
            Ok(there) if there.len() == table.bytes => None,
            Ok(_) => Some("is not as it was written".to_owned()),
            Err(error) => Some(format!("cannot be read: {}", refusal(&error))),
        };
        if let Some(wrong) = wrong {
            let message = format!("was handed on as `{}`, which {wrong}", path.display());
            return Err(Error::input(InputKind::Damaged, name, message)
                .help("divide the run again, with `interligo slices`"));
        }
        let head = ParquetFile { path }.look(&What::Whole, name, given)?;
        let typed = table.fields.iter().zip(&head.sample).map(|(field, texts)| Typed {
            rows: vec![field.is_typed; texts.len()],
            times: field.has_times,
        });
        let typed = typed.collect();
        let column_names = table.fields.iter().map(|field| field.name.clone()).collect();
        Ok(Head { column_names, typed, ..head })
    }
}
