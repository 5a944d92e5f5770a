//! One module a command.

pub mod archive;
pub mod carry;
pub mod check;
pub mod compare;
pub mod completions;
pub mod copies;
pub mod demo;
pub mod discard;
pub mod facet;
pub mod history;
pub mod place;
pub mod put;
pub mod report;
pub mod retrieve;
pub mod review;
pub mod routine;
pub mod rule;
pub mod search;
pub mod setup;
pub mod shelves;
pub mod status;
pub mod suggest;
pub mod survey;
pub mod sweep;
pub mod tag;
pub mod tidy;
pub mod undo;
pub mod watch;
pub mod why;

use crate::cli::Command;
use crate::failure::Done;
use crate::session::Session;

/// Runs a command.
///
/// # Errors
/// What kept it from ending well.
pub fn run(command: Command, session: &Session) -> Done {
    match command {
        Command::Setup(args) => setup::run(args, session),
        Command::Facet(args) => facet::run(args, session),
        Command::Rule(args) => rule::run(args, session),
        Command::Suggest(args) => suggest::run(args, session),
        Command::Survey(args) => survey::run(args, session),
        Command::Shelves(args) => shelves::run(args, session),
        Command::Search(args) => search::run(args, session),
        Command::Archive(args) => archive::run(args, session),
        Command::Retrieve(args) => retrieve::run(args, session),
        Command::Sweep(args) => sweep::run(args, session),
        Command::Tag(args) => tag::run(args, session),
        Command::Check(args) => check::run(args, session),
        Command::Why(args) => why::run(args, session),
        Command::Tidy(args) => tidy::run(args, session),
        Command::Review(args) => review::run(args, session),
        Command::Put(args) => put::run(args, session),
        Command::Carry(args) => carry::run(args, session),
        Command::Completions(args) => completions::run(&args),
        Command::Copies(args) => copies::run(args, session),
        Command::Compare(args) => compare::run(args, session),
        Command::Routine(args) => routine::run(args, session),
        Command::Watch(args) => watch::run(&args, session),
        Command::Report(args) => report::run(&args, session),
        Command::Discard(args) => discard::run(args, session),
        Command::History(args) => history::run(args, session),
        Command::Undo(args) => undo::run(args, session),
        Command::Place(args) => place::run(&args, session),
        Command::Demo(args) => demo::run(args),
        Command::InsideReader => crate::reader::serve(),
    }
}
