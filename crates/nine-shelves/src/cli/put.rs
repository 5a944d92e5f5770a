//! What may be typed to file by hand, and to carry out a worklist from a file.

use std::path::PathBuf;

use clap::Args;

use super::{SelectionArgs, ShowArgs};

/// File by hand: move or copy a selection onto a shelf
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine put letter.pdf --on 3                           onto shelf 3\n  nine put *.pdf --on 3/Claims/2031                    folders that are missing are made\n  nine put --where name has claim --on Grants/Claims   a shelf by its title\n  nine put --saved films --on home/5/Films --copy      what is found stays where it is\n  nine put scans/* --on 2 --keep-folders               with the folders that they lie in\n  nine put claims --on 3/Claims --merge                two folders become one; copies are discarded"
)]
pub struct PutArgs {
    #[command(flatten)]
    pub selection: SelectionArgs,
    /// The shelf, by number or title, and a folder on it; before it may stand the bookcase
    #[arg(long, value_name = "SHELF[/FOLDER]")]
    pub on: String,
    /// Make copies, and leave what is selected where it is
    #[arg(long)]
    pub copy: bool,
    /// Keep the folders between the pile and each item; otherwise all come to lie side by side
    #[arg(long)]
    pub keep_folders: bool,
    /// Bring the selected folders together with the one under --on, folder into folder
    #[arg(long, conflicts_with_all = ["copy", "keep_folders"])]
    pub merge: bool,
    /// What to do where a name is taken
    #[arg(long, value_name = "WHAT", default_value = "number")]
    pub clash: ClashWord,
    /// Make the folder although one that exists is called nearly the same
    #[arg(long)]
    pub new_folder: bool,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// Put a selection into the trash; nothing is ever deleted
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine discard letter.pdf old/                shows them, then asks\n  nine discard --where type installer         one type through all folders, listed first\n  nine discard --saved installers --sure      leaves what is in doubt\n  nine search ext tmp --format paths0 | nine discard - -0 --yes\n\nThe desktop's own trash shows what was discarded and can restore it; so can nine undo."
)]
pub struct DiscardArgs {
    #[command(flatten)]
    pub selection: SelectionArgs,
    #[command(flatten)]
    pub show: ShowArgs,
}

/// What to do where a name is taken
#[derive(Debug, Clone, Copy, clap::ValueEnum)]
pub enum ClashWord {
    /// The new one gets a number
    Number,
    /// The new one stays where it is
    Leave,
    /// The new one goes into a side folder
    Hold,
    /// The old one goes into the trash
    Replace,
}

impl From<ClashWord> for nine_core::rules::Clash {
    fn from(word: ClashWord) -> Self {
        match word {
            ClashWord::Number => Self::Number,
            ClashWord::Leave => Self::Leave,
            ClashWord::Hold => Self::Hold,
            ClashWord::Replace => Self::Replace,
        }
    }
}

/// Carry out a worklist from a file
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  nine tidy --worklist list.csv     write what the rules propose, what is in doubt first\n  nine carry list.csv               read it back, show what is otherwise now, ask, carry it out\n\nIn the table you may delete lines, write `leave` under `do`, and change `to`, the tags, or an answer in its own column: the target and the new name follow from that. Saved with commas, semicolons or tabs, it is understood, or refused with the number of the line."
)]
pub struct CarryArgs {
    /// The file that --worklist wrote
    #[arg(value_name = "FILE")]
    pub file: PathBuf,
    #[command(flatten)]
    pub show: ShowArgs,
}
