//! A schedule in the languages of other programs.

use jiff::civil::Weekday;

use super::{Days, Nth, Schedule, name};

impl Nth {
    /// The days of a month among which it lies.
    fn days(nth: u8) -> (u8, u8) {
        (nth * 7 - 6, nth * 7)
    }
}

/// `Fri`.
fn short(day: Weekday) -> &'static str {
    &name(day)[..3]
}

/// `FR`.
fn two(day: Weekday) -> String {
    name(day)[..2].to_uppercase()
}

impl Schedule {
    /// As systemd has it (systemd.time(7), calendar events): `Fri *-*-* 16:00:00`.
    pub fn calendar_event(&self) -> String {
        let time = format!("{:02}:{:02}:00", self.time.hour(), self.time.minute());
        match &self.days {
            Days::Daily => format!("*-*-* {time}"),
            Days::Weekly(days) => {
                let days: Vec<&str> = days.iter().map(|day| short(*day)).collect();
                format!("{} *-*-* {time}", days.join(","))
            }
            Days::Monthly(Nth::From(nth), day) => {
                let (from, to) = Nth::days(*nth);
                format!("{} *-*-{from:02}..{to:02} {time}", short(*day))
            }
            // Counted from the end of the month, the seventh day and those after it.
            Days::Monthly(Nth::Last, day) => format!("{} *-*~07/1 {time}", short(*day)),
        }
    }

    /// A line for cron (crontab(5)). Cron takes the day of the month *or* that of the week, so for one weekday of a month
    /// the line asks for the other by itself.
    pub fn cron_line(&self, command: &str) -> String {
        // A percent sign would end the command, quoted or not.
        let command = command.replace('%', "\\%");
        let time = format!("{} {}", self.time.minute(), self.time.hour());
        let is_day = |day: Weekday| format!("[ \"$(date +\\%u)\" = {} ]", day.to_monday_one_offset());
        match &self.days {
            Days::Daily => format!("{time} * * * {command}"),
            Days::Weekly(days) => {
                let days: Vec<String> =
                    days.iter().map(|day| (day.to_sunday_zero_offset()).to_string()).collect();
                format!("{time} * * {} {command}", days.join(","))
            }
            Days::Monthly(Nth::From(nth), day) => {
                let (from, to) = Nth::days(*nth);
                format!("{time} {from}-{to} * * {} && {command}", is_day(*day))
            }
            Days::Monthly(Nth::Last, day) => {
                let is_last = "[ \"$(date -d '7 days' +\\%d)\" -le 7 ]";
                format!("{time} 22-31 * * {} && {is_last} && {command}", is_day(*day))
            }
        }
    }

    /// How an event of a calendar comes again (RFC 5545, 3.3.10): `FREQ=WEEKLY;BYDAY=FR`.
    pub fn recurrence_rule(&self) -> String {
        match &self.days {
            Days::Daily => "FREQ=DAILY".to_owned(),
            Days::Weekly(days) => {
                let days: Vec<String> = days.iter().map(|day| two(*day)).collect();
                format!("FREQ=WEEKLY;BYDAY={}", days.join(","))
            }
            Days::Monthly(Nth::From(nth), day) => format!("FREQ=MONTHLY;BYDAY={nth}{}", two(*day)),
            Days::Monthly(Nth::Last, day) => format!("FREQ=MONTHLY;BYDAY=-1{}", two(*day)),
        }
    }
}
