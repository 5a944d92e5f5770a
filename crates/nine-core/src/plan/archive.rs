//! The planner of `archive`: what is stale, or a selection, into a dated folder, with the folders that it
//! came from.

use std::collections::BTreeMap;

use super::followers::{Siblings, with_followers};
use super::leave::{LeaveCheck, Left};
use super::tidy::{Pass, item};
use super::{BY_HAND, Intent, Placing, Proposal};
use crate::archive::Archive;
use crate::condition::Need;
use crate::config::Pile;
use crate::escape::escape;
use crate::item::{Entry, Item, Kind};
use crate::moment::{Moment, Now};
use crate::pattern::{Filling, Unknown};
use crate::place::{ItemPath, Spot};
use crate::shelving::Shelving;
use crate::tree::Tree;
use crate::worklist::Doubt;

/// What goes to the archive, and what is left.
#[derive(Debug, Default)]
pub struct ArchiveProposals {
    /// Items that go.
    pub proposals: Vec<Proposal>,
    /// How many are left, and why.
    pub left: BTreeMap<Left, u64>,
    /// Those among them that are asked for and are left all the same.
    pub named: Vec<(Spot, Left)>,
    /// How many were looked at.
    pub looked_at: u64,
}

impl ArchiveProposals {
    /// Adds what another pass found.
    pub fn add(&mut self, other: ArchiveProposals) {
        self.proposals.extend(other.proposals);
        self.named.extend(other.named);
        self.looked_at += other.looked_at;
        other.left.into_iter().for_each(|(why, number)| *self.left.entry(why).or_default() += number);
    }

    fn leave(&mut self, why: Left, asked_for: Option<Spot>) {
        *self.left.entry(why).or_default() += 1;
        self.named.extend(asked_for.map(|spot| (spot, why)));
    }
}

/// Where things go.
pub struct Target<'a> {
    /// What the configuration says.
    pub archive: &'a Archive,
    /// The archive's shelf.
    pub shelf: Spot,
    /// The time from which ages are counted.
    pub now: &'a Now,
}

impl<'a> Target<'a> {
    /// The archive's shelf as it stands; `None` if several folders carry its number.
    pub fn find(archive: &'a Archive, bookcase: &str, shelvings: &[Shelving], now: &'a Now) -> Option<Self> {
        let shelving = shelvings.iter().find(|shelving| shelving.bookcase == bookcase)?;
        Some(Self { archive, shelf: shelving.spot(archive.put.shelf)?, now })
    }

    /// Whether something lies in the archive, or is its shelf.
    pub fn holds(&self, spot: &Spot) -> bool {
        *spot == self.shelf || spot.is_inside(&self.shelf)
    }

    /// The dated folder that holds something of the archive, as far as its depth tells.
    pub fn dated(&self, spot: &Spot) -> Spot {
        let parts = self.shelf.path.depth() + self.archive.depth();
        Spot::new(spot.place.clone(), ItemPath::of_names(spot.path.parts().take(parts)))
    }

    /// The folder in the archive for an item: the pattern's, and below it those that it lay in.
    fn folder(&self, item: &Item) -> Result<Spot, Unknown> {
        let name = item.name();
        let filling = Filling { item, name, now: self.now, precedence: &[], corrects_extension: false };
        let mut path = self.shelf.path.clone();
        for part in &self.archive.put.folders {
            path = part.fill_folders(&filling)?.into_iter().fold(path, |path, name| path.join(&name));
        }
        let from = item.spot.path.parent().unwrap_or_default();
        Ok(Spot::new(self.shelf.place.clone(), path.join_path(&from)))
    }

    fn proposal(&self, new: Proposal, item: &Item, why: String) -> Proposal {
        let why = why.into();
        match self.folder(item) {
            Ok(folder) => Proposal { intent: Intent::Place(Placing::into(folder)), why, ..new },
            Err(unknown) => {
                let doubt = Doubt::Answer(format!("{}, and the archive's folder needs it", unknown.words()));
                Proposal { why, doubts: vec![doubt], ..new }
            }
        }
    }
}

