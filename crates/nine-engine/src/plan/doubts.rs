//! What a person should know of a step that the planners do not see: who can look at the item afterwards, and what of
//! it is lost on the way.

use std::collections::HashMap;

use nine_carry::Sources;
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Doubt, Step};
use nine_stores::{Places, ReadStore, Store, made_of_each};

/// Steps that a thread looks at in one go; what it knows of folders it does not share.
const SHARE: usize = 4096;

/// Adds their doubts to the steps.
pub fn add(places: &Places, sources: &Sources, steps: &mut [Step]) {
    let shares: Vec<&[Step]> = steps.chunks(SHARE).collect();
    let found = made_of_each(&shares, 1, |share| {
        let mut sight = Sight::new(places, sources);
        share.iter().map(|step| sight.doubts(step)).collect::<Vec<_>>()
    });
    steps.iter_mut().zip(found.into_iter().flatten()).for_each(|(step, found)| step.doubts.extend(found));
}

/// A folder that others see, and who they are.
type SeenBy = (String, String);

/// What is known of a folder that a step leads to.
struct Target {
    folder: Spot,
    seen: Option<SeenBy>,
    open: Option<bool>,
}

struct Sight<'a> {
    places: &'a Places,
    /// What was seen of the folders that steps take from.
    sources: &'a Sources,
    /// Whether others on this machine may enter a folder.
    open: HashMap<Spot, Option<bool>>,
    /// The domains of folders.
    domains: HashMap<Spot, Option<u64>>,
    /// The folder in which the step's item lies, and whether others may enter it; mostly that of the step before.
    from: Option<(Spot, Option<bool>)>,
    /// The one to which it leads.
    to: Option<Target>,
}

impl<'a> Sight<'a> {
    fn new(places: &'a Places, sources: &'a Sources) -> Self {
        Self { places, sources, open: HashMap::new(), domains: HashMap::new(), from: None, to: None }
    }

    fn doubts(&mut self, step: &Step) -> Vec<Doubt> {
        self.look_at_folders(step);
        [self.shared(step), self.opened(), self.lost(step)].into_iter().flatten().collect()
    }

    /// Looks at the folders of a step that leads somewhere, where they are others than those of the step before.
    fn look_at_folders(&mut self, step: &Step) {
        let Some(to) = step.target() else { return self.to = None };
        if !self.from.as_ref().is_some_and(|(folder, _)| step.item.lies_in(folder)) {
            let folder = step.item.folder();
            let open = self.is_open(&folder);
            self.from = Some((folder, open));
        }
        if !self.to.as_ref().is_some_and(|target| to.lies_in(&target.folder)) {
            let folder = to.folder();
            let (seen, open) = (self.seen(&folder), self.is_open(&folder));
            self.to = Some(Target { folder, seen, open });
        }
    }

    fn seen(&self, spot: &Spot) -> Option<SeenBy> {
        let (folder, who) = self.places.of(spot).ok()?.seen_by(&spot.path)?;
        Some((Spot::new(spot.place.clone(), folder).to_string(), who))
    }

    /// A step into or out of a folder that others see.
    fn shared(&self, step: &Step) -> Option<Doubt> {
        if self.to.is_none() && !matches!(step.act, Act::Discard { .. }) {
            return None;
        }
        let to = self.to.as_ref().and_then(|to| to.seen.clone());
        let from = self.seen(&step.item).filter(|_| step.vacates());
        let same = from.as_ref().map(|(_, who)| who) == to.as_ref().map(|(_, who)| who);
        if same {
            return None;
        }
        // A shelf of this machine is told by its number, whatever its folder is called.
        let is_renamed = self.to.as_ref().is_some_and(|to| step.item.lies_in(&to.folder));
        let is_local = |store: &dyn Store| store.location(&step.item.path).local().is_some();
        if is_renamed && self.places.of(&step.item).is_ok_and(is_local) {
            return None;
        }
        Some(Doubt::Sight { gains: to, loses: from })
    }

    /// A step from a folder that the person alone may enter to one that others may.
    fn opened(&self) -> Option<Doubt> {
        let (to, (from, is_open)) = (self.to.as_ref()?, self.from.as_ref()?);
        if (*is_open)? || !to.open? {
            return None;
        }
        Some(Doubt::Opens { from: from.to_string(), to: to.folder.to_string() })
    }

    /// Whether others may enter a folder and all above it in its place; of one that is still to be made, the nearest
    /// above it. `None` where there are no such rights.
    fn is_open(&mut self, folder: &Spot) -> Option<bool> {
        if let Some(known) = self.open.get(folder) {
            return *known;
        }
        let own = match self.sources.get(folder) {
            Some(source) => source.open_to,
            None => {
                let asked = self.places.of(folder).and_then(|store| store.open_to(&folder.path));
                asked.unwrap_or(Some(OTHERS))
            }
        };
        let is_open = own.map(|own| own & OTHERS != 0);
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
