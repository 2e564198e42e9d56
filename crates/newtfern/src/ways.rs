//! The way out under the network rule as it is now: an HTTP client and a pool of browsers.

use anyhow::Result;
use newtfern_core::private_hosts::PrivateHosts;
use newtfern_probe::browser::Pool;
use newtfern_probe::crawl::agent;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
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

/// Where a site's owner can complain about our looks.
fn contact() -> String {
    std::env::var("NEWTFERN_CONTACT").unwrap_or_default()
}

impl Way {
    fn new(private: PrivateHosts) -> Result<Way> {
        let guard = Guard::new(private);
        Ok(Way {
            pool: Arc::new(Pool::new(guard.clone(), None)),
            crawler: Http::called(guard.clone(), None, &agent(&contact()))?,
            http: Http::new(guard, None)?,
        })
    }
}

/// The way out, made anew when the rule changes.
#[derive(Default)]
pub struct Ways(Mutex<Option<(PrivateHosts, Way)>>);

impl Ways {
    /// By a rule. Visits under way end under the rule they began with; the browser of the rule before is
    /// let go.
    pub async fn under(&self, private: PrivateHosts) -> Result<Way> {
        let mut current = self.0.lock().await;
        if let Some((rule, way)) = current.as_ref()
            && *rule == private
        {
            return Ok(way.clone());
        }
        let way = Way::new(private.clone())?;
        if let Some((_, before)) = current.replace((private, way.clone())) {
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
