//! The rules applied to piles as they are now: all that lies there, or once more to one item of which
//! the person told something.

use std::collections::{BTreeMap, HashMap, HashSet};

use nine_core::config::{Config, Pile};
use nine_core::find::Rows;
use nine_core::item::{Identity, Stays};
use nine_core::layout::Layout;
use nine_core::place::Spot;
use nine_core::plan::archive::{self, Archived, Target};
use nine_core::plan::sweep::{self, Swept, To};
use nine_core::plan::tidy::{Pass, Wants, propose, propose_again};
use nine_core::plan::{Left, Proposal};
use nine_core::rules::{Reach, Rule};
use nine_core::tree::{NodeId, Tree, Unlearned, mark};
use nine_core::worklist::Doubt;
use nine_stores::StoreDetails;

use crate::error::Done;
use crate::looking::{How, Looking, Question, all_grounds, all_rows};
use crate::output::style::{FAINT, STRONG};
use crate::session::{Opened, Session};
use crate::{ask, layout, progress};

/// Piles that were looked at for the rules.
pub struct AtWork<'a> {
    session: &'a Session,
    config: &'a Config,
    opened: &'a Opened,
    /// The bookcases as they stand.
    pub layouts: Vec<Layout>,
    /// What was seen.
    pub looking: Looking<'a>,
    /// What other programs have open.
    in_use: HashSet<Identity>,
    /// For each view that was compared, what stays in place of what is not needed.
    stays: HashMap<usize, HashMap<NodeId, Stays>>,
}

/// What the passes over all piles came to.
#[derive(Default)]
pub struct Gathered {
    pub proposals: Vec<Proposal>,
    pub left: BTreeMap<Left, u64>,
    pub looked_at: u64,
}

impl<'a> AtWork<'a> {
    /// Reads the piles.
    ///
    /// # Errors
    /// As [`Looking::look`].
    pub fn look(session: &'a Session, config: &'a Config, opened: &'a Opened, piles: &[&Pile]) -> Done<Self> {
        let layouts = layout::layouts(config, opened);
        let grounds = all_grounds(session, config, opened).into_iter().filter(|ground| {
            ground.store.is_some() && piles.iter().any(|pile| pile.name == ground.base.place)
        });
        let mut looking = Looking::look(session, grounds.collect(), &How::Now)?;
        looking.set_beside(all_grounds(session, config, opened));
        let stays = HashMap::new();
        let in_use = nine_stores::in_use();
        Ok(Self { session, config, opened, layouts, looking, in_use, stays })
    }

    /// Applies the rules to all that lies there.
    pub fn propose(&mut self) -> Gathered {
        let mut gathered = Gathered::default();
        for view in 0..self.looking.views.len() {
            let session = self.session;
            let proposed = self.pass(view, |pass, pile, tree| {
                progress::during("looking", None, &session.watch, || propose(pass, pile, tree))
            });
            let Some(proposed) = proposed else { continue };
            tracing::info!(looked_at = proposed.looked_at, wanted = proposed.proposals.len(), "planned");
            gathered.proposals.extend(proposed.proposals);
            gathered.looked_at += proposed.looked_at;
            for (why, number) in proposed.left {
                *gathered.left.entry(why).or_default() += number;
            }
        }
        self.looking.keep();
        gathered
    }

    /// Sweeps together all that lies loose, a pile at a time; with `later`, what no rule is for.
    pub fn sweep(&mut self, later: bool) -> Vec<(String, Swept)> {
        let mut all = Vec::new();
        for view in 0..self.looking.views.len() {
            let swept = match later {
                false => self.pass(view, |pass, pile, tree| sweep::plan(pass, pile, tree, To::Dated)),
                true => self.pass(view, |pass, pile, tree| {
                    let unruled: HashSet<NodeId> = propose(pass, pile, tree).unruled.into_iter().collect();
                    sweep::plan(pass, pile, tree, To::Later(&unruled))
                }),
            };
            all.extend(swept.map(|swept| (self.looking.views[view].ground.base.place.clone(), swept)));
        }
        self.looking.keep();
        all
    }

