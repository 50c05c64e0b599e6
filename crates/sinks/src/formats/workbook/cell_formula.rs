//! Formulas of the plan as formulas of cells.
//!
//! Blank follows the plan's rules and not those of a spreadsheet: every operand is tested for it first, and a divisor for
//! zero. Nothing swallows an error. What a spreadsheet computes in another way than the plan (half-even rounding, weeks,
//! the order of texts) has no formula; such cells hold values.

use std::collections::BTreeSet;
use std::fmt::Write;

use interligo_engine::eval::{Band, Expr, ExprKind, Type};
use interligo_model::formula::{Field, Operator, Scalar};
use interligo_model::plan::Included;
use interligo_model::values::date::PeriodUnit;
use interligo_model::values::decimal::Rounding;
use interligo_model::values::value::Value;

use super::cell::EPOCH;

/// The longest formula that a cell takes, with room for longer row numbers.
const LONGEST: usize = 7_500;

/// The most operands whose blanks are tested, by the arguments that a function takes.
const MOST_OPERANDS: usize = 200;

/// How deep parentheses may be nested.
const DEEPEST: usize = 60;

/// A formula for the cells of a column, in which cells of the same row are named by their columns.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct CellFormula {
    pieces: Vec<Piece>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Piece {
    Text(String),
    /// The cell of a column.
    Cell(usize),
}

/// What stands for the cell of a column until the row is known. No text of a formula has such characters.
pub(super) fn cell_token(column: usize) -> String {
    format!("\u{1}{column}\u{2}")
}

impl CellFormula {
    /// A formula with tokens for cells; none where no cell takes it.
    pub(super) fn new(text: &str) -> Option<CellFormula> {
        let mut depth = 0_usize;
        let mut deepest = 0;
        for character in text.chars() {
            match character {
                '(' => depth += 1,
                ')' => depth = depth.saturating_sub(1),
                _ => {}
            }
            deepest = deepest.max(depth);
        }
        if text.len() > LONGEST || deepest > DEEPEST {
            return None;
        }
        let mut pieces = Vec::new();
        for part in text.split('\u{1}') {
            match part.split_once('\u{2}') {
                Some((column, rest)) => {
                    pieces.push(Piece::Cell(column.parse().ok()?));
                    pieces.push(Piece::Text(rest.to_owned()));
                }
                None => pieces.push(Piece::Text(part.to_owned())),
            }
        }
        Some(CellFormula { pieces })
    }

    /// The formula for a row, counted from 1.
    pub(super) fn at(&self, row: u32) -> String {
        let mut formula = String::new();
        for piece in &self.pieces {
            match piece {
                Piece::Text(text) => formula.push_str(text),
                Piece::Cell(column) => {
                    let _ = write!(formula, "{}{row}", column_name(*column));
                }
            }
        }
        formula
    }

    /// The columns whose cells it takes.
    pub(super) fn columns(&self) -> impl Iterator<Item = usize> {
        self.pieces.iter().filter_map(|piece| match piece {
            Piece::Cell(column) => Some(*column),
            Piece::Text(_) => None,
        })
    }
}

/// The letters of a column, counted from 0.
pub(super) fn column_name(column: usize) -> String {
    rust_xlsxwriter::utility::column_number_to_name(column as u16)
}

/// The name of a sheet as formulas write it.
pub(super) fn sheet_name(name: &str) -> String {
    format!("'{}'", name.replace('\'', "''"))
}

/// A text as formulas write it.
pub(super) fn text_constant(text: &str) -> Option<String> {
    let fits = text.chars().count() <= 255 && !text.chars().any(char::is_control);
    fits.then(|| format!("\"{}\"", text.replace('"', "\"\"")))
}

/// A formula that is being made: its text, and what makes it blank.
#[derive(Clone, Debug)]
pub(super) struct Term {
    /// Cells without which there is no value.
    blanks: BTreeSet<String>,
    /// Conditions under which there is none, each tested when those before it do not hold.
    conditions: Vec<String>,
    text: String,
    /// Whether its text is blank by itself where there is no value.
    is_closed: bool,
}

impl Term {
    fn of(text: impl Into<String>) -> Term {
        let (blanks, conditions) = (BTreeSet::new(), Vec::new());
        Term { blanks, conditions, text: text.into(), is_closed: false }
    }

    /// The cell of a column.
    pub(super) fn cell(token: String) -> Term {
        Term { blanks: BTreeSet::from([token.clone()]), ..Term::of(token) }
    }

    /// A text with a condition under which there is no value.
    pub(super) fn unless(condition: String, text: String) -> Term {
        Term { conditions: vec![condition], ..Term::of(text) }
    }

    /// A text that is blank by itself where there is no value.
    fn closed(text: String) -> Term {
        Term { is_closed: true, ..Term::of(text) }
    }

