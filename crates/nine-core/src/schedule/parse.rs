//! A schedule read from the words of a person.

use jiff::civil::Time;

use super::{Days, NAMES, NTH, Nth, Schedule, WEEK};
use crate::diagnostic::{Diagnostic, nearest};

/// What a written schedule may look like.
pub const EXPECTED_SCHEDULE: &str = "days and a time, such as Friday 16:00, Monday,Thursday 8:30, weekdays 17:00, daily 18:30 or first Monday 9:00";

/// Words that mean nothing here.
const FILLERS: [&str; 8] = ["every", "each", "on", "at", "and", "of", "the", "month"];

/// A word, and where in the text it begins.
type Word<'t> = (usize, &'t str);

impl Schedule {
    /// Reads days and a time, in either order: `Friday 16:00`, `every Friday at 4 pm`, `first Monday of the month 9:00`.
    ///
    /// # Errors
    /// The word that is not understood, or what is missing.
    pub fn parse(text: &str) -> Result<Self, Diagnostic> {
        let (mut days, mut nth, mut time) = (None, None, None);
        let mut words = words(text).into_iter().peekable();
        while let Some(word) = words.next() {
            let (at, written) = word;
            let lower = written.to_lowercase();
            let span = at..at + written.len();
            if FILLERS.contains(&lower.as_str()) {
            } else if let Some((_, found)) = NTH.iter().find(|(known, _)| *known == lower) {
                nth = Some((*found, span));
            } else if lower.starts_with(|first: char| first.is_ascii_digit()) || is_noon(&lower) {
                let half = words.next_if(|(_, next)| is_half(next)).map(|(_, next)| next.to_lowercase());
                let found = read_time(&format!("{lower}{}", half.unwrap_or_default()));
                let found = found.ok_or_else(|| {
                    let what = format!("`{written}` is not a time of the day");
                    Diagnostic::new(span.clone(), what).help("write it as 16:00, 9:30 or 4pm")
                })?;
                once(&mut time, found, span, "a second time; a routine has one")?;
            } else {
                add_days(&mut days, &lower, word)?;
            }
        }
        let end = text.len()..text.len();
        let missing =
            |what: &str| Diagnostic::new(end.clone(), what).help(format!("expected {EXPECTED_SCHEDULE}"));
        let time = time.ok_or_else(|| missing("no time of the day is given"))?;
        let days = days.ok_or_else(|| missing("no day is given"))?;
        Ok(Self { days: of_month(days, nth)?, time })
    }
}

fn words(text: &str) -> Vec<Word<'_>> {
    let is_gap = |c: char| c.is_whitespace() || matches!(c, ',' | ';' | '&');
    let mut words = Vec::new();
    let mut rest = 0;
    for part in text.split_inclusive(is_gap) {
        let word = part.trim_end_matches(is_gap);
        if !word.is_empty() {
            words.push((rest, word));
        }
        rest += part.len();
    }
    words
}

fn once<T>(
    place: &mut Option<T>,
    value: T,
    span: std::ops::Range<usize>,
    what: &str,
) -> Result<(), Diagnostic> {
    match place.replace(value) {
        None => Ok(()),
        Some(_) => Err(Diagnostic::new(span, what)),
    }
}

/// The days that a word means: `friday`, `fri`, `fridays`, `mon-fri`, `weekdays`.
fn days_of(word: &str) -> Option<Days> {
    match word {
        "daily" | "day" | "days" => return Some(Days::Daily),
        "weekday" | "weekdays" => return Some(Days::Weekly(WEEK[..5].to_vec())),
        "weekend" | "weekends" => return Some(Days::Weekly(WEEK[5..].to_vec())),
        _ => {}
    }
    if let Some((from, to)) = word.split_once(['-', '–']) {
        let (from, to) = (weekday(from)?, weekday(to)?);
        return (from < to).then(|| Days::Weekly(WEEK[from..=to].to_vec()));
    }
    weekday(word).map(|day| Days::Weekly(vec![WEEK[day]]))
}

/// The number of a day, from Monday on.
fn weekday(word: &str) -> Option<usize> {
    let word = word.trim_end_matches('.');
    let one = word.strip_suffix('s').unwrap_or(word);
    NAMES.iter().position(|name| {
        let name = name.to_lowercase();
        name == one || (word.len() >= 2 && name.starts_with(word))
    })
}

fn add_days(days: &mut Option<Days>, word: &str, (at, written): Word) -> Result<(), Diagnostic> {
    let span = at..at + written.len();
    let Some(found) = days_of(word) else {
        let known =
            NAMES.iter().copied().chain(["daily", "weekdays", "weekends"]).chain(NTH.map(|(word, _)| word));
        let finding = Diagnostic::new(span, format!("`{written}` is no day and no time"));
        return Err(match nearest(written, known) {
            Some(near) => finding.help(format!("did you mean `{near}`?")),
            None => finding.help(format!("expected {EXPECTED_SCHEDULE}")),
        });
    };
    *days = Some(match (days.take(), found) {
        (None, found) => found,
        (Some(Days::Weekly(mut all)), Days::Weekly(more)) => {
            all.extend(more);
            all.sort_unstable_by_key(|day| day.to_monday_zero_offset());
            all.dedup();
            if all.len() == WEEK.len() { Days::Daily } else { Days::Weekly(all) }
        }
        _ => return Err(Diagnostic::new(span, format!("`{written}` does not go with the days before it"))),
    });
    Ok(())
}

/// The days of a month, where one of a few was named.
fn of_month(days: Days, nth: Option<(Nth, std::ops::Range<usize>)>) -> Result<Days, Diagnostic> {
    let Some((nth, span)) = nth else { return Ok(days) };
    match days {
        Days::Weekly(days) if days.len() == 1 => Ok(Days::Monthly(nth, days[0])),
        _ => {
            Err(Diagnostic::new(span, "this goes with one day of the week")
                .help("such as `first Monday 9:00`"))
        }
    }
}

fn is_half(word: &str) -> bool {
    ["am", "pm"].contains(&word.to_lowercase().as_str())
}

fn is_noon(word: &str) -> bool {
    ["noon", "midnight"].contains(&word)
}

/// `16:00`, `16.00`, `9:05`, `4pm`, `12am`, `noon`.
fn read_time(word: &str) -> Option<Time> {
    match word {
        "noon" => return Time::new(12, 0, 0, 0).ok(),
        "midnight" => return Time::new(0, 0, 0, 0).ok(),
        _ => {}
    }
    let half = ["am", "pm"].into_iter().find(|half| word.ends_with(half));
    let figures = word.strip_suffix(half.unwrap_or_default())?;
    let figures = figures.strip_suffix('h').unwrap_or(figures);
    let (hour, minute) = match figures.split_once([':', '.']) {
        Some((hour, minute)) if minute.len() == 2 => (hour, minute.parse().ok()?),
        None if half.is_some() => (figures, 0),
        _ => return None,
    };
    let hour: i8 = hour.parse().ok()?;
    let hour = match half {
        None => hour,
        Some(_) if !(1..=12).contains(&hour) => return None,
        Some("am") => hour % 12,
        Some(_) => hour % 12 + 12,
    };
    Time::new(hour, minute, 0, 0).ok()
}

/// The day that a name means.
#[cfg(test)]
pub(super) fn day(word: &str) -> jiff::civil::Weekday {
    WEEK[weekday(word).unwrap()]
}
