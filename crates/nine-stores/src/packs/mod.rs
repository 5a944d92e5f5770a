//! Packs: a folder written into one file of an open form, ZIP or tar with Zstandard, and read back.
//!
//! Inside a pack everything lies below a folder of the packed folder's name, so that other programs unpack
//! it into one. What lies in a pack is never trusted: its names are taken apart and checked as any others, and
//! nothing is unpacked but under a name that the caller gives.

mod tar_zst;
mod zipped;

use std::io::{self, Read, Seek, SeekFrom, Write};

use nine_core::archive::Form;
use nine_core::item::{Entry, Kind};
use nine_core::place::{ItemPath, Name};

use crate::bounded;
use crate::{Meta, OpenFile, ReadStore, StoreError, StoreResult};

/// A thing in a pack.
#[derive(Debug, Clone)]
pub struct PackMember {
    /// Its path below the packed folder.
    pub path: ItemPath,
    /// File, folder or link.
    pub kind: Kind,
    /// Bytes.
    pub size: u64,
    /// What travels with it, as far as the form keeps that.
    pub meta: Meta,
    /// Where a link points to.
    pub leads_to: Vec<u8>,
}

/// What is to be packed: paths below the folder, parents first, in the order in which they are written.
pub type Pieces = [(ItemPath, Entry)];

/// Writes a folder's pieces into `out`.
///
/// # Errors
/// If one of them cannot be read, has changed, or does not fit into the form.
pub fn write(
    form: Form,
    store: &dyn ReadStore,
    folder: &ItemPath,
    pieces: &Pieces,
    out: impl Write,
) -> StoreResult<()> {
    let source = PackedFolder { store, folder };
    match form {
        Form::Zip => zipped::write(&source, pieces, out),
        Form::TarZst => tar_zst::write(&source, pieces, out),
    }
}

/// Shows what lies in a pack at a path, and below it, to `each`, in the order of the pack, until that says
/// that it has seen enough.
///
/// # Errors
/// If the pack cannot be read, or `each` says so.
pub fn visit(pack: &Pack, at: &ItemPath, each: &mut Each<'_>) -> StoreResult<()> {
    match pack.form {
        Form::Zip => zipped::visit(WholePack::open(pack.store, pack.path)?, at, each),
        Form::TarZst => tar_zst::visit(pack.store.read(pack.path)?, at, each),
    }
}

/// A pack: a file of a store, whatever its name is for now.
#[derive(Clone, Copy)]
pub struct Pack<'a> {
    /// The store that it lies in.
    pub store: &'a dyn ReadStore,
    /// Where.
    pub path: &'a ItemPath,
    /// Its form.
    pub form: Form,
}

impl<'a> Pack<'a> {
    /// A pack under its own name, whose extension tells its form.
    ///
    /// # Errors
    /// If it does not.
    pub fn named(store: &'a dyn ReadStore, path: &'a ItemPath) -> StoreResult<Self> {
        let (form, _) = Form::of_name(path.name()).ok_or_else(|| damaged("its form is not known"))?;
        Ok(Self { store, path, form })
    }
}

/// Told of a member and its content; says whether there is more to see.
pub type Each<'e> = dyn FnMut(&PackMember, &mut dyn Read) -> StoreResult<bool> + 'e;

/// Bytes that a list in a pack has at most. A few of a pack may stand for very many of its lists.
const LARGEST_LIST: u64 = 64 << 20;

/// Lines that a list in a pack has at most; a folder with more in it is not packed.
pub const LONGEST_LIST: usize = 250_000;

/// One of the lists in a pack.
///
/// # Errors
/// [`StoreError::NotThere`], or why it cannot be read.
pub fn read_list(pack: &Pack, name: Name<'static>) -> StoreResult<Vec<u8>> {
    read_member(pack, &ItemPath::root().join(name), &mut |content| {
        let lines = |bytes: &[u8]| bytes.iter().filter(|byte| **byte == b'\n').count();
        // The heading and a last line without an end.
        let list = bounded::whole(content, LARGEST_LIST)?.filter(|bytes| lines(bytes) <= LONGEST_LIST + 2);
        list.ok_or_else(|| damaged(format!("its {name} is longer than a list in a pack may be")))
    })
}

/// Lets `read` read one file of a pack.
///
/// # Errors
/// [`StoreError::NotThere`], why the pack cannot be read, or what `read` says.
pub fn read_member<T>(
    pack: &Pack,
    at: &ItemPath,
    read: &mut dyn FnMut(&mut dyn Read) -> StoreResult<T>,
) -> StoreResult<T> {
    let mut found = None;
    visit(pack, at, &mut |member, content| {
        if member.path == *at && member.kind == Kind::File {
            found = Some(read(content)?);
        }
        Ok(found.is_none())
    })?;
    found.ok_or(StoreError::NotThere)
}

/// The folder that is packed.
struct PackedFolder<'a> {
    store: &'a dyn ReadStore,
    folder: &'a ItemPath,
}

impl PackedFolder<'_> {
    /// The name that a piece has in the pack.
    fn name(&self, path: &ItemPath) -> Vec<u8> {
        [self.folder.name(), b"/", path.as_bytes()].concat()
    }

    fn meta(&self, path: &ItemPath) -> StoreResult<Meta> {
        self.store.meta(&self.folder.join_path(path))
    }

    fn content(&self, path: &ItemPath) -> StoreResult<Box<dyn Read + Send>> {
        self.store.read(&self.folder.join_path(path))
    }

    fn leads_to(&self, path: &ItemPath) -> StoreResult<Vec<u8>> {
        self.store.read_link(&self.folder.join_path(path))
    }
}

/// The path below the packed folder of a name in a pack; `None` for the folder itself, and for a name that
/// leads out of it.
fn path_of(name: &[u8]) -> Option<ItemPath> {
    let whole = ItemPath::new(name)?;
    let path = ItemPath::of_names(whole.parts().skip(1));
    (!path.is_root()).then_some(path)
}

fn is_within(path: &ItemPath, at: &ItemPath) -> bool {
    path == at || path.is_inside(at)
}

fn damaged(why: impl std::fmt::Display) -> StoreError {
    StoreError::System(format!("the pack cannot be read: {}", nine_core::escape::plain(&why.to_string())))
}

/// Reports what the kernel said of a file that is packed, and anything else as it is.
fn unwritten(error: impl Into<io::Error>) -> StoreError {
    error.into().into()
}

/// A file of a store as a stream that can be wound back.
struct WholePack {
    file: Box<dyn OpenFile>,
    at: u64,
    size: u64,
}

impl WholePack {
    fn open(store: &dyn ReadStore, path: &ItemPath) -> StoreResult<io::BufReader<Self>> {
        let file = store.open_file(path)?;
        let size = file.entry()?.size;
        Ok(io::BufReader::new(Self { file, at: 0, size }))
    }
}

impl Read for WholePack {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        let length = self.file.read_at(room, self.at).map_err(io::Error::other)?;
        self.at += length as u64;
        Ok(length)
    }
}

impl Seek for WholePack {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let (base, by) = match to {
            SeekFrom::Start(at) => (at, 0),
            SeekFrom::End(by) => (self.size, by),
            SeekFrom::Current(by) => (self.at, by),
        };
        self.at = base.checked_add_signed(by).ok_or(io::ErrorKind::InvalidInput)?;
        Ok(self.at)
    }
}
