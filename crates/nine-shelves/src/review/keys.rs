//! The keys of the review, in one table: what is pressed, the help page, the line at the bottom and the guide are all
//! made from it.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// What a key does in the list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum KeyAction {
    Shelf,
    Suggested,
    Take,
    Leave,
    PutOff,
    Discard,
    Archive,
    Tag,
    Rename,
    Facet,
    Clash,
    Reopen,
    Repeat,
    Alike,
    Rule,
    Undo,
    StepBack,
    Up,
    Down,
    PageUp,
    PageDown,
    First,
    Last,
    NextGroup,
    PreviousGroup,
    NextOpen,
    GroupBy,
    Side,
    Find,
    Open,
    ShowFolder,
    Help,
    End,
}

/// Keys that belong together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Section {
    Decide,
    Again,
    Move,
    Look,
}

impl Section {
    pub const ALL: [Section; 4] = [Section::Decide, Section::Again, Section::Move, Section::Look];

    pub fn heading(self) -> &'static str {
        match self {
            Section::Decide => "Decide",
            Section::Again => "Again, and back",
            Section::Move => "Move",
            Section::Look => "Look, and end",
        }
    }
}

/// A key, or several that do the same.
pub struct KeyRow {
    pub section: Section,
    /// As it is told.
    pub keys: &'static str,
    pub codes: &'static [KeyCode],
    pub action: KeyAction,
    /// One word for the line at the bottom; empty where it is not told there.
    pub short: &'static str,
    /// What it does.
    pub long: &'static str,
}

use KeyCode::{BackTab, Char, Down, End, Enter, Esc, Home, PageDown, PageUp, Tab, Up};

const fn row(
    section: Section,
    keys: &'static str,
    codes: &'static [KeyCode],
    action: KeyAction,
    words: (&'static str, &'static str),
) -> KeyRow {
    KeyRow { section, keys, codes, action, short: words.0, long: words.1 }
}

const NUMBERS: [KeyCode; 9] =
    [Char('1'), Char('2'), Char('3'), Char('4'), Char('5'), Char('6'), Char('7'), Char('8'), Char('9')];

/// Every key of the list.
pub const KEYS: [KeyRow; 33] = {
    use KeyAction as Do;
    use Section::{Again, Decide, Look, Move};
    [
        row(Decide, "space", &[Char(' ')], Do::Take, ("take", "as it is proposed, and on to the next")),
        row(
            Decide,
            "1-9",
            &NUMBERS,
            Do::Shelf,
            ("shelf", "onto that shelf; then a folder on it is picked or typed"),
        ),
        row(Decide, "l", &[Char('l')], Do::Leave, ("leave", "it stays where it is")),
        row(
            Decide,
            "p",
            &[Char('p')],
            Do::PutOff,
            ("put off", "onto the shelf called Later, or into `Sort later` beside it"),
        ),
        row(Decide, "d", &[Char('d')], Do::Discard, ("discard", "into the trash")),
        row(Decide, "a", &[Char('a')], Do::Archive, ("archive", "into the dated archive")),
        row(
            Decide,
            "s",
            &[Char('s')],
            Do::Suggested,
            ("suggested", "one of the places where it may go by the example of what is filed"),
        ),
        row(Decide, "t", &[Char('t')], Do::Tag, ("tag", "give tags, or take them with a - before them")),
        row(Decide, "e", &[Char('e')], Do::Rename, ("rename", "another name; Tab offers some")),
        row(Decide, "f", &[Char('f')], Do::Facet, ("facet", "answer a facet, or say which tag files it")),
        row(
            Decide,
            "c",
            &[Char('c')],
            Do::Clash,
            ("clash", "a name is taken: number, leave, hold, replace, discard"),
        ),
        row(Decide, "x", &[Char('x')], Do::Reopen, ("", "open again: nothing is decided of it any more")),
        row(Again, ".", &[Char('.')], Do::Repeat, ("repeat", "the last decision, for this item")),
        row(
            Again,
            "=",
            &[Char('=')],
            Do::Alike,
            ("all alike", "the last decision for all that are like the item it was for"),
        ),
        row(
            Again,
            "m",
            &[Char('m')],
            Do::Rule,
            ("make a rule", "the last decision as a rule, written with the run"),
        ),
        row(Again, "u", &[Char('u')], Do::Undo, ("undo", "the last decision is taken back")),
        row(Again, "b", &[Char('b')], Do::StepBack, ("", "back to the item that was decided before")),
        row(Move, "up k", &[Up, Char('k')], Do::Up, ("", "the item above")),
        row(Move, "down j", &[Down, Char('j')], Do::Down, ("", "the item below")),
        row(Move, "page up", &[PageUp], Do::PageUp, ("", "a page up")),
        row(Move, "page down", &[PageDown], Do::PageDown, ("", "a page down")),
        row(Move, "home g", &[Home, Char('g')], Do::First, ("", "the first item")),
        row(Move, "end G", &[End, Char('G')], Do::Last, ("", "the last item")),
        row(Move, "]", &[Char(']')], Do::NextGroup, ("", "the next group")),
        row(Move, "[", &[Char('[')], Do::PreviousGroup, ("", "the group before")),
        row(
            Move,
            "n",
            &[Char('n')],
            Do::NextOpen,
            ("next open", "the next item of which nothing is decided"),
        ),
        row(Move, "/", &[Char('/')], Do::Find, ("find", "a part of a name; / and Enter find it again")),
        row(
            Look,
            "v",
            &[Char('v')],
            Do::GroupBy,
            ("group", "in groups by target, by doubt, by type, by folder"),
        ),
        row(
            Look,
            "Tab",
            &[Tab, BackTab, Enter],
            Do::Side,
            ("side", "the other side: the list, or what the item is"),
        ),
        row(Look, "o", &[Char('o')], Do::Open, ("open", "in its own program, in the background")),
        row(Look, "w", &[Char('w')], Do::ShowFolder, ("", "the folder that it lies in, in the file manager")),
        row(Look, "?", &[Char('?')], Do::Help, ("help", "all keys")),
        row(
            Look,
            "q Esc",
            &[Char('q'), Esc],
            Do::End,
            ("end", "carry out, write a table, go on later, or drop it all"),
        ),
    ]
};

