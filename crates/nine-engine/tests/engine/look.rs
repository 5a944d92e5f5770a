//! Looking around: search, survey, shelves, `why` and the check of the places.

use nine_core::rules::RuleStatus;
use nine_core::survey::Oddity;
use nine_engine::search::{GroupBy, Request, find, group};
use nine_engine::selection::condition;
use nine_engine::why::explain_item;
use nine_engine::{Error, check, shelves, survey};

use super::support::World;

const RULES: &str = "[[rule]]\nname = \"letters\"\nwhen = \"name has letter\"\nrename = \"{stem:tidy}\"\nput = \"2/Letters\"\ntag = [\"mail\"]\n[[rule]]\nname = \"rest\"\nwhen = \"file\"\nput = \"1\"\n";

fn world() -> World {
    let world = World::new(RULES);
    world
        .file("Downloads/a_letter.txt", "dear")
        .file("Downloads/in/plan.txt", "")
        .file("Downloads/.hid", "x");
    world
        .file("Shelves/1 Boats/x.txt", "x")
        .file("Shelves/2 Loans/y.txt", "y")
        .file("Shelves/2 Lent/z.txt", "z");
    world
}

#[test]
fn a_search_counts_what_it_finds_and_what_is_hidden() {
    let world = world();
    let workspace = world.open();
    let words = |words: &str| words.split(' ').map(str::to_owned).collect::<Vec<_>>();
    let condition = condition(workspace.config(), &words("file"), &[]).unwrap();
    let request = Request { condition, within: vec![world.at("Downloads")], ..Request::default() };
    let found = find(&workspace, &request).unwrap();
    assert_eq!((found.files, found.folders, found.bytes, found.hidden), (2, 0, 4, 1));
    let groups = group(&found.hits, &found.looking, &GroupBy::Folder);
    let names: Vec<&str> = groups.iter().map(|group| group.name.as_str()).collect();
    assert_eq!(names, ["downloads", "downloads/in"]);
    let by = Request { by: Some(GroupBy::of_word("lendr")), ..Request::default() };
    assert!(matches!(find(&workspace, &by), Err(Error::Unknown { .. })));
    let nowhere = Request { within: vec![world.at("nowhere")], ..Request::default() };
    assert!(matches!(find(&workspace, &nowhere), Err(Error::NotAPlace { .. })));
    let unread = nine_engine::selection::condition(workspace.config(), &words("text has dear"), &[]).unwrap();
    let unread = Request { condition: unread, ..Request::default() };
    assert!(matches!(find(&workspace, &unread), Err(Error::WordsUnread)));
}

#[test]
fn a_survey_sees_what_is_odd() {
    let world = world();
    let workspace = world.open();
    let surveyed = survey::look(&workspace, &survey::Request::default()).unwrap();
    assert_eq!((surveyed.surveys[0].files.count, surveyed.surveys[0].loose.count), (2, 1));
    let empty = survey::oddity("empty-files").unwrap();
    assert_eq!(empty, Oddity::ALL.into_iter().find(|oddity| oddity.word() == "empty-files").unwrap());
    assert_eq!(surveyed.odd(empty)[0].len(), 1);
    assert!(matches!(survey::oddity("empty-file"), Err(Error::Unknown { .. })));
}

#[test]
fn shelves_tell_what_is_wrong_and_what_a_plan_adds() {
    let world = world();
    let workspace = world.open();
    let found = shelves::look(&workspace, &[]).unwrap();
    let standing = &found.standing[0];
    assert!(standing.flaws.iter().any(|flaw| flaw.at.to_string() == "2 Lent"), "{:?}", standing.flaws);
    let plan = nine_engine::tidy::plan(&workspace, &nine_engine::tidy::Request::default()).unwrap().plan;
    let pictures = shelves::pictures_with(&workspace, &plan);
    let added: u64 = pictures[0].rows.iter().flat_map(|row| &row.spines).map(|spine| spine.added).sum();
    assert_eq!(added, plan.steps().iter().filter(|step| step.act.word() == "move").count() as u64);
    assert!(matches!(shelves::look(&workspace, &["hom".into()]), Err(Error::Unknown { .. })));
}

#[test]
fn why_says_what_a_rule_that_applies_would_do() {
    let world = world();
    let workspace = world.open();
    let report = explain_item(&workspace, &world.at("Downloads/a_letter.txt")).unwrap();
    let does = report.rules[0].does.as_ref().unwrap();
    assert_eq!(does.name.as_deref(), Some(&b"A letter.txt"[..]));
    assert_eq!(does.folder.as_ref().unwrap().to_string(), "home/2 Loans/Letters");
    assert_eq!(does.tags, ["mail"]);
    assert_eq!(report.rules[1].status, RuleStatus::Preceded(0));
    assert!(report.rules[1].does.is_none());
    assert!(matches!(explain_item(&workspace, &world.at("none")), Err(Error::NothingAt(_))));
}

#[test]
fn a_check_names_the_places_that_cannot_be_used() {
    let world = world();
    std::fs::remove_dir_all(world.at("Downloads")).unwrap();
    let workspace = world.open();
    let checked = check::check(&workspace).unwrap();
    let usable: Vec<(&str, bool)> =
        checked.places.iter().map(|place| (place.name.as_str(), place.is_usable())).collect();
    assert_eq!(usable, [("downloads", false), ("home", true)]);
    assert_eq!(checked.places[0].note, "there is no such folder");
}
