//! The list at the left: groups with their items, and where the cursor is in it.

use nine_core::collation::Collation;
use nine_core::names::fold_bytes;
use nine_core::review::{Group, GroupBy, Review, State};

/// A line of the list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Row {
    /// Nothing, between groups.
    Gap,
    /// What a group shares, by its number.
    Heading(usize),
    /// An item, by its number.
    Item(usize),
}

/// The list. It stands as it was made, whatever is decided, until it is grouped anew.
pub struct ListView {
    pub by: GroupBy,
    pub groups: Vec<Group>,
    pub rows: Vec<Row>,
    /// All items in the order of their names.
    order: Vec<usize>,
    /// The rows of the headings.
    headings: Vec<usize>,
    /// The group of each item, and how many items of each group are decided.
    group_of_item: Vec<u32>,
    decided: Vec<usize>,
    is_decided: Vec<bool>,
    cursor: usize,
    top: usize,
    /// How many rows there is room for.
    room: usize,
}

impl ListView {
    pub fn new(review: &Review, by: GroupBy, collation: &Collation) -> Self {
        let is_decided = review.items().iter().map(|item| item.state != State::Open).collect();
        Self::grouped(review, by, review.by_name(collation), is_decided)
    }

    /// The same items in other groups.
    pub fn group_by(&mut self, review: &Review, by: GroupBy) {
        let (order, is_decided) = (std::mem::take(&mut self.order), std::mem::take(&mut self.is_decided));
        *self = Self::grouped(review, by, order, is_decided);
    }

    fn grouped(review: &Review, by: GroupBy, order: Vec<usize>, is_decided: Vec<bool>) -> Self {
        let groups = review.groups(by, &order);
        let (mut rows, mut headings) = (Vec::new(), Vec::new());
        for (at, group) in groups.iter().enumerate() {
            if at > 0 {
                rows.push(Row::Gap);
            }
            headings.push(rows.len());
            rows.push(Row::Heading(at));
            rows.extend(group.items.iter().map(|item| Row::Item(*item)));
        }
        // One more, for items that are gone and stand in no group.
        let mut decided = vec![0; groups.len() + 1];
        let mut group_of_item = vec![groups.len() as u32; is_decided.len()];
        for (at, group) in groups.iter().enumerate() {
            for item in &group.items {
                group_of_item[*item] = at as u32;
                decided[at] += usize::from(is_decided[*item]);
            }
        }
        let mut list = Self {
            by,
            groups,
            rows,
            order,
            headings,
            group_of_item,
            decided,
            is_decided,
            cursor: 0,
            top: 0,
            room: 1,
        };
        list.first();
        list
    }

    /// Items are otherwise now.
    pub fn changed(&mut self, review: &Review, items: impl IntoIterator<Item = usize>) {
        for item in items {
            let is_decided = review.items()[item].state != State::Open;
            let decided = &mut self.decided[self.group_of_item[item] as usize];
            match (std::mem::replace(&mut self.is_decided[item], is_decided), is_decided) {
                (false, true) => *decided += 1,
                (true, false) => *decided -= 1,
                _ => {}
            }
        }
    }

    /// How many items of a group are decided.
    pub fn decided(&self, group: usize) -> usize {
        self.decided[group]
    }

    /// The item under the cursor.
    pub fn current(&self) -> Option<usize> {
        match self.rows.get(self.cursor) {
            Some(Row::Item(item)) => Some(*item),
            _ => None,
        }
    }

    /// The row of the cursor.
    pub fn cursor(&self) -> usize {
        self.cursor
    }

    /// The group that the item of a row is in.
    pub fn group_of(&self, row: usize) -> Option<&Group> {
        let behind = self.headings.partition_point(|heading| *heading <= row);
        self.groups.get(behind.checked_sub(1)?)
    }

