//! `nine demo`: the sample world, and a walk through the job.

use crate::cli::DemoArgs;
use crate::demo;
use crate::error::Done;
use crate::session::Session;

/// Runs it.
///
/// # Errors
/// If the world cannot be made.
pub fn run(args: &DemoArgs, session: &Session) -> Done {
    demo::run(args, session)
}
