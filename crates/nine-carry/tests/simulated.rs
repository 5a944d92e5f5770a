//! Random worklists carried out on simulated disks, while others save, rename, make and take away things, disks go
//! away and come back under other numbers, the program is killed, and the power fails: nothing of anybody's is lost,
//! after recovery nothing is there twice, and undo gives the first tree but for what others changed.

#[path = "simulated/disk.rs"]
mod disk;
#[path = "simulated/store.rs"]
mod store;

use std::collections::BTreeMap;
use std::panic::AssertUnwindSafe;
use std::path::Path;

use nine_carry::daybook::{self, Heading, Run, Writer};
use nine_carry::{Carrier, Outcome, Patience, facts, lock, open_runs, plan_undo, recover};
use nine_core::item::Kind;
use nine_core::place::{ItemPath, Name, Spot};
use nine_core::worklist::{Act, Step, Worklist, check};
use nine_stores::{Places, Watch};
use proptest::prelude::*;

use disk::{Disk, Node};
use store::{Event, Hand, KILLED, Shared, SimStore, World, held};

fn clock() -> jiff::ZonedDateTime {
    "2031-04-07T09:00:00+00:00[UTC]".parse().unwrap()
}

fn path(text: &str) -> ItemPath {
    ItemPath::new(text).unwrap()
}

/// What is laid out: files loose and in folders of the pile.
const FILES: [&str; 7] =
    ["a.txt", "b.txt", "c.txt", "box/d.txt", "box/e.txt", "box/deep/f.txt", "crate/g.txt"];

/// What is done with an item of the pile.
#[derive(Debug, Clone, Copy)]
enum Wish {
    Move,
    TagAndMove,
    Copy,
    Discard,
    Leave,
}

#[derive(Debug, Clone)]
struct Case {
    wishes: Vec<Wish>,
    /// Whether the bookcase is on another disk than the pile.
    is_across: bool,
    /// Whether the folder that they go to is there already.
    is_there: bool,
    events: Vec<(usize, Event)>,
    /// Where the program is killed, and whether the power fails with it.
    killed: Option<(usize, bool)>,
    /// The same while it recovers.
    killed_again: Option<usize>,
    choices: [usize; 3],
}

fn world(case: &Case) -> Shared {
    let mut disks = vec![Disk::new(11), Disk::new(22)];
    let folder = || Node {
        kind: Kind::Folder,
        bytes: Vec::new(),
        modified: 5,
        tags: Vec::new(),
        children: BTreeMap::new(),
    };
    disks[0].make(&path("pile"), folder()).unwrap();
    disks[usize::from(case.is_across)].make(&path("shelves"), folder()).unwrap();
    if case.is_there {
        disks[usize::from(case.is_across)].make(&path("shelves/2 Loans"), folder()).unwrap();
    }
    for (number, file) in FILES.iter().enumerate() {
        let at = path("pile").join_path(&path(file));
        let mut above = ItemPath::root();
        for part in at.parent().unwrap().parts() {
            above = above.join(part);
            let _ = disks[0].make(&above, folder());
        }
        let bytes = format!("content of {file}").into_bytes();
        let node = Node { kind: Kind::File, bytes, modified: 100 + number as i64, ..folder() };
        disks[0].make(&at, node).unwrap();
    }
    disks.iter_mut().for_each(Disk::sync);
    let world = World {
        disks,
        steps: 0,
        events: Vec::new(),
        saved: Vec::new(),
        disturbed: Vec::new(),
        removed: Vec::new(),
        made: 0,
        renamed_folder: false,
        spoils: false,
    };
    Shared::new(std::sync::Mutex::new(world))
}

fn places(world: &Shared, case: &Case) -> Places {
    let mut places = Places::default();
    let away: Vec<bool> = held(world).disks.iter().map(|disk| disk.is_away).collect();
    for (name, disk, root) in [("pile", 0, "pile"), ("home", usize::from(case.is_across), "shelves")] {
        match away[disk] {
            false => places.add(name, SimStore::new(world, disk, path(root))),
            true => places.take_away(name, "the disk is gone"),
        }
    }
    places
}

