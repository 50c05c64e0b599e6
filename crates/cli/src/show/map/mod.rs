//! The map of tables and links: which table hangs on which, through what.

mod picture;
mod tree;

pub(crate) use picture::map_svg;
pub(crate) use tree::map_text;
