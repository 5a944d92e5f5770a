//! `shelves.toml`, read.

use std::io::ErrorKind;

use nine_core::config::{self, Config, Pile, usual_settle};
use nine_core::diagnostic::Diagnostic;

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
    of_text(environment, text)
}

/// Reads a text as if it were the configuration's.
pub(super) fn of_text(environment: &Environment, text: String) -> Result<Loaded> {
    let wrong =
        |text: String, findings| Error::Config { file: environment.config_file.clone(), text, findings };
    let mut config = match config::parse(&text) {
        Ok(config) => config,
        Err(findings) => return Err(wrong(text, findings)),
    };
    if config.piles.is_empty() && config.bookcases.is_empty() {
        // A file that holds saved searches alone takes no place away.
        config.piles = usual(environment).piles;
    }
    let mut findings = drives::findings(&config);
    findings.extend(parts(environment, &config));
    let findings = if findings.is_empty() { shelving::overlaps(environment, &config) } else { findings };
    match findings.is_empty() {
        true => Ok(Loaded { config, text, exists: true }),
        false => Err(wrong(text, findings)),
    }
}

/// Commands of routines that cannot be a part of one.
fn parts(environment: &Environment, config: &Config) -> Vec<Diagnostic> {
    let parts = config.routines.iter().flat_map(|routine| &routine.parts);
    let wrong = parts.filter_map(|part| Some((part, (environment.part)(&part.words).err()?)));
    wrong.map(|(part, why)| Diagnostic::new(part.span.clone(), why)).collect()
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
