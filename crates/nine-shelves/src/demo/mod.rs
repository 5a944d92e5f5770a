//! The sample world of Tern Quay, and a walk through the job in it.

mod drive;
mod files;
mod papers;
mod photos;
mod walk;
mod world;

use std::path::PathBuf;

use crate::commands::demo::DemoArgs;
use crate::failure::{Done, Failure};

/// Makes the sample world and walks through the job.
///
/// # Errors
/// If the world cannot be made or a command cannot be started.
pub fn run(args: &DemoArgs) -> Done {
    if args.serve {
        let folder = args.folder.as_ref().ok_or_else(|| {
            Failure::words("which sample world's drive?").hint("name its folder: nine demo --serve FOLDER")
        })?;
        return drive::serve(folder);
    }
    let made = world::make(&folder(args)?)?;
    if args.only_make {
        return walk::tell_how_to_go_on(&made);
    }
    walk::walk(&made)
}

/// The folder that was named, or a new one under the system's temporary folder.
fn folder(args: &DemoArgs) -> Done<PathBuf> {
    match &args.folder {
        Some(folder) => Ok(folder.clone()),
        None => Ok(tempfile::Builder::new().prefix("tern-quay-").tempdir()?.keep()),
    }
}
