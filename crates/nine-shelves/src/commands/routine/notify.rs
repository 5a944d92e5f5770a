//! A word on the person's desktop (org.freedesktop.Notifications), where there is one.

use std::sync::mpsc::channel;
use std::time::Duration;

use notify_rust::{Notification, Timeout, Urgency};

use crate::session::Session;

/// A desktop that does not answer is not waited for longer than this.
const PATIENCE: Duration = Duration::from_secs(3);

/// Tells the desktop. Where there is none, or it does not answer, nothing is lost: the account is in the journal.
pub fn notify(title: &str, text: &str, session: &Session) {
    if !session.has_desktop {
        return;
    }
    let mut notification = Notification::new();
    // Some desktops read marks in the text, as of a page.
    let text = text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;");
    notification.appname("Nine Shelves").summary(title).body(&text).icon("folder");
    notification.urgency(Urgency::Low).timeout(Timeout::Default);
    let (send, told) = channel();
    std::thread::spawn(move || {
        let _ = send.send(notification.show().is_ok());
    });
    if !told.recv_timeout(PATIENCE).unwrap_or(false) {
        tracing::info!("the desktop was not told");
    }
}
