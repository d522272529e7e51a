//! A line to the database that can be cut and mended, as a network does it.

use std::sync::{
    Arc,
    atomic::{AtomicBool, Ordering},
};

use tokio::{
    io::copy_bidirectional,
    net::{TcpListener, TcpStream},
    sync::Notify,
};

/// A way through to a database.
#[derive(Clone)]
pub struct Line {
    /// The database as it is reached through here.
    pub url: String,
    is_cut: Arc<AtomicBool>,
    cut: Arc<Notify>,
}

impl Line {
    /// A line to the database at `url`.
    pub async fn to(url: &str) -> Self {
        let (head, database) = url.rsplit_once('/').unwrap();
        let (who, target) = head.rsplit_once('@').unwrap();
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let url = format!("{who}@{}/{database}", listener.local_addr().unwrap());
        let line = Self { url, is_cut: Arc::default(), cut: Arc::default() };
        let (here, target) = (line.clone(), target.to_owned());
        tokio::spawn(async move {
            loop {
                let Ok((mut from, _)) = listener.accept().await else { continue };
                if here.is_cut.load(Ordering::SeqCst) {
                    continue;
                }
                let (cut, target) = (here.cut.clone(), target.clone());
                tokio::spawn(async move {
                    let Ok(mut to) = TcpStream::connect(&target).await else { return };
                    tokio::select! {
                        _ = copy_bidirectional(&mut from, &mut to) => {}
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

    /// Lets connections through again.
    pub fn mend(&self) {
        self.is_cut.store(false, Ordering::SeqCst);
    }
}
