//! A progress bar, on a terminal and only for work of over a second.

use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

/// Bytes read so far.
pub(crate) struct Progress {
    bar: ProgressBar,
    started: Instant,
    shown: AtomicBool,
}

impl Progress {
    pub(crate) fn new(bytes: u64) -> Progress {
        let bar = ProgressBar::with_draw_target(Some(bytes), ProgressDrawTarget::hidden());
        if let Ok(style) =
            ProgressStyle::with_template("  {bytes} of {total_bytes} {wide_bar} {eta}")
        {
            bar.set_style(style);
        }
        Progress { bar, started: Instant::now(), shown: AtomicBool::new(false) }
    }

    /// More was read.
    pub(crate) fn advance(&self, bytes: u64) {
        self.bar.inc(bytes);
        let late = self.started.elapsed() > Duration::from_secs(1);
        if late && !self.shown.swap(true, Ordering::Relaxed) {
            // On anything but a terminal this target draws nothing.
            self.bar.set_draw_target(ProgressDrawTarget::stderr());
        }
    }

    pub(crate) fn finish(&self) {
        self.bar.finish_and_clear();
    }
}
