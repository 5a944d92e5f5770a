//! The words that are put to what the engine says: which kind of failure it is, and what to do next.

use std::path::Path;

use nine_core::amount::counted;
use nine_core::diagnostic::{Diagnostic, any_of, locate, nearest};
use nine_core::escape::{escape, plain};
use nine_core::worklist::table::Wrong;
use nine_engine::error::{Named, Nowhere, ScheduleError, WantedOfPlace};
use nine_engine::{Environment, Error};

use crate::failure::{FailureKind, Message};
use nine_core::paste;

/// How many things that are wrong in a table are named.
const MOST: usize = 20;

/// Puts words to an error.
pub fn tell(error: &Error, environment: &Environment) -> Message {
    Message { kind: kind(error), message: message(error, environment), hint: hint(error, environment) }
}

fn kind(error: &Error) -> FailureKind {
    use Error as E;
    match error {
        E::AtWork(_) | E::SideUnread => FailureKind::Partly,
        E::ConfigUnwritable { .. }
        | E::ConfigChanged(_)
        | E::Path { .. }
        | E::Store { .. }
        | E::NothingKnown
        | E::Catalogue(_)
        | E::Recall(_)
        | E::Daybook { .. }
        | E::NewerRun { .. }
        | E::DaybookUnwritable { .. }
        | E::BrokenOff { .. }
        | E::List { .. }
        | E::WorklistUnkept { .. }
        | E::Io(_) => FailureKind::System,
        E::TableUnreadable { source, .. } | E::FileUnwritable { source, .. } => match source.kind() {
            std::io::ErrorKind::NotFound | std::io::ErrorKind::AlreadyExists => FailureKind::Words,
            _ => FailureKind::System,
        },
        _ => FailureKind::Words,
    }
}

/// What happened. Paths are told with the home folder as `~`, but where they are to be opened in an editor.
fn message(error: &Error, environment: &Environment) -> String {
    use Error as E;
    let shown = |path: &Path| environment.shown(path);
    match error {
        E::Config { file, text, findings } => findings_in(file, text, findings),
        E::Condition { text, finding } => condition(text, finding),
        E::Table { file, wrong } => table(file, wrong),
        E::ConfigUnwritable { file, source } => format!("{} cannot be changed: {source}", shown(file)),
        E::ConfigEdit { file, why } => format!("{} cannot be changed: {why}", shown(file)),
        E::ConfigChanged(file) => format!("{} was changed by another program meanwhile", shown(file)),
        E::NotAPlace { at, source, .. } => {
            format!("{} cannot be looked at: {}", environment.shown_at(at), there_is_none(source))
        }
        E::NotAnItem(path) => format!("{} is not an item", shown(path)),
        E::Path { path, source } => format!("{}: {source}", shown(path)),
        E::Daybook { folder, source } => {
            format!("the daybook in {} cannot be used: {source}", shown(folder))
        }
        E::DaybookUnwritable { folder, source } => {
            format!("the daybook in {} cannot be written: {source}", shown(folder))
        }
        E::NoRules { file, exists: true } => format!("there are no rules in {}", shown(file)),
        E::NoRules { file, .. } => format!("there is no {}, so there are no rules", shown(file)),
        E::ListingUnreadable { file, source } => format!("{} cannot be read: {source}", shown(file)),
        E::Listing { file, why } => format!("{} is not a list of files with digests: {why}", shown(file)),
        E::WorklistUnkept { folder, source } => {
            format!("what is proposed cannot be kept in {}: {source}", shown(folder))
        }
        E::TableUnreadable { file, source } if source.kind() == std::io::ErrorKind::NotFound => {
            format!("there is no file {}", full(file))
        }
        E::FileUnwritable { file, source } if source.kind() == std::io::ErrorKind::AlreadyExists => {
            format!("{} is there already", full(file))
        }
        other => other.to_string(),
    }
}

fn full(path: &Path) -> String {
    escape(path.as_os_str().as_encoded_bytes())
}

/// Why there is nothing to be seen at a folder that was named.
pub fn there_is_none(error: &nine_stores::StoreError) -> String {
    match error {
        nine_stores::StoreError::NotThere => "there is no such folder".to_owned(),
        other => other.to_string(),
    }
}

