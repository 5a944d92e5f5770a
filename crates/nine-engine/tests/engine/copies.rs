//! The same bytes: in one heap, and of one place held against another.

use std::fs;

use nine_engine::compare::{self, against_listing, places};
use nine_engine::copies::{Request, find};
use nine_engine::{Error, put};

use super::support::{World, lines};

fn with_copies() -> World {
    let world = World::new("");
    world.file("Downloads/letter.txt", "the same").file("Downloads/other.txt", "different");
    world.file("Shelves/1 Boats/Letters/letter.txt", "the same");
    world
}

#[test]
fn what_stands_on_a_shelf_stays() {
    let world = with_copies();
    let workspace = world.open();
    let copies = find(&workspace, &Request::default()).unwrap();
    assert_eq!(copies.found.len(), 1);
    assert_eq!(lines(&copies.discard(false)), ["discard downloads/letter.txt"]);
    assert_eq!(lines(&copies.flag()), ["tag downloads/letter.txt"]);
    let keep = Request { keep: vec!["oldr".into()], ..Request::default() };
    assert!(matches!(find(&workspace, &keep), Err(Error::Unknown { .. })));
    let here = Request { places: vec![world.at("Downloads")], ..Request::default() };
    assert!(find(&workspace, &here).unwrap().found.is_empty());
}

fn request(world: &World, a: &str, b: &[&str]) -> compare::Request {
    let b = b.iter().map(|path| world.at(path)).collect();
    compare::Request { a: world.at(a), b, condition: Vec::new(), reverse: false, hidden: false }
}

#[test]
fn what_is_nowhere_is_missing_and_what_is_found_may_go() {
    let world = with_copies();
    let workspace = world.open();
    let compared = places(&workspace, &request(&world, "Downloads", &["Shelves"])).unwrap();
    assert_eq!((compared.across.found.len(), compared.across.missing.len()), (1, 1));
    assert_eq!(lines(&compared.discard_found()), ["discard downloads/letter.txt"]);
    let into = put::folder(&workspace, "2/New", put::Near::Make).unwrap();
    let wanted = ["move downloads/other.txt -> home/2 Loans/New/other.txt"];
    assert_eq!(lines(&compared.put_missing(&into, "2/New", false)), wanted);
    let same = places(&workspace, &request(&world, "Downloads", &["Downloads"]));
    assert!(matches!(same, Err(Error::SameFolder)));
}

#[test]
fn a_list_from_elsewhere_serves_as_the_other_side() {
    let world = with_copies();
    let workspace = world.open();
    let digest = blake3::hash(b"the same");
    fs::write(world.at("list.csv"), format!("item,size,blake3\nfar/x.txt,8,{digest}\n")).unwrap();
    let held =
        against_listing(&workspace, &request(&world, "Downloads", &[]), &world.at("list.csv")).unwrap();
    assert_eq!((held.found.len(), held.missing.len()), (1, 1));
    assert!(held.missing_of_list().is_empty());
    let gone = against_listing(&workspace, &request(&world, "Downloads", &[]), &world.at("none.csv"));
    assert!(matches!(gone, Err(Error::ListingUnreadable { .. })));
}
