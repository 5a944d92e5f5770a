//! Destinations where things go, learned from folders: those named by a value (a year, a facet's answer, an
//! initial) are understood as one pattern, so that next year's folder is known before it is there.

use std::cmp::Reverse;
use std::collections::BTreeMap;
use std::fmt;

use super::examples::{Examples, Shelved};
use super::named_by_value::{NamePattern, candidates, may_be};
use crate::facet::Facets;
use crate::item::Item;
use crate::moment::Now;
use crate::names::fold_bytes;
use crate::pattern::{Filling, Pattern, PutPattern, Unknown, literal};
use crate::place::{NameBuf, Spot};

/// What patterns are made of and filled with.
#[derive(Clone, Copy)]
pub struct LearningContext<'a> {
    /// The facets that there are.
    pub facets: &'a Facets,
    /// The time from which ages are counted.
    pub now: &'a Now,
    /// What lies on the shelves.
    pub shelved: &'a dyn Shelved,
}

/// A step of a destination's path below its shelf.
#[derive(Debug, Clone, PartialEq)]
enum PathPart {
    Named(NameBuf),
    Pattern(Pattern),
}

/// Where things go: a folder, or a pattern of folders.
#[derive(Debug, Clone, PartialEq)]
pub struct Destination {
    /// The shelf's folder.
    shelf: u32,
    parts: Vec<PathPart>,
}

/// A destination with the values of one item.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FilledDestination {
    /// The folder.
    pub folder: Spot,
    /// What is not sure of its name, in words.
    pub unsure: Option<String>,
    /// Whether the folder is there already.
    pub is_there: bool,
}

impl Destination {
    /// Whether a part of it is a pattern.
    pub fn is_pattern(&self) -> bool {
        self.parts.iter().any(|part| matches!(part, PathPart::Pattern(_)))
    }

    /// As people read it: `6 Office/Invoices/{modified:year}`.
    pub fn words(&self, examples: &Examples) -> String {
        let shelf = crate::escape::escape(&examples.folders[self.shelf as usize].name);
        let parts = self.parts.iter().map(PathPart::to_string);
        std::iter::once(shelf).chain(parts).collect::<Vec<_>>().join("/")
    }

    /// As a rule puts things there: `6/Invoices/{modified:year}`. `None` where a name cannot be written in a rule.
    pub fn put(&self, examples: &Examples, facets: &Facets) -> Option<PutPattern> {
        let shelf = &examples.folders[self.shelf as usize];
        let mut text = shelf.shelf.to_string();
        if examples.bookcases.len() > 1 {
            text = format!("{}/{text}", examples.bookcases[usize::from(shelf.bookcase)]);
        }
        for part in &self.parts {
            text.push('/');
            text.push_str(&part.written()?);
        }
        PutPattern::parse(&text, facets).ok()
    }

    /// The names of its own folders, without those of a pattern, the innermost last.
    pub(super) fn names<'p>(
        &'p self,
        examples: &'p Examples,
    ) -> impl DoubleEndedIterator<Item = &'p NameBuf> {
        let named = self.parts.iter().filter_map(|part| match part {
            PathPart::Named(name) => Some(name),
            PathPart::Pattern(_) => None,
        });
        std::iter::once(&examples.folders[self.shelf as usize].name).chain(named)
    }

    /// The facets that must be known to fill it.
    pub(super) fn facets(&self) -> impl Iterator<Item = &str> {
        let patterns = self.parts.iter().filter_map(|part| match part {
            PathPart::Pattern(pattern) => Some(pattern),
            PathPart::Named(_) => None,
        });
        patterns.flat_map(Pattern::facets).map(|facet| facet.name.as_str())
    }

    /// The folder for an item.
    ///
    /// # Errors
    /// The value that is not known.
    pub fn fill(
        &self,
        examples: &Examples,
        known: &LearningContext,
        item: &Item,
    ) -> Result<FilledDestination, Unknown> {
        let mut folder = examples.spot(self.shelf);
        let mut here = Some(self.shelf);
        let mut unsure = None;
        for part in &self.parts {
            let names = match part {
                PathPart::Named(name) => vec![name.clone()],
                PathPart::Pattern(pattern) => {
                    unsure = unsure.or_else(|| doubtful(pattern, item, known.now));
                    fill(pattern, item, known.now)?
                }
            };
            for name in names {
                here = here.and_then(|at| examples.folder_in(at, &name));
                let name = here.map_or(&name, |at| &examples.folders[at as usize].name);
                folder = Spot::new(folder.place, folder.path.join(name));
            }
        }
        Ok(FilledDestination { folder, unsure, is_there: here.is_some() })
    }
}

