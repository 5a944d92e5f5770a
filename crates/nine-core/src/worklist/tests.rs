use std::collections::BTreeMap;

use proptest::prelude::*;

use super::*;
use crate::item::{Entry, Identity};
use crate::place::{ItemPath, NameBuf};

fn spot(text: &str) -> Spot {
    Spot::parse(text).unwrap()
}

fn entry(kind: Kind) -> Entry {
    Entry {
        kind,
        size: 10,
        modified: Moment(0),
        opened: None,
        born: None,
        changed: Moment(0),
        identity: Identity([0, 0]),
    }
}

fn step(item: &str, act: Act) -> Step {
    Step {
        act,
        item: spot(item),
        kind: Kind::File,
        stamp: entry(Kind::File).stamp(),
        size: 10,
        modified: Moment(0),
        why: "".into(),
        doubts: vec![],
        together: None,
    }
}

fn moved(item: &str, to: &str) -> Step {
    step(item, Act::Move { to: spot(to) })
}

const OURS: NameRules = NameRules { folds: false, longest: 255, strict: false, refused: b"" };

/// A world in which exactly these things exist.
fn facts(existing: &[&str], steps: &[Step], rules: NameRules) -> Facts {
    let mut facts = Facts::default();
    for folder in steps.iter().filter_map(Step::target).map(Spot::folder) {
        let here = existing.iter().map(|text| spot(text)).filter(|s| s.folder() == folder);
        let names = here
            .map(|s| (rules.key(s.path.name()), (s.path.last().unwrap().into(), entry(Kind::File))))
            .collect();
        facts.targets.insert(folder, FolderFacts { rules, names, blocked: None, domain: 1, free: None });
    }
    for step in steps {
        facts.sources.insert(step.item.folder(), Ok(1));
    }
    facts
}

fn checked(existing: &[&str], steps: Vec<Step>) -> Checked {
    let facts = facts(existing, &steps, OURS);
    check(&Worklist { steps }, &facts)
}

#[test]
fn two_steps_for_one_target_or_one_item() {
    let out = checked(&[], vec![moved("p/a", "b/x"), moved("p/b", "b/x"), moved("p/a", "b/y")]);
    assert_eq!(out.order, [0]);
    assert_eq!(out.refused[&1], Problem::SameTarget(0));
    assert_eq!(out.refused[&2], Problem::SameItem(0));
}

#[test]
fn names_that_differ_in_case_meet_where_the_target_folds() {
    let steps = vec![moved("p/a", "b/Plan"), moved("p/b", "b/pla\u{6e}"), moved("p/c", "b/PLAN")];
    let folding = NameRules { folds: true, ..OURS };
    let out = check(&Worklist { steps: steps.clone() }, &facts(&[], &steps, folding));
    assert_eq!((out.order, out.refused.len()), (vec![0], 2));
    assert_eq!(check(&Worklist { steps: steps.clone() }, &facts(&[], &steps, OURS)).order, [0, 1, 2]);
    let rename = vec![moved("p/plan", "p/Plan")];
    let facts = facts(&["p/plan"], &rename, folding);
    assert_eq!(check(&Worklist { steps: rename }, &facts).order, [0]);
}

#[test]
fn inside_one_another() {
    let out = checked(
        &["p/f", "p/f/x"],
        vec![moved("p/f", "p/f/deeper/f"), moved("p/g", "b/g"), moved("p/g/x", "b/x"), moved("p/h", "p/g/h")],
    );
    assert_eq!(out.order, [1]);
    assert_eq!(out.refused[&0], Problem::InsideItself);
    assert_eq!(out.refused[&2], Problem::MovedWith(1));
    assert_eq!(out.refused[&3], Problem::TargetUnstable(1));
    let nested = checked(&[], vec![moved("p/a", "b/x"), moved("p/b", "b/x/y")]);
    assert_eq!(nested.refused[&1], Problem::TargetUnstable(0));
}

/// The same for very many names in one folder.
fn checked_in_one_folder(existing: usize, name: impl Fn(usize) -> String, steps: Vec<Step>) -> Checked {
    let there = (0..existing).map(|n| spot(&name(n))).map(|spot| {
        let own: NameBuf = spot.path.last().unwrap().into();
        (own.to_vec(), (own, entry(Kind::File)))
    });
    let names = there.collect();
    let folder = FolderFacts { rules: OURS, names, blocked: None, domain: 1, free: None };
    let mut facts = Facts::default();
    facts.targets.insert(spot("p"), folder);
    facts.sources.insert(spot("p"), Ok(1));
    check(&Worklist { steps }, &facts)
}

