//! Loose files week by week.

use maud::{Markup, html};
use nine_core::amount::{count, counted};
use nine_engine::report::{Report, ReportWeek};

use super::parts::{Column, markup, sorted_by, table, words};
use super::rules::Rules;

/// Draws the weeks; nothing where no pile was looked at.
pub fn section(report: &Report, rules: &Rules) -> Option<Markup> {
    let weeks = &report.weeks;
    let (first, last) = (weeks.first()?, weeks.last()?);
    if first.places.is_empty() {
        return None;
    }
    let most = weeks.iter().map(|week| week.loose).max().unwrap_or(0).max(1);
    let from = weeks.iter().find(|week| week.counted).filter(|week| week.from != last.from).unwrap_or(first);
    let words = format!(
        "Files lying loose at the end of each week: {} in the week of {}, {} now.",
        how_many(from),
        from.from,
        count(last.loose)
    );
    Some(html! {
        figure.weeks {
            div.chart role="img" aria-label=(words) {
                @for week in weeks { (column(week, most, rules)) }
            }
            figcaption {
                (words) " "
                @if weeks.iter().any(|week| !week.counted) {
                    span.key { span.sample.counted {} " counted then " span.sample {} " told from what lies there now and what runs took away: the least that it was" }
                }
                @if weeks.iter().any(|week| !week.runs.is_empty()) { span.key { " ▲ runs of that week" } }
            }
        }
        details { summary { "The same as a table" } (as_table(weeks)) }
    })
}

fn column(week: &ReportWeek, most: u64, rules: &Rules) -> Markup {
    let height = format!("height:{:.2}%", week.loose as f64 / most as f64 * 100.0);
    let class = rules.class_and(height, "counted", week.counted);
    html! {
        div.week {
            div.room {
                div.bar.(class) { span.n { (how_many(week)) } }
            }
            div.mark { @if !week.runs.is_empty() { "▲" span.many { (week.runs.len()) } } }
            div.from { (week.from.get(5..).unwrap_or_default()) }
        }
    }
}

/// What was not counted is the least that it was.
fn how_many(week: &ReportWeek) -> String {
    let least = if week.counted { "" } else { "≥ " };
    format!("{least}{}", count(week.loose))
}

fn as_table(weeks: &[ReportWeek]) -> Markup {
    let row = |week: &ReportWeek| {
        let by_place: Vec<String> =
            week.places.iter().map(|of| format!("{} {}", of.place, count(of.loose))).collect();
        let runs: Vec<String> = week.runs.iter().map(u64::to_string).collect();
        let runs = match runs.len() {
            0..=8 => runs.join(", "),
            many => format!("{}: {} to {}", counted(many as u64, "run", "runs"), runs[0], runs[many - 1]),
        };
        vec![
            words(&week.from),
            sorted_by(html! { (how_many(week)) }, week.loose),
            words(if week.counted { "counted" } else { "told from what is there and from runs" }),
            markup(html! { bdi { (by_place.join(", ")) } }),
            sorted_by(html! { (runs) }, week.runs.len()),
        ]
    };
    let columns = [
        Column::Words("Week from"),
        Column::Number("Loose"),
        Column::Words("How it is known"),
        Column::Words("By place"),
        Column::Words("Runs"),
    ];
    table("weeks-table", "Files lying loose, week by week", &columns, weeks.iter().rev().map(row).collect())
}
