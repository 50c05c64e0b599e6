//! From words to the syntax tree, by precedence climbing: `or`, `and`, `not`, comparison, `+ -`,
//! `* /`, symbol.

use super::lexer::{Token, TokenKind, tokens};
use super::meant;
use super::syntax::{COMPARISON, NOT, Node, NodeKind, Operator, SIGN};
use crate::written::{ColumnName, Mistake, MistakeKind, Written};

/// Words that are part of the language and are in double quotes when they are names.
const WORDS: [&str; 15] = [
    "and", "or", "not", "if", "then", "else", "in", "between", "is", "blank", "as", "of", "lines",
    "true", "false",
];

/// Formulas nested deeper than this are refused, before they exhaust the stack.
const DEEPEST: usize = 100;

/// So are formulas of more words than this: a long sum is a deep tree as well.
const LONGEST: usize = 4_000;

/// Reads a formula.
pub fn parse(written: &Written) -> Result<Node, Mistake> {
    let tokens = tokens(written)?;
    let mut parser = Parser { written, tokens: &tokens, at: 0, depth: 0 };
    if tokens.is_empty() {
        return Err(written.mistaken(MistakeKind::Syntax, "the formula is empty"));
    }
    if tokens.len() > LONGEST {
        return Err(written.mistaken(
            MistakeKind::TooLarge,
            format!("the formula has more than {LONGEST} words; split it into several figures"),
        ));
    }
    let node = parser.expression(0)?;
    if parser.at < tokens.len() {
        return Err(parser.unexpected("an operator or the end of the formula"));
    }
    Ok(node)
}

/// The words of a formula and how far they are read.
pub(super) struct Parser<'a> {
    pub(super) written: &'a Written,
    tokens: &'a [Token],
    at: usize,
    depth: usize,
}