    /// What is made of several, blank where one of them is.
    fn strict<const N: usize>(terms: [Term; N], text: impl Fn([&str; N]) -> String) -> Term {
        let texts = std::array::from_fn(|at| terms[at].text.as_str());
        let mut made = Term::of(text(texts));
        for term in &terms {
            made.blanks.extend(term.blanks.iter().cloned());
            let own = term.is_closed.then(|| format!("{}=\"\"", term.text));
            for condition in term.conditions.iter().cloned().chain(own) {
                if !made.conditions.contains(&condition) {
                    made.conditions.push(condition);
                }
            }
        }
        made
    }

    /// The formula, blank where there is no value.
    pub(super) fn whole(&self) -> String {
        let mut formula = self.text.clone();
        for condition in self.conditions.iter().rev() {
            formula = format!("IF({condition},\"\",{formula})");
        }
        let tests: Vec<String> = self.blanks.iter().map(|cell| format!("{cell}=\"\"")).collect();
        match tests.as_slice() {
            [] => formula,
            [one] => format!("IF({one},\"\",{formula})"),
            several => format!("IF(OR({}),\"\",{formula})", several.join(",")),
        }
    }

    fn fits(&self) -> bool {
        self.blanks.len() <= MOST_OPERANDS && self.text.len() <= LONGEST
    }
}

/// What an expression is as a formula; `leaf` gives columns, attributes, figures and parts of ratios. None where a
/// spreadsheet would compute another value.
pub(super) fn term(expr: &Expr, leaf: &dyn Fn(&Expr) -> Option<Term>) -> Option<Term> {
    nested(expr, leaf, 0)
}

/// A part of an expression, this many levels inside. Nearly each is in parentheses of its own, so no cell takes what is deeper.
fn nested(expr: &Expr, leaf: &dyn Fn(&Expr) -> Option<Term>, depth: usize) -> Option<Term> {
    if depth > DEEPEST {
        return None;
    }
    let part = |expr: &Expr| nested(expr, leaf, depth + 1);
    let whole = |expr: &Expr| part(expr).map(|term| term.whole());
    let made = match &expr.kind {
        ExprKind::Constant(value) => constant(value)?,
        ExprKind::Column(_)
        | ExprKind::Attribute { .. }
        | ExprKind::Figure(_)
        | ExprKind::Part(_) => leaf(expr)?,
        ExprKind::Negate(a) => Term::strict([part(a)?], |[a]| format!("(-{a})")),
        ExprKind::Abs(a) => Term::strict([part(a)?], |[a]| format!("ABS({a})")),
        ExprKind::Not(a) => Term::strict([part(a)?], |[a]| format!("NOT({a})")),
        ExprKind::Arithmetic(operator, a, b) => {
            let symbol = operator.symbol();
            let divides = *operator == Operator::Divide;
            let (dividend, divided_by) = (part(a)?, part(b)?);
            let divisor = exact(b, divided_by.clone()).text;
            let operands = [dividend, divided_by];
            let mut made = Term::strict(operands, |[a, b]| format!("({a}{symbol}{b})"));
            if divides {
                made.conditions.push(format!("{divisor}=0"));
            }
            made
        }
        ExprKind::Compare(operator, a, b) => compared(*operator, (a, part(a)?), (b, part(b)?))?,
        ExprKind::And(a, b) => junction(&whole(a)?, &whole(b)?, "FALSE", "TRUE"),
        ExprKind::Or(a, b) => junction(&whole(a)?, &whole(b)?, "TRUE", "FALSE"),
        ExprKind::If(condition, then, otherwise) => {
            let (condition, then, otherwise) = (whole(condition)?, whole(then)?, whole(otherwise)?);
            let chosen = format!("IF({condition},{then},{otherwise})");
            Term::closed(format!("IF({condition}=\"\",\"\",{chosen})"))
        }
        ExprKind::IsBlank(a) => Term::of(format!("({}=\"\")", whole(a)?)),
        ExprKind::Coalesce(list) => {
            let mut formula = "\"\"".to_owned();
            for one in list.iter().rev() {
                let one = whole(one)?;
                formula = format!("IF({one}<>\"\",{one},{formula})");
            }
            Term::closed(formula)
        }
        ExprKind::Round(a, places, Rounding::HalfUp) => {
            Term::strict([exact(a, part(a)?)], |[a]| format!("ROUND({a},{places})"))
        }
        ExprKind::Round(_, _, Rounding::HalfEven) => return None,
        ExprKind::PeriodOf(unit, a) if a.ty == Type::Date => {
            let period = period_text(*unit)?;
            Term::strict([part(a)?], |[a]| period.replace('@', a))
        }
        ExprKind::PeriodOf(..) => return None,
        ExprKind::OneOf(a, list) => one_of(a, part(a)?, list)?,
        ExprKind::Band(a, band) => {
            let names = band_names(band)?;
            Term::strict([exact(a, part(a)?)], |[a]| names.replace('\u{3}', a))
        }
        ExprKind::Call(scalar, list) => called(*scalar, list, &part)?,
    };
    made.fits().then_some(made)
}

