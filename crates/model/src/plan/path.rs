//! The path of a link: `sales.item -> prices.sku as of sold_on`; with keys of several columns and
//! alternatives: `sales.item + customers.price_class or sales.item -> prices.sku`.

use std::ops::Range;

use crate::formula::{Token, TokenKind, tokens};
use crate::written::{ColumnName, Mistake, MistakeKind, Written};

/// A link's path.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LinkPath {
    /// The candidates for the key, in the order in which they are tried; each names its columns.
    pub from: Vec<Vec<ColumnName>>,
    /// The columns of the lookup that it is found in, all of one table.
    pub to: Vec<ColumnName>,
    /// The date on which the row must hold.
    pub as_of: Option<ColumnName>,
}

impl LinkPath {
    /// The lookup.
    pub fn to_table(&self) -> &str {
        &self.to[0].through[0]
    }

    /// All columns that the key is made of.
    pub fn parts(&self) -> impl Iterator<Item = &ColumnName> {
        self.from.iter().flatten()
    }
}

const SHAPE: &str = "a path reads `table.column -> lookup.column`; several columns are joined by `+`, alternatives \
                     by `or`, and `as of date_column` may follow";

/// Reads a path.
pub fn parse_link_path(written: &Written) -> Result<LinkPath, Mistake> {
    let tokens = tokens(written)?;
    let mut reader = PathReader { written, tokens: &tokens, at: 0 };
    let mut from = vec![reader.columns(None)?];
    while reader.word("or") {
        let table = from[0][0].through.clone();
        from.push(reader.columns(Some(&table))?);
    }
    reader.expect(&TokenKind::Arrow, "`->`")?;
    let to = reader.columns(None)?;
    let as_of = if reader.word("as") {
        if !reader.word("of") {
            return Err(reader.unexpected("`of` after `as`"));
        }
        Some(reader.column()?)
    } else {
        None
    };
    if reader.at < tokens.len() {
        return Err(reader.unexpected("the end of the path"));
    }
    check_lookup(&to, written)?;
    let uneven = from.iter().find(|candidate| candidate.len() != to.len());
    if let Some(candidate) = uneven {
        let span = candidate[0].span.start..candidate[candidate.len() - 1].span.end;
        let message = format!("{} on the left, {} on the right", columns(candidate), columns(&to));
        return Err(written.mistake(MistakeKind::Syntax, span, message).help(
            "a key of several columns is compared column by column, in the order of writing",
        ));
    }
    Ok(LinkPath { from, to, as_of })
}

fn columns(names: &[ColumnName]) -> String {
    match names {
        [_] => "1 column".to_owned(),
        several => format!("{} columns", several.len()),
    }
}

/// The columns of the right side are of one table.
fn check_lookup(to: &[ColumnName], written: &Written) -> Result<(), Mistake> {
    for name in to {
        if let [_, _, ..] = name.through.as_slice() {
            return Err(written
                .mistake(
                    MistakeKind::Syntax,
                    name.span.clone(),
                    "a link leads to a table, written `table.column`",
                )
                .help(SHAPE));
        }
        if name.through != to[0].through {
            let message = format!(
                "a link leads to one table, and these are `{}` and `{}`",
                to[0].through.join("."),
                name.through.join(".")
            );
            return Err(written
                .mistake(MistakeKind::Syntax, name.span.clone(), message)
                .help(SHAPE));
        }
    }
    Ok(())
}

struct PathReader<'a> {
    written: &'a Written,
    tokens: &'a [Token],
    at: usize,
}

