//! The program's own work, through the same calls that its commands make.

use std::collections::HashSet;
use std::path::Path;
use std::sync::Arc;

use nine_carry::daybook::{Heading, Writer};
use nine_carry::{Carrier, facts, standing};
use nine_core::config;
use nine_core::item::Entry;
use nine_core::moment::Now;
use nine_core::place::{ItemPath, NameBuf, Spot};
use nine_core::plan::{folders_wanted, settle, tidy};
use nine_core::shelving::Shelving;
use nine_core::worklist::{Act, Step, Worklist, check};
use nine_stores::local::LocalSettings;
use nine_stores::{LocalStore, Places, ReadStore, Scope, StoreDetails, Watch};

fn store(at: &Path) -> LocalStore {
    let settings = LocalSettings {
        believes_births: true,
        home_trash: at.join("Trash"),
        one_trash: true,
        counters: Arc::default(),
    };
    LocalStore::open(at, settings).expect("the place opens")
}

/// Reads a place into a tree.
pub fn scan(pile: &Path) -> usize {
    store(pile).scan(&Scope::default(), &Watch::default()).expect("the pile is read").tree.len()
}

/// Reads a pile and plans a tidy of it, up to the checked worklist.
pub fn scan_and_plan(pile: &Path, deep: bool) -> usize {
    let reach = if deep { "deep" } else { "loose" };
    let text = format!(
        "[pile.pile]\nat = \"/p\"\nsettle = \"0min\"\n[bookcase.home]\nat = \"/s\"\nshelves = [\"A\", \"B\"]\n\
         [[rule]]\nreach = \"{reach}\"\nwhen = \"type document and name has ledger\"\nput = \"1/{{modified:year}}\"\n\
         [[rule]]\nreach = \"{reach}\"\nwhen = \"type image and size under 5\"\nput = \"2/{{stem:initial}}\"\n"
    );
    let config = config::parse(&text).expect("the configuration is sound");
    let store = Arc::new(store(pile));
    let scan = store.scan(&Scope::default(), &Watch::default()).expect("the pile is read");
    let shelvings = vec![Shelving::new(&config.bookcases[0], std::iter::empty())];
    let now = Now::new(jiff::ZonedDateTime::now());
    let none_open = HashSet::new();
    let details = StoreDetails { store: &*store, tree: &scan.tree, catalogue: None, stays: None };
    let pass = tidy::Pass {
        config: &config,
        shelvings: &shelvings,
        places: &|_| false,
        now: &now,
        details: &details,
        in_use: &none_open,
        counts_rules: false,
    };
    let proposed = tidy::propose(&pass, &config.piles[0], &scan.tree);
    let mut places = Places::default();
    places.add("pile", store.clone());
    places.add("home", store.clone());
    let known = standing(&places, folders_wanted(&proposed.proposals));
    let worklist = settle(&proposed.proposals, &known).worklist;
    check(&worklist, &facts(&places, &worklist, known)).order.len()
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
