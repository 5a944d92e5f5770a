//! Makes the data of nine-core: names of months, and the words that are known.
//!
//! `cargo run --release -- WORDS NAMES OUT`, where WORDS is a folder with the lists of SCOWL and NAMES one with
//! the surnames and first names of a census, a name at the start of a line.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::path::Path;
use std::{env, fs};

use icu_calendar::{Date, Gregorian};
use icu_datetime::fieldsets::enums::DateFieldSet;
use icu_datetime::pattern::{DateTimePattern, FixedCalendarDateTimeNames};
use icu_locale_core::Locale;
use writeable::TryWriteable;

/// Languages whose months are kept.
const LANGUAGES: [&str; 20] = [
    "en", "de", "fr", "es", "it", "nl", "pt", "pl", "sv", "da", "nb", "fi", "cs", "sk", "hu", "ro", "hr", "sl", "et", "tr",
];

/// Lists of common words only: rare ones are rather slips.
const COMMON: [&str; 6] = ["10", "20", "35", "40", "50", "55"];

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let args: Vec<String> = env::args().collect();
    let [_, words, names, out] = args.as_slice() else { return Err("WORDS NAMES OUT".into()) };
    fs::write(Path::new(out).join("months.tsv"), months()?)?;
    let known = known(Path::new(words), Path::new(names))?;
    let mut map = fst::MapBuilder::memory();
    for (word, class) in &known {
        map.insert(word, *class)?;
    }
    fs::write(Path::new(out).join("words.fst"), map.into_inner()?)?;
    eprintln!("{} words", known.len());
    Ok(())
}

/// A line a language and month: its names, written out and short, within a date and by themselves.
fn months() -> Result<String, Box<dyn std::error::Error>> {
    let mut out = String::new();
    for language in LANGUAGES {
        for month in 1..=12 {
            let mut forms: BTreeSet<String> = BTreeSet::new();
            for pattern in ["MMMM", "LLLL", "MMM", "LLL"] {
                let locale: Locale = language.parse()?;
                let mut names = FixedCalendarDateTimeNames::<Gregorian, DateFieldSet>::try_new(locale.into())?;
                let pattern = DateTimePattern::try_from_pattern_str(pattern)?;
                let names = names.include_for_pattern(&pattern)?;
                let date = Date::try_new_gregorian(2031, month, 1)?;
                let name = names.format(&date);
                let name = name.try_write_to_string().map_err(|(e, _)| format!("{e:?}"))?;
                forms.insert(name.trim_end_matches('.').to_lowercase());
            }
            forms.retain(|form| form.chars().any(char::is_alphabetic));
            writeln!(out, "{language}\t{month}\t{}", Vec::from_iter(forms).join("\t"))?;
        }
    }
    Ok(out)
}

/// Words (1), names (2), and what is both (3), in small letters without accents' signs.
fn known(words: &Path, names: &Path) -> Result<BTreeMap<String, u64>, Box<dyn std::error::Error>> {
    let mut known: BTreeMap<String, u64> = BTreeMap::new();
    let mut add = |word: &str, class: u64| {
        let word = word.to_ascii_lowercase().replace('\'', "");
        if word.len() >= 4 && word.bytes().all(|b| b.is_ascii_lowercase()) {
            *known.entry(word).or_default() |= class;
        }
    };
    for entry in fs::read_dir(words)? {
        let path = entry?.path();
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let Some((list, size)) = name.rsplit_once('.') else { continue };
        let class = match list {
            "english-words" | "british-words" | "american-words" => 1,
            "english-proper-names" | "british-proper-names" | "american-proper-names" | "english-upper" => 2,
            _ => continue,
        };
        if !COMMON.contains(&size) {
            continue;
        }
        // These lists are in Latin-1; what has other letters is left out.
        for line in fs::read(&path)?.split(|b| *b == b'\n') {
            let Ok(word) = std::str::from_utf8(line) else { continue };
            // `boat's` says no more than `boat`.
            if !word.ends_with("'s") {
                add(word, class);
            }
        }
    }
    for list in ["dist.all.last", "dist.female.first", "dist.male.first"] {
        let text = fs::read_to_string(names.join(list))?;
        text.lines().filter_map(|line| line.split_whitespace().next()).for_each(|name| add(name, 2));
    }
    Ok(known)
}
