//! The power fails: what was never flushed to the disks is gone. The program is stopped at a moment, the files behind
//! the disks are copied as they are then, and the copies take their place.
//!
//! It needs root, loop devices and `mkfs.ext4`; elsewhere it says that it was left out.

use std::process::{Child, Stdio};
use std::time::{Duration, Instant};

use rustix::process::{Pid, Signal, kill_process};

use super::scenes::{Before, SCENES, Scene, is_long, set_in};
use super::support::World;

/// How many disks there are, and whether the data folder is on the last one.
const LAYOUTS: [(usize, bool); 3] = [(1, false), (2, false), (2, true)];

fn spawn(world: &World, words: &[&str]) -> Child {
    world.command(words).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap()
}

/// Waits, and takes the power away. Says whether the program was still at work.
fn cut(world: &mut World, mut child: Child, after: Duration) -> bool {
    std::thread::sleep(after);
    let pid = Pid::from_child(&child);
    let _ = kill_process(pid, Signal::STOP);
    let was_at_work = child.try_wait().unwrap().is_none();
    let copies: Vec<_> = world.disks.iter().map(|disk| disk.copy_of_what_is_flushed().unwrap()).collect();
    let _ = child.kill();
    child.wait().unwrap();
    for (disk, copy) in world.disks.iter_mut().zip(copies) {
        disk.put_in(&copy).unwrap();
    }
    was_at_work
}

/// The scene's world on such disks, all of it flushed.
fn ready(scene: &Scene, (number, data_last): (usize, bool)) -> Option<(World, Before)> {
    let world = World::on_disks(number, data_last)
        .inspect_err(|error| eprintln!("loss of power: left out, since no disk can be mounted here: {error}"))
        .ok()?;
    let set = set_in(world, scene);
    rustix::fs::sync();
    Some(set)
}

/// A share of a whole, well spread, and the same each time.
fn share(whole: Duration, nth: usize) -> Duration {
    whole.mul_f64((nth as f64 * 0.618_033_988_749_895).fract())
}

fn run(scene: &Scene) {
    let times = if is_long() { 40 } else { 2 };
    let (mut cases, mut at_work) = (0, 0);
    for layout in LAYOUTS {
        let Some((world, _)) = ready(scene, layout) else { return };
        let start = Instant::now();
        assert!(world.command(scene.words).output().unwrap().status.success());
        let whole = start.elapsed();
        drop(world);
        for nth in 1..=times {
            let Some((mut world, before)) = ready(scene, layout) else { return };
            let child = spawn(&world, scene.words);
            at_work += usize::from(cut(&mut world, child, share(whole, nth)));
            let mut case = format!("power lost, disks {layout:?}, moment {nth}");
            if nth % 2 == 0 {
                // Once more while that is looked after.
                let child = spawn(&world, &["history"]);
                cut(&mut world, child, share(whole / 4, nth));
                case += ", and again in recovery";
            }
            // That a folder was made may be lost too, and then it stays.
            scene.holds_but(&world, &before, &case, true);
            cases += 1;
        }
    }
    assert!(at_work > 0, "{}: the program was never at work", scene.name);
    eprintln!("loss of power: {}: {cases} times, {at_work} of them at work", scene.name);
}

fn run_all(names: &[&str]) {
    for name in names {
        run(SCENES.iter().find(|scene| scene.name == *name).expect("there is such a scene"));
    }
}

#[test]
fn tidy_and_undo() {
    run_all(&["tidy across file systems", "undo across file systems"]);
}

#[test]
fn archive_and_discard() {
    run_all(&["archive across file systems", "discard on two file systems", "merge of two folders"]);
}

#[test]
fn packs() {
    run_all(&["pack as tar.zst", "retrieve from a pack", "undo of a pack"]);
}
