//! `nine carry`: carry out a worklist from a file, as the person left it.

use std::io::Write;
use std::path::PathBuf;

use clap::Args;
use nine_core::amount::counted;
use nine_core::escape::escape;
use nine_engine::carry::{Edited, FromFile, plan};

use crate::args::{Format, ShowArgs};
use crate::failure::Done;
use crate::output;
use crate::output::style::{CHANGE, FAINT, REFUSED, STRONG};
use crate::preview::Preview;
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine tidy --worklist list.csv     write what the rules propose, what is in doubt first\n  nine carry list.csv               read it back, show what is otherwise now, ask, carry it out\n\nIn the table you may delete lines, write `leave` under `do`, and change `to`, the tags, or an answer in its own column: the target and the new name follow from that. Saved with commas, semicolons or tabs, it is understood, or refused with the number of the line."
)]
pub struct CarryArgs {
    /// The file that --worklist wrote
    #[arg(value_name = "FILE")]
    pub file: PathBuf,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: CarryArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    let FromFile { plan, edited } = plan(&workspace, &args.file)?;
    let mut err = output::err();
    for column in &edited.unread {
        writeln!(err, "The column `{}` is not read.", escape(column.as_bytes()))?;
    }
    // In a table it stands where the person is asked; standard output belongs to the records else.
    if args.show.format != Format::Table || args.show.worklist.is_some() {
        print(&edited, &mut err, session)?;
    }
    drop(err);
    let preview = Preview { names_places: true, ..Preview::new(session, &workspace, &args.show) };
    preview.show_ask_carry(plan, |_, out| print(&edited, out, session))
}

/// Prints what is otherwise than proposed.
fn print(edited: &Edited, mut out: impl Write, session: &Session) -> std::io::Result<()> {
    let look = &session.look;
    if !edited.changed.is_empty() {
        writeln!(out, "{STRONG}Otherwise than proposed{STRONG:#}")?;
        for (item, words) in &edited.changed {
            let (item, words) = (look.text(&item.to_string()), look.text(words));
            writeln!(out, "  {item}  {CHANGE}{words}{CHANGE:#}")?;
        }
        writeln!(out)?;
    }
    let count = |number: u64, what: &str| {
        (number > 0).then(|| format!("{} {what}", counted(number, "line", "lines")))
    };
    let left = count(edited.left, "left by your word");
    let deleted = count(edited.deleted, "deleted");
    let undecided = count(edited.undecided, "not decided");
    let parts: Vec<String> = [left, deleted, undecided].into_iter().flatten().collect();
    if !parts.is_empty() {
        writeln!(out, "{FAINT}Left alone: {}{FAINT:#}\n", parts.join(", "))?;
    }
    for (item, why) in &edited.refused {
        writeln!(out, "{REFUSED}x {}{REFUSED:#}  {why}", look.text(&item.to_string()))?;
    }
    out.flush()
}
