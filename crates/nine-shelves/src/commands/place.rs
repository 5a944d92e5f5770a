//! `nine place`: accepts another disk for a place.

use std::io::Write;

use clap::{Args, Subcommand};
use nine_core::amount::counted;
use nine_engine::workspace::known_places::{MovedPlace, accept, look};

use crate::ask::{Offered, agree, has_person};
use crate::failure::Done;
use crate::output;
use crate::output::style::STRONG;
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine place moved home         the bookcase `home` is on another disk now\n  nine place moved home --yes   without asking\n\nnine remembers on which file system each pile and bookcase was first used. While another one is at\nits path, the place is unavailable: nothing is made or moved there."
)]
pub struct PlaceArgs {
    #[command(subcommand)]
    command: PlaceCommand,
}

#[derive(Debug, Subcommand)]
enum PlaceCommand {
    /// Accept that a place is on another disk now
    Moved(MovedArgs),
}

#[derive(Debug, Args)]
struct MovedArgs {
    /// Name of the pile or bookcase
    #[arg(value_name = "NAME")]
    name: String,
    /// Accept it without asking
    #[arg(long, short)]
    yes: bool,
}

/// Runs `nine place`.
///
/// # Errors
/// Returns an error if there is no such place, it cannot be read, or the user declines.
pub fn run(args: &PlaceArgs, session: &Session) -> Done {
    let PlaceCommand::Moved(MovedArgs { name, yes }) = &args.command;
    let workspace = session.unrecovered()?;
    let MovedPlace { at, has_moved, items } = look(&workspace, name)?;
    let (mut out, at) = (output::err(), session.look.text(&session.shown(&at)));
    if !has_moved {
        writeln!(out, "{name} is at {at}, where it was first used; nothing is to be changed.")?;
        return Ok(());
    }
    let items = counted(items as u64, "item", "items");
    writeln!(out, "{STRONG}{name}{STRONG:#} was on another disk, or had shelves. {at} has {items} now.")?;
    if !yes {
        if !has_person() {
            writeln!(out, "Nothing has been changed. --yes accepts it.")?;
            return Ok(());
        }
        agree("Use this folder from now on?", Offered::default())?;
    }
    accept(&workspace, name)?;
    writeln!(out, "{name} is used at {at} from now on.")?;
    Ok(())
}
