//! A world with a drive beside its downloads and shelves.

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::Command;

use nine_core::escape::escape;
use nine_standin::{Settings, Standin};

use super::support::{Ran, World};

/// A world whose drive is both a pile, `drive`, and a bookcase, `cloud`, with three shelves; and the pile and
/// bookcase of this machine, `downloads` and `home`.
pub struct Drive {
    pub world: World,
    /// The folder that is served.
    pub root: PathBuf,
    pub url: String,
    pub standin: Option<Standin>,
    _folder: tempfile::TempDir,
}

impl Drive {
    /// On the server that is asked for, or else on the stand-in.
    pub fn new() -> Self {
        let Ok(server) = std::env::var("NINE_SERVER") else { return Self::with(Settings::default()) };
        let (url, folder) = server.split_once('=').expect("NINE_SERVER is URL=FOLDER");
        let folder = tempfile::Builder::new().prefix("t").tempdir_in(folder).unwrap();
        let name = folder.path().file_name().unwrap().to_str().unwrap().to_owned();
        let url = format!("{}/{name}/", url.trim_end_matches('/'));
        Self { root: folder.path().to_owned(), _folder: folder, url, standin: None, world: World::new() }
            .ready()
    }

    /// On the stand-in, which behaves like this.
    pub fn with(settings: Settings) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path().join("served");
        fs::create_dir(&root).unwrap();
        let standin = Standin::start(Settings { root: root.clone(), ..settings }).unwrap();
        Self { root, _folder: folder, url: standin.url(), standin: Some(standin), world: World::new() }
            .ready()
    }

    fn ready(self) -> Self {
        self.rules("");
        self
    }

    /// Writes the configuration with these rules.
    pub fn rules(&self, rules: &str) -> &Self {
        let login = match std::env::var("NINE_SERVER_LOGIN") {
            Ok(login) if self.standin.is_none() => format!(
                "user = \"{}\"\npassword = {{ variable = \"QUAY\" }}\ncertificate = \"{}\"\n",
                login.split(':').next().unwrap(),
                std::env::var("NINE_SERVER_CERTIFICATE").expect("it is given with the login")
            ),
            _ => String::new(),
        };
        self.config(&login, rules)
    }

    /// Writes the configuration with these lines about the drive, and these rules.
    pub fn config(&self, drive: &str, rules: &str) -> &Self {
        let url = &self.url;
        let home = format!(
            "[pile.downloads]\nat = \"{}\"\nbirths = \"ignore\"\n\n[bookcase.home]\nat = \"{}\"\n\
             shelves = [\"Boats\", \"Loans\", \"Grants\"]\n\n[trash]\nat = \"{}\"\n\n",
            self.world.at("Downloads").display(),
            self.world.shelves.display(),
            self.world.trash().display(),
        );
        self.world.config(&format!(
            "{home}[pile.drive]\nat = \"{url}\"\n\n[bookcase.cloud]\nat = \"{url}\"\n\
             shelves = [\"Minutes\", \"Loans\", \"Archive\"]\n\n[drive.quay]\nat = \"{url}\"\n{drive}\n{rules}"
        ));
        self
    }

    /// Another machine, with a configuration like this one's, and this drive.
    pub fn other_machine(&self) -> World {
        let other = World::new();
        let text = fs::read_to_string(self.world.data.join("shelves.toml")).unwrap();
        let here = self.world.dir.path().to_str().unwrap();
        other.config(&text.replace(here, other.dir.path().to_str().unwrap()));
        other
    }

    /// Writes a file on the drive that was last changed long ago.
    pub fn file(&self, path: impl AsRef<[u8]>, text: &str) -> &Self {
        self.world.old_file(&self.at(path), text);
        self
    }

    /// Gives an item on the stand-in tags, as the stand-in keeps them.
    pub fn tag(&self, path: &str, tags: &str) {
        let namespace: String = "urn:nine-shelves:drive".bytes().map(|byte| format!("{byte:02x}")).collect();
        let value = format!("<n:tags xmlns:n=\"urn:nine-shelves:drive\">{tags}</n:tags>");
        let name = format!("user.dav.{namespace}.tags");
        rustix::fs::setxattr(self.at(path), name, value.as_bytes(), rustix::fs::XattrFlags::empty()).unwrap();
    }

    pub fn at(&self, path: impl AsRef<[u8]>) -> PathBuf {
        self.root.join(std::ffi::OsStr::from_bytes(path.as_ref()))
    }

    pub fn command(&self, words: &[&str]) -> Command {
        self.command_on(&self.world, words)
    }

    /// The program on a machine.
    pub fn command_on(&self, world: &World, words: &[&str]) -> Command {
        if self.standin.is_none() {
            open_to_all(&self.root);
        }
        let mut command = world.command(words);
        command.env("NINE_DRIVE_PAUSE", "1");
        if let Ok(login) = std::env::var("NINE_SERVER_LOGIN") {
            command.env("QUAY", login.split(':').nth(1).unwrap());
        }
        command
    }

    pub fn nine(&self, words: &[&str]) -> Ran {
        Ran::new(self.command(words).output().unwrap())
    }

    /// Everything on the drive, folders with a slash at their end.
    pub fn files(&self) -> BTreeMap<String, String> {
        let mut out = BTreeMap::new();
        draw(&self.root, "", &mut out);
        out
    }

    /// The names of all that is on the drive.
    pub fn names(&self) -> Vec<String> {
        self.files().into_keys().collect()
    }

    /// The tags of each item in all places that has any: written `PLACE/path: tags`.
    pub fn tags(&self) -> Vec<String> {
        let mut found = self.nine(&["search", "tag", "any", "--format", "json"]).ends(0).out;
        found +=
            &self.nine(&["search", "tag", "any", "and", "type", "folder", "--format", "json"]).ends(0).out;
        let mut tags: Vec<String> = found
            .lines()
            .map(|line| {
                let item: serde_json::Value = serde_json::from_str(line).unwrap();
                let word = |name: &str| item[name].as_str().unwrap_or_default().to_owned();
                let tags: Vec<&str> =
                    item["tags"].as_array().unwrap().iter().filter_map(|t| t.as_str()).collect();
                format!("{}/{}: {}", word("location"), word("name"), tags.join(","))
            })
            .collect();
        tags.sort();
        tags
    }

    /// What the drive was asked since the last time; nothing where it is no stand-in.
    pub fn asked(&self, method: &str) -> usize {
        let asked = self.standin.as_ref().map(Standin::asked).unwrap_or_default();
        asked.iter().filter(|asked| asked.method == method).count()
    }
}

/// A server runs as somebody else.
fn open_to_all(folder: &Path) {
    let _ = fs::set_permissions(folder, fs::Permissions::from_mode(0o777));
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let is_folder = entry.file_type().is_ok_and(|kind| kind.is_dir());
        if is_folder {
            open_to_all(&entry.path());
        } else {
            let _ = fs::set_permissions(entry.path(), fs::Permissions::from_mode(0o666));
        }
    }
}

fn draw(folder: &Path, above: &str, out: &mut BTreeMap<String, String>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = format!("{above}{}", escape(path.file_name().unwrap().as_bytes()));
        // Where a server keeps properties of its own.
        if name.ends_with(".DAV") {
            continue;
        }
        if path.is_dir() {
            out.insert(format!("{name}/"), String::new());
            draw(&path, &format!("{name}/"), out);
        } else {
            out.insert(name, escape(&fs::read(&path).unwrap()));
        }
    }
}
