//! Inputs that went a way of their own through a parser, kept in `crates/bench/corpus/`, one file a
//! target: a run begins with them and goes on from them.

use crate::target::Target;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

/// Ways of one target that are kept in the repository, and inputs of so many bytes.
const MOST: usize = 40;
const MOST_BYTES: usize = 1_200;
/// Ways that are followed within a run.
const MOST_FOLLOWED: usize = 400;

/// Inputs by the shape of the answer, the shortest for each.
pub struct Corpus {
    path: PathBuf,
    ways: HashMap<u64, String>,
}

impl Corpus {
    /// The kept inputs of a target, tried again: what panics then is a find of its own.
    pub fn of(target: &Target, folder: &Path) -> anyhow::Result<Corpus> {
        let path = folder.join(format!("{}.json", target.name.replace(' ', "-")));
        let kept: Vec<String> = match std::fs::read_to_string(&path) {
            Ok(text) => serde_json::from_str(&text)?,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => Vec::new(),
            Err(e) => return Err(e.into()),
        };
        let mut corpus = Corpus {
            path,
            ways: HashMap::new(),
        };
        for input in target.seeds.iter().cloned().chain(kept) {
            let shape = (target.run)(input.as_bytes());
            corpus.note(shape, input.as_bytes());
        }
        Ok(corpus)
    }

    /// Notes an input. True where its way is new.
    pub fn note(&mut self, shape: u64, input: &[u8]) -> bool {
        let known = self.ways.get(&shape);
        let shorter = known.is_some_and(|k| input.len() < k.len() / 2);
        if known.is_some() && !shorter || known.is_none() && self.ways.len() >= MOST_FOLLOWED {
            return false;
        }
        let text = String::from_utf8_lossy(input).into_owned();
        self.ways.insert(shape, text).is_none()
    }

    /// Returns the number of known ways.
    pub fn ways(&self) -> usize {
        self.ways.len()
    }

    /// Returns the inputs to go on from.
    pub fn inputs(&self) -> Vec<String> {
        self.ways.values().cloned().collect()
    }

    /// Keeps some of all lengths: short ones are mostly refused at once, long ones go deep.
    pub fn keep(&self) -> anyhow::Result<()> {
        let mut inputs = self.inputs();
        inputs.retain(|i| i.len() <= MOST_BYTES);
        inputs.sort_by(|a, b| (a.len(), a).cmp(&(b.len(), b)));
        let (all, mut n) = (inputs.len().max(1), 0);
        inputs.retain(|_| {
            n += 1;
            all <= MOST || n * MOST / all > (n - 1) * MOST / all
        });
        Ok(std::fs::write(
            &self.path,
            serde_json::to_string_pretty(&inputs)? + "\n",
        )?)
    }
}
