//! The planner of `copies`: flags what is not needed, or discards it.

use std::collections::HashSet;

use nine_core::amount::counted;
use nine_core::copies::{Folded, Member};
use nine_core::plan::Proposal;
use nine_core::plan::copies::lost_tags;
use nine_stores::Places;

use super::Copies;
use crate::copy_steps::{COPY, Heirs, discarded, is_shelf, proposal, torn_apart};
use crate::error::Done;
use crate::output::style::FAINT;
use crate::pipeline::{Planned, show_ask_carry};
use crate::session::Opened;

impl Copies<'_> {
    /// Flags or discards, the way all worklists go.
    pub(super) fn carry(&self, opened: &Opened, places: &Places) -> Done {
        let (proposals, command) = match self.args.discard {
            true => (self.discard(), "nine copies --discard"),
            false => (self.flag(), "nine copies --flag"),
        };
        let groups = counted(self.found.len() as u64, "group", "groups");
        let planned = Planned {
            name_places: self.config.bookcases.len() > 1,
            troubles: self.looking.troubles,
            ..Planned::new(command.to_owned(), proposals, places)
        };
        show_ask_carry(self.session, opened, planned, &self.args.show, |_, out| {
            writeln!(out, "{FAINT}{groups}; of each, one stays{FAINT:#}")
        })
    }

    /// Tags what is not needed, and takes the tag from what stays.
    fn flag(&self) -> Vec<Proposal> {
        let mut proposals = Vec::new();
        for folded in &self.found {
            let mut kept = proposal(self.looking, folded.kept().member);
            kept.drop_tags(&[COPY.to_owned()]);
            kept.why = format!("stays: {}", folded.chosen.because);
            let stays = kept.item.clone();
            proposals.extend(Some(kept).filter(|kept| kept.becomes.is_some()));
            for item in folded.going() {
                let mut copy = proposal(self.looking, item.member);
                copy.add_tags([&COPY.to_owned()]);
                copy.why = format!("copy of {stays}");
                proposals.extend(Some(copy).filter(|copy| copy.becomes.is_some()));
            }
        }
        proposals
    }

    /// Puts what is not needed into the trash; what stays may get its tags.
    fn discard(&self) -> Vec<Proposal> {
        let (mut proposals, mut heirs) = (Vec::new(), Heirs::default());
        let going: HashSet<Member> =
            self.found.iter().flat_map(Folded::going).map(|item| item.member).collect();
        for folded in &self.found {
            let kept = folded.kept().member;
            for item in folded.going() {
                let lost = heirs.gather(self.looking, item.member, kept);
                let doubt = lost_tags(&lost, "; --give-tags hands them over");
                // Other names of the same file go too, or nothing would be won.
                let names = std::iter::once(item.member).chain(item.links.iter().copied());
                for name in names.filter(|name| !is_shelf(self.looking, self.config, *name)) {
                    let mut copy = discarded(self.looking, name, kept, &folded.chosen.because);
                    copy.doubts.extend(doubt.clone().filter(|_| !self.args.give_tags));
                    copy.doubts.extend(torn_apart(self.looking, name, &|other| going.contains(&other)));
                    proposals.push(copy);
                }
            }
        }
        if self.args.give_tags {
            proposals.extend(heirs.proposals(self.looking));
        }
        proposals
    }
}
