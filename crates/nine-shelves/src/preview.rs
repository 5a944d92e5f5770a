//! From a plan to what came of it, the same for every command: show, ask, carry, tell.

use std::collections::BTreeMap;
use std::ffi::OsString;
use std::io::Write;

use nine_carry::{Failed, Outcome};
use nine_core::amount::{count, counted, readable};
use nine_core::place::Spot;
use nine_core::worklist::Step;
use nine_core::worklist::table::{to_csv, to_json};
use nine_engine::plan::{Plan, Written};
use nine_engine::routine::UNITS;
use nine_engine::{Workspace, displays};

use crate::args::{Format, ShowArgs};
use crate::ask::{self, Consent, Offered};
use crate::commands;
use crate::failure::{Done, unless};
use crate::output;
use crate::output::style::{FAINT, REFUSED, STRONG};
use crate::output::worklist::Shown;
use crate::review::has_screen;
use crate::session::Session;
use nine_core::paste;

/// Prints what belongs under a preview.
pub type Epilogue<'a> = Box<dyn FnOnce(&Plan, &mut dyn Write) -> std::io::Result<()> + 'a>;

/// What a command proposes, and how it is shown.
pub struct PlanToShow<'a> {
    /// The plan.
    pub plan: Plan,
    /// What belongs under its preview.
    pub epilogue: Epilogue<'a>,
    /// Whether places are named in headings; where there are several bookcases, if that is not said.
    pub names_places: Option<bool>,
}

impl<'a> PlanToShow<'a> {
    /// A plan with what belongs under its preview.
    pub fn new(plan: Plan, epilogue: impl FnOnce(&Plan, &mut dyn Write) -> std::io::Result<()> + 'a) -> Self {
        Self { plan, epilogue: Box::new(epilogue), names_places: None }
    }

    /// The same with places named, or not.
    pub fn naming_places(self, names_places: bool) -> Self {
        Self { names_places: Some(names_places), ..self }
    }
}

/// How a plan is shown and agreed to.
pub struct Preview<'a> {
    /// How it is drawn.
    pub session: &'a Session,
    /// What it is carried out in.
    pub workspace: &'a Workspace,
    /// What was typed about it.
    pub show: &'a ShowArgs,
    /// Whether places are named in headings.
    pub names_places: bool,
}

impl<'a> Preview<'a> {
    /// A preview in which places are named where there are several bookcases.
    pub fn new(session: &'a Session, workspace: &'a Workspace, show: &'a ShowArgs) -> Self {
        Self { session, workspace, show, names_places: workspace.names_places() }
    }

    /// Shows what a command proposes, asks once, carries it out and tells what came of it.
    ///
    /// # Errors
    /// As [`Preview::show_ask_carry`].
    pub fn propose(mut self, planned: PlanToShow) -> Done {
        self.names_places = planned.names_places.unwrap_or(self.names_places);
        self.show_ask_carry(planned.plan, planned.epilogue)
    }

    /// Shows a plan, asks once, carries it out and tells what came of it; or writes it to a file, where that is
    /// asked for; or goes through it item by item first. `epilogue` prints what belongs under the preview.
    ///
    /// # Errors
    /// As the exit status has it: declined, partly done, or not possible.
    pub fn show_ask_carry(
        &self,
        mut plan: Plan,
        epilogue: impl FnOnce(&Plan, &mut dyn Write) -> std::io::Result<()>,
    ) -> Done {
        if self.show.sure {
            plan.leave_what_is_in_doubt();
        }
        if let Some(file) = &self.show.worklist {
            return self.write(plan, file);
        }
        // Whether the preview can be printed decides nothing about what was agreed to beforehand.
        match self.print(&plan, epilogue) {
            Err(_) if self.show.yes => name_refused(&plan),
            printed => printed?,
        }
        let question = question(&plan);
        self.ask_carry(plan, &question)
    }

    /// Asks whether what was shown is to be done, does it, and tells what came of it.
    ///
    /// # Errors
    /// As the exit status has it.
    pub fn ask_carry(&self, plan: Plan, question: &str) -> Done {
        let may_review = has_screen() && plan.may_be_reviewed();
        match self.ask(plan, question, may_review)? {
            Asked::Carry(plan) => self.carry(&plan),
            Asked::Review(plan) => commands::review::review_plan(self, plan),
            Asked::Over(done) => done,
        }
    }

