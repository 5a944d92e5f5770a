//! `nine watch`: what arrives is filed as it comes.

use std::io::{Read, Write};
use std::os::fd::{AsFd, BorrowedFd};
use std::os::unix::net::UnixStream;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use clap::Args;
use nine_core::amount::{count, counted};
use nine_core::escape::plain;
use nine_engine::plan::Carried;
use nine_engine::watch::{Asked, Pace, Request, Told, Uptime, WatchHost, watch};
use nine_engine::{Workspace, routine as routines};
use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use signal_hook::iterator::Signals;

use super::routine::{take_away, write_units};
use crate::args::{CARRIED, Format, ShowArgs};
use crate::clock::clock;
use crate::failure::Done;
use crate::interruption;
use crate::output;
use crate::output::style::{DOUBT, FAINT, REFUSED, STRONG};
use crate::preview::parts;
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine watch                    the piles under [watch] in shelves.toml, or all\n  nine watch downloads          one pile\n  nine watch --once             does what is due, and ends\n  nine watch --service          has it run from now on, whenever you are logged in\n  nine watch --no-service       no more\n\nNothing is touched before it has settled, nor while a program has it open or it is a partial\ndownload. What is in doubt waits for `nine review`. What you take back with `nine undo` is left\nalone until it changes. SIGHUP reads the configuration anew; SIGTERM ends it after the step in hand."
)]
pub struct WatchArgs {
    /// The piles to watch
    #[arg(value_name = "PILE")]
    pub piles: Vec<String>,
    /// Do what is due, and end
    #[arg(long, conflicts_with_all = ["service", "no_service"], help_heading = CARRIED)]
    pub once: bool,
    /// Write a service of systemd that watches whenever you are logged in
    #[arg(long, conflicts_with = "no_service", help_heading = "By itself")]
    pub service: bool,
    /// Take that service away
    #[arg(long, help_heading = "By itself")]
    pub no_service: bool,
    /// Write the service, or take it away, without asking
    #[arg(short, long, help_heading = CARRIED)]
    pub yes: bool,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &WatchArgs, session: &Session) -> Done {
    if args.service || args.no_service {
        return service(args, session);
    }
    let request = Request { piles: args.piles.clone(), once: args.once, pace: pace(session) };
    let host = Host::new(session)?;
    Ok(watch(&host, &request)?)
}

/// How fast things go; a test may not want to wait for minutes.
fn pace(session: &Session) -> Pace {
    let usual = Pace::default();
    match session.watch_pace {
        Some(pace) => Pace { gap: pace, again: pace, ..usual },
        None => usual,
    }
}

fn service(args: &WatchArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    let show = ShowArgs { yes: args.yes, all: false, format: Format::Table, worklist: None, sure: false };
    match routines::serve_watch(&workspace, &args.piles, args.no_service)? {
        None => Ok(writeln!(output::err(), "No service watches.")?),
        Some(units) if args.no_service => take_away(units, &workspace, &show, session),
        Some(units) => {
            let more = "it watches whenever you are logged in".to_owned();
            write_units(units, &workspace, &show, session, more)
        }
    }
}

/// What watching needs of this program.
struct Host<'s> {
    session: &'s Session,
    stop: Arc<AtomicBool>,
    reload: Arc<AtomicBool>,
    wake: UnixStream,
}

impl<'s> Host<'s> {
    fn new(session: &'s Session) -> Done<Self> {
        interruption::leave_signals();
        let (wake, mut waker) = UnixStream::pair()?;
        wake.set_nonblocking(true)?;
        let (stop, reload) = (Arc::new(AtomicBool::new(false)), Arc::new(AtomicBool::new(false)));
        let mut signals = Signals::new([SIGTERM, SIGINT, SIGHUP])?;
        let (stops, reloads, watch) =
            (Arc::clone(&stop), Arc::clone(&reload), Arc::clone(&session.environment.watch));
        std::thread::spawn(move || {
            for signal in signals.forever() {
                if signal == SIGHUP {
                    reloads.store(true, Ordering::SeqCst);
                } else {
                    // The step in hand is ended first.
                    stops.store(true, Ordering::SeqCst);
                    watch.stop();
                }
                let _ = waker.write_all(b".");
            }
        });
        Ok(Self { session, stop, reload, wake })
    }

