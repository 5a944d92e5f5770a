//! What is asked at the right: the questions of each key, made from what is known.

use nine_core::correct::tidy_stem;
use nine_core::escape::{escape, plain};
use nine_core::metadata::{SaidField, TextField};
use nine_core::names::split_extension;
use nine_core::plan::{HELD, Proposal};
use nine_core::review::{Decision, Likeness};
use nine_core::rules::Clash;
use nine_core::worklist::Doubt;
use nine_engine::review::known_tags;
use tui_input::Input;

use super::app::{App, Message};
use super::dialog::{AlikeOffer, Choice, Choose, FolderPick, Mode, Outcome, Prompt, Purpose, RuleOffer};
use super::{Ended, words};

fn choice(label: impl Into<String>, note: impl Into<String>, outcome: Outcome) -> Choice {
    Choice { label: label.into(), note: note.into(), outcome }
}

impl App<'_, '_> {
    fn refuse(&mut self, why: impl Into<String>) {
        self.message = Some(Message::Refused(why.into()));
    }

    fn proposal(&self) -> Option<&Proposal> {
        self.item().map(|item| &item.proposal)
    }

    pub fn ask_folder(&mut self, number: u8) {
        let Some(bookcases) = &self.bookcases else {
            self.wanted_shelf = Some(number);
            self.message = Some(Message::Done("the shelves are being read".into()));
            return;
        };
        if bookcases.shelf(self.bookcase, number).is_none() {
            return self.refuse(match bookcases.names().is_empty() {
                true => "there is no bookcase; nine setup makes one".to_owned(),
                false => format!("there is no shelf {number}"),
            });
        }
        let input = Input::default();
        let choices = bookcases.folders(self.bookcase, number, "", &self.open.review);
        self.mode = Mode::Folders(FolderPick { bookcase: self.bookcase, number, input, choices, at: 0 });
    }

    /// Where the item may go by the example of what is filed.
    pub fn ask_suggested(&mut self) {
        let Some(proposal) = self.proposal() else { return };
        let places = proposal.suggested.iter().map(|(folder, share)| {
            let into = Outcome::Decide(Decision::Into(folder.clone()));
            choice(
                words::folder(folder, self.names_places(), self.is_shelf(folder)),
                format!("{share} %"),
                into,
            )
        });
        let choices: Vec<Choice> = places.collect();
        if choices.is_empty() {
            return self.refuse("nothing that is filed speaks for a folder");
        }
        self.mode = Mode::Choose(Choose::new("Where things like it are", choices));
    }

    pub fn ask_tags(&mut self) {
        let Some(own) = self.proposal().map(|proposal| match &proposal.becomes {
            Some(after) => after.clone(),
            None => proposal.tags.clone(),
        }) else {
            return;
        };
        let known = self.tags.get_or_insert_with(|| known_tags(self.open));
        let mut offers: Vec<String> = known.iter().filter(|tag| !own.contains(tag)).cloned().collect();
        offers.extend(own.iter().map(|tag| format!("-{tag}")));
        let mut prompt = Prompt::new("Tags, with a comma between; -tag takes one away", Purpose::Tags, "");
        prompt.offers = offers;
        let has = own.iter().map(|tag| plain(tag)).collect::<Vec<_>>().join(", ");
        prompt.about.push(if has.is_empty() { "it has none".into() } else { format!("it has {has}") });
        self.mode = Mode::Prompt(prompt);
    }

    pub fn ask_name(&mut self) {
        let Some(proposal) = self.proposal() else { return };
        let own = proposal.item.path.name().to_vec();
        let proposed = proposal.placing().and_then(|placing| placing.name.as_ref()).map(|name| name.to_vec());
        let Ok(begun) = String::from_utf8(proposed.clone().unwrap_or_else(|| own.clone())) else {
            return self.refuse("its name is not UTF-8 text; a rule can rename it");
        };
        let mut prompt = Prompt::new("A new name", Purpose::Name, begun.clone());
        prompt.about.push(format!("it is called {}", escape(&own)));
        prompt.offers = self.names_to_offer(&own, proposed.as_deref(), &begun);
        self.mode = Mode::Prompt(prompt);
    }

    /// Names that the item might have: its own, the proposed one, both tidied, its title, and its day before it.
    fn names_to_offer(&self, own: &[u8], proposed: Option<&[u8]>, begun: &str) -> Vec<String> {
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        let (stem, ext) = split_extension(own);
        let (tidy, ext) = (tidy_stem(&text(stem)), text(ext));
        let now = self.session.now();
        let day = self.proposal().and_then(|proposal| now.format(proposal.modified, "%Y-%m-%d"));
        let title = self.look().and_then(|look| look.said.text(TextField::Title)).map(str::to_owned);
        let mut offers = vec![text(own), format!("{tidy}{ext}")];
        offers.extend(proposed.map(text));
        offers.extend(title.map(|title| format!("{}{ext}", title.replace('/', "-"))));
        offers.extend(day.map(|day| format!("{day} {tidy}{ext}")));
        let mut seen = vec![begun.to_owned()];
        offers.retain(|offer| {
            let is_new = !seen.contains(offer);
            seen.push(offer.clone());
            is_new
        });
        offers
    }

