//! The answer by columns against the answer for each item.

use std::collections::HashSet;

use jiff::tz::TimeZone;
use proptest::prelude::*;

use super::*;
use crate::condition::{Need, Needs, parse, parse_with};
use crate::facet::Facets;
use crate::item::{Entry, Identity, Item};
use crate::kinds::{Content, recognise};
use crate::place::{ItemPath, Name, Spot};
use crate::plan::Details;
use crate::plan::tidy::{Pass, Tidying, item, propose};
use crate::shelving::Shelving;
use crate::tree::{Batch, FolderNo, Gathering};

fn now() -> Now {
    Now::parse("2031-04-07T09:00", &TimeZone::UTC).unwrap()
}

/// What a generated entry is like.
#[derive(Debug, Clone)]
struct Seed {
    name: Vec<u8>,
    kind: Kind,
    size: u64,
    days: i64,
    born: Option<i64>,
    tags: usize,
    first: usize,
}

const TAGS: [&[&str]; 4] = [&[], &["loans"], &["client/Harrow", "keep"], &["Client"]];
const FIRST: [&[u8]; 4] = [b"", b"%PDF-1.7 ", b"<html><body>", b"plain words"];

fn day(days: i64) -> Moment {
    Moment(now().moment().0 - days * 86_400_000_000_000)
}

fn tree(seeds: &[Vec<Seed>]) -> Tree {
    let root = Seed { name: Vec::new(), kind: Kind::Folder, size: 0, days: 0, born: None, tags: 0, first: 0 };
    let mut gathering = Gathering::new(entry(&root, 0));
    let mut waiting = vec![FolderNo::ROOT];
    let mut number = 0;
    for seeds in seeds {
        let Some(folder) = waiting.pop() else { break };
        let mut batch = Batch::default();
        for seed in seeds {
            number += 1;
            batch.push(Name::new(&seed.name).unwrap(), entry(seed, number));
        }
        batch.sort();
        let folders = batch.folders().count() as u32;
        let first = gathering.add(folder, &batch);
        waiting.extend((0..folders).map(|by| first.plus(by)));
    }
    gathering.finish()
}

fn entry(seed: &Seed, number: u64) -> Entry {
    Entry {
        kind: seed.kind,
        size: seed.size,
        modified: day(seed.days),
        opened: Some(day(seed.days / 2)),
        born: seed.born.map(day),
        changed: day(seed.days),
        // The identity remembers what the entry's details are.
        identity: Identity([seed.tags as u64 * 8 + seed.first as u64, number]),
    }
}

struct ByIdentity<'a>(&'a Tree);

impl ByIdentity<'_> {
    fn seed(&self, id: NodeId) -> u64 {
        self.0.identity(id).0[0]
    }
}

fn tags_of(seed: u64) -> Vec<String> {
    TAGS[seed as usize / 8].iter().map(|tag| (*tag).to_owned()).collect()
}

/// The tags that stand in the text.
fn inside_of(seed: u64) -> Vec<String> {
    if seed.is_multiple_of(5) { vec!["client/inside".into(), "craft/möwe".into()] } else { Vec::new() }
}

fn facets() -> Facets {
    let text = "[facet.craft]\nvalues = { \"plan\" = [\"film\"], \"möwe\" = [] }\nspelling = \"close\"\n";
    crate::config::parse(text).unwrap().facets
}

fn parsed(text: &str) -> Condition {
    let saved = |name: &str| match parse(&format!("saved {name}")) {
        Ok(Condition::Saved(_, condition)) => Ok(*condition),
        _ => Err((name.to_owned(), None)),
    };
    parse_with(text, &facets(), &saved).unwrap()
}

fn content_of(seed: u64) -> Content {
    recognise(FIRST[seed as usize % 8])
}

/// How many items have its bytes.
fn copies_of(seed: u64) -> u32 {
    (seed % 4) as u32 + 1
}

