//! `nine tag`: add, drop, rename, merge and list tags.

use std::io::Write;

use clap::{Args, Subcommand};
use nine_core::amount::{count, counted, readable};
use nine_core::config::Config;
use nine_engine::Workspace;
use nine_engine::tag::{self, Request, Tagged, list};
use serde::Serialize;

use crate::args::{PlainFormat, SHOWN, SelectionArgs, ShowArgs, WHAT};
use crate::failure::{Done, Failure, unless};
use crate::output::style::{DOUBT, FAINT};
use crate::output::table::{Table, TableColumn, cell, styled};
use crate::output::{self, bars, records, tags};
use crate::preview::{PlanToShow, Preview};
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine tag                                        all tags, with counts\n  nine tag add todo letter.pdf plan.md\n  nine tag add loans,urgent --where name has loan\n  nine tag drop todo --where tag todo and age over 1y\n  nine tag rename client lender                   everywhere; client/Harrow becomes lender/Harrow\n  nine tag merge to-do todo                       two that mean the same\n  nine tag --from-folder --where folder has Loans  what the folders say, as tags\n\nTags live with the items, in the attribute user.xdg.tags. A tag on a folder is the folder's alone. Notes carry tags of their own,\nin a header or as #loan/north-gallery in the text; they count, and only the note's text can change them."
)]
#[command(
    args_conflicts_with_subcommands = true,
    override_usage = "nine tag [list|add|drop|rename|merge] …\n       nine tag --from-folder [OPTIONS] [PATH]..."
)]
pub struct TagArgs {
    #[command(subcommand)]
    pub command: Option<TagCommand>,
    /// Give what is selected the tags that its place says
    #[arg(long, help_heading = WHAT, hide_short_help = true)]
    pub from_folder: bool,
    #[command(flatten)]
    pub selection: SelectionArgs,
    #[command(flatten)]
    pub show: ShowArgs,
}

#[derive(Debug, Subcommand)]
pub enum TagCommand {
    /// All tags, with counts and bytes
    List {
        /// As table, csv or json
        #[arg(long, default_value = "table", help_heading = SHOWN, hide_possible_values = true)]
        format: PlainFormat,
    },
    /// Give items tags
    #[command(
        after_long_help = "Examples:\n  nine tag add todo letter.pdf\n  nine tag add loans,2031 --where name has loan --yes"
    )]
    Add {
        /// The tags, joined by commas
        #[arg(value_name = "TAG")]
        tags: String,
        #[command(flatten)]
        selection: SelectionArgs,
        #[command(flatten)]
        show: ShowArgs,
    },
    /// Take tags from items
    #[command(
        after_long_help = "Examples:\n  nine tag drop todo letter.pdf\n  nine tag drop 'client/*' --where folder has Old     all tags nested below client"
    )]
    Drop {
        /// The tags, joined by commas; `client/*` stands for all that are nested below
        #[arg(value_name = "TAG")]
        tags: String,
        #[command(flatten)]
        selection: SelectionArgs,
        #[command(flatten)]
        show: ShowArgs,
    },
    /// Give a tag another name, everywhere
    Rename {
        /// The old name; what is nested below it goes along
        #[arg(value_name = "TAG")]
        from: String,
        /// The new name, which no item has yet
        #[arg(value_name = "NEW")]
        to: String,
        #[command(flatten)]
        show: ShowArgs,
    },
    /// Make two tags one, everywhere
    Merge {
        /// The tag that goes
        #[arg(value_name = "TAG")]
        from: String,
        /// The tag that stays
        #[arg(value_name = "TAG")]
        to: String,
        #[command(flatten)]
        show: ShowArgs,
    },
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: TagArgs, session: &Session) -> Done {
    if let Some(TagCommand::List { format }) = &args.command {
        return print_all(*format, session);
    }
    if !args.acts() {
        return print_all(PlainFormat::Table, session);
    }
    let request = request(&args)?;
    let workspace = session.workspace()?;
    let planned = plan_request(&request, &workspace)?;
    Preview::new(session, &workspace, args.show()).propose(planned)
}

/// What it proposes; `None` if it only prints.
///
/// # Errors
/// As the exit status has it.
pub fn plan(args: &TagArgs, workspace: &Workspace) -> Done<Option<PlanToShow<'static>>> {
    if args.acts() { plan_request(&request(args)?, workspace).map(Some) } else { Ok(None) }
}

