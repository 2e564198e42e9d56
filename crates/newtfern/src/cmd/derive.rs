//! `newtfern derive`: a supplier profile from a pasted snippet.

use super::say;
use anyhow::{Context, Result};
use newtfern_model::derive::{MOST_PASTE, derive};
use std::io::Read;
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(clap::Args)]
pub struct Args {
    /// The file with the snippet; without one it is read from standard input
    file: Option<PathBuf>,
}

pub fn run(args: &Args) -> Result<ExitCode> {
    let most = MOST_PASTE as u64 + 1;
    let mut bytes = Vec::new();
    match &args.file {
        Some(path) => {
            let file = std::fs::File::open(path);
            let file = file.with_context(|| format!("cannot read {}", path.display()))?;
            file.take(most)
                .read_to_end(&mut bytes)
                .with_context(|| format!("cannot read {}", path.display()))?;
        }
        None => {
            let read = std::io::stdin().lock().take(most).read_to_end(&mut bytes);
            read.context("cannot read the standard input")?;
        }
    }
    let derived = derive(&String::from_utf8_lossy(&bytes))?;
    say(derived.toml().trim_end());
    Ok(ExitCode::SUCCESS)
}
