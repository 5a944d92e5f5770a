//! The names of months in the languages that the person reads.

use std::fmt;
use std::sync::{Arc, LazyLock};

use rustc_hash::FxHashMap;

use crate::facet::close::{CloseTarget, similarity};
use crate::facet::known::is_known;
use crate::facet::words::folded;

/// The months by their English names.
pub const MONTHS: [&str; 12] = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
];

/// Names and short forms from the Unicode locale data (CLDR), a line a language and month; see
/// `data/README.md`.
const DATA: &str = include_str!("../../../data/months.tsv");

/// The languages whose months can be read.
pub fn languages() -> Vec<&'static str> {
    let mut all: Vec<&str> = DATA.lines().filter_map(|line| line.split('\t').next()).collect();
    all.dedup();
    all
}

/// The names of months in some languages.
#[derive(Clone)]
pub struct MonthNames {
    /// Month from 1 to 12, by a name or short form.
    exact: FxHashMap<String, u8>,
    /// Names that are long enough to be misspelt.
    long: Vec<(CloseTarget, u8)>,
}

/// The fewest letters of a short form.
const SHORTEST: usize = 3;

/// How close a misspelt month must be: `marsh` and `avril` for April are none.
const NEAR: f64 = 0.8;

impl MonthNames {
    /// The names in these languages, of which the first goes before the next where they differ.
    pub fn of(languages: &[&str]) -> Self {
        let mut names = Self { exact: FxHashMap::default(), long: Vec::new() };
        for language in languages {
            names.add(language);
        }
        names
    }

    /// The English names.
    pub fn english() -> Arc<Self> {
        static ENGLISH: LazyLock<Arc<MonthNames>> = LazyLock::new(|| Arc::new(MonthNames::of(&["en"])));
        ENGLISH.clone()
    }

    fn add(&mut self, language: &str) {
        let mut cut: FxHashMap<String, Vec<u8>> = FxHashMap::default();
        for line in DATA.lines() {
            let mut cells = line.split('\t');
            let (Some(of), Some(Ok(month))) = (cells.next(), cells.next().map(str::parse)) else { continue };
            if of != language {
                continue;
            }
            for name in cells.map(folded).filter(|name| name.chars().count() >= SHORTEST) {
                for letters in [3, 4] {
                    let short: String = name.chars().take(letters).collect();
                    let months = cut.entry(short).or_default();
                    if !months.contains(&month) {
                        months.push(month);
                    }
                }
                if name.chars().count() > 4 {
                    self.long.push((CloseTarget::new(name.clone()), month));
                }
                self.exact.entry(name).or_insert(month);
            }
        }
        // `jui` may be June or July.
        for (short, months) in cut {
            if let [month] = months.as_slice() {
                self.exact.entry(short).or_insert(*month);
            }
        }
    }

    /// The month of a folded word: its name, cut off or nearly right.
    pub fn month_of(&self, word: &str) -> Option<u8> {
        if let Some(month) = self.exact.get(word) {
            return Some(*month);
        }
        let typed = CloseTarget::new(word.to_owned());
        if typed.letters() <= 4 || is_known(word) {
            return None;
        }
        let close = |(name, month): &(CloseTarget, u8)| {
            similarity(&typed, name).filter(|close| *close > NEAR).map(|close| (close, *month))
        };
        let best = self.long.iter().filter_map(close).max_by(|a, b| a.0.total_cmp(&b.0));
        best.map(|(_, month)| month)
    }
}

impl PartialEq for MonthNames {
    fn eq(&self, other: &Self) -> bool {
        self.exact == other.exact
    }
}

impl fmt::Debug for MonthNames {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} names of months", self.exact.len())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn months_in_many_languages_with_and_without_accents() {
        for (language, names) in [
            ("en", "january|feb|march|april|may|june|july|august|sept|october|november|december"),
            ("de", "januar|feb|märz|april|mai|juni|juli|august|september|okt|november|dez"),
            ("fr", "janvier|févr|mars|avril|mai|juin|juil|aout|sept|octobre|novembre|déc"),
            ("es", "enero|feb|marzo|abril|mayo|junio|julio|agosto|sept|octubre|noviembre|dic"),
            (
                "it",
                "gennaio|febbraio|marzo|aprile|maggio|giugno|luglio|agosto|settembre|ott|novembre|dicembre",
            ),
            ("nl", "januari|februari|maart|april|mei|juni|juli|augustus|september|oktober|november|december"),
            ("pt", "janeiro|fev|março|abril|maio|junho|julho|agosto|set|outubro|novembro|dezembro"),
            (
                "pl",
                "stycznia|luty|marzec|kwietnia|maj|czerwca|lipiec|sierpnia|wrzesień|paź|listopada|grudnia",
            ),
            ("sv", "januari|februari|mars|april|maj|juni|juli|augusti|september|oktober|november|december"),
            ("da", "januar|februar|marts|april|maj|juni|juli|august|september|oktober|november|december"),
            ("nb", "januar|februar|mars|april|mai|juni|juli|august|september|oktober|november|des"),
            (
                "fi",
                "tammikuu|helmikuuta|maalis|huhtikuu|toukokuu|kesäkuu|heinäkuu|elokuu|syyskuu|lokakuu|marraskuu|joulukuuta",
            ),
            ("cs", "leden|února|březen|dubna|květen|cerven|července|srpna|září|říjen|listopadu|prosinec"),
        ] {
            let months = MonthNames::of(&[language]);
            for (at, name) in names.split('|').enumerate() {
                assert_eq!(months.month_of(&folded(name)), Some(at as u8 + 1), "{language} {name}");
            }
        }
    }

    #[test]
    fn slips_are_months_and_other_words_are_none() {
        let english = MonthNames::english();
        for (word, month) in
            [("febuary", Some(2)), ("setpember", Some(9)), ("marsh", None), ("augusta", None)]
        {
            assert_eq!(english.month_of(word), month, "{word}");
        }
        assert_eq!(english.month_of("mai"), None);
        assert_eq!(MonthNames::of(&["fr"]).month_of("jui"), None);
        assert!(languages().len() >= 13);
    }
}
