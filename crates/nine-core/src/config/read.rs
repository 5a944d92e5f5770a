//! From the text of `shelves.toml` to a checked configuration, or to findings that point at it.

use std::ops::Range;

use super::archive::usual_archive;
use super::drives::is_address;
use super::reader::ConfigReader;
use super::spanned::Spanned;
use super::text::{
    Births, BookcaseText, ClashText, DiscardText, ExtensionText, FileText, PileText, ReachText, RuleText,
    SearchText, ShelfTable, TagText,
};
use super::{Bookcase, Config, Pile, ShelfConfig, TagLook, usual_settle};
use crate::condition;
use crate::diagnostic::{Diagnostic, any_of, nearest};
use crate::facet::Facets;
use crate::marks::is_mark;
use crate::moment::{EXPECTED_SPAN, Span};
use crate::names::{fold, make_safe};
use crate::pattern::{Pattern, PutPattern};
use crate::rules::{Clash, Reach, Rule};
use crate::saved::{self, SavedSearch};

/// Reads a configuration.
///
/// # Errors
/// Everything that is wrong with it, in the order of the text. Where the text is not TOML, or a key
/// or the kind of a value is wrong, reading stops there.
pub fn parse(text: &str) -> Result<Config, Vec<Diagnostic>> {
    let file: FileText = toml::from_str(text).map_err(|e| vec![from_toml(text, &e)])?;
    let mut reader = ConfigReader { text, findings: Vec::new() };
    let config = reader.config(file);
    if reader.findings.is_empty() {
        return Ok(config);
    }
    reader.findings.sort_by_key(|finding| finding.span.start);
    Err(reader.findings)
}

/// Words the finding of the TOML reader, with the nearest right word for an unknown one.
pub(super) fn from_toml(text: &str, error: &toml::de::Error) -> Diagnostic {
    let mut span = error.span().unwrap_or(0..0);
    let message = error.message().trim().to_owned();
    let quoted: Vec<&str> = message.split('`').skip(1).step_by(2).collect();
    if let ([unknown, known @ ..], true) = (quoted.as_slice(), message.starts_with("unknown")) {
        if let Some(at) = text.get(span.clone()).and_then(|part| part.find(unknown)) {
            span = span.start + at..span.start + at + unknown.len();
        }
        let what = if message.starts_with("unknown field") { "a key" } else { "a value" };
        let finding = Diagnostic::new(span, format!("`{unknown}` is not {what} that is known here"));
        return match nearest(unknown, known.iter().copied()) {
            Some(near) => finding.help(format!("did you mean `{near}`?")),
            None => finding.help(format!("here can stand {}", any_of(known.iter().copied()))),
        };
    }
    if let (Some(field), true) = (quoted.first(), message.starts_with("missing field")) {
        return Diagnostic::new(span, format!("`{field}` is missing here"))
            .help(format!("add a line `{field} = …`"));
    }
    Diagnostic::new(span, message.lines().collect::<Vec<_>>().join("; "))
}

/// The person's own saved searches as they are written.
struct Searches(Vec<(Spanned<String>, SearchText)>);

impl FromIterator<(Spanned<String>, SearchText)> for Searches {
    fn from_iter<T: IntoIterator<Item = (Spanned<String>, SearchText)>>(iter: T) -> Self {
        Self(iter.into_iter().collect())
    }
}

