//! What is asked at the right while the list waits: a choice, a line to type, a folder, a rule.

use nine_core::names::fold;
use nine_core::review::{Alike, Decision, Likeness, RuleDraft};
use nine_engine::review::FolderChoice;
use tui_input::Input;

use super::Ended;

/// What has the keys.
pub enum Mode {
    /// The list.
    List,
    /// A folder of a shelf is picked.
    Folders(FolderPick),
    /// One of several things is chosen.
    Choose(Choose),
    /// A line is typed.
    Prompt(Prompt),
    /// Items that are alike are looked through.
    Alike(AlikeOffer),
    /// A rule is offered.
    Rule(RuleOffer),
    /// All keys are told, from some line on.
    Help(usize),
}

/// A folder of a shelf is picked.
pub struct FolderPick {
    pub bookcase: usize,
    pub number: u8,
    pub input: Input,
    pub choices: Vec<FolderChoice>,
    pub at: usize,
}

/// What comes of a choice.
#[derive(Debug, Clone, PartialEq)]
pub enum Outcome {
    Decide(Decision),
    /// The answers of a facet are asked for.
    AskFacet(String),
    /// Items that are alike are shown.
    Alike(Alike),
    /// A rule is made of a likeness.
    Rule(Likeness),
    End(Ended),
    /// The name of a table is asked for.
    AskFile,
}

/// A thing that may be chosen.
#[derive(Debug, Clone)]
pub struct Choice {
    pub label: String,
    pub note: String,
    pub outcome: Outcome,
}

/// One of several things is chosen, perhaps by typing a part of it.
pub struct Choose {
    pub title: String,
    pub about: Vec<String>,
    pub choices: Vec<Choice>,
    /// What was typed, where the choices are many.
    pub filter: Option<Input>,
    pub at: usize,
}

impl Choose {
    pub fn new(title: impl Into<String>, choices: Vec<Choice>) -> Self {
        Self { title: title.into(), about: Vec::new(), choices, filter: None, at: 0 }
    }

    /// The choices that answer to what was typed.
    pub fn shown(&self) -> Vec<&Choice> {
        let typed = self.filter.as_ref().map(|input| fold(input.value())).unwrap_or_default();
        let words: Vec<&str> = typed.split_whitespace().collect();
        let answers = |choice: &&Choice| {
            let label = fold(&choice.label);
            words.iter().all(|word| label.contains(word))
        };
        self.choices.iter().filter(answers).collect()
    }
}

/// For the sake of what a line is typed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Purpose {
    Tags,
    Name,
    /// The answer of a facet that has no list.
    Answer(String),
    Find,
    File,
}

/// A line is typed. Tab goes through what is offered.
pub struct Prompt {
    pub title: String,
    pub purpose: Purpose,
    pub input: Input,
    pub about: Vec<String>,
    pub offers: Vec<String>,
    /// What was typed before an offer was taken, and which one was.
    taken: Option<(String, usize)>,
}

impl Prompt {
    pub fn new(title: impl Into<String>, purpose: Purpose, value: impl Into<String>) -> Self {
        Self {
            title: title.into(),
            purpose,
            input: Input::new(value.into()),
            about: Vec::new(),
            offers: Vec::new(),
            taken: None,
        }
    }

    /// Something was typed, so that offers start anew.
    pub fn typed(&mut self) {
        self.taken = None;
    }

    /// What is offered for what was typed; the one that was taken, by its place.
    pub fn offered(&self) -> (Vec<&str>, Option<usize>) {
        let typed = self.taken.as_ref().map_or(self.input.value(), |(typed, _)| typed.as_str());
        let at = self.taken.as_ref().map(|(_, at)| *at);
        let offers = self.offers.iter().map(String::as_str);
        if self.purpose != Purpose::Tags {
            return (offers.collect(), at);
        }
        let (_, sign, begun) = last_tag(typed);
        let begun = fold(begun);
        if begun.is_empty() {
            return (Vec::new(), at);
        }
        let same_sign = |offer: &&str| offer.starts_with('-') != sign.is_empty();
        let fits =
            offers.filter(|offer| same_sign(offer) && fold(offer.trim_start_matches('-')).contains(&begun));
        (fits.collect(), at)
    }

    /// Takes the next offer.
    pub fn next_offer(&mut self) {
        let (offers, at) = self.offered();
        if offers.is_empty() {
            return;
        }
        let next = at.map_or(0, |at| (at + 1) % offers.len());
        let offer = offers[next].to_owned();
        let typed = match &self.taken {
            Some((typed, _)) => typed.clone(),
            None => self.input.value().to_owned(),
        };
        let value = match self.purpose {
            Purpose::Tags => {
                let (before, _, _) = last_tag(&typed);
                format!("{before}{offer}")
            }
            _ => offer,
        };
        self.input = Input::new(value);
        self.taken = Some((typed, next));
    }
}

/// The tags that were typed before the last one, the sign before that, and the last one as far as it is.
fn last_tag(typed: &str) -> (&str, &str, &str) {
    let start = typed.rfind([',', ' ']).map_or(0, |at| at + 1);
    let (before, last) = typed.split_at(start);
    match last.strip_prefix('-') {
        Some(last) => (before, "-", last),
        None => (before, "", last),
    }
}

/// Items that are alike are looked through before what was decided is decided for them.
pub struct AlikeOffer {
    pub decision: Decision,
    pub alike: Alike,
    pub top: usize,
}

/// A rule is offered.
pub struct RuleOffer {
    pub draft: RuleDraft,
    /// What it would do now.
    pub told: Vec<String>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tab_goes_through_the_tags_that_begin_so() {
        let mut prompt = Prompt::new("tags", Purpose::Tags, "todo, lo");
        prompt.offers = ["loans", "lost", "todo", "-loans"].map(str::to_owned).into();
        assert_eq!(prompt.offered(), (vec!["loans", "lost"], None));
        prompt.next_offer();
        prompt.next_offer();
        assert_eq!(prompt.input.value(), "todo, lost");
        prompt.next_offer();
        assert_eq!(prompt.input.value(), "todo, loans");
        prompt.input = Input::new("todo, -l".into());
        prompt.typed();
        prompt.next_offer();
        assert_eq!(prompt.input.value(), "todo, -loans");
    }

    #[test]
    fn every_word_that_was_typed_must_be_in_a_choice() {
        let choice =
            |label: &str| Choice { label: label.into(), note: String::new(), outcome: Outcome::AskFile };
        let mut choose = Choose::new("x", ["Harrow Dock Trust", "Kittiwake", "HARBOUR"].map(choice).into());
        choose.filter = Some(Input::new("har tr".into()));
        assert_eq!(
            choose.shown().iter().map(|choice| choice.label.as_str()).collect::<Vec<_>>(),
            ["Harrow Dock Trust"]
        );
        choose.filter = Some(Input::new("har".into()));
        assert_eq!(choose.shown().len(), 2);
    }
}
