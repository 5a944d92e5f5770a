//! Rules: what happens to which items.

use std::collections::BTreeSet;
use std::sync::Arc;

use crate::condition::{Condition, Explanation, Flag, Need, Needs};
use crate::facet::{Facet, Finding, Hint};
use crate::item::Item;
use crate::moment::Now;
use crate::names::fold;
use crate::pattern::{FilledName, Filling, NumberAt, Pattern, PutPattern, Unknown};
use crate::place::NameBuf;
use crate::tags;

/// How far into a pile a rule reaches.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reach {
    /// Loose files, and loose folders as wholes.
    Loose,
    /// Also what lies inside folders, save those that are kept together.
    Deep,
}

/// What is done when the target's name is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Clash {
    /// The new one gets a number.
    Number,
    /// The new one stays where it is.
    Leave,
    /// The new one goes into a side folder.
    Hold,
    /// The old one goes into the trash.
    Replace,
}

/// A rule.
#[derive(Debug, Clone, PartialEq)]
pub struct Rule {
    /// Its name.
    pub name: String,
    /// The piles that it is for; all if empty.
    pub piles: Vec<String>,
    /// How far it reaches.
    pub reach: Reach,
    /// What it is for.
    pub when: Condition,
    /// Tags that it gives.
    pub tag: Vec<String>,
    /// The name that it gives.
    pub rename: Option<Pattern>,
    /// Where it puts the item.
    pub put: Option<PutPattern>,
    /// What it does when the name is taken.
    pub clash: Clash,
    /// Which tag goes before which where `{tag}` may be one of several.
    pub precedence: Vec<String>,
    /// Whether names get the extension that their content asks for.
    pub corrects_extension: bool,
    /// Whether an item goes into the trash where another with the same bytes stays.
    pub discards_copies: bool,
}

impl Rule {
    /// Whether it is for this pile.
    pub fn is_for_pile(&self, pile: &str) -> bool {
        self.piles.is_empty() || self.piles.iter().any(|name| name == pile)
    }

    /// Whether it reaches an item at this depth (1 is loose).
    pub fn reaches(&self, depth: usize) -> bool {
        depth == 1 || self.reach == Reach::Deep
    }

    /// Whether it asks for hidden items, which are left alone otherwise.
    pub fn asks_for_hidden(&self) -> bool {
        self.when.mentions(Flag::Hidden)
    }

    /// Whether it asks for partial downloads, which are left alone otherwise: a program is at work on
    /// them, or was.
    pub fn asks_for_unfinished(&self) -> bool {
        self.when.mentions(Flag::Unfinished)
    }

    /// What must be known of items before it can be tried.
    pub fn needs(&self) -> Needs {
        let asks = [
            (self.corrects_extension, Need::Type),
            (!self.tag.is_empty(), Need::Tags),
            (self.discards_copies, Need::Copies),
            (self.facets().iter().any(|facet| facet.reads_text), Need::Text),
            (self.facets().iter().any(|facet| facet.asks_what_is_said()), Need::Said),
        ];
        let own = asks.into_iter().filter_map(|(asks, need)| asks.then_some(need));
        self.patterns().fold(self.when.needs().and(own), |all, pattern| all.union(pattern.needs()))
    }

    /// Whether it ends what is done with an item that it applies to.
    fn is_last(&self) -> bool {
        self.put.is_some() || self.discards_copies
    }

    fn patterns(&self) -> impl Iterator<Item = &Pattern> {
        self.rename.iter().chain(self.put.iter().flat_map(|put| &put.folders))
    }

    /// The facets that it speaks of. Their answers are kept as tags of the items that it applies to.
    pub fn facets(&self) -> Vec<&Arc<Facet>> {
        let mut facets = self.when.facets();
        for facet in self.patterns().flat_map(Pattern::facets) {
            if !facets.contains(&facet) {
                facets.push(facet);
            }
        }
        facets
    }

    /// Whether it is tried on an item of this sight at all.
    fn is_tried_on(&self, item: &Item, sight: AtSight) -> bool {
        (self.reach == Reach::Deep || sight.loose)
            && self.is_for_pile(&item.spot.place)
            && (!sight.hidden || self.asks_for_hidden())
            && (!sight.unfinished || self.asks_for_unfinished())
    }
}

/// What an item's path tells, for all rules.
#[derive(Clone, Copy)]
struct AtSight {
    loose: bool,
    hidden: bool,
    unfinished: bool,
}