    pub fn ask_facet(&mut self) {
        let Some(item) = self.item() else { return };
        let mut choices = Vec::new();
        for doubt in item.doubts() {
            let Doubt::WhichTag(tags) = doubt else { continue };
            choices.extend(tags.iter().map(|tag| {
                let told = vec![("tag".to_owned(), tag.clone())];
                choice(format!("tag {}", plain(tag)), "files it", Outcome::Decide(Decision::Told(told)))
            }));
        }
        let answers = item.proposal.answers.clone();
        let config = self.open.workspace().config();
        let known = |facet: &str| answers.iter().find(|(name, _)| name == facet);
        // Those that a rule asked for come first.
        let asked = answers.iter().map(|(name, _)| name.as_str());
        let others = config.facets.names().filter(|name| known(name).is_none());
        let facets: Vec<String> = asked.chain(others).map(str::to_owned).collect();
        match (facets.as_slice(), choices.is_empty()) {
            ([], true) => return self.refuse("there are no facets; nine facet makes one"),
            ([only], true) => return self.ask_answer(&only.clone()),
            _ => {}
        }
        choices.extend(facets.iter().map(|facet| {
            let note = match known(facet) {
                Some((_, Some(value))) => plain(value),
                Some((_, None)) => "not known".to_owned(),
                None => String::new(),
            };
            choice(facet.clone(), note, Outcome::AskFacet(facet.clone()))
        }));
        self.mode = Mode::Choose(Choose::new("Which facet", choices));
    }

    pub fn ask_answer(&mut self, facet: &str) {
        let config = self.open.workspace().config();
        let Some(known) = config.facets.get(facet) else { return };
        let told = |value: &str| Decision::Told(vec![(facet.to_owned(), value.to_owned())]);
        let listed = known.listed();
        if listed.is_empty() {
            let mut prompt = Prompt::new(format!("{facet} is"), Purpose::Answer(facet.to_owned()), "");
            prompt.about.push(format!("written such as {}", known.example()));
            self.mode = Mode::Prompt(prompt);
            return;
        }
        let choices = listed.iter().map(|value| choice(plain(value), "", Outcome::Decide(told(value))));
        let mut choose = Choose::new(format!("{facet} is"), choices.collect());
        choose.filter = Some(Input::default());
        self.mode = Mode::Choose(choose);
    }

    pub fn ask_clash(&mut self) {
        let clash = self.item().and_then(|item| item.concerns()).and_then(|concerns| concerns.clash.clone());
        let Some(clash) = clash else { return self.refuse("no name is taken here") };
        let is_same =
            self.proposal().and_then(|p| p.placing()).and_then(|placing| placing.same) == Some(true);
        let same = self.item().is_some_and(|item| {
            item.doubts().any(|doubt| matches!(doubt, Doubt::Clash { same: Some(true), .. }))
        });
        let at = words::folder(&clash.at, self.names_places(), self.is_shelf(&clash.at));
        let mut choices = Vec::new();
        if clash.allowed.0 {
            let note = format!("called {}", escape(&clash.numbered));
            choices.push(choice("number it", note, Outcome::Decide(Decision::Clash(Clash::Number))));
        }
        choices.push(choice("leave it", "where it is", Outcome::Decide(Decision::Clash(Clash::Leave))));
        let held = format!("in the side folder {HELD}");
        choices.push(choice("hold it", held, Outcome::Decide(Decision::Clash(Clash::Hold))));
        if clash.allowed.1 {
            let note = "the one there goes into the trash";
            choices.push(choice("replace it", note, Outcome::Decide(Decision::Clash(Clash::Replace))));
        }
        if is_same || same {
            let note = "the same bytes in both; into the trash";
            choices.insert(0, choice("discard it", note, Outcome::Decide(Decision::Discard)));
        }
        self.mode = Mode::Choose(Choose::new(format!("The name is taken: {at}"), choices));
    }

    /// The decision that was taken last, and the item that it was for.
    fn last_decision(&self) -> Option<(usize, Decision)> {
        self.open.review.last().map(|(at, decision)| (at, decision.clone()))
    }

    pub fn ask_alike(&mut self) {
        let Some((at, decision)) = self.last_decision() else {
            return self.refuse("nothing was decided yet for one item");
        };
        if self.alike.is_empty() {
            self.alike = self.open.review.alike(at);
        }
        let alike = self.alike.clone();
        if alike.is_empty() {
            return self.refuse("nothing that is open is like it");
        }
        let choices = alike.into_iter().map(|alike| {
            let many = nine_core::amount::counted(alike.items.len() as u64, "other", "others");
            choice(format!("{many} {}", alike.likeness), "", Outcome::Alike(alike))
        });
        let mut choose = Choose::new("The same for all that are like it", choices.collect());
        let decided = words::decision(&decision, self.names_places(), |spot| self.is_shelf(spot));
        let name = words::name(&self.open.review.items()[at].proposal);
        choose.about.push(format!("{name}: {decided}"));
        self.mode = Mode::Choose(choose);
    }

