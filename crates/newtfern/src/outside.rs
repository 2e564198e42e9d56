//! The acts' way outside, by the probe.

use async_trait::async_trait;
use newtfern_acts::{Looked, Outside, SlotError, SlotText};
use newtfern_core::platform::Platform;
use newtfern_probe::address_check;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use serde_json::json;
use url::Url;

pub struct Probe {
    public: Http,
    /// Used only while an administrator allows private addresses.
    private: Http,
    store: newtfern_store::Store,
}

impl Probe {
    pub fn new(store: newtfern_store::Store) -> anyhow::Result<Probe> {
        Ok(Probe {
            public: Http::new(
                Guard {
                    allow_private: false,
                },
                None,
            )?,
            private: Http::new(
                Guard {
                    allow_private: true,
                },
                None,
            )?,
            store,
        })
    }

    async fn http(&self) -> &Http {
        if self.store.allow_private().await.unwrap_or(false) {
            &self.private
        } else {
            &self.public
        }
    }
}

#[async_trait]
impl Outside for Probe {
    async fn look(&self, typed: &str, platforms: &[Platform], allow_private: bool) -> Looked {
        let http = if allow_private {
            &self.private
        } else {
            &self.public
        };
        let r = address_check::look(http, typed, platforms, allow_private).await;
        Looked {
            url: r.url,
            final_url: r.final_url,
            title: r.title,
            platform: r.platform,
            problem: r.problem,
            remarks: r.remarks,
        }
    }

    async fn read_slot(&self, address: &Url, token: &str) -> Result<SlotText, SlotError> {
        let (status, body) = self
            .http()
            .await
            .json("GET", address, None, Some(token))
            .await
            .map_err(|f| SlotError::Unreachable(f.text))?;
        match status {
            200 => Ok(SlotText {
                text: body["text"].as_str().unwrap_or_default().to_string(),
                version: body["version"].as_u64(),
            }),
            401 | 403 => Err(SlotError::Token),
            other => Err(SlotError::Status(other)),
        }
    }

    async fn write_slot(
        &self,
        address: &Url,
        token: &str,
        text: &SlotText,
    ) -> Result<(), SlotError> {
        let body = json!({"text": text.text, "version": text.version});
        let (status, _) = self
            .http()
            .await
            .json("PUT", address, Some(&body), Some(token))
            .await
            .map_err(|f| SlotError::Unreachable(f.text))?;
        match status {
            200..=299 => Ok(()),
            401 | 403 => Err(SlotError::Token),
            409 => Err(SlotError::Conflict),
            other => Err(SlotError::Status(other)),
        }
    }
}
