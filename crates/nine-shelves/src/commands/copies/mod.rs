//! `nine copies`: items with the same bytes, and which of them stays.

mod print;
mod similar;

use std::path::PathBuf;

use clap::Args;
use nine_core::amount::counted;
use nine_engine::Workspace;
use nine_engine::copies::{Copies, Request, find};

use crate::args::{Format, SHOWN, ShowArgs, WHAT};
use crate::failure::{Done, unless};
use crate::output::style::FAINT;
use crate::preview::{PlanToShow, Preview};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine copies                             in all piles and bookcases, the most space first\n  nine copies downloads ~/Photos          only there\n  nine copies --where type image          groups with a picture in them\n  nine copies --flag                      tags all but the one that stays: copy\n  nine copies --discard --keep shelf,in:home/5,older\n  nine copies --discard --give-tags       what stays gets the tags of what goes\n  nine copies --names                     names that look like copies, with other bytes\n  nine copies --similar                   pictures that look alike; only to be looked at\n\nWhat stays is decided by the first of these that tells two apart: shelf (on a shelf rather than\nin a pile), in:PLACE/FOLDER, tagged, unmarked (no `(1)` or `copy of` in the name), older, newer,\nshorter (path). A list of your own goes into shelves.toml: [copies] keep = [\"shelf\", \"older\"].\nBefore a copy is discarded it is compared byte by byte with the one that stays."
)]
pub struct CopiesArgs {
    /// Piles, bookcases, any folders; all places, if left out
    #[arg(value_name = "PLACE")]
    pub places: Vec<PathBuf>,
    /// Only groups with such an item
    #[arg(long = "where", value_name = "CONDITION", num_args = 1.., help_heading = WHAT)]
    pub condition: Vec<String>,
    /// Hidden files too
    #[arg(long, help_heading = WHAT, hide_short_help = true)]
    pub hidden: bool,
    /// Empty files are copies of one another too
    #[arg(long, help_heading = WHAT, hide_short_help = true)]
    pub empty: bool,
    /// Names that suggest a copy although the bytes differ
    #[arg(long, help_heading = WHAT, conflicts_with_all = ["similar", "flag", "discard"])]
    pub names: bool,
    /// Pictures that look alike
    ///
    /// They were resized, saved anew or compressed more.
    #[arg(long, help_heading = WHAT, conflicts_with_all = ["flag", "discard"])]
    pub similar: bool,
    /// What stays: shelf, in:PLACE/FOLDER, tagged, older …
    #[arg(long, value_name = "LIST", value_delimiter = ',', help_heading = "What is done")]
    pub keep: Vec<String>,
    /// Tag all but the one that stays with `copy`
    #[arg(long, help_heading = "What is done", conflicts_with = "discard")]
    pub flag: bool,
    /// Put all but the one that stays into the trash
    #[arg(long, help_heading = "What is done")]
    pub discard: bool,
    /// Give the one that stays the tags of those that go
    #[arg(long, help_heading = "What is done", requires = "discard", hide_short_help = true)]
    pub give_tags: bool,
    /// At most so many groups
    #[arg(long, value_name = "N", help_heading = SHOWN, conflicts_with_all = ["flag", "discard"], hide_short_help = true)]
    pub limit: Option<usize>,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: CopiesArgs, session: &Session) -> Done {
    args.show.expect_action(args.acts(), "--flag or --discard")?;
    let workspace = session.workspace()?;
    if args.acts() {
        return Preview::new(session, &workspace, &args.show).propose(plan(&args, &workspace)?);
    }
    let request = args.request();
    if args.similar {
        return similar::run(&args, &request, &workspace, session);
    }
    let copies = find(&workspace, &request)?;
    let shown = Shown { args: &args, session, copies: &copies };
    shown.print()?;
    unless(copies.looking.troubles)
}

impl CopiesArgs {
    /// Whether something is to be done with what is found.
    pub fn acts(&self) -> bool {
        self.flag || self.discard
    }

    fn request(&self) -> Request {
        Request {
            places: self.places.clone(),
            condition: self.condition.clone(),
            hidden: self.hidden,
            empty: self.empty,
            keep: self.keep.clone(),
            names: self.names || (self.show.format == Format::Table && !self.acts()),
        }
    }
}

/// What it proposes.
///
/// # Errors
/// As the exit status has it.
pub fn plan(args: &CopiesArgs, workspace: &Workspace) -> Done<PlanToShow<'static>> {
    let copies = find(workspace, &args.request())?;
    let groups = counted(copies.found.len() as u64, "group", "groups");
    let plan = if args.discard { copies.discard(args.give_tags) } else { copies.flag() };
    Ok(PlanToShow::new(plan, move |_, out| writeln!(out, "{FAINT}{groups}; of each, one stays{FAINT:#}")))
}

/// What was found, and how it is to be told.
struct Shown<'a> {
    args: &'a CopiesArgs,
    session: &'a Session,
    copies: &'a Copies<'a>,
}
