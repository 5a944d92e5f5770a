//! When is looked at what: a pure calculation on a clock that only goes on, so that setting the other one changes
//! nothing.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::time::Duration;

use nine_core::place::NameBuf;

/// A time of the clock that only goes on.
pub type Uptime = Duration;

/// How fast things go.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Pace {
    /// So long is waited between two runs, so that the daybook stays readable.
    pub gap: Duration,
    /// So long is waited for what is in use, or another program at work, and then longer each time.
    pub again: Duration,
    /// So long at most.
    pub at_most: Duration,
}

impl Default for Pace {
    fn default() -> Self {
        Self {
            gap: Duration::from_secs(60),
            again: Duration::from_secs(60),
            at_most: Duration::from_secs(15 * 60),
        }
    }
}

/// What of a pile is to be looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Due {
    /// All of it.
    Whole,
    /// What has these names, or lies in folders of these names.
    Names(HashSet<NameBuf>),
}

/// When something is due, and how often it was looked at in vain.
#[derive(Debug, Clone, Copy, Default)]
struct Slot {
    at: Uptime,
    tries: u32,
}

#[derive(Debug, Default)]
struct PileAgenda {
    whole: Option<Slot>,
    names: HashMap<NameBuf, Slot>,
}

/// What is to be looked at, and when.
#[derive(Debug, Default)]
pub struct Agenda {
    pace: Pace,
    piles: BTreeMap<String, PileAgenda>,
    /// No run before this.
    not_before: Uptime,
}

impl Agenda {
    /// Nothing is due.
    pub fn new(pace: Pace) -> Self {
        Self { pace, ..Self::default() }
    }

    /// All of a pile is due at a time.
    pub fn whole(&mut self, pile: &str, at: Uptime) {
        let agenda = self.piles.entry(pile.to_owned()).or_default();
        let sooner = agenda.whole.is_none_or(|slot| at < slot.at);
        if sooner {
            agenda.whole = Some(Slot { at, tries: 0 });
        }
    }

    /// Something happened to what has a name; it is due once it has settled.
    pub fn touched(&mut self, pile: &str, name: NameBuf, at: Uptime) {
        let slot = Slot { at, tries: 0 };
        self.piles.entry(pile.to_owned()).or_default().names.insert(name, slot);
    }

    /// Something was looked at in vain, for it changed just now or is in use: it is due again when it has settled, and
    /// the later the more often that was so.
    pub fn again(&mut self, pile: &str, name: NameBuf, tries: u32, settled: Uptime, now: Uptime) {
        let at = settled.max(now + self.pause(tries));
        let agenda = self.piles.entry(pile.to_owned()).or_default();
        agenda.names.entry(name).or_insert(Slot { at, tries: tries + 1 });
    }

    /// What was taken could not be done at all, and is due again later.
    pub fn put_back(&mut self, pile: &str, due: Due, tries: u32, now: Uptime) {
        let slot = Slot { at: now + self.pause(tries), tries: tries + 1 };
        let agenda = self.piles.entry(pile.to_owned()).or_default();
        match due {
            Due::Whole => agenda.whole = Some(slot),
            Due::Names(names) => {
                for name in names {
                    agenda.names.entry(name).or_insert(slot);
                }
            }
        }
    }

    fn pause(&self, tries: u32) -> Duration {
        self.pace.again.saturating_mul(1 << tries.min(10)).min(self.pace.at_most)
    }

    /// A run was carried out.
    pub fn ran(&mut self, now: Uptime) {
        self.not_before = now + self.pace.gap;
    }

    /// Nothing is due any more. Runs are apart all the same.
    pub fn clear(&mut self) {
        self.piles.clear();
    }

    /// When is to be looked next; `None`: not before something happens.
    pub fn next(&self) -> Option<Uptime> {
        let slots = self.piles.values().flat_map(|agenda| agenda.whole.iter().chain(agenda.names.values()));
        slots.map(|slot| slot.at).min().map(|at| at.max(self.not_before))
    }

