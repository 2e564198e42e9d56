//! Keeps what the program saw as records for the core's tests, where `record.sh` asks for them.

use serde_json::Value;
use std::path::PathBuf;

/// One run of the program that may be kept.
pub struct Recording {
    folder: Option<PathBuf>,
}

impl Recording {
    pub fn wanted() -> Recording {
        Recording {
            folder: std::env::var_os("NEWTFERN_RECORDS").map(PathBuf::from),
        }
    }

    fn raw(&self) -> Option<PathBuf> {
        Some(self.folder.as_ref()?.join("new.json"))
    }

    /// What the program is told beside the rest.
    pub fn args(&self) -> Vec<String> {
        let raw = self.raw().map(|path| path.to_string_lossy().into_owned());
        raw.map_or(Vec::new(), |raw| vec!["--record".into(), raw])
    }

    /// Under the codes that it had; the first of each is kept.
    pub fn keep(&self, told: &Value) {
        let Some((folder, raw)) = self.folder.as_ref().zip(self.raw()) else {
            return;
        };
        let findings = told["findings"].as_array();
        let mut names: Vec<&str> = findings
            .map(|all| all.iter().filter_map(|f| f["code"].as_str()).collect())
            .unwrap_or_default();
        names.dedup();
        let more = match names.len() {
            0 | 1 => String::new(),
            n => format!("-and-{}-more", n - 1),
        };
        let first = names.first().copied().unwrap_or("nothing");
        let name = folder.join(format!("{first}{more}.json"));
        // A wrong argument leaves none.
        if raw.exists() && !name.exists() {
            std::fs::rename(raw, name).unwrap();
        }
    }
}
