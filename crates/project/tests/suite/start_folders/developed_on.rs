//! The folders that drafts were made better by.

use super::choices::{
    Choices, Discount, ItemsIn, Keys, PLAIN, Parts, Prices, Second, Shared, Unit,
};

/// The folders that drafts were made better by.
pub(crate) const DEVELOPED_ON: [Choices; 48] = [
    Choices { name: "plain", ..PLAIN },
    Choices {
        name: "german list",
        language: 1,
        prices: Prices::Periods,
        discount: Discount::Fraction,
        ..PLAIN
    },
    Choices {
        name: "surrogates",
        surrogate: true,
        keys: Keys::Numbers,
        second: Second::Returns,
        ..PLAIN
    },
    Choices { name: "small numbers", language: 2, keys: Keys::Small, decoys: true, ..PLAIN },
    Choices {
        name: "start days",
        language: 3,
        prices: Prices::Starts,
        roles: true,
        second: Second::Returns,
        ..PLAIN
    },
    Choices {
        name: "unnamed start",
        language: 4,
        prices: Prices::StartsUnnamed,
        same_titles: false,
        ..PLAIN
    },
    Choices {
        name: "half open",
        language: 5,
        prices: Prices::HalfOpen,
        dated_costs: true,
        ..PLAIN
    },
    Choices {
        name: "by store",
        language: 6,
        by_store: true,
        chain: 2,
        discount: Discount::PercentText,
        ..PLAIN
    },
    Choices {
        name: "conflicts",
        language: 7,
        shared: Shared::Conflicting,
        second: Second::Budget,
        ..PLAIN
    },
    Choices {
        name: "other system",
        language: 0,
        parts: Parts::OtherSystem,
        prices: Prices::OnLines,
        second: Second::Budget,
        ..PLAIN
    },
    Choices {
        name: "months",
        language: 8,
        parts: Parts::Monthly,
        keys: Keys::Padded,
        prices: Prices::Periods,
        ..PLAIN
    },
    Choices {
        name: "draft copy",
        language: 9,
        parts: Parts::WithCopy,
        prices: Prices::Starts,
        second: Second::Returns,
        ..PLAIN
    },
    Choices { name: "quarters", language: 1, prices: Prices::Quarters, chain: 2, ..PLAIN },
    Choices {
        name: "encoded",
        language: 2,
        encoding: Some("windows-1252"),
        case: true,
        prices: Prices::Periods,
        ..PLAIN
    },
    Choices {
        name: "decoys",
        language: 0,
        decoys: true,
        surrogate: true,
        dated_costs: true,
        prices: Prices::Starts,
        second: Second::Returns,
        ..PLAIN
    },
    Choices { name: "aside 1", language: 2, prices: Prices::Starts, keys: Keys::Numbers, ..PLAIN },
    Choices {
        name: "aside 2",
        language: 6,
        surrogate: true,
        prices: Prices::Periods,
        second: Second::Returns,
        ..PLAIN
    },
    Choices {
        name: "aside 3",
        language: 8,
        same_titles: false,
        chain: 2,
        second: Second::Budget,
        ..PLAIN
    },
    Choices {
        name: "aside 4",
        language: 5,
        keys: Keys::Small,
        surrogate: true,
        prices: Prices::OnLines,
        ..PLAIN
    },
    Choices {
        name: "aside 5",
        language: 9,
        roles: true,
        discount: Discount::PercentText,
        second: Second::Returns,
        ..PLAIN
    },
    Choices { name: "aside 6", language: 3, by_store: true, same_titles: false, ..PLAIN },
    Choices {
        name: "aside 7",
        language: 7,
        prices: Prices::StartsUnnamed,
        dated_costs: true,
        ..PLAIN
    },
    Choices {
        name: "aside 8",
        language: 4,
        prices: Prices::HalfOpen,
        decoys: true,
        second: Second::Budget,
        ..PLAIN
    },
    Choices { name: "aside 9", language: 1, parts: Parts::OtherSystem, ..PLAIN },
    Choices {
        name: "aside 10",
        language: 0,
        parts: Parts::WithCopy,
        by_store: true,
        second: Second::Budget,
        ..PLAIN
    },
    Choices {
        name: "aside 11",
        language: 6,
        encoding: Some("iso-8859-2"),
        prices: Prices::Starts,
        ..PLAIN
    },
    Choices {
        name: "aside 12",
        language: 8,
        shared: Shared::Identical,
        case: true,
        second: Second::Returns,
        ..PLAIN
    },
    Choices {
        name: "aside 13",
        language: 9,
        prices: Prices::Quarters,
        keys: Keys::Padded,
        ..PLAIN
    },
    Choices {
        name: "aside 14",
        language: 5,
        parts: Parts::Monthly,
        surrogate: true,
        discount: Discount::Fraction,
        second: Second::Returns,
        ..PLAIN
    },
    Choices {
        name: "aside 15",
        language: 3,
        shared: Shared::Conflicting,
        prices: Prices::Periods,
        keys: Keys::Padded,
        second: Second::Returns,
        ..PLAIN
    },
    Choices {
        name: "per hundred",
        prices: Prices::Periods,
        unit: Unit::Hundred,
        unknown: true,
        ..PLAIN
    },
    Choices { name: "cents", language: 1, unit: Unit::Cents, prices: Prices::OnLines, ..PLAIN },
    Choices {
        name: "zeros",
        language: 3,
        keys: Keys::Padded,
        zeros: true,
        prices: Prices::Starts,
        ..PLAIN
    },
    Choices {
        name: "overlap",
        language: 6,
        parts: Parts::Overlap,
        second: Second::Returns,
        ..PLAIN
    },
    Choices {
        name: "same names",
        language: 2,
        same_names: true,
        chain: 2,
        second: Second::Budget,
        ..PLAIN
    },
    Choices {
        name: "unknown keys",
        language: 9,
        unknown: true,
        dated_costs: true,
        prices: Prices::HalfOpen,
        second: Second::Returns,
        ..PLAIN
    },
    Choices { name: "by id", keys: Keys::ById, second: Second::Returns, ..PLAIN },
    Choices {
        name: "by id, dated",
        language: 3,
        keys: Keys::ById,
        prices: Prices::Starts,
        dated_costs: true,
        decoys: true,
        ..PLAIN
    },
    Choices {
        name: "many duplicates",
        language: 1,
        shared: Shared::Many,
        second: Second::Budget,
        ..PLAIN
    },
    Choices { name: "currencies", language: 2, currencies: true, prices: Prices::OnLines, ..PLAIN },
    Choices { name: "two prices", language: 7, two_prices: true, ..PLAIN },
    Choices { name: "two item columns", items_in: ItemsIn::TwoColumns, ..PLAIN },
    Choices {
        name: "two item columns, dated",
        language: 1,
        items_in: ItemsIn::TwoColumns,
        prices: Prices::Periods,
        dated_costs: true,
        ..PLAIN
    },
    Choices { name: "numbers in cells", items_in: ItemsIn::Cells, ..PLAIN },
    Choices { name: "stores", parts: Parts::Stores, prices: Prices::Starts, ..PLAIN },
    Choices { name: "sheets", parts: Parts::Sheets, language: 6, ..PLAIN },
    Choices { name: "japanese", language: 10, encoding: Some("shift_jis"), ..PLAIN },
    Choices {
        name: "japanese list",
        language: 10,
        encoding: Some("shift_jis"),
        prices: Prices::Periods,
        parts: Parts::Monthly,
        ..PLAIN
    },
];
