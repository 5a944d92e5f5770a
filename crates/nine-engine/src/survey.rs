//! What lies around.

use std::path::PathBuf;

use nine_core::copies::CopiesTake;
use nine_core::find::Rows;
use nine_core::paste;
use nine_core::survey::{Among, Oddity, Survey, odd, survey, visible};
use nine_core::tree::Column;
use nine_stores::made_of_each;

use crate::error::{Named, Nowhere};
use crate::looking::{Area, LookMode, Looking, all_areas, areas_of};
use crate::workspace::Workspace;
use crate::{Error, Result};

/// How many of the largest files are named.
pub const LARGEST: usize = 10;

/// Where to look.
#[derive(Debug, Clone, Default)]
pub struct Request {
    /// Places, as they are typed; all piles, if there are none.
    pub piles: Vec<PathBuf>,
    /// Answered from what is known, without reading any place.
    pub known: bool,
}

/// What was seen.
pub struct Surveyed<'w> {
    /// The places that were looked at.
    pub looking: Looking<'w>,
    /// Of each, what lies there.
    pub surveys: Vec<Survey>,
    /// For each oddity, in the order in which they are told, the rows of each place that are odd so.
    pub odd: Vec<(Oddity, Vec<Rows>)>,
    /// How much copies take in each place, and last, in all.
    pub copies: Vec<CopiesTake>,
}

/// The oddity of a word.
///
/// # Errors
/// If there is none.
pub fn oddity(word: &str) -> Result<Oddity> {
    let known = || Oddity::ALL.iter().map(|oddity| oddity.word());
    let found = Oddity::ALL.into_iter().find(|oddity| oddity.word() == word);
    found.ok_or_else(|| Error::unknown(Named::Oddity, word, known()))
}

/// The command that lists what is odd in some way in these places, as they are typed; ready to be pasted.
pub fn odd_command(places: &[PathBuf], oddity: Oddity) -> String {
    let quoted = |place: &PathBuf| format!(" {}", paste::path_or_escaped(place));
    let places: String = places.iter().map(quoted).collect();
    format!("nine survey{places} --odd {}", oddity.word())
}

/// Looks at piles, or at what was named.
///
/// # Errors
/// If a place cannot be looked at.
pub fn look<'w>(workspace: &'w Workspace, request: &Request) -> Result<Surveyed<'w>> {
    let areas = areas(workspace, request)?;
    let how = if request.known { LookMode::AsKnown(Column::ALL.to_vec()) } else { LookMode::Now };
    let looking = Looking::look(workspace, areas, &how)?;
    Ok(survey_of(looking))
}

/// What lies around in places that were looked at.
pub(crate) fn survey_of(mut looking: Looking) -> Surveyed {
    let workspace = looking.workspace;
    for view in 0..looking.views.len() {
        // What lies loose is looked at by its content; elsewhere the name tells.
        let rows = visible(&looking.views[view].tree);
        looking.learn_types(view, &rows);
    }
    looking.keep();
    looking.set_beside(all_areas(workspace));
    let (copies, (surveys, odd)) = looking.copies_take(|looking, own| {
        let views = &looking.views[..own];
        let among: Vec<Among> =
            views.iter().map(|view| Among::new(&view.tree, visible(&view.tree))).collect();
        let surveys = views
            .iter()
            .zip(&among)
            .map(|(view, among)| survey(&view.tree, &among.all, workspace.now(), LARGEST))
            .collect();
        let odd = made_of_each(&Oddity::ALL, 1, |oddity| -> Vec<Rows> {
            let of = |(view, among)| looking.with_query(view, |query| odd(query, among, *oddity));
            among.iter().enumerate().map(of).collect()
        });
        (surveys, Oddity::ALL.into_iter().zip(odd).collect())
    });
    Surveyed { looking, surveys, odd, copies }
}

fn areas(workspace: &Workspace, request: &Request) -> Result<Vec<Area>> {
    let areas = match request.piles.is_empty() {
        false => areas_of(workspace, &request.piles, request.known)?,
        true => all_areas(workspace).into_iter().filter(|area| area.is_pile).collect(),
    };
    if areas.is_empty() { Err(Error::Nowhere(Nowhere::Survey)) } else { Ok(areas) }
}

impl Surveyed<'_> {
    /// The rows of each view that are odd in some way.
    pub fn odd(&self, oddity: Oddity) -> &[Rows] {
        self.odd.iter().find(|(one, _)| *one == oddity).map_or(&[], |(_, rows)| rows)
    }
}
