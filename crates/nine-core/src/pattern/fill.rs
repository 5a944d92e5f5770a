//! From a pattern and an item to a name.

use super::{Form, Pattern, Piece, Subject};
use crate::item::Item;
use crate::moment::{Moment, Now};
use crate::names;

/// A value that is not known and for which the pattern gives nothing to write.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unknown(pub &'static str);

/// A name made from a pattern.
pub type Filled = Result<Vec<u8>, Unknown>;

impl Pattern {
    /// Makes a folder's name. Never empty, never `.` or `..`, holds no separator, and is acceptable
    /// to common file systems.
    ///
    /// # Errors
    /// The subject whose value is unknown.
    pub fn fill_folder(&self, item: &Item, now: &Now) -> Filled {
        let safe = names::make_safe(&self.fill(item, now)?);
        if safe.is_empty() { Err(Unknown("name")) } else { Ok(safe) }
    }

    /// Makes an item's name under the same rules; a file's extension is added if the pattern left
    /// it out.
    ///
    /// # Errors
    /// The subject whose value is unknown.
    pub fn fill_name(&self, item: &Item, now: &Now) -> Filled {
        let mut name = self.fill(item, now)?;
        let ext = item.extension();
        if !names::split_extension(&name).1.eq_ignore_ascii_case(ext) {
            name.extend_from_slice(ext);
        }
        let safe = names::make_safe(&name);
        let stem_left = names::split_extension(&safe).0.iter().any(|b| !matches!(b, b'.' | b' '));
        if safe.is_empty() || !stem_left { Err(Unknown("name")) } else { Ok(safe) }
    }

    fn fill(&self, item: &Item, now: &Now) -> Filled {
        let mut out = Vec::new();
        for piece in &self.pieces {
            match piece {
                Piece::Literal(text) => out.extend_from_slice(text.as_bytes()),
                Piece::Value { subject, form, fallback } => {
                    let value = value(*subject, form, item, now, out.is_empty());
                    match (value.filter(|v| !v.is_empty() || *subject == Subject::Ext), fallback) {
                        (Some(value), _) if !value.is_empty() => {
                            out.extend(value.iter().map(|b| if *b == b'/' { b'-' } else { *b }));
                        }
                        (_, Some(fallback)) => out.extend_from_slice(fallback.as_bytes()),
                        // A file without extension is no mystery: {stem}{ext} is its stem.
                        (Some(_), None) if !out.is_empty() => {}
                        _ => return Err(Unknown(subject.word())),
                    }
                }
            }
        }
        Ok(out)
    }
}

/// The value of a subject, `None` if it is not known. `first`: nothing stands before it, so an
/// extension goes without its dot.
fn value(subject: Subject, form: &Form, item: &Item, now: &Now, first: bool) -> Option<Vec<u8>> {
    let plain = |bytes: &[u8]| Some(bytes.to_vec());
    match subject {
        Subject::Type => match item.verdict().item_type {
            crate::kinds::ItemType::Unknown => None,
            known => plain(known.word().as_bytes()),
        },
        Subject::Ext => {
            let ext = item.extension();
            plain(if first { ext.strip_prefix(b".").unwrap_or(ext) } else { ext })
        }
        Subject::Stem => in_form(item.stem(), form),
        Subject::Name => in_form(item.name(), form),
        Subject::Pile => plain(item.spot.place.as_bytes()),
        Subject::Today => date(Some(now.moment()), form, now),
        Subject::Modified => date(Some(item.newest), form, now),
        Subject::Created | Subject::Arrived => date(item.entry.born, form, now),
        Subject::Opened => date(item.entry.opened, form, now),
    }
}

fn in_form(bytes: &[u8], form: &Form) -> Option<Vec<u8>> {
    let Ok(text) = std::str::from_utf8(bytes) else {
        // Only its bytes are sure: they are kept as they are.
        return match form {
            Form::Initial => names::initial(&String::from_utf8_lossy(bytes)).map(String::into_bytes),
            _ => Some(bytes.to_vec()),
        };
    };
    match form {
        Form::Initial => names::initial(text).map(String::into_bytes),
        Form::Tidy => Some(names::tidy_stem(text).into_bytes()),
        Form::Plain | Form::Date(_) => Some(bytes.to_vec()),
    }
}

fn date(at: Option<Moment>, form: &Form, now: &Now) -> Option<Vec<u8>> {
    let format = match form {
        Form::Date(format) => format,
        _ => "%Y-%m-%d",
    };
    now.format(at?, format).map(String::into_bytes)
}
