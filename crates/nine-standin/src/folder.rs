//! The folder that is served: the library's own, with dead properties in extended attributes, and room that may
//! be counted.

use std::ffi::OsStr;
use std::future::{Future, ready};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::pin::Pin;
use std::sync::Arc;
use std::time::SystemTime;

use dav_server::davpath::DavPath;
use dav_server::fs::{
    DavDirEntry, DavFile, DavFileSystem, DavMetaData, DavProp, FsError, FsFuture, FsResult, FsStream,
    OpenOptions, ReadDirMeta,
};
use dav_server::localfs::LocalFs;
use futures_util::TryStreamExt;
use http::StatusCode;
use rustix::fs::{XattrFlags, lgetxattr, llistxattr, lremovexattr, lsetxattr};

use crate::{Forgets, Settings};

/// Extended attributes that hold properties begin so; then comes the namespace in hexadecimal, then the name.
const PREFIX: &str = "user.dav.";

/// Room for one property.
const MOST: usize = 16 * 1024;

/// A folder of this machine as the library sees it.
#[derive(Clone)]
pub(crate) struct Folder {
    inner: Box<LocalFs>,
    settings: Arc<Settings>,
}

impl Folder {
    pub fn new(settings: Arc<Settings>) -> Self {
        Self { inner: LocalFs::new(&settings.root, true, false, false), settings }
    }

    fn absolute(&self, path: &DavPath) -> PathBuf {
        let below = path.as_rel_ospath();
        if below.as_os_str().is_empty() { self.settings.root.clone() } else { self.settings.root.join(below) }
    }

    fn properties(&self, path: &DavPath) -> Vec<(String, Vec<u8>)> {
        let at = self.absolute(path);
        let mut names = vec![0; 64 * 1024];
        let Ok(length) = llistxattr(&at, names.as_mut_slice()) else { return Vec::new() };
        let names = names[..length].split(|b| *b == 0).filter_map(|name| std::str::from_utf8(name).ok());
        let of = |name: &str| {
            let mut value = vec![0; MOST];
            let length = lgetxattr(&at, name, value.as_mut_slice()).ok()?;
            value.truncate(length);
            Some((name.to_owned(), value))
        };
        names.filter(|name| name.starts_with(PREFIX)).filter_map(of).collect()
    }

    fn forget(&self, path: &DavPath) {
        let at = self.absolute(path);
        for (name, _) in self.properties(path) {
            let _ = lremovexattr(&at, name.as_str());
        }
    }

    fn put(&self, path: &DavPath, set: bool, property: &DavProp) -> StatusCode {
        let (at, name) = (self.absolute(path), attribute(property));
        let value = property.xml.clone().unwrap_or_default();
        let done = match set {
            true if value.len() > MOST => return StatusCode::INSUFFICIENT_STORAGE,
            true => lsetxattr(&at, name.as_str(), &value, XattrFlags::empty()),
            // It is no error to take away what is not there.
            false => lremovexattr(&at, name.as_str()).or(Ok(())),
        };
        if done.is_ok() { StatusCode::OK } else { StatusCode::FORBIDDEN }
    }

    /// Bytes of all that lies in the folder.
    pub fn used(root: &Path) -> u64 {
        let mut used = 0;
        let mut open = vec![root.to_owned()];
        while let Some(folder) = open.pop() {
            for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
                match entry.metadata() {
                    Ok(found) if found.is_dir() => open.push(entry.path()),
                    Ok(found) => used += found.len(),
                    Err(_) => {}
                }
            }
        }
        used
    }
}

fn attribute(property: &DavProp) -> String {
    let namespace = property.namespace.as_deref().unwrap_or_default();
    let written: String = namespace.bytes().map(|byte| format!("{byte:02x}")).collect();
    format!("{PREFIX}{written}.{}", property.name)
}

/// Reads what [`attribute`] wrote.
fn property(name: &str, xml: Option<Vec<u8>>) -> Option<DavProp> {
    let (written, name) = name.strip_prefix(PREFIX)?.split_once('.')?;
    let pairs =
        written.as_bytes().chunks(2).map(|pair| u8::from_str_radix(std::str::from_utf8(pair).ok()?, 16).ok());
    let namespace = String::from_utf8(pairs.collect::<Option<Vec<u8>>>()?).ok()?;
    let namespace = Some(namespace).filter(|namespace| !namespace.is_empty());
    Some(DavProp { name: name.to_owned(), prefix: None, namespace, xml })
}

impl DavFileSystem for Folder {
    fn open<'a>(&'a self, path: &'a DavPath, options: OpenOptions) -> FsFuture<'a, Box<dyn DavFile>> {
        DavFileSystem::open(&*self.inner, path, options)
    }

