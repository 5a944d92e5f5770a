//! What the kernel tells of folders (inotify(7)), of mounts (proc_pid_mountinfo(5)), and a clock that goes on while the
//! machine sleeps. Nothing is asked again and again: who waits is woken.

use std::collections::HashMap;
use std::fs::File;
use std::mem::MaybeUninit;
use std::os::fd::{AsFd, BorrowedFd, OwnedFd};
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::time::Duration;

use nine_core::place::{Name, NameBuf};
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::fs::inotify::{self, CreateFlags, ReadFlags, WatchFlags};
use rustix::io::Errno;
use rustix::time::{
    Itimerspec, TimerfdClockId, TimerfdFlags, TimerfdTimerFlags, timerfd_create, timerfd_settime,
};

use super::kinds::is_far;
use crate::{StoreError, StoreResult};

/// What is told of a folder: what came into it, was written or was tagged there; not what is only read.
const WANTED: WatchFlags = WatchFlags::CREATE
    .union(WatchFlags::MOVED_TO)
    .union(WatchFlags::CLOSE_WRITE)
    .union(WatchFlags::ATTRIB)
    .union(WatchFlags::MOVE_SELF)
    .union(WatchFlags::DELETE_SELF)
    .union(WatchFlags::ONLYDIR)
    .union(WatchFlags::EXCL_UNLINK);

/// The folder itself is not there any more, or not under its name.
const LOST: ReadFlags =
    ReadFlags::MOVE_SELF.union(ReadFlags::DELETE_SELF).union(ReadFlags::UNMOUNT).union(ReadFlags::IGNORED);

/// Room for some hundred events.
const ROOM: usize = 64 * 1024;

/// Why a folder is not watched.
#[derive(Debug)]
pub enum Unwatched {
    /// The kernel's limit is reached (`fs.inotify.max_user_watches`, or `max_user_instances`).
    Limit,
    /// Anything else.
    Store(StoreError),
}

/// Something that happened.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Happened {
    /// In a watched folder, with the name of what it happened to.
    In(u64, NameBuf),
    /// A watched folder is not there any more, or not under its name.
    Lost(u64),
    /// The kernel could not keep up: whatever happened, nobody knows.
    Overflow,
    /// Something was mounted or unmounted.
    Mounts,
    /// Somebody outside wants something.
    Woken,
}

/// What is waited for.
#[derive(Debug)]
pub struct Events {
    inotify: OwnedFd,
    /// By the kernel's number of a watch, of which a folder has one however often it is watched.
    watched: HashMap<i32, Vec<u64>>,
    mounts: Option<File>,
    timer: OwnedFd,
}

impl Events {
    /// Nothing is watched yet.
    ///
    /// # Errors
    /// If the kernel gives no more of what it needs.
    pub fn new() -> Result<Self, Unwatched> {
        let timer = timerfd_create(TimerfdClockId::Boottime, TimerfdFlags::CLOEXEC | TimerfdFlags::NONBLOCK);
        Ok(Self {
            inotify: inotify::init(CreateFlags::CLOEXEC | CreateFlags::NONBLOCK).map_err(unwatched)?,
            watched: HashMap::new(),
            mounts: File::open("/proc/self/mountinfo").ok(),
            timer: timer.map_err(unwatched)?,
        })
    }

    /// Watches a folder, under a number of the caller's. Several folders may have one number, and one folder several.
    ///
    /// # Errors
    /// If that cannot be.
    pub fn watch(&mut self, folder: &Path, number: u64) -> Result<(), Unwatched> {
        let watch = inotify::add_watch(&self.inotify, folder, WANTED).map_err(unwatched)?;
        let numbers = self.watched.entry(watch).or_default();
        if !numbers.contains(&number) {
            numbers.push(number);
        }
        Ok(())
    }

    /// Watches the nearest folder above one that is not there, so that its coming back is seen.
    pub fn watch_above(&mut self, folder: &Path, number: u64) -> Option<PathBuf> {
        let there = folder.ancestors().skip(1).find(|above| above.is_dir())?;
        self.watch(there, number).ok().map(|()| there.to_owned())
    }

    /// Watches the folders of a number no more.
    pub fn unwatch(&mut self, number: u64) {
        for numbers in self.watched.values_mut() {
            numbers.retain(|known| *known != number);
        }
        for (watch, _) in self.watched.extract_if(|_, numbers| numbers.is_empty()) {
            let _ = inotify::remove_watch(&self.inotify, watch);
        }
    }

    /// How many folders are watched.
    pub fn len(&self) -> usize {
        self.watched.len()
    }

    /// Whether none is.
    pub fn is_empty(&self) -> bool {
        self.watched.is_empty()
    }

    /// Waits until something happens, `wake` can be read, or a time is over, which may be never. The time goes on while
    /// the machine sleeps.
    ///
    /// # Errors
    /// If it cannot be waited.
    pub fn wait(&mut self, time: Option<Duration>, wake: BorrowedFd) -> StoreResult<Vec<Happened>> {
        self.set_timer(time)?;
        let mut waits = vec![
            PollFd::new(&self.inotify, PollFlags::IN),
            PollFd::from_borrowed_fd(wake, PollFlags::IN),
            PollFd::new(&self.timer, PollFlags::IN),
        ];
        if let Some(mounts) = &self.mounts {
            waits.push(PollFd::new(mounts, PollFlags::PRI));
        }
        match poll(&mut waits, None) {
            Ok(_) => {}
            Err(Errno::INTR) => return Ok(vec![Happened::Woken]),
            Err(error) => return Err(error.into()),
        }
        let is_ready: Vec<bool> = waits.iter().map(|wait| !wait.revents().is_empty()).collect();
        drop(waits);
        let mut happened = Vec::new();
        if is_ready[0] {
            self.read(&mut happened)?;
        }
        if is_ready[1] {
            happened.push(Happened::Woken);
        }
        if is_ready.get(3) == Some(&true) {
            // To be told again, it must be opened anew.
            self.mounts = File::open("/proc/self/mountinfo").ok();
            happened.push(Happened::Mounts);
        }
        Ok(happened)
    }

