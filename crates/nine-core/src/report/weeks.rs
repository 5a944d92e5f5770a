//! How many files lay loose week by week: as earlier reports counted them, and else as far as can be told from what
//! lies there now and from what runs took away or brought back.

use std::collections::HashMap;

use crate::moment::{Day, Moment, Now, Unit};

/// A file that lies loose now.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LooseFile<'a> {
    /// The number of its place.
    pub place: usize,
    /// Its name.
    pub name: &'a [u8],
    /// When it arrived.
    pub since: Moment,
}

/// A file that a run took out of a place's loose files, or brought to them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Passage {
    /// When.
    pub at: Moment,
    /// The number of the place.
    pub place: usize,
    /// The file's name there.
    pub name: Vec<u8>,
    /// Whether it came; it left else.
    pub came: bool,
    /// When it was last changed before: it lay there since then, if nothing else is known.
    pub since: Moment,
}

/// What an earlier report counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Earlier {
    /// When.
    pub at: Moment,
    /// The number of the place.
    pub place: usize,
    /// How many files lay loose.
    pub loose: u64,
}

/// A week, from Monday on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Week {
    /// Its first moment.
    pub from: Moment,
    /// The first moment after it; now, if it is not over.
    pub to: Moment,
    /// How many files lay loose at its end in each place, and whether they were counted then. What was not counted may
    /// be too few: nothing is known of files that went otherwise than by a run.
    pub loose: Vec<(u64, bool)>,
}

impl Week {
    /// All places together.
    pub fn all(&self) -> u64 {
        self.loose.iter().map(|(loose, _)| loose).sum()
    }

    /// Whether that was counted then.
    pub fn is_counted(&self) -> bool {
        self.loose.iter().all(|(_, counted)| *counted)
    }
}

/// The last `most` weeks or fewer, the oldest first, this week being the last: from the first on of which something is
/// known. `passages` stand in the order in which they happened.
pub fn weeks(
    now: &Now,
    places: usize,
    loose: &[LooseFile],
    passages: &[Passage],
    earlier: &[Earlier],
    most: usize,
) -> Vec<Week> {
    let stays = stays(places, loose, passages);
    let spans = spans(now, most);
    let known_from = stays.iter().filter_map(Stays::first);
    let known_from = known_from.chain(earlier.iter().map(|one| one.at)).min().unwrap_or(now.moment());
    let week = |(from, to): (Moment, Moment)| {
        let is_now = to == now.moment();
        let of_place = |(place, stays): (usize, &Stays)| {
            let counted = earlier.iter().filter(|one| one.place == place && from <= one.at && one.at <= to);
            match counted.max_by_key(|one| one.at) {
                Some(counted) if !is_now => (counted.loose, true),
                _ => (stays.at(to), is_now),
            }
        };
        Week { from, to, loose: stays.iter().enumerate().map(of_place).collect() }
    };
    spans.into_iter().filter(|(_, to)| *to >= known_from).map(week).collect()
}

/// The last weeks, the oldest first; the last one ends now.
fn spans(now: &Now, most: usize) -> Vec<(Moment, Moment)> {
    let mut spans = Vec::new();
    let (mut day, mut to) = (now.today(), now.moment());
    for _ in 0..most {
        let (from, _) = Day::around(day, Unit::Week).bounds(now);
        spans.push((from, to));
        let before = now.day_of(Moment(from.0.saturating_sub(1)));
        let Some(before) = before else { break };
        (day, to) = (before, from);
    }
    spans.reverse();
    spans
}

/// When files came and went in one place, each in order.
#[derive(Debug, Default)]
struct Stays {
    came: Vec<Moment>,
    went: Vec<Moment>,
}

impl Stays {
    /// How many were there at a moment.
    fn at(&self, moment: Moment) -> u64 {
        let before = |times: &[Moment]| times.partition_point(|time| *time <= moment);
        before(&self.came).saturating_sub(before(&self.went)) as u64
    }

    fn first(&self) -> Option<Moment> {
        self.came.first().copied()
    }
}

fn stays(places: usize, loose: &[LooseFile], passages: &[Passage]) -> Vec<Stays> {
    let mut all: Vec<Stays> = (0..places).map(|_| Stays::default()).collect();
    // Files that a run brought, since when. Whether they are still there is not known yet.
    let mut brought: HashMap<(usize, &[u8]), Moment> = HashMap::new();
    for Passage { at, place, name, came, since } in passages {
        let key = (*place, name.as_slice());
        match came {
            true => drop(brought.insert(key, *at)),
            false => {
                let came = brought.remove(&key).unwrap_or(*since).min(*at);
                all[*place].came.push(came);
                all[*place].went.push(*at);
            }
        }
    }
    for LooseFile { place, name, since } in loose {
        let came = brought.get(&(*place, *name)).copied();
        all[*place].came.push(came.unwrap_or(*since));
    }
    for stays in &mut all {
        stays.came.sort_unstable();
        stays.went.sort_unstable();
    }
    all
}

