//! The commands that may be parts of a routine, and what each does there.

use std::io::Write;

use clap::Args;
use nine_core::diagnostic::nearest;
use nine_core::escape::plain;
use nine_engine::Workspace;
use nine_engine::plan::Plan;
use nine_engine::routine::{PartDone, PartEnd, Parts};

use crate::args::{SelectionArgs, ShowArgs};
use crate::cli::{Command, names};
use crate::commands::archive::ArchiveCommand;
use crate::commands::{self, archive, copies, discard, put, retrieve, suggest, sweep, tag, tidy};
use crate::failure::{Done, Failure};
use crate::output;
use crate::output::style::{FAINT, REFUSED, STRONG};
use crate::preview::{PlanToShow, tell};
use crate::session::Session;

/// Commands that may be a part.
const MAY: &str = "tidy, suggest, sweep, archive, copies, tag, put, retrieve, discard, and survey, report, search, shelves, compare, \
     check, history, why, which change nothing of yours";

/// A command of a routine.
pub enum PartCommand {
    /// It proposes changes.
    Plans(Box<Command>),
    /// It only prints.
    Prints(Box<Command>),
}

/// Whether a command may be a part of a routine; why not, if not.
///
/// # Errors
/// Why not, in words.
pub fn check_part(words: &[String]) -> Result<(), String> {
    part(words).map(drop)
}

/// A part by its words.
fn part(words: &[String]) -> Result<PartCommand, String> {
    let command = read(words, None)?;
    if let Some((show, selection)) = shown(&command) {
        if show.yes || show.sure || show.worklist.is_some() {
            return Err(
                "a routine shows its parts and asks by itself; leave out --yes, --sure and --worklist".into(),
            );
        }
        if selection.is_some_and(|selection| selection.paths.iter().any(|path| path.as_os_str() == "-")) {
            return Err("a routine has no standard input to read paths from".to_owned());
        }
        // So that nothing is asked while it is planned.
        return Ok(PartCommand::Plans(Box::new(read(words, Some("--yes"))?)));
    }
    let only_prints = match &command {
        Command::Shelves(args) => args.only_prints(),
        Command::Archive(args) => !matches!(args.command, Some(ArchiveCommand::Pack { .. })),
        Command::Suggest(args) => args.measure,
        _ => true,
    };
    match only_prints {
        true => Ok(PartCommand::Prints(Box::new(command))),
        false => Err(cannot(&words.join(" "))),
    }
}

/// The command of some words, and one more. It is read with its own words alone, since this is done whenever the
/// configuration is read, and to lay out the words of all commands takes longer than a search.
fn read(words: &[String], more: Option<&str>) -> Result<Command, String> {
    let words: Vec<&str> = words.iter().map(String::as_str).chain(more).collect();
    Ok(match words.first().copied().unwrap_or_default() {
        "tidy" => Command::Tidy(args(&words)?),
        "suggest" => Command::Suggest(args(&words)?),
        "sweep" => Command::Sweep(args(&words)?),
        "archive" => Command::Archive(args(&words)?),
        "copies" => Command::Copies(args(&words)?),
        "tag" => Command::Tag(args(&words)?),
        "put" => Command::Put(args(&words)?),
        "retrieve" => Command::Retrieve(args(&words)?),
        "discard" => Command::Discard(args(&words)?),
        "survey" => Command::Survey(args(&words)?),
        "report" => Command::Report(args(&words)?),
        "search" => Command::Search(args(&words)?),
        "shelves" => Command::Shelves(args(&words)?),
        "compare" => Command::Compare(args(&words)?),
        "check" => Command::Check(args(&words)?),
        "history" => Command::History(args(&words)?),
        "why" => Command::Why(args(&words)?),
        other => return Err(no_part(other)),
    })
}

fn args<T: Args>(words: &[&str]) -> Result<T, String> {
    let known = T::augment_args(clap::Command::new("nine"));
    let read = known.try_get_matches_from(words).and_then(|matches| T::from_arg_matches(&matches));
    read.map_err(|error| first_lines(&error, words.first().copied().unwrap_or_default()))
}

fn cannot(typed: &str) -> String {
    format!("`{}` cannot be a part of a routine; these can: {MAY}", plain(typed))
}

/// Why a word begins no part.
fn no_part(typed: &str) -> String {
    if names().any(|name| name == typed) {
        return cannot(typed);
    }
    let near = nearest(typed, names());
    let near =
        near.map_or_else(|| "`nine --help` lists them".into(), |near| format!("did you mean `{near}`?"));
    format!("`{}` is no command; {near}", plain(typed))
}

/// What is wrong, without the usage that follows.
fn first_lines(error: &clap::Error, typed: &str) -> String {
    use clap::error::ErrorKind;
    if error.kind() == ErrorKind::DisplayHelp {
        return format!("`{typed}` only explains itself here");
    }
    let text = error.render().to_string();
    let told = text.lines().map(str::trim).take_while(|line| !line.starts_with("Usage"));
    let told: Vec<&str> = told.filter(|line| !line.is_empty() && !line.starts_with("tip:")).collect();
    plain(told.join(" ").trim_start_matches("error: "))
}