    /// The rows that are shown where there is room for so many.
    pub fn shown(&mut self, room: usize) -> std::ops::Range<usize> {
        self.room = room.max(1);
        // The heading above the first item of a group is shown with it.
        let is_first = self.cursor > 0 && !self.is_item(self.cursor - 1);
        let least = self.cursor - usize::from(is_first && self.room > 1);
        self.top = self.top.min(least).max((self.cursor + 1).saturating_sub(self.room));
        self.top..(self.top + self.room).min(self.rows.len())
    }

    fn is_item(&self, row: usize) -> bool {
        matches!(self.rows.get(row), Some(Row::Item(_)))
    }

    pub fn first(&mut self) {
        self.cursor = (0..self.rows.len()).find(|row| self.is_item(*row)).unwrap_or(0);
        self.top = 0;
    }

    pub fn last(&mut self) {
        self.cursor = (0..self.rows.len()).rev().find(|row| self.is_item(*row)).unwrap_or(0);
    }

    /// Moves by rows; past headings, to the next item in that direction.
    pub fn move_by(&mut self, rows: isize) {
        let end = self.rows.len().saturating_sub(1);
        let target = self.cursor.saturating_add_signed(rows).min(end);
        let down = (target..=end).find(|row| self.is_item(*row));
        let up = (0..=target).rev().find(|row| self.is_item(*row));
        self.cursor = if rows > 0 { down.or(up) } else { up.or(down) }.unwrap_or(self.cursor);
    }

    pub fn page(&mut self, pages: isize) {
        let room = isize::try_from(self.room.saturating_sub(1).max(1)).unwrap_or(1);
        self.move_by(pages * room);
    }

    pub fn go_to_item(&mut self, item: usize) -> bool {
        let row = self.rows.iter().position(|row| *row == Row::Item(item));
        self.cursor = row.unwrap_or(self.cursor);
        row.is_some()
    }

    /// The cursor onto a row that was clicked.
    pub fn go_to_row(&mut self, row: usize) {
        if self.is_item(row) {
            self.cursor = row;
        }
    }

    /// The row that stands in a line of the list.
    pub fn row_at(&self, line: usize) -> usize {
        self.top + line
    }

    pub fn group(&mut self, forward: bool) {
        let headings = || self.rows.iter().enumerate().filter(|(_, row)| matches!(row, Row::Heading(_)));
        let own = headings().map(|(at, _)| at).take_while(|at| *at < self.cursor).last().unwrap_or(0);
        let to = match forward {
            true => headings().map(|(at, _)| at).find(|at| *at > self.cursor),
            // From within a group first to its own beginning.
            false if self.cursor > own + 1 => Some(own),
            false => headings().map(|(at, _)| at).take_while(|at| *at < own).last(),
        };
        if let Some(to) = to {
            self.cursor = to + 1;
        }
    }

    /// On to the next item of which nothing is decided, from the top again at the end. Says whether there is one.
    pub fn next_open(&mut self, review: &Review) -> bool {
        let is_open = |row: &usize| match self.rows[*row] {
            Row::Item(item) => review.items()[item].state == State::Open,
            _ => false,
        };
        let behind = self.cursor + 1..self.rows.len();
        let found = behind.chain(0..self.cursor).find(is_open);
        self.cursor = found.unwrap_or(self.cursor);
        found.is_some()
    }

    /// On to the next item with a text in its name, from the top again at the end.
    pub fn find(&mut self, review: &Review, text: &str) -> bool {
        let wanted = nine_core::names::fold(text);
        let has = |row: &usize| match self.rows[*row] {
            Row::Item(item) => {
                fold_bytes(review.items()[item].proposal.item.path.name()).contains(wanted.as_str())
            }
            _ => false,
        };
        let behind = self.cursor + 1..self.rows.len();
        let found = behind.chain(0..=self.cursor.min(self.rows.len().saturating_sub(1))).find(has);
        self.cursor = found.unwrap_or(self.cursor);
        found.is_some()
    }
}

#[cfg(test)]
mod tests {
    use nine_core::item::{Identity, Kind, Stamp};
    use nine_core::moment::Moment;
    use nine_core::place::Spot;
    use nine_core::plan::Proposal;
    use nine_core::review::{Decision, Knows, Refusal, ReviewItem};