    /// What is stale of all that lies loose, in all piles together.
    ///
    /// # Errors
    /// If the index of words cannot be asked.
    pub fn stale(&mut self, target: &Target) -> Done<Archived> {
        let mut all = Archived::default();
        let condition = &target.archive.when;
        for view in 0..self.looking.views.len() {
            if condition.asks_for_text() || condition.asks_for_copies() {
                // Asked for what it teaches; which items are stale is decided one by one.
                let loose = &self.looking.views[view].tree;
                let loose = all_rows(loose).filter(|row| loose.parent(NodeId::new(row)) == Tree::ROOT);
                let question = Question { condition, inside: false, reads_text: true };
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
        let view = self.looking.views.iter().position(|view| view.ground.base.place == item.place)?;
        self.pass(view, |pass, pile, tree| {
            propose_again(pass, pile, tree, tree.find(&item.path)?, told.to_vec())
        })?
    }

    /// Asks the person which tag files an item, where it has several.
    ///
    /// # Errors
    /// If the person stops.
    pub fn ask_for_tags(&mut self, proposals: &mut [Proposal]) -> Done {
        for proposal in proposals {
            let tags = proposal.doubts.iter().find_map(|doubt| match doubt {
                Doubt::WhichTag(tags) => Some(tags.clone()),
                _ => None,
            });
            let Some(tags) = tags else { continue };
            if let Some(tag) = self.ask_for_tag(&proposal.item, &tags)?
                && let Some(decided) = self.again(&proposal.item, &[("tag".into(), tag)])
            {
                *proposal = decided;
            }
        }
        Ok(())
    }

    fn ask_for_tag(&mut self, item: &Spot, tags: &[String]) -> Done<Option<String>> {
        let look = &self.session.look;
        let mut lines = vec![format!(
            "\n{STRONG}{}{STRONG:#}  {FAINT}has several tags; which one files it{FAINT:#}",
            look.text(&item.to_string())
        )];
        for (nth, tag) in tags.iter().enumerate() {
            let target = self.again(item, &[("tag".into(), tag.clone())]).and_then(|p| p.folder);
            let there = target.as_ref().map(|folder| {
                let entry = self.opened.places.of(folder).and_then(|store| store.entry(&folder.path));
                let is_there = entry.is_ok_and(|entry| entry.is_some());
                format!(
                    "{FAINT}{folder}{}{FAINT:#}",
                    if is_there { ", which exists" } else { ", to be made" }
                )
            });
            lines.push(format!("   {}  {}  {}", nth + 1, look.text(tag), there.unwrap_or_default()));
        }
        for line in lines {
            anstream::eprintln!("{line}");
        }
        let number = ask::number(&format!("1 to {}, or nothing to leave it:", tags.len()), tags.len())?;
        Ok(number.map(|number| tags[number - 1].clone()))
    }

    /// What the rules need for one pile.
    fn pass<T>(&mut self, view: usize, work: impl FnOnce(&Pass, &Pile, &Tree) -> T) -> Option<T> {
        let name = &self.looking.views[view].ground.base.place;
        let pile = self.config.pile(name).filter(|_| !self.looking.views[view].is_known)?;
        let inside = layout::places_inside(self.session, self.config, self.opened, &pile.name);
        let reached = learn(&mut self.looking, view, self.config, pile);
        let asks =
            self.config.rules.iter().any(|rule| rule.is_for_pile(&pile.name) && rule.asks_for_copies());
        if asks && !self.stays.contains_key(&view) {
            let stays = self.looking.learn_copies(view, &reached, Some(self.config));
            self.stays.insert(view, stays);
        }
        let stays = self.stays.get(&view);
        let view = &self.looking.views[view];
        let store = view.store()?;
        let catalogue = self.looking.catalogue();
        let details = StoreDetails { store: &**store, tree: &view.tree, catalogue, stays };
        let pass = Pass {
            config: self.config,
            layouts: &self.layouts,
            places: &|path| inside.contains(path),
            now: &self.session.now,
            details: &details,
            in_use: &self.in_use,
        };
        Some(work(&pass, pile, &view.tree))
    }
}

/// Learns what the rules ask of the items that they reach, all at once, so that the catalogue keeps
/// it and the next run need not ask again. Returns these items.
fn learn(looking: &mut Looking, view: usize, config: &Config, pile: &Pile) -> Rows {
    let rules = config.rules.iter().filter(|rule| rule.is_for_pile(&pile.name));
    let wants = Wants::of_rules(rules.clone());
    let deep = rules.clone().any(|rule| rule.reach == Reach::Deep);
    let hidden = rules.clone().any(Rule::asks_for_hidden);
    let tree = &looking.views[view].tree;
    let reached = all_rows(tree).filter(|row| {
        let id = NodeId::new(row);
        (deep || tree.parent(id) == Tree::ROOT) && (hidden || !tree.has_mark(id, mark::HIDDEN))
    });
    if wants.tags {
        looking.learn(view, &reached, Unlearned { tags: true, content: false });
    }
    if wants.contents {
        looking.learn(view, &reached, Unlearned { tags: false, content: true });
    } else if wants.types {
        looking.learn_types(view, &reached);
    }
    if wants.text {
        looking.read_words(view, &reached);
    }
    reached
}
