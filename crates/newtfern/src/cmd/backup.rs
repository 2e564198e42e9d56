//! `newtfern admin backup` and `restore`: the database and the blobs in a folder with their sums;
//! the key that seals secrets apart from them, so that one stolen folder opens nothing.

use super::say;
use crate::config::{Place, SEAL_CHECK, check_seal};
use anyhow::{Context, Result, bail, ensure};
use newtfern_store::Store;
use newtfern_store::results::blobs::Blobs;
use newtfern_store::sealed::seal::Sealer;
use newtfern_store::server::backup;
use serde_json::{Value, json};
use sha2::Digest;
use std::collections::BTreeMap;
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

const DUMP: &str = "database.dump";
const ABOUT: &str = "newtfern.json";
/// Name of the file of check sums, in the form that `sha256sum --check` reads.
const SUMS: &str = "SHA256SUMS";

#[derive(clap::Args)]
pub struct BackupArgs {
    #[command(flatten)]
    place: Place,
    /// A new folder for the backup
    to: PathBuf,
    /// A new file for a copy of the key that seals tokens; keep it apart from the folder
    #[arg(long)]
    key_to: Option<PathBuf>,
}

#[derive(clap::Args)]
pub struct RestoreArgs {
    #[command(flatten)]
    place: Place,
    /// The backup's folder
    from: PathBuf,
    /// The copy of the key
    #[arg(long)]
    key: PathBuf,
}

/// Files below a folder, by their path within it.
fn files_in(folder: &Path) -> Result<BTreeMap<String, PathBuf>> {
    let mut found = BTreeMap::new();
    let mut folders = vec![folder.to_path_buf()];
    while let Some(next) = folders.pop() {
        let entries = match std::fs::read_dir(&next) {
            Ok(entries) => entries,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => continue,
            Err(e) => return Err(e).with_context(|| format!("cannot read {}", next.display())),
        };
        for entry in entries {
            let path = entry?.path();
            if path.is_dir() {
                folders.push(path);
            } else if let Ok(within) = path.strip_prefix(folder) {
                found.insert(within.to_string_lossy().into_owned(), path);
            }
        }
    }
    Ok(found)
}

fn sum(path: &Path) -> Result<String> {
    let mut file =
        std::fs::File::open(path).with_context(|| format!("cannot read {}", path.display()))?;
    let mut hasher = sha2::Sha256::new();
    std::io::copy(&mut file, &mut hasher)
        .with_context(|| format!("cannot read {}", path.display()))?;
    let bytes = hasher.finalize();
    Ok(bytes.iter().map(|b| format!("{b:02x}")).collect())
}

/// Copies what is not there yet.
async fn copy_new(from: &Blobs, to: &Path) -> Result<()> {
    for key in from.keys().await? {
        let target = to.join(&key);
        if target.exists() {
            continue;
        }
        // Pruned meanwhile: nothing refers to it any more.
        let Some(bytes) = from.get(&key).await? else {
            continue;
        };
        private_folder(target.parent().unwrap_or(to))?;
        write_new(&target, &bytes)?;
    }
    Ok(())
}

fn private_folder(path: &Path) -> Result<()> {
    let mut builder = std::fs::DirBuilder::new();
    builder.recursive(true).mode(0o700);
    let made = builder.create(path);
    made.with_context(|| format!("cannot make the folder {}", path.display()))
}

fn write_new(path: &Path, bytes: &[u8]) -> Result<()> {
    use std::io::Write;
    let mut options = std::fs::OpenOptions::new();
    let file = options.write(true).create_new(true).mode(0o600).open(path);
    let mut file = file.with_context(|| format!("cannot make the file {}", path.display()))?;
    file.write_all(bytes)
        .with_context(|| format!("cannot write {}", path.display()))
}

