//! The rules applied to piles as they are now: all that lies there, or once more to one item of which
//! the person told something.

use std::collections::{BTreeMap, HashMap, HashSet};

use nine_core::condition::Need;
use nine_core::config::Pile;
use nine_core::find::Rows;
use nine_core::item::{Identity, Stays};
use nine_core::moment::Moment;
use nine_core::place::{NameBuf, Spot};
use nine_core::plan::archive::{self, ArchiveProposals, Target};
use nine_core::plan::sweep::{self, SweepProposals, To};
use nine_core::plan::tidy::{Pass, Proposed, RuleCount, Tidying, needs_of, propose_again};
use nine_core::plan::{Left, Proposal};
use nine_core::rules::{Reach, Rule};
use nine_core::shelving::Shelving;
use nine_core::tree::{NodeId, Tree, Unlearned, mark};
use nine_stores::{OnlyNames, StoreDetails, made_of_each, threads};

use crate::Result;
use crate::looking::{Area, LookMode, Looking, RowQuestion, WantsInside, all_areas, all_rows};
use crate::reporter::Task;
use crate::workspace::Workspace;

/// Piles that were looked at for the rules.
pub struct RulesAtWork<'w> {
    workspace: &'w Workspace,
    /// The bookcases as they stand.
    pub shelvings: Vec<Shelving>,
    /// What was seen.
    pub looking: Looking<'w>,
    /// What other programs have open.
    in_use: HashSet<Identity>,
    /// Whether it is counted for each rule what it acts on.
    pub counts_rules: bool,
    /// For each view that was compared, what stays in place of what is not needed.
    stays: HashMap<usize, HashMap<NodeId, Stays>>,
}

/// What the passes over all piles came to.
#[derive(Default)]
pub struct Gathered {
    pub proposals: Vec<Proposal>,
    pub left: BTreeMap<Left, u64>,
    pub looked_at: u64,
    /// For each view, what lies loose and nothing is wanted for.
    pub loose: Vec<(usize, Vec<NodeId>)>,
    /// For each rule what it acts on, where that was asked for.
    pub counts: Vec<RuleCount>,
    /// What is left for now alone, and when it was last changed; the outermost of it in its pile.
    pub waits: Vec<(Spot, Moment)>,
}

impl<'w> RulesAtWork<'w> {
    /// Reads the piles.
    ///
    /// # Errors
    /// As [`Looking::look`].
    pub fn look(workspace: &'w Workspace, piles: &[&Pile]) -> Result<Self> {
        let areas = all_areas(workspace)
            .into_iter()
            .filter(|area| area.store.is_some() && piles.iter().any(|pile| *pile.name == *area.base.place));
        Self::look_at(workspace, areas.collect())
    }

    /// Reads of one pile only what has these names or may belong to something of these names.
    ///
    /// # Errors
    /// As [`Looking::look`].
    pub fn look_in(workspace: &'w Workspace, pile: &Pile, names: &HashSet<NameBuf>) -> Result<Self> {
        let areas = all_areas(workspace).into_iter();
        let areas = areas.filter(|area| area.store.is_some() && *pile.name == *area.base.place);
        let only = OnlyNames::new(names.clone());
        Self::look_at(workspace, areas.map(|area| Area { only: Some(only.clone()), ..area }).collect())
    }

    fn look_at(workspace: &'w Workspace, areas: Vec<Area>) -> Result<Self> {
        let shelvings = workspace.shelvings();
        let mut looking = Looking::look(workspace, areas, &LookMode::Now)?;
        looking.set_beside(all_areas(workspace));
        let stays = HashMap::new();
        let in_use = nine_stores::in_use();
        Ok(Self { workspace, shelvings, looking, in_use, counts_rules: false, stays })
    }

    /// Applies the rules to all that lies there.
    pub fn propose(&mut self) -> Gathered {
        let mut gathered = Gathered::default();
        for view in 0..self.looking.views.len() {
            let workspace = self.workspace;
            let proposed = self.pass(view, |pass, pile, tree| {
                workspace.during(Task::Planning, workspace.watch(), || propose(pass, pile, tree))
            });
            let Some(proposed) = proposed else { continue };
            tracing::info!(looked_at = proposed.looked_at, wanted = proposed.proposals.len(), "planned");
            match gathered.proposals.is_empty() {
                true => gathered.proposals = proposed.proposals,
                false => gathered.proposals.extend(proposed.proposals),
            }
            gathered.waits.extend(self.waits(view, &proposed.waits));
            gathered.loose.push((view, proposed.loose));
            gathered.looked_at += proposed.looked_at;
            let rules = gathered.counts.len().max(proposed.counts.len());
            gathered.counts.resize(rules, RuleCount::default());
            gathered.counts.iter_mut().zip(&proposed.counts).for_each(|(all, more)| all.add(more));
            for (why, number) in proposed.left {
                *gathered.left.entry(why).or_default() += number;
            }
        }
        self.looking.keep();
        gathered
    }

    fn waits(&self, view: usize, waits: &[NodeId]) -> Vec<(Spot, Moment)> {
        let view = &self.looking.views[view];
        let of = |id: &NodeId| {
            let mut outermost = *id;
            while view.tree.parent(outermost) != Tree::ROOT {
                outermost = view.tree.parent(outermost);
            }
            (view.spot(outermost), view.tree.totals(*id).latest.max(view.tree.age_from(*id)))
        };
        waits.iter().map(of).collect()
    }

