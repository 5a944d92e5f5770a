//! Drives as the configuration has them: which login is for which address, where its password comes from, and how
//! each drive was found to behave.

use std::collections::HashMap;
use std::io::{BufRead, BufReader};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::{Arc, Mutex, PoisonError};

use nine_core::config::{Config, DriveLogin, PasswordFrom, is_address};
use nine_core::diagnostic::Diagnostic;
use nine_core::escape::plain;
use nine_core::moment::Moment;
use nine_stores::drive::{Address, Conduct, Drive, DriveSettings, DriveStore, Login};
use nine_stores::{Store, StoreError, StoreResult, mark};
use serde::{Deserialize, Serialize};

use super::Workspace;

/// The drives that were opened by this program, by the name of their login and their server.
#[derive(Default)]
pub struct Drives {
    open: Mutex<HashMap<(String, String), Arc<Drive>>>,
}

/// How a drive was found to behave, kept beside the catalogue.
#[derive(Serialize, Deserialize)]
struct Tried {
    at: Moment,
    address: String,
    conduct: Conduct,
}

/// How long what was found of a drive is believed: a week, in nanoseconds.
const BELIEVED: i64 = 7 * 24 * 60 * 60 * 1_000_000_000;

/// The sync token of a place (RFC 6578) as it was when it was looked at, kept beside the catalogue.
#[derive(Serialize, Deserialize)]
struct Looked {
    at: Moment,
    #[serde(alias = "moment")]
    sync_token: String,
}

impl Drives {
    /// When a place was looked at last, and its sync token then.
    pub fn sync_token(&self, workspace: &Workspace, address: &str) -> Option<(Moment, String)> {
        let bytes = std::fs::read(file_of(workspace, address, "looked")).ok()?;
        let Looked { at, sync_token } = serde_json::from_slice(&bytes).ok()?;
        Some((at, sync_token))
    }

    /// Keeps that.
    pub fn keep_sync_token(&self, workspace: &Workspace, address: &str, at: Moment, sync_token: &str) {
        keep(&file_of(workspace, address, "looked"), &Looked { at, sync_token: sync_token.to_owned() });
    }
}

/// The login for an address: the one whose own address is the nearest above it.
fn login_for<'c>(config: &'c Config, address: &Address) -> Option<&'c DriveLogin> {
    let holding =
        config.drives.iter().filter(|drive| Address::parse(&drive.at).is_ok_and(|at| at.holds(address)));
    holding.max_by_key(|drive| drive.at.len())
}

/// What is wrong with the addresses of a configuration.
pub(super) fn findings(config: &Config) -> Vec<Diagnostic> {
    let piles = config.piles.iter().map(|pile| (&pile.at, &pile.at_span, None));
    let bookcases = config.bookcases.iter().map(|case| (&case.at, &case.at_span, None));
    let drives = config.drives.iter().map(|drive| (&drive.at, &drive.at_span, Some(drive)));
    let mut found = Vec::new();
    for (at, span, drive) in piles.chain(bookcases).chain(drives).filter(|(at, ..)| is_address(at)) {
        match Address::parse(at) {
            Err(error) => {
                found.push(Diagnostic::new(span.clone(), format!("this is no address of a drive: {error}")))
            }
            Ok(address) if address.is_open_to_others() => {
                let login = drive.or_else(|| login_for(config, &address));
                if !login.is_some_and(|login| login.plain_http) {
                    let message = "what goes there without encryption can be read by others on the way";
                    let help = "write https://, or plain_http = true under its [drive.NAME]";
                    found.push(Diagnostic::new(span.clone(), message).help(help));
                }
            }
            Ok(_) => {}
        }
    }
    found
}

impl Workspace {
    /// A drive that a place is on. Nothing is sent before it is used.
    ///
    /// # Errors
    /// If it may not be reached without encryption.
    pub(crate) fn drive(&self, address: &Address) -> StoreResult<Arc<Drive>> {
        let login = login_for(self.config(), address);
        if address.is_open_to_others() && !login.is_some_and(|login| login.plain_http) {
            return Err(StoreError::Login("it may be reached by https:// alone".into()));
        }
        let key = (login.map(|login| login.name.clone()).unwrap_or_default(), address.origin());
        let mut open = self.drives.open.lock().unwrap_or_else(PoisonError::into_inner);
        match open.get(&key) {
            Some(drive) => Ok(Arc::clone(drive)),
            None => {
                let drive = Drive::new(address, self.settings_of(login, address)?);
                Ok(Arc::clone(open.entry(key).or_insert(drive)))
            }
        }
    }

    /// Opens a place on a drive. Nothing is sent before it is used.
    ///
    /// # Errors
    /// If it may not be reached without encryption.
    pub(super) fn open_on_drive(&self, address: Address) -> StoreResult<Arc<dyn Store>> {
        Ok(Arc::new(DriveStore::new(self.drive(&address)?, address)))
    }