/// What the rules make of one item.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Effect {
    /// The rules that applied, by number.
    pub applied: Vec<usize>,
    /// Tags that it gets and does not have yet.
    pub tags: Vec<String>,
    /// Tags that it loses, since the person gave another answer.
    pub lost: Vec<String>,
    /// What the facets that the rules speak of answer, with their names.
    pub answers: Vec<(String, Finding)>,
    /// Its new name.
    pub name: Option<NameBuf>,
    /// Where a number stands in it that depends on the names around it.
    pub number: Option<NumberAt>,
    /// The rule that files it, and the folder's name below the shelf.
    pub put: Option<(usize, Vec<NameBuf>)>,
    /// The rule by which it goes into the trash, since another item with its bytes stays.
    pub discard: Option<usize>,
    /// Values that a rule needed and that are not known, with the rule's number.
    pub unknown: Vec<(usize, Unknown)>,
}

/// Tries the rules in order. The first that files the item ends it; tags and names add up.
///
/// A rule one of whose values is unknown does nothing but leave its doubt, and also ends it: the
/// person meant this rule, so a later one must not file the item elsewhere.
pub fn apply(rules: &[Rule], item: &Item, now: &Now) -> Effect {
    let mut outcome = Effect::default();
    let (loose, hidden, unfinished) = (item.is_loose(), item.is_hidden(), item.is_unfinished());
    let sight = AtSight { loose, hidden, unfinished };
    for (number, rule) in rules.iter().enumerate() {
        if !rule.is_tried_on(item, sight) {
            continue;
        }
        if !rule.when.holds(item, now) {
            outcome.unknown.extend(nearly_known(rule, item, now).map(|unknown| (number, unknown)));
            continue;
        }
        if rule.discards_copies && item.stays.is_none() {
            continue; // it is the one that stays, or nothing else has its bytes
        }
        outcome.applied.push(number);
        let facets = rule.facets();
        let answers: Vec<(String, Finding)> =
            facets.iter().map(|facet| (facet.name.clone(), facet.ask(item, now))).collect();
        match fill(rule, item, outcome.name.as_deref(), now) {
            Ok((name, folders)) => {
                outcome.give_tags(item, rule, &facets, &answers);
                if let Some((name, number)) = name {
                    (outcome.name, outcome.number) = (Some(name), number);
                }
                outcome.add_answers(answers);
                outcome.discard = rule.discards_copies.then_some(number);
                if let Some(folders) = folders.filter(|_| !rule.discards_copies) {
                    outcome.put = Some((number, folders));
                }
                if rule.is_last() {
                    break;
                }
            }
            Err(unknown) => {
                outcome.unknown.push((number, unknown));
                outcome.add_answers(answers);
                if rule.is_last() {
                    break;
                }
            }
        }
    }
    outcome.name = outcome.name.filter(|name| **name != *item.name() || outcome.number.is_some());
    outcome
}

type FilledNames = (Option<FilledName>, Option<Vec<NameBuf>>);

/// Fills a rule's patterns. `named` is the name that earlier rules gave the item.
fn fill(rule: &Rule, item: &Item, named: Option<&[u8]>, now: &Now) -> Result<FilledNames, Unknown> {
    let (precedence, corrects_extension) = (rule.precedence.as_slice(), rule.corrects_extension);
    let name = named.unwrap_or(item.name());
    let filling = Filling { item, name, now, precedence, corrects_extension };
    let name = rule.rename.as_ref().map(|pattern| pattern.fill_name(&filling)).transpose()?;
    let folders = rule.put.as_ref().map(|put| {
        let folders = put.folders.iter().map(|folder| folder.fill_folders(&filling));
        folders.collect::<Result<Vec<_>, _>>().map(|folders| folders.concat())
    });
    Ok((name, folders.transpose()?))
}

/// A facet that keeps a rule from applying, where the item says something about it that is too little
/// for an answer: a person should look.
fn nearly_known(rule: &Rule, item: &Item, now: &Now) -> Option<Unknown> {
    let (mut guessed, mut near) = (Vec::new(), None);
    for facet in rule.when.facets() {
        let finding = facet.ask(item, now);
        if finding.found.is_none() && matches!(finding.hint, Some(Hint::OneOf(..))) {
            guessed.push((facet.name.clone(), String::new()));
            near = near.or(finding.doubt(&facet.name).map(|why| Unknown::Answer(facet.name.clone(), why)));
        }
    }
    // Of nearly all items there is nothing to guess, and an item is much to copy.
    let near = near?;
    let mut guess = item.clone();
    guess.told.extend(guessed);
    rule.when.holds(&guess, now).then_some(near)
}