impl Details for ByIdentity<'_> {
    fn tags(&self, id: NodeId, _: &ItemPath) -> Vec<String> {
        tags_of(self.seed(id))
    }

    fn note_tags(&self, id: NodeId, _: &ItemPath) -> Vec<String> {
        inside_of(self.seed(id))
    }

    fn content(&self, id: NodeId, _: &ItemPath) -> Option<Content> {
        Some(content_of(self.seed(id)))
    }

    fn text(&self, _: NodeId) -> Option<String> {
        None
    }

    fn is_broken(&self, _: &ItemPath) -> bool {
        true
    }

    fn is_relative_link(&self, _: &ItemPath) -> bool {
        false
    }
}

fn one_by_one(tree: &Tree, condition: &Condition) -> Vec<NodeId> {
    let details = ByIdentity(tree);
    let needs = Needs::from_iter([Need::Tags, Need::Type]);
    let all_seen = condition.mentions(Flag::Mislabelled);
    let item = |id: NodeId| -> Item {
        let spot = Spot::new("downloads", tree.path(id));
        let mut item = item(tree, id, spot, &details, needs);
        item.copies = (item.entry.kind == Kind::File).then(|| copies_of(tree.identity(id).0[0]));
        if all_seen && item.entry.kind == Kind::File {
            item.content = Some(content_of(tree.identity(id).0[0]));
        }
        item
    };
    tree.ids().filter(|id| condition.holds(&item(*id), &now())).collect()
}

/// Asks, learns what the maybes need, and asks again, as a search does.
fn by_columns(tree: &mut Tree, condition: &Condition) -> Vec<NodeId> {
    let now = now();
    let texts = TextAnswers::new();
    let mut among = Rows::all(tree.rows());
    among = among.filter(|row| row > 0);
    let query = |tree: &Tree, settle_for_less| {
        let query = Query {
            is_broken: &|_| true,
            settle_for_less,
            looks_at_all: condition.mentions(Flag::Mislabelled),
            ..Query::of_columns(tree, &now, &texts)
        };
        query.find(condition, &among)
    };
    let first = query(tree, false);
    let looks = condition.needs().has(Need::Type);
    let all_seen = condition.mentions(Flag::Mislabelled);
    for id in first.maybe.ids() {
        let seed = tree.identity(id).0[0];
        tree.learn_tags(id, &tags_of(seed), &inside_of(seed));
        if condition.needs().has(Need::Copies) && tree.kind(id) == Kind::File {
            tree.learn_copies(id, copies_of(seed));
        }
        if looks && tree.kind(id) == Kind::File && (tree.wants_look(id) || all_seen) {
            tree.learn_content(id, Some(content_of(seed)));
        }
    }
    let second = query(tree, false);
    assert!(second.maybe.is_empty(), "everything that is needed was learned");
    assert!(first.yes.clone().without(&second.yes).is_empty(), "what was sure stays so");
    second.yes.ids().collect()
}

const CONDITIONS: [&str; 40] = [
    "type image",
    "type document,folder",
    "not type note and file",
    "ext pdf,jpg",
    "ext tar.gz or ext md",
    "name has AN",
    "name has b2",
    "name is \"plan.pdf\"",
    "name starts plan,möwe",
    "name ends pdf",
    "stem ends n",
    "stem is plan",
    "name like p*n*",
    "name like ?öwe*",
    "name matches ^p.*[0-9]",
    "folder has plan",
    "folder is \"\"",
    "path has an/",
    "path has plan",
    "path like plan*/*.pdf",
    "tag any",
    "tag none and type document",
    "tag client,keep",
    "tag client/*",
    "size over 100 and size under 2KB",
    "depth is 2",
    "items over 1",
    "modified before 2031 or modified within 10d",
    "arrived since 2031-03",
    "age over 60d and idle under 60d",
    "loose and empty",
    "untitled or unfinished or hidden",
    "link and broken",
    "mislabelled or saved big",
    "copy and type image,video",
    "copies under 3 or not copy and size over 1KB",
    "craft is plan",
    "craft is möwe,plan and not tag none",
    "craft known and type document",
    "craft unknown",
];

