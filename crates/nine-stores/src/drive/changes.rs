//! What is changed on a drive: items moved, folders made and taken away, files taken away.
//!
//! A change may have been made although no answer came, and `Overwrite: F` is not atomic on every server. So after
//! each request that did not clearly succeed or fail both ends are looked at, and what was moved is looked for
//! once more in its folder when a run ends ([`Drive::confirm`]).

use std::time::Duration;

use nine_core::item::{Kind, Stamp};
use nine_core::place::{ItemPath, NameBuf};

use super::listing::{DriveItem, drain};
use super::multistatus;
use super::properties::{Given, Patch};
use super::wire::{HttpRequest, HttpResponse, TRIES, Trouble, is_plain_refusal};
use super::{Drive, Seen, expect, held, url};
use crate::{StoreError, StoreResult};

/// Right after a write some servers do not compare entity tags as equal for two seconds: what has not changed is
/// tried again after this pause, [`TRIES`] times in all.
pub(super) const UNTIL_TAGS_COUNT: Duration = Duration::from_millis(600);

/// What is known after a request to move something.
enum Moved {
    Yes,
    /// Both ends are as they were: it may be tried again.
    No(StoreError),
}

/// Something to be moved.
pub(super) struct Move<'a> {
    pub from: &'a ItemPath,
    pub to: &'a ItemPath,
    pub stamp: &'a Stamp,
    /// Whether what has the target's name may go: only for the lists of the archive.
    pub replaces: bool,
}

impl Drive {
    /// Moves an item onto a free name, with its properties. Returns as what it is found there.
    pub(super) fn move_item(&self, step: &Move) -> StoreResult<Stamp> {
        self.trusted()?;
        let moves_into = self.conduct_known().is_some_and(|conduct| conduct.moves_into_folders);
        if moves_into && !step.replaces && self.ask_about(step.to)?.is_some() {
            return Err(StoreError::Taken);
        }
        // The tag is known where the command has listed the folder; the drive compares it.
        let planned = self.planned(step.from).filter(|found| found.entry.stamp() == *step.stamp);
        let forgets = self
            .conduct_known()
            .is_some_and(|conduct| conduct.keeps_properties && !conduct.properties_survive_move);
        let may_plan = |found: &DriveItem| found.tag.is_some() && found.entry.kind == Kind::File && !forgets;
        let found = match planned.filter(may_plan) {
            Some(found) => found,
            None => expect(self.ask_about(step.from)?, step.stamp)?,
        };
        // Tags may have been given since the command looked.
        let inner = if forgets { self.properties_below(step.from, &found)? } else { Vec::new() };
        let (from, to) = (step.from, step.to);
        for tries in 1.. {
            match self.move_once(step, &found)? {
                Moved::Yes => break,
                Moved::No(why) if tries >= TRIES => return Err(why),
                Moved::No(StoreError::Changed) => std::thread::sleep(UNTIL_TAGS_COUNT),
                Moved::No(_) => std::thread::sleep(self.wire.pause_before(tries)),
            }
        }
        self.forget(from);
        self.forget(to);
        self.note_unseen(from, None);
        let keeps_tag = self.conduct_known().is_some_and(|conduct| conduct.tag_survives_move);
        let tag = found.tag.clone().filter(|_| keeps_tag && found.entry.kind == Kind::File);
        self.note_unseen(to, Some(Seen { kind: found.entry.kind, size: found.entry.size, tag }));
        for (below, found) in inner {
            self.put_properties_back(&to.join_path(&below), &found)?;
        }
        self.stamp_after_move(step, &found)
    }

    fn stamp_after_move(&self, step: &Move, found: &DriveItem) -> StoreResult<Stamp> {
        let keeps = self.conduct_known().is_none_or(|conduct| conduct.tag_survives_move);
        if keeps || found.entry.kind == Kind::Folder {
            return Ok(self.moved(step.stamp, step.to));
        }
        let now = self.ask_about(step.to)?.ok_or_else(|| StoreError::NotShown(step.to.to_string()))?;
        Ok(now.entry.stamp())
    }

