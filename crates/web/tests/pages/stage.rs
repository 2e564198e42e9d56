//! The outside of the page tests: it answers from memory.

use async_trait::async_trait;
use newtfern_acts::{AddressReport, Outside, ProposingVisit, SlotError, SlotText};
use newtfern_model::pages::PageCopy;
use newtfern_model::pages::beside::PageRuleReport;
use newtfern_model::platform::Platform;
use newtfern_model::profile::Supplier;
use newtfern_standards::address;
use newtfern_standards::observation::{FixedElement, Observation, Rect};
use newtfern_store::Store;
use sqlx::PgPool;
use std::collections::HashMap;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use url::Url;

/// The outside of the tests: slots in memory, and what goes wrong when it is told to.
#[derive(Default)]
pub struct Stage {
    pub slots: Mutex<HashMap<String, (String, u64)>>,
    /// What looking at any address answers as a problem.
    pub problem: Mutex<Option<String>>,
    /// What reading or writing any slot fails with.
    pub failing: Mutex<Option<SlotError>>,
    pub tokens: Mutex<Vec<String>>,
    /// The tag manager.
    pub tags: Mutex<Tags>,
    /// A slot that cannot be written.
    pub refused: Mutex<Option<String>>,
    /// Page rules of the extension that a slot belongs to, by the slot's address.
    pub rules: Mutex<HashMap<String, PageRuleReport>>,
    /// Settings at a supplier's console, by their address.
    pub settings: Mutex<HashMap<String, serde_json::Value>>,
    /// The console takes settings, and keeps none of them.
    pub deaf: AtomicBool,
    /// What a browser sees, by address.
    pub visits: Mutex<HashMap<String, Observation>>,
    /// Documents by address.
    pub pages: Mutex<HashMap<String, String>>,
    /// The house's one connection.
    pool: Option<PgPool>,
}

/// A tag manager with one set, as `docs/add-a-tag-manager.md` says it.
#[derive(Default)]
pub struct Tags {
    pub set: serde_json::Value,
    pub versions: Vec<serde_json::Value>,
}

impl Tags {
    fn answer(
        &mut self,
        method: &str,
        address: &Url,
        body: Option<&serde_json::Value>,
    ) -> serde_json::Value {
        let body = body.cloned().unwrap_or_default();
        match (method, address.path().ends_with("/publish")) {
            ("PUT", _) => {
                self.set["tags"] = body["tags"].clone();
                self.set["version"] = (self.set["version"].as_u64().unwrap_or(0) + 1).into();
            }
            ("POST", true) => {
                let tags = match body["version"].as_u64() {
                    Some(v) => self.versions[v as usize - 1].clone(),
                    None => self.set["tags"].clone(),
                };
                self.versions.push(tags.clone());
                self.set["published"] = serde_json::json!({"version": self.versions.len(),
                    "note": body["note"], "tags": tags});
            }
            _ => {}
        }
        self.set.clone()
    }
}

impl Stage {
    /// An outside that notices who holds a connection of this store while it is asked.
    pub fn over(store: &Store) -> Stage {
        Stage {
            pool: Some(store.pool.clone()),
            ..Stage::default()
        }
    }

    /// An outside may take for ever to answer: no transaction stays open meanwhile.
    async fn nobody_holds_a_connection(&self) {
        if let Some(pool) = &self.pool {
            let free = pool.acquire().await;
            free.expect("a transaction is open during a call outside");
        }
    }

    fn fails(&self, token: &str) -> Result<(), SlotError> {
        self.tokens.lock().unwrap().push(token.to_string());
        self.failing.lock().unwrap().clone().map_or(Ok(()), Err)
    }

    pub fn held(&self, address: &str) -> String {
        self.slots
            .lock()
            .unwrap()
            .get(address)
            .map(|(text, _)| text.clone())
            .unwrap_or_default()
    }

    /// This slot cannot be written from now on.
    pub fn refuse(&self, address: &str) {
        *self.refused.lock().unwrap() = Some(address.to_string());
    }

    /// Somebody else writes into the slot.
    pub fn put(&self, address: &str, text: &str) {
        let mut slots = self.slots.lock().unwrap();
        let version = slots.get(address).map_or(1, |(_, v)| v + 1);
        slots.insert(address.to_string(), (text.to_string(), version));
    }
}