    pub fn show_alike(&mut self, alike: nine_core::review::Alike) {
        let Some((_, decision)) = self.last_decision() else { return };
        self.mode = Mode::Alike(AlikeOffer { decision, alike, top: 0 });
    }

    pub fn ask_rule(&mut self) {
        let Some((at, decision)) = self.last_decision() else {
            return self.refuse("nothing was decided yet for one item");
        };
        let likenesses = self.open.review.likenesses(at);
        let rules = likenesses.into_iter().filter_map(|likeness| {
            let draft = self.open.rule_of(&likeness).ok()?;
            Some(choice(draft.when, "", Outcome::Rule(likeness)))
        });
        let choices: Vec<Choice> = rules.collect();
        if choices.is_empty() {
            let why = self.open.rule_of(&Likeness::Extension("x".into())).err();
            return self.refuse(
                why.map_or_else(|| "its name says too little for a rule".into(), |why| why.to_string()),
            );
        }
        let mut choose = Choose::new("A rule for", choices);
        choose.about.push(words::decision(&decision, self.names_places(), |spot| self.is_shelf(spot)));
        self.mode = Mode::Choose(choose);
    }

    pub fn offer_rule(&mut self, likeness: &Likeness) {
        let draft = match self.open.rule_of(likeness) {
            Ok(draft) => draft,
            Err(why) => return self.refuse(why.to_string()),
        };
        let tried = match self.open.try_rule(&draft) {
            Ok(tried) => tried,
            Err(error) => return self.refuse(error.to_string()),
        };
        let items = nine_core::amount::counted(tried.items, "item", "items");
        let mut told = vec![format!("in all piles it would act on {items} now")];
        let steps = tried.plan.settled.worklist.steps.iter();
        told.extend(steps.take(8).map(|step| format!("  {}", step.item)));
        if tried.items > 8 {
            told.push(format!("  and {} more", tried.items - 8));
        }
        told.extend(tried.first.iter().map(|(rule, items)| {
            let items = nine_core::amount::counted(*items, "item", "items");
            format!("the rule `{}` comes first for {items} of its kind", plain(rule))
        }));
        self.mode = Mode::Rule(RuleOffer { draft, told });
    }

    pub fn ask_find(&mut self) {
        let mut prompt = Prompt::new("A part of a name", Purpose::Find, "");
        if !self.found.is_empty() {
            prompt.about.push(format!("Enter alone finds `{}` again", plain(&self.found)));
        }
        self.mode = Mode::Prompt(prompt);
    }

    pub fn ask_end(&mut self) {
        let progress = self.open.review.progress();
        let counted = |number: usize| nine_core::amount::counted(number as u64, "item", "items");
        let rules = self.open.review.rules().len();
        let mut choices = Vec::new();
        if self.open.review.turns() == 0 {
            choices.push(choice("end", "nothing is changed", Outcome::End(Ended::Dropped)));
        }
        if progress.wanted + rules > 0 {
            let label = match rules {
                0 => format!("carry out {}", counted(progress.wanted)),
                rules => {
                    let rules = nine_core::amount::counted(rules as u64, "rule", "rules");
                    format!("carry out {}, and write {rules}", counted(progress.wanted))
                }
            };
            choices.push(choice(
                label,
                "shown once more, then asked",
                Outcome::End(Ended::Carry { open_sure: false }),
            ));
        }
        if progress.open_sure > 0 {
            let and = if progress.wanted > 0 { "carry them out, and " } else { "carry out " };
            let label = format!("{and}{} proposed without a doubt", counted(progress.open_sure));
            choices.push(choice(
                label,
                "nothing was decided of these",
                Outcome::End(Ended::Carry { open_sure: true }),
            ));
        }
        if progress.wanted > 0 {
            choices.push(choice(
                "write a table",
                "to be read, edited and given to nine carry",
                Outcome::AskFile,
            ));
        }
        if self.open.review.turns() > 0 {
            choices.push(choice("close", "nine review goes on from here", Outcome::End(Ended::Kept)));
            choices.push(choice("drop it", "all decisions are forgotten", Outcome::End(Ended::Dropped)));
        } else if choices.len() == 1 {
            self.ended = Some(Ended::Dropped);
            return;
        }
        let mut choose = Choose::new("End the review", choices);
        choose.about.push(format!(
            "{} to be done, {} left, {} open",
            progress.wanted,
            progress.left,
            progress.open()
        ));
        self.mode = Mode::Choose(choose);
    }

    pub fn ask_file(&mut self) {
        let day = self.session.now().format(self.session.now().moment(), "%Y-%m-%d").unwrap_or_default();
        let mut prompt = Prompt::new("Write the table to", Purpose::File, format!("review {day}.csv"));
        prompt.about.push("the end of the name says how: .csv or .json".into());
        self.mode = Mode::Prompt(prompt);
    }

    /// What the item says of itself, a line each.
    pub fn said(&self) -> Vec<(&'static str, String)> {
        let Some(look) = self.look() else { return Vec::new() };
        let now = self.session.now();
        let line = |field: SaidField| Some((field.word(), look.said.written(field, now)?));
        SaidField::all().filter_map(line).collect()
    }
}
