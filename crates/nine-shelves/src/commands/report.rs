//! `nine report`: one page with pictures, to open in a browser.

use std::io::Write;
use std::path::{Path, PathBuf};

use clap::{Args, ValueEnum};
use nine_core::amount::{counted, readable};
use nine_core::paste;
use nine_engine::report::{self, Report, Request};

use crate::args::{SHOWN, WHAT};
use crate::failure::{Done, Failure, unless};
use crate::output;
use crate::output::style::{FAINT, STRONG};
use crate::report::page;
use crate::session::Session;

#[derive(Debug, Args)]
#[command(
    after_long_help = "Examples:\n  nine report                          all piles and bookcases; kept under the day's date\n  nine report --open                   and shown by the desktop's browser\n  nine report drive downloads          some places; any folder will do too\n  nine report --to ~/friday.html       somewhere else\n  nine report --hide-names --to to-send.html\n                                       figures and folders of the first level alone\n  nine report --format json            the data alone\n\nThe page is one file that needs nothing else and sends nothing. It tells what survey, shelves,\ncopies, archive list, history and tag list tell; of copies as far as files were compared by now."
)]
pub struct ReportArgs {
    /// The places; all piles and bookcases, if left out
    #[arg(value_name = "PLACE")]
    pub places: Vec<PathBuf>,
    /// Write it to this file, which must not be there yet
    #[arg(long, value_name = "FILE", help_heading = SHOWN)]
    pub to: Option<PathBuf>,
    /// Open it with the desktop's program for pages
    #[arg(long, conflicts_with = "format", help_heading = SHOWN)]
    pub open: bool,
    /// Leave out what items are called, so that it can be sent
    ///
    /// Only places and the folders directly in them are named then; there are no pictures and no tags.
    #[arg(long, help_heading = WHAT)]
    pub hide_names: bool,
    /// html, or json, which goes to standard output unless --to is given
    #[arg(long, default_value = "html", help_heading = SHOWN, hide_possible_values = true)]
    pub format: ReportFormat,
}

/// Formats of a report
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum ReportFormat {
    /// A page
    Html,
    /// One JSON object; docs/report.schema.json says what is in it
    Json,
}

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &ReportArgs, session: &Session) -> Done {
    let to = args.to.as_deref();
    if let Some(file) = to.filter(|file| file.symlink_metadata().is_ok()) {
        // Found out before anything is looked at, which may take long.
        let source = std::io::ErrorKind::AlreadyExists.into();
        return Err(nine_engine::Error::FileUnwritable { file: file.to_owned(), source }.into());
    }
    let workspace = session.workspace()?;
    let request = Request { places: args.places.clone(), hides_names: args.hide_names };
    let made = report::report(&workspace, &request)?;
    let text = match args.format {
        ReportFormat::Html => page(&made),
        ReportFormat::Json => serde_json::to_string(&made).map_err(std::io::Error::from)? + "\n",
    };
    if args.format == ReportFormat::Json && to.is_none() {
        let mut out = output::raw();
        out.write_all(text.as_bytes())?;
        out.flush()?;
        return unless(made.unread);
    }
    let file = report::write(&workspace, &text, to)?;
    if let Err(error) = report::keep(&workspace, &made) {
        workspace.reporter.notice(&nine_engine::Notice::NotRemembered("what was counted", &error));
    }
    tell(&made, &file, text.len() as u64, session)?;
    if args.open {
        open(&file, session)?;
    }
    unless(made.unread)
}

/// Where it is, and what is in it.
fn tell(made: &Report, file: &Path, bytes: u64, session: &Session) -> Done {
    let mut out = output::out();
    let shown = session.look.text(&session.shown(file));
    let places = counted(made.places.len() as u64, "place", "places");
    let files = counted(made.places.iter().map(|place| place.files).sum(), "file", "files");
    writeln!(out, "{STRONG}{shown}{STRONG:#}  {FAINT}{places}, {files}; {}{FAINT:#}", readable(bytes))?;
    Ok(out.flush()?)
}

fn open(file: &Path, session: &Session) -> Done {
    let whole = std::path::absolute(file)?;
    open::that_detached(&whole).map_err(|error| {
        let shown = session.shown(file);
        let typed = paste::path_or_escaped(&whole);
        Failure::system(format!("{shown} was made, and cannot be opened: {error}"))
            .hint(format!("open it in a browser yourself: {typed}"))
    })
}
