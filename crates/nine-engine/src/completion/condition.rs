//! Words of conditions.

use nine_core::condition::{ValueKind, expected};
use nine_core::kinds::{TYPES, known_extensions};

use super::{Known, Offer, beginning, in_list, plain};

impl Known {
    pub(super) fn in_condition(&self, before: &[String], typed: &str) -> Vec<Offer> {
        // A bracket may stand at the word that it opens.
        let bracket = typed.len() - typed.trim_start_matches('(').len();
        let (brackets, typed) = typed.split_at(bracket);
        let found = expected(before, &self.config().facets);
        let mut offers = beginning(typed, plain(found.words));
        offers.extend(found.value.map_or_else(Vec::new, |kind| self.values(kind, typed)));
        offers.iter_mut().for_each(|offer| offer.word.insert_str(0, brackets));
        offers
    }

    fn values(&self, kind: ValueKind, typed: &str) -> Vec<Offer> {
        let offers: Vec<Offer> = match kind {
            ValueKind::Type => plain(TYPES.iter().map(|(word, _)| *word)),
            ValueKind::Extension => plain(known_extensions()),
            ValueKind::Tag => plain(["any", "none"]).into_iter().chain(self.tags()).collect(),
            ValueKind::Answer(facet) => plain(facet.listed()),
            ValueKind::Saved => return beginning(typed, self.searches()),
            ValueKind::Folder => return self.folder_names(typed),
            ValueKind::Size => return beginning(typed, plain(["1MB", "10MB", "100MB", "1GB", "10GB"])),
            ValueKind::Span => return beginning(typed, plain(["7d", "30d", "90d", "6mo", "1y", "2y"])),
            ValueKind::Length => return beginning(typed, plain(["30s", "3min", "10min", "1h"])),
            ValueKind::Date => return beginning(typed, self.days()),
            ValueKind::Number | ValueKind::Text => Vec::new(),
        };
        in_list(typed, offers)
    }

    /// Days and years that are asked for often, counted from today.
    fn days(&self) -> Vec<Offer> {
        let today = self.workspace.now().today();
        let year = today.year();
        let month = format!("{year}-{:02}", today.month());
        let words = ["today", "yesterday", "this", "last"].map(str::to_owned);
        let dates = [year.to_string(), (year - 1).to_string(), month, today.to_string()];
        words.into_iter().chain(dates).map(|word| Offer::new(word, "")).collect()
    }
}
