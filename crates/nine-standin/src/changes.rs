//! What has changed since an earlier look (RFC 6578, `sync-collection`).

use std::collections::BTreeSet;
use std::ffi::OsStr;
use std::fmt::Write as _;
use std::os::unix::ffi::OsStrExt;
use std::path::Path;

use percent_encoding::{NON_ALPHANUMERIC, percent_decode_str, percent_encode};

/// What has changed, in order.
#[derive(Debug, Default)]
pub(crate) struct Changes {
    paths: Vec<String>,
}

impl Changes {
    /// Notes that something at this path, as it was written in a request, has come, gone or changed.
    pub fn note(&mut self, path: &str) {
        self.paths.push(path.trim_end_matches('/').to_owned());
    }

    /// What stands for this moment.
    pub fn token(&self) -> String {
        // The process counts too: another one knows nothing of what this one saw.
        format!("urn:standin:{}:{}", std::process::id(), self.paths.len())
    }

    /// Answers a report of what has changed below `folder`; `None` if the token is of another time.
    pub fn report(&self, root: &Path, folder: &str, body: &str) -> Option<String> {
        let token =
            body.split("sync-token>").nth(1).and_then(|rest| rest.split('<').next()).unwrap_or_default();
        let own = format!("urn:standin:{}:", std::process::id());
        let below = format!("{}/", folder.trim_end_matches('/'));
        let changed: BTreeSet<String> = if token.trim().is_empty() {
            all_below(root, &below)
        } else {
            let since = token.trim().strip_prefix(&own)?.parse().ok().filter(|at| *at <= self.paths.len())?;
            self.paths[since..].iter().filter(|path| path.starts_with(&below)).cloned().collect()
        };
        let mut out =
            String::from("<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<D:multistatus xmlns:D=\"DAV:\">");
        for path in changed {
            let decoded: Vec<u8> = percent_decode_str(path.trim_start_matches('/')).collect();
            let there = root.join(OsStr::from_bytes(&decoded)).symlink_metadata().is_ok();
            let href = path.replace('&', "&amp;");
            let what = match there {
                true => "<D:propstat><D:prop/><D:status>HTTP/1.1 200 OK</D:status></D:propstat>",
                false => "<D:status>HTTP/1.1 404 Not Found</D:status>",
            };
            let _ = write!(out, "<D:response><D:href>{href}</D:href>{what}</D:response>");
        }
        let _ = write!(out, "<D:sync-token>{}</D:sync-token></D:multistatus>", self.token());
        Some(out)
    }
}

/// Everything below a folder, as requests would write it.
fn all_below(root: &Path, below: &str) -> BTreeSet<String> {
    let decoded: Vec<u8> = percent_decode_str(below.trim_matches('/')).collect();
    let mut open = vec![(root.join(OsStr::from_bytes(&decoded)), below.to_owned())];
    let mut all = BTreeSet::new();
    while let Some((folder, above)) = open.pop() {
        for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
            let name = percent_encode(entry.file_name().as_bytes(), NON_ALPHANUMERIC).to_string();
            let path = format!("{above}{name}");
            if entry.file_type().is_ok_and(|kind| kind.is_dir()) {
                open.push((entry.path(), format!("{path}/")));
            }
            all.insert(path);
        }
    }
    all
}
