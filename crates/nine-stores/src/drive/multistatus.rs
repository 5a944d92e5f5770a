//! What a server says of its items: `207 Multi-Status` (RFC 4918, section 13), read as it comes.
//!
//! Nothing in it is believed: it may end too soon or never, be no XML, or speak of what was not asked for.

use std::io::{self, BufRead, BufReader, Read};

use quick_xml::NsReader;
use quick_xml::events::{BytesStart, Event};
use quick_xml::name::{Namespace, ResolveResult};

use super::NAMESPACE;
use crate::{StoreError, StoreResult};

/// Bytes that an answer has at most.
const MOST: u64 = 1 << 30;

/// Bytes of a mark, or of a text between two, at most.
const MOST_TEXT: usize = 1 << 20;

/// Bytes that are taken from the connection at once.
const BLOCK: usize = 1 << 16;

/// Properties of one item, and elements in them, at most.
const MOST_OF_ITEM: usize = 2_000;

/// Bytes of text of one item's properties at most.
const MOST_TEXT_OF_ITEM: usize = 4 << 20;

/// How deep elements are nested at most.
const DEEPEST: usize = 64;

/// Whose word a name is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Of {
    /// The standard's.
    Dav,
    /// Our own.
    Own,
    /// Somebody else's.
    Other,
}

/// One property, with the names of the elements in it.
#[derive(Debug, Clone)]
pub(super) struct Property {
    pub of: Of,
    pub name: &'static str,
    pub text: String,
    pub inside: Vec<String>,
}

/// What is said of one item.
#[derive(Debug, Clone, Default)]
pub(super) struct Response {
    pub href: String,
    /// The status of the item as a whole, where that is said.
    pub status: Option<u16>,
    /// The properties that it has.
    pub found: Vec<Property>,
    /// Statuses of properties that could not be had or changed.
    pub refused: Vec<u16>,
}

impl Response {
    pub fn dav(&self, name: &str) -> Option<&Property> {
        self.found.iter().find(|property| property.of == Of::Dav && property.name == name)
    }

    pub fn own(&self, name: &str) -> Option<&Property> {
        self.found.iter().find(|property| property.of == Of::Own && property.name == name)
    }
}

/// Reads a whole answer and hands over each response. Returns the sync token, if there is one.
///
/// # Errors
/// [`StoreError::Malformed`] if it is no such answer, or not a whole one.
pub(super) fn read(
    body: impl Read,
    found: &mut dyn FnMut(Response) -> StoreResult<()>,
) -> StoreResult<Option<String>> {
    let body = BufReader::with_capacity(BLOCK, body.take(MOST));
    let mut xml = NsReader::from_reader(Bounded { inner: body, since: 0 });
    xml.config_mut().check_end_names = true;
    let (mut reading, mut buffer) = (ResponseReading::default(), Vec::new());
    loop {
        buffer.clear();
        xml.get_mut().since = 0;
        let event = xml.read_event_into(&mut buffer).map_err(malformed)?;
        let of_whom = |start: &BytesStart| of_whom(&xml.resolver().resolve_element(start.name()).0);
        match event {
            Event::Start(start) => reading.open(of_whom(&start), &start)?,
            Event::Empty(start) => {
                reading.open(of_whom(&start), &start)?;
                reading.close(found)?;
            }
            Event::End(_) => reading.close(found)?,
            Event::Text(text) => reading.text.push_str(&text.xml10_content()),
            Event::CData(text) => reading.text.push_str(&text.xml10_content()),
            Event::GeneralRef(name) => reading.refer(name.as_ref())?,
            Event::DocType(_) => return Err(StoreError::Malformed("it declares a document type".into())),
            Event::Eof if reading.is_whole => return Ok(reading.token),
            Event::Eof => return Err(StoreError::Malformed("it ends too soon".into())),
            _ => {}
        }
        if reading.text.len() > MOST_TEXT {
            return Err(StoreError::Malformed("it does not come to an end".into()));
        }
    }
}

