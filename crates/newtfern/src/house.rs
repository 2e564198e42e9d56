//! Opening the house: database, blobs, the sealing key, the way outside, from the command line's words or
//! the environment.

use crate::outside::Probe;
use anyhow::{Context, Result};
use newtfern_acts::Acts;
use newtfern_core::platform::Platform;
use newtfern_store::Store;
use newtfern_store::blobs::Blobs;
use newtfern_store::seal::Sealer;
use std::path::PathBuf;
use std::sync::Arc;

#[derive(clap::Args, Clone)]
pub struct Place {
    /// PostgreSQL's address, postgres://user@host/database
    #[arg(long, env = "NEWTFERN_DATABASE")]
    pub database: String,
    /// Folder for pictures and files, and for this installation's key; shared by all workers
    #[arg(long, env = "NEWTFERN_FOLDER", default_value = "newtfern-data")]
    pub folder: PathBuf,
}

pub async fn open(place: &Place) -> Result<Acts> {
    let store = Store::connect(&place.database).await?;
    store.migrate().await?;
    std::fs::create_dir_all(&place.folder)
        .with_context(|| format!("cannot make the folder {}", place.folder.display()))?;
    let blobs = Blobs::folder(&place.folder.join("blobs"))?;
    let key = place.folder.join("seal.key");
    let sealer = Sealer::from_file(&key)
        .with_context(|| format!("cannot read or make the key {}", key.display()))?;
    seed_platforms(&store).await?;
    let outside = Arc::new(Probe::new(store.clone())?);
    Ok(Acts::new(store, blobs, sealer, outside))
}

/// The generic kinds of platform that ship.
async fn seed_platforms(store: &Store) -> Result<()> {
    let mut tx = store.begin().await?;
    for text in [
        include_str!("../../../profiles/platforms/plugin-cms.toml"),
        include_str!("../../../profiles/platforms/hand-written.toml"),
        include_str!("../../../profiles/platforms/script-built.toml"),
    ] {
        let platform = Platform::from_toml(text).context("a shipped platform profile")?;
        tx.put_platform(&platform, text).await?;
    }
    Ok(tx.commit().await?)
}
