//! tmp
use crate::cli::DemoArgs;
use crate::error::Done;
use crate::session::Session;
pub fn run(_args: &DemoArgs, _session: &Session) -> Done {
    Ok(())
}
