//! A schedule handed over to others: units of systemd (systemd.service(5), systemd.timer(5)), and an event of a calendar
//! (RFC 5545).

use icalendar::{Alarm, Calendar, Component, Event, EventLike, Property, Trigger};
use jiff::ZonedDateTime;

use super::Schedule;

/// How the program is started by others.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Started {
    /// The words of the command, the program's whole path first.
    pub words: Vec<String>,
    /// What it is, for people: `routine friday`.
    pub what: String,
}

/// What is closed to a service that only moves files. It stays in the namespaces of its session: `ProtectSystem` and
/// `PrivateTmp` put a service of a person's into a user namespace of its own, where the kernel does not tell which files
/// other programs have open, and those must never be moved.
const CLOSED: &str = "\
NoNewPrivileges=yes
LockPersonality=yes
MemoryDenyWriteExecute=yes
RestrictRealtime=yes
RestrictAddressFamilies=AF_UNIX AF_INET AF_INET6 AF_NETLINK
SystemCallArchitectures=native
";

/// It gives way to whatever the person does.
const LOW: &str = "\
Nice=15
CPUSchedulingPolicy=batch
IOSchedulingClass=idle
";

impl Started {
    /// The service of something that is done and over.
    pub fn once(&self) -> String {
        let Self { what, .. } = self;
        format!(
            "[Unit]\nDescription=Nine Shelves: {what}\n\n[Service]\nType=oneshot\nExecStart={}\n{LOW}{CLOSED}",
            self.command_line()
        )
    }

    /// The service of something that goes on, and is told by a signal to read its configuration anew.
    pub fn lasting(&self) -> String {
        let Self { what, .. } = self;
        format!(
            "[Unit]\nDescription=Nine Shelves: {what}\n\n[Service]\nType=exec\nExecStart={}\nExecReload=/bin/kill -HUP $MAINPID\n\
             Restart=on-failure\nRestartSec=60\n{LOW}{CLOSED}\n[Install]\nWantedBy=default.target\n",
            self.command_line()
        )
    }

    /// The words as a unit has them.
    fn command_line(&self) -> String {
        self.words.iter().map(|word| quoted(word)).collect::<Vec<_>>().join(" ")
    }

    /// The words as a shell has them.
    pub fn shell_line(&self) -> String {
        let quote =
            |word: &String| shlex::try_quote(word).map_or_else(|_| String::new(), |word| word.into_owned());
        self.words.iter().map(quote).collect::<Vec<_>>().join(" ")
    }
}

/// A word of `ExecStart`: quoted where it must be, and never a specifier or a variable.
fn quoted(word: &str) -> String {
    let plain = |c: char| c.is_alphanumeric() || "/._-+:@,=~".contains(c);
    let escaped = word.replace('\\', "\\\\").replace('"', "\\\"").replace('%', "%%").replace('$', "$$");
    let escaped = escaped.replace('\n', "\\n").replace('\t', "\\t");
    if !word.is_empty() && word.chars().all(plain) { escaped } else { format!("\"{escaped}\"") }
}

impl Schedule {
    /// The timer that starts the service of its name. What was missed while the machine was off is made up for.
    pub fn timer(&self, what: &str) -> String {
        format!(
            "[Unit]\nDescription=Nine Shelves: {what}, {self}\n\n[Timer]\nOnCalendar={}\nPersistent=true\nRandomizedDelaySec=5min\n\n\
             [Install]\nWantedBy=timers.target\n",
            self.calendar_event()
        )
    }

    /// An event with an alarm, from a time on, which the clock of wherever the person is shows. `mark` tells it from all
    /// other events; `made` is when this was written.
    pub fn calendar(
        &self,
        from: &ZonedDateTime,
        made: &ZonedDateTime,
        mark: &str,
        told: &Reminder,
    ) -> String {
        let start = from.strftime("%Y%m%dT%H%M%S").to_string();
        let made = made.timestamp().strftime("%Y%m%dT%H%M%SZ").to_string();
        let at_start = Trigger::try_from(&Property::new("TRIGGER", "PT0S")).expect("it is a duration");
        // What is not said here the package would make up by the clock.
        let mut alarm = Alarm::display(&told.title, at_start);
        alarm.uid(&format!("alarm-{mark}")).append_property(Property::new("DTSTAMP", &made));
        let event = Event::new()
            .uid(mark)
            .summary(&told.title)
            .description(&told.text)
            .append_property(Property::new("DTSTAMP", &made))
            .append_property(Property::new("DTSTART", &start))
            .append_property(Property::new("DURATION", "PT15M"))
            .append_property(Property::new("RRULE", self.recurrence_rule()))
            .alarm(alarm)
            .done();
        let head = [("VERSION", "2.0"), ("PRODID", "-//Nine Shelves//nine//EN"), ("CALSCALE", "GREGORIAN")];
        let mut calendar = Calendar::empty();
        for (key, value) in head {
            calendar.append_property(Property::new(key, value));
        }
        calendar.push(event).to_string()
    }
}

/// What a calendar reminds of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reminder {
    /// In a few words.
    pub title: String,
    /// What to do then.
    pub text: String,
}
