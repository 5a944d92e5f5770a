//! From a worklist to what came of it, the same for every command: show, ask, carry, tell.

use std::collections::BTreeMap;
use std::ffi::OsString;
use std::io::Write;

use nine_carry::daybook::{Heading, Writer};
use nine_carry::{Carrier, Failed, Outcome, facts, lock, standing};
use nine_core::amount::{count, counted, readable};
use nine_core::place::Spot;
use nine_core::plan::{Proposal, Settled, folders_wanted, settle};
use nine_core::worklist::table::{lines, to_csv, to_json};
use nine_core::worklist::{Act, Checked, ClashAnswer, Doubt, Step, check};
use nine_stores::Places;

use crate::cli::{Format, ShowArgs};
use crate::error::{Done, Failure, Kind};
use crate::output::style::{FAINT, REFUSED, STRONG};
use crate::output::worklist::Shown;
use crate::output::{self};
use crate::progress;
use crate::recovery::who;
use crate::session::{Opened, Session};
use crate::{archive, ask, displays, doubts, location, sides, worklist_file};

/// What a planner hands over.
pub struct Planned<'a> {
    pub proposals: Vec<Proposal>,
    pub places: &'a Places,
    /// The command, as the daybook keeps it.
    pub command: String,
    /// The run that is taken back.
    pub undoes: Option<u64>,
    /// Folders to take away afterwards if they are empty.
    pub clear_away: Vec<Spot>,
    /// Dated folders of the archive that come to be.
    pub dated: Vec<Spot>,
    /// Whether places are named in headings.
    pub name_places: bool,
    /// What went wrong before there were steps; sets the exit status.
    pub troubles: usize,
    /// Whether the rules proposed it.
    pub by_rules: bool,
    /// The facets that have columns in a table.
    pub facets: Vec<String>,
}

impl<'a> Planned<'a> {
    /// What a command without rules proposes.
    pub fn new(command: String, proposals: Vec<Proposal>, places: &'a Places) -> Self {
        Self {
            proposals,
            places,
            command,
            undoes: None,
            clear_away: Vec::new(),
            dated: Vec::new(),
            name_places: true,
            troubles: 0,
            by_rules: false,
            facets: Vec::new(),
        }
    }
}

/// Proposals with free names for all, checked as a whole.
pub struct Drawn {
    pub settled: Settled,
    pub checked: Checked,
}

impl Drawn {
    /// The steps that can be done, in the order in which they are to be.
    pub fn steps(&self) -> Vec<Step> {
        self.checked.order.iter().map(|at| self.settled.worklist.steps[*at].clone()).collect()
    }
}

/// Settles and checks. Where names are taken by files of the same size, their bytes are compared, and
/// what turns out to be a copy is flagged as one.
pub fn draw_up(places: &Places, proposals: &mut [Proposal]) -> Drawn {
    let known = standing(places, folders_wanted(proposals));
    let mut settled = settle(proposals, &known);
    if sides::compare(places, proposals, &settled.clashes) {
        settled = settle(proposals, &known);
    }
    doubts::add(places, &mut settled.worklist.steps);
    let checked = check(&settled.worklist, &facts(places, &settled.worklist, known));
    Drawn { settled, checked }
}

/// Shows a worklist, asks once, carries it out and tells what came of it; or writes it to a file, where
/// that is asked for. `epilogue` prints what belongs under the preview.
///
/// # Errors
/// As the exit status has it: declined, partly done, or not possible.
pub fn show_ask_carry(
    session: &Session,
    opened: &Opened,
    mut planned: Planned,
    args: &ShowArgs,
    epilogue: impl FnOnce(&Drawn, &mut dyn Write) -> std::io::Result<()>,
) -> Done {
    let mut drawn = draw_up(planned.places, &mut planned.proposals);
    if args.sure {
        leave_what_is_in_doubt(&mut planned.proposals, &drawn.settled);
        drawn = draw_up(planned.places, &mut planned.proposals);
    }
    if let Some(file) = &args.worklist {
        return worklist_file::write(session, planned, &drawn, file);
    }
    let asks = args.format == Format::Table && !args.yes && ask::has_person();
    if asks && sides::ask(session, &mut planned.proposals, &drawn.settled.clashes)? {
        drawn = draw_up(planned.places, &mut planned.proposals);
    }
    let steps = drawn.steps();
    // Whether the preview can be printed decides nothing about what was agreed to beforehand.
    match preview(session, opened, &planned, &drawn, args, epilogue) {
        Err(_) if args.yes => name_refused(&drawn),
        printed => printed?,
    }
    let troubles = planned.troubles + drawn.checked.refused.len();
    if steps.is_empty() {
        return outcome_status(troubles, None);
    }
    if !args.yes {
        if !asks {
            writeln!(output::err(), "Nothing has been changed. Add --yes to carry this out.")?;
            return outcome_status(troubles, None);
        }
        ask::agree(&format!("Carry out {}?", counted(steps.len() as u64, "step", "steps")))?;
    }
    // The lists of the archive follow from the steps; nobody need agree to them.
    let steps = archive::with_lists(opened, &planned, steps);
    let (run, outcome) = carry(session, &planned, &steps)?;
    let told = match args.format {
        Format::Table => tell(run, &outcome, &steps, output::out()),
        // Standard output belongs to the records.
        _ => tell(run, &outcome, &steps, output::err()),
    };
    if told.is_err() {
        tell(run, &outcome, &steps, output::err())?;
    }
    displays::refresh_all(session);
    outcome_status(troubles, Some(&outcome))
}

