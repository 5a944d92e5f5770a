//! A tree's columns as plain bytes, for a catalogue to keep.

use std::ops::Range;

use super::{NodeId, TagSet, Tree};
use crate::item::Kind;
use crate::kinds::Content;
use crate::place::Name;

/// What parts a set's own tags from those inside, where sets are kept.
const INSIDE: char = '\u{1}';

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
    /// For each folder, whether it could be read: 0 no, 1 yes, 2 but for some of it; u8.
    FolderRead = 21,
    /// The tag sets and recognised contents that other columns point to; lines of text.
    Words = 22,
    /// Nanoseconds since 1970 from which an age counts: made of others, for searches; i64.
    AgeFrom = 23,
    /// A mark of both ends of a file, 0 where nobody read them; u64.
    Ends = 24,
    /// 0 not read as a whole, else 1 + the index of its digest; u32.
    Whole = 25,
    /// The digests that [`Column::Whole`] points to; 32 bytes each.
    Digests = 26,
    /// Pixels of a picture, across in the upper half; 0 not looked at, all ones for no picture; u64.
    Pixels = 27,
    /// What a picture looks like; u64.
    Prints = 28,
    /// For each folder, when the last thing inside was changed or arrived; i64.
    FolderLatest = 29,
}

impl Column {
    /// Every column.
    pub const ALL: [Column; 29] = [
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
        Column::AgeFrom,
        Column::Ends,
        Column::Whole,
        Column::Digests,
        Column::Pixels,
        Column::Prints,
        Column::FolderLatest,
    ];

    /// How many bytes a row takes, where every row has them. What is learned may be missing as a
    /// whole, and columns of folders and names have lengths of their own.
    pub fn row_width(self) -> Option<usize> {
        match self {
            Column::Kind | Column::Type | Column::Marks => Some(1),
            Column::Parent | Column::Folder | Column::NameEnd => Some(4),
            Column::Size | Column::Modified | Column::Opened | Column::Born | Column::Changed => Some(8),
            Column::AgeFrom => Some(8),
            Column::Identity => Some(16),
            _ => None,
        }
    }

    /// How many bytes a row takes of a column whose rows tell something without other rows, so that a window of rows
    /// can be asked alone. Of what is learned all may be missing.
    pub fn window_width(self) -> Option<usize> {
        match self {
            Column::Parent | Column::Folder | Column::Identity => None,
            Column::Tags | Column::Text => Some(4),
            Column::Arrived => Some(8),
            column => column.row_width(),
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
            Column::FolderLatest => cast_slice(&self.folder_latest),
            Column::FolderRead => &self.folder_read,
            Column::AgeFrom => cast_slice(&self.age_from),
            Column::Ends => cast_slice(&self.ends),
            Column::Whole => cast_slice(&self.whole),
            Column::Digests => self.digests.as_flattened(),
            Column::Pixels => cast_slice(&self.pixels),
            Column::Prints => cast_slice(&self.prints),
            Column::Words => &[],
        }
    }

    /// Makes room for a column of so many bytes, to be filled through [`Tree::bytes_mut`]. The caller
    /// sees to it that all columns come from one tree. What is not filled is zero; of a column that was there, as it was.
    pub fn make_room(&mut self, column: Column, length: usize) {
        match column {
            Column::Parent => room(&mut self.parent, length / 4),
            Column::Folder => room(&mut self.folder, length / 4),
            Column::NameEnd => room(&mut self.name_end, length / 4),
            Column::Names => room(&mut self.names, length),
            Column::Kind => room(&mut self.kind, length),
            Column::Type => room(&mut self.item_type, length),
            Column::Marks => room(&mut self.marks, length),
            Column::Size => room(&mut self.size, length / 8),
            Column::Modified => room(&mut self.modified, length / 8),
            Column::Opened => room(&mut self.opened, length / 8),
            Column::Born => room(&mut self.born, length / 8),
            Column::Changed => room(&mut self.changed, length / 8),
            Column::Identity => room(&mut self.identity, length / 16),
            Column::Tags => room(&mut self.tags, length / 4),
            Column::Content => room(&mut self.content, length),
            Column::Text => room(&mut self.text, length / 4),
            Column::Arrived => room(&mut self.arrived, length / 8),
            Column::FolderEnd => room(&mut self.folder_end, length / 4),
            Column::FolderItems => room(&mut self.folder_items, length / 4),
            Column::FolderNewest => room(&mut self.folder_newest, length / 8),
            Column::FolderLatest => room(&mut self.folder_latest, length / 8),
            Column::FolderRead => room(&mut self.folder_read, length),
            Column::AgeFrom => room(&mut self.age_from, length / 8),
            Column::Ends => room(&mut self.ends, length / 8),
            Column::Whole => room(&mut self.whole, length / 4),
            Column::Digests => room(&mut self.digests, length / 32),
            Column::Pixels => room(&mut self.pixels, length / 8),
            Column::Prints => room(&mut self.prints, length / 8),
            Column::Words => {}
        }
    }

