//! What stands where: asked of the drive a folder at a time, and remembered while a command looks.

use std::collections::HashMap;
use std::io::Read as _;
use std::sync::Arc;

use jiff::fmt::rfc2822::DateTimeParser;
use nine_core::item::{Entry, Kind};
use nine_core::moment::Moment;
use nine_core::place::{ItemPath, NameBuf};
use nine_core::tags;

use super::address::decoded;
use super::multistatus::{self, Response};
use super::properties::{KeptProperties, WANTED};
use super::wire::{HttpRequest, HttpResponse, refusal};
use super::{Drive, held, url};
use crate::{StoreError, StoreResult};

/// Items of which listings are remembered, so that a drive of a million does not fill the memory.
const MOST_REMEMBERED: usize = 200_000;

/// What a drive tells of an item.
#[derive(Debug, Clone)]
pub(super) struct DriveItem {
    pub entry: Entry,
    /// The entity tag, without the mark that it is a weak one.
    pub tag: Option<String>,
    /// Whether it is a weak one, which many servers never find equal.
    pub is_weak: bool,
    pub tags: Vec<String>,
    pub kept: KeptProperties,
}

/// What a folder holds.
#[derive(Debug, Default)]
pub(super) struct Listing {
    pub own: Option<DriveItem>,
    pub items: HashMap<NameBuf, DriveItem>,
}

/// Listings that are remembered, by whole path.
#[derive(Debug, Default)]
pub(super) struct Listings {
    known: HashMap<ItemPath, Arc<Listing>>,
    /// As they were when the command looked; good only to know the entity tag of what was planned.
    planned: HashMap<ItemPath, Arc<Listing>>,
    items: usize,
    /// How many single items of a folder were asked about.
    asked: HashMap<ItemPath, u32>,
    /// Whether things are being changed, so that nothing is taken from memory.
    is_carrying: bool,
}

impl Listings {
    fn put(&mut self, folder: &ItemPath, listing: &Arc<Listing>) {
        if self.is_carrying || self.items + listing.items.len() > MOST_REMEMBERED {
            return;
        }
        self.items += listing.items.len();
        self.known.insert(folder.clone(), Arc::clone(listing));
    }

    /// What is remembered of an item: that it is not there is something, too.
    fn recall(&self, path: &ItemPath) -> Option<Option<DriveItem>> {
        if let Some(own) = self.known.get(path).and_then(|listing| listing.own.clone()) {
            return Some(Some(own));
        }
        let folder = self.known.get(&path.parent()?)?;
        Some(folder.items.get(path.name()).cloned())
    }
}

impl Drive {
    /// From now on the drive is asked, and nothing is taken from memory.
    pub(super) fn look_anew(&self) {
        let mut listings = held(&self.listings);
        // Several places may be on one drive.
        let known = std::mem::take(&mut listings.known);
        listings.planned.extend(known);
        listings.is_carrying = true;
        listings.items = 0;
    }

    /// What is remembered of an item.
    pub(super) fn remembered(&self, path: &ItemPath) -> Option<DriveItem> {
        held(&self.listings).recall(path).flatten()
    }

    /// What was known of an item when the command looked, whatever it is now.
    pub(super) fn planned(&self, path: &ItemPath) -> Option<DriveItem> {
        let listings = held(&self.listings);
        let of = |listings: &HashMap<ItemPath, Arc<Listing>>| {
            listings.get(&path.parent()?)?.items.get(path.name()).cloned()
        };
        of(&listings.known).or_else(|| of(&listings.planned))
    }

    /// Something was changed at a path.
    pub(super) fn forget(&self, path: &ItemPath) {
        let mut listings = held(&self.listings);
        let gone =
            |folder: &ItemPath| folder == path || folder.is_inside(path) || path.is_directly_in(folder);
        listings.known.retain(|folder, _| !gone(folder));
        listings.items = listings.known.values().map(|listing| listing.items.len()).sum();
    }

    /// Something may have been changed in a folder by others.
    pub(super) fn forget_listing(&self, folder: &ItemPath) {
        let mut listings = held(&self.listings);
        listings.known.remove(folder);
        listings.items = listings.known.values().map(|listing| listing.items.len()).sum();
    }

