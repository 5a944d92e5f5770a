//! Worklists carried out on real files, and taken back.

mod support;

use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::sync::atomic::Ordering;

use nine_core::worklist::{Act, Problem};
use nine_stores::Watch;
use proptest::prelude::*;
use support::{World, clock};

const FILE_ALL: &str =
    "[[rule]]\nname = \"all\"\nwhen = \"file\"\ntag = [\"seen\"]\nput = \"2/{type|other}\"\n";

#[test]
fn a_run_and_its_undo_leave_the_world_as_it_was() {
    let world = World::new();
    world.write("loan list.txt", "words");
    world.write("tern.jpg", "no picture");
    world.write_bytes(b"caf\xe9\n.csv", "1;2");
    world.tag("tern.jpg", "keep,birds");
    let before = world.picture();
    let (run, outcome) = world.tidy(FILE_ALL);
    assert_eq!((outcome.done(), outcome.failed.len()), (6, 0));
    let after = world.picture();
    assert!(after.keys().any(|name| name == "shelves/2 Loans/sheet/caf\\xe9\\n.csv"), "{after:#?}");
    assert!(after.values().any(|what| what.ends_with("keep,birds,seen")));
    let (plan, outcome) = world.undo(run);
    assert_eq!((plan.refused.len(), outcome.failed.len()), (0, 0));
    assert_eq!(world.picture(), before);
    // Taken back once, there is nothing left to take back.
    assert!(world.undo(run).0.worklist.steps.is_empty());
}

#[test]
fn across_file_systems_everything_travels_and_comes_back() {
    let world = World::across_file_systems();
    world.write("letters/a.txt", "first");
    world.write("letters/deep/b.txt", "");
    fs::set_permissions(world.pile("letters/a.txt"), fs::Permissions::from_mode(0o640)).unwrap();
    symlink("a.txt", world.pile("letters/link")).unwrap();
    world.tag("letters/a.txt", "keep");
    world.tag("letters", "box");
    world.write("big.bin", &"0123456789".repeat(300_000));
    let before = world.picture();
    let rules = "[[rule]]\nwhen = \"type folder or size over 1MB\"\nput = \"1\"\n";
    let (run, outcome) = world.tidy(rules);
    assert_eq!((outcome.done(), outcome.failed.len()), (2, 0), "{outcome:?}");
    let moved: Vec<String> = world
        .picture()
        .into_iter()
        .map(|(name, what)| format!("{} {what}", name.replace("shelves/1 Boats", "pile")))
        .collect();
    for (name, what) in &before {
        assert!(moved.contains(&format!("{name} {what}")), "{name} {what} is not in {moved:#?}");
    }
    assert!(!world.pile("letters").exists() && !world.pile("big.bin").exists());
    world.undo(run);
    assert_eq!(world.picture(), before);
}

#[test]
fn what_changed_between_plan_and_carry_is_refused_and_the_rest_goes_on() {
    let world = World::new();
    for name in ["a.txt", "b.txt", "c.txt", "d.txt"] {
        world.write(name, name);
    }
    let (worklist, checked) = world.plan("[[rule]]\nwhen = \"file\"\nput = \"3\"\n");
    fs::write(world.pile("a.txt"), "written in between").unwrap();
    fs::remove_file(world.pile("b.txt")).unwrap();
    fs::create_dir(world.shelves.join("3 Grants")).unwrap();
    fs::write(world.shelves.join("3 Grants/c.txt"), "came in between").unwrap();
    let (run, outcome) = world.carry(&worklist, &checked, None);
    let because: Vec<&str> = outcome.failed.iter().map(|f| f.because.as_str()).collect();
    assert_eq!(
        because,
        ["it has changed since this was planned", "it is not there any more", "the name is taken"]
    );
    assert_eq!(outcome.done(), 1);
    assert_eq!(fs::read_to_string(world.shelves.join("3 Grants/c.txt")).unwrap(), "came in between");
    assert_eq!(fs::read_to_string(world.pile("c.txt")).unwrap(), "c.txt");
    assert_eq!((world.run(run).done(), world.run(run).failed()), (1, 3));
}

