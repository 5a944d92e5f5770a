//! Progress on standard error: after half a second, and only on a terminal.

use std::io::IsTerminal;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::Thread;
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
    show(|over| poll_entries(label, total, watch, over), work)
}

/// Carries a run out while showing how many steps are over, and, where `reading` counts bytes that are
/// compared or summed up, those.
pub fn of_run<T>(total: u64, steps: &Watch, reading: &Watch, work: impl FnOnce() -> T) -> T {
    let before = reading.bytes().0;
    let message = || match reading.bytes().0 - before {
        0 => format!("step {} of {total}", steps.entries()),
        bytes => {
            format!("step {} of {total}, {} copied, compared or summed up", steps.entries(), readable(bytes))
        }
    };
    let tell = |bar: &ProgressBar| {
        bar.set_message(message());
        bar.tick();
    };
    show(|over| poll(over, || bar(None, "{msg}"), tell), work)
}

fn show<T>(poll: impl FnOnce(&AtomicBool) + Send, work: impl FnOnce() -> T) -> T {
    if !std::io::stderr().is_terminal() || crate::interruption::is_on_screen() {
        return work();
    }
    let over = AtomicBool::new(false);
    std::thread::scope(|scope| {
        let poller = scope.spawn(|| poll(&over));
        let _ends_also_on_a_panic = Over { over: &over, poller: poller.thread() };
        work()
    })
}

/// Ends the thread that shows progress when it is dropped.
struct Over<'a> {
    over: &'a AtomicBool,
    poller: &'a Thread,
}

impl Drop for Over<'_> {
    fn drop(&mut self) {
        self.over.store(true, Ordering::Release);
        self.poller.unpark();
    }
}

/// Shows what has happened so far until it is over; nothing at all if that is soon.
fn poll(over: &AtomicBool, new: impl Fn() -> ProgressBar, show: impl Fn(&ProgressBar)) {
    let start = Instant::now();
    let mut bar: Option<ProgressBar> = None;
    while !over.load(Ordering::Acquire) {
        std::thread::park_timeout(TICK);
        if start.elapsed() >= QUIET {
            show(bar.get_or_insert_with(&new));
        }
    }
    if let Some(bar) = bar {
        bar.finish_and_clear();
    }
}

fn bar(total: Option<u64>, template: &str) -> ProgressBar {
    let style = ProgressStyle::with_template(template);
    ProgressBar::with_draw_target(total, ProgressDrawTarget::stderr())
        .with_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()))
}

fn poll_entries(label: &str, total: Option<u64>, watch: &Watch, over: &AtomicBool) {
    let template = match total {
        Some(_) => "{msg} {human_pos} of {human_len}, {eta} left",
        None => "{msg} {human_pos}",
    };
    let new = || bar(total, template).with_message(label.to_owned());
    poll(over, new, |bar| bar.set_position(watch.entries()));
}

/// What is to be read gets less as differences are found, so no time is promised.
fn poll_bytes(label: &str, watch: &Watch, over: &AtomicBool) {
    let show = |bar: &ProgressBar| {
        let (read, most) = watch.bytes();
        bar.set_message(format!("{label}: {} read of {} at most", readable(read), readable(most.max(read))));
        bar.tick();
    };
    poll(over, || bar(None, "{msg}"), show);
}
