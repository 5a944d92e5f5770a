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

/// A name with its folded form, which is worked out once.
#[derive(Clone)]
pub(super) struct FoldedName {
    pub name: NameBuf,
    folded: String,
}

impl From<NameBuf> for FoldedName {
    fn from(name: NameBuf) -> Self {
        let folded = fold_bytes(&name);
        Self { name, folded }
    }
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
            names.take(there.0.clone().into(), Owner::Standing(there));
        }
        names
    }

    /// What has a name; an item may take a form of its own name that differs only in letter case.
    pub fn owner(&self, FoldedName { name, folded }: &FoldedName, own: &Spot) -> Owner<'a> {
        let Some(taken) = self.taken.get(folded) else { return Owner::Nobody };
        let mut holders = std::iter::once(&taken.last).chain(&taken.others);
        match holders.find(|holder| self.folds || holder.has(name, folded)).map(|holder| holder.owner) {
            Some(Owner::Standing((there, _))) if own.lies_in(&self.spot) && *own.path.name() == **there => {
                Owner::Nobody
            }
            owner => owner.unwrap_or(Owner::Nobody),
        }
    }

    /// Gives a name to an item of a proposal. Returns the doubt about one from which another here differs in letter case
    /// only, where that is allowed.
    pub fn claim(&mut self, name: FoldedName, own: &Spot, proposal: usize) -> Option<Doubt> {
        let other = self.take(name, Owner::Another(proposal))?;
        let is_own = own.lies_in(&self.spot) && own.path.name() == &*other;
        (!is_own).then_some(Doubt::DiffersInCase(other))
    }

    /// Notes down what has a name from now on. Returns the last other name of the same folded form.
    fn take(&mut self, name: FoldedName, owner: Owner<'a>) -> Option<NameBuf> {
        let FoldedName { name, folded } = name;
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::item::Kind;
    use crate::plan::tests::entry;
    use crate::worklist::NameRules;

    fn standing(folds: bool, names: &[&str]) -> FolderFacts {
        let rules = NameRules { folds, longest: 255, strict: false, refused: b"" };
        let entry = entry(Kind::File, "2030-12-24T10:00", 1);
        let named = |name: &str| (rules.key(name.as_bytes()), (buf(name).name, entry.clone()));
        let names = names.iter().map(|name| named(name)).collect();
        FolderFacts { rules, names, blocked: None, domain: 1, free: None }
    }

    fn buf(name: &str) -> FoldedName {
        NameBuf::new(name).unwrap().into()
    }

    fn owner(names: &FolderNames, name: &str, own: &str) -> String {
        match names.owner(&buf(name), &Spot::parse(own).unwrap()) {
            Owner::Nobody => "nobody".into(),
            Owner::Another(proposal) => format!("proposal {proposal}"),
            Owner::Standing((there, _)) => format!("{there} there"),
        }
    }

    #[test]
    fn names_that_differ_in_case_are_several_where_that_counts() {
        let (facts, other) = (standing(false, &["Plan.pdf"]), Spot::parse("pile/x").unwrap());
        let mut names = FolderNames::new(Spot::parse("home/1 A").unwrap(), Some(&facts));
        assert_eq!(names.claim(buf("plan.pdf"), &other, 7), Some(Doubt::DiffersInCase(buf("Plan.pdf").name)));
        assert_eq!(names.claim(buf("PLAN.pdf"), &other, 8), Some(Doubt::DiffersInCase(buf("plan.pdf").name)));
        let owners =
            ["Plan.pdf", "plan.pdf", "PLAN.pdf", "plaN.pdf"].map(|name| owner(&names, name, "pile/x"));
        assert_eq!(owners, ["Plan.pdf there", "proposal 7", "proposal 8", "nobody"]);
        assert_eq!(owner(&names, "Plan.pdf", "home/1 A/Plan.pdf"), "nobody", "it is its own");
        // What replaces what is there has its name from then on.
        assert_eq!(names.claim(buf("Plan.pdf"), &other, 9), Some(Doubt::DiffersInCase(buf("PLAN.pdf").name)));
        let owners = ["Plan.pdf", "plan.pdf", "PLAN.pdf"].map(|name| owner(&names, name, "pile/x"));
        assert_eq!(owners, ["proposal 9", "proposal 7", "proposal 8"]);
    }

    #[test]
    fn they_are_one_where_it_does_not() {
        let facts = standing(true, &["Plan.pdf"]);
        let mut names = FolderNames::new(Spot::parse("home/1 A").unwrap(), Some(&facts));
        assert_eq!(owner(&names, "plan.PDF", "pile/x"), "Plan.pdf there");
        assert_eq!(
            names.claim(buf("plan.pdf"), &Spot::parse("home/1 A/Plan.pdf").unwrap(), 3),
            None,
            "its own"
        );
        assert_eq!(owner(&names, "PLAN.pdf", "pile/x"), "proposal 3");
    }
}