fn seed() -> impl Strategy<Value = Seed> {
    let name = prop_oneof![
        "(plan|möwe|plan möwe|an|Untitled|\\.plan|b2|film)( 2|12)?(\\.pdf|\\.JPG|\\.md|\\.tar\\.gz|\\.qqq|\\.part|)",
        "[a-zé]{1,3}"
    ];
    let kind = prop_oneof![4 => Just(Kind::File), 3 => Just(Kind::Folder), 1 => Just(Kind::Link)];
    let size = prop_oneof![Just(0u64), 50..5000u64];
    let born = proptest::option::of(0..90i64);
    (name, kind, size, 0..400i64, born, 0..TAGS.len(), 0..FIRST.len()).prop_map(
        |(name, kind, size, days, born, tags, first)| Seed {
            name: name.into_bytes(),
            kind,
            size,
            days,
            born,
            tags,
            first,
        },
    )
}

fn folders() -> impl Strategy<Value = Vec<Vec<Seed>>> {
    let unique = |seeds: Vec<Seed>| {
        let mut seen = HashSet::new();
        seeds.into_iter().filter(|seed| seen.insert(seed.name.clone())).collect::<Vec<_>>()
    };
    proptest::collection::vec(proptest::collection::vec(seed(), 0..9).prop_map(unique), 1..12)
}

proptest! {
    #[test]
    fn columns_and_items_answer_alike(folders in folders(), a in 0..CONDITIONS.len(), b in 0..CONDITIONS.len()) {
        let text = format!("({}) and not ({})", CONDITIONS[a], CONDITIONS[b]);
        for text in [CONDITIONS[a], &text, &format!("{} or {}", CONDITIONS[b], CONDITIONS[a])] {
            let condition = parsed(text);
            prop_assert_eq!(&parsed(&condition.to_string()), &condition);
            let mut tree = tree(&folders);
            let expected = one_by_one(&tree, &condition);
            let found = by_columns(&mut tree, &condition);
            let names = |ids: &[NodeId]| ids.iter().map(|id| tree.path(*id).to_text()).collect::<Vec<_>>();
            prop_assert_eq!(names(&found), names(&expected), "{}", text);
        }
    }
}

proptest! {
    #[test]
    fn what_columns_rule_out_no_rule_is_for(
        folders in folders(),
        a in 0..CONDITIONS.len(),
        b in 0..CONDITIONS.len(),
        learned in 0..3u64,
    ) {
        let conditions = [a, b].map(|at| CONDITIONS[at].replace("saved big", "size over 1KB"));
        let [one, two] = conditions.map(|text| text.replace('"', "\\\""));
        let text = format!(
            "[pile.downloads]\nat = \"/d\"\nsettle = \"0min\"\n[bookcase.home]\nat = \"/h\"\nshelves = [\"A\"]\n\
             [facet.craft]\nvalues = {{ \"plan\" = [\"film\"], \"möwe\" = [] }}\nspelling = \"close\"\n\
             [[rule]]\nreach = \"deep\"\nwhen = \"{one}\"\nput = \"1\"\n[[rule]]\nwhen = \"{two}\"\ntag = [\"seen\"]\n",
        );
        let config = crate::config::parse(&text).unwrap();
        let mut tree = tree(&folders);
        // Of some of them more is known than of others.
        for id in tree.ids().filter(|id| id.row() as u64 % 3 < learned) {
            let seed = tree.identity(id).0[0];
            tree.learn_tags(id, &tags_of(seed), &inside_of(seed));
            if tree.kind(id) == Kind::File {
                tree.learn_content(id, Some(content_of(seed)));
            }
        }
        let shelvings = vec![Shelving::new(&config.bookcases[0], std::iter::empty())];
        let (now, details, in_use) = (now(), ByIdentity(&tree), HashSet::new());
        let pass = Pass {
            config: &config,
            shelvings: &shelvings,
            places: &|_| false,
            now: &now,
            details: &details,
            in_use: &in_use,
            counts_rules: true,
        };
        let tidying = Tidying::new(&pass, &config.piles[0], &tree).on_everything();
        let parts = tidying.parts(usize::MAX);
        let found = parts.iter().map(|part| tidying.propose(part)).collect();
        prop_assert_eq!(propose(&pass, &config.piles[0], &tree), tidying.together(parts, found));
    }
}

/// What names are put together from: letters in either form, such as fold into others, halves of letters.
const PIECES: [&[u8]; 12] = [
    b"ledger",
    b"LEDger",
    "e\u{301}".as_bytes(),
    "é".as_bytes(),
    "\u{212a}".as_bytes(),
    "ß".as_bytes(),
    "ſ".as_bytes(),
    b"7",
    b".tar",
    b"\xff",
    b"\xc3",
    b"\xa9",
];

