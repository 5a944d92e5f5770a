//! A value with its place in the text.

use std::cmp::Ordering;
use std::ops::Range;

use serde::Deserialize;

/// A value with the bytes of the text that it was read from: the reader's own type under a name of ours, so that more
/// can be said of it than that library does.
#[derive(Debug, Clone, Deserialize)]
#[serde(transparent)]
pub struct Spanned<T>(toml::Spanned<T>);

impl<T> Spanned<T> {
    /// A value that stands in these bytes.
    pub fn new(span: Range<usize>, value: T) -> Self {
        Self(toml::Spanned::new(span, value))
    }

    /// The bytes of the text.
    pub fn span(&self) -> Range<usize> {
        self.0.span()
    }

    /// The value.
    pub fn get_ref(&self) -> &T {
        self.0.get_ref()
    }

    /// The value, to be changed.
    pub fn as_mut(&mut self) -> &mut T {
        self.0.as_mut()
    }

    /// The value without its place.
    pub fn into_inner(self) -> T {
        self.0.into_inner()
    }
}

impl<T: PartialEq> PartialEq for Spanned<T> {
    fn eq(&self, other: &Self) -> bool {
        self.get_ref() == other.get_ref()
    }
}

impl<T: Eq> Eq for Spanned<T> {}

impl<T: Ord> PartialOrd for Spanned<T> {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl<T: Ord> Ord for Spanned<T> {
    fn cmp(&self, other: &Self) -> Ordering {
        self.get_ref().cmp(other.get_ref())
    }
}

/// In a schema a value is what it is without its place.
#[cfg(test)]
impl<T: schemars::JsonSchema> schemars::JsonSchema for Spanned<T> {
    fn inline_schema() -> bool {
        T::inline_schema()
    }

    fn schema_name() -> std::borrow::Cow<'static, str> {
        T::schema_name()
    }

    fn schema_id() -> std::borrow::Cow<'static, str> {
        T::schema_id()
    }

    fn json_schema(of: &mut schemars::SchemaGenerator) -> schemars::Schema {
        T::json_schema(of)
    }
}
