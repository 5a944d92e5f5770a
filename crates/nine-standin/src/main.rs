//! `nine-standin`: serves a folder as a drive until it is interrupted.

use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::Duration;

use clap::{Parser, ValueEnum};
use nine_standin::{Fault, Forgets, Settings, Standin};

/// A small WebDAV drive over a folder, on the loopback address, for demos and tests.
#[derive(Parser)]
#[command(name = "nine-standin", version, after_help = EXAMPLES)]
struct Args {
    /// The folder to serve
    folder: PathBuf,
    /// The port; some free one if it is left out
    #[arg(long, default_value_t = 0)]
    port: u16,
    /// Who may come in, as NAME:PASSWORD
    #[arg(long, value_name = "NAME:PASSWORD")]
    login: Option<String>,
    /// Milliseconds that each answer takes
    #[arg(long, default_value_t = 0, value_name = "MS")]
    delay: u64,
    /// Bytes that it holds at most
    #[arg(long, value_name = "BYTES")]
    quota: Option<u64>,
    /// Let nothing be changed
    #[arg(long)]
    read_only: bool,
    /// When it forgets the properties that clients give to items
    #[arg(long, value_enum, default_value = "never")]
    forgets: When,
    /// Take no notice of conditions
    #[arg(long)]
    careless: bool,
    /// Tell what has changed since an earlier look
    #[arg(long)]
    tells_changes: bool,
    /// Give folders entity tags that change with anything below them
    #[arg(long)]
    deep_tags: bool,
    /// Give the checksum of a file where it is asked for one
    #[arg(long)]
    tells_sums: bool,
    /// What goes wrong: WRONG[:METHOD[:FROM[:TIMES]]]
    #[arg(long, value_name = "FAULT")]
    fault: Vec<Fault>,
}

const EXAMPLES: &str = "\
WRONG is one of drop-before, drop-after, half, slow-MS, elsewhere, endless, astray, garbled, or a status.

Examples:
  nine-standin drive/ --port 8765
  nine-standin drive/ --delay 30 --fault 503:PUT:1:2
  nine-standin drive/ --fault drop-after:MOVE:3:1";

#[derive(Clone, Copy, ValueEnum)]
enum When {
    Never,
    OnMove,
    Always,
}

fn main() -> ExitCode {
    let args = Args::parse();
    let settings = Settings {
        root: args.folder,
        port: args.port,
        login: args.login.and_then(|login| login.split_once(':').map(|(a, b)| (a.to_owned(), b.to_owned()))),
        delay: Duration::from_millis(args.delay),
        quota: args.quota,
        read_only: args.read_only,
        forgets: match args.forgets {
            When::Never => Forgets::Never,
            When::OnMove => Forgets::OnMove,
            When::Always => Forgets::Always,
        },
        careless: args.careless,
        tells_changes: args.tells_changes,
        deep_tags: args.deep_tags,
        tells_sums: args.tells_sums,
    };
    let folder = settings.root.display().to_string();
    match Standin::start(settings) {
        Ok(drive) => {
            drive.misbehave(args.fault);
            let _ = writeln!(std::io::stdout(), "{folder} is served at {}", drive.url());
            loop {
                std::thread::park();
            }
        }
        Err(error) => {
            let _ = writeln!(std::io::stderr(), "{folder} cannot be served: {error}");
            ExitCode::FAILURE
        }
    }
}
