//! Formulas against exact fractions: whatever is written, the value is that of the arithmetic on paper.

use interligo_model::values::decimal::Decimal;
use num_rational::BigRational;
use proptest::prelude::*;

use crate::support::{engine, run_whole, shown, tables};

/// A formula over `a`, a number with two places, and `b`, a whole number.
#[derive(Clone, Debug)]
enum Formula {
    A,
    B,
    Literal(i64, u8),
    Sum(Box<Formula>, Box<Formula>),
    Difference(Box<Formula>, Box<Formula>),
    Product(Box<Formula>, Box<Formula>),
    Quotient(Box<Formula>, Box<Formula>),
    Negative(Box<Formula>),
    Abs(Box<Formula>),
    Round(Box<Formula>, u8),
    Coalesce(Box<Formula>, Box<Formula>),
    IfAbove(Box<Formula>, Box<Formula>, Box<Formula>, Box<Formula>),
    Least(Box<Formula>, Box<Formula>),
}

use Formula::*;

fn formula() -> impl Strategy<Value = Formula> {
    let leaf =
        prop_oneof![Just(A), Just(B), (0i64..5_000, 0u8..4).prop_map(|(m, p)| Literal(m, p))];
    leaf.prop_recursive(4, 16, 4, |inner| {
        let one = || inner.clone().prop_map(Box::new);
        let two = || (one(), one());
        prop_oneof![
            two().prop_map(|(x, y)| Sum(x, y)),
            two().prop_map(|(x, y)| Difference(x, y)),
            two().prop_map(|(x, y)| Product(x, y)),
            two().prop_map(|(x, y)| Quotient(x, y)),
            one().prop_map(Negative),
            one().prop_map(Abs),
            (one(), 0u8..4).prop_map(|(x, places)| Round(x, places)),
            two().prop_map(|(x, y)| Coalesce(x, y)),
            (two(), two()).prop_map(|((x, y), (t, e))| IfAbove(x, y, t, e)),
            two().prop_map(|(x, y)| Least(x, y)),
        ]
    })
}

fn written(formula: &Formula) -> String {
    match formula {
        A => "a".into(),
        B => "b".into(),
        Literal(m, p) => Decimal::new(i128::from(*m), *p).unwrap().to_string(),
        Sum(x, y) => format!("({} + {})", written(x), written(y)),
        Difference(x, y) => format!("({} - {})", written(x), written(y)),
        Product(x, y) => format!("({} * {})", written(x), written(y)),
        Quotient(x, y) => format!("({} / {})", written(x), written(y)),
        Negative(x) => format!("(-{})", written(x)),
        Abs(x) => format!("abs({})", written(x)),
        Round(x, places) => format!("round({}, {places})", written(x)),
        Coalesce(x, y) => format!("coalesce({}, {})", written(x), written(y)),
        IfAbove(x, y, t, e) => {
            format!("(if {} > {} then {} else {})", written(x), written(y), written(t), written(e))
        }
        Least(x, y) => format!("least({}, {})", written(x), written(y)),
    }
}

fn power(places: u32) -> BigRational {
    BigRational::from_integer(BigRational::from_integer(10.into()).to_integer().pow(places))
}

fn fraction(number: Decimal) -> BigRational {
    BigRational::from_integer(number.mantissa().into()) / power(u32::from(number.places()))
}

/// To this many places, halves to the even digit.
fn rounded(x: &BigRational, places: u32) -> BigRational {
    let scaled = x * power(places);
    let floor = scaled.floor();
    let rest = &scaled - &floor;
    let half = BigRational::new(1.into(), 2.into());
    let odd = (floor.to_integer() % 2) != 0.into();
    let up = rest > half || (rest == half && odd);
    (floor + BigRational::from_integer(i32::from(up).into())) / power(places)
}

