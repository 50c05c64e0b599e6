//! A progress bar, on a terminal and only for work of over a second.

use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

use interligo_report::text::counted;

/// How many slices of a run are done.
pub(crate) struct SlicesProgress(ProgressBar);

impl SlicesProgress {
    pub(crate) fn new(slices: usize) -> SlicesProgress {
        let bar = ProgressBar::with_draw_target(Some(slices as u64), ProgressDrawTarget::stderr());
        if let Ok(style) =
            ProgressStyle::with_template("  {pos} of {len} slices {wide_bar} {elapsed}")
        {
            bar.set_style(style);
        }
        SlicesProgress(bar)
    }

    pub(crate) fn done(&self, slices: usize) {
        self.0.set_position(slices as u64);
    }

    pub(crate) fn finish(&self) {
        self.0.finish_and_clear();
    }
}

/// Bytes and lines read so far.
pub(crate) struct Progress {
    bar: ProgressBar,
    lines: AtomicU64,
    started: Instant,
    shown: AtomicBool,
}

impl Progress {
    pub(crate) fn new(bytes: u64) -> Progress {
        let bar = ProgressBar::with_draw_target(Some(bytes), ProgressDrawTarget::hidden());
        // How much a database or workbook has to give is not known beforehand.
        let template = match bytes {
            0 => "  {spinner} {msg}, {elapsed}",
            _ => "  {bytes} of {total_bytes}, {msg} {wide_bar} {bytes_per_sec}, {eta} to go",
        };
        if let Ok(style) = ProgressStyle::with_template(template) {
            bar.set_style(style);
        }
        let lines = AtomicU64::new(0);
        Progress { bar, lines, started: Instant::now(), shown: AtomicBool::new(false) }
    }

    /// More was read.
    pub(crate) fn advance(&self, bytes: u64, lines: u64) {
        match self.bar.length() {
            Some(0) | None => self.bar.tick(),
            Some(_) => self.bar.inc(bytes),
        }
        let lines = self.lines.fetch_add(lines, Ordering::Relaxed) + lines;
        let late = self.started.elapsed() > Duration::from_secs(1);
        if late && !self.shown.swap(true, Ordering::Relaxed) {
            // On anything but a terminal this target draws nothing.
            self.bar.set_draw_target(ProgressDrawTarget::stderr());
        }
        if late {
            self.bar.set_message(counted(lines, "line"));
        }
    }

    pub(crate) fn finish(&self) {
        self.bar.finish_and_clear();
    }
}
