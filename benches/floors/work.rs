//! The program's own work, through the same calls that its commands make.

use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::Ordering;

use nine_carry::daybook::{Heading, Writer};
use nine_carry::{Carrier, facts};
use nine_core::item::Entry;
use nine_core::place::{ItemPath, NameBuf, Spot};
use nine_core::worklist::{Act, Step, Worklist, check};
use nine_stores::local::{Counters, LocalSettings};
use nine_stores::{LocalStore, Places, ReadStore, Scope, Watch};

use crate::figures::{Figures, Pair, timed};
use crate::{Ground, bare, program, tree};

fn store(at: &Path) -> LocalStore {
    counted(at, &Arc::default())
}

fn counted(at: &Path, counters: &Arc<Counters>) -> LocalStore {
    let settings = LocalSettings {
        believes_births: true,
        home_trash: at.join("Trash"),
        one_trash: true,
        reads_mounts: true,
        counters: Arc::clone(counters),
    };
    LocalStore::open(at, settings).expect("the place opens")
}

/// Reads a place into a tree.
pub fn scan(pile: &Path) -> usize {
    store(pile).scan(&Scope::default(), &Watch::default()).expect("the pile is read").tree.len()
}

/// The steps that move everything in one folder into another.
pub fn moves(from: &Path, to: &Path) -> (Places, Worklist) {
    let mut places = Places::default();
    places.add("from", Arc::new(store(from)));
    places.add("to", Arc::new(store(to)));
    moves_between(places)
}

/// The steps that move everything in the place `from` into the place `to`.
pub fn moves_between(places: Places) -> (Places, Worklist) {
    let from = Spot::new("from", ItemPath::root());
    let listed = places.of(&from).and_then(|source| source.list(&from.path)).expect("the folder is read");
    let step = |(name, entry): (NameBuf, Entry)| {
        let path = ItemPath::root().join(&name);
        Step {
            act: Act::Move { to: Spot::new("to", path.clone()) },
            item: Spot::new("from", path),
            kind: entry.kind,
            stamp: entry.stamp(),
            size: entry.size,
            modified: entry.modified,
            why: "bench".into(),
            doubts: Vec::new(),
            together: None,
        }
    };
    (places, Worklist { steps: listed.into_iter().map(step).collect() })
}

/// Carries out the steps with all that the promises ask for: check, daybook, moves, syncs.
pub fn carry(places: &Places, worklist: &Worklist, data: &Path) -> usize {
    let checked = check(worklist, &facts(places, worklist, Default::default()));
    let steps: Vec<Step> = checked.order.iter().map(|at| worklist.steps[*at].clone()).collect();
    let clock = jiff::ZonedDateTime::now;
    let heading = Heading::new("bench", None, places);
    let mut daybook = Writer::begin(data, &heading, steps.iter(), &clock).expect("the daybook opens");
    let (watch, mut progress) = (Watch::default(), |_| {});
    let mut carrier = Carrier::new(places, &mut daybook, &watch, &clock, &mut progress);
    let outcome = carrier.carry(&steps, &[]).expect("the daybook is written");
    daybook.end(&clock).expect("the daybook is written");
    assert_eq!(outcome.done(), steps.len());
    outcome.done()
}

/// The rules of a deep tidy: nearly three files in ten are filed.
const RULES: &str = "[[rule]]\nreach = \"deep\"\nwhen = \"type document and name has ledger\"\n\
    put = \"1/{modified:year}\"\n\n[[rule]]\nreach = \"deep\"\nwhen = \"type image and size under 5\"\n\
    put = \"2/{stem:initial}\"\n";

/// A deep tidy by the program, from its start to its end: scanned, planned, checked, shown into a file.
pub fn tidy(figures: &mut Figures, ground: &Ground) {
    let (pile, home) = (ground.tree(), ground.folder("tidy"));
    figures.begin(&format!("A deep tidy of {} files", ground.files));
    program::configure(&home, pile, RULES);
    let (words, shown) = (["tidy", "pile"], ground.root.join("preview.txt"));
    let walk = || timed(|| bare::walk(pile));
    let pair = Pair::measure(walk, || program::run_into(ground.program(), &home, &words, &shown));
    let steps = std::fs::read_to_string(&shown).expect("a preview").lines().count();
    figures.ratio(&format!("tidy, deep: {steps} lines shown"), "bare walk, 2 threads", Some(4.0), &pair);
    let most = program::peak_memory(ground.program(), &home, &words);
    let scan = program::peak_memory(ground.program(), &home, &["search", "--in", "pile", "name is nothing"]);
    let a_step = most.saturating_sub(scan) as f64 / steps.max(1) as f64;
    figures.at_most("tidy, deep: memory a step", a_step.round(), 1024.0, "B");
}

/// Moves within one file system.
pub fn section(figures: &mut Figures, ground: &Ground) {
    let moves = ground.moves;
    figures.begin(&format!("{moves} moves within one file system"));
    let mut syncs = 0;
    let renames = Pair::measure(
        || {
            let (from, to) = tree::flat(&ground.root, moves);
            timed(|| bare::renames(&from, &to))
        },
        || {
            let (from, to) = tree::flat(&ground.root, moves);
            let data = ground.folder("data");
            let counters = Arc::new(Counters::default());
            let mut places = Places::default();
            places.add("from", Arc::new(counted(&from, &counters)));
            places.add("to", Arc::new(counted(&to, &counters)));
            let (places, worklist) = moves_between(places);
            let time = timed(|| carry(&places, &worklist, &data));
            syncs = counters.syncs.load(Ordering::Relaxed);
            std::fs::remove_dir_all(data).expect("the daybook is removed");
            time
        },
    );
    figures.ratio("carry: check, daybook, moves", "bare no-replace renames", Some(1.5), &renames);
    let most = (2 + 2 + moves / 1024) as f64;
    figures.at_most("carry: syncs of folders and files", syncs as f64, most, "");
}
