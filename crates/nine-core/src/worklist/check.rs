//! The check of a worklist as a whole, before anything is done.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use super::{Act, Step, Worklist};
use crate::amount::readable;
use crate::escape::escape;
use crate::item::Entry;
use crate::names::fold_bytes;
use crate::place::Spot;

/// Which names a file system holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NameRules {
    /// Names that differ only in letter case or Unicode form are one name.
    pub folds: bool,
    /// The longest name, in bytes.
    pub longest: usize,
    /// Names with `< > : " \ | ? *`, or with a space or dot at the end, are refused.
    pub strict: bool,
}

impl NameRules {
    /// The form under which names are compared here.
    pub fn key(&self, name: &[u8]) -> Vec<u8> {
        if self.folds {
            fold_bytes(name).into_bytes()
        } else {
            name.to_vec()
        }
    }

    fn refuses(&self, name: &[u8]) -> Option<Problem> {
        if name.len() > self.longest {
            return Some(Problem::NameTooLong {
                longest: self.longest,
            });
        }
        let strict = self.strict && crate::names::is_refused_elsewhere(name);
        strict.then(|| Problem::NameRefused {
            name: name.to_vec(),
        })
    }
}

/// What stands in a folder that steps lead to. A folder that is not there yet has no names.
#[derive(Debug, Clone)]
pub struct FolderFacts {
    /// Which names it holds.
    pub rules: NameRules,
    /// Its names, under [`NameRules::key`].
    pub names: HashMap<Vec<u8>, (Vec<u8>, Entry)>,
    /// What stands in the way of there being such a folder at all.
    pub blocked: Option<Problem>,
    /// Within one domain, moving copies nothing.
    pub domain: u64,
    /// Free bytes, where that is known.
    pub free: Option<u64>,
}

/// What stands in each folder that steps lead to.
pub type Standing = HashMap<Spot, FolderFacts>;

/// What the check knows of the world.
#[derive(Debug, Clone, Default)]
pub struct Facts {
    /// The folders that steps lead to.
    pub targets: Standing,
    /// For each folder that steps take from: its domain, or why nothing can be taken from it.
    pub sources: HashMap<Spot, Result<u64, Problem>>,
}

/// Why a step cannot be carried out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Problem {
    /// An earlier step changes the same item. Steps are counted from 0.
    SameItem(usize),
    /// Another step leads to the same target.
    SameTarget(usize),
    /// The target is inside the item itself.
    InsideItself,
    /// The item lies in a folder that another step takes away.
    MovedWith(usize),
    /// The target lies in something that another step takes away or puts there.
    TargetUnstable(usize),
    /// Steps that wait for one another in a circle.
    Circle(Vec<usize>),
    /// The name is taken.
    Taken(Box<Entry>),
    /// The name is longer than the target can hold.
    NameTooLong {
        /// The longest name, in bytes.
        longest: usize,
    },
    /// The target's file system refuses the name.
    NameRefused {
        /// The name.
        name: Vec<u8>,
    },
    /// Something that is no folder stands where a folder must be.
    NotAFolder(Spot),
    /// No right to change this folder.
    NoRight(Spot),
    /// The place cannot be reached.
    Unreachable(String),
    /// Too little space.
    NoSpace {
        /// Bytes that the step needs.
        needed: u64,
        /// Bytes that are left for it.
        free: u64,
    },
    /// It belongs together with a step that cannot be carried out.
    TogetherWith(usize),
    /// The trash cannot take it.
    NoTrash(String),
}

impl Problem {
    /// The problem in words. Steps are named by their number, counted from 1.
    pub fn words(&self) -> String {
        let nth = |step: &usize| format!("step {}", step + 1);
        match self {
            Problem::SameItem(other) => format!("{} changes the same item", nth(other)),
            Problem::SameTarget(other) => format!("{} leads to the same name", nth(other)),
            Problem::InsideItself => "the target is inside the item itself".into(),
            Problem::MovedWith(other) => format!("{} moves the folder it lies in", nth(other)),
            Problem::TargetUnstable(other) => {
                format!("{} changes what the target lies in", nth(other))
            }
            Problem::Circle(steps) => {
                let steps: Vec<String> = steps.iter().map(nth).collect();
                format!("{} wait for one another", steps.join(", "))
            }
            Problem::Taken(entry) => format!("the name is taken ({})", readable(entry.size)),
            Problem::NameTooLong { longest } => {
                format!("the name is longer than the {longest} bytes that fit there")
            }
            Problem::NameRefused { name } => {
                format!("`{}` is no name that fits there", escape(name))
            }
            Problem::NotAFolder(spot) => format!("{spot} is not a folder"),
            Problem::NoRight(spot) => format!("no right to change {spot}"),
            Problem::Unreachable(why) => format!("cannot be reached: {why}"),
            Problem::NoSpace { needed, free } => {
                format!(
                    "not enough space: {} needed, {} free",
                    readable(*needed),
                    readable(*free)
                )
            }
            Problem::TogetherWith(other) => format!(
                "it belongs together with {}, which cannot be done",
                nth(other)
            ),
            Problem::NoTrash(why) => format!("it cannot go into the trash: {why}"),
        }
    }
}

