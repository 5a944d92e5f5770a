use super::*;
use proptest::prelude::*;

fn path(text: &str) -> ItemPath {
    ItemPath::new(text).unwrap()
}

#[test]
fn names_are_the_same_at_build_time() {
    for text in ["", ".", "..", "...", "a", ".a", "a/b", "/", "a\0", "\0", "a.txt", "bänk"] {
        assert_eq!(is_name(text.as_bytes()), is_constant_name(text.as_bytes()), "{text:?}");
    }
}

#[test]
fn paths_never_lead_upwards() {
    assert_eq!(ItemPath::new("a/../b"), None);
    assert_eq!(ItemPath::new("./a"), None);
    assert_eq!(ItemPath::new(b"a\0b"), None);
    assert_eq!(path("/a//b/"), path("a/b"));
    assert_eq!(Spot::parse("downloads/../x"), Err(BadSpot::Path("downloads/../x".into())));
    assert!(Spot::parse("/etc/passwd").is_err());
}

#[test]
fn a_name_is_one_step_down() {
    for wrong in ["", ".", "..", "a/b", "/", "a\0"] {
        assert!(Name::new(wrong.as_bytes()).is_none() && NameBuf::new(wrong).is_none(), "{wrong:?}");
    }
    for right in ["a", "...", ".a", " ", "a\\b", "\n"] {
        let path = path("x").join(Name::new(right.as_bytes()).unwrap());
        assert_eq!((path.depth(), path.name()), (2, right.as_bytes()));
    }
}

#[test]
fn inside_means_below_and_not_beside() {
    assert!(path("a/b/c").is_inside(&path("a/b")));
    assert!(!path("a/bc").is_inside(&path("a/b")));
    assert!(!path("a/b").is_inside(&path("a/b")));
    assert!(path("a").is_inside(&ItemPath::root()));
}

#[test]
fn parents_names_and_depth() {
    assert_eq!(path("a/b").parent(), Some(path("a")));
    assert_eq!(path("a").parent(), Some(ItemPath::root()));
    assert_eq!(ItemPath::root().parent(), None);
    assert_eq!(path("a/b").name(), b"b");
    assert_eq!(path("a/b/c").depth(), 3);
}

proptest! {
    #[test]
    fn spots_survive_being_written(parts in proptest::collection::vec(
        proptest::collection::vec(1u8.., 1..12), 0..4)) {
        let bytes: Vec<u8> = parts.join(&b'/');
        if let Some(path) = ItemPath::new(&bytes) {
            prop_assert_eq!(&ItemPath::of_names_upward(path.parts().rev()), &path);
            for folder in [ItemPath::root(), path.beside(Name::constant("a")), path.parent().unwrap_or_default(), path.clone()] {
                prop_assert_eq!(path.is_directly_in(&folder), path.parent().as_ref() == Some(&folder));
            }
            let spot = Spot::new("downloads", path);
            prop_assert_eq!(Spot::parse(&spot.to_string()).unwrap(), spot);
        }
    }
}
