//! One module a command.

mod check;
mod history;
mod shelves_picture;
mod tidy;
mod undo;
mod why;

use crate::cli::Command;
use crate::error::Done;
use crate::session::Session;

/// Runs a command.
///
/// # Errors
/// What kept it from ending well.
pub fn run(command: Command, session: &Session) -> Done {
    match command {
        Command::Check(args) => check::run(&args, session),
        Command::Why(args) => why::run(&args, session),
        Command::Tidy(args) => tidy::run(&args, session),
        Command::History(args) => history::run(&args, session),
        Command::Undo(args) => undo::run(&args, session),
        Command::Demo(args) => crate::demo::run(&args),
    }
}
