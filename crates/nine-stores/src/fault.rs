//! Points at which a test may have the program killed or interrupted, another hand change something, or a call
//! refused, as a full or broken disk would.
//!
//! Every call that changes a file passes [`before`] and, when it is over, [`point`]; calls that read pass
//! [`before`]. In builds without debug assertions all of it is nothing.

use rustix::io::Errno;

/// What a call is about to do.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Op {
    Look,
    Entry,
    Check,
    Open,
    Read,
    Create,
    Write,
    Flush,
    Rename,
    MakeFolder,
    Remove,
    Tags,
    Daybook,
}

impl Op {
    /// All of them, with their words.
    pub const ALL: [(&'static str, Op); 13] = [
        ("look", Op::Look),
        ("entry", Op::Entry),
        ("check", Op::Check),
        ("open", Op::Open),
        ("read", Op::Read),
        ("create", Op::Create),
        ("write", Op::Write),
        ("flush", Op::Flush),
        ("rename", Op::Rename),
        ("make-folder", Op::MakeFolder),
        ("remove", Op::Remove),
        ("tags", Op::Tags),
        ("daybook", Op::Daybook),
    ];
}

/// What happens at a point.
#[derive(Debug, Clone)]
pub enum Happens {
    /// The program is killed.
    Killed,
    /// The person asks it to stop.
    Stopped,
    /// Somebody else does this, as a shell understands it.
    Hand(String),
}

#[cfg(debug_assertions)]
mod armed {
    use std::sync::Mutex;
    use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

    use rustix::io::Errno;

    use super::{Happens, Op};

    /// How many points may still be passed; 0 if none was ever armed.
    static LEFT: AtomicU64 = AtomicU64::new(0);

    /// What happens then.
    static HAPPENS: Mutex<Happens> = Mutex::new(Happens::Killed);

    /// The call that is refused: what it does, how many are still let through, and with what; `None`: it panics.
    static REFUSED: Mutex<Option<(Op, u64, Option<Errno>)>> = Mutex::new(None);

    /// Whether renames with flags are refused, as some file systems do.
    static LACKS_RENAME_FLAGS: AtomicBool = AtomicBool::new(false);

    /// Has something happen at the `nth` point from now, counted from 1.
    pub fn arm(nth: u64, happens: Happens) {
        if let Ok(mut armed) = HAPPENS.lock() {
            *armed = happens;
        }
        LEFT.store(nth, Ordering::SeqCst);
    }

    /// Refuses the `nth` call of a kind from now, counted from 1, and only that one. `how` is written
    /// `write:3:28`: the kind, the number, and what the system says, or `panic`. Says whether it was understood.
    pub fn refuse(how: &str) -> bool {
        let mut parts = how.split(':');
        let mut read = || {
            let word = parts.next()?;
            let op = Op::ALL.iter().find(|(known, _)| *known == word)?.1;
            let nth = parts.next()?.parse().ok()?;
            let errno = match parts.next()? {
                "panic" => None,
                number => Some(Errno::from_raw_os_error(number.parse().ok()?)),
            };
            Some((op, nth, errno))
        };
        let refused = read();
        let understood = refused.is_some();
        if let Ok(mut armed) = REFUSED.lock() {
            *armed = refused;
        }
        understood
    }

    /// From now on no file system has renames with flags.
    pub fn lack_rename_flags() {
        LACKS_RENAME_FLAGS.store(true, Ordering::SeqCst);
    }

    /// Asked before a rename with flags.
    pub fn rename_flags() -> Result<(), Errno> {
        if LACKS_RENAME_FLAGS.load(Ordering::SeqCst) { Err(Errno::INVAL) } else { Ok(()) }
    }

    /// Whether a call is still to be refused.
    pub fn still_refuses() -> bool {
        REFUSED.lock().is_ok_and(|armed| armed.is_some())
    }

    /// Passes a point.
    pub fn point() {
        let last = LEFT.fetch_update(Ordering::SeqCst, Ordering::SeqCst, |left| left.checked_sub(1));
        if last == Ok(1) {
            happen();
        }
    }

    fn happen() {
        let signal = |signal| {
            let _ = rustix::process::kill_process(rustix::process::getpid(), signal);
        };
        let Ok(happens) = HAPPENS.lock() else { return };
        match &*happens {
            Happens::Killed => signal(rustix::process::Signal::KILL),
            Happens::Stopped => {
                signal(rustix::process::Signal::INT);
                // Until the program has noticed.
                std::thread::sleep(std::time::Duration::from_millis(20));
            }
            Happens::Hand(command) => {
                let _ = std::process::Command::new("sh").arg("-c").arg(command).status();
            }
        }
    }

    /// Passes the point before a call.
    pub fn before(op: Op) -> Result<(), Errno> {
        if !matches!(op, Op::Look | Op::Entry | Op::Check | Op::Open | Op::Read) {
            point();
        }
        let Ok(mut armed) = REFUSED.lock() else { return Ok(()) };
        match &mut *armed {
            Some((wanted, left, errno)) if *wanted == op => {
                *left = left.saturating_sub(1);
                let (left, errno) = (*left, *errno);
                if left > 0 {
                    return Ok(());
                }
                *armed = None;
                drop(armed);
                Err(errno.unwrap_or_else(|| panic!("a panic that a test asked for")))
            }
            _ => Ok(()),
        }
    }
}

#[cfg(not(debug_assertions))]
mod armed {
    use rustix::io::Errno;

    use super::{Happens, Op};

    /// Does nothing in this build.
    pub fn arm(_: u64, _: Happens) {}

    /// Does nothing in this build.
    pub fn refuse(_: &str) -> bool {
        true
    }

    /// Does nothing in this build.
    pub fn lack_rename_flags() {}

    /// Does nothing in this build.
    #[inline(always)]
    pub fn rename_flags() -> Result<(), Errno> {
        Ok(())
    }

    /// Does nothing in this build.
    pub fn still_refuses() -> bool {
        false
    }

    /// Does nothing in this build.
    #[inline(always)]
    pub fn point() {}

    /// Does nothing in this build.
    #[inline(always)]
    pub fn before(_: Op) -> Result<(), Errno> {
        Ok(())
    }
}

pub use armed::{arm, before, lack_rename_flags, point, refuse, rename_flags, still_refuses};

/// A stream whose reading may be refused.
#[derive(Debug)]
pub struct FaultyRead<R>(pub R);

impl<R: std::io::Read> std::io::Read for FaultyRead<R> {
    fn read(&mut self, room: &mut [u8]) -> std::io::Result<usize> {
        before(Op::Read).map_err(|errno: Errno| std::io::Error::from(errno))?;
        self.0.read(room)
    }
}
