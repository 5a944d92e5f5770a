//! What a command starts from: the environment, read once, and handed to the engine.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use directories::{BaseDirs, UserDirs};
use nine_core::collation::Collation;
use nine_core::escape::plain;
use nine_core::moment::{EXPECTED_DATE, Now};
use nine_engine::workspace::ReaderProgram;
use nine_engine::{Environment, Reporter, Workspace, reader};

use crate::args::{ColorWord, Common};
use crate::clock::{clock, zone};
use crate::commands;
use crate::failure::{Done, Failure};
use crate::notices::OnStandardError;
use crate::output::Look;

/// The name of the folders that configuration and data have among those of other programs.
const OURS: &str = "nine-shelves";

/// The hidden command by which the program reads what is inside files.
pub const READER: &str = "inside-reader";

/// The environment of a command, and how it is shown.
pub struct Session {
    /// Where things are, and what the time is.
    pub environment: Arc<Environment>,
    /// How to draw.
    pub look: Look,
    /// Whether a desktop may listen to what is told.
    pub has_desktop: bool,
    /// How long watching waits between two runs, where a test says so.
    pub watch_pace: Option<Duration>,
    /// Whether the time from which ages are counted is that of the clock.
    is_now: bool,
}

impl Session {
    /// Reads the environment.
    ///
    /// # Errors
    /// A day that cannot be read, or no home folder.
    pub fn new(common: &Common) -> Done<Self> {
        set_color(common.color);
        set_log(common.verbose);
        arm_fault_points();
        let dirs = BaseDirs::new()
            .ok_or_else(|| Failure::system("there is no home folder").hint("set HOME, or give --home DIR"))?;
        let (config_file, data) = match &common.home {
            Some(home) => (home.join("shelves.toml"), home.clone()),
            None => (dirs.config_dir().join(OURS).join("shelves.toml"), dirs.data_dir().join(OURS)),
        };
        let patience = number_for_tests("NINE_READER_PATIENCE_MS").unwrap_or(reader::PATIENCE);
        let program = std::env::current_exe()?;
        let environment = Environment {
            config_file,
            data,
            home: dirs.home_dir().to_owned(),
            trash: dirs.data_dir().join("Trash"),
            usual_piles: usual_piles(dirs.home_dir()),
            bookmarks: dirs.config_dir().join("gtk-3.0/bookmarks"),
            side_bar: dirs.data_dir().join("user-places.xbel"),
            documents: documents(dirs.home_dir()),
            now: now(common.today.as_deref())?,
            clock: Arc::new(clock),
            variable: |name| std::env::var(name).ok(),
            reader: ReaderProgram {
                program: program.clone(),
                argument: READER.to_owned(),
                variables: variables_for_tests(),
                patience,
            },
            watch: Arc::default(),
            reads_drives: common.read_drive,
            drive_pause: number_for_tests("NINE_DRIVE_PAUSE"),
            collation: Arc::new(Collation::of_locale(&locale())),
            process: std::process::id(),
            units: dirs.config_dir().join("systemd/user"),
            has_systemd: has_systemd(),
            program: started_as(&program, common.home.as_deref()),
            part: commands::routine::check_part,
        };
        Ok(Self {
            environment: Arc::new(environment),
            look: Look::of_terminal(),
            has_desktop: has_desktop(),
            watch_pace: number_for_tests("NINE_WATCH_PACE_MS"),
            is_now: common.today.is_none(),
        })
    }

    /// The time from which ages are counted.
    pub fn now(&self) -> &Now {
        &self.environment.now
    }

    /// A path for people, with the home folder as `~`.
    pub fn shown(&self, path: &Path) -> String {
        self.environment.shown(path)
    }

    /// Opens a workspace.
    ///
    /// # Errors
    /// What is wrong with the configuration.
    pub fn workspace(&self) -> Done<Workspace> {
        Ok(Workspace::open(Arc::clone(&self.environment), self.reporter())?)
    }

    /// A workspace in which nothing is looked after first.
    ///
    /// # Errors
    /// What is wrong with the configuration.
    pub fn unrecovered(&self) -> Done<Workspace> {
        Ok(Workspace::unrecovered(Arc::clone(&self.environment), self.reporter())?)
    }

    /// Opens a workspace as of now: a program that runs on has another now each time. Its configuration is this text, or
    /// what the file says.
    ///
    /// # Errors
    /// As [`Session::workspace`].
    pub fn workspace_now(&self, text: Option<&str>) -> nine_engine::Result<Workspace> {
        let now = if self.is_now { Now::new(clock()) } else { self.environment.now.clone() };
        let environment = Arc::new(Environment { now, ..(*self.environment).clone() });
        match text {
            Some(text) => Workspace::open_with(environment, self.reporter(), text.to_owned()),
            None => Workspace::open(environment, self.reporter()),
        }
    }

    fn reporter(&self) -> Arc<dyn Reporter> {
        Arc::new(OnStandardError { look: self.look, environment: Arc::clone(&self.environment) })
    }
}

