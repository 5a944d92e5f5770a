//! `nine carry`: carry out a worklist from a file, as the person left it.

use std::io::Write;

use nine_core::amount::counted;
use nine_core::config::Config;
use nine_core::escape::escape;
use nine_core::plan::Proposal;
use nine_core::worklist::Act;
use nine_core::worklist::table::{Change, Choice, Kept, Line, edits};
use nine_stores::Places;

use crate::cli::{CarryArgs, Format};
use crate::error::{Done, Failure};
use crate::output::style::{CHANGE, FAINT, REFUSED, STRONG};
use crate::pipeline::{Planned, show_ask_carry};
use crate::recovery;
use crate::rules_at_work::AtWork;
use crate::session::{Opened, Session};
use crate::worklist_file::{load, refused};

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &CarryArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    recovery::before_changing(session, &loaded.config)?;
    let shown = escape(args.file.as_os_str().as_encoded_bytes());
    let (rows, kept) = load(session, &args.file)?;
    let understood = edits(&rows, &kept, &loaded.config.facets).map_err(|wrong| refused(&shown, &wrong))?;
    let mut err = crate::output::err();
    for column in &understood.unread {
        writeln!(err, "The column `{}` is not read.", escape(column.as_bytes()))?;
    }
    drop(err);
    let opened = session.open(&loaded.config);
    let places = Places::from_addresses(&kept.places, &|at| session.open_store(&loaded.config, at, true));
    let mut edited = Edited { session, config: &loaded.config, opened: &opened, kept: &kept, at_work: None };
    let mut proposals = Vec::new();
    let mut told = Told::default();
    for (at, choice) in understood.choices.iter().enumerate() {
        let (line, proposal) = (&kept.lines[at], &kept.proposals[at]);
        if let Some(wanted) = edited.take(line, proposal, choice, &mut told)? {
            match changed_since(&places, &wanted) {
                None => proposals.push(wanted),
                Some(why) => told.refused.push((line.item.to_string(), why)),
            }
        }
    }
    // In a table it stands where the person is asked; standard output belongs to the records else.
    if args.show.format != Format::Table || args.show.worklist.is_some() {
        told.print(&mut crate::output::err(), session)?;
    }
    let planned = Planned {
        undoes: kept.undoes,
        clear_away: kept.clear_away.clone(),
        dated: kept.dated.clone(),
        troubles: told.refused.len(),
        by_rules: kept.by_rules,
        facets: kept.facets.clone(),
        ..Planned::new(format!("{}, from {shown}", kept.command), proposals, &places)
    };
    show_ask_carry(session, &opened, planned, &args.show, |_, out| told.print(out, session))
}

/// What is otherwise than proposed, for people.
#[derive(Default)]
struct Told {
    changed: Vec<(String, String)>,
    left: u64,
    deleted: u64,
    undecided: u64,
    refused: Vec<(String, String)>,
}

impl Told {
    fn print(&self, mut out: impl Write, session: &Session) -> std::io::Result<()> {
        let look = &session.look;
        if !self.changed.is_empty() {
            writeln!(out, "{STRONG}Otherwise than proposed{STRONG:#}")?;
            for (item, words) in &self.changed {
                writeln!(out, "  {}  {CHANGE}{}{CHANGE:#}", look.text(item), look.text(words))?;
            }
            writeln!(out)?;
        }
        let count = |number: u64, what: &str| {
            (number > 0).then(|| format!("{} {what}", counted(number, "line", "lines")))
        };
        let left = count(self.left, "left by your word");
        let deleted = count(self.deleted, "deleted");
        let undecided = count(self.undecided, "not decided");
        let parts: Vec<String> = [left, deleted, undecided].into_iter().flatten().collect();
        if !parts.is_empty() {
            writeln!(out, "{FAINT}Left alone: {}{FAINT:#}\n", parts.join(", "))?;
        }
        for (item, why) in &self.refused {
            writeln!(out, "{REFUSED}x {}{REFUSED:#}  {why}", look.text(item))?;
        }
        out.flush()
    }
}

/// Turns lines into proposals again.
struct Edited<'a> {
    session: &'a Session,
    config: &'a Config,
    opened: &'a Opened,
    kept: &'a Kept,
    at_work: Option<AtWork<'a>>,
}

