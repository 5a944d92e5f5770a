//! How a drive behaves: tried in a folder of our own, since what servers say of themselves proves nothing. Before
//! anything is changed on a drive for the first time it must have kept every promise that moves rely on.

use nine_core::place::{ItemPath, Name, NameBuf};

use super::changes::UNTIL_TAGS_COUNT;
use super::listing::drain;
use super::properties::{Given, KeptProperties};
use super::wire::{HttpRequest, TRIES};
use super::{Drive, held, url};
use crate::{StoreError, StoreResult};

/// The folder in which a drive is tried begins so.
pub const SCRATCH: &str = ".nine-check-";

/// Characters that have a meaning in addresses, at which some servers cut a name although they are escaped.
pub const CUT_AT: &[u8] = b"#?;";

/// How a drive behaves.
#[derive(Debug, Clone, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct Conduct {
    /// What it does that no drive may; then nothing is changed on it.
    pub careless: Option<String>,
    /// Whether it keeps properties that clients give to items.
    pub keeps_properties: bool,
    /// Whether they are still there when the item was moved.
    pub properties_survive_move: bool,
    /// Whether a moved file has the same entity tag as before.
    pub tag_survives_move: bool,
    /// Whether it compares weak entity tags by the `If` header (RFC 4918, section 10.4).
    pub compares_weak_tags: bool,
    /// Whether names that differ in letter case only are one name.
    pub folds_case: bool,
    /// Whether names that differ in their Unicode form only are one name.
    pub folds_form: bool,
    /// Whether the tag of a folder changes with anything at any depth below it.
    pub deep_tags: bool,
    /// Whether it tells what has changed since an earlier look (RFC 6578).
    pub tells_changes: bool,
    /// Whether it tells checksums (RFC 9530).
    pub tells_sums: bool,
    /// Whether it tells how much room there is (RFC 4331).
    pub tells_room: bool,
    /// Whether it tells who may do what (RFC 3744).
    pub tells_rights: bool,
    /// Whether it has locks (class 2).
    pub locks: bool,
    /// Whether it takes only a part of a name that has one of [`CUT_AT`] in it.
    #[serde(default)]
    pub cuts_names: bool,
    /// Whether it moves something into a folder that has the target's name, instead of refusing.
    #[serde(default)]
    pub moves_into_folders: bool,
    /// The classes that it names, as it names them.
    pub classes: String,
    /// How its server calls itself.
    #[serde(default)]
    pub server: String,
}

impl Drive {
    /// How the drive behaves, if it was tried.
    pub fn conduct_known(&self) -> Option<Conduct> {
        held(&self.conduct).clone()
    }

    /// Whether something holds of how it was found to behave; true where nobody has tried it.
    pub(super) fn conduct_is_none_or(&self, holds: impl FnOnce(&Conduct) -> bool) -> bool {
        held(&self.conduct).as_ref().is_none_or(holds)
    }

    /// Makes sure that the drive keeps the promises that changes rely on; it is tried once.
    pub(super) fn trusted(&self) -> StoreResult<()> {
        let known = self.conduct_known().filter(|conduct| {
            // Another server at the same address is tried anew.
            self.wire.server().is_none_or(|server| server == conduct.server)
        });
        let conduct = match known {
            Some(conduct) => conduct,
            None => {
                *held(&self.conduct) = None;
                let _trying = held(&self.trying);
                self.conduct_known().map_or_else(|| self.try_out(), Ok)?
            }
        };
        match conduct.careless {
            Some(what) => Err(StoreError::Careless(what)),
            None => Ok(()),
        }
    }

    /// Tries how the drive behaves, in a folder that is made for it and taken away again.
    ///
    /// # Errors
    /// If nothing can be changed on it, or it cannot be reached.
    pub fn try_out(&self) -> StoreResult<Conduct> {
        let scratch = self.make_scratch()?;
        let tried = self.try_in(&scratch);
        let cleared = self.delete(&scratch, true, None);
        let conduct = tried?;
        cleared?;
        *held(&self.conduct) = Some(conduct.clone());
        (self.remember.0)(&conduct);
        Ok(conduct)
    }

    fn make_scratch(&self) -> StoreResult<ItemPath> {
        for number in 1..100 {
            let name = NameBuf::new(format!("{SCRATCH}{}-{number}", std::process::id()));
            let path = self.top.join(&name.ok_or(StoreError::NotThere)?);
            if self.make_folder_unasked(&path)? {
                return Ok(path);
            }
        }
        Err(StoreError::Taken)
    }

