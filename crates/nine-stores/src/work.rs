//! Work done side by side by several threads, and the locks they share.

use std::any::Any;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc::sync_channel;
use std::sync::{Mutex, MutexGuard, PoisonError, RwLock, RwLockReadGuard, RwLockWriteGuard};

/// What is behind a lock, also where a thread that held it ended in a panic: what it left is as good as before.
pub(crate) fn held<T: ?Sized>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// The same of a lock that several may read.
pub(crate) fn read_held<T>(lock: &RwLock<T>) -> RwLockReadGuard<'_, T> {
    lock.read().unwrap_or_else(PoisonError::into_inner)
}

/// The same, to change what is behind it.
pub(crate) fn write_held<T>(lock: &RwLock<T>) -> RwLockWriteGuard<'_, T> {
    lock.write().unwrap_or_else(PoisonError::into_inner)
}

/// What was behind a lock that nobody holds any more.
pub(crate) fn released<T>(mutex: Mutex<T>) -> T {
    mutex.into_inner().unwrap_or_else(PoisonError::into_inner)
}

/// A panic, with the item that was being read when it happened.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ItemPanic {
    /// The item, as it is shown to the user; empty if unknown.
    pub item: String,
    /// The message of the panic.
    pub message: String,
}

impl ItemPanic {
    /// Reads the payload of a panic.
    pub fn of(payload: &(dyn Any + Send)) -> Self {
        if let Some(named) = payload.downcast_ref::<Self>() {
            return named.clone();
        }
        let text = payload.downcast_ref::<&str>().map(|text| (*text).to_owned());
        let message = text.or_else(|| payload.downcast_ref::<String>().cloned());
        Self { item: String::new(), message: message.unwrap_or_else(|| "no message".into()) }
    }
}

/// Does `work` on an item. A panic in it continues as an [`ItemPanic`] that names the item.
pub fn with_item_named<T>(item: impl FnOnce() -> String, work: impl FnOnce() -> T) -> T {
    catch_unwind(AssertUnwindSafe(work)).unwrap_or_else(|payload| {
        let panic = ItemPanic::of(&*payload);
        let item = if panic.item.is_empty() { item() } else { panic.item };
        resume_unwind(Box::new(ItemPanic { item, ..panic }))
    })
}

/// Calls its function when it is dropped during a panic, for example to wake other threads.
pub(crate) struct OnPanic<F: FnMut()>(pub F);

impl<F: FnMut()> Drop for OnPanic<F> {
    fn drop(&mut self) {
        if std::thread::panicking() {
            (self.0)();
        }
    }
}

/// Runs `work` on this many threads, and `beside` on the calling thread. A panic of a thread continues here with its
/// payload, after all threads have ended.
pub(crate) fn on_threads<T>(threads: usize, work: impl Fn() + Sync, beside: impl FnOnce() -> T) -> T {
    std::thread::scope(|scope| {
        let handles: Vec<_> = (0..threads).map(|_| scope.spawn(&work)).collect();
        let result = beside();
        let ended: Vec<_> = handles.into_iter().map(std::thread::ScopedJoinHandle::join).collect();
        match ended.into_iter().find_map(Result::err) {
            Some(payload) => resume_unwind(payload),
            None => result,
        }
    })
}

/// How many threads are worth their making on this machine.
pub fn threads() -> usize {
    std::thread::available_parallelism().map_or(1, usize::from).min(8)
}

/// How many answers may wait to be taken.
const WAITING: usize = 128;

/// Does `work` with each of `items` on so many threads, each of which has a `state` of its own, and hands over what
/// comes of it, with the item's number, as it comes. A thread that answers `None` takes no further item.
pub fn side_by_side<T: Sync, S, R: Send>(
    items: &[T],
    threads: usize,
    state: impl Fn() -> S + Sync,
    work: impl Fn(&mut S, &T) -> Option<R> + Sync,
    mut each: impl FnMut(usize, R),
) {
    let threads = threads.min(items.len());
    if threads < 2 {
        let mut state = state();
        let answers = items.iter().map_while(|item| work(&mut state, item));
        return answers.enumerate().for_each(|(at, answer)| each(at, answer));
    }
    let next = AtomicUsize::new(0);
    let (send, receive) = sync_channel(WAITING);
    // Each thread takes one; the channel closes when the last of them is dropped, also by a panic.
    let senders = Mutex::new(vec![send; threads]);
    let worker = || {
        let Some(send) = held(&senders).pop() else { return };
        let mut state = state();
        loop {
            let at = next.fetch_add(1, Ordering::Relaxed);
            let Some(answer) = items.get(at).and_then(|item| work(&mut state, item)) else { break };
            if send.send((at, answer)).is_err() {
                break;
            }
        }
    };
    on_threads(threads, worker, || receive.into_iter().for_each(|(at, answer)| each(at, answer)));
}

/// What `work` makes of each of `items`, in their order, made by all threads that are worth it; each takes so many of them
/// at once as a `share` is.
pub fn made_of_each<T: Sync, R: Send>(items: &[T], share: usize, work: impl Fn(&T) -> R + Sync) -> Vec<R> {
    let shares: Vec<&[T]> = items.chunks(share).collect();
    let mut made: Vec<Vec<R>> = shares.iter().map(|_| Vec::new()).collect();
    let make = |(): &mut (), share: &&[T]| Some(share.iter().map(&work).collect());
    side_by_side(&shares, threads(), || (), make, |at, own| made[at] = own);
    made.into_iter().flatten().collect()
}

/// What two do, one beside the other.
pub fn beside<A, B: Send>(one: impl FnOnce() -> A, other: impl FnOnce() -> B + Send) -> (A, B) {
    std::thread::scope(|scope| {
        let other = scope.spawn(other);
        (one(), other.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_item_is_worked_at_once_whatever_the_threads() {
        for threads in [1, 2, 7] {
            let items: Vec<usize> = (0..1000).collect();
            let mut answers = vec![0; items.len()];
            side_by_side(
                &items,
                threads,
                || (),
                |(), item| Some(item * 2),
                |at, answer| answers[at] += answer,
            );
            assert!(answers.iter().enumerate().all(|(at, answer)| *answer == at * 2), "{threads}");
        }
    }

    #[test]
    fn what_is_made_of_each_stands_in_their_order() {
        for (many, share) in [(0, 1), (1, 3), (1000, 1), (1000, 7), (1000, 2000)] {
            let items: Vec<usize> = (0..many).collect();
            let made = made_of_each(&items, share, |item| item * 2);
            assert_eq!(made, items.iter().map(|item| item * 2).collect::<Vec<_>>(), "{many} by {share}");
        }
    }

    #[test]
    fn a_panic_names_its_item_and_ends_all_threads() {
        let items: Vec<usize> = (0..1000).collect();
        let work = |(): &mut (), item: &usize| {
            with_item_named(|| format!("item {item}"), || assert_ne!(*item, 300, "three hundred"));
            Some(())
        };
        let ended = catch_unwind(|| side_by_side(&items, 3, || (), work, |_, ()| {}));
        let panic = ItemPanic::of(&*ended.unwrap_err());
        assert_eq!(panic.item, "item 300");
        assert!(panic.message.contains("three hundred"), "{panic:?}");
    }

    #[test]
    fn a_thread_that_stops_takes_no_more() {
        let items: Vec<usize> = (0..1000).collect();
        let mut seen = 0;
        side_by_side(
            &items,
            3,
            || 0,
            |done, _| {
                *done += 1;
                (*done <= 5).then_some(())
            },
            |_, ()| seen += 1,
        );
        assert!(seen <= 15, "{seen}");
    }
}
