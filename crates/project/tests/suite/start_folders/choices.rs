//! The folders by which drafts are measured: difficulties in combination, in ten languages.

/// How items are numbered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Keys {
    /// `BO-110`.
    Codes,
    /// `00417`.
    Padded,
    /// 1, 2, 3: numbers that are found anywhere.
    Small,
    /// 20417 and the like.
    Numbers,
    /// Lines have the number that the lookup has under `id`, beside a code that they do not have.
    ById,
}

/// Where prices are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Prices {
    /// On each line.
    OnLines,
    /// One for each product.
    InProducts,
    /// In a list with the first and the last day.
    Periods,
    /// In a list with the first day alone.
    Starts,
    /// The same under a title that says nothing.
    StartsUnnamed,
    /// In a list in which one row ends on the day on which the next begins.
    HalfOpen,
    /// In a column for each quarter.
    Quarters,
}

/// What is taken off.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Discount {
    None,
    Fraction,
    PercentText,
}

/// Where lines name their item.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ItemsIn {
    OneColumn,
    /// In one of two columns.
    TwoColumns,
    /// In a cell with another number, which is no key.
    Cells,
}

/// How the sales lie there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Parts {
    One,
    /// A file for each month.
    Monthly,
    /// A second file with other titles, in another order.
    OtherSystem,
    /// A file for each store, by its name.
    Stores,
    /// A workbook with a sheet for each route.
    Sheets,
    /// With a draft copy beside.
    WithCopy,
    /// Two extracts that have the lines of some weeks both.
    Overlap,
}

/// The second fact.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Second {
    None,
    /// Returns name the order and item that came back.
    Returns,
    /// A target for each group and month.
    Budget,
}

/// What a price is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Unit {
    One,
    /// A hundred pieces, as its column name says.
    Hundred,
    /// One, in cents.
    Cents,
}

/// Rows of lookups that share their key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Shared {
    None,
    Identical,
    Conflicting,
    /// As many as seven of sixty.
    Many,
}

/// The choices that make a folder.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Choices {
    pub(crate) name: &'static str,
    pub(crate) language: usize,
    pub(crate) keys: Keys,
    /// Whether lookups head their key as lines do.
    pub(crate) same_titles: bool,
    /// Whether lookups have a number besides, under `id`.
    pub(crate) surrogate: bool,
    pub(crate) prices: Prices,
    pub(crate) discount: Discount,
    /// Costs with periods of their own.
    pub(crate) dated_costs: bool,
    /// How many tables follow each other behind the products: groups, then regions.
    pub(crate) chain: u8,
    /// Two customers on each line: who ordered, who pays.
    pub(crate) roles: bool,
    /// Costs of items by store: a key of two columns.
    pub(crate) by_store: bool,
    pub(crate) shared: Shared,
    pub(crate) parts: Parts,
    pub(crate) second: Second,
    /// Keys of lines in another case than those of lookups.
    pub(crate) case: bool,
    /// Columns that every table has, and that lead nowhere.
    pub(crate) decoys: bool,
    /// Keys of lines without the zeros that they begin with.
    pub(crate) zeros: bool,
    /// Some lines have keys that no lookup has.
    pub(crate) unknown: bool,
    /// What prices are for: one, or a hundred pieces, or in cents.
    pub(crate) unit: Unit,
    /// Groups and what follows them have the same column names: `code`, `name`, `parent`.
    pub(crate) same_names: bool,
    /// Lines have amounts in several currencies.
    pub(crate) currencies: bool,
    /// A price with tax beside that without.
    pub(crate) two_prices: bool,
    /// Where lines name their item.
    pub(crate) items_in: ItemsIn,
    /// Whether files are in an older encoding.
    pub(crate) encoding: Option<&'static str>,
}

/// What choices that say nothing else are.
pub(crate) const PLAIN: Choices = Choices {
    name: "",
    language: 0,
    keys: Keys::Codes,
    same_titles: true,
    surrogate: false,
    prices: Prices::InProducts,
    discount: Discount::None,
    dated_costs: false,
    chain: 1,
    roles: false,
    by_store: false,
    shared: Shared::None,
    parts: Parts::One,
    second: Second::None,
    case: false,
    decoys: false,
    zeros: false,
    unknown: false,
    unit: Unit::One,
    same_names: false,
    currencies: false,
    two_prices: false,
    items_in: ItemsIn::OneColumn,
    encoding: None,
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
