//! What runs a routine by itself, or reminds of it: shown first, written as a run.

use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use nine_engine::Workspace;
use nine_engine::routine::{self, Calendar, Scheduled, UnitsPlan};

use super::{RoutineArgs, list};
use crate::args::ShowArgs;
use crate::failure::Done;
use crate::output;
use crate::output::style::{CHANGE, FAINT, STRONG};
use crate::preview::{PlanToShow, Preview};
use crate::session::Session;

/// Writes, takes away, or prints what starts the routine.
pub fn run(name: &str, args: &RoutineArgs, session: &Session) -> Done {
    let (workspace, show) = (session.workspace()?, args.show());
    if args.unschedule {
        let Some(units) = routine::unschedule(&workspace, name)? else {
            writeln!(output::err(), "Nothing runs `{name}` by itself.")?;
            return Ok(());
        };
        return take_away(units, &workspace, &show, session);
    }
    let routine = routine::named(&workspace, name)?;
    if let Some(file) = &args.calendar {
        return calendar(routine::calendar(&workspace, routine, file)?, file, &workspace, &show, session);
    }
    match routine::schedule(&workspace, routine)? {
        Scheduled::Cron(line) => {
            writeln!(
                output::err(),
                "systemd does not run here. This line is for cron: `crontab -e`, and paste it."
            )?;
            Ok(writeln!(output::out(), "{line}")?)
        }
        Scheduled::Units(units) => {
            let next = routine::next(&workspace, routine).map(|next| list::at(&next)).unwrap_or_default();
            let more = format!("next {next}, or as soon as the machine is on after that");
            write(*units, &workspace, &show, session, more)
        }
    }
}

/// Has systemd read its units anew, where they were written or taken away, be it by an undo.
pub fn reload_units(session: &Session) {
    systemctl(session, &["daemon-reload"]);
}

/// Shows units, asks, writes them, and has systemd read them.
pub fn write(
    units: UnitsPlan,
    workspace: &Workspace,
    show: &ShowArgs,
    session: &Session,
    more: String,
) -> Done {
    let UnitsPlan { plan, texts, unit } = units;
    if plan.checked.order.is_empty() && plan.troubles() == 0 {
        writeln!(output::err(), "It is all there already: {}", session.shown(&texts[0].0))?;
        return Ok(());
    }
    let planned = PlanToShow::new(plan, |_, out| print_texts(&texts, &more, session, out));
    Preview::new(session, workspace, show).propose(planned)?;
    if is_written(&texts) {
        restart(&unit, session)?;
    }
    Ok(())
}

/// Shows which units go, asks, stops them and takes them away.
pub fn take_away(units: UnitsPlan, workspace: &Workspace, show: &ShowArgs, session: &Session) -> Done {
    let UnitsPlan { plan, texts, unit } = units;
    Preview::new(session, workspace, show).propose(PlanToShow::new(plan, |_, _| Ok(())))?;
    if texts.iter().all(|(path, _)| !path.exists()) {
        systemctl(session, &["stop", &unit]);
        writeln!(output::out(), "{FAINT}{unit} is stopped and gone{FAINT:#}")?;
    }
    Ok(())
}

fn print_texts(
    texts: &[(PathBuf, String)],
    more: &str,
    session: &Session,
    out: &mut dyn Write,
) -> std::io::Result<()> {
    for (path, text) in texts {
        writeln!(out, "\n{STRONG}{}{STRONG:#}", session.shown(path))?;
        for line in text.lines() {
            writeln!(out, "  {CHANGE}{}{CHANGE:#}", session.look.text(line))?;
        }
    }
    writeln!(out, "\n{FAINT}{more}{FAINT:#}")
}

fn is_written(texts: &[(PathBuf, String)]) -> bool {
    texts.iter().all(|(path, text)| std::fs::read_to_string(path).is_ok_and(|there| there == *text))
}

/// Has systemd read its units anew and begin one; says what to type where that cannot be done from here.
pub fn restart(unit: &str, session: &Session) -> Done {
    let is_begun = systemctl(session, &["restart", unit]);
    let mut out = output::out();
    if is_begun {
        writeln!(out, "{FAINT}It is at work. systemctl --user status {unit} shows it{FAINT:#}")?;
    } else {
        writeln!(out, "It begins when you log in the next time, or now with:")?;
        writeln!(
            out,
            "  {STRONG}systemctl --user daemon-reload && systemctl --user restart {unit}{STRONG:#}"
        )?;
        writeln!(out, "{FAINT}systemctl --user status {unit} shows it{FAINT:#}")?;
    }
    Ok(())
}

/// Tells the person's systemd something, where it runs.
fn systemctl(session: &Session, words: &[&str]) -> bool {
    if !session.environment.has_systemd {
        return false;
    }
    let mut command = Command::new("systemctl");
    command.arg("--user").args(words).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    command.status().is_ok_and(|status| status.success())
}

fn calendar(
    calendar: Calendar,
    file: &Path,
    workspace: &Workspace,
    show: &ShowArgs,
    session: &Session,
) -> Done {
    let Calendar { plan, text } = calendar;
    if plan.checked.order.is_empty() && plan.troubles() == 0 {
        writeln!(output::err(), "{} says so already.", session.shown(file))?;
        return Ok(());
    }
    let texts = [(file.to_owned(), text)];
    let more = "open the file with your calendar; it asks where to put the event";
    let planned = PlanToShow::new(plan, |_, out| print_texts(&texts, more, session, out));
    Preview::new(session, workspace, show).propose(planned)
}
