//! What the engine tells meanwhile, on standard error: progress, and what a person should know.

use std::io::Write;
use std::sync::{Arc, Mutex};

use nine_carry::Recovered;
use nine_core::amount::{count, counted, readable};
use nine_core::escape::plain;
use nine_core::moment::Now;
use nine_engine::reporter::Unread;
use nine_engine::{Environment, Notice, Reporter, Task};
use nine_stores::{Location, StoreError, Watch};

use crate::clock::clock;
use crate::output::style::{DOUBT, REFUSED};
use crate::output::{self, Look};
use crate::wording::{self, there_is_none};
use crate::{failure::Message, interruption, progress};

/// What was told while the review had the terminal.
static HELD_BACK: Mutex<Vec<u8>> = Mutex::new(Vec::new());

/// Tells what could not be told before.
pub fn tell_held_back() {
    let held = HELD_BACK.lock().map(|mut held| std::mem::take(&mut *held)).unwrap_or_default();
    let _ = output::err().write_all(&held);
}

/// Tells it on a terminal.
pub struct OnStandardError {
    /// How to draw.
    pub look: Look,
    /// By which paths are shown.
    pub environment: Arc<Environment>,
}

impl Reporter for OnStandardError {
    fn notice(&self, notice: &Notice) {
        if !interruption::is_on_screen() {
            let _ = self.print(notice, &mut output::err());
            return;
        }
        let mut told = Vec::new();
        let _ = self.print(notice, &mut told);
        if let Ok(mut held) = HELD_BACK.lock() {
            held.extend(told);
        }
    }

    fn during(&self, task: Task, watch: &Watch, work: &mut dyn FnMut()) {
        match task {
            Task::Reading(place) => progress::during(&format!("reading {place}"), None, watch, work),
            Task::LookingAt(place, many) => {
                progress::during(&format!("looking at {place}"), Some(many), watch, work)
            }
            Task::ReadingWords(place, many) => {
                progress::during(&format!("reading words in {place}"), Some(many), watch, work)
            }
            Task::LookingAtPictures(place, many) => {
                progress::during(&format!("looking at pictures in {place}"), Some(many), watch, work)
            }
            Task::MakingThumbnails(many) => {
                progress::during("making small pictures", Some(many), watch, work)
            }
            Task::Planning => progress::during("looking", None, watch, work),
            Task::Learning => progress::during("learning from what is filed", None, watch, work),
            Task::Suggesting(many) => progress::during("suggesting", Some(many), watch, work),
            Task::Comparing => progress::of_bytes("comparing", watch, work),
            Task::ReadingBytes => progress::of_bytes("reading", watch, work),
            Task::Verifying => progress::of_bytes("verifying", watch, work),
            Task::Carrying { steps, reading } => progress::of_run(steps, watch, reading, work),
        }
    }

    fn carrying(&self, now: bool) {
        interruption::carrying(now, &self.environment.watch);
    }
}

impl OnStandardError {
    fn print(&self, notice: &Notice, out: &mut dyn Write) -> std::io::Result<()> {
        let text = |text: &str| self.look.text(text);
        let shown = |path: &std::path::Path| self.environment.shown(path);
        let shown_at = |at: &Location| self.environment.shown_at(at);
        match notice {
            Notice::PlaceAway { place, at, error } => {
                let why = match error {
                    Some(StoreError::Unreachable(why)) => why.clone(),
                    Some(error) => there_is_none(error),
                    None => there_is_none(&StoreError::NotThere),
                };
                let place = text(&place.to_string());
                writeln!(out, "{REFUSED}x {place}{REFUSED:#} at {} cannot be reached: {why}", shown_at(at))
            }
            Notice::AsKnown(at) => {
                writeln!(out, "{DOUBT}{}{DOUBT:#}", text(&format!("  it is told {}", known_since(*at))))
            }
            Notice::PlaceClosed { name, is_pile, at, error, can_be_made } => {
                let what = if *is_pile { "pile" } else { "bookcase" };
                let (address, why) = (shown_at(at), there_is_none(error));
                writeln!(out, "{REFUSED}x the {what} `{name}`{REFUSED:#} at {address}: {why}")?;
                if matches!(error, StoreError::Away(..)) {
                    // Anything made there would be hidden once the disk is back.
                    return Ok(());
                }
                let file = shown(&self.environment.config_file);
                let make =
                    if *can_be_made && !is_pile { "nine shelves make makes it" } else { "make the folder" };
                writeln!(out, "  {make}, or mend `at` in {file}")
            }
            Notice::Trouble(what, why) => writeln!(out, "{REFUSED}x {}{REFUSED:#} {why}", text(what)),
            Notice::Inside(spot, note) => writeln!(out, "{DOUBT}? {spot}{DOUBT:#} {note}"),
            Notice::OnDriveUnread { place, what, files, bytes } => {
                let (files, bytes) = (counted(*files, "file", "files"), readable(*bytes));
                let told = match what {
                    Unread::Bytes => {
                        format!("? {place} {files} of sizes that others have, {bytes}, not read")
                    }
                    Unread::Words => format!("? {place} the words in {files}, {bytes}, are not known"),
                    Unread::Said => {
                        format!("? {place} what {files}, {bytes}, say of themselves is not known")
                    }
                    Unread::Looks => format!("? {place} the looks of {files}, {bytes}, are not known"),
                };
                writeln!(out, "{DOUBT}{}{DOUBT:#}", text(&format!("{told}; --read-drive reads them")))
            }
            Notice::CatalogueSetAside(aside) => {
                let (why, to) = (&aside.because, shown(&aside.to));
                let told = format!("{DOUBT}The catalogue was {why}{DOUBT:#}");
                writeln!(out, "{told} and is set aside as {to}; a new one is made.")
            }
            Notice::WithoutCatalogue(error) => writeln!(out, "{DOUBT}{error}{DOUBT:#}; going on without it"),
            Notice::NotRemembered(what, error) => {
                let Message { message, .. } = wording::tell(error, &self.environment);
                writeln!(out, "{DOUBT}? {what}{DOUBT:#} cannot be kept: {message}")
            }
            Notice::DisplayCut { name, found, most } => {
                let (found, most) = (count(*found), count(*most));
                let name = format!("{DOUBT}`{name}`{DOUBT:#}");
                writeln!(out, "{name} finds {found} items; only the first {most} are displayed")
            }
            Notice::DisplayStale { folder, error } => {
                writeln!(out, "{DOUBT}{}{DOUBT:#} is not up to date: {error}", shown(folder))
            }
            Notice::DataClosed(data) => {
                let data = shown(data);
                writeln!(
                    out,
                    "Others on this machine could read what nine keeps in {data}; now you alone can."
                )
            }
            of_a_run => self.print_of_run(of_a_run, out),
        }
    }