    /// What stands at a path.
    pub(super) fn found(&self, path: &ItemPath) -> StoreResult<Option<DriveItem>> {
        let lists_folder = {
            let mut listings = held(&self.listings);
            if let Some(known) = listings.recall(path) {
                return Ok(known);
            }
            let parent = path.parent().filter(|_| !listings.is_carrying);
            // Who asks about a second item of a folder asks about more.
            parent.filter(|parent| {
                let asked = listings.asked.entry(parent.clone()).or_default();
                *asked += 1;
                *asked == 2
            })
        };
        match lists_folder.map(|folder| self.list(&folder)) {
            Some(Ok(listing)) => Ok(listing.items.get(path.name()).cloned()),
            Some(Err(StoreError::NotThere | StoreError::NotAFolder)) => Ok(None),
            _ => self.ask_about(path),
        }
    }

    /// What stands at a path now.
    pub(super) fn ask_about(&self, path: &ItemPath) -> StoreResult<Option<DriveItem>> {
        let mut answer = self.propfind(path, false, "0")?;
        if is_same_with_slash(&answer, &url(self, path, false)) {
            answer = self.propfind(path, true, "0")?;
        }
        match answer.status {
            207 => {}
            404 | 410 => return Ok(None),
            // A file stands where a folder must be.
            409 => return Ok(None),
            _ => return Err(self.refusal(&answer)),
        }
        let mut own = None;
        multistatus::read(answer.body.into_reader(), &mut |response| {
            if self.path_of(&response)? != *path {
                return Err(astray(&response));
            }
            own = self.item(&response, path);
            Ok(())
        })?;
        Ok(own)
    }

    /// The same error with the server's name, where only its answer is named.
    pub(super) fn of_server(&self, error: StoreError) -> StoreError {
        match error {
            StoreError::Malformed(why) => StoreError::Malformed(format!("{why} ({})", self.origin)),
            other => other,
        }
    }

    /// What a folder holds; remembered from then on.
    pub(super) fn list(&self, folder: &ItemPath) -> StoreResult<Arc<Listing>> {
        self.list_unnamed(folder).map_err(|error| self.of_server(error))
    }

    fn list_unnamed(&self, folder: &ItemPath) -> StoreResult<Arc<Listing>> {
        if let Some(known) = held(&self.listings).known.get(folder) {
            return Ok(Arc::clone(known));
        }
        // Where the folder above was listed it need not be asked for what is not in it.
        let known = held(&self.listings).recall(folder);
        match known {
            Some(None) => Err(StoreError::NotThere),
            Some(Some(found)) if found.entry.kind != Kind::Folder => Err(StoreError::NotAFolder),
            _ => self.list_anew(folder),
        }
    }

    /// What a folder holds now.
    pub(super) fn list_anew(&self, folder: &ItemPath) -> StoreResult<Arc<Listing>> {
        let mut answer = Err(StoreError::Busy);
        // An answer that is cut off is asked for again; one that makes no sense stays so.
        for tries in 1..=super::wire::TRIES {
            answer = self.list_once(folder);
            match &answer {
                Err(StoreError::Malformed(_)) if tries < 3 => {
                    std::thread::sleep(self.wire.pause_before(tries));
                }
                _ => break,
            }
        }
        let listing = Arc::new(answer?);
        held(&self.listings).put(folder, &listing);
        Ok(listing)
    }

    fn list_once(&self, folder: &ItemPath) -> StoreResult<Listing> {
        let answer = self.propfind(folder, true, "1")?;
        if answer.status != 207 {
            return Err(self.refusal(&answer));
        }
        let mut listing = Listing::default();
        multistatus::read(answer.body.into_reader(), &mut |response| {
            let path = self.path_of(&response)?;
            if path == *folder {
                listing.own = self.item(&response, &path);
            } else if path.is_directly_in(folder) {
                if let Some((name, found)) = path.last().zip(self.item(&response, &path))
                    && listing.items.insert(name.into(), found).is_some()
                {
                    let name = nine_core::escape::escape(path.name());
                    return Err(StoreError::Malformed(format!("it names {name} twice")));
                }
            } else {
                return Err(astray(&response));
            }
            Ok(())
        })?;
        match &listing.own {
            Some(own) if own.entry.kind != Kind::Folder => Err(StoreError::NotAFolder),
            _ => Ok(listing),
        }
    }

    fn propfind(&self, path: &ItemPath, is_folder: bool, depth: &str) -> StoreResult<HttpResponse> {
        let request = HttpRequest::new("PROPFIND", url(self, path, is_folder)).with("depth", depth);
        Ok(self.wire.ask(&request.xml(WANTED.to_owned()))?)
    }

