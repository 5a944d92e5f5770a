//! What stores can do, where they differ.

/// What a store can do. The default is what a folder of the local file system can.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Abilities {
    /// How many requests it takes at once; 1 where a change is no request.
    pub at_once: usize,
    /// Whether whole files may be read to answer a question; on a drive that is the person's to say.
    pub may_read: bool,
    /// Whether it can tell later what has changed since a scan (RFC 6578).
    pub tells_changes: bool,
    /// Whether a folder's own time tells that a name in it was put in, taken out or changed, so that an earlier scan spares
    /// listing it.
    pub dates_folders: bool,
    /// Whether tags can be given to what lies in a folder that may be changed, and to nothing else.
    pub tags_by_folder: bool,
    /// Whether what goes for good is moved [`crate::aside`] first. Otherwise it goes in one conditional request.
    pub sets_aside: bool,
    /// Whether it should be told how much will be written before it comes.
    pub wants_size: bool,
    /// Whether what is discarded stays with it, and not in the desktop's trash.
    pub own_trash: bool,
    /// Whether many new files are made to survive a loss of power in less time than one after the other.
    pub flushes_together: bool,
}

impl Default for Abilities {
    fn default() -> Self {
        Self {
            at_once: 1,
            may_read: true,
            tells_changes: false,
            dates_folders: false,
            tags_by_folder: false,
            sets_aside: true,
            wants_size: false,
            own_trash: false,
            flushes_together: true,
        }
    }
}

/// What is kept of an item that is copied into a folder.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Keeps {
    /// User and group, if the program may give them.
    pub owners: bool,
    /// Several names of one file.
    pub links: bool,
    /// Extended attributes of the person's (`user.`).
    pub attributes: bool,
    /// Those of the system: access lists, capabilities.
    pub system_attributes: bool,
}

impl Keeps {
    /// All of it.
    pub const ALL: Self = Self { owners: true, links: true, attributes: true, system_attributes: true };
    /// Nothing but names, times and content.
    pub const NONE: Self = Self { owners: false, links: false, attributes: false, system_attributes: false };
}
