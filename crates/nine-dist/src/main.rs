//! `nine-dist FOLDER`: writes what a package of Nine Shelves holds beside the program into a folder.

use std::path::Path;
use std::process::ExitCode;

fn main() -> ExitCode {
    let Some(folder) = std::env::args_os().nth(1) else {
        return failed("say into which folder: nine-dist FOLDER");
    };
    match nine_dist::write(Path::new(&folder)) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => failed(&error.to_string()),
    }
}

#[allow(clippy::print_stderr)] // a tool for whoever makes packages
fn failed(why: &str) -> ExitCode {
    eprintln!("nine-dist: {why}");
    ExitCode::FAILURE
}
