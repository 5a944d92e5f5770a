//! The stations of the walk: a line of explanation, and the command as one would type it.

/// A station of the walk: what it shows, and the command's words.
pub struct Station {
    /// What it shows.
    pub tells: &'static str,
    /// The words behind `nine`.
    pub words: &'static [&'static str],
}

/// A part of the walk that stands by itself.
pub struct Chapter {
    /// Its name.
    pub name: &'static str,
    /// What it is about.
    pub about: &'static str,
    /// Its stations, the first and the one behind the last, counted through both walks.
    pub stations: std::ops::Range<usize>,
}

/// The chapters of the whole walk, in order.
pub const CHAPTERS: [Chapter; 10] = [
    Chapter { name: "look", about: "what lies where; searches, saved ones too", stations: 0..6 },
    Chapter { name: "rules", about: "tags, rules, and all of it taken back", stations: 6..13 },
    Chapter { name: "names", about: "papers with careless names", stations: 13..19 },
    Chapter { name: "copies", about: "what is there twice", stations: 19..23 },
    Chapter { name: "shelves", about: "the shelves, and what is tangled", stations: 23..26 },
    Chapter {
        name: "archive",
        about: "the dated archive, and everything of one pile in a hurry",
        stations: 26..33,
    },
    Chapter { name: "routine", about: "the weekly round in one go", stations: 33..37 },
    Chapter { name: "report", about: "one page with pictures", stations: 37..39 },
    Chapter { name: "examples", about: "what is filed shows where the next belongs", stations: 39..44 },
    Chapter { name: "drive", about: "a cloud drive", stations: 44..55 },
];

/// The short walk, from nothing to shelves and back. Its configuration begins empty, and lies beside that of the other
/// walk.
pub const SHORT: [Station; 10] = [
    Station { tells: "Nothing is set up. What is where?", words: &[] },
    Station {
        tells: "Shelves, folders, marks and starter rules come ready-made. This is for work by its state.",
        words: &["setup", "--layout", "in-hand", "--at", "Shelves", "--yes"],
    },
    Station { tells: "What would its rules do? Nothing moves without a yes.", words: &["tidy"] },
    Station { tells: "Why does one thing stay behind?", words: &["why", "downloads/statement.pdf"] },
    Station { tells: "The list looks right: carry it out.", words: &["tidy", "--yes"] },
    Station { tells: "The shelves as they stand now.", words: &["shelves"] },
    Station {
        tells: "A rule of one's own is tried before it is written.",
        words: &["rule", "try", "type", "shortcut,mail", "--put", "8/{type}"],
    },
    Station {
        tells: "And written, without an editor.",
        words: &[
            "rule",
            "add",
            "odds and ends",
            "--when",
            "type",
            "shortcut,mail",
            "--put",
            "8/{type}",
            "--yes",
        ],
    },
    Station {
        tells: "Wherever things lie now, they are found: what nobody touched for half a year.",
        words: &["search", "idle", "over", "6mo", "--sort", "size", "--limit", "4"],
    },
    Station { tells: "Second thoughts? Any run is taken back whole.", words: &["undo", "2", "--yes"] },
];