    fn set_timer(&self, time: Option<Duration>) -> StoreResult<()> {
        // A time of nothing would disarm it.
        let time = time.map(|time| time.max(Duration::from_nanos(1)));
        let value = match time {
            Some(time) => {
                Timespec::try_from(time).unwrap_or(Timespec { tv_sec: i32::MAX.into(), tv_nsec: 0 })
            }
            None => Timespec { tv_sec: 0, tv_nsec: 0 },
        };
        let timer = Itimerspec { it_interval: Timespec { tv_sec: 0, tv_nsec: 0 }, it_value: value };
        timerfd_settime(&self.timer, TimerfdTimerFlags::empty(), &timer)?;
        Ok(())
    }

    fn read(&mut self, happened: &mut Vec<Happened>) -> StoreResult<()> {
        let mut room = [MaybeUninit::uninit(); ROOM];
        let mut reader = inotify::Reader::new(self.inotify.as_fd(), &mut room);
        let mut gone = Vec::new();
        loop {
            let event = match reader.next() {
                Ok(event) => event,
                Err(Errno::AGAIN) => break,
                Err(Errno::INTR) => continue,
                Err(error) => return Err(error.into()),
            };
            if event.events().contains(ReadFlags::QUEUE_OVERFLOW) {
                happened.push(Happened::Overflow);
                continue;
            }
            // Events of a watch that was given up are still on their way.
            let Some(numbers) = self.watched.get(&event.wd()) else { continue };
            if event.events().intersects(LOST) {
                gone.push((event.wd(), event.events()));
                happened.extend(numbers.iter().map(|number| Happened::Lost(*number)));
            } else if let Some(name) = event.file_name().and_then(|name| Name::new(name.to_bytes())) {
                happened.extend(numbers.iter().map(|number| Happened::In(*number, name.into())));
            }
        }
        for (watch, _) in gone.iter().filter(|(_, how)| how.intersects(ReadFlags::IGNORED)) {
            self.watched.remove(watch);
        }
        happened.dedup();
        Ok(())
    }
}

fn unwatched(errno: Errno) -> Unwatched {
    match errno {
        Errno::NOSPC | Errno::MFILE | Errno::NFILE | Errno::NOMEM => Unwatched::Limit,
        other => Unwatched::Store(other.into()),
    }
}

/// Whether the kernel tells of all that happens in a folder. Of one that others change over a network, or a program of the
/// person's provides, it tells only what is done here.
pub fn is_told(folder: &Path) -> bool {
    let Ok(path) = std::ffi::CString::new(folder.as_os_str().as_bytes()) else { return false };
    rustix::fs::statfs(path.as_c_str()).is_ok_and(|found| !is_far(&found))
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;

    fn never() -> OwnedFd {
        timerfd_create(TimerfdClockId::Monotonic, TimerfdFlags::CLOEXEC).unwrap()
    }

    fn name(text: &str) -> NameBuf {
        NameBuf::new(text).unwrap()
    }

    #[test]
    fn what_comes_is_told_with_its_name_and_what_is_read_is_not() {
        let (dir, wake) = (tempfile::tempdir().unwrap(), never());
        let mut events = Events::new().unwrap();
        events.watch(dir.path(), 7).unwrap();
        fs::write(dir.path().join("a"), "x").unwrap();
        let told = events.wait(Some(Duration::from_secs(5)), wake.as_fd()).unwrap();
        assert_eq!(told.first(), Some(&Happened::In(7, name("a"))), "{told:?}");
        fs::read(dir.path().join("a")).unwrap();
        fs::read_dir(dir.path()).unwrap().for_each(drop);
        assert_eq!(events.wait(Some(Duration::from_millis(30)), wake.as_fd()).unwrap(), []);
        fs::remove_file(dir.path().join("a")).unwrap();
        let _ = events.wait(Some(Duration::from_millis(30)), wake.as_fd()).unwrap();
        events.unwatch(7);
        fs::write(dir.path().join("b"), "x").unwrap();
        assert_eq!(events.wait(Some(Duration::from_millis(30)), wake.as_fd()).unwrap(), []);
    }

    #[test]
    fn a_folder_that_goes_is_told_and_seen_coming_back() {
        let (dir, wake) = (tempfile::tempdir().unwrap(), never());
        let pile = dir.path().join("pile");
        fs::create_dir(&pile).unwrap();
        let mut events = Events::new().unwrap();
        events.watch(&pile, 1).unwrap();
        fs::rename(&pile, dir.path().join("other")).unwrap();
        let told = events.wait(Some(Duration::from_secs(5)), wake.as_fd()).unwrap();
        assert_eq!(told, [Happened::Lost(1)]);
        events.unwatch(1);
        // A folder that is watched for two reasons is watched for the other once one is gone.
        events.watch(dir.path(), 4).unwrap();
        assert_eq!(events.watch_above(&pile.join("deeper"), 2).unwrap(), dir.path());
        events.unwatch(4);
        fs::rename(dir.path().join("other"), &pile).unwrap();
        let told = events.wait(Some(Duration::from_secs(5)), wake.as_fd()).unwrap();
        assert_eq!(told, [Happened::In(2, name("pile"))]);
        assert!(matches!(
            events.watch(&dir.path().join("none"), 3),
            Err(Unwatched::Store(StoreError::NotThere))
        ));
        assert!(is_told(dir.path()) && !is_told(&dir.path().join("none")));
    }
}
