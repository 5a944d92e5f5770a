//! What a drive can do, as it was found by trying, and what differs therefore.

use std::io::Write;

use nine_engine::check::TriedDrive;
use nine_stores::drive::Conduct;

use crate::output::style::{DOUBT, FAINT, PLAIN, REFUSED, STRONG};
use crate::output::table::{Table, TableColumn, cell, styled};
use crate::session::Session;

/// Whether the thing is as one would wish, what it is, and what follows.
type DriveFinding = (bool, &'static str, String);

/// What becomes of names, and whether that is as one would wish.
fn names(conduct: &Conduct) -> (bool, String) {
    match (conduct.folds_case, conduct.folds_form) {
        _ if conduct.cuts_names => {
            (false, "cut at # ? and ; by the drive; what has one of these is not put there".to_owned())
        }
        (false, false) => (true, "kept as they are".to_owned()),
        (true, false) => (false, "names that differ in letter case only are one name".to_owned()),
        (false, true) => (false, "names that differ in their Unicode form only are one name".to_owned()),
        (true, true) => {
            (false, "names that differ in letter case or Unicode form only are one name".to_owned())
        }
    }
}

fn lines(conduct: &Conduct) -> Vec<DriveFinding> {
    let words = |good: bool, yes: &str, no: &str| (good, if good { yes } else { no }.to_owned());
    let line = |what: &'static str, (good, text): (bool, String)| (good, what, text);
    let tags = match (conduct.keeps_properties, conduct.properties_survive_move) {
        (true, true) => (true, "kept on the drive, and they survive a move".to_owned()),
        (true, false) => {
            (true, "kept on the drive, which drops them on a move; they are put back then".to_owned())
        }
        (false, _) => (false, "the drive keeps no tags; what has some is not put there".to_owned()),
    };
    vec![
        line("tags", tags),
        line(
            "times",
            words(
                conduct.keeps_properties,
                "kept beside the file, since the drive sets its own",
                "not kept; a file has the time at which it was sent",
            ),
        ),
        line("names", names(conduct)),
        line(
            "checksums",
            words(
                conduct.tells_sums,
                "told by the drive; what is sent need not be read back",
                "not told; what is sent is read back and compared",
            ),
        ),
        line(
            "room",
            words(conduct.tells_room, "told by the drive", "not told; that it is full shows when it refuses"),
        ),
        line(
            "news",
            words(
                conduct.tells_changes || conduct.deep_tags,
                "told by the drive; only what changed is listed again",
                "not told; every folder is listed each time",
            ),
        ),
        line(
            "sharing",
            words(
                conduct.tells_rights,
                "told by the drive",
                "not told; name the folders that others see under `shared`",
            ),
        ),
        line("locks", words(conduct.locks, "known to it; what is locked is left alone", "none")),
    ]
}

/// Prints what was found.
pub fn print(out: &mut impl Write, session: &Session, tried: &TriedDrive) -> std::io::Result<()> {
    let look = &session.look;
    writeln!(out, "\n{STRONG}{}{STRONG:#}  {FAINT}tried just now{FAINT:#}", look.text(&tried.at))?;
    if let Some(careless) = &tried.conduct.careless {
        return writeln!(out, "  {REFUSED}x{REFUSED:#} it {careless}; it is only read");
    }
    let mut table = Table::new(&[TableColumn::Left, TableColumn::Left, TableColumn::Left]).indented(2);
    for (good, what, text) in lines(&tried.conduct) {
        let mark = if good { styled("ok", PLAIN) } else { styled("-", DOUBT) };
        table.line(vec![mark, cell(what), styled(text, if good { FAINT } else { DOUBT })]);
    }
    table.print(out, look)
}
