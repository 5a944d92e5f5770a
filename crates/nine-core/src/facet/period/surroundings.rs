//! Words beside a number that say it is no date: those that count things, and those of streets.

use std::sync::LazyLock;

use rustc_hash::{FxHashMap, FxHashSet};

use crate::facet::words::Word;

/// What the word before a number counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Counted {
    /// Nothing.
    No,
    /// Papers: `invoice 2031` may be the number or the year.
    Papers,
    /// Things: `room 12`, `phase 2`.
    Things,
    /// Things of which there may be thousands: `page 2031`, `no. 2031`.
    Many,
}

impl Counted {
    /// Whether a number of two digits is rather one of many than a part of a date.
    pub fn is_things(self) -> bool {
        matches!(self, Counted::Things | Counted::Many)
    }
}

const PAPERS: &str = "invoice inv bill order po case claim contract job project ticket quote offer estimate policy ref \
    reference rechnung angebot auftrag vertrag facture devis contrat commande dossier factura presupuesto fattura \
    ordine factuur offerte faktura bestilling";

const MANY: &str = "no nr num number nos page pages p pp pg ver version seite numero pagina item lot box img image dsc \
    dscn dscf mvi vid pic scan slide track";

const THINGS: &str = "part pt vol volume v rev revision draft \
    room rm unit boxes sheet chapter chap ch section sec fig figure table group grp class grade form \
    set plot flat apt apartment suite floor level site phase stage block door bay berth dock pier locker \
    copy day step test question task exercise ex lesson unit module level key stage year yr years issue batch \
    lane road street route bus photo shot take tape disc disk appendix annex \
    s seiten teil nummer raum zimmer klasse gruppe band blatt kapitel abschnitt stufe jahr los platz \
    paginas salle classe groupe partie chapitre lot maison piece aula grupo parte \
    capitulo stanza classe gruppo parte hoofdstuk kamer klas groep deel sida rum klass del side rom \
    ages age aged size sizes kg km cm mm eur gbp usd chf";

const STREETS: &str = "street st road rd avenue ave lane ln close drive dr way court ct place pl square sq row terrace \
    gardens gdns crescent cres hill quay wharf yard mews grove park parade bridge \
    strasse str weg allee platz gasse ring ufer damm rue chemin boulevard bd impasse quai calle avenida plaza \
    paseo via viale piazza corso straat laan plein gracht ulica gatan vej vag katu cottage villas flats mansions";

/// What the listed words say of a number beside them. Asked of every number of every name.
static LISTED: LazyLock<FxHashMap<&'static str, Counted>> = LazyLock::new(|| {
    // Of a word that stands in two lists the last says more.
    let lists = [(PAPERS, Counted::Papers), (THINGS, Counted::Things), (MANY, Counted::Many)];
    let words = lists
        .into_iter()
        .flat_map(|(list, counted)| list.split_ascii_whitespace().map(move |word| (word, counted)));
    words.collect()
});

static STREET_NAMES: LazyLock<FxHashSet<&'static str>> =
    LazyLock::new(|| STREETS.split_ascii_whitespace().collect());

/// Whether a word, or two, say that a business year follows.
pub(super) fn is_fiscal(word: &str, next: &str) -> bool {
    match word {
        "fy" | "fye" => true,
        "year" => matches!(next, "end" | "ended" | "ending"),
        "financial" | "fiscal" => next == "year",
        _ => false,
    }
}

/// What the word before a number that starts here counts.
pub(super) fn counting(text: &str, before: &Word, start: usize) -> Counted {
    let between = &text[before.at.end..start];
    if between.contains(['#', '\u{2116}', '\u{a3}', '$', '\u{20ac}']) {
        return Counted::Many;
    }
    let near = between.chars().all(|c| matches!(c, ' ' | '.' | ':' | '_' | '-' | '\u{b0}' | '\u{ba}'));
    LISTED.get(before.text.as_str()).copied().filter(|_| near).unwrap_or(Counted::No)
}

/// How many words may stand between a house number and its street.
const STREET_WORDS: usize = 3;

/// What the words behind a number, or its place, say of houses.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Address {
    /// Nothing.
    No,
    /// It begins the text as a house number does.
    Leads,
    /// A street is named behind it.
    Street,
}

/// What is said of houses around the words from `nth` to `end`.
pub(super) fn address(text: &str, words: &[Word], nth: usize, end: usize) -> Address {
    // The second number of `20-21 Mill Lane` is the same house.
    let pair = words.get(end).is_some_and(|word| word.number().is_some() && word.text.len() <= 2);
    let end = end + usize::from(pair);
    let behind = words[end.min(words.len())..].iter().take(STREET_WORDS);
    let mut behind = behind.take_while(|word| word.number().is_none());
    if behind.any(|word| STREET_NAMES.contains(word.text.as_str())) {
        return Address::Street;
    }
    let leads = words[..nth].iter().all(|word| word.number().is_some_and(|n| n < 100));
    let spaced = words.get(end).is_some_and(|word| text[..word.at.start].ends_with([' ', '_', ',']));
    if leads && spaced { Address::Leads } else { Address::No }
}
