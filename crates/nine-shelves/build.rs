//! Tells the program of which commit it is made, where that is known. Only for releases: what is built to be tested need not
//! be built anew after each commit.

use std::path::Path;
use std::process::Command;

fn main() {
    println!("cargo:rerun-if-changed=build.rs");
    let is_release = std::env::var("PROFILE").is_ok_and(|profile| profile == "release");
    let log = Path::new("../../.git/logs/HEAD");
    if is_release && log.exists() {
        println!("cargo:rerun-if-changed={}", log.display());
    }
    let commit = is_release.then(commit).flatten();
    let version = env!("CARGO_PKG_VERSION");
    let version = commit.map_or_else(|| version.to_owned(), |commit| format!("{version} ({commit})"));
    println!("cargo:rustc-env=NINE_VERSION={version}");
}

/// The commit and its day: `1a2b3c4d 2031-04-07`.
fn commit() -> Option<String> {
    let told = Command::new("git").args(["log", "-1", "--format=%h %cs", "--abbrev=8"]).output().ok()?;
    let text = String::from_utf8(told.stdout).ok()?;
    Some(text.trim().to_owned()).filter(|text| told.status.success() && !text.is_empty())
}
