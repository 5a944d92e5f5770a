use proptest::prelude::*;

use super::*;
use crate::config::ShelfConfig;
use crate::item::{Entry, Identity, Stamp};
use crate::moment::Moment;
use crate::place::{ItemPath, Name, NameBuf, Spot};
use crate::plan::{Intent, Placing, settle};
use crate::rules::Clash;
use crate::shelving::{Shelf, Shelving};
use crate::worklist::{Act, ClashAnswer, NamesThere, Original};

fn spot(text: &str) -> Spot {
    Spot::parse(text).unwrap()
}

fn plain(at: &str) -> Proposal {
    let stamp = Stamp { size: 3, modified: Moment(0), identity: Identity([1, at.len() as u64]) };
    let kind = if at.ends_with('/') { Kind::Folder } else { Kind::File };
    Proposal::new(spot(at.trim_end_matches('/')), kind, stamp, Vec::new())
}

fn proposed(at: &str, folder: &str) -> Proposal {
    Proposal { intent: Intent::Place(Placing::into(spot(folder))), why: "a rule".into(), ..plain(at) }
}

fn review(items: impl IntoIterator<Item = Proposal>) -> Review {
    Review::new(items.into_iter().map(ReviewItem::new).collect())
}

/// Knows one answer: a lender, which the rules put on shelf 2.
struct World;

impl Knows for World {
    fn again(&mut self, item: &Spot, told: &[(String, String)]) -> Result<Option<Proposal>, Refusal> {
        let lender = told.iter().find(|(facet, _)| facet == "lender");
        Ok(lender.map(|(_, value)| Proposal {
            answers: vec![("lender".into(), Some(value.clone()))],
            ..proposed(&item.to_string(), &format!("home/2 Loans/{value}"))
        }))
    }

    fn archive_folder(&mut self, item: &Proposal) -> Result<Spot, Refusal> {
        match item.kind {
            Kind::Folder => Err(Refusal::Not("no folders here".into())),
            _ => Ok(spot("home/9 Archive/2031-04-07/downloads")),
        }
    }
}

fn target(item: &ReviewItem) -> String {
    item.proposal.placing().map_or("nowhere".into(), |placing| placing.folder.to_string())
}

#[test]
fn each_decision_says_what_becomes_of_an_item() {
    let mut review = review([
        proposed("downloads/a.pdf", "home/1 Boats"),
        plain("downloads/b.pdf"),
        plain("downloads/old/"),
    ]);
    let told = vec![("lender".to_owned(), "Harrow".to_owned())];
    let cases = [
        (0, Decision::Take, Ok((State::Wanted, "home/1 Boats"))),
        (1, Decision::Take, Err(Refusal::NothingProposed)),
        (0, Decision::Leave, Ok((State::Left, "home/1 Boats"))),
        (1, Decision::Into(spot("home/3 Grants")), Ok((State::Wanted, "home/3 Grants"))),
        (1, Decision::Into(spot("downloads")), Err(Refusal::LiesThere)),
        (2, Decision::Into(spot("downloads/old/inner")), Err(Refusal::IntoItself)),
        (1, Decision::Archive, Ok((State::Wanted, "home/9 Archive/2031-04-07/downloads"))),
        (2, Decision::Archive, Err(Refusal::Not("no folders here".into()))),
        (1, Decision::Told(told.clone()), Ok((State::Wanted, "home/2 Loans/Harrow"))),
        (1, Decision::Told(vec![("paper".into(), "x".into())]), Err(Refusal::StillUnknown)),
        (1, Decision::Clash(Clash::Hold), Err(Refusal::NoClash)),
        (1, Decision::Discard, Ok((State::Wanted, "nowhere"))),
    ];
    for (at, decision, wanted) in cases {
        let decided = review.decide(&[at], &decision, &mut World);
        match wanted {
            Ok((state, into)) => {
                assert_eq!((review.items[at].state, target(&review.items[at]).as_str()), (state, into));
                assert_eq!(decided.changed, [at], "{decision:?}");
                review.back().unwrap();
            }
            Err(refusal) => {
                assert_eq!(decided.refused, [(at, refusal)], "{decision:?}");
                assert_eq!((decided.record, review.items[at].state), (None, State::Open));
            }
        }
    }
}

