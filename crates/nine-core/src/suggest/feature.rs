//! What of an item may tell where it belongs, and how each of it is asked for in a search.

use std::fmt;
use std::hash::BuildHasher;

use regex::escape as literally;
use rustc_hash::{FxBuildHasher, FxHashMap};

use super::name_parts::{figures, series, words};
use crate::condition::{Condition, Pattern, PlainTest, TagTest, Test, WordSubject, WordTest};
use crate::kinds::{ItemType, TYPES};
use crate::metadata::{Metadata, TextField};
use crate::names::{fold, fold_bytes, folds_oddly, split_extension};

/// What is known of an item that is learned from, or asked about.
#[derive(Debug, Clone, Copy)]
pub struct Traits<'a> {
    /// Its name.
    pub name: &'a [u8],
    /// Whether it is a folder, taken as a whole.
    pub is_folder: bool,
    /// Its type; of a folder, that of most of what lies in it.
    pub item_type: ItemType,
    /// Its tags, answers of facets among them.
    pub tags: &'a [String],
    /// What it says of itself, where that is known.
    pub said: Option<&'a Metadata>,
}

/// In what items may be like one another.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum FeatureKind {
    /// A word of the name: a run of letters, of digits, or a short one of both; of scripts that part no words, two
    /// letters.
    Word,
    /// The name with its numbers left open: `minutes #-#`.
    Series,
    /// How a number in the name is built: `####-##-##`.
    Figures,
    /// The extension, without its dot.
    Extension,
    /// The type.
    Type,
    /// A tag, or one above it.
    Tag,
    /// A word of the title.
    Title,
    /// Who wrote it.
    Author,
    /// Who sent it.
    Sender,
    /// The host that it came from.
    Origin,
    /// The artist, album or camera.
    Made,
}

impl FeatureKind {
    /// All of them, in the order of their codes.
    pub(super) const ALL: [FeatureKind; 11] = [
        FeatureKind::Word,
        FeatureKind::Series,
        FeatureKind::Figures,
        FeatureKind::Extension,
        FeatureKind::Type,
        FeatureKind::Tag,
        FeatureKind::Title,
        FeatureKind::Author,
        FeatureKind::Sender,
        FeatureKind::Origin,
        FeatureKind::Made,
    ];

    /// Whether it is so general that it proposes no destination by itself.
    pub(super) fn is_general(self) -> bool {
        matches!(self, FeatureKind::Extension | FeatureKind::Type | FeatureKind::Figures)
    }
}

/// One thing in which items may be alike.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Feature {
    /// In what.
    pub kind: FeatureKind,
    /// The word, tag, extension … itself, folded where letter case does not count.
    pub text: String,
}

impl Feature {
    /// What a search asks for to list what has it; `None` if that cannot be said.
    pub fn condition(&self) -> Option<Condition> {
        condition_of(self.kind, &[&self.text])
    }
}

/// What a search asks for to list what has one of several features of a kind, by their texts; only words, extensions,
/// types and people can be several. `None` if it cannot be said.
pub(super) fn condition_of(kind: FeatureKind, texts: &[&str]) -> Option<Condition> {
    let all = || texts.iter().map(|text| (*text).to_owned()).collect::<Vec<_>>();
    let first = *texts.first()?;
    let words = |subject, test| Test::Words(subject, WordTest::Plain(test, all()));
    let said = |field, test| words(WordSubject::Said(field), test);
    let matches = |subject, expression: &str| {
        Some(Test::Words(subject, WordTest::Matches(Pattern::new(expression).ok()?)))
    };
    let test = match kind {
        FeatureKind::Word => words(WordSubject::Name, PlainTest::Has),
        FeatureKind::Series => matches(WordSubject::Stem, &series_expression(first))?,
        FeatureKind::Figures => matches(WordSubject::Stem, &figures_expression(first))?,
        FeatureKind::Extension => Test::Ext(all()),
        FeatureKind::Type => {
            let known = |text: &&str| TYPES.iter().find(|(word, _)| word == text).map(|(_, of)| *of);
            Test::Type(texts.iter().map(known).collect::<Option<_>>()?)
        }
        FeatureKind::Tag => Test::Tag(TagTest::Named(all())),
        FeatureKind::Title => said(TextField::Title, PlainTest::Has),
        FeatureKind::Author => said(TextField::Author, PlainTest::Is),
        FeatureKind::Sender => said(TextField::Sender, PlainTest::Is),
        FeatureKind::Origin => matches(WordSubject::Said(TextField::Origin), &host_expression(first))?,
        FeatureKind::Made => {
            let (word, value) = first.split_once('=')?;
            let (_, field) = MADE.iter().find(|(known, _)| *known == word)?;
            let value = WordTest::Plain(PlainTest::Is, vec![value.to_owned()]);
            Test::Words(WordSubject::Said(*field), value)
        }
    };
    Some(Condition::Test(test))
}

