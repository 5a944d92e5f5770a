//! Worklists as files: the table for the person, and beside the daybook what was proposed when it was
//! written.

use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};

use nine_core::amount::counted;
use nine_core::escape::escape;
use nine_core::worklist::table::{Kept, Row, Wrong, lines, read, to_csv, to_json};

use crate::error::{Done, Failure, Kind};
use crate::paste;
use crate::pipeline::{Drawn, Planned};
use crate::session::Session;

/// How many worklists are remembered.
const REMEMBERED: usize = 40;

/// Writes a worklist to a file of the person's, which must not be there yet.
///
/// # Errors
/// If its name says no format, something has it already, or it cannot be written.
pub fn write(session: &Session, planned: Planned, drawn: &Drawn, file: &Path) -> Done {
    let shown = escape(file.as_os_str().as_encoded_bytes());
    let as_csv = match file.extension().and_then(|ext| ext.to_str()).map(str::to_ascii_lowercase).as_deref() {
        Some("csv") => true,
        Some("json") => false,
        _ => {
            return Err(Failure::words(format!("{shown} ends in neither .csv nor .json"))
                .hint("the end of the name says how it is written: --worklist list.csv"));
        }
    };
    let (lines, proposals) = lines(planned.proposals, &drawn.settled, &drawn.checked, &session.now);
    let text = if as_csv { to_csv(&lines, &planned.facets) } else { to_json(&lines) };
    let (steps, doubts) = (lines.len() as u64, lines.iter().filter(|line| !line.doubt.is_empty()).count());
    let kept = Kept {
        command: planned.command,
        by_rules: planned.by_rules,
        undoes: planned.undoes,
        clear_away: planned.clear_away,
        dated: planned.dated,
        places: planned.places.addresses(),
        facets: planned.facets,
        lines,
        proposals,
    };
    keep(session, &kept)?;
    let new = nine_carry::new_private(file);
    let written = new.and_then(|mut new| {
        let done = new.write_all(&text).and_then(|()| new.sync_all());
        // Half a table must not be taken for a whole one. It is ours: it was made just now.
        done.inspect_err(|_| drop(fs::remove_file(file)))
    });
    written.map_err(|error| match error.kind() {
        std::io::ErrorKind::AlreadyExists => Failure::words(format!("{shown} is there already"))
            .hint("give another name, so that nothing is overwritten"),
        _ => Failure::system(format!("{shown} cannot be written: {error}")),
    })?;
    let mut err = crate::output::err();
    writeln!(
        err,
        "{} written to {shown}, {doubts} in doubt. Nothing has been changed.",
        counted(steps, "line", "lines")
    )?;
    writeln!(err, "Look through it, then: nine carry {}", paste::path_or_escaped(file))?;
    match planned.troubles {
        0 => Ok(()),
        _ => Err(Failure::new(Kind::Partly, "")),
    }
}

fn folder(session: &Session) -> PathBuf {
    session.data.join("worklists")
}

/// The remembered worklists, the newest last.
fn remembered(session: &Session) -> Vec<(u64, PathBuf)> {
    let entries = fs::read_dir(folder(session)).into_iter().flatten().flatten();
    let number = |path: &Path| path.file_stem()?.to_str()?.parse::<u64>().ok();
    let mut found: Vec<(u64, PathBuf)> =
        entries.filter_map(|entry| Some((number(&entry.path())?, entry.path()))).collect();
    found.sort();
    found
}

fn keep(session: &Session, kept: &Kept) -> Done {
    let unwritable = |error: std::io::Error| {
        Failure::system(format!(
            "what is proposed cannot be kept in {}: {error}",
            session.shown(&folder(session))
        ))
        .hint("make room or give another folder with --home")
    };
    nine_carry::make_private(&folder(session)).map_err(unwritable)?;
    let before = remembered(session);
    let mut number = before.last().map_or(1, |(last, _)| last + 1);
    loop {
        let path = folder(session).join(format!("{number}.json"));
        match nine_carry::new_private(&path) {
            Ok(mut file) => {
                // Straight into the file: the list may be long.
                let mut out = std::io::BufWriter::new(&mut file);
                serde_json::to_writer(&mut out, kept).map_err(|error| unwritable(error.into()))?;
                out.flush().map_err(unwritable)?;
                drop(out);
                file.sync_all().map_err(unwritable)?;
                break;
            }
            // Another command took the number meanwhile.
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => number += 1,
            Err(error) => return Err(unwritable(error)),
        }
    }
    for (_, old) in before.iter().rev().skip(REMEMBERED - 1) {
        let _ = fs::remove_file(old);
    }
    Ok(())
}

/// Reads a table, and finds what was proposed when it was written: the newest worklist that has every
/// line of it.
///
/// # Errors
/// What cannot be understood, with the lines; or that nothing like it was proposed here.
pub fn load(session: &Session, file: &Path) -> Done<(Vec<Row>, Kept)> {
    let shown = escape(file.as_os_str().as_encoded_bytes());
    let bytes = fs::read(file).map_err(|error| match error.kind() {
        std::io::ErrorKind::NotFound => Failure::words(format!("there is no file {shown}"))
            .hint("a planner writes one: nine tidy --worklist list.csv"),
        _ => Failure::system(format!("{shown} cannot be read: {error}")),
    })?;
    let rows = read(&bytes).map_err(|wrong| refused(&shown, &wrong))?;
    let mut nearest: Option<(usize, Kept)> = None;
    for (_, path) in remembered(session).into_iter().rev() {
        let Ok(text) = fs::read(&path) else { continue };
        let Ok(kept) = serde_json::from_slice::<Kept>(&text) else { continue };
        let strange = rows.iter().filter(|row| !kept.has(row)).count();
        if strange == 0 {
            return Ok((rows, kept));
        }
        if nearest.as_ref().is_none_or(|(least, _)| strange < *least) {
            nearest = Some((strange, kept));
        }
    }
    // If most of it is known, the lines that are not will be named.
    match nearest {
        Some((strange, kept)) if 2 * strange <= rows.len() => Ok((rows, kept)),
        _ => Err(Failure::words(format!("{shown} is no worklist that is known here"))
            .hint("make it anew with --worklist, and keep its columns `step` and `item` as they are")),
    }
}

/// The failure of a table that cannot be understood.
pub fn refused(shown: &str, wrong: &[Wrong]) -> Failure {
    const SHOWN: usize = 20;
    let told = wrong.iter().take(SHOWN).map(|wrong| {
        let at = wrong.line.map_or_else(|| shown.to_owned(), |line| format!("{shown}:{line}"));
        format!("{at}: {}\n  {}", wrong.message, wrong.help)
    });
    let mut told: Vec<String> = told.collect();
    if wrong.len() > SHOWN {
        told.push(format!("and {} more", wrong.len() - SHOWN));
    }
    let things = counted(wrong.len() as u64, "thing", "things");
    Failure::words(format!("{things} in the worklist cannot be understood\n\n{}\n", told.join("\n")))
        .hint("nothing has been changed")
}
