//! The tests that a found rule is made of.

use std::sync::Arc;

use super::feature::{Feature, FeatureKind, condition_of};
use crate::condition::{Condition, FacetTest, Test};
use crate::facet::Facets;

/// A test of a rule.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum RuleTest {
    /// It has one of these features, which are of one kind.
    Has(Vec<Feature>),
    /// A facet has an answer for it.
    Known(String),
}

impl RuleTest {
    /// As a rule asks for it; `None` if no rule can.
    pub fn condition(&self, facets: &Facets) -> Option<Condition> {
        match self {
            RuleTest::Known(facet) => {
                let facet = Arc::clone(facets.get(facet)?);
                Some(Condition::Test(Test::Facet(facet, FacetTest::Known)))
            }
            RuleTest::Has(features) => {
                let texts: Vec<&str> = features.iter().map(|feature| feature.text.as_str()).collect();
                condition_of(features.first()?.kind, &texts)
            }
        }
    }
}

/// Whether several features of a kind can stand in one test.
pub fn may_join(kind: FeatureKind) -> bool {
    use FeatureKind::{Author, Extension, Sender, Type, Word};
    matches!(kind, Word | Extension | Type | Author | Sender)
}

/// Whether a folder's name has a word in it that says something.
pub fn is_named_by(name: &str, word: &str) -> bool {
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
