//! The floors: what cannot be left out, and nothing else.

use std::mem::MaybeUninit;
use std::path::{Path, PathBuf};
use std::sync::{Condvar, Mutex};

use rustix::fs::{
    AtFlags, CWD, FileType, Mode, OFlags, RawDir, RenameFlags, StatxFlags, lgetxattr, open, openat,
    renameat_with, statx,
};

/// How the names of notes end, in our trees.
const NOTES: [&[u8]; 2] = [b".txt", b".md"];

struct Queue {
    folders: Vec<PathBuf>,
    busy: usize,
}

/// Walks a tree with two threads: `getdents64`, and one `statx` an entry. Returns how many there are.
pub fn walk(root: &Path) -> u64 {
    walk_and(root, false)
}

/// The same, and one `getxattr` an entry; notes, which have tags inside, are opened, read and closed.
pub fn walk_with_tags(root: &Path) -> u64 {
    walk_and(root, true)
}

fn walk_and(root: &Path, tags: bool) -> u64 {
    let queue = Mutex::new(Queue { folders: vec![root.to_owned()], busy: 0 });
    let more = Condvar::new();
    std::thread::scope(|scope| {
        let walkers: Vec<_> = (0..2).map(|_| scope.spawn(|| walker(&queue, &more, tags))).collect();
        walkers.into_iter().map(|walker| walker.join().expect("a walker ends")).sum()
    })
}

fn walker(queue: &Mutex<Queue>, more: &Condvar, tags: bool) -> u64 {
    let mut value = [0; 1024];
    let mut block = vec![MaybeUninit::uninit(); 64 * 1024];
    let mut seen = 0;
    loop {
        let mut waiting = queue.lock().expect("no walker panicked");
        let folder = loop {
            if let Some(folder) = waiting.folders.pop() {
                waiting.busy += 1;
                break folder;
            }
            if waiting.busy == 0 {
                return seen;
            }
            waiting = more.wait(waiting).expect("no walker panicked");
        };
        drop(waiting);
        let mut found = Vec::new();
        let open = open(&folder, OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC, Mode::empty())
            .expect("a folder opens");
        let mut names = RawDir::new(&open, &mut block);
        while let Some(name) = names.next() {
            let name = name.expect("a name is read");
            let bytes = name.file_name().to_bytes();
            if bytes == b"." || bytes == b".." {
                continue;
            }
            let wanted = StatxFlags::BASIC_STATS | StatxFlags::BTIME;
            let facts =
                statx(&open, name.file_name(), AtFlags::SYMLINK_NOFOLLOW, wanted).expect("an entry is there");
            seen += 1;
            if tags {
                let path = folder.join(std::str::from_utf8(bytes).expect("our names are UTF-8"));
                let _ = std::hint::black_box(lgetxattr(&path, "user.xdg.tags", &mut value[..]));
                if facts.stx_size > 0 && NOTES.iter().any(|ending| bytes.ends_with(ending)) {
                    std::hint::black_box(std::fs::read(&path).expect("a note is read"));
                }
            }
            if FileType::from_raw_mode(facts.stx_mode.into()) == FileType::Directory {
                found.push(folder.join(std::str::from_utf8(bytes).expect("our names are UTF-8")));
            }
        }
        let mut waiting = queue.lock().expect("no walker panicked");
        waiting.busy -= 1;
        waiting.folders.extend(found);
        more.notify_all();
    }
}

/// Moves everything in one folder into another, never onto a name that is taken.
pub fn renames(from: &Path, to: &Path) -> usize {
    let flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::CLOEXEC;
    let source = openat(CWD, from, flags, Mode::empty()).expect("the folder opens");
    let target = openat(CWD, to, flags, Mode::empty()).expect("the folder opens");
    let names: Vec<_> = std::fs::read_dir(from)
        .expect("the folder is read")
        .map(|e| e.expect("an entry").file_name())
        .collect();
    for name in &names {
        renameat_with(&source, name, &target, name, RenameFlags::NOREPLACE).expect("a free name");
    }
    names.len()
}
