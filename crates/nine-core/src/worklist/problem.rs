//! Why a step cannot be carried out.

use crate::amount::readable;
use crate::escape::escape;
use crate::item::Entry;
use crate::place::Spot;

/// Why a step cannot be carried out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Problem {
    /// An earlier step changes the same item. Steps are counted from 0.
    SameItem(usize),
    /// Another step leads to the same target.
    SameTarget(usize),
    /// The target is inside the item itself.
    InsideItself,
    /// The item lies in a folder that another step takes away.
    MovedWith(usize),
    /// The target lies in something that another step takes away or puts there.
    TargetUnstable(usize),
    /// Steps that wait for one another in a circle.
    Circle(Vec<usize>),
    /// The name is taken.
    Taken(Box<Entry>),
    /// The name is longer than the target can hold.
    NameTooLong {
        /// The longest name, in bytes.
        longest: usize,
    },
    /// The target's file system refuses the name.
    NameRefused {
        /// The name.
        name: Vec<u8>,
    },
    /// Something that is no folder stands where a folder must be.
    NotAFolder(Spot),
    /// No right to change this folder.
    NoRight(Spot),
    /// The place cannot be reached.
    Unreachable(String),
    /// Too little space.
    NoSpace {
        /// Bytes that the step needs.
        needed: u64,
        /// Bytes that are left for it.
        free: u64,
    },
    /// It belongs together with a step that cannot be carried out.
    TogetherWith(usize),
    /// What stays in its place is taken away by another step.
    OriginalGoes(usize),
    /// The trash cannot take it.
    NoTrash(String),
}

impl Problem {
    /// The problem in words. Steps are named by their number, counted from 1.
    pub fn words(&self) -> String {
        let nth = |step: &usize| format!("step {}", step + 1);
        match self {
            Problem::SameItem(other) => format!("{} changes the same item", nth(other)),
            Problem::SameTarget(other) => format!("{} leads to the same name", nth(other)),
            Problem::InsideItself => "the target is inside the item itself".into(),
            Problem::MovedWith(other) => format!("{} moves the folder it lies in", nth(other)),
            Problem::TargetUnstable(other) => {
                format!("{} changes what the target lies in", nth(other))
            }
            Problem::Circle(steps) => {
                let steps: Vec<String> = steps.iter().map(nth).collect();
                format!("{} wait for one another", steps.join(", "))
            }
            Problem::Taken(entry) => format!("the name is taken ({})", readable(entry.size)),
            Problem::NameTooLong { longest } => {
                format!("the name is longer than the {longest} bytes that fit there")
            }
            Problem::NameRefused { name } => {
                format!("`{}` is no name that fits there", escape(name))
            }
            Problem::NotAFolder(spot) => format!("{spot} is not a folder"),
            Problem::NoRight(spot) => format!("no right to change {spot}"),
            Problem::Unreachable(why) => format!("cannot be reached: {why}"),
            Problem::NoSpace { needed, free } => {
                format!("not enough space: {} needed, {} free", readable(*needed), readable(*free))
            }
            Problem::TogetherWith(other) => {
                format!("it belongs together with {}, which cannot be done", nth(other))
            }
            Problem::OriginalGoes(other) => {
                format!("it is a copy of what {} discards", nth(other))
            }
            Problem::NoTrash(why) => format!("it cannot go into the trash: {why}"),
        }
    }
}