/// What to do next.
fn hint(error: &Error, environment: &Environment) -> Option<String> {
    use Error as E;
    let hint = match error {
        E::Unknown { what, word, known } => return Some(unknown(*what, word, known)),
        E::BookcaseStands { .. } => "give another folder with --at, or see what stands there: nine shelves",
        E::NoLayout { .. } => {
            let names: Vec<&str> = nine_core::layout::names().collect();
            return Some(format!(
                "choose a layout: --layout {} (nine setup --list shows them)",
                any_of(names)
            ));
        }
        E::NewerRun { run, .. } => {
            return Some(format!(
                "nothing has been changed; use the newer nine, or set the run aside: nine history give-up {run}"
            ));
        }
        E::Schedule(error) => return Some(hint_of_schedule(error)),
        E::RuleThere(_) => "give another name, or change it: nine rule change",
        E::NoDisk { .. } => "connect the disk, or make the folder first, if none is missing",
        E::Nowhere(what) => return Some(nowhere(*what, environment)),
        E::NotAPlace { known, .. } if known.is_empty() => "give a folder",
        E::NotAPlace { known, .. } => {
            let known = any_of(known.iter().map(String::as_str));
            return Some(format!("give a folder, or one of {known}"));
        }
        E::IsAPlace { wanted, .. } => match wanted {
            WantedOfPlace::Archive => "archive what lies in it",
            WantedOfPlace::Discard => "places stay; take them out of shelves.toml first",
            WantedOfPlace::Put => "places are named in shelves.toml, and stay where they are",
        },
        E::DatedTwice { one, other, .. } => {
            return Some(format!("say `{}` or `{}`", escape(one.path.name()), escape(other.path.name())));
        }
        E::NothingOfRun(run) => return Some(format!("nine history {run} shows what it did")),
        E::NoShelf { shelves, .. } => {
            let shelves = any_of(shelves.iter().map(String::as_str));
            return Some(format!("give its number or title: {shelves}"));
        }
        E::NearlySame { name, .. } => {
            return Some(format!("say --on with `{name}`, or --new-folder to make the other"));
        }
        E::TagTaken { from, to } => {
            let (from, to) = (paste::word(from), paste::word(to));
            return Some(format!("`nine tag merge {from} {to}` makes the two one"));
        }
        E::TableUnreadable { source, .. } if source.kind() != std::io::ErrorKind::NotFound => return None,
        E::FileUnwritable { source, .. } if source.kind() != std::io::ErrorKind::AlreadyExists => {
            return None;
        }
        other => fixed_hint(other)?,
    };
    Some(hint.to_owned())
}

fn hint_of_schedule(error: &ScheduleError) -> String {
    match error {
        ScheduleError::NothingLeft(_) => {
            "nine history shows what was run, and nine undo takes a single run back".to_owned()
        }
        ScheduleError::WatchLimit => {
            "raise fs.inotify.max_user_instances, or end another program that watches".to_owned()
        }
        ScheduleError::NoTimes(_) => "say it with --when, such as --when 'Friday 16:00'".to_owned(),
        ScheduleError::NoSystemd { instead } => {
            format!("start it with your session some other way: {instead}")
        }
    }
}

/// What to do next, where that is always the same.
fn fixed_hint(error: &Error) -> Option<&'static str> {
    use Error as E;
    Some(match error {
        E::ConfigNotText { .. } => "save the file as UTF-8 in your editor",
        E::ConfigChanged(_) => "nothing has been changed; try again",
        E::NothingSelected { or_run: true } => {
            "give paths, --where CONDITION, --saved NAME, --run RUN, or - for paths on standard input"
        }
        E::NothingSelected { .. } => {
            "give paths, --where CONDITION, --saved NAME, or - for paths on standard input"
        }
        E::NothingAt(_) => "give a path, or a place and a path below it, such as downloads/letter.txt",
        E::InNoPlace(_) => "what is on a drive is reached through a place of the configuration",
        E::NeitherFileNorFolder(_) => "select files and folders",
        E::NothingKnown => "leave out --known to read the places",
        E::Recall(_) => "leave out --known to read anew",
        E::WordsUnread => {
            "add --text to read them now, or `text = true` to a pile or bookcase to have it done always"
        }
        E::AtWork(_) => "nothing has been changed; try again when it is over",
        E::DaybookUnwritable { .. } => {
            "nothing has been changed; make room or give another folder with --home"
        }
        E::BrokenOff { .. } => "what was done so far is kept; the next command finds out how far it got",
        E::NoRun(_) => "`nine history` lists them",
        E::RunIsOver(_) => "`nine history` lists the runs",
        E::NothingToUndo => "`nine history` lists what was carried out; `nine undo RUN` names one",
        E::NoRules { exists: false, .. } => "make shelves and starter rules: nine setup",
        E::NoRules { .. } => "make one: nine rule add; or take a layout's: nine setup --list",
        E::NothingToSweep => "write one into shelves.toml: [pile.downloads] at = \"~/Downloads\"",
        E::SideAway(_) => {
            "both sides must be there; for one that is not, give a list of its files with --listing"
        }
        E::SameFolder => "give two places: nine compare A B",
        E::Listing { .. } => "make it there with nine search --format csv --with-hash",
        E::NotATag => "write tags as words joined by commas: todo,loans",
        E::NotANestedTag(_) => "a nested tag is written client/Harrow",
        E::SeveralTags(_) => "rename and merge take one tag at a time",
        E::Starter(_) => "save another under the same name to have that instead",
        E::TableUnreadable { .. } => "a planner writes one: nine tidy --worklist list.csv",
        E::Table { .. } => "nothing has been changed",
        E::TableUnknown(_) => {
            "make it anew with --worklist, and keep its columns `step` and `item` as they are"
        }
        E::TableName(_) => "the end of the name says how it is written: --worklist list.csv",
        E::FileUnwritable { .. } => "give another name, so that nothing is overwritten",
        E::WorklistUnkept { .. } => "make room or give another folder with --home",
        E::ReviewOpen => "end it there first",
        E::ReviewUnkept { .. } => "make room or give another folder with --home",
        E::FixedTarget(_) => "this step discards or restores it; leave its target as it is",
        other => return hint_of_shelves(other),
    })
}

