//! A disk of its own for a test: another file system than the temporary folder's, on which no other test and no
//! person has anything. Mounted in a mount namespace of the calling thread, so that nobody else sees it; where
//! mounting is not allowed (it needs root) a folder in shared memory, held by one test at a time.

use std::ffi::OsStr;
use std::fs::{self, File};
use std::io;
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use rustix::fs::{FlockOperation, flock};

/// What a disk keeps its files in.
#[derive(Debug)]
enum Kept {
    /// Memory.
    InMemory,
    /// An ext4 file system in a file, through a loop device.
    InFile(PathBuf),
    /// A folder of `/dev/shm`; the lock keeps other tests out meanwhile.
    Shared { _lock: File },
}

/// A mounted disk; gone with all that is on it when it is dropped.
#[derive(Debug)]
pub struct Disk {
    at: PathBuf,
    /// Holds the mount point and the file of a loop device.
    folder: PathBuf,
    kept: Kept,
    is_mounted: bool,
}

impl Disk {
    /// A disk in memory, or what stands in for it where nothing may be mounted.
    ///
    /// # Errors
    /// If there is no second file system at all.
    pub fn new() -> io::Result<Self> {
        let is_allowed = std::env::var_os("NINE_TESTS_WITHOUT_MOUNTS").is_none();
        if is_allowed && let Ok(disk) = Self::in_memory() {
            return Ok(disk);
        }
        let lock = File::options().create(true).append(true).open("/dev/shm/.nine-tests")?;
        flock(&lock, FlockOperation::LockExclusive)?;
        let at = unique(Path::new("/dev/shm"))?;
        Ok(Self { folder: at.clone(), at, kept: Kept::Shared { _lock: lock }, is_mounted: false })
    }

    fn in_memory() -> io::Result<Self> {
        own_mounts()?;
        let folder = unique(&std::env::temp_dir())?;
        let mut disk = Self { at: folder.clone(), folder, kept: Kept::InMemory, is_mounted: false };
        disk.mount()?;
        Ok(disk)
    }

    /// An ext4 disk of this many megabytes that can lose its power.
    ///
    /// # Errors
    /// If it cannot be made or mounted here: that needs root, loop devices and `mkfs.ext4`.
    pub fn in_a_file(megabytes: u64) -> io::Result<Self> {
        own_mounts()?;
        let folder = unique(&std::env::temp_dir())?;
        let (at, file) = (folder.join("disk"), folder.join("image"));
        fs::create_dir(&at)?;
        File::create(&file)?.set_len(megabytes << 20)?;
        let mut disk = Self { at, folder, kept: Kept::InFile(file.clone()), is_mounted: false };
        run(Command::new("mkfs.ext4").args(["-q", "-F", "-E", "nodiscard,lazy_itable_init=0"]).arg(&file))?;
        disk.mount()?;
        Ok(disk)
    }

    /// Where it is mounted.
    pub fn path(&self) -> &Path {
        &self.at
    }

    /// The top of the file system.
    pub fn top(&self) -> &Path {
        match self.kept {
            Kept::Shared { .. } => self.at.parent().unwrap_or(&self.at),
            _ => &self.at,
        }
    }

    /// What the person's trash at the top of the file system keeps that came from this disk: where, and its note.
    pub fn discarded(&self) -> Vec<(PathBuf, PathBuf)> {
        let trash = self.top().join(format!(".Trash-{}", rustix::process::getuid().as_raw()));
        // In a trash that is shared the notes tell what is the disk's own.
        let own = self.at.strip_prefix(self.top()).unwrap_or(&self.at).to_string_lossy().into_owned();
        let mut found = Vec::new();
        for note in fs::read_dir(trash.join("info")).into_iter().flatten().flatten() {
            let is_own = fs::read_to_string(note.path()).is_ok_and(|text| text.contains(&own));
            let name = note.file_name().into_encoded_bytes();
            let kept = name.strip_suffix(b".trashinfo").filter(|_| is_own);
            let kept = kept.map(|kept| trash.join("files").join(OsStr::from_bytes(kept)));
            found.extend(kept.map(|kept| (kept, note.path())));
        }
        found
    }

    /// A copy of all that has reached the disk by now; what was never flushed is not in it. Only for a disk in
    /// a file.
    ///
    /// # Errors
    /// If it cannot be copied.
    pub fn copy_of_what_is_flushed(&self) -> io::Result<PathBuf> {
        let Kept::InFile(file) = &self.kept else { return Err(io::ErrorKind::Unsupported.into()) };
        let copy = self.folder.join("flushed");
        run(Command::new("cp").arg("--sparse=always").args([file, &copy]))?;
        Ok(copy)
    }

