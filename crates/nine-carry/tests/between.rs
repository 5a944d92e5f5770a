//! Recovery from what a killed program may leave, made by hand: half a copy, a copy in place beside its
//! original, an item that somebody moved meanwhile.

mod support;

use std::fs;

use nine_carry::daybook::{Heading, Run, Writer};
use nine_carry::{Patience, Recovered, Trace, facts, lock, plan_undo, recover};
use nine_core::worklist::{Act, Step, check};
use support::{World, clock};

const RULE: &str = "[[rule]]\nwhen = \"file or type folder\"\nput = \"1\"\n";

/// Writes the plan of a tidy and nothing more, as if the program had been killed right after.
fn killed_after_planning(world: &World) {
    let (worklist, checked) = world.plan(RULE);
    let steps: Vec<Step> = checked.order.iter().map(|at| worklist.steps[*at].clone()).collect();
    let heading = Heading::new("nine tidy", None, &world.places());
    drop(Writer::begin(&world.data(), &heading, steps.iter(), &clock).unwrap());
}

fn recovered(world: &World) -> Recovered {
    let held = lock(&world.data(), "test").unwrap().unwrap();
    let open = |_: &Run| world.places();
    let run = *nine_carry::open_runs(&world.data()).unwrap().last().expect("the run was cut off");
    recover(&world.data(), &held, run, &open, Patience::Waits, &clock).unwrap().unwrap()
}

fn world() -> World {
    let world = World::across_file_systems();
    world.write("letter.txt", "dear quay");
    world
}

#[test]
fn a_plan_that_was_never_begun_changes_nothing() {
    let world = world();
    let before = world.picture();
    killed_after_planning(&world);
    let found = recovered(&world);
    assert_eq!((found.done, found.not_begun, found.taken_back), (0, 1, 0));
    assert_eq!(world.picture(), before);
}

#[test]
fn half_a_copy_is_taken_back() {
    let world = world();
    let before = world.picture();
    killed_after_planning(&world);
    fs::create_dir(world.shelves.join("1 Boats")).unwrap();
    let half = format!(".nine-{}-1", world.run(1).token);
    fs::write(world.shelves.join("1 Boats").join(half), "dear q").unwrap();
    // A name as an earlier version made them is somebody else's.
    fs::create_dir(world.shelves.join("1 Boats/.nine-1-1")).unwrap();
    let found = recovered(&world);
    assert_eq!((found.done, found.not_begun, found.taken_back), (0, 1, 1));
    fs::remove_dir(world.shelves.join("1 Boats/.nine-1-1")).unwrap();
    fs::remove_dir(world.shelves.join("1 Boats")).unwrap();
    assert_eq!(world.picture(), before);
}

#[test]
fn a_copy_in_place_is_finished() {
    let world = world();
    killed_after_planning(&world);
    fs::create_dir(world.shelves.join("1 Boats")).unwrap();
    let copy = world.shelves.join("1 Boats/letter.txt");
    fs::copy(world.pile("letter.txt"), &copy).unwrap();
    let modified = fs::metadata(world.pile("letter.txt")).unwrap().modified().unwrap();
    fs::File::options().write(true).open(&copy).unwrap().set_modified(modified).unwrap();
    let found = recovered(&world);
    assert_eq!((found.done, found.finished, found.not_begun), (1, 1, 0));
    assert!(copy.exists() && !world.pile("letter.txt").exists());
    world.undo(1);
    assert_eq!(fs::read_to_string(world.pile("letter.txt")).unwrap(), "dear quay");
}

#[test]
fn another_file_at_the_target_is_no_copy() {
    let world = world();
    killed_after_planning(&world);
    fs::create_dir(world.shelves.join("1 Boats")).unwrap();
    fs::write(world.shelves.join("1 Boats/letter.txt"), "not that one").unwrap();
    let found = recovered(&world);
    assert_eq!((found.done, found.not_begun), (0, 1));
    assert_eq!(fs::read_to_string(world.pile("letter.txt")).unwrap(), "dear quay");
    assert_eq!(fs::read_to_string(world.shelves.join("1 Boats/letter.txt")).unwrap(), "not that one");
}

#[test]
fn an_item_that_somebody_took_is_named() {
    let world = world();
    killed_after_planning(&world);
    fs::rename(world.pile("letter.txt"), world.dir.path().join("mine.txt")).unwrap();
    let found = recovered(&world);
    assert_eq!(found.lost_sight.len(), 1);
    assert!(found.lost_sight[0].1.contains("neither"), "{:?}", found.lost_sight);
}

#[test]
fn a_folder_half_taken_away_is_finished() {
    let world = World::across_file_systems();
    world.write("box/a.txt", "first");
    world.write("box/b.txt", "second");
    killed_after_planning(&world);
    // As after the copy was put in place and one file of the original taken away.
    let target = world.shelves.join("1 Boats/box");
    fs::create_dir_all(&target).unwrap();
    for name in ["a.txt", "b.txt"] {
        let from = world.pile("box").join(name);
        fs::copy(&from, target.join(name)).unwrap();
        let modified = fs::metadata(&from).unwrap().modified().unwrap();
        fs::File::options().write(true).open(target.join(name)).unwrap().set_modified(modified).unwrap();
    }
    fs::remove_file(world.pile("box/a.txt")).unwrap();
    let found = recovered(&world);
    assert_eq!((found.done, found.finished), (1, 1));
    assert!(!world.pile("box").exists() && target.join("a.txt").exists());
}

/// A world in which a file was replaced; what came in its place is moved back already, if `half`. The daybook has all
/// of the undo as done: the power failed before the places had what it has.
fn undo_lost_with_the_power(half: bool) -> World {
    let world = World::new();
    world.write("plan.txt", "new");
    fs::create_dir(world.shelves.join("1 Boats")).unwrap();
    fs::write(world.shelves.join("1 Boats/plan.txt"), "old").unwrap();
    let (run, _) = world.tidy("[[rule]]\nwhen = \"file\"\nput = \"1\"\nclash = \"replace\"\n");
    let places = world.places();
    let plan = plan_undo(&world.run(run), &[], &places);
    let checked = check(&plan.worklist, &facts(&places, &plan.worklist, Default::default()));
    let steps: Vec<Step> = checked.order.iter().map(|at| plan.worklist.steps[*at].clone()).collect();
    assert!(steps.iter().any(|step| matches!(step.act, Act::Restore { .. })));
    let heading = Heading::new("nine undo", Some(run), &places);
    let mut writer = Writer::begin(&world.data(), &heading, steps.iter(), &clock).unwrap();
    (0..steps.len()).for_each(|at| writer.done(at, &Trace::default()).unwrap());
    drop(writer);
    if half {
        fs::rename(world.shelves.join("1 Boats/plan.txt"), world.pile("plan.txt")).unwrap();
    }
    world
}

#[test]
fn what_is_still_in_the_trash_was_not_restored_whatever_the_daybook_says() {
    let read = |path: std::path::PathBuf| fs::read_to_string(path).unwrap_or_default();
    let world = undo_lost_with_the_power(false);
    let found = recovered(&world);
    assert_eq!((found.done, found.not_begun), (0, 2));
    assert_eq!(read(world.shelves.join("1 Boats/plan.txt")), "new");
    // All or nothing: what came back without what it made room for is followed by that.
    let world = undo_lost_with_the_power(true);
    let found = recovered(&world);
    assert_eq!((found.done, found.not_begun, found.finished), (2, 0, 1));
    assert_eq!(
        (read(world.pile("plan.txt")), read(world.shelves.join("1 Boats/plan.txt"))),
        ("new".into(), "old".into())
    );
}
