//! A line to the database that can be cut and mended, as a network does it.

use std::sync::{
    Arc, Mutex,
    atomic::{AtomicBool, Ordering},
};

use tokio::{
    io::{AsyncRead, AsyncReadExt, AsyncWrite, AsyncWriteExt},
    net::{TcpListener, TcpStream},
    sync::{Notify, OwnedRwLockWriteGuard, RwLock},
};

/// Passes on what comes, unless everything is held up.
async fn passed(mut from: impl AsyncRead + Unpin, mut to: impl AsyncWrite + Unpin, gate: &RwLock<()>) {
    let mut buffer = [0; 16 * 1024];
    while let Ok(read) = from.read(&mut buffer).await {
        let _open = gate.read().await;
        if read == 0 || to.write_all(&buffer[..read]).await.is_err() {
            return;
        }
    }
}

/// A way through to a database.
#[derive(Clone)]
pub struct Line {
    /// The database as it is reached through here.
    pub url: String,
    is_cut: Arc<AtomicBool>,
    cut: Arc<Notify>,
    /// What is held up while it is paused.
    gate: Arc<RwLock<()>>,
    paused: Arc<Mutex<Option<OwnedRwLockWriteGuard<()>>>>,
}

impl Line {
    /// A line to the database at `url`.
    pub async fn to(url: &str) -> Self {
        let (head, database) = url.rsplit_once('/').unwrap();
        let (who, target) = head.rsplit_once('@').unwrap();
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let url = format!("{who}@{}/{database}", listener.local_addr().unwrap());
        let line = Self { url, is_cut: Arc::default(), cut: Arc::default(), gate: Arc::default(), paused: Arc::default() };
        let (here, target) = (line.clone(), target.to_owned());
        tokio::spawn(async move {
            loop {
                let Ok((mut from, _)) = listener.accept().await else { continue };
                if here.is_cut.load(Ordering::SeqCst) {
                    continue;
                }
                let (cut, gate, target) = (here.cut.clone(), here.gate.clone(), target.clone());
                tokio::spawn(async move {
                    let Ok(mut to) = TcpStream::connect(&target).await else { return };
                    let (from_reader, from_writer) = from.split();
                    let (to_reader, to_writer) = to.split();
                    tokio::select! {
                        () = passed(from_reader, to_writer, &gate) => {}
                        () = passed(to_reader, from_writer, &gate) => {}
                        () = cut.notified() => {}
                    }
                });
            }
        });
        line
    }

    /// Cuts every connection and lets no new one through.
    pub fn cut(&self) {
        self.is_cut.store(true, Ordering::SeqCst);
        self.cut.notify_waiters();
    }

    /// Holds everything up without breaking anything, as a database does whose machine is frozen.
    pub async fn pause(&self) {
        *self.paused.lock().unwrap() = Some(self.gate.clone().write_owned().await);
    }

    /// Lets what was held up go on.
    pub fn resume(&self) {
        self.paused.lock().unwrap().take();
    }

    /// Lets connections through again.
    pub fn mend(&self) {
        self.is_cut.store(false, Ordering::SeqCst);
    }
}
