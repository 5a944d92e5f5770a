use proptest::prelude::*;

use super::*;
use crate::copies::Digest;
use crate::find::Rows;
use crate::kinds::name_says_little;
use crate::names::{is_unfinished, is_untitled, natural_key, split_extension};

fn entry(kind: Kind, size: u64, modified: i64, identity: u64) -> Entry {
    Entry {
        kind,
        size,
        modified: Moment(modified),
        opened: None,
        born: None,
        changed: Moment(modified),
        identity: Identity([7, identity]),
    }
}

fn at(tree: &Tree, path: &str) -> NodeId {
    tree.find(&ItemPath::new(path).unwrap()).unwrap()
}

fn small() -> Tree {
    let mut gathering = Gathering::new(entry(Kind::Folder, 0, 1, 1));
    let mut top = Batch::default();
    top.push(Name::constant("letters"), entry(Kind::Folder, 4096, 900, 2));
    top.push(Name::constant("a.txt"), entry(Kind::File, 5, 10, 3));
    top.push(Name::constant("void"), entry(Kind::Folder, 4096, 800, 4));
    top.push(Name::constant("closed"), entry(Kind::Folder, 4096, 700, 5));
    top.sort();
    let first = gathering.add(FolderNo::ROOT, &top);
    gathering.add(first.plus(2), &Batch::default());
    let mut inner = Batch::default();
    inner.push(Name::constant("b 10.txt"), entry(Kind::File, 7, 20, 6));
    inner.push(Name::constant("b 2.txt"), entry(Kind::File, 1, 30, 7));
    inner.sort();
    gathering.add(first.plus(1), &inner);
    gathering.finish()
}

#[test]
fn rows_with_the_same_tags_are_found_together() {
    let mut tree = small();
    let tags = |words: &[&str]| words.iter().map(|word| (*word).to_owned()).collect::<Vec<_>>();
    let [last, first, second] = ["letters/b 10.txt", "a.txt", "letters"].map(|path| at(&tree, path));
    tree.learn_tags(last, &tags(&["loans"]), &tags(&["Loans", "boats"]));
    tree.learn_tags(first, &tags(&["keep"]), &[]);
    tree.learn_tags(second, &tags(&["loans"]), &tags(&["Loans", "boats"]));
    tree.learn_tags(at(&tree, "void"), &[], &[]);
    let all = Rows::all_but_root(tree.rows());
    assert_eq!(
        tree.by_tags(&all),
        [(tags(&["keep"]), vec![first]), (tags(&["loans", "boats"]), vec![second, last])]
    );
    let of_one = |id: NodeId| tree.by_tags(&Rows::all(tree.rows()).filter(|row| row == id.row()));
    assert!(tree.ids().all(
        |id| of_one(id).pop().map(|(tags, _)| tags) == tree.all_tags(id).filter(|tags| !tags.is_empty())
    ));
}

#[test]
fn rows_stand_in_the_order_of_reading_and_sums_run_upwards() {
    let tree = small();
    let paths: Vec<String> = tree.ids().map(|id| tree.path(id).to_text()).collect();
    assert_eq!(paths, ["a.txt", "closed", "letters", "letters/b 2.txt", "letters/b 10.txt", "void"]);
    let totals = |path: &str| tree.totals(at(&tree, path));
    assert_eq!(totals("letters"), Totals { size: 8, items: 2, newest: Moment(30), latest: Moment(30) });
    assert_eq!(totals("void"), Totals { size: 0, items: 0, newest: Moment(800), latest: Moment(800) });
    assert_eq!(
        tree.totals(Tree::ROOT),
        Totals { size: 13, items: 3, newest: Moment(30), latest: Moment(30) }
    );
    assert_eq!(tree.inside(at(&tree, "letters")).count(), 2);
    assert_eq!(tree.children(Tree::ROOT).count(), 4);
    assert!(tree.is_unread_folder(at(&tree, "closed")) && !tree.is_unread_folder(at(&tree, "void")));
    assert_eq!((tree.depth(at(&tree, "letters/b 2.txt")), tree.len()), (2, 6));
}