#[cfg(test)]
mod tests {
    use jiff::tz::TimeZone;
    use proptest::prelude::*;

    use super::*;

    /// Monday 7 April 2031 is the first day of a week; this is its Friday.
    fn friday() -> Now {
        Now::parse("2031-04-11T17:00", &TimeZone::UTC).unwrap()
    }

    fn at(text: &str) -> Moment {
        Now::parse(text, &TimeZone::UTC).unwrap().moment()
    }

    fn passage(when: &str, name: &str, came: bool, since: &str) -> Passage {
        Passage { at: at(when), place: 0, name: name.into(), came, since: at(since) }
    }

    fn counts(weeks: &[Week]) -> Vec<(u64, bool)> {
        weeks.iter().map(|week| (week.all(), week.is_counted())).collect()
    }

    #[test]
    fn weeks_before_are_told_from_what_arrived_and_what_runs_took() {
        let loose = [("a", "2031-03-19T10:00"), ("b", "2031-04-02T10:00"), ("c", "2031-04-09T10:00")];
        let loose =
            loose.map(|(name, since)| LooseFile { place: 0, name: name.as_bytes(), since: at(since) });
        // One was filed in the week before this.
        let passages = [passage("2031-04-04T16:00", "d", false, "2031-03-25T09:00")];
        let found = weeks(&friday(), 1, &loose, &passages, &[], 26);
        assert_eq!(found[0].from, at("2031-03-17T00:00"));
        assert_eq!(counts(&found), [(1, false), (2, false), (2, false), (3, true)]);
    }

    #[test]
    fn what_was_taken_back_lay_elsewhere_in_between() {
        let loose = [LooseFile { place: 0, name: b"a", since: at("2031-03-18T00:00") }];
        let passages = [
            passage("2031-03-20T09:00", "a", false, "2031-03-18T00:00"),
            passage("2031-04-08T09:00", "a", true, "2031-03-18T00:00"),
        ];
        let found = weeks(&friday(), 1, &loose, &passages, &[], 26);
        // It came and went in the first week.
        assert_eq!(counts(&found), [(0, false), (0, false), (0, false), (1, true)]);
    }

    #[test]
    fn what_a_report_counted_counts() {
        let earlier = |when, loose| Earlier { at: at(when), place: 0, loose };
        let earlier = [
            earlier("2031-03-28T16:00", 40),
            earlier("2031-03-26T16:00", 60),
            earlier("2031-04-10T16:00", 9),
        ];
        let found = weeks(&friday(), 1, &[], &[], &earlier, 26);
        // What was counted earlier this week is not how it is now.
        assert_eq!(counts(&found), [(40, true), (0, false), (0, true)]);
        assert_eq!(weeks(&friday(), 1, &[], &[], &earlier, 2).len(), 2);
        assert_eq!(counts(&weeks(&friday(), 0, &[], &[], &[], 26)).len(), 1);
    }

    proptest! {
        #[test]
        fn the_last_week_is_how_it_is_now(
            ages in proptest::collection::vec(0i64..400, 0..30),
            went in proptest::collection::vec((0i64..400, 0i64..400), 0..30),
        ) {
            let now = friday();
            let ago = |days: i64| Moment(now.moment().0 - days * 86_400_000_000_000);
            let names: Vec<String> = (0..ages.len()).map(|n| n.to_string()).collect();
            let loose: Vec<LooseFile> = ages.iter().zip(&names)
                .map(|(days, name)| LooseFile { place: 0, name: name.as_bytes(), since: ago(*days) }).collect();
            let mut passages: Vec<Passage> = went.iter().enumerate().map(|(n, (days, before))| Passage {
                at: ago(*days), place: 0, name: format!("w{n}").into(), came: false, since: ago(days + before),
            }).collect();
            passages.sort_by_key(|passage| passage.at);
            let found = weeks(&now, 1, &loose, &passages, &[], 26);
            prop_assert_eq!(found.last().unwrap().loose.clone(), vec![(ages.len() as u64, true)]);
            let most = ages.len() + went.len();
            prop_assert!(found.iter().all(|week| week.all() as usize <= most));
            prop_assert!(found.windows(2).all(|two| two[0].to == two[1].from));
        }
    }
}
