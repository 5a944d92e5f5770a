//! `nine discard`: a selection into the trash.

use std::collections::HashMap;

use nine_core::amount::{counted, readable};
use nine_core::escape::escape;
use nine_core::keep_together;
use nine_core::place::Spot;
use nine_core::plan::Proposal;
use nine_core::plan::discard::plan;
use nine_core::worklist::Doubt;
use nine_stores::Places;
use nine_stores::drive::DISCARDED;

use super::put::{is_place, listed};
use crate::cli::DiscardArgs;
use crate::error::{Done, Failure};
use crate::output::style::FAINT;
use crate::pipeline::{Planned, show_ask_carry};
use crate::session::Session;

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &DiscardArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    let config = &loaded.config;
    let opened = session.open(config);
    let selected = args.selection.select(session, config, &opened)?;
    let places = &selected.places;
    if let Some(place) = selected.items.iter().find(|item| is_place(session, config, &opened, &item.item)) {
        return Err(Failure::words(format!("{} is a place of its own, or a shelf", place.item))
            .hint("places stay; take them out of shelves.toml first"));
    }
    let keeper = keeper(places, &selected.items);
    let (many, bytes) = (selected.items.len() as u64, selected.items.iter().map(|item| item.size).sum());
    let mut proposals = plan(selected.items, &|folder| listed(places, folder));
    let mut together = Together { places, known: HashMap::new() };
    for proposal in &mut proposals {
        proposal.doubts.extend(together.doubt(&proposal.item));
    }
    let planned = Planned {
        name_places: config.bookcases.len() > 1,
        troubles: selected.troubles,
        ..Planned::new("nine discard".into(), proposals, places)
    };
    let selected = format!("{} selected, {}", counted(many, "item", "items"), readable(bytes));
    show_ask_carry(session, &opened, planned, &args.show, |_, out| {
        writeln!(out, "{FAINT}{selected}; nothing is deleted, {keeper} keeps it{FAINT:#}")
    })
}

/// What keeps the items: there is no trash on a drive.
fn keeper(places: &Places, items: &[Proposal]) -> String {
    let remote = |item: &&Proposal| places.of(&item.item).is_ok_and(|store| store.is_remote());
    match items.iter().filter(remote).count() {
        0 => "the trash".into(),
        many if many == items.len() => format!("the folder {DISCARDED} on the drive"),
        _ => format!("the trash, or on a drive the folder {DISCARDED},"),
    }
}

/// Which folders are kept together.
struct Together<'a> {
    places: &'a Places,
    known: HashMap<Spot, Option<&'static str>>,
}

impl Together<'_> {
    /// The doubt about an item that is taken out of a folder that is kept together.
    fn doubt(&mut self, item: &Spot) -> Option<Doubt> {
        let mut folder = item.folder();
        while !folder.path.is_root() {
            let places = self.places;
            let why = *self.known.entry(folder.clone()).or_insert_with_key(|folder| {
                let names = listed(places, folder);
                let names = names.iter().map(|(name, _)| name.as_slice());
                keep_together::folder(folder.path.name(), names).map(|together| together.words())
            });
            if let Some(why) = why {
                let name = escape(folder.path.name());
                return Some(Doubt::Answer(format!("it is a part of `{name}`, which is {why}")));
            }
            folder = folder.folder();
        }
        None
    }
}