#[test]
fn columns_make_the_same_tree_again() {
    let mut tree = small();
    tree.learn_tags(at(&tree, "a.txt"), &["loans".into(), "client/Harrow".into()], &["inside/x".into()]);
    tree.learn_tags(at(&tree, "void"), &[], &[]);
    tree.learn_content(at(&tree, "a.txt"), Some(crate::kinds::recognise(b"%PDF-1.7 ")));
    tree.learn_text(at(&tree, "letters/b 2.txt"), 12);
    tree.learn_ends(at(&tree, "a.txt"), 0);
    tree.learn_digest(at(&tree, "a.txt"), Digest([5; 32]));
    tree.learn_looks(at(&tree, "letters/b 10.txt"), Some(Looks { pixels: (640, 480), print: 77 }));
    tree.learn_looks(at(&tree, "letters/b 2.txt"), None);
    let mut again = Tree::of_rows(tree.rows());
    for column in Column::ALL.into_iter().filter(|column| *column != Column::AgeFrom) {
        again.make_room(column, tree.bytes(column).len());
        again.bytes_mut(column).copy_from_slice(tree.bytes(column));
    }
    again.set_words(&tree.words());
    again.make_room(Column::AgeFrom, tree.ages().len());
    again.bytes_mut(Column::AgeFrom).copy_from_slice(&tree.ages());
    assert!(again.is_sound());
    assert!(tree.ids().all(|id| tree.is_folder(id) == (tree.kind(id) == Kind::Folder)));
    for id in tree.ids() {
        assert_eq!(again.entry(id), tree.entry(id));
        assert_eq!(
            (again.path(id), again.tags(id), again.note_tags(id), again.content(id)),
            (tree.path(id), tree.tags(id), tree.note_tags(id), tree.content(id))
        );
        assert_eq!((again.totals(id), again.text(id)), (tree.totals(id), tree.text(id)));
        assert_eq!(again.age_from(id), tree.age_from(id));
        let bytes = |tree: &Tree| (tree.ends(id), tree.digest(id), tree.looks(id));
        assert_eq!(bytes(&again), bytes(&tree));
    }
    assert_eq!(again.ends(at(&again, "a.txt")), Some(1), "no mark is no mark");
    assert_eq!(again.looks(at(&again, "letters/b 2.txt")), Some(None));
    assert_eq!((again.looks(at(&again, "a.txt")), again.digest(at(&again, "void"))), (None, None));
    let page = at(&again, "a.txt");
    assert_eq!(again.item_type(page), ItemType::Document);
    assert!(again.has_mark(page, mark::MISLABELLED));
    assert_eq!(again.tags(at(&again, "letters")), TagsOf::NotAsked);
}

#[test]
fn damaged_columns_are_noticed() {
    let mut tree = small();
    assert!(tree.is_sound());
    tree.folder_end[0] = 99;
    assert!(!tree.is_sound());
    let mut tree = small();
    tree.parent[1] = 5;
    assert!(!tree.is_sound());
    let mut tree = small();
    tree.name_end.pop();
    assert!(!tree.is_sound());
}

#[test]
fn what_was_learned_is_carried_over_only_to_what_is_the_same() {
    let later = Moment(10_000_000_000);
    let learned = || {
        let mut tree = small();
        for id in tree.ids() {
            tree.learn_tags(id, &["old".into()], &[]);
            tree.learn_digest(id, Digest([id.row() as u8; 32]));
        }
        tree
    };
    let mut now = small();
    let row = |path: &str| at(&small(), path).row();
    now.size[row("a.txt")] = 6;
    now.changed[row("letters/b 2.txt")] = 31;
    now.identity[row("void")] = [7, 99];
    let CarriedRows { strangers, all_same, .. } = now.carry_over(now.ids(), &learned(), later);
    let digest = |path: &str| now.digest(at(&now, path));
    assert_eq!((digest("a.txt"), digest("letters/b 2.txt"), digest("void")), (None, None, None));
    assert_eq!(digest("letters/b 10.txt"), Some(Digest([row("letters/b 10.txt") as u8; 32])));
    assert_eq!((strangers.as_slice(), all_same), ([at(&now, "void")].as_slice(), false));
    assert!(!small().holds_any_of(&strangers, &now) && small().holds_any_of(&[at(&now, "a.txt")], &now));
    assert_eq!(now.tags(at(&now, "a.txt")), TagsOf::NotAsked);
    assert_eq!(now.tags(at(&now, "letters/b 2.txt")), TagsOf::NotAsked);
    assert_eq!(now.tags(at(&now, "letters/b 10.txt")), TagsOf::Known(&["old".into()]));
    now.date_arrivals(&strangers, Moment(77));
    assert_eq!((now.born(at(&now, "void")), now.born(at(&now, "a.txt"))), (Some(Moment(77)), None));
    let mut unsettled = small();
    unsettled.carry_over(unsettled.ids(), &learned(), Moment(40));
    assert_eq!(unsettled.tags(at(&unsettled, "a.txt")), TagsOf::NotAsked);
}

