//! Our own properties of items: tags, and what a server does not keep by itself.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use nine_core::moment::Moment;
use nine_core::place::ItemPath;
use nine_core::tags;
use quick_xml::escape::escape;

use super::listing::{DriveItem, drain};
use super::multistatus;
use super::wire::HttpRequest;
use super::{Drive, NAMESPACE, url};
use crate::local::TAGS_ATTRIBUTE;
use crate::{Meta, StoreError, StoreResult};

/// What is asked of every item.
pub(super) const WANTED: &str = "<?xml version=\"1.0\" encoding=\"utf-8\"?>\
    <d:propfind xmlns:d=\"DAV:\" xmlns:n=\"urn:nine-shelves:drive\"><d:prop><d:resourcetype/><d:getcontentlength/>\
    <d:getlastmodified/><d:getetag/><n:tags/><n:modified/><n:kept/></d:prop></d:propfind>";

/// What travels with a file besides tags and times: written a line each, `mode 644`,
/// `attribute NAME VALUE` with both in base64.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct KeptProperties {
    pub mode: Option<u32>,
    pub attributes: Vec<(Vec<u8>, Vec<u8>)>,
}

impl KeptProperties {
    /// What of a meta is kept here.
    pub fn of(meta: &Meta) -> Self {
        let is_other = |name: &[u8]| name.starts_with(b"user.") && name != TAGS_ATTRIBUTE.as_bytes();
        let others = meta.attributes.iter().filter(|(name, _)| is_other(name));
        Self { mode: meta.mode, attributes: others.cloned().collect() }
    }

    /// Reads what [`KeptProperties::to_text`] wrote; lines that say nothing are passed over.
    pub fn parse(text: &str) -> Self {
        let mut kept = Self::default();
        for line in text.lines() {
            let bytes = |word: &str| STANDARD.decode(word).ok();
            match line.split_whitespace().collect::<Vec<_>>().as_slice() {
                ["mode", mode] => kept.mode = u32::from_str_radix(mode, 8).ok().map(|mode| mode & 0o777),
                ["attribute", name, value] => kept.attributes.extend(bytes(name).zip(bytes(value))),
                ["attribute", name] => kept.attributes.extend(bytes(name).map(|name| (name, Vec::new()))),
                _ => {}
            }
        }
        // A server must not choose which attributes a file of this machine gets.
        kept.attributes.retain(|(name, _)| name.starts_with(b"user.") && name != TAGS_ATTRIBUTE.as_bytes());
        kept
    }

    pub fn to_text(&self) -> String {
        let mode = self.mode.map(|mode| format!("mode {:o}", mode & 0o777));
        let attribute = |(name, value): &(Vec<u8>, Vec<u8>)| {
            format!("attribute {} {}", STANDARD.encode(name), STANDARD.encode(value))
        };
        mode.into_iter().chain(self.attributes.iter().map(attribute)).collect::<Vec<_>>().join("\n")
    }
}

/// The tags that a meta holds, as the property has them.
pub(super) fn tags_of(meta: &Meta) -> Vec<String> {
    let found = meta.attributes.iter().find(|(name, _)| name == TAGS_ATTRIBUTE.as_bytes());
    found.map(|(_, value)| tags::from_attribute(value)).unwrap_or_default()
}

/// Changes to the properties of one item.
#[derive(Debug, Default)]
pub(super) struct Patch {
    /// Each an element of its own: some servers keep only the first of several in one `<prop>`.
    set: Vec<String>,
    remove: Vec<String>,
}

impl Patch {
    pub fn tags(mut self, tags: &[String]) -> StoreResult<Self> {
        let text = tags::to_attribute(tags);
        if text.is_empty() {
            self.remove.push("<n:tags/>".into());
            return Ok(self);
        }
        // XML has no place for these.
        if text.chars().any(|c| c.is_control() || matches!(c, '\u{fffe}' | '\u{ffff}')) {
            return Err(StoreError::NoTags);
        }
        self.set.push(format!("<n:tags>{}</n:tags>", escape(text)));
        Ok(self)
    }

    /// The same changes one by one.
    fn parts(self) -> impl Iterator<Item = Self> {
        let set = self.set.into_iter().map(|one| Self { set: vec![one], remove: Vec::new() });
        set.chain(self.remove.into_iter().map(|one| Self { set: Vec::new(), remove: vec![one] }))
    }

    /// When the content was last changed, as long as the item has this entity tag.
    pub fn modified(mut self, modified: Moment, tag: &str) -> Self {
        // In the text, since servers drop attributes of the element.
        let text = format!("{} {tag}", modified.to_rfc3339());
        self.set.push(format!("<n:modified>{}</n:modified>", escape(text)));
        self
    }

    pub fn kept(mut self, kept: &KeptProperties) -> Self {
        if *kept != KeptProperties::default() {
            self.set.push(format!("<n:kept>{}</n:kept>", escape(kept.to_text())));
        }
        self
    }

