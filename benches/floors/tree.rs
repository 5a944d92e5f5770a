//! The trees on which everything is measured.

use std::fs;
use std::path::{Path, PathBuf};

/// What was made.
pub struct Made {
    pub files: usize,
    pub folders: usize,
}

/// Names with the extensions of a cluttered home folder.
const EXTENSIONS: [&str; 12] =
    ["jpg", "pdf", "txt", "png", "docx", "JPG", "csv", "md", "mp3", "zip", "html", "eml"];

/// A tree of small files, fourteen to a folder on average, up to six deep; a hundred lie loose.
pub fn make(root: &Path, files: usize) -> Made {
    fs::create_dir_all(root).expect("the root is made");
    let mut folders: Vec<(PathBuf, usize)> = vec![(root.to_owned(), 0)];
    let mut state = 0x2031_0407_u64;
    // A small generator (xorshift64, Marsaglia 2003), so that every run makes the same tree.
    let mut random = |below: usize| {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        (state % below as u64) as usize
    };
    while folders.len() < files / 14 {
        let (parent, depth) = folders[random(folders.len())].clone();
        if depth < 6 {
            let folder = parent.join(format!("folder {}", folders.len()));
            fs::create_dir(&folder).expect("a folder is made");
            folders.push((folder, depth + 1));
        }
    }
    for number in 0..files {
        let folder = if number < 100 { root } else { &folders[1 + random(folders.len() - 1)].0 };
        let name = format!("scan {number} of the ledger.{}", EXTENSIONS[random(EXTENSIONS.len())]);
        fs::write(folder.join(name), &b"Tern Quay"[..random(10)]).expect("a file is written");
    }
    Made { files, folders: folders.len() }
}

/// Two new folders, the first with so many empty files.
pub fn flat(world: &Path, files: usize) -> (PathBuf, PathBuf) {
    let (from, to) = (world.join("from"), world.join("to"));
    for folder in [&from, &to] {
        if folder.exists() {
            fs::remove_dir_all(folder).expect("the last round's folder is removed");
        }
        fs::create_dir(folder).expect("a folder is made");
    }
    for number in 0..files {
        fs::write(from.join(format!("letter {number}.txt")), b"").expect("a file is written");
    }
    (from, to)
}
