//! The policy of recovery, and what is told of places that are away.

use std::fs;

use nine_engine::{Error, tidy};

use super::support::World;

/// A run that is open, and whose file cannot be read.
fn with_a_broken_daybook() -> World {
    let world = World::new("[[rule]]\nwhen = \"file\"\nput = \"1\"\n");
    world.file("Downloads/a.txt", "a");
    fs::create_dir_all(world.at("nine/daybook/open")).unwrap();
    fs::write(world.at("nine/daybook/open/000001"), "").unwrap();
    fs::create_dir(world.at("nine/daybook/000001.jsonl")).unwrap();
    world
}

#[test]
fn what_changes_something_must_recover_first_and_what_reads_goes_on() {
    let world = with_a_broken_daybook();
    assert!(matches!(world.to_change(), Err(Error::Daybook(_))));
    let workspace = world.to_read().unwrap();
    assert_eq!(workspace.config().rules.len(), 1);
    let notices = world.told.notices.lock().unwrap();
    assert!(notices.iter().any(|notice| notice.starts_with("Unrecovered")), "{notices:?}");
}

#[test]
fn a_place_that_is_away_is_told_and_counted() {
    let world = World::new("[[rule]]\nwhen = \"file\"\nput = \"1\"\n");
    fs::remove_dir(world.at("Downloads")).unwrap();
    let workspace = world.open();
    let tidied = tidy::plan(&workspace, &tidy::Request::default()).unwrap();
    assert_eq!(tidied.plan.troubles(), 1);
    let notices = world.told.notices.lock().unwrap();
    assert!(notices.iter().any(|notice| notice.starts_with("PlaceClosed")), "{notices:?}");
    let unknown = tidy::plan(&workspace, &tidy::Request { piles: vec!["download".into()] });
    assert!(matches!(unknown, Err(Error::Unknown { word, .. }) if word == "download"));
}

#[test]
fn long_tasks_are_told_by_their_kind() {
    let world = World::new("[[rule]]\nwhen = \"file\"\nput = \"1\"\n");
    world.file("Downloads/a.txt", "a");
    let workspace = world.open();
    let tidied = tidy::plan(&workspace, &tidy::Request::default()).unwrap();
    tidied.plan.carry(&workspace).unwrap();
    let tasks = world.told.tasks.lock().unwrap();
    for task in ["Reading", "Planning", "Carrying"] {
        assert!(tasks.iter().any(|told| told == task), "{task} is not in {tasks:?}");
    }
}
