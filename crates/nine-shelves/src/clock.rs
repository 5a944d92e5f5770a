//! The time by the clock, in the zone in which the person lives.

use std::sync::OnceLock;

use jiff::tz::TimeZone;

/// The time by the clock, for records.
pub fn clock() -> jiff::ZonedDateTime {
    jiff::Timestamp::now().to_zoned_datetime(zone().clone())
}

/// The zone in which the person lives. The library looks a zone up by its name, for which it lists
/// every zone there is; where no name is asked for, the file that says it is read by itself.
pub fn zone() -> &'static TimeZone {
    static ZONE: OnceLock<TimeZone> = OnceLock::new();
    ZONE.get_or_init(|| {
        let is_named = std::env::var_os("TZ").is_some_and(|zone| !zone.is_empty());
        let bytes = std::fs::read("/etc/localtime").ok().filter(|_| !is_named);
        let local = bytes.and_then(|bytes| TimeZone::tzif("local", &bytes).ok());
        local.unwrap_or_else(TimeZone::system)
    })
}
