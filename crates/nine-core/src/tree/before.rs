//! What an earlier tree says of what a new scan meets: where nothing differs, nothing of it is made anew.

use super::{FOLDER, KINDS, NO_FOLDER, NodeId, Tree, known};
use crate::item::Entry;
use crate::kinds::TYPES_BY_EXTENSION;
use crate::moment::Moment;

/// What is told of a name at sight, and the order of names, are those of a program whose number is the same.
pub const AT_SIGHT: u64 = TYPES_BY_EXTENSION.wrapping_add(RULES_OF_NAMES);

/// To be counted up with every change of [`super::mark`], of what decides these marks, or of the order of names.
const RULES_OF_NAMES: u64 = 1;

/// What came of reading a folder.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[repr(u8)]
pub(super) enum FolderState {
    Unread = 0,
    Read = 1,
    /// Something in it could not be looked at.
    Partial = 2,
}

impl Tree {
    /// Whether an entry is the same as what a scan tells now, in all but when it was last opened. A folder's size is
    /// that of what lies in it, and is not told.
    pub fn is_as_scanned(&self, id: NodeId, now: &Entry) -> bool {
        let at = id.row();
        KINDS[usize::from(self.kind[at])] == now.kind
            && (self.size[at] == now.size || self.kind[at] == FOLDER)
            && self.modified[at] == now.modified.0
            && self.changed[at] == now.changed.0
            && known(self.born[at]) == now.born
            && self.identity[at] == now.identity.0
    }

    /// When an entry's content, name or attributes last changed.
    pub fn changed(&self, id: NodeId) -> Moment {
        Moment(self.changed[id.row()])
    }

    /// Whether a folder was read, and everything in it could be looked at.
    pub fn was_wholly_read(&self, id: NodeId) -> bool {
        let folder = self.folder[id.row()];
        folder != NO_FOLDER && self.folder_read[folder as usize] == FolderState::Read as u8
    }

    /// Takes note of when an entry was last opened.
    pub fn set_opened(&mut self, id: NodeId, at: Option<Moment>) {
        self.opened[id.row()] = at.map_or(super::NEVER, |at| at.0);
    }

    pub(super) fn folders_in_state(&self, state: FolderState) -> usize {
        self.folder_read.iter().filter(|read| **read == state as u8).count()
    }
}