    fn say(&self, words: &str) {
        let now = clock().strftime("%H:%M").to_string();
        // Whether anybody reads it decides nothing.
        let _ = writeln!(output::err(), "{FAINT}{now}{FAINT:#}  {words}");
    }

    fn ran(&self, carried: &Carried) {
        let Carried { run, outcome, steps } = carried;
        for failed in outcome.failed.iter().chain(&outcome.stayed) {
            let item = steps[failed.step].item.to_string();
            self.say(&format!(
                "{REFUSED}x {}{REFUSED:#}  {}",
                self.session.look.text(&item),
                plain(&failed.because)
            ));
        }
        let done = parts(outcome, steps).join(", ");
        let back =
            if outcome.done() > 0 { format!("  {FAINT}nine undo {run}{FAINT:#}") } else { String::new() };
        self.say(&format!("{STRONG}run {run}:{STRONG:#} {done}{back}"));
    }
}

impl WatchHost for Host<'_> {
    fn workspace(&self, text: Option<&str>) -> nine_engine::Result<Workspace> {
        self.session.workspace_now(text)
    }

    fn asked(&self) -> Asked {
        let mut drained = [0; 64];
        while matches!((&self.wake).read(&mut drained), Ok(1..)) {}
        Asked { stop: self.stop.load(Ordering::SeqCst), reload: self.reload.swap(false, Ordering::SeqCst) }
    }

    fn wake(&self) -> BorrowedFd<'_> {
        self.wake.as_fd()
    }

    fn uptime(&self) -> Uptime {
        let now = rustix::time::clock_gettime(rustix::time::ClockId::Boottime);
        Duration::try_from(now).unwrap_or_default()
    }

    fn told(&self, told: &Told) {
        let look = &self.session.look;
        match told {
            Told::Begun { folders, looked_at } => {
                let folders = counted(*folders as u64, "folder", "folders");
                let looked_at = match looked_at {
                    [] => String::new(),
                    piles => format!("; {} looked at from time to time", piles.join(", ")),
                };
                self.say(&format!("watching, {folders}{looked_at}"));
            }
            Told::Ran(carried) => self.ran(carried),
            Told::Refused(item, why) => {
                self.say(&format!("{REFUSED}x {}{REFUSED:#}  {why}", look.text(&item.to_string())));
            }
            Told::InDoubt(items) => {
                let waits = if *items == 1 { "waits" } else { "wait" };
                self.say(&format!("{DOUBT}{} in doubt {waits} for nine review{DOUBT:#}", count(*items as u64)));
            }
            Told::Away(pile, why) => self.say(&format!("{DOUBT}{pile} is away{DOUBT:#}: {}", plain(why))),
            Told::Back(pile) => self.say(&format!("{pile} is there again")),
            Told::Limit(pile) => self.say(&format!(
                "{DOUBT}the kernel watches no more folders{DOUBT:#}, so {pile} is looked at from time to time; fs.inotify.max_user_watches raises that"
            )),
            Told::Overflow => self.say("more happened than the kernel could tell; everything is looked at once"),
            Told::Reloaded => self.say("the configuration was read anew"),
            Told::KeptOld(error) => {
                let told = crate::wording::tell(error, &self.session.environment);
                self.say(&format!("{DOUBT}the configuration is kept as it was{DOUBT:#}: {}", told.message));
            }
            Told::Later(pile, error) => {
                let told = crate::wording::tell(error, &self.session.environment);
                self.say(&format!("{DOUBT}{pile} waits{DOUBT:#}: {}", told.message));
            }
        }
    }
}
