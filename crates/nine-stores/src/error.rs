//! What can go wrong in a store.

use nine_core::escape::plain;

/// Why a store could not do what it was asked.
#[derive(Debug, thiserror::Error)]
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
    /// A list of the archive cannot be understood.
    #[error("{0} cannot be brought up to date: {1}")]
    List(String, String),
    /// The trash cannot be used.
    #[error("the trash cannot be used: {0}")]
    Trash(String),
    /// Anything else that the system says.
    #[error("the system says: {0}")]
    System(String),
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
            other => Self::System(plain(&std::io::Error::from(other).to_string())),
        }
    }
}

impl From<std::io::Error> for StoreError {
    fn from(error: std::io::Error) -> Self {
        match rustix::io::Errno::from_io_error(&error) {
            Some(errno) => errno.into(),
            None => Self::System(plain(&error.to_string())),
        }
    }
}
