use std::collections::BTreeMap;

use proptest::prelude::*;

use super::similar::{Picture, look_alike, print_of};
use super::*;
use crate::item::{Entry, Identity, Kind};
use crate::moment::Moment;
use crate::place::{ItemPath, Name, Spot};
use crate::tree::{Batch, FolderNo, Gathering, Looks};

/// A name in a folder, and of a file its byte and inode.
type Named = (String, Option<(u8, u64)>);

/// A tree of files: path, byte that all of its content is, inode. What holds [`UNREAD`] was not read; a
/// path that ends in `/` is an empty folder.
fn tree(files: &[(&str, u8, u64)]) -> Tree {
    let mut folders: BTreeMap<String, Vec<Named>> = BTreeMap::new();
    folders.entry(String::new()).or_default();
    for (path, byte, inode) in files {
        let parts: Vec<&str> = path.split('/').collect();
        for depth in 0..parts.len() - 1 {
            let above = parts[..depth].join("/");
            let name = parts[depth].to_owned();
            let held = folders.entry(above).or_default();
            if !held.iter().any(|(known, _)| *known == name) {
                held.push((name, None));
            }
            folders.entry(parts[..=depth].join("/")).or_default();
        }
        let name = parts[parts.len() - 1].to_owned();
        if !name.is_empty() {
            folders
                .entry(parts[..parts.len() - 1].join("/"))
                .or_default()
                .push((name, Some((*byte, *inode))));
        }
    }
    let entry = |kind, size, inode| Entry {
        kind,
        size,
        modified: Moment(1),
        opened: None,
        born: None,
        changed: Moment(1),
        identity: Identity([0, inode]),
    };
    let mut gathering = Gathering::new(entry(Kind::Folder, 0, 0));
    let mut open = vec![(FolderNo::ROOT, String::new())];
    let mut next = 1_000_000;
    while let Some((number, path)) = open.pop() {
        let mut batch = Batch::default();
        for (name, file) in &folders[&path] {
            next += 1;
            match file {
                Some((byte, inode)) => {
                    batch.push(
                        Name::new(name.as_bytes()).unwrap(),
                        entry(Kind::File, 100 * u64::from(*byte), *inode),
                    );
                }
                None => batch.push(Name::new(name.as_bytes()).unwrap(), entry(Kind::Folder, 0, next)),
            }
        }
        batch.sort();
        let inside: Vec<String> =
            batch.folders().map(|name| String::from_utf8_lossy(&name).into_owned()).collect();
        let first = gathering.add(number, &batch);
        open.extend(inside.into_iter().enumerate().map(|(at, name)| {
            (first.plus(at as u32), if path.is_empty() { name } else { format!("{path}/{name}") })
        }));
    }
    let mut tree = gathering.finish();
    for (path, byte, _) in
        files.iter().filter(|(path, byte, _)| (1..UNREAD).contains(byte) && !path.ends_with('/'))
    {
        let id = tree.find(&ItemPath::new(path).unwrap()).unwrap();
        tree.learn_digest(id, Digest([*byte; 32]));
    }
    tree
}

const UNREAD: u8 = 200;

/// Each group as its paths, the one that stays first, bound ones in brackets.
fn told(tree: &Tree, preferences: &[Keep]) -> Vec<String> {
    let trees = [tree];
    let nowhere = |_: Member, _: Member| false;
    let standing = |item: &Alike| KeepFacts {
        spot: Spot::new("p", tree.path(item.member.id)),
        kind: tree.kind(item.member.id),
        on_shelf: tree.path(item.member.id).to_text().starts_with("shelf"),
        tagged: false,
        modified: Moment(1),
        marked: false,
    };
    let choose = |group: &Group| choose(group.items.iter().map(standing), preferences);
    let groups = groups(&trees, Taken::default(), nowhere);
    let folded = fold(&trees, groups, &nowhere, &choose);
    let name = |item: &Alike| {
        let name = tree.path(item.member.id).to_text();
        let links: String =
            item.links.iter().map(|link| format!("+{}", tree.path(link.id).to_text())).collect();
        if item.bound { format!("({name}{links})") } else { format!("{name}{links}") }
    };
    let mut lines: Vec<String> = folded
        .iter()
        .map(|folded| {
            let mut items = folded.group.items.clone();
            let kept = items.remove(folded.chosen.at);
            std::iter::once(&kept).chain(&items).map(name).collect::<Vec<_>>().join(" ")
        })
        .collect();
    lines.sort();
    lines
}

