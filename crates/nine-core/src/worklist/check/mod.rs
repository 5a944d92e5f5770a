//! The check of a worklist as a whole, before anything is done.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::collections::hash_map::Entry;

mod meetings;
mod order;

use super::{Act, Problem, Step, Worklist};
use crate::folder_numbers::FolderNumbers;
use crate::item;
use crate::names::fold_bytes;
use crate::place::{NameBuf, Spot};
use foldhash::{HashMap, HashMapExt};

/// Which names a file system holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NameRules {
    /// Names that differ only in letter case or Unicode form are one name.
    pub folds: bool,
    /// The longest name, in bytes.
    pub longest: usize,
    /// Names with `< > : " \ | ? *`, or with a space or dot at the end, are refused.
    pub strict: bool,
    /// Characters (ASCII) that no name may have.
    pub refused: &'static [u8],
}

impl NameRules {
    /// The form under which names are compared here.
    pub fn key(&self, name: &[u8]) -> Vec<u8> {
        if self.folds { fold_bytes(name).into_bytes() } else { name.to_vec() }
    }

    fn refuses(&self, name: &[u8]) -> Option<Problem> {
        if name.len() > self.longest {
            return Some(Problem::NameTooLong { longest: self.longest });
        }
        let strict = self.strict && crate::names::is_refused_elsewhere(name);
        let has_refused = name.iter().any(|byte| self.refused.contains(byte));
        (strict || has_refused).then(|| Problem::NameRefused { name: name.to_vec() })
    }
}

/// What stands in a folder that steps lead to. A folder that is not there yet has no names.
#[derive(Debug, Clone)]
pub struct FolderFacts {
    /// Which names it holds.
    pub rules: NameRules,
    /// Its names, under [`NameRules::key`].
    pub names: HashMap<Vec<u8>, (NameBuf, item::Entry)>,
    /// What stands in the way of there being such a folder at all.
    pub blocked: Option<Problem>,
    /// Within one domain, moving copies nothing.
    pub domain: u64,
    /// Free bytes, where that is known.
    pub free: Option<u64>,
}

/// What stands in each folder that steps lead to.
pub type NamesThere = HashMap<Spot, FolderFacts>;

/// What the check knows of the world.
#[derive(Debug, Clone, Default)]
pub struct Facts {
    /// The folders that steps lead to.
    pub targets: NamesThere,
    /// For each folder that steps take from: its domain, or why nothing can be taken from it.
    pub sources: HashMap<Spot, Result<u64, Problem>>,
}

/// What the check allows.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Checked {
    /// The steps that can be carried out, by number, in an order in which each finds its target free.
    pub order: Vec<usize>,
    /// The steps that cannot, and why.
    pub refused: BTreeMap<usize, Problem>,
}

/// Checks a worklist against itself and against what is known of the world. Each step is looked at once, and once
/// more only where a step that it counts on is refused.
pub fn check(worklist: &Worklist, facts: &Facts) -> Checked {
    let mut checker = Checker::new(&worklist.steps, facts);
    checker.judge_alone();
    checker.judge_space();
    let (leaving, twice) = checker.leaving();
    let waits = checker.waits(&leaving);
    checker.judge_meetings(&leaving, twice);
    checker.refuse_sets(0, &waits);
    checker.refuse_what_counts_on_it(0, &waits);
    loop {
        let (order, circles) = checker.order(&waits);
        if circles.is_empty() {
            return Checked { order, refused: checker.refused.into_iter().collect() };
        }
        let before = checker.news.len();
        for circle in circles {
            circle.iter().for_each(|step| checker.refuse(*step, Problem::Circle(circle.clone())));
        }
        checker.refuse_what_counts_on_it(before, &waits);
    }
}

/// What a step's target comes to, worked out once.
struct Landing<'a> {
    /// The number of the target's folder.
    folder: usize,
    /// The target's name in the form under which names are compared there.
    key: Cow<'a, [u8]>,
    /// What stands in the folder.
    facts: Option<&'a FolderFacts>,
}

impl<'a> Landing<'a> {
    fn new(target: &'a Spot, folder: usize, facts: Option<&'a FolderFacts>) -> Self {
        let name = target.path.name();
        let key = match facts {
            Some(facts) if facts.rules.folds => Cow::Owned(facts.rules.key(name)),
            _ => Cow::Borrowed(name),
        };
        Self { folder, key, facts }
    }

    /// What has the target's name now.
    fn standing(&self) -> Option<&'a (NameBuf, item::Entry)> {
        self.facts?.names.get(&*self.key)
    }
}