impl Effect {
    /// The rule's own tags, and the answers to what it asks.
    fn give_tags(&mut self, item: &Item, rule: &Rule, facets: &[&Arc<Facet>], answers: &[(String, Finding)]) {
        let mut have = [item.tags.as_slice(), &self.tags].concat();
        let mut wanted = rule.tag.clone();
        for facet in facets {
            let answer = answers.iter().find(|(name, _)| *name == facet.name);
            let Some(value) = answer.and_then(|(_, finding)| finding.value()) else { continue };
            let is_told = item.told.iter().any(|(name, _)| *name == facet.name);
            let others =
                item.tags.iter().filter(|tag| facet.value_of_tag(tag).is_some_and(|old| old != value));
            self.lost.extend(others.filter(|_| is_told).cloned());
            let tag = facet.tag(value);
            let is_tagged =
                [&item.tags, &item.note_tags].into_iter().flatten().any(|have| fold(have) == fold(&tag));
            if !is_tagged {
                wanted.push(tag);
            }
        }
        self.tags.extend(wanted.into_iter().filter(|tag| tags::add(&mut have, tag)));
    }

    fn add_answers(&mut self, answers: Vec<(String, Finding)>) {
        for (name, finding) in answers {
            if !self.answers.iter().any(|(known, _)| *known == name) {
                self.answers.push((name, finding));
            }
        }
    }
}

/// Why a rule does or does not apply to an item.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RuleStatus {
    /// It applies.
    Applies,
    /// It would, but a value it needs is not known.
    Lacks(Unknown),
    /// It would, but an earlier rule files the item.
    Preceded(usize),
    /// It is for other piles.
    OtherPile,
    /// It reaches only what lies loose.
    TooDeep,
    /// The item is hidden and the rule does not ask for hidden ones.
    Hidden,
    /// The item is a partial download and the rule does not ask for those.
    Unfinished,
    /// The rule discards copies, and the item is the one that stays, or the only one.
    IsNeeded,
    /// It would, but the item goes with a folder around it.
    GoesWithFolder,
    /// Its condition does not hold.
    Fails(Explanation),
}

