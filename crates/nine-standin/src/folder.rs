//! The folder that is served: the library's own, with dead properties in extended attributes, and room that may
//! be counted.

use std::future::{Future, ready};
use std::path::{Path, PathBuf};
use std::pin::Pin;
use std::sync::Arc;

use dav_server::davpath::DavPath;
use dav_server::fs::{
    DavDirEntry, DavFile, DavFileSystem, DavMetaData, DavProp, FsError, FsFuture, FsStream, OpenOptions,
    ReadDirMeta,
};
use dav_server::localfs::LocalFs;
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
        DavFileSystem::read_dir(&*self.inner, path, meta)
    }

    fn metadata<'a>(&'a self, path: &'a DavPath) -> FsFuture<'a, Box<dyn DavMetaData>> {
        DavFileSystem::metadata(&*self.inner, path)
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