/// What the check allows.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Checked {
    /// The steps that can be carried out, by number, in an order in which each finds its target free.
    pub order: Vec<usize>,
    /// The steps that cannot, and why.
    pub refused: BTreeMap<usize, Problem>,
}

/// Checks a worklist against itself and against what is known of the world.
pub fn check(worklist: &Worklist, facts: &Facts) -> Checked {
    let mut checker = Checker::new(&worklist.steps, facts);
    checker.judge_alone();
    checker.judge_space();
    loop {
        let before = checker.refused.len();
        checker.judge_meetings();
        checker.judge_sets();
        if checker.refused.len() > before {
            continue;
        }
        match checker.order() {
            Ok(order) => {
                return Checked {
                    order,
                    refused: checker.refused,
                };
            }
            Err(circle) => {
                for step in &circle {
                    checker.refuse(*step, Problem::Circle(circle.clone()));
                }
            }
        }
    }
}

/// A target under which two steps would meet.
type Key = (Spot, Vec<u8>);

struct Checker<'a> {
    steps: &'a [Step],
    facts: &'a Facts,
    refused: BTreeMap<usize, Problem>,
}

impl<'a> Checker<'a> {
    fn new(steps: &'a [Step], facts: &'a Facts) -> Self {
        Self {
            steps,
            facts,
            refused: BTreeMap::new(),
        }
    }

    fn refuse(&mut self, step: usize, problem: Problem) {
        self.refused.entry(step).or_insert(problem);
    }

    /// The steps that are not refused and do something.
    fn active(&self) -> impl Iterator<Item = (usize, &'a Step)> + use<'a, '_> {
        let steps = self.steps.iter().enumerate();
        steps.filter(|(at, step)| step.act != Act::Leave && !self.refused.contains_key(at))
    }

    fn key(&self, target: &Spot) -> Key {
        let folder = target.folder();
        let name = target.path.name();
        let key = match self.facts.targets.get(&folder) {
            Some(facts) => facts.rules.key(name),
            None => name.to_vec(),
        };
        (folder, key)
    }

