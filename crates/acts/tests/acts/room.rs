//! Acts over a database of their own, with nobody outside.

use async_trait::async_trait;
use newtfern_acts::{Actor, Acts, AddressReport, Outside, ProposingVisit, SlotError, SlotText};
use newtfern_model::pages::PageCopy;
use newtfern_model::platform::Platform;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_model::site::SiteFields;
use newtfern_store::Store;
use newtfern_store::results::blobs::Blobs;
use newtfern_store::sealed::seal::Sealer;
use newtfern_store::server::scratch;
use newtfern_verdict::brand::BrandSheet;
use serde_json::Value;
use std::sync::Arc;
use url::Url;

/// Whatever is asked outside, nothing comes.
struct Nobody;

#[async_trait]
impl Outside for Nobody {
    async fn look(&self, _: &str, _: &[Platform]) -> AddressReport {
        AddressReport::default()
    }
    async fn page(&self, address: &Url) -> PageCopy {
        PageCopy::lost(address, "nobody is there")
    }
    async fn picture(&self, _: &Url) -> Result<Vec<u8>, String> {
        Err("nobody is there".into())
    }
    async fn visit(&self, _: &Url, _: &Supplier) -> Result<ProposingVisit, String> {
        Err("nobody is there".into())
    }
    async fn read_slot(&self, _: &Url, _: &str) -> Result<SlotText, SlotError> {
        Err(SlotError::Unreachable("nobody is there".into()))
    }
    async fn write_slot(&self, _: &Url, _: &str, _: &SlotText) -> Result<(), SlotError> {
        Err(SlotError::Unreachable("nobody is there".into()))
    }
    async fn call(&self, _: &str, _: &Url, _: &str, _: Option<&Value>) -> Result<Value, SlotError> {
        Err(SlotError::Unreachable("nobody is there".into()))
    }
    async fn publish(&self, _: &Url, _: &str) -> Result<(), SlotError> {
        Err(SlotError::Unreachable("nobody is there".into()))
    }
}

/// Acts, and the folder of their key and blobs.
pub struct Room {
    pub acts: Acts,
    pub store: Store,
    _folder: tempfile::TempDir,
    _scratch: scratch::Scratch,
}

/// A room with the stand-ins' profiles and no site.
pub async fn room() -> Room {
    let server = std::env::var(scratch::SERVER).expect(
        "NEWTFERN_TEST_DATABASE is not set: run \
        ./run test, or newtfern admin with-database cargo test",
    );
    let (store, address) = scratch::with_address(&server).await.unwrap();
    let folder = tempfile::tempdir().unwrap();
    let (supplier, consent) = (
        newtfern_standins::supplier_profile(80),
        newtfern_standins::consent_profile(),
    );
    let platform = newtfern_standins::platform_profile();
    let mut tx = store.begin().await.unwrap();
    tx.put_supplier(&Supplier::from_toml(&supplier).unwrap(), &supplier)
        .await
        .unwrap();
    tx.put_platform(&Platform::from_toml(platform).unwrap(), platform)
        .await
        .unwrap();
    tx.put_consent(&ConsentManager::from_toml(consent).unwrap(), consent)
        .await
        .unwrap();
    tx.commit().await.unwrap();
    let blobs = Blobs::folder(&folder.path().join("blobs")).unwrap();
    let sealer = Sealer::from_file(&folder.path().join("key")).unwrap();
    Room {
        acts: Acts::new(store.clone(), blobs, sealer, Arc::new(Nobody)),
        store,
        _folder: folder,
        _scratch: scratch::Scratch::of(&server, &address),
    }
}

pub fn actor() -> Actor {
    Actor::program("test")
}

impl Room {
    pub async fn client(&self, name: &str) -> i64 {
        let sheet = BrandSheet::default();
        self.acts
            .clients()
            .add_client(&actor(), name, &sheet)
            .await
            .unwrap()
    }

    pub async fn site(&self, client: i64, fields: SiteFields) -> i64 {
        let who = actor();
        let added = self.acts.sites().add_site(&who, client, fields, true);
        added.await.unwrap().id
    }
}