#[test]
fn tags_alone_do_not_agree_to_what_else_is_proposed() {
    let mut review = review([proposed("downloads/a.pdf", "home/1 Boats"), plain("downloads/b.pdf")]);
    let tag = Decision::Tags { give: vec!["todo".into()], take: Vec::new() };
    review.decide(&[0, 1], &tag, &mut World);
    let states: Vec<State> = review.items.iter().map(|item| item.state).collect();
    assert_eq!(states, [State::Open, State::Wanted]);
    assert_eq!(review.items[0].proposal.becomes.as_deref(), Some(&["todo".to_owned()][..]));
    // Taken away again, nothing is wanted of the second any more.
    review.decide(&[1], &Decision::Tags { give: Vec::new(), take: vec!["todo".into()] }, &mut World);
    assert_eq!((review.items[1].state, review.items[1].is_proposed()), (State::Open, false));
}

#[test]
fn a_name_goes_with_the_folder_that_was_chosen() {
    let mut review = review([plain("downloads/scan0001.pdf")]);
    let name = NameBuf::new("quay plan.pdf").unwrap();
    review.decide(&[0], &Decision::Name(name.clone()), &mut World);
    review.decide(&[0], &Decision::Into(spot("home/1 Boats")), &mut World);
    let placing = review.items[0].proposal.placing().unwrap();
    assert_eq!((placing.folder.to_string().as_str(), placing.name.as_ref()), ("home/1 Boats", Some(&name)));
}

#[test]
fn a_clash_is_decided_as_far_as_the_item_allows() {
    let mut review = review([proposed("downloads/a.pdf", "home/1 Boats")]);
    let entry = Entry {
        kind: Kind::Folder,
        size: 0,
        modified: Moment(0),
        opened: None,
        born: None,
        changed: Moment(0),
        identity: Identity([9, 9]),
    };
    let clash = ClashFound {
        proposal: 0,
        at: spot("home/1 Boats/a.pdf"),
        theirs: Some(entry),
        rival: None,
        numbered: NameBuf::new("a (2).pdf").unwrap(),
        allowed: (true, false),
    };
    review.set_concerns(0, Concerns { clash: Some(clash), ..Concerns::default() });
    assert!(review.items[0].is_in_doubt());
    let replaced = review.decide(&[0], &Decision::Clash(Clash::Replace), &mut World);
    assert!(matches!(replaced.refused[..], [(0, Refusal::Not(_))]));
    review.decide(&[0], &Decision::Clash(Clash::Hold), &mut World);
    assert_eq!(review.items[0].proposal.placing().unwrap().clash, Clash::Hold);
    review.back();
    assert!(review.items[0].concerns().unwrap().clash.is_some(), "what the plan found is there again");
    review.decide(&[0], &Decision::Clash(Clash::Leave), &mut World);
    assert_eq!(review.items[0].state, State::Left);
}

