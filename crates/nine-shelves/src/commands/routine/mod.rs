//! `nine routine`: a named list of commands in one go, and when it is run by itself.

mod account;
mod list;
mod notify;
mod parts;
mod timer;

use std::io::Write;
use std::path::PathBuf;

use clap::Args;
use nine_core::amount::{count, counted};
use nine_core::config::RoutineEdit;
use nine_core::routine::Routine;
use nine_engine::Workspace;
use nine_engine::plan::{Agreed, Plan};
use nine_engine::routine::{self, Account, Course, Foresight, Parts, Permitted, RoutineLock};

use crate::args::{CARRIED, Format, PlainFormat, SHOWN, ShowArgs};
use crate::ask::{self, Consent, Offered};
use crate::failure::{Done, Failure, FailureKind, unless};
use crate::output;
use crate::output::style::{FAINT, STRONG};
use crate::preview::{PlanToShow, Preview};
use crate::session::Session;
use parts::Commands;

pub use notify::notify;
pub use parts::check_part;
pub use timer::{reload_units, take_away, write as write_units};

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine routine                        the routines, when each is run, and how it went\n  nine routine friday                 shows all parts, asks once, carries each out\n  nine routine friday --plan          only shows them\n  nine routine friday --part tidy --part 'copies --flag' --part archive --when 'Friday 16:00'\n                                      makes it, or changes what it does\n  nine routine friday --schedule      has it run at its times\n  nine routine friday --calendar friday.ics\n                                      an event with an alarm, for your own calendar\n  nine undo friday                    takes the whole of it back\n\nAt its times nobody is asked: only what is not in doubt is done; the rest waits for `nine review`."
)]
pub struct RoutineArgs {
    /// The routine; all are listed, if left out
    #[arg(value_name = "ROUTINE")]
    pub name: Option<String>,
    /// Show what it would do, and ask nothing
    #[arg(long, requires = "name", conflicts_with_all = ["yes", "unattended"], help_heading = CARRIED)]
    pub plan: bool,
    /// Carry it out without asking
    #[arg(short, long, requires = "name", help_heading = CARRIED)]
    pub yes: bool,
    /// Show every line of every part, however many
    #[arg(long, requires = "name", help_heading = SHOWN, hide_short_help = true)]
    pub all: bool,
    /// Only what is not in doubt; the rest waits for nine review
    ///
    /// For when nobody is there.
    #[arg(long, requires = "name", conflicts_with = "yes", help_heading = CARRIED)]
    pub unattended: bool,
    /// A command of it; given once for each, in order
    #[arg(long, value_name = "COMMAND", requires = "name", help_heading = "What it is", conflicts_with_all = ["plan", "unattended"])]
    pub part: Vec<String>,
    /// Friday 16:00, weekdays 17:00, first Monday 9:00 …
    ///
    /// An empty text takes that away.
    #[arg(long, value_name = "TIMES", requires = "name", help_heading = "What it is", conflicts_with_all = ["plan", "unattended"])]
    pub when: Option<String>,
    /// Drop the routine
    #[arg(long, requires = "name", help_heading = "What it is", conflicts_with_all = ["part", "when", "plan", "unattended"])]
    pub drop: bool,
    /// Have it run at its times, by a timer of systemd
    ///
    /// Where there is none, the line for cron is printed.
    #[arg(long, requires = "name", help_heading = "By itself", conflicts_with_all = ["part", "when", "drop", "plan", "unattended"])]
    pub schedule: bool,
    /// Have it run at its times no more
    #[arg(long, requires = "name", help_heading = "By itself", conflicts_with_all = ["schedule", "part", "when", "drop", "plan", "unattended"], hide_short_help = true)]
    pub unschedule: bool,
    /// Write an event with an alarm for your calendar
    #[arg(long, value_name = "FILE", requires = "name", help_heading = "By itself", conflicts_with_all = ["schedule", "unschedule", "part", "when", "drop", "plan", "unattended"])]
    pub calendar: Option<PathBuf>,
    /// As table, csv or json
    #[arg(long, default_value = "table", conflicts_with = "name", help_heading = SHOWN, hide_possible_values = true, hide_short_help = true)]
    pub format: PlainFormat,
}

