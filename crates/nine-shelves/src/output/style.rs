//! Three weights and three colours. A colour never stands without a word or a mark beside it.

use anstyle::{AnsiColor, Style};

/// Names.
pub const STRONG: Style = Style::new().bold();
/// What is known already.
pub const FAINT: Style = Style::new().dimmed();
/// Everything else.
pub const PLAIN: Style = Style::new();
/// What will change.
pub const CHANGE: Style = AnsiColor::Cyan.on_default();
/// Doubts.
pub const DOUBT: Style = AnsiColor::Yellow.on_default();
/// What was refused.
pub const REFUSED: Style = AnsiColor::Red.on_default();