fn doubtful(pattern: &Pattern, item: &Item, now: &Now) -> Option<String> {
    pattern.facets().find_map(|facet| {
        let finding = facet.ask(item, now);
        if finding.is_sure() { None } else { finding.doubt(&facet.name) }
    })
}

fn fill(pattern: &Pattern, item: &Item, now: &Now) -> Result<Vec<NameBuf>, Unknown> {
    let filling = Filling { item, name: item.name(), now, precedence: &[], corrects_extension: false };
    pattern.fill_folders(&filling)
}

impl PathPart {
    /// As a rule has it.
    fn written(&self) -> Option<String> {
        match self {
            PathPart::Pattern(pattern) => Some(pattern.to_string()),
            PathPart::Named(name) => {
                let text = std::str::from_utf8(name).ok()?;
                let is_plain = !text.chars().any(char::is_control);
                is_plain.then(|| literal(text))
            }
        }
    }
}

impl fmt::Display for PathPart {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            PathPart::Named(name) => f.write_str(&crate::escape::escape(name)),
            PathPart::Pattern(pattern) => write!(f, "{pattern}"),
        }
    }
}

/// The destinations that folders make, and which folder belongs to which.
#[derive(Debug, Clone, Default)]
pub(super) struct Destinations {
    pub all: Vec<Destination>,
    /// For each folder the number of its destination.
    pub of: Vec<u32>,
    /// Folders that are named by a value.
    pub is_value: Vec<bool>,
}

/// Items of a folder that are asked whether they have the value that it is named by.
const ASKED: usize = 6;

/// Folders that are asked; a pattern shows in fewer.
const FOLDERS_ASKED: usize = 12;

/// Items that must have the value, in a hundred.
const AGREEING: usize = 80;

/// Items that must have been asked.
const FEWEST: usize = 3;

impl Destinations {
    /// Finds the patterns among the folders of these examples.
    pub fn of(examples: &Examples, used: &[u32], known: &LearningContext) -> Self {
        let mut finder = PatternFinder::new(examples, used, known);
        let shelves =
            (0..examples.folders.len() as u32).filter(|at| examples.folders[*at as usize].parent.is_none());
        let mut open: Vec<(Vec<u32>, Destination)> =
            shelves.map(|shelf| (vec![shelf], Destination { shelf, parts: Vec::new() })).collect();
        open.reverse();
        while let Some((folders, destination)) = open.pop() {
            let number = finder.destinations.all.len() as u32;
            folders.iter().for_each(|folder| finder.destinations.of[*folder as usize] = number);
            let inside = finder.inside(&folders, &destination);
            finder.destinations.all.push(destination);
            open.extend(inside.into_iter().rev());
        }
        finder.destinations
    }
}

struct PatternFinder<'a> {
    examples: &'a Examples,
    known: &'a LearningContext<'a>,
    /// The folders in each folder.
    children: Vec<Vec<u32>>,
    /// The examples in the order of their folders.
    by_folder: Vec<u32>,
    /// Where those of each folder begin, and behind the last.
    starts: Vec<u32>,
    /// Behind the last folder that lies in each.
    ends: Vec<u32>,
    destinations: Destinations,
}

impl<'a> PatternFinder<'a> {
    fn new(examples: &'a Examples, used: &[u32], known: &'a LearningContext<'a>) -> Self {
        let count = examples.folders.len();
        let mut children = vec![Vec::new(); count];
        let mut ends: Vec<u32> = (1..=count as u32).collect();
        for (at, folder) in examples.folders.iter().enumerate().rev() {
            if let Some(parent) = folder.parent {
                children[parent as usize].push(at as u32);
                ends[parent as usize] = ends[parent as usize].max(ends[at]);
            }
        }
        let mut starts = vec![0_u32; count + 1];
        used.iter().for_each(|at| starts[examples.all[*at as usize].folder as usize + 1] += 1);
        for at in 1..starts.len() {
            starts[at] += starts[at - 1];
        }
        let mut next = starts.clone();
        let mut by_folder = vec![0; used.len()];
        for at in used {
            let folder = examples.all[*at as usize].folder as usize;
            by_folder[next[folder] as usize] = *at;
            next[folder] += 1;
        }
        let destinations = Destinations { all: Vec::new(), of: vec![0; count], is_value: vec![false; count] };
        Self { examples, known, children, by_folder, starts, ends, destinations }
    }