    fn move_once(&self, step: &Move, found: &DriveItem) -> StoreResult<Moved> {
        let is_folder = found.entry.kind == Kind::Folder;
        let mut request = HttpRequest::new("MOVE", url(self, step.from, is_folder))
            .with("destination", url(self, step.to, is_folder))
            .with("overwrite", if step.replaces { "T" } else { "F" });
        request = match is_folder {
            true => request.with("depth", "infinity"),
            // What replaces a list is our own under a name of our own; some hold the condition against the target.
            false if step.replaces => request,
            false => self.only_if(request, found),
        };
        let doubt = match self.wire.ask(&request) {
            Ok(answer) => match answer.status {
                201 | 204 => {
                    drain(answer);
                    return Ok(Moved::Yes);
                }
                207 => self.first_failure(answer),
                412 => StoreError::Changed,
                // Some answer otherwise than the standard says although it is done.
                status if !is_plain_refusal(status) => self.refusal(&answer),
                _ => return Err(self.refusal(&answer)),
            },
            Err(Trouble::NotSent(error)) => return Err(error),
            Err(Trouble::Unsure(error)) => error,
        };
        self.look_at_both_ends(step, found, doubt)
    }

    /// The condition that an item is what was found. RFC 4918 compares weak tags as equal, HTTP's own never.
    pub(super) fn only_if(&self, request: HttpRequest, found: &DriveItem) -> HttpRequest {
        let Some(tag) = &found.tag else { return request };
        if found.is_weak && self.conduct_known().is_some_and(|conduct| conduct.compares_weak_tags) {
            let condition = format!("<{}> ([W/{tag}])", request.url);
            return request.with("if", condition);
        }
        request.with("if-match", tag.clone())
    }

    /// What became of a move of which that is not clear.
    fn look_at_both_ends(&self, step: &Move, found: &DriveItem, doubt: StoreError) -> StoreResult<Moved> {
        let (old, new) = (self.ask_about(step.from)?, self.ask_about(step.to)?);
        let is_old = |found: &DriveItem| found.entry.stamp() == *step.stamp;
        match (old, new) {
            (None, Some(new)) if new.entry.kind == found.entry.kind && self.is_it(&new.entry, step.stamp) => {
                Ok(Moved::Yes)
            }
            (Some(old), None) if is_old(&old) => Ok(Moved::No(doubt)),
            (Some(old), Some(_)) if is_old(&old) && step.replaces => Ok(Moved::No(doubt)),
            (Some(old), Some(_)) if is_old(&old) => Err(StoreError::Taken),
            (Some(_), _) => Err(StoreError::Changed),
            (None, _) => Err(StoreError::NotThere),
        }
    }

    /// Why something inside could not be moved.
    fn first_failure(&self, answer: HttpResponse) -> StoreError {
        let mut failed = None;
        let read = multistatus::read(answer.body.into_reader(), &mut |response| {
            let status = response.status.filter(|status| !(200..300).contains(status));
            failed = failed.or(status.or(response.refused.first().copied()));
            Ok(())
        });
        match (read, failed) {
            (Err(error), _) => error,
            (_, Some(403)) => StoreError::NoRight,
            (_, Some(423)) => StoreError::Locked,
            (_, Some(507)) => StoreError::DriveFull,
            (_, status) => StoreError::Drive(status.unwrap_or(207)),
        }
    }

    /// What a drive that forgets properties on a move must be told again: of the item and all that lies in it.
    fn properties_below(
        &self,
        from: &ItemPath,
        found: &DriveItem,
    ) -> StoreResult<Vec<(ItemPath, DriveItem)>> {
        let mut all = vec![(ItemPath::root(), found.clone())];
        let mut at = 0;
        while let Some((below, found)) = all.get(at).cloned() {
            if found.entry.kind == Kind::Folder {
                let listing = self.list_anew(&from.join_path(&below))?;
                all.extend(listing.items.iter().map(|(name, found)| (below.join(name), found.clone())));
            }
            at += 1;
        }
        all.retain(|(_, found)| !found.tags.is_empty() || found.kept != Default::default());
        Ok(all)
    }

