//! The patterns that a folder's name may be made by: a year, a month, a quarter, an initial, the answer of a facet.

use crate::facet::{Facet, Facets};
use crate::names::fold;
use crate::pattern::{Pattern, literal};

/// A pattern for names of folders.
pub struct NamePattern {
    pub pattern: Pattern,
    /// The pattern for folded names.
    key: String,
    /// What people mean sooner.
    pub rank: u8,
    facets: Vec<String>,
}

impl NamePattern {
    /// Reads a pattern; `None` if it is none.
    pub fn parse(key: String, text: &str, facets: &Facets) -> Option<Self> {
        let pattern = Pattern::parse(text, facets).ok()?;
        let names: Vec<String> = pattern.facets().map(|facet| facet.name.clone()).collect();
        let rank = match text {
            _ if !names.is_empty() => 4,
            text if text.contains("{stem:year}") => 3,
            text if text.contains("{taken") || text.contains("{sent") => 2,
            _ => 1,
        };
        Some(Self { pattern, key, rank, facets: names })
    }
}

/// Whether a pattern may make a folder's name, folded.
pub fn may_be(candidate: &NamePattern, name: &str) -> bool {
    let facets = &candidate.facets;
    if facets.is_empty() {
        return shapes(name).contains(&candidate.key);
    }
    candidate.pattern.facets().any(|facet| is_answer(facet, name))
}

fn is_answer(facet: &Facet, name: &str) -> bool {
    facet.canonical(name).is_some_and(|value| fold(&value) == name)
}

/// The patterns that may make a folder's name, for folded names and as they are written.
pub fn candidates(folded: &str, name: &[u8], facets: &Facets) -> Vec<(String, String)> {
    let Ok(name) = std::str::from_utf8(name) else { return Vec::new() };
    let mut found: Vec<(String, String)> = shapes(folded).into_iter().zip(shapes(name)).collect();
    for facet in facets.iter().filter(|facet| is_answer(facet, folded)) {
        let text = format!("{{{}}}", facet.name);
        found.push((text.clone(), text));
    }
    found
}

/// The same by how it is written alone.
fn shapes(name: &str) -> Vec<String> {
    let mut found = Vec::new();
    let digits = |text: &str| !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
    let mut chars = name.chars();
    if let (Some(c), None) = (chars.next(), chars.next())
        && c.is_alphabetic()
    {
        found.push("{stem:initial}".to_owned());
    }
    let dates = |form: &str, before: &str, behind: &str| {
        ["taken", "sent", "modified"].map(|subject| format!("{before}{{{subject}:{form}}}{behind}"))
    };
    if let Some((year, part)) = name.split_once('-')
        && is_year(year)
    {
        match part.as_bytes() {
            [b'q' | b'Q', b'1'..=b'4'] => found.extend(dates("quarter", "", "")),
            [_, _] if digits(part) && matches!(part.parse(), Ok(1..=12)) => {
                found.extend(dates("%Y-%m", "", ""))
            }
            _ => {}
        }
    }
    if name.len() == 2 && digits(name) && matches!(name.parse(), Ok(1..=12)) {
        found.extend(dates("month", "", ""));
    }
    if let Some((before, behind)) = around_year(name) {
        let (before, behind) = (literal(before), literal(behind));
        found.push(format!("{before}{{stem:year}}{behind}"));
        found.extend(dates("year", &before, &behind));
    }
    found
}

fn is_year(text: &str) -> bool {
    text.len() == 4 && matches!(text.parse(), Ok(1900..=2199)) && text.bytes().all(|b| b.is_ascii_digit())
}

/// What stands before and behind the one year of a name; nothing that is a number itself.
fn around_year(name: &str) -> Option<(&str, &str)> {
    let mut found = None;
    for (at, _) in name.match_indices(|c: char| c.is_ascii_digit()) {
        let is_first = at == 0 || !name.as_bytes()[at - 1].is_ascii_digit();
        if !is_first {
            continue;
        }
        let run = name[at..].bytes().take_while(u8::is_ascii_digit).count();
        if found.is_some() || !is_year(&name[at..at + run]) {
            return None;
        }
        found = Some((&name[..at], &name[at + run..]));
    }
    found
}