#[test]
fn arrivals_make_their_folders_younger() {
    let mut tree = small();
    tree.date_arrivals(&[at(&tree, "letters/b 2.txt")], Moment(5_000));
    assert_eq!(tree.age_from(at(&tree, "letters")), Moment(5_000));
    assert_eq!(tree.totals(Tree::ROOT).latest, Moment(5_000));
    assert_eq!(tree.age_from(at(&tree, "void")), Moment(800));
    assert_eq!(tree.newest(at(&tree, "letters")), Moment(30));
}

proptest! {
    #[test]
    fn batches_sort_as_people_count(
        names in proptest::collection::btree_set("(Tern Quay minute|tern quay MINUTES )?[a-cA-C0-9é.]{1,6}", 1..20),
    ) {
        let mut batch = Batch::default();
        let mut expected: Vec<Name> = names.iter().filter_map(|name| Name::new(name.as_bytes())).collect();
        expected.iter().for_each(|name| batch.push(*name, entry(Kind::Folder, 0, 0, 0)));
        batch.sort();
        expected.sort_by_key(|name| (natural_key(name), name.to_vec()));
        prop_assert_eq!(batch.folders().collect::<Vec<_>>(), expected);
    }
}

#[test]
fn marks_tell_what_names_do() {
    let names = [
        "film.part",
        "film.PART",
        "film.mp4",
        "part",
        ".part",
        "a.!ut",
        "a.aria2",
        "photo.jpg.download",
        "spare.partner",
        "download.pdf",
        "~$letter.docx",
        ".~lock.letter.odt#",
        ".~lock.letter.odt",
        "Untitled 2.txt",
        "untitled.part",
        "ledger.tar.gz",
        "ledger.xyz",
        "scan",
        "Scan of the ledger.pdf",
        "Ärger.jpg",
        "300 \u{212a}.txt",
    ];
    for (name, kind) in names.into_iter().flat_map(|name| [Kind::File, Kind::Folder].map(|kind| (name, kind)))
    {
        let mut gathering = Gathering::new(entry(Kind::Folder, 0, 1, 1));
        let mut top = Batch::default();
        top.push(Name::new(name.as_bytes()).unwrap(), entry(kind, 1, 1, 2));
        top.sort();
        gathering.add(FolderNo::ROOT, &top);
        let tree = gathering.finish();
        let has = |bit| tree.has_mark(at(&tree, name), bit);
        let stem = if kind == Kind::File { split_extension(name.as_bytes()).0 } else { name.as_bytes() };
        assert_eq!(has(mark::UNFINISHED), is_unfinished(name.as_bytes()), "{name} {kind:?}");
        assert_eq!(has(mark::UNTITLED), is_untitled(stem), "{name} {kind:?}");
        let says_little = kind == Kind::File && name_says_little(name.as_bytes());
        assert_eq!(has(mark::SAYS_LITTLE), says_little, "{name} {kind:?}");
    }
}

#[test]
fn a_folder_is_as_old_as_what_lies_in_it_and_young_by_its_arrival() {
    let mut gathering = Gathering::new(entry(Kind::Folder, 0, 1, 1));
    let mut top = Batch::default();
    top.push(Name::constant("unpacked"), entry(Kind::Folder, 4096, 9_000, 2));
    let first = gathering.add(FolderNo::ROOT, &top);
    let mut inner = Batch::default();
    let old = Entry { born: Some(Moment(8_000)), ..entry(Kind::File, 5, 30, 3) };
    inner.push(Name::constant("a.txt"), old);
    gathering.add(first, &inner);
    let tree = gathering.finish();
    let unpacked = at(&tree, "unpacked");
    assert_eq!((tree.newest(unpacked), tree.age_from(unpacked)), (Moment(30), Moment(8_000)));
    assert_eq!(tree.totals(unpacked).newest, Moment(30));
}

