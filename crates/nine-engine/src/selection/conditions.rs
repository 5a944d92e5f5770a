//! Conditions as they are typed, with the saved searches of the configuration.

use nine_core::condition::{Condition, from_typed, parse_with};
use nine_core::config::Config;
use nine_core::diagnostic::{any_of, nearest};
use nine_core::escape::plain;

use crate::error::Named;
use crate::{Error, Result};

/// The condition of typed words and saved searches together; `None` if there is neither.
///
/// # Errors
/// Where the words are wrong, with the place.
pub fn condition(config: &Config, words: &[String], saved: &[String]) -> Result<Option<Condition>> {
    let mut parts = Vec::new();
    for name in saved {
        parts.push(Condition::Saved(name.clone(), Box::new(named(config, name)?)));
    }
    let text = from_typed(words);
    if !words.is_empty() {
        let resolve = |name: &str| {
            let found = config.search(name).map(|search| search.condition.clone());
            found.ok_or_else(|| {
                let near = nearest(name, names(config)).map(|near| format!("did you mean `{near}`?"));
                let help =
                    near.unwrap_or_else(|| format!("the saved searches are {}", any_of(names(config))));
                (format!("there is no saved search `{}`", plain(name)), Some(help))
            })
        };
        let parsed = parse_with(&text, &config.facets, &resolve);
        parts.push(parsed.map_err(|finding| Error::Condition { text: text.clone(), finding })?);
    }
    Ok((!parts.is_empty()).then(|| Condition::all(parts)))
}

/// The condition of a saved search.
fn named(config: &Config, name: &str) -> Result<Condition> {
    let found = config.search(name).map(|search| search.condition.clone());
    found.ok_or_else(|| Error::unknown(Named::Search, name, names(config)))
}

fn names(config: &Config) -> impl Iterator<Item = &str> {
    config.searches.iter().map(|search| search.name.as_str())
}
