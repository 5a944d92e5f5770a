use proptest::prelude::*;

use super::*;

#[test]
fn preferences_decide_in_their_order_and_say_why() {
    let item = |spot: &str, on_shelf, tagged, modified, marked| KeepFacts {
        spot: Spot::parse(spot).unwrap(),
        kind: Kind::File,
        on_shelf,
        tagged,
        modified: Moment(modified),
        marked,
    };
    let items = [
        item("downloads/plan (1).pdf", false, false, 10, true),
        item("home/2 Loans/plan.pdf", true, false, 30, false),
        item("home/9 Archive/deep/plan.pdf", true, true, 20, false),
        item("desktop/plan.pdf", false, false, 5, false),
    ];
    let chosen = |words: &str| {
        let preferences: Vec<Keep> = words.split_whitespace().map(|w| Keep::parse(w).unwrap()).collect();
        let chosen = choose(items.clone(), &preferences);
        (chosen.at, chosen.because)
    };
    assert_eq!(chosen("shelf shorter"), (1, "on a shelf, shorter path".into()));
    assert_eq!(chosen("tagged"), (2, "with tags".into()));
    assert_eq!(chosen("older"), (3, "older".into()));
    assert_eq!(chosen("newer"), (1, "newer".into()));
    assert_eq!(chosen("in:downloads"), (0, "in downloads".into()));
    assert_eq!(chosen("in:home/2 shelf"), (1, "on a shelf, first by name".into()));
    assert_eq!(chosen("unmarked shorter"), (3, "without a copy mark, shorter path".into()));
    assert_eq!(chosen(""), (3, "first by name".into()));
    for keep in Keep::usual().iter().chain([&Keep::In(Spot::parse("home/2 Loans").unwrap())]) {
        assert_eq!(Keep::parse(&keep.to_string()).as_ref(), Some(keep));
    }
    assert_eq!((Keep::parse("nicer"), Keep::parse("in:")), (None, None));
}

proptest! {
    #[test]
    fn who_goes_through_copies_once_chooses_as_who_narrows_them_down(
        facts in prop::collection::vec((any::<bool>(), any::<bool>(), 0..3i64, 1..3usize, any::<bool>()), 1..8),
    ) {
        let path = |length: usize, late: bool| if late { "z".repeat(length) } else { "a".repeat(length) };
        let item = |(on_shelf, tagged, modified, length, late)| KeepFacts {
            spot: Spot::parse(&format!("home/{}", path(length, late))).unwrap(),
            kind: Kind::File,
            on_shelf,
            tagged,
            modified: Moment(modified),
            marked: false,
        };
        let order = [Keep::Shelf, Keep::Tagged, Keep::Older, Keep::Shorter];
        let chosen = choose(facts.iter().copied().map(item), &order);

        let mut left: Vec<usize> = (0..facts.len()).collect();
        let mut reasons = Vec::new();
        for (by, why) in ["on a shelf", "with tags", "older", "shorter path", "first by name"].iter().enumerate() {
            let (rank, before) = (|at: usize| {
                let (on_shelf, tagged, modified, length, late) = facts[at];
                [i64::from(!on_shelf), i64::from(!tagged), modified, length as i64, i64::from(late)][by]
            }, left.len());
            let best = left.iter().map(|at| rank(*at)).min();
            left.retain(|at| Some(rank(*at)) == best);
            reasons.extend((left.len() < before).then_some(*why));
        }
        // Two of one name are told apart by nothing but their order.
        reasons.extend((left.len() > 1 && reasons.last() != Some(&"first by name")).then_some("first by name"));
        prop_assert_eq!((chosen.at, chosen.because), (left[0], reasons.join(", ")));
    }
}
