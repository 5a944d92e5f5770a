use jiff::tz::TimeZone;
use proptest::prelude::*;

use super::*;

fn now() -> Now {
    Now::parse("2031-04-07T09:00", &TimeZone::UTC).unwrap()
}

fn facet(starts: u8) -> Period {
    Period::new(PeriodUnit::Year, starts)
}

fn year_of(period: &Period, year: i16) -> String {
    period.written(PeriodValue { year, part: 0 })
}

fn season(name: &str) -> Finding {
    facet(10).find(name, Source::Name, &now())
}

#[test]
fn seasons_from_every_common_form() {
    for (name, value) in [
        ("loan 2030-31", "2030-31"),
        ("loan 2030_2031 harrow", "2030-31"),
        ("HDT 30-31", "2030-31"),
        ("letter Mar 31", "2030-31"),
        ("letter March 2031", "2030-31"),
        ("letter 2031 march", "2030-31"),
        ("letter Febuary 2031", "2030-31"),
        ("Oct31 letter", "2031-32"),
        ("letter 7 April 2031", "2030-31"),
        ("letter April 7th, 2031", "2030-31"),
        ("letter 2031-04-07", "2030-31"),
        ("letter 07.04.31", "2030-31"),
        ("letter 11-2029", "2029-30"),
        ("letter 2029.11", "2029-30"),
        ("letter 20291103", "2029-30"),
        ("letter 23112029", "2029-30"),
        ("letter 202911", "2029-30"),
        ("12 boxes, 2030-31, March 2031", "2030-31"),
        ("letter 2031-04-07 09.15.00", "2030-31"),
        ("IMG_20310407_120331", "2030-31"),
        ("scan 20310407T091500", "2030-31"),
        ("photo 2031-04-07 at 12.03.31", "2030-31"),
        ("invoice 3 2030-31", "2030-31"),
        ("T2 2029-30", "2029-30"),
        ("page 12_2027-01", "2026-27"),
        ("FY31 accounts", "2030-31"),
        ("FYE 2031 accounts", "2030-31"),
        ("accounts year ended 31 March 2031", "2030-31"),
        ("FY 2030-31", "2030-31"),
        ("VAT return Q2 2031", "2030-31"),
        ("VAT return 2031 Q4", "2031-32"),
        ("Q2 2030-31 return", "2030-31"),
        ("plan 2031-W15", "2030-31"),
        ("plan KW 15 2031", "2030-31"),
        ("1884 half model 30-31", "2030-31"),
    ] {
        let found = season(name);
        assert_eq!(found.value(), Some(value), "{name}");
        assert!(found.is_sure(), "{name}: {:?}", found.doubt("season"));
    }
}

#[test]
fn what_is_not_certain_is_a_doubt_in_words() {
    for (name, value, doubt) in [
        ("loan 2031", Some("2030-31"), "a part of which is the next season"),
        ("loan 31", Some("2030-31"), "may be another number"),
        ("HDT 30 31 list", Some("2030-31"), "may be another number"),
        ("Harlow v2 2028", Some("2027-28"), "a part of which is the next season"),
        ("invoice 3 2028", Some("2027-28"), "a part of which is the next season"),
        ("harlow 03 2028", Some("2027-28"), "day and month may be the other way round"),
        ("harlow 11 2028", Some("2028-29"), "day and month may be the other way round"),
        ("letter 03112029", Some("2029-30"), "may be `2029-30` or `2028-29`"),
        ("Room 25-26 plan", Some("2025-26"), "may be another number"),
        ("20-21 Mill Lane", Some("2020-21"), "may be another number"),
        ("plans for 20-21 Mill Lane", Some("2020-21"), "may be another number"),
        ("pp 27-28", Some("2027-28"), "may be another number"),
        ("H2 2030 return", Some("2030-31"), "may be a part of the season before"),
        ("version 1.2.3.4", None, "the season is not known"),
        ("v12 notes", None, "the season is not known"),
        ("film 1920x1080", None, "the season is not known"),
        ("the 2020s", None, "the season is not known"),
        ("loan 10-09-2031", Some("2030-31"), "may be `2030-31`"),
        ("letter 31 March", Some("2030-31"), "day and month may be the other way round"),
        ("loan March 2031, returned March 2029", Some("2030-31"), "or `2028-29`"),
        ("loan 2029 for March 2031", Some("2030-31"), "or `2028-29`"),
        ("letter 31.02.2031", None, "`31.02.2031` is no date that there is"),
        ("letter 30 Feb 2031", None, "`30 Feb 2031` is no date"),
        ("letter 2031-13-01", None, "`2031-13-01` is no date"),
        ("letter March", None, "`March` is a month without a year"),
        ("letter", None, "the season is not known"),
        ("half model 1884", None, "the season is not known"),
    ] {
        let found = season(name);
        assert_eq!(found.value(), value, "{name}");
        let told = found.doubt("season").unwrap_or_default();
        assert!(told.contains(doubt), "{name}: {told}");
    }
}

