//! What was gathered, laid down as the rows of a tree: first which rows come where, and what hangs on that; then what a
//! scan told of them, a column at a time.

use std::ops::Range;

use super::before::FolderState;
use super::gather::{Held, HeldFolder};
use super::{Children, FOLDER, NEVER, NO_FOLDER, Tree, mark};

/// From so many rows on their columns are filled by two threads.
const MANY: usize = 10_000;

/// Rows of another tree that lie one behind the other, and the row of the folder in which they lie here: files, or one
/// folder.
struct Run<'t> {
    from: &'t Tree,
    rows: Range<usize>,
    parent: u32,
    is_folder: bool,
}

/// What is to be laid down of a folder that is open: rows of a tree.
enum Waiting<'t> {
    Arrived(&'t Tree, Range<u32>),
    AsBefore(Children<'t>),
}

impl<'t> Waiting<'t> {
    /// What comes before the next folder, or that folder, with the tree whose rows they are; empty once there is none.
    fn next(&mut self) -> (&'t Tree, Range<usize>) {
        let (from, run) = match self {
            Waiting::Arrived(from, rows) => {
                let run = from.first_run(rows.clone());
                rows.start = run.end;
                (*from, run)
            }
            Waiting::AsBefore(children) => (children.tree, children.next_run()),
        };
        (from, run.start as usize..run.end as usize)
    }
}

/// A folder whose entries are being laid down.
struct Open<'t> {
    row: u32,
    /// Where it stands among the folders.
    number: usize,
    waiting: Waiting<'t>,
    next_folder: u32,
    size: u64,
    items: u32,
    newest: i64,
    latest: i64,
}

impl<'t> Open<'t> {
    /// Opens the folder that was laid down last.
    fn new(tree: &mut Tree, (arrived, before): (&'t Tree, &'t Tree), folder: &HeldFolder) -> Self {
        let (state, waiting) = match &folder.held {
            Held::Unread => (FolderState::Unread, Waiting::Arrived(arrived, 0..0)),
            Held::Listed { rows, is_partial } => {
                let state = if *is_partial { FolderState::Partial } else { FolderState::Read };
                (state, Waiting::Arrived(arrived, rows.clone()))
            }
            Held::AsBefore(was) => (FolderState::Read, Waiting::AsBefore(before.children(*was))),
        };
        tree.folder_read.push(state as u8);
        let (row, number) = (tree.rows as u32 - 1, tree.folder_read.len() - 1);
        let next_folder = folder.first;
        Self { row, number, waiting, next_folder, size: 0, items: 0, newest: NEVER, latest: NEVER }
    }

    /// Lays down what comes before the next folder, and that folder; `false` once there is none.
    fn lay_until_folder(&mut self, tree: &mut Tree, runs: &mut Vec<Run<'t>>) -> bool {
        loop {
            let (from, rows) = self.waiting.next();
            let Some(first) = rows.clone().next() else { return false };
            tree.rows += rows.len();
            let is_folder = from.kind[first] == FOLDER;
            match is_folder {
                true => tree.begin_folder(from.modified[first]),
                false => self.sum_up(from, rows.clone()),
            }
            runs.push(Run { from, rows, parent: self.row, is_folder });
            if is_folder {
                return true;
            }
        }
    }

    /// Sums up files that lie in it.
    fn sum_up(&mut self, from: &Tree, rows: Range<usize>) {
        self.items += rows.len() as u32;
        for row in rows {
            self.size += from.size[row];
            self.newest = self.newest.max(from.modified[row]);
            self.latest = self.latest.max(from.modified[row].max(from.born[row]));
        }
    }
}

/// Sums up the folder that is complete, into itself and into the one above.
fn close(tree: &mut Tree, open: &mut Vec<Open>, sizes: &mut [u64]) {
    let Some(done) = open.pop() else { return };
    tree.folder_end[done.number] = tree.rows as u32;
    tree.folder_items[done.number] = done.items;
    sizes[done.number] = done.size;
    if done.items > 0 {
        tree.folder_newest[done.number] = done.newest;
        tree.folder_latest[done.number] = done.latest;
    }
    if let Some(above) = open.last_mut() {
        above.items += done.items;
        above.size += done.size;
        above.newest = above.newest.max(done.newest);
        above.latest = above.latest.max(done.latest);
    }
}