/// The same of what is wrong with the archive and with shelves.
fn hint_of_shelves(error: &Error) -> Option<&'static str> {
    use Error as E;
    Some(match error {
        E::NoArchive => {
            "call a shelf `Archive`, or say where it is: [archive] when = \"idle over 180d\", put = \"9/{today}/{pile}\""
        }
        E::ArchiveTwice { .. } => "rename all but one; nine shelves shows them",
        E::Homeless(_) => "write its folder into shelves.toml first, so that it can be brought back there",
        E::NotForZip(_) => "pack it with --as tar.zst",
        E::NothingToRetrieve(_) | E::NotAway(_) => "nine search finds what is archived, and where",
        E::List { .. } => "mend it, or bring items back with nine put",
        E::NoBookcase => {
            "make one in shelves.toml: [bookcase.home] at = \"~/Shelves\", shelves = [\"Letters\"]"
        }
        E::ShelfTwice { .. } => "rename all but one",
        E::FolderName(_) => "leave out < > : \" \\ | ? * and dots or spaces at the end",
        E::NotAFolder(_) => "--merge brings folders together; leave it out to file files",
        E::IntoItself { .. } => "name the other folder under --on",
        _ => return None,
    })
}

/// The nearest right word, or all there are.
fn unknown(what: Named, word: &str, known: &[String]) -> String {
    let words = || known.iter().map(String::as_str);
    if let Some(near) = nearest(word, words()) {
        return format!("did you mean `{}`?", plain(near));
    }
    let all = any_of(words());
    match what {
        Named::Search => format!("the saved searches are {all}"),
        Named::Pile => format!("the piles are {all}"),
        Named::Bookcase => format!("the bookcases are {all}"),
        Named::Place => format!("the places are {all}"),
        Named::Dated if known.is_empty() => "nothing has been archived yet".into(),
        Named::Dated => format!("it has {all}"),
        Named::Preference => format!("--keep takes a list of {all}"),
        Named::Group => format!("it can be grouped by {all}"),
        Named::Oddity => format!("it can be {all}"),
        Named::Facet => format!("the facets are {all}"),
        Named::Routine if known.is_empty() => "there are none yet; nine routine shows how to make one".into(),
        Named::Routine => format!("the routines are {all}"),
        Named::Rule => format!("the rules are {all}; nine rule lists them"),
        Named::Layout => format!("the layouts are {all}, or give a file: ./mine.toml"),
        Named::Tag => "`nine tag` lists all tags".into(),
    }
}

fn nowhere(what: Nowhere, environment: &Environment) -> String {
    let do_this = match what {
        Nowhere::Search => "give a folder with --in",
        Nowhere::Copies => "give folders: nine copies ~/Downloads",
        Nowhere::Survey => "name a folder, as in nine survey ~/Downloads",
        Nowhere::Report => "name a folder, as in nine report ~/Downloads",
        Nowhere::Shelves | Nowhere::Suggest => "make one: nine setup",
    };
    format!("{do_this}, or write piles into {}", environment.shown(&environment.config_file))
}

/// Words findings in the configuration, each with its line.
fn findings_in(file: &Path, text: &str, found: &[Diagnostic]) -> String {
    let file = full(file);
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
    let count = counted(found.len() as u64, "thing", "things");
    format!("{count} to mend in the configuration\n\n{}", told.join("\n\n"))
}

/// Words a finding in a condition that was typed, with a pointer to the word.
fn condition(text: &str, finding: &Diagnostic) -> String {
    let at = locate(text, &finding.span);
    let shown = plain(&at.text.replace('\t', " "));
    let pointer = format!("{}{}", " ".repeat(at.column - 1), "^".repeat(at.width.max(1)));
    let mut told = format!("{}\n\n      {shown}\n      {pointer}", plain(&finding.message));
    if let Some(help) = &finding.help {
        told.push_str(&format!("\n      {}", plain(help)));
    }
    told
}

/// Words what cannot be understood of a table.
fn table(file: &Path, wrong: &[Wrong]) -> String {
    let shown = full(file);
    let told = wrong.iter().take(MOST).map(|wrong| {
        let at = wrong.line.map_or_else(|| shown.clone(), |line| format!("{shown}:{line}"));
        format!("{at}: {}\n  {}", wrong.message, wrong.help)
    });
    let mut told: Vec<String> = told.collect();
    if wrong.len() > MOST {
        told.push(format!("and {} more", wrong.len() - MOST));
    }
    let things = counted(wrong.len() as u64, "thing", "things");
    format!("{things} in the worklist cannot be understood\n\n{}\n", told.join("\n"))
}