/// What is stale of all that lies loose in a pile.
pub fn stale(pass: &Pass, pile: &Pile, tree: &Tree, target: &Target) -> ArchiveProposals {
    let leave = LeaveCheck::of_loose(pass, pile, tree);
    let when = &target.archive.when;
    let folders = target.archive.put.folders.iter();
    let needs = folders.fold(when.needs().and([Need::Tags]), |all, part| all.union(part.needs()));
    let mut out = ArchiveProposals::default();
    let mut items = Vec::new();
    for id in tree.children(Tree::ROOT) {
        out.looked_at += 1;
        let spot = Spot::new(pile.name.clone(), tree.path(id));
        let is_archived = target.holds(&spot);
        let sight = leave.why(id, || spot.path.clone()).or(is_archived.then_some(Left::Archived));
        if let Some(why) = sight.filter(|why| !matches!(why, Left::InUse | Left::Settling)) {
            out.leave(why, None);
            continue;
        }
        let item = item(tree, id, spot, pass.details, needs);
        let is_stale = when.holds(&item, pass.now);
        match (sight, is_stale) {
            (Some(why), _) => out.leave(why, is_stale.then_some(item.spot)),
            (None, false) => out.leave(Left::Fresh, None),
            (None, true) => {
                let mut proposal = target.proposal(Proposal::for_item(&item), &item, why(target, &item));
                proposal.doubts.extend(contradicted(target, &item));
                if item.entry.kind == Kind::Link && pass.details.is_relative_link(&item.spot.path) {
                    (proposal.intent, proposal.doubts) = (Intent::Stay, vec![Doubt::RelativeLink]);
                }
                items.push(proposal);
            }
        }
    }
    let beside = |_: &Spot| {
        let loose = tree.children(Tree::ROOT).map(|id| (tree.name_of(id).into(), tree.entry(id)));
        loose.collect()
    };
    out.proposals = with_followers(items, &beside);
    out
}

/// A selection. `settled` says whether an item may be moved, and why not; `siblings` lists what lies in a
/// folder.
pub fn selected(
    items: Vec<Proposal>,
    target: &Target,
    settled: &dyn Fn(&Proposal) -> Option<Left>,
    siblings: &dyn Fn(&Spot) -> Siblings,
) -> ArchiveProposals {
    let mut out = ArchiveProposals { looked_at: items.len() as u64, ..ArchiveProposals::default() };
    let mut going = Vec::new();
    for new in items {
        let why = target.holds(&new.item).then_some(Left::Archived).or_else(|| settled(&new));
        match why {
            Some(why) => out.leave(why, Some(new.item)),
            None => going.push(target.proposal(new.clone(), &as_item(&new), BY_HAND.into())),
        }
    }
    out.proposals = with_followers(super::discard::outermost(going), siblings);
    out
}

/// What patterns may ask of a selected item.
fn as_item(selected: &Proposal) -> Item {
    let entry = Entry {
        kind: selected.kind,
        size: selected.size,
        modified: selected.modified,
        opened: None,
        born: None,
        changed: selected.modified,
        identity: selected.stamp.identity,
    };
    let new = Item::new(selected.item.clone(), entry);
    Item { tags: selected.tags.clone(), newest: selected.modified, latest: selected.modified, ..new }
}

/// The latest of the dates that say when an item was last of use, and which one it is.
fn last_of_use(item: &Item) -> (&'static str, Moment) {
    let is_folder = item.entry.kind == Kind::Folder;
    let own = |date: Option<Moment>| date.filter(|_| !is_folder);
    let changed = if is_folder { "newest inside" } else { "modified" };
    let dates = [
        Some((changed, item.newest)),
        Some(("arrived", item.latest)).filter(|_| is_folder),
        own(item.entry.born).map(|born| ("arrived", born)),
        own(item.entry.opened).map(|opened| ("opened", opened)),
    ];
    // Of equal dates the first is told.
    dates.into_iter().flatten().rev().max_by_key(|(_, at)| *at).expect("it has a date")
}

