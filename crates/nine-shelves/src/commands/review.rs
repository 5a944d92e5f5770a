//! `nine review`: the full-screen view, item by item.

use std::io::Write;
use std::path::{Path, PathBuf};

use clap::Args;
use nine_core::amount::{count, counted};
use nine_core::escape::plain;
use nine_engine::Workspace;
use nine_engine::plan::{Plan, Written};
use nine_engine::review::{self, Kept, LostItem, OpenReview, Waiting};

use super::shelves;
use crate::args::{Format, SelectionArgs, ShowArgs, WHAT};
use crate::ask;
use crate::failure::{Done, Failure, FailureKind, unless};
use crate::output;
use crate::output::style::{DOUBT, FAINT};
use crate::preview::{AfterReview, Preview};
use crate::review::{Ended, expect_screen, go_through};
use crate::session::Session;
use nine_core::paste;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine review                   all piles: what rules propose, and what no rule is for\n  nine review downloads         one pile\n  nine review list.csv          a worklist from a table\n  nine review --where type document and modified over 1y\n                                any selection, wherever it lies\n\nA number puts the item on that shelf, space takes what is proposed, ? tells all keys. Nothing is changed\nbefore the end, where all of it is shown once more. Each decision is kept at once: after a closed window\n`nine review` goes on where it was. At the question of any other command, r opens the same view."
)]
pub struct ReviewArgs {
    /// Piles, or a worklist that --worklist wrote
    #[arg(value_name = "PILE|FILE")]
    pub piles: Vec<String>,
    /// Everything for which a condition holds
    #[arg(long = "where", value_name = "CONDITION", num_args = 1.., conflicts_with_all = ["piles", "saved"], help_heading = WHAT)]
    pub condition: Vec<String>,
    /// Everything that a saved search finds
    #[arg(long, value_name = "SEARCH", conflicts_with = "piles", help_heading = WHAT)]
    pub saved: Option<String>,
    /// Forget decisions that were kept, and begin anew
    #[arg(long, help_heading = WHAT)]
    pub anew: bool,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: ReviewArgs, session: &Session) -> Done {
    expect_screen()?;
    let workspace = session.workspace()?;
    let show = ShowArgs { yes: false, all: false, format: Format::Table, worklist: None, sure: false };
    let preview = Preview::new(session, &workspace, &show);
    if let Some(mut open) = go_on(&workspace, args.anew)? {
        return go_through_and_end(&preview, &mut open).map(drop);
    }
    if args.piles.is_empty()
        && args.condition.is_empty()
        && args.saved.is_none()
        && go_through_waiting(&preview)?
    {
        return Ok(());
    }
    let mut open = open(&args, &workspace)?;
    if open.review.items().is_empty() {
        writeln!(output::err(), "There is nothing to go through.")?;
        return unless(open.troubles());
    }
    go_through_and_end(&preview, &mut open).map(drop)
}

fn open<'w>(args: &ReviewArgs, workspace: &'w Workspace) -> Done<OpenReview<'w>> {
    if !args.condition.is_empty() || args.saved.is_some() {
        let (condition, saved) = (args.condition.clone(), args.saved.clone());
        let selection = SelectionArgs { paths: Vec::new(), condition, saved, null: false }.selection()?;
        return Ok(review::of_selection(workspace, &selection)?);
    }
    if let Some(file) = table(args, workspace) {
        let (open, edited) = review::of_file(workspace, &file)?;
        let mut err = output::err();
        for (item, why) in &edited.refused {
            writeln!(err, "{DOUBT}? {item}{DOUBT:#}  {}", plain(why))?;
        }
        return Ok(open);
    }
    Ok(review::of_piles(workspace, &args.piles)?)
}

/// The table that is meant by what was typed, if it is no pile.
fn table(args: &ReviewArgs, workspace: &Workspace) -> Option<PathBuf> {
    let [typed] = args.piles.as_slice() else { return None };
    let is_pile = workspace.config().pile(typed).is_some();
    let path = Path::new(typed);
    let is_table = path.extension().is_some_and(|ext| ext == "csv" || ext == "json");
    (!is_pile && (is_table || typed.contains('/'))).then(|| path.to_owned())
}

/// The review that was left, if the person goes on with it.
fn go_on(workspace: &Workspace, anew: bool) -> Done<Option<OpenReview<'_>>> {
    let Some(kept) = review::kept(workspace)? else { return Ok(None) };
    if !anew {
        tell_kept(&kept)?;
        let choices =
            [('y', "go on with it".to_owned()), ('n', "begin anew; its decisions are forgotten".to_owned())];
        if ask::choose(&choices, 'y', "Go on with it?")? == 'y' {
            let (open, lost) = kept.resume(workspace)?;
            tell_lost(&lost)?;
            return Ok(Some(open));
        }
    }
    kept.forget(workspace)?;
    Ok(None)
}