/// The value as on paper, with the places that it is foreseen to have; `None` is blank.
fn on_paper(formula: &Formula, a: Option<i64>, b: Option<i64>) -> (Option<BigRational>, u32) {
    let of = |x: &Formula| on_paper(x, a, b);
    let both = |x: &Formula, y: &Formula| {
        let ((x, p), (y, q)) = (of(x), of(y));
        (x.zip(y), p, q)
    };
    match formula {
        A => (a.map(|a| BigRational::new(a.into(), 100.into())), 2),
        B => (b.map(|b| BigRational::from_integer(b.into())), 0),
        Literal(m, p) => (Some(fraction(Decimal::new(i128::from(*m), *p).unwrap())), u32::from(*p)),
        Sum(x, y) => {
            let (pair, p, q) = both(x, y);
            (pair.map(|(x, y)| x + y), p.max(q))
        }
        Difference(x, y) => {
            let (pair, p, q) = both(x, y);
            (pair.map(|(x, y)| x - y), p.max(q))
        }
        Product(x, y) => {
            let (pair, p, q) = both(x, y);
            (pair.map(|(x, y)| x * y), p + q)
        }
        Quotient(x, y) => {
            let (pair, p, q) = both(x, y);
            let places = p.max(q) + 12;
            let zero = BigRational::from_integer(0.into());
            let pair = pair.filter(|(_, y)| *y != zero);
            (pair.map(|(x, y)| rounded(&(x / y), places)), places)
        }
        Negative(x) => {
            let (x, p) = of(x);
            (x.map(|x| -x), p)
        }
        Abs(x) => {
            let (x, p) = of(x);
            let zero = BigRational::from_integer(0.into());
            (x.map(|x| if x < zero { -x } else { x }), p)
        }
        Round(x, places) => {
            let (x, _) = of(x);
            (x.map(|x| rounded(&x, u32::from(*places))), u32::from(*places))
        }
        Coalesce(x, y) => {
            let ((x, p), (y, q)) = (of(x), of(y));
            (x.or(y), p.max(q))
        }
        IfAbove(x, y, t, e) => {
            let (test, ..) = both(x, y);
            let ((t, p), (e, q)) = (of(t), of(e));
            let chosen = test.and_then(|(x, y)| if x > y { t } else { e });
            (chosen, p.max(q))
        }
        Least(x, y) => {
            let (pair, p, q) = both(x, y);
            (pair.map(|(x, y)| x.min(y)), p.max(q))
        }
    }
}

/// The most places of anything in a formula; beyond those that a number can have it is left out of the test.
fn most_places(formula: &Formula) -> u32 {
    let below = match formula {
        A | B | Literal(..) => 0,
        Negative(x) | Abs(x) | Round(x, _) => most_places(x),
        Sum(x, y)
        | Difference(x, y)
        | Product(x, y)
        | Quotient(x, y)
        | Coalesce(x, y)
        | Least(x, y) => most_places(x).max(most_places(y)),
        IfAbove(x, y, t, e) => {
            [x, y, t, e].into_iter().map(|part| most_places(part)).max().unwrap_or(0)
        }
    };
    below.max(on_paper(formula, None, None).1)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]

    #[test]
    fn prop_formulas_give_what_paper_gives(
        formula in formula(),
        lines in prop::collection::vec((prop::option::weighted(0.8, -9_999i64..9_999), prop::option::weighted(0.8, -9i64..99)), 1..6),
    ) {
        prop_assume!(most_places(&formula) <= 30);
        // The first line says what kind of numbers the columns hold.
        let lines: Vec<_> = [(Some(101), Some(1))].into_iter().chain(lines).collect();
        let rows = lines.iter().enumerate().map(|(line, (a, b))| {
            let a = a.map_or(String::new(), |a| Decimal::new(i128::from(a), 2).unwrap().to_string());
            format!("{line},{a},{}", b.map_or(String::new(), |b| b.to_string()))
        });
        let sales = ["id,a,b".to_owned()].into_iter().chain(rows).collect::<Vec<_>>().join("\n");
        let tables = tables(&[("sales", &sales)]);
        let plan = format!(
            "[tables.sales]\nrole = 'fact'\nfrom = 'sales.csv'\n[figures]\nx = {{ formula = '{}', totals = 'largest' }}\n",
            written(&formula)
        );
        let engine = engine(&plan, &tables, &["id"], &["x"]);
        let (_, totals) = run_whole(&engine, &tables);
        let rows: std::collections::HashMap<String, String> =
            shown(&totals).into_iter().map(|row| (row[0].clone(), row[1].clone())).collect();
        for (line, (a, b)) in lines.iter().enumerate() {
            let found = Decimal::parse(rows[&line.to_string()].as_bytes()).map(fraction);
            let (expected, _) = on_paper(&formula, *a, *b);
            prop_assert_eq!(found, expected, "{} where a = {:?}, b = {:?}", written(&formula), a, b);
        }
    }
}
