//! Notices a run that was cut off, before a command begins.

use std::io::Write;
use std::path::Path;

use nine_carry::{Patience, Recovered, daybook, lock, open_runs, recover};
use nine_core::amount::counted;
use nine_core::config::Config;
use nine_stores::Places;

use crate::error::{Done, Failure};
use crate::session::Session;

/// Before something is changed: finishes or takes back what a killed run left half-done, and says so on standard
/// error.
///
/// # Errors
/// If the daybook cannot be read or written.
pub fn before_changing(session: &Session, config: &Config) -> Done {
    recover_all(session, config, Patience::Waits)
}

/// The same before something is only read: what cannot be recovered for now is told, and the command goes on.
pub fn before_reading(session: &Session, config: &Config) {
    if let Err(failure) = recover_all(session, config, Patience::Waits) {
        let doubt = crate::output::style::DOUBT;
        let _ = writeln!(
            crate::output::err(),
            "{doubt}A run was cut off{doubt:#} and cannot be looked after now: {failure}\n"
        );
    }
}

/// Closes one run that was cut off with what can be seen, although a place of it is away.
///
/// # Errors
/// If it is not open, or the daybook cannot be read or written.
pub fn give_up(session: &Session, config: &Config, run: u64) -> Done {
    if !open_runs(&session.data).map_err(|e| daybook_failure(&e))?.contains(&run) {
        return Err(Failure::words(format!("run {run} is over; it waits for nothing"))
            .hint("`nine history` lists the runs"));
    }
    recover_some(session, config, vec![run], Patience::GivesUp)
}

fn recover_all(session: &Session, config: &Config, patience: Patience) -> Done {
    let runs = open_runs(&session.data).map_err(|e| daybook_failure(&e))?;
    recover_some(session, config, runs, patience)
}

fn recover_some(session: &Session, config: &Config, runs: Vec<u64>, patience: Patience) -> Done {
    if runs.is_empty() {
        return Ok(());
    }
    // Whoever holds the lock is at work, not cut off.
    let Ok(lock) = lock(&session.data, &who("looking for a run that was cut off"))? else {
        return Ok(());
    };
    let open_store = |at: &Path| session.open_store(config, at, true);
    let open = |run: &daybook::Run| Places::from_addresses(&run.places, &open_store);
    for run in runs {
        let recovered = recover(&session.data, &lock, run, &open, patience, &Session::clock);
        tell(&recovered.map_err(|e| daybook_failure(&e))?)?;
    }
    Ok(())
}

fn daybook_failure(error: &std::io::Error) -> Failure {
    Failure::system(format!("the daybook cannot be used: {error}"))
}

/// What the lock says of the program that holds it.
pub fn who(command: &str) -> String {
    format!("{command} (process {})", std::process::id())
}

fn tell(recovered: &Recovered) -> Done {
    let mut out = crate::output::err();
    let doubt = crate::output::style::DOUBT;
    let steps = |n: usize| counted(n as u64, "step", "steps");
    let Recovered { run, command, done, finished, taken_back, not_begun, lost_sight, stayed, waits_for } =
        recovered;
    if let Some(why) = waits_for {
        writeln!(
            out,
            "{doubt}Run {run}{doubt:#} ({command}) was cut off, and what became of it is not seen yet:"
        )?;
        writeln!(out, "  {why}; each command looks again (`nine history {run} --give-up` waits no longer)")?;
        return Ok(writeln!(out)?);
    }
    let mut told = vec![format!("{} done", steps(*done))];
    if *finished > 0 {
        told.push(format!("{} of them half-done then and finished now", finished));
    }
    if *taken_back > 0 {
        told.push(format!(
            "{} taken back",
            counted(*taken_back as u64, "half-made copy", "half-made copies")
        ));
    }
    told.push(format!("{not_begun} not begun"));
    writeln!(out, "{doubt}Run {run}{doubt:#} ({command}) was cut off: {}.", told.join(", "))?;
    for (item, why) in lost_sight {
        writeln!(out, "  {item}: {why}")?;
    }
    for (item, many) in stayed {
        let things = counted(*many as u64, "thing", "things");
        writeln!(
            out,
            "  {item}: {things} of it stayed at the old place, new or changed since it was copied"
        )?;
    }
    if *done > 0 {
        writeln!(out, "  `nine undo {run}` takes it back; running {command} again does the rest.")?;
    }
    writeln!(out)?;
    Ok(())
}