#[test]
fn a_copy_that_goes_is_held_against_what_stays() {
    let there = |identity: u64| Stamp { size: 3, modified: Moment(0), identity: Identity([9, identity]) };
    let original = Original { item: spot("home/1 Boats/b.pdf"), stamp: there(1) };
    let copy = Intent::Exactly(Act::Discard { copy_of: Some(original.clone()) });
    let mut review = review([
        Proposal { intent: copy.clone(), ..plain("downloads/b (1).pdf") },
        proposed("downloads/a.pdf", "home/1 Boats"),
    ]);
    review.decide(&[0], &Decision::Discard, &mut World);
    assert_eq!((&review.items[0].proposal.intent, review.items[0].state), (&copy, State::Wanted));

    // At a clash the other side stays, if both are known to hold the same bytes.
    let theirs = Entry {
        kind: Kind::File,
        size: 3,
        modified: Moment(0),
        opened: None,
        born: None,
        changed: Moment(0),
        identity: Identity([9, 2]),
    };
    for same in [Some(true), Some(false), None] {
        let clash = ClashFound {
            proposal: 1,
            at: spot("home/1 Boats/a.pdf"),
            theirs: Some(theirs.clone()),
            rival: None,
            numbered: NameBuf::new("a (2).pdf").unwrap(),
            allowed: (true, true),
        };
        let doubt = Doubt::Clash {
            name: NameBuf::new("a.pdf").unwrap(),
            ours: (3, Moment(0)),
            theirs: Some(theirs.clone()),
            rival: None,
            same,
            answer: ClashAnswer::Left,
        };
        let doubts = vec![doubt];
        review.set_concerns(1, Concerns { clash: Some(clash), doubts, refused: None });
        review.decide(&[1], &Decision::Discard, &mut World);
        let stays = Original { item: spot("home/1 Boats/a.pdf"), stamp: there(2) };
        let wanted = Act::Discard { copy_of: (same == Some(true)).then_some(stays) };
        assert_eq!(review.items[1].proposal.exactly(), Some(&wanted), "{same:?}");
        review.back();
    }
}

#[test]
fn groups_put_together_what_goes_together() {
    let review = review([
        proposed("downloads/b 10.pdf", "home/1 Boats"),
        plain("downloads/sub/x.jpg"),
        proposed("downloads/b 9.pdf", "home/1 Boats"),
        Proposal { becomes: Some(vec!["t".into()]), ..plain("downloads/t.txt") },
        Proposal { intent: Intent::Exactly(Act::discard()), ..plain("downloads/u.txt") },
    ]);
    let told = |by| {
        let groups = review.groups(by, &review.by_name(&crate::collation::Collation::default())).into_iter();
        groups.map(|group| (format!("{:?}", group.key), group.items)).collect::<Vec<_>>()
    };
    let of = |pairs: &[(&str, &[usize])]| -> Vec<(String, Vec<usize>)> {
        pairs.iter().map(|(key, items)| ((*key).to_owned(), items.to_vec())).collect()
    };
    let by_target =
        [("Into(`home/1 Boats`)", &[2, 0][..]), ("Tagged", &[3]), ("Trash", &[4]), ("Unproposed", &[1])];
    assert_eq!(told(GroupBy::Target), of(&by_target));
    let by_type =
        [("Type(\"document\")", &[2, 0][..]), ("Type(\"image\")", &[1]), ("Type(\"note\")", &[3, 4])];
    assert_eq!(told(GroupBy::Type), of(&by_type));
    let by_folder = [("In(`downloads`)", &[2, 0, 3, 4][..]), ("In(`downloads/sub`)", &[1])];
    assert_eq!(told(GroupBy::Folder), of(&by_folder));
    let by_doubt = [("Unproposed", &[1][..]), ("Sure", &[2, 0, 3, 4])];
    assert_eq!(told(GroupBy::Doubt), of(&by_doubt));
}

#[test]
fn what_is_alike_is_the_same_found_in_parts() {
    let names =
        (0..23).map(|number| plain(&format!("downloads/{} {number}.pdf", ["plan", "letter"][number % 2])));
    let review = review(names);
    let whole = review.alike(4);
    assert_eq!(whole.iter().map(|alike| alike.items.len()).collect::<Vec<_>>(), [11, 22]);
    for most in [1, 7, 22, 23, 100] {
        let mut search = AlikeSearch::new(&review, 4);
        let mut parts = 1;
        while search.go_on(&review, most) {
            parts += 1;
        }
        assert_eq!((parts, search.end(&review)), (23_usize.div_ceil(most), whole.clone()));
    }
}

