//! Content brought down, from where a broken connection left off, and sent up under a new name.

use std::io::{self, Read};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use nine_core::item::{Entry, Kind};
use nine_core::place::ItemPath;
use ureq::BodyReader;

use super::listing::{DriveItem, plain_tag};
use super::properties::{Given, KeptProperties, tags_of};
use super::wire::{HttpRequest, TRIES, Trouble, retry_after};
use super::{Drive, held, url};
use crate::bounded;
use crate::{Meta, OpenFile, StoreError, StoreResult};

/// The longest pause before a file is sent again.
const MOST_PAUSE: Duration = Duration::from_secs(30);

/// A file that is being read.
pub(super) struct Download {
    drive: Arc<Drive>,
    path: ItemPath,
    /// As long as it has this tag it is the same content.
    tag: Option<String>,
    /// Where the next byte stands, and where the last one must.
    at: u64,
    end: Option<u64>,
    body: Option<BodyReader<'static>>,
    tries: u32,
}

impl Download {
    /// Starts to read a file from `at` on, up to `end` where that is given.
    pub fn start(
        drive: &Arc<Drive>,
        path: &ItemPath,
        tag: Option<String>,
        at: u64,
        end: Option<u64>,
    ) -> StoreResult<Self> {
        let mut download =
            Self { drive: Arc::clone(drive), path: path.clone(), tag, at, end, body: None, tries: 0 };
        download.connect()?;
        Ok(download)
    }

    fn connect(&mut self) -> StoreResult<()> {
        let mut request = HttpRequest::new("GET", url(&self.drive, &self.path, false));
        let part = self.at > 0 || self.end.is_some();
        if part {
            let last = self.end.map_or(String::new(), |end| end.saturating_sub(1).to_string());
            request = request.with("range", format!("bytes={}-{last}", self.at));
        }
        let answer = self.drive.wire.ask(&request)?;
        let tag = answer.header("etag").and_then(plain_tag);
        // Not by If-Match, which is never true of a weak tag.
        match (&self.tag, &tag, answer.status) {
            (Some(own), Some(now), 200 | 206) if own != now => return Err(StoreError::Changed),
            (Some(_), None, 206) if self.at > 0 => {
                return Err(StoreError::Malformed("it does not say of which content this part is".into()));
            }
            _ => {}
        }
        let length = answer.header("content-length").and_then(|length| length.parse::<u64>().ok());
        match answer.status {
            200 if !part => self.end = length,
            // It takes no notice of ranges; what was read before must be passed over.
            200 => {
                let mut body = answer.body.into_reader();
                let passed = io::copy(&mut (&mut body).take(self.at), &mut io::sink())?;
                if passed < self.at {
                    return Err(StoreError::Broken("it ended too soon".into()));
                }
                self.body = Some(body);
                return Ok(());
            }
            206 => {
                let range = answer.header("content-range").and_then(|range| range.strip_prefix("bytes "));
                let from = range.and_then(|range| range.split('-').next()?.trim().parse::<u64>().ok());
                if from != Some(self.at) {
                    return Err(StoreError::Malformed("it is another part of the file".into()));
                }
                self.end = self.end.or(length.map(|length| self.at + length));
            }
            // Nothing is left of it.
            416 => {
                self.end = Some(self.at);
                return Ok(());
            }
            _ => return Err(self.drive.refusal(&answer)),
        }
        self.tag = self.tag.take().or(tag);
        self.body = Some(answer.body.into_reader());
        Ok(())
    }

    /// Reads on, without asking again where the line is cut.
    fn read_on(&mut self, room: &mut [u8]) -> StoreResult<usize> {
        let left = self.end.map_or(u64::MAX, |end| end.saturating_sub(self.at));
        let room_left = usize::try_from(left).unwrap_or(usize::MAX).min(room.len());
        if room_left == 0 {
            return Ok(0);
        }
        if self.body.is_none() {
            self.connect()?;
        }
        let Some(body) = &mut self.body else { return Ok(0) };
        let length = body
            .read(&mut room[..room_left])
            .map_err(|error| StoreError::Broken(nine_core::escape::plain(&error.to_string())))?;
        if length == 0 && self.end.is_some_and(|end| self.at < end) {
            return Err(StoreError::Broken("it ended too soon".into()));
        }
        self.at += length as u64;
        if self.end == Some(self.at) {
            // Only once its end was met an answer gives its connection back; what goes on behind it is not waited for.
            let _ = body.read(&mut [0]);
            self.body = None;
        }
        Ok(length)
    }
}

