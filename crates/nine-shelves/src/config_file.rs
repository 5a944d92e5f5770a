//! The one way to change `shelves.toml`: the new text is checked, written aside, and put in its place.

use std::io::Write;

use nine_core::config;

use crate::error::{Done, Failure};
use crate::session::Session;

/// Changes the text of the configuration. `read` is the text that the command started from: if the
/// file holds another by now, nothing is changed.
///
/// # Errors
/// If the change makes no sense, the file was changed meanwhile, or it cannot be written.
pub fn change(
    session: &Session,
    read: &str,
    edit: impl FnOnce(&str) -> Result<String, String>,
) -> Done<String> {
    let file = &session.config_file;
    let shown = session.shown(file);
    let failure = |error: std::io::Error| Failure::system(format!("{shown} cannot be changed: {error}"));
    let new = edit(read).map_err(|why| Failure::words(format!("{shown} cannot be changed: {why}")))?;
    config::parse(&new).map_err(|found| session.findings(&new, &found))?;
    // A link stays a link; the file it leads to is changed.
    let target = std::fs::canonicalize(file).unwrap_or_else(|_| file.clone());
    let folder = target.parent().unwrap_or(&target);
    std::fs::create_dir_all(folder).map_err(failure)?;
    let mut aside = tempfile::NamedTempFile::new_in(folder).map_err(failure)?;
    aside.write_all(new.as_bytes()).map_err(failure)?;
    match std::fs::read_to_string(&target) {
        Ok(now) if now != read => {
            return Err(Failure::system(format!("{shown} was changed by another program meanwhile"))
                .hint("nothing has been changed; try again"));
        }
        Ok(_) => {
            let mode = std::fs::metadata(&target).map_err(failure)?.permissions();
            aside.as_file().set_permissions(mode).map_err(failure)?;
        }
        Err(_) => {}
    }
    aside.as_file().sync_all().map_err(failure)?;
    aside.persist(&target).map_err(|error| failure(error.error))?;
    std::fs::File::open(folder).and_then(|folder| folder.sync_all()).map_err(failure)?;
    Ok(new)
}
