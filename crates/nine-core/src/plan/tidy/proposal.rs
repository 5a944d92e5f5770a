//! From what the rules made of an item to what is wanted for it.

use std::sync::Arc;

use super::walk::TidyWalk;
use crate::escape::escape;
use crate::item::{Item, Kind, Stays};
use crate::keep_together::Set;
use crate::names::split_extension;
use crate::pattern::Unknown;
use crate::place::{NameBuf, Spot};
use crate::plan::copies::{belongs_to_it, copy_words, lost_tags};
use crate::plan::{Follower, Intent, Placing, Proposal};
use crate::rules::{Clash, Effect, Rule};
use crate::tree::NodeId;
use crate::worklist::{Act, Doubt};

/// What a person should look at, of what the rules made of an item.
fn doubts(outcome: &Effect, rules: &[Rule]) -> Vec<Doubt> {
    let mut doubts = Vec::new();
    let mut told: Vec<&str> = Vec::new();
    for (rule, unknown) in &outcome.unknown {
        let rule = rules[*rule].name.clone();
        doubts.push(match unknown {
            Unknown::Value(subject) => Doubt::Unknown { subject: (*subject).to_owned(), rule },
            Unknown::Tag(tags) if tags.is_empty() => Doubt::Unknown { subject: "tag".into(), rule },
            Unknown::Tag(tags) => Doubt::WhichTag(tags.clone()),
            Unknown::Answer(facet, why) => {
                told.push(facet);
                Doubt::Answer(format!("{why}; the rule `{rule}` needs it"))
            }
        });
    }
    let unsure = outcome.answers.iter().filter(|(facet, _)| !told.contains(&facet.as_str()));
    let unsure = unsure.filter(|(_, finding)| finding.found.is_some() && !finding.is_sure());
    doubts.extend(unsure.filter_map(|(facet, finding)| finding.doubt(facet)).map(Doubt::Answer));
    doubts
}

impl TidyWalk<'_> {
    /// What is wanted for an item by what the rules made of it; its set goes where it goes.
    pub(super) fn proposal(
        &mut self,
        item: &Item,
        outcome: Effect,
        set: &[(NodeId, Set)],
    ) -> Option<Proposal> {
        if outcome.applied.is_empty() && outcome.unknown.is_empty() {
            return None;
        }
        let rules = &self.all.pass.config.rules;
        let mut proposal = Proposal::for_item(item);
        if outcome.discard.is_some()
            && let Some(stays) = &item.stays
        {
            return Some(self.discarded(proposal, &outcome, stays, set));
        }
        proposal.why = self.shared.why(rules, &outcome.applied);
        proposal.drop_tags(&outcome.lost);
        proposal.add_tags(&outcome.tags);
        proposal.followers = set.iter().map(|(id, set)| self.follower(*id, *set, item)).collect();
        proposal.doubts = doubts(&outcome, rules);
        proposal.answers = outcome
            .answers
            .iter()
            .map(|(facet, finding)| (facet.clone(), finding.value().map(str::to_owned)))
            .collect();
        let mut name = outcome.name;
        if name.is_some() && set.iter().any(|(_, set)| *set == Set::Page) {
            name = None;
            proposal.doubts.push(Doubt::PageKeepsName);
        }
        let last = outcome.applied.iter().rev().find(|rule| rules[**rule].rename.is_some());
        let (folder, clash) = match &outcome.put {
            Some((rule, folders)) => match self.folder(&rules[*rule], folders) {
                Ok(folder) => (folder.map(|folder| self.shared.folder(folder)), rules[*rule].clash),
                Err(doubt) => {
                    name = None;
                    proposal.doubts.push(*doubt);
                    (None, Clash::Number)
                }
            },
            None => (None, last.map_or(Clash::Number, |rule| rules[*rule].clash)),
        };
        let own = item.spot.folder();
        let mut folder = folder.or_else(|| name.is_some().then(|| own.clone()));
        if folder.as_ref().is_some_and(|folder| *folder != own)
            && item.entry.kind == Kind::Link
            && self.all.pass.details.is_relative_link(&item.spot.path)
        {
            folder = None;
            proposal.doubts.push(Doubt::RelativeLink);
        }
        if let Some(folder) = folder.filter(|folder| *folder != own || name.is_some()) {
            let number = outcome.number.filter(|_| name.is_some());
            proposal.intent = Intent::Place(Placing { name, number, clash, ..Placing::into(folder) });
        }
        let wanted = proposal.becomes.is_some() || proposal.placing().is_some();
        (wanted || !proposal.doubts.is_empty()).then_some(proposal)
    }

    /// A copy that goes into the trash. What belongs to it does not go with it, since nobody compared
    /// that; a person should look.
    fn discarded(
        &self,
        mut proposal: Proposal,
        outcome: &Effect,
        stays: &Stays,
        set: &[(NodeId, Set)],
    ) -> Proposal {
        let rules = outcome.applied.last().map(|rule| self.all.pass.config.rules[*rule].name.as_str());
        let original = stays.original.clone();
        proposal.why =
            format!("{}: {}", rules.unwrap_or_default(), copy_words(&original.item, &stays.because)).into();
        proposal.intent = Intent::Exactly(Act::Discard { copy_of: Some(original) });
        proposal.doubts.extend(lost_tags(&stays.lost_tags, ""));
        for (id, _) in set {
            proposal.doubts.push(belongs_to_it(self.all.tree.name(*id)));
        }
        proposal
    }

    /// The folder that a rule puts an item in; `None` if its bookcase is not there.
    fn folder(&self, rule: &Rule, folders: &[NameBuf]) -> Result<Option<Spot>, Box<Doubt>> {
        let shelving = || {
            let bookcase = self.all.pass.config.bookcase(rule.put.as_ref()?.bookcase.as_deref())?;
            self.all.pass.shelvings.iter().find(|shelving| shelving.bookcase == bookcase.name)
        };
        let (Some(put), Some(shelving)) = (&rule.put, shelving()) else { return Ok(None) };
        let twice = || {
            let found = shelving.shelf(put.shelf).map(|shelf| &shelf.found).into_iter().flatten();
            let folders = found.map(|name| escape(name)).collect();
            Box::new(Doubt::ShelfTwice { number: put.shelf, folders })
        };
        let shelf = shelving.spot(put.shelf).ok_or_else(twice)?;
        let path = folders.iter().fold(shelf.path, |path, folder| path.join(folder));
        Ok(Some(Spot::new(shelf.place, path)))
    }

    fn follower(&self, id: NodeId, set: Set, leader: &Item) -> Follower {
        let entry = self.all.tree.entry(id);
        let totals = self.all.tree.totals(id);
        let name = self.all.tree.name_of(id);
        let stem = split_extension(leader.name()).0;
        Follower {
            item: Spot::new(Arc::clone(&self.all.place), leader.spot.folder().path.join(name)),
            kind: entry.kind,
            stamp: entry.stamp(),
            size: totals.size,
            modified: totals.newest,
            ending: (set == Set::Photo).then(|| name[stem.len().min(name.len())..].to_vec()),
        }
    }
}
