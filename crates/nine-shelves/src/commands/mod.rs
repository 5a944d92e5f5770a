//! One module a command.

mod archive;
mod carry;
mod check;
mod compare;
mod copies;
mod discard;
mod history;
mod put;
mod retrieve;
mod search;
mod shelves;
mod shelves_picture;
mod survey;
mod sweep;
mod tag;
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
        Command::Survey(args) => survey::run(&args, session),
        Command::Shelves(args) => shelves::run(&args, session),
        Command::Search(args) => search::run(&args, session),
        Command::Archive(args) => archive::run(&args, session),
        Command::Retrieve(args) => retrieve::run(&args, session),
        Command::Sweep(args) => sweep::run(&args, session),
        Command::Tag(args) => tag::run(&args, session),
        Command::Check(args) => check::run(&args, session),
        Command::Why(args) => why::run(&args, session),
        Command::Tidy(args) => tidy::run(&args, session),
        Command::Put(args) => put::run(&args, session),
        Command::Carry(args) => carry::run(&args, session),
        Command::Copies(args) => copies::run(&args, session),
        Command::Compare(args) => compare::run(&args, session),
        Command::Discard(args) => discard::run(&args, session),
        Command::History(args) => history::run(&args, session),
        Command::Undo(args) => undo::run(&args, session),
        Command::Demo(args) => crate::demo::run(&args),
        Command::InsideReader => crate::reader::serve::serve(),
    }
}