    /// Shows what came of a review, asks, and carries it out, unless the person goes back to the review.
    ///
    /// # Errors
    /// As the exit status has it.
    pub fn show_ask_carry_or_review(
        &self,
        plan: Plan,
        epilogue: impl FnOnce(&Plan, &mut dyn Write) -> std::io::Result<()>,
    ) -> Done<AfterReview> {
        self.print(&plan, epilogue)?;
        let question = question(&plan);
        match self.ask(plan, &question, true)? {
            Asked::Carry(plan) => self.carry(&plan).map(|()| AfterReview::Carried),
            Asked::Review(_) => Ok(AfterReview::Back),
            Asked::Over(done) => done.map(|()| AfterReview::NothingDone),
        }
    }

    fn ask(&self, mut plan: Plan, question: &str, may_review: bool) -> Done<Asked> {
        if plan.checked.order.is_empty() {
            return Ok(Asked::Over(unless(plan.troubles())));
        }
        if self.show.yes {
            return Ok(Asked::Carry(plan));
        }
        if self.show.format != Format::Table || !ask::has_person() {
            writeln!(output::err(), "Nothing has been changed. Add --yes to carry this out.")?;
            let over = unless(plan.troubles());
            // The program ends with this, and the system takes back at once what would be given back step by step.
            std::mem::forget(plan);
            return Ok(Asked::Over(over));
        }
        let offered = Offered { only_sure: plan.is_in_doubt(), review: may_review };
        match ask::agree(question, offered)? {
            Consent::All => {}
            Consent::Review => return Ok(Asked::Review(plan)),
            Consent::OnlySure => {
                plan.leave_what_is_in_doubt();
                if plan.checked.order.is_empty() {
                    writeln!(output::err(), "None of it is sure. Nothing has been changed.")?;
                    return Ok(Asked::Over(unless(plan.troubles())));
                }
            }
        }
        Ok(Asked::Carry(plan))
    }

    fn carry(&self, plan: &Plan) -> Done {
        let carried = plan.carry(self.workspace)?;
        let told = match self.show.format {
            Format::Table => tell(carried.run, &carried.outcome, &carried.steps, output::out()),
            // Standard output belongs to the records.
            _ => tell(carried.run, &carried.outcome, &carried.steps, output::err()),
        };
        if told.is_err() {
            tell(carried.run, &carried.outcome, &carried.steps, output::err())?;
        }
        displays::refresh_all(self.workspace);
        if carried.steps.iter().any(|step| *step.item.place == *UNITS) {
            commands::routine::reload_units(self.session);
        }
        unless(plan.troubles() + carried.troubles())
    }

    fn write(&self, plan: Plan, file: &std::path::Path) -> Done {
        let troubles = plan.draft.troubles;
        let Written { lines, in_doubt } = plan.write(self.workspace, file)?;
        let shown = nine_core::escape::escape(file.as_os_str().as_encoded_bytes());
        let lines = counted(lines, "line", "lines");
        let mut err = output::err();
        writeln!(err, "{lines} written to {shown}, {in_doubt} in doubt. Nothing has been changed.")?;
        writeln!(err, "Look through it, then: nine carry {}", paste::path_or_escaped(file))?;
        unless(troubles)
    }

    /// Prints what would be done.
    ///
    /// # Errors
    /// If it cannot be printed.
    pub fn print(
        &self,
        plan: &Plan,
        epilogue: impl FnOnce(&Plan, &mut dyn Write) -> std::io::Result<()>,
    ) -> Done {
        if self.show.format != Format::Table {
            return self.print_records(plan);
        }
        let look = &self.session.look;
        let shown = Shown {
            worklist: &plan.settled.worklist,
            checked: &plan.checked,
            now: self.session.now(),
            look,
            collation: &self.session.environment.collation,
            all: self.show.all || !look.terminal,
            name_places: self.names_places,
        };
        let mut out = output::out();
        shown.print(&mut out)?;
        epilogue(plan, &mut out)?;
        if !plan.checked.order.is_empty() || !plan.checked.refused.is_empty() {
            writeln!(out, "{STRONG}{}{STRONG:#}", shown.summary())?;
        }
        Ok(out.flush()?)
    }