#[test]
fn likeness_is_of_extension_word_folder_and_sender() {
    let mut review = review([
        plain("downloads/Invoice Harrow 2031-03.pdf"),
        plain("downloads/INVOICE Kittiwake.pdf"),
        plain("downloads/plan.pdf"),
        plain("downloads/in/Rechnung Straße.eml"),
        plain("downloads/in/other.eml"),
        plain("downloads/STRASSE.txt"),
    ]);
    let told = |review: &Review, at: usize| -> Vec<(String, Vec<usize>)> {
        review.alike(at).into_iter().map(|alike| (alike.likeness.to_string(), alike.items)).collect()
    };
    let wanted = [("with `invoice` in the name", vec![1]), ("with the extension pdf", vec![1, 2])];
    assert_eq!(told(&review, 0), wanted.map(|(words, items)| (words.to_owned(), items)));
    review.set_sender(3, "Ada Tern");
    review.set_sender(4, "ADA TERN");
    let words: Vec<String> = told(&review, 3).into_iter().map(|(words, _)| words).collect();
    let wanted = ["from Ada Tern", "with `strasse` in the name", "with the extension eml", "in downloads/in"];
    assert_eq!(words, wanted);
    // What is decided is not offered again.
    review.decide(&[1, 2], &Decision::Leave, &mut World);
    assert_eq!(told(&review, 0), []);
}

fn shelvings() -> Vec<Shelving> {
    let shelf = Shelf {
        number: 3,
        config: ShelfConfig { number: 3, title: "Grants".into(), ..ShelfConfig::default() },
        wanted: Name::constant("3 Grants").into(),
        found: vec![Name::constant("3 Grants").into()],
    };
    vec![Shelving { bookcase: "home".into(), shelves: vec![shelf] }]
}

