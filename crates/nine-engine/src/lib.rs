//! What each command does, without a screen: a request in, a result or a plan out.
//!
//! One module a capability. Below them stands the [`workspace`] (configuration, places, catalogue, daybook, and the
//! environment, which is handed in), [`looking`] at places, drawing up a [`plan`], and carrying it out. Nothing here
//! prints, asks, exits, reads the environment or takes the time by itself: what happens meanwhile goes to a
//! [`Reporter`], and what is open stands in the plan as a [`plan::Question`].

pub mod archive;
pub mod carry;
pub mod check;
pub mod compare;
pub mod completion;
pub mod configuration;
pub mod copies;
pub mod discard;
pub mod displays;
pub mod error;
pub mod facet;
pub mod history;
mod icons;
mod left_alone;
pub mod looking;
pub mod new_file;
pub mod plan;
pub mod put;
pub mod reader;
pub mod report;
pub mod reporter;
pub mod retrieve;
pub mod review;
pub mod routine;
pub mod rule;
mod rules_at_work;
pub mod search;
pub mod selection;
pub mod setup;
pub mod shelves;
pub mod status;
pub mod suggest;
pub mod survey;
pub mod sweep;
pub mod tag;
mod text_file;
pub mod tidy;
pub mod undo;
pub mod watch;
pub mod why;
pub mod workspace;

pub use error::{Error, Result};
pub use reporter::{Notice, Reporter, Silent, Task};
pub use workspace::{Environment, Workspace};
