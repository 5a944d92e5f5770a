//! From the text of a table, as a spreadsheet or a person saved it, to its cells.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::tags::to_attribute;

/// The cells of a line by the names of their columns.
pub type Cells = BTreeMap<Arc<str>, String>;

/// A line as it was read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TableRow {
    /// Its number in the file, counted from 1.
    pub line: u64,
    /// What it says.
    pub cells: Cells,
}

/// What is wrong with a table.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Wrong {
    /// The number of the line in the file, counted from 1; `None` if it is the file as a whole.
    pub line: Option<u64>,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub help: String,
}

impl Wrong {
    /// Something wrong with a line.
    pub fn at(line: u64, message: impl Into<String>, help: impl Into<String>) -> Self {
        Self { line: Some(line), message: message.into(), help: help.into() }
    }

    fn whole(message: &str, help: &str) -> Self {
        Self { line: None, message: message.into(), help: help.into() }
    }
}

/// Reads a table: CSV with commas, semicolons or tabs, or JSON, one object a line or a list of them.
/// A byte-order mark, line ends of any system and quotes where none are needed are all understood.
///
/// # Errors
/// Everything that cannot be understood.
pub fn read(bytes: &[u8]) -> Result<Vec<TableRow>, Vec<Wrong>> {
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    let text = std::str::from_utf8(bytes).map_err(|error| {
        let line = bytes[..error.valid_up_to()].iter().filter(|b| **b == b'\n').count() as u64 + 1;
        vec![Wrong::at(line, "this line is not UTF-8 text", "save the table as CSV in UTF-8")]
    })?;
    match text.trim_start().chars().next() {
        None => Err(vec![Wrong::whole("the file is empty", "make the worklist anew")]),
        Some('{' | '[') => read_json(text),
        Some(_) => read_csv(text),
    }
}

/// The columns without which a line says nothing.
const NEEDED: [&str; 3] = ["do", "item", "to"];

fn read_csv(text: &str) -> Result<Vec<TableRow>, Vec<Wrong>> {
    // Some spreadsheets say first which sign parts the cells.
    let (text, skipped) = match text.split_once('\n') {
        Some((first, rest)) if first.trim_end().len() == 5 && first.starts_with("sep=") => (rest, 1),
        _ => (text, 0),
    };
    let heading = text.lines().next().unwrap_or_default();
    let parted = |sign: &u8| heading.bytes().filter(|b| b == sign).count();
    let sign = [b',', b';', b'\t'].into_iter().max_by_key(parted).unwrap_or(b',');
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(sign)
        .flexible(true)
        .has_headers(false)
        .from_reader(text.as_bytes());
    // Every line has the same columns, so their names are there once.
    let mut columns: Vec<Arc<str>> = Vec::new();
    let (mut rows, mut wrong) = (Vec::new(), Vec::new());
    for record in reader.records() {
        let Ok(record) = record else {
            wrong.push(Wrong::whole("the table cannot be read as CSV", "save it as CSV in UTF-8"));
            break;
        };
        let line = record.position().map_or(0, csv::Position::line) + skipped;
        let cells = record.iter().map(str::to_owned);
        if columns.is_empty() {
            columns = cells.map(|cell| cell.trim().to_lowercase().into()).collect();
            wrong.extend(headings_wrong(&columns, line));
            continue;
        }
        let cells: Vec<String> = cells.collect();
        if cells.iter().all(|cell| cell.trim().is_empty()) {
            continue;
        }
        if cells.iter().skip(columns.len()).any(|cell| !cell.is_empty()) {
            wrong.push(Wrong::at(
                line,
                "this line has more cells than the heading",
                "put a cell that holds the sign between cells in quotes",
            ));
            continue;
        }
        if columns.iter().skip(cells.len()).any(|column| NEEDED.contains(&&**column)) {
            wrong.push(Wrong::at(line, "this line is cut short", "delete it, or make the worklist anew"));
            continue;
        }
        let named = columns.iter().cloned().zip(cells.into_iter().chain(std::iter::repeat(String::new())));
        rows.push(TableRow { line, cells: named.filter(|(name, _)| !name.is_empty()).collect() });
    }
    if wrong.is_empty() { Ok(rows) } else { Err(wrong) }
}

fn headings_wrong(columns: &[Arc<str>], line: u64) -> Vec<Wrong> {
    let mut wrong = Vec::new();
    for (at, column) in columns.iter().enumerate().filter(|(_, column)| !column.is_empty()) {
        if columns[..at].contains(column) {
            wrong.push(Wrong::at(line, format!("two columns are called `{column}`"), "delete one of them"));
        }
    }
    for needed in NEEDED {
        if !columns.iter().any(|column| **column == *needed) {
            let message = format!("the heading has no column `{needed}`");
            wrong.push(Wrong::at(line, message, "the first line names the columns: step, do, item, to, …"));
        }
    }
    wrong
}

fn read_json(text: &str) -> Result<Vec<TableRow>, Vec<Wrong>> {
    use serde_json::Value;
    let unread = |line: u64, error: &serde_json::Error| {
        vec![Wrong::at(line, format!("this is no JSON: {error}"), "each line is an object")]
    };
    let mut objects: Vec<(u64, Value)> = Vec::new();
    if text.trim_start().starts_with('[') {
        let list: Vec<Value> = serde_json::from_str(text).map_err(|e| unread(e.line() as u64, &e))?;
        objects.extend((1..).zip(list));
    } else {
        for (line, text) in (1..).zip(text.lines()).filter(|(_, text)| !text.trim().is_empty()) {
            objects.push((line, serde_json::from_str(text).map_err(|e| unread(line, &e))?));
        }
    }
    let (mut rows, mut wrong) = (Vec::new(), Vec::new());
    for (line, object) in objects {
        let Value::Object(fields) = object else {
            wrong.push(Wrong::at(line, "this is no object", "each line is an object"));
            continue;
        };
        let cells: Option<Cells> = fields
            .into_iter()
            .map(|(name, value)| Some((name.to_lowercase().into(), cell(value)?)))
            .collect();
        match cells {
            Some(cells) if cells.contains_key("item") => rows.push(TableRow { line, cells }),
            Some(_) => wrong.push(Wrong::at(
                line,
                "this object has no `item`",
                "delete it, or make the worklist anew",
            )),
            None => wrong.push(Wrong::at(
                line,
                "a value here is neither text nor number",
                "write texts in quotes",
            )),
        }
    }
    if wrong.is_empty() { Ok(rows) } else { Err(wrong) }
}

/// A value as a cell; `None` if it is none.
fn cell(value: serde_json::Value) -> Option<String> {
    use serde_json::Value;
    match value {
        Value::Null => Some(String::new()),
        Value::String(text) => Some(text),
        Value::Number(number) => Some(number.to_string()),
        Value::Array(list) => {
            let texts: Option<Vec<String>> =
                list.into_iter().map(|value| value.as_str().map(str::to_owned)).collect();
            texts.map(|tags| crate::escape::escape(to_attribute(&tags).as_bytes()))
        }
        Value::Bool(_) | Value::Object(_) => None,
    }
}
