//! Points at which a test may have the program killed, as a loss of power would.
//!
//! Every call that changes a file passes [`point`] before and after it acts. In builds without
//! debug assertions the points are nothing.

#[cfg(debug_assertions)]
mod armed {
    use std::sync::atomic::{AtomicU64, Ordering};

    /// How many points may still be passed; 0 if none was ever armed.
    static LEFT: AtomicU64 = AtomicU64::new(0);

    /// Kills the program at the `nth` point from now, counted from 1.
    pub fn arm(nth: u64) {
        LEFT.store(nth, Ordering::SeqCst);
    }

    /// Passes a point.
    pub fn point() {
        let last = LEFT.fetch_update(Ordering::SeqCst, Ordering::SeqCst, |left| left.checked_sub(1));
        if last == Ok(1) {
            let _ = rustix::process::kill_process(rustix::process::getpid(), rustix::process::Signal::KILL);
        }
    }
}

#[cfg(not(debug_assertions))]
mod armed {
    /// Does nothing in this build.
    pub fn arm(_: u64) {}

    /// Does nothing in this build.
    #[inline(always)]
    pub fn point() {}
}

pub use armed::{arm, point};