impl PathReader<'_> {
    /// Columns joined by `+`. One without a table is of the table of the first, or of `table`.
    fn columns(&mut self, table: Option<&[String]>) -> Result<Vec<ColumnName>, Mistake> {
        let mut first = self.column()?;
        if first.through.is_empty() {
            let Some(table) = table else {
                let message = format!("`{}` does not name its table", first.column);
                return Err(self
                    .written
                    .mistake(MistakeKind::Syntax, first.span.clone(), message)
                    .help(SHAPE));
            };
            first.through = table.to_vec();
        }
        let mut columns = vec![first];
        while self.tokens.get(self.at).is_some_and(|token| token.kind == TokenKind::Plus) {
            self.at += 1;
            let mut next = self.column()?;
            if next.through.is_empty() {
                next.through = columns[0].through.clone();
            }
            columns.push(next);
        }
        Ok(columns)
    }

    fn column(&mut self) -> Result<ColumnName, Mistake> {
        let (mut column, mut span) = self.name()?;
        let mut through = Vec::new();
        while let Some(Token { kind: TokenKind::Dot, .. }) = self.tokens.get(self.at) {
            self.at += 1;
            let (next, end) = self.name()?;
            through.push(std::mem::replace(&mut column, next));
            span.end = end.end;
        }
        Ok(ColumnName { through, column, span })
    }

    fn name(&mut self) -> Result<(String, Range<usize>), Mistake> {
        match self.tokens.get(self.at) {
            Some(Token { kind: TokenKind::Name(name) | TokenKind::Quoted(name), span }) => {
                self.at += 1;
                Ok((name.clone(), span.clone()))
            }
            _ => Err(self.unexpected("a table or column name")),
        }
    }

    fn word(&mut self, word: &str) -> bool {
        let here = matches!(self.tokens.get(self.at),
            Some(Token { kind: TokenKind::Name(name), .. }) if name == word);
        self.at += usize::from(here);
        here
    }

    fn expect(&mut self, kind: &TokenKind, shown: &str) -> Result<(), Mistake> {
        match self.tokens.get(self.at) {
            Some(token) if token.kind == *kind => {
                self.at += 1;
                Ok(())
            }
            _ => Err(self.unexpected(shown)),
        }
    }

    fn unexpected(&self, wanted: &str) -> Mistake {
        let text = &self.written.text;
        let mistake = match self.tokens.get(self.at) {
            Some(token) => self.written.mistake(
                MistakeKind::Syntax,
                token.span.clone(),
                format!("found `{}`, wanted {wanted}", &text[token.span.clone()]),
            ),
            None => self.written.mistake(
                MistakeKind::Syntax,
                text.len()..text.len(),
                format!("the path ends, wanted {wanted}"),
            ),
        };
        mistake.help(SHAPE)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn path(text: &str) -> Result<LinkPath, Mistake> {
        parse_link_path(&Written::in_option("path", text, 0..text.len()))
    }

    #[test]
    fn names_what_it_links() {
        let found = path(r#"sales."Kd-Nr" -> customers.no"#).unwrap();
        assert_eq!(found.from[0][0].through, ["sales"]);
        assert_eq!(found.from[0][0].column, "Kd-Nr");
        assert_eq!(found.to[0].column, "no");
        assert_eq!(found.as_of, None);
        let found = path("sales.item -> prices.sku as of sold_on").unwrap();
        assert_eq!(found.as_of.unwrap().column, "sold_on");
    }

    #[test]
    fn a_key_may_have_several_columns_and_alternatives() {
        let found =
            path("sales.item + ship.places.zone or item + zone -> prices.sku + zone").unwrap();
        let names = |columns: &[ColumnName]| -> Vec<String> {
            columns.iter().map(|c| format!("{}.{}", c.through.join("."), c.column)).collect()
        };
        assert_eq!(names(&found.from[0]), ["sales.item", "ship.places.zone"]);
        assert_eq!(names(&found.from[1]), ["sales.item", "sales.zone"]);
        assert_eq!(names(&found.to), ["prices.sku", "prices.zone"]);
    }

    #[test]
    fn says_what_it_wanted() {
        for (text, message) in [
            ("sales.item", "the path ends, wanted `->`"),
            ("sales.item = prices.sku", "found `=`, wanted `->`"),
            ("item -> prices.sku", "`item` does not name its table"),
            ("sales.item -> prices.sku as sold_on", "found `sold_on`, wanted `of` after `as`"),
            ("sales.item -> prices.sku on", "found `on`, wanted the end of the path"),
            ("sales.item + zone -> prices.sku", "2 columns on the left, 1 column on the right"),
            ("sales.a -> a.x.y", "a link leads to a table, written `table.column`"),
            ("s.a + b -> x.a + y.b", "a link leads to one table, and these are `x` and `y`"),
        ] {
            assert_eq!(path(text).unwrap_err().message, message);
        }
    }
}
