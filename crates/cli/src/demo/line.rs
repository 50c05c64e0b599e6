//! A made-up sales line, and the order that it is of.

/// One sales line.
pub(super) struct Line {
    pub(super) item: String,
    pub(super) quantity: i64,
    /// What somebody typed behind the quantity.
    pub(super) unit: &'static str,
    pub(super) discount: &'static str,
    /// What somebody typed behind the last field.
    pub(super) note: &'static str,
}

/// What the lines of an order share.
pub(super) struct Order<'a> {
    pub(super) number: String,
    pub(super) day: (u32, u32, u32),
    pub(super) customer: &'a str,
}