    fn to_xml(&self) -> String {
        let part = |word: &str, all: &[String]| -> String {
            all.iter().map(|one| format!("<d:{word}><d:prop>{one}</d:prop></d:{word}>")).collect()
        };
        format!(
            "<?xml version=\"1.0\" encoding=\"utf-8\"?><d:propertyupdate xmlns:d=\"DAV:\" xmlns:n=\"{NAMESPACE}\">\
             {}{}</d:propertyupdate>",
            part("set", &self.set),
            part("remove", &self.remove)
        )
    }
}

/// What travels with an item to a drive.
#[derive(Debug, Clone)]
pub(super) struct Given<'a> {
    pub tags: &'a [String],
    pub kept: &'a KeptProperties,
    /// When it was last changed, and its entity tag, for which that is true.
    pub modified: Option<(Moment, String)>,
}

impl Given<'_> {
    fn patch(&self) -> StoreResult<Patch> {
        let mut patch = Patch::default().kept(self.kept);
        if !self.tags.is_empty() {
            patch = patch.tags(self.tags)?;
        }
        Ok(match &self.modified {
            Some((modified, tag)) => patch.modified(*modified, tag),
            None => patch,
        })
    }
}

impl Drive {
    /// Gives an item what must not be lost with its original, and reads it back: what servers answer proves nothing.
    ///
    /// # Errors
    /// [`StoreError::NoTags`] if the drive does not keep it.
    pub(super) fn give(&self, path: &ItemPath, is_folder: bool, given: &Given) -> StoreResult<()> {
        let whole = given.patch()?;
        if whole.set.is_empty() {
            return Ok(());
        }
        self.patch(path, is_folder, None, &whole)?;
        if self.has(path, given)? {
            return Ok(());
        }
        for one in whole.parts() {
            self.patch(path, is_folder, None, &one)?;
        }
        if self.has(path, given)? { Ok(()) } else { Err(StoreError::NoTags) }
    }

    fn has(&self, path: &ItemPath, given: &Given) -> StoreResult<bool> {
        let found = self.ask_about(path)?.ok_or_else(|| StoreError::NotShown(path.to_string()))?;
        Ok(found.tags == given.tags && found.kept == KeptProperties::parse(&given.kept.to_text()))
    }

    /// Changes properties of an item; `found`: only if it still is that.
    ///
    /// # Errors
    /// [`StoreError::NoTags`] if the drive keeps none.
    pub(super) fn patch(
        &self,
        path: &ItemPath,
        is_folder: bool,
        found: Option<&DriveItem>,
        patch: &Patch,
    ) -> StoreResult<()> {
        let mut request = HttpRequest::new("PROPPATCH", url(self, path, is_folder)).xml(patch.to_xml());
        if let Some(found) = found {
            request = self.only_if(request, found);
        }
        let answer = self.wire.ask(&request)?;
        self.forget(path);
        match answer.status {
            207 => {
                let mut refused = false;
                multistatus::read(answer.body.into_reader(), &mut |response| {
                    let bad = |status: &u16| !(200..300).contains(status);
                    refused |= !response.refused.is_empty() || response.status.as_ref().is_some_and(bad);
                    Ok(())
                })?;
                if refused { Err(StoreError::NoTags) } else { Ok(()) }
            }
            200 | 204 => {
                drain(answer);
                Ok(())
            }
            405 | 501 => Err(StoreError::NoTags),
            _ => Err(self.refusal(&answer)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_kept_is_read_back() {
        let kept = KeptProperties {
            mode: Some(0o640),
            attributes: vec![(b"user.\xff".to_vec(), b"a\0b\n".to_vec()), (b"user.x".to_vec(), Vec::new())],
        };
        assert_eq!(KeptProperties::parse(&kept.to_text()), kept);
    }

    #[test]
    fn a_drive_does_not_choose_attributes_and_modes() {
        let text = format!(
            "mode 4755\nattribute {} {}\nattribute {} {}\nnonsense",
            STANDARD.encode("security.capability"),
            STANDARD.encode("x"),
            STANDARD.encode(TAGS_ATTRIBUTE),
            STANDARD.encode("x")
        );
        assert_eq!(
            KeptProperties::parse(&text),
            KeptProperties { mode: Some(0o755), attributes: Vec::new() }
        );
    }

    #[test]
    fn tags_are_written_so_that_xml_holds_them() {
        let patch = Patch::default().tags(&["a<b".into(), "c,d".into()]).unwrap();
        assert!(patch.to_xml().contains("<n:tags>a&lt;b,c\\,d</n:tags>"), "{}", patch.to_xml());
        assert!(Patch::default().tags(&["\u{1}".into()]).is_err());
        assert!(Patch::default().tags(&[]).unwrap().to_xml().contains("<d:remove>"));
    }
}
