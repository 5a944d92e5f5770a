//! The names in a folder that proposals lead to, as they will be.

use crate::item::Entry;
use crate::names::fold_bytes;
use crate::place::{NameBuf, Spot};
use crate::worklist::{Doubt, FolderFacts};
use foldhash::{HashMap, HashMapExt};

/// What has a name that is wanted.
#[derive(Clone, Copy)]
pub(super) enum Owner<'a> {
    Nobody,
    Another(usize),
    Standing(&'a (NameBuf, Entry)),
}

/// What is known of a folder's names.
pub(super) struct FolderNames<'a> {
    /// The folder.
    pub spot: Spot,
    /// Whether names that differ in letter case only are one name here.
    folds: bool,
    /// By their folded form, what is there and what comes there.
    taken: HashMap<String, Taken<'a>>,
    /// The last number given to a name, where the search for the next one starts.
    numbers: HashMap<NameBuf, usize>,
}

/// What has the names of one folded form; mostly there is one.
struct Taken<'a> {
    last: Holder<'a>,
    /// Those that came before.
    others: Vec<Holder<'a>>,
}

/// A name and what has it.
struct Holder<'a> {
    /// `None` of a name that is its own folded form.
    name: Option<NameBuf>,
    owner: Owner<'a>,
}

impl<'a> Holder<'a> {
    fn new(name: NameBuf, folded: &str, owner: Owner<'a>) -> Self {
        Self { name: Some(name).filter(|name| **name != *folded.as_bytes()), owner }
    }

    fn has(&self, name: &[u8], folded: &str) -> bool {
        self.name.as_ref().map_or(folded.as_bytes(), |own| own) == name
    }
}

impl<'a> FolderNames<'a> {
    /// A folder with what stands in it; `None` for one that holds nothing.
    pub fn new(spot: Spot, standing: Option<&'a FolderFacts>) -> Self {
        let folds = standing.is_some_and(|facts| facts.rules.folds);
        let mut names = Self { spot, folds, taken: HashMap::new(), numbers: HashMap::new() };
        for there in standing.into_iter().flat_map(|facts| facts.names.values()) {
            names.take(there.0.clone(), Owner::Standing(there));
        }
        names
    }

    /// What has a name; an item may take a form of its own name that differs only in letter case.
    pub fn owner(&self, name: &[u8], own: &Spot) -> Owner<'a> {
        let folded = fold_bytes(name);
        let Some(taken) = self.taken.get(&folded) else { return Owner::Nobody };
        let mut holders = std::iter::once(&taken.last).chain(&taken.others);
        match holders.find(|holder| self.folds || holder.has(name, &folded)).map(|holder| holder.owner) {
            Some(Owner::Standing((there, _))) if own.lies_in(&self.spot) && *own.path.name() == **there => {
                Owner::Nobody
            }
            owner => owner.unwrap_or(Owner::Nobody),
        }
    }

    /// Gives a name to an item of a proposal. Returns the doubt about one from which another here differs in letter case
    /// only, where that is allowed.
    pub fn claim(&mut self, name: NameBuf, own: &Spot, proposal: usize) -> Option<Doubt> {
        let other = self.take(name, Owner::Another(proposal))?;
        let is_own = own.lies_in(&self.spot) && own.path.name() == &*other;
        (!is_own).then_some(Doubt::DiffersInCase(other))
    }

    /// Notes down what has a name from now on. Returns the last other name of the same folded form.
    fn take(&mut self, name: NameBuf, owner: Owner<'a>) -> Option<NameBuf> {
        let folded = fold_bytes(&name);
        let Some(taken) = self.taken.get_mut(&folded) else {
            let last = Holder::new(name, &folded, owner);
            self.taken.insert(folded, Taken { last, others: Vec::new() });
            return None;
        };
        let other = taken.last.name.clone().unwrap_or_else(|| NameBuf::held(folded.clone().into_bytes()));
        let is_new = !taken.last.has(&name, &folded);
        let before = std::mem::replace(&mut taken.last, Holder::new(name, &folded, owner));
        if is_new && !self.folds {
            let Taken { last, others } = taken;
            others.retain(|holder| holder.name != last.name);
            others.push(before);
        }
        is_new.then_some(other)
    }
    /// The last number that was given to a name.
    pub fn last_number(&self, name: &NameBuf) -> Option<usize> {
        self.numbers.get(name).copied()
    }

    /// Notes down the number that was given to a name.
    pub fn give_number(&mut self, name: NameBuf, number: usize) {
        self.numbers.insert(name, number);
    }
}
