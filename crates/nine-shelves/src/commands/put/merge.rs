//! `nine put --merge`: folders brought together.

use nine_carry::same_bytes;
use nine_core::amount::counted;
use nine_core::config::Config;
use nine_core::escape::plain;
use nine_core::item::{Entry, Kind};
use nine_core::layout::shelf_number;
use nine_core::moment::Moment;
use nine_core::place::Spot;
use nine_core::plan::Siblings;
use nine_core::plan::merge::{Sides, plan};
use nine_core::worklist::Act;
use nine_stores::Places;

use super::{is_place, listed};
use crate::cli::PutArgs;
use crate::error::{Done, Failure};
use crate::layout;
use crate::output::style::FAINT;
use crate::pipeline::{Planned, show_ask_carry};
use crate::selection::Selected;
use crate::session::{Opened, Session};

/// Brings the selected folders into the target folder.
pub(super) fn run(
    args: &PutArgs,
    session: &Session,
    config: &Config,
    opened: &Opened,
    selected: Selected,
    into: &Spot,
) -> Done {
    let (mut proposals, mut emptied) = (Vec::new(), Vec::new());
    let world = World { places: &selected.places };
    for item in &selected.items {
        expect_folder(session, config, opened, &item.item, item.kind, into)?;
        let merged = plan(&item.item, into, args.clash.into(), &world);
        proposals.extend(merged.proposals);
        emptied.extend(merged.emptied);
    }
    let copies = proposals.iter().filter(|p| matches!(p.fixed, Some(Act::Discard { .. }))).count() as u64;
    let planned = Planned {
        clear_away: emptied,
        name_places: config.bookcases.len() > 1,
        troubles: selected.troubles,
        ..Planned::new(format!("nine put --merge --on {}", plain(&args.on)), proposals, &selected.places)
    };
    let folders = counted(selected.items.len() as u64, "folder", "folders");
    show_ask_carry(session, opened, planned, &args.show, |_, out| {
        let copies = counted(copies, "copy is", "copies are");
        writeln!(
            out,
            "{FAINT}{folders} into {into}; {copies} there already; what is empty then is taken away{FAINT:#}"
        )
    })
}

/// Only a folder can be brought into another, and neither a place nor the shelf itself can.
fn expect_folder(
    session: &Session,
    config: &Config,
    opened: &Opened,
    from: &Spot,
    kind: Kind,
    into: &Spot,
) -> Done {
    if kind != Kind::Folder {
        return Err(Failure::words(format!("{from} is not a folder"))
            .hint("--merge brings folders together; leave it out to file files"));
    }
    if from == into || into.is_inside(from) {
        return Err(Failure::words(format!("{into} is {from} itself, or lies in it"))
            .hint("name the other folder under --on"));
    }
    // A second folder with a shelf's number is no shelf, and bringing them together mends that.
    let is_shelf = layout::layouts(config, opened).iter().any(|layout| {
        let spots = layout.shelves.iter().filter_map(|shelf| layout.spot(shelf.number));
        spots.into_iter().any(|spot| spot == *from)
    });
    let is_second = shelf_number(from.path.name()).is_some() && !is_shelf && !from.path.is_root();
    if is_place(session, config, opened, from) && !is_second {
        return Err(Failure::words(format!("{from} is a place of its own, or a shelf"))
            .hint("places are named in shelves.toml, and stay where they are"));
    }
    Ok(())
}

/// The world as the planner asks for it.
struct World<'a> {
    places: &'a Places,
}

impl Sides for World<'_> {
    fn listed(&self, folder: &Spot) -> Siblings {
        listed(self.places, folder)
    }

    fn same(&self, a: &Spot, b: &Spot) -> bool {
        same_bytes(self.places, a, b).unwrap_or(false)
    }

    fn tags(&self, item: &Spot) -> Vec<String> {
        self.places.of(item).and_then(|store| store.tags(&item.path)).unwrap_or_default()
    }

    fn totals(&self, folder: &Spot, entry: &Entry) -> (u64, Moment) {
        let (mut size, mut newest) = (0, entry.modified);
        let mut open = vec![folder.clone()];
        while let Some(here) = open.pop() {
            for (name, entry) in self.listed(&here) {
                match entry.kind {
                    Kind::Folder => open.push(Spot::new(here.place.clone(), here.path.join(name))),
                    _ => (size, newest) = (size + entry.size, newest.max(entry.modified)),
                }
            }
        }
        (size, newest)
    }

    fn is_relative_link(&self, link: &Spot) -> bool {
        let leads_to = self.places.of(link).and_then(|store| store.read_link(&link.path));
        leads_to.is_ok_and(|target| !target.starts_with(b"/"))
    }
}