    /// The bytes of a column, to be filled. [`Column::Words`] is read by [`Tree::set_words`].
    pub fn bytes_mut(&mut self, column: Column) -> &mut [u8] {
        use bytemuck::cast_slice_mut as cast;
        match column {
            Column::Parent => cast(&mut self.parent),
            Column::Folder => cast(&mut self.folder),
            Column::NameEnd => cast(&mut self.name_end),
            Column::Names => &mut self.names,
            Column::Kind => &mut self.kind,
            Column::Type => &mut self.item_type,
            Column::Marks => &mut self.marks,
            Column::Size => cast(&mut self.size),
            Column::Modified => cast(&mut self.modified),
            Column::Opened => cast(&mut self.opened),
            Column::Born => cast(&mut self.born),
            Column::Changed => cast(&mut self.changed),
            Column::Identity => cast(&mut self.identity),
            Column::Tags => cast(&mut self.tags),
            Column::Content => &mut self.content,
            Column::Text => cast(&mut self.text),
            Column::Arrived => cast(&mut self.arrived),
            Column::FolderEnd => cast(&mut self.folder_end),
            Column::FolderItems => cast(&mut self.folder_items),
            Column::FolderNewest => cast(&mut self.folder_newest),
            Column::FolderLatest => cast(&mut self.folder_latest),
            Column::FolderRead => &mut self.folder_read,
            Column::AgeFrom => cast(&mut self.age_from),
            Column::Ends => cast(&mut self.ends),
            Column::Whole => cast(&mut self.whole),
            Column::Digests => self.digests.as_flattened_mut(),
            Column::Pixels => cast(&mut self.pixels),
            Column::Prints => cast(&mut self.prints),
            Column::Words => &mut [],
        }
    }

    /// Where the names of some rows stand in [`Column::Names`]; needs [`Column::NameEnd`] of these
    /// rows and of the one before.
    pub fn span_of_names(&self, rows: Range<usize>) -> Range<usize> {
        let start = if rows.start == 0 { 0 } else { self.name_end[rows.start - 1] };
        start as usize..self.name_end[rows.end - 1] as usize
    }

    /// The sizes of all rows; as the other columns, nothing where it was not loaded.
    pub(crate) fn sizes(&self) -> &[u64] {
        &self.size
    }

    /// The numbers of the types of all rows, as in [`crate::kinds::TYPES`].
    pub(crate) fn types(&self) -> &[u8] {
        &self.item_type
    }

    /// The bits of [`super::mark`] of all rows.
    pub(crate) fn marks(&self) -> &[u8] {
        &self.marks
    }

    /// What stands for the kinds of all rows.
    pub(crate) fn kinds(&self) -> &[u8] {
        &self.kind
    }

    /// Whether one of [`Tree::kinds`] stands for a kind.
    pub(crate) fn stands_for(number: u8, kind: Kind) -> bool {
        number == kind as u8
    }

    /// [`Tree::tag_set_of`] all rows.
    pub(crate) fn tag_set_numbers(&self) -> &[u32] {
        &self.tags
    }

    /// [`Tree::text`] of all rows.
    pub(crate) fn text_numbers(&self) -> &[u32] {
        &self.text
    }

    /// [`Tree::age_from`] of all rows, in nanoseconds since 1970, where it was not made of other columns.
    pub(crate) fn kept_ages(&self) -> Option<&[i64]> {
        Some(&*self.age_from).filter(|ages| ages.len() == self.rows)
    }

    /// A tree of so many rows whose columns are yet to be filled.
    pub fn of_rows(rows: usize) -> Self {
        Self { rows, ..Self::default() }
    }

    /// Makes this a tree of so many rows whose columns are all to be filled anew, in the memory that they have.
    pub fn start_window(&mut self, rows: usize) {
        self.rows = rows;
    }

    /// Of names that are a part of many: counts where each ends from the end of the one before the first of them.
    pub fn count_ends_from(&mut self, end: u32) {
        // What is damaged wraps around, and is found out by those who ask whether it is sound.
        self.name_end.iter_mut().for_each(|own| *own = own.wrapping_sub(end));
    }

    /// Whether the columns that are there fit one another, as they would not after damage.
    pub fn is_sound(&self) -> bool {
        self.columns_fit()
            && self.folder_end.iter().all(|end| *end as usize <= self.rows)
            && all_below(&self.kind, super::KINDS.len() as u8)
            && all_below(&self.item_type, crate::kinds::TYPES.len() as u8)
            && self.is_sound_in(0..self.rows)
            && (self.names.is_empty()
                || (self.name_end.len() == self.rows && self.names_are_sound(0..self.rows)))
    }