/// The steps of the wishes, one for each item that lies loose.
fn steps(world: &Shared, case: &Case) -> Vec<Step> {
    let world = held(world);
    let loose = world.disks[0].list(&path("pile")).unwrap();
    let mut steps = Vec::new();
    for ((name, entry), wish) in loose.into_iter().zip(&case.wishes) {
        let item = Spot::new("pile", ItemPath::root().join(Name::new(name.as_ref()).unwrap()));
        let to = Spot::new("home", path("2 Loans").join(Name::new(name.as_ref()).unwrap()));
        let step = |act: Act| Step {
            act,
            item: item.clone(),
            kind: entry.kind,
            stamp: entry.stamp(),
            size: entry.size,
            modified: entry.modified,
            why: "wish".into(),
            doubts: Vec::new(),
            together: None,
        };
        let tag = || Act::Tag { from: Vec::new(), to: vec!["seen".into()] };
        match wish {
            Wish::Move => steps.push(step(Act::Move { to })),
            Wish::TagAndMove => steps.extend([step(tag()), step(Act::Move { to })]),
            Wish::Copy => steps.push(step(Act::Copy { to })),
            Wish::Discard => steps.push(step(Act::discard())),
            Wish::Leave => {}
        }
    }
    steps
}

/// Carries steps out; `None` if the program was killed.
fn carry(data: &Path, places: &Places, steps: &[Step], undoes: Option<u64>) -> Option<Outcome> {
    let _lock = lock(data, "test").unwrap().unwrap();
    let watch = Watch::default();
    let ran = std::panic::catch_unwind(AssertUnwindSafe(|| {
        let heading = Heading::new("test", undoes, places);
        let mut writer = Writer::begin(data, &heading, steps.iter(), &clock).unwrap();
        let mut quiet = |_| {};
        let outcome =
            Carrier::new(places, &mut writer, &watch, &clock, &mut quiet).carry(steps, &[]).unwrap();
        if !outcome.is_open {
            writer.end(&clock).unwrap();
        }
        outcome
    }));
    ran.map_err(|why| assert_eq!(why.downcast_ref::<&str>(), Some(&KILLED), "a panic of another kind")).ok()
}

/// The daybook after a loss of power: what was synced, and some of the rest.
fn cut_daybook(data: &Path, run: u64, choice: usize) {
    let file = daybook::file(data, run);
    let Ok(bytes) = std::fs::read(&file) else { return };
    let text = String::from_utf8(bytes).unwrap();
    let synced_lines = ["\"line\":\"planned\"", "\"line\":\"pieces\"", "\"line\":\"copied\""];
    let is_synced = |line: &str| synced_lines.iter().any(|synced| line.contains(synced));
    let mut at = 0;
    let mut synced = 0;
    for line in text.split_inclusive('\n') {
        at += line.len();
        if is_synced(line) {
            synced = at;
        }
    }
    let kept = synced + choice % (text.len() - synced + 1);
    std::fs::write(&file, &text.as_bytes()[..kept]).unwrap();
}

/// Recovers what is open; says whether the program was not killed meanwhile.
fn recovered(data: &Path, world: &Shared, case: &Case) -> bool {
    let ran = std::panic::catch_unwind(AssertUnwindSafe(|| {
        let held = lock(data, "test").unwrap().unwrap();
        for run in open_runs(data).unwrap() {
            let open = |_: &Run| places(world, case);
            recover(data, &held, run, &open, Patience::Waits, &clock).unwrap();
        }
    }));
    ran.is_ok()
}

/// Every content of the person's, how often it is there, and where.
fn contents(world: &Shared) -> BTreeMap<String, Vec<String>> {
    let world = held(world);
    let mut found: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for (number, disk) in world.disks.iter().enumerate() {
        for (at, id) in disk.all().into_iter().filter(|(_, id)| disk.node(*id).kind == Kind::File) {
            let content = String::from_utf8(disk.node(id).bytes.clone()).unwrap();
            found.entry(content).or_default().push(format!("{number}:{at}"));
        }
    }
    found
}