    /// Prints a plan for other programs.
    fn print_records(&self, plan: &Plan) -> Done {
        let mut out = output::raw();
        let end: &[u8] = match self.show.format {
            Format::Paths => b"\n",
            Format::Paths0 => b"\0",
            format => {
                let lines = plan.lines(self.session.now());
                let text =
                    if format == Format::Csv { to_csv(&lines, &plan.draft.facets) } else { to_json(&lines) };
                out.write_all(&text)?;
                return Ok(out.flush()?);
            }
        };
        let mut last: Option<&Spot> = None;
        for step in plan.doable() {
            if last != Some(&step.item) {
                out.write_all(&self.absolute(&step.item))?;
                out.write_all(end)?;
            }
            last = Some(&step.item);
        }
        Ok(out.flush()?)
    }

    fn absolute(&self, spot: &Spot) -> Vec<u8> {
        let store = self.workspace.store(&spot.place);
        let path = store.map(|store| store.location(&spot.path).as_typed());
        path.map_or_else(|| spot.to_string().into_bytes(), OsString::into_encoded_bytes)
    }
}

/// What became of what was decided in a review.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum AfterReview {
    /// It was carried out.
    Carried,
    /// The person goes back to it.
    Back,
    /// There was nothing that could be done.
    NothingDone,
}

/// What was answered to the one question.
enum Asked {
    /// It is to be carried out.
    Carry(Plan),
    /// It is gone through first.
    Review(Plan),
    /// There is nothing more to do.
    Over(Done),
}

fn question(plan: &Plan) -> String {
    let steps = counted(plan.checked.order.len() as u64, "step", "steps");
    format!("Carry out {steps}?")
}

/// Names what cannot be done where nobody reads the preview.
fn name_refused(plan: &Plan) {
    let mut err = output::err();
    for (at, problem) in &plan.checked.refused {
        let item = &plan.settled.worklist.steps[*at].item;
        let _ = writeln!(err, "{REFUSED}x {item}{REFUSED:#}  {}", problem.words());
    }
}

/// Tells what came of a run: counts, and each step that could not be done.
pub fn tell(run: u64, outcome: &Outcome, steps: &[Step], mut out: impl Write) -> Done {
    writeln!(out)?;
    for Failed { step, because } in outcome.failed.iter().chain(&outcome.stayed) {
        writeln!(out, "{REFUSED}x {}{REFUSED:#}  {because}", steps[*step].item)?;
    }
    for (dated, because) in &outcome.unlisted {
        writeln!(out, "{REFUSED}x {dated}{REFUSED:#}  {because}")?;
    }
    if outcome.is_open {
        writeln!(out, "  {FAINT}the next command goes on with it{FAINT:#}")?;
    }
    for (folder, because) in &outcome.unsure {
        let may = "so what was done in it may not last";
        writeln!(out, "{REFUSED}x {folder}{REFUSED:#}  could not be made sure of, {may}: {because}")?;
    }
    let parts = parts(outcome, steps);
    write!(out, "{STRONG}Run {run}:{STRONG:#} {}", parts.join(", "))?;
    if outcome.done() > 0 {
        let bytes = if outcome.bytes > 0 { format!("{}; ", readable(outcome.bytes)) } else { String::new() };
        write!(out, "  {FAINT}{bytes}nine undo {run} takes it back{FAINT:#}")?;
    }
    writeln!(out)?;
    Ok(out.flush()?)
}

/// What was done, in counts: `12 moved`, `1 not done`.
pub fn parts(outcome: &Outcome, steps: &[Step]) -> Vec<String> {
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
        ("make", "made"),
        ("unmake", "taken away"),
        ("write", "written"),
    ];
    let mut parts: Vec<String> = words
        .iter()
        .filter_map(|(word, past)| done.get(word).map(|number| format!("{} {past}", count(*number))))
        .collect();
    if parts.is_empty() {
        parts.push("nothing done".into());
    }
    let failed = outcome.failed.len() + outcome.unlisted.len();
    if failed > 0 {
        parts.push(format!("{} not done", count(failed as u64)));
    }
    if outcome.not_begun > 0 {
        parts.push(format!("{} not begun, since you stopped it", count(outcome.not_begun as u64)));
    }
    parts
}