impl RoutineArgs {
    fn show(&self) -> ShowArgs {
        ShowArgs { yes: self.yes, all: self.all, format: Format::Table, worklist: None, sure: false }
    }
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: RoutineArgs, session: &Session) -> Done {
    let Some(name) = &args.name else {
        return list::print(&session.workspace()?, args.format, session);
    };
    if !args.part.is_empty() || args.when.is_some() {
        return save(name, &args, session);
    }
    if args.drop {
        let workspace = session.workspace()?;
        let planned = PlanToShow::new(routine::drop_named(&workspace, name)?, |_, _| Ok(()));
        return Preview::new(session, &workspace, &args.show()).propose(planned);
    }
    if args.schedule || args.unschedule || args.calendar.is_some() {
        return timer::run(name, &args, session);
    }
    let workspace = session.workspace()?;
    let routine = routine::named(&workspace, name)?.clone();
    if args.unattended {
        return unattended(&workspace, &routine, session);
    }
    by_hand(&workspace, &routine, &args, session)
}

/// Makes the routine, or changes what it does.
fn save(name: &str, args: &RoutineArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    let run = (!args.part.is_empty()).then(|| args.part.clone());
    let plan = routine::save(&workspace, name, &RoutineEdit { run, when: args.when.clone() })?;
    let then = workspace_then(&workspace, &plan);
    let planned = PlanToShow::new(plan, move |_, out| {
        if let Some(next) = then {
            writeln!(out, "{FAINT}next {next}; `--schedule` has it run then{FAINT:#}")?;
        }
        Ok(())
    });
    Preview::new(session, &workspace, &args.show()).propose(planned)
}

/// When the routine that a plan writes would be run next; nothing where that is not said.
fn workspace_then(workspace: &Workspace, plan: &Plan) -> Option<String> {
    let text = plan.doable().find_map(|step| match &step.act {
        nine_core::worklist::Act::Write { to, .. } => Some(to.clone()),
        _ => None,
    });
    let then = workspace.with_text(text?).ok()?;
    let old = |name: &str| workspace.config().routine(name);
    let new = then.config().routines.iter().find(|routine| old(&routine.name) != Some(routine))?;
    Some(list::at(&routine::next(workspace, new)?))
}

/// Shows all parts, asks once, and carries them out.
fn by_hand(workspace: &Workspace, routine: &Routine, args: &RoutineArgs, session: &Session) -> Done {
    let commands = Commands::new(session, routine, true)?;
    let plans = foresee(workspace, &commands, routine.parts.len(), args, session)?;
    go(&Course::of(routine), &commands, plans, &Asking { plan: args.plan, yes: args.yes }, session)
}

/// What was typed of the question.
#[derive(Debug, Clone, Copy)]
pub struct Asking {
    /// Nothing is done, and nothing asked.
    pub plan: bool,
    /// It is done without asking.
    pub yes: bool,
}

/// Asks once, and carries out what was agreed to.
///
/// # Errors
/// As the exit status has it.
pub fn go<P: Parts<Error = Failure>>(
    course: &Course,
    parts: &P,
    plans: Vec<Option<Plan>>,
    asking: &Asking,
    session: &Session,
) -> Done {
    let steps: usize = plans.iter().flatten().map(|plan| plan.checked.order.len()).sum();
    let troubles = plans.iter().flatten().map(Plan::troubles).sum();
    if asking.plan {
        return unless(troubles);
    }
    let mut agree: fn(&Plan) -> Agreed = Agreed::to;
    if !asking.yes && steps > 0 {
        if !ask::has_person() {
            writeln!(output::err(), "Nothing has been changed. Add --yes to carry this out.")?;
            return unless(troubles);
        }
        let question = format!("Carry out {}?", counted(steps as u64, "step", "steps"));
        let only_sure = plans.iter().flatten().any(Plan::is_in_doubt);
        if ask::agree(&question, Offered { only_sure, review: false })? == Consent::OnlySure {
            agree = Agreed::to_what_is_sure;
        }
    }
    let agreed = plans.iter().map(|plan| plan.as_ref().map(agree).unwrap_or_default()).collect();
    // What was shown is not held while it is done.
    drop(plans);
    // A question that nobody answers keeps no timer from being served.
    let Some(_lock) = RoutineLock::begin(&parts.workspace()?, &course.routine)? else {
        let busy = Failure::new(FailureKind::Partly, "a routine is at work already");
        return Err(busy.hint("nothing has been changed; wait until it has ended"));
    };
    let account = routine::run(course, parts, &Permitted::Agreed(agreed))?;
    account::print(&account, course, session)?;
    outcome(&account)
}