#[test]
fn calendar_years_need_no_month() {
    let year = facet(1);
    assert!(year.find("report 2031", Source::Name, &now()).is_sure());
    assert_eq!(
        year.find("report 2030-31", Source::Name, &now()).doubt("year").unwrap().matches("two years").count(),
        1
    );
    let counter = year.find("IMG_1987", Source::Name, &now());
    assert!(counter.value().is_some() && !counter.is_sure());
    assert_eq!(year.find("report '29", Source::Name, &now()).value(), Some("2029"));
    assert_eq!(year.find("12.11.2029 scan 2030-01-05", Source::Name, &now()).rivals.len(), 1);
}

#[test]
fn answers_are_known_in_their_form_only() {
    let season = facet(10);
    assert_eq!(season.canonical(" 2030-31 "), Some("2030-31".into()));
    assert_eq!(season.canonical("Nov-10"), Some("2010-11".into()));
    assert_eq!(season.canonical("2031"), None);
    assert_eq!(season.canonical("next"), None);
    let ending = Period { write: Period::read_form("{to}", PeriodUnit::Year).unwrap(), ..facet(10) };
    assert_eq!(year_of(&ending, 2030), "2031");
    for wrong in ["{form}", "x", "{to", "Y{from:short}/{to:short}x"] {
        assert!(Period::read_form(wrong, PeriodUnit::Year).is_err(), "{wrong}");
    }
    assert!(Period::read_form("{year}", PeriodUnit::Quarter).is_err());
}

#[test]
fn the_order_of_day_and_month_can_be_said() {
    let april = |order: Option<Order>| {
        let dates = DateForms { order, ..DateForms::default() };
        Period { dates, ..Period::new(PeriodUnit::Month, 1) }
    };
    let read = |order, name: &str| april(order).find(name, Source::Name, &now());
    for (name, day_first, month_first) in [
        ("loan 3.4.31", "2031-04", "2031-03"),
        ("loan 03/04/2031", "2031-04", "2031-03"),
        ("loan 17.4.31", "2031-04", "2031-04"),
        ("scan 03042031", "2031-04", "2031-03"),
    ] {
        for (order, value) in [(Order::DayFirst, day_first), (Order::MonthFirst, month_first)] {
            let found = read(Some(order), name);
            assert_eq!(found.value(), Some(value), "{name} {order:?}");
            assert!(found.is_sure(), "{name}: {:?}", found.doubt("month"));
        }
    }
    assert_eq!(read(None, "loan 3.4.31").rivals.len(), 1);
    assert!(!read(Some(Order::DayFirst), "loan 3 4 2031").is_sure());
}

#[test]
fn months_of_other_languages_are_read_where_they_are_asked_for() {
    let dates = DateForms { months: std::sync::Arc::new(MonthNames::of(&["en", "fr", "fi"])), order: None };
    let french = Period { dates, ..facet(10) };
    for name in [
        "lettre 3 août 2031",
        "lettre aout 31",
        "kirje elokuu 2031",
        "letter Aug 2031",
        "lettre de août de 2031",
    ] {
        let found = french.find(name, Source::Name, &now());
        assert_eq!((found.value(), found.is_sure()), (Some("2030-31"), true), "{name}");
    }
    assert_eq!(season("lettre août").hint, None);
}

