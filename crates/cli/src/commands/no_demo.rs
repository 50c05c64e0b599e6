//! `interligo demo` in a program that was built without the formats of the demo's files.

use super::Out;
use crate::args::DemoOptions;
use crate::failure::Failure;

pub(crate) fn demo(_: &DemoOptions, _: Out<'_>) -> Result<(), Failure> {
    Err(Failure::NoDemo)
}
