//! Items with the same bytes.

use maud::{Markup, html};
use nine_core::amount::{counted, readable};
use nine_engine::report::{Report, ReportCopies, ReportGroup};

use super::parts::{Column, bytes, command, markup, number, table};

/// Draws them; nothing where there are none.
pub fn section(report: &Report) -> Option<Markup> {
    let ReportCopies { groups, not_needed, to_be_won, not_compared, largest } = &report.copies;
    if *groups == 0 && *not_compared == 0 {
        return None;
    }
    Some(html! {
        p {
            @if *groups == 0 { "No two items have the same bytes, as far as they were compared." } @else {
                (counted(*groups as u64, "group", "groups")) ": "
                (counted(*not_needed, "item is", "items are")) " not needed, "
                (readable(*to_be_won)) " to be won. " (command("nine copies")) " tells them all."
            }
        }
        @if *not_compared > 0 {
            p.doubt {
                "? " (readable(*not_compared)) " share their size with others and were not compared yet; "
                (command("nine copies")) " compares them."
            }
        }
        @if !largest.is_empty() { (groups_table(largest)) }
    })
}

fn groups_table(groups: &[ReportGroup]) -> Markup {
    let columns = [
        Column::Words("Stays"),
        Column::Number("Items"),
        Column::Number("Each"),
        Column::Number("To be won"),
        Column::Words("The others"),
    ];
    let row = |group: &ReportGroup| {
        let more = group.items.saturating_sub(1 + group.others.len()) as u64;
        vec![
            markup(html! {
                bdi.name { (group.stays) @if group.folders { "/" } }
                @if !group.because.is_empty() { " " span.faint { (group.because) } }
            }),
            number(group.items as u64),
            bytes(group.size),
            bytes(group.to_be_won),
            markup(html! {
                ul.items { @for other in &group.others { li { bdi.name { (other) } } } }
                @if more > 0 { span.faint { (counted(more, "more", "more")) } }
            }),
        ]
    };
    table("copies-table", "The groups by which most is won", &columns, groups.iter().map(row).collect())
}