#[test]
fn quarters_months_and_weeks() {
    let ask = |unit, name: &str| Period::new(unit, 1).find(name, Source::Name, &now());
    for (unit, name, value) in [
        (PeriodUnit::Quarter, "VAT Q2 2031", "2031-Q2"),
        (PeriodUnit::Quarter, "VAT 2031Q2", "2031-Q2"),
        (PeriodUnit::Quarter, "VAT 2nd quarter 2031", "2031-Q2"),
        (PeriodUnit::Quarter, "VAT May 2031", "2031-Q2"),
        (PeriodUnit::Quarter, "VAT T3 2031", "2031-Q3"),
        (PeriodUnit::Month, "payslip April 2031", "2031-04"),
        (PeriodUnit::Month, "payslip 2031-04-07", "2031-04"),
        (PeriodUnit::Week, "plan 2031-W15", "2031-W15"),
        (PeriodUnit::Week, "plan week 15, 2031", "2031-W15"),
        (PeriodUnit::Week, "plan 7 April 2031", "2031-W15"),
        (PeriodUnit::Week, "plan 31 Dec 2030", "2031-W01"),
    ] {
        let found = ask(unit, name);
        assert_eq!(found.value(), Some(value), "{name}");
        assert!(found.is_sure(), "{name}: {:?}", found.doubt("x"));
    }
    let year_only = ask(PeriodUnit::Quarter, "VAT 2031");
    assert_eq!(year_only.value(), None);
    assert!(year_only.doubt("quarter").unwrap().contains("`2031` says the year only"));
    assert_eq!(ask(PeriodUnit::Month, "plan 2031-W14").value(), None, "it lies in two months");
    let fiscal = Period { called_by_start: true, ..facet(4) };
    assert_eq!(fiscal.find("FY31", Source::Name, &now()).value(), Some("2031-32"));
}

/// Every reading of three numbers as a date, tried one by one: a slow, plain reference.
fn plain(numbers: [&str; 3]) -> Vec<(i16, i8)> {
    let mut found = Vec::new();
    let in_full = |text: &str| -> Option<i16> {
        let number: i16 = text.parse().ok()?;
        let year = match text.len() {
            4 => number,
            2 => (1981..=2036).rev().find(|year| year % 100 == number)?,
            _ => return None,
        };
        (1981..=2036).contains(&year).then_some(year)
    };
    let four = numbers.iter().any(|text| text.len() == 4);
    for (y, m, d) in [(2, 1, 0), (2, 0, 1), (0, 1, 2)] {
        let (Some(year), Ok(month), Ok(day)) =
            (in_full(numbers[y]), numbers[m].parse::<i8>(), numbers[d].parse::<i8>())
        else {
            continue;
        };
        let fits = numbers[m].len() <= 2 && numbers[d].len() <= 2 && (!four || numbers[y].len() == 4);
        if fits && jiff::civil::Date::new(year, month, day).is_ok() {
            found.push((year, month));
        }
    }
    found
}

proptest! {
    #[test]
    fn any_name_is_read_without_harm(name in "[0-9a-z '.()/_-]{0,30}|\\PC{0,30}", starts in 1u8..=12) {
        let year = facet(starts);
        if let Some(found) = year.find(&name, Source::Name, &now()).found {
            prop_assert_eq!(year.canonical(&found.value), Some(found.value.clone()));
        }
    }

    #[test]
    fn three_numbers_are_read_as_the_plain_reference_reads_them(
        a in "0?[1-9]|[1-9][0-9]|20[0-3][0-9]",
        b in "0?[1-9]|[1-4][0-9]",
        c in "0?[1-9]|[1-9][0-9]|20[0-3][0-9]",
        sign in "[-._]",
    ) {
        prop_assume!(!(a.len() == 4 && c.len() == 4));
        let name = format!("x {a}{sign}{b}{sign}{c} y");
        let season = facet(10);
        let found = season.find(&name, Source::Name, &now());
        let mut plain: Vec<String> = plain([&a, &b, &c])
            .into_iter()
            .map(|(year, month)| year_of(&season, if month < 10 { year - 1 } else { year }))
            .collect();
        plain.sort();
        plain.dedup();
        let is_date = !plain.is_empty();
        let mut all: Vec<String> = found.found.iter().chain(&found.rivals).map(|f| f.value.clone()).collect();
        all.sort();
        if is_date {
            prop_assert_eq!(all, plain, "{}", name);
        } else if a.len() == 4 || c.len() == 4 {
            prop_assert!(all.is_empty(), "{} {:?}", name, all);
        }
    }

    #[test]
    fn a_written_date_gives_its_season(days in 0i32..9000, form in 0usize..8) {
        let date = jiff::civil::date(2008, 1, 1).saturating_add(jiff::Span::new().days(days));
        let format = ["%Y-%m-%d", "%d %B %Y", "%B %d, %Y", "%d%b%Y", "%Y%m%d", "%B %Y", "%b-%Y", "%Y_%m"][form];
        let name = format!("letter {} harrow", date.strftime(format));
        let season = facet(10);
        let found = season.find(&name, Source::Name, &now());
        let year = if date.month() < 10 { date.year() - 1 } else { date.year() };
        let all: Vec<&str> =
            found.found.iter().chain(&found.rivals).map(|found| found.value.as_str()).collect();
        prop_assert!(all.contains(&year_of(&season, year).as_str()), "{} {:?}", name, all);
    }
}