/// What must hold once all is recovered: of each content at least one is there, and of those that nobody had a hand in
/// exactly one, or two where a copy was wanted; no name of ours is left.
fn nothing_is_lost_or_twice(world: &Shared, case: &Case, when: &str) {
    let found = contents(world);
    let copied = |file: &str| {
        let loose: Vec<&str> = ["a.txt", "b.txt", "box", "c.txt", "crate"].into();
        let top = file.split('/').next().unwrap();
        let at = loose.iter().position(|name| *name == top).unwrap();
        matches!(case.wishes.get(at), Some(Wish::Copy))
    };
    let world = held(world);
    for file in FILES {
        let content = format!("content of {file}");
        if world.removed.contains(&content) {
            continue;
        }
        let many = found.get(&content).map_or(0, Vec::len);
        let most = if copied(file) { 2 } else { 1 };
        let is_disturbed = world.renamed_folder || world.disturbed.contains(&content);
        assert!(many >= 1, "{when}: {file} is lost: {found:#?}\n{case:#?}");
        assert!(many <= most || is_disturbed, "{when}: {file} is there {many} times: {found:#?}\n{case:#?}");
    }
    for content in world.saved.iter().filter(|content| !world.removed.contains(content)) {
        assert!(found.contains_key(content), "{when}: what somebody saved is lost: {found:#?}\n{case:#?}");
    }
    let is_own = |at: &&String| at.contains(".nine-");
    let left: Vec<&String> = found.values().flatten().filter(is_own).collect();
    assert!(left.is_empty() || world.renamed_folder, "{when}: {left:?}\n{case:#?}");
}

/// Whatever nobody had a hand in is where it was in the beginning.
fn all_is_back(world: &Shared, case: &Case) {
    let found = contents(world);
    let world = held(world);
    let is_free = world.disturbed.is_empty() && world.removed.is_empty();
    for file in FILES {
        let content = format!("content of {file}");
        // A name that somebody gave away or took may be in the way of others.
        if !is_free {
            continue;
        }
        let at = format!("0:pile/{file}");
        let places = found.get(&content).cloned().unwrap_or_default();
        assert!(places.contains(&at), "{file} is not back: {found:#?}\n{case:#?}");
        let id = world.disks[0].find(&path("pile").join_path(&path(file))).unwrap();
        assert!(world.disks[0].node(id).tags.is_empty(), "{file} has kept its tags\n{case:#?}");
    }
}

fn undo(data: &Path, world: &Shared, case: &Case) {
    // Killed before anything was written down.
    let Ok(run) = daybook::read(data, 1) else { return };
    held(world).spoils = false;
    let places = places(world, case);
    let plan = plan_undo(&run, &[], &places);
    let checked = check(&plan.worklist, &facts(&places, &plan.worklist, Default::default()));
    let steps: Vec<Step> = checked.order.iter().map(|at| plan.worklist.steps[*at].clone()).collect();
    carry(data, &places, &steps, Some(1)).expect("nobody kills the undo");
}

fn tried(case: &Case) {
    let data = tempfile::tempdir().unwrap();
    let world = world(case);
    let all = {
        let wanted = steps(&world, case);
        let places = places(&world, case);
        let worklist = Worklist { steps: wanted };
        let checked = check(&worklist, &facts(&places, &worklist, Default::default()));
        assert!(checked.refused.is_empty(), "{:?}", checked.refused);
        checked.order.iter().map(|at| worklist.steps[*at].clone()).collect::<Vec<_>>()
    };
    if all.is_empty() {
        return;
    }
    {
        let mut world = held(&world);
        world.steps = 0;
        world.events = case.events.clone();
        world.events.extend(case.killed.map(|(at, _)| (at, Event::Killed)));
    }
    let ended = carry(data.path(), &places(&world, case), &all, None);
    if let (None, Some((_, true))) = (&ended, case.killed) {
        cut_daybook(data.path(), 1, case.choices[2]);
        let mut world = held(&world);
        for (disk, choice) in world.disks.iter_mut().zip(case.choices) {
            disk.lose_power(choice);
        }
    }
    // A command while a disk is still away changes nothing for good.
    held(&world).events.clear();
    assert!(recovered(data.path(), &world, case));
    {
        // They come back, under other numbers.
        let mut world = held(&world);
        for disk in &mut world.disks {
            disk.is_away = false;
            disk.number += 100;
        }
        world.steps = 0;
        world.events = case.killed_again.iter().map(|at| (*at, Event::Killed)).collect();
    }
    if !recovered(data.path(), &world, case) {
        held(&world).events.clear();
        assert!(recovered(data.path(), &world, case));
    }
    held(&world).events.clear();
    assert_eq!(open_runs(data.path()).unwrap(), [0; 0], "the run is over\n{case:#?}");
    nothing_is_lost_or_twice(&world, case, "after recovery");
    undo(data.path(), &world, case);
    nothing_is_lost_or_twice(&world, case, "after undo");
    all_is_back(&world, case);
}

