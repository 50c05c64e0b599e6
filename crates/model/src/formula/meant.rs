//! What was most likely meant by what a formula does not have: operators, functions and forms that other languages
//! of formulas share.

use super::lexer::{Token, TokenKind};
use super::syntax::{Node, NodeKind, Operator};

/// Operators of other languages, each with what to write. Longer ones come before those that begin them.
const OPERATORS: [(&str, &str); 15] = [
    ("==", "write `=`"),
    ("!=", "write `<>`"),
    ("=<", "write `<=`"),
    ("=>", "write `>=`"),
    ("&&", "write `and`"),
    ("**", "write `power(x, n)`"),
    ("&", "write `||` to join texts, or `and` between conditions"),
    ("^", "write `power(x, n)`"),
    ("%", "write `mod(x, y)` for the remainder, or `x / 100` for a percentage"),
    ("!", "write `not`"),
    (";", "separate values with commas"),
    ("’", "write text in straight single quotes: 'text'"),
    ("‘", "write text in straight single quotes: 'text'"),
    ("“", "write text in straight single quotes: 'text'"),
    ("[", "write a name with spaces in double quotes: \"unit price\""),
];

/// Functions of other languages, each with what to write.
const CALLS: [(&[&str], &str); 13] = [
    (&["percentile", "mode"], "there are `median(x)`, `avg(x)`, `min(x)` and `max(x)`"),
    (&["average", "mean"], "write `avg(x)`"),
    (&["len", "length"], "write `char_length(x)`"),
    (&["substr", "mid"], "write `substring(x from n for m)`"),
    (&["ifnull", "isnull", "nvl", "ifblank"], "write `coalesce(x, y)`"),
    (&["isblank", "isempty", "isna"], "write `x is blank`"),
    (&["iif", "case", "when", "switch"], "write `if … then … else …`"),
    (&["ucase", "toupper", "uppercase"], "write `upper(x)`"),
    (&["lcase", "tolower", "lowercase"], "write `lower(x)`"),
    (&["concat", "concatenate"], "write `x || y`"),
    (&["int", "truncate", "trunc"], "write `floor(x)`, which rounds down"),
    (&["ceil"], "write `ceiling(x)`"),
    (&["contains"], "write `x like '%text%'`"),
];

/// An operator of another language at the start of a text, with what to write.
pub(super) fn operator(text: &str) -> Option<(&'static str, &'static str)> {
    OPERATORS.into_iter().find(|(operator, _)| text.starts_with(operator))
}

/// What to write for a function that there is not.
pub(super) fn call(name: &str) -> Option<&'static str> {
    let name = name.to_lowercase().replace('_', "");
    CALLS.iter().find(|(names, _)| names.contains(&name.as_str())).map(|(_, help)| *help)
}

/// What to write for a number with a comma, where a comma was not expected.
pub(super) fn decimal_comma(text: &str, tokens: &[Token], comma: usize) -> Option<String> {
    let around = tokens.get(comma.checked_sub(1)?..comma + 2)?;
    let [whole, symbol, decimals] = around else { return None };
    let number = |token: &Token| matches!(token.kind, TokenKind::Number(_));
    let together = whole.span.end == symbol.span.start && symbol.span.end == decimals.span.start;
    let is_one = symbol.kind == TokenKind::Comma && number(whole) && number(decimals) && together;
    is_one
        .then(|| format!("write `{}.{}`", &text[whole.span.clone()], &text[decimals.span.clone()]))
}

/// What to write for `if(a, b, c)`, whose parenthesis is the token at `open`.
pub(super) fn if_call(text: &str, tokens: &[Token], open: usize) -> Option<String> {
    let mut depth = 0usize;
    let mut parts = Vec::new();
    let mut from = tokens.get(open)?.span.end;
    for token in &tokens[open..] {
        match token.kind {
            TokenKind::Open => depth += 1,
            TokenKind::Comma if depth == 1 => {
                parts.push(text[from..token.span.start].trim());
                from = token.span.end;
            }
            TokenKind::Close if depth == 1 => {
                parts.push(text[from..token.span.start].trim());
                break;
            }
            TokenKind::Close => depth = depth.saturating_sub(1),
            _ => {}
        }
    }
    match parts.as_slice() {
        [condition, then] => Some(format!("write `if {condition} then {then}`")),
        [condition, then, otherwise] => {
            Some(format!("write `if {condition} then {then} else {otherwise}`"))
        }
        _ => None,
    }
}

/// Whether `||` joins texts somewhere in this, outside of functions.
pub(super) fn joins(node: &Node) -> bool {
    match &node.kind {
        NodeKind::Binary(Operator::Join, ..) => true,
        NodeKind::Binary(_, left, right) => joins(left) || joins(right),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::super::parser::parse;
    use crate::written::Written;

    #[test]
    fn what_other_languages_write_is_offered_in_ours() {
        for (text, at, help) in [
            ("a == 1", "==", "write `=`"),
            ("a != 1", "!=", "write `<>`"),
            ("a = 1 && b = 2", "&&", "write `and`"),
            ("a => 1", "=>", "write `>=`"),
            ("a ** 2", "**", "write `power(x, n)`"),
            ("a = ‘x’", "‘", "write text in straight single quotes: 'text'"),
            ("a = 'x' || b = 'y'", "=", "write `or` between conditions; `||` joins texts"),
            ("a > 0,1", ",", "write `0.1`"),
            ("if(a > 1, round(b, 2), 0)", "if", "write `if a > 1 then round(b, 2) else 0`"),
            ("1 + if(a, 'x')", "if", "write `if a then 'x'`"),
            ("mode(a)", "mode", "there are `median(x)`, `avg(x)`, `min(x)` and `max(x)`"),
            ("IFNULL(a, 0)", "IFNULL", "write `coalesce(x, y)`"),
        ] {
            let written = Written::in_option("formula", text, 0..text.len());
            let mistake = parse(&written).unwrap_err();
            assert_eq!(mistake.help.as_deref(), Some(help), "{text}: {mistake}");
            assert_eq!(&text[mistake.at.span.unwrap()], at, "{text}");
        }
        // What is ours stays so.
        for text in ["if (a > 1) then b else c", "a in (0,1)", "round(a,1)", "a || b = 'x'"] {
            let written = Written::in_option("formula", text, 0..text.len());
            assert!(parse(&written).is_ok(), "{text}");
        }
    }
}
