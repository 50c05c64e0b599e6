//! The words of formulas and paths.

use std::ops::Range;

use unicode_normalization::UnicodeNormalization;

use super::meant;
use crate::values::decimal::Decimal;
use crate::written::{Mistake, MistakeKind, Written};

/// One word or symbol, with its place in the text.
#[derive(Clone, Debug, PartialEq)]
pub struct Token {
    /// What it is.
    pub kind: TokenKind,
    /// Where it is in the text.
    pub span: Range<usize>,
}

/// What a token is.
#[derive(Clone, Debug, PartialEq)]
pub enum TokenKind {
    /// A name as it is, or a word of the language.
    Name(String),
    /// A name in double quotes; never a word of the language.
    Quoted(String),
    /// Text in single quotes.
    Text(String),
    /// A number.
    Number(Decimal),
    /// `.`
    Dot,
    /// `,`
    Comma,
    /// `(`
    Open,
    /// `)`
    Close,
    /// `->`
    Arrow,
    /// `||`
    Join,
    /// `+`
    Plus,
    /// `-`
    Minus,
    /// `*`
    Times,
    /// `/`
    Divide,
    /// `=`
    Equal,
    /// `<>`
    NotEqual,
    /// `<`
    Less,
    /// `<=`
    LessOrEqual,
    /// `>`
    Greater,
    /// `>=`
    GreaterOrEqual,
}

/// Symbols of two letters come before those that begin them.
const SIGNS: [(&str, TokenKind); 17] = [
    ("||", TokenKind::Join),
    ("->", TokenKind::Arrow),
    ("<>", TokenKind::NotEqual),
    ("<=", TokenKind::LessOrEqual),
    (">=", TokenKind::GreaterOrEqual),
    ("<", TokenKind::Less),
    (">", TokenKind::Greater),
    ("=", TokenKind::Equal),
    ("+", TokenKind::Plus),
    ("-", TokenKind::Minus),
    ("*", TokenKind::Times),
    ("/", TokenKind::Divide),
    ("(", TokenKind::Open),
    (")", TokenKind::Close),
    (",", TokenKind::Comma),
    (".", TokenKind::Dot),
    ("−", TokenKind::Minus),
];

/// Splits a formula or path into its words.
pub fn tokens(written: &Written) -> Result<Vec<Token>, Mistake> {
    let text = written.text.as_str();
    let mut found = Vec::new();
    let mut at = 0;
    while let Some(first) = text[at..].chars().next() {
        if first.is_whitespace() {
            at += first.len_utf8();
            continue;
        }
        if let Some((operator, help)) = meant::operator(&text[at..]) {
            let message = format!("`{operator}` has no meaning here");
            let range = at..at + operator.len();
            return Err(written.mistake(MistakeKind::Syntax, range, message).help(help));
        }
        let (kind, length) = match first {
            '\'' | '"' => quoted(written, at, first)?,
            '0'..='9' => number(written, at)?,
            _ if first.is_alphabetic() => {
                let length = run(&text[at..], |c| c.is_alphanumeric() || c == '_');
                (TokenKind::Name(text[at..at + length].nfc().collect()), length)
            }
            _ => match SIGNS.iter().find(|(sign, _)| text[at..].starts_with(sign)) {
                Some((sign, kind)) => (kind.clone(), sign.len()),
                None => {
                    let range = at..at + first.len_utf8();
                    return Err(written
                        .mistake(MistakeKind::Syntax, range, format!("`{first}` has no meaning here"))
                        .help("put a name with other characters than letters, digits and `_` in double quotes"));
                }
            },
        };
        found.push(Token { kind, span: at..at + length });
        at += length;
    }
    Ok(found)
}

/// Text or a name in quotes; the quote itself is written twice.
fn quoted(written: &Written, at: usize, quote: char) -> Result<(TokenKind, usize), Mistake> {
    let rest = &written.text[at + 1..];
    let mut content = String::new();
    let mut from = 0;
    loop {
        let Some(end) = rest[from..].find(quote) else {
            let message = format!("the quote {quote} is not closed");
            return Err(written.mistake(MistakeKind::Syntax, at..written.text.len(), message));
        };
        content.push_str(&rest[from..from + end]);
        from += end + 1;
        if !rest[from..].starts_with(quote) {
            break;
        }
        content.push(quote);
        from += 1;
    }
    let kind = if quote == '"' {
        TokenKind::Quoted(content.nfc().collect())
    } else {
        TokenKind::Text(content)
    };
    Ok((kind, from + 1))
}

fn number(written: &Written, at: usize) -> Result<(TokenKind, usize), Mistake> {
    let rest = &written.text[at..];
    let whole = run(rest, |c| c.is_ascii_digit());
    let length = match rest[whole..].strip_prefix('.') {
        Some(fraction) => whole + 1 + run(fraction, |c| c.is_ascii_digit()),
        None => whole,
    };
    match Decimal::parse(&rest.as_bytes()[..length]) {
        Some(value)
            if !rest[length..].starts_with(|c: char| c.is_alphanumeric() || "_.".contains(c)) =>
        {
            Ok((TokenKind::Number(value), length))
        }
        _ => {
            let end = at + run(rest, |c| c.is_alphanumeric() || "._".contains(c));
            Err(written
                .mistake(
                    MistakeKind::Syntax,
                    at..end,
                    format!("`{}` is not a number", &written.text[at..end]),
                )
                .help(
                    "write numbers as 1234.56; put a name that begins with a digit in double quotes",
                ))
        }
    }
}

fn run(text: &str, belongs: impl Fn(char) -> bool) -> usize {
    text.find(|c| !belongs(c)).unwrap_or(text.len())
}
