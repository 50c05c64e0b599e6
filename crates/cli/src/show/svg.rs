//! What pictures share: their colours, and text that is safe in them.

/// Lines and letters.
pub(super) const INK: &str = "#2d2a26";
/// What is as it should be.
pub(super) const WELL: &str = "#3f7d5d";
/// What is not.
pub(super) const POOR: &str = "#a3392f";

/// A text with the signs that have a meaning of their own in SVG.
pub(super) fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}
