//! What pictures share: their colours, and text that is safe in them.

mod bridge;
mod calendar;
mod map;

pub use bridge::bridge_svg;
pub use calendar::calendar_svg;
pub use map::map_svg;

/// Lines and letters.
pub const INK: &str = "#2d2a26";
/// What is as it should be.
pub const WELL: &str = "#3f7d5d";
/// What is not.
pub const POOR: &str = "#a3392f";

/// A text with the characters that have a meaning of their own in SVG.
pub fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}
