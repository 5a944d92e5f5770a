use jiff::civil::Weekday;
use jiff::{ToSpan, ZonedDateTime};
use proptest::prelude::*;

use super::parse::day;
use super::*;

fn at(text: &str) -> ZonedDateTime {
    text.parse().unwrap()
}

fn read(text: &str) -> Schedule {
    Schedule::parse(text).unwrap()
}

#[test]
fn people_write_it_in_many_ways() {
    for (written, canonical) in [
        ("Friday 16:00", "Friday 16:00"),
        ("every Friday at 4 pm", "Friday 16:00"),
        ("16.00 on fridays", "Friday 16:00"),
        ("daily 18:30", "daily 18:30"),
        ("every day at noon", "daily 12:00"),
        ("12am daily", "daily 00:00"),
        ("weekdays 17:00", "weekdays 17:00"),
        ("mon-fri 9:05", "weekdays 09:05"),
        ("weekends 10:00", "Saturday,Sunday 10:00"),
        ("Thu, Mon 8:00", "Monday,Thursday 08:00"),
        ("Monday and Thursday 8:00", "Monday,Thursday 08:00"),
        ("weekdays and weekends 7:00", "daily 07:00"),
        ("first Monday 9:00", "first Monday 09:00"),
        ("on the last Friday of the month at 4pm", "last Friday 16:00"),
    ] {
        assert_eq!(read(written).to_string(), canonical, "{written}");
        assert_eq!(read(canonical).to_string(), canonical);
    }
    assert_eq!(day("wed"), Weekday::Wednesday);
}

#[test]
fn what_is_wrong_is_pointed_at() {
    for (written, part, message, help) in [
        ("Fryday 16:00", "Fryday", "`Fryday` is no day and no time", "did you mean `Friday`?"),
        ("Friday 25:00", "25:00", "`25:00` is not a time of the day", "write it as 16:00"),
        ("Friday 13pm", "13pm", "`13pm` is not a time of the day", "write it as"),
        ("Friday 1600", "1600", "`1600` is not a time of the day", "write it as"),
        ("Friday", "", "no time of the day is given", "such as Friday 16:00"),
        ("16:00", "", "no day is given", "such as Friday 16:00"),
        ("", "", "no time of the day is given", "expected days and a time"),
        ("Friday 16:00 17:00", "17:00", "a second time; a routine has one", ""),
        ("daily Friday 16:00", "Friday", "`Friday` does not go with the days before it", ""),
        ("first weekdays 9:00", "first", "this goes with one day of the week", "first Monday"),
        ("fri-mon 9:00", "fri-mon", "`fri-mon` is no day and no time", ""),
    ] {
        let finding = Schedule::parse(written).unwrap_err();
        assert_eq!(&written[finding.span.clone()], part, "{written}");
        assert_eq!(finding.message, message, "{written}");
        assert!(finding.help.unwrap_or_default().contains(help), "{written}");
    }
}

#[test]
fn the_next_and_the_last_time() {
    let monday = at("2031-04-07T09:00[Europe/London]");
    for (written, next, last) in [
        ("Friday 16:00", "2031-04-11T16:00", "2031-04-04T16:00"),
        ("daily 9:00", "2031-04-08T09:00", "2031-04-07T09:00"),
        ("daily 8:59", "2031-04-08T08:59", "2031-04-07T08:59"),
        ("weekends 10:00", "2031-04-12T10:00", "2031-04-06T10:00"),
        ("first Monday 9:00", "2031-05-05T09:00", "2031-04-07T09:00"),
        ("last Friday 16:00", "2031-04-25T16:00", "2031-03-28T16:00"),
        ("fourth Tuesday 16:00", "2031-04-22T16:00", "2031-03-25T16:00"),
    ] {
        let (schedule, zone) = (read(written), "[Europe/London]");
        assert_eq!(schedule.next_after(&monday).unwrap(), at(&format!("{next}{zone}")), "{written}");
        assert_eq!(schedule.last_until(&monday).unwrap(), at(&format!("{last}{zone}")), "{written}");
    }
}

/// On 30 March 2031 clocks in London go from 1:00 to 2:00, on 26 October from 2:00 to 1:00.
#[test]
fn a_time_that_the_clock_skips_comes_later_and_one_that_it_shows_twice_comes_once() {
    let schedule = read("daily 1:30");
    let mut now = at("2031-03-29T12:00[Europe/London]");
    let mut seen = Vec::new();
    for _ in 0..2 {
        now = schedule.next_after(&now).unwrap();
        seen.push(now.to_string());
    }
    assert_eq!(
        seen,
        ["2031-03-30T02:30:00+01:00[Europe/London]", "2031-03-31T01:30:00+01:00[Europe/London]"]
    );
    let first = schedule.next_after(&at("2031-10-26T00:00[Europe/London]")).unwrap();
    assert_eq!(first.to_string(), "2031-10-26T01:30:00+01:00[Europe/London]");
    assert_eq!(schedule.next_after(&first).unwrap().date().to_string(), "2031-10-27");
}

#[test]
fn a_year_has_as_many_times_as_the_calendar() {
    for (written, times) in [
        ("Friday 16:00", 52),
        ("daily 2:30", 365),
        ("weekdays 17:00", 261),
        ("first Monday 9:00", 12),
        ("last Sunday 2:00", 12),
    ] {
        let schedule = read(written);
        let (mut now, end) = (at("2031-01-01T00:00[Europe/Berlin]"), at("2032-01-01T00:00[Europe/Berlin]"));
        let mut seen = 0;
        while let Some(next) = schedule.next_after(&now).filter(|next| *next < end) {
            (now, seen) = (next, seen + 1);
        }
        assert_eq!(seen, times, "{written}");
    }
}

