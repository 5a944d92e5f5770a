//! The museum's cloud drive: a folder of the sample world, served by the small drive that ships with the program.

use std::fs;
use std::io::Write;
use std::os::unix::fs::OpenOptionsExt;
use std::path::Path;

use nine_standin::{Settings, Standin};

use crate::{Error, Result};

const CONFIG: &str = include_str!("../../../demo/drive.toml");

/// The folder that is served.
pub const FOLDER: &str = "Drive";

/// Who the person is to the drive.
const USER: &str = "exhibitions";
const PASSWORD: &str = "high-water-1831";

/// Serves the drive of a sample world on some free port, and makes it a place in the world's configuration.
///
/// # Errors
/// If there is no such world, or no port is free.
pub fn open(root: &Path) -> Result<Standin> {
    let file = root.join("nine/shelves.toml");
    let text = fs::read_to_string(&file);
    let text = text.map_err(|source| Error::NoWorld { root: root.to_owned(), source })?;
    let login = Some((USER.to_owned(), PASSWORD.to_owned()));
    let drive = Standin::start(Settings { root: root.join(FOLDER), login, ..Settings::default() })?;
    let secret = root.join("nine/drive-password");
    let opened = fs::File::options().write(true).create(true).truncate(true).mode(0o600).open(&secret);
    opened.and_then(|mut file| writeln!(file, "{PASSWORD}"))?;
    let own = without(&text);
    let places = CONFIG.replace("ADDRESS", &drive.url()).replace("HOME", &root.display().to_string());
    fs::write(file, format!("{own}\n{places}"))?;
    Ok(drive)
}

/// The configuration without what [`open`] adds to it.
fn without(text: &str) -> &str {
    let first_line = CONFIG.trim_start().lines().next().unwrap_or_default();
    text.split(first_line).next().unwrap_or_default().trim_end()
}

/// Takes the drive out of the world's configuration, since nobody serves it any more.
///
/// # Errors
/// If that cannot be read or written.
pub fn close(root: &Path, drive: Standin) -> Result {
    drop(drive);
    let file = root.join("nine/shelves.toml");
    let text = fs::read_to_string(&file)?;
    fs::write(&file, format!("{}\n", without(&text)))?;
    Ok(fs::remove_file(root.join("nine/drive-password"))?)
}
