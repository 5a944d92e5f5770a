//! A plan: what is open in it, answers, what is sure, tables, and carrying it out.

use std::fs;

use nine_core::plan::Proposal;
use nine_core::rules::Clash;
use nine_engine::plan::{Answer, Plan, Question};
use nine_engine::tidy::{Request, plan};
use nine_engine::{Error, Workspace, carry, history, undo};

use super::support::{World, lines};

const ON_SHELF: &str = "[[rule]]\nname = \"all\"\nwhen = \"file\"\nput = \"1\"\n";
const BY_TAG: &str = "[[rule]]\nname = \"notes\"\nwhen = \"type note and tag any\"\nput = \"2/{tag}\"\n";
const BY_LENDER: &str = "[facet.lender]\nvalues = [\"Harrow\", \"Kittiwake\"]\n\n[[rule]]\nname = \"lent\"\nwhen = \"file\"\nput = \"2/{lender}\"\n";

fn tidy(workspace: &Workspace) -> Plan {
    plan(workspace, &Request::default()).unwrap().plan
}

fn with_clashes() -> World {
    let world = World::new(ON_SHELF);
    for name in ["a.txt", "b.txt", "c.txt", "d.txt"] {
        world.file(&format!("Downloads/{name}"), "new");
        world.file(&format!("Shelves/1 Boats/{name}"), "older");
    }
    world
}

#[test]
fn clashes_are_questions_and_each_answer_gives_the_plan_as_it_is_then() {
    let world = with_clashes();
    let workspace = world.open();
    let mut plan = tidy(&workspace);
    let clashes: Vec<usize> = plan
        .questions()
        .iter()
        .map(|question| match question {
            Question::Clash(clash) => clash.proposal,
            other => panic!("{other:?}"),
        })
        .collect();
    assert_eq!(clashes, [0, 1, 2, 3]);
    assert!(plan.is_in_doubt());
    let answers = [Clash::Number, Clash::Leave, Clash::Hold, Clash::Replace];
    let answers: Vec<(usize, Answer)> =
        answers.into_iter().enumerate().map(|(at, clash)| (at, Answer::Clash(clash))).collect();
    plan.answer(&workspace, &answers).unwrap();
    assert_eq!(
        lines(&plan),
        [
            "move downloads/a.txt -> home/1 Boats/a (2).txt",
            "move downloads/c.txt -> home/1 Boats/Held/c.txt",
            "discard home/1 Boats/d.txt",
            "move downloads/d.txt -> home/1 Boats/d.txt"
        ]
    );
    let carried = plan.carry(&workspace).unwrap();
    assert_eq!((carried.run, carried.outcome.done(), carried.troubles()), (1, 4, 0));
    assert_eq!(fs::read_to_string(world.at("Shelves/1 Boats/d.txt")).unwrap(), "new");
    assert_eq!(world.names("Downloads"), ["b.txt"]);
}

#[test]
fn an_answer_that_a_clash_does_not_allow_leaves_the_item() {
    let world = World::new(ON_SHELF);
    world.file("Downloads/a.txt", "new");
    fs::create_dir_all(world.at("Shelves/1 Boats/a.txt")).unwrap();
    let workspace = world.open();
    let mut plan = tidy(&workspace);
    plan.answer(&workspace, &[(0, Answer::Clash(Clash::Replace))]).unwrap();
    assert!(lines(&plan).is_empty(), "a folder is replaced by no file");
}

#[test]
fn several_tags_and_unknown_answers_are_questions_too() {
    let world = World::new(BY_TAG);
    world.file("Downloads/two.md", "---\ntags: [keep, tides]\n---\n");
    let workspace = world.open();
    let mut plan = tidy(&workspace);
    let tags = vec!["keep".to_owned(), "tides".to_owned()];
    assert_eq!(plan.questions(), [Question::WhichTag { proposal: 0, tags }]);
    assert!(lines(&plan).is_empty());
    plan.answer(&workspace, &[(0, Answer::Told(vec![("tag".into(), "tides".into())]))]).unwrap();
    assert_eq!(lines(&plan), ["move downloads/two.md -> home/2 Loans/tides/two.md"]);

    let world = World::new(BY_LENDER);
    world.file("Downloads/letter.txt", "x");
    let workspace = world.open();
    let mut plan = tidy(&workspace);
    assert_eq!(plan.questions(), [Question::Unknown { proposal: 0, facet: "lender".into() }]);
    plan.answer(&workspace, &[(0, Answer::Told(vec![("lender".into(), "Harrow".into())]))]).unwrap();
    let wanted = ["tag downloads/letter.txt", "move downloads/letter.txt -> home/2 Loans/Harrow/letter.txt"];
    assert_eq!(lines(&plan), wanted);
}