impl Searches {
    fn text(&self, name: &str) -> Option<String> {
        let found = self.0.iter().find(|(known, _)| known.get_ref() == name);
        found.map(|(_, search)| search.r#where.get_ref().clone())
    }
}

impl ConfigReader<'_> {
    pub(super) fn config(&mut self, file: FileText) -> Config {
        let mut config =
            Config { trash: file.trash.as_ref().map(|trash| self.folder(&trash.at)), ..Config::default() };
        let mut places: Vec<(Range<usize>, String)> = Vec::new();
        let names = file.pile.keys().chain(file.bookcase.keys());
        for name in names {
            self.place_name(name, &places);
            places.push((name.span(), name.get_ref().clone()));
        }
        let mut piles: Vec<_> = file.pile.into_iter().collect();
        piles.sort_by_key(|(name, _)| name.span().start);
        config.piles = piles.into_iter().map(|(name, pile)| self.pile(name.into_inner(), pile)).collect();
        let mut bookcases: Vec<_> = file.bookcase.into_iter().collect();
        bookcases.sort_by_key(|(name, _)| name.span().start);
        config.bookcases =
            bookcases.into_iter().map(|(name, text)| self.bookcase(name.into_inner(), text)).collect();
        let mut drives: Vec<_> = file.drive.into_iter().collect();
        drives.sort_by_key(|(name, _)| name.span().start);
        config.drives = drives.into_iter().map(|(name, drive)| drive.read(self, name.into_inner())).collect();
        if let Some(copies) = &file.copies {
            let names: Vec<&str> = places.iter().map(|(_, name)| name.as_str()).collect();
            config.keep = copies.read(self, &names);
        }
        config.displays = file.displays.as_ref().map(|displays| self.folder(&displays.at));
        config.tags = file.tag.into_iter().map(|(tag, look)| self.tag_look(tag, look)).collect();
        let mut facets: Vec<_> = file.facet.into_iter().collect();
        facets.sort_by_key(|(name, _)| name.span().start);
        let dates = file.dates.as_ref().map(|dates| dates.read(self)).unwrap_or_default();
        for (name, facet) in facets {
            facet.read(self, &name, &dates, &mut config.facets);
        }
        let searches: Searches = file.search.into_iter().collect();
        config.searches = self.searches(&searches, &config.facets);
        config.archive = match &file.archive {
            Some(archive) => archive.read(self, &config, &|name| searches.text(name)),
            None => usual_archive(&config),
        };
        config.watching = file.watch.as_ref().map(|watch| watch.read(self, &config)).unwrap_or_default();
        let mut routines: Vec<_> = file.routine.iter().collect();
        routines.sort_by_key(|(name, _)| name.span().start);
        config.routines = routines.into_iter().map(|(name, routine)| routine.read(self, name)).collect();
        for (number, rule) in file.rule.into_iter().enumerate() {
            let span = rule.span();
            if let Some(rule) = self.rule(number, rule.into_inner(), span, &config, &searches) {
                config.rules.push(rule);
            }
        }
        config
    }

    fn place_name(&mut self, name: &Spanned<String>, earlier: &[(Range<usize>, String)]) {
        let text = name.get_ref();
        let plain = |c: char| c.is_alphanumeric() || matches!(c, '-' | '_');
        if text.is_empty() || !text.chars().all(plain) || matches!(text.as_bytes(), [b'1'..=b'9']) {
            self.find(
                Diagnostic::new(name.span(), format!("`{text}` cannot be the name of a place"))
                    .help("a name is made of letters, digits, - and _, and is not a single digit"),
            );
        }
        if earlier.iter().any(|(_, other)| other == text) {
            self.find(
                Diagnostic::new(name.span(), format!("`{text}` is the name of a pile and of a bookcase"))
                    .help("give one of them another name; `nine` writes places as NAME/path"),
            );
        }
    }

    /// The folder of a place, which may be on a drive.
    fn place(&mut self, at: &Spanned<String>) -> String {
        if is_address(at.get_ref()) { at.get_ref().clone() } else { self.folder(at) }
    }

    fn pile(&mut self, name: String, pile: PileText) -> Pile {
        let settle = pile.settle.as_ref().and_then(|value| {
            let span = Span::parse(value.get_ref());
            if span.is_none() {
                self.find(
                    Diagnostic::new(value.span(), format!("`{}` is not a span of time", value.get_ref()))
                        .help(format!("expected {EXPECTED_SPAN}")),
                );
            }
            span
        });
        Pile {
            name,
            at: self.place(&pile.at),
            at_span: pile.at.span(),
            settle: settle.unwrap_or_else(usual_settle),
            believes_births: pile.births != Some(Births::Ignore),
            text: pile.text,
        }
    }