struct Checker<'a> {
    steps: &'a [Step],
    facts: &'a Facts,
    /// The folders that steps lead to.
    folders: Vec<Spot>,
    /// For each step that leads somewhere.
    landings: Vec<Option<Landing<'a>>>,
    /// For each step, what is known of the folder that holds its item.
    sources: Vec<Option<&'a Result<u64, Problem>>>,
    refused: HashMap<usize, Problem>,
    /// The same steps in the order in which they were refused.
    news: Vec<usize>,
}

impl<'a> Checker<'a> {
    fn new(steps: &'a [Step], facts: &'a Facts) -> Self {
        let (mut to, mut targets) = (FolderNumbers::default(), Vec::new());
        let (mut from, mut domains) = (FolderNumbers::default(), Vec::new());
        let (mut landings, mut sources) = (Vec::with_capacity(steps.len()), Vec::with_capacity(steps.len()));
        for step in steps {
            landings.push(step.target().map(|target| {
                let folder = to.of(target);
                targets.extend(to.all()[targets.len()..].iter().map(|new| facts.targets.get(new)));
                Landing::new(target, folder, targets[folder])
            }));
            let folder = from.of(&step.item);
            domains.extend(from.all()[domains.len()..].iter().map(|new| facts.sources.get(new)));
            sources.push(domains[folder]);
        }
        let (folders, refused) = (to.into_all(), HashMap::new());
        Self { steps, facts, folders, landings, sources, refused, news: Vec::new() }
    }

    fn refuse(&mut self, step: usize, problem: Problem) {
        if let Entry::Vacant(place) = self.refused.entry(step) {
            place.insert(problem);
            self.news.push(step);
        }
    }

    fn refuse_all(&mut self, found: Vec<(usize, Problem)>) {
        for (at, problem) in found {
            self.refuse(at, problem);
        }
    }

    /// The steps that are not refused and do something.
    fn active(&self) -> impl Iterator<Item = (usize, &'a Step)> + use<'a, '_> {
        let steps = self.steps.iter().enumerate();
        // With a pattern, since comparing two acts is a call.
        let acts = |step: &Step| !matches!(step.act, Act::Leave);
        steps.filter(move |(at, step)| acts(step) && !self.refused.contains_key(at))
    }

    /// What has the name of a step's target now, by its whole address.
    fn occupant(&self, at: usize) -> Option<(Spot, &'a item::Entry)> {
        let landing = self.landings[at].as_ref()?;
        let (name, entry) = landing.standing()?;
        let folder = &self.folders[landing.folder];
        Some((Spot::new(folder.place.clone(), folder.path.join(name)), entry))
    }

    /// What is wrong with a step whatever the others do.
    fn judge_alone(&mut self) {
        let alone = |(at, step)| Some((at, self.problem_alone(at, step)?));
        let found = self.active().filter_map(alone).collect();
        self.refuse_all(found);
    }

    fn problem_alone(&self, at: usize, step: &Step) -> Option<Problem> {
        let from = self.sources[at];
        if step.vacates()
            && let Some(Err(problem)) = from
        {
            return Some(problem.clone());
        }
        // A folder's own rights say nothing of its items' tags, but nothing can be done where it is not reached.
        if let (Act::Tag { .. }, Some(Err(problem @ Problem::Unreachable(_)))) = (&step.act, from) {
            return Some(problem.clone());
        }
        let target = step.target()?;
        if target.is_inside(&step.item) {
            return Some(Problem::InsideItself);
        }
        let facts = self.landings[at].as_ref()?.facts?;
        if let Some(problem) = &facts.blocked {
            return Some(problem.clone());
        }
        facts.rules.refuses(target.path.name())
    }

    /// Grants free space in the order of the steps.
    fn judge_space(&mut self) {
        let mut left: HashMap<u64, u64> = HashMap::new();
        let mut found = Vec::new();
        for (at, step) in self.active() {
            let Some(facts) = self.landings[at].as_ref().and_then(|landing| landing.facts) else { continue };
            let from = self.sources[at];
            let stays =
                !step.adds() && from.is_none_or(|from| matches!(from, Ok(domain) if *domain == facts.domain));
            let (Some(free), false) = (facts.free, stays) else { continue };
            let left = left.entry(facts.domain).or_insert(free);
            match left.checked_sub(step.size) {
                Some(rest) => *left = rest,
                None => found.push((at, Problem::NoSpace { needed: step.size, free: *left })),
            }
        }
        self.refuse_all(found);
    }
}