    fn settings_of(&self, login: Option<&DriveLogin>, address: &Address) -> StoreResult<DriveSettings> {
        // One server may have several behind it.
        let top = login.and_then(|login| Address::parse(&login.at).ok()).unwrap_or_else(|| address.clone());
        let address = top.to_string();
        let file = file_of(self, &address, "conduct");
        let environment = Arc::clone(&self.environment);
        let now = move || Moment::from_timestamp((environment.clock)().timestamp());
        let known = std::fs::read(&file).ok().and_then(|bytes| serde_json::from_slice::<Tried>(&bytes).ok());
        let is_fresh = |tried: &Tried| {
            tried.address == address && (0..BELIEVED).contains(&now().0.saturating_sub(tried.at.0))
        };
        let known = known.filter(is_fresh).map(|tried| tried.conduct);
        let usual = DriveSettings::default();
        let shared = login.map(|login| {
            let top = Address::parse(&login.at).map(|at| at.path).unwrap_or_default();
            login.shared.iter().map(|(folder, who)| (top.join_path(folder), who.clone())).collect()
        });
        let authority = login.and_then(|login| login.certificate.as_ref()).map(|file| {
            std::fs::read(self.environment.expand(file)).map_err(|error| {
                StoreError::Login(format!("its certificate is not read from {}: {error}", plain(file)))
            })
        });
        Ok(DriveSettings {
            authority: authority.transpose()?,
            shared: shared.unwrap_or_default(),
            login: login.and_then(|login| self.login(login)),
            at_once: login.map_or(usual.at_once, |login| login.at_once),
            may_read: self.environment.reads_drives,
            conduct: known,
            remember: Box::new(move |conduct| {
                let (address, conduct) = (address.clone(), conduct.clone());
                keep(&file, &Tried { at: now(), address, conduct });
            }),
            pause: self.environment.drive_pause.unwrap_or(usual.pause),
        })
    }

    fn login(&self, login: &DriveLogin) -> Option<Login> {
        let from = login.password.clone()?;
        let (name, file) = (
            login.name.clone(),
            match &from {
                PasswordFrom::File(file) => Some(self.environment.expand(file)),
                _ => None,
            },
        );
        let variable = self.environment.variable;
        let secret = move || secret(&name, &from, file.as_deref(), variable);
        Some(Login { user: login.user.clone(), secret: Box::new(secret) })
    }
}

/// Characters of an address that a file's name has in it.
const LONGEST_NAME: usize = 100;

/// Where something is kept that is known of an address.
fn file_of(workspace: &Workspace, address: &str, what: &str) -> PathBuf {
    let plain = |c: char| if c.is_ascii_alphanumeric() || matches!(c, '.' | '-') { c } else { '_' };
    let name: String = address.chars().take(LONGEST_NAME).map(plain).collect();
    // Two addresses may look the same then.
    workspace.data().join("drives").join(format!("{name}-{:016x}.{what}.json", mark(address.as_bytes())))
}

/// Keeps what is known of a drive, so that it need not be asked each time. What cannot be kept is asked again.
fn keep(file: &Path, what: &impl Serialize) {
    let Ok(text) = serde_json::to_vec_pretty(what) else { return };
    let folder = file.parent().unwrap_or(file);
    let written = nine_carry::make_private(folder).and_then(|()| nine_carry::write_private(file, &text));
    if let Err(error) = written {
        tracing::info!(%error, "what is known of the drive is not kept");
    }
}

/// Asks for a password. What goes wrong is told without it.
fn secret(
    drive: &str,
    from: &PasswordFrom,
    file: Option<&Path>,
    variable: fn(&str) -> Option<String>,
) -> Result<String, String> {
    let secret = match from {
        PasswordFrom::Variable(name) => {
            variable(name).ok_or_else(|| format!("the password of `{drive}` is not in ${}", plain(name)))?
        }
        PasswordFrom::File(name) => in_file(file.unwrap_or(Path::new(name)))
            .map_err(|why| format!("the password of `{drive}` is not read from {}: {why}", plain(name)))?,
        PasswordFrom::Command(command) => printed_by(command)
            .map_err(|why| format!("the password of `{drive}` was not told by its command: {why}"))?,
    };
    let line = secret.lines().next().unwrap_or_default();
    match line.is_empty() || line.chars().any(char::is_control) {
        true => Err(format!("the password of `{drive}` is empty, or no plain text")),
        false => Ok(line.to_owned()),
    }
}

fn in_file(file: &Path) -> Result<String, String> {
    let open = std::fs::File::open(file).map_err(|error| plain(&error.to_string()))?;
    let mode = open.metadata().map_err(|error| plain(&error.to_string()))?.permissions().mode();
    if mode & 0o077 != 0 {
        return Err("others can read it; take their rights away with chmod 600".into());
    }
    let mut line = String::new();
    BufReader::new(open).read_line(&mut line).map_err(|error| plain(&error.to_string()))?;
    Ok(line)
}

fn printed_by(command: &str) -> Result<String, String> {
    let ran =
        Command::new("sh").arg("-c").arg(command).stdin(Stdio::null()).stderr(Stdio::inherit()).output();
    let ran = ran.map_err(|error| plain(&error.to_string()))?;
    if !ran.status.success() {
        return Err(format!("it ended with {}", ran.status));
    }
    String::from_utf8(ran.stdout).map_err(|_| "it is no plain text".to_owned())
}