/// Names what cannot be done where nobody reads the preview.
fn name_refused(drawn: &Drawn) {
    let mut err = output::err();
    for (at, problem) in &drawn.checked.refused {
        let item = &drawn.settled.worklist.steps[*at].item;
        let _ = writeln!(err, "{REFUSED}x {item}{REFUSED:#}  {}", problem.words());
    }
}

/// Prints what would be done.
fn preview(
    session: &Session,
    opened: &Opened,
    planned: &Planned,
    drawn: &Drawn,
    args: &ShowArgs,
    epilogue: impl FnOnce(&Drawn, &mut dyn Write) -> std::io::Result<()>,
) -> Done {
    if args.format != Format::Table {
        return print_records(session, planned, drawn, args.format, &|spot| absolute(opened, spot));
    }
    let shown = Shown {
        worklist: &drawn.settled.worklist,
        checked: &drawn.checked,
        now: &session.now,
        look: &session.look,
        all: args.all || !session.look.terminal,
        name_places: planned.name_places,
    };
    let mut out = output::out();
    shown.print(&mut out)?;
    epilogue(drawn, &mut out)?;
    if !drawn.checked.order.is_empty() || !drawn.checked.refused.is_empty() {
        writeln!(out, "{STRONG}{}{STRONG:#}", shown.summary())?;
    }
    Ok(out.flush()?)
}

/// Takes out what a person should look at first; it stays in the list with its doubts.
fn leave_what_is_in_doubt(proposals: &mut [Proposal], settled: &Settled) {
    for (step, proposal) in settled.worklist.steps.iter().zip(&settled.of) {
        if !step.doubts.is_empty() {
            let proposal = &mut proposals[*proposal];
            proposal.doubts.clone_from(&step.doubts);
            for doubt in &mut proposal.doubts {
                if let Doubt::Clash { answer, .. } = doubt {
                    *answer = ClashAnswer::Left;
                }
            }
            (proposal.folder, proposal.becomes, proposal.fixed) = (None, None, None);
        }
    }
}

/// Prints a worklist for other programs.
fn print_records(
    session: &Session,
    planned: &Planned,
    drawn: &Drawn,
    format: Format,
    absolute: &dyn Fn(&Spot) -> Vec<u8>,
) -> Done {
    let mut out = output::raw();
    let end: &[u8] = match format {
        Format::Paths => b"\n",
        Format::Paths0 => b"\0",
        Format::Csv | Format::Json | Format::Table => {
            let (lines, _) = lines(planned.proposals.clone(), &drawn.settled, &drawn.checked, &session.now);
            let text = if format == Format::Csv { to_csv(&lines, &planned.facets) } else { to_json(&lines) };
            out.write_all(&text)?;
            return Ok(out.flush()?);
        }
    };
    let mut last: Option<&Spot> = None;
    for at in &drawn.checked.order {
        let item = &drawn.settled.worklist.steps[*at].item;
        if last != Some(item) {
            out.write_all(&absolute(item))?;
            out.write_all(end)?;
        }
        last = Some(item);
    }
    Ok(out.flush()?)
}

fn absolute(opened: &Opened, spot: &Spot) -> Vec<u8> {
    let path = opened.store(&spot.place).map(|store| location::written(&store.absolute(&spot.path)));
    path.map_or_else(|| spot.to_string().into_bytes(), OsString::into_encoded_bytes)
}