/// Writes a backup. A blob that the database's copy refers to is there: blobs are copied before and
/// after.
pub async fn backup(args: BackupArgs) -> Result<ExitCode> {
    let (to, place) = (&args.to, &args.place);
    ensure!(
        !to.exists(),
        "{} is there already: name a folder that is not",
        to.display()
    );
    let store = Store::connect(&place.database).await?;
    let key = place.folder.join("seal.key");
    let key =
        std::fs::read(&key).with_context(|| format!("cannot read the key {}", key.display()))?;
    private_folder(to)?;
    let (blobs, copies) = (place.blobs()?, to.join("blobs"));
    copy_new(&blobs, &copies).await?;
    let rows = store.row_counts().await?;
    backup::dump(&place.database, &to.join(DUMP)).await?;
    copy_new(&blobs, &copies).await?;
    let about = json!({
        "program": env!("CARGO_PKG_VERSION"),
        "made_at": jiff::Timestamp::now().to_string(),
        "rows_about": rows,
        SEAL_CHECK: store.settings().setting(SEAL_CHECK).await?,
    });
    write_new(
        &to.join(ABOUT),
        serde_json::to_string_pretty(&about)?.as_bytes(),
    )?;
    let mut sums = String::new();
    let files = files_in(to)?;
    for (within, path) in &files {
        sums += &format!("{}  {within}\n", sum(path)?);
    }
    write_new(&to.join(SUMS), sums.as_bytes())?;
    say(&format!(
        "{} files are in {}, with their sums.",
        files.len(),
        to.display()
    ));
    match &args.key_to {
        Some(path) => {
            write_new(path, &key)?;
            say(&format!("The key is in {}: keep it apart.", path.display()));
        }
        None => say(
            "The key is not in it. Without the key no kept token can be opened: keep a copy of \
            seal.key apart, or use --key-to.",
        ),
    }
    Ok(ExitCode::SUCCESS)
}

/// Every file of a backup has its sum, and nothing else is there.
fn check_sums(from: &Path) -> Result<()> {
    let text = std::fs::read_to_string(from.join(SUMS))
        .with_context(|| format!("{} is not a backup: it has no {SUMS}", from.display()))?;
    let mut files = files_in(from)?;
    files.remove(SUMS);
    for line in text.lines() {
        let (wanted, within) = line
            .split_once("  ")
            .context("the list of sums is damaged")?;
        let path = files
            .remove(within)
            .with_context(|| format!("{within} is missing from the backup"))?;
        ensure!(
            sum(&path)? == wanted,
            "{within} is damaged: its sum is another"
        );
    }
    if let Some(more) = files.keys().next() {
        bail!("{more} is not in the list of sums");
    }
    Ok(())
}

/// Fills an empty database and an empty folder from a backup; nothing is written before all of it
/// was found to be whole and the key to be the right one.
pub async fn restore(args: RestoreArgs) -> Result<ExitCode> {
    let (from, place) = (&args.from, &args.place);
    check_sums(from)?;
    let sealer = Sealer::read(&args.key)?
        .with_context(|| format!("there is no key {}", args.key.display()))?;
    let about: Value = serde_json::from_str(&std::fs::read_to_string(from.join(ABOUT))?)?;
    let check = about.get(SEAL_CHECK).filter(|v| !v.is_null()).cloned();
    check_seal(check, &sealer).with_context(|| format!("with the key {}", args.key.display()))?;
    let store = Store::connect(&place.database).await?;
    ensure!(
        store.is_empty().await?,
        "the database is not empty: restore into a new one"
    );
    private_folder(&place.folder)?;
    let blobs = place.blobs()?;
    let key = place.folder.join("seal.key");
    ensure!(
        blobs.keys().await?.is_empty() && !key.exists(),
        "{} is not empty: restore into a new folder",
        place
            .blobs
            .clone()
            .unwrap_or(place.folder.display().to_string())
    );
    backup::restore(&place.database, &from.join(DUMP)).await?;
    let mut copied = 0;
    for (key, path) in files_in(&from.join("blobs"))? {
        let bytes = std::fs::read(&path).with_context(|| format!("cannot read {key}"))?;
        blobs.put_back(&key, bytes).await?;
        copied += 1;
    }
    let bytes = std::fs::read(&args.key).context("cannot read the key")?;
    write_new(&key, &bytes)?;
    let rows: i64 = store.row_counts().await?.values().sum();
    say(&format!(
        "Restored what was there at {}: {rows} rows and {copied} blobs.",
        about["made_at"].as_str().unwrap_or("an unknown time")
    ));
    Ok(ExitCode::SUCCESS)
}