    use super::*;

    /// Knows nothing.
    struct Nobody;

    impl Knows for Nobody {
        fn again(&mut self, _: &Spot, _: &[(String, String)]) -> Result<Option<Proposal>, Refusal> {
            Ok(None)
        }

        fn archive_folder(&mut self, _: &Proposal) -> Result<Spot, Refusal> {
            Err(Refusal::LiesThere)
        }
    }

    fn review(names: &[&str]) -> Review {
        let stamp = Stamp { size: 1, modified: Moment(0), identity: Identity([1, 1]) };
        let item = |name: &&str| {
            ReviewItem::new(Proposal::new(Spot::parse(name).unwrap(), Kind::File, stamp, Vec::new()))
        };
        Review::new(names.iter().map(item).collect())
    }

    #[test]
    fn the_cursor_stands_on_items_alone() {
        let review = review(&["d/a/one", "d/a/two", "d/b/three", "d/c/four"]);
        let mut list = ListView::new(&review, GroupBy::Folder, &Collation::default());
        assert_eq!(list.rows.len(), 9);
        let walk = |list: &mut ListView, moves: &[isize]| -> Vec<usize> {
            let step = |by: &isize| {
                list.move_by(*by);
                list.current().unwrap()
            };
            moves.iter().map(step).collect()
        };
        assert_eq!(walk(&mut list, &[1, 1, 1, 1, -1, -1, -9, 90]), [1, 2, 3, 3, 2, 1, 0, 3]);
        list.group(false);
        assert_eq!(list.current(), Some(2));
        list.group(false);
        list.move_by(1);
        list.group(false);
        assert_eq!(list.current(), Some(0), "first to the beginning of its own group");
        list.group(true);
        assert_eq!(list.current(), Some(2));
        assert!(list.find(&review, "O") && list.current() == Some(3), "four is the next with an o");
        assert!(list.find(&review, "TWO") && !list.find(&review, "five"));
        assert_eq!(list.current(), Some(1));
    }

    #[test]
    fn what_is_decided_is_counted_group_by_group() {
        let mut review = review(&["d/a/one", "d/a/two", "d/b/three"]);
        let mut list = ListView::new(&review, GroupBy::Folder, &Collation::default());
        let counts = |list: &ListView| [list.decided(0), list.decided(1)];
        let nobody = &mut Nobody;
        for (items, decision, wanted) in [
            (&[0, 2][..], Decision::Leave, [1, 1]),
            (&[0, 1, 2], Decision::Leave, [2, 1]),
            (&[1], Decision::Reopen, [1, 1]),
        ] {
            let changed = review.decide(items, &decision, nobody).changed;
            list.changed(&review, changed);
            assert_eq!(counts(&list), wanted, "{decision:?}");
        }
        list.group_by(&review, GroupBy::Type);
        list.group_by(&review, GroupBy::Folder);
        assert_eq!(counts(&list), [1, 1]);
        let changed = review.back().unwrap().1;
        list.changed(&review, changed);
        assert_eq!(counts(&list), [2, 1]);
    }

    #[test]
    fn the_cursor_is_always_in_sight() {
        let names: Vec<String> = (0..40).map(|n| format!("d/{n}")).collect();
        let review = review(&names.iter().map(String::as_str).collect::<Vec<_>>());
        let mut list = ListView::new(&review, GroupBy::Folder, &Collation::default());
        assert_eq!(list.shown(10), 0..10);
        for by in [1, 8, 1, 30, -3, -20, -40, 90] {
            list.move_by(by);
            let shown = list.shown(10);
            assert!(shown.contains(&list.cursor()) && shown.len() == 10, "{by}: {shown:?}");
        }
        list.first();
        assert_eq!(list.shown(10).start, 0, "with its heading");
        let mut empty = ListView::new(&Review::new(Vec::new()), GroupBy::Target, &Collation::default());
        empty.move_by(1);
        assert_eq!((empty.current(), empty.shown(5)), (None, 0..0));
    }
}
