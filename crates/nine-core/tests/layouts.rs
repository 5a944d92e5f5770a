//! Whether the starter rules of each layout file a heap of things as a person of that field would.

use std::collections::BTreeMap;

use jiff::tz::TimeZone;
use nine_core::item::{Entry, Identity, Item, Kind};
use nine_core::layout::Layout;
use nine_core::moment::{Moment, Now};
use nine_core::place::{ItemPath, Spot};
use nine_core::rules::apply;

/// For each layout: where things belong, and how their names go. An empty place is for what no rule should touch.
const HEAPS: &str = include_str!("layouts/heaps.toml");

/// What people put before and behind names; each name stands in each of these forms.
const FORMS: [&str; 5] = ["{}", "{} final", "2030-11 {}", "{} (1)", "scan {}"];

fn now() -> Now {
    Now::parse("2031-04-07T09:00", &TimeZone::UTC).unwrap()
}

/// A file of this name, last changed in March 2031.
fn item(name: &str) -> Item {
    let kind = if name.ends_with('/') { Kind::Folder } else { Kind::File };
    let at = Moment::from_unix(1_930_000_000, 0);
    let entry = Entry {
        kind,
        size: 9_000,
        modified: at,
        opened: Some(at),
        born: Some(at),
        changed: at,
        identity: Identity([1, 1]),
    };
    Item::new(Spot::new("downloads", ItemPath::new(name.trim_end_matches('/')).unwrap()), entry)
}

/// The folder that the rules put it in, such as `3/Bank/2031`; empty if none does.
fn filed(layout: &Layout, name: &str) -> String {
    let effect = apply(&layout.config.rules, &item(name), &now());
    let Some((rule, folders)) = effect.put else { return String::new() };
    let shelf = layout.config.rules[rule].put.as_ref().unwrap().shelf;
    let folders = folders.iter().map(|folder| String::from_utf8(folder.to_vec()).unwrap());
    std::iter::once(shelf.to_string()).chain(folders).collect::<Vec<_>>().join("/")
}

fn in_form(form: &str, name: &str) -> String {
    match name.rsplit_once('.') {
        Some((stem, ext)) => format!("{}.{ext}", form.replace("{}", stem)),
        // What is a piece of work begins with its date.
        None => name.to_owned(),
    }
}

#[test]
fn starter_rules_file_a_heap_as_a_person_would() {
    let heaps: BTreeMap<String, BTreeMap<String, Vec<String>>> = toml::from_str(HEAPS).unwrap();
    let mut report = String::new();
    for layout in Layout::all() {
        let heap = &heaps[&layout.name];
        let (mut all, mut wrong) = (0, Vec::new());
        for (place, names) in heap {
            for name in names {
                for form in FORMS {
                    let name = in_form(form, name);
                    let found = filed(&layout, &name);
                    all += 1;
                    let is_right = if place.is_empty() { found.is_empty() } else { found.starts_with(place) };
                    if !is_right {
                        wrong.push(format!("{name}: {found}, not {place}"));
                    }
                }
            }
        }
        assert!(all >= 200, "{}: {all} things only", layout.name);
        let share = 100.0 * (all - wrong.len()) as f64 / all as f64;
        if share < 95.0 {
            report.push_str(&format!(
                "{}: {share:.1} % of {all} right\n  {}\n",
                layout.name,
                wrong.join("\n  ")
            ));
        }
    }
    assert!(report.is_empty(), "{report}");
}
