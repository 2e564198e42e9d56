//! What handlers share.

use crate::streams::Streams;
use newtfern_acts::Acts;
use newtfern_acts::store::Store;
use newtfern_acts::tries::Tries;
use serde_json::Value;
use std::net::IpAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::{broadcast, watch};

/// What the program was started with.
#[derive(Clone, Default)]
pub struct Settings {
    /// Shown on the sign-in page of the demo.
    pub demo_sign_in: Option<(String, String)>,
    /// The address under which people reach the application, for links that go outside.
    pub public_address: String,
    /// Cookies are marked Secure when the public address is https.
    pub secure_cookies: bool,
    /// Proxies before us: what they say of the visitor's address is believed.
    pub trusted_proxies: Vec<IpAddr>,
}

/// The application.
#[derive(Clone)]
pub struct App {
    /// For changing anything.
    pub acts: Acts,
    pub settings: Arc<Settings>,
    /// What workers report, as JSON texts.
    pub events: broadcast::Sender<String>,
    /// True when the program is about to stop.
    pub closing: watch::Sender<bool>,
    /// Sessions that ended, by their number.
    pub ended: broadcast::Sender<i64>,
    /// Streams of events that are open.
    pub streams: Arc<Streams>,
    /// Attempts to sign in.
    pub tries: Arc<Tries>,
}

impl App {
    /// Puts the application together.
    pub fn new(acts: Acts, settings: Settings) -> App {
        App {
            acts,
            settings: Arc::new(settings),
            events: broadcast::channel(256).0,
            closing: watch::Sender::new(false),
            ended: broadcast::channel(64).0,
            streams: Arc::default(),
            tries: Arc::default(),
        }
    }

    /// For reading.
    pub fn store(&self) -> &Store {
        &self.acts.store
    }

    /// Passes notices of the database on to the pages that listen, each with the state of its round
    /// read once. Reconnects by itself.
    pub fn follow_events(&self) {
        let app = self.clone();
        tokio::spawn(async move {
            loop {
                let ended = app.listen().await;
                if app.store().pool.is_closed() {
                    return;
                }
                if let Err(error) = ended {
                    tracing::warn!("notices of the database stopped: {error}");
                }
                tokio::time::sleep(Duration::from_secs(1)).await;
            }
        });
    }

    async fn listen(&self) -> newtfern_acts::store::Result<()> {
        let mut listener = newtfern_acts::store::listen(&self.store().pool).await?;
        loop {
            let text = listener.next().await?;
            if self.events.receiver_count() == 0 {
                continue;
            }
            let Ok(mut notice) = serde_json::from_str::<Value>(&text) else {
                continue;
            };
            let Some(id) = notice["round"].as_i64() else {
                continue;
            };
            if let Some(round) = self.store().round(id).await? {
                notice["over"] = (round.total - round.waiting - round.running).into();
                notice["total"] = round.total.into();
                notice["percent"] = round.percent().into();
                notice["finished"] = round.is_over().into();
            }
            // Nobody listening is fine.
            let _ = self.events.send(notice.to_string());
        }
    }

    /// A session ended: its streams of events do too.
    pub fn signed_out(&self, session: i64) {
        // Nobody listening is fine.
        let _ = self.ended.send(session);
    }
}