    fn name(&self, folder: u32) -> &'a NameBuf {
        &self.examples.folders[folder as usize].name
    }

    /// The destinations right inside one, each with its folders.
    fn inside(&mut self, folders: &[u32], destination: &Destination) -> Vec<(Vec<u32>, Destination)> {
        let mut named: BTreeMap<String, Vec<u32>> = BTreeMap::new();
        for child in folders.iter().flat_map(|folder| &self.children[*folder as usize]) {
            named.entry(fold_bytes(self.name(*child))).or_default().push(*child);
        }
        let mut found = Vec::new();
        let with = |part: PathPart| {
            let mut parts = destination.parts.clone();
            parts.push(part);
            Destination { shelf: destination.shelf, parts }
        };
        for pattern in self.patterns(&named) {
            let taken: Vec<String> = named.keys().filter(|name| may_be(&pattern, name)).cloned().collect();
            let mut all: Vec<u32> = taken.iter().filter_map(|name| named.remove(name)).flatten().collect();
            if all.is_empty() {
                continue;
            }
            all.sort_unstable();
            all.iter().for_each(|folder| self.destinations.is_value[*folder as usize] = true);
            found.push((all, with(PathPart::Pattern(pattern.pattern))));
        }
        for (_, folders) in named {
            found.push((folders.clone(), with(PathPart::Named(self.name(folders[0]).clone()))));
        }
        found
    }

    /// The patterns that folders of these names follow, the best first.
    fn patterns(&self, named: &BTreeMap<String, Vec<u32>>) -> Vec<NamePattern> {
        let mut tried: BTreeMap<String, (String, Vec<&str>)> = BTreeMap::new();
        for (name, folders) in named {
            for (key, text) in candidates(name, self.name(folders[0]), self.known.facets) {
                tried.entry(key).or_insert_with(|| (text, Vec::new())).1.push(name);
            }
        }
        let mut found: Vec<(usize, usize, NamePattern)> = Vec::new();
        for (order, (key, (text, names))) in tried.into_iter().enumerate() {
            if names.len() < 2 {
                continue;
            }
            let Some(candidate) = NamePattern::parse(key, &text, self.known.facets) else { continue };
            let step = names.len().div_ceil(FOLDERS_ASKED);
            let folders =
                names.iter().step_by(step).flat_map(|name| named[*name].iter().map(move |at| (*name, *at)));
            if let Some(agreeing) = self.agrees(&candidate.pattern, folders) {
                found.push((agreeing, usize::MAX - order, candidate));
            }
        }
        found.sort_by_key(|(agreeing, order, candidate)| Reverse((candidate.rank, *agreeing, *order)));
        found.into_iter().map(|(_, _, candidate)| candidate).collect()
    }

    /// How many of a thousand items in these folders have the value that their folder is named by; `None` if they are
    /// too few.
    fn agrees<'n>(&self, pattern: &Pattern, folders: impl Iterator<Item = (&'n str, u32)>) -> Option<usize> {
        let (mut asked, mut agreeing, mut values) = (0, 0, 0);
        for (name, folder) in folders {
            let (all, same) = self.ask(pattern, name, folder);
            asked += all;
            agreeing += same;
            values += usize::from(same > 0);
            if asked > ASKED && agreeing * 2 < asked {
                return None;
            }
        }
        let is_enough = values >= 2 && asked >= FEWEST && agreeing * 100 >= asked * AGREEING;
        is_enough.then(|| agreeing * 1000 / asked)
    }

    /// Asks some items of a folder for the value; how many, and how many have that which it is named by.
    fn ask(&self, pattern: &Pattern, name: &str, folder: u32) -> (usize, usize) {
        let inside = self.starts[folder as usize]..self.starts[self.ends[folder as usize] as usize];
        let inside = &self.by_folder[inside.start as usize..inside.end as usize];
        let (mut asked, mut same) = (0, 0);
        for at in inside.iter().step_by(inside.len().div_ceil(ASKED).max(1)) {
            let example = &self.examples.all[*at as usize];
            let Some(item) = super::loose(self.known, example.reference) else { continue };
            asked += 1;
            let value = fill(pattern, &item, self.known.now);
            let is_same = |names: &Vec<NameBuf>| names.len() == 1 && fold_bytes(&names[0]) == name;
            same += usize::from(value.as_ref().is_ok_and(is_same));
        }
        (asked, same)
    }
}