/// What recordings and pictures say of how they were made, by its word.
const MADE: [(&str, TextField); 3] =
    [("artist", TextField::Artist), ("album", TextField::Album), ("camera", TextField::Camera)];

impl fmt::Display for Feature {
    /// As it is said of files: `with "invoice" in the name`.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let text = crate::escape::plain(&self.text);
        match self.kind {
            FeatureKind::Word => write!(f, "with \"{text}\" in the name"),
            FeatureKind::Series => write!(f, "called \"{text}\" with other numbers"),
            FeatureKind::Figures => write!(f, "with a number like {text} in the name"),
            FeatureKind::Extension if text.is_empty() => write!(f, "without an extension"),
            FeatureKind::Extension => write!(f, "ending in .{text}"),
            FeatureKind::Type => write!(f, "of type {text}"),
            FeatureKind::Tag => write!(f, "tagged {text}"),
            FeatureKind::Title => write!(f, "with \"{text}\" in the title"),
            FeatureKind::Author => write!(f, "by {text}"),
            FeatureKind::Sender => write!(f, "from {text}"),
            FeatureKind::Origin => write!(f, "that came from {text}"),
            FeatureKind::Made => match text.split_once('=') {
                Some((field, value)) => write!(f, "whose {field} is {value}"),
                None => write!(f, "by {text}"),
            },
        }
    }
}

/// The expression for all names that differ from a series in their numbers alone.
fn series_expression(series: &str) -> String {
    let parts: Vec<String> = series.split('#').map(literally).collect();
    format!("(?i)^{}$", parts.join("[0-9]+"))
}

/// The expression for all names with a number that is built so: nothing of it goes on before or behind.
fn figures_expression(figures: &str) -> String {
    let runs = figures.as_bytes().chunk_by(|a, b| (*a == b'#') == (*b == b'#'));
    let runs = runs.map(|run| match run[0] {
        b'#' => format!("[0-9]{{{}}}", run.len()),
        _ => literally(&String::from_utf8_lossy(run)),
    });
    let number: String = runs.collect();
    format!("(^[._-]?|[^0-9._-]|[^0-9][._-]){number}([._-]?$|[^0-9._-]|[._-][^0-9])")
}

/// The expression for all addresses of a host.
fn host_expression(host: &str) -> String {
    format!("(?i)^[^/]*//([^/?#]*@)?(www[.])?{}([:/?#]|$)", literally(host))
}

/// The features that were met, each with a number.
#[derive(Debug, Clone, Default)]
pub(super) struct FeatureTable {
    /// The numbers by the digests of the keys. A digest that another key has already is raised by one.
    numbers: FxHashMap<u64, u32>,
    /// The keys one behind the other, each a letter for the kind, and the text.
    keys: String,
    /// Where each ends.
    ends: Vec<u32>,
}

impl FeatureTable {
    /// How many there are.
    pub fn len(&self) -> usize {
        self.ends.len()
    }

    /// The feature of a number.
    pub fn feature(&self, number: u32) -> Feature {
        Feature { kind: self.kind(number), text: self.text(number).to_owned() }
    }

    fn key(&self, number: u32) -> &str {
        let start = number.checked_sub(1).map_or(0, |before| self.ends[before as usize]);
        &self.keys[start as usize..self.ends[number as usize] as usize]
    }

