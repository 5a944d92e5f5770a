//! `nine tidy`: apply the rules.

use std::collections::BTreeMap;
use std::io::Write;

use nine_carry::{facts, standing};
use nine_core::amount::{count, counted};
use nine_core::config::{Config, Pile};
use nine_core::diagnostic::nearest;
use nine_core::plan::tidy::{Left, Pass, Proposed, Wants, propose};
use nine_core::plan::{Proposal, folders_wanted, settle};
use nine_core::rules::{Reach, Rule};
use nine_core::tree::{NodeId, Tree, Unlearned, mark};
use nine_core::worklist::check;
use nine_stores::{StoreDetails, StoreError};

use super::shelves_picture;
use crate::cli::TidyArgs;
use crate::error::{Done, Failure};
use crate::looking::{How, Looking, all_grounds, all_rows};
use crate::output::style::{FAINT, REFUSED};
use crate::pipeline::{Planned, show_ask_carry};
use crate::session::{Opened, Session};
use crate::{layout, progress, recovery};

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &TidyArgs, session: &Session) -> Done {
    let loaded = session.load()?;
    recovery::recover_last_run(session, &loaded.config)?;
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
    let layouts = layout::layouts(config, &opened);
    let grounds = all_grounds(session, config, &opened)
        .into_iter()
        .filter(|ground| ground.store.is_some() && piles.iter().any(|pile| pile.name == ground.base.place));
    let mut looking = Looking::look(session, grounds.collect(), &How::Now)?;
    troubles += looking.troubles;
    let mut gathered = Gathered::default();
    for at in 0..looking.views.len() {
        let name = &looking.views[at].ground.base.place;
        let Some(pile) = config.pile(name).filter(|_| !looking.views[at].is_known) else {
            continue;
        };
        let inside = layout::places_inside(session, config, &opened, &pile.name);
        learn(&mut looking, at, config, pile);
        let view = &looking.views[at];
        let Some(store) = view.store() else { continue };
        let details = StoreDetails { store: &**store, tree: &view.tree, catalogue: looking.catalogue() };
        let pass = Pass {
            config,
            layouts: &layouts,
            places: &|path| inside.contains(path),
            now: &session.now,
            details: &details,
        };
        let proposed = progress::during("looking", None, &session.watch, || propose(&pass, pile, &view.tree));
        tracing::info!(
            pile = pile.name,
            looked_at = proposed.looked_at,
            wanted = proposed.proposals.len(),
            "planned"
        );
        gathered.add(proposed);
    }
    looking.keep();
    let places = &opened.places;
    let known = standing(places, folders_wanted(&gathered.proposals));
    let worklist = settle(std::mem::take(&mut gathered.proposals), &known);
    let checked = check(&worklist, &facts(places, &worklist, known));
    let planned = Planned {
        worklist,
        checked,
        places,
        command: command_line(args),
        undoes: None,
        clear_away: Vec::new(),
        name_places: config.bookcases.len() > 1,
        troubles,
    };
    show_ask_carry(session, &opened, &planned, &args.show, |out| {
        if !planned.checked.order.is_empty() {
            shelves_picture::print(session, config, &opened, &layouts, &planned, out)?;
        }
        gathered.print_left(out)
    })
}

/// The command, as the daybook keeps it.
fn command_line(args: &TidyArgs) -> String {
    let words = std::iter::once("nine tidy").chain(args.piles.iter().map(String::as_str));
    words.collect::<Vec<_>>().join(" ")
}

/// The piles that were named, or all.
fn chosen<'c>(config: &'c Config, names: &[String]) -> Done<Vec<&'c Pile>> {
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
fn tell_closed(session: &Session, opened: &Opened, piles: &[&Pile]) -> Done<usize> {
    let mut err = anstream::stderr().lock();
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

/// Learns what the rules ask of the items that they reach, all at once, so that the catalogue keeps
/// it and the next run need not ask again.
fn learn(looking: &mut Looking, view: usize, config: &Config, pile: &Pile) {
    let rules = config.rules.iter().filter(|rule| rule.is_for_pile(&pile.name));
    let wants = Wants::of_rules(rules.clone());
    let deep = rules.clone().any(|rule| rule.reach == Reach::Deep);
    let hidden = rules.clone().any(Rule::asks_for_hidden);
    let tree = &looking.views[view].tree;
    let reached = all_rows(tree).filter(|row| {
        let id = NodeId::new(row);
        (deep || tree.parent(id) == Tree::ROOT) && (hidden || !tree.has_mark(id, mark::HIDDEN))
    });
    if wants.tags {
        looking.learn(view, &reached, Unlearned { tags: true, content: false });
    }
    if wants.contents {
        looking.learn(view, &reached, Unlearned { tags: false, content: true });
    } else if wants.types {
        looking.learn_types(view, &reached);
    }
    if wants.text {
        looking.read_words(view, &reached);
    }
}

/// What the passes over all piles came to.
#[derive(Default)]
struct Gathered {
    proposals: Vec<Proposal>,
    left: BTreeMap<Left, u64>,
    looked_at: u64,
}

impl Gathered {
    fn add(&mut self, proposed: Proposed) {
        self.proposals.extend(proposed.proposals);
        self.looked_at += proposed.looked_at;
        for (why, number) in proposed.left {
            *self.left.entry(why).or_default() += number;
        }
    }

    /// `Left alone: 12 no rule is for them, 3 hidden`.
    fn print_left(&self, out: &mut dyn Write) -> std::io::Result<()> {
        let reasons: Vec<String> =
            self.left.iter().map(|(why, number)| format!("{} {}", count(*number), why.words())).collect();
        let looked_at = counted(self.looked_at, "item", "items");
        let left = if reasons.is_empty() {
            "nothing left alone".to_owned()
        } else {
            format!("left alone: {}", reasons.join(", "))
        };
        writeln!(out, "{FAINT}{looked_at} looked at; {left}{FAINT:#}")
    }
}