impl<'a> Edited<'a> {
    /// What is to be done for a line; `None` if nothing is.
    fn take(
        &mut self,
        line: &Line,
        proposal: &Proposal,
        choice: &Choice,
        told: &mut Told,
    ) -> Done<Option<Proposal>> {
        // The person has seen the doubts, and let them stand.
        let seen = |proposal: &Proposal| Proposal { doubts: Vec::new(), ..proposal.clone() };
        match choice {
            Choice::Deleted => told.deleted += 1,
            Choice::Left => told.left += 1,
            Choice::AsProposed if line.act == Act::Leave.word() => told.undecided += 1,
            Choice::AsProposed => return Ok(Some(seen(proposal))),
            Choice::Changed(change) => {
                told.changed.push((line.item.to_string(), change.words(line)));
                match self.change(proposal, change)? {
                    Some(changed) => return Ok(Some(seen(&changed))),
                    None => {
                        let why = "with that, the rules still do not know where it goes";
                        told.refused.push((line.item.to_string(), why.into()));
                    }
                }
            }
        }
        Ok(None)
    }

    fn change(&mut self, old: &Proposal, change: &Change) -> Done<Option<Proposal>> {
        let mut new = old.clone();
        if !change.answers.is_empty() {
            // What was answered already stays so, also where the rules would find something else now.
            let known = old.answers.iter().filter_map(|(facet, value)| Some((facet.clone(), value.clone()?)));
            let mut told = change.answers.clone();
            told.extend(known.filter(|(facet, _)| !change.answers.iter().any(|(other, _)| other == facet)));
            let Some(again) = self.at_work()?.again(&old.item, &told) else {
                return Ok(None);
            };
            // As what it was proposed, so that a change since is noticed.
            new = Proposal {
                stamp: old.stamp,
                size: old.size,
                modified: old.modified,
                clash: old.clash,
                ..again
            };
        }
        if let Some(to) = &change.to {
            if matches!(new.fixed, Some(Act::Restore { .. } | Act::Discard { .. })) {
                return Err(Failure::words(format!("{} cannot go elsewhere", old.item))
                    .hint("this step discards or restores it; leave its target as it is"));
            }
            if new.fixed.is_some() {
                new.fixed = Some(Act::Move { to: to.clone() });
            } else {
                new.folder = Some(to.folder());
                new.name = Some(to.path.name().to_vec());
            }
        }
        if let Some(tags) = &change.tags {
            new.becomes = Some(tags.clone()).filter(|tags| *tags != new.tags);
        }
        let wanted = new.becomes.is_some() || new.fixed.is_some() || new.moves();
        Ok(wanted.then_some(new))
    }

    fn at_work(&mut self) -> Done<&mut AtWork<'a>> {
        if self.at_work.is_none() {
            let here = |name: &str| self.kept.lines.iter().any(|line| line.item.place == name);
            let piles: Vec<_> = self.config.piles.iter().filter(|pile| here(&pile.name)).collect();
            self.at_work = Some(AtWork::look(self.session, self.config, self.opened, &piles)?);
        }
        Ok(self.at_work.as_mut().expect("it was made just now"))
    }
}

/// Why an item is not what it was when the worklist was written.
fn changed_since(places: &Places, proposal: &Proposal) -> Option<String> {
    if matches!(proposal.fixed, Some(Act::Restore { .. })) {
        return None; // it is in the trash, and looked for there
    }
    // What lies in a pack is as the pack is.
    let at = match nine_core::archive::in_pack(&proposal.item) {
        Some((pack, _)) if proposal.unpacks => pack,
        _ => proposal.item.clone(),
    };
    let is_same = places.of(&at).and_then(|store| {
        let entry = store.entry(&at.path)?;
        Ok(entry.map(|entry| store.is_same(&entry, &proposal.stamp)))
    });
    match is_same {
        Ok(Some(true)) => {}
        Ok(Some(false)) => return Some("it has been changed since the worklist was written".into()),
        Ok(None) => return Some("it is not there any more".into()),
        Err(error) => return Some(error.to_string()),
    }
    let tags = places.of(&proposal.item).and_then(|store| store.tags(&proposal.item.path));
    let tagged_since = proposal.becomes.is_some() && tags.is_ok_and(|tags| tags != proposal.tags);
    tagged_since.then(|| "its tags have been changed since the worklist was written".into())
}
