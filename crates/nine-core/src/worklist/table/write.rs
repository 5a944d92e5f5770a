//! From lines to the text of a table.

use super::{COLUMNS, Line, TAGS};
use crate::escape::{escape, plain};
use crate::tags::to_attribute;

/// The lines as CSV with a heading. No cell starts like a formula, whatever the names are.
pub fn to_csv(lines: &[Line], facets: &[String]) -> Vec<u8> {
    let mut out = csv::Writer::from_writer(Vec::new());
    let has_tags = lines.iter().any(|line| line.tags.is_some());
    let heading = COLUMNS.into_iter().chain(has_tags.then_some(TAGS));
    let heading = heading.map(str::to_owned).chain(facets.iter().cloned()).collect::<Vec<_>>();
    let records = lines.iter().map(|line| cells(line, has_tags, facets));
    for record in std::iter::once(heading).chain(records) {
        out.write_record(&record).expect("records of one length go into memory");
    }
    out.into_inner().expect("memory takes all of it")
}

fn cells(line: &Line, has_tags: bool, facets: &[String]) -> Vec<String> {
    let spot = |spot: &crate::place::Spot| no_formula(spot.to_string());
    let mut cells = vec![
        line.step.to_string(),
        line.act.clone(),
        spot(&line.item),
        line.to.as_ref().map(spot).unwrap_or_default(),
        no_formula(plain(&line.why)),
        no_formula(plain(&line.doubt)),
        line.size.to_string(),
        line.modified.clone(),
    ];
    if has_tags {
        cells.push(no_formula(line.tags.as_ref().map(|tags| written_tags(tags)).unwrap_or_default()));
    }
    cells.extend(facets.iter().map(|facet| {
        let answer = line.answers.get(facet).cloned().flatten().unwrap_or_default();
        no_formula(escape(answer.as_bytes()))
    }));
    cells
}

pub(super) fn written_tags(tags: &[String]) -> String {
    escape(to_attribute(tags).as_bytes())
}

/// A cell that no spreadsheet takes for a formula. The first sign is written as an escape, which reads
/// back as itself.
pub fn no_formula(text: String) -> String {
    match text.as_bytes().first() {
        Some(first @ (b'=' | b'+' | b'-' | b'@')) => format!("\\x{first:02x}{}", &text[1..]),
        _ => text,
    }
}

/// What [`no_formula`] was given, where that begins with the name of a place.
pub(super) fn as_written(cell: &str) -> std::borrow::Cow<'_, str> {
    match cell.strip_prefix("\\x2d") {
        Some(rest) => format!("-{rest}").into(),
        None => cell.into(),
    }
}

/// The lines as JSON, one object a line.
pub fn to_json(lines: &[Line]) -> Vec<u8> {
    let mut out = Vec::new();
    for line in lines {
        serde_json::to_writer(&mut out, line).expect("a line is made of texts and numbers");
        out.push(b'\n');
    }
    out
}
