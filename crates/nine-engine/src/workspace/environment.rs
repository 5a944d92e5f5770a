//! What the library is told of the world around it, instead of asking.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use nine_core::collation::Collation;
use nine_core::escape::escape;
use nine_core::moment::Now;
use nine_stores::{Location, Watch};

/// How the process is started that reads what is inside files.
#[derive(Debug, Clone)]
pub struct ReaderProgram {
    /// The program.
    pub program: PathBuf,
    /// Its one argument.
    pub argument: String,
    /// Its whole environment; empty except in tests.
    pub variables: Vec<(String, String)>,
    /// How long one file may take.
    pub patience: Duration,
}

/// Where things are, what the time is, and what else the library must not ask for by itself.
#[derive(Clone)]
pub struct Environment {
    /// Where `shelves.toml` is or would be.
    pub config_file: PathBuf,
    /// Where the daybook and the catalogue are.
    pub data: PathBuf,
    /// The person's home folder.
    pub home: PathBuf,
    /// The desktop's trash.
    pub trash: PathBuf,
    /// The piles where there is no configuration: names and folders.
    pub usual_piles: Vec<(String, PathBuf)>,
    /// The bookmarks of GTK's file dialogs.
    pub bookmarks: PathBuf,
    /// The side bar of Qt's file dialogs.
    pub side_bar: PathBuf,
    /// Where the person's documents are by the desktop's settings.
    pub documents: PathBuf,
    /// The folder of the units of the person's own systemd.
    pub units: PathBuf,
    /// Whether systemd runs here.
    pub has_systemd: bool,
    /// How this program is started so that it finds the same configuration: its whole path, and options.
    pub program: Vec<String>,
    /// The time from which ages are counted.
    pub now: Now,
    /// The time by the clock.
    pub clock: Arc<dyn Fn() -> jiff::ZonedDateTime + Send + Sync>,
    /// A variable of the environment, in which a password may stand.
    pub variable: fn(&str) -> Option<String>,
    /// How files are read.
    pub reader: ReaderProgram,
    /// Told to stop by the person.
    pub watch: Arc<Watch>,
    /// Whether whole files on drives may be read to answer a question.
    pub reads_drives: bool,
    /// How long a drive is first waited for after it was too busy, where that is not the usual time.
    pub drive_pause: Option<Duration>,
    /// Whether a command is one that may be a part of a routine, by its words; why not, if not.
    pub part: fn(&[String]) -> Result<(), String>,
    /// The order of names in lists.
    pub collation: Arc<Collation>,
    /// The number of this process, by which others are told who is at work.
    pub process: u32,
}

impl Environment {
    /// A path for people, with the home folder as `~`.
    pub fn shown(&self, path: &Path) -> String {
        match path.strip_prefix(&self.home) {
            Ok(below) if !below.as_os_str().is_empty() => {
                format!("~/{}", escape(below.as_os_str().as_encoded_bytes()))
            }
            _ => escape(path.as_os_str().as_encoded_bytes()),
        }
    }

    /// The same of something that may be on a drive.
    pub fn shown_at(&self, at: &Location) -> String {
        at.local().map_or_else(|| at.to_string(), |path| self.shown(path))
    }

    /// A place as it is written in the configuration: below the home folder with `~`.
    pub fn typed(&self, at: &Location) -> String {
        let Some(path) = at.local() else { return at.to_string() };
        match path.strip_prefix(&self.home) {
            Ok(below) if below.as_os_str().is_empty() => "~".to_owned(),
            Ok(below) => format!("~/{}", below.display()),
            Err(_) => path.display().to_string(),
        }
    }

    /// A path of the configuration with its home folder written out.
    pub fn expand(&self, at: &str) -> PathBuf {
        match at.strip_prefix('~') {
            Some("") => self.home.clone(),
            Some(rest) => self.home.join(rest.trim_start_matches('/')),
            None => PathBuf::from(at),
        }
    }

    /// Where a place of the configuration is. An address that is none is refused with the configuration.
    pub fn at(&self, at: &str) -> Location {
        match Location::typed(Path::new(at)) {
            Ok(Location::Drive(address)) => Location::Drive(address),
            _ => Location::Local(self.expand(at)),
        }
    }
}
