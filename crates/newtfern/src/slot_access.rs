//! The acts' way outside, by the probe.

use crate::http_clients::HttpClients;
use async_trait::async_trait;
use newtfern_acts::{AddressReport, Outside, ProposingVisit, SlotError, SlotText};
use newtfern_heavy::heavy;
use newtfern_model::derive::pressed;
use newtfern_model::pages::PageCopy;
use newtfern_model::platform::Platform;
use newtfern_model::profile::Supplier;
use newtfern_probe::crawl::copy_of;
use newtfern_probe::http::Http;
use newtfern_probe::visit::press;
use newtfern_probe::{address_check, check, pictures};
use newtfern_standards::observation::{Condition, Viewport};
use newtfern_verdict::visits::{CHECK_MS, CheckOrder, PAGE_MS, PageChoice, VisitPlan, guarded};
use serde_json::{Value, json};
use url::Url;

/// Looks and calls under the network rule as it is now.
pub struct Probe {
    ways: HttpClients,
    store: newtfern_store::Store,
}

impl Probe {
    /// Prepares the probe without starting a browser.
    pub fn new(store: newtfern_store::Store) -> Probe {
        let ways = HttpClients::default();
        Probe { ways, store }
    }

    async fn http(&self) -> Result<Http, String> {
        let way = self.ways.now(self.store.reads()).await;
        let way = way.map_err(|e| format!("the way out could not be made: {e}"))?;
        Ok(way.http)
    }
}

#[async_trait]
impl Outside for Probe {
    async fn look(&self, typed: &str, platforms: &[Platform]) -> AddressReport {
        let http = match self.http().await {
            Ok(http) => http,
            Err(problem) => {
                return AddressReport {
                    url: typed.trim().to_string(),
                    problem: Some(problem),
                    ..AddressReport::default()
                };
            }
        };
        let r = address_check::look(&http, typed, platforms).await;
        AddressReport {
            url: r.url,
            final_url: r.final_url,
            title: r.title,
            platform: r.platform,
            problem: r.problem,
            remarks: r.remarks,
        }
    }

    async fn page(&self, address: &Url) -> PageCopy {
        match self.http().await {
            Ok(http) => copy_of(&http, address).await,
            Err(why) => PageCopy::lost(address, &why),
        }
    }

    async fn visit(&self, address: &Url, supplier: &Supplier) -> Result<ProposingVisit, String> {
        let way = self.ways.now(self.store.reads()).await;
        let way = way.map_err(|e| format!("the way out could not be made: {e}"))?;
        let order = CheckOrder {
            viewports: &[Viewport::Desktop],
            asked: PageChoice::Found,
            pictures: true,
            ..CheckOrder::of(address, supplier, "propose")
        };
        let seen = check::run(&way.pool, &way.http, &order).await;
        let seen = seen.map_err(|e| format!("no visit could be made from here: {e}"))?;
        if let Some(refused) = guarded(&seen.visits) {
            return Err(refused.to_string());
        }
        let picture = seen.pictures.into_iter().next().and_then(|p| p.page);
        let first = seen.visits.into_iter().next();
        let seen = first.ok_or_else(|| "the visit saw nothing".to_string())?;
        let opened = match heavy(|| pressed(supplier, &seen)).await {
            Some(selector) => {
                let browser = way.pool.browser().await;
                let browser = browser.map_err(|e| format!("no visit could be made: {e}"))?;
                let plan = VisitPlan {
                    url: address,
                    condition: Condition::default(),
                    supplier,
                    consent: None,
                    page_ms: PAGE_MS,
                    total_ms: CHECK_MS,
                    pictures: false,
                    delay_ms: 0,
                    prompt: None,
                };
                let opened = press(&browser, &plan, &selector).await;
                opened.map_err(|e| format!("the launcher could not be pressed: {e}"))?
            }
            None => Vec::new(),
        };
        Ok(ProposingVisit {
            seen,
            opened,
            picture,
        })
    }

    async fn read_slot(&self, address: &Url, token: &str) -> Result<SlotText, SlotError> {
        let body = self.call("GET", address, token, None).await?;
        Ok(SlotText {
            text: body["text"].as_str().unwrap_or_default().to_string(),
            version: body["version"].as_u64(),
            published: body["published"].as_bool(),
            rules: serde_json::from_value(body).unwrap_or_default(),
        })
    }

    async fn write_slot(
        &self,
        address: &Url,
        token: &str,
        text: &SlotText,
    ) -> Result<(), SlotError> {
        let body = json!({"text": text.text, "version": text.version});
        self.call("PUT", address, token, Some(&body))
            .await
            .map(|_| ())
    }

    async fn picture(&self, address: &Url) -> Result<Vec<u8>, String> {
        let http = self.http().await?;
        pictures::bytes_at(&http, address).await
    }

    async fn publish(&self, address: &Url, token: &str) -> Result<(), SlotError> {
        self.call("POST", address, token, Some(&json!({})))
            .await
            .map(|_| ())
    }

    async fn call(
        &self,
        method: &str,
        address: &Url,
        token: &str,
        body: Option<&Value>,
    ) -> Result<Value, SlotError> {
        let http = self.http().await.map_err(SlotError::Unreachable)?;
        let (status, told) = http
            .json(method, address, body, Some(token))
            .await
            .map_err(|f| SlotError::Unreachable(f.text))?;
        match status {
            200..=299 => Ok(told),
            401 | 403 => Err(SlotError::Token),
            409 => Err(SlotError::Conflict),
            other => Err(SlotError::Status(other)),
        }
    }
}