    /// What is told of runs of the daybook.
    fn print_of_run(&self, notice: &Notice, out: &mut dyn Write) -> std::io::Result<()> {
        match notice {
            Notice::Recovered(recovered) => print_recovered(out, recovered),
            Notice::Unrecovered(error) => {
                let Message { message, .. } = wording::tell(error, &self.environment);
                let cut_off = format!("{DOUBT}A run was cut off{DOUBT:#}");
                writeln!(out, "{cut_off} and cannot be looked after now: {message}\n")
            }
            Notice::RunBroken { run, lines } => {
                let (line, was) = if lines.len() == 1 { ("line", "was") } else { ("lines", "were") };
                let lines = lines.iter().map(usize::to_string).collect::<Vec<_>>().join(", ");
                let run = format!("{DOUBT}run {run}{DOUBT:#}");
                writeln!(out, "{run}: {line} {lines} of its daybook cannot be read and {was} passed over")
            }
            Notice::ListsMade(made, unlisted) => {
                for dated in *made {
                    let dated = self.look.text(&dated.to_string());
                    writeln!(
                        out,
                        "{DOUBT}{dated}{DOUBT:#} had lost its lists; they were made again from its items"
                    )?;
                }
                for (dated, why) in *unlisted {
                    let (dated, why) = (self.look.text(&dated.to_string()), plain(why));
                    writeln!(
                        out,
                        "{REFUSED}x {dated}{REFUSED:#} lacks its lists, and they cannot be made now: {why}"
                    )?;
                }
                Ok(())
            }
            Notice::RunSetAside { run, file, error } => {
                let why = plain(&error.to_string());
                writeln!(out, "{DOUBT}The record of run {run}{DOUBT:#} cannot be read: {why}")?;
                writeln!(out, "  It was set aside as {}.", self.environment.shown(file))?;
                writeln!(
                    out,
                    "  This run cannot be undone. If it was interrupted, files it was moving may be at their"
                )?;
                writeln!(out, "  old place, at their new one, or at both; all other runs are as before.\n")
            }
            Notice::Skipped(place, folders) => {
                let many = counted(folders.len() as u64, "virtual file system", "virtual file systems");
                let (place, first) = (self.look.text(&place.to_string()), folders.iter().take(6));
                let first: Vec<String> = first.map(|folder| self.look.text(folder).to_string()).collect();
                let more = if folders.len() > 6 { ", …" } else { "" };
                writeln!(out, "{place}: {many} of the kernel skipped: {}{more}", first.join(", "))
            }
            Notice::ReviewSetAside(file) => {
                let file = self.environment.shown(file);
                writeln!(
                    out,
                    "{DOUBT}An unfinished review{DOUBT:#} cannot be read; it was set aside as {file}"
                )
            }
            Notice::RunUnreadable { run, error } => {
                writeln!(out, "{DOUBT}run {run}{DOUBT:#} cannot be read: {}", plain(&error.to_string()))
            }
            Notice::NotUndone(item, why) => {
                writeln!(out, "{REFUSED}x {item}{REFUSED:#} cannot be taken back: {why}")
            }
            _ => Ok(()),
        }
    }
}

/// How old what is known from a moment is. The catalogue is dated by the clock, also where ages
/// are counted from another day.
pub fn known_since(at: nine_core::moment::Moment) -> String {
    match Now::new(clock()).age(at).as_str() {
        "now" | "ahead" => "as known just now".to_owned(),
        age => format!("as known {age} ago"),
    }
}

fn print_recovered(out: &mut dyn Write, recovered: &Recovered) -> std::io::Result<()> {
    let steps = |n: usize| counted(n as u64, "step", "steps");
    let Recovered { run, command, done, finished, taken_back, not_begun, lost_sight, stayed, waits_for } =
        recovered;
    if let Some(why) = waits_for {
        let told = format!("{DOUBT}Run {run}{DOUBT:#} ({command}) was cut off");
        writeln!(out, "{told}, and what became of it is not seen yet:")?;
        writeln!(out, "  {why}; each command looks again (`nine history give-up {run}` waits no longer)")?;
        return writeln!(out);
    }
    let mut told = vec![format!("{} done", steps(*done))];
    if *finished > 0 {
        told.push(format!("{finished} of them half-done then and finished now"));
    }
    if *taken_back > 0 {
        let copies = counted(*taken_back as u64, "half-made copy", "half-made copies");
        told.push(format!("{copies} taken back"));
    }
    told.push(format!("{not_begun} not begun"));
    writeln!(out, "{DOUBT}Run {run}{DOUBT:#} ({command}) was cut off: {}.", told.join(", "))?;
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
    writeln!(out)
}