#[test]
fn whole_folders_are_told_as_one() {
    let tree = tree(&[
        ("import/day/1.jpg", 1, 1),
        ("import/day/sub/2.jpg", 2, 2),
        ("shelf/day/1.jpg", 1, 3),
        ("shelf/day/sub/2.jpg", 2, 4),
        ("loose 2.jpg", 2, 5),
        ("import/other/1.jpg", 1, 6),
        ("import/other/3.jpg", 3, 7),
    ]);
    // The folders hold all that is in them; of what lies elsewhere the shelf's own stays.
    let wanted =
        ["(shelf/day/1.jpg) import/other/1.jpg", "(shelf/day/sub/2.jpg) loose 2.jpg", "shelf/day import/day"];
    assert_eq!(told(&tree, &[Keep::Shelf, Keep::Shorter]), wanted);
}

#[test]
fn a_favourite_that_lies_alone_is_told_beside_equal_folders() {
    let tree = tree(&[
        ("import/day/1.jpg", 1, 1),
        ("old/day/1.jpg", 1, 2),
        ("shelf/one.jpg", 1, 3),
        ("zz/three.jpg", 1, 4),
    ]);
    // One folder stays as a whole; the favourite stays too, and what lies loose elsewhere goes.
    let wanted = ["import old", "shelf/one.jpg (import/day/1.jpg) zz/three.jpg"];
    assert_eq!(told(&tree, &[Keep::Shelf]), wanted);
    let alone = self::tree(&[("import/day/1.jpg", 1, 1), ("old/day/1.jpg", 1, 2), ("shelf/one.jpg", 1, 3)]);
    assert_eq!(told(&alone, &[Keep::Shelf]), ["import old", "shelf/one.jpg (import/day/1.jpg)"]);
}

#[test]
fn a_folder_with_more_or_other_names_in_it_is_no_copy() {
    let more = tree(&[("a/1", 1, 1), ("a/2", 2, 2), ("b/1", 1, 3), ("b/2", 2, 4), ("b/3", 3, 5)]);
    assert_eq!(told(&more, &[]), ["a/1 b/1", "a/2 b/2"]);
    let renamed = tree(&[("a/1", 1, 1), ("b/one", 1, 2)]);
    assert_eq!(told(&renamed, &[]), ["a/1 b/one"]);
    let empties = tree(&[("a/1", 1, 1), ("a/x", 0, 2), ("b/1", 1, 3)]);
    assert_eq!(told(&empties, &[]), ["a/1 b/1"]);
    let void = tree(&[("a/", 0, 0), ("b/", 0, 0)]);
    assert!(told(&void, &[]).is_empty(), "folders without a byte are no copies");
}

#[test]
fn what_is_hidden_in_folders_must_be_read_before_they_are_told_as_one() {
    let mut tree = tree(&[("a/1", 1, 1), ("a/.x", UNREAD, 2), ("b/1", 1, 3), ("b/.x", UNREAD, 4)]);
    assert_eq!(told(&tree, &[]), ["a/1 b/1"]);
    let asked = hidden_in_question(&[&tree]);
    let names: Vec<String> = asked.iter().map(|member| tree.path(member.id).to_text()).collect();
    assert_eq!(names, ["a/.x", "b/.x"]);
    for (member, byte) in asked.iter().zip([7, 8]) {
        tree.learn_digest(member.id, Digest([byte; 32]));
    }
    assert_eq!(told(&tree, &[]), ["a/1 b/1"], "they differ in what is hidden");
    tree.learn_digest(asked[1].id, Digest([7; 32]));
    assert_eq!(told(&tree, &[]), ["a b"]);
}

#[test]
fn hard_links_are_one_item_and_stand_with_it() {
    let tree = tree(&[("a", 1, 1), ("b", 1, 1), ("c", 1, 2), ("d", 2, 3), ("e", 2, 3)]);
    assert_eq!(told(&tree, &[]), ["a+b c"]);
}

