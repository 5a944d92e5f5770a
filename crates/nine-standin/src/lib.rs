//! A small WebDAV drive over a folder, for demos and tests, and a disk for tests ([`Disk`]). What the drive can do it has from a kept server library;
//! what it does wrong, on request, is its own. It listens on the loopback address alone.

mod changes;
mod disk;
mod faults;
mod folder;
mod serve;

use std::io;
use std::net::{Ipv4Addr, SocketAddr, TcpListener};
use std::path::PathBuf;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::thread::JoinHandle;
use std::time::Duration;

pub use disk::Disk;
pub use faults::{Fault, Wrong};

/// What becomes of the properties that clients give to items.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Forgets {
    /// They stay.
    #[default]
    Never,
    /// They are gone once an item was moved.
    OnMove,
    /// There are none.
    Always,
}

/// What is served, and how.
#[derive(Debug, Clone, Default)]
pub struct Settings {
    /// The folder.
    pub root: PathBuf,
    /// The port; some free one if it is 0.
    pub port: u16,
    /// Who may come in: name and password. Anybody, where that is left out.
    pub login: Option<(String, String)>,
    /// How long each answer takes.
    pub delay: Duration,
    /// Bytes that it holds at most.
    pub quota: Option<u64>,
    /// Whether nothing may be changed.
    pub read_only: bool,
    /// What becomes of properties.
    pub forgets: Forgets,
    /// Whether it takes no notice of conditions: writes over what is there, whatever the client says.
    pub careless: bool,
    /// Whether it tells what has changed since an earlier look (RFC 6578).
    pub tells_changes: bool,
    /// Whether a folder's entity tag changes with anything at any depth below it.
    pub deep_tags: bool,
    /// Whether it gives the checksum of a file where it is asked for one (RFC 9530).
    pub tells_sums: bool,
}

/// One request, as it came.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Asked {
    /// Its method.
    pub method: String,
    /// Its path, as it was written.
    pub path: String,
    /// How deep it asks, where it says so (RFC 4918, 10.2).
    pub depth: Option<String>,
    /// Whether it carried credentials.
    pub with_credentials: bool,
    /// Which connection it came by, counted from 0.
    pub connection: usize,
}

/// What all connections share.
pub(crate) struct Shared {
    settings: Arc<Settings>,
    faults: Mutex<Vec<(Fault, u64)>>,
    asked: Mutex<Vec<Asked>>,
    changes: Mutex<changes::Changes>,
}

fn held<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// A drive that is being served; it ends when this is dropped.
pub struct Standin {
    address: SocketAddr,
    shared: Arc<Shared>,
    stop: Option<tokio::sync::oneshot::Sender<()>>,
    thread: Option<JoinHandle<()>>,
}

impl Standin {
    /// Starts to serve.
    ///
    /// # Errors
    /// If the port is taken.
    pub fn start(settings: Settings) -> io::Result<Self> {
        let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, settings.port))?;
        listener.set_nonblocking(true)?;
        let address = listener.local_addr()?;
        let shared = Arc::new(Shared {
            settings: Arc::new(settings),
            faults: Mutex::default(),
            asked: Mutex::default(),
            changes: Mutex::default(),
        });
        let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build()?;
        let (stop, stopped) = tokio::sync::oneshot::channel();
        let served = Arc::clone(&shared);
        let thread = std::thread::spawn(move || {
            runtime.block_on(async {
                tokio::select! {
                    () = serve::serve(listener, served) => {}
                    _ = stopped => {}
                }
            });
            runtime.shutdown_background();
        });
        Ok(Self { address, shared, stop: Some(stop), thread: Some(thread) })
    }

    /// Where it is, with a slash at the end.
    pub fn url(&self) -> String {
        format!("http://{}/", self.address)
    }

    /// Its port.
    pub fn port(&self) -> u16 {
        self.address.port()
    }

    /// From now on this goes wrong, and nothing else.
    pub fn misbehave(&self, faults: impl IntoIterator<Item = Fault>) {
        *held(&self.shared.faults) = faults.into_iter().map(|fault| (fault, 0)).collect();
    }

    /// What it was asked since the last time that this was called.
    pub fn asked(&self) -> Vec<Asked> {
        std::mem::take(&mut *held(&self.shared.asked))
    }
}

impl Drop for Standin {
    fn drop(&mut self) {
        drop(self.stop.take());
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}
