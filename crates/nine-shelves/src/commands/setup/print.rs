//! Layouts as trees, and what would be set up.

use std::io::Write;

use anstyle::Style;
use nine_core::amount::{count, counted, readable};
use nine_core::config::{Color, Marks};
use nine_core::escape::plain;
use nine_core::layout::Layout;
use nine_core::worklist::Problem;
use nine_engine::setup::{FolderLine, Request, SetUp};
use serde::Serialize;

use crate::args::PlainFormat;
use crate::commands::tidy::print_left;
use crate::failure::Done;
use crate::output::style::{CHANGE, DOUBT, FAINT, REFUSED, STRONG};
use crate::output::tags::style_of;
use crate::output::{self, Look, records};
use crate::session::Session;

/// Lines of the old configuration that are shown above what is added.
const BEFORE: usize = 3;

#[derive(Serialize)]
struct LayoutRecord<'l> {
    layout: &'l str,
    about: &'l str,
    shelf: u8,
    title: &'l str,
    mark: Option<&'l str>,
    color: Option<&'static str>,
    shared: Option<&'l str>,
    folders: String,
}

/// Draws layouts as trees.
///
/// # Errors
/// If they cannot be printed.
pub fn layouts(layouts: &[Layout], format: PlainFormat, session: &Session) -> Done {
    let mut out = output::out();
    if format != PlainFormat::Table {
        let all = layouts.iter().flat_map(|layout| layout.shelves.iter().map(move |shelf| (layout, shelf)));
        let all = all.map(|(layout, shelf)| LayoutRecord {
            layout: &layout.name,
            about: &layout.about,
            shelf: shelf.shelf.number,
            title: &shelf.shelf.title,
            mark: shelf.shelf.mark.as_deref(),
            color: shelf.shelf.color.map(Color::word),
            shared: shelf.shelf.shared.as_deref(),
            folders: shelf.folders.join(";"),
        });
        return records::print(all, format);
    }
    for (at, layout) in layouts.iter().enumerate() {
        if at > 0 {
            writeln!(out)?;
        }
        one(&mut out, layout, &session.look)?;
    }
    Ok(out.flush()?)
}

fn one(out: &mut impl Write, layout: &Layout, look: &Look) -> Done {
    let rules = counted(layout.config.rules.len() as u64, "rule", "rules");
    let about = look.text(&plain(&layout.about));
    writeln!(out, "{STRONG}{}{STRONG:#}  {FAINT}{about}; {rules}{FAINT:#}", layout.name)?;
    for shelf in &layout.shelves {
        let config = &shelf.shelf;
        let (mark, style) = (look.mark(config.mark.as_deref()), style_of(config.color));
        let title = look.text(&plain(&config.title));
        let seen = config.shared.as_ref().map_or(String::new(), |who| format!("  seen by {}", plain(who)));
        writeln!(out, "  {} {mark}{style}{title}{style:#}{FAINT}{seen}{FAINT:#}", config.number)?;
        // What has no folders yet gets them by the rules.
        let branches: Vec<String> = match shelf.folders.is_empty() {
            true => rules_onto(layout, config.number),
            false => shelf.folders.clone(),
        };
        for (at, branch) in branches.iter().enumerate() {
            let is_last = at + 1 == branches.len();
            let line = match (look.ascii, is_last) {
                (true, _) => "`-",
                (false, true) => "└─",
                (false, false) => "├─",
            };
            writeln!(out, "      {FAINT}{line} {}{FAINT:#}", look.text(&plain(branch)))?;
        }
    }
    Ok(())
}

/// Where rules put things on a shelf that has no folders of its own: `{client}/{kind}/{year}`.
fn rules_onto(layout: &Layout, number: u8) -> Vec<String> {
    let start = format!("\"{number}/");
    let puts =
        layout.text.lines().filter_map(|line| line.trim().strip_prefix("put = ")?.strip_prefix(&start));
    let mut found: Vec<String> = puts.map(|put| put.trim_end_matches('"').to_owned()).collect();
    found.dedup();
    found
}

