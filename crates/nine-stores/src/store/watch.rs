//! How far a long task is.

use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// How far a long task is, and whether it should end early. Shared between threads.
#[derive(Debug, Default)]
pub struct Watch {
    entries: AtomicU64,
    bytes: AtomicU64,
    most: AtomicU64,
    stop: AtomicBool,
}

impl Watch {
    /// How many entries have been seen.
    pub fn entries(&self) -> u64 {
        self.entries.load(Ordering::Relaxed)
    }

    /// Counts entries.
    pub fn saw(&self, entries: u64) {
        self.entries.fetch_add(entries, Ordering::Relaxed);
    }

    /// How many bytes have been read, and how many there are to read at most.
    pub fn bytes(&self) -> (u64, u64) {
        (self.bytes.load(Ordering::Relaxed), self.most.load(Ordering::Relaxed))
    }

    /// Counts bytes that were read.
    pub fn read(&self, bytes: u64) {
        self.bytes.fetch_add(bytes, Ordering::Relaxed);
    }

    /// Adds bytes that may have to be read.
    pub fn expect(&self, bytes: u64) {
        self.most.fetch_add(bytes, Ordering::Relaxed);
    }

    /// Takes off bytes that need not be read after all.
    pub fn spare(&self, bytes: u64) {
        let _ = self
            .most
            .fetch_update(Ordering::Relaxed, Ordering::Relaxed, |most| Some(most.saturating_sub(bytes)));
    }

    /// Asks the task to end after the step in hand.
    pub fn stop(&self) {
        self.stop.store(true, Ordering::Relaxed);
    }

    /// Whether it was asked to end.
    pub fn is_stopped(&self) -> bool {
        self.stop.load(Ordering::Relaxed)
    }
}