    fn tag_look(&mut self, tag: Spanned<String>, look: TagText) -> TagLook {
        if tag.get_ref().trim().is_empty() {
            self.find(Diagnostic::new(tag.span(), "a tag cannot be empty"));
        }
        if let Some(mark) =
            look.mark.as_ref().filter(|mark| !(1..=4).contains(&mark.get_ref().chars().count()))
        {
            self.find(
                Diagnostic::new(mark.span(), "a mark is one sign, such as an emoji")
                    .help("write up to four characters, since some signs are made of several"),
            );
        }
        TagLook { tag: tag.into_inner(), color: look.color, mark: look.mark.map(Spanned::into_inner) }
    }

    /// The starter set and the person's own searches; one of the same name stands in for a starter.
    fn searches(&mut self, own: &Searches, facets: &Facets) -> Vec<SavedSearch> {
        let mut searches = saved::starters();
        for (name, search) in &own.0 {
            let text = name.get_ref();
            if text.is_empty()
                || text.len() > 100
                || text.starts_with('.')
                || text.contains(|c: char| c.is_control() || c == '/')
            {
                self.find(
                    Diagnostic::new(name.span(), "this cannot be the name of a saved search").help(
                        "leave out / and control characters, and begin with no dot: the name is also that of a folder of links",
                    ),
                );
            }
            let resolve = |used: &str| saved::resolve(used, &[text.as_str()], facets, &|name| own.text(name));
            match condition::parse_with(search.r#where.get_ref(), facets, &resolve) {
                Ok(condition) => {
                    searches.retain(|other| other.name != *text);
                    let display = search.display;
                    searches.push(SavedSearch { name: text.clone(), condition, display, starter: false });
                }
                Err(finding) => self.find_inside(&search.r#where, finding),
            }
        }
        searches
    }

    fn bookcase(&mut self, name: String, bookcase: BookcaseText) -> Bookcase {
        let mut shelves: Vec<ShelfConfig> = Vec::new();
        for shelf in bookcase.shelves {
            let span = shelf.span();
            let shelf = shelf.into_inner().0;
            let next = shelves.last().map_or(1, |last| last.number + 1);
            let number = shelf.number.unwrap_or(next);
            if number > 9 && shelf.number.is_none() {
                let what = format!("a tenth shelf, `{}`: a bookcase has nine at most", shelf.title);
                let finding = Diagnostic::new(span, what);
                self.find(finding.help("join two shelves, or start a second bookcase"));
                break;
            }
            if !(next..=9).contains(&number) {
                let what = format!("`{}` cannot be shelf {number} here", shelf.title);
                self.find(
                    Diagnostic::new(span, what).help("shelves stand in the order of their numbers, 1 to 9"),
                );
                continue;
            }
            if !shelf.folders.is_empty() {
                let what = "`folders` is a key of layouts";
                self.find(
                    Diagnostic::new(span.clone(), what)
                        .help("here a shelf has title, number, mark, color, shared"),
                );
            }
            self.shelf(&shelf, &span, &shelves);
            let ShelfTable { title, mark, color, shared, .. } = shelf;
            shelves.push(ShelfConfig { number, title, mark, color, shared });
        }
        Bookcase {
            name,
            at: self.place(&bookcase.at),
            at_span: bookcase.at.span(),
            shelves,
            marks: bookcase.marks,
            text: bookcase.text,
        }
    }

    fn shelf(&mut self, shelf: &ShelfTable, span: &Range<usize>, earlier: &[ShelfConfig]) {
        let title = &shelf.title;
        if title.is_empty() || make_safe(title.as_bytes()) != title.as_bytes() {
            self.find(
                Diagnostic::new(span.clone(), format!("`{title}` cannot be the name of a folder everywhere"))
                    .help("leave out < > : \" / \\ | ? * and spaces at either end"),
            );
        }
        if earlier.iter().any(|other| fold(&other.title) == fold(title)) {
            self.find(Diagnostic::new(span.clone(), format!("two shelves are called `{title}`")));
        }
        if let Some(mark) = shelf.mark.as_ref().filter(|mark| !is_mark(mark)) {
            self.find(
                Diagnostic::new(span.clone(), format!("`{mark}` cannot be a mark"))
                    .help("a mark is one sign, such as ⚓ or ★, without letters, digits and spaces"),
            );
        }
    }

    fn rule(
        &mut self,
        number: usize,
        rule: RuleText,
        span: Range<usize>,
        config: &Config,
        searches: &Searches,
    ) -> Option<Rule> {
        self.check_piles(&rule.piles, config);
        for tag in rule.tag.iter().filter(|tag| tag.get_ref().trim().is_empty()) {
            self.find(Diagnostic::new(tag.span(), "a tag cannot be empty"));
        }
        let facets = &config.facets;
        let resolve = |name: &str| saved::resolve(name, &[], facets, &|name| searches.text(name));
        let when = condition::parse_with(rule.when.get_ref(), facets, &resolve);
        let when = when.map_err(|d| self.find_inside(&rule.when, d)).ok();
        let asks = when.as_ref().is_some_and(|when| !when.facets().is_empty());
        let head = || span.start..span.start + self.text[span.clone()].lines().next().map_or(0, str::len);
        let (files, discards) = (rule.put.is_some() || rule.rename.is_some(), rule.discard.is_some());
        if !files && !discards && rule.tag.is_empty() && when.is_some() && !asks {
            let finding = Diagnostic::new(head(), "this rule does nothing");
            self.find(finding.help("add `put`, `rename`, `tag` or `discard = \"copies\"`"));
        }
        if discards && (files || !rule.tag.is_empty()) {
            let finding = Diagnostic::new(head(), "this rule both discards items and does more with them");
            self.find(finding.help("leave out `put`, `rename` and `tag`, or make two rules"));
        }
        let rename = rule.rename.as_ref().and_then(|text| {
            Pattern::parse(text.get_ref(), facets).map_err(|d| self.find_inside(text, d)).ok()
        });
        let put = rule.put.as_ref().and_then(|text| {
            let put =
                PutPattern::parse(text.get_ref(), facets).map_err(|d| self.find_inside(text, d)).ok()?;
            self.check_shelf(text, &put, config);
            Some(put)
        });
        Some(Rule {
            name: rule.name.map_or_else(|| format!("rule {}", number + 1), Spanned::into_inner),
            piles: rule.piles.into_iter().map(Spanned::into_inner).collect(),
            reach: match rule.reach {
                ReachText::Loose => Reach::Loose,
                ReachText::Deep => Reach::Deep,
            },
            when: when?,
            tag: rule.tag.into_iter().map(|tag| tag.into_inner().trim().to_owned()).collect(),
            rename,
            put,
            clash: match rule.clash {
                ClashText::Number => Clash::Number,
                ClashText::Leave => Clash::Leave,
                ClashText::Hold => Clash::Hold,
                ClashText::Replace => Clash::Replace,
            },
            precedence: rule.precedence,
            corrects_extension: rule.extension == ExtensionText::Correct,
            discards_copies: rule.discard == Some(DiscardText::Copies),
        })
    }

    pub(super) fn check_piles(&mut self, piles: &[Spanned<String>], config: &Config) {
        let known = || config.piles.iter().map(|pile| pile.name.as_str());
        for pile in piles.iter().filter(|pile| config.pile(pile.get_ref()).is_none()) {
            let finding = Diagnostic::new(pile.span(), format!("there is no pile `{}`", pile.get_ref()));
            self.find(match nearest(pile.get_ref(), known()) {
                Some(near) => finding.help(format!("did you mean `{near}`?")),
                None if config.piles.is_empty() => {
                    finding.help("make one: [pile.downloads] at = \"~/Downloads\"")
                }
                None => finding.help(format!("the piles are {}", any_of(known()))),
            });
        }
    }
}
