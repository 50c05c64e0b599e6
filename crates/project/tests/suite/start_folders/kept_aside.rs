//! The folders that were looked at when all was done.

use super::choices::{
    Choices, Discount, ItemsIn, Keys, PLAIN, Parts, Prices, Second, Shared, Unit,
};

/// The folders that were looked at when all was done.
pub(crate) const KEPT_ASIDE: [Choices; 22] = [
    Choices {
        name: "new 1",
        language: 4,
        keys: Keys::Padded,
        zeros: true,
        prices: Prices::Periods,
        second: Second::Returns,
        ..PLAIN
    },
    Choices {
        name: "new 2",
        language: 5,
        unit: Unit::Hundred,
        prices: Prices::Starts,
        surrogate: true,
        ..PLAIN
    },
    Choices {
        name: "new 3",
        language: 7,
        parts: Parts::Overlap,
        prices: Prices::HalfOpen,
        discount: Discount::Fraction,
        ..PLAIN
    },
    Choices {
        name: "new 4",
        language: 8,
        same_names: true,
        chain: 2,
        keys: Keys::Numbers,
        second: Second::Budget,
        ..PLAIN
    },
    Choices {
        name: "new 5",
        language: 0,
        keys: Keys::Small,
        unknown: true,
        surrogate: true,
        prices: Prices::OnLines,
        ..PLAIN
    },
    Choices {
        name: "new 6",
        language: 9,
        prices: Prices::StartsUnnamed,
        same_titles: false,
        second: Second::Returns,
        ..PLAIN
    },
    Choices {
        name: "new 7",
        language: 1,
        parts: Parts::OtherSystem,
        discount: Discount::PercentText,
        by_store: true,
        ..PLAIN
    },
    Choices {
        name: "new 8",
        language: 6,
        encoding: Some("windows-1250"),
        prices: Prices::Quarters,
        second: Second::Budget,
        ..PLAIN
    },
    Choices {
        name: "new 9",
        language: 2,
        roles: true,
        dated_costs: true,
        case: true,
        prices: Prices::HalfOpen,
        ..PLAIN
    },
    Choices {
        name: "new 10",
        language: 3,
        decoys: true,
        unknown: true,
        prices: Prices::Starts,
        second: Second::Returns,
        ..PLAIN
    },
    Choices {
        name: "new 11",
        language: 4,
        unit: Unit::Cents,
        same_titles: false,
        chain: 2,
        ..PLAIN
    },
    Choices {
        name: "new 12",
        language: 5,
        parts: Parts::WithCopy,
        keys: Keys::Numbers,
        dated_costs: true,
        ..PLAIN
    },
    Choices {
        name: "new 13",
        language: 7,
        parts: Parts::Monthly,
        prices: Prices::StartsUnnamed,
        decoys: true,
        second: Second::Budget,
        ..PLAIN
    },
    Choices {
        name: "new 14",
        language: 8,
        shared: Shared::Identical,
        surrogate: true,
        prices: Prices::Periods,
        by_store: true,
        ..PLAIN
    },
    Choices {
        name: "new 15",
        language: 1,
        encoding: Some("windows-1252"),
        parts: Parts::Overlap,
        second: Second::Returns,
        ..PLAIN
    },
    Choices {
        name: "later 1",
        language: 2,
        items_in: ItemsIn::TwoColumns,
        keys: Keys::Numbers,
        prices: Prices::HalfOpen,
        ..PLAIN
    },
    Choices {
        name: "later 2",
        language: 7,
        items_in: ItemsIn::Cells,
        prices: Prices::Periods,
        ..PLAIN
    },
    Choices {
        name: "later 3",
        language: 8,
        parts: Parts::Stores,
        encoding: Some("windows-1250"),
        second: Second::Returns,
        ..PLAIN
    },
    Choices {
        name: "later 4",
        language: 4,
        parts: Parts::Sheets,
        prices: Prices::Periods,
        chain: 2,
        ..PLAIN
    },
    Choices {
        name: "later 5",
        language: 10,
        encoding: Some("shift_jis"),
        parts: Parts::Stores,
        discount: Discount::Fraction,
        ..PLAIN
    },
    Choices {
        name: "later 6",
        language: 3,
        items_in: ItemsIn::TwoColumns,
        case: true,
        parts: Parts::Monthly,
        ..PLAIN
    },
    Choices {
        name: "later 7",
        language: 9,
        parts: Parts::Sheets,
        items_in: ItemsIn::TwoColumns,
        dated_costs: true,
        ..PLAIN
    },
];
