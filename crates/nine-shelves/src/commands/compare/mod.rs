//! `nine compare`: what of one place is nowhere in others by content.

mod listing;
mod print;

use std::path::PathBuf;

use clap::Args;
use nine_engine::compare::{Compared, Request, places};

use super::put::{folder_typed, print_new_folders};
use crate::args::{ShowArgs, WHAT};
use crate::failure::{Done, unless};
use crate::preview::Preview;
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine compare ~/Import home                  what of the import is nowhere in the bookcase\n  nine compare ~/Import home --reverse        what of the bookcase is nowhere in the import\n  nine compare ~/Import home --found          what is in both, and where\n  nine compare ~/Import home --names          also the same name with other bytes\n  nine compare ~/Import home --discard-found  into the trash with what the bookcase surely holds\n  nine compare ~/Import home --put-missing 5/New\n  nine compare ~/Photos --listing disk.csv    against a list of what is elsewhere\n  nine compare ~/Import home --format paths0 | nine put - -0 --on 5\n\nA list is made on the other machine with: nine search --in FOLDER --format csv --with-hash > disk.csv"
)]
pub struct CompareArgs {
    /// A pile, a bookcase, any folder
    #[arg(value_name = "A")]
    pub a: PathBuf,
    /// Where its bytes may be: piles, bookcases, any folders
    #[arg(value_name = "B", required_unless_present = "listing")]
    pub b: Vec<PathBuf>,
    /// A list from nine search --with-hash, in place of B
    #[arg(long, value_name = "FILE", conflicts_with_all = ["b", "names", "put_missing"], help_heading = WHAT)]
    pub listing: Option<PathBuf>,
    /// Only this of A
    #[arg(long = "where", value_name = "CONDITION", num_args = 1.., help_heading = WHAT)]
    pub condition: Vec<String>,
    /// The other way round: what of B is nowhere in A
    #[arg(long, help_heading = WHAT, conflicts_with_all = ["found", "names"])]
    pub reverse: bool,
    /// What of A is in B, and where
    #[arg(long, help_heading = WHAT, conflicts_with = "names")]
    pub found: bool,
    /// Also equal names with other bytes
    #[arg(long, help_heading = WHAT, hide_short_help = true)]
    pub names: bool,
    /// Hidden files too
    #[arg(long, help_heading = WHAT, hide_short_help = true)]
    pub hidden: bool,
    /// Discard what of A is in B
    ///
    /// Each is compared byte by byte once more before it goes.
    #[arg(long, help_heading = "What is done", conflicts_with_all = ["reverse", "names", "listing", "put_missing"])]
    pub discard_found: bool,
    /// Put what is nowhere in B there
    #[arg(long, value_name = "SHELF[/FOLDER]", help_heading = "What is done", conflicts_with_all = ["reverse", "found", "names"])]
    pub put_missing: Option<String>,
    /// With --put-missing: keep the folders between A and each item
    #[arg(long, help_heading = "What is done", requires = "put_missing", hide_short_help = true)]
    pub keep_folders: bool,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: CompareArgs, session: &Session) -> Done {
    let acts = args.discard_found || args.put_missing.is_some();
    args.show.expect_action(acts, "--discard-found or --put-missing")?;
    let workspace = session.workspace()?;
    let request = Request {
        a: args.a.clone(),
        b: args.b.clone(),
        condition: args.condition.clone(),
        reverse: args.reverse,
        hidden: args.hidden,
    };
    if let Some(file) = &args.listing {
        return listing::run(&args, &request, file, &workspace, session);
    }
    let compared = places(&workspace, &request)?;
    let shown = Shown { args: &args, session, compared: &compared };
    let preview = Preview::new(session, &workspace, &args.show);
    if args.discard_found {
        let summary = shown.summary();
        return preview.show_ask_carry(compared.discard_found(), |_, out| {
            summary.iter().try_for_each(|line| writeln!(out, "{line}"))
        });
    }
    if let Some(on) = &args.put_missing {
        let into = folder_typed(&workspace, on, false, &args.show)?;
        let summary = shown.summary();
        let plan = compared.put_missing(&into, on, args.keep_folders);
        return preview.show_ask_carry(plan, |plan, out| {
            print_new_folders(plan, session, out)?;
            summary.iter().try_for_each(|line| writeln!(out, "{line}"))
        });
    }
    shown.print()?;
    unless(compared.looking.troubles)
}

/// What came of it, and how it is to be told.
struct Shown<'a> {
    args: &'a CompareArgs,
    session: &'a Session,
    compared: &'a Compared<'a>,
}
