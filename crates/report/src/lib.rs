//! Results as text, tables and pictures, from results that are finished: nothing is computed here, and no path opened.
//!
//! - [`text`]: for people, and as comma-separated text.
//! - [`json`]: for programs, from types that are its documented shape.
//! - [`svg`]: pictures in the open format SVG.
//! - [`html`]: one page with all of it, for reading in a browser.
//! - [`finding_help`]: what each kind of finding means, and what settles it.
//! - [`visible`]: characters that a terminal would obey are shown as what they are.

mod axis;
mod explained;
pub mod finding_help;
pub mod html;
pub mod json;
pub mod output;
pub mod svg;
pub mod text;
pub mod visible;
