//! Progress on a terminal, for what takes longer than a moment.

use std::sync::OnceLock;
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

use crate::console::Console;

/// A bar that appears only when there is something to wait for.
pub(crate) struct Progress {
    start: Instant,
    wanted: bool,
    what: &'static str,
    bar: OnceLock<ProgressBar>,
}

impl Progress {
    pub(crate) fn new(console: &Console, what: &'static str) -> Self {
        Progress { start: Instant::now(), wanted: console.shows_progress(), what, bar: OnceLock::new() }
    }

    /// Takes down how far it is.
    pub(crate) fn at(&self, done: usize, all: usize) {
        if !self.wanted || self.start.elapsed() < Duration::from_millis(250) {
            return;
        }
        let bar = self.bar.get_or_init(|| {
            let bar = ProgressBar::with_draw_target(Some(all as u64), ProgressDrawTarget::stderr_with_hz(20));
            let style = ProgressStyle::with_template("{msg} {wide_bar} {pos}/{len} files");
            bar.set_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()));
            bar.set_message(self.what);
            bar
        });
        bar.set_position(done as u64);
    }
}

impl Drop for Progress {
    fn drop(&mut self) {
        if let Some(bar) = self.bar.get() {
            bar.finish_and_clear();
        }
    }
}
