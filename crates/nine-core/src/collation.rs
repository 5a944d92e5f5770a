//! The order of names in lists, as people of a language expect it (Unicode Collation Algorithm, UTS #10, with the
//! tailorings of CLDR), numbers counted as numbers.
//!
//! Trees stand in the order of [`natural_key`], which is the same for everybody, since they are kept.

use std::sync::OnceLock;

use icu_collator::options::CollatorOptions;
use icu_collator::preferences::CollationNumericOrdering;
use icu_collator::{Collator, CollatorBorrowed, CollatorPreferences};
use icu_locale_core::Locale;

use crate::names::natural_key;

/// The order of names in a language.
#[derive(Debug, Default)]
pub struct Collation {
    locale: String,
    /// Made once a name asks for it: most lists have none.
    collator: OnceLock<Option<CollatorBorrowed<'static>>>,
}

impl Collation {
    /// The order of a locale as the environment has it (`sv_SE.UTF-8`); of none, `C` or an unknown one the order that all
    /// languages share.
    pub fn of_locale(locale: &str) -> Self {
        let locale = locale.split(['.', '@']).next().unwrap_or_default().replace('_', "-");
        Self { locale, collator: OnceLock::new() }
    }

    /// Brings items into the order of their names, which `name` hands to what it is given. Those of one name stay as they
    /// stand.
    pub fn sort<T>(&self, items: &mut [T], name: impl Fn(&T, &mut dyn FnMut(&[u8]))) {
        let is_plain = |item: &T| {
            let mut is_plain = true;
            name(item, &mut |name| is_plain = name.is_ascii());
            is_plain
        };
        let is_all_plain = items.iter().all(is_plain);
        items.sort_by_cached_key(|item| {
            let mut key = Vec::new();
            name(item, &mut |name| key = if is_all_plain { natural_key(name) } else { self.key(name) });
            key
        });
    }

    /// What a name is put in order by, byte by byte.
    pub fn key(&self, name: &[u8]) -> Vec<u8> {
        let mut key = Vec::new();
        let written = self.collator().map(|collator| collator.write_sort_key_utf8_to(name, &mut key));
        if written.is_some_and(|written| written.is_ok()) { key } else { natural_key(name) }
    }

    fn collator(&self) -> Option<&CollatorBorrowed<'static>> {
        let make = || {
            let locale: Locale = self.locale.parse().unwrap_or(Locale::UNKNOWN);
            let mut preferences = CollatorPreferences::from(&locale);
            preferences.numeric_ordering = Some(CollationNumericOrdering::True);
            Collator::try_new(preferences, CollatorOptions::default()).ok()
        };
        self.collator.get_or_init(make).as_ref()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sorted(locale: &str, names: &str) -> String {
        let mut names: Vec<&str> = names.split(' ').rev().collect();
        Collation::of_locale(locale).sort(&mut names, |name, key| key(name.as_bytes()));
        names.join(" ")
    }

    #[test]
    fn names_stand_as_people_expect_them() {
        let names = "apfel ärger birne img1 img2 img10 Öl ölig zoo αβγ якорь 日本";
        for locale in ["", "C.UTF-8", "POSIX", "de_DE.UTF-8", "en_GB", "no such"] {
            assert_eq!(sorted(locale, names), names, "{locale}");
        }
        assert_eq!(sorted("sv_SE.UTF-8", "ö zoo ä å apfel"), "apfel zoo å ä ö");
        assert_eq!(sorted("es_ES", "o ñ nz n"), "n nz ñ o");
        assert_eq!(sorted("", "o ñ nz n"), "n ñ nz o");
    }

    #[test]
    fn names_of_letters_without_signs_stand_as_in_trees() {
        assert_eq!(sorted("", "2 10 a2 A10 b"), "2 10 a2 A10 b");
    }

    #[test]
    fn what_is_no_text_has_its_place_too() {
        let mut names = [b"b".to_vec(), b"a\xff".to_vec(), "ä".into(), b"a".to_vec()];
        Collation::default().sort(&mut names, |name, key| key(name));
        assert_eq!(names[0], b"a");
        assert_eq!(names[3], b"b");
    }
}