#[test]
fn other_programs_are_told_in_their_languages() {
    for (written, event, cron, rule) in [
        ("Friday 16:00", "Fri *-*-* 16:00:00", "0 16 * * 5 nine", "FREQ=WEEKLY;BYDAY=FR"),
        ("daily 18:30", "*-*-* 18:30:00", "30 18 * * * nine", "FREQ=DAILY"),
        ("weekends 9:00", "Sat,Sun *-*-* 09:00:00", "0 9 * * 6,0 nine", "FREQ=WEEKLY;BYDAY=SA,SU"),
        (
            "second Monday 9:00",
            "Mon *-*-08..14 09:00:00",
            "0 9 8-14 * * [ \"$(date +\\%u)\" = 1 ] && nine",
            "FREQ=MONTHLY;BYDAY=2MO",
        ),
        (
            "last Sunday 9:00",
            "Sun *-*~07/1 09:00:00",
            "0 9 22-31 * * [ \"$(date +\\%u)\" = 7 ] && [ \"$(date -d '7 days' +\\%d)\" -le 7 ] && nine",
            "FREQ=MONTHLY;BYDAY=-1SU",
        ),
    ] {
        let schedule = read(written);
        assert_eq!(schedule.calendar_event(), event);
        assert_eq!(schedule.cron_line("nine"), cron);
        assert_eq!(schedule.recurrence_rule(), rule);
    }
}

#[test]
fn a_percent_sign_ends_no_line_of_cron() {
    assert_eq!(read("daily 9:00").cron_line("'/h/100%/nine' x"), "0 9 * * * '/h/100\\%/nine' x");
}

fn any_schedule() -> impl Strategy<Value = Schedule> {
    let days = prop_oneof![
        Just("daily".to_owned()),
        proptest::sample::subsequence(NAMES.to_vec(), 1..7).prop_map(|days| days.join(",")),
        (
            proptest::sample::select(NTH.map(|(word, _)| word).to_vec()),
            proptest::sample::select(NAMES.to_vec())
        )
            .prop_map(|(nth, day)| format!("{nth} {day}")),
    ];
    (days, 0..24, 0..60).prop_map(|(days, hour, minute)| read(&format!("{days} {hour}:{minute:02}")))
}

proptest! {
    #[test]
    fn what_is_printed_reads_back(schedule in any_schedule()) {
        prop_assert_eq!(read(&schedule.to_string()), schedule);
    }

    /// Between a moment and the next time lies no other; the last time before the next is not after the moment.
    #[test]
    fn next_and_last_enclose_a_moment(schedule in any_schedule(), minutes in 0_i64..2_000_000) {
        let now = at("2031-01-01T00:00[Europe/London]").checked_add(minutes.minutes()).unwrap();
        let next = schedule.next_after(&now).unwrap();
        let last = schedule.last_until(&now).unwrap();
        prop_assert!(last <= now && now < next);
        prop_assert_eq!(&schedule.next_after(&last).unwrap(), &next);
        prop_assert_eq!(&schedule.last_until(&next).unwrap(), &next);
    }

    #[test]
    fn nothing_that_is_written_makes_it_fail(text in "\\PC{0,30}") {
        if let Err(finding) = Schedule::parse(&text) {
            prop_assert!(text.get(finding.span).is_some());
        }
    }
}

#[test]
fn a_word_of_a_unit_is_one_word_whatever_is_in_it() {
    let words = ["/opt/a b/nine", "--home", "/h/100%/$HOME/\"q\"\\", ""].map(str::to_owned).to_vec();
    let started = export::Started { words, what: "routine friday".into() };
    let service = started.once();
    let line = service.lines().find(|line| line.starts_with("ExecStart=")).unwrap();
    assert_eq!(
        line,
        r#"ExecStart="/opt/a b/nine" --home "/h/100%%/$$HOME/\"q\"\\\\" """#.replace("\\\\\\\\", "\\\\")
    );
    assert!(service.contains("Nice=15\n") && service.contains("NoNewPrivileges=yes\n"));
    assert!(started.lasting().contains("ExecReload=/bin/kill -HUP $MAINPID\n"));
    assert_eq!(shlex::split(&started.shell_line()).unwrap(), started.words);
}

#[test]
fn a_timer_and_an_event_of_a_calendar() {
    let schedule = read("Friday 16:00");
    let timer = schedule.timer("routine friday");
    assert!(
        timer.contains("OnCalendar=Fri *-*-* 16:00:00\nPersistent=true\nRandomizedDelaySec=5min\n"),
        "{timer}"
    );
    let (from, made) = (at("2031-04-11T16:00[Europe/London]"), at("2031-04-07T09:00[Europe/London]"));
    let told = export::Reminder {
        title: "Tidy, copies".into(),
        text: "nine routine friday\nthen rest; well".into(),
    };
    let text = schedule.calendar(&from, &made, "a-mark@nine", &told);
    let lines: Vec<&str> = text.split("\r\n").collect();
    for line in [
        "BEGIN:VCALENDAR",
        "UID:a-mark@nine",
        "DTSTAMP:20310407T080000Z",
        "DTSTART:20310411T160000",
        "RRULE:FREQ=WEEKLY;BYDAY=FR",
        "SUMMARY:Tidy\\, copies",
        "DESCRIPTION:nine routine friday\\nthen rest\\; well",
        "BEGIN:VALARM",
        "ACTION:DISPLAY",
        "END:VCALENDAR",
    ] {
        assert!(lines.contains(&line), "{line} is not in\n{text}");
    }
    assert!(lines.iter().all(|line| line.len() <= 75), "{text}");
    assert_eq!(
        text,
        schedule.calendar(&from, &made, "a-mark@nine", &told),
        "nothing is made up by the clock"
    );
}