#[test]
fn nothing_is_taken_out_of_what_is_kept_together() {
    let tree = tree(&[
        ("Tide.app/icon.png", 1, 1),
        ("icon.png", 1, 2),
        ("code/.git/x", UNREAD, 3),
        ("code/src/a.rs", 2, 4),
        ("a.rs", 2, 5),
        ("page.html", 3, 6),
        ("page_files/b.css", 4, 7),
        ("b.css", 4, 8),
        ("only/.keep-together", 0, 9),
        ("only/c", 5, 10),
        ("kept/.keep-together", 0, 11),
        ("kept/more/c", 5, 12),
    ]);
    // The one of each that stands by itself may go; of two that are bound, none.
    let wanted = ["(Tide.app/icon.png) icon.png", "(code/src/a.rs) a.rs", "(page_files/b.css) b.css"];
    assert_eq!(
        told(
            &tree,
            &[
                Keep::In(Spot::parse("p/Tide.app").unwrap()),
                Keep::In(Spot::parse("p/code").unwrap()),
                Keep::In(Spot::parse("p/page_files").unwrap())
            ]
        ),
        wanted
    );
    let page = tree.find(&ItemPath::new("page.html").unwrap()).unwrap();
    let files = followers(&tree, page);
    assert_eq!(files.iter().map(|id| tree.name(*id)).collect::<Vec<_>>(), [b"page_files"]);
    assert_eq!(leader(&tree, files[0]), Some(page));
}

#[test]
fn a_file_whose_first_name_goes_with_a_folder_is_told_by_another() {
    let tree = tree(&[("a/1.jpg", 1, 1), ("b/1.jpg", 1, 2), ("c/1.jpg", 1, 2), ("c/plan", 2, 3)]);
    assert_eq!(told(&tree, &[]), ["(a/1.jpg) c/1.jpg", "a b"]);
}

#[test]
fn names_that_suggest_a_copy_are_told_apart_from_copies() {
    let tree = tree(&[
        ("plan.pdf", 1, 1),
        ("old/Plan (1).pdf", 2, 2),
        ("same.txt", 3, 3),
        ("old/same.txt", 3, 4),
        ("x/readme", 5, 5),
        ("y/readme", 6, 6),
        ("copy of alone.txt", 7, 7),
    ]);
    let trees = [&tree];
    let found = look_alikes(&trees, |_, _| false);
    let names: Vec<(bool, Vec<String>)> = found
        .iter()
        .map(|alike| {
            (alike.marked, alike.items.iter().map(|member| tree.path(member.id).to_text()).collect())
        })
        .collect();
    let wanted = [(true, vec!["old/Plan (1).pdf", "plan.pdf"]), (false, vec!["x/readme", "y/readme"])];
    assert_eq!(names, wanted.map(|(marked, names)| (marked, names.into_iter().map(str::to_owned).collect())));
}

#[test]
fn names_that_are_seen_through_two_places_are_told_once() {
    let outer = tree(&[("sub/plan", 1, 1), ("sub/deep/plan", 2, 2)]);
    let inner = tree(&[("plan", 1, 1), ("deep/plan", 2, 2)]);
    let trees = [&outer, &inner];
    let path = |member: Member| {
        let path = member.tree(&trees).path(member.id).to_text();
        path.strip_prefix("sub/").unwrap_or(&path).to_owned()
    };
    let found = look_alikes(&trees, |a, b| a.view != b.view && path(a) == path(b));
    let names: Vec<Vec<String>> =
        found.iter().map(|alike| alike.items.iter().map(|member| path(*member)).collect()).collect();
    assert_eq!(names, [["deep/plan", "plan"]]);
}

#[test]
fn within_one_place_none_is_held_against_another() {
    // Thousands of folders with the same files would be held against each other, each against each.
    let paths: Vec<String> =
        (1..30).flat_map(|n| [format!("same {n}/index"), format!("other {n}/plan")]).collect();
    let files: Vec<(&str, u8, u64)> = (1u8..)
        .zip(&paths)
        .map(|(n, path)| (path.as_str(), if path.ends_with("plan") { n } else { 1 }, u64::from(n)))
        .collect();
    let (tree, empty) = (tree(&files), tree(&[]));
    let never = |a: Member, b: Member| -> bool { panic!("{a:?} is held against {b:?}") };
    let trees = [&empty, &tree];
    assert_eq!(look_alikes(&trees, never).len(), 1);
    let first = |_: &Group| Chosen { at: 0, because: String::new() };
    let folded = fold(&trees, groups(&trees, Taken::default(), never), &never, &first);
    assert_eq!(folded.iter().map(|folded| folded.group.items.len()).collect::<Vec<_>>(), [29]);
}

