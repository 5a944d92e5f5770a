//! `nine tidy`: apply the rules.

use std::collections::BTreeMap;
use std::io::Write;

use nine_core::amount::{count, counted};
use nine_core::config::{Config, Pile};
use nine_core::diagnostic::nearest;
use nine_core::plan::Left;
use nine_core::rules::Rule;
use nine_stores::StoreError;

use super::shelves_picture;
use crate::cli::{Format, TidyArgs};
use crate::error::{Done, Failure};
use crate::output::style::{FAINT, REFUSED};
use crate::pipeline::{Planned, show_ask_carry};
use crate::rules_at_work::{AtWork, Gathered};
use crate::session::{Opened, Session};
use crate::{ask, recovery};

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &TidyArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    recovery::before_changing(session, &loaded.config)?;
    let config = &loaded.config;
    if config.rules.is_empty() {
        let file = session.shown(&session.config_file);
        let message = if loaded.exists {
            format!("there are no rules in {file}")
        } else {
            format!("there is no {file}, so there are no rules")
        };
        return Err(Failure::words(message)
            .hint("write one: [[rule]] with `when` and `put`; `nine demo` shows some at work"));
    }
    let piles = chosen(config, &args.piles)?;
    let opened = session.open(config);
    let mut troubles = tell_closed(session, &opened, &piles)?;
    let mut at_work = AtWork::look(session, config, &opened, &piles)?;
    troubles += at_work.looking.troubles;
    let mut gathered = at_work.propose();
    if args.show.format == Format::Table
        && !args.show.yes
        && args.show.worklist.is_none()
        && ask::has_person()
    {
        at_work.ask_for_tags(&mut gathered.proposals)?;
    }
    let planned = Planned {
        name_places: config.bookcases.len() > 1,
        troubles,
        by_rules: true,
        facets: facets(config, &piles),
        ..Planned::new(command_line(args), std::mem::take(&mut gathered.proposals), &opened.places)
    };
    show_ask_carry(session, &opened, planned, &args.show, |drawn, out| {
        if !drawn.checked.order.is_empty() {
            shelves_picture::print(session, config, &opened, &at_work.layouts, drawn, out)?;
        }
        print_left(&gathered, out)
    })
}

/// The facets that the rules for these piles speak of.
fn facets(config: &Config, piles: &[&Pile]) -> Vec<String> {
    let rules = config.rules.iter().filter(|rule| piles.iter().any(|pile| rule.is_for_pile(&pile.name)));
    let used: Vec<&str> = rules.flat_map(Rule::facets).map(|facet| facet.name.as_str()).collect();
    config.facets.names().filter(|name| used.contains(name)).map(str::to_owned).collect()
}

/// The command, as the daybook keeps it.
fn command_line(args: &TidyArgs) -> String {
    let words = std::iter::once("nine tidy").chain(args.piles.iter().map(String::as_str));
    words.collect::<Vec<_>>().join(" ")
}

/// The piles that were named, or all.
pub(super) fn chosen<'c>(config: &'c Config, names: &[String]) -> Done<Vec<&'c Pile>> {
    if names.is_empty() {
        return Ok(config.piles.iter().collect());
    }
    let find = |name: &String| {
        config.pile(name).ok_or_else(|| {
            let known = || config.piles.iter().map(|pile| pile.name.as_str());
            let failure = Failure::words(format!("there is no pile `{}`", nine_core::escape::plain(name)));
            match nearest(name, known()) {
                Some(near) => failure.hint(format!("did you mean `{near}`?")),
                None => failure.hint(format!("the piles are {}", nine_core::diagnostic::any_of(known()))),
            }
        })
    };
    names.iter().map(find).collect()
}

/// Names the places that cannot be reached; says how many matter here.
pub(super) fn tell_closed(session: &Session, opened: &Opened, piles: &[&Pile]) -> Done<usize> {
    let mut err = crate::output::err();
    let is_bookcase = |name: &str| !piles.iter().any(|pile| pile.name == name);
    let mut told = 0;
    for (name, path, error) in &opened.closed {
        let what = if is_bookcase(name) { "bookcase" } else { "pile" };
        let why = match error {
            StoreError::NotThere => "there is no such folder".to_owned(),
            other => other.to_string(),
        };
        writeln!(err, "{REFUSED}x the {what} `{name}`{REFUSED:#} at {}: {why}", session.shown(path))?;
        writeln!(err, "  make the folder, or mend `at` in {}", session.shown(&session.config_file))?;
        told += 1;
    }
    Ok(told)
}

/// `Left alone: 12 no rule is for them, 3 hidden`.
fn print_left(gathered: &Gathered, out: &mut dyn Write) -> std::io::Result<()> {
    print_left_of(&gathered.left, gathered.looked_at, out)
}

/// The same for other commands.
pub(super) fn print_left_of(
    left: &BTreeMap<Left, u64>,
    looked_at: u64,
    out: &mut dyn Write,
) -> std::io::Result<()> {
    let reasons: Vec<String> =
        left.iter().map(|(why, number)| format!("{} {}", count(*number), why.words())).collect();
    let looked_at = counted(looked_at, "item", "items");
    let left = if reasons.is_empty() {
        "nothing left alone".to_owned()
    } else {
        format!("left alone: {}", reasons.join(", "))
    };
    writeln!(out, "{FAINT}{looked_at} looked at; {left}{FAINT:#}")
}
