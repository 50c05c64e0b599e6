//! What it costs to compute a formula over a batch of columns, beside the same checked operations written by hand
//! over plain arrays.
#![allow(clippy::unwrap_used, reason = "a bench that cannot go on has failed")]

use divan::black_box;
use divan::counter::ItemsCount;
use interligo_engine::eval::Formula;
use interligo_model::values::column::{Column, NumberColumn, Numbers};

const LINES: usize = 10_000;
const PRICED: &str = "quantity * unit_price * (1 - discount)";

fn main() {
    divan::main();
}

/// Whole numbers, prices in cents, and discounts in thousandths.
fn arrays() -> [Vec<i64>; 3] {
    let lines = 0..LINES as i64;
    [
        lines.clone().map(|n| n % 97 + 1).collect(),
        lines.clone().map(|n| n * 37 % 90_000 + 99).collect(),
        lines.map(|n| n % 5 * 25).collect(),
    ]
}

fn columns() -> [(&'static str, Column); 3] {
    let [quantity, price, discount] = arrays();
    let number = |mantissas, places| {
        Column::Number(NumberColumn { numbers: Numbers::Fixed { mantissas, places }, known: None })
    };
    [
        ("quantity", number(quantity, 0)),
        ("unit_price", number(price, 2)),
        ("discount", number(discount, 3)),
    ]
}

#[divan::bench]
fn formula(bencher: divan::Bencher) {
    let columns = columns();
    let formula = Formula::over(&columns, PRICED).unwrap();
    bencher.counter(ItemsCount::new(LINES)).bench(|| formula.values(black_box(&columns)).unwrap());
}

/// The same three operations, each checked, in one pass.
#[divan::bench]
fn by_hand(bencher: divan::Bencher) {
    let arrays = arrays();
    bencher.counter(ItemsCount::new(LINES)).bench(|| {
        let [quantity, price, discount] = black_box(&arrays);
        let mut revenue = Vec::with_capacity(LINES);
        for ((quantity, price), discount) in quantity.iter().zip(price).zip(discount) {
            let gross = quantity.checked_mul(*price)?;
            revenue.push(gross.checked_mul(1_000i64.checked_sub(*discount)?)?);
        }
        Some(revenue)
    });
}

/// Functions of texts and days, which go value by value.
#[divan::bench(args = ["upper(code)", "left(code, 2) || '-'", "code like 'BO%'", "extract(month from day)", "month(day)"])]
fn texts_and_days(bencher: divan::Bencher, text: &str) {
    let codes = (0..LINES).map(|n| format!("BO-{}", n % 500));
    let days = (0..LINES as i32).map(|n| 19_700 + n % 700).collect();
    let columns = [
        ("code", Column::Text(arrow_array::StringViewArray::from_iter_values(codes))),
        ("day", Column::Date(interligo_model::values::column::DateColumn { days, known: None })),
    ];
    let formula = Formula::over(&columns, text).unwrap();
    bencher.counter(ItemsCount::new(LINES)).bench(|| formula.values(black_box(&columns)).unwrap());
}
