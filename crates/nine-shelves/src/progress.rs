//! Progress on standard error: after half a second, and only on a terminal.

use std::io::IsTerminal;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use nine_stores::Watch;

const QUIET: Duration = Duration::from_millis(500);
const TICK: Duration = Duration::from_millis(100);

/// Does `work` while showing how many entries `watch` has seen, out of `total` where that is known.
pub fn during<T>(label: &str, total: Option<u64>, watch: &Watch, work: impl FnOnce() -> T) -> T {
    if !std::io::stderr().is_terminal() {
        return work();
    }
    let over = AtomicBool::new(false);
    std::thread::scope(|scope| {
        let poller = scope.spawn(|| poll(label, total, watch, &over));
        let result = work();
        over.store(true, Ordering::Release);
        poller.thread().unpark();
        result
    })
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