#[test]
fn digests_are_read_as_they_are_written() {
    let digest = Digest(std::array::from_fn(|at| at as u8 * 7));
    assert_eq!(Digest::parse(&digest.to_string()), Some(digest));
    assert_eq!(Digest::parse("12"), None);
    assert_eq!(Digest::parse(&"ä".repeat(32)), None);
}

#[test]
fn space_is_told_of_what_is_known_and_the_rest_is_said_to_be_unread() {
    let known = tree(&[("a", 1, 1), ("b", 1, 2), ("c", 2, 3)]);
    let take = |files, bytes, unread| CopiesTake { files, bytes, unread };
    assert_eq!(copies_take(&[&known], 1), [take(1, 100, 0), take(1, 100, 0)]);
    let unread = tree(&[("d", UNREAD, 4), ("e", UNREAD, 5), ("f", UNREAD + 1, 6)]);
    let both = [&known, &unread];
    let bytes = 2 * 100 * u64::from(UNREAD);
    assert_eq!(copies_take(&both, 2), [take(1, 100, 0), take(0, 0, bytes), take(1, 100, bytes)]);
    assert_eq!(copies_take(&both, 1), [take(1, 100, 0), take(1, 100, 0)]);
    let twin = tree(&[("x/a", 1, 9)]);
    assert_eq!(copies_take(&[&known, &twin], 1)[0], take(2, 200, 0));
    assert_eq!(copies_take(&[&known, &twin], 2), [take(2, 200, 0), take(1, 100, 0), take(2, 200, 0)]);
    // Two names of one file are one file, in one place or seen through two.
    let names = tree(&[("d", UNREAD, 4), ("e", UNREAD, 4)]);
    assert_eq!(copies_take(&[&names], 1)[1], take(0, 0, 0));
    let with_other = tree(&[("d", UNREAD, 4), ("e", UNREAD, 4), ("g", UNREAD, 6)]);
    assert_eq!(copies_take(&[&with_other], 1)[1], take(0, 0, bytes));
    // One that only a file beside shares its size with is unread all the same.
    let (one, beside) = (tree(&[("d", UNREAD, 4)]), tree(&[("e", UNREAD, 5)]));
    let alone = take(0, 0, 100 * u64::from(UNREAD));
    assert_eq!(copies_take(&[&one, &beside], 1), [alone, alone]);
    assert_eq!(copies_take(&[&one], 1), [take(0, 0, 0), take(0, 0, 0)]);
    let seen_twice = copies_take(&[&unread, &unread], 2);
    assert_eq!(seen_twice, [take(0, 0, bytes), take(0, 0, bytes), take(0, 0, bytes)]);
}

fn picture(row: usize, pixels: (u32, u32), print: u64) -> Picture {
    let member = Member::new(0, NodeId::new(row));
    Picture { member, looks: Looks { pixels, print }, size: 1 }
}

#[test]
fn pictures_join_the_nearest_larger_one_and_no_chain() {
    let base = 0x0f0f_3c3c_aaaa_5555;
    let far = base ^ 0xffff_0000_0000;
    let groups = look_alike(vec![
        picture(1, (400, 300), base),
        picture(2, (4000, 3000), base ^ 0b111),
        picture(3, (800, 600), base ^ 0b11_1111_1000),
        picture(4, (100, 75), far),
        picture(5, (300, 400), base),
        picture(6, (100, 100), 0),
        picture(7, (100, 100), 1),
    ]);
    let rows: Vec<Vec<usize>> =
        groups.iter().map(|group| group.iter().map(|picture| picture.member.id.row()).collect()).collect();
    // 3 differs from 2 by ten bits although both are near to 1; 5 is turned; 6 and 7 are plain.
    assert_eq!(rows, [vec![2, 1]]);
}

#[test]
fn a_print_says_which_neighbour_is_brighter() {
    let rising: [[u8; 9]; 8] = std::array::from_fn(|_| std::array::from_fn(|at| at as u8 * 20));
    let mut bump = rising;
    bump[0][0] = 255;
    assert_eq!((print_of(&rising), print_of(&bump)), (0, 1 << 63));
}

