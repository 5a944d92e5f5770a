//! A dated folder written into a pack, and items taken out of one: each is read back and compared before it
//! counts.

use std::collections::{BTreeMap, BTreeSet};
use std::io::{BufReader, BufWriter, Read, Write};

use nine_core::archive::{CONTENTS, CONTENTS_NAME, Contents, Form, SUMS, SUMS_NAME, Sum, Sums};
use nine_core::item::{Entry, Kind, Stamp};
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, Name};
use nine_core::tags::to_attribute;
use nine_stores::local::TAGS_ATTRIBUTE;
use nine_stores::packs::{self, Pack, PackMember};
use nine_stores::{Meta, ReadStore, Store, StoreError, StoreResult, Summing, Watch};

use crate::lists::ALL;
use crate::pieces::{Piece, pieces};
use crate::same::{Held, ItemOf, same_held};
use crate::transfer::again_from_start;

/// The rights that the owner has to a pack.
const OWN_RIGHTS: u32 = 0o600;

/// Bytes that pass from the packer to the file at once.
const BLOCK: usize = 1 << 18;

/// Writes a folder into a pack under a temporary name and compares it; returns as what that is found.
///
/// # Errors
/// If anything cannot be packed, or a file is not what its checksum says. The caller takes the rest away.
pub(crate) fn pack(
    source: &dyn ReadStore,
    folder: &ItemPath,
    target: &dyn Store,
    temporary: &ItemPath,
    now: Moment,
    form: Form,
    watch: &Watch,
) -> StoreResult<(Stamp, Vec<Piece>)> {
    let pieces = inside(source, folder)?;
    if pieces.len() > packs::LONGEST_LIST {
        return Err(StoreError::TooMany(packs::LONGEST_LIST));
    }
    // As closed as the most closed thing in it, and as its folder.
    let paths = pieces.iter().map(|(below, _)| folder.join_path(below)).chain([folder.clone()]);
    let rights = |path: &ItemPath| source.open_to(path).map_or(0, |rights| rights.unwrap_or(ALL));
    let open_to = paths.fold(ALL, |open, path| open & rights(&path));
    let meta = Meta { modified: now, mode: Some(OWN_RIGHTS | open_to), ..Meta::default() };
    let size = match target.abilities().wants_size {
        true => Some(packed_size(form, source, folder, &pieces)?),
        false => None,
    };
    again_from_start(target, temporary, &mut || {
        let mut write = |content: &mut dyn Read| target.write_new(temporary, content, size, &meta);
        while_packed(&|out| packs::write(form, source, folder, &pieces, out), &mut write)
    })?;
    let sums = member_sums(source, folder)?;
    let written = Pack { store: target, path: temporary, form };
    let seen =
        compare(&PackSide { pack: written, at: &ItemPath::root() }, source, folder, Some(&sums), watch)?;
    Ok((target.entry(temporary)?.ok_or(StoreError::CopyDiffers)?.stamp(), seen))
}

/// Packs in a thread of its own what `write` reads.
fn while_packed(
    pack: &(dyn Fn(&mut dyn Write) -> StoreResult<()> + Sync),
    write: &mut dyn FnMut(&mut dyn Read) -> StoreResult<u64>,
) -> StoreResult<u64> {
    let (reader, writer) = std::io::pipe()?;
    std::thread::scope(|scope| {
        let packer = scope.spawn(|| {
            let mut out = BufWriter::with_capacity(BLOCK, writer);
            pack(&mut out)?;
            Ok(out.flush()?)
        });
        let written = write(&mut BufReader::with_capacity(BLOCK, reader));
        let packed: StoreResult<()> = packer.join().unwrap_or(Err(StoreError::CopyDiffers));
        // If the file cannot be written the packer only knows that nobody listens.
        let written = written?;
        packed.map(|()| written)
    })
}

