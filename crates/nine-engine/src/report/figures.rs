//! What is told of all places together: copies, the archive, runs and tags.

use nine_core::copies::{Alike, Folded, Member};
use nine_core::item::Kind;
use nine_core::moment::{Day, Now};
use nine_core::report::Names;
use nine_core::survey::Part;

use super::data::{ReportCopies, ReportDated, ReportGroup, ReportTag, ReportTags};
use crate::archive::DatedAccount;
use crate::copies::known;
use crate::history::RunAccount;
use crate::looking::Looking;
use crate::survey::Surveyed;
use crate::tag;

/// How many groups of copies are told one by one.
const GROUPS: usize = 20;

/// How many of a group's other items are told.
const OTHERS: usize = 10;

/// How many tags are told.
const TAGS: usize = 100;

/// Items with the same bytes, as far as they were compared by now.
pub(super) fn copies(surveyed: &mut Surveyed, names: &Names) -> ReportCopies {
    let found = known(&mut surveyed.looking);
    ReportCopies {
        groups: found.len(),
        not_needed: found.iter().map(|folded| folded.going().count() as u64).sum(),
        to_be_won: found.iter().map(Folded::to_be_won).sum(),
        not_compared: surveyed.copies.last().map_or(0, |take| take.unread),
        largest: found.iter().take(GROUPS).map(|folded| group(&surveyed.looking, folded, names)).collect(),
    }
}

fn group(looking: &Looking, folded: &Folded, names: &Names) -> ReportGroup {
    let folders = folded.group.kind == Kind::Folder;
    let named = |member: Member| match folders {
        true => names.folder(&looking.spot(member)),
        false => names.file(&looking.spot(member)),
    };
    let kept = folded.kept().member;
    let others = folded.group.items.iter().filter(|item: &&Alike| item.member != kept);
    ReportGroup {
        stays: named(kept),
        // It may name a folder or a tag of the person's.
        because: if names.is_hidden() { String::new() } else { folded.chosen.because.clone() },
        folders,
        items: folded.group.items.len(),
        size: folded.group.size,
        to_be_won: folded.to_be_won(),
        others: others.take(OTHERS).map(|item| named(item.member)).collect(),
    }
}

/// The archive. A dated folder is named, if its name is a date.
pub(super) fn archive(all: Vec<DatedAccount>, now: &Now, names: &Names) -> Vec<ReportDated> {
    let told = |dated: DatedAccount| ReportDated {
        name: Some(dated.name).filter(|name| !names.is_hidden() || Day::parse(name).is_some()),
        form: dated.form.to_owned(),
        items: dated.items,
        files: dated.files,
        bytes: dated.bytes,
        verified: dated.verified.map(|last| now.minute(last.at)),
        whole: dated.verified.map(|last| last.whole),
        trouble: Some(dated.trouble).filter(|why| !why.is_empty()),
    };
    all.into_iter().map(told).collect()
}

/// A run.
pub(super) fn run(account: RunAccount, names: &Names) -> RunAccount {
    let routine = account.routine.filter(|_| !names.is_hidden());
    RunAccount { command: names.command(&account.command), routine, ..account }
}

/// The tags of what was looked at.
pub(super) fn tags(looking: &Looking, names: &Names) -> ReportTags {
    let found = tag::count(looking);
    let all = found.tags.len();
    let config = looking.workspace.config();
    let told = |(tag, part): (String, Part)| {
        let look = config.tag_look(&tag);
        ReportTag {
            mark: look.and_then(|look| look.mark.clone()),
            color: look.and_then(|look| look.color).map(|color| color.word().to_owned()),
            items: part.count,
            bytes: part.bytes,
            tag,
        }
    };
    let mut tags: Vec<ReportTag> = match names.is_hidden() {
        true => Vec::new(),
        false => found.tags.into_iter().map(told).collect(),
    };
    tags.sort_by_key(|tag| std::cmp::Reverse(tag.items));
    tags.truncate(TAGS);
    ReportTags { items: found.items, all, tags }
}
