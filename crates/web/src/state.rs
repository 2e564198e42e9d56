//! What handlers share.

use crate::streams::Streams;
use newtfern_acts::Acts;
use newtfern_acts::access::tries::Tries;
use newtfern_acts::store::Reads;
use newtfern_acts::store::results::rounds::Round;
use serde_json::{Value, json};
use std::net::IpAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::{broadcast, watch};

/// Settings that the program was started with.
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

/// Application state that all handlers share.
#[derive(Clone)]
pub struct App {
    /// Acts, which change everything that changes.
    pub acts: Acts,
    pub settings: Arc<Settings>,
    /// Events that workers report, as JSON texts.
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

    /// Returns the database for reading.
    pub fn reads(&self) -> Reads<'_> {
        self.acts.reads()
    }

    /// Passes notices of the database on to the pages that listen, each with the state of its round
    /// read once. Reconnects by itself.
    pub fn follow_events(&self) {
        let app = self.clone();
        tokio::spawn(async move {
            loop {
                let ended = app.listen().await;
                if app.reads().is_closed() {
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
        let mut listener = self.reads().listen().await?;
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
            if let Some(round) = self.reads().rounds().round(id).await? {
                notice = progress_of(&round);
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

/// A round's progress, as pages are told it: its number, jobs that are over and all of them, per
/// cent, and whether it is finished.
pub fn progress_of(round: &Round) -> Value {
    json!({
        "round": round.id,
        "over": round.total - round.waiting - round.running,
        "total": round.total,
        "percent": round.percent(),
        "finished": round.is_over(),
    })
}