/// For each rule, whether it applies to an item and why not.
pub fn explain(rules: &[Rule], item: &Item, now: &Now) -> Vec<RuleStatus> {
    let outcome = apply(rules, item, now);
    let applied: BTreeSet<usize> = outcome.applied.iter().copied().collect();
    let ended_by = outcome
        .put
        .as_ref()
        .map(|(rule, _)| *rule)
        .or(outcome.discard)
        .or_else(|| outcome.unknown.iter().map(|(rule, _)| *rule).find(|rule| rules[*rule].is_last()));
    let of = |(number, rule): (usize, &Rule)| {
        if let Some((_, unknown)) = outcome.unknown.iter().find(|(rule, _)| *rule == number) {
            return RuleStatus::Lacks(unknown.clone());
        }
        if applied.contains(&number) {
            return RuleStatus::Applies;
        }
        if !rule.is_for_pile(&item.spot.place) {
            return RuleStatus::OtherPile;
        }
        if !rule.reaches(item.spot.path.depth()) {
            return RuleStatus::TooDeep;
        }
        if item.is_hidden() && !rule.asks_for_hidden() {
            return RuleStatus::Hidden;
        }
        if item.is_unfinished() && !rule.asks_for_unfinished() {
            return RuleStatus::Unfinished;
        }
        let explanation = rule.when.explain(item, now);
        if rule.discards_copies && explanation.holds && item.stays.is_none() {
            return RuleStatus::IsNeeded;
        }
        match ended_by.filter(|_| explanation.holds) {
            Some(by) => RuleStatus::Preceded(by),
            None => RuleStatus::Fails(explanation),
        }
    };
    rules.iter().enumerate().map(of).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::config::parse;
    use crate::item::{Entry, Identity, Kind, Stays};
    use crate::moment::Moment;
    use crate::place::Name;
    use crate::place::{ItemPath, Spot};
    use crate::worklist::Original;

    const RULES: &str = r#"
[pile.downloads]
at = "/d"
[pile.desktop]
at = "/e"
[bookcase.home]
at = "/s"
shelves = ["A"]
[[rule]]
name = "elsewhere"
piles = ["desktop"]
when = "file"
put = "1"
[[rule]]
name = "mark"
when = "name has a"
tag = ["x", "Keep"]
[[rule]]
name = "big"
when = "size over 1MB or type folder"
put = "1"
[[rule]]
name = "by arrival"
reach = "deep"
when = "ext txt"
put = "1/{arrived:year}"
[[rule]]
name = "rest"
reach = "deep"
when = "file"
put = "1/rest"
"#;

    fn rules() -> Vec<Rule> {
        parse(RULES).unwrap().rules
    }

    fn now() -> Now {
        Now::parse("2031-04-07T09:00", &jiff::tz::TimeZone::UTC).unwrap()
    }

    fn file(path: &str) -> Item {
        let entry = Entry {
            kind: Kind::File,
            size: 9,
            modified: Moment(0),
            opened: None,
            born: None,
            changed: Moment(0),
            identity: Identity([0, 0]),
        };
        Item {
            tags: vec!["keep".into()],
            ..Item::new(Spot::new("downloads", ItemPath::new(path).unwrap()), entry)
        }
    }

    #[test]
    fn a_rule_discards_only_what_something_else_stays_for() {
        let text = "[pile.downloads]\nat = \"/d\"\n[bookcase.h]\nat = \"/h\"\nshelves = [\"A\"]\n\
            [[rule]]\nwhen = \"copy\"\ndiscard = \"copies\"\n[[rule]]\nwhen = \"file\"\nput = \"1\"\n";
        let rules = parse(text).unwrap().rules;
        let original = Original { item: Spot::parse("h/1 A/x").unwrap(), stamp: file("x").entry.stamp() };
        let stays = Stays { original, because: String::new(), lost_tags: Vec::new() };
        let copy = Item { copies: Some(2), stays: Some(stays), ..file("a.pdf") };
        let out = apply(&rules, &copy, &now());
        assert_eq!((out.discard, out.put.is_some()), (Some(0), false));
        // The one that stays has copies too, and goes on to the next rule.
        let kept = Item { stays: None, ..copy.clone() };
        let out = apply(&rules, &kept, &now());
        assert_eq!((out.discard, out.put.is_some()), (None, true));
        assert_eq!(explain(&rules, &kept, &now())[0], RuleStatus::IsNeeded);
        assert!(matches!(explain(&rules, &file("a.pdf"), &now())[0], RuleStatus::Fails(_)));
        assert_eq!(explain(&rules, &copy, &now())[1], RuleStatus::Preceded(0));
    }

    #[test]
    fn every_rule_says_why() {
        let told = explain(&rules(), &file("a.pdf"), &now());
        assert_eq!(told[0], RuleStatus::OtherPile);
        assert_eq!(told[1], RuleStatus::Applies);
        let RuleStatus::Fails(why) = &told[2] else { panic!("{told:?}") };
        let tests: Vec<&str> = why.failures.iter().map(|failure| failure.test.as_str()).collect();
        assert_eq!(tests, ["size over 1MB", "type folder"]);
        assert!(matches!(told[3], RuleStatus::Fails(_)));
        assert_eq!(told[4], RuleStatus::Applies);
    }

    #[test]
    fn depth_hidden_partial_and_missing_values_are_reasons_of_their_own() {
        assert_eq!(explain(&rules(), &file("in/a.pdf"), &now())[1], RuleStatus::TooDeep);
        assert_eq!(explain(&rules(), &file(".a.pdf"), &now())[4], RuleStatus::Hidden);
        assert_eq!(explain(&rules(), &file("a.pdf.part"), &now())[4], RuleStatus::Unfinished);
        let text = explain(&rules(), &file("b.txt"), &now());
        assert_eq!(text[3], RuleStatus::Lacks(Unknown::Value("arrived")));
        assert_eq!(text[4], RuleStatus::Preceded(3));
    }

    #[test]
    fn tags_that_are_there_already_are_not_given_again() {
        let outcome = apply(&rules(), &file("a.pdf"), &now());
        assert_eq!(outcome.tags, ["x"]);
        assert_eq!(outcome.applied, [1, 4]);
        assert_eq!(outcome.put, Some((4, vec![Name::constant("rest").into()])));
        let hidden = apply(&rules(), &file(".a.pdf"), &now());
        assert_eq!(hidden, Effect::default());
    }
}