impl TagArgs {
    /// Whether it changes tags.
    pub fn acts(&self) -> bool {
        match &self.command {
            None => self.from_folder || !self.selection.is_empty(),
            Some(command) => !matches!(command, TagCommand::List { .. }),
        }
    }

    /// What is selected, where something is.
    pub fn selection(&self) -> Option<&SelectionArgs> {
        match &self.command {
            None => Some(&self.selection),
            Some(TagCommand::Add { selection, .. } | TagCommand::Drop { selection, .. }) => Some(selection),
            Some(TagCommand::List { .. } | TagCommand::Rename { .. } | TagCommand::Merge { .. }) => None,
        }
    }

    /// How its worklist is shown and agreed to.
    pub fn show(&self) -> &ShowArgs {
        match &self.command {
            None | Some(TagCommand::List { .. }) => &self.show,
            Some(
                TagCommand::Add { show, .. }
                | TagCommand::Drop { show, .. }
                | TagCommand::Rename { show, .. }
                | TagCommand::Merge { show, .. },
            ) => show,
        }
    }
}

fn request(args: &TagArgs) -> Done<Request> {
    Ok(match &args.command {
        None if args.from_folder => Request::FromFolder(args.selection.selection()?),
        None | Some(TagCommand::List { .. }) => {
            return Err(Failure::words("what is to become of these items' tags is not said")
                .hint("say `nine tag add TAG`, `nine tag drop TAG` or `nine tag --from-folder`"));
        }
        Some(TagCommand::Add { tags, selection, .. }) => Request::Add(tags.clone(), selection.selection()?),
        Some(TagCommand::Drop { tags, selection, .. }) => Request::Drop(tags.clone(), selection.selection()?),
        Some(TagCommand::Rename { from, to, .. }) => Request::Rename(from.clone(), to.clone()),
        Some(TagCommand::Merge { from, to, .. }) => Request::Merge(from.clone(), to.clone()),
    })
}

fn plan_request(request: &Request, workspace: &Workspace) -> Done<PlanToShow<'static>> {
    let Tagged { plan, selected, unchanged, in_notes } = tag::plan(workspace, request)?;
    let by_folder = matches!(request, Request::FromFolder(_));
    let planned = PlanToShow::new(plan, move |_, out| {
        let selected = counted(selected, "item", "items");
        if in_notes > 0 {
            let notes = counted(in_notes, "note has", "notes have");
            writeln!(out, "{DOUBT}{notes} it in the text, where only you can change it{DOUBT:#}")?;
        }
        let same = match by_folder {
            true => format!("{unchanged} the right tags already, or no folder"),
            false => format!("{} the right tags already", counted(unchanged, "has", "have")),
        };
        writeln!(out, "{FAINT}{selected} selected; {same}{FAINT:#}")
    });
    Ok(planned.naming_places(by_folder))
}

/// A tag with the items that have it.
#[derive(Serialize)]
struct Record {
    tag: String,
    items: u64,
    bytes: u64,
}

fn print_all(format: PlainFormat, session: &Session) -> Done {
    let workspace = session.workspace()?;
    let found = list(&workspace)?;
    let records =
        found.tags.into_iter().map(|(tag, part)| Record { tag, items: part.count, bytes: part.bytes });
    match format {
        PlainFormat::Table => print(&records.collect::<Vec<_>>(), found.items, workspace.config(), session)?,
        other => records::print(records, other)?,
    }
    unless(found.troubles)
}

fn print(found: &[Record], items: u64, config: &Config, session: &Session) -> Done {
    let look = &session.look;
    let most = found.iter().map(|record| record.items).max().unwrap_or(0);
    let mut table =
        Table::new(&[TableColumn::Shortened, TableColumn::Right, TableColumn::Right, TableColumn::Left]);
    for record in found {
        let tag = tags::marked(config, look, &record.tag);
        table.line(vec![
            styled(look.text(&tag), tags::style(config, &record.tag).bold()),
            cell(count(record.items)),
            styled(readable(record.bytes), FAINT),
            styled(bars::bar(look, record.items, most, bars::WIDTH), FAINT),
        ]);
    }
    let mut out = output::out();
    table.print(&mut out, look)?;
    if !found.is_empty() {
        writeln!(out)?;
    }
    let tags = counted(found.len() as u64, "tag", "tags");
    writeln!(out, "{tags} on {}", counted(items, "item", "items"))?;
    Ok(out.flush()?)
}