#[test]
fn a_rule_is_made_of_what_was_decided_and_can_be_read() {
    let into = Decision::Into(spot("home/3 Grants/Claims {old}"));
    let rule = rule_of(&Likeness::Word("invoice".into()), &into, &shelvings()).unwrap();
    assert_eq!((rule.when.as_str(), rule.put.as_deref()), ("name has invoice", Some("3/Claims {{old}}")));
    let sender = Likeness::Sender("Ada \"Tern\"".into());
    let rule = rule_of(&sender, &Decision::Tags { give: vec!["ada".into()], take: vec![] }, &[]).unwrap();
    assert_eq!(
        (rule.when.as_str(), rule.tag.as_slice()),
        (r#"sender is "Ada \"Tern\"""#, &["ada".to_owned()][..])
    );
    let word = Likeness::Word("x".into());
    assert_eq!(rule_of(&word, &Decision::Leave, &shelvings()), Err(NoRule::NotThis));
    assert_eq!(rule_of(&word, &Decision::Into(spot("home/x")), &shelvings()), Err(NoRule::OnNoShelf));
    let bytes = ItemPath::new(b"3 Grants/\xff").unwrap();
    let odd = Decision::Into(Spot::new("home", bytes));
    assert_eq!(rule_of(&word, &odd, &shelvings()), Err(NoRule::Unwritable));
}

#[test]
fn what_is_gone_stays_gone() {
    let mut review =
        review([proposed("downloads/a", "home/1 Boats"), proposed("downloads/b", "home/1 Boats")]);
    review.decide(&[0, 1], &Decision::Take, &mut World);
    review.lose(vec![0]);
    assert_eq!(review.agreed(true).len(), 1);
    assert!(review.decide(&[0], &Decision::Leave, &mut World).changed.is_empty());
    review.back();
    assert_eq!((review.items[0].state, review.items[1].state), (State::Gone, State::Open));
    let progress = review.progress();
    assert_eq!((progress.items, progress.open(), progress.open_sure), (1, 1, 1));
    let groups = review.groups(GroupBy::Type, &review.by_name(&crate::collation::Collation::default()));
    assert_eq!(groups.iter().map(|group| group.items.len()).sum::<usize>(), 1);
}

fn decision() -> impl Strategy<Value = Option<Decision>> {
    let folder =
        prop_oneof![Just("home/1 Boats"), Just("home/1 Boats/a"), Just("downloads"), Just("home/3 Grants")];
    let told = prop_oneof![Just("lender"), Just("paper")].prop_map(|facet| vec![(facet.into(), "x".into())]);
    let clash = prop_oneof![Just(Clash::Number), Just(Clash::Leave), Just(Clash::Hold), Just(Clash::Replace)];
    let tags = (proptest::collection::vec("[ab]", 0..2), proptest::collection::vec("[ab]", 0..2));
    proptest::option::weighted(
        0.8,
        prop_oneof![
            Just(Decision::Take),
            Just(Decision::Leave),
            folder.prop_map(|at| Decision::Into(spot(at))),
            Just(Decision::Discard),
            Just(Decision::Archive),
            tags.prop_map(|(give, take)| Decision::Tags { give, take }),
            "[abc]{1,2}".prop_map(|name| Decision::Name(NameBuf::new(name).unwrap())),
            told.prop_map(Decision::Told),
            clash.prop_map(Decision::Clash),
            Just(Decision::Reopen),
        ],
    )
}

fn some_review() -> Review {
    let names = ["downloads/a", "downloads/b", "downloads/c/a", "downloads/c/", "downloads/d"];
    let mut items: Vec<Proposal> = names.map(plain).into();
    items[1] = proposed(names[1], "home/1 Boats");
    items[4] = Proposal { intent: Intent::Exactly(Act::discard()), ..plain(names[4]) };
    review(items)
}

proptest! {
    /// Any decisions give proposals that settle into steps, one free name each; what was taken back was never so;
    /// and what was written down is the same when it is read again.
    #[test]
    fn any_decisions_give_a_worklist_and_are_the_same_read_again(
        turns in proptest::collection::vec((proptest::collection::vec(0..5_usize, 1..4), decision()), 0..12),
    ) {
        let (mut review, mut records) = (some_review(), Vec::new());
        let mut states = vec![review.clone()];
        for (items, decision) in turns {
            match decision {
                Some(decision) => {
                    let decided = review.decide(&items, &decision, &mut World);
                    prop_assert_eq!(decided.record.is_some(), !decided.changed.is_empty());
                    if let Some(record) = decided.record {
                        records.push(record);
                        states.push(review.clone());
                    }
                }
                None => match review.back() {
                    Some((record, _)) => {
                        records.push(record);
                        states.pop();
                        prop_assert_eq!(&review, states.last().unwrap());
                    }
                    None => prop_assert_eq!(states.len(), 1),
                },
            }
        }
        // What is counted as items change is what a count of them all gives; each item is in the group that it belongs to.
        prop_assert_eq!(&review.tally, &Tally::of(&review.items));
        for by in GroupBy::ALL {
            let groups = review.groups(by, &review.by_name(&crate::collation::Collation::default()));
            prop_assert_eq!(groups.iter().map(|group| group.items.len()).sum::<usize>(), review.items.len());
            for group in groups {
                for at in group.items {
                    prop_assert_eq!(&group::key(&review.items[at], by), &group.key);
                }
            }
        }
        let settled = settle(&review.agreed(false), &NamesThere::default());
        let mut targets: Vec<Spot> = settled.worklist.steps.iter().filter_map(|s| s.target().cloned()).collect();
        let wanted = targets.len();
        targets.sort();
        targets.dedup();
        prop_assert_eq!(targets.len(), wanted);
        prop_assert!(settled.worklist.steps.iter().all(|step| step.act != Act::Leave || !step.doubts.is_empty()));
        let mut again = some_review();
        for record in records {
            let written = serde_json::to_string(&record).unwrap();
            again.replay(serde_json::from_str(&written).unwrap());
        }
        prop_assert_eq!(again, review);
    }
}