    fn read_dir<'a>(
        &'a self,
        path: &'a DavPath,
        meta: ReadDirMeta,
    ) -> FsFuture<'a, FsStream<Box<dyn DavDirEntry>>> {
        if !self.settings.deep_tags {
            return DavFileSystem::read_dir(&*self.inner, path, meta);
        }
        let folder = self.absolute(path);
        Box::pin(async move {
            let entries = DavFileSystem::read_dir(&*self.inner, path, meta).await?;
            let deep = move |entry: Box<dyn DavDirEntry>| -> Box<dyn DavDirEntry> {
                Box::new(DeepEntry { at: folder.join(OsStr::from_bytes(&entry.name())), inner: entry })
            };
            let deep: FsStream<Box<dyn DavDirEntry>> = Box::pin(entries.map_ok(deep));
            Ok(deep)
        })
    }

    fn metadata<'a>(&'a self, path: &'a DavPath) -> FsFuture<'a, Box<dyn DavMetaData>> {
        if !self.settings.deep_tags {
            return DavFileSystem::metadata(&*self.inner, path);
        }
        Box::pin(async move {
            let inner = DavFileSystem::metadata(&*self.inner, path).await?;
            Ok(Box::new(DeepMeta { at: self.absolute(path), inner }) as Box<dyn DavMetaData>)
        })
    }

    fn symlink_metadata<'a>(&'a self, path: &'a DavPath) -> FsFuture<'a, Box<dyn DavMetaData>> {
        DavFileSystem::symlink_metadata(&*self.inner, path)
    }

    fn create_dir<'a>(&'a self, path: &'a DavPath) -> FsFuture<'a, ()> {
        DavFileSystem::create_dir(&*self.inner, path)
    }

    fn remove_dir<'a>(&'a self, path: &'a DavPath) -> FsFuture<'a, ()> {
        DavFileSystem::remove_dir(&*self.inner, path)
    }

    fn remove_file<'a>(&'a self, path: &'a DavPath) -> FsFuture<'a, ()> {
        DavFileSystem::remove_file(&*self.inner, path)
    }

    fn rename<'a>(&'a self, from: &'a DavPath, to: &'a DavPath) -> FsFuture<'a, ()> {
        Box::pin(async move {
            DavFileSystem::rename(&*self.inner, from, to).await?;
            if self.settings.forgets == Forgets::OnMove {
                self.forget(to);
            }
            Ok(())
        })
    }

    fn copy<'a>(&'a self, from: &'a DavPath, to: &'a DavPath) -> FsFuture<'a, ()> {
        Box::pin(async move {
            DavFileSystem::copy(&*self.inner, from, to).await?;
            self.forget(to);
            for (name, value) in self.properties(from) {
                let _ = lsetxattr(self.absolute(to), name.as_str(), &value, XattrFlags::empty());
            }
            Ok(())
        })
    }

    fn have_props<'a>(&'a self, _: &'a DavPath) -> Pin<Box<dyn Future<Output = bool> + Send + 'a>> {
        Box::pin(ready(self.settings.forgets != Forgets::Always))
    }

    fn patch_props<'a>(
        &'a self,
        path: &'a DavPath,
        patch: Vec<(bool, DavProp)>,
    ) -> FsFuture<'a, Vec<(StatusCode, DavProp)>> {
        let done = patch.into_iter().map(|(set, property)| {
            let status = self.put(path, set, &property);
            (status, DavProp { xml: None, ..property })
        });
        Box::pin(ready(Ok(done.collect())))
    }

    fn get_props<'a>(&'a self, path: &'a DavPath, with_content: bool) -> FsFuture<'a, Vec<DavProp>> {
        let all = self.properties(path).into_iter();
        let found = all.filter_map(|(name, xml)| property(&name, with_content.then_some(xml)));
        Box::pin(ready(Ok(found.collect())))
    }

    fn get_prop<'a>(&'a self, path: &'a DavPath, wanted: DavProp) -> FsFuture<'a, Vec<u8>> {
        let name = attribute(&wanted);
        let found = self.properties(path).into_iter().find(|(known, _)| *known == name);
        Box::pin(ready(found.map(|(_, xml)| xml).ok_or(FsError::NotFound)))
    }

    fn get_quota(&self) -> FsFuture<'_, (u64, Option<u64>)> {
        let Some(room) = self.settings.quota else {
            return Box::pin(ready(Err(FsError::NotImplemented)));
        };
        Box::pin(ready(Ok((Self::used(&self.settings.root), Some(room)))))
    }
}

/// What lies in a folder, whose own tag tells of all below it.
struct DeepEntry {
    at: PathBuf,
    inner: Box<dyn DavDirEntry>,
}

impl DavDirEntry for DeepEntry {
    fn name(&self) -> Vec<u8> {
        self.inner.name()
    }

    fn metadata(&self) -> FsFuture<'_, Box<dyn DavMetaData>> {
        Box::pin(async move {
            let inner = self.inner.metadata().await?;
            Ok(Box::new(DeepMeta { at: self.at.clone(), inner }) as Box<dyn DavMetaData>)
        })
    }
}

#[derive(Debug, Clone)]
struct DeepMeta {
    at: PathBuf,
    inner: Box<dyn DavMetaData>,
}

impl DavMetaData for DeepMeta {
    fn len(&self) -> u64 {
        self.inner.len()
    }

    fn modified(&self) -> FsResult<SystemTime> {
        self.inner.modified()
    }

    fn is_dir(&self) -> bool {
        self.inner.is_dir()
    }

    fn etag(&self) -> Option<String> {
        if !self.is_dir() {
            return self.inner.etag();
        }
        let mut all = Vec::new();
        let mut open = vec![self.at.clone()];
        while let Some(folder) = open.pop() {
            for entry in std::fs::read_dir(folder).ok()?.flatten() {
                let found = entry.metadata().ok()?;
                all.push((entry.path(), found.ino(), found.ctime(), found.ctime_nsec()));
                if found.is_dir() {
                    open.push(entry.path());
                }
            }
        }
        all.sort();
        let mut hasher = DefaultHasher::new();
        all.hash(&mut hasher);
        Some(format!("{:x}", hasher.finish()))
    }
}
