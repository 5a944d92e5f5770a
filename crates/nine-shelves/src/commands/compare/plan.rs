//! What is done with what was compared: discarded where it is found, put onto a shelf where it is not.

use std::collections::HashSet;

use nine_core::copies::{Member, choose};
use nine_core::place::Spot;
use nine_core::plan::copies::lost_tags;
use nine_core::plan::put::{How, plan};
use nine_core::rules::Clash;
use nine_stores::Places;

use super::Compared;
use crate::commands::put::{Target, listed, new_folders};
use crate::copy_steps::{Heirs, discarded, proposal, standing, torn_apart};
use crate::error::Done;
use crate::layout;
use crate::output::style::FAINT;
use crate::pipeline::{Planned, show_ask_carry};
use crate::session::Opened;

impl Compared<'_> {
    /// Puts into the trash what the other side surely holds: each is compared once more as it goes.
    pub(super) fn discard_found(&self, opened: &Opened, places: &Places) -> Done {
        let mut heirs = Heirs::default();
        let found: HashSet<Member> = self.across.found.iter().map(|(member, _)| *member).collect();
        let (mut proposals, trees) = (Vec::new(), self.looking.trees());
        for (member, there) in &self.across.found {
            // Two names of one file are no copies of one another; either would take the other along.
            let identity = |member: &Member| member.tree(&trees).identity(member.id);
            let copies: Vec<Member> =
                there.iter().filter(|other| identity(other) != identity(member)).copied().collect();
            let standings: Vec<_> =
                copies.iter().map(|other| standing(self.looking, self.config, *other)).collect();
            if standings.is_empty() {
                continue;
            }
            let stays = copies[choose(&standings, &self.config.keep).at];
            let lost = heirs.gather(self.looking, *member, stays);
            let mut copy = discarded(self.looking, *member, stays, "");
            copy.doubts.extend(lost_tags(&lost, ""));
            copy.doubts.extend(torn_apart(self.looking, *member, &|other| found.contains(&other)));
            proposals.push(copy);
        }
        let planned = Planned {
            name_places: self.config.bookcases.len() > 1,
            troubles: self.looking.troubles,
            ..Planned::new("nine compare --discard-found".into(), proposals, places)
        };
        let summary = self.summary();
        show_ask_carry(self.session, opened, planned, &self.args.show, |_, out| {
            summary.iter().try_for_each(|line| writeln!(out, "{line}"))
        })
    }

    /// Puts what is missing onto a shelf.
    pub(super) fn put_missing(&self, on: &str, opened: &Opened, places: &Places) -> Done {
        let layouts = layout::layouts(self.config, opened);
        let show = &self.args.show;
        let target = Target { on, makes_new: false, show, config: self.config, opened, layouts: &layouts };
        let how = How {
            folder: target.read()?,
            keeps_folders: self.args.keep_folders,
            below: self.looking.views[0].ground.base.path.clone(),
            copies: false,
            clash: Clash::Number,
        };
        let items = self.across.missing.iter().map(|member| proposal(self.looking, *member)).collect();
        let siblings = |folder: &Spot| listed(places, folder);
        let planned = Planned {
            name_places: self.config.bookcases.len() > 1,
            troubles: self.looking.troubles,
            ..Planned::new(
                format!("nine compare --put-missing {}", nine_core::escape::plain(on)),
                plan(items, &how, &siblings),
                places,
            )
        };
        let summary = self.summary();
        show_ask_carry(self.session, opened, planned, show, |drawn, out| {
            for folder in new_folders(places, drawn) {
                writeln!(
                    out,
                    "New folder: {FAINT}{}{FAINT:#}",
                    self.session.look.text(&folder.path.to_string())
                )?;
            }
            summary.iter().try_for_each(|line| writeln!(out, "{line}"))
        })
    }
}
