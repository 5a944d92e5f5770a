//! What may be typed to several commands.

use std::ffi::OsString;
use std::io::Read;
use std::os::unix::ffi::OsStringExt;
use std::path::{Path, PathBuf};

use clap::{ArgAction, Args, ValueEnum};
use nine_core::config::Color;
use nine_engine::selection::Selection;

use crate::failure::{Done, Failure};

/// Options of every command.
#[derive(Debug, Args)]
#[command(next_help_heading = "Of every command")]
pub struct Common {
    /// Keep configuration and daybook in this one folder
    #[arg(long, value_name = "DIR", env = "NINE_HOME", global = true, hide_short_help = true)]
    pub home: Option<PathBuf>,
    /// The day from which ages are counted, such as 2031-04-07 or 2031-04-07T09:00
    #[arg(long, value_name = "DAY", env = "NINE_TODAY", global = true, hide_short_help = true)]
    pub today: Option<String>,
    /// Let whole files on drives be read where a question needs it; what that costs is told without it
    #[arg(long, global = true, hide_short_help = true)]
    pub read_drive: bool,
    /// When to use colour: auto, always or never
    #[arg(long, value_name = "WHEN", default_value = "auto", global = true, value_parser = when_word, hide_short_help = true)]
    pub color: ColorWord,
    /// Tell on standard error what is being done; twice for more
    #[arg(short, long, action = ArgAction::Count, global = true, hide_short_help = true)]
    pub verbose: u8,
    /// Print help; -h is the short form
    #[arg(short, long, action = ArgAction::Help, global = true, hide_short_help = true)]
    pub help: Option<bool>,
}

/// When to use colour; where a command takes the colour of something by the same option, that one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ColorWord {
    Auto,
    Always,
    Never,
    Of(Color),
}

fn when_word(word: &str) -> Result<ColorWord, String> {
    match word {
        "auto" => Ok(ColorWord::Auto),
        "always" => Ok(ColorWord::Always),
        "never" => Ok(ColorWord::Never),
        _ => Err("say auto, always or never".to_owned()),
    }
}

/// The colour of something.
///
/// # Errors
/// What there is, if it is none.
pub fn color_word(word: &str) -> Result<ColorWord, String> {
    let found = Color::ALL.iter().find(|(known, _)| *known == word).map(|(_, color)| ColorWord::Of(*color));
    found.ok_or_else(|| {
        let known: Vec<&str> = Color::ALL.iter().map(|(known, _)| *known).collect();
        format!("the colours are {}", known.join(", "))
    })
}

/// The headings under which the options of all commands stand: what is meant, where it goes, how it is shown, how it is
/// carried out.
pub const WHAT: &str = "What";
pub const WHERE_TO: &str = "Where to";
pub const SHOWN: &str = "How it is shown";
pub const CARRIED: &str = "How it is carried out";

/// How a worklist is shown and agreed to
#[derive(Debug, Clone, Args)]
pub struct ShowArgs {
    /// Show every line, however many
    #[arg(long, help_heading = SHOWN, hide_short_help = true)]
    pub all: bool,
    /// As table, csv, json, paths or paths0
    #[arg(long, default_value = "table", help_heading = SHOWN, hide_possible_values = true, hide_short_help = true)]
    pub format: Format,
    /// Carry it out without asking
    #[arg(short, long, help_heading = CARRIED)]
    pub yes: bool,
    /// Leave what is in doubt
    #[arg(long, help_heading = CARRIED)]
    pub sure: bool,
    /// Write it to a table (.csv, .json) for nine carry
    ///
    /// Nothing is carried out then; it can be read and edited first.
    #[arg(long, value_name = "FILE", conflicts_with = "yes", help_heading = CARRIED)]
    pub worklist: Option<PathBuf>,
}

impl ShowArgs {
    /// Sees to it that nobody agrees to something that is only a list.
    ///
    /// # Errors
    /// If there is no action and the words speak of one.
    pub fn expect_action(&self, acts: bool, actions: &str) -> Done {
        let words = [(self.yes, "--yes"), (self.worklist.is_some(), "--worklist"), (self.sure, "--sure")];
        match words.iter().find(|(typed, _)| *typed && !acts) {
            Some((_, word)) => Err(Failure::words(format!("{word} has nothing to do here"))
                .hint(format!("this is only a list; add {actions} to have something done"))),
            None => Ok(()),
        }
    }
}

/// A selection of items
#[derive(Debug, Args)]
pub struct SelectionArgs {
    /// Paths, or PLACE/path; - reads them from standard input
    #[arg(value_name = "PATH")]
    pub paths: Vec<PathBuf>,
    /// Everything for which a condition holds
    #[arg(long = "where", value_name = "CONDITION", num_args = 1.., conflicts_with_all = ["paths", "saved"], help_heading = WHAT)]
    pub condition: Vec<String>,
    /// Everything that a saved search finds
    #[arg(long, value_name = "SEARCH", conflicts_with = "paths", help_heading = WHAT, hide_short_help = true)]
    pub saved: Option<String>,
    /// Paths on standard input are each ended by a NUL, not by the line
    #[arg(short = '0', long, help_heading = WHAT, hide_short_help = true)]
    pub null: bool,
}

impl SelectionArgs {
    /// Whether nothing is asked for.
    pub fn is_empty(&self) -> bool {
        self.paths.is_empty() && self.condition.is_empty() && self.saved.is_none()
    }

    /// What is selected, with the paths on standard input where they are asked for.
    ///
    /// # Errors
    /// If that cannot be read.
    pub fn selection(&self) -> Done<Selection> {
        let (condition, saved) = (self.condition.clone(), self.saved.clone());
        Ok(Selection { paths: self.read_paths()?, condition, saved })
    }

    fn read_paths(&self) -> Done<Vec<PathBuf>> {
        if self.paths != [Path::new("-")] {
            return Ok(self.paths.clone());
        }
        let mut bytes = Vec::new();
        std::io::stdin().lock().read_to_end(&mut bytes)?;
        let end = if self.null { 0 } else { b'\n' };
        let lines = bytes.split(|b| *b == end).filter(|line| !line.is_empty());
        Ok(lines.map(|line| PathBuf::from(OsString::from_vec(line.to_vec()))).collect())
    }
}

/// What to do where a name is taken
#[derive(Debug, Clone, Copy, ValueEnum)]
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

/// Formats of lists of items
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Format {
    /// For people
    Table,
    /// Comma-separated values with a heading
    Csv,
    /// One JSON object a line
    Json,
    /// The items' paths, one a line
    Paths,
    /// The items' paths, each ended by a NUL
    Paths0,
}

/// Formats of what is not a list of items
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum PlainFormat {
    /// For people
    Table,
    /// Comma-separated values with a heading
    Csv,
    /// One JSON object a line
    Json,
}