/// Why an item is stale, with the date that decided.
fn why(target: &Target, item: &Item) -> String {
    let dates = [Need::Modified, Need::Opened, Need::Arrived, Need::Age];
    if !target.archive.when.needs().has_any(&dates) {
        return format!("by `{}`", target.archive.when);
    }
    let (what, at) = last_of_use(item);
    format!("{what} {}", target.now.format(at, "%Y-%m-%d").unwrap_or_default())
}

/// The doubt about an item that one date calls stale while a later one says that it was of use since.
/// An import and a backup reset one date and keep another, so that one alone decides nothing.
fn contradicted(target: &Target, item: &Item) -> Option<Doubt> {
    let (what, at) = last_of_use(item);
    let entry = Entry {
        modified: at,
        born: item.entry.born.map(|_| at),
        opened: item.entry.opened.map(|_| at),
        ..item.entry.clone()
    };
    let latest = Item { entry, newest: at, latest: at, ..item.clone() };
    if target.archive.when.holds(&latest, target.now) {
        return None;
    }
    let day = target.now.format(at, "%Y-%m-%d").unwrap_or_default();
    let name = escape(item.name());
    Some(Doubt::Answer(format!("an earlier date calls `{name}` stale; {what} {day}")))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::condition;
    use crate::facet::Facets;
    use crate::item::Identity;
    use crate::pattern::PutPattern;
    use jiff::tz::TimeZone;

    fn day(text: &str) -> Moment {
        Moment::from_rfc3339(&format!("{text}T12:00:00Z")).unwrap()
    }

    fn item(at: &str, modified: &str, born: &str, opened: &str) -> Item {
        let entry = Entry {
            kind: Kind::File,
            size: 3,
            modified: day(modified),
            opened: Some(day(opened)),
            born: Some(day(born)),
            changed: day(born),
            identity: Identity([1, 1]),
        };
        Item::new(Spot::parse(at).unwrap(), entry)
    }

    fn with_target(when: &str, put: &str, look: impl FnOnce(&Target)) {
        let archive = Archive {
            when: condition::parse(when).unwrap(),
            put: PutPattern::parse(put, &Facets::default()).unwrap(),
        };
        let now = Now::parse("2031-04-07", &TimeZone::UTC).unwrap();
        let shelf = Spot::parse("home/9 Archive").unwrap();
        look(&Target { archive: &archive, shelf, now: &now });
    }

    #[test]
    fn the_date_that_decided_is_told_and_a_later_one_makes_a_doubt() {
        with_target("idle over 180d", "9/{today}/{pile}", |target| {
            let old = item("downloads/a", "2028-01-02", "2029-03-04", "2029-01-01");
            assert_eq!(why(target, &old), "arrived 2029-03-04");
            assert_eq!(contradicted(target, &old), None);
        });
        with_target("modified over 180d", "9/{today}/{pile}", |target| {
            // A fresh import with its old date.
            let import = item("downloads/a", "2028-01-02", "2031-04-05", "2031-04-05");
            assert!(target.archive.when.holds(&import, target.now));
            let Some(Doubt::Answer(words)) = contradicted(target, &import) else { panic!("no doubt") };
            assert_eq!(words, "an earlier date calls `a` stale; arrived 2031-04-05");
        });
        with_target("tag done", "9/{today}/{pile}", |target| {
            assert_eq!(why(target, &item("a/b", "2028-01-02", "2028-01-02", "2028-01-02")), "by `tag done`");
        });
    }

    #[test]
    fn the_place_that_it_came_from_is_kept_as_folders() {
        with_target("tag done", "9/{today:year}/{today}/{pile}", |target| {
            let item = item("downloads/old/letters/a.txt", "2028-01-02", "2028-01-02", "2028-01-02");
            let folder = target.folder(&item).unwrap();
            assert_eq!(folder.to_string(), "home/9 Archive/2031/2031-04-07/downloads/old/letters");
            assert_eq!(target.dated(&folder).to_string(), "home/9 Archive/2031/2031-04-07");
            assert!(target.holds(&folder) && !target.holds(&item.spot));
        });
    }
}