    pub(super) fn refusal(&self, answer: &HttpResponse) -> StoreError {
        refusal(answer, &self.server())
    }

    /// Of which path a response speaks.
    pub(super) fn path_of(&self, response: &Response) -> StoreResult<ItemPath> {
        let href = response.href.as_str();
        let path = match href.split_once("://") {
            Some((_, rest)) => rest.find('/').map_or("", |at| &rest[at..]),
            None => href,
        };
        let path = path.split(['?', '#']).next().unwrap_or_default();
        decoded(path)
            .filter(|_| href.starts_with('/') || href.contains("://"))
            .ok_or_else(|| astray(response))
    }

    /// What a response tells; `None` if it tells that there is nothing.
    fn item(&self, response: &Response, path: &ItemPath) -> Option<DriveItem> {
        if response.status.is_some_and(|status| !(200..300).contains(&status)) {
            return None;
        }
        let text = |name: &str| response.dav(name).map(|property| property.text.trim());
        let is_folder = response
            .dav("resourcetype")
            .is_some_and(|property| property.inside.iter().any(|inside| inside == "collection"));
        let kind = if is_folder { Kind::Folder } else { Kind::File };
        let tag = text("getetag").and_then(plain_tag);
        let date = text("getlastmodified");
        let date = date.and_then(|text| DateTimeParser::new().parse_timestamp(text).ok());
        let modified = date.map_or(Moment(0), Moment::from_timestamp);
        let own = response.own("modified").and_then(|own| own.text.trim().split_once(' '));
        let modified = own
            .filter(|(_, given_for)| tag.as_deref() == Some(given_for) && !is_folder)
            .and_then(|(own, _)| Moment::from_rfc3339(own))
            .unwrap_or(modified);
        let identity = self.identity(path, kind, tag.as_deref());
        let size = text("getcontentlength").and_then(|text| text.parse().ok()).filter(|_| !is_folder);
        let entry = Entry {
            kind,
            size: size.unwrap_or(0),
            modified,
            opened: None,
            born: None,
            changed: changed(response, tag.as_deref().filter(|_| is_folder)),
            identity,
        };
        let tags = response.own("tags").map(|own| tags::from_attribute(own.text.as_bytes()));
        let kept = response.own("kept").map(|own| KeptProperties::parse(&own.text)).unwrap_or_default();
        let is_weak = text("getetag").is_some_and(|tag| tag.starts_with("W/"));
        Some(DriveItem { entry, tag, is_weak, tags: tags.unwrap_or_default(), kept })
    }
}

/// Stands for when attributes were last changed, which drives do not tell: no time, but another one once the
/// properties, or of a folder the entity tag, are others; and long ago, since a file's tag tells of its content.
fn changed(response: &Response, folder_tag: Option<&str>) -> Moment {
    let tags = response.own("tags").map(|own| own.text.as_bytes()).unwrap_or_default();
    let text = [tags, b"\0", folder_tag.unwrap_or_default().as_bytes()].concat();
    Moment((crate::mark(&text) % 1_000_000_000) as i64)
}

/// An entity tag in its strong form; some servers leave the quotes out.
pub(super) fn plain_tag(text: &str) -> Option<String> {
    let text = text.trim();
    let strong = text.strip_prefix("W/").unwrap_or(text);
    let bare = strong.trim_matches('"');
    (!bare.is_empty()).then(|| ["\"", bare, "\""].concat())
}

/// Whether an answer only says that a folder's address ends with a slash.
fn is_same_with_slash(answer: &HttpResponse, url: &str) -> bool {
    let path =
        |url: &str| url.split_once("://").and_then(|(_, rest)| Some(rest[rest.find('/')?..].to_owned()));
    let to = answer.header("location").filter(|_| (300..400).contains(&answer.status));
    let to = to.map(|to| path(to).unwrap_or_else(|| to.to_owned()));
    to.zip(path(url)).is_some_and(|(to, own)| to == format!("{own}/"))
}

fn astray(response: &Response) -> StoreError {
    let href = nine_core::escape::plain(&response.href);
    StoreError::Malformed(format!("it speaks of {href}, which was not asked for"))
}

/// Reads what is left of an answer, so that its connection serves again.
pub(super) fn drain(answer: HttpResponse) {
    let _ = std::io::copy(&mut answer.body.into_reader().take(64 * 1024), &mut std::io::sink());
}
