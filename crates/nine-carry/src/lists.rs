//! The lists of a dated folder of the archive, brought up to date with what a run moved.
//!
//! It may be done again after it was cut off: what is listed already keeps what the list says of it.

use std::collections::BTreeMap;

use nine_core::archive::{CONTENTS_NAME, Contents, ContentsLine, SUMS_NAME, Sum, Sums};
use nine_core::item::{Kind, Stamp};
use nine_core::place::{ItemPath, NameBuf, Spot};
use nine_core::worklist::{Act, Step};
use nine_stores::{OWN, Places, ReadStore, Store, StoreError, StoreResult, Watch, sum_of};

use crate::pieces::{Piece, pieces};
use crate::removal;
use crate::transfer::Names;

/// A dated folder whose lists are brought up to date.
pub(crate) struct Lists<'a> {
    pub places: &'a Places,
    /// The dated folder.
    pub dated: &'a Spot,
    /// The run's names, and the number of its step that does this.
    pub names: Names<'a>,
    pub at: usize,
    /// The time, as the daybook writes it.
    pub now: String,
    /// Told of the bytes that are read.
    pub watch: &'a Watch,
    /// Finds out how an item that no list names came to a spot, from the daybook.
    pub arrival: &'a dyn Fn(&Spot) -> Option<Arrival>,
}

/// How an item came into the archive.
#[derive(Debug, Clone)]
pub struct Arrival {
    /// Where it was.
    pub from: Spot,
    /// Why it was moved.
    pub why: String,
    /// The run that moved it.
    pub run: u64,
    /// When, as the daybook writes it.
    pub at: String,
}

/// The lists as they are now, or empty ones, with what they were read from.
struct ReadLists {
    contents: Contents,
    sums: Sums,
    /// The rights of others to what is listed anew.
    open_to: u32,
    old: [Option<Stamp>; 2],
}

