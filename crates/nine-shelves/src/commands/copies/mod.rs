//! `nine copies`: items with the same bytes, and which of them stays.

mod plan;
mod print;
mod similar;

use nine_core::config::Config;
use nine_core::copies::{Alike, Chosen, Folded, Group, Keep, LookAlike, Member, Taken, choose, fold};
use nine_core::diagnostic::{any_of, nearest};
use nine_core::escape::plain;
use nine_core::find::Rows;

use crate::cli::{CopiesArgs, Format};
use crate::copy_steps::{learn_tags, standing};
use crate::error::{Done, Failure, Kind};
use crate::looking::{
    Ground, How, Looking, Question, all_grounds, all_rows, grounds_of, name_outsiders, nowhere,
};
use crate::session::{Opened, Session};
use crate::{conditions, recovery};

/// Runs it.
///
/// # Errors
/// As the exit status has it.
pub fn run(args: &CopiesArgs, session: &Session) -> Done {
    args.show.expect_action(args.flag || args.discard, "--flag or --discard")?;
    let loaded = session.load()?;
    let config = &loaded.config;
    recovery::before_changing(session, config)?;
    let keep = preferences(args, config)?;
    let condition = conditions::read(config, &args.condition, &[])?;
    let opened = session.open(config);
    let mut grounds = grounds(args, session, config, &opened)?;
    let places = name_outsiders(&mut grounds, &opened);
    let mut looking = Looking::look(session, grounds, &How::Now)?;
    looking.set_beside(all_grounds(session, config, &opened));
    // What cannot be reached, and was named, cannot be compared, and nothing may go for its sake.
    looking.views.retain(|view| !view.is_known);
    let asked = match &condition {
        Some(condition) => Some(asked(&mut looking, condition)?),
        None => None,
    };
    if args.similar {
        return similar::run(args, session, looking, asked.as_deref());
    }
    let taken = Taken { hidden: args.hidden, empty: args.empty };
    looking.compare_all(taken);
    let wants_names = args.names || (args.show.format == Format::Table && !args.flag && !args.discard);
    let (groups, names) = looking.groups_and_names(taken, wants_names);
    let found = find(&mut looking, config, &keep, groups);
    looking.keep();
    let found: Vec<Folded> = found.into_iter().filter(|folded| is_asked(folded, asked.as_deref())).collect();
    let copies = Copies { args, session, config, looking: &looking, found, names };
    if args.flag || args.discard {
        return copies.carry(&opened, &places);
    }
    copies.print()?;
    if looking.troubles > 0 { Err(Failure::new(Kind::Partly, "")) } else { Ok(()) }
}

/// What was found, and how it is to be told.
struct Copies<'a> {
    args: &'a CopiesArgs,
    session: &'a Session,
    config: &'a Config,
    looking: &'a Looking<'a>,
    /// The most space to be won first.
    found: Vec<Folded>,
    /// Files whose names suggest that they are copies, which they are not.
    names: Vec<LookAlike>,
}

/// The preferences that were typed, or those of the configuration.
fn preferences(args: &CopiesArgs, config: &Config) -> Done<Vec<Keep>> {
    if args.keep.is_empty() {
        return Ok(config.keep.clone());
    }
    let read = |word: &String| {
        Keep::parse(word.trim()).ok_or_else(|| {
            let failure = Failure::words(format!("`{}` is no preference", plain(word)));
            match nearest(word, Keep::words()) {
                Some(near) => failure.hint(format!("did you mean `{near}`?")),
                None => failure.hint(format!("--keep takes a list of {}", any_of(Keep::words()))),
            }
        })
    };
    args.keep.iter().map(read).collect()
}

fn grounds(args: &CopiesArgs, session: &Session, config: &Config, opened: &Opened) -> Done<Vec<Ground>> {
    let grounds = match args.places.is_empty() {
        true => all_grounds(session, config, opened),
        false => grounds_of(session, config, opened, &args.places, false)?,
    };
    if grounds.is_empty() {
        return Err(nowhere(
            session,
            "there is no place to look in",
            "give folders: nine copies ~/Downloads",
        ));
    }
    Ok(grounds)
}

/// For each view, the rows for which a condition holds.
fn asked(looking: &mut Looking, condition: &nine_core::condition::Condition) -> Done<Vec<Rows>> {
    let question = Question { condition, inside: false, reads_text: false };
    (0..looking.views.len())
        .map(|view| {
            let all = all_rows(&looking.views[view].tree);
            looking.find(view, question, &all)
        })
        .collect()
}

/// Whether one of a group's items was asked for.
fn is_asked(folded: &Folded, asked: Option<&[Rows]>) -> bool {
    let Some(asked) = asked else { return true };
    let names = |item: &Alike| item.links.iter().copied().chain([item.member]).collect::<Vec<_>>();
    folded.group.items.iter().flat_map(names).any(|name| asked[name.view as usize].has(name.id.row()))
}

/// Puts whole folders in place of their files, and chooses in each group what stays.
fn find(looking: &mut Looking, config: &Config, keep: &[Keep], found: Vec<Group>) -> Vec<Folded> {
    let names = |item: &Alike| item.links.iter().copied().chain([item.member]).collect::<Vec<_>>();
    let members: Vec<Member> = found.iter().flat_map(|group| &group.items).flat_map(names).collect();
    learn_tags(looking, &members);
    let standing = |item: &Alike| standing(looking, config, item.member);
    let choose =
        |group: &Group| -> Chosen { choose(&group.items.iter().map(standing).collect::<Vec<_>>(), keep) };
    let mut found = fold(&looking.trees(), found, &|a, b| looking.same_spot(a, b), &choose);
    found.sort_by_cached_key(|folded| {
        (std::cmp::Reverse(folded.to_be_won()), looking.spot(folded.kept().member))
    });
    found
}

/// How many files lie in an item; `None` for a file.
fn files_in(looking: &Looking, member: Member) -> Option<u64> {
    looking.views[member.view as usize].tree.items(member.id)
}
