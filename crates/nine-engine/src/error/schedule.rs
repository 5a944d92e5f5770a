//! What keeps a routine, or watching, from being done by itself, or from being taken back.

/// Why something is not done by itself, or a routine not taken back.
#[derive(Debug, thiserror::Error)]
pub enum ScheduleError {
    /// A routine of which nothing is left to be taken back.
    #[error("nothing of the routine `{0}` is left to take back")]
    NothingLeft(String),
    /// The kernel gives nothing to watch with.
    #[error("the kernel watches no more folders")]
    WatchLimit,
    /// A routine whose times are not given.
    #[error("it is not said when the routine `{0}` is to be run")]
    NoTimes(String),
    /// Nothing here keeps a program running.
    #[error("systemd does not run here, so no service can be kept running")]
    NoSystemd {
        /// The command to be started otherwise.
        instead: String,
    },
}
