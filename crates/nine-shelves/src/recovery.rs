//! Notices a run that was cut off, before a command begins.

use std::io::Write;
use std::path::Path;

use nine_carry::{Recovered, daybook, lock, open_runs, recover};
use nine_core::amount::counted;
use nine_core::config::Config;
use nine_stores::Places;

use crate::error::{Done, Failure};
use crate::session::Session;

/// Finishes or takes back what a killed run left half-done, and says so on standard error.
///
/// # Errors
/// If the daybook cannot be read or written.
pub fn recover_last_run(session: &Session, config: &Config) -> Done {
    let runs = open_runs(&session.data).map_err(|e| daybook_failure(&e))?;
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
        let recovered = recover(&session.data, &lock, run, &open, &Session::clock);
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
    let mut out = anstream::stderr().lock();
    let doubt = crate::output::style::DOUBT;
    let steps = |n: usize| counted(n as u64, "step", "steps");
    let Recovered { run, command, done, finished, taken_back, not_begun, lost_sight, waits_for } = recovered;
    if let Some(why) = waits_for {
        writeln!(
            out,
            "{doubt}Run {run}{doubt:#} ({command}) was cut off, and what became of it is not seen yet:"
        )?;
        writeln!(out, "  {why}; each command looks again")?;
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
    if *done > 0 {
        writeln!(out, "  `nine undo {run}` takes it back; running {command} again does the rest.")?;
    }
    writeln!(out)?;
    Ok(())
}
