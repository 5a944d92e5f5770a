//! A review: what is gone through, what is decided, and what is kept of it.

use std::fs;
use std::time::{Duration, Instant};

use nine_core::place::{NameBuf, Spot};
use nine_core::review::{Decision, Likeness, Refusal, State};
use nine_core::rules::Clash;
use nine_engine::Error;
use nine_engine::review::{self, Bookcases, OpenReview};
use nine_engine::selection::Selection;

use super::support::{World, lines};

const RULES: &str = "[[rule]]\nname = \"loans\"\nwhen = \"name has loan\"\nput = \"2/Contracts\"\n\n[archive]\nwhen = \"modified over 5y\"\nput = \"3/{today}/{pile}\"\n";

fn cluttered() -> World {
    let world = World::new(RULES);
    for name in ["loan a.pdf", "loan b.pdf", "oar.txt", "oar 2.txt", "sail.jpg"] {
        world.file(&format!("Downloads/{name}"), name);
    }
    world.file("Downloads/plans/keel.txt", "keel");
    world
}

fn at(open: &OpenReview, name: &str) -> usize {
    let items = open.review.items();
    items.iter().position(|item| item.proposal.item.path.name() == name.as_bytes()).unwrap()
}

fn decide(open: &mut OpenReview, name: &str, decision: &Decision) {
    let at = at(open, name);
    let decided = open.decide(&[at], decision).unwrap();
    assert_eq!(decided.refused, [], "{name}: {decision:?}");
}

fn spot(text: &str) -> Spot {
    Spot::parse(text).unwrap()
}

fn drawn(open: &OpenReview) -> Vec<String> {
    lines(&open.plan(false).unwrap())
}

/// Waits for the answers of the checker, as the screen does.
fn check(open: &mut OpenReview, names: &[&str]) {
    let checker = open.checker();
    let numbers: Vec<usize> = names.iter().map(|name| at(open, name)).collect();
    checker.ask(open.to_check(&numbers));
    let end = Instant::now() + Duration::from_secs(20);
    let answer = loop {
        match checker.answer() {
            Some(answer) => break answer,
            None if Instant::now() > end => panic!("the checker is silent"),
            None => std::thread::sleep(Duration::from_millis(1)),
        }
    };
    open.take_concerns(answer);
}

#[test]
fn all_that_lies_loose_is_gone_through_and_what_was_agreed_to_is_the_plan() {
    let world = cluttered();
    let workspace = world.open();
    let mut open = review::of_piles(&workspace, &[]).unwrap();
    assert_eq!(open.review.items().len(), 6, "a folder that no rule takes apart is one item");
    assert!(open.review.items()[at(&open, "loan a.pdf")].is_proposed());
    assert!(!open.review.items()[at(&open, "oar.txt")].is_proposed());
    assert!(drawn(&open).is_empty(), "nothing was decided");
    assert_eq!(open.plan(true).unwrap().steps().len(), 2, "what is proposed without a doubt");

    decide(&mut open, "loan a.pdf", &Decision::Take);
    decide(&mut open, "loan b.pdf", &Decision::Leave);
    decide(&mut open, "oar.txt", &Decision::Into(spot("home/1 Boats/Oars")));
    decide(&mut open, "oar.txt", &Decision::Name(NameBuf::new("the oar.txt").unwrap()));
    decide(&mut open, "oar 2.txt", &Decision::Archive);
    decide(&mut open, "sail.jpg", &Decision::Discard);
    let later = open.later(&spot("downloads/plans"));
    assert_eq!(later.to_string(), "downloads/Sort later");
    decide(&mut open, "plans", &Decision::PutOff(later));
    let wanted = [
        "move downloads/loan a.pdf -> home/2 Loans/Contracts/loan a.pdf",
        "move downloads/oar 2.txt -> home/3 Archive/2031-04-07/downloads/oar 2.txt",
        "move downloads/oar.txt -> home/1 Boats/Oars/the oar.txt",
        "move downloads/plans -> downloads/Sort later/plans",
        "discard downloads/sail.jpg",
    ];
    let mut plan = drawn(&open);
    plan.sort_by_key(|line| line.split_once(' ').map(|(_, rest)| rest.to_owned()));
    assert_eq!(plan, wanted);

    // What the archive takes is in its list, as after the command.
    open.plan(false).unwrap().carry(&workspace).unwrap();
    assert_eq!(world.names("Downloads"), ["Sort later", "loan b.pdf"]);
    let listed = nine_engine::archive::list(&world.open());
    assert_eq!(listed[0].listed().items().count(), 1);
}

