use std::collections::HashSet;

use super::super::tests::{HEAD, Known, now, proposed_of, tree};
use super::{Pass, Tidying, propose};
use crate::config::parse;
use crate::shelving::Shelving;

#[test]
fn in_however_small_parts_the_same_is_wanted() {
    let rules = "[[rule]]\nreach = \"deep\"\nwhen = \"type document\"\nput = \"2\"\n\
        [[rule]]\nreach = \"deep\"\nwhen = \"ext odt\"\nput = \"3/{modified:year}\"\n\
        [[rule]]\nwhen = \"name has whole\"\nput = \"1\"\n";
    let paths = [
        "a.pdf",
        "a (2).pdf",
        ".secret.pdf",
        "b.qqq",
        "loose/c.qqq",
        "loose/d.qqq",
        "wanted/e.qqq",
        "wanted/f/g.pdf",
        "wanted/f/h.odt",
        "wanted/i.qqq",
        "whole/j.pdf",
        "whole/k.pdf",
        "page.html",
        "page_files/l.pdf",
        "m/n/o/p.pdf",
        "m/n/o/q.qqq",
        "m/r.jpg",
        "m/r.xmp",
        "s.mp4.part",
        "t/u.mp4.part",
        "t/v.pdf",
    ];
    let config = parse(&format!("{HEAD}{rules}")).unwrap();
    let shelvings = vec![Shelving::new(&config.bookcases[0], std::iter::empty())];
    let (known, now) = (Known::default(), now());
    let pass = Pass {
        config: &config,
        shelvings: &shelvings,
        places: &|_| false,
        now: &now,
        details: &known,
        in_use: &HashSet::new(),
        counts_rules: true,
    };
    let tree = tree(&paths, "2030-12-24T10:00");
    let whole = propose(&pass, &config.piles[0], &tree);
    assert!(whole.proposals.len() > 5 && whole.loose.len() > 2, "{whole:?}");
    let mut most = 0;
    for rows in 1..paths.len() {
        let tidying = Tidying::new(&pass, &config.piles[0], &tree);
        let parts = tidying.parts(rows);
        most = most.max(parts.len());
        let found = parts.iter().map(|part| tidying.propose(part)).collect();
        assert_eq!(tidying.together(parts, found), whole, "{rows}");
    }
    assert!(most > 10, "{most}");
}

#[test]
fn what_a_facet_nearly_answers_is_in_doubt_though_no_rule_is_for_it() {
    let rules = "[facet.lender]\nvalues = [\"Harrow Dock Trust\", \"Harrow Fishing Fleet\"]\nspelling = \"close\"\n\
        [[rule]]\nwhen = \"lender known\"\nput = \"2/{lender}\"\n";
    let mut tree = tree(&["Harrow.pdf", "Marram.pdf"], "2030-12-24T10:00");
    // That there are none is known.
    tree.ids().for_each(|id| tree.learn_tags(id, &[], &[]));
    let out = proposed_of(rules, &tree, &Known::default());
    let doubts: Vec<String> = out.proposals.iter().map(|p| format!("{} {:?}", p.item, p.doubts)).collect();
    assert_eq!(doubts.len(), 1, "{doubts:?}");
    assert!(doubts[0].starts_with("downloads/Harrow.pdf [Answer("), "{doubts:?}");
}