const EXPRESSIONS: [&str; 12] = [
    "name matches ledger",
    "stem matches \"(?i)ledger.*7$\"",
    "name matches \"Kled|ledger7|ssl\"",
    "name matches \"(?i)kle\"",
    "name matches ^é7",
    "stem matches \"(?i)ssled\"",
    "name matches [lL]edger[^7]",
    "name matches é7é",
    "name matches ledg$",
    "name has ßl",
    "stem has é7",
    "name like *k*s*",
];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn odd_names_are_found_as_one_by_one(
        names in proptest::collection::hash_set(proptest::collection::vec(0..PIECES.len(), 1..5), 1..40),
    ) {
        let joined = |pieces: &Vec<usize>| pieces.iter().flat_map(|at| PIECES[*at]).copied().collect();
        let names: HashSet<Vec<u8>> = names.iter().map(joined).collect();
        let seeds: Vec<Seed> = names.into_iter().map(file).collect();
        let mut tree = tree(&[seeds]);
        for text in EXPRESSIONS {
            let condition = parsed(text);
            let expected = one_by_one(&tree, &condition);
            prop_assert_eq!(by_columns(&mut tree, &condition), expected, "{}", text);
        }
    }
}

#[test]
fn what_an_expression_begins_with_is_found_where_it_is_worth_it() {
    let begins = |text: &str| crate::condition::Pattern::new(text).unwrap().beginnings();
    assert_eq!(begins("ledger.*7$"), ["ledger"]);
    assert_eq!(begins("^(Plan|Film)[0-9]"), ["film", "plan"]);
    assert_eq!(begins("(?i)ledger").iter().filter(|text| text.starts_with("led")).count(), 1);
    for of_no_use in [".*ledger", "[0-9]+", "ab", "(ledger)?"] {
        assert!(begins(of_no_use).is_empty(), "{of_no_use}");
    }
    assert!(parsed("file and not name matches \"[0-9]+\"").asks_long());
    assert!(!parsed("name has 7 or stem matches ledger").asks_long());
}

fn file(name: impl Into<Vec<u8>>) -> Seed {
    Seed { name: name.into(), kind: Kind::File, size: 1, days: 1, born: None, tags: 0, first: 0 }
}

#[test]
fn parts_of_names_never_lie_across_two() {
    let seed = |name: &str| file(name);
    let mut tree = tree(&[vec![seed("xa"), seed("aab"), seed("ba"), seed("baa"), seed("c")]]);
    let found = by_columns(&mut tree, &parse("name has aa").unwrap());
    let names: Vec<&[u8]> = found.iter().map(|id| tree.name(*id)).collect();
    assert_eq!(names, [b"aab", b"baa"]);
}

#[test]
fn tags_of_folders_reach_inside_when_asked() {
    let seed = |name: &str, kind, tags| Seed {
        name: name.into(),
        kind,
        size: 1,
        days: 1,
        born: None,
        tags,
        first: 0,
    };
    let mut tree = tree(&[
        vec![seed("in", Kind::Folder, 1), seed("out.pdf", Kind::File, 0)],
        vec![seed("deep", Kind::Folder, 0)],
        vec![seed("a.pdf", Kind::File, 0)],
    ]);
    for id in tree.ids() {
        tree.learn_tags(id, &tags_of(tree.identity(id).0[0]), &[]);
    }
    let (now, texts) = (now(), TextAnswers::new());
    let found = |condition: &str, tags_reach_inside| {
        let query = Query { tags_reach_inside, ..Query::of_columns(&tree, &now, &texts) };
        let among = Rows::all(tree.rows()).filter(|row| row > 0);
        let found = query.find(&parse(condition).unwrap(), &among);
        assert!(found.maybe.is_empty());
        found.yes.ids().map(|id| tree.path(id).to_text()).collect::<Vec<_>>()
    };
    assert_eq!(found("tag loans", false), ["in"]);
    assert_eq!(found("tag loans", true), ["in", "in/deep", "in/deep/a.pdf"]);
    assert_eq!(found("tag none", true), ["out.pdf"]);
}
