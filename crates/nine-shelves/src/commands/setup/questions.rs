//! The five questions, each with what was found and a good answer ready.

use std::io::Write;
use std::path::PathBuf;

use nine_core::amount::counted;
use nine_core::config::Marks;
use nine_core::escape::escape;
use nine_core::layout::{self, Layout};
use nine_engine::setup::{FoundPile, Surroundings};
use nine_stores::Location;

use super::{location, typed_piles, usual_at};
use crate::ask::answer;
use crate::failure::Done;
use crate::output;
use crate::output::style::{FAINT, STRONG};
use crate::session::Session;

/// What was said; `None` of what was not.
#[derive(Default)]
pub struct Answers {
    /// The piles.
    pub piles: Option<Vec<FoundPile>>,
    /// The layout, or none where shelves are taken over as they stand.
    pub layout: Option<Option<Layout>>,
    /// Where the bookcase stands.
    pub at: Option<Location>,
    /// Where marks stand.
    pub marks: Option<Marks>,
    /// Whether there are starter rules.
    pub rules: Option<bool>,
}

/// Asks what was not said yet.
///
/// # Errors
/// If there is no answer.
pub fn ask(given: Answers, around: &Surroundings, session: &Session) -> Done<Answers> {
    let piles = given.piles.map_or_else(|| piles(around, session), Ok)?;
    let at = given.at.map_or_else(|| place(around, session), Ok)?;
    let ordered = around.numbered.iter().find(|(known, _)| *known == at).map_or(0, |(_, found)| found.len());
    let layout = given.layout.map_or_else(|| which(ordered), Ok)?;
    let marked = layout.as_ref().is_some_and(|layout| layout.shelves.iter().any(|s| s.shelf.mark.is_some()));
    let marks = match given.marks {
        None if marked => Some(marks()?),
        said => said,
    };
    let has_rules = layout.as_ref().map_or(0, |layout| layout.config.rules.len());
    let rules = match given.rules {
        None if has_rules > 0 => Some(rules(has_rules)?),
        said => said,
    };
    Ok(Answers { piles: Some(piles), layout: Some(layout), at: Some(at), marks, rules })
}

fn heading(question: &str, note: &str) -> Done {
    Ok(writeln!(output::err(), "\n{STRONG}{question}{STRONG:#}  {FAINT}{note}{FAINT:#}")?)
}

fn piles(around: &Surroundings, session: &Session) -> Done<Vec<FoundPile>> {
    heading("Where do things land?", "what lies loose there is what the rules look at")?;
    let mut err = output::err();
    for (number, pile) in (1..).zip(&around.piles) {
        let things = counted(pile.loose, "thing", "things");
        writeln!(err, "  {number}  {}  {FAINT}{things}{FAINT:#}", session.environment.shown_at(&pile.at))?;
    }
    let usual = if around.piles.is_empty() { "none" } else { "all" };
    let read = |typed: &str| match typed {
        "all" => Ok(around.piles.clone()),
        "none" => Ok(Vec::new()),
        typed => {
            typed.split([',', ' ']).filter(|word| !word.is_empty()).map(|word| one(word, around)).collect()
        }
    };
    let one_by_one = |typed: &str| -> Result<Vec<FoundPile>, String> { read(typed) };
    answer("All of them, numbers, or other folders?", usual, one_by_one)
}

fn one(word: &str, around: &Surroundings) -> Result<FoundPile, String> {
    if let Ok(number) = word.parse::<usize>() {
        let found = number.checked_sub(1).and_then(|at| around.piles.get(at)).cloned();
        return found.ok_or(format!("there is no {number} among them"));
    }
    let piles = typed_piles(&[expand(word)]);
    let wrong = || {
        format!(
            "`{}` is no folder; say all, none, numbers, or folders that are there",
            escape(word.as_bytes())
        )
    };
    piles.ok().and_then(|mut piles| piles.pop()).ok_or_else(wrong)
}

/// A path that was typed to a question: no shell has put the home folder in it.
fn expand(word: &str) -> PathBuf {
    let home = directories::BaseDirs::new().map(|dirs| dirs.home_dir().to_owned());
    match (word.strip_prefix("~/"), home) {
        (Some(below), Some(home)) => home.join(below),
        _ => PathBuf::from(word),
    }
}

fn place(around: &Surroundings, session: &Session) -> Done<Location> {
    heading("Where does the bookcase stand?", "the folder in which the numbered shelves are")?;
    let mut err = output::err();
    for (at, found) in &around.numbered {
        let folders = counted(found.len() as u64, "numbered folder stands", "numbered folders stand");
        writeln!(
            err,
            "  {}  {FAINT}{folders} there already, and would be taken over{FAINT:#}",
            session.environment.shown_at(at)
        )?;
    }
    for at in &around.drives {
        writeln!(err, "  {at}  {FAINT}a drive{FAINT:#}")?;
    }
    let usual = session.environment.shown_at(&usual_at(around, session));
    answer("A folder, there or new?", &usual, |typed| {
        let at =
            location(&expand(typed)).map_err(|_| format!("`{}` is no address", escape(typed.as_bytes())))?;
        match at.local().is_none_or(|path| path.is_dir() || !path.exists()) {
            true => Ok(at),
            false => Err(format!("`{}` is a file; give a folder", escape(typed.as_bytes()))),
        }
    })
}

fn which(ordered: usize) -> Done<Option<Layout>> {
    heading("Which shelves?", "nine setup --list draws them")?;
    let mut err = output::err();
    let wide = layout::names().map(str::len).max().unwrap_or(0);
    for (number, layout) in (1..).zip(Layout::all()) {
        writeln!(err, "  {number}  {:wide$}  {FAINT}{}{FAINT:#}", layout.name, layout.about)?;
    }
    if ordered > 0 {
        writeln!(
            err,
            "  0  {:wide$}  {FAINT}take over the {ordered} that stand there, and no more{FAINT:#}",
            "as it is"
        )?;
    }
    let usual = if ordered > 0 { "0" } else { "kinds" };
    answer("A number or a name?", usual, |typed| {
        if typed == "0" && ordered > 0 {
            return Ok(None);
        }
        let by_number =
            typed.parse::<usize>().ok().and_then(|number| layout::names().nth(number.checked_sub(1)?));
        let layout = Layout::ours(by_number.unwrap_or(typed));
        layout.map(Some).ok_or_else(|| format!("`{}` is none of them", escape(typed.as_bytes())))
    })
}

fn marks() -> Done<Marks> {
    heading("Marks to tell the shelves apart?", "a sign for each, such as ⚓")?;
    let mut err = output::err();
    writeln!(err, "  name  {FAINT}in the folder's name: 2 ⚓ Loans{FAINT:#}")?;
    writeln!(err, "  icon  {FAINT}as the folder's icon in file managers{FAINT:#}")?;
    writeln!(err, "  none  {FAINT}only where nine shows them{FAINT:#}")?;
    answer("name, icon or none?", "name", |typed| match typed {
        "name" | "n" => Ok(Marks::Name),
        "icon" | "i" => Ok(Marks::Icon),
        "none" => Ok(Marks::None),
        _ => Err("say name, icon or none".to_owned()),
    })
}

fn rules(many: usize) -> Done<bool> {
    let many = counted(many as u64, "starter rule", "starter rules");
    heading(
        "Begin with its rules?",
        &format!("{many}, which file what they are sure of; nothing moves by setup"),
    )?;
    answer("y or n?", "y", |typed| match typed.to_lowercase().as_str() {
        "y" | "yes" => Ok(true),
        "n" | "no" => Ok(false),
        _ => Err("say y or n".to_owned()),
    })
}
