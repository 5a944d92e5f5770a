//! Clashes with both sides: whether they hold the same bytes, and what the person wants done.

use std::io::Write;

use nine_carry::same_bytes;
use nine_core::amount::readable;
use nine_core::escape::escape;
use nine_core::item::Kind;
use nine_core::plan::{ClashFound, HELD, Proposal};
use nine_core::rules::Clash;
use nine_core::worklist::kind_words;
use nine_stores::Places;

use crate::ask;
use crate::copy_steps::COPY;
use crate::error::Done;
use crate::output::style::{DOUBT, FAINT, STRONG};
use crate::session::Session;

/// Compares files with those that have their names, if the sizes agree. Flags copies with a tag; says
/// whether anything was learned.
pub fn compare(places: &Places, proposals: &mut [Proposal], clashes: &[ClashFound]) -> bool {
    let mut learned = false;
    for clash in clashes {
        let (at, size, kind) = match (&clash.theirs, clash.rival) {
            (Some(theirs), _) => (clash.at.clone(), theirs.size, theirs.kind),
            (None, Some(rival)) => {
                let rival = &proposals[rival];
                (rival.item.clone(), rival.size, rival.kind)
            }
            (None, None) => continue,
        };
        let proposal = &mut proposals[clash.proposal];
        if proposal.same.is_some() || proposal.unpacks || kind != Kind::File || proposal.kind != Kind::File {
            continue;
        }
        // What cannot be read is not known to be the same.
        let may_read = [&proposal.item, &at].iter().all(|spot| places.of(spot).is_ok_and(|s| s.may_read()));
        let same =
            size == proposal.size && may_read && same_bytes(places, &proposal.item, &at).unwrap_or(false);
        proposal.same = Some(same);
        if same {
            proposal.add_tags([&COPY.to_owned()]);
        }
        learned = true;
    }
    learned
}

/// Asks about each clash, or about all that are left at once; says whether anything is otherwise now.
///
/// # Errors
/// If the person stops.
pub fn ask(session: &Session, proposals: &mut [Proposal], clashes: &[ClashFound]) -> Done<bool> {
    let look = &session.look;
    let mut for_all: Option<Clash> = None;
    let mut changed = false;
    for (nth, clash) in clashes.iter().enumerate() {
        let rival = clash.rival.map(|rival| proposals[rival].clone());
        let proposal = &mut proposals[clash.proposal];
        if let Some(wanted) = for_all {
            changed |= decide(proposal, clash, wanted);
            continue;
        }
        let mut out = crate::output::err();
        let side = |size, at| format!("{}, {}", readable(size), session.now.minute(at));
        writeln!(
            out,
            "\n{STRONG}{}{STRONG:#}  {FAINT}clash {} of {}{FAINT:#}",
            look.name(clash.at.path.name()),
            nth + 1,
            clashes.len()
        )?;
        match &clash.theirs {
            Some(theirs) => {
                let kind = kind_words(theirs.kind, clash.at.path.name());
                let at = look.text(&clash.at.folder().to_string());
                writeln!(
                    out,
                    "  there  {}, {kind}  {FAINT}{at}{FAINT:#}",
                    side(theirs.size, theirs.modified)
                )?;
            }
            None => {
                let rival = rival.as_ref().unwrap_or(proposal);
                let kind = kind_words(rival.kind, rival.item.path.name());
                let item = look.text(&rival.item.to_string());
                let side = side(rival.size, rival.modified);
                writeln!(out, "  first  {side}, {kind}  {FAINT}{item}, by another step{FAINT:#}")?;
            }
        }
        let kind = kind_words(proposal.kind, proposal.item.path.name());
        let new = look.text(&proposal.item.to_string());
        writeln!(out, "  new    {}, {kind}  {FAINT}{new}{FAINT:#}", side(proposal.size, proposal.modified))?;
        match proposal.same {
            Some(true) => writeln!(out, "  {DOUBT}same bytes: the new one is a copy{DOUBT:#}")?,
            Some(false) => writeln!(out, "  {FAINT}other bytes{FAINT:#}")?,
            None => {}
        }
        let (numbers, replaces) = clash.allowed;
        let mut choices: Vec<(char, String)> = Vec::new();
        if numbers {
            choices.push(('n', format!("number it: {}", escape(&clash.numbered))));
        }
        choices.push(('l', "leave it where it is".into()));
        choices.push(('h', format!("hold it in {HELD}")));
        if replaces {
            choices.push(('r', "replace the one there, which goes into the trash".into()));
        }
        let usual = letter(proposal.clash);
        drop(out);
        let (letter, all) = ask::choose(&choices, usual, "a capital letter decides for all the rest")?;
        let wanted = of_letter(letter);
        for_all = all.then_some(wanted);
        changed |= decide(proposal, clash, wanted);
    }
    Ok(changed)
}

/// Takes an answer as far as the clash allows it.
fn decide(proposal: &mut Proposal, clash: &ClashFound, wanted: Clash) -> bool {
    let (numbers, replaces) = clash.allowed;
    let allowed = match wanted {
        Clash::Number => numbers,
        Clash::Replace => replaces,
        Clash::Leave | Clash::Hold => true,
    };
    let answer = if allowed { wanted } else { Clash::Leave };
    let changed = proposal.clash != answer;
    proposal.clash = answer;
    changed
}

const LETTERS: [(char, Clash); 4] =
    [('n', Clash::Number), ('l', Clash::Leave), ('h', Clash::Hold), ('r', Clash::Replace)];

fn letter(clash: Clash) -> char {
    LETTERS.iter().find(|(_, known)| *known == clash).map_or('l', |(letter, _)| *letter)
}

fn of_letter(letter: char) -> Clash {
    LETTERS.iter().find(|(known, _)| *known == letter).map_or(Clash::Leave, |(_, clash)| *clash)
}
