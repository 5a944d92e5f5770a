//! Copies that are discarded: only while what stays holds the same, and never the last.

mod support;

use std::fs;
use std::io::Write;

use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Original, Step};
use nine_stores::Watch;
use support::World;

fn spot(path: &str) -> Spot {
    Spot::new("pile", ItemPath::new(path).unwrap())
}

/// A step that discards one thing as a copy of another.
fn discard(world: &World, item: &str, original: &str) -> Step {
    let places = world.places();
    let entry = |path: &str| {
        let spot = spot(path);
        places.of(&spot).unwrap().entry(&spot.path).unwrap().unwrap()
    };
    let (copy, stays) = (entry(item), entry(original));
    Step {
        act: Act::Discard { copy_of: Some(Original { item: spot(original), stamp: stays.stamp() }) },
        item: spot(item),
        kind: copy.kind,
        stamp: copy.stamp(),
        size: copy.size,
        modified: copy.modified,
        why: "a copy".into(),
        doubts: Vec::new(),
        together: None,
    }
}

/// Why it was refused; nothing if it was done.
fn carried(world: &World, step: Step) -> Option<String> {
    let (_, outcome) = world.carry_steps(&[step], None, &Watch::default());
    outcome.failed.first().map(|failed| failed.because.clone())
}

#[test]
fn a_copy_goes_and_comes_back_with_its_run() {
    let world = World::new();
    world.write("a", "the same");
    world.write("b", "the same");
    let before = world.picture();
    let (run, outcome) = world.carry_steps(&[discard(&world, "b", "a")], None, &Watch::default());
    assert_eq!((outcome.done(), outcome.failed.len()), (1, 0));
    assert!(world.pile("a").exists() && !world.pile("b").exists());
    // What the daybook tells of the step is all of it.
    assert_eq!(world.run(run).steps[0].original().unwrap().item, spot("a"));
    world.undo(run);
    assert_eq!(world.picture(), before);
}

#[test]
fn a_copy_stays_if_its_original_is_gone_changed_or_other() {
    let refused = |change: &dyn Fn(&World)| {
        let world = World::new();
        world.write("a", "the same");
        world.write("b", "the same");
        let step = discard(&world, "b", "a");
        change(&world);
        let because = carried(&world, step).expect("it must be refused");
        assert!(world.pile("b").exists());
        because
    };
    let gone = "what stays in its place, pile/a, is gone or has changed";
    assert_eq!(refused(&|world| fs::remove_file(world.pile("a")).unwrap()), gone);
    assert_eq!(refused(&|world| fs::write(world.pile("a"), "other").unwrap()), gone);
    // Other bytes behind the same size and time.
    let sly = |world: &World| {
        let modified = fs::metadata(world.pile("a")).unwrap().modified().unwrap();
        let mut file = fs::File::options().write(true).open(world.pile("a")).unwrap();
        file.write_all(b"THE").unwrap();
        file.set_modified(modified).unwrap();
    };
    assert_eq!(refused(&sly), "it does not hold the same bytes as pile/a");
    assert_eq!(
        refused(&|world| fs::write(world.pile("b"), "new").unwrap()),
        "it does not hold the same bytes as pile/a"
    );
}

#[test]
fn a_folder_goes_only_if_all_that_is_in_it_is_in_the_other() {
    let lay_out = || {
        let world = World::new();
        for folder in ["a", "b"] {
            world.write(&format!("{folder}/1.jpg"), "one");
            world.write(&format!("{folder}/sub/2.jpg"), "two");
        }
        world
    };
    let world = lay_out();
    assert_eq!(carried(&world, discard(&world, "b", "a")), None);
    assert!(!world.pile("b").exists() && world.pile("a/sub/2.jpg").exists());
    let other = Some("it does not hold the same bytes as pile/a".to_owned());
    for change in ["b/sub/3.jpg", "b/sub/2.jpg", "a/sub/2.jpg", "b/sub/deep/empty"] {
        let world = lay_out();
        let step = discard(&world, "b", "a");
        world.write(change, "new");
        assert_eq!(carried(&world, step), other, "{change}");
        assert!(world.pile("b/1.jpg").exists());
    }
}
