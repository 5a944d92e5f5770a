//! What is discarded on a drive: moved into a folder with the day's date, since the standard knows no trash.

use nine_core::item::{Kind, Stamp};
use nine_core::names::numbered;
use nine_core::place::{ItemPath, Name, NameBuf};

use super::changes::Move;
use super::listing::DriveItem;
use super::{DriveStore, held};
use crate::{StoreError, StoreResult};

/// The folder at the top of a place in which there is one for each day.
pub const DISCARDED: &str = ".discarded";
const DISCARDED_NAME: Name = Name::constant(DISCARDED);

/// How many names are tried before the folder is given up.
const MOST_NAMES: usize = 10_000;

impl DriveStore {
    /// See [`crate::Store::discard`].
    pub(super) fn discard_item(&self, path: &ItemPath, stamp: &Stamp, day: &str) -> StoreResult<Vec<u8>> {
        let date = day.split('T').next().unwrap_or(day);
        let date = NameBuf::new(date).ok_or_else(|| StoreError::Trash("the day is none".into()))?;
        let folder = ItemPath::root().join(DISCARDED_NAME).join(&date);
        let drive = self.drive();
        for needed in [folder.parent().unwrap_or_default(), folder.clone()] {
            let whole = self.whole(&needed);
            if !held(&drive.there).contains(&whole) {
                drive.make_folder(&whole)?;
                held(&drive.there).insert(whole);
            }
        }
        let from = self.whole(path);
        let own = path.last().ok_or(StoreError::LeadsElsewhere)?;
        for number in 1..MOST_NAMES {
            let name = if number == 1 { own.into() } else { own.numbered(number, false) };
            if !self.takes_name(&folder, &name)? {
                continue;
            }
            let kept = folder.join(&name);
            let to = self.whole(&kept);
            match drive.move_item(&Move { from: &from, to: &to, stamp, replaces: false }) {
                Ok(_) => return Ok(kept.as_bytes().to_vec()),
                Err(StoreError::Taken) => {}
                Err(other) => return Err(other),
            }
        }
        Err(StoreError::Trash("it holds too many items of one name".into()))
    }

    /// Whether a name in a day's folder is free, which it is not any more then. The folder is listed once.
    fn takes_name(&self, folder: &ItemPath, name: &NameBuf) -> StoreResult<bool> {
        let whole = self.whole(folder);
        let mut days = held(&self.drive().days);
        if !days.contains_key(&whole) {
            let listed = self.drive().list_anew(&whole)?;
            days.insert(whole.clone(), listed.items.keys().cloned().collect());
        }
        Ok(days.entry(whole).or_default().insert(name.clone()))
    }

    /// See [`crate::Store::restore`].
    pub(super) fn restore_item(&self, kept_as: &[u8], stamp: &Stamp, to: &ItemPath) -> StoreResult<Stamp> {
        let kept =
            ItemPath::new(kept_as).filter(|path| path.is_inside(&ItemPath::root().join(DISCARDED_NAME)));
        let kept = self.whole(&kept.ok_or(StoreError::NotThere)?);
        let drive = self.drive();
        let found = drive.ask_about(&kept)?.ok_or(StoreError::NotThere)?;
        if !drive.is_it(&found.entry, stamp) {
            return Err(StoreError::Changed);
        }
        let step = Move { from: &kept, to: &self.whole(to), stamp: &found.entry.stamp(), replaces: false };
        drive.move_item(&step)
    }

    /// See [`crate::Store::find_discarded`].
    pub(super) fn find_discarded_item(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<Option<Vec<u8>>> {
        let all = ItemPath::root().join(DISCARDED_NAME);
        let listed = match self.drive().list(&self.whole(&all)) {
            Ok(listed) => listed,
            Err(StoreError::NotThere) => return Ok(None),
            Err(other) => return Err(other),
        };
        let mut days: Vec<&NameBuf> = listed.items.keys().collect();
        days.sort();
        for day in days.into_iter().rev() {
            let folder = all.join(day);
            let kept = self.drive().list(&self.whole(&folder))?;
            let is_it = |(name, found): &(&NameBuf, &DriveItem)| {
                is_name_of(name, path.name())
                    && found.entry.kind == kind_of(stamp)
                    && self.drive().is_it(&found.entry, stamp)
            };
            if let Some((name, _)) = kept.items.iter().find(is_it) {
                return Ok(Some(folder.join(name).as_bytes().to_vec()));
            }
        }
        Ok(None)
    }
}

/// A folder's stamp knows of no content.
fn kind_of(stamp: &Stamp) -> Kind {
    if stamp.identity.0[1] == 0 { Kind::Folder } else { Kind::File }
}

/// Whether a name is another one, perhaps with a number.
fn is_name_of(kept: &[u8], name: &[u8]) -> bool {
    let number = kept.rsplit(|b| *b == b'(').next().and_then(|rest| {
        let digits = rest.split(|b| *b == b')').next()?;
        std::str::from_utf8(digits).ok()?.parse().ok()
    });
    kept == name || number.is_some_and(|number| numbered(name, number, false) == kept)
}