#[test]
fn undo_names_what_it_cannot_take_back() {
    let world = World::new();
    for name in ["a.txt", "b.txt", "c.txt"] {
        world.write(name, name);
    }
    let (run, _) = world.tidy("[[rule]]\nwhen = \"file\"\nput = \"3\"\n");
    fs::write(world.shelves.join("3 Grants/a.txt"), "edited").unwrap();
    fs::rename(world.shelves.join("3 Grants/b.txt"), world.shelves.join("elsewhere.txt")).unwrap();
    let (plan, outcome) = world.undo(run);
    let refused: Vec<String> = plan.refused.iter().map(|(spot, why)| format!("{spot}: {why}")).collect();
    assert_eq!(
        refused,
        ["home/3 Grants/b.txt: it is not there any more", "home/3 Grants/a.txt: it has been changed since"]
    );
    assert_eq!(outcome.done(), 1);
    assert!(world.pile("c.txt").exists() && world.shelves.join("3 Grants/a.txt").exists());
}

/// Another program moves the folder away into which a run moves files, or the one from which it does.
#[test]
fn a_folder_that_is_moved_away_takes_nothing_of_a_run_with_it() {
    for away in ["shelves/2 Loans", "pile/box"] {
        let world = World::new();
        for number in 0..200 {
            world.write(&format!("box/{number}.txt"), &format!("text {number}"));
        }
        fs::create_dir_all(world.shelves.join("2 Loans")).unwrap();
        let (worklist, checked) = world.plan("[[rule]]\nwhen = \"file\"\nreach = \"deep\"\nput = \"2\"\n");
        let steps: Vec<_> = checked.order.iter().map(|at| worklist.steps[*at].clone()).collect();
        assert_eq!(steps.len(), 200);
        let elsewhere = world.dir.path().join("elsewhere");
        let mut before = 0;
        let outcome = world.carry_while(&steps, |over| {
            if over == 100 {
                before = fs::read_dir(world.dir.path().join(away)).unwrap().count();
                fs::rename(world.dir.path().join(away), &elsewhere).unwrap();
            }
        });
        for at in &outcome.carried {
            let to = steps[*at].target().unwrap();
            let there = world.shelves.join(to.path.to_string());
            let moved_with = elsewhere.join(std::ffi::OsStr::from_bytes(to.path.name()));
            // What was done and looked after before the folder went, went with it by that hand.
            assert!(there.exists() || moved_with.exists() && *at < 100, "{away}: {to} is told as moved");
        }
        let outside = fs::read_dir(&elsewhere).unwrap().count();
        assert!(
            outside <= before || away == "pile/box",
            "{away}: {outside} files are outside, {before} were"
        );
        let here = |folder: std::path::PathBuf| fs::read_dir(folder).map_or(0, Iterator::count);
        let all = here(world.pile("box")) + here(world.shelves.join("2 Loans")) + outside;
        assert_eq!(all, 200, "{away}");
    }
}

#[test]
fn sets_are_moved_whole_or_not_at_all() {
    let world = World::new();
    world.write("tern.jpg", "x");
    world.write("tern.xmp", "y");
    let (worklist, checked) = world.plan("[[rule]]\nwhen = \"ext jpg\"\nput = \"1\"\n");
    assert_eq!(checked.order.len(), 2);
    fs::write(world.pile("tern.xmp"), "edited meanwhile").unwrap();
    let (_, outcome) = world.carry(&worklist, &checked, None);
    assert_eq!((outcome.done(), outcome.failed.len()), (0, 2));
    assert!(world.pile("tern.jpg").exists() && world.pile("tern.xmp").exists());
}

#[test]
fn what_would_be_replaced_stays_if_its_replacement_cannot_come() {
    let world = World::new();
    world.write("plan.txt", "new");
    fs::create_dir(world.shelves.join("1 Boats")).unwrap();
    fs::write(world.shelves.join("1 Boats/plan.txt"), "old").unwrap();
    let (worklist, checked) = world.plan("[[rule]]\nwhen = \"file\"\nput = \"1\"\nclash = \"replace\"\n");
    fs::write(world.pile("plan.txt"), "edited meanwhile").unwrap();
    let before = world.picture();
    let (_, outcome) = world.carry(&worklist, &checked, None);
    assert_eq!((outcome.done(), outcome.failed.len()), (0, 2));
    assert_eq!(world.picture(), before);
    assert_eq!(fs::read_dir(world.dir.path().join("share/Trash/files")).unwrap().count(), 0);
}

