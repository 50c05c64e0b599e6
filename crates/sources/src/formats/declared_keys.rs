//! What files and databases state of keys and of links between their tables.

/// One foreign key, by the names of tables and columns.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ForeignKey {
    /// The table that has the columns.
    pub from: (String, Vec<String>),
    /// The table that they name a row of.
    pub to: (String, Vec<String>),
}

/// What is stated of some tables, by name: a file, or a table of a database.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct KeysStated {
    /// Tables with the columns of their keys.
    pub keys: Vec<(String, Vec<String>)>,
    /// The links.
    pub links: Vec<ForeignKey>,
}
