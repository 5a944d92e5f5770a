//! What a command starts from: the environment, read once, and the configuration.

use std::io::{IsTerminal, Write};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, OnceLock};
use std::time::Duration;

use directories::{BaseDirs, UserDirs};
use jiff::tz::TimeZone;
use nine_core::config::{self, Bookcase, Config, Pile, is_address, usual_settle};
use nine_core::diagnostic::{Diagnostic, locate};
use nine_core::escape::{escape, plain};
use nine_core::moment::{EXPECTED_DATE, Now};
use nine_core::place::Spot;
use nine_stores::drive::{Address, as_path};
use nine_stores::local::{Counters, Settings};
use nine_stores::{LocalStore, Places, Store, StoreError, StoreResult, Watch};

use crate::cli::{ColorWhen, Common};
use crate::drives::{self, Drives};
use crate::error::{Done, Failure};
use crate::output::Look;
use crate::{archive, layout, location};

/// The name of the folders that configuration and data have among those of other programs.
const OURS: &str = "nine-shelves";

/// Whether steps are being carried out, so that an interruption must wait for the one in hand.
static CARRYING: AtomicBool = AtomicBool::new(false);

/// The environment of a command.
pub struct Session {
    /// Where `shelves.toml` is or would be.
    pub config_file: PathBuf,
    /// Where the daybook is.
    pub data: PathBuf,
    /// The time from which ages are counted.
    pub now: Now,
    /// How to draw.
    pub look: Look,
    /// Told to stop by the person.
    pub watch: Arc<Watch>,
    /// Shared by all stores.
    pub counters: Arc<Counters>,
    /// Drives that are open.
    pub drives: Drives,
    /// Whether whole files on drives may be read to answer a question.
    pub reads_drives: bool,
    user_home: PathBuf,
    desktop_trash: PathBuf,
}

/// The configuration with the text it was read from.
pub struct Loaded {
    pub config: Config,
    pub text: String,
    /// Whether there is a file; if not, the usual piles stand in.
    pub exists: bool,
}

/// An open place.
pub struct Place {
    pub name: String,
    pub store: Arc<dyn Store>,
}

