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

/// A folder around a row, the row behind its last, and the sums of what was seen in it.
struct Around {
    row: u32,
    end: u32,
    size: u64,
    items: u32,
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

    /// Whether parents, folders, their ends and sums tell one and the same tree, as they would not after damage.
    /// [`Tree::is_sound`] must have been asked.
    pub fn is_well_formed(&self) -> bool {
        let folders = self.folder_end.len();
        let lengths = [&self.folder_newest, &self.folder_latest].map(Vec::len);
        if lengths != [folders; 2] || [self.folder_items.len(), self.folder_read.len()] != [folders; 2] {
            return false;
        }
        let rows = self.rows as u32;
        let mut around: Vec<Around> = Vec::new();
        let mut folder = 0;
        for row in 0..rows {
            if !self.leave_folders_before(row, &mut around) {
                return false;
            }
            let at = row as usize;
            let is_folder = self.kind[at] == FOLDER;
            let (above, end) = around.last().map_or((0, rows), |top| (top.row, top.end));
            let number = if is_folder { folder } else { NO_FOLDER };
            // All but the place itself lie in it.
            if self.folder[at] != number || self.parent[at] != above || around.is_empty() != (row == 0) {
                return false;
            }
            if is_folder {
                let own = self.folder_end.get(folder as usize).filter(|own| (row + 1..=end).contains(own));
                let Some(end) = own.copied() else { return false };
                around.push(Around { row, end, size: 0, items: 0 });
                folder += 1;
            } else if let Some(top) = around.last_mut() {
                top.size = top.size.wrapping_add(self.size[at]);
                top.items += 1;
            }
        }
        folder as usize == folders && rows > 0 && self.leave_folders_before(rows, &mut around)
    }

    /// Leaves the folders that end before a row; says whether their sums are those of what lies in them.
    fn leave_folders_before(&self, row: u32, around: &mut Vec<Around>) -> bool {
        while let Some(done) = around.pop_if(|top| top.end <= row) {
            let folder = self.folder[done.row as usize] as usize;
            if self.size[done.row as usize] != done.size || self.folder_items[folder] != done.items {
                return false;
            }
            if let Some(above) = around.last_mut() {
                above.size = above.size.wrapping_add(done.size);
                above.items += done.items;
            }
        }
        true
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
