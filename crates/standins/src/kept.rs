//! What stand-ins hold, kept in a file between starts.

use serde::Serialize;
use serde::de::DeserializeOwned;
use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::{Mutex, MutexGuard, PoisonError};

pub(crate) struct Kept<T> {
    port: u16,
    path: Option<PathBuf>,
    held: Mutex<HashMap<String, T>>,
}

impl<T: Serialize + DeserializeOwned> Kept<T> {
    /// Opens the memory as it was left. The port is part of the code in it: after a change of port
    /// it is written anew.
    pub fn new(port: u16, path: Option<PathBuf>) -> Kept<T> {
        let text = path.as_ref().and_then(|p| std::fs::read_to_string(p).ok());
        let left = text.and_then(|t| serde_json::from_str::<(u16, serde_json::Value)>(&t).ok());
        let held = left.and_then(|(before, held)| {
            let moved = held
                .to_string()
                .replace(&format!(":{before}/"), &format!(":{port}/"));
            serde_json::from_str(&moved).ok()
        });
        Kept {
            port,
            path,
            held: Mutex::new(held.unwrap_or_default()),
        }
    }

    pub fn lock(&self) -> MutexGuard<'_, HashMap<String, T>> {
        self.held.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Writes the content to its file.
    pub fn remember(&self) {
        let Some(path) = &self.path else { return };
        if let Ok(text) = serde_json::to_string(&(self.port, &*self.lock()))
            && let Err(error) = std::fs::write(path, text)
        {
            tracing::warn!("the stand-ins cannot keep their state: {error}");
        }
    }
}