    fn try_in(&self, scratch: &ItemPath) -> StoreResult<Conduct> {
        let mut conduct = Conduct::default();
        self.read_claims(&mut conduct)?;
        let [a, b, moved] = ["a", "b", "c"].map(|name| scratch.join(Name::constant(name)));
        self.put(&a, &mut b"one".as_slice(), Some(3))?;
        self.put(&b, &mut b"other".as_slice(), Some(5))?;
        conduct.careless = self.try_promises(scratch, &a, &b)?;
        if conduct.careless.is_some() {
            return Ok(conduct);
        }
        conduct.moves_into_folders = self.try_move_onto_folder(scratch, &a)?;
        conduct.compares_weak_tags = self.try_if(&a, &scratch.join(Name::constant("free")))?;
        let kept = KeptProperties { mode: Some(0o640), attributes: Vec::new() };
        let given = Given { tags: &["tried".to_owned()], kept: &kept, modified: None };
        let patched = self.give(&a, false, &given);
        let has_tag = |path: &ItemPath| -> StoreResult<(bool, Option<String>)> {
            let found = self.ask_about(path)?.ok_or_else(|| StoreError::NotShown(path.to_string()))?;
            Ok((found.tags == ["tried"], found.tag))
        };
        let (kept, tag) = has_tag(&a)?;
        conduct.keeps_properties = patched.is_ok() && kept;
        let folder = self.tag_of_folder(scratch)?;
        let sub = scratch.join(Name::constant("sub"));
        self.make_folder_unasked(&sub)?;
        let before = self.tag_of_folder(scratch)?;
        self.put(&sub.join(Name::constant("deep")), &mut b"one".as_slice(), Some(3))?;
        let after = self.tag_of_folder(scratch)?;
        conduct.deep_tags = folder.is_some() && folder != before && before != after;
        self.move_plainly(&a, &moved, tag.as_deref())?;
        let (survives, tag_after) = has_tag(&moved)?;
        conduct.properties_survive_move = conduct.keeps_properties && survives;
        conduct.tag_survives_move = tag.is_some() && tag == tag_after;
        conduct.folds_case = self.ask_about(&scratch.join(Name::constant("C")))?.is_some();
        self.put(&scratch.join(Name::constant("\u{e4}")), &mut b"".as_slice(), Some(0))?;
        conduct.folds_form = self.ask_about(&scratch.join(Name::constant("a\u{308}")))?.is_some();
        conduct.tells_sums = self.told_sum(&moved)?.is_some();
        let odd = scratch.join(&NameBuf::new([b"odd", CUT_AT].concat()).ok_or(StoreError::NotThere)?);
        // Refused is as good as cut.
        let _ = self.move_plainly(&moved, &odd, None);
        conduct.cuts_names = self.ask_about(&odd)?.is_none();
        Ok(conduct)
    }

    /// What the drive says of itself.
    fn read_claims(&self, conduct: &mut Conduct) -> StoreResult<()> {
        let answer = self.wire.ask(&HttpRequest::new("OPTIONS", url(self, &self.top, true)))?;
        let classes: Vec<&str> =
            answer.headers.get_all("dav").iter().filter_map(|value| value.to_str().ok()).collect();
        conduct.classes = nine_core::escape::plain(&classes.join(", "));
        conduct.locks = conduct.classes.split(',').any(|class| class.trim() == "2");
        drain(answer);
        conduct.server = self.wire.server().unwrap_or_default();
        let asked = "<?xml version=\"1.0\" encoding=\"utf-8\"?><d:propfind xmlns:d=\"DAV:\"><d:prop>\
            <d:quota-available-bytes/><d:supported-report-set/><d:current-user-privilege-set/></d:prop></d:propfind>";
        let request = HttpRequest::new("PROPFIND", url(self, &self.top, true)).with("depth", "0");
        let answer = self.wire.ask(&request.xml(asked.to_owned()))?;
        if answer.status != 207 {
            return Err(self.refusal(&answer));
        }
        super::multistatus::read(answer.body.into_reader(), &mut |response| {
            conduct.tells_room |=
                response.dav("quota-available-bytes").is_some_and(|room| !room.text.is_empty());
            conduct.tells_changes |= response
                .dav("supported-report-set")
                .is_some_and(|set| set.inside.iter().any(|name| name == "sync-collection"));
            conduct.tells_rights |=
                response.dav("current-user-privilege-set").is_some_and(|set| !set.inside.is_empty());
            Ok(())
        })?;
        Ok(())
    }

