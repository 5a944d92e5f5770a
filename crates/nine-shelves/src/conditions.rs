//! Conditions as they come from the command line, with the saved searches of the configuration.

use nine_core::condition::{Condition, from_typed, parse_with};
use nine_core::config::Config;
use nine_core::diagnostic::{Diagnostic, any_of, locate, nearest};
use nine_core::escape::plain;

use crate::error::{Done, Failure};

/// The condition of typed words and saved searches together; `None` if there is neither.
///
/// # Errors
/// Where the words are wrong, with the place.
pub fn read(config: &Config, words: &[String], saved: &[String]) -> Done<Option<Condition>> {
    let mut parts = Vec::new();
    for name in saved {
        parts.push(Condition::Saved(name.clone(), Box::new(named(config, name)?)));
    }
    let text = from_typed(words);
    if !words.is_empty() {
        let resolve = |name: &str| {
            let found = config.search(name).map(|search| search.condition.clone());
            found.ok_or_else(|| (unknown(name), Some(help(config, name))))
        };
        parts.push(parse_with(&text, &config.facets, &resolve).map_err(|finding| wrong(&text, &finding))?);
    }
    Ok((!parts.is_empty()).then(|| Condition::all(parts)))
}

/// The condition of a saved search.
///
/// # Errors
/// If there is none of this name.
pub fn named(config: &Config, name: &str) -> Done<Condition> {
    let found = config.search(name).map(|search| search.condition.clone());
    found.ok_or_else(|| Failure::words(unknown(name)).hint(help(config, name)))
}

fn unknown(name: &str) -> String {
    format!("there is no saved search `{}`", plain(name))
}

fn help(config: &Config, name: &str) -> String {
    let known = || config.searches.iter().map(|search| search.name.as_str());
    match nearest(name, known()) {
        Some(near) => format!("did you mean `{near}`?"),
        None => format!("the saved searches are {}", any_of(known())),
    }
}

/// Words a finding in what was typed, with a pointer to the word.
fn wrong(text: &str, finding: &Diagnostic) -> Failure {
    let at = locate(text, &finding.span);
    let shown = plain(&at.text.replace('\t', " "));
    let pointer = format!("{}{}", " ".repeat(at.column - 1), "^".repeat(at.width.max(1)));
    let mut told = format!("{}\n\n      {shown}\n      {pointer}", plain(&finding.message));
    if let Some(help) = &finding.help {
        told.push_str(&format!("\n      {}", plain(help)));
    }
    Failure::words(told)
}
