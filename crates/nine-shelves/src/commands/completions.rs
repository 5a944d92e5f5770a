//! `nine completions`: what a shell needs so that it completes words.

use std::io::Write;

use clap::{Args, ValueEnum};

use crate::failure::Done;
use crate::output;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine completions bash     what to add to ~/.bashrc\n  nine completions zsh\n  nine completions fish\n\nWhere a package installed nine, nothing is to be added. What is offered is told by the configuration and by what\nis known already; no place is read for it."
)]
pub struct CompletionsArgs {
    /// The shell
    #[arg(value_name = "SHELL")]
    pub shell: ShellWord,
}

/// Shells that complete
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum ShellWord {
    Bash,
    Zsh,
    Fish,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &CompletionsArgs) -> Done {
    let (file, line) = match args.shell {
        ShellWord::Bash => ("~/.bashrc", "source <(NINE_COMPLETE=bash nine)"),
        ShellWord::Zsh => ("~/.zshrc, below the line with compinit", "source <(NINE_COMPLETE=zsh nine)"),
        ShellWord::Fish => ("~/.config/fish/config.fish", "NINE_COMPLETE=fish nine | source"),
    };
    writeln!(output::err(), "Add this line to {file}:")?;
    writeln!(output::out(), "{line}")?;
    Ok(())
}