/// A number as what it is exactly: what was computed in binary is rounded to the places that it has.
fn exact(expr: &Expr, term: Term) -> Term {
    let is_read = matches!(
        expr.kind,
        ExprKind::Constant(_) | ExprKind::Column(_) | ExprKind::Attribute { .. }
    );
    match expr.ty {
        Type::Number { places } if !is_read => {
            Term { text: format!("ROUND({},{})", term.text, places.min(14)), ..term }
        }
        _ => term,
    }
}

fn constant(value: &Value<'_>) -> Option<Term> {
    Some(match value {
        Value::Blank => Term::unless("TRUE".to_owned(), "\"\"".to_owned()),
        Value::Number(number) => {
            let number = number.trimmed(0);
            if number.mantissa().abs() >= 1_000_000_000_000_000 {
                return None;
            }
            Term::of(number.to_string())
        }
        Value::Text(text) => Term::of(text_constant(text)?),
        Value::Date(day) if day.0 + EPOCH > 60 => Term::of((day.0 + EPOCH).to_string()),
        Value::Date(_) => return None,
        Value::Period(period) => Term::of(text_constant(&period.to_string())?),
        Value::YesNo(yes) => Term::of(if *yes { "TRUE" } else { "FALSE" }),
    })
}

/// `and` and `or` as the SQL standard has them: one side may decide where the other is unknown.
fn junction(a: &str, b: &str, deciding: &str, other: &str) -> Term {
    let open = format!("IF(OR({a}=\"\",{b}=\"\"),\"\",{other})");
    Term::closed(format!("IF(OR({a}={deciding},{b}={deciding}),{deciding},{open})"))
}

fn compared(
    operator: Operator,
    (left, a): (&Expr, Term),
    (right, b): (&Expr, Term),
) -> Option<Term> {
    let symbol = operator.symbol();
    let equality = matches!(operator, Operator::Equal | Operator::NotEqual);
    let is = |test: fn(Type) -> bool| test(left.ty) || test(right.ty);
    if is(|ty| ty == Type::Text) {
        let plain = Term::strict([a, b], |[a, b]| match operator {
            Operator::NotEqual => format!("NOT(EXACT({a},{b}))"),
            _ => format!("EXACT({a},{b})"),
        });
        return equality.then_some(plain);
    }
    if is(|ty| ty == Type::YesNo) && !equality {
        return None;
    }
    let sides = [exact(left, a), exact(right, b)];
    Some(Term::strict(sides, |[a, b]| format!("({a}{symbol}{b})")))
}

fn one_of(expr: &Expr, a: Term, list: &[Value<'static>]) -> Option<Term> {
    if list.is_empty() || list.len() > MOST_OPERANDS {
        return None;
    }
    let constants: Option<Vec<Term>> = list.iter().map(constant).collect();
    let constants = constants?;
    Some(Term::strict([exact(expr, a)], |[a]| {
        let tests = constants.iter().map(|one| match expr.ty {
            Type::Text => format!("EXACT({a},{})", one.text),
            _ => format!("{a}={}", one.text),
        });
        format!("OR({})", tests.collect::<Vec<_>>().join(","))
    }))
}

/// The period of a day, `@`, as the plan writes it.
fn period_text(unit: PeriodUnit) -> Option<&'static str> {
    Some(match unit {
        PeriodUnit::Year => "YEAR(@)&\"\"",
        PeriodUnit::Quarter => "YEAR(@)&\"-Q\"&ROUNDUP(MONTH(@)/3,0)",
        PeriodUnit::Month => "YEAR(@)&\"-\"&TEXT(MONTH(@),\"00\")",
        PeriodUnit::Day => "YEAR(@)&\"-\"&TEXT(MONTH(@),\"00\")&\"-\"&TEXT(DAY(@),\"00\")",
        PeriodUnit::Week => return None,
    })
}

/// The name of the band in which a number lies, which takes the place of a character that no name has.
fn band_names(band: &Band) -> Option<String> {
    let test = match band.included {
        Included::Lower => "<",
        Included::Upper => "<=",
    };
    let mut names = band.names.iter().rev();
    let mut formula = text_constant(names.next()?)?;
    for (edge, name) in band.edges.iter().rev().zip(names) {
        formula = format!("IF(\u{3}{test}{edge},{},{formula})", text_constant(name)?);
    }
    Some(formula)
}

