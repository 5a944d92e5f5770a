//! The parallel walk: one `getdents64` per folder block and one `statx` an entry.

use std::mem::MaybeUninit;
use std::os::fd::AsFd;

use nine_core::item::{Entry, Identity, Kind};
use nine_core::moment::Moment;
use nine_core::names::is_hidden;
use nine_core::place::{ItemPath, Name, NameBuf};
use nine_core::tree::{NodeId, TagSet};
use rustix::fs::{self, AtFlags, OFlags, RawDir};
use rustix::io::Errno;

use super::content;
use super::entries::entry_of;
use super::tags::TagsBelow;
use super::volumes::Volume;
use super::{FOLDER_FLAGS, LocalStore, WANTED, open_to_look};
use crate::fault::{self, Op};
use crate::reading::{NOTE, may_be_note, tags_in_note};
use crate::walk::{Before, Bounds, Found, NotSeen, OpenedSince, Walking, walk};
use crate::{EarlierScan, OnlyNames, ReadStore, Scan, Scope, StoreError, StoreResult, Watch, threads};

/// Room for the names that the kernel gives at once.
const BLOCK: usize = 64 * 1024;

const READ_FLAGS: OFlags =
    OFlags::RDONLY.union(OFlags::DIRECTORY).union(OFlags::CLOEXEC).union(OFlags::NOFOLLOW);

/// What stands for something of which only the name is known: nothing that is ever moved.
fn not_seen() -> Entry {
    let (modified, identity) = (Moment(0), Identity([0, 0]));
    Entry { kind: Kind::Other, size: 0, modified, opened: None, born: None, changed: modified, identity }
}

/// What a folder holds, in no order.
pub(super) fn list(store: &LocalStore, folder: &ItemPath) -> StoreResult<Vec<(NameBuf, Entry)>> {
    let mut found = Vec::new();
    let mut block = Vec::with_capacity(BLOCK);
    let add = |name: Name, entry, _| found.push((name.into(), entry));
    let troubles = read_folder(store, folder, block.spare_capacity_mut(), &Asked::default(), add)?;
    found.extend(troubles.into_iter().map(|(name, _)| (name, not_seen())));
    Ok(found)
}

/// What is asked of a folder.
#[derive(Default)]
struct Asked<'a> {
    /// Only these names, where not all.
    only: Option<&'a OnlyNames>,
    /// Whether tags of what is not hidden are asked for; and whether they may be read out of notes, too.
    tags: Option<bool>,
}

/// Hands each entry of a folder to `found`, with its tags where they are asked for. Returns the names that could not be
/// looked at, and why.
fn read_folder(
    store: &LocalStore,
    path: &ItemPath,
    block: &mut [MaybeUninit<u8>],
    asked: &Asked,
    mut found: impl FnMut(Name, Entry, Option<TagSet>),
) -> StoreResult<NotSeen> {
    let folder = store.open_at(path, READ_FLAGS)?;
    let mut below = asked.tags.map(|reads_notes| (TagsBelow::new(folder.as_fd()), reads_notes));
    let mut names = RawDir::new(&folder, block);
    let mut last: Option<Volume> = None;
    let mut troubles = Vec::new();
    while let Some(name) = names.next() {
        let name = name?;
        let bytes = name.file_name().to_bytes();
        // `.` and `..` are listed too, and are no names.
        let Some(own) = Name::new(bytes) else { continue };
        if asked.only.is_some_and(|only| !only.has(bytes)) {
            continue;
        }
        let flags = AtFlags::SYMLINK_NOFOLLOW;
        match fault::before(Op::Look).and_then(|()| fs::statx(&folder, name.file_name(), flags, WANTED)) {
            Ok(facts) => {
                let volume = last
                    .filter(|volume| volume.holds(&facts))
                    .unwrap_or_else(|| store.volumes.of(&facts, || open_to_look(&folder, bytes)));
                last = Some(volume);
                let entry = entry_of(&facts, store.settings.believes_births, &volume);
                if volume.is_virtual && entry.kind == Kind::Folder && !store.is_virtual() {
                    troubles.push((own.into(), StoreError::Virtual));
                    continue;
                }
                let below = below.as_mut().filter(|_| !is_hidden(&own));
                let tags = below.map(|(below, notes)| tags_of(store, below, *notes, own, &entry));
                found(own, entry, tags);
            }
            Err(Errno::NOENT) => {} // gone since it was listed
            // One name that cannot be looked at hides no other.
            Err(other) => troubles.push((own.into(), other.into())),
        }
    }
    Ok(troubles)
}

