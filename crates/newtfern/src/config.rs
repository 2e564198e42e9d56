//! Opening the house: database, blobs, the sealing key, the way outside, from the command line's
//! words or the environment.

use crate::slot_access::Probe;
use anyhow::{Context, Result, bail, ensure};
use newtfern_acts::Acts;
use newtfern_model::profile_form::{ProfileReport, look};
use newtfern_model::profiles::ProfileKind;
use newtfern_store::Store;
use newtfern_store::profile::profile_room::NewProfile;
use newtfern_store::profile::profiles::SHIPPED_REGIONS;
use newtfern_store::results::blobs::Blobs;
use newtfern_store::sealed::seal::Sealer;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::sync::Arc;

#[derive(clap::Args, Clone)]
pub struct Place {
    /// PostgreSQL's address, postgres://user@host/database
    #[arg(long, env = "NEWTFERN_DATABASE")]
    pub database: String,
    /// Folder for pictures and files, and for this installation's key; shared by all workers
    #[arg(long, env = "NEWTFERN_FOLDER", default_value = "newtfern-data")]
    pub folder: PathBuf,
    /// Where pictures and files are instead, for several machines: s3://BUCKET/PREFIX (server,
    /// region and keys from AWS_ENDPOINT_URL, AWS_REGION, AWS_ACCESS_KEY_ID, AWS_SECRET_ACCESS_KEY)
    #[arg(long, env = "NEWTFERN_BLOBS")]
    pub blobs: Option<String>,
}

impl Place {
    /// Opens the store of pictures and files.
    pub fn blobs(&self) -> Result<Blobs> {
        match &self.blobs {
            Some(bucket) => Ok(Blobs::bucket(bucket)?),
            None => Ok(Blobs::folder(&self.folder.join("blobs"))?),
        }
    }
}

pub async fn open(place: &Place) -> Result<Acts> {
    open_over(place, connect(place).await?).await
}

/// Connects to the database and brings it to this version.
pub async fn connect(place: &Place) -> Result<Store> {
    let store = Store::connect(&place.database).await?;
    store.migrate().await?;
    Ok(store)
}

/// Opens the application over a database that is open already. As [`open`] otherwise.
pub async fn open_over(place: &Place, store: Store) -> Result<Acts> {
    std::fs::create_dir_all(&place.folder)
        .with_context(|| format!("cannot make the folder {}", place.folder.display()))?;
    let blobs = place.blobs()?;
    let key = place.folder.join("seal.key");
    let sealer = sealer(&store, &key).await?;
    ship_profiles(&store).await?;
    let outside = Arc::new(Probe::new(store.clone()));
    Ok(Acts::new(store, blobs, sealer, outside))
}

pub const SEAL_CHECK: &str = "seal_check";
const SEAL_PLACE: &str = "this installation";

/// The key of this installation. It is made at the first start only: a new one in place of one that
/// is missing would leave every kept token closed, and nobody would know why.
async fn sealer(store: &Store, path: &Path) -> Result<Sealer> {
    let unreadable = || format!("cannot read or make the key {}", path.display());
    let kept = store.settings().setting(SEAL_CHECK).await?;
    if kept.is_some() {
        let Some(sealer) = Sealer::read(path).with_context(unreadable)? else {
            bail!(
                "the key {} is missing, which opens this database's secrets: put its copy back \
                there, or name its folder by --folder",
                path.display()
            );
        };
        check_seal(kept, &sealer).with_context(|| format!("with the key {}", path.display()))?;
        return Ok(sealer);
    }
    let sealer = Sealer::from_file(path).with_context(unreadable)?;
    let sealed = sealer.seal(SEAL_PLACE, SEAL_CHECK)?;
    let mut tx = store.begin().await?;
    tx.set_setting(SEAL_CHECK, &json!(sealed)).await?;
    tx.commit().await?;
    Ok(sealer)
}

/// Checks that this is the key that the secrets beside this value were sealed with.
pub fn check_seal(kept: Option<Value>, sealer: &Sealer) -> Result<()> {
    let Some(kept) = kept else {
        return Ok(());
    };
    let sealed: Vec<u8> = serde_json::from_value(kept).context("the seal's check is damaged")?;
    let opened = sealer.open(SEAL_PLACE, &sealed);
    ensure!(
        opened.is_ok(),
        "the key is not the one that these secrets were sealed with: take the copy of seal.key \
        that belongs to this database"
    );
    Ok(())
}

/// The profiles that ship with the program; those that nobody changed follow it.
async fn ship_profiles(store: &Store) -> Result<()> {
    let platforms = [
        include_str!("../../../profiles/platforms/plugin-cms.toml"),
        include_str!("../../../profiles/platforms/theme-shop.toml"),
        include_str!("../../../profiles/platforms/page-builder.toml"),
        include_str!("../../../profiles/platforms/listing-host.toml"),
        include_str!("../../../profiles/platforms/script-built.toml"),
        include_str!("../../../profiles/platforms/desktop-export.toml"),
        include_str!("../../../profiles/platforms/hand-written.toml"),
        include_str!("../../../profiles/platforms/static-generator.toml"),
        include_str!("../../../profiles/platforms/tag-manager.toml"),
    ];
    let platforms = platforms.map(|text| (ProfileKind::Platform, text));
    let regions = SHIPPED_REGIONS.map(|text| (ProfileKind::Region, text));
    let click_to_load = include_str!("../../../profiles/consent/click-to-load.toml");
    let consent = [(ProfileKind::ConsentManager, click_to_load)];
    let mut tx = store.begin().await?;
    for (kind, text) in platforms.into_iter().chain(regions).chain(consent) {
        let ProfileReport {
            id, name, problems, ..
        } = look(kind, text);
        ensure!(
            problems.is_empty(),
            "the shipped profile {id}: {problems:?}"
        );
        let new = NewProfile {
            kind,
            id: &id,
            name: &name,
            text,
        };
        tx.ship_profile(new).await?;
    }
    Ok(tx.commit().await?)
}
