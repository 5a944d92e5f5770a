//! Pictures that look alike, for looking only.

use std::collections::HashSet;

use nine_core::copies::Member;
use nine_core::copies::similar::{Picture, look_alike, pictures};
use nine_core::tree::{NodeId, mark};

use super::{Prepared, Request, prepare};
use crate::Result;
use crate::looking::{Looking, all_rows};
use crate::workspace::Workspace;

/// What was found.
pub struct Similar<'w> {
    /// The places that were looked at.
    pub looking: Looking<'w>,
    /// Pictures that look alike.
    pub groups: Vec<Vec<Picture>>,
    /// How many pictures there are.
    pub looked_at: usize,
}

/// Looks at all pictures, and finds those that look alike.
///
/// # Errors
/// If a place cannot be looked at.
pub fn similar<'w>(workspace: &'w Workspace, request: &Request) -> Result<Similar<'w>> {
    let Prepared { mut looking, asked, .. } = prepare(workspace, request)?;
    for view in 0..looking.views.len() {
        let tree = &looking.views[view].tree;
        let hidden = |row| tree.has_mark(NodeId::new(row), mark::HIDDEN);
        let rows = all_rows(tree).filter(|row| request.hidden || !hidden(row));
        looking.learn_types(view, &rows);
        looking.look_at_pictures(view, &rows);
    }
    looking.keep();
    let seen = |member: Member| {
        request.hidden || !looking.views[member.view as usize].tree.has_mark(member.id, mark::HIDDEN)
    };
    let all = once_each(&looking, pictures(&looking.trees(), seen));
    let looked_at = all.len();
    let is_asked = |picture: &Picture| {
        let Member { view, id } = picture.member;
        asked.as_ref().is_none_or(|rows| rows[view as usize].has(id.row()))
    };
    let mut groups = look_alike(all);
    groups.retain(|group| group.iter().any(is_asked));
    groups.sort_by_cached_key(|group| looking.spot(group[0].member));
    Ok(Similar { looking, groups, looked_at })
}

/// Each picture once, although it may be seen through two places or have several names.
fn once_each(looking: &Looking, pictures: Vec<Picture>) -> Vec<Picture> {
    let mut seen = HashSet::new();
    let trees = looking.trees();
    let identity = |picture: &Picture| picture.member.tree(&trees).identity(picture.member.id);
    pictures.into_iter().filter(|picture| seen.insert(identity(picture))).collect()
}
