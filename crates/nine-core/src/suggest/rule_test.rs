//! The tests that a found rule is made of.

use super::feature::{Feature, FeatureKind, quoted};

/// A test of a rule.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum RuleTest {
    /// It has one of these features, which are of one kind.
    Has(Vec<Feature>),
    /// A facet has an answer for it.
    Known(String),
}

impl RuleTest {
    /// As a rule's condition has it.
    pub fn condition(&self) -> String {
        match self {
            RuleTest::Known(facet) => format!("{facet} known"),
            RuleTest::Has(features) => {
                let first = features[0].condition();
                features[1..].iter().fold(first, |all, feature| format!("{all},{}", quoted(&feature.text)))
            }
        }
    }
}

pub fn may_join(kind: FeatureKind) -> bool {
    matches!(
        kind,
        FeatureKind::Word
            | FeatureKind::Extension
            | FeatureKind::Type
            | FeatureKind::Author
            | FeatureKind::Sender
    )
}

/// Whether a folder is called by a word, in the singular or the plural.
pub fn is_near(name: &str, word: &str) -> bool {
    word.chars().count() > 2 && name.contains(word)
}

/// Whether a person would write such a test.
pub fn may_test(feature: &Feature) -> bool {
    let is_number = feature.text.bytes().all(|b| b.is_ascii_digit());
    match feature.kind {
        FeatureKind::Word => !is_number && feature.text.chars().count() > 2 || !feature.text.is_ascii(),
        FeatureKind::Series | FeatureKind::Figures | FeatureKind::Origin => false,
        FeatureKind::Extension => !feature.text.is_empty(),
        _ => true,
    }
}