    fn standing_at(&self, target: &Spot) -> Option<&'a (Vec<u8>, Entry)> {
        let (folder, key) = self.key(target);
        self.facts.targets.get(&folder)?.names.get(&key)
    }

    /// What is wrong with a step whatever the others do.
    fn judge_alone(&mut self) {
        let problems: Vec<(usize, Problem)> = self
            .active()
            .filter_map(|(at, step)| Some((at, self.problem_alone(step)?)))
            .collect();
        for (at, problem) in problems {
            self.refuse(at, problem);
        }
    }

    fn problem_alone(&self, step: &Step) -> Option<Problem> {
        if step.vacates()
            && let Some(Err(problem)) = self.facts.sources.get(&step.item.folder())
        {
            return Some(problem.clone());
        }
        let target = step.target()?;
        if target.is_inside(&step.item) {
            return Some(Problem::InsideItself);
        }
        let facts = self.facts.targets.get(&target.folder())?;
        if let Some(problem) = &facts.blocked {
            return Some(problem.clone());
        }
        facts.rules.refuses(target.path.name())
    }

    /// Grants free space in the order of the steps.
    fn judge_space(&mut self) {
        let mut left: HashMap<u64, u64> = HashMap::new();
        let mut refused = Vec::new();
        for (at, step) in self.active() {
            let Some(facts) = step
                .target()
                .and_then(|t| self.facts.targets.get(&t.folder()))
            else {
                continue;
            };
            let from = self.facts.sources.get(&step.item.folder());
            let stays = matches!(from, Some(Ok(domain)) if *domain == facts.domain);
            let (Some(free), false) = (facts.free, stays || from.is_none()) else {
                continue;
            };
            let left = left.entry(facts.domain).or_insert(free);
            match left.checked_sub(step.size) {
                Some(rest) => *left = rest,
                None => refused.push((
                    at,
                    Problem::NoSpace {
                        needed: step.size,
                        free: *left,
                    },
                )),
            }
        }
        for (at, problem) in refused {
            self.refuse(at, problem);
        }
    }

    /// Steps that would meet: in one item, under one target, or one inside the other.
    fn judge_meetings(&mut self) {
        let mut leaving: HashMap<&Spot, usize> = HashMap::new();
        let mut landing: HashMap<Key, usize> = HashMap::new();
        let mut refused = Vec::new();
        for (at, step) in self.active() {
            if step.vacates() {
                match leaving.get(&step.item) {
                    Some(other) => refused.push((at, Problem::SameItem(*other))),
                    None => drop(leaving.insert(&step.item, at)),
                }
            }
        }
        for (at, step) in self.active() {
            let Some(target) = step.target() else {
                continue;
            };
            let key = self.key(target);
            match landing.get(&key) {
                Some(other) => refused.push((at, Problem::SameTarget(*other))),
                None => drop(landing.insert(key, at)),
            }
        }
        for (at, step) in self.active() {
            refused.extend(
                self.meeting(at, step, &leaving, &landing)
                    .map(|problem| (at, problem)),
            );
        }
        for (at, problem) in refused {
            self.refuse(at, problem);
        }
    }

    fn meeting(
        &self,
        at: usize,
        step: &Step,
        leaving: &HashMap<&Spot, usize>,
        landing: &HashMap<Key, usize>,
    ) -> Option<Problem> {
        if step.vacates()
            && let Some(other) = folders_above(&step.item).find_map(|folder| leaving.get(&folder))
        {
            return Some(Problem::MovedWith(*other));
        }
        let target = step.target()?;
        for folder in folders_above(target) {
            let left = leaving.get(&folder).copied();
            let landed = landing.get(&self.key(&folder)).copied();
            if let Some(other) = left.or(landed).filter(|other| *other != at) {
                return Some(Problem::TargetUnstable(other));
            }
        }
        let (name, entry) = self.standing_at(target)?;
        let occupant = Spot::new(target.place.clone(), target.folder().path.join(name));
        if occupant == step.item && matches!(step.act, Act::Move { .. }) {
            return None; // only letter case or Unicode form changes
        }
        match leaving.get(&occupant) {
            Some(other) if *other != at => None,
            _ => Some(Problem::Taken(Box::new(entry.clone()))),
        }
    }

    /// Refuses what belongs together with a refused step.
    fn judge_sets(&mut self) {
        let mut broken: HashMap<u32, usize> = HashMap::new();
        for at in self.refused.keys() {
            if let Some(set) = self.steps[*at].together {
                broken.entry(set).or_insert(*at);
            }
        }
        let refused: Vec<(usize, Problem)> = self
            .active()
            .filter_map(|(at, step)| {
                Some((at, Problem::TogetherWith(*broken.get(&step.together?)?)))
            })
            .collect();
        for (at, problem) in refused {
            self.refuse(at, problem);
        }
    }

    /// An order in which each step finds its target free, or the steps of a circle.
    fn order(&self) -> Result<Vec<usize>, Vec<usize>> {
        let leaving: HashMap<&Spot, usize> = self
            .active()
            .filter(|(_, step)| step.vacates())
            .map(|(at, step)| (&step.item, at))
            .collect();
        // The step that must come before each, if any.
        let waits_for: BTreeMap<usize, usize> = self
            .active()
            .filter_map(|(at, step)| {
                let target = step.target()?;
                let (name, _) = self.standing_at(target)?;
                let occupant = Spot::new(target.place.clone(), target.folder().path.join(name));
                let first = leaving.get(&occupant)?;
                (*first != at).then_some((at, *first))
            })
            .collect();
        // Tags first: a tag step must find its item where it lies.
        let tags = |step: &Step| matches!(step.act, Act::Tag { .. });
        let (first, rest): (Vec<_>, Vec<_>) = self.active().partition(|(_, step)| tags(step));
        let mut order = Vec::new();
        let mut done = BTreeSet::new();
        for (at, _) in first.into_iter().chain(rest) {
            let mut chain = vec![at];
            while let Some(next) = waits_for
                .get(&chain[chain.len() - 1])
                .filter(|n| !done.contains(*n))
            {
                if let Some(start) = chain.iter().position(|step| step == next) {
                    let mut circle = chain.split_off(start);
                    circle.sort_unstable();
                    return Err(circle);
                }
                chain.push(*next);
            }
            order.extend(chain.into_iter().rev().filter(|step| done.insert(*step)));
        }
        Ok(order)
    }
}

/// The folders that an item lies in, nearest first, the place itself left out.
fn folders_above(spot: &Spot) -> impl Iterator<Item = Spot> {
    let mut path = spot.path.parent();
    std::iter::from_fn(move || {
        let here = path.take().filter(|p| !p.is_root())?;
        path = here.parent();
        Some(Spot::new(spot.place.clone(), here))
    })
}
