//! The path of a link: `sales.item -> prices.sku as of sold_on`.

use std::ops::Range;

use super::{Mistake, Written};
use crate::formula::{Token, TokenKind, tokens};

/// A column as a path or formula names it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct ColumnName {
    /// The table or link, when one stands before the point.
    pub(crate) table: Option<String>,
    /// The column.
    pub(crate) column: String,
    /// Where it stands in the written text.
    pub(crate) span: Range<usize>,
}

/// A link's path.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct LinkPath {
    /// The column that holds the key.
    pub(crate) from: ColumnName,
    /// The column of the lookup that it is found in.
    pub(crate) to: ColumnName,
    /// The date on which the row must hold.
    pub(crate) as_of: Option<ColumnName>,
}

const SHAPE: &str = "a path reads `table.column -> lookup.column`, or with `as of date_column`";

/// Reads a path.
pub(crate) fn parse_link_path(written: &Written) -> Result<LinkPath, Mistake> {
    let tokens = tokens(written)?;
    let mut reader = PathReader { written, tokens: &tokens, at: 0 };
    let from = reader.column()?;
    reader.expect(&TokenKind::Arrow, "`->`")?;
    let to = reader.column()?;
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
    for name in [&from, &to] {
        if name.table.is_none() {
            let message = format!("`{}` does not say its table", name.column);
            return Err(written.mistake(name.span.clone(), message).help(SHAPE));
        }
    }
    Ok(LinkPath { from, to, as_of })
}

struct PathReader<'a> {
    written: &'a Written,
    tokens: &'a [Token],
    at: usize,
}

impl PathReader<'_> {
    fn column(&mut self) -> Result<ColumnName, Mistake> {
        let first = self.name()?;
        let Some(Token { kind: TokenKind::Dot, .. }) = self.tokens.get(self.at) else {
            return Ok(ColumnName { table: None, column: first.0, span: first.1 });
        };
        self.at += 1;
        let second = self.name()?;
        Ok(ColumnName { table: Some(first.0), column: second.0, span: first.1.start..second.1.end })
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
                token.span.clone(),
                format!("found `{}`, wanted {wanted}", &text[token.span.clone()]),
            ),
            None => self
                .written
                .mistake(text.len()..text.len(), format!("the path ends, wanted {wanted}")),
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
        assert_eq!(found.from.table.as_deref(), Some("sales"));
        assert_eq!(found.from.column, "Kd-Nr");
        assert_eq!(found.to.column, "no");
        assert_eq!(found.as_of, None);
        let found = path("sales.item -> prices.sku as of sold_on").unwrap();
        assert_eq!(found.as_of.unwrap().column, "sold_on");
    }

    #[test]
    fn says_what_it_wanted() {
        for (text, message) in [
            ("sales.item", "the path ends, wanted `->`"),
            ("sales.item = prices.sku", "found `=`, wanted `->`"),
            ("item -> prices.sku", "`item` does not say its table"),
            ("sales.item -> prices.sku as sold_on", "found `sold_on`, wanted `of` after `as`"),
            ("sales.item -> prices.sku on", "found `on`, wanted the end of the path"),
        ] {
            assert_eq!(path(text).unwrap_err().message, message);
        }
    }
}