#[test]
fn very_many_names_that_wait_for_one_another_are_looked_at_once() {
    const MANY: usize = 100_000;
    let name = |n: usize| format!("p/photo {n}");
    let up = || (0..MANY).map(|n| moved(&name(n), &name(n + 1))).collect::<Vec<_>>();
    let out = checked_in_one_folder(MANY, name, up());
    assert!(out.order.iter().copied().eq((0..MANY).rev()), "the last one goes first");
    // The name that the last one wants stays taken, and so does each before it.
    let out = checked_in_one_folder(MANY + 1, name, up());
    assert!(out.order.is_empty() && out.refused.len() == MANY);
    assert!(out.refused.values().all(|problem| matches!(problem, Problem::Taken(_))));
    let swapped = (0..MANY).map(|n| moved(&name(n), &name(n ^ 1))).collect();
    let out = checked_in_one_folder(MANY, name, swapped);
    assert_eq!((out.order.len(), out.refused.len()), (0, MANY));
    assert_eq!(out.refused[&7], Problem::Circle(vec![6, 7]));
    // What waits for a circle is not done either, and what waits for that.
    let mut waiting: Vec<Step> = vec![moved("p/photo 0", "p/photo 1"), moved("p/photo 1", "p/photo 0")];
    waiting.extend((2..MANY).map(|n| moved(&name(n), &name(n - 1))));
    let out = checked_in_one_folder(MANY, name, waiting);
    assert_eq!(out.refused[&(MANY - 1)], Problem::Taken(Box::new(entry(Kind::File))));
    assert!(out.order.is_empty());
}

#[test]
fn chains_are_ordered_and_circles_refused() {
    let out = checked(&["p/a", "p/b"], vec![moved("p/a", "p/b"), moved("p/b", "p/c")]);
    assert_eq!(out.order, [1, 0]);
    let out =
        checked(&["p/a", "p/b", "p/c"], vec![moved("p/a", "p/b"), moved("p/b", "p/a"), moved("p/c", "p/d")]);
    assert_eq!(out.order, [2]);
    assert_eq!(out.refused[&0], Problem::Circle(vec![0, 1]));
}

#[test]
fn a_taken_name_is_free_once_its_owner_is_discarded() {
    let out = checked(&["b/x"], vec![moved("p/x", "b/x")]);
    assert!(matches!(out.refused[&0], Problem::Taken(_)));
    let out = checked(&["b/x"], vec![moved("p/x", "b/x"), step("b/x", Act::discard())]);
    assert_eq!(out.order, [1, 0]);
}

#[test]
fn sets_go_as_one_or_not_at_all() {
    let mut steps = vec![moved("p/a.jpg", "b/a.jpg"), moved("p/a.xmp", "b/a.xmp"), moved("p/c", "b/c")];
    steps[0].together = Some(1);
    steps[1].together = Some(1);
    let out = checked(&["b/a.xmp"], steps);
    assert_eq!(out.order, [2]);
    assert_eq!(out.refused[&0], Problem::TogetherWith(1));
}

#[test]
fn tags_come_first_and_space_is_granted_in_order() {
    let tag = step("p/a", Act::Tag { from: vec![], to: vec!["x".into()] });
    let steps = vec![moved("p/a", "b/a"), tag, moved("p/b", "b/b"), moved("p/c", "b/c")];
    let mut facts = facts(&[], &steps, OURS);
    let target = facts.targets.get_mut(&spot("b")).unwrap();
    (target.domain, target.free) = (2, Some(25));
    let out = check(&Worklist { steps }, &facts);
    assert_eq!(out.order, [1, 0, 2]);
    assert_eq!(out.refused[&3], Problem::NoSpace { needed: 10, free: 5 });
}

#[test]
fn names_that_do_not_fit_and_folders_that_cannot_be() {
    let long = format!("b/{}", "x".repeat(256));
    let steps = vec![moved("p/a", &long), moved("p/b", "b/what?"), moved("p/c", "c/d")];
    let mut facts = facts(&[], &steps, NameRules { strict: true, ..OURS });
    facts.targets.get_mut(&spot("c")).unwrap().blocked = Some(Problem::NotAFolder(spot("c/d")));
    let out = check(&Worklist { steps }, &facts);
    assert_eq!(out.refused[&0], Problem::NameTooLong { longest: 255 });
    assert!(matches!(out.refused[&1], Problem::NameRefused { .. }));
    assert_eq!(out.refused[&2], Problem::NotAFolder(spot("c/d")));
    assert!(out.refused.values().all(|problem| !problem.words().is_empty()));
}

/// A path of one to three of few names, so that random steps meet often.
fn path() -> impl Strategy<Value = String> {
    proptest::collection::vec(prop_oneof!["a", "b", "A", "c"], 1..4)
        .prop_map(|parts| format!("p/{}", parts.join("/")))
}

/// A step that discards one item as a copy of another.
fn copy_of(item: &str, original: &str) -> Step {
    let original = Original { item: spot(original), stamp: step(original, Act::Leave).stamp };
    step(item, Act::Discard { copy_of: Some(original) })
}