/// The places of a configuration, opened as far as they can be reached.
pub struct Opened {
    pub places: Places,
    pub open: Vec<Place>,
    /// Those that cannot be reached: name, path, why.
    pub closed: Vec<(String, PathBuf, StoreError)>,
    /// The archive's shelf, if there is one and it can be told; first under its bookcase's name, then under
    /// those of piles that are the same folder.
    pub archive: Vec<Spot>,
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
        Ok(Self {
            config_file,
            data,
            now: now(common.today.as_deref())?,
            look: Look::of_terminal(),
            watch: Arc::default(),
            counters: Arc::default(),
            drives: Drives::default(),
            reads_drives: common.read_drive,
            user_home: dirs.home_dir().to_owned(),
            desktop_trash: dirs.data_dir().join("Trash"),
        })
    }

    /// Closes the data folder to others, where an earlier version left it open, and says so.
    pub fn close_data(&self) {
        let is_open =
            std::fs::metadata(&self.data).is_ok_and(|found| found.permissions().mode() & 0o077 != 0);
        if !is_open {
            return;
        }
        match nine_carry::close_to_others(&self.data) {
            Ok(0) => {}
            Ok(_) => {
                let shown = self.shown(&self.data);
                let _ = writeln!(
                    crate::output::err(),
                    "Others on this machine could read what nine keeps in {shown}; now you alone can."
                );
            }
            Err(error) => tracing::info!(%error, "the data folder is not closed to others"),
        }
    }

    /// Reads the configuration, or makes up the usual one where there is none.
    ///
    /// # Errors
    /// Everything that is wrong with it.
    pub fn load(&self) -> Done<Loaded> {
        let shown = escape(self.config_file.as_os_str().as_encoded_bytes());
        let bytes = match std::fs::read(&self.config_file) {
            Ok(bytes) => bytes,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => {
                return Ok(Loaded { config: self.usual_config(), text: String::new(), exists: false });
            }
            Err(e) => return Err(Failure::words(format!("{shown} cannot be read: {e}"))),
        };
        let text = String::from_utf8(bytes).map_err(|e| {
            let line =
                e.as_bytes()[..e.utf8_error().valid_up_to()].iter().filter(|b| **b == b'\n').count() + 1;
            Failure::words(format!("{shown}:{line}: this line is not UTF-8 text"))
                .hint("save the file as UTF-8 in your editor")
        })?;
        let mut config = config::parse(&text).map_err(|found| self.findings(&text, &found))?;
        if config.piles.is_empty() && config.bookcases.is_empty() {
            // A file that holds saved searches alone takes no place away.
            config.piles = self.usual_config().piles;
        }
        let loaded = Loaded { config, text, exists: true };
        let wrong = drives::findings(&loaded.config);
        let wrong = if wrong.is_empty() { layout::overlaps(self, &loaded.config) } else { wrong };
        if !wrong.is_empty() {
            return Err(self.findings(&loaded.text, &wrong));
        }
        Ok(loaded)
    }

    /// Without a configuration the desktop and the downloads folder are the piles.
    fn usual_config(&self) -> Config {
        let user = UserDirs::new();
        let of = |found: Option<&Path>, usual: &str| {
            found.map_or_else(|| self.user_home.join(usual), Path::to_owned)
        };
        let desktop = of(user.as_ref().and_then(UserDirs::desktop_dir), "Desktop");
        let downloads = of(user.as_ref().and_then(UserDirs::download_dir), "Downloads");
        let pile = |(name, at): (&str, PathBuf)| Pile {
            name: name.to_owned(),
            at: at.to_string_lossy().into_owned(),
            at_span: 0..0,
            settle: usual_settle(),
            believes_births: true,
            text: false,
        };
        let there =
            [("desktop", desktop), ("downloads", downloads)].into_iter().filter(|(_, at)| at.is_dir());
        Config {
            piles: there.map(pile).collect(),
            searches: nine_core::saved::starters(),
            ..Config::default()
        }
    }

    /// Words findings in the configuration, each with its line.
    pub fn findings(&self, text: &str, found: &[Diagnostic]) -> Failure {
        let file = escape(self.config_file.as_os_str().as_encoded_bytes());
        let mut told = Vec::new();
        for finding in found {
            let at = locate(text, &finding.span);
            let number = at.line.to_string();
            let gap = " ".repeat(number.len());
            let mut lines = vec![
                format!("{file}:{number}:{}: {}", at.column, plain(&finding.message)),
                format!("  {number} | {}", plain(&at.text.replace('\t', " "))),
                format!("  {gap} | {}{}", " ".repeat(at.column - 1), "^".repeat(at.width)),
            ];
            lines.extend(finding.help.as_ref().map(|help| format!("  {gap}   {}", plain(help))));
            told.push(lines.join("\n"));
        }
        let count = nine_core::amount::counted(found.len() as u64, "thing", "things");
        Failure::words(format!("{count} to mend in the configuration\n\n{}", told.join("\n\n")))
    }

    /// A path of the configuration with its home folder written out, or an address with its escapes undone.
    pub fn expand(&self, at: &str) -> PathBuf {
        if let Some(Ok(address)) = is_address(at).then(|| Address::parse(at)) {
            return as_path(&address);
        }
        match at.strip_prefix('~') {
            Some("") => self.user_home.clone(),
            Some(rest) => self.user_home.join(rest.trim_start_matches('/')),
            None => PathBuf::from(at),
        }
    }

    /// A path for people, with the home folder as `~`.
    pub fn shown(&self, path: &Path) -> String {
        if location::is_on_drive(path) {
            return escape(location::written(path).as_encoded_bytes());
        }
        match path.strip_prefix(&self.user_home) {
            Ok(below) if !below.as_os_str().is_empty() => {
                format!("~/{}", escape(below.as_os_str().as_encoded_bytes()))
            }
            _ => escape(path.as_os_str().as_encoded_bytes()),
        }
    }

    /// The folder in which saved searches are displayed as folders of links.
    pub fn displays(&self, config: &Config) -> PathBuf {
        config.displays.as_ref().map_or_else(|| self.user_home.join("Displays"), |at| self.expand(at))
    }

    /// How stores are opened.
    pub fn settings(&self, config: &Config, believes_births: bool) -> Settings {
        Settings {
            believes_births,
            home_trash: config
                .trash
                .as_ref()
                .map_or_else(|| self.desktop_trash.clone(), |at| self.expand(at)),
            one_trash: config.trash.is_some(),
            counters: Arc::clone(&self.counters),
        }
    }

    /// Opens one place.
    ///
    /// # Errors
    /// If it cannot be reached.
    pub fn open_store(
        &self,
        config: &Config,
        at: &Path,
        believes_births: bool,
    ) -> StoreResult<Arc<dyn Store>> {
        match Address::of_path(at).filter(|_| location::is_on_drive(at)) {
            Some(address) => self.open_on_drive(config, address),
            None => Ok(Arc::new(LocalStore::open(at, self.settings(config, believes_births))?)),
        }
    }

    /// Opens the places of a configuration.
    pub fn open(&self, config: &Config) -> Opened {
        let mut opened =
            Opened { places: Places::default(), open: Vec::new(), closed: Vec::new(), archive: Vec::new() };
        let piles =
            config.piles.iter().map(|Pile { name, at, believes_births, .. }| (name, at, *believes_births));
        let bookcases = config.bookcases.iter().map(|Bookcase { name, at, .. }| (name, at, true));
        for (name, at, births) in piles.chain(bookcases) {
            let path = self.expand(at);
            match self.open_store(config, &path, births) {
                Ok(store) => {
                    opened.places.add(name.clone(), store.clone());
                    opened.open.push(Place { name: name.clone(), store });
                }
                Err(error) => opened.closed.push((name.clone(), path, error)),
            }
        }
        opened.archive = archive::shelf(self, config, &opened);
        opened
    }

    /// The time by the clock, for records.
    pub fn clock() -> jiff::ZonedDateTime {
        jiff::Timestamp::now().to_zoned_datetime(zone().clone())
    }

    /// How old what is known from a moment is. The catalogue is dated by the clock, also where ages
    /// are counted from another day.
    pub fn known_since(at: nine_core::moment::Moment) -> String {
        match Now::new(Self::clock()).age(at).as_str() {
            "now" | "ahead" => "as known just now".to_owned(),
            age => format!("as known {age} ago"),
        }
    }

    /// Marks that steps are being carried out; an interruption waits for the one in hand.
    pub fn carrying(&self, yes: bool) {
        if yes {
            listen_for_interruption(Arc::clone(&self.watch));
        }
        CARRYING.store(yes, Ordering::SeqCst);
    }
}

