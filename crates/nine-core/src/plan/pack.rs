//! The planner of `archive pack`: a dated folder into one file, with its list beside it.

use super::{Follower, Intent, Proposal};
use crate::archive::{Form, list_beside};
use crate::place::{Name, NameBuf, Spot};
use crate::worklist::{Act, Doubt};

/// Packs a dated folder. `list` is its list of contents; `taken` says which names beside it are taken;
/// `strays` are names in it that its lists do not have.
pub fn plan(
    folder: Proposal,
    list: Follower,
    form: Form,
    taken: &dyn Fn(&[u8]) -> bool,
    strays: &[String],
) -> Proposal {
    let own = folder.item.path.last().unwrap_or(const { Name::constant("archive") });
    let named = |n: usize| if n == 1 { own.into() } else { own.numbered(n, true) };
    let pack = |form: Form, stem: &NameBuf| form.pack_of(stem.as_name());
    let is_free = |stem: &NameBuf| {
        !taken(&list_beside(stem.as_name())) && Form::ALL.iter().all(|form| !taken(&pack(*form, stem)))
    };
    let stem = (1..).map(named).find(is_free).expect("some number is free");
    let to = Spot::new(folder.item.place.clone(), folder.item.folder().path.join(&pack(form, &stem)));
    let doubts = match strays {
        [] => Vec::new(),
        [one] => vec![Doubt::Answer(format!("it holds {one}, which its list does not have"))],
        [first, rest @ ..] => {
            let words = format!("it holds {first} and {} more that its list does not have", rest.len());
            vec![Doubt::Answer(words)]
        }
    };
    let intent = Intent::Exactly(Act::Pack { to });
    Proposal { intent, why: "packed".into(), doubts, followers: vec![list], ..folder }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::item::{Identity, Kind, Stamp};
    use crate::moment::Moment;
    use crate::plan::settle;
    use crate::worklist::NamesThere;

    #[test]
    fn the_pack_comes_first_and_the_folder_goes_last_all_or_nothing() {
        let stamp = Stamp { size: 0, modified: Moment(0), identity: Identity([1, 1]) };
        let spot = |at: &str| Spot::parse(at).unwrap();
        let folder = Proposal::new(spot("home/9 Archive/2031-04-07"), Kind::Folder, stamp, Vec::new());
        let list = Follower {
            item: spot("home/9 Archive/2031-04-07/contents.csv"),
            kind: Kind::File,
            stamp,
            size: 3,
            modified: Moment(0),
            ending: None,
        };
        // A zip of that day is there already, so both names get a number.
        let taken = |name: &[u8]| name == b"2031-04-07.zip";
        let plan = plan(folder, list, Form::TarZst, &taken, &[]);
        let steps = settle(&[plan], &NamesThere::default()).worklist.steps;
        let told: Vec<String> = steps
            .iter()
            .map(|step| format!("{} {}", step.act.word(), step.target().unwrap_or(&step.item)))
            .collect();
        let wanted = [
            "pack home/9 Archive/2031-04-07 (2).tar.zst",
            "copy home/9 Archive/2031-04-07 (2).contents.csv",
            "discard home/9 Archive/2031-04-07",
        ];
        assert_eq!(told, wanted);
        assert!(steps.iter().all(|step| step.together == Some(1)));
    }
}
