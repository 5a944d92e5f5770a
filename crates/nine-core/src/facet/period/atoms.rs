//! What in a text may be part of a date: numbers, months, quarters and their like, and what stands
//! between and beside them.

use std::ops::Range;

use super::months::MonthNames;
use super::surroundings::{Address, Counted, address, counting, is_fiscal};
use crate::facet::words::Word;

/// What an atom says by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Kind {
    /// How many digits, and their number.
    Number(usize, u32),
    /// A month, 1 to 12.
    Month(u8),
    /// A part of a year.
    Part(PartKind, u8),
    /// `FY`, `year ended`: the number behind it names a business year.
    Fiscal,
}

/// The parts of a year that people number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum PartKind {
    /// `Q1` to `Q4`.
    Quarter,
    /// `H1` and `H2`.
    Half,
    /// `T1` to `T4`: terms, or quarters.
    Term,
    /// Weeks of ISO 8601, 1 to 53.
    Week,
}

/// What stands between two atoms, from the closest to the loosest.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Gap {
    /// Nothing.
    None,
    /// One of `-`, `.`, `/`.
    Sign(char),
    /// `_`, or a dash where dashes stand for spaces.
    Slug,
    /// A space, also with a comma or a dot.
    Space,
    /// Another word, a bracket, a dash between spaces.
    Break,
}

impl Gap {
    /// 0 for the closest; signs are equally close.
    pub fn looseness(self) -> u8 {
        match self {
            Gap::None => 0,
            Gap::Sign(_) => 1,
            Gap::Slug => 2,
            Gap::Space => 3,
            Gap::Break => 4,
        }
    }
}

/// Letters that stand directly at a number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Glued {
    /// None.
    No,
    /// A word, as in `harrow31`.
    ToWord,
    /// A letter or two, as in `v2`, `2030s`.
    ToLetter,
}

/// A part of a date, perhaps.
#[derive(Debug, Clone)]
pub(super) struct Atom {
    pub kind: Kind,
    /// Where it stands, in bytes.
    pub at: Range<usize>,
    /// What stands between it and the atom before it.
    pub gap: Gap,
    /// Whether an apostrophe stands before it, as in `'31`.
    pub apostrophe: bool,
    pub glued: Glued,
    /// Whether the word before it counts things.
    pub counted: Counted,
    /// Whether it may be the number of a house.
    pub address: Address,
    /// Whether `at` or its like stands before it, as before the time of day.
    pub behind_at: bool,
}

/// The atoms of a text in their order.
pub(super) fn atoms(text: &str, words: &[Word], months: &MonthNames) -> Vec<Atom> {
    let mut found: Vec<Atom> = Vec::new();
    let mut nth = 0;
    let (mut end, mut parted, mut behind_at) = (0, true, false);
    while nth < words.len() {
        let Some((kind, many)) = read(text, words, nth, months) else {
            let between = &text[end..words[nth].at.start];
            let joins = matches!(words[nth].text.as_str(), "of" | "de" | "del" | "den" | "d");
            behind_at = matches!(words[nth].text.as_str(), "at" | "um" | "t" | "kl");
            parted |= !joins || gap(between) == Gap::Break;
            end = words[nth].at.end;
            nth += 1;
            continue;
        };
        let last = &words[nth + many - 1];
        let between = &text[end..words[nth].at.start];
        let before = nth.checked_sub(1).map(|nth| &words[nth]);
        let follows_atom = found.last().is_some_and(|atom| atom.at.end == words[nth].at.start);
        let is_free = follows_atom || !matches!(kind, Kind::Number(..));
        found.push(Atom {
            kind,
            at: words[nth].at.start..last.at.end,
            gap: if parted { Gap::Break } else { gap(between) },
            apostrophe: between.ends_with(['\'', '\u{2019}']),
            glued: if is_free { Glued::No } else { glued(words, nth, many, months) },
            counted: before.map_or(Counted::No, |before| {
                if follows_atom { Counted::No } else { counting(text, before, words[nth].at.start) }
            }),
            address: address(text, words, nth, nth + many),
            behind_at: std::mem::take(&mut behind_at),
        });
        (end, parted) = (last.at.end, false);
        nth += many;
    }
    dashes_for_spaces(text, &mut found);
    found
}