    /// In what it makes alike.
    pub fn kind(&self, number: u32) -> FeatureKind {
        FeatureKind::ALL[usize::from(self.key(number).as_bytes()[0] - b'A')]
    }

    /// Its text.
    pub fn text(&self, number: u32) -> &str {
        &self.key(number)[1..]
    }

    /// The number of a key with this digest, or the digest under which it is to be kept.
    fn look_up(&self, key: &str, digest: u64) -> Result<u32, u64> {
        let mut digest = digest;
        while let Some(number) = self.numbers.get(&digest) {
            if self.key(*number) == key {
                return Ok(*number);
            }
            digest = digest.wrapping_add(1);
        }
        Err(digest)
    }

    /// The number of a key, where it is known.
    fn known(&self, key: &str) -> Option<u32> {
        self.look_up(key, digest_of(key)).ok()
    }

    /// The number of a feature that may be new.
    fn add(&mut self, key: &str, digest: u64) -> u32 {
        self.look_up(key, digest).unwrap_or_else(|free| {
            let number = self.ends.len() as u32;
            self.keys.push_str(key);
            self.ends.push(self.keys.len() as u32);
            self.numbers.insert(free, number);
            number
        })
    }

    /// The features of an item, each once, in the order of their numbers; what is new is added. Returns a digest of
    /// them that does not depend on their numbers.
    pub fn learn(&mut self, traits: &Traits, into: &mut Vec<u32>) -> u64 {
        let start = into.len();
        let mut digest = 0_u64;
        each(traits, &mut |key| {
            let own = digest_of(key);
            digest = digest.wrapping_add(own);
            into.push(self.add(key, own));
        });
        let mut own = into.split_off(start);
        own.sort_unstable();
        own.dedup();
        into.append(&mut own);
        digest
    }

    /// Those of an item that are known, and how many of its words are not, numbers left out.
    pub fn find(&self, traits: &Traits) -> (Vec<u32>, usize) {
        let (mut found, mut unknown) = (Vec::new(), 0);
        each(traits, &mut |key| match self.known(key) {
            Some(number) => found.push(number),
            None => {
                unknown += usize::from(key.starts_with(letter(FeatureKind::Word)) && has_letter(&key[1..]))
            }
        });
        found.sort_unstable();
        found.dedup();
        (found, unknown)
    }

    /// The known words of a name.
    pub fn words(&self, name: &[u8], into: &mut Vec<u32>) {
        let word = |text: &str| Feature { kind: FeatureKind::Word, text: text.to_owned() };
        words(&fold_bytes(name), &mut |text| into.extend(self.number(&word(text))));
    }

    /// The known number of one feature.
    pub fn number(&self, feature: &Feature) -> Option<u32> {
        self.known(&format!("{}{}", letter(feature.kind), feature.text))
    }

    /// All features of a kind.
    pub fn of_kind(&self, kind: FeatureKind) -> impl Iterator<Item = (u32, &str)> {
        let letter = letter(kind) as u8;
        let keys = (0..self.ends.len() as u32).map(|number| (number, self.key(number)));
        keys.filter(move |(_, key)| key.as_bytes()[0] == letter).map(|(number, key)| (number, &key[1..]))
    }
}

fn digest_of(key: &str) -> u64 {
    FxBuildHasher.hash_one(key)
}

/// Whether a word is more than a number.
pub(super) fn has_letter(word: &str) -> bool {
    word.bytes().any(|b| !b.is_ascii_digit())
}

fn letter(kind: FeatureKind) -> char {
    char::from(b'A' + kind as u8)
}

