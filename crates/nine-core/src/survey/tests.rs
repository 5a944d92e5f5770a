use jiff::tz::TimeZone;

use super::*;
use crate::find::TextAnswers;
use crate::moment::Moment;
use crate::place::ItemPath;
use crate::tree::sample::tree_with_times;

fn now() -> Now {
    Now::parse("2031-04-07T09:00", &TimeZone::UTC).unwrap()
}

/// A tree of paths with their sizes and ages in days; a path that ends in `/` is a folder.
fn tree(items: &[(&str, u64, i64)]) -> Tree {
    let modified = |days: i64| Moment(now().moment().0 - days * 86_400_000_000_000);
    tree_with_times(
        &items.iter().map(|(path, size, days)| (*path, *size, modified(*days))).collect::<Vec<_>>(),
    )
}

fn found(tree: &Tree, oddity: Oddity) -> Vec<String> {
    let (now, texts) = (now(), TextAnswers::new());
    let query = Query { settle_for_less: true, ..Query::of_columns(tree, &now, &texts) };
    let path = |id: NodeId| -> String { ItemPath::to_text(&tree.path(id)) };
    odd(&query, &Among::new(tree, visible(tree)), oddity).ids().map(path).collect()
}

#[test]
fn figures_add_up() {
    let tree = tree(&[
        ("a.jpg", 500, 2),
        ("b.pdf", 2_000_000, 40),
        ("box/", 0, 0),
        ("box/c.jpg", 50, 400),
        ("box/.hidden", 9, 1),
        ("box/empty.txt", 0, 10),
    ]);
    let survey = survey(&tree, &visible(&tree), &now(), 2);
    assert_eq!(survey.files, Part { count: 4, bytes: 2_000_550 });
    assert_eq!((survey.folders, survey.loose.count), (1, 2));
    assert_eq!(survey.types[0], (ItemType::Image, Part { count: 2, bytes: 550 }));
    assert_eq!(survey.ages.map(|part| part.count), [1, 1, 1, 0, 1]);
    assert_eq!(survey.sizes.map(|part| part.count), [1, 2, 0, 1, 0, 0]);
    let names: Vec<&[u8]> = survey.largest.iter().map(|id| tree.name(*id)).collect();
    assert_eq!(names, [b"b.pdf".as_slice(), b"a.jpg"]);
    let names: Vec<&[u8]> = survey.oldest.iter().map(|id| tree.name(*id)).collect();
    assert_eq!(names, [b"c.jpg".as_slice(), b"b.pdf"]);
    // Of the pictures one is two days old, and one older than a year.
    assert_eq!(survey.types_by_age[0].map(|part| part.bytes), [500, 0, 0, 0, 50]);
}

#[test]
fn the_largest_are_found_among_many() {
    let names: Vec<(String, u64)> = (0..2000).map(|n| (format!("{n}.txt"), (n * 7919) % 2000)).collect();
    let items: Vec<(&str, u64, i64)> = names.iter().map(|(name, size)| (name.as_str(), *size, 1)).collect();
    let tree = tree(&items);
    let survey = survey(&tree, &visible(&tree), &now(), 3);
    let sizes: Vec<u64> = survey.largest.iter().map(|id| tree.size(*id)).collect();
    assert_eq!(sizes, [1999, 1998, 1997]);
}

#[test]
fn folders_are_judged_but_not_inside_what_is_kept_together() {
    let tree = tree(&[
        ("Notes/", 0, 1),
        ("old/", 0, 1),
        ("old/notes/", 0, 1),
        ("site/", 0, 1),
        ("site/.git/", 0, 1),
        ("site/old/", 0, 1),
        ("site/notes/", 0, 1),
    ]);
    assert_eq!(found(&tree, Oddity::SameName), ["Notes", "old/notes"]);
    assert_eq!(found(&tree, Oddity::EmptyFolders), ["Notes", "old", "old/notes", "site"]);
    assert!(found(&tree, Oddity::Crowded).is_empty());
}

#[test]
fn names_that_others_refuse_and_crowds_are_found() {
    let names: Vec<String> = (0..=CROWD).map(|n| format!("heap/{n}")).collect();
    let mut items: Vec<(&str, u64, i64)> = names.iter().map(|name| (name.as_str(), 1, 1)).collect();
    items.extend([("heap/", 0, 1), ("what?.txt", 1, 1), ("Untitled 2.txt", 1, 1), ("fine.txt", 1, 1)]);
    let tree = tree(&items);
    assert_eq!(found(&tree, Oddity::Crowded), ["heap"]);
    assert_eq!(found(&tree, Oddity::Refused), ["what?.txt"]);
    assert_eq!(found(&tree, Oddity::Untitled), ["Untitled 2.txt"]);
}

#[test]
fn every_oddity_that_has_a_condition_can_be_asked_for() {
    for oddity in Oddity::ALL {
        assert!(oddity.condition().is_none_or(|text| parse(text).is_ok()), "{oddity:?}");
    }
}
