//! What every job has at hand.

use crate::http_clients::HttpClients;
use crate::site::SiteTools;
use anyhow::Result;
use newtfern_acts::Acts;
use newtfern_probe::browser::Pool;
use newtfern_probe::http::Http;
use std::sync::Arc;
use std::sync::atomic::AtomicUsize;

/// Tools that one job works with.
pub struct Tools {
    pub acts: Acts,
    pub pool: Arc<Pool>,
    pub http: Http,
    pub crawler: Http,
}

impl Tools {
    /// The part of them that checks a site.
    pub fn for_sites(&self) -> SiteTools<'_> {
        SiteTools {
            pool: &self.pool,
            http: &self.http,
            crawler: &self.crawler,
        }
    }

    /// Returns the tools by the network rule as it is now.
    pub async fn now(ways: &HttpClients, acts: &Acts) -> Result<Tools> {
        let way = ways.now(acts.reads()).await?;
        Ok(Tools {
            acts: acts.clone(),
            pool: way.pool,
            http: way.http,
            crawler: way.crawler,
        })
    }
}

/// Progress of a job, for its heartbeat.
#[derive(Default)]
pub struct Progress {
    pub done: AtomicUsize,
    pub of: AtomicUsize,
}
