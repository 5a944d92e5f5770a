//! A tree's columns as plain bytes, for a catalogue to keep.

use super::Tree;
use crate::kinds::Content;

/// A column of a tree. The numbers are those under which a catalogue keeps them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[repr(u8)]
pub enum Column {
    /// The row of the folder above; u32.
    Parent = 1,
    /// The number among folders, or `u32::MAX`; u32.
    Folder = 2,
    /// Where the name ends in [`Column::Names`]; u32.
    NameEnd = 3,
    /// All names, one behind the other; bytes.
    Names = 4,
    /// File, folder, link, other; u8.
    Kind = 5,
    /// Index of the type; u8.
    Type = 6,
    /// Bits of [`super::mark`]; u8.
    Marks = 7,
    /// Bytes; u64.
    Size = 8,
    /// Nanoseconds since 1970 of the last change of the content; i64.
    Modified = 9,
    /// The same of the last opening; i64.
    Opened = 10,
    /// The same of the birth; i64.
    Born = 11,
    /// The same of the last change of content, name or attributes; i64.
    Changed = 12,
    /// What the store knows it by; 2 × u64.
    Identity = 13,
    /// 0 not asked, 1 none, else 2 + the index of a set; u32.
    Tags = 14,
    /// 0 not looked at, else 1 + the index of what the content was recognised as; u8.
    Content = 15,
    /// 0 not read, else the number of its words in the index; u32.
    Text = 16,
    /// When it was first seen, where the file system keeps no births; i64.
    Arrived = 17,
    /// For each folder, the row behind its last; u32.
    FolderEnd = 18,
    /// For each folder, how many files lie in it; u32.
    FolderItems = 19,
    /// For each folder, the newest thing inside; i64.
    FolderNewest = 20,
    /// For each folder, whether it could be read; u8.
    FolderRead = 21,
    /// The tag sets and recognised contents that other columns point to; lines of text.
    Words = 22,
}

impl Column {
    /// Every column.
    pub const ALL: [Column; 22] = [
        Column::Parent,
        Column::Folder,
        Column::NameEnd,
        Column::Names,
        Column::Kind,
        Column::Type,
        Column::Marks,
        Column::Size,
        Column::Modified,
        Column::Opened,
        Column::Born,
        Column::Changed,
        Column::Identity,
        Column::Tags,
        Column::Content,
        Column::Text,
        Column::Arrived,
        Column::FolderEnd,
        Column::FolderItems,
        Column::FolderNewest,
        Column::FolderRead,
        Column::Words,
    ];

    /// How many bytes a row takes, where every row has them. What is learned may be missing as a
    /// whole, and columns of folders and names have lengths of their own.
    pub fn row_width(self) -> Option<usize> {
        match self {
            Column::Kind | Column::Type | Column::Marks => Some(1),
            Column::Parent | Column::Folder | Column::NameEnd => Some(4),
            Column::Size | Column::Modified | Column::Opened | Column::Born | Column::Changed => Some(8),
            Column::Identity => Some(16),
            _ => None,
        }
    }
}

impl Tree {
    /// The bytes of a column; empty if the tree lacks it. [`Column::Words`] is made by
    /// [`Tree::words`].
    pub fn bytes(&self, column: Column) -> &[u8] {
        use bytemuck::cast_slice;
        match column {
            Column::Parent => cast_slice(&self.parent),
            Column::Folder => cast_slice(&self.folder),
            Column::NameEnd => cast_slice(&self.name_end),
            Column::Names => &self.names,
            Column::Kind => &self.kind,
            Column::Type => &self.item_type,
            Column::Marks => &self.marks,
            Column::Size => cast_slice(&self.size),
            Column::Modified => cast_slice(&self.modified),
            Column::Opened => cast_slice(&self.opened),
            Column::Born => cast_slice(&self.born),
            Column::Changed => cast_slice(&self.changed),
            Column::Identity => cast_slice(&self.identity),
            Column::Tags => cast_slice(&self.tags),
            Column::Content => &self.content,
            Column::Text => cast_slice(&self.text),
            Column::Arrived => cast_slice(&self.arrived),
            Column::FolderEnd => cast_slice(&self.folder_end),
            Column::FolderItems => cast_slice(&self.folder_items),
            Column::FolderNewest => cast_slice(&self.folder_newest),
            Column::FolderRead => &self.folder_read,
            Column::Words => &[],
        }
    }

