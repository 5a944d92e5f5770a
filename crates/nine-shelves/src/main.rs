//! `nine`: clears a cluttered desktop, downloads folder and drive.

mod ask;
mod cli;
mod commands;
mod demo;
mod error;
mod layout;
mod output;
mod pipeline;
mod progress;
mod recovery;
mod session;

use std::process::ExitCode;

use clap::Parser;

use crate::cli::Cli;
use crate::session::Session;

fn main() -> ExitCode {
    let cli = Cli::parse();
    let session = match Session::new(&cli.common) {
        Ok(session) => session,
        Err(failure) => return failure.report(),
    };
    match commands::run(cli.command, &session) {
        Ok(()) => ExitCode::SUCCESS,
        Err(failure) => failure.report(),
    }
}