impl Opened {
    /// The store of a place.
    pub fn store(&self, name: &str) -> Option<&Arc<dyn Store>> {
        self.open.iter().find(|place| place.name == name).map(|place| &place.store)
    }
}

/// The zone in which the person lives. The library looks a zone up by its name, for which it lists
/// every zone there is; where no name is asked for, the file that says it is read by itself.
fn zone() -> &'static TimeZone {
    static ZONE: OnceLock<TimeZone> = OnceLock::new();
    ZONE.get_or_init(|| {
        let is_named = std::env::var_os("TZ").is_some_and(|zone| !zone.is_empty());
        let bytes = std::fs::read("/etc/localtime").ok().filter(|_| !is_named);
        let local = bytes.and_then(|bytes| TimeZone::tzif("local", &bytes).ok());
        local.unwrap_or_else(TimeZone::system)
    })
}

fn now(today: Option<&str>) -> Done<Now> {
    let Some(text) = today else {
        return Ok(Now::new(Session::clock()));
    };
    Now::parse(text, zone()).ok_or_else(|| {
        Failure::words(format!("`{}` is not a day that can be read", plain(text)))
            .hint(format!("give --today {EXPECTED_DATE} in full, or with a time: 2031-04-07T09:00"))
    })
}

fn set_color(when: ColorWhen) {
    match when {
        ColorWhen::Auto => anstream::ColorChoice::Auto,
        ColorWhen::Always => anstream::ColorChoice::Always,
        ColorWhen::Never => anstream::ColorChoice::Never,
    }
    .write_global();
}

fn set_log(verbose: u8) {
    let level = match verbose {
        0 => return,
        1 => tracing::Level::INFO,
        _ => tracing::Level::DEBUG,
    };
    tracing_subscriber::fmt()
        .with_writer(std::io::stderr)
        .with_max_level(level)
        .with_target(false)
        .with_ansi(std::io::stderr().is_terminal())
        .init();
}

fn listen_for_interruption(watch: Arc<Watch>) {
    // Another handler can only be there in a test that embeds this; then nothing is lost.
    let _ = ctrlc::set_handler(move || {
        // Who asks twice does not want to wait; what is half-done is found by the next command.
        if !CARRYING.load(Ordering::SeqCst) || watch.is_stopped() {
            std::process::exit(130);
        }
        watch.stop();
        std::thread::spawn(end_before_long);
    });
}

/// Ends the program if the step in hand does not: it waits for a disk, or for a drive that does not answer.
fn end_before_long() {
    std::thread::sleep(Duration::from_millis(900));
    if CARRYING.load(Ordering::SeqCst) {
        let words = "Stopped in the middle of a step; the next command finds out how far it got.";
        let _ = writeln!(crate::output::err(), "{words}");
        std::process::exit(130);
    }
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