/// Goes through what waits since nobody was there, if there is any and the person wants to; says whether that was done.
fn go_through_waiting(preview: &Preview) -> Done<bool> {
    let lists = review::waiting(preview.workspace);
    if lists.is_empty() {
        return Ok(false);
    }
    let mut err = output::err();
    for Waiting { name, since, items, .. } in &lists {
        let items = counted(*items as u64, "item has", "items have");
        writeln!(err, "{}, {since}: {items} not been looked at.", plain(name))?;
    }
    let choices =
        [('y', "what waits".to_owned()), ('n', "all that lies loose; what waits goes on waiting".to_owned())];
    if ask::choose(&choices, 'y', "Go through which?")? != 'y' {
        return Ok(false);
    }
    let mut open = review::open_waiting(preview.workspace, &lists)?;
    if open.review.items().is_empty() {
        writeln!(output::err(), "None of it is any more what it was.")?;
    } else if !go_through_and_end(preview, &mut open)? {
        // It waits on.
        return Ok(true);
    }
    let undecided = open.undecided();
    for list in lists {
        list.keep_only(preview.workspace, &undecided)?;
    }
    Ok(true)
}

fn tell_kept(kept: &Kept) -> Done {
    let Kept { command, begun, review, .. } = kept;
    let decisions = counted(review.turns() as u64, "decision", "decisions");
    let items = counted(review.items().len() as u64, "item", "items");
    writeln!(output::err(), "A review was left: {}, begun {begun}, {decisions} on {items}.", plain(command))?;
    Ok(())
}

/// Goes through the plan of another command, unless the person would rather keep a review that was left.
///
/// # Errors
/// As the exit status has it.
pub fn review_plan(preview: &Preview, plan: Plan) -> Done {
    if let Some(kept) = review::kept(preview.workspace)? {
        tell_kept(&kept)?;
        let choices = [
            ('y', "begin with this plan; the decisions of the other are forgotten".to_owned()),
            ('n', "nothing; `nine review` goes on with the other".to_owned()),
        ];
        if ask::choose(&choices, 'n', "Begin with this one?")? == 'n' {
            return Err(kept_after_a_no());
        }
        kept.forget(preview.workspace)?;
    }
    go_through_and_end(preview, &mut OpenReview::of_plan(preview.workspace, plan)).map(drop)
}

/// Says what is gone through no more, and waits until that was read.
fn tell_lost(lost: &[LostItem]) -> Done {
    if lost.is_empty() {
        return Ok(());
    }
    let mut err = output::err();
    writeln!(err, "{} not gone through any more:", counted(lost.len() as u64, "item is", "items are"))?;
    for LostItem { item, why } in lost.iter().take(20) {
        writeln!(err, "{DOUBT}? {item}{DOUBT:#}  {}", plain(why))?;
    }
    if lost.len() > 20 {
        writeln!(err, "  and {} more", count(lost.len() as u64 - 20))?;
    }
    ask::wait_for_enter("Enter goes on.")
}

/// Goes through a review until it is carried out, written, dropped, or left for another time. Says whether what was
/// decided was carried out or written.
fn go_through_and_end(preview: &Preview, open: &mut OpenReview) -> Done<bool> {
    loop {
        match go_through(preview.session, open)? {
            Ended::Carry { open_sure } => {
                let plan = open.plan(open_sure)?;
                let pictures = |plan: &_, out: &mut dyn Write| {
                    shelves::print_pictures_with(preview.session, preview.workspace, plan, out)
                };
                // Back to the review is one of the answers, and so is a no: then the decisions are kept.
                match preview.show_ask_carry_or_review(plan, pictures) {
                    Ok(AfterReview::Back) => {}
                    Ok(AfterReview::NothingDone) => return Ok(false),
                    Ok(AfterReview::Carried) => {
                        open.end();
                        return Ok(true);
                    }
                    Err(failure) if failure.is_declined() => return Err(kept_after_a_no()),
                    Err(failure) => {
                        // Some of it was done, and each step that was not is named.
                        if failure.is_partly() {
                            open.end();
                        }
                        return Err(failure);
                    }
                }
            }
            Ended::Write(file) => {
                let Written { lines, in_doubt } = open.plan(false)?.write(preview.workspace, &file)?;
                let lines = counted(lines, "line", "lines");
                let mut err = output::err();
                let shown = paste::path_or_escaped(&file);
                writeln!(err, "{lines} written to {shown}, {in_doubt} in doubt. Nothing has been changed.")?;
                writeln!(err, "Look through it, then: nine carry {shown}")?;
                open.end();
                return Ok(true);
            }
            Ended::Kept => {
                let words = "Nothing has been changed. What you decided is kept; `nine review` goes on.";
                writeln!(output::err(), "{FAINT}{words}{FAINT:#}")?;
                return Ok(false);
            }
            Ended::Dropped => {
                open.end();
                writeln!(output::err(), "{FAINT}Nothing has been changed.{FAINT:#}")?;
                return Ok(false);
            }
        }
    }
}

fn kept_after_a_no() -> Failure {
    let words = "nothing has been changed; what you decided is kept";
    Failure::new(FailureKind::Declined, words).hint("`nine review` goes on with it")
}
