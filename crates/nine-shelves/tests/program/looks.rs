//! What people read, word for word, on the sample world: previews, tables and errors, in a narrow and in a wide
//! terminal, and where only ASCII is understood. `SNAPSHOTS=overwrite cargo test` takes over what is printed now; read
//! the difference before it is kept.

use std::fs;
use std::process::Command;

use nine_demo::Made;
use snapbox::{assert_data_eq, str};

use super::support::printed_on_a_terminal;

/// The sample world.
struct Sample {
    made: Made,
    _dir: tempfile::TempDir,
}

impl Sample {
    fn new() -> Self {
        let dir = tempfile::tempdir().unwrap();
        let made = nine_demo::make(&dir.path().join("quay")).unwrap();
        Self { made, _dir: dir }
    }

    fn command(&self, locale: &str, words: &str) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_nine"));
        command.env_clear().envs([("TZ", "UTC"), ("NO_COLOR", "1"), ("LC_ALL", locale)]);
        command.env("HOME", &self.made.root).current_dir(&self.made.root);
        command.arg("--home").arg(&self.made.home).args(["--today", &self.made.now]);
        command.args(shlex::split(words).unwrap());
        command
    }

    /// What is printed in so many columns.
    fn shown(&self, columns: u16, words: &str) -> String {
        self.printed(columns, "C.UTF-8", words)
    }

    /// The same in 80 columns of ASCII.
    fn in_ascii(&self, words: &str) -> String {
        let shown = self.printed(80, "C", words);
        assert!(shown.is_ascii(), "{shown}");
        shown
    }

    fn printed(&self, columns: u16, locale: &str, words: &str) -> String {
        let printed = printed_on_a_terminal(self.command(locale, words), columns);
        let printed = printed.replace(self.made.root.to_str().unwrap(), "ROOT");
        // When it came to be made, the sample world cannot choose.
        let lines = printed.lines().filter(|line| !line.starts_with("  arrived"));
        lines.map(|line| format!("{line}\n")).collect()
    }

    /// What is told of words that are wrong.
    fn refused(&self, words: &str) -> String {
        let ran = self.command("C.UTF-8", words).output().unwrap();
        assert_eq!(ran.status.code(), Some(2), "{words}: {ran:?}");
        let root = self.made.root.to_str().unwrap();
        format!("$ nine {words}\n{}", String::from_utf8(ran.stderr).unwrap().replace(root, "ROOT"))
    }
}

