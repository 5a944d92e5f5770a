//! The policy of recovery, and what is told of places that are away.

use std::fs;

use nine_engine::{Error, review, tidy};

use super::support::World;

/// A run that is open, and whose file has this text.
fn with_an_open_run(text: &str) -> World {
    let world = World::new("[[rule]]\nwhen = \"file\"\nput = \"1\"\n");
    world.file("Downloads/a.txt", "a");
    fs::create_dir_all(world.at("nine/daybook/open")).unwrap();
    fs::write(world.at("nine/daybook/open/000001"), "").unwrap();
    fs::write(world.at("nine/daybook/000001.jsonl"), text).unwrap();
    world
}

#[test]
fn what_changes_something_must_recover_first_and_what_reads_goes_on() {
    let newer = "{\"line\":\"run\",\"format\":99,\"run\":1,\"at\":\"\",\"command\":\"\",\"places\":{}}\n";
    let world = with_an_open_run(newer);
    let workspace = world.open();
    let tidied = tidy::plan(&workspace, &tidy::Request::default()).unwrap();
    assert!(matches!(tidied.plan.carry(&workspace), Err(Error::NewerRun { run: 1, .. })));
    assert!(world.at("Downloads/a.txt").exists());
    let notices = world.told.notices.lock().unwrap();
    assert!(notices.iter().any(|notice| notice.starts_with("Unrecovered")), "{notices:?}");
}

#[test]
fn a_run_that_cannot_be_read_is_set_aside_and_its_number_is_not_used_again() {
    for damaged in ["\0\0\0\0\n\0\n", "{\"line\":\"step\",\n{\"line\":\"done\",\"step\":1}\n"] {
        let world = with_an_open_run(damaged);
        let workspace = world.open();
        let tidied = tidy::plan(&workspace, &tidy::Request::default()).unwrap();
        let carried = tidied.plan.carry(&workspace).unwrap();
        assert_eq!((carried.run, carried.outcome.done()), (2, 1));
        assert_eq!(fs::read_to_string(world.at("nine/daybook/000001.unreadable")).unwrap(), damaged);
        let notices = world.told.notices.lock().unwrap();
        assert_eq!(
            notices.iter().filter(|notice| notice.starts_with("RunSetAside")).count(),
            1,
            "{notices:?}"
        );
    }
}

/// Decisions that another version wrote down, or behind a line that is damaged, are not cut off.
#[test]
fn a_review_that_cannot_be_read_is_set_aside() {
    for text in ["{\"form\":99,\"items\":1}\n{\"more\":1}\n", "no heading at all\n\"decided\"\n"] {
        let world = World::new("");
        fs::write(world.at("nine/review.jsonl"), text).unwrap();
        assert!(review::kept(&world.open()).unwrap().is_none());
        assert_eq!(fs::read_to_string(world.at("nine/review.unreadable")).unwrap(), text);
        let notices = world.told.notices.lock().unwrap();
        assert!(notices.iter().any(|notice| notice.starts_with("ReviewSetAside")), "{notices:?}");
    }
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
