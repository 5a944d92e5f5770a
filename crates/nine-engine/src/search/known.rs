//! A search of places as the catalogue knows them: which columns it reads, and how.

use std::ops::ControlFlow;

use nine_core::condition::{Condition, Need, Test};
use nine_core::find::{Query, Rows};
use nine_core::tree::Column;

use super::{GroupBy, Reached, Search, SortBy};
use crate::Result;
use crate::looking::{KNOWN_OF_COPIES, Looking};

impl Search<'_, '_> {
    /// The columns that are read of each place at once; none where it is asked window by window.
    pub(super) fn columns_at_once(&self) -> Vec<Column> {
        let columns = self.known_columns();
        let alone = |column: &Column| {
            matches!(column, Column::Names | Column::Words) || column.window_width().is_some()
        };
        let asks_long = self.condition().is_some_and(Condition::asks_long);
        if self.request.inside || asks_long || !columns.iter().all(alone) { columns } else { Vec::new() }
    }

    /// What it finds in a view of which no column was read yet.
    pub(super) fn reach_in_windows(&self, looking: &Looking, view: usize) -> Result<Reached> {
        let texts = looking.text_answers(self.condition())?;
        let none = Rows::none(looking.views[view].tree.rows());
        let mut reached = Reached { rows: none, folders: 0, bytes: 0, hidden: 0 };
        looking.in_windows(view, &self.known_columns(), |window| {
            let (tree, start) = (window.tree(), window.rows().start);
            let all = if start == 0 { Rows::all_but_root(tree.rows()) } else { Rows::all(tree.rows()) };
            let query =
                Query { settle_for_less: true, ..Query::of_columns(tree, self.workspace.now(), &texts) };
            let all = self.of_kind(tree, all);
            let all = self.condition().map_or_else(|| all.clone(), |asked| query.find(asked, &all).yes);
            let (shown, hidden) = self.without_hidden(tree, all);
            let files = shown.clone().without(&Rows::folders(tree));
            reached.folders += (shown.len() - files.len()) as u64;
            reached.hidden += hidden.map_or(0, |hidden| hidden.len() as u64);
            reached.rows.add_window(start, &shown);
            reached.bytes += window.bytes_of(&files)?;
            Ok(ControlFlow::Continue(()))
        })?;
        Ok(reached)
    }

    /// The columns of the catalogue that the condition is answered from.
    pub(super) fn known_columns(&self) -> Vec<Column> {
        use Column::{Folder, FolderEnd, FolderItems, FolderRead, NameEnd, Names};
        let mut columns = columns_of(self.condition(), self.request.inside);
        if self.request.empty_folders {
            columns.extend([Folder, FolderItems, FolderRead]);
        }
        if self.request.no_archive {
            columns.extend([Folder, FolderEnd, NameEnd, Names]);
        }
        columns.sort_unstable();
        columns.dedup();
        columns
    }

    /// The columns of the catalogue that order, groups and output are told from.
    pub(super) fn told_columns(&self) -> Vec<Column> {
        use Column::{
            AgeFrom, Arrived, Born, Folder, FolderNewest, Kind, Marks, Modified, NameEnd, Names, Opened,
            Parent, Size, Tags, Text, Type, Words,
        };
        let mut columns = vec![Kind, Marks, Size, Parent, NameEnd, Names, FolderNewest, Folder, Modified];
        columns.extend_from_slice(&self.request.told.columns);
        columns.extend_from_slice(match &self.request.by {
            Some(GroupBy::Type) => &[Type],
            Some(GroupBy::Facet(_)) => &[Tags, Words, Text, Type],
            Some(GroupBy::Tag) => &[Tags, Words],
            Some(GroupBy::Said(..)) => &[Text, Type],
            Some(GroupBy::Age) => &[AgeFrom],
            _ => &[],
        });
        columns.extend_from_slice(match self.request.sort {
            Some(SortBy::Type) => &[Type],
            Some(SortBy::Opened) => &[Opened],
            Some(SortBy::Arrived) => &[Born, Arrived],
            _ => &[],
        });
        columns
    }
}

/// The columns that a condition is answered from, and that every answer needs.
fn columns_of(condition: Option<&Condition>, inside: bool) -> Vec<Column> {
    use Column::{
        AgeFrom, Arrived, Born, FolderItems, FolderNewest, FolderRead, Kind, Marks, Modified, NameEnd, Names,
        Opened, Parent, Size, Tags, Text, Type, Words,
    };
    let mut columns = vec![Kind, Marks];
    let tests = condition.map(Condition::tests).unwrap_or_default();
    if tests.iter().any(|test| matches!(test, Test::Facet(..))) {
        // By its type a file may have words, or say something, that a facet asks for.
        columns.push(Type);
    }
    for need in tests.into_iter().flat_map(Test::needs) {
        columns.extend_from_slice(match need {
            Need::Name => &[NameEnd, Names],
            Need::Folder => &[NameEnd, Names, Parent],
            Need::Type => &[Type],
            Need::Contents => &[],
            Need::Tags if inside => &[Tags, Words, Parent],
            Need::Tags => &[Tags, Words],
            Need::Text | Need::Said | Need::Origin => &[Text],
            Need::Copies => &KNOWN_OF_COPIES,
            Need::Size => &[Size],
            Need::Items => &[Column::Folder, FolderItems, FolderRead],
            Need::Depth => &[Parent],
            Need::Modified => &[Modified, Column::Folder, FolderNewest],
            Need::Opened => &[Opened],
            Need::Arrived => &[Born, Arrived],
            Need::Age => &[AgeFrom],
        });
    }
    columns
}
