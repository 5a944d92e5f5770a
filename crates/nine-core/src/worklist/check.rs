//! The check of a worklist as a whole, before anything is done.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use super::{Act, Problem, Step, Worklist};
use crate::item::Entry;
use crate::names::fold_bytes;
use crate::place::{NameBuf, Spot};

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
    pub names: HashMap<Vec<u8>, (NameBuf, Entry)>,
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
                return Checked { order, refused: checker.refused };
            }
            Err(circle) => {
                for step in &circle {
                    checker.refuse(*step, Problem::Circle(circle.clone()));
                }
            }
        }
    }
}

/// What a step's target comes to, worked out once.
struct Landing<'a> {
    /// The number of the target's folder.
    folder: usize,
    /// The target's name in the form under which names are compared there.
    key: Vec<u8>,
    /// What stands in the folder.
    facts: Option<&'a FolderFacts>,
}

impl<'a> Landing<'a> {
    /// What has the target's name now.
    fn standing(&self) -> Option<&'a (NameBuf, Entry)> {
        self.facts?.names.get(&self.key)
    }
}

struct Checker<'a> {
    steps: &'a [Step],
    facts: &'a Facts,
    /// The folders that steps lead to; a folder's number is its place here.
    folders: Vec<Spot>,
    /// For each step that leads somewhere.
    landings: Vec<Option<Landing<'a>>>,
    refused: BTreeMap<usize, Problem>,
}

impl<'a> Checker<'a> {
    fn new(steps: &'a [Step], facts: &'a Facts) -> Self {
        let mut checker =
            Self { steps, facts, folders: Vec::new(), landings: Vec::new(), refused: BTreeMap::new() };
        let mut numbers: HashMap<Spot, usize> = HashMap::new();
        for step in steps {
            let landing = step.target().map(|target| {
                let folder = target.folder();
                let facts = facts.targets.get(&folder);
                let name = target.path.name();
                let number = *numbers.entry(folder).or_insert_with_key(|folder| {
                    checker.folders.push(folder.clone());
                    checker.folders.len() - 1
                });
                Landing {
                    folder: number,
                    key: facts.map_or_else(|| name.to_vec(), |f| f.rules.key(name)),
                    facts,
                }
            });
            checker.landings.push(landing);
        }
        checker
    }

    fn refuse(&mut self, step: usize, problem: Problem) {
        self.refused.entry(step).or_insert(problem);
    }

    fn refuse_all(&mut self, found: Vec<(usize, Problem)>) {
        for (at, problem) in found {
            self.refuse(at, problem);
        }
    }

    /// The steps that are not refused and do something.
    fn active(&self) -> impl Iterator<Item = (usize, &'a Step)> + use<'a, '_> {
        let steps = self.steps.iter().enumerate();
        steps.filter(|(at, step)| step.act != Act::Leave && !self.refused.contains_key(at))
    }

    /// What has the name of a step's target now, by its whole address.
    fn occupant(&self, at: usize) -> Option<(Spot, &'a Entry)> {
        let landing = self.landings[at].as_ref()?;
        let (name, entry) = landing.standing()?;
        let folder = &self.folders[landing.folder];
        Some((Spot::new(folder.place.clone(), folder.path.join(name)), entry))
    }

    /// What is wrong with a step whatever the others do.
    fn judge_alone(&mut self) {
        let found =
            self.active().filter_map(|(at, step)| Some((at, self.problem_alone(at, step)?))).collect();
        self.refuse_all(found);
    }