/// How the worklist of a command is shown, and what is selected, if it makes one.
fn shown(command: &Command) -> Option<(&ShowArgs, Option<&SelectionArgs>)> {
    match command {
        Command::Tidy(args) => Some((&args.show, None)),
        Command::Suggest(args) if !args.rules && !args.measure => Some((&args.show, None)),
        Command::Sweep(args) => Some((&args.show, None)),
        Command::Copies(args) if args.acts() => Some((&args.show, None)),
        Command::Put(args) => Some((&args.show, Some(&args.selection))),
        Command::Discard(args) => Some((&args.show, Some(&args.selection))),
        Command::Retrieve(args) => Some((&args.show, Some(&args.selection))),
        Command::Tag(args) if args.acts() => Some((args.show(), args.selection())),
        Command::Archive(args) => match &args.command {
            None => Some((&args.show, Some(&args.selection))),
            Some(_) => None,
        },
        _ => None,
    }
}

/// What a part that changes something proposes.
fn plan<'a>(
    command: &'a Command,
    session: &'a Session,
    workspace: &'a Workspace,
) -> Done<Option<PlanToShow<'a>>> {
    Ok(Some(match command {
        Command::Tidy(args) => tidy::plan(args, session, workspace)?,
        Command::Suggest(args) => suggest::plan(args, workspace)?,
        Command::Sweep(args) => sweep::plan(args, session, workspace)?,
        Command::Copies(args) => copies::plan(args, workspace)?,
        Command::Put(args) => put::plan(args, session, workspace)?,
        Command::Discard(args) => discard::plan(args, workspace)?,
        Command::Retrieve(args) => retrieve::plan(args, workspace)?,
        Command::Archive(args) => archive::plan(args, session, workspace)?,
        Command::Tag(args) => return tag::plan(args, workspace),
        _ => return Ok(None),
    }))
}

/// The commands of a routine.
pub struct Commands<'a> {
    session: &'a Session,
    texts: Vec<String>,
    parts: Vec<PartCommand>,
    /// Whether each part is told as it ends.
    tells: bool,
}

impl<'a> Commands<'a> {
    /// Reads the commands, which were checked with the configuration.
    ///
    /// # Errors
    /// If one cannot be a part.
    pub fn new(session: &'a Session, routine: &nine_core::routine::Routine, tells: bool) -> Done<Self> {
        let parts = routine.parts.iter().map(|one| part(&one.words).map_err(Failure::words));
        let texts = routine.parts.iter().map(|part| part.text.clone()).collect();
        Ok(Self { session, texts, parts: parts.collect::<Done<_>>()?, tells })
    }

    /// What a part proposes in a workspace; `None` if it only prints.
    ///
    /// # Errors
    /// If it cannot be planned.
    pub fn planned<'p>(&'p self, part: usize, workspace: &'p Workspace) -> Done<Option<PlanToShow<'p>>> {
        match &self.parts[part] {
            PartCommand::Plans(command) => plan(command, self.session, workspace),
            PartCommand::Prints(_) => Ok(None),
        }
    }

    /// Prints the heading of a part.
    ///
    /// # Errors
    /// If it cannot be printed.
    pub fn heading(&self, part: usize) -> Done {
        let text = self.session.look.text(&plain(&self.texts[part]));
        Ok(writeln!(output::out(), "\n{FAINT}{}{FAINT:#}  {STRONG}{text}{STRONG:#}", part + 1)?)
    }
}

impl Parts for Commands<'_> {
    type Error = Failure;

    fn workspace(&self) -> Done<Workspace> {
        self.session.workspace()
    }

    fn plan(&self, part: usize, workspace: &Workspace) -> Done<Option<Plan>> {
        Ok(self.planned(part, workspace)?.map(|planned| planned.plan))
    }

    fn print(&self, part: usize) -> Done {
        self.heading(part)?;
        match self::part(&words(&self.texts[part])).map_err(Failure::words)? {
            PartCommand::Prints(command) | PartCommand::Plans(command) => {
                commands::run(*command, self.session)
            }
        }
    }

    fn keeps(&self, part: usize) -> bool {
        matches!(&self.parts[part], PartCommand::Prints(command) if matches!(**command, Command::Report(_)))
    }

    fn ended(&self, part: usize, end: &PartEnd<Failure>) -> Option<String> {
        let failed = match end {
            PartEnd::Failed(failure) => Some(failure.told(&self.session.environment)),
            PartEnd::Printed | PartEnd::Planned(_) => None,
        };
        // A part that ended with an account of its troubles told them already.
        let failed = failed.map(|told| {
            if told.message.is_empty() { "some of it could not be done".into() } else { told.message }
        });
        if self.tells {
            let _ = self.tell(part, end, failed.as_deref());
        } else if let Some(why) = &failed {
            let _ = writeln!(output::err(), "nine: {}: {why}", self.texts[part]);
        }
        failed
    }
}

impl Commands<'_> {
    fn tell(&self, part: usize, end: &PartEnd<Failure>, failed: Option<&str>) -> Done {
        match end {
            PartEnd::Printed | PartEnd::Planned(PartDone { carried: None, left: 0, .. }) => Ok(()),
            PartEnd::Planned(PartDone { carried, left, .. }) => {
                self.heading(part)?;
                if let Some(carried) = carried {
                    tell(carried.run, &carried.outcome, &carried.steps, output::out())?;
                }
                tell_left(*left)
            }
            PartEnd::Failed(_) => {
                self.heading(part)?;
                Ok(writeln!(output::out(), "{REFUSED}x{REFUSED:#} {}", failed.unwrap_or_default())?)
            }
        }
    }
}

fn tell_left(left: usize) -> Done {
    if left > 0 {
        let items = nine_core::amount::counted(left as u64, "item is", "items are");
        writeln!(output::out(), "{FAINT}{items} not what was shown any more, and left{FAINT:#}")?;
    }
    Ok(())
}

fn words(text: &str) -> Vec<String> {
    shlex::split(text).unwrap_or_default()
}