    /// What is due of each pile, and how often it was tried; it is taken off.
    pub fn take(&mut self, now: Uptime) -> Vec<(String, Due, u32)> {
        let mut taken = Vec::new();
        if now < self.not_before {
            return taken;
        }
        for (pile, agenda) in &mut self.piles {
            if let Some(slot) = agenda.whole.take_if(|slot| slot.at <= now) {
                agenda.names.retain(|_, name| name.at > now);
                taken.push((pile.clone(), Due::Whole, slot.tries));
                continue;
            }
            let mut tries = 0;
            let due = agenda.names.extract_if(|_, slot| slot.at <= now);
            let names: HashSet<NameBuf> = due
                .map(|(name, slot)| {
                    tries = tries.max(slot.tries);
                    name
                })
                .collect();
            if !names.is_empty() {
                taken.push((pile.clone(), Due::Names(names), tries));
            }
        }
        taken
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(seconds: u64) -> Uptime {
        Duration::from_secs(seconds)
    }

    fn name(text: &str) -> NameBuf {
        NameBuf::new(text).unwrap()
    }

    fn names(texts: &[&str]) -> Due {
        Due::Names(texts.iter().map(|text| name(text)).collect())
    }

    #[test]
    fn what_happens_again_is_due_later() {
        let mut agenda = Agenda::new(Pace::default());
        assert_eq!(agenda.next(), None);
        agenda.touched("downloads", name("a"), at(600));
        agenda.touched("downloads", name("b"), at(610));
        agenda.touched("downloads", name("a"), at(620));
        assert_eq!(agenda.next(), Some(at(610)));
        assert_eq!(agenda.take(at(609)), []);
        assert_eq!(agenda.take(at(610)), [("downloads".to_owned(), names(&["b"]), 0)]);
        assert_eq!(agenda.take(at(700)), [("downloads".to_owned(), names(&["a"]), 0)]);
        assert_eq!(agenda.next(), None);
    }

    #[test]
    fn runs_are_a_minute_apart_and_gather_what_came() {
        let mut agenda = Agenda::new(Pace::default());
        agenda.ran(at(100));
        agenda.touched("downloads", name("a"), at(101));
        agenda.touched("desktop", name("b"), at(130));
        assert_eq!(agenda.next(), Some(at(160)));
        assert_eq!(agenda.take(at(159)), []);
        let taken = agenda.take(at(160));
        assert_eq!(
            taken,
            [("desktop".to_owned(), names(&["b"]), 0), ("downloads".to_owned(), names(&["a"]), 0)]
        );
    }

    #[test]
    fn what_is_looked_at_in_vain_is_looked_at_less_and_less() {
        let mut agenda = Agenda::new(Pace::default());
        let mut now = at(0);
        let mut pauses = Vec::new();
        agenda.touched("downloads", name("a"), now);
        for _ in 0..7 {
            let (pile, Due::Names(due), tries) = agenda.take(now).remove(0) else { panic!("names") };
            due.into_iter().for_each(|name| agenda.again(&pile, name, tries, now, now));
            let next = agenda.next().unwrap();
            pauses.push((next - now).as_secs() / 60);
            now = next;
        }
        assert_eq!(pauses, [1, 2, 4, 8, 15, 15, 15]);
        // Something that happens to it begins anew, and is not undone by an older look.
        agenda.touched("downloads", name("a"), now + at(5));
        agenda.again("downloads", name("a"), 9, now, now);
        assert_eq!(agenda.next(), Some(now + at(5)));
    }

    #[test]
    fn all_of_a_pile_takes_its_names_with_it() {
        let mut agenda = Agenda::new(Pace::default());
        agenda.touched("downloads", name("a"), at(5));
        agenda.touched("downloads", name("later"), at(50));
        agenda.whole("downloads", at(10));
        agenda.whole("downloads", at(20));
        assert_eq!(agenda.take(at(10)), [("downloads".to_owned(), Due::Whole, 0)]);
        assert_eq!(agenda.next(), Some(at(50)));
        agenda.put_back("downloads", Due::Whole, 2, at(10));
        assert_eq!(agenda.next(), Some(at(50)));
        agenda.clear();
        assert_eq!(agenda.next(), None);
    }
}
