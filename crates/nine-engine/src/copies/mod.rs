//! Items with the same bytes, and which of them stays.

mod similar;
pub(crate) mod steps;

use std::cmp::Reverse;
use std::collections::HashSet;
use std::path::PathBuf;

use nine_core::condition::Condition;
use nine_core::copies::{Alike, Chosen, Folded, Group, Keep, LookAlike, Member, Taken, choose, fold};
use nine_core::escape::plain;
use nine_core::find::Rows;
use nine_core::plan::Proposal;
use nine_core::plan::copies::lost_tags;
use nine_stores::Places;

pub use similar::{Similar, similar};

use crate::error::{Named, Nowhere};
use crate::looking::keep::{COPY, is_shelf, learn_tags, standing};
use crate::looking::{Area, LookMode, Looking, RowQuestion, all_areas, all_rows, areas_of, name_outsiders};
use crate::plan::{Draft, Plan};
use crate::selection::condition;
use crate::workspace::Workspace;
use crate::{Error, Result};
use steps::{Heirs, discarded, proposal, torn_apart};

/// Where copies are looked for, and which.
#[derive(Debug, Clone, Default)]
pub struct Request {
    /// Places, as they are typed; all piles and bookcases, if there are none.
    pub places: Vec<PathBuf>,
    /// The words of a condition that must hold for an item of a group.
    pub condition: Vec<String>,
    /// Hidden files too.
    pub hidden: bool,
    /// Empty files are copies of one another too.
    pub empty: bool,
    /// Preferences, the most important first; those of the configuration, if there are none.
    pub keep: Vec<String>,
    /// Whether files are looked for whose names suggest a copy although their bytes differ.
    pub names: bool,
}

/// What was found.
pub struct Copies<'w> {
    /// The places that were looked at.
    pub looking: Looking<'w>,
    /// Groups of the same bytes with what stays, the most space to be won first.
    pub found: Vec<Folded>,
    /// Files whose names suggest that they are copies, which they are not.
    pub names: Vec<LookAlike>,
    places: Places,
}

/// Finds copies.
///
/// # Errors
/// If a place cannot be looked at, or a word names nothing.
pub fn find<'w>(workspace: &'w Workspace, request: &Request) -> Result<Copies<'w>> {
    let keep = preferences(workspace, request)?;
    let Prepared { mut looking, places, asked } = prepare(workspace, request)?;
    let taken = Taken { hidden: request.hidden, empty: request.empty };
    looking.compare_all(taken);
    let (groups, names) = looking.groups_and_names(taken, request.names);
    let mut found = with_choice(&mut looking, &keep, groups);
    looking.keep();
    found.retain(|folded| is_asked(folded, asked.as_deref()));
    Ok(Copies { looking, found, names, places })
}

/// The groups among what was looked at, as far as it is known which files have the same bytes; nothing is read for
/// it. The most space to be won first.
pub(crate) fn known(looking: &mut Looking) -> Vec<Folded> {
    let keep = looking.workspace.config().keep.clone();
    let (groups, _) = looking.groups_and_names(Taken::default(), false);
    with_choice(looking, &keep, groups)
}

/// The places, and for each the rows that are asked about, where a condition says so.
struct Prepared<'w> {
    looking: Looking<'w>,
    places: Places,
    asked: Option<Vec<Rows>>,
}

fn prepare<'w>(workspace: &'w Workspace, request: &Request) -> Result<Prepared<'w>> {
    let condition = condition(workspace.config(), &request.condition, &[])?;
    let mut areas = areas(workspace, request)?;
    let places = name_outsiders(&mut areas, workspace);
    let mut looking = Looking::look(workspace, areas, &LookMode::Now)?;
    looking.set_beside(all_areas(workspace));
    // What cannot be reached, and was named, cannot be compared, and nothing may go for its sake.
    looking.views.retain(|view| !view.is_known);
    let asked = condition.map(|condition| asked(&mut looking, &condition)).transpose()?;
    Ok(Prepared { looking, places, asked })
}

/// The preferences that were typed, or those of the configuration.
fn preferences(workspace: &Workspace, request: &Request) -> Result<Vec<Keep>> {
    if request.keep.is_empty() {
        return Ok(workspace.config().keep.clone());
    }
    let unknown = |word: &String| Error::unknown(Named::Preference, word, Keep::words());
    let read = |word: &String| Keep::parse(word.trim()).ok_or_else(|| unknown(word));
    request.keep.iter().map(read).collect()
}

