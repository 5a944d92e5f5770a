//! The conformance suite of the protocol, run against the stand-in.

use std::process::Command;

use nine_standin::{Settings, Standin};

/// Whether the suite is there; where all checks are made it must be.
fn has_suite() -> bool {
    let found = Command::new("litmus").arg("--version").output().is_ok();
    assert!(found || std::env::var_os("CI").is_none(), "litmus must be installed where CI is set");
    found
}

#[test]
fn the_protocol_is_kept() {
    if !has_suite() {
        return;
    }
    let (served, log) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let drive = Standin::start(Settings { root: served.path().to_owned(), ..Settings::default() }).unwrap();
    // The suite keeps a log where it runs.
    let ran = Command::new("litmus").args(["-k", &drive.url()]).current_dir(log.path()).output().unwrap();
    let told = String::from_utf8_lossy(&ran.stdout);
    let summaries: Vec<&str> = told.lines().filter(|line| line.starts_with("<- summary for")).collect();
    assert_eq!(summaries.len(), 5, "{told}");
    for summary in summaries {
        assert!(summary.contains(" 0 failed"), "{summary}\n{told}");
    }
}
