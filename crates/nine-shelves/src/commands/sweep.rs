//! `nine sweep`: all that lies loose, into one folder.

use std::collections::BTreeMap;

use nine_core::amount::counted;
use nine_core::place::Spot;
use nine_core::plan::Left;

use super::tidy::{chosen, print_left_of, tell_closed};
use crate::cli::SweepArgs;
use crate::error::{Done, Failure};
use crate::output::style::FAINT;
use crate::pipeline::{Planned, show_ask_carry};
use crate::recovery;
use crate::rules_at_work::AtWork;
use crate::session::Session;

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &SweepArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    let config = &loaded.config;
    recovery::before_changing(session, config)?;
    let piles = chosen(config, &args.piles)?;
    if piles.is_empty() {
        return Err(Failure::words("there is no pile to sweep")
            .hint("write one into shelves.toml: [pile.downloads] at = \"~/Downloads\""));
    }
    let opened = session.open(config);
    let mut troubles = tell_closed(session, &opened, &piles)?;
    let mut at_work = AtWork::look(session, config, &opened, &piles)?;
    troubles += at_work.looking.troubles;
    let swept = at_work.sweep(args.sort_later);
    let (mut left, mut looked_at): (BTreeMap<Left, u64>, u64) = (BTreeMap::new(), 0);
    let (mut proposals, mut counts) = (Vec::new(), Vec::new());
    for (pile, swept) in swept {
        swept.left.iter().for_each(|(why, number)| *left.entry(*why).or_default() += number);
        looked_at += swept.looked_at;
        let many =
            swept.proposals.iter().filter(|proposal| proposal.moves()).map(|p| 1 + p.followers.len() as u64);
        let many: u64 = many.sum();
        if many > 0 {
            let folder = session.look.text(&Spot::new(pile, swept.folder).to_string());
            counts.push(format!("{} into {folder}", counted(many, "loose item", "loose items")));
        }
        proposals.extend(swept.proposals);
    }
    let word = if args.sort_later { "nine sweep --sort-later" } else { "nine sweep" };
    let planned = Planned { troubles, ..Planned::new(word.into(), proposals, &opened.places) };
    show_ask_carry(session, &opened, planned, &args.show, |_, out| {
        counts.iter().try_for_each(|line| writeln!(out, "{line}"))?;
        print_left_of(&left, looked_at, out)?;
        writeln!(
            out,
            "{FAINT}nine retrieve FILE pulls one of them back, nine put files it; nine undo takes all back{FAINT:#}"
        )
    })
}
