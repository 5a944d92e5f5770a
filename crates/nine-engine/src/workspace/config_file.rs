//! `shelves.toml`: read, and the one way to change it: the new text is checked, written aside, and put in its place.

use std::io::{self, ErrorKind, Write};

use nine_core::config::{self, Config, Pile, usual_settle};

use super::{Environment, Loaded, drives, shelving};
use crate::{Error, Result};

/// Reads the configuration, or makes up the usual one where there is none.
pub(super) fn load(environment: &Environment) -> Result<Loaded> {
    let file = || environment.config_file.clone();
    let bytes = match std::fs::read(&environment.config_file) {
        Ok(bytes) => bytes,
        Err(error) if error.kind() == ErrorKind::NotFound => {
            return Ok(Loaded { config: usual(environment), text: String::new(), exists: false });
        }
        Err(source) => return Err(Error::ConfigUnreadable { file: file(), source }),
    };
    let text = String::from_utf8(bytes).map_err(|error| {
        let before = &error.as_bytes()[..error.utf8_error().valid_up_to()];
        Error::ConfigNotText { file: file(), line: before.iter().filter(|byte| **byte == b'\n').count() + 1 }
    })?;
    let wrong = |text: String, findings| Error::Config { file: file(), text, findings };
    let mut config = match config::parse(&text) {
        Ok(config) => config,
        Err(findings) => return Err(wrong(text, findings)),
    };
    if config.piles.is_empty() && config.bookcases.is_empty() {
        // A file that holds saved searches alone takes no place away.
        config.piles = usual(environment).piles;
    }
    let findings = drives::findings(&config);
    let findings = if findings.is_empty() { shelving::overlaps(environment, &config) } else { findings };
    match findings.is_empty() {
        true => Ok(Loaded { config, text, exists: true }),
        false => Err(wrong(text, findings)),
    }
}

/// Without a configuration the desktop and the downloads folder are the piles.
fn usual(environment: &Environment) -> Config {
    let pile = |(name, at): &(String, std::path::PathBuf)| Pile {
        name: name.clone(),
        at: at.to_string_lossy().into_owned(),
        at_span: 0..0,
        settle: usual_settle(),
        believes_births: true,
        text: false,
    };
    Config {
        piles: environment.usual_piles.iter().filter(|(_, at)| at.is_dir()).map(pile).collect(),
        searches: nine_core::saved::starters(),
        ..Config::default()
    }
}

/// Changes the text of the configuration. `read` is the text that the command started from: if the file holds
/// another by now, nothing is changed.
pub(super) fn change(
    environment: &Environment,
    read: &str,
    edit: impl FnOnce(&str) -> Result<String, String>,
) -> Result {
    let file = &environment.config_file;
    let failure = |source: io::Error| Error::ConfigUnwritable { file: file.clone(), source };
    let new = edit(read).map_err(|why| Error::ConfigEdit { file: file.clone(), why })?;
    if let Err(findings) = config::parse(&new) {
        return Err(Error::Config { file: file.clone(), text: new, findings });
    }
    // A link stays a link; the file it leads to is changed.
    let target = std::fs::canonicalize(file).unwrap_or_else(|_| file.clone());
    let folder = target.parent().unwrap_or(&target);
    std::fs::create_dir_all(folder).map_err(failure)?;
    let mut aside = tempfile::NamedTempFile::new_in(folder).map_err(failure)?;
    aside.write_all(new.as_bytes()).map_err(failure)?;
    match std::fs::read_to_string(&target) {
        Ok(now) if now != read => return Err(Error::ConfigChanged(file.clone())),
        Ok(_) => {
            let mode = std::fs::metadata(&target).map_err(failure)?.permissions();
            aside.as_file().set_permissions(mode).map_err(failure)?;
        }
        Err(_) => {}
    }
    aside.as_file().sync_all().map_err(failure)?;
    aside.persist(&target).map_err(|error| failure(error.error))?;
    std::fs::File::open(folder).and_then(|folder| folder.sync_all()).map_err(failure)
}
