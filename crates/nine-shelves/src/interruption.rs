//! What happens when the person interrupts: the step in hand is ended first.

use std::io::Write;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use nine_stores::Watch;

/// Whether steps are being carried out, so that an interruption must wait for the one in hand.
static CARRYING: AtomicBool = AtomicBool::new(false);

/// Marks that steps are being carried out, or no longer.
pub fn carrying(now: bool, watch: &Arc<Watch>) {
    if now {
        listen(Arc::clone(watch));
    }
    CARRYING.store(now, Ordering::SeqCst);
}

/// Whether the review has the terminal.
static ON_SCREEN: AtomicBool = AtomicBool::new(false);

/// Marks that the review has the terminal, which is given back whole when the program is ended from outside, or no
/// longer.
pub fn on_screen(now: bool, watch: &Arc<Watch>) {
    if now {
        listen(Arc::clone(watch));
    }
    ON_SCREEN.store(now, Ordering::SeqCst);
}

/// Whether the review has the terminal, so that nothing else may be written to it.
pub fn is_on_screen() -> bool {
    ON_SCREEN.load(Ordering::SeqCst)
}

/// Whether signals are taken by whoever watches what arrives.
static WATCHING: AtomicBool = AtomicBool::new(false);

/// Leaves the signals to whoever watches what arrives.
pub fn leave_signals() {
    WATCHING.store(true, Ordering::SeqCst);
}

fn listen(watch: Arc<Watch>) {
    if WATCHING.load(Ordering::SeqCst) {
        return;
    }
    // Another handler can only be there in a test that embeds this; then nothing is lost.
    let _ = ctrlc::set_handler(move || {
        if is_on_screen() {
            crate::review::give_back_for_good();
            std::process::exit(130);
        }
        // Who asks twice does not want to wait; what is half-done is found by the next command.
        if !CARRYING.load(Ordering::SeqCst) || watch.is_stopped() {
            std::process::exit(130);
        }
        watch.stop();
        std::thread::spawn(end_before_long);
    });
}

/// Ends the program if the step in hand does not: it waits for a disk, or for a drive that does not answer.
fn end_before_long() {
    std::thread::sleep(Duration::from_millis(900));
    if CARRYING.load(Ordering::SeqCst) {
        let words = "Stopped in the middle of a step; the next command finds out how far it got.";
        let _ = writeln!(crate::output::err(), "{words}");
        std::process::exit(130);
    }
}