/// Adds what some rows of other trees have in a column.
fn fill<T: Copy>(column: &mut Vec<T>, runs: &[Run], of: impl Fn(&Tree) -> &[T]) {
    runs.iter().for_each(|run| column.extend_from_slice(&of(run.from)[run.rows.clone()]));
}

impl Tree {
    /// Lays down what was gathered below the place itself, whose row is there.
    pub(super) fn lay_down(&mut self, folders: &[HeldFolder], arrived: &Tree, before: &Tree) {
        self.begin_folder(self.modified[0]);
        let (trees, mut runs) = ((arrived, before), Vec::with_capacity(2 * folders.len()));
        let mut sizes = vec![0; folders.len()];
        let mut open = vec![Open::new(self, trees, &folders[0])];
        while let Some(top) = open.last_mut() {
            if !top.lay_until_folder(self, &mut runs) {
                close(self, &mut open, &mut sizes);
                continue;
            }
            let number = top.next_folder as usize;
            top.next_folder += 1;
            open.push(Open::new(self, trees, &folders[number]));
        }
        self.fill_columns(&runs, &sizes);
        if !arrived.tags.is_empty() {
            self.tags.push(0);
            fill(&mut self.tags, &runs, |from| &from.tags);
            self.tag_sets.clone_from(&arrived.tag_sets);
        }
    }

    /// Makes a folder of the last row, whose sums come later.
    fn begin_folder(&mut self, modified: i64) {
        self.folder_end.push(0);
        self.folder_items.push(0);
        self.folder_newest.push(modified);
        self.folder_latest.push(modified);
    }

    /// Fills the columns, where it is known which rows come where and what lies in each folder.
    fn fill_columns(&mut self, runs: &[Run], sizes: &[u64]) {
        let Self { rows, parent, folder, size, names, name_end, kind, item_type, marks, .. } = self;
        let Self { modified, opened, born, changed, identity, .. } = self;
        let mut one = || {
            fill_names(names, name_end, runs);
            fill_sizes(size, runs, sizes);
            fill(kind, runs, |from| &from.kind);
            fill(item_type, runs, |from| &from.item_type);
            fill_marks(marks, runs);
            fill_links(parent, folder, runs);
        };
        // About as many bytes.
        let mut other = || {
            fill(modified, runs, |from| &from.modified);
            fill(opened, runs, |from| &from.opened);
            fill(born, runs, |from| &from.born);
            fill(changed, runs, |from| &from.changed);
            fill(identity, runs, |from| &from.identity);
        };
        if *rows < MANY {
            one();
            return other();
        }
        std::thread::scope(|scope| {
            scope.spawn(one);
            other();
        });
    }
}

/// Above each row the folder in which it lies, and of a folder where it stands among them.
fn fill_links(parent: &mut Vec<u32>, folder: &mut Vec<u32>, runs: &[Run]) {
    let (mut rows, mut folders) = (1, 1);
    parent.push(0);
    folder.push(0);
    for run in runs {
        rows += run.rows.len();
        parent.resize(rows, run.parent);
        match run.is_folder {
            true => {
                folder.push(folders);
                folders += 1;
            }
            false => folder.resize(rows, NO_FOLDER),
        }
    }
}

/// Of a folder the sum of what lies in it.
fn fill_sizes(size: &mut Vec<u64>, runs: &[Run], of_folders: &[u64]) {
    size[0] = of_folders[0];
    let mut folders = of_folders[1..].iter();
    for Run { from, rows, is_folder, .. } in runs {
        match is_folder {
            true => size.extend(folders.next()),
            false => size.extend_from_slice(&from.size[rows.clone()]),
        }
    }
}

fn fill_names(names: &mut Vec<u8>, name_end: &mut Vec<u32>, runs: &[Run]) {
    for Run { from, rows, .. } in runs {
        let (span, start) = (from.span_of_names(rows.clone()), names.len() as u32);
        name_end.extend(from.name_end[rows.clone()].iter().map(|end| end - span.start as u32 + start));
        names.extend_from_slice(&from.names[span]);
    }
}

/// What lies in a hidden folder is hidden.
fn fill_marks(marks: &mut Vec<u8>, runs: &[Run]) {
    for Run { from, rows, parent, .. } in runs {
        let (start, inherited) = (marks.len(), marks[*parent as usize] & mark::HIDDEN);
        marks.extend_from_slice(&from.marks[rows.clone()]);
        if inherited != 0 {
            marks[start..].iter_mut().for_each(|marks| *marks |= mark::HIDDEN);
        }
    }
}