fn malformed(error: impl std::fmt::Display) -> StoreError {
    StoreError::Malformed(nine_core::escape::plain(&error.to_string()))
}

fn of_whom(found: &ResolveResult) -> Of {
    match found {
        ResolveResult::Bound(Namespace(name)) if *name == "DAV:" => Of::Dav,
        ResolveResult::Bound(Namespace(name)) if *name == NAMESPACE => Of::Own,
        _ => Of::Other,
    }
}

/// What an element is, by where it stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Element {
    Multistatus,
    Token,
    Response,
    Href,
    Status,
    Propstat,
    GroupStatus,
    Prop,
    Property,
    /// Inside a property.
    Inner,
    /// Nobody asked for it.
    Other,
}

impl Element {
    fn of(parent: Option<Element>, of: Of, name: &str) -> Option<Self> {
        let is_dav = of == Of::Dav;
        Some(match parent {
            None if is_dav && name == "multistatus" => Self::Multistatus,
            None => return None,
            Some(Self::Prop) => Self::Property,
            Some(Self::Property | Self::Inner) => Self::Inner,
            Some(parent) => match (parent, name) {
                _ if !is_dav => Self::Other,
                (Self::Multistatus, "response") => Self::Response,
                (Self::Multistatus, "sync-token") => Self::Token,
                (Self::Response, "href") => Self::Href,
                (Self::Response, "status") => Self::Status,
                (Self::Response, "propstat") => Self::Propstat,
                (Self::Propstat, "prop") => Self::Prop,
                (Self::Propstat, "status") => Self::GroupStatus,
                _ => Self::Other,
            },
        })
    }
}

/// Names of properties that are asked for; any other is nameless here.
const NAMES: [&str; 13] = [
    "resourcetype",
    "getcontentlength",
    "getlastmodified",
    "getetag",
    "tags",
    "modified",
    "kept",
    "quota-available-bytes",
    "sync-token",
    "supported-report-set",
    "current-user-privilege-set",
    "owner",
    "acl",
];

/// How far the reading is.
#[derive(Default)]
struct ResponseReading {
    open: Vec<Element>,
    text: String,
    response: Response,
    /// The properties of the group that is being read, and its status.
    group: Vec<Property>,
    group_status: Option<u16>,
    /// Elements and bytes of text of the item that is being read.
    size: (usize, usize),
    token: Option<String>,
    is_whole: bool,
}

impl ResponseReading {
    fn open(&mut self, of: Of, start: &BytesStart) -> StoreResult<()> {
        let local = start.local_name();
        let name: &str = local.as_ref();
        let element = Element::of(self.open.last().copied(), of, name).filter(|_| !self.is_whole);
        let element = element.ok_or_else(|| StoreError::Malformed("it is no list of items".into()))?;
        if self.open.len() >= DEEPEST {
            return Err(StoreError::Malformed("it is nested too deep".into()));
        }
        self.open.push(element);
        self.count(1, 0)?;
        match element {
            Element::Response => (self.response, self.size) = Default::default(),
            Element::Propstat => {
                self.group.clear();
                self.group_status = None;
            }
            Element::Property => {
                let name = NAMES.iter().find(|known| **known == name).copied().unwrap_or_default();
                self.group.push(Property { of, name, text: String::new(), inside: Vec::new() });
            }
            Element::Inner => {
                if let Some(property) = self.group.last_mut() {
                    property.inside.push(name.to_owned());
                }
            }
            _ => {}
        }
        // A property's text is all that stands in it.
        if element != Element::Inner {
            self.text.clear();
        }
        Ok(())
    }

