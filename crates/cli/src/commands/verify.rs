//! `interligo verify`, and what `interligo run --verify` does behind the run.

use interligo_project::Verified;
use interligo_report::{json, text};

use super::{Opened, Out};
use crate::args::{DIFFERENCES, PlanOptions, VerifyFormat, VerifyOptions};
use crate::failure::Failure;
use crate::progress::Progress;

pub(crate) fn verify(options: &VerifyOptions, out: Out<'_>) -> Result<(), Failure> {
    let opened = Opened::open(&options.plan)?;
    let verified = opened.verify(&options.outputs, options.rows)?;
    match options.format {
        VerifyFormat::Table => text::verified(out, &verified)?,
        VerifyFormat::Json => json::verified_json(out, &verified)?,
    }
    ended(&verified, out)
}

/// Verifies all outputs of the run that just ended.
pub(super) fn verify_run(plan: &PlanOptions, out: Out<'_>) -> Result<(), Failure> {
    // What the run wrote is known to a project that is opened behind it.
    let verified = Opened::open(plan)?.verify(&[], DIFFERENCES)?;
    writeln!(out)?;
    text::verified(out, &verified)?;
    ended(&verified, out)
}

fn ended(verified: &Verified, out: Out<'_>) -> Result<(), Failure> {
    out.flush()?;
    if verified.is_same() { Ok(()) } else { Err(Failure::Found) }
}

impl Opened {
    fn verify(&self, names: &[String], most: usize) -> Result<Verified, Failure> {
        let progress = Progress::new(0);
        let report = |bytes, lines| progress.advance(bytes, lines);
        let verified = self.project.verify(names, most, &report);
        progress.finish();
        verified.map_err(|error| self.failure(error))
    }
}