#[async_trait]
impl Outside for Stage {
    async fn look(&self, typed: &str, platforms: &[Platform]) -> AddressReport {
        self.nobody_holds_a_connection().await;
        let problem = address::parse(typed)
            .err()
            .map(|e| format!("{e}."))
            .or_else(|| self.problem.lock().unwrap().clone());
        AddressReport {
            url: typed.into(),
            final_url: typed.into(),
            title: if problem.is_none() {
                "Kites for every wind".into()
            } else {
                String::new()
            },
            platform: problem
                .is_none()
                .then(|| {
                    platforms
                        .iter()
                        .find(|p| p.interface.is_some())
                        .map(|p| p.id.clone())
                })
                .flatten(),
            problem,
            remarks: vec![],
        }
    }

    async fn page(&self, address: &Url) -> PageCopy {
        self.nobody_holds_a_connection().await;
        let mut copy = PageCopy::lost(address, "no such page on this stage");
        if let Some(html) = self.pages.lock().unwrap().get(address.as_str()) {
            copy.page.failure = None;
            copy.page.status = Some(200);
            copy.page.html.clone_from(html);
        }
        copy
    }

    async fn picture(&self, address: &Url) -> Result<Vec<u8>, String> {
        self.nobody_holds_a_connection().await;
        match address.path() {
            "/ida.png" => Ok(b"\x89PNG\r\n\x1a\nand so on".to_vec()),
            "/code.svg" => Ok(b"<svg onload=alert(1)>".to_vec()),
            _ => Err("its address answers with status 404".into()),
        }
    }

    async fn visit(&self, address: &Url, _: &Supplier) -> Result<ProposingVisit, String> {
        self.nobody_holds_a_connection().await;
        let seen = self.visits.lock().unwrap().get(address.as_str()).cloned();
        let seen = seen.ok_or("no such page on this stage")?;
        let panel = FixedElement {
            element: "div#stage-panel".into(),
            rect: Rect {
                width: 320.0,
                height: 480.0,
                ..Rect::default()
            },
            ..FixedElement::default()
        };
        Ok(ProposingVisit {
            seen,
            opened: vec![panel],
            picture: Some(b"picture".to_vec()),
        })
    }

    async fn read_slot(&self, address: &Url, token: &str) -> Result<SlotText, SlotError> {
        self.nobody_holds_a_connection().await;
        self.fails(token)?;
        let slots = self.slots.lock().unwrap();
        let (text, version) = slots.get(address.as_str()).cloned().unwrap_or_default();
        Ok(SlotText {
            text,
            version: Some(version),
            published: None,
            rules: self
                .rules
                .lock()
                .unwrap()
                .get(address.as_str())
                .cloned()
                .unwrap_or_default(),
        })
    }

    async fn call(
        &self,
        method: &str,
        address: &Url,
        token: &str,
        body: Option<&serde_json::Value>,
    ) -> Result<serde_json::Value, SlotError> {
        self.nobody_holds_a_connection().await;
        self.fails(token)?;
        if let Some(settings) = self.settings.lock().unwrap().get_mut(address.as_str()) {
            if method == "PUT" {
                let taken = body.and_then(|b| b.as_object().cloned());
                let taken = taken.filter(|_| !self.deaf.load(Ordering::Relaxed));
                settings
                    .as_object_mut()
                    .unwrap()
                    .extend(taken.unwrap_or_default());
            }
            return Ok(settings.clone());
        }
        Ok(self.tags.lock().unwrap().answer(method, address, body))
    }

    async fn publish(&self, _: &Url, token: &str) -> Result<(), SlotError> {
        self.nobody_holds_a_connection().await;
        self.fails(token)
    }

    async fn write_slot(
        &self,
        address: &Url,
        token: &str,
        text: &SlotText,
    ) -> Result<(), SlotError> {
        self.nobody_holds_a_connection().await;
        self.fails(token)?;
        if self.refused.lock().unwrap().as_deref() == Some(address.as_str()) {
            return Err(SlotError::Status(500));
        }
        let mut slots = self.slots.lock().unwrap();
        let held = slots.entry(address.to_string()).or_default();
        if text.version != Some(held.1) {
            return Err(SlotError::Conflict);
        }
        *held = (text.text.clone(), held.1 + 1);
        Ok(())
    }
}