/// The walk through folders of this machine.
pub const STATIONS: [Station; 44] = [
    Station {
        tells: "It is Monday morning. Is the configuration sound, are the places there? One shelf was renamed by hand; it is found by its number.",
        words: &["check"],
    },
    Station {
        tells: "First a look. What lies on desktop and downloads, how old is it, what is odd about it?",
        words: &["survey"],
    },
    Station {
        tells: "Everything below all places is one list, wherever it lies: pictures that nobody touched for three months.",
        words: &["search", "type", "image", "and", "idle", "over", "90d"],
    },
    Station {
        tells: "The words inside count too. The downloads have them kept; which papers speak of the sextant?",
        words: &["search", "text", "has", "sextant", "--in", "downloads"],
    },
    Station {
        tells: "A search worth repeating gets a name. With --display it is a folder of links for any program as well.",
        words: &[
            "search",
            "name",
            "has",
            "loan",
            "and",
            "type",
            "document",
            "--save",
            "loans",
            "--display",
            "--limit",
            "3",
        ],
    },
    Station { tells: "What is saved, and what each finds now.", words: &["search", "--list"] },
    Station {
        tells: "Tags are kept with the files, where other programs see them.",
        words: &["tag", "add", "insured", "--where", "name", "has", "insurance", "--yes"],
    },
    Station {
        tells: "What would the rules do with desktop and downloads? Nothing changes without a yes.",
        words: &["tidy", "desktop", "downloads"],
    },
    Station {
        tells: "One paper stays behind although it is called .pdf. Why?",
        words: &["why", "downloads/statement.pdf"],
    },
    Station {
        tells: "The list looks right: carry it out.",
        words: &["tidy", "desktop", "downloads", "--yes"],
    },
    Station { tells: "What was carried out is in the daybook.", words: &["history"] },
    Station {
        tells: "Second thoughts: take the whole run back. Every item returns to its old place, and folders made for it go.",
        words: &["undo", "--yes"],
    },
    Station { tells: "The tags can go the same way.", words: &["undo", "--yes"] },
    Station {
        tells: "The hardest heap: 160 papers with careless names. Who lent it, what is it, which season? The answers are known, so each name can be read.",
        words: &["search", "--in", "papers", "--by", "lender", "--totals"],
    },
    Station {
        tells: "How sure is that? Every answer says which words it was read from.",
        words: &["why", "papers/apr 30 lteter lantern row archive.PDF"],
    },
    Station {
        tells: "An automatic answer may be wrong. The proposal goes into a table, what is in doubt first, to be looked through and edited.",
        words: &["tidy", "papers", "--worklist", "papers.csv"],
    },
    Station { tells: "As the table stands, it is carried out.", words: &["carry", "papers.csv", "--yes"] },
    Station { tells: "That can be taken back like any other run.", words: &["undo", "--yes"] },
    Station {
        tells: "By hand it goes too: every mail onto a shelf, into a folder that is made for it.",
        words: &["put", "--where", "type", "mail", "--on", "6/Mail/2031"],
    },
    Station {
        tells: "A telephone was emptied into a folder. Most of its photos are sorted already, under other names. Which is there twice, and which one stays?",
        words: &["copies", "Phone import", "documents", "--limit", "3"],
    },
    Station {
        tells: "Before the import goes, the other question: what of it is nowhere on the shelves?",
        words: &["compare", "Phone import", "documents"],
    },
    Station {
        tells: "What the shelves surely hold can go into the trash; each is compared byte by byte once more.",
        words: &["compare", "Phone import", "documents", "--discard-found", "--yes"],
    },
    Station { tells: "And back again.", words: &["undo", "--yes"] },
    Station {
        tells: "The shelves themselves: what is on them, what is tangled, and which command mends it?",
        words: &["shelves"],
    },
    Station {
        tells: "Two folders are called Tides 2031. They become one; what both hold is recognised as a copy.",
        words: &["put", "documents/6 Office/Tides 2031", "--on", "1/Tides 2031", "--merge", "--yes"],
    },
    Station { tells: "That goes back too.", words: &["undo", "--yes"] },
    Station {
        tells: "What has been of no use for two years goes out of sight, with the folders that it lay in and a checksum for every file.",
        words: &["archive", "--yes"],
    },
    Station { tells: "Is it whole?", words: &["archive", "verify"] },
    Station {
        tells: "It is out of sight and not lost: a search finds it, marked.",
        words: &["search", "name", "has", "label"],
    },
    Station {
        tells: "And it comes back to where it was.",
        words: &["retrieve", "--where", "name", "has", "label-printer", "--yes"],
    },
    Station { tells: "Back into the archive;", words: &["undo", "--yes"] },
    Station { tells: "and all out of it again.", words: &["undo", "--yes"] },
    Station {
        tells: "In a hurry: all that lies loose on the desktop into one folder with the day's date.",
        words: &["sweep", "desktop"],
    },
    Station {
        tells: "Order lasts a week. The round of every Friday has a name, a time, and its commands.",
        words: &["routine"],
    },
    Station {
        tells: "All of it is shown first, and each part sees what those before it will have moved. Here without a question, to its end. (`nine watch` would file what arrives at the moment it is complete.)",
        words: &["routine", "friday", "--yes"],
    },
    Station {
        tells: "The whole round is taken back, the last part first.",
        words: &["undo", "friday", "--yes"],
    },
    Station { tells: "All runs stay in the daybook.", words: &["history"] },
    Station {
        tells: "How was it, and how is it? One page with pictures, to open in a browser: week by week, each place drawn, what is odd with its command.",
        words: &["report"],
    },
    Station {
        tells: "One without names can be sent to somebody: figures, and the folders of the first level.",
        words: &["report", "--hide-names"],
    },
    Station {
        tells: "Whoever has filed a hundred things has shown where the next belongs. Where would things go that no rule is for?",
        words: &["suggest", "desktop", "downloads"],
    },
    Station {
        tells: "Why there? Each reason is a fact that a search lists.",
        words: &["why", "desktop/volunteer rota.odt"],
    },
    Station {
        tells: "The same as rules, with what each would have put right and wrong. Those that are wanted are picked by number.",
        words: &["suggest", "--rules"],
    },
    Station {
        tells: "Agreed, this time all of it. What is filed by hand or taken back counts from then on.",
        words: &["suggest", "desktop", "downloads", "--yes"],
    },
    Station { tells: "Second thoughts? As always.", words: &["undo", "--yes"] },
];

/// What is shown of the drive.
pub const ON_THE_DRIVE: [Station; 11] = [
    Station {
        tells: "The museum has a cloud drive, too. A few lines make it a pile and a bookcase like the others. What can it do, and what differs therefore?",
        words: &["check"],
    },
    Station { tells: "What lies on it?", words: &["survey", "drive"] },
    Station {
        tells: "The same rules file it: on its own shelves without anything being brought down, one loan paper on the shelf at home, and what the board would see is in doubt.",
        words: &["tidy", "drive"],
    },
    Station { tells: "Carry it out.", words: &["tidy", "drive", "--yes"] },
    Station {
        tells: "A folder of the desktop goes up, with its times, and is read back before the original goes.",
        words: &["put", "desktop/Tides", "--on", "cloud/3", "--yes"],
    },
    Station {
        tells: "Which files on the drive are at home as well? Names and sizes cost nothing; whole files are not read unasked.",
        words: &["copies", "drive", "documents"],
    },
    Station {
        tells: "That is little. Let them be read.",
        words: &["copies", "drive", "documents", "--read-drive", "--limit", "2"],
    },
    Station {
        tells: "A discarded file stays on the drive, in a folder with the day's date.",
        words: &["discard", "drive/volunteer rota.xlsx", "--yes"],
    },
    Station { tells: "Everything can be taken back: the discard,", words: &["undo", "--yes"] },
    Station { tells: "the folder that went up,", words: &["undo", "--yes"] },
    Station { tells: "and what the rules filed.", words: &["undo", "--yes"] },
];