/// Prints everything that would be set up: folders, the configuration, and what the rules would do.
///
/// # Errors
/// If it cannot be printed.
pub fn set_up(set_up: &SetUp, request: &Request, session: &Session) -> Done {
    let mut out = output::out();
    let look = &session.look;
    let new = set_up.folders.iter().filter(|folder| !folder.is_there).count() as u64;
    let there = set_up.folders.len() as u64 - new;
    let there = if there > 0 { format!(", {} there already", count(there)) } else { String::new() };
    writeln!(
        out,
        "{STRONG}{}{STRONG:#}  {FAINT}{} to make{there}{FAINT:#}",
        session.environment.shown_at(&request.at),
        counted(new, "folder", "folders"),
    )?;
    set_up.folders.iter().try_for_each(|folder| folder_line(&mut out, folder, look))?;
    if let Some(Marks::Icon) = request.marks {
        writeln!(out, "  {FAINT}their marks become the folders' icons{FAINT:#}")?;
    }
    configuration(&mut out, set_up, session)?;
    first_tidy(&mut out, set_up, request, look)?;
    for left_out in &set_up.left_out {
        writeln!(out, "{DOUBT}left out: {left_out}, since there is another one already{DOUBT:#}")?;
    }
    let own = |problem: &Problem| !matches!(problem, Problem::TogetherWith(_));
    for (at, problem) in set_up.plan.checked.refused.iter().filter(|(_, problem)| own(problem)) {
        let item = &set_up.plan.settled.worklist.steps[*at].item;
        writeln!(out, "{REFUSED}x {item}{REFUSED:#}  {}", problem.words())?;
    }
    Ok(out.flush()?)
}

fn folder_line(out: &mut impl Write, folder: &FolderLine, look: &Look) -> Done {
    let name = look.name(&folder.name);
    let indent = "    ".repeat(folder.depth);
    let style = if folder.is_there { Style::new() } else { style_of(folder.color) };
    let (mark, sign) = if folder.is_there { (" ", FAINT) } else { ("+", CHANGE) };
    Ok(writeln!(out, "  {sign}{mark}{sign:#} {indent}{style}{name}{style:#}")?)
}

fn configuration(out: &mut impl Write, set_up: &SetUp, session: &Session) -> Done {
    let file = session.shown(&session.environment.config_file);
    let old = set_up.old.as_deref().unwrap_or_default();
    let note = if set_up.old.is_some() { "lines are added" } else { "a new file" };
    writeln!(out, "\n{STRONG}{file}{STRONG:#}  {FAINT}{note}{FAINT:#}")?;
    let before: Vec<&str> = old.lines().collect();
    if before.len() > BEFORE {
        let more = counted((before.len() - BEFORE) as u64, "line stays", "lines stay");
        writeln!(out, "    {FAINT}{more} as they are{FAINT:#}")?;
    }
    for line in before.iter().skip(before.len().saturating_sub(BEFORE)) {
        writeln!(out, "    {FAINT}{}{FAINT:#}", session.look.text(&plain(line)))?;
    }
    let added = set_up.new.strip_prefix(old).unwrap_or(&set_up.new);
    for line in added.trim_start_matches('\n').lines() {
        let line = session.look.text(&plain(line));
        let (sign, space) = (CHANGE, if line.is_empty() { "" } else { " " });
        writeln!(out, "  {sign}+{sign:#}{space}{line}")?;
    }
    Ok(())
}

fn first_tidy(out: &mut impl Write, set_up: &SetUp, request: &Request, look: &Look) -> Done {
    let first = &set_up.first;
    if !request.rules || request.layout.is_none() {
        return Ok(());
    }
    let (filed, all) = (count(first.filed), counted(first.looked_at, "thing", "things"));
    writeln!(
        out,
        "\n{STRONG}What its rules would do now{STRONG:#}  {FAINT}{filed} of {all}; nothing moves yet{FAINT:#}"
    )?;
    for share in &first.shares {
        let (shelf, items) = (look.name(&share.shelf), counted(share.items, "item", "items"));
        writeln!(out, "  {STRONG}{shelf}{STRONG:#}  {items}  {FAINT}{}{FAINT:#}", readable(share.bytes))?;
        for (name, below) in &share.examples {
            let folder = if below.is_empty() {
                String::new()
            } else {
                format!("  {FAINT}{}{FAINT:#}", look.text(below))
            };
            writeln!(out, "      {}{folder}", look.name(name))?;
        }
    }
    if !first.left.is_empty() {
        print_left(&first.left, first.looked_at, out)?;
    }
    Ok(())
}
