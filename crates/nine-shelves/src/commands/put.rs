//! `nine put`: file by hand.

use std::io::Write;

use clap::Args;
use nine_core::amount::counted;
use nine_core::place::Spot;
use nine_engine::plan::Plan;
use nine_engine::put::{self, Merged, Near, Put, Request, folder, merge};
use nine_engine::{Error, Workspace};

use crate::args::{ClashWord, Format, SelectionArgs, ShowArgs, WHERE_TO};
use crate::ask;
use crate::failure::Done;
use crate::output::style::FAINT;
use crate::preview::{PlanToShow, Preview};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine put letter.pdf --on 3                           onto shelf 3\n  nine put *.pdf --on 3/Claims/2031                    folders that are missing are made\n  nine put --where name has claim --on Grants/Claims   a shelf by its title\n  nine put --saved films --on home/5/Films --copy      what is found stays where it is\n  nine put scans/* --on 2 --keep-folders               with the folders that they lie in\n  nine put claims --on 3/Claims --merge                two folders become one; copies are discarded"
)]
pub struct PutArgs {
    #[command(flatten)]
    pub selection: SelectionArgs,
    /// Number or title of the shelf, and a folder on it
    ///
    /// The bookcase may stand before it: home/3/Claims.
    #[arg(long, value_name = "SHELF[/FOLDER]", help_heading = WHERE_TO)]
    pub on: String,
    /// Copy, and leave what is selected where it is
    #[arg(long, help_heading = WHERE_TO)]
    pub copy: bool,
    /// Keep the folders between the pile and each item
    ///
    /// Otherwise all come to lie side by side.
    #[arg(long, help_heading = WHERE_TO)]
    pub keep_folders: bool,
    /// Bring the selected folders together with that one
    ///
    /// Folder into folder; what is there already by content is discarded.
    #[arg(long, conflicts_with_all = ["copy", "keep_folders"], help_heading = WHERE_TO)]
    pub merge: bool,
    /// Name taken: number, leave, hold or replace
    #[arg(long, value_name = "WHAT", default_value = "number", help_heading = WHERE_TO, hide_possible_values = true)]
    pub clash: ClashWord,
    /// Make the folder although one that exists is called nearly the same
    #[arg(long, help_heading = WHERE_TO, hide_short_help = true)]
    pub new_folder: bool,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: PutArgs, session: &Session) -> Done {
    let workspace = session.workspace()?;
    Preview::new(session, &workspace, &args.show).propose(plan(&args, session, &workspace)?)
}

/// What it proposes.
///
/// # Errors
/// As the exit status has it.
pub fn plan<'a>(args: &PutArgs, session: &'a Session, workspace: &Workspace) -> Done<PlanToShow<'a>> {
    // The target first: nothing need be looked for if there is none.
    let into = folder_typed(workspace, &args.on, args.new_folder, &args.show)?;
    let request = Request {
        selection: args.selection.selection()?,
        into: into.clone(),
        on: args.on.clone(),
        clash: args.clash.into(),
        copy: args.copy,
        keep_folders: args.keep_folders,
    };
    if args.merge {
        let Merged { plan, folders, copies } = merge(workspace, &request)?;
        let folders = counted(folders as u64, "folder", "folders");
        let copies = counted(copies, "copy is", "copies are");
        return Ok(PlanToShow::new(plan, move |_, out| {
            writeln!(
                out,
                "{FAINT}{folders} into {into}; {copies} there already; what is empty then is taken away{FAINT:#}"
            )
        }));
    }
    let Put { plan, selected, in_place } = put::plan(workspace, &request)?;
    Ok(PlanToShow::new(plan, move |plan, out| {
        for folder in plan.new_folders() {
            writeln!(out, "New folder: {}", session.look.text(&folder.path.to_string()))?;
        }
        writeln!(out, "{FAINT}{selected} selected; {in_place} there already{FAINT:#}")
    }))
}

/// The folder that was typed; asks where it is called nearly like one that exists.
///
/// # Errors
/// If it names no shelf, or a folder that cannot be.
pub fn folder_typed(workspace: &Workspace, on: &str, makes_new: bool, show: &ShowArgs) -> Done<Spot> {
    let near = if makes_new { Near::Make } else { Near::Refuse };
    let found = folder(workspace, on, near);
    let asks = ask::has_person() && show.format == Format::Table && !show.yes;
    let (there, typed) = match found {
        Err(Error::NearlySame { there, typed, .. }) if asks => (there, typed),
        found => return Ok(found?),
    };
    writeln!(crate::output::err(), "{there} exists; {typed} would be new.")?;
    let choices = [('u', format!("use {there}")), ('m', format!("make {typed}"))];
    let near = match ask::choose(&choices, 'u', "which folder?")? {
        'm' => Near::Make,
        _ => Near::Use,
    };
    Ok(folder(workspace, on, near)?)
}

/// Names the folders that would be new, faintly, where they are not what the command is about.
pub fn print_new_folders(plan: &Plan, session: &Session, out: &mut dyn Write) -> std::io::Result<()> {
    for folder in plan.new_folders() {
        writeln!(out, "New folder: {FAINT}{}{FAINT:#}", session.look.text(&folder.path.to_string()))?;
    }
    Ok(())
}