#[test]
fn previews_in_a_narrow_terminal() {
    let sample = Sample::new();
    assert_data_eq!(
        sample.shown(80, "tidy desktop"),
        str![[r#"
1 Exhibitions/Tides 2031  7 items, 23 KB
  +  Budget Tides v3.xlsx                   desktop  1.6 KB            tides
  +  Exhibition plan Tides 2031 (1).docx    desktop   954 B            tides
  +  Exhibition plan Tides 2031.docx        desktop   955 B            tides
  +  Tides floor plan.png                   desktop  4.1 KB            tides
  +  Tides poster draft.png                 desktop  4.9 KB            tides
  +  Tides poster FINAL final.png           desktop  5.0 KB            tides
  +  Tides poster FINAL.png                 desktop  5.0 KB            tides

1 Exhibitions/regatta/children  1 item, 61 B
  +  🛶 regatta ideas.md                    desktop    61 B            no…y tag

3 Funding/2031  1 item, 947 B
  +  Grant report Coastal Fund 2030.docx    desktop   947 B            grants

7 Reference/Notes/D  1 item, 40 B
  +  -draft letter.txt                      desktop    40 B            notes

7 Reference/Notes/T  1 item, 39 B
  +  two/nlines.txt                         desktop    39 B            notes

8 Later/Screenshots  1 item, 6.0 KB
  +  Screenshot 2030-11-19 at 09.01.57.png  desktop  6.0 KB            sc…shots

8 Later/shortcut  3 items, 190 B
  +  Ferry timetable.url                    desktop    57 B            sh…llers
  +  Tern Quay drive.desktop                desktop    83 B            sh…llers
  +  Weather.url                            desktop    50 B            sh…llers

Tags  2 items, 64 B get tags and stay where they are
  +  Untitled 2.txt                         desktop    30 B  +name me  nameless
  +  Untitled.txt                           desktop    34 B  +name me  nameless

  1 Exhibitions  ███▉██▉███▒▒▒▒▒▒▒▌▒▌                     10 files   14 KB  +8
  2 Loans        ▉██▉██▉                                   6 files  4.1 KB
  3 Funding      ▉█▉▒▌                                     3 files  2.5 KB  +1
  4 Education    ▉▉██████████████▉██████▉                 22 files   46 KB
  5 Pictures     ▉██████████████████████████▉██████████▉  36 files  112 KB
  6 Office       ▉█▉▉███████▉██▉                          13 files  8.0 KB
  7 Reference    ▉█▒▌██████▉██████▉                       14 files  4.8 KB  +2
  8 Later        ▌▒▒▒▌                                     0 files     0 B  +4
  9 Archive                                                0 files     0 B

34 items looked at; left alone: 17 without a rule
17 steps: 15 to move (30 KB), 2 to tag

"#]]
    );
    assert_data_eq!(
        sample.shown(80, "put --where type mail --on 6/Mail/2031"),
        str![[r#"
6 Office/Mail/2031  3 items, 333 B
  +  Crate sizes.eml             downloads               101 B  22 days  by hand
  +  Re loan of the sextant.eml  downloads               126 B  41 days  by hand
  +  Welcome.eml                 documen…/6 Office/Mail  106 B  4 years  by hand

New folder: 6 Office/Mail/2031
3 selected; 0 there already
3 steps: 3 to move (333 B)

"#]]
    );
    assert_data_eq!(
        sample.shown(80, "archive"),
        str![[r#"
9 Archive/2031-04-07/downloads  3 items, 560 B
  +  label-printer-setup.exe                   do…loads   512 B  mo…01-27
  +  old caf/xe9 list.txt                      do…loads    27 B  mo…02-27
  +  shanty.md                                 do…loads    21 B  mo…12-24

9 Archive/2031-04-07/papers  52 items, 72 KB
  +  22 december 2…on report on condition.odt  papers     721 B  mo…09-14
  +  2027-28 MARRM…HEAD DAMAGE REPORT (1).jpg  papers    3.6 KB  mo…11-03
  +  2027-28 MARRM…GUREHEAD DAMAGE REPORT.jpg  papers    3.6 KB  mo…11-03
  +  2027-28-SOCIE…AGREMENT FOR LOAN (1).docx  papers     936 B  mo…10-31
  +  2028-05-19 LETTER MARRAM COAST MUSE.PDF   papers     673 B  mo…11-11
  +  2028-07-16 ma… loan receipt for loan.odt  papers     720 B  mo…05-29
  +  2028_Harrow D…s_damage report - Copy.jpg  papers    3.6 KB  mo…11-05
  +  2029 2030 loan request Kittiwake.pdf      papers     673 B  mo…11-07
  +  2031 - Dock Trust Harrow - request.PDF    papers     672 B  mo…12-21
  +  20310222_lant…nrowarchive_insurance.docx  papers     938 B  mo…09-14
  +  apr 30 lteter lantern row archive.PDF     papers     671 B  mo…07-22
  +  Brannock's Bo…te 20291009 stern lamp.jpg  papers    3.6 KB  mo…06-16
  +  chart 12_lett…wake_February 2030 (1).pdf  papers     673 B  mo…12-14
  +  copy of agree… 3 guild of sailmakers.pdf  papers     673 B  mo…12-27
  +  copy of HARRO…LEIPT FOR LOAN-2030-31.pdf  papers     673 B  mo…01-17
  … 37 more lines; --all shows them

243 items looked at; left alone: 1 hidden, 2 partial downloads, 1 changed just now, 184 not stale
archived items are still found by nine search; nine retrieve brings them back
55 steps: 55 to move (73 KB)

"#]]
    );
    assert_data_eq!(
        sample.shown(80, "sweep desktop"),
        str![[r#"
desktop/2031-04-07  32 items, 74 KB
  +  -draft letter.txt                      desktop    40 B   2 months  swept
  +  🛶 regatta ideas.md                    desktop    61 B   4 months  swept
  +  boxes to return/                       desktop  8.5 KB   5 months  swept
  +  Budget Tides v3.xlsx                   desktop  1.6 KB    15 days  swept
  +  Exhibition plan Tides 2031 (1).docx    desktop   954 B     9 days  swept
  +  Exhibition plan Tides 2031.docx        desktop   955 B     2 days  swept
  +  Ferry timetable.url                    desktop    57 B   8 months  swept
  +  Grant report Coastal Fund 2030.docx    desktop   947 B   3 months  swept
  +  keys of the store.txt                  desktop    28 B    2 years  swept
  +  labels room 2.xlsx                     desktop  1.7 KB    20 days  swept
  +  New folder (2)/                        desktop     0 B  10 months  swept
  +  opening hours 2031.xlsx                desktop  1.6 KB    45 days  swept
  +  rota OLD.odt                           desktop   723 B  13 months  swept
  +  Screenshot 2030-11-19 at 09.01.57.png  desktop  6.0 KB   4 months  swept
  +  Screenshot 2031-03-28 at 10.12.44.png  desktop  6.0 KB    10 days  swept
  … 17 more lines; --all shows them

Left for you to decide  2 items, 44 B
  ?  link to loans                          desktop    20 B   3 months  swept
     it is a link that is counted from where it lies; moved, it would lead
     nowhere
  ?  lost photo                             desktop    24 B  16 months  swept
     it is a link that is counted from where it lies; moved, it would lead
     nowhere

32 loose items into desktop/2031-04-07
34 items looked at; nothing left alone
nine retrieve FILE pulls one of them back, nine put files it; nine undo takes all back
32 steps: 32 to move (74 KB), 2 in doubt

"#]]
    );
    assert_data_eq!(
        sample.shown(80, "compare 'Phone import' documents --discard-found"),
        str![[r#"
Trash  25 items, 81 KB put away, not deleted
  -  IMG_3001.JPG  Phon…M/100TERN  3.3 KB  3 days  copy of d…01.jpg, which stays
  -  IMG_3002.JPG  Phon…M/100TERN  2.9 KB  3 days  copy of d…02.jpg, which stays
  -  IMG_3003.JPG  Phon…M/100TERN  3.2 KB  3 days  copy of d…03.jpg, which stays
  -  IMG_3004.JPG  Phon…M/100TERN  3.2 KB  3 days  copy of d…04.jpg, which stays
  -  IMG_3006.JPG  Phon…M/100TERN  3.0 KB  3 days  copy of d…06.jpg, which stays
  -  IMG_3007.JPG  Phon…M/100TERN  3.4 KB  3 days  copy of d…07.jpg, which stays
  -  IMG_3008.JPG  Phon…M/100TERN  3.5 KB  3 days  copy of d…08.jpg, which stays
  -  IMG_3009.JPG  Phon…M/100TERN  3.1 KB  3 days  copy of d…09.jpg, which stays
  -  IMG_3019.JPG  Phon…M/100TERN  3.7 KB  3 days  copy of d…01.jpg, which stays
  -  IMG_3020.JPG  Phon…M/100TERN  3.0 KB  3 days  copy of d…02.jpg, which stays
  -  IMG_3021.JPG  Phon…M/100TERN  3.1 KB  3 days  copy of d…03.jpg, which stays
  -  IMG_3022.JPG  Phon…M/100TERN  3.4 KB  3 days  copy of d…04.jpg, which stays
  -  IMG_3024.JPG  Phon…M/100TERN  2.9 KB  3 days  copy of d…06.jpg, which stays
  -  IMG_3025.JPG  Phon…M/100TERN  3.2 KB  3 days  copy of d…07.jpg, which stays
  -  IMG_3026.JPG  Phon…M/100TERN  3.3 KB  3 days  copy of d…08.jpg, which stays
  … 10 more lines; --all shows them

7 files (22 KB) of Phone import are nowhere in documents; 25 files (81 KB) found there
25 steps: 25 to discard

"#]]
    );
    assert_data_eq!(
        sample.shown(80, "tag add insured --where name has insurance"),
        str![[r#"
Tags  9 items, 6.9 KB get tags and stay where they are
  +  20310222_lan…nrowarchive_insurance.docx  papers    938 B  +insured  by hand
  +  DEC 29_PELLW…URANCE CERTIFICATE (1).pdf  papers    672 B  +insured  by hand
  +  dock trust h… insurance certfiicate.pdf  papers    673 B  +insured  by hand
  +  Guild of Sail insurance Aug 29.pdf       papers    673 B  +insured  by hand
  +  insurance certificate 2030.pdf           do…loads  694 B  +insured  by hand
  +  Insurance certificate 2031.pdf           do…loads  694 B  +insured  by hand
  +  Insurance certificate 2031.pdf           do…/2031  681 B  +insured  by hand
  +  insurance PFC Feb 29.docx                papers    937 B  +insured  by hand
  +  insurance-sep 30 .docx                   pa…chive  937 B  +insured  by hand

9 items selected; 0 have the right tags already
9 steps: 9 to tag

"#]]
    );
}

#[test]
fn tables_in_a_narrow_terminal() {
    let sample = Sample::new();
    assert_data_eq!(
        sample.shown(80, "survey"),
        str![[r#"
desktop  39 files, 74 KB, 6 folders; 29 loose
  type
  image     12   58 KB  ██████████
  note      11   390 B  █████████▎
  document   5  4.3 KB  ████▎
  shortcut   5   234 B  ████▎
  sheet      4  5.0 KB  ███▍
  slides     1  6.0 KB  ▉
  others     1    39 B  ▉
  age under
  a week      8   22 KB  ███████▍
  a month    10   23 KB  █████████▏
  3 months    5  7.7 KB  ████▋
  a year     11   20 KB  ██████████
  older       5   908 B  ████▋
  size under
  empty        -      -
  100 KB      39  74 KB  ██████████
  1 MB         -      -
  100 MB       -      -
  1 GB         -      -
  larger       -      -

downloads  76 files, 125 KB, 5 folders; 66 loose
  type
  document  24   18 KB  ██████████
  image     19   76 KB  ████████
  note       7   120 B  ███
  sheet      5  3.4 KB  ██▏
  page       3   288 B  █▎
  audio      3   24 KB  █▎
  others    15  3.2 KB  ██████▎
  age under
  a week      3  4.6 KB  █▏
  a month    14   28 KB  █████▎
  3 months   27   60 KB  ██████████
  a year     23   29 KB  ████████▋
  older       9  3.1 KB  ███▍
  size under
  empty        1     0 B  ▎
  100 KB      75  125 KB  ██████████
  1 MB         -       -
  100 MB       -       -
  1 GB         -       -
  larger       -       -

papers  160 files, 208 KB, 10 folders; 129 loose
  type
  document  128   92 KB  ██████████
  image      32  116 KB  ██▌
  age under
  a week       -       -
  a month      4  8.6 KB  ▍
  3 months     7   15 KB  ▊
  a year      38   48 KB  ███▌
  older      111  137 KB  ██████████
  size under
  empty         -       -
  100 KB      160  208 KB  ██████████
  1 MB          -       -
  100 MB        -       -
  1 GB          -       -
  larger        -       -

The largest
  ferry horn.wav                         downloads              8.0 KB  58 days
  harbour sounds.wav                     downloads              8.0 KB  58 days
  voice note.wav                         downlo…ne import/more  8.0 KB  47 days
  half model stern.jpg                   downloads              6.4 KB  30 days
  sextant detail.jpg                     downloads              6.2 KB  35 days
  Screenshot 2031-03-28 at 10.12.44.png  desktop                6.0 KB  10 days
  half model bow.jpg                     downloads              6.0 KB  30 days
  talk for the sailing club.pptx         desktop                6.0 KB  52 days
  Screenshot 2030-11-19 at 09.01.57.png  desktop                6.0 KB  4 months
  Screenshot 2031-04-02 at 16.40.11.png  desktop                6.0 KB  5 days

What is odd
  7  without a real name                 nine survey --odd untitled
  1  empty files                         nine survey --odd empty-files
  2  empty folders                       nine survey --odd empty-folders
  2  partial downloads                   nine survey --odd unfinished
  1  not what their extension says       nine survey --odd mislabelled
  5  shortcuts                           nine survey --odd shortcuts
  2  installers                          nine survey --odd installers
  1  links that lead nowhere             nine survey --odd broken
  1  names that other systems refuse     nine survey --odd refused
  ?  copies among 154 KB of equal sizes  nine copies

documents
  1 Exhibitions  ███▉███▉███▉                               10 files   14 KB
  2 Loans        ▉██▉██▉                                     6 files  4.1 KB
  3 Funding      ▉██▉                                        3 files  2.5 KB
  4 Education    ▉▉███████████████▉███████▉                 22 files   46 KB
  5 Pictures     ▉███████████████████████████▉███████████▉  36 files  112 KB
  6 Office       ▉█▉▉███████▉██▉                            13 files  8.0 KB
  7 Reference    ▉▉██████▉██████▉                           14 files  4.8 KB
  8 Later                                                    0 files     0 B
  9 Archive                                                  0 files     0 B


"#]]
    );
    assert_data_eq!(
        sample.shown(80, "search type image and idle over 90d"),
        str![[r#"
name                                           location          size  age
box 1.jpg                                      desk…to return  4.3 KB  5 months
box 2.jpg                                      desk…to return  4.2 KB  5 months
Screenshot 2030-11-19 at 09.01.57.png          desktop         6.0 KB  4 months
quay.jpg                                       desk…site copy  4.1 KB  7 months
IMG_1987.JPG                                   downloads       4.4 KB  6 months
IMG_1988.JPG                                   downloads       4.3 KB  6 months
log book page.png                              downloads       4.6 KB  3 months
photo                                          downloads       2.9 KB  10 months
scan0001.jpg                                   downloads       3.5 KB  8 months
scan0002.jpg                                   downloads       3.7 KB  8 months
clock.png                                      down…/Contents   685 B  17 months
2027-28 MARRM …GUREHEAD DAMAGE REPORT (1).jpg  papers          3.6 KB  3 years
2027-28 MARRM …M FIGUREHEAD DAMAGE REPORT.jpg  papers          3.6 KB  3 years
2028_Harrow Do…Truts_damage report - Copy.jpg  papers          3.6 KB  2 years
agreement for …une 2028_kittiwake society.jpg  papers          3.5 KB  23 months
Brannock's Boa…r note 20291009 stern lamp.jpg  papers          3.6 KB  2 years
cjndition - 20… - Lantern Row Arch - Copy.jpg  papers          3.6 KB  17 months
copy of septem…hart 12 st brannock's boat.jpg  papers          3.5 KB  2 years
damae rpeort M…Museum 2029-04-11 log book.jpg  papers          3.7 KB  3 years
receipt for loan 2028-03-09 2028-03-09.jpg     pape…ock Trust  3.5 KB  10 months
harrow dock tr…ettwr 2029-30 ship's bell .jpg  papers          3.5 KB  14 months
inssurance 2027-28 harrow dock trus .jpg       papers          3.7 KB  4 months
kittiwaek soci…uest-feb 29-stern lamp (1).jpg  papers          3.5 KB  16 months
01-2030 cover note - Copy.jpg                  pape…e Society  3.7 KB  9 months
kittiwake soci…ort on condition - 2028-29.jpg  papers          3.6 KB  22 months
Lantern Row Ar…e_letter re_Sep 28_sextant.jpg  papers          3.5 KB  2 years
lantern row ar…ruary 2030 recipt of retrn.jpg  papers          3.6 KB  3 years
Lanterrn Row A…ment_October 29_stern lamp.jpg  papers          3.8 KB  3 years
LOAN CONTRAMT …PELLOW FAMIILY COLLECTION .jpg  papers          3.6 KB  2 years
log book - gui…of sail - request - 5.4.31.jpg  papers          3.6 KB  2 months
martam coast m… bench_martam coast musxum.jpg  papers          3.8 KB  11 months
request_2030 2031.jpg                          pape…ollection  3.7 KB  2 years
rigging knife …tern row archive - 2029-30.jpg  papers          3.5 KB  3 months
sbb letter re august 2030.jpg                  papers          3.7 KB  4 months
20290314 HDT letter re - Copy.jpg              papers/scans    3.6 KB  15 months
reueipt of ret…rehead 28-29 St Brannock's.jpg  papers/scans    3.5 KB  2 years
LANTERN ROW ARCHIVE-COVER NOTE.jpg             pape…n 2028-29  3.5 KB  2 years
SEPTEMBER - LO…NTARCT - DOCK TRUST HARROW.jpg  pape…n 2030-31  3.6 KB  2 years
poster.png                                     docu…Nets 2029  5.0 KB  22 months
nets.jpg                                       docu…ures/2029  4.4 KB  22 months
regatta-1.jpg                                  docu…e website  1.3 KB  9 months
regatta-2.jpg                                  docu…e website  1.2 KB  9 months
regatta-3.jpg                                  docu…e website  1.3 KB  9 months
regatta-4.jpg                                  docu…e website  1.3 KB  9 months
lamp 1.jpg                                     docu…ures/2030  4.5 KB  12 months
lamp 2.jpg                                     docu…ures/2030  4.3 KB  12 months
Open day 01.jpg                                docu…/Open day  3.2 KB  7 months
Open day 02.jpg                                docu…/Open day  3.6 KB  7 months
Open day 03.jpg                                docu…/Open day  3.3 KB  7 months
Open day 04.jpg                                docu…/Open day  3.1 KB  7 months
Open day 05.jpg                                docu…/Open day  3.7 KB  7 months
Open day 06.jpg                                docu…/Open day  3.3 KB  7 months
Open day 07.jpg                                docu…/Open day  3.2 KB  7 months
Open day 08.jpg                                docu…/Open day  2.9 KB  7 months
Open day 09.jpg                                docu…/Open day  3.2 KB  7 months
opening.jpg                                    docu…ures/2030  4.1 KB  12 months
Regatta 01.jpg                                 docu…0/Regatta  3.3 KB  9 months
Regatta 02.jpg                                 docu…0/Regatta  2.9 KB  9 months
Regatta 03.jpg                                 docu…0/Regatta  3.2 KB  9 months
Regatta 04.jpg                                 docu…0/Regatta  3.2 KB  9 months
Regatta 05.jpg                                 docu…0/Regatta  3.3 KB  9 months
Regatta 06.jpg                                 docu…0/Regatta  3.0 KB  9 months
Regatta 07.jpg                                 docu…0/Regatta  3.4 KB  9 months
Regatta 08.jpg                                 docu…0/Regatta  3.5 KB  9 months
Regatta 09.jpg                                 docu…0/Regatta  3.1 KB  9 months

65 files, 226 KB

"#]]
    );
    assert_data_eq!(
        sample.shown(80, "search --in papers --by lender --totals"),
        str![[r#"
Guild of Sailmakers       20   23 KB  ██████▊
Harrow Dock Trust         30   39 KB  ██████████
Kittiwake Society         24   28 KB  ████████
Lantern Row Archive       24   41 KB  ████████
Marram Coast Museum       27   34 KB  █████████
Pellow Family Collection  16   19 KB  █████▍
St Brannock's Boatyard    17   23 KB  █████▊
not known                  2  1.4 KB  ▊

160 files, 208 KB

"#]]
    );
    assert_data_eq!(
        sample.shown(80, "why downloads/statement.pdf"),
        str![[r#"
statement.pdf
~/Downloads/statement.pdf

  type      page              by its content: web page, whatever .pdf promises (mislabelled)
  size      107 B
  tags      none
  lender    not known
  paper     not known
  season    not known
  modified  2031-03-17 07:45  21 days ago
  opened    2031-03-17 07:45  21 days ago
  inside    6 words

  museum papers  no
      it is for other piles
  nameless  no
      untitled: it is not
  loan papers  no
      type document: it is page
      name has loan,"condition report",insurance: it is `statement.pdf`
  grants  no
      name has grant: it is `statement.pdf`
      type document,sheet: it is page
  invoices  no
      type document: it is page
      name starts invoice: it is `statement.pdf`
  screenshots  no
      type image: it is page
      name starts screenshot: it is `statement.pdf`
      age over 30d: it is 21 days
  tides  no
      name has tides: it is `statement.pdf`
      type document,image,sheet,packed: it is page
  photos  no
      type image: it is page
      taken before today: that date is not known
  pictures  no
      type image: it is page
  mail  no
      type mail: it is page
  notes by tag  no
      type note: it is page
      tag any: it has no tags
  notes  no
      type note: it is page
  shortcuts and installers  no
      type shortcut,installer: it is page
      age over 6mo: it is 21 days

"#]]
    );
    assert_data_eq!(
        sample.shown(80, "copies 'Phone import' documents --limit 3"),
        str![[r#"
Open day/  2 folders with the same 9 files, 30 KB each, 30 KB to be won
  =  Open day/                      docu…tures/2030  7 months  stays: on a shelf
  -  Open day/                      Phone import     3 days

Petrel in the workshop 01.jpg  2 files with the same bytes, 3.7 KB each, 3.7 KB to be won
  =  Petrel in the workshop 01.jpg  docu…e workshop  60 days   stays: on a shelf
  -  IMG_3019.JPG                   Phon…IM/100TERN  3 days

Regatta 08.jpg  2 files with the same bytes, 3.5 KB each, 3.5 KB to be won
  =  Regatta 08.jpg                 docu…30/Regatta  9 months  stays: on a shelf
  -  IMG_3008.JPG                   Phon…IM/100TERN  3 days

18 groups: 18 items are not needed, 81 KB to be won; the first 3 shown
Other bytes: 2 groups with equal names; --names lists them

"#]]
    );
    assert_data_eq!(
        sample.shown(80, "compare 'Phone import' documents"),
        str![[r#"
name          location                     size  age
IMG_3028.JPG  Phone import/DCIM/101TERN  3.2 KB  3 days
IMG_3029.JPG  Phone import/DCIM/101TERN  3.2 KB  3 days
IMG_3030.JPG  Phone import/DCIM/101TERN  3.0 KB  3 days
IMG_3031.JPG  Phone import/DCIM/101TERN  2.8 KB  3 days
IMG_3032.JPG  Phone import/DCIM/101TERN  3.1 KB  3 days
IMG_3033.JPG  Phone import/DCIM/101TERN  3.3 KB  3 days
IMG_3034.JPG  Phone import/DCIM/101TERN  3.0 KB  3 days

7 files (22 KB) of Phone import are nowhere in documents; 25 files (81 KB) found there

"#]]
    );
    assert_data_eq!(
        sample.shown(80, "shelves"),
        str![[r#"
  1 Exhibitions  █▉█▉██▉                   10 files   14 KB  3 folders, 1 deep
  2 Loans        ▉▉█▉                       6 files  4.1 KB  3 folders, 1 deep
  3 Funding      ▉▉                         3 files  2.5 KB  2 folders, 1 deep
  4 Education    ▉▉███████▉████▉           22 files   46 KB  6 folders, 2 deep
  5 Pictures     ▉███████████████▉██████▉  36 files  112 KB  7 folders, 2 deep
  6 Office       ▉▉▉███▉█▉                 13 files  8.0 KB  6 folders, 2 deep
  7 Reference    ▉▉██▉████▉                14 files  4.8 KB  4 folders, 2 deep
  8 Later                                   0 files     0 B
  9 Archive                                 0 files     0 B

shelves that are not there yet  2
  8 Later  
      nine shelves make
  9 Archive  
      nine shelves make

shelves that were renamed  1
  3 Funding  is 3 Grants in shelves.toml
      nine shelves rename 3 Funding

folders of one name  1
  6 Office/Tides 2031  2 files, and 1 Exhibitions/Tides 2031
      nine put 'documents/6 Office/Tides 2031' --on '1/Tides 2031' --merge

files and folders side by side  5
  4 Education  1 file beside its folders
      nine put --where 'file and folder is "4 Education"' --on 4/Unsorted
  5 Pictures/2030  3 files beside its folders
      nine put --where 'file and folder is "5 Pictures/2030"' --on 5/2030/Unsorted
  5 Pictures/2031  1 file beside its folders
      nine put --where 'file and folder is "5 Pictures/2031"' --on 5/2031/Unsorted
  6 Office  1 file beside its folders
      nine put --where 'file and folder is "6 Office"' --on 6/Unsorted
  7 Reference  1 file beside its folders
      nine put --where 'file and folder is "7 Reference"' --on 7/Unsorted

documents: 104 files, 192 KB; 9 things to look at

"#]]
    );
    assert_data_eq!(
        sample.shown(80, "tag"),
        str![[r#"
★ keep            2   91 B  █████
regatta/children  1   61 B  ██▌
tides             4  19 KB  ██████████

3 tags on 6 items

"#]]
    );
}

#[test]
fn the_same_in_a_wide_terminal() {
    let sample = Sample::new();
    assert_data_eq!(
        sample.shown(120, "tidy desktop"),
        str![[r#"
1 Exhibitions/Tides 2031  7 items, 23 KB
  +  Budget Tides v3.xlsx                   desktop  1.6 KB    15 days            tides
  +  Exhibition plan Tides 2031 (1).docx    desktop   954 B     9 days            tides
  +  Exhibition plan Tides 2031.docx        desktop   955 B     2 days            tides
  +  Tides floor plan.png                   desktop  4.1 KB    12 days            tides
  +  Tides poster draft.png                 desktop  4.9 KB     5 days            tides
  +  Tides poster FINAL final.png           desktop  5.0 KB     3 days            tides
  +  Tides poster FINAL.png                 desktop  5.0 KB     4 days            tides

1 Exhibitions/regatta/children  1 item, 61 B
  +  🛶 regatta ideas.md                    desktop    61 B   4 months            notes by tag

3 Funding/2031  1 item, 947 B
  +  Grant report Coastal Fund 2030.docx    desktop   947 B   3 months            grants

7 Reference/Notes/D  1 item, 40 B
  +  -draft letter.txt                      desktop    40 B   2 months            notes

7 Reference/Notes/T  1 item, 39 B
  +  two/nlines.txt                         desktop    39 B   4 months            notes

8 Later/Screenshots  1 item, 6.0 KB
  +  Screenshot 2030-11-19 at 09.01.57.png  desktop  6.0 KB   4 months            screenshots

8 Later/shortcut  3 items, 190 B
  +  Ferry timetable.url                    desktop    57 B   8 months            shortcuts and installers
  +  Tern Quay drive.desktop                desktop    83 B  23 months            shortcuts and installers
  +  Weather.url                            desktop    50 B  20 months            shortcuts and installers

Tags  2 items, 64 B get tags and stay where they are
  +  Untitled 2.txt                         desktop    30 B    33 days  +name me  nameless
  +  Untitled.txt                           desktop    34 B   2 months  +name me  nameless

  1 Exhibitions  █████▉████▉█████▒▒▒▒▒▒▒▒▒▒▒▌▒▌                                10 files   14 KB  +8
  2 Loans        ▉████▉███▉                                                     6 files  4.1 KB
  3 Funding      ▉███▉▒▌                                                        3 files  2.5 KB  +1
  4 Education    ▉█▉██████████████████████▉██████████▉                         22 files   46 KB
  5 Pictures     ▉█████████████████████████████████████████▉████████████████▉  36 files  112 KB
  6 Office       ▉███▉▉███████████▉███▉                                        13 files  8.0 KB
  7 Reference    ▉█▒▒▒▌█████████▉██████████▉                                   14 files  4.8 KB  +2
  8 Later        ▌▒▒▒▒▒▌                                                        0 files     0 B  +4
  9 Archive                                                                     0 files     0 B

34 items looked at; left alone: 17 without a rule
17 steps: 15 to move (30 KB), 2 to tag

"#]]
    );
    assert_data_eq!(
        sample.shown(120, "survey"),
        str![[r#"
desktop  39 files, 74 KB, 6 folders; 29 loose
  type                              age under                          size under
  image     12   58 KB  ██████████  a week      8   22 KB  ███████▍    empty        -      -
  note      11   390 B  █████████▎  a month    10   23 KB  █████████▏  100 KB      39  74 KB  ██████████
  document   5  4.3 KB  ████▎       3 months    5  7.7 KB  ████▋       1 MB         -      -
  shortcut   5   234 B  ████▎       a year     11   20 KB  ██████████  100 MB       -      -
  sheet      4  5.0 KB  ███▍        older       5   908 B  ████▋       1 GB         -      -
  slides     1  6.0 KB  ▉                                              larger       -      -
  others     1    39 B  ▉

downloads  76 files, 125 KB, 5 folders; 66 loose
  type                              age under                          size under
  document  24   18 KB  ██████████  a week      3  4.6 KB  █▏          empty        1     0 B  ▎
  image     19   76 KB  ████████    a month    14   28 KB  █████▎      100 KB      75  125 KB  ██████████
  note       7   120 B  ███         3 months   27   60 KB  ██████████  1 MB         -       -
  sheet      5  3.4 KB  ██▏         a year     23   29 KB  ████████▋   100 MB       -       -
  page       3   288 B  █▎          older       9  3.1 KB  ███▍        1 GB         -       -
  audio      3   24 KB  █▎                                             larger       -       -
  others    15  3.2 KB  ██████▎

papers  160 files, 208 KB, 10 folders; 129 loose
  type                               age under                           size under
  document  128   92 KB  ██████████  a week       -       -              empty         -       -
  image      32  116 KB  ██▌         a month      4  8.6 KB  ▍           100 KB      160  208 KB  ██████████
                                     3 months     7   15 KB  ▊           1 MB          -       -
                                     a year      38   48 KB  ███▌        100 MB        -       -
                                     older      111  137 KB  ██████████  1 GB          -       -
                                                                         larger        -       -

The largest
  ferry horn.wav                         downloads                    8.0 KB  58 days
  harbour sounds.wav                     downloads                    8.0 KB  58 days
  voice note.wav                         downloads/phone import/more  8.0 KB  47 days
  half model stern.jpg                   downloads                    6.4 KB  30 days
  sextant detail.jpg                     downloads                    6.2 KB  35 days
  Screenshot 2031-03-28 at 10.12.44.png  desktop                      6.0 KB  10 days
  half model bow.jpg                     downloads                    6.0 KB  30 days
  talk for the sailing club.pptx         desktop                      6.0 KB  52 days
  Screenshot 2030-11-19 at 09.01.57.png  desktop                      6.0 KB  4 months
  Screenshot 2031-04-02 at 16.40.11.png  desktop                      6.0 KB  5 days

What is odd
  7  without a real name                 nine survey --odd untitled
  1  empty files                         nine survey --odd empty-files
  2  empty folders                       nine survey --odd empty-folders
  2  partial downloads                   nine survey --odd unfinished
  1  not what their extension says       nine survey --odd mislabelled
  5  shortcuts                           nine survey --odd shortcuts
  2  installers                          nine survey --odd installers
  1  links that lead nowhere             nine survey --odd broken
  1  names that other systems refuse     nine survey --odd refused
  ?  copies among 154 KB of equal sizes  nine copies

documents
  1 Exhibitions  █████▉████▉█████▉                                             10 files   14 KB
  2 Loans        ▉████▉███▉                                                     6 files  4.1 KB
  3 Funding      ▉███▉                                                          3 files  2.5 KB
  4 Education    ▉█▉██████████████████████▉██████████▉                         22 files   46 KB
  5 Pictures     ▉█████████████████████████████████████████▉████████████████▉  36 files  112 KB
  6 Office       ▉███▉▉███████████▉███▉                                        13 files  8.0 KB
  7 Reference    ▉█▉█████████▉██████████▉                                      14 files  4.8 KB
  8 Later                                                                       0 files     0 B
  9 Archive                                                                     0 files     0 B


"#]]
    );
    assert_data_eq!(
        sample.shown(120, "why 'papers/apr 30 lteter lantern row archive.PDF'"),
        str![[r#"
apr 30 lteter lantern row archive.PDF
~/Papers/apr 30 lteter lantern row archive.PDF

  type      document             by its extension, and the content is PDF
  size      671 B
  tags      none
  lender    Lantern Row Archive  `lantern row archive` in the name
  paper     letter               `lteter` in the name, close to `letter` (83 %); not sure
  season    2029-30              `apr 30` in the name
  modified  2028-07-22 07:09     2 years ago
  opened    2028-07-22 07:09     2 years ago
  pages     1                    as it says itself
  found by  untouched            saved searches

  museum papers  applies
      names it Lantern Row Archive letter 2029-30 apr 30.PDF
      puts it into documents/2 Loans/Lantern Row Archive/2029-30
      tags it loans, lender/Lantern Row Archive, paper/letter, season/2029-30
  nameless  no
      untitled: it is not
  loan papers  no
      name has loan,"condition report",insurance: it is `apr 30 lteter lantern row archive.PDF`
  grants  no
      name has grant: it is `apr 30 lteter lantern row archive.PDF`
  invoices  no
      name starts invoice: it is `apr 30 lteter lantern row archive.PDF`
  screenshots  no
      type image: it is document
      name starts screenshot: it is `apr 30 lteter lantern row archive.PDF`
  tides  no
      name has tides: it is `apr 30 lteter lantern row archive.PDF`
  photos  no
      it is for other piles
  pictures  no
      it is for other piles
  mail  no
      type mail: it is document
  notes by tag  no
      type note: it is document
      tag any: it has no tags
  notes  no
      type note: it is document
  shortcuts and installers  no
      type shortcut,installer: it is document

  by the example of what is filed  too little to suggest it
      40 %  documents/2 Loans/2028
            the one file with "archive" in the name is in 2 Loans/{modified:year}
            nine search 'name has archive' --in documents --no-archive
       3 %  documents/4 Education/School visits/2030
       3 %  documents/6 Office/Invoices/2031

"#]]
    );
}

#[test]
fn the_same_in_ascii() {
    let sample = Sample::new();
    assert_data_eq!(
        sample.in_ascii("tidy desktop"),
        str![[r#"
1 Exhibitions/Tides 2031  7 items, 23 KB
  +  Budget Tides v3.xlsx                   desktop  1.6 KB            tides
  +  Exhibition plan Tides 2031 (1).docx    desktop   954 B            tides
  +  Exhibition plan Tides 2031.docx        desktop   955 B            tides
  +  Tides floor plan.png                   desktop  4.1 KB            tides
  +  Tides poster draft.png                 desktop  4.9 KB            tides
  +  Tides poster FINAL final.png           desktop  5.0 KB            tides
  +  Tides poster FINAL.png                 desktop  5.0 KB            tides

1 Exhibitions/regatta/children  1 item, 61 B
  +  /u{1f6f6} regatta ideas.md             desktop    61 B            n... tag

3 Funding/2031  1 item, 947 B
  +  Grant report Coastal Fund 2030.docx    desktop   947 B            grants

7 Reference/Notes/D  1 item, 40 B
  +  -draft letter.txt                      desktop    40 B            notes

7 Reference/Notes/T  1 item, 39 B
  +  two/nlines.txt                         desktop    39 B            notes

8 Later/Screenshots  1 item, 6.0 KB
  +  Screenshot 2030-11-19 at 09.01.57.png  desktop  6.0 KB            s...hots

8 Later/shortcut  3 items, 190 B
  +  Ferry timetable.url                    desktop    57 B            s...lers
  +  Tern Quay drive.desktop                desktop    83 B            s...lers
  +  Weather.url                            desktop    50 B            s...lers

Tags  2 items, 64 B get tags and stay where they are
  +  Untitled 2.txt                         desktop    30 B  +name me  nameless
  +  Untitled.txt                           desktop    34 B  +name me  nameless

  1 Exhibitions  ===]==]===+++++++]+]                     10 files   14 KB  +8
  2 Loans        ]==]==]                                   6 files  4.1 KB
  3 Funding      ]=]+]                                     3 files  2.5 KB  +1
  4 Education    ]]==============]======]                 22 files   46 KB
  5 Pictures     ]==========================]==========]  36 files  112 KB
  6 Office       ]=]]=======]==]                          13 files  8.0 KB
  7 Reference    ]=+]======]======]                       14 files  4.8 KB  +2
  8 Later        ]+++]                                     0 files     0 B  +4
  9 Archive                                                0 files     0 B

34 items looked at; left alone: 17 without a rule
17 steps: 15 to move (30 KB), 2 to tag

"#]]
    );
    assert_data_eq!(
        sample.in_ascii("survey"),
        str![[r#"
desktop  39 files, 74 KB, 6 folders; 29 loose
  type
  image     12   58 KB  ##########
  note      11   390 B  ##########
  document   5  4.3 KB  #####
  shortcut   5   234 B  #####
  sheet      4  5.0 KB  ####
  slides     1  6.0 KB  #
  others     1    39 B  #
  age under
  a week      8   22 KB  ########
  a month    10   23 KB  ##########
  3 months    5  7.7 KB  #####
  a year     11   20 KB  ##########
  older       5   908 B  #####
  size under
  empty        -      -
  100 KB      39  74 KB  ##########
  1 MB         -      -
  100 MB       -      -
  1 GB         -      -
  larger       -      -

downloads  76 files, 125 KB, 5 folders; 66 loose
  type
  document  24   18 KB  ##########
  image     19   76 KB  ########
  note       7   120 B  ###
  sheet      5  3.4 KB  ###
  page       3   288 B  ##
  audio      3   24 KB  ##
  others    15  3.2 KB  #######
  age under
  a week      3  4.6 KB  ##
  a month    14   28 KB  ######
  3 months   27   60 KB  ##########
  a year     23   29 KB  #########
  older       9  3.1 KB  ####
  size under
  empty        1     0 B  #
  100 KB      75  125 KB  ##########
  1 MB         -       -
  100 MB       -       -
  1 GB         -       -
  larger       -       -

papers  160 files, 208 KB, 10 folders; 129 loose
  type
  document  128   92 KB  ##########
  image      32  116 KB  ###
  age under
  a week       -       -
  a month      4  8.6 KB  #
  3 months     7   15 KB  #
  a year      38   48 KB  ####
  older      111  137 KB  ##########
  size under
  empty         -       -
  100 KB      160  208 KB  ##########
  1 MB          -       -
  100 MB        -       -
  1 GB          -       -
  larger        -       -

The largest
  ferry horn.wav                         downloads              8.0 KB  58 days
  harbour sounds.wav                     downloads              8.0 KB  58 days
  voice note.wav                         downlo... import/more  8.0 KB  47 days
  half model stern.jpg                   downloads              6.4 KB  30 days
  sextant detail.jpg                     downloads              6.2 KB  35 days
  Screenshot 2031-03-28 at 10.12.44.png  desktop                6.0 KB  10 days
  half model bow.jpg                     downloads              6.0 KB  30 days
  talk for the sailing club.pptx         desktop                6.0 KB  52 days
  Screenshot 2030-11-19 at 09.01.57.png  desktop                6.0 KB  4 months
  Screenshot 2031-04-02 at 16.40.11.png  desktop                6.0 KB  5 days

What is odd
  7  without a real name                 nine survey --odd untitled
  1  empty files                         nine survey --odd empty-files
  2  empty folders                       nine survey --odd empty-folders
  2  partial downloads                   nine survey --odd unfinished
  1  not what their extension says       nine survey --odd mislabelled
  5  shortcuts                           nine survey --odd shortcuts
  2  installers                          nine survey --odd installers
  1  links that lead nowhere             nine survey --odd broken
  1  names that other systems refuse     nine survey --odd refused
  ?  copies among 154 KB of equal sizes  nine copies

documents
  1 Exhibitions  ===]===]===]                               10 files   14 KB
  2 Loans        ]==]==]                                     6 files  4.1 KB
  3 Funding      ]==]                                        3 files  2.5 KB
  4 Education    ]]===============]=======]                 22 files   46 KB
  5 Pictures     ]===========================]===========]  36 files  112 KB
  6 Office       ]=]]=======]==]                            13 files  8.0 KB
  7 Reference    ]]======]======]                           14 files  4.8 KB
  8 Later                                                    0 files     0 B
  9 Archive                                                  0 files     0 B