impl Read for Download {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        loop {
            match self.read_on(room) {
                Ok(length) => {
                    self.tries = if length > 0 { 0 } else { self.tries };
                    return Ok(length);
                }
                Err(StoreError::Broken(_)) if self.tries + 1 < TRIES => {
                    self.tries += 1;
                    self.body = None;
                    std::thread::sleep(self.drive.wire.pause_before(self.tries));
                }
                Err(error) => return Err(io::Error::other(error)),
            }
        }
    }
}

/// A file on a drive that is read in parts.
pub(super) struct Remote {
    drive: Arc<Drive>,
    path: ItemPath,
    found: DriveItem,
    stream: Mutex<Option<Download>>,
    /// Where the last part that was asked for by itself ended.
    ended: Mutex<Option<u64>>,
}

impl Remote {
    pub fn open(drive: &Arc<Drive>, path: &ItemPath) -> StoreResult<Self> {
        let found = drive.found(path)?.ok_or(StoreError::NotThere)?;
        if found.entry.kind != Kind::File {
            return Err(StoreError::Special);
        }
        Ok(Self {
            drive: Arc::clone(drive),
            path: path.clone(),
            found,
            stream: Mutex::default(),
            ended: Mutex::default(),
        })
    }

    fn part(&self, room: &mut [u8], offset: u64) -> StoreResult<usize> {
        let end = (offset + room.len() as u64).min(self.found.entry.size);
        let tag = self.found.tag.clone();
        let mut part = Download::start(&self.drive, &self.path, tag, offset, Some(end))?;
        *held(&self.ended) = Some(end);
        fill(&mut part, room)
    }
}

impl OpenFile for Remote {
    /// As it was when it was opened: each part is refused if the entity tag is another by then.
    fn entry(&self) -> StoreResult<Entry> {
        if self.found.tag.is_some() {
            return Ok(self.found.entry.clone());
        }
        Ok(self.drive.ask_about(&self.path)?.ok_or(StoreError::NotThere)?.entry)
    }

    fn read_at(&self, room: &mut [u8], offset: u64) -> StoreResult<usize> {
        if offset >= self.found.entry.size || room.is_empty() {
            return Ok(0);
        }
        let mut stream = held(&self.stream);
        let goes_on = stream.as_ref().is_some_and(|stream| stream.at == offset);
        // Who asks for a second part behind the first one reads the rest as well.
        if !goes_on && *held(&self.ended) != Some(offset) {
            return self.part(room, offset);
        }
        if !goes_on {
            let tag = self.found.tag.clone();
            *stream = Some(Download::start(&self.drive, &self.path, tag, offset, None)?);
        }
        match &mut *stream {
            Some(stream) => fill(stream, room),
            None => Ok(0),
        }
    }
}

fn fill(from: &mut Download, room: &mut [u8]) -> StoreResult<usize> {
    let mut filled = 0;
    while filled < room.len() {
        match from.read(&mut room[filled..]).map_err(StoreError::from)? {
            0 => break,
            length => filled += length,
        }
    }
    Ok(filled)
}

/// Counts what passes.
struct Counting<'a> {
    inner: &'a mut dyn Read,
    passed: u64,
}

impl Read for Counting<'_> {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        let length = self.inner.read(room)?;
        self.passed += length as u64;
        Ok(length)
    }
}

impl Drive {
    /// Up to `most` bytes from a file's start.
    pub(super) fn first_bytes(self: &Arc<Self>, path: &ItemPath, most: usize) -> StoreResult<Vec<u8>> {
        let download = Download::start(self, path, None, 0, Some(most as u64))?;
        // A short file ends before the part that was asked for.
        let bytes = download.body.map(|body| bounded::up_to(body, most as u64)).transpose()?;
        Ok(bytes.unwrap_or_default())
    }

