//! The commands. What each takes stands with it in `commands/`, and what several take in `args.rs`.

use std::ffi::OsString;
use std::fmt::Write;
use std::mem::ManuallyDrop;

use clap::{ArgMatches, Args, CommandFactory, FromArgMatches, Parser, Subcommand};

use crate::args::Common;
use crate::commands::{
    archive::ArchiveArgs, carry::CarryArgs, check::CheckArgs, compare::CompareArgs,
    completions::CompletionsArgs, copies::CopiesArgs, demo::DemoArgs, discard::DiscardArgs, facet::FacetArgs,
    history::HistoryArgs, place::PlaceArgs, put::PutArgs, report::ReportArgs, retrieve::RetrieveArgs,
    review::ReviewArgs, routine::RoutineArgs, rule::RuleArgs, search::SearchArgs, setup::SetupArgs,
    shelves::ShelvesArgs, suggest::SuggestArgs, survey::SurveyArgs, sweep::SweepArgs, tag::TagArgs,
    tidy::TidyArgs, undo::UndoArgs, watch::WatchArgs, why::WhyArgs,
};
use crate::session::READER;

/// What was typed.
#[derive(Debug)]
pub struct Cli {
    pub common: Common,
    pub command: Option<Command>,
}

impl Cli {
    /// What was typed, as it was understood.
    ///
    /// # Errors
    /// If a value makes no sense.
    pub fn of(matches: &ArgMatches) -> Result<Self, clap::Error> {
        let command = matches.subcommand_name().map(|_| Command::from_arg_matches(matches)).transpose()?;
        Ok(Self { common: Common::from_arg_matches(matches)?, command })
    }
}

/// Clears a cluttered desktop, downloads folder and drive
///
/// Rules file things onto numbered shelves, everything is shown first, nothing is overwritten or deleted, and every run can
/// be taken back.
#[derive(Debug, Parser)]
#[command(name = "nine", bin_name = "nine", version = env!("NINE_VERSION"), max_term_width = 100, disable_help_flag = true)]
struct Program {
    #[command(flatten)]
    common: Common,
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
    Place(PlaceArgs),
    Demo(DemoArgs),
    Completions(CompletionsArgs),
    #[command(name = READER)]
    InsideReader,
}

/// A command as the list of all of them has it.
struct Told {
    name: &'static str,
    about: &'static str,
    /// Adds all that it takes.
    add: fn(clap::Command) -> clap::Command,
}

const fn told<A: Args>(name: &'static str, about: &'static str) -> Told {
    Told { name, about, add: |command| with_pointer(A::augment_args(command), "nine") }
}

impl Told {
    fn whole(&self) -> clap::Command {
        // What several commands take has words of its own, which would stand in place of these.
        (self.add)(clap::Command::new(self.name)).about(self.about).long_about(None::<&str>)
    }
}

/// The commands by what they are for.
const PURPOSES: [(&str, &[Told]); 7] = [
    (
        "To begin",
        &[
            told::<SetupArgs>("setup", "Make shelves and a configuration from a ready-made layout"),
            told::<DemoArgs>("demo", "Make the sample world and walk through it"),
            told::<CheckArgs>("check", "Is the configuration sound, are the places reachable"),
            told::<PlaceArgs>("place", "Accept that a pile or bookcase is on another disk now"),
            told::<CompletionsArgs>(
                "completions",
                "Have the shell complete shelves, rules, tags and conditions",
            ),
        ],
    ),
    (
        "To see what is there",
        &[
            told::<SurveyArgs>("survey", "What lies around by type, age and size, and what is odd"),
            told::<SearchArgs>("search", "One flat list of all that matches, with its location"),
            told::<WhyArgs>("why", "All that is known of one item, and what each rule says of it"),
            told::<ShelvesArgs>("shelves", "The layout as it stands, and what is wrong with it"),
            told::<ReportArgs>("report", "One page with pictures: how it was, and how it is"),
        ],
    ),
    (
        "To file things",
        &[
            told::<TidyArgs>("tidy", "Apply the rules: plan, check, show, ask once, carry out"),
            told::<SuggestArgs>("suggest", "Where what lies loose would go, by the example of what is filed"),
            told::<ReviewArgs>("review", "Go through what lies loose, item by item, on the whole screen"),
            told::<PutArgs>("put", "File by hand: move or copy a selection onto a shelf"),
            told::<SweepArgs>("sweep", "All that lies loose, into one folder with the day's date"),
            told::<TagArgs>("tag", "Add, drop, rename and list tags"),
            told::<CarryArgs>("carry", "Carry out a worklist from a file"),
        ],
    ),
    (
        "To have it done",
        &[
            told::<RuleArgs>("rule", "The rules with what each would do now; try, add, change one"),
            told::<FacetArgs>("facet", "The facets and their answers with counts; add, drop answers"),
            told::<RoutineArgs>("routine", "A named list of commands in one go: shown first, asked once"),
            told::<WatchArgs>("watch", "File what arrives, as it arrives"),
        ],
    ),
    (
        "Copies",
        &[
            told::<CopiesArgs>("copies", "Items with the same bytes; flag or discard all but one"),
            told::<CompareArgs>("compare", "What of A is nowhere in B by content, whatever the names"),
        ],
    ),
    (
        "Out of the way",
        &[
            told::<ArchiveArgs>("archive", "Stale items, or a selection, into the dated archive"),
            told::<RetrieveArgs>("retrieve", "What was archived or swept, back to where it came from"),
            told::<DiscardArgs>("discard", "Put a selection into the trash; nothing is ever deleted"),
        ],
    ),
    (
        "What was done",
        &[
            told::<HistoryArgs>("history", "The daybook: what was carried out, the newest first"),
            told::<UndoArgs>("undo", "Take a run back"),
        ],
    ),
];