#[test]
fn decisions_are_held_against_what_stands_there_and_against_one_another() {
    let world = cluttered();
    world.file("Shelves/1 Boats/oar.txt", "another oar");
    let workspace = world.open();
    let mut open = review::of_piles(&workspace, &[]).unwrap();
    let boats = Decision::Into(spot("home/1 Boats"));
    decide(&mut open, "oar.txt", &boats);
    check(&mut open, &["oar.txt"]);
    let item = &open.review.items()[at(&open, "oar.txt")];
    let clash = item.concerns().unwrap().clash.clone().unwrap();
    assert_eq!(
        (clash.at.to_string().as_str(), clash.theirs.map(|it| it.size)),
        ("home/1 Boats/oar.txt", Some(11))
    );
    decide(&mut open, "oar.txt", &Decision::Clash(Clash::Number));
    assert_eq!(drawn(&open), ["move downloads/oar.txt -> home/1 Boats/oar (2).txt"]);

    // Two that are to have one name are rivals.
    decide(&mut open, "oar 2.txt", &boats);
    decide(&mut open, "oar 2.txt", &Decision::Name(NameBuf::new("sail.jpg").unwrap()));
    decide(&mut open, "sail.jpg", &boats);
    check(&mut open, &["sail.jpg"]);
    let rivals = ["oar 2.txt", "sail.jpg"].map(|name| {
        let item = &open.review.items()[at(&open, name)];
        item.concerns().and_then(|concerns| concerns.clash.as_ref()).map(|clash| clash.rival.is_some())
    });
    assert!(rivals.contains(&Some(true)), "{rivals:?}");

    let refused =
        open.decide(&[at(&open, "plans")], &Decision::Into(spot("downloads/plans/x"))).unwrap().refused;
    assert!(matches!(refused[..], [(_, Refusal::IntoItself)]), "{refused:?}");
}

#[test]
fn what_was_decided_outlasts_the_program_and_what_changed_meanwhile_is_named() {
    let world = cluttered();
    let workspace = world.open();
    let mut open = review::of_piles(&workspace, &[]).unwrap();
    open.keep().unwrap();
    assert!(matches!(review::kept(&workspace), Err(Error::ReviewOpen)));
    decide(&mut open, "loan a.pdf", &Decision::Take);
    decide(&mut open, "oar.txt", &Decision::Into(spot("home/1 Boats")));
    decide(&mut open, "oar 2.txt", &Decision::Discard);
    decide(&mut open, "sail.jpg", &Decision::Into(spot("home/1 Boats")));
    open.back().unwrap();
    let before = open.review.clone();
    drop(open);
    drop(workspace);

    fs::write(world.at("Downloads/oar.txt"), "longer than it was").unwrap();
    fs::remove_file(world.at("Downloads/sail.jpg")).unwrap();
    // The last line was being written when it ended.
    let file = world.at("nine/review.jsonl");
    let mut text = fs::read(&file).unwrap();
    text.extend_from_slice(b"{\"turn\":[\"take\",[{\"item\":4,");
    fs::write(&file, text).unwrap();

    let workspace = world.open();
    let kept = review::kept(&workspace).unwrap().unwrap();
    assert_eq!(
        (kept.command.as_str(), kept.review.items().len(), kept.review.turns()),
        ("nine review", 6, 3)
    );
    let (mut open, lost) = kept.resume(&workspace).unwrap();
    let lost: Vec<String> = lost.iter().map(|lost| format!("{} {}", lost.item, lost.why)).collect();
    assert_eq!(lost.len(), 2, "{lost:?}");
    assert!(lost[0].contains("oar.txt") && lost[0].contains("changed"), "{lost:?}");
    assert!(lost[1].contains("sail.jpg"), "{lost:?}");
    for (now, then) in open.review.items().iter().zip(before.items()) {
        assert_eq!(now.proposal, then.proposal);
        assert!(now.state == then.state || now.state == State::Gone);
    }
    let wanted =
        ["move downloads/loan a.pdf -> home/2 Loans/Contracts/loan a.pdf", "discard downloads/oar 2.txt"];
    assert_eq!(drawn(&open), wanted);
    open.back().unwrap();
    open.back().unwrap();
    assert_eq!(drawn(&open), wanted[..1], "the item that is gone stays gone");
    // What is decided now stands behind a whole line.
    decide(&mut open, "plans", &Decision::Leave);
    drop(open);
    let (mut open, _) = review::kept(&workspace).unwrap().unwrap().resume(&workspace).unwrap();
    assert_eq!(open.review.items()[at(&open, "plans")].state, State::Left);
    open.end();
    assert!(review::kept(&workspace).unwrap().is_none());
}

