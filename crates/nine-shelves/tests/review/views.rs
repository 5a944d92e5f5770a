//! How each view looks, in a small window and in a large one.

use snapbox::str;

use super::screen::{BACK, DOWN, ENTER, SIXELS, Screen, TAB};
use super::support::World;

pub const RULES: &str = "[[rule]]\nname = \"loans\"\nwhen = \"name has loan\"\nput = \"2/Contracts\"\ntag = [\"loan\"]\n\n[[rule]]\nname = \"plans\"\nwhen = \"name has plan\"\nput = \"1/{season}\"\n\n[facet.season]\nvalues = [\"Summer 2031\", \"Winter 2031\"]\n";

/// A pile with what a rule is for, what is in doubt, what clashes, and what nothing is for.
pub fn cluttered() -> World {
    let world = World::new();
    world.rules(RULES);
    for name in ["loan sextant.txt", "loan compass.txt", "oar list.txt", "sail list.txt", "tide notes.md"] {
        world.file(name, &format!("What {name} says.\nA second line.\n"));
    }
    world.file("plan of the quay.txt", "Where the boats lie.\n");
    world.file("loan anchor.txt", "The anchor, lent in June.\n");
    world.old_file(&world.shelves.join("2 Loans/Contracts/loan anchor.txt"), "The anchor.\n");
    for path in ["1 Boats/Oars/a.txt", "1 Boats/Oars/b.txt", "1 Boats/Sails/a.txt", "3 Grants/form.txt"] {
        world.old_file(&world.shelves.join(path), path);
    }
    world
}