    /// Whether the columns that are there have as many rows as the tree, where each row has a value in them.
    pub fn columns_fit(&self) -> bool {
        let fits = |length: usize| length == 0 || length == self.rows;
        [self.parent.len(), self.folder.len(), self.name_end.len(), self.kind.len(), self.item_type.len()]
            .into_iter()
            .chain([self.marks.len(), self.size.len(), self.modified.len(), self.opened.len()])
            .chain([self.born.len(), self.changed.len(), self.identity.len(), self.tags.len()])
            .chain([self.content.len(), self.text.len(), self.arrived.len(), self.age_from.len()])
            .chain([self.ends.len(), self.whole.len(), self.pixels.len(), self.prints.len()])
            .all(fits)
    }

    /// Whether the names of some rows, which are there, are such: what comes out of a file may be spoilt.
    pub fn names_are_sound(&self, rows: Range<usize>) -> bool {
        // All bytes at once first: that is many times as quick, and of the names themselves only short ones are left to
        // ask, if there are any; loops that do not end early are quicker than what they would save.
        let bytes = &self.names[self.span_of_names(rows.clone())];
        let ends = &self.name_end[rows.start.saturating_sub(1)..rows.end];
        let lengths = || ends.iter().zip(&ends[1..]).map(|(start, end)| end - start);
        let is_name = |pair: &[u32]| Name::new(&self.names[pair[0] as usize..pair[1] as usize]).is_some();
        let any_short = lengths().fold(false, |any, length| any | (length < 3));
        memchr::memchr2(b'/', 0, bytes).is_none() && (!any_short || ends.windows(2).all(is_name))
    }

    /// Whether the parents, folders and names of some rows make sense, where they are there.
    pub fn is_sound_in(&self, rows: Range<usize>) -> bool {
        let is_above = |(parent, row): (&u32, usize)| (*parent as usize) < row.max(1);
        let count = self.folder_end.len().max(self.folder_newest.len()).max(self.folder_items.len());
        let is_folder = |folder: &u32| *folder == super::NO_FOLDER || (*folder as usize) < count;
        let folders = self.folder.get(rows.clone()).filter(|_| count > 0).unwrap_or_default();
        let parents = self.parent.get(rows.clone()).unwrap_or_default();
        let ends = self.name_end.get(rows.start.saturating_sub(1)..rows.end).unwrap_or_default();
        parents.iter().zip(rows).fold(true, |all, one| all & is_above(one))
            && folders.iter().fold(true, |all, one| all & is_folder(one))
            && ends.iter().zip(ends.get(1..).unwrap_or_default()).fold(true, |all, (a, b)| all & (a <= b))
            && (self.names.is_empty() || ends.last().is_none_or(|end| *end as usize <= self.names.len()))
    }

    /// What [`Column::AgeFrom`] keeps.
    pub fn ages(&self) -> Vec<u8> {
        let from: Vec<i64> = (0..self.rows).map(|row| self.age_from(NodeId::new(row)).0).collect();
        bytemuck::cast_slice(&from).to_vec()
    }

    /// The tag sets and recognised contents, as [`Column::Words`] keeps them: a line each.
    pub fn words(&self) -> Vec<u8> {
        let sets = self.tag_sets.iter();
        let sets = sets.map(|set| format!("t{}{INSIDE}{}\n", set.own.join("\0"), set.inside.join("\0")));
        let contents = self.contents.iter().map(|content| format!("c{}\n", content.to_text()));
        sets.chain(contents).collect::<String>().into_bytes()
    }

    /// Reads what [`Tree::words`] wrote.
    pub fn set_words(&mut self, words: &[u8]) {
        let text = String::from_utf8_lossy(words);
        self.tag_sets.clear();
        self.contents.clear();
        for line in text.lines() {
            match line.split_at_checked(1) {
                Some(("t", set)) => {
                    let (own, inside) = set.split_once(INSIDE).unwrap_or((set, ""));
                    let tags = |list: &str| {
                        list.split('\0').filter(|tag| !tag.is_empty()).map(str::to_owned).collect()
                    };
                    self.tag_sets.push(TagSet { own: tags(own), inside: tags(inside) });
                }
                Some(("c", content)) => {
                    self.contents.push(Content::from_text(content).unwrap_or(Content::Bytes));
                }
                _ => {}
            }
        }
    }
}

/// Gives a column so many rows. Zeroed memory costs nothing until it is touched, so that a column may be filled in
/// parts; memory that is used again costs less.
fn room<T: Clone + Default>(column: &mut Vec<T>, rows: usize) {
    match column.capacity() < rows {
        true => *column = vec![T::default(); rows],
        false => column.resize(rows, T::default()),
    }
}

/// Whether all numbers are below another. Without an early end it is many times as quick.
fn all_below(numbers: &[u8], end: u8) -> bool {
    numbers.iter().fold(true, |all, number| all & (*number < end))
}