/// Carries the steps out under the lock, with the daybook.
fn carry(session: &Session, planned: &Planned, steps: &[Step]) -> Done<(u64, Outcome)> {
    let _lock = lock(&session.data, &who(&planned.command))?.map_err(|at_work| {
        Failure::new(
            Kind::Partly,
            format!("another run is at work: {}", nine_core::escape::plain(&at_work.who)),
        )
        .hint("nothing has been changed; try again when it is over")
    })?;
    let unwritable = |error: std::io::Error| {
        Failure::system(format!("the daybook in {} cannot be written: {error}", session.shown(&session.data)))
            .hint("nothing has been changed; make room or give another folder with --home")
    };
    let heading = Heading::new(&planned.command, planned.undoes, planned.places);
    let mut daybook =
        Writer::begin(&session.data, &heading, steps.iter(), &Session::clock).map_err(unwritable)?;
    let run = daybook.run();
    tracing::info!(run, steps = steps.len(), "the plan is in the daybook");
    session.carrying(true);
    let watch = nine_stores::Watch::default();
    let items = steps.iter().filter(|step| step.act != Act::List).count() as u64;
    let carried = progress::of_run(items, &watch, &session.watch, || {
        let mut over = 0;
        let mut count_steps = |now: usize| {
            watch.saw((now - over) as u64);
            over = now;
        };
        let mut carrier =
            Carrier::new(planned.places, &mut daybook, &session.watch, &Session::clock, &mut count_steps);
        let mut outcome = carrier.carry(steps)?;
        let (cleared, is_away) = carrier.clear_away(&planned.clear_away);
        outcome.is_open |= is_away;
        tracing::info!(cleared, "empty folders taken away");
        Ok::<_, std::io::Error>(outcome)
    });
    let stopped = |error: std::io::Error| {
        Failure::system(format!("run {run} was broken off, since the daybook cannot be written: {error}"))
            .hint("what was done so far is kept; the next command finds out how far it got")
    };
    let outcome = carried.map_err(stopped)?;
    let syncs = daybook.syncs() + session.counters.syncs.load(std::sync::atomic::Ordering::Relaxed);
    if outcome.is_open {
        daybook.flush().map_err(stopped)?;
    } else {
        daybook.end(&Session::clock).map_err(stopped)?;
    }
    session.carrying(false);
    tracing::info!(run, syncs, "the run is over");
    Ok((run, outcome))
}

/// Tells what came of a run: counts, and each step that could not be done.
fn tell(run: u64, outcome: &Outcome, steps: &[Step], mut out: impl Write) -> Done {
    writeln!(out)?;
    for Failed { step, because } in outcome.failed.iter().chain(&outcome.stayed) {
        writeln!(out, "{REFUSED}x {}{REFUSED:#}  {because}", steps[*step].item)?;
    }
    if outcome.is_open {
        writeln!(out, "  {FAINT}the next command goes on with it{FAINT:#}")?;
    }
    for (folder, because) in &outcome.unsure {
        let may = "so what was done in it may not last";
        writeln!(out, "{REFUSED}x {folder}{REFUSED:#}  could not be made sure of, {may}: {because}")?;
    }
    let mut done: BTreeMap<&str, u64> = BTreeMap::new();
    for at in &outcome.carried {
        *done.entry(steps[*at].act.word()).or_default() += 1;
    }
    let words = [
        ("move", "moved"),
        ("copy", "copied"),
        ("tag", "tagged"),
        ("discard", "discarded"),
        ("restore", "restored"),
        ("pack", "packed"),
        ("unpack", "unpacked"),
    ];
    let mut parts: Vec<String> = words
        .iter()
        .filter_map(|(word, past)| done.get(word).map(|number| format!("{} {past}", count(*number))))
        .collect();
    if parts.is_empty() {
        parts.push("nothing done".into());
    }
    if !outcome.failed.is_empty() {
        parts.push(format!("{} not done", count(outcome.failed.len() as u64)));
    }
    if outcome.not_begun > 0 {
        parts.push(format!("{} not begun, since you stopped it", count(outcome.not_begun as u64)));
    }
    write!(out, "{STRONG}Run {run}:{STRONG:#} {}", parts.join(", "))?;
    if outcome.done() > 0 {
        let bytes = if outcome.bytes > 0 { format!("{}; ", readable(outcome.bytes)) } else { String::new() };
        write!(out, "  {FAINT}{bytes}nine undo {run} takes it back{FAINT:#}")?;
    }
    writeln!(out)?;
    Ok(out.flush()?)
}

/// The exit status: whether all of it was done.
fn outcome_status(troubles: usize, outcome: Option<&Outcome>) -> Done {
    let failed = outcome.map_or(0, |outcome| {
        outcome.failed.len() + outcome.stayed.len() + outcome.not_begun + outcome.unsure.len()
    });
    if failed + troubles == 0 {
        return Ok(());
    }
    Err(Failure::new(Kind::Partly, ""))
}