"#]]
    );
    assert_data_eq!(
        sample.in_ascii("shelves"),
        str![[r#"
  1 Exhibitions  =]=]==]                   10 files   14 KB  3 folders, 1 deep
  2 Loans        ]]=]                       6 files  4.1 KB  3 folders, 1 deep
  3 Funding      ]]                         3 files  2.5 KB  2 folders, 1 deep
  4 Education    ]]=======]====]           22 files   46 KB  6 folders, 2 deep
  5 Pictures     ]===============]======]  36 files  112 KB  7 folders, 2 deep
  6 Office       ]]]===]=]                 13 files  8.0 KB  6 folders, 2 deep
  7 Reference    ]]==]====]                14 files  4.8 KB  4 folders, 2 deep
  8 Later                                   0 files     0 B
  9 Archive                                 0 files     0 B

shelves that are not there yet  2
  8 Later  
      nine shelves make
  9 Archive  
      nine shelves make

shelves that were renamed  1
  3 Funding  is 3 Grants in shelves.toml
      nine shelves rename 3 Funding

folders of one name  1
  6 Office/Tides 2031  2 files, and 1 Exhibitions/Tides 2031
      nine put 'documents/6 Office/Tides 2031' --on '1/Tides 2031' --merge

files and folders side by side  5
  4 Education  1 file beside its folders
      nine put --where 'file and folder is "4 Education"' --on 4/Unsorted
  5 Pictures/2030  3 files beside its folders
      nine put --where 'file and folder is "5 Pictures/2030"' --on 5/2030/Unsorted
  5 Pictures/2031  1 file beside its folders
      nine put --where 'file and folder is "5 Pictures/2031"' --on 5/2031/Unsorted
  6 Office  1 file beside its folders
      nine put --where 'file and folder is "6 Office"' --on 6/Unsorted
  7 Reference  1 file beside its folders
      nine put --where 'file and folder is "7 Reference"' --on 7/Unsorted