/// How large a pack becomes; the same things are packed into the same bytes.
fn packed_size(
    form: Form,
    source: &dyn ReadStore,
    folder: &ItemPath,
    pieces: &packs::Pieces,
) -> StoreResult<u64> {
    struct Count(u64);
    impl Write for Count {
        fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
            self.0 += bytes.len() as u64;
            Ok(bytes.len())
        }
        fn flush(&mut self) -> std::io::Result<()> {
            Ok(())
        }
    }
    let mut count = Count(0);
    packs::write(form, source, folder, pieces, &mut count)?;
    Ok(count.0)
}

/// What lies in a folder, parents first, the lists before all.
fn inside(store: &dyn ReadStore, folder: &ItemPath) -> StoreResult<Vec<(ItemPath, Entry)>> {
    let top = store.entry(folder)?.ok_or(StoreError::NotThere)?;
    let found = pieces(store, folder, top)?.into_iter().map(|Piece { below, entry, .. }| (below, entry));
    let mut found: Vec<(ItemPath, Entry)> = found.filter(|(below, _)| !below.is_root()).collect();
    let turn = |path: &ItemPath| match path.as_bytes() {
        name if name == CONTENTS.as_bytes() => 0,
        name if name == SUMS.as_bytes() => 1,
        _ => 2,
    };
    found.sort_by(|(a, _), (b, _)| turn(a).cmp(&turn(b)).then_with(|| a.cmp(b)));
    Ok(found)
}

fn member_sums(store: &dyn ReadStore, folder: &ItemPath) -> StoreResult<Sums> {
    let path = folder.join(SUMS_NAME);
    if store.entry(&path)?.is_none() {
        return Ok(Sums::default());
    }
    let mut bytes = Vec::new();
    store.read(&path)?.read_to_end(&mut bytes)?;
    Ok(Sums::parse(&bytes))
}

/// What lies in a pack at a path.
pub(crate) struct PackSide<'a> {
    pub pack: Pack<'a>,
    pub at: &'a ItemPath,
}

/// Makes sure that what lies in a pack at a path is what lies on the disk: the same names, kinds, bytes, and
/// nothing missing on either side; and that the bytes are what the checksums say. Returns all that lies on the disk,
/// as what it was compared.
///
/// # Errors
/// [`StoreError::CopyDiffers`], [`StoreError::BadSum`], or why one of them cannot be read.
pub(crate) fn compare(
    side: &PackSide,
    disk: &dyn ReadStore,
    path: &ItemPath,
    sums: Option<&Sums>,
    watch: &Watch,
) -> StoreResult<Vec<Piece>> {
    let top = disk.entry(path)?.ok_or(StoreError::NotThere)?;
    let listed = pieces(disk, path, top)?;
    let of_pack = |piece: &Piece| (side.at.join_path(&piece.below), piece.entry.clone());
    let mut left: BTreeMap<ItemPath, Entry> = listed.iter().map(of_pack).collect();
    // The packed folder itself is no member.
    left.remove(&ItemPath::root());
    packs::visit(&side.pack, side.at, &mut |member, content| {
        let entry = left.remove(&member.path).ok_or(StoreError::CopyDiffers)?;
        let below = ItemPath::of_names(member.path.parts().skip(side.at.depth()));
        let at = path.join_path(&below);
        let here = ItemOf::new(disk, &at);
        let is_file = entry.kind == Kind::File;
        if entry.kind != member.kind || is_file && entry.size != member.size {
            return Err(StoreError::CopyDiffers);
        }
        let mut summing = Summing::new(content);
        let held = match member.kind {
            Kind::Folder => Held::Folder,
            Kind::Link => Held::Link(member.leads_to.clone()),
            Kind::File => Held::File(Box::new(&mut summing)),
            Kind::Other => Held::Other,
        };
        if !same_held(held, here.open(entry.kind, watch)?)? || is_file && !here.is_still(&entry)? {
            return Err(StoreError::CopyDiffers);
        }
        if is_file {
            expect_sum(sums, &member.path, summing.sum())?;
        }
        Ok(true)
    })?;
    if left.is_empty() { Ok(listed) } else { Err(StoreError::CopyDiffers) }
}

