//! Folders made and texts written anew by a run, and taken back.

mod support;

use std::fs;

use nine_carry::facts;
use nine_core::place::Spot;
use nine_core::worklist::{Act, Step, Worklist, check};
use nine_stores::Watch;
use support::World;

fn spot(text: &str) -> Spot {
    Spot::parse(text).unwrap()
}

/// Two folders, one in the other, a new text in it, and one that is there changed.
fn steps(world: &World) -> Vec<Step> {
    let steps = vec![
        Step::make(spot("home/4 New")),
        Step::make(spot("home/4 New/Inner")),
        Step::write(spot("home/4 New/Inner/note.txt"), None, None, "a note\n".into()),
        Step::write(spot("home/settings.txt"), None, Some("a\nb\nc\n".into()), "a\nB\nc\n".into()),
    ];
    let worklist = Worklist { steps };
    let checked = check(&worklist, &facts(&world.places(), &worklist, Default::default()));
    assert!(checked.refused.is_empty(), "{:?}", checked.refused);
    checked.order.iter().map(|at| worklist.steps[*at].clone()).collect()
}

fn made() -> (World, u64) {
    let world = World::new();
    fs::write(world.shelves.join("settings.txt"), "a\nb\nc\n").unwrap();
    let (run, outcome) = world.carry_steps(&steps(&world), None, &Watch::default());
    assert_eq!((outcome.done(), outcome.failed.len()), (4, 0), "{outcome:?}");
    assert_eq!(fs::read_to_string(world.shelves.join("settings.txt")).unwrap(), "a\nB\nc\n");
    assert_eq!(fs::read_to_string(world.shelves.join("4 New/Inner/note.txt")).unwrap(), "a note\n");
    (world, run)
}

#[test]
fn a_run_that_makes_and_writes_is_taken_back_whole() {
    let (world, run) = made();
    let (plan, outcome) = world.undo(run);
    assert_eq!((plan.refused.len(), outcome.failed.len()), (0, 0), "{plan:?} {outcome:?}");
    assert_eq!(fs::read_to_string(world.shelves.join("settings.txt")).unwrap(), "a\nb\nc\n");
    assert!(!world.shelves.join("4 New").exists());
    assert!(world.undo(run).0.worklist.steps.is_empty());
    // And the undo itself.
    let undone = world.run(run + 1);
    assert!(undone.steps.iter().any(|step| step.act == Act::Unmake));
    world.undo(run + 1);
    assert_eq!(fs::read_to_string(world.shelves.join("settings.txt")).unwrap(), "a\nB\nc\n");
    assert_eq!(fs::read_to_string(world.shelves.join("4 New/Inner/note.txt")).unwrap(), "a note\n");
}

#[test]
fn what_others_put_there_since_stays() {
    let (world, run) = made();
    fs::write(world.shelves.join("4 New/Inner/theirs.txt"), "theirs").unwrap();
    fs::write(world.shelves.join("settings.txt"), "a\nB\nc\ntheirs\n").unwrap();
    let (plan, _) = world.undo(run);
    let refused: Vec<String> = plan.refused.iter().map(|(spot, why)| format!("{spot}: {why}")).collect();
    let held = "it holds other things by now";
    assert_eq!(refused, [format!("home/4 New/Inner: {held}"), format!("home/4 New: {held}")]);
    assert_eq!(fs::read_to_string(world.shelves.join("settings.txt")).unwrap(), "a\nb\nc\ntheirs\n");
    assert!(world.shelves.join("4 New/Inner/theirs.txt").exists());
    assert!(!world.shelves.join("4 New/Inner/note.txt").exists());
}

#[test]
fn a_text_whose_lines_were_changed_since_is_told_and_left() {
    let (world, run) = made();
    fs::write(world.shelves.join("settings.txt"), "a\nmine\nc\n").unwrap();
    let (plan, _) = world.undo(run);
    assert_eq!(plan.refused[0].1, "the same lines of it have been changed since");
    assert_eq!(fs::read_to_string(world.shelves.join("settings.txt")).unwrap(), "a\nmine\nc\n");
}

#[test]
fn a_text_that_somebody_changed_since_the_plan_is_not_written() {
    let world = World::new();
    fs::write(world.shelves.join("settings.txt"), "a\nb\nc\n").unwrap();
    let steps = steps(&world);
    fs::write(world.shelves.join("settings.txt"), "theirs\n").unwrap();
    fs::create_dir_all(world.shelves.join("4 New/Inner")).unwrap();
    fs::write(world.shelves.join("4 New/Inner/note.txt"), "theirs").unwrap();
    let (run, outcome) = world.carry_steps(&steps, None, &Watch::default());
    let because: Vec<&str> = outcome.failed.iter().map(|failed| failed.because.as_str()).collect();
    assert_eq!(because, ["the name is taken", "it has changed since this was planned"]);
    assert_eq!(fs::read_to_string(world.shelves.join("settings.txt")).unwrap(), "theirs\n");
    // Folders that somebody else made meanwhile are not taken away.
    let (plan, _) = world.undo(run);
    assert!(plan.worklist.steps.is_empty() && world.shelves.join("4 New/Inner/note.txt").exists());
}