impl Parser<'_> {
    /// An expression whose operators bind at least so tightly.
    pub(super) fn expression(&mut self, least: u8) -> Result<Node, Mistake> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return Err(self.written.mistaken(
                MistakeKind::TooLarge,
                format!(
                    "the formula is nested more than {DEEPEST} deep; split it into several figures"
                ),
            ));
        }
        let mut left = self.operand()?;
        loop {
            if least <= COMPARISON
                && let Some(test) = self.test(&left)?
            {
                left = test;
                continue;
            }
            let Some(operator) = self.operator() else { break };
            let power = operator.binding();
            if power < least {
                break;
            }
            self.at += 1;
            let right = self.expression(power + 1)?;
            if power == COMPARISON && self.operator().is_some_and(|o| o.binding() == COMPARISON) {
                let mistake = self.unexpected("`and` between two comparisons");
                return Err(match meant::joins(&right) {
                    true => mistake.help("write `or` between conditions; `||` joins texts"),
                    false => mistake,
                });
            }
            let span = left.span.start..right.span.end;
            left = Node { kind: NodeKind::Binary(operator, Box::new(left), Box::new(right)), span };
        }
        self.depth -= 1;
        Ok(left)
    }

    /// `is [not] blank`, `[not] in (…)`, `[not] between … and …` after an operand.
    fn test(&mut self, left: &Node) -> Result<Option<Node>, Mistake> {
        let operand = Box::new(left.clone());
        let kind = if self.word("is") {
            let negated = self.word("not");
            if !self.word("blank") {
                return Err(self.unexpected("`blank` or `not blank` after `is`"));
            }
            NodeKind::IsBlank { operand, negated }
        } else {
            let negated = self.peek_word(0, "not")
                && ["in", "between", "like"].iter().any(|word| self.peek_word(1, word));
            self.at += usize::from(negated);
            if self.word("in") {
                self.expect(&TokenKind::Open, "`(` after `in`")?;
                NodeKind::In { operand, list: self.arguments()?, negated }
            } else if self.word("between") {
                let low = Box::new(self.expression(COMPARISON + 1)?);
                if !self.word("and") {
                    return Err(self.unexpected("`and` between the two ends"));
                }
                let high = Box::new(self.expression(COMPARISON + 1)?);
                NodeKind::Between { operand, low, high, negated }
            } else if self.word("like") {
                let pattern = Box::new(self.expression(COMPARISON + 1)?);
                NodeKind::Like { operand, pattern, negated }
            } else {
                return Ok(None);
            }
        };
        Ok(Some(Node { kind, span: left.span.start..self.end() }))
    }

    fn operator(&self) -> Option<Operator> {
        let token = self.tokens.get(self.at)?;
        Some(match &token.kind {
            TokenKind::Plus => Operator::Add,
            TokenKind::Minus => Operator::Subtract,
            TokenKind::Times => Operator::Multiply,
            TokenKind::Divide => Operator::Divide,
            TokenKind::Join => Operator::Join,
            TokenKind::Equal => Operator::Equal,
            TokenKind::NotEqual => Operator::NotEqual,
            TokenKind::Less => Operator::Less,
            TokenKind::LessOrEqual => Operator::LessOrEqual,
            TokenKind::Greater => Operator::Greater,
            TokenKind::GreaterOrEqual => Operator::GreaterOrEqual,
            TokenKind::Name(word) if word == "and" => Operator::And,
            TokenKind::Name(word) if word == "or" => Operator::Or,
            _ => return None,
        })
    }

    fn operand(&mut self) -> Result<Node, Mistake> {
        let Some(token) = self.tokens.get(self.at) else {
            return Err(self.unexpected("a value"));
        };
        let start = token.span.start;
        let kind = match &token.kind {
            TokenKind::Number(value) => self.take(NodeKind::Number(*value)),
            TokenKind::Text(text) => self.take(NodeKind::Text(text.clone())),
            TokenKind::Minus => {
                self.at += 1;
                NodeKind::Negate(Box::new(self.expression(SIGN)?))
            }
            TokenKind::Open => {
                self.at += 1;
                let inner = self.expression(0)?;
                self.expect(&TokenKind::Close, "`)`")?;
                // The parentheses have done their work; the node keeps them in its span.
                inner.kind
            }
            TokenKind::Name(word) => match word.as_str() {
                "blank" if !self.is_call() => self.take(NodeKind::Blank),
                "true" | "false" => self.take(NodeKind::YesNo(word == "true")),
                "not" => {
                    self.at += 1;
                    NodeKind::Not(Box::new(self.expression(NOT)?))
                }
                "if" => self.condition()?,
                _ if self.is_call() => {
                    self.at += 2;
                    self.call(word, &token.span)?
                }
                "lines" => self.take(NodeKind::Lines),
                _ if WORDS.contains(&word.as_str()) => return Err(self.unexpected("a value")),
                _ => self.name()?,
            },
            TokenKind::Quoted(_) => self.name()?,
            _ => return Err(self.unexpected("a value")),
        };
        Ok(Node { kind, span: start..self.end() })
    }

    fn condition(&mut self) -> Result<NodeKind, Mistake> {
        let word = self.at;
        self.at += 1;
        let condition = Box::new(self.expression(0).map_err(|mistake| {
            match meant::if_call(&self.written.text, self.tokens, word + 1) {
                Some(help) if self.tokens[word + 1].kind == TokenKind::Open => {
                    let span = self.tokens[word].span.clone();
                    let message = "`if` is written with `then` and `else`, not with commas";
                    self.written.mistake(MistakeKind::Syntax, span, message).help(help)
                }
                _ => mistake,
            }
        })?);
        if !self.word("then") {
            return Err(self.unexpected("`then`"));
        }
        let then = Box::new(self.expression(0)?);
        let otherwise = if self.word("else") { Some(Box::new(self.expression(0)?)) } else { None };
        Ok(NodeKind::If { condition, then, otherwise })
    }

    fn name(&mut self) -> Result<NodeKind, Mistake> {
        let name_at = |at: usize| match self.tokens.get(at) {
            Some(Token { kind: TokenKind::Name(name) | TokenKind::Quoted(name), span }) => {
                Some((name.clone(), span.clone()))
            }
            _ => None,
        };
        let Some((mut column, mut span)) = name_at(self.at) else {
            return Err(self.unexpected("a name"));
        };
        let mut through = Vec::new();
        self.at += 1;
        while self.tokens.get(self.at).is_some_and(|t| t.kind == TokenKind::Dot) {
            self.at += 1;
            let Some((next, end)) = name_at(self.at) else {
                return Err(self.unexpected("a column name after the point"));
            };
            self.at += 1;
            through.push(std::mem::replace(&mut column, next));
            span.end = end.end;
        }
        Ok(NodeKind::Name(ColumnName { through, column, span }))
    }

    /// Whether a parenthesis follows the word here.
    fn is_call(&self) -> bool {
        self.tokens.get(self.at + 1).is_some_and(|next| next.kind == TokenKind::Open)
    }

    /// Values up to the closing parenthesis; the opening one is taken.
    pub(super) fn arguments(&mut self) -> Result<Vec<Node>, Mistake> {
        let mut arguments = vec![self.expression(0)?];
        while self.tokens.get(self.at).is_some_and(|t| t.kind == TokenKind::Comma) {
            self.at += 1;
            arguments.push(self.expression(0)?);
        }
        self.expect(&TokenKind::Close, "`,` or `)`")?;
        Ok(arguments)
    }

    fn take(&mut self, kind: NodeKind) -> NodeKind {
        self.at += 1;
        kind
    }

    pub(super) fn peek_word(&self, ahead: usize, word: &str) -> bool {
        matches!(self.tokens.get(self.at + ahead),
            Some(Token { kind: TokenKind::Name(name), .. }) if name == word)
    }

    /// Takes a word, if it is there.
    pub(super) fn word(&mut self, word: &str) -> bool {
        let here = self.peek_word(0, word);
        self.at += usize::from(here);
        here
    }

    pub(super) fn expect(&mut self, kind: &TokenKind, shown: &str) -> Result<(), Mistake> {
        if self.tokens.get(self.at).is_some_and(|t| t.kind == *kind) {
            self.at += 1;
            return Ok(());
        }
        Err(self.unexpected(shown))
    }

    /// Where the last token taken ends.
    pub(super) fn end(&self) -> usize {
        self.at.checked_sub(1).and_then(|at| self.tokens.get(at)).map_or(0, |t| t.span.end)
    }

    pub(super) fn unexpected(&self, wanted: &str) -> Mistake {
        let text = &self.written.text;
        match self.tokens.get(self.at) {
            Some(token) => {
                let message = format!("found `{}`, wanted {wanted}", &text[token.span.clone()]);
                let mistake =
                    self.written.mistake(MistakeKind::Syntax, token.span.clone(), message);
                match meant::decimal_comma(text, self.tokens, self.at) {
                    Some(help) => mistake.help(help),
                    None => mistake,
                }
            }
            None => self.written.mistake(
                MistakeKind::Syntax,
                text.len()..text.len(),
                format!("the formula ends, wanted {wanted}"),
            ),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn written(text: &str) -> Written {
        Written::in_option("formula", text, 0..text.len())
    }

    /// The tree with every operation in parentheses.
    fn shape(node: &Node) -> String {
        let list = |nodes: &[Node]| nodes.iter().map(shape).collect::<Vec<_>>().join(" ");
        match &node.kind {
            NodeKind::Number(value) => value.to_string(),
            NodeKind::Text(text) => format!("'{text}'"),
            NodeKind::YesNo(yes) => yes.to_string(),
            NodeKind::Blank => "blank".into(),
            NodeKind::Name(name) => {
                let parts = name.through.iter().chain([&name.column]);
                parts.map(String::as_str).collect::<Vec<_>>().join(".")
            }
            NodeKind::Lines => "#".into(),
            NodeKind::Negate(a) => format!("(- {})", shape(a)),
            NodeKind::Not(a) => format!("(not {})", shape(a)),
            NodeKind::Binary(o, a, b) => format!("({} {} {})", o.symbol(), shape(a), shape(b)),
            NodeKind::If { condition, then, otherwise } => {
                let otherwise = otherwise.as_ref().map_or("blank".into(), |o| shape(o));
                format!("(if {} {} {otherwise})", shape(condition), shape(then))
            }
            NodeKind::IsBlank { operand, negated } => {
                format!("(blank? {negated} {})", shape(operand))
            }
            NodeKind::In { operand, list: items, negated } => {
                format!("(in {negated} {} {})", shape(operand), list(items))
            }
            NodeKind::Between { operand, low, high, negated } => {
                format!("(between {negated} {} {} {})", shape(operand), shape(low), shape(high))
            }
            NodeKind::Like { operand, pattern, negated } => {
                format!("(like {negated} {} {})", shape(operand), shape(pattern))
            }
            NodeKind::Call(function, arguments) => format!("({function:?} {})", list(arguments)),
        }
    }

    #[test]
    fn operators_bind_as_in_arithmetic_and_logic() {
        for (text, expected) in [
            ("a + b * c", "(+ a (* b c))"),
            ("(a + b) * c", "(* (+ a b) c)"),
            ("a - b - c", "(- (- a b) c)"),
            ("-a * b", "(* (- a) b)"),
            ("a / b / c", "(/ (/ a b) c)"),
            ("not a = b and c < 2 or d", "(or (and (not (= a b)) (< c 2)) d)"),
            ("if a > 1 then b else c + 1", "(if (> a 1) b (+ c 1))"),
            ("if a is blank then 0", "(if (blank? false a) 0 blank)"),
            ("a not in ('x', 'y''z')", "(in true a 'x' 'y'z')"),
            ("a between 1 and 2 and b", "(and (between false a 1 2) b)"),
            ("a + 1 between 2 and 3", "(between false (+ a 1) 2 3)"),
            (r#"prices."unit price" * "if""#, "(* prices.unit price if)"),
            ("round(a, 2, 'half-up')", "(Round(2, HalfUp) a)"),
            ("coalesce(a, 0)", "(Coalesce a 0)"),
            ("year(d) = '2025'", "(= (Period(Year) d) '2025')"),
        ] {
            assert_eq!(shape(&parse(&written(text)).unwrap()), expected, "{text}");
        }
    }

    #[test]
    fn mistakes_stand_at_their_word() {
        for (text, at, message) in [
            ("a +", "", "the formula ends, wanted a value"),
            ("a b", "b", "found `b`, wanted an operator or the end of the formula"),
            ("(a + b", "", "the formula ends, wanted `)`"),
            ("a < b < c", "<", "found `<`, wanted `and` between two comparisons"),
            ("rund(a, 2)", "rund", "there is no function `rund`"),
            ("round(a, b)", "b", "the places of `round` are a whole number from 0 to 20"),
            ("abs(a, b)", "abs(a, b)", "`abs` was given 2 values"),
            ("if a then b else", "", "the formula ends, wanted a value"),
            ("'open", "'open", "the quote ' is not closed"),
            ("a ? b", "?", "`?` has no meaning here"),
            ("1.2.3", "1.2.3", "`1.2.3` is not a number"),
            ("", "", "the formula is empty"),
            ("a is b", "b", "found `b`, wanted `blank` or `not blank` after `is`"),
        ] {
            let mistake = parse(&written(text)).unwrap_err();
            assert_eq!(mistake.message, message, "{text}");
            assert_eq!(&text[mistake.at.span.unwrap()], at, "{text}");
        }
        let deep = "(".repeat(500) + "1" + &")".repeat(500);
        assert!(parse(&written(&deep)).unwrap_err().message.contains("nested"));
        let long = "1 + ".repeat(2_500) + "1";
        assert!(parse(&written(&long)).unwrap_err().message.contains("words"));
    }
}
