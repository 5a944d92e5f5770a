//! Saved searches: kept, listed with what each finds now, and forgotten.

use std::io::Write;

use nine_core::amount::{count, readable};
use nine_core::condition::Condition;
use nine_core::config;
use nine_core::survey::Part;
use nine_core::tree::NodeId;
use serde::Serialize;

use super::grounds;
use crate::cli::{Format, SearchArgs, YesNo};
use crate::error::{Done, Failure};
use crate::looking::{How, Looking, Question};
use crate::output::style::{CHANGE, FAINT, STRONG};
use crate::output::table::{Column, Table, cell, styled};
use crate::output::{self, records};
use crate::selection::selectable;
use crate::session::{Loaded, Session};
use crate::{config_file, displays};

/// Keeps a search in the configuration; answers with the configuration as it is then.
pub fn save(
    args: &SearchArgs,
    session: &Session,
    loaded: Loaded,
    name: &str,
    condition: &Condition,
) -> Done<Loaded> {
    let display = args.display.map(|answer| answer == YesNo::Yes);
    let edit = |text: &str| config::save_search(text, name, &condition.to_string(), display);
    config_file::change(session, &loaded.text, edit)?;
    let was_there = loaded.config.search(name).is_some_and(|search| !search.starter);
    let kept = if was_there { "changed" } else { "saved" };
    let mut err = output::err();
    let file = session.shown(&session.config_file);
    writeln!(err, "{CHANGE}{kept}{CHANGE:#} as `{name}` in {file}: {condition}\n")?;
    session.load()
}

/// Forgets a saved search, and the folder of links that displayed it.
pub fn forget(session: &Session, loaded: &Loaded, name: &str) -> Done {
    let search = loaded.config.search(name);
    if search.is_none_or(|search| search.starter) {
        let starter = search.is_some();
        let failure = Failure::words(match starter {
            true => format!("`{name}` ships with the program and cannot be dropped"),
            false => format!("there is no saved search `{name}`"),
        });
        return Err(failure.hint(match starter {
            true => "save another under the same name to have that instead",
            false => "`nine search --list` names them",
        }));
    }
    config_file::change(session, &loaded.text, |text| config::drop_search(text, name).map(|(text, _)| text))?;
    displays::remove(session, &loaded.config, name);
    let mut out = output::out();
    writeln!(out, "The saved search `{name}` is dropped. What it found stays where it is.")?;
    Ok(out.flush()?)
}

#[derive(Serialize)]
struct Record {
    name: String,
    r#where: String,
    files: u64,
    bytes: u64,
    display: bool,
    starter: bool,
}

/// Lists the saved searches with what each finds now.
pub fn list(args: &SearchArgs, session: &Session, loaded: &Loaded) -> Done {
    let opened = session.open(&loaded.config);
    let how = match args.known {
        true => How::AsKnown(nine_core::tree::Column::ALL.to_vec()),
        false => How::Now,
    };
    let mut looking = Looking::look(session, grounds(args, session, loaded, &opened)?, &how)?;
    let mut found = Vec::new();
    for search in &loaded.config.searches {
        let mut part = Part::default();
        for view in 0..looking.views.len() {
            let among = selectable(&looking, view, &search.condition);
            let question = Question { condition: &search.condition, inside: false, reads_text: false };
            let rows = looking.find(view, question, &among)?;
            let tree = &looking.views[view].tree;
            rows.ids().for_each(|id: NodeId| part.add(tree.size(id)));
        }
        found.push(Record {
            name: search.name.clone(),
            r#where: search.condition.to_string(),
            files: part.count,
            bytes: part.bytes,
            display: search.display,
            starter: search.starter,
        });
    }
    looking.keep();
    match args.format {
        Format::Table => print_table(session, &found),
        other => records::print_as(found.into_iter(), other),
    }
}

fn print_table(session: &Session, found: &[Record]) -> Done {
    let look = &session.look;
    let mut table =
        Table::new(&[Column::Shortened, Column::Right, Column::Right, Column::Left, Column::Squeezed]);
    for record in found {
        let (files, bytes) = match record.files {
            0 => (styled("-", FAINT), styled("-", FAINT)),
            files => (cell(count(files)), cell(readable(record.bytes))),
        };
        let note = match (record.starter, record.display) {
            (true, _) => "ships with nine",
            (false, true) => "displayed",
            (false, false) => "",
        };
        table.line(vec![
            styled(look.text(&record.name), STRONG),
            files,
            bytes,
            styled(note, FAINT),
            styled(look.text(&record.r#where), FAINT),
        ]);
    }
    let mut out = output::out();
    table.print(&mut out, look)?;
    Ok(out.flush()?)
}
