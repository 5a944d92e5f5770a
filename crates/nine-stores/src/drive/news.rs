//! What has changed on a drive since an earlier look, so that not every folder need be listed again: where the
//! drive reports it (RFC 6578, `sync-collection`), or where a folder's entity tag changes with all below it.

use std::collections::HashSet;
use std::sync::Mutex;

use nine_core::item::Entry;
use nine_core::place::{ItemPath, Name};
use nine_core::tree::{NodeId, Tree};

use super::multistatus;
use super::wire::HttpRequest;
use super::{DriveStore, held, url};
use crate::{EarlierScan, StoreError, StoreResult};

/// What is known of an earlier look, and what is not true of it any more.
pub(super) enum News<'k> {
    /// Everything may have changed.
    All,
    /// Only these folders, and what lies below others.
    Reported { known: &'k Tree, listed: HashSet<ItemPath>, below: HashSet<ItemPath> },
    /// A folder whose entity tag is as it was has not changed at any depth; these are such.
    ByTags { known: &'k Tree, same: Mutex<HashSet<ItemPath>> },
}

impl<'k> News<'k> {
    /// What a folder holds, if it is as it was.
    pub fn unchanged(
        &self,
        store: &DriveStore,
        folder: &ItemPath,
    ) -> Option<impl Iterator<Item = (Name<'k>, Entry)> + use<'k>> {
        let (known, id) = self.known_folder(store, folder)?;
        Some(known.children(id).map(move |child| (known.name_of(child), known.entry(child))))
    }

    fn known_folder(&self, store: &DriveStore, folder: &ItemPath) -> Option<(&'k Tree, NodeId)> {
        match self {
            Self::All => None,
            Self::Reported { known, listed, below } => {
                let is_new = listed.contains(folder)
                    || below.contains(folder)
                    || below.iter().any(|changed| folder.is_inside(changed));
                let id = known.find(folder).filter(|id| !is_new && !known.is_unread_folder(*id))?;
                Some((known, id))
            }
            Self::ByTags { known, same } => {
                let id = known.find(folder).filter(|id| !known.is_unread_folder(*id))?;
                let is_below_same = held(same).contains(&folder.parent()?);
                let now = || store.drive().remembered(&store.whole(folder));
                let is_same = is_below_same || now()?.entry.changed == known.entry(id).changed;
                is_same.then(|| held(same).insert(folder.clone()))?;
                Some((known, id))
            }
        }
    }
}

/// A report of what has changed below a folder since a moment.
const REPORT: &str = "<?xml version=\"1.0\" encoding=\"utf-8\"?><d:sync-collection xmlns:d=\"DAV:\">\
    <d:sync-token>@T@</d:sync-token><d:sync-level>infinite</d:sync-level><d:prop><d:getetag/></d:prop>\
    </d:sync-collection>";

const TOKEN: &str = "<?xml version=\"1.0\" encoding=\"utf-8\"?><d:propfind xmlns:d=\"DAV:\"><d:prop>\
    <d:sync-token/></d:prop></d:propfind>";

/// The sync token where entity tags alone tell.
const BY_TAGS: &str = "entity tags";

impl DriveStore {
    /// The sync token of this time, if the drive can tell later what has changed since.
    pub(super) fn sync_token(&self) -> StoreResult<Option<String>> {
        let Some(conduct) = self.drive().conduct_known() else { return Ok(None) };
        if !conduct.tells_changes {
            return Ok(conduct.deep_tags.then(|| BY_TAGS.to_owned()));
        }
        let request =
            HttpRequest::new("PROPFIND", url(self.drive(), &self.place().path, true)).with("depth", "0");
        let answer = self.drive().wire.ask(&request.xml(TOKEN.to_owned()))?;
        let mut token = None;
        if answer.status == 207 {
            multistatus::read(answer.body.into_reader(), &mut |response| {
                token = response.dav("sync-token").map(|found| found.text.trim().to_owned());
                Ok(())
            })?;
        }
        Ok(token.filter(|token| !token.is_empty()))
    }

    /// What has changed since an earlier look. Whatever cannot be understood means: everything.
    pub(super) fn news<'k>(&self, known: Option<&'k EarlierScan>) -> StoreResult<News<'k>> {
        let (Some(known), Some(conduct)) = (known, self.drive().conduct_known()) else {
            return Ok(News::All);
        };
        let Some(sync_token) = &known.sync_token else { return Ok(News::All) };
        match sync_token.as_str() {
            BY_TAGS if conduct.deep_tags => Ok(News::ByTags { known: &known.tree, same: Mutex::default() }),
            BY_TAGS => Ok(News::All),
            _ if conduct.tells_changes => self.reported(&known.tree, sync_token),
            _ => Ok(News::All),
        }
    }

    fn reported<'k>(&self, known: &'k Tree, sync_token: &str) -> StoreResult<News<'k>> {
        let (mut listed, mut below) = (HashSet::new(), HashSet::new());
        let top = &self.place().path;
        let request = HttpRequest::new("REPORT", url(self.drive(), top, true)).with("depth", "0");
        let token = quick_xml::escape::escape(sync_token);
        let answer = self.drive().wire.ask(&request.xml(REPORT.replace("@T@", &token)))?;
        if answer.status != 207 {
            // The drive has forgotten what it was asked about.
            super::listing::drain(answer);
            return Ok(News::All);
        }
        let mut is_whole = true;
        let read = multistatus::read(answer.body.into_reader(), &mut |response| {
            // More has changed than it says.
            is_whole &= response.status != Some(507);
            let path = self.drive().path_of(&response)?;
            let path = ItemPath::of_names(path.parts().skip(top.depth()));
            listed.insert(path.parent().unwrap_or_default());
            // If it is a folder it may be another one, with other things in it.
            below.insert(path);
            Ok(())
        });
        match read {
            Ok(_) if is_whole => Ok(News::Reported { known, listed, below }),
            Ok(_) | Err(StoreError::Malformed(_)) => Ok(News::All),
            Err(other) => Err(other),
        }
    }
}