#[test]
fn a_rule_made_of_a_decision_is_written_with_the_run() {
    let world = cluttered();
    let workspace = world.open();
    let mut open = review::of_piles(&workspace, &[]).unwrap();
    decide(&mut open, "oar.txt", &Decision::Into(spot("home/1 Boats/Oars")));
    let alike = open.review.alike(at(&open, "oar.txt"));
    let ext = alike.iter().find(|alike| alike.likeness == Likeness::Extension("txt".into())).unwrap();
    assert_eq!(ext.items, [at(&open, "oar 2.txt")]);
    let draft = open.rule_of(&ext.likeness).unwrap();
    assert_eq!((draft.when.as_str(), draft.put.as_deref()), ("ext txt", Some("1/Oars")));
    let tried = open.try_rule(&draft).unwrap();
    assert_eq!(tried.items, 2, "what it would take in all piles");
    open.add_rule(draft).unwrap();
    assert_eq!(open.review.rules().len(), 1);
    let plan = open.plan(false).unwrap();
    assert_eq!(plan.steps().len(), 2, "the file, and the configuration");
    plan.carry(&workspace).unwrap();
    let text = fs::read_to_string(world.at("nine/shelves.toml")).unwrap();
    assert!(text.contains("when = \"ext txt\"\nput = \"1/Oars\""), "{text}");
    drop(open);
    let workspace = world.open();
    assert_eq!(workspace.config().rules.len(), 2);
    let again = review::of_piles(&workspace, &[]).unwrap();
    assert!(again.review.items()[at(&again, "oar 2.txt")].is_proposed());
}

#[test]
fn the_folders_of_a_shelf_are_offered_the_most_used_first() {
    let world = cluttered();
    for path in ["Oars/a", "Oars/b", "Sails/a", "Sails/Old/a"] {
        world.file(&format!("Shelves/1 Boats/{path}"), path);
    }
    let workspace = world.open();
    let mut open = review::of_piles(&workspace, &[]).unwrap();
    let cases = Bookcases::read(&workspace).recv().unwrap();
    let names = |open: &OpenReview, typed: &str| -> Vec<String> {
        let folders = cases.folders(0, 1, typed, &open.review);
        let name = |choice: review::FolderChoice| match (choice.is_new, choice.near) {
            (true, Some(near)) => format!("{} new, near {near}", choice.name),
            (true, None) => format!("{} new", choice.name),
            (false, _) => choice.name,
        };
        folders.into_iter().map(name).collect()
    };
    assert_eq!(names(&open, ""), ["", "Oars", "Sails", "Sails/Old"]);
    assert_eq!(names(&open, "OLD"), ["Sails/Old", "OLD new"]);
    assert_eq!(names(&open, "Oar"), ["Oars", "Oar new, near Oars"]);
    assert_eq!(names(&open, "Masts/Spare"), ["Masts/Spare new"]);
    assert_eq!(names(&open, "a:b"), Vec::<String>::new(), "no name everywhere");
    decide(&mut open, "oar.txt", &Decision::Into(spot("home/1 Boats/Sails/Old")));
    decide(&mut open, "oar 2.txt", &Decision::Into(spot("home/1 Boats/Masts")));
    assert_eq!(names(&open, ""), ["Sails/Old", "Masts new", "", "Oars", "Sails"]);
    let rows = &cases.rows(&open.review)[0].1;
    let added: u64 = rows[0].spines.iter().map(|spine| spine.added).sum();
    assert_eq!(added, 2);
}

#[test]
fn a_plan_in_hand_keeps_what_belongs_to_its_run() {
    let world = cluttered();
    let workspace = world.open();
    let mut open = review::of_piles(&workspace, &[]).unwrap();
    decide(&mut open, "loan a.pdf", &Decision::Take);
    decide(&mut open, "loan b.pdf", &Decision::Take);
    open.plan(false).unwrap().carry(&workspace).unwrap();
    drop(open);
    drop(workspace);

    // An undo is gone through: one comes back, the other stays, and the daybook knows which run was taken back.
    let workspace = world.open();
    let undo = nine_engine::undo::plan(&workspace, None).unwrap().plan.unwrap();
    let mut open = OpenReview::of_plan(&workspace, undo);
    assert!(
        open.command().starts_with("nine undo") && open.command().ends_with("reviewed"),
        "{}",
        open.command()
    );
    decide(&mut open, "loan a.pdf", &Decision::Take);
    decide(&mut open, "loan b.pdf", &Decision::Leave);
    open.plan(false).unwrap().carry(&workspace).unwrap();
    assert_eq!(world.names("Shelves/2 Loans/Contracts"), ["loan b.pdf"]);
    assert!(world.names("Downloads").contains(&"loan a.pdf".to_owned()));
}

#[test]
fn a_selection_is_gone_through_wherever_it_lies() {
    let world = cluttered();
    world.file("Shelves/1 Boats/keel.txt", "on a shelf");
    let workspace = world.open();
    let condition = ["name".into(), "has".into(), "keel".into()].to_vec();
    let open = review::of_selection(&workspace, &Selection { condition, ..Selection::default() }).unwrap();
    let items: Vec<String> = open.review.items().iter().map(|item| item.proposal.item.to_string()).collect();
    assert_eq!(items, ["downloads/plans/keel.txt", "home/1 Boats/keel.txt"]);
    let nothing = ["name".into(), "has".into(), "anchor".into()].to_vec();
    let nothing = Selection { condition: nothing, ..Selection::default() };
    assert!(review::of_selection(&workspace, &nothing).unwrap().review.items().is_empty());
}
