//! What a person should know of a step that the planners do not see: who can look at the item afterwards, and what of
//! it is lost on the way.

use std::collections::HashMap;

use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Doubt, Step};
use nine_stores::{Places, ReadStore, Store};

/// Adds their doubts to the steps.
pub fn add(places: &Places, steps: &mut [Step]) {
    let mut sight = Sight { places, open: HashMap::new(), domains: HashMap::new() };
    for step in steps {
        let found = [sight.shared(step), sight.opened(step), sight.lost(step)];
        step.doubts.extend(found.into_iter().flatten());
    }
}

struct Sight<'a> {
    places: &'a Places,
    /// Whether others on this machine may enter a folder.
    open: HashMap<Spot, Option<bool>>,
    /// The domains of folders.
    domains: HashMap<Spot, Option<u64>>,
}

impl Sight<'_> {
    /// A step into or out of a folder that others see.
    fn shared(&self, step: &Step) -> Option<Doubt> {
        let seen = |spot: &Spot| {
            let (folder, who) = self.places.of(spot).ok()?.seen_by(&spot.path)?;
            Some((Spot::new(spot.place.clone(), folder).to_string(), who))
        };
        let there = step.target().map(|to| seen(&to.folder()));
        if there.is_none() && !matches!(step.act, Act::Discard { .. }) {
            return None;
        }
        // A shelf of this machine is told by its number, whatever its folder is called.
        let is_renamed = step.target().is_some_and(|to| to.folder() == step.item.folder());
        let is_local = |store: &dyn Store| store.location(&step.item.path).local().is_some();
        if is_renamed && self.places.of(&step.item).is_ok_and(is_local) {
            return None;
        }
        let (from, to) = (seen(&step.item).filter(|_| step.vacates()), there.flatten());
        let same = from.as_ref().map(|(_, who)| who) == to.as_ref().map(|(_, who)| who);
        (!same).then_some(Doubt::Sight { gains: to, loses: from })
    }

    /// A step from a folder that the person alone may enter to one that others may.
    fn opened(&mut self, step: &Step) -> Option<Doubt> {
        let (from, to) = (step.item.folder(), step.target()?.folder());
        if self.is_open(&from)? || !self.is_open(&to)? {
            return None;
        }
        Some(Doubt::Opens { from: from.to_string(), to: to.to_string() })
    }

    /// Whether others may enter a folder and all above it in its place; of one that is still to be made, the nearest
    /// above it. `None` where there are no such rights.
    fn is_open(&mut self, folder: &Spot) -> Option<bool> {
        if let Some(known) = self.open.get(folder) {
            return *known;
        }
        let own = self.places.of(folder).and_then(|store| store.open_to(&folder.path));
        let is_open = own.unwrap_or(Some(OTHERS)).map(|own| own & OTHERS != 0);
        let is_open = match is_open {
            Some(true) if !folder.path.is_root() => self.is_open(&folder.folder()),
            known => known,
        };
        self.open.insert(folder.clone(), is_open);
        is_open
    }

    /// A step to another file system or a drive, on which something of the item is not kept.
    fn lost(&mut self, step: &Step) -> Option<Doubt> {
        let (Act::Move { to } | Act::Copy { to }) = &step.act else { return None };
        let (source, target) = (self.places.of(&step.item).ok()?, self.places.of(to).ok()?);
        let there = self.domain(target, &to.folder())?;
        if source.domain(&step.stamp.identity) == there {
            return None;
        }
        let keeps = target.keeps(&to.path.parent().unwrap_or_default()).ok()?;
        let lost = source.loses(&step.item.path, keeps).ok()?;
        (!lost.is_empty()).then_some(Doubt::Loses(lost))
    }

    fn domain(&mut self, store: &dyn ReadStore, folder: &Spot) -> Option<u64> {
        let ground = |path: &ItemPath| store.ground(path).ok().map(|ground| ground.domain);
        *self.domains.entry(folder.clone()).or_insert_with(|| ground(&folder.path))
    }
}

/// The rights of group and others to read.
const OTHERS: u32 = 0o044;
