//! The way out under the network rule as it is now: an HTTP client and a pool of browsers.

use anyhow::Result;
use newtfern_probe::browser::Pool;
use newtfern_probe::crawl::agent;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use newtfern_standards::private_hosts::PrivateHosts;
use newtfern_store::Reads;
use std::sync::Arc;
use tokio::sync::Mutex;

/// A way out under one rule.
#[derive(Clone)]
pub struct Way {
    pub pool: Arc<Pool>,
    pub http: Http,
    /// Under our own name, for pages that nobody asked for.
    pub crawler: Http,
}

/// Rule that a client is made by; another client is made where it changes.
#[derive(Clone, PartialEq)]
struct Rule {
    private: PrivateHosts,
    /// Address where a site's owner can complain about our looks.
    contact: String,
}

impl Rule {
    /// Returns the rule as it is now. A contact of the environment wins over the agency's.
    async fn now(store: Reads<'_>) -> Result<Rule> {
        let contact = match std::env::var("NEWTFERN_CONTACT") {
            Ok(contact) if !contact.is_empty() => contact,
            _ => store.settings().agency().await?.contact,
        };
        Ok(Rule {
            private: store.settings().private_hosts().await?,
            contact,
        })
    }
}

impl Way {
    fn new(rule: &Rule) -> Result<Way> {
        let guard = Guard::new(rule.private.clone());
        Ok(Way {
            pool: Arc::new(Pool::new(guard.clone(), None)),
            crawler: Http::called(guard.clone(), None, &agent(&rule.contact))?,
            http: Http::new(guard, None)?,
        })
    }
}

/// The way out, made anew when the rule changes.
#[derive(Default)]
pub struct HttpClients(Mutex<Option<(Rule, Way)>>);

impl HttpClients {
    /// Returns the clients by the rule as it is now. Visits under way end under the rule they began
    /// with; the browser of the rule before is let go.
    pub async fn now(&self, store: Reads<'_>) -> Result<Way> {
        let rule = Rule::now(store).await?;
        let mut current = self.0.lock().await;
        if let Some((kept, way)) = current.as_ref()
            && *kept == rule
        {
            return Ok(way.clone());
        }
        let way = Way::new(&rule)?;
        if let Some((_, before)) = current.replace((rule, way.clone())) {
            before.pool.close().await;
        }
        Ok(way)
    }

    /// Lets the browser go.
    pub async fn close(&self) {
        if let Some((_, way)) = self.0.lock().await.take() {
            way.pool.close().await;
        }
    }
}
