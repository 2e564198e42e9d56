//! Opening the house: database, blobs, the sealing key, from the command line's words or the environment.

use anyhow::{Context, Result};
use newtfern_store::Store;
use newtfern_store::blobs::Blobs;
use newtfern_store::seal::Sealer;
use std::path::PathBuf;

#[derive(clap::Args, Clone)]
pub struct Place {
    /// PostgreSQL's address, postgres://user@host/database
    #[arg(long, env = "NEWTFERN_DATABASE")]
    pub database: String,
    /// Folder for pictures and files, and for this installation's key; shared by all workers
    #[arg(long, env = "NEWTFERN_FOLDER", default_value = "newtfern-data")]
    pub folder: PathBuf,
}

#[derive(Clone)]
pub struct House {
    pub store: Store,
    pub blobs: Blobs,
    pub sealer: Sealer,
}

pub async fn open(place: &Place) -> Result<House> {
    let store = Store::connect(&place.database).await?;
    store.migrate().await?;
    std::fs::create_dir_all(&place.folder)
        .with_context(|| format!("cannot make the folder {}", place.folder.display()))?;
    let blobs = Blobs::folder(&place.folder.join("blobs"))?;
    let key = place.folder.join("seal.key");
    let sealer = Sealer::from_file(&key)
        .with_context(|| format!("cannot read or make the key {}", key.display()))?;
    seed_platforms(&store).await?;
    Ok(House {
        store,
        blobs,
        sealer,
    })
}

/// The generic kinds of platform that ship.
async fn seed_platforms(store: &Store) -> Result<()> {
    for text in [
        include_str!("../../../profiles/platforms/plugin-cms.toml"),
        include_str!("../../../profiles/platforms/hand-written.toml"),
        include_str!("../../../profiles/platforms/script-built.toml"),
    ] {
        let platform = newtfern_core::platform::Platform::from_toml(text)
            .context("a shipped platform profile")?;
        store.put_platform(&platform, text).await?;
    }
    Ok(())
}