/// What a key does in the list.
pub fn action_of(key: KeyEvent) -> Option<KeyAction> {
    if key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT) {
        return (key.code == Char('c')).then_some(KeyAction::End);
    }
    KEYS.iter().find(|row| row.codes.contains(&key.code)).map(|row| row.action)
}

/// The shelf's number of a key.
pub fn shelf_of(key: KeyEvent) -> Option<u8> {
    let Char(c) = key.code else { return None };
    c.to_digit(10).and_then(|digit| u8::try_from(digit).ok()).filter(|digit| (1..=9).contains(digit))
}

/// The page of the guide that tells the keys.
#[cfg(test)]
fn page() -> String {
    let mut page = "# The keys of `nine review`\n\nMade from the program's own table.\n".to_owned();
    for section in Section::ALL {
        page.push_str(&format!("\n## {}\n\n| key | does |\n|---|---|\n", section.heading()));
        for row in KEYS.iter().filter(|row| row.section == section) {
            let keys: Vec<String> = match row.keys {
                one if row.codes.len() == 1
                    || row.action == KeyAction::Shelf
                    || row.action == KeyAction::Side =>
                {
                    vec![format!("`{one}`")]
                }
                several => several.split(' ').map(|key| format!("`{key}`")).collect(),
            };
            let long =
                [row.short, row.long].iter().filter(|text| !text.is_empty()).copied().collect::<Vec<_>>();
            page.push_str(&format!("| {} | {} |\n", keys.join(" "), long.join(": ")));
        }
    }
    page
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_key_does_two_things_and_none_is_lost() {
        let codes: Vec<KeyCode> = KEYS.iter().flat_map(|row| row.codes).copied().collect();
        for (at, code) in codes.iter().enumerate() {
            assert!(!codes[..at].contains(code), "{code:?} does two things");
        }
        for row in &KEYS {
            for code in row.codes {
                assert_eq!(action_of(KeyEvent::from(*code)), Some(row.action));
            }
        }
        assert_eq!(action_of(KeyEvent::new(Char('c'), KeyModifiers::CONTROL)), Some(KeyAction::End));
        assert_eq!(action_of(KeyEvent::new(Char('d'), KeyModifiers::CONTROL)), None);
    }

    #[test]
    fn the_guide_has_the_keys() {
        let guide = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/keys.md");
        snapbox::assert_data_eq!(page(), snapbox::Data::read_from(&guide, None).raw());
    }
}
