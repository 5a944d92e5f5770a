//! What a person should know of a step that the planners do not see: who can look at the item afterwards, and what of
//! it is lost on the way.

use foldhash::HashMap;
use nine_core::folder_numbers::FolderNumbers;
use nine_core::place::{ItemPath, Spot};
use nine_core::worklist::{Act, Doubt, Step};
use nine_stores::{Places, ReadStore, Store, made_of_each};

/// Steps that a thread looks at in one go; what it knows of folders it does not share.
const SHARE: usize = 4096;

/// Finds what is in doubt about each step; `open_to` is what was seen of the folders that they take from.
pub fn find(places: &Places, open_to: &Rights, steps: &[Step]) -> Vec<Vec<Doubt>> {
    let shares: Vec<&[Step]> = steps.chunks(SHARE).collect();
    let found = made_of_each(&shares, 1, |share| {
        let mut sight = Sight::new(places, open_to);
        share.iter().map(|step| sight.doubts(step)).collect::<Vec<_>>()
    });
    found.into_iter().flatten().collect()
}

/// The rights of others to folders.
type Rights = HashMap<Spot, Option<u32>>;

/// A folder that others see, and who they are.
type SeenBy = (String, String);

/// What is known of a folder that steps lead to.
struct Target {
    seen: Option<SeenBy>,
    open: Option<bool>,
}

struct Sight<'a> {
    places: &'a Places,
    /// What was seen of the folders that steps take from.
    open_to: &'a Rights,
    /// Whether others on this machine may enter a folder.
    open: HashMap<Spot, Option<bool>>,
    /// The domains of folders.
    domains: HashMap<Spot, Option<u64>>,
    /// The folders in which items lie, and whether others may enter each.
    from: (FolderNumbers, Vec<Option<bool>>),
    /// Those to which steps lead.
    to: (FolderNumbers, Vec<Target>),
}

/// The numbers of the folder in which a step's item lies, and of that to which it leads.
type FromTo = (usize, usize);

impl<'a> Sight<'a> {
    fn new(places: &'a Places, open_to: &'a Rights) -> Self {
        let (open, domains, from, to) = Default::default();
        Self { places, open_to, open, domains, from, to }
    }

    fn doubts(&mut self, step: &Step) -> Vec<Doubt> {
        let folders = self.look_at_folders(step);
        [self.shared(step, folders), self.opened(folders), self.lost(step)].into_iter().flatten().collect()
    }

    /// Looks at the folders of a step that leads somewhere.
    fn look_at_folders(&mut self, step: &Step) -> Option<FromTo> {
        let target = step.target()?;
        let (from, to) = (self.from.0.of(&step.item), self.to.0.of(target));
        if from == self.from.1.len() {
            let open = self.is_open(&step.item.folder());
            self.from.1.push(open);
        }
        if to == self.to.1.len() {
            let folder = target.folder();
            let (seen, open) = (self.seen(&folder), self.is_open(&folder));
            self.to.1.push(Target { seen, open });
        }
        Some((from, to))
    }

    fn seen(&self, spot: &Spot) -> Option<SeenBy> {
        let (folder, who) = self.places.of(spot).ok()?.seen_by(&spot.path)?;
        Some((Spot::new(spot.place.clone(), folder).to_string(), who))
    }

    /// A step into or out of a folder that others see.
    fn shared(&self, step: &Step, folders: Option<FromTo>) -> Option<Doubt> {
        if folders.is_none() && !matches!(step.act, Act::Discard { .. }) {
            return None;
        }
        let to = folders.and_then(|(_, to)| self.to.1[to].seen.clone());
        let from = self.seen(&step.item).filter(|_| step.vacates());
        let same = from.as_ref().map(|(_, who)| who) == to.as_ref().map(|(_, who)| who);
        if same {
            return None;
        }
        // A shelf of this machine is told by its number, whatever its folder is called.
        let is_renamed = step.target().is_some_and(|target| target.is_beside(&step.item));
        let is_local = |store: &dyn Store| store.location(&step.item.path).local().is_some();
        if is_renamed && self.places.of(&step.item).is_ok_and(is_local) {
            return None;
        }
        Some(Doubt::Sight { gains: to, loses: from })
    }

    /// A step from a folder that the person alone may enter to one that others may.
    fn opened(&self, folders: Option<FromTo>) -> Option<Doubt> {
        let (from, to) = folders?;
        if self.from.1[from]? || !self.to.1[to].open? {
            return None;
        }
        let written = |folders: &FolderNumbers, number: usize| folders.all()[number].to_string();
        Some(Doubt::Opens { from: written(&self.from.0, from), to: written(&self.to.0, to) })
    }

    /// Whether others may enter a folder and all above it in its place; of one that is still to be made, the nearest
    /// above it. `None` where there are no such rights.
    fn is_open(&mut self, folder: &Spot) -> Option<bool> {
        if let Some(known) = self.open.get(folder) {
            return *known;
        }
        let own = match self.open_to.get(folder) {
            Some(known) => *known,
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
