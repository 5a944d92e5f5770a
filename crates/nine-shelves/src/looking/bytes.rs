//! Which files have the same bytes: what is in question is read, and noted down.

use std::collections::HashSet;

use nine_core::copies::{Candidates, Meet, Member, Side, Taken, hidden_in_question};
use nine_core::find::Rows;
use nine_core::item::Kind;
use nine_core::place::Spot;
use nine_core::tree::{NodeId, Tree};
use nine_stores::{Hashed, Source, Store, Watch, hash, read_digests};

use super::{Looking, View};
use crate::progress;

impl View {
    /// The tree, and where its files can be read.
    fn source(&mut self) -> Source<'_> {
        let store = self.ground.store.as_deref().filter(|_| !self.is_known);
        Source { store: store.map(|store| store as &dyn Store), tree: &mut self.tree }
    }
}

impl Looking<'_> {
    /// The trees of all views, in their order.
    pub fn trees(&self) -> Vec<&Tree> {
        self.views.iter().map(|view| &view.tree).collect()
    }

    /// Where a member of a group lies.
    pub fn spot(&self, member: Member) -> Spot {
        self.views[member.view as usize].spot(member.id)
    }

    /// Whether two members are one name that is seen through two places.
    pub fn same_spot(&self, a: Member, b: Member) -> bool {
        let name = |member: Member| self.views[member.view as usize].tree.name(member.id);
        a.view != b.view && name(a) == name(b) && self.spot(a) == self.spot(b)
    }

    /// Reads what must be read to know which files have the same bytes. `side` says what is wanted of
    /// each; what lies in a place that cannot be reached is never in question.
    pub fn compare(
        &mut self,
        side: impl Fn(&View, Member) -> Option<Side>,
        meet: Meet,
        elsewhere: HashSet<u64>,
    ) {
        let views = &self.views;
        let reachable = |member: Member| views[member.view as usize].store().is_some();
        let side = |member: Member| side(&views[member.view as usize], member).filter(|_| reachable(member));
        let candidates = Candidates::of(&self.trees(), side, meet, elsewhere);
        self.read_candidates(&candidates);
    }

    /// Reads what must be read to know which of all files, and which whole folders, are the same.
    pub fn compare_all(&mut self, taken: Taken) {
        let in_sight = move |view: &View, member: Member| {
            let hidden = view.tree.has_mark(member.id, nine_core::tree::mark::HIDDEN);
            (taken.hidden || !hidden).then_some(Side::Asked)
        };
        self.compare(in_sight, Meet::Any, HashSet::new());
        let hidden: HashSet<Member> = hidden_in_question(&self.trees()).into_iter().collect();
        if !hidden.is_empty() {
            let asked = |_: &View, member: Member| hidden.contains(&member).then_some(Side::Asked);
            self.compare(asked, Meet::Any, HashSet::new());
        }
    }

    fn read_candidates(&mut self, candidates: &Candidates) {
        if candidates.is_empty() {
            return;
        }
        let watch = Watch::default();
        let mut sources: Vec<Source> = self.views.iter_mut().map(View::source).collect();
        let hashed = progress::of_bytes("comparing", &watch, || hash(&mut sources, candidates, &watch));
        tracing::info!(files = hashed.read, bytes = watch.bytes().0, "compared");
        self.after_reading(hashed, None);
    }

    /// Reads these files as a whole, where that was not done yet.
    pub fn learn_digests(&mut self, view: usize, rows: &Rows) {
        let of_view = &mut self.views[view];
        if of_view.store().is_none() {
            return;
        }
        let tree = &of_view.tree;
        let unread = |id: &NodeId| tree.kind(*id) == Kind::File && tree.digest(*id).is_none();
        let rows: Vec<NodeId> = rows.ids().filter(unread).collect();
        let watch = Watch::default();
        let mut source = of_view.source();
        let hashed = progress::of_bytes("reading", &watch, || read_digests(&mut source, &rows, &watch));
        self.after_reading(hashed, Some(view));
    }

    /// Says what could not be read. `view` is the one that was read, where it is only one.
    fn after_reading(&mut self, hashed: Hashed, view: Option<usize>) {
        if hashed.read > 0 {
            self.views.iter_mut().for_each(|view| view.is_kept = false);
        }
        for (member, error) in hashed.troubles {
            let member = view.map_or(member, |view| Member::new(view, member.id));
            let spot = self.spot(member).to_string();
            self.trouble(&spot, &format!("is not compared: {error}"));
        }
    }
}