fn called(scalar: Scalar, list: &[Expr], part: &dyn Fn(&Expr) -> Option<Term>) -> Option<Term> {
    match (scalar, list) {
        (Scalar::Join, [a, b]) if a.ty == Type::Text && b.ty == Type::Text => {
            Some(Term::strict([part(a)?, part(b)?], |[a, b]| format!("({a}&{b})")))
        }
        (Scalar::Floor, [a]) => Some(Term::strict([exact(a, part(a)?)], |[a]| format!("INT({a})"))),
        (Scalar::Ceiling, [a]) => {
            Some(Term::strict([exact(a, part(a)?)], |[a]| format!("(-INT(-{a}))")))
        }
        (Scalar::Least, [a, b]) if is_number(a) => {
            Some(Term::strict([part(a)?, part(b)?], |[a, b]| format!("MIN({a},{b})")))
        }
        (Scalar::Greatest, [a, b]) if is_number(a) => {
            Some(Term::strict([part(a)?, part(b)?], |[a, b]| format!("MAX({a},{b})")))
        }
        (Scalar::DaysBetween, [a, b]) => {
            Some(Term::strict([part(a)?, part(b)?], |[a, b]| format!("({a}-{b})")))
        }
        (Scalar::DaysLater, [a, b]) => {
            Some(Term::strict([part(a)?, part(b)?], |[a, b]| format!("({a}+{b})")))
        }
        (Scalar::Extract(field), [a]) if a.ty == Type::Date => {
            let function = match field {
                Field::Year => "YEAR",
                Field::Month => "MONTH",
                Field::Day => "DAY",
                _ => return None,
            };
            Some(Term::strict([part(a)?], |[a]| format!("{function}({a})")))
        }
        _ => None,
    }
}

fn is_number(expr: &Expr) -> bool {
    matches!(expr.ty, Type::Number { .. })
}

#[cfg(test)]
mod tests {
    use interligo_model::values::decimal::Decimal;

    use super::*;

    fn number(kind: ExprKind) -> Expr {
        Expr { kind, ty: Type::Number { places: 2 } }
    }

    fn column(number: usize) -> Box<Expr> {
        let ty = Type::Number { places: 2 };
        Box::new(Expr { kind: ExprKind::Column(number), ty })
    }

    fn formula(expr: &Expr) -> Option<String> {
        let leaf = |expr: &Expr| match expr.kind {
            ExprKind::Column(column) => Some(Term::cell(cell_token(column))),
            _ => None,
        };
        Some(CellFormula::new(&term(expr, &leaf)?.whole())?.at(7))
    }

    #[test]
    fn operands_are_tested_before_they_are_used() {
        let product = number(ExprKind::Arithmetic(Operator::Multiply, column(0), column(27)));
        assert_eq!(formula(&product).unwrap(), "IF(OR(A7=\"\",AB7=\"\"),\"\",(A7*AB7))");
        let quotient = number(ExprKind::Arithmetic(Operator::Divide, Box::new(product), column(1)));
        let wanted = "IF(OR(A7=\"\",B7=\"\",AB7=\"\"),\"\",IF(B7=0,\"\",((A7*AB7)/B7)))";
        assert_eq!(formula(&quotient).unwrap(), wanted);
        let first = number(ExprKind::Coalesce(vec![*column(0), *column(1)]));
        let sum = number(ExprKind::Arithmetic(Operator::Add, Box::new(first), column(2)));
        let chosen = "IF(IF(A7=\"\",\"\",A7)<>\"\",IF(A7=\"\",\"\",A7),\
                      IF(IF(B7=\"\",\"\",B7)<>\"\",IF(B7=\"\",\"\",B7),\"\"))";
        let wanted = format!("IF(C7=\"\",\"\",IF({chosen}=\"\",\"\",({chosen}+C7)))");
        assert_eq!(formula(&sum).unwrap(), wanted);
    }

    #[test]
    fn what_a_spreadsheet_computes_otherwise_has_no_formula() {
        assert_eq!(formula(&number(ExprKind::Round(column(0), 2, Rounding::HalfEven))), None);
        let half_up = number(ExprKind::Round(column(0), 2, Rounding::HalfUp));
        assert_eq!(formula(&half_up).unwrap(), "IF(A7=\"\",\"\",ROUND(A7,2))");
        let long = Value::Number(Decimal::parse(b"1234567890123456").unwrap());
        assert_eq!(formula(&number(ExprKind::Constant(long))), None);
        let many = (0..300)
            .map(|at| *column(at))
            .reduce(|a, b| number(ExprKind::Arithmetic(Operator::Add, Box::new(a), Box::new(b))));
        assert_eq!(formula(&many.unwrap()), None);
        // Nested to the right each part is made once; made twice, this would not end.
        let right = (0..50).map(|at| *column(at)).reduce(|inner, own| {
            number(ExprKind::Arithmetic(Operator::Subtract, Box::new(own), Box::new(inner)))
        });
        assert!(formula(&right.unwrap()).is_some());
    }
}