#[test]
fn the_list_in_a_small_window() {
    let world = cluttered();
    let screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("0   3").looks(str![[r#"
nine review   7 items · 0 to be done · 0 left · 7 open

→ 2 Loans/Contracts  3 items
> ? loan anchor.txt  +loan                                        26 B 12 months
    loan compass.txt  +loan                                       43 B 12 months
    loan sextant.txt  +loan                                       43 B 12 months

for you to decide  1 item
  ? plan of the quay.txt                                          21 B 12 months

nothing is proposed  3 items
    oar list.txt                                                  39 B 12 months
    sail list.txt                                                 40 B 12 months
    tide notes.md                                                 40 B 12 months







1 0   2 0   3 0

space take  1-9 shelf  l leave  p put off  d discard  a archive  ? help  q end

"#]]);
    screen.keys(&[TAB]).looks(str![[r#"
nine review   7 items · 0 to be done · 0 left · 7 open

loan anchor.txt
in         downloads
size       26 B  note
changed    2030-03-17 17:46  12 months

→ 2 Loans/Contracts
tags +loan
why        loans
decided    nothing is decided
? the name is taken: 2 Loans/Contracts/loan anchor.txt; c decides it
           this one                           the other
at         downloads/loan anchor.txt          2 Loans/Contracts/loan anchor.txt
size       26 B                               12 B
changed    2030-03-17 17:46                   2030-03-17 17:46
bytes      other ones
as it is   numbered

The anchor, lent in June.

1 0   2 0   3 0

Tab the list  up down scroll  space take  1-9 shelf  l leave  ? help  q end

"#]]);
}

#[test]
fn both_sides_and_the_bookcase_in_a_large_window() {
    let world = cluttered();
    let screen = Screen::start(&world, &["review"], 40, 120);
    screen.until("lent in June").keys(&[" "]).looks(str![[r#"
nine review   7 items · 1 to be done · 0 left · 6 open

→ 2 Loans/Contracts  3 items, 1 decided                   │ loan compass.txt
  + loan anchor.txt  +loan                 26 B 12 months │ in         downloads
>   loan compass.txt  +loan                43 B 12 months │ size       43 B  note
    loan sextant.txt  +loan                43 B 12 months │ changed    2030-03-17 17:46  12 months
                                                          │
for you to decide  1 item                                 │ → 2 Loans/Contracts
  ? plan of the quay.txt                   21 B 12 months │ tags +loan
                                                          │ why        loans
nothing is proposed  3 items                              │ decided    nothing is decided
    oar list.txt                           39 B 12 months │
    sail list.txt                          40 B 12 months │ What loan compass.txt says.
    tide notes.md                          40 B 12 months │ A second line.
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │

  1 Boats   ███████████████████████████████████████▉███████████████████▉  3 files  55 B
  2 Loans   ████████████████████▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▌                       1 file  12 B  +1
  3 Grants  ███████████████████▉                                           1 file  17 B
loan anchor.txt: taken   = the same for 2 others with `loan` in the name
space take  1-9 shelf  l leave  p put off  d discard  a archive  s suggested  t tag  e rename  f facet  ? help  q end

"#]]);
}

#[test]
fn a_name_that_is_taken() {
    let world = cluttered();
    let screen = Screen::start(&world, &["review"], 40, 120);
    screen.until("loan sextant").keys(&["v"]).until("a name is taken").keys(&["/", "anchor", ENTER]);
    screen.looks(str![[r#"
nine review   7 items · 0 to be done · 0 left · 7 open

nothing is proposed  3 items                              │ loan anchor.txt
    oar list.txt                           39 B 12 months │ in         downloads
    sail list.txt                          40 B 12 months │ size       26 B  note
    tide notes.md                          40 B 12 months │ changed    2030-03-17 17:46  12 months
                                                          │
a name is taken  1 item                                   │ → 2 Loans/Contracts
> ? loan anchor.txt  → 2 L…cts  +loan      26 B 12 months │ tags +loan
                                                          │ why        loans
in doubt  1 item                                          │ decided    nothing is decided
  ? plan of the quay.txt                   21 B 12 months │ ? the name is taken: 2 Loans/Contracts/loan anchor.txt; c
                                                          │   decides it
without a doubt  2 items                                  │            this one                 the other
    loan compass.txt  → 2 …cts  +loan      43 B 12 months │ at         downloa…loan anchor.txt  2 Loans…loan anchor.txt
    loan sextant.txt  → 2 …cts  +loan      43 B 12 months │ size       26 B                     12 B
                                                          │ changed    2030-03-17 17:46         2030-03-17 17:46
                                                          │ bytes      other ones
                                                          │ as it is   numbered
                                                          │
                                                          │ The anchor, lent in June.
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │

  1 Boats   ███████████████████████████████████████▉███████████████████▉  3 files  55 B
  2 Loans   ███████████████████▉                                           1 file  12 B
  3 Grants  ███████████████████▉                                           1 file  17 B

space take  1-9 shelf  l leave  p put off  d discard  a archive  s suggested  t tag  e rename  f facet  ? help  q end

"#]]);
    screen.keys(&["c"]).looks(str![[r#"
nine review   7 items · 0 to be done · 0 left · 7 open

nothing is proposed  3 items                              │ The name is taken: 2 Loans/Contracts/loan anchor.txt
    oar list.txt                           39 B 12 months │
    sail list.txt                          40 B 12 months │ > 1  number it                    called loan anchor (2).txt
    tide notes.md                          40 B 12 months │   2  leave it                                    where it is
                                                          │   3  hold it                         in the side folder Held
a name is taken  1 item                                   │   4  replace it            the one there goes into the trash
> ? loan anchor.txt  → 2 L…cts  +loan      26 B 12 months │
                                                          │
in doubt  1 item                                          │
  ? plan of the quay.txt                   21 B 12 months │
                                                          │
without a doubt  2 items                                  │
    loan compass.txt  → 2 …cts  +loan      43 B 12 months │
    loan sextant.txt  → 2 …cts  +loan      43 B 12 months │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │

  1 Boats   ███████████████████████████████████████▉███████████████████▉  3 files  55 B
  2 Loans   ███████████████████▉                                           1 file  12 B
  3 Grants  ███████████████████▉                                           1 file  17 B

up down move  Enter choose  1-9 choose at once  Esc back

"#]]);
    screen.resize(24, 80).looks(str![[r#"
nine review   7 items · 0 to be done · 0 left · 7 open

The name is taken: 2 Loans/Contracts/loan anchor.txt

> 1  number it                                        called loan anchor (2).txt
  2  leave it                                                        where it is
  3  hold it                                             in the side folder Held
  4  replace it                                the one there goes into the trash













1 0   2 0   3 0

up down move  Enter choose  1-9 choose at once  Esc back

"#]]);
}

#[test]
fn the_folders_of_a_shelf() {
    let world = cluttered();
    let screen = Screen::start(&world, &["review"], 40, 120);
    screen.until("2 Loans").keys(&["1"]).looks(str![[r#"
nine review   7 items · 0 to be done · 0 left · 7 open

→ 2 Loans/Contracts  3 items                              │ Onto 1 Boats
> ? loan anchor.txt  +loan                 26 B 12 months │ loan anchor.txt
    loan compass.txt  +loan                43 B 12 months │ >
    loan sextant.txt  +loan                43 B 12 months │ > the shelf itself                                   3 files
                                                          │   Oars                                               2 files
for you to decide  1 item                                 │   Sails                                               1 file
  ? plan of the quay.txt                   21 B 12 months │
                                                          │
nothing is proposed  3 items                              │
    oar list.txt                           39 B 12 months │
    sail list.txt                          40 B 12 months │
    tide notes.md                          40 B 12 months │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │

  1 Boats   ███████████████████████████████████████▉███████████████████▉  3 files  55 B
  2 Loans   ███████████████████▉                                           1 file  12 B
  3 Grants  ███████████████████▉                                           1 file  17 B

type a part of a folder, or a new one  Enter put it there  Esc back  up down move

"#]]);
    screen.keys(&["oar"]).looks(str![[r#"
nine review   7 items · 0 to be done · 0 left · 7 open

→ 2 Loans/Contracts  3 items                              │ Onto 1 Boats
> ? loan anchor.txt  +loan                 26 B 12 months │ loan anchor.txt
    loan compass.txt  +loan                43 B 12 months │ > oar
    loan sextant.txt  +loan                43 B 12 months │ > Oars                                               2 files
                                                          │   oar                     new, and nearly the same as `Oars`
for you to decide  1 item                                 │
  ? plan of the quay.txt                   21 B 12 months │
                                                          │
nothing is proposed  3 items                              │
    oar list.txt                           39 B 12 months │
    sail list.txt                          40 B 12 months │
    tide notes.md                          40 B 12 months │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │

  1 Boats   ███████████████████████████████████████▉███████████████████▉  3 files  55 B
  2 Loans   ███████████████████▉                                           1 file  12 B
  3 Grants  ███████████████████▉                                           1 file  17 B

type a part of a folder, or a new one  Enter put it there  Esc back  up down move

"#]]);
    screen.resize(24, 80).looks(str![[r#"
nine review   7 items · 0 to be done · 0 left · 7 open

Onto 1 Boats
loan anchor.txt
> oar
> Oars                                                                   2 files
  oar                                         new, and nearly the same as `Oars`














1 0   2 0   3 0

type a part of a folder, or a new one  Enter put it there  Esc back

"#]]);
}

#[test]
fn what_is_asked_for_tags_names_and_facets() {
    let world = cluttered();
    let screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("0   3").keys(&["t", "-lo", TAB]).looks(str![[r#"
nine review   7 items · 0 to be done · 0 left · 7 open

Tags, with a comma between; -tag takes one away
it has loan
> -loan

> -loan














1 0   2 0   3 0

Tab what is offered  Enter done  Esc back

"#]]);
    screen.keys(&[BACK, "e", TAB]).looks(str![[r#"
nine review   7 items · 0 to be done · 0 left · 7 open

A new name
it is called loan anchor.txt
> Loan anchor.txt

> Loan anchor.txt
  2030-03-17 Loan anchor.txt













1 0   2 0   3 0

Tab what is offered  Enter done  Esc back

"#]]);
    screen.keys(&[BACK, "/", "quay", ENTER, "f"]).looks(str![[r#"
nine review   7 items · 0 to be done · 0 left · 7 open

season is
>
> Summer 2031
  Winter 2031















1 0   2 0   3 0

type a part of it  up down move  Enter choose  Esc back

"#]]);
}

#[test]
fn all_alike_and_a_rule_of_it() {
    let world = cluttered();
    let screen = Screen::start(&world, &["review"], 24, 80);
    screen.until("0   3").keys(&["/", "oar", ENTER, "1"]).until("Onto").keys(&["Oars", ENTER]);
    screen.until("= the same for").looks(str![[r#"
nine review   7 items · 1 to be done · 0 left · 6 open

→ 2 Loans/Contracts  3 items
  ? loan anchor.txt  +loan                                        26 B 12 months
    loan compass.txt  +loan                                       43 B 12 months
    loan sextant.txt  +loan                                       43 B 12 months

for you to decide  1 item
  ? plan of the quay.txt                                          21 B 12 months

nothing is proposed  3 items, 1 decided
  + oar list.txt  → 1 Boats/Oars                                  39 B 12 months
>   sail list.txt                                                 40 B 12 months
    tide notes.md                                                 40 B 12 months







1 +1   2 0   3 0
oar list.txt: into 1 Boats/Oars   = the same for 1 other with `list` in the name
space take  1-9 shelf  l leave  p put off  d discard  a archive  ? help  q end

"#]]);
    screen.keys(&["="]).looks(str![[r#"
nine review   7 items · 1 to be done · 0 left · 6 open

The same for all that are like it
oar list.txt: into 1 Boats/Oars

> 1  1 other with `list` in the name
  2  5 others with the extension txt














1 +1   2 0   3 0

up down move  Enter choose  1-9 choose at once  Esc back

"#]]);
    screen.keys(&["1"]).looks(str![[r#"
nine review   7 items · 1 to be done · 0 left · 6 open

The same for 1 other with `list` in the name
into 1 Boats/Oars

  sail list.txt                                                        downloads















1 +1   2 0   3 0

up down look at them  Enter the same for all  Esc back

"#]]);
    screen.keys(&[BACK, "m"]).looks(str![[r#"
nine review   7 items · 1 to be done · 0 left · 6 open

A rule for
into 1 Boats/Oars

> 1  name has list
  2  ext txt














1 +1   2 0   3 0

up down move  Enter choose  1-9 choose at once  Esc back

"#]]);
    screen.keys(&["1"]).looks(str![[r#"
nine review   7 items · 1 to be done · 0 left · 6 open

A rule, written into shelves.toml with the run

  [[rule]]
  name = "list to 1/Oars"
  when = "name has list"
  put = "1/Oars"

in all piles it would act on 2 items now
  downloads/oar list.txt
  downloads/sail list.txt









1 +1   2 0   3 0

Enter write it with the run  Esc back

"#]]);
}

#[test]
fn the_help_and_the_end() {
    let world = cluttered();
    let screen = Screen::start(&world, &["review"], 40, 120);
    screen.until("2 Loans").keys(&["?"]).looks(str![[r#"
nine review   7 items · 0 to be done · 0 left · 7 open

→ 2 Loans/Contracts  3 items                              │ Decide
> ? loan anchor.txt  +loan                 26 B 12 months │   space      take: as it is proposed, and on to the next
    loan compass.txt  +loan                43 B 12 months │   1-9        shelf: onto that shelf; then a folder on it is
    loan sextant.txt  +loan                43 B 12 months │              picked or typed
                                                          │   l          leave: it stays where it is
for you to decide  1 item                                 │   p          put off: onto the shelf called Later, or into
  ? plan of the quay.txt                   21 B 12 months │              `Sort later` beside it
                                                          │   d          discard: into the trash
nothing is proposed  3 items                              │   a          archive: into the dated archive
    oar list.txt                           39 B 12 months │   s          suggested: one of the places where it may go by
    sail list.txt                          40 B 12 months │              the example of what is filed
    tide notes.md                          40 B 12 months │   t          tag: give tags, or take them with a - before
                                                          │              them
                                                          │   e          rename: another name; Tab offers some
                                                          │   f          facet: answer a facet, or say which tag files
                                                          │              it
                                                          │   c          clash: a name is taken: number, leave, hold,
                                                          │              replace, discard
                                                          │   x          open again: nothing is decided of it any more
                                                          │
                                                          │ Again, and back
                                                          │   .          repeat: the last decision, for this item
                                                          │   =          all alike: the last decision for all that are
                                                          │              like the item it was for
                                                          │   m          make a rule: the last decision as a rule,
                                                          │              written with the run
                                                          │   u          undo: the last decision is taken back
                                                          │   b          back to the item that was decided before
                                                          │
                                                          │ Move
                                                          │   up k       the item above
                                                          │   down j     the item below

  1 Boats   ███████████████████████████████████████▉███████████████████▉  3 files  55 B
  2 Loans   ███████████████████▉                                           1 file  12 B
  3 Grants  ███████████████████▉                                           1 file  17 B

up down scroll  Esc back

"#]]);
    screen.keys(&[BACK, " ", "l", "q"]).looks(str![[r#"
nine review   7 items · 1 to be done · 1 left · 5 open

→ 2 Loans/Contracts  3 items, 2 decided                   │ End the review
  + loan anchor.txt  +loan                 26 B 12 months │ 1 to be done, 1 left, 5 open
  = loan compass.txt  left                 43 B 12 months │
>   loan sextant.txt  +loan                43 B 12 months │ > 1  carry out 1 item            shown once more, then asked
                                                          │   2  carry them out, and 1 item proposed without a doubt
for you to decide  1 item                                 │   3  write a table  to be read, e…ed and given to nine carry
  ? plan of the quay.txt                   21 B 12 months │   4  close                     nine review goes on from here
                                                          │   5  drop it                     all decisions are forgotten
nothing is proposed  3 items                              │
    oar list.txt                           39 B 12 months │
    sail list.txt                          40 B 12 months │
    tide notes.md                          40 B 12 months │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │

  1 Boats   ███████████████████████████████████████▉███████████████████▉  3 files  55 B
  2 Loans   ████████████████████▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▌                       1 file  12 B  +1
  3 Grants  ███████████████████▉                                           1 file  17 B

up down move  Enter choose  1-9 choose at once  Esc back

"#]]);
    screen.keys(&[DOWN, DOWN, ENTER]).looks(str![[r#"
nine review   7 items · 1 to be done · 1 left · 5 open

→ 2 Loans/Contracts  3 items, 2 decided                   │ Write the table to
  + loan anchor.txt  +loan                 26 B 12 months │ the end of the name says how: .csv or .json
  = loan compass.txt  left                 43 B 12 months │ > review 2031-04-07.csv
>   loan sextant.txt  +loan                43 B 12 months │
                                                          │
for you to decide  1 item                                 │
  ? plan of the quay.txt                   21 B 12 months │
                                                          │
nothing is proposed  3 items                              │
    oar list.txt                           39 B 12 months │
    sail list.txt                          40 B 12 months │
    tide notes.md                          40 B 12 months │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │
                                                          │

  1 Boats   ███████████████████████████████████████▉███████████████████▉  3 files  55 B
  2 Loans   ████████████████████▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▒▌                       1 file  12 B  +1
  3 Grants  ███████████████████▉                                           1 file  17 B

Enter done  Esc back

"#]]);
}

#[test]
fn a_picture_is_drawn_in_colours_or_in_pixels() {
    let world = World::new();
    world.rules("");
    let picture =
        image::RgbImage::from_fn(40, 40, |_, y| image::Rgb(if y < 20 { [255, 0, 0] } else { [0, 0, 255] }));
    picture.save(world.at("Downloads/flag.png")).unwrap();
    let colours = [("TERM", "xterm-256color"), ("COLORTERM", "truecolor")];
    let screen = Screen::start_with(&world, &["review"], 40, 120, &colours, super::screen::PLAIN);
    screen.until("▀▀▀▀▀▀▀▀").until("3 Grants");
    screen.until_so("red above blue", || {
        let lines = screen.text();
        let rows = lines.lines().enumerate().filter(|(_, line)| line.contains("▀▀▀▀"));
        let colours: Vec<_> = rows.map(|(row, _)| screen.foreground(row as u16, 70)).collect();
        let (red, blue) = (vt100::Color::Rgb(255, 0, 0), vt100::Color::Rgb(0, 0, 255));
        colours.len() > 4 && colours.first() == Some(&red) && colours.last() == Some(&blue)
    });
    drop(screen);

    let none = [("TERM", "xterm"), ("NO_COLOR", "1")];
    let screen = Screen::start_with(&world, &["review", "--anew"], 40, 120, &none, super::screen::PLAIN);
    screen.until("a picture, which needs colours");
    let codes = ["31m", "32m", "33m", "34m", "35m", "36m", "38;2;", "38;5;", "48;2;", "48;5;"]
        .map(|code| format!("\x1b[{code}"));
    let raw = screen.raw();
    assert!(!codes.iter().any(|code| raw.contains(code)), "no colour at all: {raw}");
    drop(screen);

    let screen = Screen::start_with(&world, &["review", "--anew"], 40, 120, &colours, SIXELS);
    screen.until("40 x 40");
    screen.until_so("a picture in pixels", || screen.raw().contains("\x1bP0;1q"));
    assert!(!screen.text().contains('▀'), "not drawn twice");
}
