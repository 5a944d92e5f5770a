//! `nine history give-up`: a run is closed although a place of it is away, after it was said what that loses.

use std::io::Write;

use nine_carry::Unseen;
use nine_core::amount::counted;
use nine_core::escape::plain;

use crate::ask::{Offered, agree, has_person};
use crate::failure::Done;
use crate::output;
use crate::output::style::{DOUBT, FAINT, STRONG};
use crate::session::Session;

/// How many items are named.
const NAMED: usize = 12;

/// Runs it.
///
/// # Errors
/// If the run is over, if the daybook cannot be read or written, or if the person says no.
pub fn run(number: u64, yes: bool, session: &Session) -> Done {
    let workspace = session.unrecovered()?;
    tell(number, &workspace.unseen(number)?, session)?;
    if !yes {
        if !has_person() {
            writeln!(output::err(), "Nothing has been changed. --yes closes it.")?;
            return Ok(());
        }
        agree("Close it?", Offered::default())?;
    }
    Ok(workspace.give_up(number)?)
}

/// Says what will not be known.
fn tell(number: u64, unseen: &Unseen, session: &Session) -> Done {
    let mut out = output::err();
    if let Some(why) = &unseen.unreadable {
        let why = session.look.text(&plain(why));
        writeln!(out, "{STRONG}Run {number}{STRONG:#} cannot be read: {DOUBT}{why}{DOUBT:#}")?;
        writeln!(
            out,
            "If it is closed now, its file is set aside and `nine undo {number}` is no longer possible."
        )?;
        return Ok(());
    }
    let command = session.look.text(&plain(&unseen.command));
    writeln!(out, "{STRONG}Run {number}{STRONG:#} ({command}) was cut off.")?;
    if unseen.items.is_empty() {
        writeln!(out, "All its places are there, so all of it will be known.")?;
        return Ok(());
    }
    for why in &unseen.away {
        writeln!(out, "  {DOUBT}{}{DOUBT:#}", session.look.text(&plain(why)))?;
    }
    let steps = counted(unseen.steps as u64, "step", "steps");
    let items = counted(unseen.items.len() as u64, "item", "items");
    writeln!(out, "\nIf it is closed now, of {items} (the run has {steps}) it will not be known whether")?;
    writeln!(
        out,
        "they are at their old place or at the new one, and `nine undo {number}` cannot take them back:"
    )?;
    for item in unseen.items.iter().take(NAMED) {
        writeln!(out, "  {}", session.look.text(&item.to_string()))?;
    }
    let more = unseen.items.len().saturating_sub(NAMED);
    if more > 0 {
        writeln!(out, "  {FAINT}and {more} more; `nine history {number}` lists all{FAINT:#}")?;
    }
    writeln!(out, "Each is whole at one of the two, as far as the place itself is. No file is touched.")?;
    Ok(())
}
