//! A worklist from a file, as the person left it.

use std::path::{Path, PathBuf};

use nine_core::escape::escape;
use nine_core::place::Spot;
use nine_core::plan::{PlacedBy, Proposal};
use nine_core::worklist::Act;
use nine_core::worklist::table::{Change, Choice, KeptWorklist, Line, edits};
use nine_stores::Places;

use crate::plan::{Answer, Draft, Plan, Rules, answered, load};
use crate::workspace::Workspace;
use crate::{Error, Result};

/// What a file asks for.
pub struct FromFile {
    /// The plan.
    pub plan: Plan,
    /// What is otherwise than proposed.
    pub edited: Edited,
}

/// What is otherwise than proposed.
#[derive(Debug, Default)]
pub struct Edited {
    /// Columns that are not read.
    pub unread: Vec<String>,
    /// Items, and what is changed, in words.
    pub changed: Vec<(Spot, String)>,
    /// Lines with `leave`.
    pub left: u64,
    /// Lines that are gone.
    pub deleted: u64,
    /// Lines that nobody decided.
    pub undecided: u64,
    /// Items of which nothing can be done, and why.
    pub refused: Vec<(Spot, String)>,
}

/// Reads a worklist and plans what it asks for.
///
/// # Errors
/// What in the file cannot be understood.
pub fn plan(workspace: &Workspace, file: &Path) -> Result<FromFile> {
    let (draft, edited) = read(workspace, file, Doubts::Seen)?;
    Ok(FromFile { plan: draft.draw_up(), edited })
}

/// Whether the doubts of what stands in a table are seen already, or still to be looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Doubts {
    /// They are: whoever gives the table to be carried out let them stand.
    Seen,
    /// They are not, and what nobody decided is to be decided.
    ToBeSeen,
}

/// Reads a worklist.
pub(crate) fn read(workspace: &Workspace, file: &Path, doubts: Doubts) -> Result<(Draft, Edited)> {
    let (rows, kept) = load(workspace, file)?;
    let understood = edits(&rows, &kept, &workspace.config().facets)
        .map_err(|wrong| Error::Table { file: file.to_owned(), wrong })?;
    let places = Places::from_addresses(&kept.places, &|at| workspace.open_store(at, true));
    let mut reading = LineReader {
        rules: Rules::of(workspace, kept.lines.iter().map(|line| &line.item)),
        edited: Edited { unread: understood.unread, ..Edited::default() },
        doubts,
    };
    let mut proposals = Vec::new();
    for (at, choice) in understood.choices.iter().enumerate() {
        let (line, proposal) = (&kept.lines[at], &kept.proposals[at]);
        if let Some(wanted) = reading.take(line, proposal, choice)? {
            match changed_since(&places, &wanted, "the worklist was written") {
                None => proposals.push(wanted),
                Some(why) => reading.edited.refused.push((line.item.clone(), why)),
            }
        }
    }
    let edited = reading.edited;
    Ok((draft(&kept, file, proposals, &places, edited.refused.len()), edited))
}

fn draft(
    kept: &KeptWorklist,
    file: &Path,
    proposals: Vec<Proposal>,
    places: &Places,
    troubles: usize,
) -> Draft {
    let file = escape(PathBuf::from(file).as_os_str().as_encoded_bytes());
    Draft {
        undoes: kept.undoes,
        clear_away: kept.clear_away.clone(),
        dated: kept.dated.clone(),
        troubles,
        by_rules: kept.by_rules,
        facets: kept.facets.clone(),
        ..Draft::new(format!("{}, from {file}", kept.command), proposals, places)
    }
}

/// Turns lines into proposals again.
struct LineReader<'w> {
    rules: Rules<'w>,
    edited: Edited,
    doubts: Doubts,
}

impl LineReader<'_> {
    /// What is to be done for a line; `None` if nothing is.
    fn take(&mut self, line: &Line, proposal: &Proposal, choice: &Choice) -> Result<Option<Proposal>> {
        let are_seen = self.doubts == Doubts::Seen;
        let seen = |proposal: &Proposal| match are_seen {
            true => Proposal { doubts: Vec::new(), ..proposal.clone() },
            false => proposal.clone(),
        };
        match choice {
            Choice::Deleted => self.edited.deleted += 1,
            Choice::Left => self.edited.left += 1,
            Choice::AsProposed if are_seen && line.act == Act::Leave.word() => self.edited.undecided += 1,
            Choice::AsProposed => return Ok(Some(seen(proposal))),
            Choice::Changed(change) => {
                self.edited.changed.push((line.item.clone(), change.words(line)));
                match self.change(proposal, change)? {
                    Some(changed) => return Ok(Some(seen(&changed))),
                    None => {
                        let why = "with that, the rules still do not know where it goes";
                        self.edited.refused.push((line.item.clone(), why.into()));
                    }
                }
            }
        }
        Ok(None)
    }

    fn change(&mut self, old: &Proposal, change: &Change) -> Result<Option<Proposal>> {
        let told = (!change.answers.is_empty()).then(|| Answer::Told(change.answers.clone()));
        let answers = told
            .into_iter()
            .chain(change.to.clone().map(Answer::To))
            .chain(change.tags.clone().map(Answer::Tags));
        let mut new = old.clone();
        for answer in answers {
            match answered(&new, &answer, &mut self.rules)? {
                Some(answered) => new = answered,
                None => return Ok(None),
            }
        }
        let wanted = new.becomes.is_some() || new.exactly().is_some() || new.moves();
        Ok(wanted.then_some(new))
    }
}

/// Why an item is not what it was at a time that is told in words.
pub(crate) fn changed_since(places: &Places, proposal: &Proposal, then: &str) -> Option<String> {
    if matches!(proposal.exactly(), Some(Act::Restore { .. })) {
        return None; // it is in the trash, and looked for there
    }
    // What lies in a pack is as the pack is.
    let at = match nine_core::archive::in_pack(&proposal.item) {
        Some((pack, _)) if proposal.placing().is_some_and(|placing| placing.by == PlacedBy::Unpack) => pack,
        _ => proposal.item.clone(),
    };
    let is_same = places.of(&at).and_then(|store| {
        let entry = store.entry(&at.path)?;
        Ok(entry.map(|entry| store.is_same(&entry, &proposal.stamp)))
    });
    match is_same {
        Ok(Some(true)) => {}
        Ok(Some(false)) => return Some(format!("it has been changed since {then}")),
        Ok(None) => return Some("it is not there any more".into()),
        Err(error) => return Some(error.to_string()),
    }
    let tags = places.of(&proposal.item).and_then(|store| store.tags(&proposal.item.path));
    let tagged_since = proposal.becomes.is_some() && tags.is_ok_and(|tags| tags != proposal.tags);
    tagged_since.then(|| format!("its tags have been changed since {then}"))
}
