//! What handlers share.

use crate::Outside;
use newtfern_store::Store;
use newtfern_store::blobs::Blobs;
use newtfern_store::seal::Sealer;
use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use tokio::sync::{broadcast, watch};

#[derive(Clone, Default)]
pub struct Settings {
    /// Shown on the sign-in page of the demo.
    pub demo_sign_in: Option<(String, String)>,
    /// The address under which people reach the application, for links that go outside.
    pub public_address: String,
    /// Cookies are marked Secure when the public address is https.
    pub secure_cookies: bool,
}

#[derive(Clone)]
pub struct App {
    pub store: Store,
    pub blobs: Blobs,
    pub sealer: Sealer,
    pub outside: Arc<dyn Outside>,
    pub settings: Arc<Settings>,
    /// What workers report, as JSON texts.
    pub events: broadcast::Sender<String>,
    /// True when the program is about to stop.
    pub closing: watch::Sender<bool>,
    attempts: Arc<Mutex<Attempts>>,
}

/// Times of sign-in attempts by address and account.
type Attempts = HashMap<(IpAddr, String), Vec<Instant>>;

/// Sign-in attempts allowed in a window, for one address and account.
const MOST_ATTEMPTS: usize = 8;
const WINDOW: Duration = Duration::from_secs(300);

impl App {
    pub fn new(
        store: Store,
        blobs: Blobs,
        sealer: Sealer,
        outside: Arc<dyn Outside>,
        settings: Settings,
    ) -> App {
        App {
            store,
            blobs,
            sealer,
            outside,
            settings: Arc::new(settings),
            events: broadcast::channel(256).0,
            closing: watch::Sender::new(false),
            attempts: Arc::default(),
        }
    }

    /// Passes notices of the database on to the pages that listen. Reconnects by itself.
    pub fn follow_events(&self) {
        let (pool, events) = (self.store.pool.clone(), self.events.clone());
        tokio::spawn(async move {
            loop {
                let listening = async {
                    let mut listener = newtfern_store::listen(&pool).await?;
                    loop {
                        let text = listener.next().await?;
                        // Nobody listening is fine.
                        let _ = events.send(text);
                    }
                    #[allow(unreachable_code)]
                    Ok::<(), newtfern_store::StoreError>(())
                };
                let ended = listening.await;
                if pool.is_closed() {
                    return;
                }
                if let Err(error) = ended {
                    tracing::warn!("notices of the database stopped: {error}");
                }
                tokio::time::sleep(Duration::from_secs(1)).await;
            }
        });
    }

    /// Counts an attempt to sign in; false when there were too many.
    pub fn may_try(&self, from: IpAddr, email: &str) -> bool {
        let Ok(mut attempts) = self.attempts.lock() else {
            return true;
        };
        let now = Instant::now();
        if attempts.len() > 10_000 {
            attempts.retain(|_, times| {
                times
                    .last()
                    .is_some_and(|t| now.duration_since(*t) < WINDOW)
            });
        }
        let times = attempts
            .entry((from, email.trim().to_lowercase()))
            .or_default();
        times.retain(|t| now.duration_since(*t) < WINDOW);
        times.push(now);
        times.len() <= MOST_ATTEMPTS
    }

    pub fn forget_attempts(&self, from: IpAddr, email: &str) {
        if let Ok(mut attempts) = self.attempts.lock() {
            attempts.remove(&(from, email.trim().to_lowercase()));
        }
    }
}