#[test]
fn a_replaced_file_comes_back_from_the_trash() {
    let world = World::new();
    world.write("plan.txt", "new");
    fs::create_dir(world.shelves.join("1 Boats")).unwrap();
    fs::write(world.shelves.join("1 Boats/plan.txt"), "old").unwrap();
    let before = world.picture();
    let rules = "[[rule]]\nwhen = \"file\"\nput = \"1\"\nclash = \"replace\"\n";
    let (run, outcome) = world.tidy(rules);
    assert_eq!(outcome.done(), 2);
    assert_eq!(fs::read_to_string(world.shelves.join("1 Boats/plan.txt")).unwrap(), "new");
    assert_eq!(fs::read_dir(world.dir.path().join("share/Trash/files")).unwrap().count(), 1);
    world.undo(run);
    assert_eq!(world.picture(), before);
    assert_eq!(fs::read_dir(world.dir.path().join("share/Trash/info")).unwrap().count(), 0);
}

#[test]
fn a_folder_swapped_for_a_link_leads_nowhere() {
    let world = World::new();
    world.write("a.txt", "x");
    fs::create_dir(world.shelves.join("3 Grants")).unwrap();
    let (worklist, checked) = world.plan("[[rule]]\nwhen = \"file\"\nput = \"3/new\"\n");
    let outside = world.dir.path().join("outside");
    fs::create_dir(&outside).unwrap();
    fs::remove_dir(world.shelves.join("3 Grants")).unwrap();
    symlink(&outside, world.shelves.join("3 Grants")).unwrap();
    let (_, outcome) = world.carry(&worklist, &checked, None);
    assert_eq!((outcome.done(), outcome.failed.len()), (0, 1));
    assert_eq!(fs::read_dir(&outside).unwrap().count(), 0);
    let (_, checked) = world.plan("[[rule]]\nwhen = \"file\"\nput = \"3/new\"\n");
    assert!(matches!(checked.refused[&0], Problem::NotAFolder(_)));
}

#[test]
fn syncs_are_rare() {
    let world = World::new();
    for number in 0..2_500 {
        world.write(&format!("{number}.txt"), "x");
    }
    let (worklist, checked) = world.plan("[[rule]]\nwhen = \"file\"\nput = \"1/{stem:initial}\"\n");
    let steps: Vec<_> = checked.order.iter().map(|at| worklist.steps[*at].clone()).collect();
    let opens = world.counters.opens.load(Ordering::Relaxed);
    assert_eq!(opens, 0, "no rule asks for a type, so nothing is opened");
    let places = world.places();
    let heading = nine_carry::daybook::Heading::default();
    let mut writer =
        nine_carry::daybook::Writer::begin(&world.data(), &heading, steps.iter(), &clock).unwrap();
    let (watch, mut progress) = (Watch::default(), |_| {});
    let outcome = nine_carry::Carrier::new(&places, &mut writer, &watch, &clock, &mut progress)
        .carry(&steps, &[])
        .unwrap();
    let syncs = world.counters.syncs.load(Ordering::Relaxed) + writer.syncs();
    writer.end(&clock).unwrap();
    assert_eq!(outcome.done(), 2_500);
    // The plan and the daybook's folder; then the pile, the bookcase, the shelf and the folder on it.
    assert!(syncs <= 2 + 4, "{syncs} syncs");
}

#[test]
fn a_stopped_run_ends_after_the_step_in_hand() {
    let world = World::new();
    for name in ["a.txt", "b.txt"] {
        world.write(name, name);
    }
    let (worklist, checked) = world.plan("[[rule]]\nwhen = \"file\"\nput = \"3\"\n");
    let steps: Vec<_> = checked.order.iter().map(|at| worklist.steps[*at].clone()).collect();
    let watch = Watch::default();
    watch.stop();
    let (run, outcome) = world.carry_steps(&steps, None, &watch);
    assert_eq!((outcome.done(), outcome.not_begun), (0, 2));
    assert!(world.run(run).closed);
}

/// Paths of few and awkward names, so that they clash and nest.
fn paths() -> impl Strategy<Value = Vec<(String, String)>> {
    let name = prop_oneof!["[ab]", "copy of a", "A", "ä", "-x", "\\.h", "a b", "page_files", "n\n"];
    let ext = prop_oneof!["", "\\.txt", "\\.jpg", "\\.xmp", "\\.html", "\\.pdf"];
    let part = (name, ext).prop_map(|(name, ext)| name + &ext);
    let path = proptest::collection::vec(part, 1..4).prop_map(|parts| parts.join("/"));
    proptest::collection::vec((path, "[a-z]{0,9}"), 1..14)
}

