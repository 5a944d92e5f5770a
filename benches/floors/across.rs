//! Moves from one file system to another, against `cp` and a sync.

use std::path::{Path, PathBuf};
use std::process::Command;

use rustix::fs::stat;

use crate::figures::{Figures, Pair, timed};
use crate::{Ground, work};

/// A file system that is another than that of the temporary folder: one in memory.
const OTHER: &str = "/dev/shm";

pub fn section(figures: &mut Figures, ground: &Ground) {
    let device = |path: &Path| stat(path).map(|found| found.st_dev).ok();
    if device(Path::new(OTHER)).is_none() || device(Path::new(OTHER)) == device(&ground.root) {
        return figures.begin("No second file system here: moves across are not measured");
    }
    let other = tempfile::tempdir_in(OTHER).expect("a temporary folder");
    figures.begin("Moves from one file system to another");
    for (what, files, size, goal) in [("small", 5_000, 6_000, 1.8), ("large", 6, 64 << 20, 3.0)] {
        let (from, to) = (other.path().join("from"), ground.folder("to"));
        let floor = || {
            anew(&from, &to, files, size);
            timed(|| {
                run(Command::new("cp").arg("-a").arg(&from).arg(&to));
                run(Command::new("sync").arg("-f").arg(&to));
            })
        };
        let ours = || {
            anew(&from, &to, files, size);
            let data = ground.folder("data");
            let (places, worklist) = work::moves(&from, &to);
            let time = timed(|| work::carry(&places, &worklist, &data));
            std::fs::remove_dir_all(data).expect("the daybook is removed");
            time
        };
        let pair = Pair::measure(floor, ours);
        figures.ratio(&format!("across: {files} {what} files"), "cp and a sync", Some(goal), &pair);
    }
}

/// Two folders anew, the first with so many files of so many bytes.
fn anew(from: &PathBuf, to: &PathBuf, files: usize, size: usize) {
    for folder in [from, to] {
        let _ = std::fs::remove_dir_all(folder);
        std::fs::create_dir(folder).expect("a folder is made");
    }
    let bytes: Vec<u8> = (0..size).map(|at| (at * 31 % 251) as u8).collect();
    for number in 0..files {
        std::fs::write(from.join(format!("letter {number}.txt")), &bytes).expect("a file is written");
    }
    run(Command::new("sync").arg("-f").arg(to));
}

fn run(command: &mut Command) {
    assert!(command.status().expect("it starts").success());
}