    fn close(&mut self, found: &mut dyn FnMut(Response) -> StoreResult<()>) -> StoreResult<()> {
        match self.open.pop() {
            Some(Element::Multistatus) => self.is_whole = true,
            Some(Element::Token) => self.token = Some(self.text.trim().to_owned()),
            Some(Element::Response) => found(std::mem::take(&mut self.response))?,
            Some(Element::Href) => self.response.href = self.text.trim().to_owned(),
            Some(Element::Status) => self.response.status = status_in(&self.text),
            Some(Element::GroupStatus) => self.group_status = status_in(&self.text),
            Some(Element::Property) => {
                self.count(0, self.text.len())?;
                if let Some(property) = self.group.last_mut() {
                    property.text.push_str(&self.text);
                }
            }
            Some(Element::Propstat) => match self.group_status {
                Some(200..=299) => self.response.found.append(&mut self.group),
                status => self.response.refused.push(status.unwrap_or(0)),
            },
            _ => {}
        }
        Ok(())
    }

    /// Counts what is kept of the item that is being read, which ends with it.
    fn count(&mut self, elements: usize, bytes: usize) -> StoreResult<()> {
        self.size = (self.size.0 + elements, self.size.1 + bytes);
        let is_within = !self.open.contains(&Element::Response)
            || self.size.0 <= MOST_OF_ITEM && self.size.1 <= MOST_TEXT_OF_ITEM;
        is_within
            .then_some(())
            .ok_or_else(|| StoreError::Malformed("it gives one item too many properties".into()))
    }

    /// One of the characters that XML has words for; there are no others.
    fn refer(&mut self, name: &str) -> StoreResult<()> {
        let number = name.strip_prefix('#').map(|number| match number.strip_prefix('x') {
            Some(hex) => u32::from_str_radix(hex, 16),
            None => number.parse(),
        });
        let c = match (name, number) {
            ("amp", _) => Some('&'),
            ("lt", _) => Some('<'),
            ("gt", _) => Some('>'),
            ("quot", _) => Some('"'),
            ("apos", _) => Some('\''),
            (_, Some(Ok(number))) => char::from_u32(number),
            _ => None,
        };
        self.text.push(c.ok_or_else(|| {
            StoreError::Malformed(format!("&{}; is not known", nine_core::escape::plain(name)))
        })?);
        Ok(())
    }
}

/// The number in `HTTP/1.1 200 OK`.
fn status_in(line: &str) -> Option<u16> {
    line.split_whitespace().nth(1)?.parse().ok()
}

/// A stream that fails where a mark, or a text between two, is too long.
struct Bounded<R> {
    inner: R,
    /// Bytes that were passed since the last mark or text.
    since: usize,
}

impl<R: BufRead> Read for Bounded<R> {
    fn read(&mut self, room: &mut [u8]) -> io::Result<usize> {
        let found = self.fill_buf()?;
        let length = found.len().min(room.len());
        room[..length].copy_from_slice(&found[..length]);
        self.consume(length);
        Ok(length)
    }
}

