//! `nine`: clears a cluttered desktop, downloads folder and drive.

mod archive;
mod ask;
mod cli;
mod commands;
mod conditions;
mod config_file;
mod copy_steps;
mod demo;
mod displays;
mod drives;
mod error;
mod layout;
mod location;
mod looking;
mod output;
mod pipeline;
mod progress;
mod reader;
mod recovery;
mod rules_at_work;
mod selection;
mod session;
mod sides;
mod whereabouts;
mod worklist_file;

use std::process::ExitCode;

use clap::Parser;

use crate::cli::{Cli, Command};
use crate::session::Session;

fn main() -> ExitCode {
    let cli = Cli::parse();
    if matches!(cli.command, Command::InsideReader) {
        // It knows nothing of the person, and so needs no session.
        return reader::serve::serve().map_or_else(|failure| failure.report(), |()| ExitCode::SUCCESS);
    }
    let session = match Session::new(&cli.common) {
        Ok(session) => session,
        Err(failure) => return failure.report(),
    };
    let done = commands::run(cli.command, &session);
    // A test asks for call after call to be refused until there is none any more.
    if nine_stores::fault::still_refuses() {
        anstream::eprintln!("nothing was refused");
    }
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(failure) => failure.report(),
    }
}