    fn put_properties_back(&self, path: &ItemPath, found: &DriveItem) -> StoreResult<()> {
        let is_folder = found.entry.kind == Kind::Folder;
        let modified = found.tag.clone().filter(|_| !is_folder).map(|tag| (found.entry.modified, tag));
        self.give(path, is_folder, &Given { tags: &found.tags, kept: &found.kept, modified })
    }

    /// Replaces an item's tags.
    pub(super) fn set_tags(&self, path: &ItemPath, stamp: &Stamp, tags: &[String]) -> StoreResult<()> {
        self.trusted()?;
        let patch = Patch::default().tags(tags)?;
        let planned = self.planned(path).filter(|found| found.entry.stamp() == *stamp && found.tag.is_some());
        let mut found = match planned {
            Some(found) => found,
            None => expect(self.ask_about(path)?, stamp)?,
        };
        for tries in 1.. {
            let is_folder = found.entry.kind == Kind::Folder;
            match self.patch(path, is_folder, Some(&found).filter(|_| !is_folder), &patch) {
                Err(StoreError::Changed) if tries < TRIES => {
                    found = expect(self.ask_about(path)?, stamp)?;
                    std::thread::sleep(UNTIL_TAGS_COUNT);
                }
                done => return done,
            }
        }
        unreachable!("the last try returns")
    }

    /// Makes one folder; says whether it was not there before.
    pub(super) fn make_folder(&self, path: &ItemPath) -> StoreResult<bool> {
        self.trusted()?;
        let made = self.make_folder_unasked(path)?;
        self.note_unseen(path, Some(Seen { kind: Kind::Folder, size: 0, tag: None }));
        Ok(made)
    }

    /// The same before it is known how the drive behaves.
    pub(super) fn make_folder_unasked(&self, path: &ItemPath) -> StoreResult<bool> {
        for tries in 1.. {
            let answer = self.wire.ask(&HttpRequest::new("MKCOL", url(self, path, true)));
            self.forget(path);
            let doubt = match answer {
                Ok(answer) if answer.status == 201 => {
                    drain(answer);
                    return Ok(true);
                }
                Ok(answer) if matches!(answer.status, 405 | 301 | 302 | 412) => {
                    return match self.ask_about(path)?.map(|found| found.entry.kind) {
                        Some(Kind::Folder) => Ok(false),
                        Some(_) => Err(StoreError::NotAFolder),
                        None => Err(self.refusal(&answer)),
                    };
                }
                Ok(answer) if !is_plain_refusal(answer.status) => self.refusal(&answer),
                Ok(answer) => return Err(self.refusal(&answer)),
                Err(Trouble::NotSent(error)) => return Err(error),
                Err(Trouble::Unsure(error)) => error,
            };
            match self.ask_about(path)?.map(|found| found.entry.kind) {
                Some(Kind::Folder) => return Ok(true),
                Some(_) => return Err(StoreError::NotAFolder),
                None if tries >= TRIES => return Err(doubt),
                None => std::thread::sleep(self.wire.pause_before(tries)),
            }
        }
        unreachable!("the last try returns")
    }