impl<R: BufRead> BufRead for Bounded<R> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        if self.since > MOST_TEXT {
            return Err(io::Error::other("it does not come to an end"));
        }
        self.inner.fill_buf()
    }

    fn consume(&mut self, amount: usize) {
        self.since += amount;
        self.inner.consume(amount);
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn all(text: &str) -> StoreResult<Vec<Response>> {
        let mut found = Vec::new();
        read(text.as_bytes(), &mut |response| {
            found.push(response);
            Ok(())
        })?;
        Ok(found)
    }

    const GOOD: &str = r#"<?xml version="1.0"?>
        <a:multistatus xmlns:a="DAV:" xmlns:n="urn:nine-shelves:drive"><a:response><a:href> /x%20y/ </a:href>
        <a:propstat><a:prop><a:resourcetype><a:collection/></a:resourcetype><a:getetag>"a&amp;b&#45;"</a:getetag>
        <n:tags>loans,two &lt;three</n:tags></a:prop>
        <a:status>HTTP/1.1 200 OK</a:status></a:propstat>
        <a:propstat><a:prop><a:getcontentlength/></a:prop><a:status>HTTP/1.1 404 Not Found</a:status></a:propstat>
        </a:response><a:sync-token>t1</a:sync-token></a:multistatus>"#;

    #[test]
    fn an_item_with_properties_without_end_is_refused() {
        let property = "<d:prop><d:getetag>x</d:getetag></d:prop>";
        let stat = "<d:status>HTTP/1.1 200 OK</d:status>";
        let all_of = |inside: &str| {
            all(&format!(
                "<d:multistatus xmlns:d=\"DAV:\"><d:response><d:href>/x</d:href>{inside}</d:response></d:multistatus>"
            ))
        };
        let many = |times| all_of(&format!("<d:propstat>{}{stat}</d:propstat>", property.repeat(times)));
        assert_eq!(many(100).unwrap()[0].found.len(), 100);
        assert!(
            matches!(many(5_000), Err(StoreError::Malformed(why)) if why.contains("too many properties"))
        );
        let groups = format!("<d:propstat>{property}{stat}</d:propstat>").repeat(2_000);
        assert!(all_of(&groups).is_err());
        let inner = format!(
            "<d:propstat><d:prop><d:acl>{}</d:acl></d:prop>{stat}</d:propstat>",
            "<d:a/>".repeat(5_000)
        );
        assert!(all_of(&inner).is_err());
        let text = format!("<d:prop><d:getetag>{}</d:getetag></d:prop>", "x".repeat(900_000)).repeat(8);
        assert!(all_of(&format!("<d:propstat>{text}{stat}</d:propstat>")).is_err());
    }

    #[test]
    fn what_is_said_is_read() {
        let found = all(GOOD).unwrap();
        let [response] = found.as_slice() else { panic!("{found:?}") };
        assert_eq!(response.href, "/x%20y/");
        assert_eq!(response.dav("resourcetype").unwrap().inside, ["collection"]);
        assert_eq!(response.dav("getetag").unwrap().text, "\"a&b-\"");
        assert_eq!(response.own("tags").unwrap().text, "loans,two <three");
        assert!(response.dav("getcontentlength").is_none());
        assert_eq!(response.refused, [404]);
        assert_eq!(read(GOOD.as_bytes(), &mut |_| Ok(())).unwrap().as_deref(), Some("t1"));
    }

    #[test]
    fn what_is_no_whole_answer_is_refused() {
        for cut in (1..GOOD.len()).step_by(7) {
            assert!(all(&GOOD[..cut]).is_err(), "cut at {cut}");
        }
        let wrong = [
            "",
            "no xml",
            "<html><body>hello</body></html>",
            "<multistatus/>",
            "<m xmlns='DAV:'/>",
            "<!DOCTYPE x [<!ENTITY a 'aaaa'>]><multistatus xmlns='DAV:'/>",
            "<multistatus xmlns='DAV:'>&unknown;</multistatus>",
            "<multistatus xmlns='DAV:'><response></multistatus>",
        ];
        for text in wrong {
            assert!(matches!(all(text), Err(StoreError::Malformed(_))), "{text}");
        }
        let deep = "<a xmlns='DAV:'>".repeat(200);
        assert!(all(&format!("<multistatus xmlns='DAV:'>{deep}")).is_err());
    }

    #[test]
    fn what_never_ends_is_given_up() {
        // A text, a mark, a comment.
        for start in ["", "<response", "<!--"] {
            let start = format!("<multistatus xmlns='DAV:'>{start}");
            let endless = io::repeat(b' ').take(3 << 20);
            let Err(StoreError::Malformed(why)) = read(start.as_bytes().chain(endless), &mut |_| Ok(()))
            else {
                panic!("{start} came to an end");
            };
            assert!(why.contains("does not come to an end"), "{start}: {why}");
        }
    }

    proptest! {
        #[test]
        fn no_bytes_do_harm(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
            let _ = read(bytes.as_slice(), &mut |_| Ok(()));
        }
    }
}
