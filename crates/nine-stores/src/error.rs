//! What can go wrong in a store.

use nine_core::escape::plain;

/// Why a store could not do what it was asked.
#[derive(Debug, Clone, thiserror::Error)]
pub enum StoreError {
    /// Nothing stands there.
    #[error("it is not there any more")]
    NotThere,
    /// It is another item, or has changed.
    #[error("it has changed since this was planned")]
    Changed,
    /// The name is taken.
    #[error("the name is taken")]
    Taken,
    /// Its name was taken while it was set aside.
    #[error("something else was saved under its name meanwhile; what was there is called {0} now")]
    SetAside(String),
    /// It was done, or not: the look afterwards failed.
    #[error("what became of it is not known: {0}")]
    Unsure(String),
    /// The folder was moved elsewhere while something was done in it.
    #[error("another program moved its folder elsewhere meanwhile")]
    FolderMoved,
    /// Another program may still write to it.
    #[error("another program has it open")]
    InUse,
    /// It may not be changed or removed.
    #[error("`{0}` is protected against changes (immutable or append-only)")]
    Protected(String),
    /// A file system that the kernel makes up.
    #[error("a virtual file system of the kernel, which is not read")]
    Virtual,
    /// A place cannot be worked with for now.
    #[error("the place `{0}` is away: {1}")]
    Away(String, String),
    /// The person asked to stop.
    #[error("you stopped it")]
    Stopped,
    /// Moving would mean copying.
    #[error("it lies on another file system")]
    OtherDomain,
    /// A link stands where a folder must be.
    #[error("a link stands where a folder must be, and links are not followed")]
    LeadsElsewhere,
    /// A file stands where a folder must be.
    #[error("a file stands where a folder must be")]
    NotAFolder,
    /// A folder that still holds something.
    #[error("the folder is not empty")]
    NotEmpty,
    /// No right to do it.
    #[error("no right to change it")]
    NoRight,
    /// The file system can only be read.
    #[error("the file system can only be read")]
    ReadOnly,
    /// The disk is full.
    #[error("no space is left on the file system")]
    NoSpace,
    /// The name is too long.
    #[error("the name is too long for the file system")]
    NameTooLong,
    /// The file system keeps no tags, or not of that length, or not on this kind of item.
    #[error("the file system keeps no tags on it")]
    NoTags,
    /// It is a device, pipe or socket.
    #[error("it is a device, pipe or socket, which are never moved")]
    Special,
    /// The copy differs from the original.
    #[error("the copy did not come out the same")]
    CopyDiffers,
    /// The one of several copies that stays is gone or has changed.
    #[error("what stays in its place, {0}, is gone or has changed")]
    OriginalGone(String),
    /// It does not hold the same as the copy that stays.
    #[error("it does not hold the same bytes as {0}")]
    NoCopy(String),
    /// A file is not what its checksum says.
    #[error("{0} does not match its checksum")]
    BadSum(String),
    /// A pack lacks what its lists name: the first, and how many there are.
    #[error("the pack lacks {0}, which its lists name ({1} in all are missing); nothing was taken out of it")]
    Lacks(String, usize),
    /// A folder holds more than a pack may.
    #[error("it holds more than {0} things, too many for one pack")]
    TooMany(usize),
    /// A list of the archive cannot be understood.
    #[error("{0} cannot be brought up to date: {1}")]
    List(String, String),
    /// The trash cannot be used.
    #[error("the trash cannot be used: {0}")]
    Trash(String),
    /// A drive cannot be reached.
    #[error("the drive cannot be reached: {0}")]
    Unreachable(String),
    /// A drive does not let the person in, or there is nothing to say to it.
    #[error("{0}")]
    Login(String),
    /// A transfer was broken off; what became of it is not known.
    #[error("the connection to the drive broke: {0}")]
    Broken(String),
    /// The drive has too much to do.
    #[error("the drive is too busy; try again later")]
    Busy,
    /// Somebody else works on it.
    #[error("it is locked on the drive by somebody who works on it")]
    Locked,
    /// There is no room on the drive.
    #[error("no space is left on the drive")]
    DriveFull,
    /// An answer makes no sense.
    #[error("the drive's answer cannot be understood: {0}")]
    Malformed(String),
    /// The drive sends its clients elsewhere: where to, and where it is itself.
    #[error("{1} sends to {0}; that is not followed, since your name and password are for {1} alone")]
    SentElsewhere(String, String),
    /// The drive does not keep its promises.
    #[error("the drive {0}, so nothing is changed on it")]
    Careless(String),
    /// A drive holds files and folders alone.
    #[error("a drive keeps no links")]
    NoLinks,
    /// What was done does not show.
    #[error("the drive does not show what was done there: {0}")]
    NotShown(String),
    /// Any other status of a drive.
    #[error("the drive answers with status {0}")]
    Drive(u16),
    /// The disk or its connection fails.
    #[error("the disk reports an error: {0}")]
    Faulty(String),
    /// Anything else that the system says.
    #[error("the system says: {0}")]
    System(String),
}

impl StoreError {
    /// Whether it says only that a place cannot be worked with for now.
    pub fn is_passing(&self) -> bool {
        matches!(
            self,
            Self::Unreachable(_)
                | Self::Login(_)
                | Self::Broken(_)
                | Self::Busy
                | Self::Malformed(_)
                | Self::SentElsewhere(..)
                | Self::Drive(_)
                | Self::Away(..)
        )
    }

    /// Whether the same call may succeed later although nothing about the item changes: the place is unavailable or
    /// full, it is mounted read-only, its rights are about to be mended, or the disk fails.
    pub fn may_pass(&self) -> bool {
        let of_the_place = matches!(
            self,
            Self::NoSpace
                | Self::DriveFull
                | Self::NoRight
                | Self::ReadOnly
                | Self::Faulty(_)
                | Self::Locked
                | Self::Unsure(_)
        );
        of_the_place || self.is_passing()
    }
}

/// What a store answers.
pub type StoreResult<T> = Result<T, StoreError>;

impl From<rustix::io::Errno> for StoreError {
    fn from(errno: rustix::io::Errno) -> Self {
        use rustix::io::Errno as E;
        match errno {
            E::NOENT => Self::NotThere,
            E::EXIST => Self::Taken,
            E::XDEV => Self::OtherDomain,
            E::LOOP => Self::LeadsElsewhere,
            E::NOTDIR => Self::NotAFolder,
            E::NOTEMPTY => Self::NotEmpty,
            E::ACCESS | E::PERM => Self::NoRight,
            E::ROFS => Self::ReadOnly,
            E::NOSPC | E::DQUOT => Self::NoSpace,
            E::NAMETOOLONG => Self::NameTooLong,
            E::IO
            | E::NXIO
            | E::NODEV
            | E::STALE
            | E::TIMEDOUT
            | E::HOSTDOWN
            | E::HOSTUNREACH
            | E::NOTCONN
            | E::CONNRESET
            | E::AGAIN
            | E::NOMEM
            | E::MFILE
            | E::NFILE => Self::Faulty(plain(&std::io::Error::from(errno).to_string())),
            other => Self::System(plain(&std::io::Error::from(other).to_string())),
        }
    }
}

impl From<std::io::Error> for StoreError {
    fn from(error: std::io::Error) -> Self {
        if let Some(errno) = rustix::io::Errno::from_io_error(&error) {
            return errno.into();
        }
        // What a stream of ours reports inside an error of the system.
        match error.downcast::<Self>() {
            Ok(own) => own,
            Err(error) => Self::System(plain(&error.to_string())),
        }
    }
}
