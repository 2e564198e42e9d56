//! Profiles from a folder: all `*.toml` below it, at any depth, in the order of their paths.

use anyhow::{Context, Result, ensure};
use newtfern_model::profiles::Profiles;
use std::path::{Path, PathBuf};

/// Files that are read of one folder.
const MOST_FILES: usize = 5_000;
/// Bytes of one file.
const MOST_BYTES: u64 = 1_000_000;
/// Levels of folders that are read.
const MOST_DEPTH: usize = 20;

/// Reads every profile in a folder.
pub fn read(folder: &Path) -> Result<Profiles> {
    let mut profiles = Profiles::default();
    for (name, text) in texts(Some(folder))? {
        profiles.add(&name, &text)?;
    }
    Ok(profiles)
}

/// The texts of a folder by their paths in it; none where no folder is given.
pub fn texts(folder: Option<&Path>) -> Result<Vec<(String, String)>> {
    let Some(folder) = folder else {
        return Ok(Vec::new());
    };
    ensure!(
        folder.is_dir(),
        "{} is not a folder: --profiles names one with TOML files",
        folder.display()
    );
    let mut files = Vec::new();
    find(folder, 0, &mut files)?;
    files.sort();
    let mut texts = Vec::new();
    for path in files {
        let size = std::fs::metadata(&path).map_or(0, |m| m.len());
        ensure!(
            size <= MOST_BYTES,
            "{} is longer than {MOST_BYTES} bytes, which is not a profile",
            path.display()
        );
        let text = std::fs::read_to_string(&path)
            .with_context(|| format!("cannot read {} as UTF-8 text", path.display()))?;
        let name = path.strip_prefix(folder).unwrap_or(&path);
        texts.push((name.display().to_string(), text));
    }
    Ok(texts)
}

fn find(folder: &Path, depth: usize, out: &mut Vec<PathBuf>) -> Result<()> {
    ensure!(
        depth <= MOST_DEPTH,
        "{} lies deeper than {MOST_DEPTH} folders",
        folder.display()
    );
    let entries =
        std::fs::read_dir(folder).with_context(|| format!("cannot read {}", folder.display()))?;
    for entry in entries {
        let entry = entry.with_context(|| format!("cannot read {}", folder.display()))?;
        let path = entry.path();
        // A link to a folder may lead round in a circle.
        let kind = entry
            .file_type()
            .with_context(|| format!("cannot read {}", path.display()))?;
        if kind.is_dir() {
            find(&path, depth + 1, out)?;
        } else if path.extension().is_some_and(|e| e == "toml") {
            ensure!(
                out.len() < MOST_FILES,
                "{} holds more than {MOST_FILES} profiles",
                folder.display()
            );
            out.push(path);
        }
    }
    Ok(())
}
