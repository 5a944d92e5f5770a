use proptest::prelude::*;

use super::*;
use crate::item::Kind;
use crate::moment::Moment;

fn line(from: &str) -> ContentsLine {
    ContentsLine {
        kind: Kind::File,
        size: 3,
        modified: Moment(1_900_000_000_123_456_789),
        tags: vec!["keep, this".into(), "=1".into()],
        from: Spot::parse(from).unwrap(),
        archived: "2031-04-07T09:00:00+02:00".into(),
        why: "last modified 2030-01-02".into(),
        run: 7,
    }
}

fn path(text: &str) -> ItemPath {
    ItemPath::new(text).unwrap()
}

#[test]
fn a_pack_is_found_in_the_path_of_what_lies_in_it() {
    let spot = Spot::parse("home/9 Archive/2031-04-07.tar.zst/downloads/old.zip").unwrap();
    let (pack, inside) = in_pack(&spot).unwrap();
    assert_eq!(pack.to_string(), "home/9 Archive/2031-04-07.tar.zst");
    assert_eq!(inside, path("downloads/old.zip"));
    assert!(in_pack(&Spot::parse("home/9 Archive/2031-04-07.zip").unwrap()).is_none());
    assert_eq!(Form::of_name(b".zip"), None);
}

#[test]
fn parts_belong_to_the_item_that_came_as_one() {
    let mut contents = Contents::default();
    for at in ["downloads/project", "downloads/project/a/b.txt", "downloads/project-2.txt", "downloads/x"] {
        contents.0.insert(path(at), line("downloads/x"));
    }
    let items: Vec<String> = contents.items().map(|(at, _)| at.to_string()).collect();
    assert_eq!(items, ["downloads/project", "downloads/project-2.txt", "downloads/x"]);
    assert_eq!(contents.item_of(&path("downloads/project/a/b.txt")), Some(path("downloads/project")));
    assert_eq!(contents.item_of(&path("downloads/other")), None);
    let gone = contents.take_out(&path("downloads/project"));
    assert_eq!(gone.keys().map(ToString::to_string).collect::<Vec<_>>(), ["", "a/b.txt"]);
    assert_eq!(contents.0.len(), 2);
}

#[test]
fn a_list_is_searched_as_a_tree() {
    let mut contents = Contents::default();
    contents.0.insert(
        path("downloads/project"),
        ContentsLine { kind: Kind::Folder, size: 0, ..line("downloads/p") },
    );
    for at in ["downloads/project/a/b.txt", "downloads/x", "desktop/y.pdf"] {
        contents.0.insert(path(at), line("downloads/x"));
    }
    let tree = contents.tree();
    let paths: Vec<String> = tree.ids().map(|id| tree.path(id).to_string()).collect();
    let wanted = [
        "desktop",
        "desktop/y.pdf",
        "downloads",
        "downloads/project",
        "downloads/project/a",
        "downloads/project/a/b.txt",
        "downloads/x",
    ];
    assert_eq!(paths, wanted);
    let file = tree.find(&path("downloads/project/a/b.txt")).unwrap();
    assert_eq!(tree.all_tags(file), Some(vec!["keep, this".to_owned(), "=1".to_owned()]));
    assert_eq!(tree.totals(tree.find(&path("downloads")).unwrap()).size, 6);
}

#[test]
fn a_list_that_is_none_is_told_with_its_line() {
    assert_eq!(Contents::parse(b"a,b\n1,2\n"), Err(BadContents::Heading));
    let good = Contents([(path("a"), line("downloads/a"))].into()).to_csv();
    let mut bad = good.clone();
    bad.extend_from_slice(b"half a li");
    assert_eq!(Contents::parse(&bad), Err(BadContents::ContentsLine(3)));
    assert_eq!(Contents::parse(&good).unwrap().0.len(), 1);
}

#[test]
fn lines_of_others_stay_in_the_sums() {
    let text = b"# by hand\n".to_vec();
    let mut sums = Sums::parse(&text);
    sums.of.insert(path("a\nb"), Sum([0xab; 32]));
    let written = String::from_utf8(sums.to_text()).unwrap();
    assert!(written.starts_with("# by hand\n\\abab"), "{written}");
    assert!(written.ends_with("  a\\nb\n"), "{written}");
}

proptest! {
    #[test]
    fn lists_are_read_back(names in proptest::collection::btree_set(
        proptest::collection::vec(any::<u8>().prop_filter("no name", |b| *b != 0 && *b != b'/'), 1..12)
            .prop_filter("no name", |n| n != b"." && n != b".."), 1..20))
    {
        let (mut contents, mut sums) = (Contents::default(), Sums::default());
        for (at, name) in names.iter().enumerate() {
            let path = path("downloads").join(Name::new(name).unwrap());
            let mut line = line("downloads/a");
            line.from = Spot::new("desktop", ItemPath::root().join(Name::new(name).unwrap()));
            contents.0.insert(path.clone(), line);
            sums.of.insert(path, Sum([at as u8; 32]));
        }
        prop_assert_eq!(Contents::parse(&contents.to_csv()).unwrap(), contents);
        prop_assert_eq!(Sums::parse(&sums.to_text()), sums);
    }
}
