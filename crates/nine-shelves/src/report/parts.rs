//! What several sections draw.

use maud::{Markup, html};
use nine_core::amount::{count, readable};

/// A column of a table.
#[derive(Debug, Clone, Copy)]
pub enum Column {
    /// Words, at the left.
    Words(&'static str),
    /// A number, at the right.
    Number(&'static str),
}

/// A cell: what it shows, and by what its column is sorted.
pub struct Cell {
    shown: Markup,
    sorts_by: Option<String>,
}

/// Words.
pub fn words(text: &str) -> Cell {
    Cell { shown: html! { (text) }, sorts_by: None }
}

/// The name of something of the person's, whichever way it is written.
pub fn name(text: &str) -> Cell {
    Cell { shown: html! { bdi.name { (text) } }, sorts_by: None }
}

/// Anything.
pub fn markup(shown: Markup) -> Cell {
    Cell { shown, sorts_by: None }
}

/// How many.
pub fn number(number: u64) -> Cell {
    Cell { shown: html! { (count(number)) }, sorts_by: Some(number.to_string()) }
}

/// A size.
pub fn bytes(size: u64) -> Cell {
    Cell { shown: html! { (readable(size)) }, sorts_by: Some(size.to_string()) }
}

/// What is shown, with something else to sort by.
pub fn sorted_by(shown: Markup, key: impl ToString) -> Cell {
    Cell { shown, sorts_by: Some(key.to_string()) }
}

/// A table with a caption. What is too wide for the page is scrolled in its own place.
pub fn table(id: &str, caption: &str, columns: &[Column], rows: Vec<Vec<Cell>>) -> Markup {
    html! {
        div.scroll tabindex="0" role="region" aria-labelledby={ (id) "-caption" } {
            table id=(id) {
                caption id={ (id) "-caption" } { (caption) }
                thead { tr { @for column in columns { (head(*column)) } } }
                tbody {
                    @for row in rows { tr {
                        @for (cell, column) in row.iter().zip(columns) {
                            td.n[matches!(column, Column::Number(_))] data-key=[&cell.sorts_by] { (cell.shown) }
                        }
                    } }
                }
            }
        }
    }
}

fn head(column: Column) -> Markup {
    match column {
        Column::Words(heading) => html! { th scope="col" { (heading) } },
        Column::Number(heading) => html! { th.n scope="col" { (heading) } },
    }
}

/// A command, ready to be copied.
pub fn command(text: &str) -> Markup {
    html! { code.command { (text) } }
}