impl Lists<'_> {
    /// Takes from the lists what the steps took away, and adds what they brought.
    ///
    /// # Errors
    /// If a list or an item cannot be read, or the lists cannot be written. Nothing is changed then.
    pub fn update<'s>(&self, steps: impl Iterator<Item = &'s Step>) -> StoreResult<()> {
        let store = self.places.of(self.dated)?;
        let temporaries = self.temporaries();
        // Left by an earlier try of the same run.
        for left in temporaries.iter().filter(|_| !self.names.token.is_empty()) {
            removal::remove_own_file(store, left)?;
        }
        for list in [CONTENTS_NAME, SUMS_NAME] {
            removal::settle_aside(store, self.names.token, &self.dated.path.join(list), None)?;
        }
        let mut lists = self.read(store)?;
        let before = (lists.contents.clone(), lists.sums.clone());
        for step in steps {
            let gone = self.below(&step.item).filter(|_| step.vacates());
            let (mut lines, mut sums) = match &gone {
                Some(path) => (lists.contents.take_out(path), lists.sums.take_out(path)),
                None => Default::default(),
            };
            if let (Act::Tag { to, .. }, Some(path)) = (&step.act, self.below(&step.item))
                && let Some(line) = lists.contents.0.get_mut(&path)
            {
                line.tags.clone_from(to);
            }
            let Some(path) = step.target().and_then(|to| self.below(to)) else { continue };
            // What was listed before it was cut off.
            lines.extend(lists.contents.take_out(&path));
            sums.extend(lists.sums.take_out(&path));
            let (from, why) = (self.origin(step, &path), step.why.to_string());
            let arrival = Arrival { from, why, run: self.names.run, at: self.now.clone() };
            self.add(store, &mut lists, &arrival, &path, (lines, sums))?;
        }
        if lists.old.contains(&None) {
            self.add_unlisted(store, &mut lists)?;
        }
        if (&lists.contents, &lists.sums) == (&before.0, &before.1) {
            return Ok(());
        }
        self.write(store, &lists, &temporaries)
    }

    /// A spot's path below the dated folder, if it lies there.
    fn below(&self, spot: &Spot) -> Option<ItemPath> {
        let depth = self.dated.path.depth();
        spot.is_inside(self.dated).then(|| ItemPath::of_names(spot.path.parts().skip(depth)))
    }

    fn temporaries(&self) -> [ItemPath; 2] {
        let beside = Spot::new(self.dated.place.clone(), self.dated.path.join(CONTENTS_NAME));
        let first = self.names.temporary(self.at, &beside);
        let second = NameBuf::new([first.name(), b"-sums"].concat());
        let second = second.map_or_else(|| first.clone(), |name| self.dated.path.join(&name));
        [first, second]
    }

    fn read(&self, store: &dyn ReadStore) -> StoreResult<ReadLists> {
        let (contents, first) = read_list(store, &self.dated.path.join(CONTENTS_NAME))?;
        let (sums, second) = read_list(store, &self.dated.path.join(SUMS_NAME))?;
        let contents = match contents {
            Some(bytes) => Contents::parse(&bytes).map_err(|why| {
                StoreError::List(self.dated.path.join(CONTENTS_NAME).to_string(), why.to_string())
            })?,
            None => Contents::default(),
        };
        let sums = sums.map(|bytes| Sums::parse(&bytes)).unwrap_or_default();
        Ok(ReadLists { contents, sums, open_to: ALL, old: [first, second] })
    }

    /// Lists an item and all that lies in it. `known` is what was listed of it before, by path below it.
    fn add(
        &self,
        store: &dyn Store,
        lists: &mut ReadLists,
        arrival: &Arrival,
        path: &ItemPath,
        known: (BTreeMap<ItemPath, ContentsLine>, BTreeMap<ItemPath, Sum>),
    ) -> StoreResult<()> {
        let whole = self.dated.path.join_path(path);
        // A later step of the run may have taken it on.
        let Some(top) = store.entry(&whole)? else { return Ok(()) };
        for Piece { below, entry, .. } in pieces(store, &whole, top)? {
            let at = whole.join_path(&below);
            let listed = path.join_path(&below);
            let before = known.0.get(&below);
            let line = ContentsLine {
                kind: entry.kind,
                size: if entry.kind == Kind::Folder { 0 } else { entry.size },
                modified: entry.modified,
                tags: tags_of(store, &at)?,
                from: before.map_or_else(
                    || Spot::new(arrival.from.place.clone(), arrival.from.path.join_path(&below)),
                    |line| line.from.clone(),
                ),
                archived: before.map_or_else(|| arrival.at.clone(), |line| line.archived.clone()),
                why: before.map_or_else(|| arrival.why.clone(), |line| line.why.clone()),
                run: before.map_or(arrival.run, |line| line.run),
            };
            if entry.kind == Kind::File {
                let is_as_known =
                    before.is_some_and(|old| old.size == line.size && old.modified == line.modified);
                let sum = match known.1.get(&below).filter(|_| is_as_known) {
                    Some(sum) => *sum,
                    None => sum_of(store, &at, self.watch)?,
                };
                lists.sums.of.insert(listed.clone(), sum);
            }
            lists.open_to &= store.open_to(&at).map_or(0, |rights| rights.unwrap_or(ALL));
            lists.contents.0.insert(listed, line);
        }
        Ok(())
    }

    /// Adds what is in the folder and that no list names: an earlier run could not write them, or they were lost. An item
    /// that the daybook does not know came from where its folders in the archive say.
    fn add_unlisted(&self, store: &dyn Store, lists: &mut ReadLists) -> StoreResult<()> {
        let mut folders = vec![ItemPath::root()];
        while let Some(folder) = folders.pop() {
            for (name, entry) in store.list(&self.dated.path.join_path(&folder))? {
                let path = folder.join(&name);
                let is_own = folder.is_root() && [CONTENTS_NAME, SUMS_NAME].contains(&name.as_name());
                let is_temporary = name.starts_with(OWN.as_bytes());
                if is_own || is_temporary {
                    continue;
                }
                let at = Spot::new(self.dated.place.clone(), self.dated.path.join_path(&path));
                let arrival = (self.arrival)(&at);
                let is_listed = lists.contents.0.contains_key(&path)
                    && (entry.kind != Kind::File || lists.sums.of.contains_key(&path));
                match arrival {
                    // Something in a folder that is listed may not be.
                    None if entry.kind == Kind::Folder => folders.push(path),
                    _ if is_listed && entry.kind == Kind::Folder => folders.push(path),
                    _ if is_listed => {}
                    arrival => {
                        let known = (lists.contents.take_out(&path), lists.sums.take_out(&path));
                        let arrival = arrival.unwrap_or_else(|| self.unknown_arrival(&at, &path));
                        self.add(store, lists, &arrival, &path, known)?;
                    }
                }
            }
        }
        Ok(())
    }

    fn unknown_arrival(&self, at: &Spot, path: &ItemPath) -> Arrival {
        let from = self.origin_by_folder(path).unwrap_or_else(|| at.clone());
        Arrival { from, why: "found in the archive".into(), run: self.names.run, at: self.now.clone() }
    }

    /// Where an item came from: of one that comes back out of the trash, as its folders in the archive tell.
    fn origin(&self, step: &Step, path: &ItemPath) -> Spot {
        if !step.item.is_inside(self.dated) {
            return step.item.clone();
        }
        self.origin_by_folder(path).unwrap_or_else(|| step.item.clone())
    }

    /// The spot that is written in the folders of the archive: a place, and the path in it.
    fn origin_by_folder(&self, path: &ItemPath) -> Option<Spot> {
        let place = path.parts().next().map(|name| String::from_utf8_lossy(&name).into_owned());
        let place = place.filter(|name| self.places.addresses().contains_key(name))?;
        Some(Spot::new(place, ItemPath::of_names(path.parts().skip(1))))
    }

    fn write(&self, store: &dyn Store, lists: &ReadLists, temporaries: &[ItemPath; 2]) -> StoreResult<()> {
        let is_empty = lists.contents.0.is_empty() && lists.sums == Sums::default();
        let texts = [(CONTENTS_NAME, lists.contents.to_csv()), (SUMS_NAME, lists.sums.to_text())];
        for ((name, text), (old, temporary)) in texts.iter().zip(lists.old.iter().zip(temporaries)) {
            let path = self.dated.path.join(name);
            match old {
                Some(old) if is_empty => store.remove_copied(&path, old)?,
                None if is_empty => {}
                old => store.update_text(&path, old.as_ref(), temporary, text, lists.open_to)?,
            }
        }
        store.sync_folder(&self.dated.path)
    }
}

/// The tags of an item; none if its file system keeps none.
fn tags_of(store: &dyn Store, at: &ItemPath) -> StoreResult<Vec<String>> {
    match store.tags(at) {
        Err(StoreError::NoTags) => Ok(Vec::new()),
        tags => tags,
    }
}

/// All rights of others to read; see [`nine_stores::ReadStore::open_to`].
pub(crate) const ALL: u32 = 0o044;

/// A list's bytes and as what it was read; neither if there is none.
fn read_list(store: &dyn ReadStore, path: &ItemPath) -> StoreResult<(Option<Vec<u8>>, Option<Stamp>)> {
    let Some(entry) = store.entry(path)? else { return Ok((None, None)) };
    let mut bytes = Vec::new();
    std::io::Read::read_to_end(&mut *store.read(path)?, &mut bytes)?;
    Ok((Some(bytes), Some(entry.stamp())))
}
