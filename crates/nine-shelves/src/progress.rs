//! Progress on standard error: after half a second, and only on a terminal.

use std::io::IsTerminal;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use nine_core::amount::readable;
use nine_stores::Watch;

const QUIET: Duration = Duration::from_millis(500);
const TICK: Duration = Duration::from_millis(100);

/// Does `work` while showing how many bytes were read of those that may have to be.
pub fn of_bytes<T>(label: &str, watch: &Watch, work: impl FnOnce() -> T) -> T {
    show(|over| poll_bytes(label, watch, over), work)
}

/// Does `work` while showing how many entries `watch` has seen, out of `total` where that is known.
pub fn during<T>(label: &str, total: Option<u64>, watch: &Watch, work: impl FnOnce() -> T) -> T {
    show(|over| poll(label, total, watch, over), work)
}

fn show<T>(poll: impl FnOnce(&AtomicBool) + Send, work: impl FnOnce() -> T) -> T {
    if !std::io::stderr().is_terminal() {
        return work();
    }
    let over = AtomicBool::new(false);
    std::thread::scope(|scope| {
        let poller = scope.spawn(|| poll(&over));
        let result = work();
        over.store(true, Ordering::Release);
        poller.thread().unpark();
        result
    })
}

fn poll_bytes(label: &str, watch: &Watch, over: &AtomicBool) {
    let start = Instant::now();
    let mut bar: Option<ProgressBar> = None;
    while !over.load(Ordering::Acquire) {
        std::thread::park_timeout(TICK);
        if start.elapsed() < QUIET {
            continue;
        }
        let (read, most) = watch.bytes();
        let bar = bar.get_or_insert_with(|| {
            let bar = ProgressBar::with_draw_target(Some(most), ProgressDrawTarget::stderr());
            let style = ProgressStyle::with_template("{msg}");
            bar.with_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()))
        });
        // What is to be read gets less as differences are found, so no time is promised.
        bar.set_message(format!("{label}: {} read of {} at most", readable(read), readable(most.max(read))));
        bar.tick();
    }
    if let Some(bar) = bar {
        bar.finish_and_clear();
    }
}

fn poll(label: &str, total: Option<u64>, watch: &Watch, over: &AtomicBool) {
    let start = Instant::now();
    let mut bar: Option<ProgressBar> = None;
    while !over.load(Ordering::Acquire) {
        std::thread::park_timeout(TICK);
        if start.elapsed() < QUIET {
            continue;
        }
        let bar = bar.get_or_insert_with(|| {
            let bar = ProgressBar::with_draw_target(total, ProgressDrawTarget::stderr());
            let template = if total.is_some() {
                "{msg} {human_pos} of {human_len}, {eta} left"
            } else {
                "{msg} {human_pos}"
            };
            bar.set_style(
                ProgressStyle::with_template(template).unwrap_or_else(|_| ProgressStyle::default_bar()),
            );
            bar.with_message(label.to_owned())
        });
        bar.set_position(watch.entries());
    }
    if let Some(bar) = bar {
        bar.finish_and_clear();
    }
}
