//! What a word that is being typed may become: told by the configuration, the catalogue and the daybook. No place is
//! read for it, and nothing is written.

mod condition;
mod shelves;

use self::shelves::KnownCase;

use std::cell::{OnceCell, RefCell};
use std::collections::HashMap;
use std::rc::Rc;
use std::sync::Arc;

use nine_carry::daybook;
use nine_core::config::Config;
use nine_core::names::fold;
use nine_core::survey::Oddity;
use nine_core::tree::{Column, Tree};
use nine_stores::Catalogue;

use crate::search::GroupBy;
use crate::workspace::{Environment, Workspace};

/// How many of the last runs are offered.
const RUNS: usize = 30;

/// What is typed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Wanted {
    /// The name of a pile.
    Pile,
    /// The name of a bookcase.
    Bookcase,
    /// The name of a pile or a bookcase.
    Place,
    /// A shelf.
    Shelf,
    /// A shelf and folders on it.
    ShelfFolder,
    /// The name of a rule.
    Rule,
    /// The name of a saved search.
    Search,
    /// Tags, joined by commas.
    Tags,
    /// The name of a facet.
    Facet,
    /// An answer of the facet of this name.
    Answer(String),
    /// The name of a routine.
    Routine,
    /// The number of a run.
    Run,
    /// The name of a dated folder of the archive.
    Dated,
    /// What a list is grouped by.
    Group,
    /// What is odd.
    Oddity,
    /// A word of a condition, after these.
    Condition(Vec<String>),
}

/// A word that is offered.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Offer {
    /// The whole word, with what stood before a comma in it.
    pub word: String,
    /// What it is, in a few words; empty where the word says it.
    pub about: String,
}

impl Offer {
    fn new(word: impl Into<String>, about: impl Into<String>) -> Self {
        Self { word: word.into(), about: about.into() }
    }
}

/// What is known without looking.
pub struct Known {
    workspace: Workspace,
    catalogue: OnceCell<Option<Catalogue>>,
    /// Bookcases that were asked for, by name: of a large one the catalogue is not asked for each shelf.
    cases: RefCell<HashMap<String, Rc<KnownCase>>>,
}

impl Known {
    /// What is known in an environment; nothing where the configuration cannot be read.
    pub fn of(environment: Arc<Environment>) -> Option<Self> {
        let workspace = Workspace::as_known(environment).ok()?;
        Some(Self { workspace, catalogue: OnceCell::new(), cases: RefCell::default() })
    }

    /// What a word may become of which this is typed, in order.
    pub fn offers(&self, wanted: &Wanted, typed: &str) -> Vec<Offer> {
        let mut offers = match wanted {
            Wanted::Condition(before) => return self.in_condition(before, typed),
            Wanted::ShelfFolder => return self.shelf_folders(typed),
            Wanted::Tags => return in_list(typed, self.tags()),
            // The newest first, as it is.
            Wanted::Run => return beginning(typed, self.runs()),
            Wanted::Pile => self.piles(),
            Wanted::Bookcase => self.bookcases(),
            Wanted::Place => self.piles().into_iter().chain(self.bookcases()).collect(),
            Wanted::Shelf => self.shelves(typed),
            Wanted::Rule => self.rules(),
            Wanted::Search => self.searches(),
            Wanted::Facet => self.facets(),
            Wanted::Answer(facet) => self.answers(facet),
            Wanted::Routine => self.routines(),
            Wanted::Dated => self.dated(),
            Wanted::Group => self.groups(),
            Wanted::Oddity => plain(Oddity::ALL.iter().map(|odd| odd.word())),
        };
        self.put_in_order(&mut offers);
        offers.dedup_by(|a, b| a.word == b.word);
        beginning(typed, offers)
    }

    fn put_in_order(&self, offers: &mut [Offer]) {
        self.workspace.collation().sort(offers, |offer, key| key(offer.word.as_bytes()));
    }

    fn config(&self) -> &Config {
        self.workspace.config()
    }

    fn piles(&self) -> Vec<Offer> {
        let shown = |at: &str| self.workspace.environment.shown_at(&self.workspace.at(at));
        self.config().piles.iter().map(|pile| Offer::new(&pile.name, shown(&pile.at))).collect()
    }

    fn bookcases(&self) -> Vec<Offer> {
        let shown = |at: &str| self.workspace.environment.shown_at(&self.workspace.at(at));
        self.config().bookcases.iter().map(|case| Offer::new(&case.name, shown(&case.at))).collect()
    }

    fn rules(&self) -> Vec<Offer> {
        self.config().rules.iter().map(|rule| Offer::new(&rule.name, rule.when.to_string())).collect()
    }

    fn searches(&self) -> Vec<Offer> {
        let searches = self.config().searches.iter();
        searches.map(|search| Offer::new(&search.name, search.condition.to_string())).collect()
    }

