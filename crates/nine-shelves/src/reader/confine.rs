//! The rights that the reading process gives up before it sees a byte of anybody's file: it keeps its pipes, and can
//! open, make, run or reach nothing more.

use landlock::{ABI, Access, AccessFs, AccessNet, CompatLevel, Compatible, Ruleset, RulesetAttr, Scope};
use rustix::process::{Resource, Rlimit, setrlimit};

/// The newest rules that are known here; an older kernel keeps those of them that it has.
const RULES: ABI = ABI::V6;

/// Descriptors that the process has: the three usual ones, and its answers.
const DESCRIPTORS: u64 = 4;

/// Gives up what can be given up. What the kernel does not have is told by `nine check`.
pub(super) fn confine() {
    let _ = rustix::thread::set_no_new_privs(true);
    let _ = forbid(CompatLevel::BestEffort).and_then(landlock::RulesetCreated::restrict_self);
    // Nothing more can be opened, whatever it is: no file, no socket, no pipe. And nothing can be written to files.
    let most = |number| Rlimit { current: Some(number), maximum: Some(number) };
    let _ = setrlimit(Resource::Nofile, most(DESCRIPTORS));
    let _ = setrlimit(Resource::Fsize, most(0));
}

/// Whether the kernel has rules that take the sight of all files from a process (Landlock, Linux 5.13).
pub fn is_confined_by_kernel() -> bool {
    forbid(CompatLevel::HardRequirement).is_ok()
}

/// Rules that allow nothing.
fn forbid(level: CompatLevel) -> Result<landlock::RulesetCreated, landlock::RulesetError> {
    let rules = Ruleset::default().set_compatibility(level);
    match level {
        CompatLevel::HardRequirement => rules.handle_access(AccessFs::from_all(ABI::V1))?.create(),
        _ => rules
            .handle_access(AccessFs::from_all(RULES))?
            .handle_access(AccessNet::from_all(RULES))?
            .scope(Scope::from_all(RULES))?
            .create(),
    }
}