documents: 104 files, 192 KB; 9 things to look at

"#]]
    );
}

#[test]
fn a_doubt_fits_one_line_of_a_hundred_columns() {
    let sample = Sample::new();
    for pile in ["desktop", "downloads", "papers"] {
        let shown = sample.shown(200, &format!("tidy {pile} --all"));
        let doubts = shown.lines().filter(|line| line.starts_with("     ") && !line.trim().is_empty());
        let long: Vec<&str> = doubts.filter(|line| line.chars().count() > 100).collect();
        assert!(long.is_empty(), "{long:#?}");
    }
}

#[test]
fn errors_say_what_where_and_what_to_do() {
    let sample = Sample::new();
    let wrong = [
        "tidy downlods",
        "search typ image",
        "search --saved instalers",
        "search --by lendr",
        "search --in nowhere",
        "survey --odd empty",
        "why nothing.txt",
        "put desktop/Untitled.txt --on 12",
        "put desktop/Untitled.txt --on 6/Invoces",
        "put --on 6",
        "copies --keep oldr",
        "compare desktop desktop",
        "tag add , desktop/Untitled.txt",
        "tag rename insurd x",
        "carry nothing.csv",
        "undo 99",
        "undo",
        "archive verify 2031-04-08",
        "retrieve desktop/Untitled.txt",
        "shelves hom",
    ];
    let told: String = wrong.iter().map(|words| sample.refused(words)).collect();
    assert_data_eq!(
        told,
        str![[r#"
$ nine tidy downlods
nine: there is no pile `downlods`
      did you mean `downloads`?
$ nine search typ image
nine: `typ` is not a test that is known here

      typ image
      ^^^
      did you mean `type`?
$ nine search --saved instalers
nine: there is no saved search `instalers`
      did you mean `installers`?
$ nine search --by lendr
nine: nothing can be grouped by `lendr`
      did you mean `lender`?
$ nine search --in nowhere
nine: nowhere cannot be looked at: there is no such folder
      give a folder, or one of desktop, downloads, papers or documents
$ nine survey --odd empty
nine: `empty` is nothing that is looked for
      did you mean `empty-files`?
$ nine why nothing.txt
nine: there is nothing at nothing.txt
      give a path, or a place and a path below it, such as downloads/letter.txt
$ nine put desktop/Untitled.txt --on 12
nine: `12` names no shelf
      give its number or title: 1 Exhibitions, 2 Loans, 3 Grants, 4 Education, 5 Pictures, 6 Office, 7 Reference, 8 Later or 9 Archive
$ nine put desktop/Untitled.txt --on 6/Invoces
nine: 6 Office/Invoices exists, and 6 Office/Invoces is nearly the same
      say --on with `Invoices`, or --new-folder to make the other
$ nine put --on 6
nine: nothing is selected
      give paths, --where CONDITION, --saved NAME, or - for paths on standard input
$ nine copies --keep oldr
nine: `oldr` is no preference
      did you mean `older`?
$ nine compare desktop desktop
nine: both are the same folder
      give two places: nine compare A B
$ nine tag add , desktop/Untitled.txt
nine: a tag cannot be empty or hold control characters
      write tags as words joined by commas: todo,loans
$ nine tag rename insurd x
nine: no item has the tag `insurd`
      `nine tag` lists all tags
$ nine carry nothing.csv
nine: there is no file nothing.csv
      a planner writes one: nine tidy --worklist list.csv
$ nine undo 99
nine: there is no run 99
      `nine history` lists them
$ nine undo
nine: there is no run to take back
      `nine history` lists what was carried out; `nine undo RUN` names one
$ nine archive verify 2031-04-08
nine: the archive has no `2031-04-08`
      nothing has been archived yet
$ nine retrieve desktop/Untitled.txt
nine: desktop/Untitled.txt was neither archived nor swept
      nine search finds what is archived, and where
$ nine shelves hom
nine: there is no bookcase `hom`
      the bookcases are documents

"#]]
    );
    let file = sample.made.home.join("shelves.toml");
    let text = fs::read_to_string(&file).unwrap();
    fs::write(&file, text.replacen("put = ", "putt = ", 1)).unwrap();
    assert_data_eq!(
        sample.refused("tidy"),
        str![[r#"
$ nine tidy
nine: 1 thing to mend in the configuration

ROOT/nine/shelves.toml:27:1: `putt` is not a key that is known here
  27 | putt = "9/{today}/{pile}"
     | ^^^^
       did you mean `put`?

"#]]
    );
}
