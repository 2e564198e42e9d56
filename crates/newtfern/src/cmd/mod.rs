//! One file a verb.

pub mod admin;
pub mod backup;
pub mod check;
pub mod check_site;
pub mod demo;
pub mod derive;
mod guarded;
pub mod serve;
pub mod survey;
pub mod weigh;
pub mod worker;

use anyhow::{Context, Result};
use newtfern_model::profile::Supplier;
use std::path::Path;

/// Resolves when the program is asked to stop, by a person (Ctrl-C) or by what runs it (SIGTERM).
pub async fn asked_to_stop() {
    use tokio::signal::unix::{SignalKind, signal};
    match signal(SignalKind::terminate()) {
        Ok(mut terminate) => tokio::select! {
            _ = tokio::signal::ctrl_c() => {}
            _ = terminate.recv() => {}
        },
        Err(_) => {
            let _ = tokio::signal::ctrl_c().await;
        }
    }
}

/// Output for people and pipes; a closed pipe is no error.
pub fn say(text: &str) {
    use std::io::Write;
    let mut out = std::io::stdout().lock();
    let _ = writeln!(out, "{text}");
    let _ = out.flush();
}

pub fn read_supplier(path: &Path) -> Result<Supplier> {
    let text = std::fs::read_to_string(path)
        .with_context(|| format!("cannot read the supplier profile {}", path.display()))?;
    Supplier::given(&text).with_context(|| format!("in {}", path.display()))
}