#[test]
fn a_copy_goes_only_while_what_stays_does_and_before_that_is_moved() {
    let steps = vec![moved("p/a", "b/a"), copy_of("p/c", "p/a")];
    assert_eq!(checked(&[], steps).order, [1, 0]);
    let steps = vec![copy_of("p/a", "p/c"), copy_of("p/c", "p/a")];
    let out = checked(&[], steps);
    assert_eq!(out.refused.get(&0), Some(&Problem::OriginalGoes(1)));
    assert_eq!(out.refused.get(&1), Some(&Problem::OriginalGoes(0)));
    let steps = vec![copy_of("p/x", "p/f/a"), step("p/f", Act::discard())];
    assert_eq!(checked(&[], steps).refused.get(&0), Some(&Problem::OriginalGoes(1)));
    let steps = vec![copy_of("p/x", "p/f"), step("p/f/a", Act::discard())];
    assert_eq!(checked(&[], steps).refused.get(&0), Some(&Problem::OriginalGoes(1)));
    let steps = vec![copy_of("p/f", "p/f/a")];
    assert_eq!(checked(&[], steps).refused.get(&0), Some(&Problem::OriginalGoes(0)));
}

fn random_steps() -> impl Strategy<Value = Vec<Step>> {
    let any_step =
        (path(), path(), 0..8, proptest::option::of(0u32..3)).prop_map(|(from, to, kind, together)| {
            let mut made = match kind {
                0 => step(&from, Act::discard()),
                1 => step(&from, Act::Tag { from: vec![], to: vec!["t".into()] }),
                2 => copy_of(&from, &to),
                _ => moved(&from, &to),
            };
            made.together = together.filter(|_| kind > 2);
            made
        });
    proptest::collection::vec(any_step, 1..8)
}

/// Every file that exists in a model world: path to what was there at first.
type Model = BTreeMap<ItemPath, String>;

/// Moves or drops a file or a whole folder of the model; says whether anything would be met.
fn carry_in_model(model: &mut Model, step: &Step) -> Result<(), String> {
    let inside: Vec<ItemPath> =
        model.keys().filter(|p| **p == step.item.path || p.is_inside(&step.item.path)).cloned().collect();
    if inside.is_empty() {
        return Err(format!("{} is not there", step.item));
    }
    let Act::Move { to } = &step.act else {
        if let Some(original) = step.original() {
            let stays = |path: &ItemPath| *path == original.item.path || path.is_inside(&original.item.path);
            if !model.keys().any(|path| stays(path) && !inside.contains(path)) {
                return Err(format!("{} is not there to stay", original.item));
            }
        }
        if matches!(step.act, Act::Discard { .. }) {
            model.retain(|path, _| !inside.contains(path));
        }
        return Ok(());
    };
    let taken: Vec<(ItemPath, String)> = inside.iter().filter_map(|p| model.remove_entry(p)).collect();
    let meets = |p: &ItemPath| *p == to.path || p.is_inside(&to.path) || to.path.is_inside(p);
    if let Some(met) = model.keys().find(|p| meets(p)) {
        return Err(format!("{to} meets {met}"));
    }
    for (path, was) in taken {
        let below = ItemPath::new(&path.as_bytes()[step.item.path.as_bytes().len()..]).unwrap();
        model.insert(to.path.join_path(&below), was);
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(2_000))]
    #[test]
    fn allowed_steps_never_meet(steps in random_steps(), existing in proptest::collection::btree_set(path(), 0..6)) {
        // Items exist as files, unless something lies in them.
        let mut files: Vec<String> = existing.iter().cloned().chain(steps.iter().map(|s| s.item.to_string()))
            .chain(steps.iter().filter_map(|s| Some(s.original()?.item.to_string()))).collect();
        files.sort();
        files.dedup();
        let all: Vec<String> = files.iter().flat_map(|file| {
            let parts: Vec<&str> = file.split('/').collect();
            (2..=parts.len()).map(|n| parts[..n].join("/")).collect::<Vec<_>>()
        }).collect();
        let all: Vec<&str> = all.iter().map(String::as_str).collect();
        let is_folder = |file: &str| all.iter().any(|other| other.starts_with(&format!("{file}/")));
        let mut model: Model = files.iter().filter(|f| !is_folder(f))
            .map(|f| (spot(f).path, f.clone())).collect();
        let mut facts = facts(&all, &steps, OURS);
        // A file stands in the way of a folder of its name; the store reports that.
        for (folder, target) in &mut facts.targets {
            let mut above = Some(folder.path.clone());
            while let Some(path) = above {
                if model.contains_key(&path) {
                    target.blocked = Some(Problem::NotAFolder(Spot::new("p", path.clone())));
                }
                above = path.parent();
            }
        }
        let out = check(&Worklist { steps: steps.clone() }, &facts);
        prop_assert_eq!(out.order.len() + out.refused.len(), steps.len());
        let mut discarded = 0;
        let before = model.len();
        for at in &out.order {
            let had = model.len();
            prop_assert_eq!(carry_in_model(&mut model, &steps[*at]), Ok(()), "step {} of {:?}", at, out);
            discarded += had - model.len();
        }
        prop_assert_eq!(model.len() + discarded, before);
        let left: Vec<&String> = model.values().collect();
        for at in &out.order {
            let Some(original) = steps[*at].original() else { continue };
            let stayed = files.iter().filter(|f| !is_folder(f) && {
                let path = spot(f).path;
                path == original.item.path || path.is_inside(&original.item.path)
            });
            prop_assert!(stayed.clone().any(|file| left.contains(&file)), "{} went", original.item);
        }
    }
}