fn rules() -> impl Strategy<Value = String> {
    let when = prop_oneof![
        "file",
        "type image,document",
        "type folder and name has a",
        "name has b",
        "not tag keep",
        "depth over 1"
    ];
    let act = prop_oneof![
        Just("put = \"1/{type|other}/{stem:initial|none}\""),
        Just("put = \"2\""),
        Just("rename = \"{stem:tidy}{ext}\""),
        Just("rename = \"same\"\nput = \"3/{modified:year}\""),
        Just("tag = [\"seen\", \"x/y\"]"),
    ];
    let reach = prop_oneof!["loose", "deep"];
    let clash = prop_oneof!["number", "leave", "hold", "replace"];
    let rule = (when, act, reach, clash).prop_map(|(when, act, reach, clash)| {
        format!("[[rule]]\nwhen = \"{when}\"\nreach = \"{reach}\"\nclash = \"{clash}\"\n{act}\n")
    });
    proptest::collection::vec(rule, 1..4).prop_map(|rules| rules.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, ..ProptestConfig::default() })]
    #[test]
    fn carry_then_undo_gives_the_same_tree(paths in paths(), rules in rules(), seeded in any::<bool>()) {
        let world = World::new();
        for (path, text) in &paths {
            // A path may run through what is a file already; that one is left out.
            let taken = world.pile(path).exists()
                || world.pile(path).ancestors().skip(1).any(|above| above.is_file());
            if !taken {
                world.write(path, text);
                if text.len() == 3 {
                    world.tag(path, "keep,a");
                }
            }
        }
        if seeded {
            fs::create_dir(world.shelves.join("2 Borrowed")).unwrap();
            fs::write(world.shelves.join("2 Borrowed/a.txt"), "there").unwrap();
        }
        let before = world.picture();
        let files = |picture: &std::collections::BTreeMap<String, String>| {
            let mut texts: Vec<String> = picture.iter().filter(|(name, _)| !name.ends_with('/'))
                .map(|(_, what)| what.split(" 1").next().unwrap_or_default().to_owned()).collect();
            texts.sort();
            texts
        };
        let (worklist, checked) = world.plan(&rules);
        let (run, outcome) = world.carry(&worklist, &checked, None);
        prop_assert_eq!(&outcome.failed, &[]);
        let discarded = checked.order.iter().filter(|at| worklist.steps[**at].act == Act::discard()).count();
        prop_assert_eq!(files(&world.picture()).len() + discarded, files(&before).len());
        let (plan, outcome) = world.undo(run);
        prop_assert_eq!((plan.refused, outcome.failed), (vec![], vec![]));
        prop_assert_eq!(world.picture(), before);
    }
}

/// A picture without what only a disk keeps: times of files and modes.
fn bare(world: &World) -> Vec<String> {
    let bare = |(name, what): (String, String)| {
        let words: Vec<&str> = what.split(" (").collect();
        let tags = what.rsplit(' ').next().unwrap_or_default();
        format!("{name} {} {tags}", words[0])
    };
    world.picture().into_iter().map(bare).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 32, ..ProptestConfig::default() })]
    #[test]
    fn on_a_drive_the_same_worklists_end_in_the_same_tree(
        paths in paths(),
        rules in proptest::collection::vec(rules(), 1..4),
    ) {
        let (here, there) = (World::new(), World::on_a_drive());
        for (path, text) in &paths {
            let taken = here.pile(path).exists()
                || here.pile(path).ancestors().skip(1).any(|above| above.is_file());
            if taken {
                continue;
            }
            for world in [&here, &there] {
                world.write(path, text);
                if text.len() == 3 {
                    world.tag(path, "keep,a");
                }
            }
        }
        let before = bare(&here);
        prop_assert_eq!(&bare(&there), &before);
        let mut runs = Vec::new();
        for rules in &rules {
            let mut of_both = Vec::new();
            for world in [&here, &there] {
                let (worklist, checked) = world.plan(rules);
                let (run, outcome) = world.carry(&worklist, &checked, None);
                prop_assert_eq!(&outcome.failed, &[]);
                prop_assert_eq!(&outcome.unsure, &[]);
                of_both.push(run);
            }
            prop_assert_eq!(bare(&there), bare(&here));
            runs.push(of_both);
        }
        for of_both in runs.iter().rev() {
            for (world, run) in [&here, &there].into_iter().zip(of_both) {
                let (plan, outcome) = world.undo(*run);
                prop_assert_eq!((plan.refused, outcome.failed), (vec![], vec![]));
            }
            prop_assert_eq!(bare(&there), bare(&here));
        }
        prop_assert_eq!(bare(&there), before);
    }
}
