//! Work that several threads take from one another.

use std::ops::Range;
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};

use nine_core::copies::END;
use nine_core::tree::Tree;

use super::round::{HashAnswer, Whole};
use crate::work::{held, released};

/// Small files that a thread takes at once.
const SHARE: usize = 32;

/// Work that is left, and what was found out.
#[derive(Default)]
pub struct Queue {
    /// Before anything else, so that the ends at hand are few.
    pub wholes: Vec<Whole>,
    /// Numbers of runs of files that are larger than their ends.
    pub runs: Range<usize>,
    /// Threads that may yet add to the wholes.
    pub busy: usize,
    /// What was found out so far.
    pub found: Vec<HashAnswer>,
}

/// A piece of work.
pub enum Work {
    /// The ends of the files of one size, by the number of their run.
    Run(usize),
    /// Whole files.
    Wholes(Vec<Whole>),
}

/// Where the threads meet.
pub struct Bench {
    queue: Mutex<Queue>,
    more: Condvar,
}

impl Bench {
    /// Lays out the work.
    pub fn new(queue: Queue) -> Self {
        Self { queue: Mutex::new(queue), more: Condvar::new() }
    }

    /// Tells the threads that wait to look again.
    pub fn tell_all(&self) {
        self.more.notify_all();
    }

    /// Drops the work that is left, so that no thread waits for more.
    pub fn close(&self) {
        let mut queue = self.lock();
        *queue = Queue { found: std::mem::take(&mut queue.found), ..Queue::default() };
        self.tell_all();
    }

    /// What was found out, once all threads have ended.
    pub fn into_found(self) -> Vec<HashAnswer> {
        released(self.queue).found
    }

    /// The queue, for this thread alone.
    pub fn lock(&self) -> MutexGuard<'_, Queue> {
        held(&self.queue)
    }

    /// The next piece of work; waits while another thread may add some.
    pub fn take(&self, trees: &[&Tree]) -> Option<Work> {
        let mut queue = self.lock();
        loop {
            if let Some(last) = queue.wholes.last() {
                let small = last.member.tree(trees).size(last.member.id) <= 2 * END;
                let many = if small { SHARE.min(queue.wholes.len()) } else { 1 };
                let from = queue.wholes.len() - many;
                return Some(Work::Wholes(queue.wholes.split_off(from)));
            }
            if let Some(run) = queue.runs.next() {
                queue.busy += 1;
                return Some(Work::Run(run));
            }
            if queue.busy == 0 {
                return None;
            }
            queue = self.more.wait(queue).unwrap_or_else(PoisonError::into_inner);
        }
    }
}
