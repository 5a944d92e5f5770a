//! Completion in shells. The shell asks by starting the program with a variable set; what may be typed there is told by
//! the engine, from what is known already.

use std::ffi::{OsStr, OsString};
use std::io::Write;
use std::sync::Arc;

use clap::{Arg, ArgMatches, Command, FromArgMatches, ValueHint};
use clap_complete::engine::{
    ArgValueCompleter, CompletionCandidate, PathCompleter, ValueCompleter, complete,
};
use clap_complete::env::{CompleteEnv, EnvCompleter, Fish, Shells, Zsh};
use nine_engine::completion::{Known, Wanted};

use crate::args::Common;
use crate::cli;
use crate::session::Session;

/// The variable in which a shell says which it is.
const VARIABLE: &str = "NINE_COMPLETE";

const SHELLS: Shells = Shells(&[&Bash, &Fish, &Zsh]);

/// Answers a shell that asks what a word may become, and ends; does nothing where none asks.
pub fn answer_shell() {
    if std::env::var_os(VARIABLE).is_none() {
        return;
    }
    let line = Arc::new(Line::typed());
    CompleteEnv::with_factory(|| completed(cli::command(), &line)).var(VARIABLE).shells(SHELLS).complete();
}

/// What a shell is told once, so that it asks: `bash`, `fish` or `zsh`, for a program that is found as `nine`.
pub fn registration(shell: &str) -> Option<String> {
    let mut text = Vec::new();
    SHELLS.completer(shell)?.write_registration(VARIABLE, "nine", "nine", "nine", &mut text).ok()?;
    String::from_utf8(text).ok()
}

/// The words of the line that is being typed.
struct Line {
    before: Vec<OsString>,
    current: OsString,
    matches: ArgMatches,
}

impl Line {
    /// The words that the shell hands on, behind `--`.
    fn typed() -> Self {
        let words: Vec<OsString> = std::env::args_os().skip_while(|word| word != "--").skip(1).collect();
        let index = std::env::var("_CLAP_COMPLETE_INDEX").ok().and_then(|index| index.parse().ok());
        let index = index.unwrap_or_else(|| words.len().saturating_sub(1)).min(words.len());
        let before = words[..index].to_vec();
        let current = words.get(index).cloned().unwrap_or_default();
        let matches =
            cli::command_for(&before).ignore_errors(true).try_get_matches_from(&before).unwrap_or_default();
        Self { before, current, matches }
    }

    /// What was said of the innermost command.
    fn innermost(&self) -> &ArgMatches {
        std::iter::successors(Some(&self.matches), |matches| matches.subcommand().map(|(_, sub)| sub))
            .last()
            .unwrap_or(&self.matches)
    }

    /// The words that an argument has by now.
    fn values(&self, argument: &str) -> Vec<String> {
        let matches = self.innermost();
        let values = matches.try_get_raw(argument).ok().flatten().into_iter().flatten();
        values.map(|value| value.to_string_lossy().into_owned()).collect()
    }

    /// Whether the words of a condition are typed behind its option, so that no path is meant.
    fn is_in_long_option(&self) -> bool {
        let last = self.before.iter().rev().find(|word| word.as_encoded_bytes().starts_with(b"-"));
        last.is_some_and(|option| option == "--where" || option == "--when")
    }

    fn known(&self) -> Option<Known> {
        let common = Common::from_arg_matches(self.innermost()).ok()?;
        Known::of(Session::new(&common).ok()?.environment)
    }
}

/// A command whose arguments know what they may become. Options are offered where one is begun.
fn completed(command: Command, line: &Arc<Line>) -> Command {
    let begins_option = line.current.as_encoded_bytes().starts_with(b"-");
    let is_asked = !line.before.is_empty();
    let in_option = line.is_in_long_option();
    let command = command.mut_args(|arg| {
        let arg = if arg.is_positional() || begins_option || !is_asked { arg } else { arg.hide(true) };
        let (wanted, takes_path) = match wanted(&arg, line) {
            _ if arg.is_positional() && in_option => (None, false),
            wanted => (wanted, arg.get_value_hint() == ValueHint::AnyPath),
        };
        let is_ours = wanted.is_some() || takes_path || (arg.is_positional() && in_option);
        let offering = Offering { wanted, takes_path, line: Arc::clone(line) };
        if is_ours { arg.add(ArgValueCompleter::new(offering)) } else { arg }
    });
    command.mut_subcommands(|sub| completed(sub, line))
}