    fn problem_alone(&self, at: usize, step: &Step) -> Option<Problem> {
        if step.vacates()
            && let Some(Err(problem)) = self.facts.sources.get(&step.item.folder())
        {
            return Some(problem.clone());
        }
        // A folder's own rights say nothing of its items' tags, but nothing can be done where it is not reached.
        if let (Act::Tag { .. }, Some(Err(problem @ Problem::Unreachable(_)))) =
            (&step.act, self.facts.sources.get(&step.item.folder()))
        {
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
            let from = self.facts.sources.get(&step.item.folder());
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

    /// Steps that would meet: in one item, under one target, or one inside the other.
    fn judge_meetings(&mut self) {
        let mut leaving: HashMap<&Spot, usize> = HashMap::new();
        let mut landing: HashMap<(usize, &[u8]), usize> = HashMap::new();
        let mut found = Vec::new();
        for (at, step) in self.active() {
            if step.vacates() {
                match leaving.get(&step.item) {
                    Some(other) => found.push((at, Problem::SameItem(*other))),
                    None => drop(leaving.insert(&step.item, at)),
                }
            }
            if let Some(target) = &self.landings[at] {
                match landing.get(&(target.folder, target.key.as_slice())) {
                    Some(other) => found.push((at, Problem::SameTarget(*other))),
                    None => drop(landing.insert((target.folder, &target.key), at)),
                }
            }
        }
        found.extend(self.originals_that_go(&leaving));
        let unstable = self.unstable_folders(&leaving, &landing);
        for (at, step) in self.active() {
            found.extend(self.meeting(at, step, &leaving, &unstable).map(|problem| (at, problem)));
        }
        self.refuse_all(found);
    }

    /// Copies of what is itself discarded, as a whole, with its folder, or in part.
    fn originals_that_go(&self, leaving: &HashMap<&Spot, usize>) -> Vec<(usize, Problem)> {
        let copies = || self.active().filter_map(|(at, step)| Some((at, &step.original()?.item)));
        if copies().next().is_none() {
            return Vec::new();
        }
        let is_discarded = |at: &usize| matches!(self.steps[*at].act, Act::Discard { .. });
        let going = || leaving.iter().filter(|(_, at)| is_discarded(at));
        let whole: HashMap<Spot, usize> = going().map(|(item, at)| ((*item).clone(), *at)).collect();
        let mut in_part: HashMap<Spot, usize> = HashMap::new();
        for (item, at) in going() {
            in_part.extend(itself_and_above(&item.folder()).map(|folder| (folder, *at)));
        }
        let goes = |original: &Spot| {
            let with = itself_and_above(original).find_map(|spot| whole.get(&spot));
            with.or_else(|| in_part.get(original)).copied()
        };
        copies().filter_map(|(at, original)| Some((at, Problem::OriginalGoes(goes(original)?)))).collect()
    }

    /// For each folder that steps lead to, the step that takes it away, or puts something where it or
    /// a folder above it would have to be.
    fn unstable_folders(
        &self,
        leaving: &HashMap<&Spot, usize>,
        landing: &HashMap<(usize, &[u8]), usize>,
    ) -> Vec<Option<usize>> {
        let numbers: HashMap<&Spot, usize> = self.folders.iter().zip(0..).collect();
        let changed_by = |folder: &Spot| {
            let landed = || {
                let above = folder.folder();
                let key = self.facts.targets.get(&above).map(|f| f.rules.key(folder.path.name()));
                let key = key.unwrap_or_else(|| folder.path.name().to_vec());
                landing.get(&(*numbers.get(&above)?, key.as_slice())).copied()
            };
            // Whoever comes first makes a folder that others come into.
            let landed = || landed().filter(|at| self.steps[*at].act != Act::Make);
            leaving.get(folder).copied().or_else(landed)
        };
        let folders = self.folders.iter();
        folders.map(|folder| itself_and_above(folder).find_map(|folder| changed_by(&folder))).collect()
    }

    fn meeting(
        &self,
        at: usize,
        step: &Step,
        leaving: &HashMap<&Spot, usize>,
        unstable: &[Option<usize>],
    ) -> Option<Problem> {
        if step.vacates()
            && let Some(other) = itself_and_above(&step.item.folder()).find_map(|folder| leaving.get(&folder))
        {
            return Some(Problem::MovedWith(*other));
        }
        let landing = self.landings[at].as_ref()?;
        if let Some(other) = unstable[landing.folder].filter(|other| *other != at) {
            return Some(Problem::TargetUnstable(other));
        }
        let (occupant, entry) = self.occupant(at)?;
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
        let found = self.active();
        let found =
            found.filter_map(|(at, step)| Some((at, Problem::TogetherWith(*broken.get(&step.together?)?))));
        let found = found.collect();
        self.refuse_all(found);
    }

    /// An order in which each step finds its target free, or the steps of a circle.
    fn order(&self) -> Result<Vec<usize>, Vec<usize>> {
        let leaving: HashMap<&Spot, usize> =
            self.active().filter(|(_, step)| step.vacates()).map(|(at, step)| (&step.item, at)).collect();
        // The step that must come before each, if any.
        let waits_for: BTreeMap<usize, usize> = self
            .active()
            .filter_map(|(at, _)| {
                let (occupant, _) = self.occupant(at)?;
                let first = leaving.get(&occupant)?;
                (*first != at).then_some((at, *first))
            })
            .collect();
        // Tags first: a tag step must find its item where it lies. Then copies go, while what stays in
        // their place lies where it was seen. Folders that are to be empty come last.
        let turn = |step: &Step| match step.act {
            Act::Tag { .. } => 0,
            Act::Discard { copy_of: Some(_) } => 1,
            Act::Unmake => 3,
            _ => 2,
        };
        let mut steps: Vec<_> = self.active().collect();
        steps.sort_by_key(|(_, step)| turn(step));
        let mut order = Vec::new();
        let mut done = BTreeSet::new();
        for (at, _) in steps {
            let mut chain = vec![at];
            while let Some(next) = waits_for.get(&chain[chain.len() - 1]).filter(|n| !done.contains(*n)) {
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

/// A folder and the folders that it lies in, nearest first, the place itself left out.
fn itself_and_above(folder: &Spot) -> impl Iterator<Item = Spot> {
    let mut path = Some(folder.path.clone());
    std::iter::from_fn(move || {
        let here = path.take().filter(|p| !p.is_root())?;
        path = here.parent();
        Some(Spot::new(folder.place.clone(), here))
    })
}
