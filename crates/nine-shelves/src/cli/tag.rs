//! What may be typed about tags, and how items are selected.

use std::path::PathBuf;

use clap::{Args, Subcommand};

use super::{PlainFormat, ShowArgs};

/// Add, drop, rename and list tags
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine tag                                        all tags, with counts\n  nine tag add todo letter.pdf plan.md\n  nine tag add loans,urgent --where name has loan\n  nine tag drop todo --where tag todo and age over 1y\n  nine tag rename client lender                   everywhere; client/Harrow becomes lender/Harrow\n  nine tag merge to-do todo                       two that mean the same\n  nine tag --from-folder --where folder has Loans  what the folders say, as tags\n\nTags live with the items, in the attribute user.xdg.tags. A tag on a folder is the folder's alone. Notes carry tags of their own,\nin a header or as #loan/north-gallery in the text; they count, and only the note's text can change them."
)]
#[command(args_conflicts_with_subcommands = true)]
pub struct TagArgs {
    #[command(subcommand)]
    pub command: Option<TagCommand>,
    /// Give what is selected the tags that its folder's place says
    #[arg(long)]
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
        /// How to print them
        #[arg(long, default_value = "table")]
        format: PlainFormat,
    },
    /// Give items tags
    #[command(
        after_help = "Examples:\n  nine tag add todo letter.pdf\n  nine tag add loans,2031 --where name has loan --yes"
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
        after_help = "Examples:\n  nine tag drop todo letter.pdf\n  nine tag drop 'client/*' --where folder has Old     all tags nested below client"
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
        #[arg(value_name = "OLD")]
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
        #[arg(value_name = "INTO")]
        to: String,
        #[command(flatten)]
        show: ShowArgs,
    },
}

/// A selection of items
#[derive(Debug, Args)]
pub struct SelectionArgs {
    /// Paths, as the shell or nine writes them; - reads them from standard input
    #[arg(value_name = "PATH")]
    pub paths: Vec<PathBuf>,
    /// Everything for which a condition holds
    #[arg(long = "where", value_name = "CONDITION", num_args = 1.., conflicts_with_all = ["paths", "saved"])]
    pub condition: Vec<String>,
    /// Everything that a saved search finds
    #[arg(long, value_name = "NAME", conflicts_with = "paths")]
    pub saved: Option<String>,
    /// Paths on standard input are each ended by a NUL, not by the line
    #[arg(short = '0', long)]
    pub null: bool,
}
