//! The archive: what goes there, what comes back, packs and checksums.

use std::fs;

use nine_core::archive::Form;
use nine_core::rules::Clash;
use nine_engine::archive::{list, pack, plan, verify};
use nine_engine::retrieve::{self, Request};
use nine_engine::selection::Selection;
use nine_engine::{Error, Workspace};

use super::support::{World, lines};

const ARCHIVE: &str = "[archive]\nwhen = \"modified over 90d\"\nput = \"3/{today}/{pile}\"\n";

fn with_an_archive() -> (World, Workspace) {
    let world = World::new(ARCHIVE);
    world.file("Downloads/old.txt", "old").file("Downloads/letters/a.txt", "a");
    let workspace = world.open();
    plan(&workspace, &Selection::default()).unwrap().plan.carry(&workspace).unwrap();
    let workspace = world.open();
    (world, workspace)
}

fn back(paths: Vec<std::path::PathBuf>) -> Request {
    let selection = Selection { paths, ..Selection::default() };
    Request { selection, run: None, onto: None, clash: Clash::Number }
}

#[test]
fn what_is_stale_goes_and_comes_back_to_where_it_was() {
    let (world, workspace) = with_an_archive();
    let dated = list(&workspace);
    assert_eq!(dated.len(), 1);
    assert_eq!((dated[0].name(), dated[0].listed().items().count()), (b"2031-04-07".to_vec(), 2));
    assert!(verify(&workspace, &[]).unwrap()[0].is_whole());
    let wrong = verify(&workspace, &["2031-04-08".into()]);
    assert!(matches!(wrong, Err(Error::Unknown { known, .. }) if known == ["2031-04-07"]));
    let away = world.at("Shelves/3 Archive/2031-04-07/downloads/old.txt");
    let retrieved = retrieve::plan(&workspace, &back(vec![away])).unwrap();
    let wanted = ["move home/3 Archive/2031-04-07/downloads/old.txt -> downloads/old.txt"];
    assert_eq!(lines(&retrieved.plan), wanted);
    retrieved.plan.carry(&workspace).unwrap();
    assert_eq!(world.names("Downloads"), ["old.txt"]);
    let run = retrieve::plan(&workspace, &Request { run: Some(9), ..back(Vec::new()) });
    assert!(matches!(run, Err(Error::NoRun(9))));
    let never = retrieve::plan(&workspace, &back(vec![world.at("Downloads/old.txt")]));
    assert!(matches!(never, Err(Error::NotAway(_))));
}

#[test]
fn a_changed_byte_is_found_and_a_pack_gives_its_items_back() {
    let (world, workspace) = with_an_archive();
    let packed = pack(&workspace, "2031-04-07", Form::Zip).unwrap();
    assert_eq!(packed.plan.checked.order.len(), 3, "the pack, its list, and the folder goes");
    packed.plan.carry(&workspace).unwrap();
    let workspace = world.open();
    let found = &verify(&workspace, &[]).unwrap()[0];
    assert!(found.is_whole() && found.form == Some(Form::Zip), "{found:?}");
    let inside = world.at("Shelves/3 Archive/2031-04-07.zip/downloads/old.txt");
    let retrieved = retrieve::plan(&workspace, &back(vec![inside])).unwrap();
    assert_eq!(retrieved.selected, 1);
    retrieved.plan.carry(&workspace).unwrap();
    assert_eq!(fs::read_to_string(world.at("Downloads/old.txt")).unwrap(), "old");

    let (world, workspace) = with_an_archive();
    fs::write(world.at("Shelves/3 Archive/2031-04-07/downloads/old.txt"), "odd").unwrap();
    let found = &verify(&workspace, &[]).unwrap()[0];
    assert_eq!(found.changed, ["downloads/old.txt"]);
}

#[test]
fn without_an_archive_nothing_can_go_there() {
    let world = World::new("");
    world.file("Downloads/a.txt", "a");
    fs::write(
        world.at("nine/shelves.toml"),
        fs::read_to_string(world.at("nine/shelves.toml")).unwrap().replace("\"Archive\"", "\"Rest\""),
    )
    .unwrap();
    assert!(matches!(plan(&world.open(), &Selection::default()), Err(Error::NoArchive)));
}
