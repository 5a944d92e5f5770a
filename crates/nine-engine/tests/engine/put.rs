//! Filing by hand, sweeping, discarding and tags.

use nine_engine::put::{Near, Request, folder, merge, plan};
use nine_engine::selection::Selection;
use nine_engine::{Error, discard, sweep, tag};

use super::support::{World, lines};

fn paths(world: &World, paths: &[&str]) -> Selection {
    Selection { paths: paths.iter().map(|path| world.at(path)).collect(), ..Selection::default() }
}

#[test]
fn a_shelf_is_found_by_number_or_title_and_a_folder_that_is_nearly_there_is_no_new_one() {
    let world = World::new("");
    world.file("Shelves/2 Loans/Agreements/x.txt", "x");
    let workspace = world.open();
    let found = |on: &str, near| folder(&workspace, on, near).map(|spot| spot.to_string());
    assert_eq!(found("2/New", Near::Refuse).unwrap(), "home/2 Loans/New");
    assert_eq!(found("loans/Agreements", Near::Refuse).unwrap(), "home/2 Loans/Agreements");
    assert!(matches!(found("2/Agrements", Near::Refuse), Err(Error::NearlySame { .. })));
    assert_eq!(found("2/Agrements", Near::Use).unwrap(), "home/2 Loans/Agreements");
    assert_eq!(found("2/Agrements", Near::Make).unwrap(), "home/2 Loans/Agrements");
    assert!(matches!(found("7", Near::Refuse), Err(Error::NoShelf { .. })));
    assert!(matches!(found("2/..", Near::Refuse), Err(Error::FolderName(_))));
}

#[test]
fn a_selection_is_put_merged_discarded_and_no_place_is() {
    let world = World::new("");
    world.file("Downloads/set/a.txt", "a").file("Downloads/set/b.txt", "b");
    world.file("Shelves/1 Boats/Set/b.txt", "b");
    let workspace = world.open();
    let request = |selection, on: &str| Request {
        selection,
        into: folder(&workspace, on, Near::Make).unwrap(),
        on: on.into(),
        clash: nine_core::rules::Clash::Number,
        copy: false,
        keep_folders: false,
    };
    let put = plan(&workspace, &request(paths(&world, &["Downloads/set/a.txt"]), "1/New")).unwrap();
    assert_eq!(lines(&put.plan), ["move downloads/set/a.txt -> home/1 Boats/New/a.txt"]);
    assert_eq!(put.plan.new_folders().len(), 1);
    let merged = merge(&workspace, &request(paths(&world, &["Downloads/set"]), "1/Set")).unwrap();
    assert_eq!((merged.folders, merged.copies), (1, 1));
    let wanted = ["discard downloads/set/b.txt", "move downloads/set/a.txt -> home/1 Boats/Set/a.txt"];
    assert_eq!(lines(&merged.plan), wanted);
    let found = discard::plan(&workspace, &paths(&world, &["Downloads/set"])).unwrap();
    assert_eq!(lines(&found.plan), ["discard downloads/set"]);
    let shelf = discard::plan(&workspace, &paths(&world, &["Shelves/1 Boats"]));
    assert!(matches!(shelf, Err(Error::IsAPlace { .. })));
    let nothing = discard::plan(&workspace, &Selection::default());
    assert!(matches!(nothing, Err(Error::NothingSelected { or_run: false })));
}

#[test]
fn all_that_lies_loose_is_swept_into_the_day() {
    let world = World::new("");
    world.file("Downloads/a.txt", "a").file("Downloads/in/b.txt", "b");
    let workspace = world.open();
    let swept = sweep::plan(&workspace, &sweep::Request::default()).unwrap();
    let wanted = [
        "move downloads/a.txt -> downloads/2031-04-07/a.txt",
        "move downloads/in -> downloads/2031-04-07/in",
    ];
    assert_eq!(lines(&swept.plan), wanted);
    assert_eq!(swept.folders[0].1, 2);
}

#[test]
fn tags_are_given_renamed_and_counted() {
    let world = World::new("");
    world.file("Downloads/a.txt", "a").file("Downloads/b.txt", "b");
    let workspace = world.open();
    let add = tag::Request::Add("todo,client/Harrow".into(), paths(&world, &["Downloads/a.txt"]));
    let tagged = tag::plan(&workspace, &add).unwrap();
    assert_eq!((tagged.selected, tagged.unchanged), (1, 0));
    tagged.plan.carry(&workspace).unwrap();
    let found = tag::list(&workspace).unwrap();
    let tags: Vec<&str> = found.tags.iter().map(|(tag, _)| tag.as_str()).collect();
    assert_eq!((tags, found.items), (vec!["client/Harrow", "todo"], 1));
    let rename = |from: &str, to: &str| tag::plan(&workspace, &tag::Request::Rename(from.into(), to.into()));
    assert!(matches!(rename("todoo", "x"), Err(Error::Unknown { .. })));
    assert!(matches!(rename("todo", "client/Harrow"), Err(Error::TagTaken { .. })));
    assert!(matches!(rename("a,b", "c"), Err(Error::SeveralTags(_))));
    assert!(matches!(rename("/x", "c"), Err(Error::NotANestedTag(_))));
    assert_eq!(lines(&rename("client", "lender").unwrap().plan), ["tag downloads/a.txt"]);
}
