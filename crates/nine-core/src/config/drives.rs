//! Drives: who the person is to a server, as the configuration says it.

use std::collections::BTreeMap;
use std::ops::Range;

use serde::Deserialize;

use super::reader::ConfigReader;
use super::spanned::Spanned;
use crate::diagnostic::Diagnostic;
use crate::place::ItemPath;

/// Requests that may be under way at once where the configuration does not say.
const USUALLY_AT_ONCE: usize = 8;

/// More at once help no server.
const MOST_AT_ONCE: usize = 32;

/// A server on which places may be, and who the person is to it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DriveLogin {
    /// Its name in the configuration.
    pub name: String,
    /// The address of the folder at its top, as written.
    pub at: String,
    /// Where in the text that is written.
    pub at_span: Range<usize>,
    /// The name that the person has there; without one the password is a token.
    pub user: Option<String>,
    /// Where the password comes from, if one is needed.
    pub password: Option<PasswordFrom>,
    /// A file with the certificate of whoever vouches for the server, where nobody else knows them.
    pub certificate: Option<String>,
    /// Whether it may be reached without encryption.
    pub plain_http: bool,
    /// Folders that others see, below `at`, and who these are.
    pub shared: Vec<(ItemPath, String)>,
    /// Requests that may be under way at once.
    pub at_once: usize,
}

/// Where a password comes from. It never stands in the configuration itself.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(rename_all = "lowercase", deny_unknown_fields)]
pub enum PasswordFrom {
    /// An environment variable of this name.
    Variable(String),
    /// The first line of this file, which others must not be able to read.
    File(String),
    /// The first line that this command prints.
    Command(String),
}

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct DriveText {
    /// The address of the folder at its top.
    at: Spanned<String>,
    /// Your name there; without it the password is a token.
    user: Option<Spanned<String>>,
    /// Where the password comes from.
    #[cfg_attr(test, schemars(with = "Option<PasswordFrom>"))]
    password: Option<Spanned<toml::Value>>,
    /// A file with the certificate of whoever vouches for the server.
    certificate: Option<Spanned<String>>,
    /// Whether it may be reached without encryption.
    #[serde(default)]
    plain_http: bool,
    /// Folders that others see, and who these are.
    #[serde(default)]
    shared: BTreeMap<Spanned<String>, String>,
    /// Requests under way at once, 1 to 32.
    at_once: Option<Spanned<usize>>,
}

impl DriveText {
    pub(super) fn read(self, reader: &mut ConfigReader, name: String) -> DriveLogin {
        let text = self.at.get_ref();
        if !is_address(text) {
            let finding = Diagnostic::new(self.at.span(), format!("`{text}` is no address of a drive"));
            reader.find(finding.help("write one such as https://drive.example/papers/"));
        }
        let password = self.password.and_then(|from| password(reader, &from));
        let shared = self.shared.iter().filter_map(|(folder, who)| {
            let path = ItemPath::new(folder.get_ref()).filter(|path| !path.is_root());
            if path.is_none() {
                let message = format!("`{}` is not a folder below the drive's own", folder.get_ref());
                reader.find(
                    Diagnostic::new(folder.span(), message).help("write a path such as Together/plans"),
                );
            }
            path.map(|path| (path, who.clone()))
        });
        let shared = shared.collect();
        let at_once = self.at_once.map_or(USUALLY_AT_ONCE, |number| {
            if !(1..=MOST_AT_ONCE).contains(number.get_ref()) {
                let message = format!("`{}` requests at once", number.get_ref());
                reader
                    .find(Diagnostic::new(number.span(), message).help(format!("from 1 to {MOST_AT_ONCE}")));
            }
            (*number.get_ref()).clamp(1, MOST_AT_ONCE)
        });
        DriveLogin {
            name,
            at_span: self.at.span(),
            at: self.at.into_inner(),
            user: self.user.map(Spanned::into_inner),
            password,
            certificate: self.certificate.as_ref().map(|file| reader.folder(file)),
            plain_http: self.plain_http,
            shared,
            at_once,
        }
    }
}

/// Whether a text is meant as an address of a drive.
pub fn is_address(text: &str) -> bool {
    let start = text.split_once("://").map(|(scheme, _)| scheme.to_ascii_lowercase());
    matches!(start.as_deref(), Some("http" | "https"))
}

fn password(reader: &mut ConfigReader, from: &Spanned<toml::Value>) -> Option<PasswordFrom> {
    if from.get_ref().is_str() {
        let message = "a password does not belong into the configuration";
        let help =
            "say where it comes from: { variable = \"NAME\" }, { file = \"~/path\" } or { command = \"…\" }";
        reader.find(Diagnostic::new(from.span(), message).help(help));
        return None;
    }
    match from.get_ref().clone().try_into() {
        Ok(from) => Some(from),
        Err(_) => {
            let message = "this does not say where the password comes from";
            let help = "write { variable = \"NAME\" }, { file = \"~/path\" } or { command = \"…\" }";
            reader.find(Diagnostic::new(from.span(), message).help(help));
            None
        }
    }
}
