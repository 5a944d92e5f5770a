//! What in a text claims to be a year: groups of numbers and months that stand together, read from
//! the longest form to the shortest.

use std::ops::Range;

use super::Year;
use super::dates::{Atom, Parts, Read, Window, month_of, of_digits, of_three, of_two};
use crate::facet::words::{Word, split};
use crate::facet::{Hint, Weak};

/// How much a claim is worth.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Strength {
    /// Two digits that may be anything.
    Digits,
    /// A year by itself.
    Alone,
    /// A date, a month with its year, or two years that follow one another.
    Dated,
}

/// A year that something in the text claims.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Claim {
    /// The year in which the answer starts.
    pub from: i16,
    /// The calendar year that is written.
    pub year: i16,
    pub strength: Strength,
    pub weak: Option<Weak>,
    /// Where it stands, in bytes.
    pub at: Range<usize>,
}

/// An atom and where it stands.
struct Placed {
    atom: Atom,
    at: Range<usize>,
    /// Whether an apostrophe stands before it, as in `'31`.
    apostrophe: bool,
}

/// All claims of a text, and what looks like a date and gives none.
pub(super) fn claims(text: &str, year: &Year, window: &Window) -> (Vec<Claim>, Option<Hint>) {
    let mut found = GatheredClaims { claims: Vec::new(), refused: None, month: None };
    for group in groups(text, &split(text)) {
        found.group(text, &group, year, window);
    }
    let hint = match (found.refused, found.month) {
        (Some(at), _) => Some(Hint::NoSuchDate(text[at].to_owned())),
        (None, Some((at, month))) if found.claims.is_empty() => {
            Some(Hint::MonthAlone(text[at].to_owned(), month))
        }
        _ => None,
    };
    (found.claims, hint)
}

/// Runs of atoms with nothing but signs between them.
fn groups(text: &str, words: &[Word]) -> Vec<Vec<Placed>> {
    let mut groups: Vec<Vec<Placed>> = vec![Vec::new()];
    let mut end = 0;
    for (nth, word) in words.iter().enumerate() {
        let between = &text[end..word.at.start];
        let is_ordinal =
            nth > 0 && between.is_empty() && matches!(word.text.as_str(), "st" | "nd" | "rd" | "th");
        if is_ordinal && words[nth - 1].number().is_some() {
            end = word.at.end;
            continue;
        }
        let atom = match word.number() {
            Some(number) => Some(Atom::Number(word.at.len(), number)),
            None => month_of(&word.text).map(Atom::Month),
        };
        let parted = between.contains(['(', ')', '[', ']', '#', '+', '&']) || between.contains(" - ");
        if atom.is_none() || parted {
            groups.push(Vec::new());
        }
        if let (Some(atom), Some(group)) = (atom, groups.last_mut()) {
            let apostrophe = between.ends_with(['\'', '\u{2019}']);
            group.push(Placed { atom, at: word.at.clone(), apostrophe });
        }
        end = word.at.end;
    }
    groups.retain(|group| !group.is_empty());
    groups
}

struct GatheredClaims {
    claims: Vec<Claim>,
    refused: Option<Range<usize>>,
    month: Option<(Range<usize>, u8)>,
}

impl GatheredClaims {
    /// Reads a group from its start, the longest form first.
    fn group(&mut self, text: &str, group: &[Placed], year: &Year, window: &Window) {
        let mut at = 0;
        while at < group.len() {
            let taken = [3, 2, 1].into_iter().find(|many| {
                at + many <= group.len() && self.read(text, &group[at..at + many], year, window)
            });
            at += taken.unwrap_or(1);
        }
    }

    /// Reads some atoms as one form; says whether they are one.
    fn read(&mut self, text: &str, atoms: &[Placed], year: &Year, window: &Window) -> bool {
        let at = atoms[0].at.start..atoms[atoms.len() - 1].at.end;
        let read = match atoms {
            [a, b, c] => of_three([a.atom, b.atom, c.atom], is_tight(&text[at.clone()]), window),
            [a, b] => of_two([a.atom, b.atom], window),
            [one] => match one.atom {
                Atom::Number(digits, number) => of_digits(digits, number, one.apostrophe, window),
                Atom::Month(month) => {
                    self.month.get_or_insert((at, month));
                    return true;
                }
            },
            _ => Read::Nothing,
        };
        match read {
            Read::Nothing => false,
            Read::Refused => {
                self.refused.get_or_insert(at);
                true
            }
            Read::MonthAndDay(month) => {
                self.month.get_or_insert((at, month));
                true
            }
            Read::Years(ways) => {
                self.claims.extend(ways.into_iter().map(|way| claim(way, year, &at)));
                true
            }
        }
    }
}

/// Whether a date is written without spaces.
fn is_tight(text: &str) -> bool {
    !text.contains(char::is_whitespace)
}

fn claim((parts, weak): (Parts, Option<Weak>), facet: &Year, at: &Range<usize>) -> Claim {
    let at = at.clone();
    match parts {
        Parts::Month { year, month } => {
            Claim { from: facet.starting(year, month), year, strength: Strength::Dated, weak, at }
        }
        Parts::Pair { first } => {
            let weak = weak.or((facet.starts == 1).then_some(Weak::TwoYears));
            Claim { from: first, year: first, strength: Strength::Dated, weak, at }
        }
        Parts::Alone { year } => {
            let weak = weak.or((facet.starts > 1).then_some(Weak::YearAlone));
            Claim { from: facet.mostly(year), year, strength: Strength::Alone, weak, at }
        }
        Parts::Digits { year } => Claim {
            from: facet.mostly(year),
            year,
            strength: Strength::Digits,
            weak: Some(Weak::TwoDigits),
            at,
        },
    }
}