    /// Takes away a folder if it is empty. The standard's DELETE takes all that lies in it too, so it is first
    /// moved where nobody puts anything, `aside`, looked into once more, and only then taken away.
    pub(super) fn remove_empty_folder(&self, path: &ItemPath, aside: &ItemPath) -> StoreResult<bool> {
        self.trusted()?;
        let is_empty = |path: &ItemPath| match self.list_anew(path) {
            Ok(listing) => Ok(listing.items.is_empty()),
            Err(StoreError::NotThere | StoreError::NotAFolder) => Ok(false),
            Err(other) => Err(other),
        };
        self.forget(path);
        if !is_empty(path)? {
            return Ok(false);
        }
        let Some(found) = self.ask_about(path)?.filter(|found| found.entry.kind == Kind::Folder) else {
            return Ok(false);
        };
        let stamp = found.entry.stamp();
        let moved = self.move_item(&Move { from: path, to: aside, stamp: &stamp, replaces: false })?;
        if is_empty(aside)? {
            self.delete(aside, true, None)?;
            held(&self.unseen).remove(&aside.parent().unwrap_or_default());
            return Ok(true);
        }
        self.move_item(&Move { from: aside, to: path, stamp: &moved, replaces: false })?;
        Ok(false)
    }

    /// Takes away a file whose copy has been verified, or that was never finished.
    pub(super) fn remove_copied(&self, path: &ItemPath, stamp: &Stamp) -> StoreResult<()> {
        self.trusted()?;
        for tries in 1.. {
            let found = expect(self.ask_about(path)?, stamp)?;
            if found.entry.kind != Kind::File {
                return Err(StoreError::NotEmpty);
            }
            match self.delete(path, false, Some(&found)) {
                Err(StoreError::Changed) if tries < TRIES => std::thread::sleep(UNTIL_TAGS_COUNT),
                done => {
                    done?;
                    break;
                }
            }
        }
        self.note_unseen(path, None);
        Ok(())
    }

    /// Takes away what is ours. What is gone already is no error.
    pub(super) fn delete(
        &self,
        path: &ItemPath,
        is_folder: bool,
        found: Option<&DriveItem>,
    ) -> StoreResult<()> {
        let mut request = HttpRequest::new("DELETE", url(self, path, is_folder));
        if let Some(found) = found {
            request = self.only_if(request, found);
        }
        for tries in 1.. {
            let answer = self.wire.ask(&request);
            self.forget(path);
            let doubt = match answer {
                Ok(answer) if matches!(answer.status, 200 | 204 | 404 | 410) => {
                    drain(answer);
                    return Ok(());
                }
                Ok(answer) if answer.status == 207 => return Err(self.first_failure(answer)),
                Ok(answer) if !is_plain_refusal(answer.status) => self.refusal(&answer),
                Ok(answer) => return Err(self.refusal(&answer)),
                Err(Trouble::NotSent(error)) => return Err(error),
                Err(Trouble::Unsure(error)) => error,
            };
            if self.ask_about(path)?.is_none() {
                return Ok(());
            }
            if tries >= TRIES {
                return Err(doubt);
            }
            std::thread::sleep(self.wire.pause_before(tries));
        }
        unreachable!("the last try returns")
    }

    fn note_unseen(&self, path: &ItemPath, seen: Option<Seen>) {
        let folder = path.parent().unwrap_or_default();
        if let Some(name) = path.last() {
            held(&self.unseen).entry(folder).or_default().insert(name.into(), seen);
        }
    }

    /// Looks into a folder whether all shows that was done in it. Returns the names of what does not: something else
    /// has taken its place, since `Overwrite: F` is not atomic on every server.
    pub(super) fn confirm(&self, folder: &ItemPath) -> StoreResult<Vec<NameBuf>> {
        let Some(done) = held(&self.unseen).get(folder).cloned() else { return Ok(Vec::new()) };
        self.forget_listing(folder);
        let listing = self.list_anew(folder)?;
        held(&self.unseen).remove(folder);
        let mut missing = Vec::new();
        for (name, wanted) in done {
            // Somebody else may have put another thing where something was taken away.
            let Some(wanted) = wanted else { continue };
            let there = listing.items.get(&name);
            if there.is_none_or(|found| !wanted.is_shown_by(found)) {
                missing.push(name);
            }
        }
        missing.sort();
        Ok(missing)
    }
}