fn expect_sum(sums: Option<&Sums>, path: &ItemPath, found: Sum) -> StoreResult<()> {
    match sums.and_then(|sums| sums.of.get(path)) {
        Some(wanted) if *wanted != found => Err(StoreError::BadSum(path.to_string())),
        _ => Ok(()),
    }
}

/// Takes what lies in a pack at a path out of it, under a temporary name.
///
/// # Errors
/// If it is not there, cannot be read, or is not what its checksum says. The caller takes the rest away.
pub(crate) fn unpack(
    side: &PackSide,
    target: &dyn Store,
    temporary: &ItemPath,
    watch: &Watch,
) -> StoreResult<Stamp> {
    let list = |name: Name<'static>| match packs::read_list(&side.pack, name) {
        Ok(bytes) => Ok(Some(bytes)),
        Err(StoreError::NotThere) => Ok(None),
        Err(other) => Err(other),
    };
    // A list that is spoilt says nothing; the content is there all the same.
    let contents = list(CONTENTS_NAME)?.and_then(|bytes| Contents::parse(&bytes).ok()).unwrap_or_default();
    let sums = list(SUMS_NAME)?.map(|bytes| Sums::parse(&bytes)).unwrap_or_default();
    let mut folders: Vec<(ItemPath, Meta)> = Vec::new();
    // What the lists name must be met.
    let is_within = |path: &&ItemPath| *path == side.at || path.is_inside(side.at);
    let mut listed: BTreeSet<&ItemPath> = contents.0.keys().chain(sums.of.keys()).filter(is_within).collect();
    packs::visit(&side.pack, side.at, &mut |member, content| {
        listed.remove(&member.path);
        let below = ItemPath::of_names(member.path.parts().skip(side.at.depth()));
        let to = temporary.join_path(&below);
        let meta = meta(member, &contents);
        match member.kind {
            Kind::Folder => {
                target.make_folder(&to)?;
                folders.push((to, meta));
            }
            Kind::Link => target.link_new(&to, &member.leads_to, &meta)?,
            Kind::File => {
                let mut first = Some(content);
                again_from_start(target, &to, &mut || {
                    let mut write = |content: &mut dyn Read| {
                        let mut summing = Summing::new(content);
                        let written = target.write_new(&to, &mut summing, Some(member.size), &meta)?;
                        expect_sum(Some(&sums), &member.path, summing.sum()).map(|()| written)
                    };
                    match first.take() {
                        Some(content) => write(content),
                        None => packs::read_member(&side.pack, &member.path, &mut write),
                    }
                })?;
            }
            Kind::Other => return Err(StoreError::Special),
        }
        watch.read(member.size);
        Ok(true)
    })?;
    if let Some(first) = listed.first() {
        return Err(StoreError::Lacks(first.to_string(), listed.len()));
    }
    for (folder, meta) in folders.iter().rev() {
        target.set_folder_meta(folder, meta)?;
    }
    Ok(target.entry(temporary)?.ok_or(StoreError::NotThere)?.stamp())
}

/// What travels with a member: as the list has it, which is finer than what some forms keep.
fn meta(member: &PackMember, contents: &Contents) -> Meta {
    let mut meta = member.meta.clone();
    let Some(line) = contents.0.get(&member.path) else { return meta };
    meta.modified = line.modified;
    let has_tags = meta.attributes.iter().any(|(name, _)| name == TAGS_ATTRIBUTE.as_bytes());
    if !line.tags.is_empty() && !has_tags {
        let value = to_attribute(&line.tags).into_bytes();
        meta.attributes.push((TAGS_ATTRIBUTE.as_bytes().to_vec(), value));
    }
    meta
}
