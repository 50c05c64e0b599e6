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
