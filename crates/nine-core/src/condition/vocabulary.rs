//! The words of the language and what may follow each.

use crate::metadata::{FigureField, TextField};

use super::{AgeSubject, CountSubject, DateSubject, Flag, WordSubject};

/// What a word at the start of a test stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Subject {
    Type,
    Ext,
    Words(WordSubject),
    Tag,
    Size,
    Count(CountSubject),
    Date(DateSubject),
    Age(AgeSubject),
    Flag(Flag),
    Saved,
}

/// Every word that may start a test.
pub(super) const SUBJECTS: [(&str, Subject); 44] = [
    ("type", Subject::Type),
    ("ext", Subject::Ext),
    ("name", Subject::Words(WordSubject::Name)),
    ("stem", Subject::Words(WordSubject::Stem)),
    ("folder", Subject::Words(WordSubject::Folder)),
    ("path", Subject::Words(WordSubject::Path)),
    ("text", Subject::Words(WordSubject::Text)),
    ("title", Subject::Words(WordSubject::Said(TextField::Title))),
    ("author", Subject::Words(WordSubject::Said(TextField::Author))),
    ("sender", Subject::Words(WordSubject::Said(TextField::Sender))),
    ("subject", Subject::Words(WordSubject::Said(TextField::Subject))),
    ("artist", Subject::Words(WordSubject::Said(TextField::Artist))),
    ("album", Subject::Words(WordSubject::Said(TextField::Album))),
    ("camera", Subject::Words(WordSubject::Said(TextField::Camera))),
    ("origin", Subject::Words(WordSubject::Said(TextField::Origin))),
    ("tag", Subject::Tag),
    ("saved", Subject::Saved),
    ("size", Subject::Size),
    ("depth", Subject::Count(CountSubject::Depth)),
    ("items", Subject::Count(CountSubject::Items)),
    ("copies", Subject::Count(CountSubject::Copies)),
    ("pages", Subject::Count(CountSubject::Said(FigureField::Pages))),
    ("width", Subject::Count(CountSubject::Said(FigureField::Width))),
    ("height", Subject::Count(CountSubject::Said(FigureField::Height))),
    ("duration", Subject::Count(CountSubject::Said(FigureField::Duration))),
    ("modified", Subject::Date(DateSubject::Modified)),
    ("created", Subject::Date(DateSubject::Created)),
    ("opened", Subject::Date(DateSubject::Opened)),
    ("arrived", Subject::Date(DateSubject::Arrived)),
    ("taken", Subject::Date(DateSubject::Taken)),
    ("sent", Subject::Date(DateSubject::Sent)),
    ("age", Subject::Age(AgeSubject::Age)),
    ("idle", Subject::Age(AgeSubject::Idle)),
    ("file", Subject::Flag(Flag::File)),
    ("loose", Subject::Flag(Flag::Loose)),
    ("empty", Subject::Flag(Flag::Empty)),
    ("untitled", Subject::Flag(Flag::Untitled)),
    ("unfinished", Subject::Flag(Flag::Unfinished)),
    ("mislabelled", Subject::Flag(Flag::Mislabelled)),
    ("hidden", Subject::Flag(Flag::Hidden)),
    ("link", Subject::Flag(Flag::Link)),
    ("broken", Subject::Flag(Flag::Broken)),
    ("copy", Subject::Flag(Flag::Copy)),
    ("shared", Subject::Flag(Flag::Shared)),
];

/// Words that join tests, which a value must be quoted to be.
pub(super) const JOINTS: [&str; 3] = ["and", "or", "not"];

pub(super) const TEXT_TESTS: [&str; 6] = ["is", "has", "starts", "ends", "like", "matches"];
pub(super) const DATE_TESTS: [&str; 6] = ["before", "since", "on", "between", "over", "within"];
pub(super) const FIGURE_TESTS: [&str; 3] = ["over", "under", "is"];
pub(super) const FACET_TESTS: [&str; 3] = ["is", "known", "unknown"];
pub(super) const AGE_TESTS: [&str; 2] = ["over", "under"];

/// Whether a word may start a test, so that no facet can have it as its name.
pub fn is_subject(name: &str) -> bool {
    SUBJECTS.iter().any(|(word, _)| *word == name) || JOINTS.contains(&name)
}

/// The word of a subject.
pub(super) fn word(subject: Subject) -> &'static str {
    SUBJECTS.iter().find(|(_, s)| *s == subject).map_or("", |(word, _)| word)
}
