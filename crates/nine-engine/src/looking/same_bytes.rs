//! Which files have the same bytes: what is in question is read, and noted down.

use std::collections::{BTreeMap, HashMap, HashSet};

use nine_core::archive::Sum;
use nine_core::copies::{
    Candidates, CopiesTake, Digest, Group, LookAlike, Meet, Member, Side, Taken, choose, copies_take, groups,
    hidden_in_question, look_alikes,
};
use nine_core::find::Rows;
use nine_core::item::{Kind, Stays};
use nine_core::place::Spot;
use nine_core::tree::{Column, NodeId, Tree, mark};
use nine_core::worklist::Original;
use nine_stores::{HashSource, Hashed, ReadStore, Watch, beside, expect, hash_round, read_digests, sum_of};

use super::keep::{learn_tags, lost, standing};
use super::{Area, Looking, View};
use crate::reporter::{Notice, Task, Unread};

/// What must be known of a place to say what of it has which bytes.
pub const KNOWN_OF_COPIES: [Column; 6] =
    [Column::Kind, Column::Marks, Column::Size, Column::Identity, Column::Whole, Column::Digests];

/// Files by their digest.
type SameBytes = HashMap<Digest, Vec<Member>>;

/// Bytes that are read before what was found out is kept.
const KEEP_AFTER: u64 = 4 << 30;

fn same_spot(views: &[View], a: Member, b: Member) -> bool {
    let view = |member: Member| &views[member.view as usize];
    let place = |member: Member| &view(member).area.base.place;
    let name = |member: Member| view(member).tree.name(member.id);
    let spot = |member: Member| view(member).spot(member.id);
    // What is dear comes last: of two places with thousands of equal names each is held against each.
    a.view != b.view && place(a) == place(b) && name(a) == name(b) && spot(a) == spot(b)
}

impl View {
    /// The tree, and where its files can be read.
    fn source(&mut self) -> HashSource<'_> {
        let store = self.area.store.as_deref().filter(|_| !self.is_known);
        HashSource { store: store.map(|store| store as &dyn ReadStore), tree: &mut self.tree }
    }
}

