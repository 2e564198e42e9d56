//! What handlers share.

use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};
use newtfern_acts::Acts;
use newtfern_acts::store::Store;
use serde_json::Value;
use std::collections::HashMap;
use std::net::IpAddr;
use std::num::NonZeroU32;
use std::sync::{Arc, Mutex, PoisonError};
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
    attempts: Arc<DefaultKeyedRateLimiter<(Who, u32)>>,
    /// How often a sign-in succeeded: with each, attempts are counted anew.
    successes: Arc<Mutex<HashMap<Who, u32>>>,
}

/// An address and the account it asks for.
type Who = (IpAddr, String);

fn who(from: IpAddr, email: &str) -> Who {
    // A hostile address is not kept whole.
    (
        from,
        email.trim().to_lowercase().chars().take(200).collect(),
    )
}

/// Sign-in attempts allowed in a row, for one address and account; then one in this time.
const MOST_ATTEMPTS: NonZeroU32 = NonZeroU32::new(8).expect("eight is not zero");
const ONE_MORE_AFTER: Duration = Duration::from_secs(40);

impl App {
    /// Puts the application together.
    pub fn new(acts: Acts, settings: Settings) -> App {
        // The period is a constant above zero.
        let quota = Quota::with_period(ONE_MORE_AFTER).unwrap_or(Quota::per_minute(MOST_ATTEMPTS));
        App {
            acts,
            settings: Arc::new(settings),
            events: broadcast::channel(256).0,
            closing: watch::Sender::new(false),
            successes: Arc::default(),
            attempts: Arc::new(RateLimiter::keyed(quota.allow_burst(MOST_ATTEMPTS))),
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

    /// Counts an attempt to sign in; false when there were too many.
    pub fn may_try(&self, from: IpAddr, email: &str) -> bool {
        if self.attempts.len() > 10_000 {
            self.attempts.retain_recent();
        }
        let who = who(from, email);
        let successes = self
            .successes
            .lock()
            .unwrap_or_else(PoisonError::into_inner);
        let count = successes.get(&who).copied().unwrap_or(0);
        self.attempts.check_key(&(who, count)).is_ok()
    }

    /// Somebody signed in: what they mistyped before is forgotten.
    pub fn succeeded(&self, from: IpAddr, email: &str) {
        let mut successes = self
            .successes
            .lock()
            .unwrap_or_else(PoisonError::into_inner);
        *successes.entry(who(from, email)).or_default() += 1;
    }
}
