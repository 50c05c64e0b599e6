//! Calls of functions: which function a name is, and what is in its parentheses.

use std::ops::Range;

use super::FUNCTIONS;
use super::meant;
use super::parser::Parser;
use super::scalar::{FIELDS, PLAIN, Scalar};
use super::summaries::{SUMMARIES, Summary};
use super::syntax::{COMPARISON, Function, Node, NodeKind};
use crate::values::date::PeriodUnit;
use crate::values::decimal::Rounding;
use crate::written::{Mistake, MistakeKind, nearest_name};

/// The parts of a day that have a function of their own.
const PERIODS: [PeriodUnit; 5] =
    [PeriodUnit::Year, PeriodUnit::Quarter, PeriodUnit::Month, PeriodUnit::Week, PeriodUnit::Day];

impl Parser<'_> {
    /// A call, from behind its opening parenthesis.
    pub(super) fn call(&mut self, name: &str, span: &Range<usize>) -> Result<NodeKind, Mistake> {
        let special = match name {
            "substring" => Some(self.substring()?),
            "position" => Some(self.position()?),
            "extract" => Some(self.extract()?),
            "cast" => Some(self.cast()?),
            _ => None,
        };
        if let Some(call) = special {
            return Ok(call);
        }
        if name == "count" && self.word("distinct") {
            let arguments = self.arguments()?;
            self.of_count(name, span, &arguments, 1..=1, "count(distinct value)")?;
            return Ok(NodeKind::Call(Function::Summary(Summary::CountDistinct), arguments));
        }
        let function = self.function(name, span)?;
        let mut arguments = self.arguments()?;
        let shape = |shape: &str| shape.to_owned();
        let (counts, shape) = match &function {
            Function::Coalesce => (1..=1000, shape("coalesce(first, second, …)")),
            Function::Abs => (1..=1, shape("abs(number)")),
            Function::Round(..) => {
                (1..=3, shape("round(number, places)` or `round(number, places, 'half-up')"))
            }
            Function::Period(unit) => (1..=1, format!("{}(date)", unit.name())),
            Function::Summary(summary) => (1..=1, format!("{}(value)", summary.name())),
            Function::Scalar(Scalar::Power(_)) => (2..=2, shape("power(number, times)")),
            Function::Scalar(_) => {
                let known = PLAIN.iter().find(|(known, ..)| *known == name);
                let (least, most) = known.map_or((1, 1), |(_, _, least, most, _)| (*least, *most));
                let help = FUNCTIONS.iter().find(|function| function.name() == Some(name));
                (least..=most, shape(help.map_or(name, |help| help.shape)))
            }
        };
        self.of_count(name, span, &arguments, counts, &shape)?;
        let function = match function {
            Function::Round(..) => {
                let rounding = self.rounding(arguments.get(2))?;
                let places = self.whole(arguments.get(1), "the places of `round` are")?;
                arguments.truncate(1);
                Function::Round(places, rounding)
            }
            Function::Scalar(Scalar::Power(_)) => {
                let times = self.whole(arguments.get(1), "the second value of `power` is")?;
                arguments.truncate(1);
                Function::Scalar(Scalar::Power(times))
            }
            other => other,
        };
        Ok(NodeKind::Call(function, arguments))
    }

    fn function(&self, name: &str, span: &Range<usize>) -> Result<Function, Mistake> {
        let period = PERIODS.into_iter().find(|unit| unit.name() == name).map(Function::Period);
        let plain = || PLAIN.iter().find(|(known, ..)| *known == name).map(|known| known.1);
        let summary = || SUMMARIES.iter().find(|known| known.summary.name() == name);
        Ok(match name {
            "coalesce" => Function::Coalesce,
            "abs" => Function::Abs,
            "round" => Function::Round(0, Rounding::HalfEven),
            "power" => Function::Scalar(Scalar::Power(0)),
            _ => match period
                .or_else(|| plain().map(Function::Scalar))
                .or_else(|| summary().map(|known| Function::Summary(known.summary)))
            {
                Some(function) => function,
                None => {
                    let names = FUNCTIONS.iter().filter_map(|function| function.name());
                    let names = names.chain(SUMMARIES.iter().map(|known| known.summary.name()));
                    let near = nearest_name(name, &names.collect::<Vec<_>>());
                    let help = match (meant::call(name), near) {
                        (Some(help), _) => help.to_owned(),
                        (None, Some(near)) => format!("did you mean `{near}`?"),
                        (None, None) => "`interligo help formulas` lists them all".to_owned(),
                    };
                    return Err(self
                        .written
                        .mistake(
                            MistakeKind::UnknownName,
                            span.clone(),
                            format!("there is no function `{name}`"),
                        )
                        .help(help));
                }
            },
        })
    }

    /// A mistake if a function was given fewer or more values than it takes.
    fn of_count(
        &self,
        name: &str,
        span: &Range<usize>,
        arguments: &[Node],
        counts: std::ops::RangeInclusive<usize>,
        shape: &str,
    ) -> Result<(), Mistake> {
        let count = arguments.len();
        if counts.contains(&count) {
            return Ok(());
        }
        let values = if count == 1 { "value" } else { "values" };
        let message = format!("`{name}` was given {count} {values}");
        let whole = span.start..self.end();
        Err(self
            .written
            .mistake(MistakeKind::WrongArguments, whole, message)
            .help(format!("it reads `{shape}`")))
    }

    /// `substring(text from 2 for 3)`; the `for` may be left out.
    fn substring(&mut self) -> Result<NodeKind, Mistake> {
        let mut arguments = vec![self.expression(0)?];
        if !self.word("from") {
            return Err(self.unexpected("`from`, as in `substring(text from 2 for 3)`"));
        }
        arguments.push(self.expression(0)?);
        if self.word("for") {
            arguments.push(self.expression(0)?);
        }
        self.close()?;
        Ok(NodeKind::Call(Function::Scalar(Scalar::Substring), arguments))
    }

    /// `position('-' in text)`
    fn position(&mut self) -> Result<NodeKind, Mistake> {
        // What binds less tightly would take the `in` for its own.
        let part = self.expression(COMPARISON + 1)?;
        if !self.word("in") {
            return Err(self.unexpected("`in`, as in `position('-' in text)`"));
        }
        let whole = self.expression(0)?;
        self.close()?;
        Ok(NodeKind::Call(Function::Scalar(Scalar::Position), vec![part, whole]))
    }

    /// `extract(month from date)`
    fn extract(&mut self) -> Result<NodeKind, Mistake> {
        let Some((_, field)) = FIELDS.into_iter().find(|(name, _)| self.word(name)) else {
            let names: Vec<String> = FIELDS.iter().map(|(name, _)| format!("`{name}`")).collect();
            return Err(self.unexpected(&format!("one of {}", names.join(", "))));
        };
        if !self.word("from") {
            return Err(self.unexpected("`from`, as in `extract(month from date)`"));
        }
        let date = self.expression(0)?;
        self.close()?;
        Ok(NodeKind::Call(Function::Scalar(Scalar::Extract(field)), vec![date]))
    }

    /// `cast(text as number)`
    fn cast(&mut self) -> Result<NodeKind, Mistake> {
        let value = self.expression(0)?;
        if !self.word("as") {
            return Err(self.unexpected("`as`, as in `cast(text as number)`"));
        }
        let types = [
            ("number", Scalar::CastNumber),
            ("text", Scalar::CastText),
            ("date", Scalar::CastDate),
        ];
        let Some((_, scalar)) = types.into_iter().find(|(name, _)| self.word(name)) else {
            return Err(self.unexpected("`number`, `text` or `date`"));
        };
        self.close()?;
        Ok(NodeKind::Call(Function::Scalar(scalar), vec![value]))
    }

    fn close(&mut self) -> Result<(), Mistake> {
        self.expect(&super::lexer::TokenKind::Close, "`)`")
    }

    /// A whole number that is written as it is.
    fn whole(&self, node: Option<&Node>, what: &str) -> Result<u8, Mistake> {
        let Some(node) = node else { return Ok(0) };
        match &node.kind {
            NodeKind::Number(n) if n.places() == 0 && (0..=20).contains(&n.mantissa()) => {
                Ok(n.mantissa() as u8)
            }
            _ => {
                let message = format!("{what} a whole number from 0 to 20");
                Err(self.written.mistake(MistakeKind::WrongArguments, node.span.clone(), message))
            }
        }
    }

    fn rounding(&self, node: Option<&Node>) -> Result<Rounding, Mistake> {
        let Some(node) = node else { return Ok(Rounding::HalfEven) };
        match &node.kind {
            NodeKind::Text(rule) if rule == "half-even" => Ok(Rounding::HalfEven),
            NodeKind::Text(rule) if rule == "half-up" => Ok(Rounding::HalfUp),
            _ => Err(self.written.mistake(
                MistakeKind::WrongArguments,
                node.span.clone(),
                "the rule of `round` is 'half-even' or 'half-up'",
            )),
        }
    }
}