proptest! {
    /// Whatever is the same where: something of each content stays.
    #[test]
    fn the_last_of_a_content_never_goes(files in prop::collection::vec((0..3u8, 0..3u8, 0..3u8, 1..4u8), 1..25)) {
        let mut named: BTreeMap<String, u8> = BTreeMap::new();
        for (a, b, c, byte) in files {
            named.insert(format!("d{a}/e{b}/f{c}"), byte);
        }
        let list: Vec<(&str, u8, u64)> =
            named.iter().zip(1..).map(|((path, byte), inode)| (path.as_str(), *byte, inode)).collect();
        let tree = tree(&list);
        let trees = [&tree];
        let nowhere = |_: Member, _: Member| false;
        let by_name = |group: &Group| Chosen { at: group.items.len() - 1, because: String::new() };
        let folded = fold(&trees, groups(&trees, Taken::default(), nowhere), &nowhere, &by_name);
        let gone: Vec<String> = folded
            .iter()
            .flat_map(|folded| folded.going().map(|item| tree.path(item.member.id).to_text()))
            .collect();
        let stays = |path: &str| !gone.iter().any(|gone| path == gone || path.starts_with(&format!("{gone}/")));
        for byte in named.values() {
            let left = named.iter().filter(|(path, other)| *other == byte && stays(path)).count();
            prop_assert!(left > 0, "nothing is left of {byte}: {gone:?}");
        }
        // What stays of each group is not taken by another.
        for folded in &folded {
            prop_assert!(stays(&tree.path(folded.kept().member.id).to_text()));
        }
    }
}

#[test]
fn what_is_missing_is_missing_by_its_bytes() {
    let import = tree(&[("a.jpg", 1, 1), ("b.jpg", 2, 2), ("c.jpg", 3, 3), ("link", 4, 4), ("n", UNREAD, 5)]);
    let library = tree(&[("x/other.jpg", 1, 11), ("y/one.jpg", 1, 12), ("C.JPG", 9, 13), ("same", 4, 4)]);
    let trees = [&import, &library];
    let all = |view: usize| -> Vec<Member> {
        let files = trees[view].ids().filter(|id| trees[view].kind(*id) == Kind::File);
        files.map(|id| Member::new(view, id)).collect()
    };
    let name = |member: &Member| member.tree(&trees).path(member.id).to_text();
    let found = across(&trees, &all(0), &all(1));
    let missing: Vec<String> = found.missing.iter().map(name).collect();
    assert_eq!(missing, ["b.jpg", "c.jpg", "n"]);
    let there: Vec<(String, Vec<String>)> =
        found.found.iter().map(|(member, there)| (name(member), there.iter().map(name).collect())).collect();
    let wanted = [("a.jpg", vec!["x/other.jpg", "y/one.jpg"]), ("link", vec!["same"])];
    let wanted =
        wanted.map(|(name, there)| (name.to_owned(), there.into_iter().map(str::to_owned).collect()));
    assert_eq!(there, wanted);
    let names = same_names(&trees, &found.missing, &all(1));
    assert_eq!(names.len(), 1);
    assert_eq!((name(&names[0].0), name(&names[0].1[0])), ("c.jpg".into(), "C.JPG".into()));
}

#[test]
fn a_list_from_elsewhere_is_read_or_refused_with_its_line() {
    let digest = Digest([0xab; 32]);
    let text = format!(
        "\u{feff}item,size,blake3,more\nphotos/a.jpg,12,{digest},x\nphotos,,,\n\"b,\n\",3,{digest},\n"
    );
    let (listed, left_out) = read_listing(text.as_bytes()).unwrap();
    assert_eq!((listed.len(), left_out), (2, 1));
    assert_eq!(listed[0], Listed { item: "photos/a.jpg".into(), size: 12, digest });
    assert_eq!(listed[1].item, "b,\n");
    let wrong = |text: &str| read_listing(text.as_bytes()).unwrap_err().to_string();
    assert_eq!(wrong("item,size\n"), "it has no column `blake3`");
    assert_eq!(
        wrong(&format!("item,size,blake3\na,1,{digest}\nb,x,{digest}\n")),
        "line 3: `x` is no size in bytes"
    );
    assert_eq!(wrong("item,size,blake3\na,1,abc\n"), "line 2: `abc` is no BLAKE3 digest");
}