/// In which language names are put in order (locale(7)).
fn locale() -> String {
    let set = |name| std::env::var(name).ok().filter(|value| !value.is_empty());
    ["LC_ALL", "LC_COLLATE", "LANG"].into_iter().find_map(set).unwrap_or_default()
}

/// The desktop and the downloads folder, by the desktop's own settings.
fn usual_piles(home: &Path) -> Vec<(String, PathBuf)> {
    let user = UserDirs::new();
    let of = |found: Option<&Path>, usual: &str| found.map_or_else(|| home.join(usual), Path::to_owned);
    let desktop = of(user.as_ref().and_then(UserDirs::desktop_dir), "Desktop");
    let downloads = of(user.as_ref().and_then(UserDirs::download_dir), "Downloads");
    vec![("desktop".to_owned(), desktop), ("downloads".to_owned(), downloads)]
}

/// The documents folder, by the desktop's own settings.
fn documents(home: &Path) -> PathBuf {
    let user = UserDirs::new();
    let found = user.as_ref().and_then(UserDirs::document_dir);
    found.map_or_else(|| home.join("Documents"), Path::to_owned)
}

/// Whether there is a bus of the person's session.
fn has_desktop() -> bool {
    let runtime = std::env::var_os("XDG_RUNTIME_DIR").map(|folder| Path::new(&folder).join("bus"));
    std::env::var_os("DBUS_SESSION_BUS_ADDRESS").is_some() || runtime.is_some_and(|bus| bus.exists())
}

/// Whether systemd runs here (sd_booted(3)). A test says so where it does not.
fn has_systemd() -> bool {
    let is_told = cfg!(debug_assertions) && std::env::var_os("NINE_HAS_SYSTEMD").is_some();
    is_told || Path::new("/run/systemd/system").is_dir()
}

/// How the program is started so that it finds the same configuration again.
fn started_as(program: &Path, home: Option<&Path>) -> Vec<String> {
    let mut words = vec![program.to_string_lossy().into_owned()];
    if let Some(home) = home {
        let home = std::path::absolute(home).unwrap_or_else(|_| home.to_owned());
        words.extend(["--home".to_owned(), home.to_string_lossy().into_owned()]);
    }
    words
}

/// A time in milliseconds that a test asks for. Debug builds only.
fn number_for_tests(variable: &str) -> Option<Duration> {
    let asked = std::env::var(variable).ok().filter(|_| cfg!(debug_assertions));
    asked.and_then(|millis| millis.parse().ok()).map(Duration::from_millis)
}

fn now(today: Option<&str>) -> Done<Now> {
    let Some(text) = today else {
        return Ok(Now::new(clock()));
    };
    Now::parse(text, zone()).ok_or_else(|| {
        Failure::words(format!("`{}` is not a day that can be read", plain(text)))
            .hint(format!("give --today {EXPECTED_DATE} in full, or with a time: 2031-04-07T09:00"))
    })
}

fn set_color(when: ColorWord) {
    match when {
        ColorWord::Auto | ColorWord::Of(_) => anstream::ColorChoice::Auto,
        ColorWord::Always => anstream::ColorChoice::Always,
        ColorWord::Never => anstream::ColorChoice::Never,
    }
    .write_global();
}

fn set_log(verbose: u8) {
    let level = match verbose {
        0 => return,
        1 => tracing::Level::INFO,
        _ => tracing::Level::DEBUG,
    };
    tracing_subscriber::fmt().with_writer(std::io::stderr).with_max_level(level).with_target(false).init();
}

/// What a test tells the process that reads files; nothing in a release.
fn variables_for_tests() -> Vec<(String, String)> {
    let name = crate::reader::MISBEHAVES;
    let told = std::env::var(name).ok().filter(|_| cfg!(debug_assertions));
    told.map(|value| (name.to_owned(), value)).into_iter().collect()
}

/// Lets a test choose the moment at which something happens to the program. Debug builds only.
fn arm_fault_points() {
    #[cfg(debug_assertions)]
    {
        use nine_stores::fault::{Happens, arm};
        let number = |name: &str| std::env::var(name).ok().and_then(|text| text.parse().ok());
        if let Some(nth) = number("NINE_KILL_AT") {
            arm(nth, Happens::Killed);
        }
        if let Some(nth) = number("NINE_STOP_AT") {
            arm(nth, Happens::Stopped);
        }
        if std::env::var_os("NINE_LACKS_RENAME_FLAGS").is_some() {
            nine_stores::fault::lack_rename_flags();
        }
        if let (Some(nth), Ok(command)) = (number("NINE_HAND_AT"), std::env::var("NINE_HAND")) {
            arm(nth, Happens::Hand(command));
        }
    }
    #[cfg(debug_assertions)]
    if let Ok(how) = std::env::var("NINE_REFUSE") {
        assert!(nine_stores::fault::refuse(&how), "{how} is not understood");
    }
}