fn areas(workspace: &Workspace, request: &Request) -> Result<Vec<Area>> {
    let areas = match request.places.is_empty() {
        true => all_areas(workspace),
        false => areas_of(workspace, &request.places, false)?,
    };
    if areas.is_empty() { Err(Error::Nowhere(Nowhere::Copies)) } else { Ok(areas) }
}

/// For each view, the rows for which a condition holds.
fn asked(looking: &mut Looking, condition: &Condition) -> Result<Vec<Rows>> {
    let question = RowQuestion { condition, inside: false, reads_text: false };
    let views = 0..looking.views.len();
    let of = |view: usize| {
        let all = all_rows(&looking.views[view].tree);
        looking.find(view, question, &all)
    };
    views.map(of).collect()
}

/// Whether one of a group's items was asked for.
fn is_asked(folded: &Folded, asked: Option<&[Rows]>) -> bool {
    let Some(asked) = asked else { return true };
    folded.group.items.iter().flat_map(names).any(|name| asked[name.view as usize].has(name.id.row()))
}

/// All names of an item.
fn names(item: &Alike) -> Vec<Member> {
    item.links.iter().copied().chain([item.member]).collect()
}

/// Puts whole folders in place of their files, and chooses in each group what stays.
fn with_choice(looking: &mut Looking, keep: &[Keep], found: Vec<Group>) -> Vec<Folded> {
    let members: Vec<Member> = found.iter().flat_map(|group| &group.items).flat_map(names).collect();
    learn_tags(looking, &members);
    let standing = |item: &Alike| standing(looking, item.member);
    let choose = |group: &Group| -> Chosen { choose(group.items.iter().map(standing), keep) };
    let mut found = fold(&looking.trees(), found, &|a, b| looking.same_spot(a, b), &choose);
    found.sort_by_cached_key(|folded| (Reverse(folded.to_be_won()), looking.spot(folded.kept().member)));
    found
}

impl Copies<'_> {
    /// Plans to tag what is not needed, and to take the tag from what stays.
    pub fn flag(&self) -> Plan {
        let mut proposals = Vec::new();
        for folded in &self.found {
            let mut kept = proposal(&self.looking, folded.kept().member);
            kept.drop_tags(&[COPY.to_owned()]);
            kept.why = format!("stays: {}", folded.chosen.because).into();
            let stays = kept.item.clone();
            proposals.extend(Some(kept).filter(|kept| kept.becomes.is_some()));
            for item in folded.going() {
                let mut copy = proposal(&self.looking, item.member);
                copy.add_tags([&COPY.to_owned()]);
                copy.why = format!("copy of {stays}").into();
                proposals.extend(Some(copy).filter(|copy| copy.becomes.is_some()));
            }
        }
        self.plan("nine copies --flag", proposals)
    }

    /// Plans to put what is not needed into the trash; with `give_tags`, what stays gets its tags.
    pub fn discard(&self, give_tags: bool) -> Plan {
        let (mut proposals, mut heirs) = (Vec::new(), Heirs::default());
        let looking = &self.looking;
        let going: HashSet<Member> =
            self.found.iter().flat_map(Folded::going).map(|item| item.member).collect();
        for folded in &self.found {
            let kept = folded.kept().member;
            for item in folded.going() {
                let lost = heirs.gather(looking, item.member, kept);
                let doubt = lost_tags(&lost, "; --give-tags hands them over");
                // Other names of the same file go too, or nothing would be won.
                let names = std::iter::once(item.member).chain(item.links.iter().copied());
                for name in names.filter(|name| !is_shelf(looking, *name)) {
                    let mut copy = discarded(looking, name, kept, &folded.chosen.because);
                    copy.doubts.extend(doubt.clone().filter(|_| !give_tags));
                    copy.doubts.extend(torn_apart(looking, name, &|other| going.contains(&other)));
                    proposals.push(copy);
                }
            }
        }
        if give_tags {
            proposals.extend(heirs.proposals(looking));
        }
        self.plan("nine copies --discard", proposals)
    }

    fn plan(&self, command: &str, proposals: Vec<Proposal>) -> Plan {
        let new = Draft::new(plain(command), proposals, &self.places);
        Draft { troubles: self.looking.troubles, ..new }.draw_up()
    }
}