#[test]
fn what_is_no_name_is_noticed_however_short() {
    let mut gathering = Gathering::new(entry(Kind::Folder, 0, 1, 1));
    let mut top = Batch::default();
    for name in ["a", "bc", "def"] {
        top.push(Name::new(name.as_bytes()).unwrap(), entry(Kind::File, 1, 1, 1));
    }
    gathering.add(FolderNo::ROOT, &top);
    let sound = gathering.finish();
    assert!(sound.is_sound() && sound.bytes(Column::Names) == b"abcdef");
    for spoilt in [b".bcdef", b"a..def", b"abcd/f", b"abcde\0"] {
        let mut tree = sound.clone();
        tree.bytes_mut(Column::Names).copy_from_slice(spoilt);
        assert!(!tree.is_sound(), "{}", spoilt.escape_ascii());
    }
    let mut tree = sound;
    tree.bytes_mut(Column::NameEnd)[4..8].copy_from_slice(&0_u32.to_ne_bytes());
    assert!(!tree.is_sound(), "an empty name");
}

/// The tags of every seventh file.
fn tags(number: u64) -> Vec<String> {
    if number.is_multiple_of(7) { vec!["loans".into(), format!("box {}", number % 3)] } else { Vec::new() }
}

#[test]
fn what_was_asked_beside_an_earlier_tree_is_asked_once_more() {
    let before = small();
    let mut gathering = Gathering::new(entry(Kind::Folder, 0, 1, 1));
    let mut top = Batch::default();
    let tags = TagSet { own: vec!["loans".into()], inside: Vec::new() };
    top.push_tagged(Name::constant("a.txt"), entry(Kind::File, 5, 10, 3), tags);
    gathering.add(FolderNo::ROOT, &top);
    let tree = gathering.finish_with(&before);
    assert_eq!(tree.tags(at(&tree, "a.txt")), TagsOf::NotAsked);
}

#[test]
fn however_many_there_are_each_row_tells_of_its_own_entry() {
    // Few and many, since the columns of many are filled by two threads.
    for files in [40, 1_500] {
        let mut gathering = Gathering::new(entry(Kind::Folder, 0, 1, 1));
        let mut top = Batch::default();
        for folder in 0..10 {
            let name = format!("{}folder {folder}", if folder == 3 { "." } else { "" });
            top.push(Name::new(name.as_bytes()).unwrap(), entry(Kind::Folder, 0, 1, 0));
        }
        top.sort();
        let hidden = top.folders().position(|name| name.starts_with(b".")).unwrap() as u32;
        let first = gathering.add(FolderNo::ROOT, &top);
        // Of some folders no tags are asked for, and in others not of all.
        let is_asked = |number: u64| number / files != 9 && !number.is_multiple_of(5);
        for folder in 0..10 {
            let mut batch = Batch::default();
            for file in 0..files {
                let number = u64::from(folder) * files + file;
                let (opened, born) = (Some(Moment(number as i64 + 1)), Some(Moment(number as i64 + 2)));
                let told = Entry { opened, born, ..entry(Kind::File, number, number as i64 + 3, number + 4) };
                let name = format!("{number}.pdf");
                let name = Name::new(name.as_bytes()).unwrap();
                match is_asked(number) {
                    true => batch.push_tagged(name, told, TagSet { own: tags(number), inside: Vec::new() }),
                    false => batch.push(name, told),
                }
            }
            batch.sort();
            gathering.add(first.plus(folder), &batch);
        }
        let tree = gathering.finish();
        assert!(tree.is_sound() && tree.is_well_formed());
        assert_eq!(tree.tags(Tree::ROOT), TagsOf::NotAsked);
        for id in tree.ids().filter(|id| !tree.is_folder(*id)) {
            let number: u64 =
                std::str::from_utf8(tree.name(id)).unwrap().trim_end_matches(".pdf").parse().unwrap();
            let kept = tree.entry(id);
            assert_eq!((kept.size, kept.identity), (number, Identity([7, number + 4])));
            let times = [kept.opened, kept.born, Some(kept.modified), Some(kept.changed)];
            assert_eq!(times.map(|at| at.unwrap().0 as u64), [1, 2, 3, 3].map(|later| number + later));
            let tags = tags(number);
            let known = if is_asked(number) { TagsOf::Known(&tags) } else { TagsOf::NotAsked };
            assert_eq!(tree.tags(id), known, "{number}");
            assert_eq!(tree.has_mark(id, mark::HIDDEN), number / files == u64::from(hidden));
        }
        assert_eq!(tree.totals(Tree::ROOT).items, 10 * files);
    }
}