/// The tags of an entry whose folder is open, as [`crate::learn`] asks for them.
fn tags_of(
    store: &LocalStore,
    below: &mut TagsBelow,
    reads_notes: bool,
    name: Name,
    entry: &Entry,
) -> TagSet {
    let mut tags = TagSet { own: below.of(&name), inside: Vec::new() };
    if reads_notes && may_be_note(entry.kind, entry.size, &name) {
        let bytes = content::first_bytes_below(store, below.folder(), &name, NOTE);
        tags.inside = tags_in_note(&bytes.unwrap_or_default());
    }
    tags
}

/// What a folder holds, if it is what it held: its own time tells that no name was put in or taken out, so only what
/// has these names is looked at. `None` if anything differs, or its file system does not date what happens in it.
fn as_before(
    store: &LocalStore,
    path: &ItemPath,
    was: NodeId,
    before: &Before,
) -> StoreResult<Option<Vec<OpenedSince>>> {
    let tree = &before.tree;
    if !store.volumes.dates_folders(&tree.identity(was)) {
        return Ok(None);
    }
    let folder = store.open_at(path, FOLDER_FLAGS)?;
    let mut last: Option<Volume> = None;
    let mut opened = Vec::new();
    for id in tree.children(was) {
        let name = tree.name(id);
        let look = || fs::statx(&folder, name, AtFlags::SYMLINK_NOFOLLOW, WANTED);
        let Ok(facts) = fault::before(Op::Look).and_then(|()| look()) else { return Ok(None) };
        let volume = last
            .filter(|volume| volume.holds(&facts))
            .unwrap_or_else(|| store.volumes.of(&facts, || open_to_look(&folder, name)));
        last = Some(volume);
        let entry = entry_of(&facts, store.settings.believes_births, &volume);
        if !before.is_same(id, &entry) {
            return Ok(None);
        }
        if tree.opened(id) != entry.opened {
            opened.push((id, entry.opened));
        }
    }
    Ok(Some(opened))
}

/// Reads everything below the place, with as many threads as there are processors.
pub(super) fn scan(
    store: &LocalStore,
    earlier: Option<EarlierScan>,
    scope: &Scope,
    watch: &Watch,
) -> StoreResult<Scan> {
    let root = store.entry(&ItemPath::root())?.ok_or(StoreError::NotThere)?;
    // Of a place that is known most tags are.
    let tags = (scope.tags && earlier.is_none()).then(|| store.abilities().may_read);
    let location = |path: &ItemPath| store.location(path);
    let walking =
        Walking { root, location: &location, threads: threads(), scope, bounds: Bounds::NONE, earlier };
    let room = || Vec::with_capacity(BLOCK);
    walk(walking, watch, room, |block: &mut Vec<u8>, visit, batch| {
        let only = scope.only.as_ref().filter(|_| visit.path.is_root());
        let asked = Asked { only, tags: tags.filter(|_| !visit.path.parts().any(|name| is_hidden(&name))) };
        if let (Some((was, before)), None) = (visit.before, only)
            && let Some(opened) = as_before(store, visit.path, was, before)?
        {
            return Ok(Found::AsBefore(was, opened));
        }
        let add = |name: Name, entry, tags| match tags {
            Some(tags) => batch.push_tagged(name, entry, tags),
            None => batch.push(name, entry),
        };
        read_folder(store, visit.path, block.spare_capacity_mut(), &asked, add).map(Found::Listed)
    })
}