    /// Takes the disk out as it is and puts it in again with the file systems as they are in `copy`. It comes back as
    /// another device: the number that it had is taken by then.
    ///
    /// # Errors
    /// If something still uses it, or it cannot be mounted.
    pub fn put_in(&mut self, copy: &Path) -> io::Result<()> {
        let Kept::InFile(file) = &self.kept else { return Err(io::ErrorKind::Unsupported.into()) };
        let file = file.clone();
        self.take_out()?;
        let occupant = self.folder.join("occupant");
        File::create(&occupant)?.set_len(1 << 20)?;
        let taken = Command::new("losetup").args(["-f", "--show"]).arg(&occupant).output()?;
        fs::rename(copy, &file)?;
        let mounted = self.mount();
        let device = String::from_utf8_lossy(&taken.stdout).trim().to_owned();
        run(Command::new("losetup").args(["-d", &device]))?;
        mounted
    }

    /// Lets nobody write to it, or lets them again.
    ///
    /// # Errors
    /// If it is no mount of its own, or somebody writes to it now.
    pub fn set_read_only(&self, read_only: bool) -> io::Result<()> {
        let how = if read_only { "remount,ro" } else { "remount,rw" };
        match self.is_mounted {
            true => run(Command::new("mount").args(["-o", how]).arg(&self.at)),
            false => Err(io::ErrorKind::Unsupported.into()),
        }
    }

    /// Takes the disk out: its mount point is an empty folder then.
    ///
    /// # Errors
    /// If something still uses it.
    pub fn take_out(&mut self) -> io::Result<()> {
        if self.is_mounted {
            run(Command::new("umount").arg(&self.at))?;
            self.is_mounted = false;
        }
        Ok(())
    }

    /// Puts the disk in again. A disk in a file comes back as another device if `other` disks took its place.
    ///
    /// # Errors
    /// If it cannot be mounted.
    pub fn mount(&mut self) -> io::Result<()> {
        let mut mount = Command::new("mount");
        match &self.kept {
            Kept::InMemory => mount.args(["-t", "tmpfs", "-o", "size=512m", "nine-disk"]),
            Kept::InFile(file) => mount.args(["-o", "loop"]).arg(file),
            Kept::Shared { .. } => return Ok(()),
        };
        run(mount.arg(&self.at))?;
        self.is_mounted = true;
        Ok(())
    }
}

impl Drop for Disk {
    fn drop(&mut self) {
        if self.is_mounted {
            let _ = run(Command::new("umount").arg("-l").arg(&self.at));
        }
        if matches!(self.kept, Kept::Shared { .. }) {
            for (kept, note) in self.discarded() {
                let _ = fs::remove_dir_all(&kept).or_else(|_| fs::remove_file(&kept));
                let _ = fs::remove_file(note);
            }
        }
        let _ = fs::remove_dir_all(&self.folder);
    }
}

/// Gives the calling thread mounts that nobody else sees, once.
fn own_mounts() -> io::Result<()> {
    thread_local!(static HAS_OWN: std::cell::Cell<bool> = const { std::cell::Cell::new(false) });
    if HAS_OWN.get() {
        return Ok(());
    }
    // The call is deprecated since it is not safe together with UnshareFlags::FILES, which is not asked for.
    #[allow(deprecated)]
    rustix::thread::unshare(rustix::thread::UnshareFlags::NEWNS)?;
    run(Command::new("mount").args(["--make-rprivate", "/"]))?;
    HAS_OWN.set(true);
    Ok(())
}

/// Makes a folder of a name that no other has.
fn unique(above: &Path) -> io::Result<PathBuf> {
    for _ in 0..100 {
        let mut random = [0_u8; 8];
        rustix::rand::getrandom(&mut random, rustix::rand::GetRandomFlags::empty())?;
        let at = above.join(format!("nine-disk-{:016x}", u64::from_le_bytes(random)));
        match fs::create_dir(&at) {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
            made => return made.map(|()| at),
        }
    }
    Err(io::ErrorKind::AlreadyExists.into())
}

fn run(command: &mut Command) -> io::Result<()> {
    let ran = command.stdin(Stdio::null()).output()?;
    if ran.status.success() {
        return Ok(());
    }
    let said = String::from_utf8_lossy(&ran.stderr);
    Err(io::Error::other(format!("{:?}: {}", command.get_program(), said.trim())))
}