#[test]
fn a_person_may_say_where_it_goes_or_that_it_stays() {
    let world = World::new(ON_SHELF);
    world.file("Downloads/a.txt", "a").file("Downloads/b.txt", "b").file("Downloads/c.txt", "c");
    let workspace = world.open();
    let mut plan = tidy(&workspace);
    let to = nine_core::place::Spot::parse("home/2 Loans/x.txt").unwrap();
    let tags = Answer::Tags(vec!["todo".into()]);
    plan.answer(&workspace, &[(0, Answer::To(to)), (1, Answer::Leave), (2, tags)]).unwrap();
    assert_eq!(
        lines(&plan),
        [
            "tag downloads/c.txt",
            "move downloads/a.txt -> home/2 Loans/x.txt",
            "move downloads/c.txt -> home/1 Boats/c.txt"
        ]
    );
}

#[test]
fn only_what_is_sure_can_be_kept() {
    let world = with_clashes();
    world.file("Downloads/sure.txt", "no clash");
    let workspace = world.open();
    let mut plan = tidy(&workspace);
    plan.leave_what_is_in_doubt();
    assert_eq!(lines(&plan), ["move downloads/sure.txt -> home/1 Boats/sure.txt"]);
    assert!(!plan.is_in_doubt());
}

#[test]
fn no_item_counts_on_a_name_that_another_one_leaves() {
    let rules = "[[rule]]\nwhen = \"name is old.txt\"\nput = \"1\"\nclash = \"hold\"\n\
                 [[rule]]\nwhen = \"name is new.txt\"\nrename = \"old{ext}\"\n";
    let world = World::new(rules);
    world.file("Downloads/old.txt", "one").file("Downloads/new.txt", "two");
    world.file("Shelves/1 Boats/old.txt", "another");
    let workspace = world.open();
    let mut plan = tidy(&workspace);
    let items = |of: Vec<Proposal>| of.iter().map(|one| one.item.to_string()).collect::<Vec<_>>();
    assert_eq!(items(plan.leave_what_is_in_doubt()), ["downloads/new.txt", "downloads/old.txt"]);
    assert_eq!(lines(&plan), [""; 0]);
}

#[test]
fn a_table_comes_back_as_the_person_left_it() {
    let world = with_clashes();
    let workspace = world.open();
    let file = world.at("list.csv");
    let written = tidy(&workspace).write(&workspace, &file).unwrap();
    assert_eq!((written.lines, written.in_doubt), (4, 4));
    let text = fs::read_to_string(&file).unwrap();
    let text = text.replacen(",move,downloads/a.txt", ",leave,downloads/a.txt", 1);
    let text: Vec<&str> = text.lines().filter(|line| !line.contains("downloads/b.txt")).collect();
    fs::write(&file, text.join("\n")).unwrap();
    world.file("Downloads/c.txt", "changed since");
    let found = carry::plan(&workspace, &file).unwrap();
    assert_eq!((found.edited.left, found.edited.deleted), (1, 1));
    assert_eq!(found.edited.refused.len(), 1, "{:?}", found.edited.refused);
    assert_eq!(lines(&found.plan), ["move downloads/d.txt -> home/1 Boats/d (2).txt"]);
    fs::write(
        &file,
        "step,do,item,to,why,doubt,size,modified\n1,move,downloads/stranger.txt,home/1 Boats/x,,,1,\n",
    )
    .unwrap();
    assert!(matches!(carry::plan(&workspace, &file), Err(Error::TableUnknown(_))));
}

#[test]
fn what_was_carried_out_is_in_the_history_and_can_be_taken_back() {
    let world = World::new(ON_SHELF);
    world.file("Downloads/a.txt", "a");
    let workspace = world.open();
    tidy(&workspace).carry(&workspace).unwrap();
    assert!(matches!(undo::plan(&workspace, Some(7)), Err(Error::NoRun(7))));
    let undone = undo::plan(&workspace, None).unwrap();
    undone.plan.unwrap().carry(&workspace).unwrap();
    assert_eq!(world.names("Downloads"), ["a.txt"]);
    let found = history::all(&workspace).unwrap();
    assert_eq!(found.runs.len(), 2);
    assert_eq!(found.taken_back.get(&1), Some(&2));
    assert!(matches!(undo::plan(&workspace, None), Err(Error::NothingToUndo)));
}