    /// Sweeps together all that lies loose, a pile at a time; with `later`, what no rule is for.
    pub fn sweep(&mut self, later: bool) -> Vec<(String, SweepProposals)> {
        let mut all = Vec::new();
        for view in 0..self.looking.views.len() {
            let swept = match later {
                false => self.pass(view, |pass, pile, tree| sweep::plan(pass, pile, tree, To::Dated)),
                true => self.pass(view, |pass, pile, tree| {
                    let unruled: HashSet<NodeId> = propose(pass, pile, tree).unruled.into_iter().collect();
                    sweep::plan(pass, pile, tree, To::Later(&unruled))
                }),
            };
            all.extend(swept.map(|swept| (self.looking.views[view].area.base.place.to_string(), swept)));
        }
        self.looking.keep();
        all
    }

    /// What is stale of all that lies loose, in all piles together.
    ///
    /// # Errors
    /// If the index of words cannot be asked.
    pub fn stale(&mut self, target: &Target) -> Result<ArchiveProposals> {
        let mut all = ArchiveProposals::default();
        let condition = &target.archive.when;
        for view in 0..self.looking.views.len() {
            if condition.needs().has_any(&[Need::Text, Need::Said, Need::Copies]) {
                // Asked for what it teaches; which items are stale is decided one by one.
                let loose = &self.looking.views[view].tree;
                let loose = all_rows(loose).filter(|row| loose.parent(NodeId::new(row)) == Tree::ROOT);
                let question = RowQuestion { condition, inside: false, reads_text: true };
                self.looking.find(view, question, &loose)?;
            }
            let found = self.pass(view, |pass, pile, tree| archive::stale(pass, pile, tree, target));
            all.add(found.unwrap_or_default());
        }
        self.looking.keep();
        Ok(all)
    }

    /// Applies the rules once more to one item. `None` if they want nothing for it then, or it is not
    /// there any more.
    pub fn again(&mut self, item: &Spot, told: &[(String, String)]) -> Option<Proposal> {
        let view = self.looking.views.iter().position(|view| view.area.base.place == item.place)?;
        self.pass(view, |pass, pile, tree| {
            propose_again(pass, pile, tree, tree.find(&item.path)?, told.to_vec())
        })?
    }

    /// What the rules need for one pile.
    fn pass<T>(&mut self, view: usize, work: impl FnOnce(&Pass, &Pile, &Tree) -> T) -> Option<T> {
        let config = self.workspace.config();
        let name = &self.looking.views[view].area.base.place;
        let pile = config.pile(name).filter(|_| !self.looking.views[view].is_known)?;
        let inside = self.workspace.places_inside(&pile.name);
        let reached = learn(&mut self.looking, view, pile);
        let asks =
            config.rules.iter().any(|rule| rule.is_for_pile(&pile.name) && rule.needs().has(Need::Copies));
        if asks && !self.stays.contains_key(&view) {
            let stays = self.looking.learn_copies(view, &reached, true);
            self.stays.insert(view, stays);
        }
        let stays = self.stays.get(&view);
        let view = &self.looking.views[view];
        let store = view.store()?;
        let catalogue = self.looking.catalogue();
        let details = StoreDetails {
            store: &**store,
            containers: self.workspace.containers(),
            tree: &view.tree,
            catalogue,
            stays,
        };
        let pass = Pass {
            config,
            shelvings: &self.shelvings,
            places: &|path| inside.contains(path),
            now: self.workspace.now(),
            details: &details,
            in_use: &self.in_use,
            counts_rules: self.counts_rules,
        };
        Some(work(&pass, pile, &view.tree))
    }
}

/// Parts for each thread: they take unlike long.
const PARTS: usize = 8;

/// Fewer rows than that are not worth a thread.
const FEWEST_ROWS: usize = 2_000;

/// Applies the rules to all that lies in a pile, by all threads.
fn propose(pass: &Pass, pile: &Pile, tree: &Tree) -> Proposed {
    let tidying = Tidying::new(pass, pile, tree);
    let parts = tidying.parts((tree.rows() / (PARTS * threads())).max(FEWEST_ROWS));
    let found = made_of_each(&parts, 1, |part| tidying.propose(part));
    tidying.together(parts, found)
}

/// Learns what the rules ask of the items that they reach, all at once, so that the catalogue keeps
/// it and the next run need not ask again. Returns these items.
fn learn(looking: &mut Looking, view: usize, pile: &Pile) -> Rows {
    let rules = looking.workspace.config().rules.iter().filter(|rule| rule.is_for_pile(&pile.name));
    let needs = needs_of(rules.clone());
    let deep = rules.clone().any(|rule| rule.reach == Reach::Deep);
    let hidden = rules.clone().any(Rule::asks_for_hidden);
    let tree = &looking.views[view].tree;
    let reached = all_rows(tree).filter(|row| {
        let id = NodeId::new(row);
        (deep || tree.parent(id) == Tree::ROOT) && (hidden || !tree.has_mark(id, mark::HIDDEN))
    });
    if needs.has(Need::Tags) {
        looking.learn(view, &reached, Unlearned { tags: true, content: false });
    }
    if needs.has(Need::Contents) {
        looking.learn(view, &reached, Unlearned { tags: false, content: true });
    } else if needs.has(Need::Type) {
        looking.learn_types(view, &reached);
    }
    if needs.has(Need::Said) && !needs.has(Need::Contents) {
        looking.learn_types(view, &reached);
    }
    let wants = WantsInside::of(needs, true);
    if !wants.is_none() {
        looking.read_words(view, &reached, wants);
    }
    reached
}
