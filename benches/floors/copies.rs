//! Copies: a tree with many, a bare program that finds them, and ours.

use std::collections::{HashMap, HashSet};
use std::fs::{self, File};
use std::io::Read;
use std::os::unix::fs::{FileExt, MetadataExt};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};

use nine_core::copies::{Candidates, Meet, Side, Taken, groups};
use nine_core::moment::Moment;
use nine_stores::local::Counters;
use nine_stores::{Catalogue, HashSource, LocalStore, ReadStore, Scope, Watch, hash};

use crate::figures::{Figures, Pair, timed};
use crate::{Ground, bare as floor};

/// Bytes of a file's start that the bare program reads first.
const FIRST: usize = 16 * 1024;

/// Files of thirteen sizes from 1 KB to 4 MB, more small ones than large, a third of them copies of others, the rest of their
/// own although others share their sizes. Returns how many bytes they have.
pub fn make(root: &Path, files: usize) -> u64 {
    let mut state = 0x1884_0614_u64;
    let mut random = |below: u64| {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        state % below
    };
    let (mut all, mut made): (u64, Vec<(u64, u64)>) = (0, Vec::new());
    for number in 0..files {
        let folder = root.join(format!("folder {}", number / 50));
        fs::create_dir_all(&folder).expect("a folder is made");
        let (size, seed) = match number % 3 {
            0 if !made.is_empty() => made[random(made.len() as u64) as usize],
            // Many small ones and few large ones, a size in steps so that others share it.
            _ => (1024 << random(13).min(random(13)).min(random(13)), random(u64::MAX)),
        };
        made.push((size, seed));
        let mut bytes = vec![0; size as usize];
        let mut word = seed | 1;
        for block in bytes.chunks_mut(8) {
            word = word.wrapping_mul(0x5851_f42d_4c95_7f2d).wrapping_add(1);
            block.copy_from_slice(&word.to_le_bytes()[..block.len()]);
        }
        fs::write(folder.join(format!("file {number}")), &bytes).expect("a file is written");
        all += size;
    }
    all
}

/// The floor: sizes, then the first 16 KiB, then the whole with BLAKE3; two threads. Returns how many
/// files are copies, and how many bytes were read.
pub fn bare(root: &Path) -> (usize, u64) {
    let mut by_size: HashMap<u64, Vec<PathBuf>> = HashMap::new();
    let mut folders = vec![root.to_owned()];
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(folder).expect("a folder is read") {
            let entry = entry.expect("an entry");
            let meta = entry.metadata().expect("an entry is there");
            match meta.is_dir() {
                true => folders.push(entry.path()),
                false => by_size.entry(meta.size()).or_default().push(entry.path()),
            }
        }
    }
    let read = AtomicU64::new(0);
    let shared = |groups: Vec<Vec<PathBuf>>| -> Vec<PathBuf> {
        groups.into_iter().filter(|group| group.len() > 1).flatten().collect()
    };
    let files = shared(by_size.into_values().collect());
    let first = in_two(&files, |path, block| {
        let length =
            File::open(path).and_then(|file| file.read_at(&mut block[..FIRST], 0)).expect("it is read");
        read.fetch_add(length as u64, Ordering::Relaxed);
        (fs::metadata(path).expect("it is there").len(), blake3::hash(&block[..length]))
    });
    let mut by_first: HashMap<_, Vec<PathBuf>> = HashMap::new();
    files.iter().zip(first).for_each(|(path, key)| by_first.entry(key).or_default().push(path.clone()));
    let files = shared(by_first.into_values().collect());
    let whole = in_two(&files, |path, block| {
        let mut file = File::open(path).expect("it opens");
        let mut hasher = blake3::Hasher::new();
        loop {
            match file.read(block).expect("it is read") {
                0 => break hasher.finalize(),
                length => {
                    read.fetch_add(length as u64, Ordering::Relaxed);
                    hasher.update(&block[..length]);
                }
            }
        }
    });
    let mut same: HashMap<_, usize> = HashMap::new();
    whole.iter().for_each(|digest| *same.entry(*digest).or_default() += 1);
    (same.values().filter(|many| **many > 1).sum(), read.into_inner())
}

