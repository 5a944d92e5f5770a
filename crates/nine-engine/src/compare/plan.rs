//! What is done with what was compared: discarded where it is found, put onto a shelf where it is not.

use std::collections::HashSet;

use nine_core::copies::{Member, choose};
use nine_core::escape::plain;
use nine_core::place::Spot;
use nine_core::plan::Proposal;
use nine_core::plan::copies::lost_tags;
use nine_core::plan::put::{PutHow, plan};
use nine_core::rules::Clash;

use super::Compared;
use crate::copies::steps::{Heirs, discarded, proposal, torn_apart};
use crate::looking::keep::standing;
use crate::plan::{Draft, Plan};
use crate::workspace::listed;

impl Compared<'_> {
    /// Plans to put into the trash what the other side surely holds: each is compared once more as it goes.
    pub fn discard_found(&self) -> Plan {
        let looking = &self.looking;
        let mut heirs = Heirs::default();
        let found: HashSet<Member> = self.across.found.iter().map(|(member, _)| *member).collect();
        let (mut proposals, trees) = (Vec::new(), looking.trees());
        for (member, there) in &self.across.found {
            // Two names of one file are no copies of one another; either would take the other along.
            let identity = |member: &Member| member.tree(&trees).identity(member.id);
            let copies: Vec<Member> =
                there.iter().filter(|other| identity(other) != identity(member)).copied().collect();
            if copies.is_empty() {
                continue;
            }
            let standings = copies.iter().map(|other| standing(looking, *other));
            let stays = copies[choose(standings, &looking.workspace.config().keep).at];
            let lost = heirs.gather(looking, *member, stays);
            let mut copy = discarded(looking, *member, stays, "");
            copy.doubts.extend(lost_tags(&lost, ""));
            copy.doubts.extend(torn_apart(looking, *member, &|other| found.contains(&other)));
            proposals.push(copy);
        }
        self.plan("nine compare --discard-found".into(), proposals)
    }

    /// Plans to put what is missing into a folder, which was typed as `on`.
    pub fn put_missing(&self, into: &Spot, on: &str, keep_folders: bool) -> Plan {
        let how = PutHow {
            folder: into.clone(),
            keeps_folders: keep_folders,
            below: self.looking.views[0].area.base.path.clone(),
            copies: false,
            clash: Clash::Number,
        };
        let items = self.across.missing.iter().map(|member| proposal(&self.looking, *member)).collect();
        let proposals = plan(items, &how, &|folder| listed(&self.places, folder));
        self.plan(format!("nine compare --put-missing {}", plain(on)), proposals)
    }

    fn plan(&self, command: String, proposals: Vec<Proposal>) -> Plan {
        let new = Draft::new(command, proposals, &self.places);
        Draft { troubles: self.looking.troubles, ..new }.draw_up()
    }
}
