//! Pictures that look alike.

use nine_core::find::Rows;

use crate::cli::CopiesArgs;
use crate::error::Done;
use crate::looking::Looking;
use crate::session::Session;

/// Lists them.
///
/// # Errors
/// As the exit status has it.
pub fn run(_: &CopiesArgs, _: &Session, _: Looking, _: Option<&[Rows]>) -> Done {
    Ok(())
}