/// Shows what each part would do once those before it are done. A part that cannot be planned is told, and wants nothing.
fn foresee(
    workspace: &Workspace,
    commands: &Commands,
    parts: usize,
    args: &RoutineArgs,
    session: &Session,
) -> Done<Vec<Option<Plan>>> {
    let show = args.show();
    let foresight = Foresight::of(workspace);
    let mut plans = Vec::new();
    for part in 0..parts {
        commands.heading(part)?;
        let plan = show_part(commands, part, &foresight, &show, session)?;
        if let Some(plan) = &plan {
            foresight.carry(plan);
        }
        plans.push(plan);
    }
    let steps: usize = plans.iter().flatten().map(|plan| plan.checked.order.len()).sum();
    let commands = counted(parts as u64, "command", "commands");
    let steps = if steps == 0 { "nothing to do".to_owned() } else { counted(steps as u64, "step", "steps") };
    writeln!(output::out(), "\n{STRONG}{commands}: {steps}{STRONG:#}")?;
    Ok(plans)
}

fn show_part(
    commands: &Commands,
    part: usize,
    foresight: &Foresight,
    show: &ShowArgs,
    session: &Session,
) -> Done<Option<Plan>> {
    let mut out = output::out();
    match commands.planned(part, foresight.workspace()) {
        Ok(Some(PlanToShow { plan, epilogue, names_places })) => {
            let preview = Preview::new(session, foresight.workspace(), show);
            let names_places = names_places.unwrap_or(preview.names_places);
            Preview { names_places, ..preview }.print(&plan, epilogue)?;
            Ok(Some(plan))
        }
        Ok(None) => {
            writeln!(out, "{FAINT}only tells, when its turn comes{FAINT:#}")?;
            Ok(None)
        }
        Err(failure) if failure.is_pipe() => Err(failure),
        Err(failure) => {
            let told = failure.told(&session.environment);
            writeln!(out, "{}x{:#} {}", output::style::REFUSED, output::style::REFUSED, told.message)?;
            Ok(None)
        }
    }
}

/// Does what is sure, with nobody there.
fn unattended(workspace: &Workspace, routine: &Routine, session: &Session) -> Done {
    let commands = Commands::new(session, routine, false)?;
    let Some(_lock) = RoutineLock::begin(workspace, &routine.name)? else {
        tracing::info!("a routine is at work already");
        return Ok(());
    };
    let account = routine::run(&Course::of(routine), &commands, &Permitted::Unattended(routine.unattended))?;
    let told = account::one_line(&account);
    writeln!(output::err(), "{}: {told}", routine.name)?;
    if account::is_worth_telling(&account) {
        let waits = account.record.sum(|part| part.in_doubt);
        let next = if waits > 0 { "nine review shows what is in doubt" } else { "nine routine tells more" };
        notify(&format!("Nine Shelves: {}", routine.name), &format!("{told}\n{next}"), session);
    }
    outcome(&account)
}

fn outcome(account: &Account) -> Done {
    let record = &account.record;
    let failed = record.parts.iter().filter(|part| part.failed.is_some()).count() as u64;
    unless((failed + record.sum(|part| part.not_done)) as usize)
}

/// `12 moved` and their like of a few numbers.
fn joined(parts: &[(u64, &str)]) -> String {
    let parts: Vec<String> =
        parts.iter().filter(|(n, _)| *n > 0).map(|(n, word)| format!("{} {word}", count(*n))).collect();
    if parts.is_empty() { "nothing to do".to_owned() } else { parts.join(", ") }
}