/// Hands over the key of each feature.
fn each(traits: &Traits, add: &mut dyn FnMut(&str)) {
    let mut key = String::with_capacity(64);
    let mut put = |kind: FeatureKind, text: &str| {
        key.clear();
        key.push(letter(kind));
        key.push_str(text);
        add(&key);
    };
    let (stem, ext) = if traits.is_folder { (traits.name, &b""[..]) } else { split_extension(traits.name) };
    let folded = fold_bytes(stem);
    words(&folded, &mut |word| put(FeatureKind::Word, word));
    let has_digit = folded.bytes().any(|b| b.is_ascii_digit());
    if has_digit {
        if let Some(series) = series(&folded).filter(|_| !folds_oddly(stem)) {
            put(FeatureKind::Series, &series);
        }
        figures(&folded, &mut |shape| put(FeatureKind::Figures, shape));
    }
    if !traits.is_folder {
        put(FeatureKind::Extension, &fold_bytes(ext.strip_prefix(b".").unwrap_or_default()));
    }
    if let Some((word, _)) = TYPES.iter().find(|(_, is)| *is == traits.item_type) {
        put(FeatureKind::Type, word);
    }
    for tag in traits.tags {
        let tag = fold(tag);
        let above = tag.match_indices('/').map(|(at, _)| &tag[..at]);
        above.chain([tag.as_str()]).for_each(|tag| put(FeatureKind::Tag, tag));
    }
    if let Some(said) = traits.said {
        said_features(said, &mut put);
    }
}

fn said_features(said: &Metadata, put: &mut dyn FnMut(FeatureKind, &str)) {
    if let Some(text) = said.text(TextField::Title) {
        words(&fold(text), &mut |word| put(FeatureKind::Title, word));
    }
    for (field, kind) in [(TextField::Author, FeatureKind::Author), (TextField::Sender, FeatureKind::Sender)]
    {
        if let Some(text) = said.text(field) {
            put(kind, &fold(text));
        }
    }
    for (word, field) in MADE {
        if let Some(text) = said.text(field) {
            put(FeatureKind::Made, &format!("{word}={}", fold(text)));
        }
    }
    if let Some(host) = said.text(TextField::Origin).and_then(host) {
        put(FeatureKind::Origin, &fold(host));
    }
}

/// The host of an address, `example.org` of `https://user@www.example.org:8080/a`.
fn host(address: &str) -> Option<&str> {
    let behind = address.split_once("://")?.1;
    let host = behind.split(['/', '?', '#']).next()?;
    let host = host.rsplit('@').next()?.split(':').next()?;
    let host = host.strip_prefix("www.").unwrap_or(host);
    (!host.is_empty()).then_some(host)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::condition::parse;
    use crate::suggest::tests::{item, now};

    fn conditions(name: &str) -> Vec<Condition> {
        let mut table = FeatureTable::default();
        let traits = Traits {
            name: name.as_bytes(),
            is_folder: false,
            item_type: ItemType::Document,
            tags: &[],
            said: None,
        };
        let mut found = Vec::new();
        table.learn(&traits, &mut found);
        found.into_iter().filter_map(|number| table.feature(number).condition()).collect()
    }

    #[test]
    fn every_feature_is_a_condition_that_holds_for_its_own_name() {
        for name in [
            "Minutes 2031-02.pdf",
            "or (and) [x] 12.tar.gz",
            "IMG_20310407_101010.JPG",
            "a\"b\\c 2031.txt",
            "Straße 31.pdf",
            "12-2031-02-03.x",
            "-2031.txt",
            "会議 2031年.txt",
        ] {
            for condition in conditions(name) {
                let printed = condition.to_string();
                assert_eq!(parse(&printed).as_ref(), Ok(&condition), "{printed}");
                let is_type = matches!(condition, Condition::Test(Test::Type(_)));
                assert!(is_type || condition.holds(&item(name, 0), &now()), "{printed} for {name}");
            }
        }
    }

    #[test]
    fn a_host_is_what_an_address_names() {
        assert_eq!(host("https://me@www.tern.example:80/a?b"), Some("tern.example"));
        assert_eq!(host("nonsense"), None);
    }

    #[test]
    fn a_number_of_another_build_is_not_meant() {
        let expression = figures_expression("####-##");
        let regex = regex::Regex::new(&expression).unwrap();
        assert!(
            regex.is_match("minutes 2031-02") && regex.is_match("2031-02_x") && regex.is_match("-2031-02-")
        );
        assert!(
            !regex.is_match("12-2031-02") && !regex.is_match("2031-02-03") && !regex.is_match("12031-02")
        );
    }
}