    /// Writes a new file with what travels with it.
    pub(super) fn write_new(
        &self,
        path: &ItemPath,
        content: &mut dyn Read,
        size: Option<u64>,
        meta: &Meta,
    ) -> StoreResult<u64> {
        self.trusted()?;
        let tags = tags_of(meta);
        let keeps = self.conduct_known().is_none_or(|conduct| conduct.keeps_properties);
        if !keeps && !tags.is_empty() {
            return Err(StoreError::NoTags);
        }
        let written = self.put(path, content, size)?;
        // Servers say what they have; what they do not have is not there.
        let found = self.ask_about(path)?.ok_or_else(|| StoreError::NotShown(path.to_string()))?;
        if found.entry.size != written {
            return Err(StoreError::Broken("the file did not come over as a whole".into()));
        }
        if keeps {
            let modified = found.tag.map(|tag| (meta.modified, tag));
            self.give(path, false, &Given { tags: &tags, kept: &KeptProperties::of(meta), modified })?;
        }
        Ok(written)
    }

    /// Sends a file up under a name that must be free.
    pub(super) fn put(&self, path: &ItemPath, content: &mut dyn Read, size: Option<u64>) -> StoreResult<u64> {
        let mut request = HttpRequest::new("PUT", url(self, path, false)).with("if-none-match", "*");
        if let Some(size) = size {
            request = request.with("content-length", size.to_string());
        }
        let mut counting = Counting { inner: content, passed: 0 };
        let answer = self.wire.send_stream(&request, &mut counting);
        let passed = counting.passed;
        self.forget(path);
        let answer = match answer {
            Ok(answer) => answer,
            // The stream that was to be sent may have ended too soon; that is no fault of the drive.
            Err(Trouble::Unsure(StoreError::Broken(_))) if size.is_some_and(|size| passed < size) => {
                return Err(StoreError::Broken("the file was not sent as a whole".into()));
            }
            // Whether the drive is gone shows when it is asked for something that can be sent again.
            Err(Trouble::NotSent(StoreError::Unreachable(why))) => return Err(StoreError::Broken(why)),
            Err(error) => return Err(error.into()),
        };
        match answer.status {
            200 | 201 | 204 => {
                super::listing::drain(answer);
                Ok(passed)
            }
            412 => Err(StoreError::Taken),
            429 | 500 | 502 | 503 | 504 => {
                // Whoever tries again has waited by then.
                let pause = retry_after(&answer).unwrap_or(self.wire.pause_before(3));
                std::thread::sleep(pause.min(MOST_PAUSE));
                Err(StoreError::Broken(format!("it answers with status {}", answer.status)))
            }
            _ => Err(self.refusal(&answer)),
        }
    }

    /// The same with what can be sent again, from its start where the connection broke.
    pub(super) fn put_again(&self, path: &ItemPath, content: &[u8]) -> StoreResult<()> {
        for tries in 1.. {
            match self.put(path, &mut &*content, Some(content.len() as u64)) {
                Err(StoreError::Broken(_)) if tries < TRIES => {
                    // All, half or nothing of it may have come over; it is ours.
                    self.delete(path, false, None)?;
                    std::thread::sleep(self.wire.pause_before(tries));
                }
                done => return done.map(drop),
            }
        }
        unreachable!("the last try returns")
    }

    /// The checksum (SHA-256) of a file as the drive tells it (RFC 9530), if it does.
    pub(super) fn told_sum(&self, path: &ItemPath) -> StoreResult<Option<[u8; 32]>> {
        use base64::Engine as _;
        let request = HttpRequest::new("HEAD", url(self, path, false)).with("want-repr-digest", "sha-256=10");
        let answer = self.wire.ask(&request)?;
        let told = answer.header("repr-digest").unwrap_or_default();
        let sums = told.split(',').filter_map(|one| one.trim().strip_prefix("sha-256=:")?.strip_suffix(':'));
        let read = |text: &str| base64::engine::general_purpose::STANDARD.decode(text).ok()?.try_into().ok();
        Ok(sums.filter_map(read).next())
    }
}
