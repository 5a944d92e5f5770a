//! The program `nine`: arguments, words, tables, prompts. What is decided is decided in the crates below.

mod args;
mod ask;
mod cli;
mod clock;
mod commands;
mod completion;
mod failure;
mod interruption;
mod notices;
mod output;
mod panics;
mod preview;
mod progress;
mod reader;
mod report;
mod review;
mod session;
mod wording;

use std::ffi::OsString;
use std::io::Write;
use std::process::ExitCode;

pub use crate::cli::command;
use crate::cli::{Cli, Command};
pub use crate::completion::registration;
use crate::session::Session;

/// Tells what is wrong with the words that were typed, or prints the help that was asked for.
fn refuse_words(error: &clap::Error) -> ! {
    if !error.use_stderr() {
        error.exit();
    }
    let text = error.render().to_string();
    let is_plain = text.lines().all(|line| nine_core::escape::plain(line) == line);
    if is_plain {
        error.exit();
    }
    // What was typed is data, like any name.
    for line in text.lines() {
        let _ = writeln!(output::err(), "{}", nine_core::escape::plain(line));
    }
    std::process::exit(error.exit_code());
}

/// Runs the program with the words that it was started with.
pub fn run() -> ExitCode {
    completion::answer_shell();
    let words: Vec<OsString> = std::env::args_os().collect();
    let typed = cli::understood(&words).and_then(|matches| Cli::of(&matches));
    let cli = typed.unwrap_or_else(|error| refuse_words(&error));
    if matches!(cli.command, Some(Command::InsideReader)) {
        // It knows nothing of the person, and so needs no session.
        return reader::serve().map_or_else(|failure| failure.report(None), |()| ExitCode::SUCCESS);
    }
    let session = match Session::new(&cli.common) {
        Ok(session) => session,
        Err(failure) => return failure.report(None),
    };
    let done = panics::caught(|| match cli.command {
        Some(command) => commands::run(command, &session),
        None => commands::status::run(&session),
    });
    // A test asks for call after call to be refused until there is none any more.
    if nine_stores::fault::still_refuses() {
        anstream::eprintln!("nothing was refused");
    }
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(failure) => failure.report(Some(&session.environment)),
    }
}
