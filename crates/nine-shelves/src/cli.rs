//! The commands. What each takes stands with it in `commands/`, and what several take in `args.rs`.

use std::fmt::Write;

use clap::{CommandFactory, Parser, Subcommand};

use crate::args::Common;
use crate::commands::{
    archive::ArchiveArgs, carry::CarryArgs, check::CheckArgs, compare::CompareArgs,
    completions::CompletionsArgs, copies::CopiesArgs, demo::DemoArgs, discard::DiscardArgs, facet::FacetArgs,
    history::HistoryArgs, put::PutArgs, report::ReportArgs, retrieve::RetrieveArgs, review::ReviewArgs,
    routine::RoutineArgs, rule::RuleArgs, search::SearchArgs, setup::SetupArgs, shelves::ShelvesArgs,
    suggest::SuggestArgs, survey::SurveyArgs, sweep::SweepArgs, tag::TagArgs, tidy::TidyArgs, undo::UndoArgs,
    watch::WatchArgs, why::WhyArgs,
};

/// Clears a cluttered desktop, downloads folder and drive
///
/// Rules file things onto numbered shelves, everything is shown first, nothing is overwritten or deleted, and every run can
/// be taken back.
#[derive(Debug, Parser)]
#[command(name = "nine", bin_name = "nine", version = env!("NINE_VERSION"), max_term_width = 100, disable_help_flag = true)]
pub struct Cli {
    #[command(flatten)]
    pub common: Common,
    #[command(subcommand)]
    pub command: Option<Command>,
}

#[derive(Debug, Subcommand)]
pub enum Command {
    Setup(SetupArgs),
    Rule(RuleArgs),
    Facet(FacetArgs),
    Suggest(SuggestArgs),
    Survey(SurveyArgs),
    Shelves(ShelvesArgs),
    Search(SearchArgs),
    Why(WhyArgs),
    Tag(TagArgs),
    Tidy(TidyArgs),
    Review(ReviewArgs),
    Sweep(SweepArgs),
    Archive(ArchiveArgs),
    Retrieve(RetrieveArgs),
    Put(PutArgs),
    Carry(CarryArgs),
    Copies(CopiesArgs),
    Compare(CompareArgs),
    Routine(RoutineArgs),
    Watch(WatchArgs),
    Report(ReportArgs),
    Discard(DiscardArgs),
    History(HistoryArgs),
    Undo(UndoArgs),
    Check(CheckArgs),
    Demo(DemoArgs),
    Completions(CompletionsArgs),
    /// Reads what is inside files, for the program itself
    #[command(name = crate::session::READER, hide = true)]
    InsideReader,
}

/// The commands by what they are for.
const PURPOSES: [(&str, &[&str]); 7] = [
    ("To begin", &["setup", "demo", "check", "completions"]),
    ("To see what is there", &["survey", "search", "why", "shelves", "report"]),
    ("To file things", &["tidy", "suggest", "review", "put", "sweep", "tag", "carry"]),
    ("To have it done", &["rule", "facet", "routine", "watch"]),
    ("Copies", &["copies", "compare"]),
    ("Out of the way", &["archive", "retrieve", "discard"]),
    ("What was done", &["history", "undo"]),
];

/// All that may be typed. The short form of each command's help (`-h`) fits a screen of 24 lines.
pub fn command() -> clap::Command {
    let command = Cli::command();
    let (brief, long) = (commands_in_brief(), commands_at_length(&command));
    let command = command.mut_subcommands(|sub| with_pointer(sub, "nine"));
    command
        .help_template("{about-with-newline}\n{usage-heading} {usage}{after-help}\n\n{options}")
        .override_usage("nine [COMMAND] [OPTIONS]")
        .after_help(brief)
        .after_long_help(long)
}

/// A command of which the short help says where the rest is.
fn with_pointer(command: clap::Command, above: &str) -> clap::Command {
    let path = format!("{above} {}", command.get_name());
    let command = command.disable_help_subcommand(true).mut_subcommands(|sub| with_pointer(sub, &path));
    match command.get_after_long_help() {
        Some(_) => command.after_help(format!("All options, with examples: {path} --help")),
        None => command,
    }
}

fn commands_in_brief() -> String {
    let mut text = String::new();
    for (purpose, names) in PURPOSES {
        let _ = writeln!(text, "{purpose:<22}{}", names.join("  "));
    }
    text + "\nBegin with `nine setup`; `nine demo` shows it all in a sample world. Alone, nine\nsays what is where. What each command does: nine --help, nine COMMAND -h."
}

fn commands_at_length(command: &clap::Command) -> String {
    let mut text = String::new();
    for (purpose, names) in PURPOSES {
        let _ = writeln!(text, "{purpose}:");
        for name in names {
            let about = command.find_subcommand(name).and_then(clap::Command::get_about);
            let _ = writeln!(text, "  {name:<12} {}", about.map(ToString::to_string).unwrap_or_default());
        }
        text.push('\n');
    }
    text + "Alone, nine says what is where, and what to do next. Begin with `nine setup`,\nwhich makes shelves and a configuration; `nine demo` shows it in a sample world."
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_definition_holds_together() {
        command().debug_assert();
    }

    #[test]
    fn every_command_has_its_purpose() {
        let command = command();
        let shown = command.get_subcommands().filter(|sub| !sub.is_hide_set());
        let mut names: Vec<&str> = shown.map(clap::Command::get_name).collect();
        let mut listed: Vec<&str> = PURPOSES.iter().flat_map(|(_, names)| *names).copied().collect();
        names.sort_unstable();
        listed.sort_unstable();
        assert_eq!(names, listed);
    }

    /// Every command with those below it.
    fn all_below(command: &clap::Command, found: &mut Vec<clap::Command>) {
        found.push(command.clone());
        for sub in command.get_subcommands().filter(|sub| !sub.is_hide_set() && sub.get_name() != "help") {
            all_below(sub, found);
        }
    }

    #[test]
    fn the_short_help_of_every_command_fits_a_small_screen() {
        let mut whole = command().term_width(80);
        whole.build();
        let mut all = Vec::new();
        all_below(&whole, &mut all);
        assert!(all.len() > 40, "there are commands to look at");
        let mut long = Vec::new();
        for sub in &mut all {
            let text = sub.clone().term_width(80).render_help().to_string();
            let widest = text.lines().map(|line| line.chars().count()).max().unwrap_or_default();
            let about = sub.get_about().map(ToString::to_string).unwrap_or_default();
            if text.lines().count() > 24 || widest > 80 || (about.len() > 64 && sub.get_name() != "nine") {
                long.push((
                    sub.get_display_name().unwrap_or_default().to_owned(),
                    text.lines().count(),
                    widest,
                ));
            }
        }
        assert_eq!(long, [], "lines and columns");
    }
}
