//! Who may read something, and what is lost of it on another file system.

use std::collections::HashMap;

use nine_core::place::ItemPath;
use rustix::fs::{self, AtFlags};

use super::content::meta;
use super::kinds::{EXFAT, FAT, ISO, kind_of};
use super::{LocalStore, TAGS_ATTRIBUTE, held};
use crate::{Keeps, ReadStore, StoreResult};

/// Things of a folder that are looked at before a preview; a larger one is not looked into further.
const MOST_LOOKED_AT: usize = 20_000;

/// File systems that keep neither owners nor attributes nor further names: FAT, exFAT, ISO 9660 (see statfs(2)).
const PLAIN: [i64; 3] = [FAT, EXFAT, ISO];

/// See [`crate::ReadStore::open_to`].
pub(super) fn open_to(store: &LocalStore, path: &ItemPath) -> StoreResult<u32> {
    let found = if path.is_root() {
        fs::fstat(&store.root)?
    } else {
        let (folder, name) = store.parent(path)?;
        fs::statat(folder, name, AtFlags::SYMLINK_NOFOLLOW)?
    };
    let mode = found.st_mode & 0o777;
    let is_folder = fs::FileType::from_raw_mode(found.st_mode) == fs::FileType::Directory;
    // A folder that may be entered but not listed gives what is in it away by name.
    Ok(if is_folder { (mode & 0o011) << 2 | mode & 0o044 } else { mode & 0o044 })
}

/// See [`crate::ReadStore::loses`].
pub(super) fn loses(store: &LocalStore, path: &ItemPath, keeps: Keeps) -> StoreResult<Vec<String>> {
    let mut losses = Losses::where_is_kept(keeps);
    let mut left = vec![path.clone()];
    let mut looked_at = 0;
    while let Some(path) = left.pop() {
        losses.look_at(store, &path, &mut left)?;
        looked_at += 1;
        if looked_at >= MOST_LOOKED_AT {
            break;
        }
    }
    Ok(losses.words())
}

/// See [`crate::ReadStore::keeps`].
pub(super) fn keeps(store: &LocalStore, folder: &ItemPath) -> StoreResult<Keeps> {
    Ok(if is_plain(store, folder)? { Keeps::NONE } else { Keeps::ALL })
}

/// Whether a folder lies, or would lie, on such a file system; many items mostly go into few folders.
// The kernel's fields have other widths on other processors.
#[allow(clippy::unnecessary_cast)]
fn is_plain(store: &LocalStore, folder: &ItemPath) -> StoreResult<bool> {
    if let Some(known) = held(&store.plain).get(folder) {
        return Ok(*known);
    }
    let nearest = store.folder(&super::facts::ground(store, folder)?.existing)?;
    let system = fs::fstatfs(&*nearest)?;
    let is_plain = PLAIN.contains(&kind_of(&system));
    held(&store.plain).insert(folder.clone(), is_plain);
    Ok(is_plain)
}

struct Losses {
    keeps: Keeps,
    owners: usize,
    set_ids: usize,
    of_the_system: usize,
    attributes: usize,
    /// Names that were seen of files that have several: how many there are, and how many were seen.
    names: HashMap<(u64, u64), (u64, u64)>,
}

impl Losses {
    fn where_is_kept(keeps: Keeps) -> Self {
        let (owners, set_ids, of_the_system, attributes) = (0, 0, 0, 0);
        Self { keeps, owners, set_ids, of_the_system, attributes, names: HashMap::new() }
    }

    fn look_at(&mut self, store: &LocalStore, path: &ItemPath, left: &mut Vec<ItemPath>) -> StoreResult<()> {
        let (folder, name) = store.parent(path)?;
        let found = fs::statat(folder, name, AtFlags::SYMLINK_NOFOLLOW)?;
        let kind = fs::FileType::from_raw_mode(found.st_mode);
        if kind == fs::FileType::Directory {
            left.extend(store.list(path)?.into_iter().map(|(name, _)| path.join(&name)));
        }
        self.count_owner(&found);
        if kind == fs::FileType::RegularFile && found.st_nlink as u64 > 1 {
            let names = self.names.entry((found.st_dev, found.st_ino)).or_insert((found.st_nlink as u64, 0));
            names.1 += 1;
        }
        // Everywhere else attributes are kept, and need not be read.
        let has_any = matches!(kind, fs::FileType::RegularFile | fs::FileType::Directory);
        if has_any && !(self.keeps.attributes && self.keeps.system_attributes) {
            let is_of_the_system = |name: &[u8]| !name.starts_with(b"user.");
            let all = meta(store, path)?.attributes;
            let is_kept = |name: &[u8]| match is_of_the_system(name) {
                true => self.keeps.system_attributes,
                false => self.keeps.attributes,
            };
            let lost: Vec<_> = all.iter().filter(|(name, _)| !is_kept(name)).collect();
            let system = lost.iter().filter(|(name, _)| is_of_the_system(name)).count();
            self.of_the_system += usize::from(system > 0);
            let is_own = |name: &[u8]| !is_of_the_system(name) && name != TAGS_ATTRIBUTE.as_bytes();
            self.attributes += usize::from(lost.iter().any(|(name, _)| is_own(name)));
        }
        Ok(())
    }

    fn count_owner(&mut self, found: &fs::Stat) {
        let own = rustix::process::geteuid();
        let keeps = own.is_root() && self.keeps.owners;
        if found.st_uid == own.as_raw() || keeps {
            return;
        }
        self.owners += 1;
        self.set_ids += usize::from(found.st_mode & 0o6000 != 0);
    }

    fn words(&self) -> Vec<String> {
        let things = |number: usize| if number == 1 { "it".to_owned() } else { format!("{number} things") };
        let mut words = Vec::new();
        if self.owners > 0 {
            words.push(format!("{} will be yours, and not whose it is now", things(self.owners)));
        }
        if self.set_ids > 0 {
            words.push("programs that run with their owner's rights will not any more".to_owned());
        }
        if self.of_the_system > 0 {
            words.push("access lists or capabilities are not kept there".to_owned());
        }
        if self.attributes > 0 {
            words.push("attributes other than tags are not kept there".to_owned());
        }
        let outside = self.names.values().filter(|(all, seen)| seen < all).count();
        if outside > 0 {
            words.push("it has other names (hard links) that stay, and will be a file of its own".to_owned());
        }
        let several = self.names.values().any(|(_, seen)| *seen > 1);
        if several && !self.keeps.links {
            words.push("names of one file become files of their own".to_owned());
        }
        words
    }
}