    /// Tries what must never happen. Returns what does.
    fn try_promises(&self, scratch: &ItemPath, a: &ItemPath, b: &ItemPath) -> StoreResult<Option<String>> {
        let says = |what: &str| Ok(Some(what.to_owned()));
        let size = |path: &ItemPath| -> StoreResult<Option<u64>> {
            Ok(self.ask_about(path)?.map(|found| found.entry.size))
        };
        match self.put(b, &mut b"one".as_slice(), Some(3)) {
            Err(StoreError::Taken) if size(b)? == Some(5) => {}
            Err(StoreError::Taken) => return says("spoils a file although it says that it left it"),
            Ok(_) => return says("writes over a file that it was told to leave (If-None-Match)"),
            Err(other) => return Err(other),
        }
        let wrong = "\"nine-shelves-no-such-tag\"";
        let request = |method, path: &ItemPath| HttpRequest::new(method, url(self, path, false));
        let status = |request: &HttpRequest| -> StoreResult<u16> {
            let answer = self.wire.ask(request)?;
            let status = answer.status;
            drain(answer);
            Ok(status)
        };
        status(&request("DELETE", b).with("if-match", wrong))?;
        if size(b)? != Some(5) {
            return says("takes away a file that was to have another content (If-Match)");
        }
        let to = |request: HttpRequest, to: &ItemPath| {
            request.with("destination", url(self, to, false)).with("overwrite", "F")
        };
        status(&to(request("MOVE", a), b))?;
        if size(b)? != Some(5) || size(a)? != Some(3) {
            return says("moves over what is there although it was told not to (Overwrite)");
        }
        let free = scratch.join(Name::constant("free"));
        status(&to(request("MOVE", a).with("if-match", wrong), &free))?;
        if size(&free)?.is_some() || size(a)? != Some(3) {
            return says("moves a file that was to have another content (If-Match)");
        }
        Ok(None)
    }

    /// Whether a file that is moved onto a folder's name ends in that folder. Then it is moved back.
    fn try_move_onto_folder(&self, scratch: &ItemPath, a: &ItemPath) -> StoreResult<bool> {
        let folder = scratch.join(Name::constant("folder"));
        self.make_folder_unasked(&folder)?;
        let request = HttpRequest::new("MOVE", url(self, a, false))
            .with("destination", url(self, &folder, false))
            .with("overwrite", "F");
        drain(self.wire.ask(&request)?);
        let inside = folder.join(a.last().ok_or(StoreError::NotThere)?);
        if self.ask_about(&inside)?.is_some() {
            self.move_plainly(&inside, a, None)?;
            return Ok(true);
        }
        Ok(false)
    }

    /// Whether the `If` header is understood: with a wrong tag nothing is moved, with the right one it is.
    fn try_if(&self, a: &ItemPath, free: &ItemPath) -> StoreResult<bool> {
        let Some(tag) = self.ask_about(a)?.and_then(|found| found.tag) else { return Ok(false) };
        let moves = |from: &ItemPath, to: &ItemPath, tag: &str| -> StoreResult<bool> {
            let request = HttpRequest::new("MOVE", url(self, from, false))
                .with("destination", url(self, to, false))
                .with("overwrite", "F")
                .with("if", format!("<{}> ([W/{tag}])", url(self, from, false)));
            drain(self.wire.ask(&request)?);
            Ok(self.ask_about(from)?.is_none())
        };
        if moves(a, free, "\"nine-shelves-no-such-tag\"")? {
            moves(free, a, &tag)?;
            return Ok(false);
        }
        if !moves(a, free, &tag)? {
            return Ok(false);
        }
        let tag = self.ask_about(free)?.and_then(|found| found.tag).unwrap_or(tag);
        if !moves(free, a, &tag)? {
            self.move_plainly(free, a, None)?;
        }
        Ok(true)
    }

    fn tag_of_folder(&self, folder: &ItemPath) -> StoreResult<Option<String>> {
        Ok(self.ask_about(folder)?.and_then(|found| found.tag))
    }

    /// Moves a file of our own. Right after a write some servers do not compare tags as equal.
    fn move_plainly(&self, from: &ItemPath, to: &ItemPath, tag: Option<&str>) -> StoreResult<()> {
        let mut request = HttpRequest::new("MOVE", url(self, from, false))
            .with("destination", url(self, to, false))
            .with("overwrite", "F");
        if let Some(tag) = tag {
            request = request.with("if-match", tag);
        }
        for tries in 1..=TRIES {
            let answer = self.wire.ask(&request)?;
            match answer.status {
                201 | 204 => {
                    drain(answer);
                    return Ok(());
                }
                412 if tries < TRIES => std::thread::sleep(UNTIL_TAGS_COUNT),
                _ => return Err(self.refusal(&answer)),
            }
        }
        Err(StoreError::Changed)
    }
}