    fn facets(&self) -> Vec<Offer> {
        let facets = self.config().facets.iter();
        facets.map(|facet| Offer::new(&facet.name, format!("such as {}", facet.example()))).collect()
    }

    fn answers(&self, facet: &str) -> Vec<Offer> {
        self.config().facets.get(facet).map_or_else(Vec::new, |facet| plain(facet.listed()))
    }

    fn routines(&self) -> Vec<Offer> {
        let told = |routine: &nine_core::routine::Routine| {
            let parts: Vec<&str> = routine.parts.iter().map(|part| part.text.as_str()).collect();
            Offer::new(&routine.name, parts.join(", "))
        };
        self.config().routines.iter().map(told).collect()
    }

    fn groups(&self) -> Vec<Offer> {
        let facets = self.config().facets.names();
        plain(GroupBy::WORDS.into_iter().chain(facets))
    }

    fn runs(&self) -> Vec<Offer> {
        let data = self.workspace.data();
        let all = daybook::runs(data).unwrap_or_default();
        let last = all.into_iter().rev().take(RUNS);
        let told = |run| {
            let found = daybook::glimpse(data, run).ok()?;
            let done = found.done.map_or("cut off".to_owned(), |done| format!("{done} done"));
            let at = found.at.get(..16).unwrap_or(&found.at).replace('T', " ");
            Some(Offer::new(run.to_string(), format!("{at} {}: {done}", found.command)))
        };
        last.filter_map(told).collect()
    }

    /// The tags of all places.
    fn tags(&self) -> Vec<Offer> {
        let mut tags: Vec<String> = Vec::new();
        for at in
            self.config().piles.iter().map(|p| &p.at).chain(self.config().bookcases.iter().map(|b| &b.at))
        {
            let Some(tree) = self.tree(at, &[Column::Tags, Column::Words]) else { continue };
            let mut is_used = vec![false; tree.tag_sets().count() + 2];
            std::iter::once(Tree::ROOT).chain(tree.ids()).for_each(|id| {
                if let Some(used) = is_used.get_mut(tree.tag_set_of(id) as usize) {
                    *used = true;
                }
            });
            let used = tree.tag_sets().filter(|(number, _)| is_used[*number as usize]);
            tags.extend(used.flat_map(|(_, set)| set.own.iter().chain(&set.inside).cloned()));
        }
        tags.sort_unstable();
        tags.dedup();
        let mut offers = plain(tags.iter().map(String::as_str));
        self.put_in_order(&mut offers);
        offers
    }

    /// What the catalogue knows of a place, with these columns.
    fn tree(&self, at: &str, columns: &[Column]) -> Option<Tree> {
        let file = self.workspace.data().join("catalogue.sqlite");
        let catalogue = self.catalogue.get_or_init(|| Catalogue::open_beside_others(&file).ok()).as_ref()?;
        let at = self.workspace.at(at);
        let of = |address: String| catalogue.load(&address, columns).ok().flatten().map(|kept| kept.tree);
        // As it is written first: of a place that does not answer, nothing is asked.
        of(at.absolute().to_string()).or_else(|| of(at.real().absolute().to_string()))
    }
}

/// Words that say by themselves what they are.
fn plain<'w>(words: impl IntoIterator<Item = &'w str>) -> Vec<Offer> {
    words.into_iter().map(|word| Offer::new(word, "")).collect()
}

/// Those that begin with what is typed, letter case and Unicode form ignored.
fn beginning(typed: &str, offers: Vec<Offer>) -> Vec<Offer> {
    let typed = fold(typed);
    offers.into_iter().filter(|offer| fold(&offer.word).starts_with(&typed)).collect()
}

/// The same for the last one of a list that commas join; those that stand in it already are left out.
fn in_list(typed: &str, offers: Vec<Offer>) -> Vec<Offer> {
    let (before, last) = typed.rfind(',').map_or(("", typed), |comma| typed.split_at(comma + 1));
    let stands = |word: &str| before.split(',').any(|one| one == word);
    let found = beginning(last, offers).into_iter().filter(|offer| !stands(&offer.word));
    found.map(|offer| Offer { word: format!("{before}{}", offer.word), ..offer }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_last_of_a_list_is_completed() {
        let offers = || ["loans", "Lost", "todo"].map(|word| Offer::new(word, "")).to_vec();
        let words = |typed: &str| in_list(typed, offers()).into_iter().map(|o| o.word).collect::<Vec<_>>();
        assert_eq!(words(""), ["loans", "Lost", "todo"]);
        assert_eq!(words("lo"), ["loans", "Lost"]);
        assert_eq!(words("todo,l"), ["todo,loans", "todo,Lost"]);
        assert_eq!(words("loans,"), ["loans,Lost", "loans,todo"]);
        assert!(words("x,y").is_empty());
    }
}
