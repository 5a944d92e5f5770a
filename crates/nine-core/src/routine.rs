//! A named list of commands that is run in one go, and watching what arrives, as the configuration has them.

use std::ops::Range;

use crate::moment::Span;
use crate::schedule::Schedule;

/// A named list of commands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Routine {
    /// Its name.
    pub name: String,
    /// What it does, in order; at least one.
    pub parts: Vec<RoutinePart>,
    /// When it is to be run by itself.
    pub when: Option<Schedule>,
    /// What may be done with nobody there.
    pub unattended: Unattended,
}

/// A command of a routine.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RoutinePart {
    /// As it is written, without the program's name.
    pub text: String,
    /// Its words, as a shell reads them: the command, and what follows it.
    pub words: Vec<String>,
    /// Where in the configuration it is written.
    pub span: Range<usize>,
}

/// What may be done with nobody there.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, serde::Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase")]
pub enum Unattended {
    /// What is not in doubt.
    #[default]
    Sure,
    /// Nothing: it is only kept as a list.
    Nothing,
}

/// What is watched.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct WatchConfig {
    /// The names of piles; all, if there are none.
    pub piles: Vec<String>,
    /// How often is looked where the kernel tells nothing.
    pub look: Option<Span>,
}

impl WatchConfig {
    /// How often is looked where the kernel tells nothing.
    pub fn look(&self) -> Span {
        self.look.unwrap_or_else(|| Span::minutes(15))
    }
}