/// Works at files with two threads; the answers come in the order of the files.
fn in_two<T: Send>(files: &[PathBuf], work: impl Fn(&Path, &mut [u8]) -> T + Sync) -> Vec<T> {
    let next = AtomicUsize::new(0);
    let worker = || {
        let (mut block, mut out) = (vec![0; 256 * 1024], Vec::new());
        loop {
            let at = next.fetch_add(1, Ordering::Relaxed);
            let Some(path) = files.get(at) else { return out };
            out.push((at, work(path, &mut block)));
        }
    };
    let mut all: Vec<(usize, T)> = std::thread::scope(|scope| {
        let workers: Vec<_> = (0..2).map(|_| scope.spawn(worker)).collect();
        workers.into_iter().flat_map(|worker| worker.join().expect("a worker ends")).collect()
    });
    all.sort_by_key(|(at, _)| *at);
    all.into_iter().map(|(_, answer)| answer).collect()
}

/// A place in which copies are looked for.
pub struct Place {
    store: LocalStore,
    counters: Arc<Counters>,
    at: i64,
}

impl Place {
    pub fn new(root: &Path) -> Self {
        let (store, counters) = super::look::open(root);
        Self { store, counters, at: super::look::settled() }
    }

    /// Scans, reads what is in question and not in the catalogue, and keeps it. Returns how many files
    /// are copies, and how many bytes were read.
    pub fn copies(&mut self, file: &Path) -> (usize, u64) {
        self.at += 1;
        let at = Moment::from_unix(self.at, 0);
        let (mut catalogue, _) = Catalogue::open(file).expect("the catalogue opens");
        let address = self.store.address();
        let (mut tree, carried) = super::look::scan_with(&self.store, &Scope::default(), &catalogue, at);
        let candidates = Candidates::unread_of(&[&tree], |_| Some(Side::Asked), Meet::Any, HashSet::new());
        let mut sources = [HashSource { store: Some(&self.store), tree: &mut tree }];
        hash(&mut sources, &candidates, &Watch::default());
        let found = groups(&[&tree], Taken::default(), |_, _| false);
        catalogue.keep(&address, &tree, at, carried).expect("the catalogue is written");
        let many = found.iter().map(|group| group.items.len()).sum();
        (many, self.counters.bytes.swap(0, Ordering::Relaxed))
    }
}

/// The digest of a large file, read in blocks of so many bytes.
pub fn in_blocks(path: &Path, block: usize) -> blake3::Hash {
    let mut file = File::open(path).expect("it opens");
    let (mut hasher, mut block) = (blake3::Hasher::new(), vec![0; block]);
    loop {
        match file.read(&mut block).expect("it is read") {
            0 => return hasher.finalize(),
            length => hasher.update(&block[..length]),
        };
    }
}

/// The same, with the whole file mapped.
pub fn mapped(path: &Path) -> blake3::Hash {
    let mut hasher = blake3::Hasher::new();
    hasher.update_mmap(path).expect("it is mapped");
    hasher.finalize()
}

/// Copies: found for the first time, and again; and a large file read in two ways.
pub fn section(figures: &mut Figures, ground: &Ground) {
    let (root, files) = (ground.folder("copies"), ground.files / 20);
    let bytes = make(&root, files);
    figures.begin(&format!("A tree of {files} files with {} MB, a third of them copies", bytes / 1_000_000));
    let (mut place, file) = (Place::new(&root), ground.root.join("copies.sqlite"));
    crate::look::forget(&file);
    let ((found, least), (ours, read)) = (bare(&root), place.copies(&file));
    assert_eq!(found, ours, "both find the same");
    figures.at_most("copies, bytes read of what must be", read as f64 / least as f64, 1.05, "");
    let first = Pair::measure(
        || timed(|| bare(&root)),
        || {
            crate::look::forget(&file);
            timed(|| place.copies(&file))
        },
    );
    figures.ratio("copies, first run", "bare: size, 16 KiB, whole", Some(1.2), &first);
    figures.at_most("copies, second run: bytes read", place.copies(&file).1 as f64, 0.0, "");
    let again = Pair::measure(|| timed(|| floor::walk(&root)), || timed(|| place.copies(&file)));
    figures.ratio("copies, second run", "bare walk, 2 threads", Some(1.5), &again);
    let large = ground.root.join("large");
    std::fs::write(&large, vec![7; 512 << 20]).expect("a large file is written");
    for block in [64 << 10, 256 << 10, 1 << 20] {
        let pair = Pair::measure(|| timed(|| mapped(&large)), || timed(|| in_blocks(&large, block)));
        figures.ratio(&format!("512 MiB in blocks of {} KiB", block >> 10), "mapped", None, &pair);
    }
    std::fs::remove_file(large).expect("the large file goes");
}