/// The atom that begins with this word, and how many words it takes.
fn read(text: &str, words: &[Word], nth: usize, months: &MonthNames) -> Option<(Kind, usize)> {
    let word = &words[nth];
    let next = words.get(nth + 1);
    let adjacent = next.is_some_and(|next| next.at.start == word.at.end);
    let near = next.is_some_and(|next| gap(&text[word.at.end..next.at.start]) < Gap::Break);
    let next_text = next.map_or("", |next| next.text.as_str());
    if word.text.bytes().all(|b| b.is_ascii_digit()) {
        let found = number(word, next_text, adjacent, near)?;
        let behind = words.get(nth + 2).map_or("", |word| word.text.as_str());
        return Some(match found {
            (Kind::Number(_, quarter @ 1..=4), 2) if is_quarter(behind) => {
                (Kind::Part(PartKind::Quarter, quarter as u8), 3)
            }
            found => found,
        });
    }
    let of_year = |kind: PartKind, most: u32| {
        let part = next.filter(|next| next.text.len() <= 2)?.number().filter(|n| (1..=most).contains(n))?;
        Some((Kind::Part(kind, part as u8), 2))
    };
    let found = match word.text.as_str() {
        "q" if adjacent => of_year(PartKind::Quarter, 4),
        "h" if adjacent => of_year(PartKind::Half, 2),
        "t" if adjacent => of_year(PartKind::Term, 4),
        "w" if adjacent => of_year(PartKind::Week, 53),
        "quarter" | "qtr" | "quartal" if near => of_year(PartKind::Quarter, 4),
        "half" | "halbjahr" if near => of_year(PartKind::Half, 2),
        "term" | "trimestre" | "trim" if near => of_year(PartKind::Term, 4),
        "kw" | "wk" | "week" | "woche" | "semaine" | "semana" | "uge" | "uke" | "vecka" | "vko" if near => {
            of_year(PartKind::Week, 53)
        }
        first if is_fiscal(first, next_text) => {
            let many = if matches!(first, "fy" | "fye") { 1 } else { 2 };
            return Some((Kind::Fiscal, many));
        }
        _ => None,
    };
    found.or_else(|| months.month_of(&word.text).map(|month| (Kind::Month(month), 1)))
}

/// A number with what belongs to it: `7th`, `2nd quarter`, a moment of 12 or 14 digits.
fn number(word: &Word, next: &str, adjacent: bool, near: bool) -> Option<(Kind, usize)> {
    let digits = word.text.len();
    if matches!(digits, 12 | 14) && word.text.starts_with(['1', '2']) {
        return Some((Kind::Number(8, word.text[..8].parse().ok()?), 1));
    }
    let number = word.number()?;
    let names_quarter = is_quarter(next) && near || next == "q" && adjacent;
    if names_quarter && (1..=4).contains(&number) && digits == 1 {
        return Some((Kind::Part(PartKind::Quarter, number as u8), 2));
    }
    let is_ordinal =
        adjacent && digits <= 2 && matches!(next, "st" | "nd" | "rd" | "th" | "er" | "e" | "a" | "o");
    Some((Kind::Number(digits, number), if is_ordinal { 2 } else { 1 }))
}

fn is_quarter(word: &str) -> bool {
    matches!(word, "quarter" | "qtr" | "quartal")
}

/// Whether letters that are no part of a date stand directly before or behind a number.
fn glued(words: &[Word], nth: usize, many: usize, months: &MonthNames) -> Glued {
    let (first, last) = (&words[nth], &words[nth + many - 1]);
    let before = nth.checked_sub(1).map(|nth| &words[nth]).filter(|word| word.at.end == first.at.start);
    let behind = words.get(nth + many).filter(|word| word.at.start == last.at.end);
    // `Oct31` and `2031Q2` are dates; `20310407T0915` goes on with the time.
    let belongs = |word: &&Word| {
        months.month_of(&word.text).is_some() || matches!(word.text.as_str(), "q" | "w" | "h" | "t")
    };
    let letters = |word: &Word| word.text.chars().count();
    let beside: Vec<usize> =
        before.into_iter().chain(behind.filter(|word| !belongs(word))).map(letters).collect();
    match beside.iter().min() {
        None => Glued::No,
        Some(..=2) => Glued::ToLetter,
        Some(_) => Glued::ToWord,
    }
}

fn gap(between: &str) -> Gap {
    let mut chars = between.chars();
    match (chars.next(), chars.next()) {
        (None, _) => return Gap::None,
        (Some(sign @ ('-' | '.' | '/')), None) => return Gap::Sign(sign),
        (Some('\u{2013}' | '\u{2014}' | '\u{2011}'), None) => return Gap::Sign('-'),
        (Some('_'), None) => return Gap::Slug,
        _ => {}
    }
    let parts = |c: char| !matches!(c, ' ' | '.' | ',' | '_' | '-' | '\'' | '\u{2019}') && !c.is_whitespace();
    if between.contains(parts) || between.contains(" -") || between.contains("- ") {
        Gap::Break
    } else {
        Gap::Space
    }
}

/// `vat-return-3-2028`: a dash that stands for a space before a number stands for one behind it, too.
fn dashes_for_spaces(text: &str, atoms: &mut [Atom]) {
    let mut is_slug = false;
    for nth in 0..atoms.len() {
        if atoms[nth].gap == Gap::Break {
            let before = text[..atoms[nth].at.start].strip_suffix('-');
            is_slug = before.is_some_and(|before| before.ends_with(char::is_alphanumeric));
        } else if is_slug && atoms[nth].gap == Gap::Sign('-') {
            atoms[nth].gap = Gap::Slug;
        }
    }
}