/// All that may be typed. The short form of each command's help (`-h`) fits a screen of 24 lines.
pub fn command() -> clap::Command {
    with_commands(|_| true)
}

/// The same with those commands alone that are among these words. What all of them take is as much to put together as all
/// else that a short command does.
pub fn command_for(words: &[OsString]) -> clap::Command {
    with_commands(|name| words.iter().any(|word| word == name))
}

/// What a line of words means.
///
/// # Errors
/// If it makes no sense, or asks for help.
pub fn understood(words: &[OsString]) -> Result<ArgMatches, clap::Error> {
    // Never taken apart: that would take as long as making it, and the program soon ends.
    let mut of_line = ManuallyDrop::new(command_for(words));
    match of_line.try_get_matches_from_mut(words) {
        // What is wrong is told beside all that would have been right.
        Err(error) if error.use_stderr() => command().try_get_matches_from(words),
        understood => understood,
    }
}

/// The names of all commands.
pub fn names() -> impl Iterator<Item = &'static str> {
    PURPOSES.iter().flat_map(|(_, all)| *all).map(|told| told.name)
}

fn with_commands(is_wanted: impl Fn(&str) -> bool) -> clap::Command {
    let all = PURPOSES.iter().flat_map(|(_, all)| *all);
    let reader =
        clap::Command::new(READER).about("Reads what is inside files, for the program itself").hide(true);
    Program::command()
        .subcommands(all.filter(|told| is_wanted(told.name)).map(Told::whole))
        .subcommands(is_wanted(READER).then_some(reader))
        .help_template("{about-with-newline}\n{usage-heading} {usage}{after-help}\n\n{options}")
        .override_usage("nine [COMMAND] [OPTIONS]")
        .after_help(commands_in_brief())
        .after_long_help(commands_at_length())
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
    for (purpose, all) in PURPOSES {
        let names: Vec<&str> = all.iter().map(|told| told.name).collect();
        let _ = writeln!(text, "{purpose:<22}{}", names.join("  "));
    }
    text + "\nBegin with `nine setup`; `nine demo` shows it all in a sample world. Alone, nine\nsays what is where. What each command does: nine --help, nine COMMAND -h."
}

fn commands_at_length() -> String {
    let mut text = String::new();
    for (purpose, all) in PURPOSES {
        let _ = writeln!(text, "{purpose}:");
        for Told { name, about, .. } in all {
            let _ = writeln!(text, "  {name:<12} {about}");
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
    fn every_command_is_told_once() {
        let understood = Command::augment_subcommands(clap::Command::new("nine"));
        let mut names: Vec<&str> = understood.get_subcommands().map(clap::Command::get_name).collect();
        let mut listed: Vec<&str> = super::names().chain([READER]).collect();
        names.sort_unstable();
        listed.sort_unstable();
        assert_eq!(names, listed);
    }

    #[test]
    fn a_command_that_is_typed_is_told_as_among_all() {
        let mut whole = command();
        whole.build();
        for Told { name, about, .. } in PURPOSES.iter().flat_map(|(_, all)| *all) {
            assert_eq!(whole.find_subcommand(name).unwrap().get_about().unwrap().to_string(), *about);
            let mut of_line = command_for(&["nine".into(), (*name).into(), "--help".into()]);
            of_line.build();
            let (mut all, mut typed) = (Vec::new(), Vec::new());
            all_below(whole.find_subcommand(name).unwrap(), &mut all);
            all_below(of_line.find_subcommand(name).unwrap(), &mut typed);
            assert_eq!(all.len(), typed.len());
            for (one, typed) in all.iter_mut().zip(&mut typed) {
                assert_eq!(one.render_long_help().to_string(), typed.render_long_help().to_string());
                assert_eq!(one.render_help().to_string(), typed.render_help().to_string());
            }
            assert_eq!(whole.render_long_help().to_string(), of_line.render_long_help().to_string());
        }
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