    /// Makes room for a column of so many bytes and has it filled by `read`. The caller sees to it
    /// that all columns come from one tree.
    ///
    /// # Errors
    /// What `read` answers.
    pub fn fill<E>(
        &mut self,
        column: Column,
        length: usize,
        read: impl FnOnce(&mut [u8]) -> Result<(), E>,
    ) -> Result<(), E> {
        use bytemuck::cast_slice_mut as cast;
        macro_rules! sized {
            ($field:expr, $width:expr) => {{
                $field.clear();
                $field.resize(length / $width, Default::default());
                read(cast(&mut $field))?
            }};
        }
        match column {
            Column::Parent => sized!(self.parent, 4),
            Column::Folder => sized!(self.folder, 4),
            Column::NameEnd => sized!(self.name_end, 4),
            Column::Names => sized!(self.names, 1),
            Column::Kind => sized!(self.kind, 1),
            Column::Type => sized!(self.item_type, 1),
            Column::Marks => sized!(self.marks, 1),
            Column::Size => sized!(self.size, 8),
            Column::Modified => sized!(self.modified, 8),
            Column::Opened => sized!(self.opened, 8),
            Column::Born => sized!(self.born, 8),
            Column::Changed => sized!(self.changed, 8),
            Column::Identity => sized!(self.identity, 16),
            Column::Tags => sized!(self.tags, 4),
            Column::Content => sized!(self.content, 1),
            Column::Text => sized!(self.text, 4),
            Column::Arrived => sized!(self.arrived, 8),
            Column::FolderEnd => sized!(self.folder_end, 4),
            Column::FolderItems => sized!(self.folder_items, 4),
            Column::FolderNewest => sized!(self.folder_newest, 8),
            Column::FolderRead => sized!(self.folder_read, 1),
            Column::Words => {
                let mut words = vec![0; length];
                read(&mut words)?;
                self.set_words(&words);
            }
        }
        Ok(())
    }

    /// A tree of so many rows whose columns are yet to be filled.
    pub fn of_rows(rows: usize) -> Self {
        Self { rows, ..Self::default() }
    }

    /// Whether the columns that are there fit one another, as they would not after damage.
    pub fn is_sound(&self) -> bool {
        let folders = self.folder_end.len() as u32;
        let fits = |length: usize| length == 0 || length == self.rows;
        let in_order = |ends: &[u32]| ends.windows(2).all(|pair| pair[0] <= pair[1]);
        [self.parent.len(), self.folder.len(), self.name_end.len(), self.kind.len(), self.item_type.len()]
            .into_iter()
            .chain([self.marks.len(), self.size.len(), self.modified.len(), self.opened.len()])
            .chain([self.born.len(), self.changed.len(), self.identity.len(), self.tags.len()])
            .chain([self.content.len(), self.text.len(), self.arrived.len()])
            .all(fits)
            && self.parent.iter().zip(0u32..).all(|(parent, row)| *parent < row.max(1))
            && (self.folder_end.is_empty()
                || self.folder.iter().all(|folder| *folder == super::NO_FOLDER || *folder < folders))
            && self.folder_end.iter().all(|end| *end as usize <= self.rows)
            && in_order(&self.name_end)
            && (self.names.is_empty()
                || self.name_end.last().is_none_or(|end| *end as usize <= self.names.len()))
            && self.kind.iter().all(|kind| *kind < 4)
            && self.item_type.iter().all(|known| usize::from(*known) < crate::kinds::TYPES.len())
    }

    /// The tag sets and recognised contents, as [`Column::Words`] keeps them: a line each.
    pub fn words(&self) -> Vec<u8> {
        let sets = self.tag_sets.iter().map(|set| format!("t{}\n", set.join("\0")));
        let contents = self.contents.iter().map(|content| format!("c{}\n", content.to_text()));
        sets.chain(contents).collect::<String>().into_bytes()
    }

    fn set_words(&mut self, words: &[u8]) {
        let text = String::from_utf8_lossy(words);
        self.tag_sets.clear();
        self.contents.clear();
        for line in text.lines() {
            match line.split_at_checked(1) {
                Some(("t", set)) => self.tag_sets.push(set.split('\0').map(str::to_owned).collect()),
                Some(("c", content)) => {
                    self.contents.push(Content::from_text(content).unwrap_or(Content::Bytes));
                }
                _ => {}
            }
        }
    }
}
