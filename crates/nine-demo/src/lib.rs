//! The sample world of Tern Quay, a small boat museum: made from its description in `demo/`, and the stations of a walk
//! through the job in it. The walk is data; the program prints it.

pub mod drive;
pub mod exif;
mod files;
mod papers;
pub mod photos;
pub mod walk;
mod world;

use std::io;
use std::path::PathBuf;

pub use world::{Made, make};

/// Why the sample world cannot be made or served.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    /// The folder holds something already.
    #[error("{} is not empty", .0.display())]
    NotEmpty(PathBuf),
    /// The folder holds no sample world.
    #[error("{} is no sample world: {source}", root.display())]
    NoWorld {
        /// The folder.
        root: PathBuf,
        /// What is missing.
        source: io::Error,
    },
    /// An item cannot be made.
    #[error("{} cannot be made: {source}", at.display())]
    Item {
        /// The item.
        at: PathBuf,
        /// Why.
        source: io::Error,
    },
    /// The description makes no sense.
    #[error("the description of the sample world: {0}")]
    Description(String),
    /// The system did not let it be done.
    #[error(transparent)]
    Io(#[from] io::Error),
}

/// What making and serving answer.
pub type Result<T = (), E = Error> = std::result::Result<T, E>;