fn wish() -> impl Strategy<Value = Wish> {
    use Wish::{Copy, Discard, Leave, Move, TagAndMove};
    prop_oneof![4 => Just(Move), 4 => Just(TagAndMove), 1 => Just(Copy), 1 => Just(Discard), 1 => Just(Leave)]
}

fn event() -> impl Strategy<Value = (usize, Event)> {
    let hand = prop_oneof![
        any::<usize>().prop_map(Hand::Saves),
        any::<usize>().prop_map(Hand::Renames),
        any::<usize>().prop_map(Hand::Removes),
        any::<usize>().prop_map(Hand::Makes),
    ];
    let event = prop_oneof![
        8 => hand.prop_map(Event::Hand),
        2 => (0..2_usize).prop_map(Event::Away),
        1 => Just(Event::Spoils),
    ];
    (1..200_usize, event)
}

fn case() -> impl Strategy<Value = Case> {
    let killed = proptest::option::of((1..200_usize, any::<bool>()));
    let killed_again = proptest::option::weighted(0.3, 1..60_usize);
    let events = proptest::collection::vec(event(), 0..4);
    let wishes = proptest::collection::vec(wish(), 5);
    (wishes, any::<[bool; 2]>(), events, killed, killed_again, any::<[usize; 3]>()).prop_map(
        |(wishes, [is_across, is_there], events, killed, killed_again, choices)| Case {
            wishes,
            is_across,
            is_there,
            events,
            killed,
            killed_again,
            choices,
        },
    )
}

/// As many cases as a test run takes without being felt, or many more.
fn cases() -> ProptestConfig {
    let is_long = std::env::var("NINE_HARNESS").is_ok_and(|how| how == "long");
    ProptestConfig { cases: if is_long { 20_000 } else { 600 }, ..ProptestConfig::default() }
}

/// One hand at every step of a run that moves everything to another disk, on every thing that is there; every kill with
/// a loss of power, alone and after a hand.
#[test]
fn at_every_step() {
    let is_long = std::env::var("NINE_HARNESS").is_ok_and(|how| how == "long");
    let hook = std::panic::take_hook();
    std::panic::set_hook(Box::new(|_| {}));
    let stride = if is_long { 1 } else { 5 };
    let mut failed = None;
    let plain = Case {
        wishes: vec![Wish::TagAndMove, Wish::Move, Wish::TagAndMove, Wish::Copy, Wish::Move],
        is_across: true,
        is_there: false,
        events: Vec::new(),
        killed: None,
        killed_again: None,
        choices: [0; 3],
    };
    let mut try_one = |case: Case| {
        if failed.is_none() {
            let tried = std::panic::catch_unwind(|| tried(&case));
            failed = tried.err().and_then(|why| why.downcast_ref::<String>().cloned());
        }
    };
    for (nth, at) in (1..200).step_by(stride).enumerate() {
        let plain = Case { is_there: nth % 2 == 1, ..plain.clone() };
        try_one(Case { events: vec![(at, Event::Spoils)], ..plain.clone() });
        for thing in (nth % 3..16).step_by(if is_long { 1 } else { 3 }) {
            let hands = [Hand::Saves(thing), Hand::Renames(thing), Hand::Removes(thing), Hand::Makes(thing)];
            for hand in hands {
                try_one(Case { events: vec![(at, Event::Hand(hand))], ..plain.clone() });
            }
        }
        for choice in [0, 1, 3, 7, usize::MAX] {
            let killed = Some((at, true));
            try_one(Case { killed, choices: [choice, choice / 2, usize::MAX / 3], ..plain.clone() });
            try_one(Case { killed, choices: [choice / 2, usize::MAX, choice], ..plain.clone() });
        }
    }
    std::panic::set_hook(hook);
    assert_eq!(failed, None);
}

proptest! {
    #![proptest_config(cases())]

    #[test]
    fn nothing_of_anybodys_is_lost(case in case()) {
        // A kill is no news.
        std::panic::set_hook(Box::new(|_| {}));
        let tried = std::panic::catch_unwind(|| tried(&case));
        let _ = std::panic::take_hook();
        if let Err(why) = tried {
            let said = why.downcast_ref::<String>().cloned().unwrap_or_else(|| format!("{why:?}"));
            return Err(TestCaseError::fail(said));
        }
    }
}
