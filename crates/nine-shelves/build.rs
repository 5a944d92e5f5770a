//! Tells the program of which commit it is made, where that is known. Only for releases: what is built to be tested need not
//! be built anew after each commit. Where the loader understands it, the pointers that it puts right at each start are told
//! to it as bits.

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
    if packs_relocations() {
        println!("cargo:rustc-link-arg-bins=-Wl,-z,pack-relative-relocs");
    }
}

/// Whether the loader knows packed relocations (DT_RELR of the generic ELF ABI), as that of the GNU C library does from 2.36
/// on. With another loader than that of this machine, nothing is known.
fn packs_relocations() -> bool {
    let told = |name: &str| std::env::var(name).unwrap_or_default();
    if told("HOST") != told("TARGET")
        || told("CARGO_CFG_TARGET_ENV") != "gnu"
        || told("CARGO_CFG_TARGET_OS") != "linux"
    {
        return false;
    }
    let Ok(version) = Command::new("getconf").arg("GNU_LIBC_VERSION").output() else { return false };
    let text = String::from_utf8_lossy(&version.stdout);
    let mut parts =
        text.trim().trim_start_matches("glibc ").split('.').map_while(|part| part.parse::<u32>().ok());
    (parts.next(), parts.next()) >= (Some(2), Some(36))
}

/// The commit and its day: `1a2b3c4d 2031-04-07`.
fn commit() -> Option<String> {
    let told = Command::new("git").args(["log", "-1", "--format=%h %cs", "--abbrev=8"]).output().ok()?;
    let text = String::from_utf8(told.stdout).ok()?;
    Some(text.trim().to_owned()).filter(|text| told.status.success() && !text.is_empty())
}