/// What an argument wants, by the name of its value.
fn wanted(arg: &Arg, line: &Line) -> Option<Wanted> {
    Some(match arg.get_value_names()?.first()?.as_str() {
        "PILE" | "PILE|FILE" => Wanted::Pile,
        "PLACE" | "A" | "B" => Wanted::Place,
        "BOOKCASE" => Wanted::Bookcase,
        "SHELF" => Wanted::Shelf,
        "SHELF[/FOLDER]" => Wanted::ShelfFolder,
        "RULE" => Wanted::Rule,
        "SEARCH" => Wanted::Search,
        "TAG" => Wanted::Tags,
        "FACET" => Wanted::Facet,
        "ANSWER" => Wanted::Answer(line.values("facet").pop().unwrap_or_default()),
        "ROUTINE" => Wanted::Routine,
        "RUN" | "RUN|ROUTINE" => Wanted::Run,
        "DATE" => Wanted::Dated,
        "GROUP" => Wanted::Group,
        "KIND" => Wanted::Oddity,
        "CONDITION" => Wanted::Condition(line.values(arg.get_id().as_str())),
        _ => return None,
    })
}

/// Offers words for one argument.
struct Offering {
    wanted: Option<Wanted>,
    takes_path: bool,
    line: Arc<Line>,
}

impl ValueCompleter for Offering {
    fn complete(&self, current: &OsStr) -> Vec<CompletionCandidate> {
        // A shell may hand on the quote that a word was begun with.
        let typed = current.to_string_lossy();
        let typed = typed.trim_start_matches(['"', '\'']);
        let offers = match &self.wanted {
            Some(wanted) => self.line.known().map_or_else(Vec::new, |known| known.offers(wanted, typed)),
            None => Vec::new(),
        };
        let candidate = |(order, offer): (usize, nine_engine::completion::Offer)| {
            let about = Some(offer.about).filter(|about| !about.is_empty());
            let help = about.map(|about| nine_core::escape::plain(&about).into());
            CompletionCandidate::new(offer.word).help(help).display_order(Some(order))
        };
        let mut all: Vec<CompletionCandidate> = offers.into_iter().enumerate().map(candidate).collect();
        if self.takes_path {
            all.extend(PathCompleter::any().complete(current));
        }
        // What a name has of the terminal's codes does not come onto the line.
        all.retain(|candidate| !candidate.get_value().to_string_lossy().contains(char::is_control));
        all
    }
}

/// Bash, with words quoted as the line needs it.
struct Bash;

impl EnvCompleter for Bash {
    fn name(&self) -> &'static str {
        "bash"
    }

    fn is(&self, name: &str) -> bool {
        name == "bash"
    }

    fn write_registration(
        &self,
        var: &str,
        _name: &str,
        bin: &str,
        completer: &str,
        buf: &mut dyn Write,
    ) -> std::io::Result<()> {
        let script = include_str!("completion.bash");
        let completer = nine_core::paste::word(completer);
        buf.write_all(
            script.replace("PROGRAM", &completer).replace("VARIABLE", var).replace("BIN", bin).as_bytes(),
        )
    }

    fn write_complete(
        &self,
        cmd: &mut Command,
        args: Vec<OsString>,
        current_dir: Option<&std::path::Path>,
        buf: &mut dyn Write,
    ) -> std::io::Result<()> {
        let index = std::env::var("_CLAP_COMPLETE_INDEX").ok().and_then(|index| index.parse().ok());
        let index = index.unwrap_or_else(|| args.len().saturating_sub(1));
        for candidate in complete(cmd, args, index, current_dir)? {
            writeln!(buf, "{}", candidate.get_value().to_string_lossy())?;
        }
        Ok(())
    }
}