impl Looking<'_> {
    /// Names places whose files count as well where it is asked what else has some bytes. They are read
    /// only then.
    pub fn set_beside(&mut self, areas: Vec<Area>) {
        let is_view = |area: &Area| self.views.iter().any(|view| view.area.address == area.address);
        self.beside = areas.into_iter().filter(|area| !is_view(area)).collect();
    }

    /// Does something with the places beside as if they were looked at too.
    pub(super) fn with_asides<T>(&mut self, work: impl FnOnce(&mut Self) -> T) -> T {
        let own = self.views.len();
        self.views.append(&mut self.asides);
        let out = work(self);
        self.asides = self.views.split_off(own);
        out
    }

    /// Reads the places beside, as the others were read.
    fn read_beside(&mut self, as_known: bool) {
        let own = self.views.len();
        for area in std::mem::take(&mut self.beside) {
            match area.store.clone().filter(|_| !as_known) {
                Some(store) => self.read(area, &*store),
                // Of a place that nobody looked at yet there is nothing to say here.
                None => drop(self.recall_if_known(area, &KNOWN_OF_COPIES)),
            }
        }
        (own..self.views.len()).for_each(|view| self.carry_over_into(view));
        self.asides.extend(self.views.split_off(own));
    }

    /// Learns how many items have the bytes of some files of a view, itself counted. With
    /// `wants_stays` it also says what stays in place of each that is not needed.
    pub fn learn_copies(&mut self, view: usize, rows: &Rows, wants_stays: bool) -> HashMap<NodeId, Stays> {
        let as_known = self.views[view].is_known;
        self.read_beside(as_known);
        self.with_asides(|all| {
            let tree = &all.views[view].tree;
            let asked = rows.filter(|row| tree.kind(NodeId::new(row)) == Kind::File);
            if !as_known {
                let side = |of: &View, member: Member| match member.view as usize == view {
                    true if asked.has(member.id.row()) => Some(Side::Asked),
                    _ => (!of.tree.has_mark(member.id, mark::HIDDEN)).then_some(Side::Beside),
                };
                all.compare(side, Meet::Any, HashSet::new());
            }
            let same = all.with_same_bytes(view, &asked);
            all.count_copies(view, &asked, &same, as_known);
            if wants_stays { all.what_stays(view, &asked, &same) } else { HashMap::new() }
        })
    }

    /// For each view, how much copies take, as far as that is known; last, for all of them together. Some other work
    /// with the first views, as many as there are now, is done at the same time.
    pub fn copies_take<T>(&mut self, meanwhile: impl FnOnce(&Self, usize) -> T) -> (Vec<CopiesTake>, T) {
        self.read_beside(true);
        let own = self.views.len();
        self.with_asides(|all| {
            let trees = all.trees();
            let (done, takes) = beside(|| meanwhile(all, own), || copies_take(&trees, own));
            (takes, done)
        })
    }

    /// The files with each of the digests that some files of a view have, in the order of reading. Of
    /// several names of one file only the first counts.
    fn with_same_bytes(&self, view: usize, asked: &Rows) -> SameBytes {
        let own = &self.views[view].tree;
        let mut same: SameBytes = asked.ids().filter_map(|id| Some((own.digest(id)?, Vec::new()))).collect();
        let mut seen = HashSet::new();
        if same.is_empty() {
            return same;
        }
        // What is known of a place that cannot be reached is no reason to let anything go.
        let as_known = self.views[view].is_known;
        let counts = |of: &View| as_known || !of.is_known;
        for (number, of) in self.views.iter().enumerate().filter(|(_, of)| counts(of)) {
            let tree = &of.tree;
            for id in tree.ids() {
                let is_asked = number == view && asked.has(id.row());
                if !is_asked && tree.has_mark(id, mark::HIDDEN) {
                    continue;
                }
                let Some(files) = tree.digest(id).and_then(|digest| same.get_mut(&digest)) else { continue };
                if seen.insert(tree.identity(id)) {
                    files.push(Member::new(number, id));
                }
            }
        }
        same
    }

    fn count_copies(&mut self, view: usize, asked: &Rows, same: &SameBytes, as_known: bool) {
        let reads = self.views[view].store().is_none_or(|store| store.abilities().may_read);
        let tree = &mut self.views[view].tree;
        for id in asked.ids() {
            let many = tree.digest(id).map(|digest| same[&digest].len() as u32);
            // What was in question and has no digest by now shares its size with none, or could not be
            // read, which was said.
            if let Some(many) = many.or((!as_known && reads).then_some(1)) {
                tree.learn_copies(id, many.max(1));
            }
        }
    }

    /// For files of a view that are not needed, what stays in their place.
    fn what_stays(&mut self, view: usize, asked: &Rows, same: &SameBytes) -> HashMap<NodeId, Stays> {
        let groups: Vec<&Vec<Member>> = same.values().filter(|members| members.len() > 1).collect();
        let members: Vec<Member> = groups.iter().flat_map(|members| members.iter().copied()).collect();
        learn_tags(self, &members);
        let mut found = HashMap::new();
        for members in groups {
            let standings = members.iter().map(|member| standing(self, *member));
            let chosen = choose(standings, &self.workspace.config().keep);
            let stays = members[chosen.at];
            let of = &self.views[stays.view as usize];
            let original = Original { item: of.spot(stays.id), stamp: of.stamp(stays.id) };
            let going = members.iter().filter(|member| {
                **member != stays && member.view as usize == view && asked.has(member.id.row())
            });
            for member in going {
                let (original, because) = (original.clone(), chosen.because.clone());
                let lost_tags = lost(self, *member, stays);
                found.insert(member.id, Stays { original, because, lost_tags });
            }
        }
        found
    }

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
        same_spot(&self.views, a, b)
    }

    /// The files that are the same, and those whose names suggest it; both at once, since neither is quick
    /// where there are many.
    pub fn groups_and_names(&self, taken: Taken, wants_names: bool) -> (Vec<Group>, Vec<LookAlike>) {
        let (views, trees) = (self.views.as_slice(), self.trees());
        let same = |a, b| same_spot(views, a, b);
        std::thread::scope(|scope| {
            let names = scope.spawn(|| if wants_names { look_alikes(&trees, same) } else { Vec::new() });
            let groups = groups(&trees, taken, same);
            (groups, names.join().expect("names are compared without harm"))
        })
    }

    /// Reads what must be read to know which files have the same bytes. `wanted` says what is wanted of
    /// each; what lies in a place that cannot be reached is never in question.
    pub fn compare(
        &mut self,
        wanted: impl Fn(&View, Member) -> Option<Side>,
        meet: Meet,
        elsewhere: HashSet<u64>,
    ) {
        let views = &self.views;
        let reachable = |member: Member| views[member.view as usize].store().is_some();
        let side =
            |member: Member| wanted(&views[member.view as usize], member).filter(|_| reachable(member));
        if views.iter().all(|view| view.store().is_none_or(|store| store.abilities().may_read)) {
            let unread = Candidates::unread_of(&self.trees(), side, meet, elsewhere);
            self.read_candidates(&unread);
            return;
        }
        let all = Candidates::of(&self.trees(), side, meet, elsewhere.clone());
        if self.spared_of(&all, &HashSet::new()).is_empty() {
            self.read_candidates(&all);
            return;
        }
        let told = self.learn_told_sums(&all);
        let views = &self.views;
        let reachable = |member: Member| views[member.view as usize].store().is_some();
        let read = |member: Member| {
            wanted(&views[member.view as usize], member)
                .filter(|_| reachable(member) && !self.is_spared(member))
        };
        let candidates = Candidates::of(&self.trees(), read, meet, elsewhere);
        self.tell_spared(&self.spared_of(&all, &told));
        self.read_candidates(&candidates);
    }

    /// Whether a file is not read, since it lies on a drive and nobody has allowed that.
    fn is_spared(&self, member: Member) -> bool {
        let view = &self.views[member.view as usize];
        view.store().is_some_and(|store| !store.abilities().may_read) && view.tree.digest(member.id).is_none()
    }

    /// For each view, how many of the files in question are not read, and their bytes; but for those of which
    /// the drive has told enough.
    fn spared_of(&self, candidates: &Candidates, told: &HashSet<Member>) -> BTreeMap<usize, (u64, u64)> {
        let mut spared: BTreeMap<usize, (u64, u64)> = BTreeMap::new();
        let trees = self.trees();
        let files = (0..candidates.len()).flat_map(|run| candidates.run(run, &trees));
        for file in files.filter(|file| self.is_spared(file.member) && !told.contains(&file.member)) {
            let (count, bytes) = spared.entry(file.member.view as usize).or_default();
            *count += 1;
            *bytes += file.size;
        }
        spared
    }

    /// Where a drive tells checksums of files that are not read: what has the same as a file that may be read
    /// has its bytes. Returns all of which it told one.
    fn learn_told_sums(&mut self, candidates: &Candidates) -> HashSet<Member> {
        let runs: Vec<Vec<Member>> = {
            let trees = self.trees();
            let run = |run| candidates.run(run, &trees).iter().map(|file| file.member).collect();
            (0..candidates.len()).map(run).collect()
        };
        let mut told = HashSet::new();
        for run in runs {
            let (spared, read): (Vec<Member>, Vec<Member>) =
                run.into_iter().partition(|member| self.is_spared(*member));
            let sums: Vec<(Member, Sum)> =
                spared.iter().filter_map(|member| Some((*member, self.told_sum(*member)?))).collect();
            told.extend(sums.iter().map(|(member, _)| *member));
            let read = if sums.is_empty() { Vec::new() } else { read };
            for twin in read {
                let store = self.views[twin.view as usize].store().cloned();
                let path = self.views[twin.view as usize].tree.path(twin.id);
                let sum = match store.filter(|store| store.abilities().may_read) {
                    Some(store) => sum_of(&*store, &path, &Watch::default()).ok(),
                    None => self.told_sum(twin),
                };
                let same: Vec<Member> =
                    sums.iter().filter(|(_, told)| Some(*told) == sum).map(|(member, _)| *member).collect();
                if same.is_empty() {
                    continue;
                }
                let tree = &self.views[twin.view as usize].tree;
                let mut rows = Rows::none(tree.rows());
                rows.add(twin.id.row());
                self.learn_digests(twin.view as usize, &rows);
                let Some(digest) = self.views[twin.view as usize].tree.digest(twin.id) else { continue };
                for member in same {
                    self.views[member.view as usize].tree.learn_digest(member.id, digest);
                    self.views[member.view as usize].is_kept = false;
                }
            }
        }
        told
    }

    fn told_sum(&self, member: Member) -> Option<Sum> {
        let view = &self.views[member.view as usize];
        view.store()?.told_sum(&view.tree.path(member.id)).ok().flatten().map(Sum)
    }

    fn tell_spared(&self, spared: &BTreeMap<usize, (u64, u64)>) {
        for (view, (count, bytes)) in spared {
            let place = &self.views[*view].area.base;
            let (files, bytes) = (*count, *bytes);
            let what = Unread::Bytes;
            self.workspace.notice(&Notice::OnDriveUnread { place, what, files, bytes });
        }
    }

    /// Reads what must be read to know which of all files, and which whole folders, are the same.
    pub fn compare_all(&mut self, taken: Taken) {
        let in_sight = move |view: &View, member: Member| {
            let hidden = view.tree.has_mark(member.id, mark::HIDDEN);
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
        let (workspace, watch) = (self.workspace, Watch::default());
        let sources: Vec<HashSource> = self.views.iter_mut().map(View::source).collect();
        expect(&sources, candidates, &watch);
        let (mut next, mut kept) = (0, 0);
        workspace.during(Task::Comparing, &watch, || {
            while next < candidates.len() {
                let mut sources: Vec<HashSource> = self.views.iter_mut().map(View::source).collect();
                let (hashed, after) = hash_round(&mut sources, candidates, next, &watch);
                next = after;
                self.after_reading(hashed, None);
                // A long reading that is cut off must not have been in vain.
                if watch.bytes().0 - kept > KEEP_AFTER {
                    kept = watch.bytes().0;
                    (0..self.views.len()).for_each(|view| self.keep_view(view));
                }
            }
        });
        tracing::info!(bytes = watch.bytes().0, "compared");
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
        if of_view.store().is_some_and(|store| !store.abilities().may_read) && !rows.is_empty() {
            let bytes = rows.iter().map(|id| tree.size(*id)).sum();
            self.tell_spared(&BTreeMap::from([(view, (rows.len() as u64, bytes))]));
            return;
        }
        let (workspace, watch) = (self.workspace, Watch::default());
        let mut source = of_view.source();
        let hashed =
            workspace.during(Task::ReadingBytes, &watch, || read_digests(&mut source, &rows, &watch));
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
