//! `./run fuzz SECONDS [TARGET...]`: every parser of texts from outside, fed with mutated real ones, on
//! the stable toolchain. A panic, or an input that takes longer than a second, is a find: it is printed,
//! kept in `target/fuzz/`, and should become a test beside its parser.

mod corpus;
mod sites;
mod targets;

use corpus::Corpus;
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::time::{Duration, Instant};
use targets::Target;

const SLOW: Duration = Duration::from_secs(1);
/// Longer inputs only make each run slower; bounds have tests of their own.
const MOST_BYTES: usize = 4_000;

/// Pieces that parsers take for the beginning or the end of something.
const WORDS: &[&str] = &[
    "<script",
    "</script>",
    "<!--",
    "-->",
    "<template>",
    "<textarea>",
    "\"",
    "'",
    "`",
    "\u{201d}",
    "\u{a0}",
    "&lt;",
    "&#60;",
    "//",
    "/*",
    "*/",
    "\\",
    "${",
    "}",
    "=",
    ";",
    ",",
    "\r\n",
    "\0",
    "'self'",
    "script-src",
    "nonce-",
    "*",
    "https://",
    "[::1]",
    "127.1",
    "xn--",
    "%00",
    "{{key}}",
    "[",
    "]]",
    "\u{feff}",
    "'''",
    "1e999",
    "-0",
    "null",
    "{\"",
    "setTimeout(",
    "innerHTML",
];

/// One to six small changes.
fn mutate(random: &mut SmallRng, seed: &str, other: &str) -> Vec<u8> {
    let mut bytes = seed.as_bytes().to_vec();
    for _ in 0..random.random_range(1..=6) {
        let at = random.random_range(0..=bytes.len());
        let end = (at + random.random_range(0..24)).min(bytes.len());
        match random.random_range(0..7) {
            0 if at < bytes.len() => bytes[at] ^= 1 << random.random_range(0..8),
            1 => drop(bytes.drain(at..end)),
            2 => {
                let word = WORDS[random.random_range(0..WORDS.len())];
                bytes.splice(at..at, word.bytes());
            }
            3 => {
                let piece = bytes[at..end].to_vec();
                let times = random.random_range(1..40);
                bytes.splice(at..at, piece.repeat(times));
            }
            4 => {
                let from = random.random_range(0..=other.len());
                let piece = &other.as_bytes()[from..(from + 40).min(other.len())];
                bytes.splice(at..at, piece.iter().copied());
            }
            5 => bytes.truncate(at),
            _ => {
                let word = WORDS[random.random_range(0..WORDS.len())];
                bytes.splice(at..end, word.bytes());
            }
        }
    }
    bytes.truncate(MOST_BYTES);
    bytes
}

/// When a target has run enough.
#[derive(Clone, Copy)]
enum Enough {
    Time(Duration),
    Runs(u64),
}

/// Runs a target; gives how many runs, and the finds. An input that goes a new way is gone on from.
fn fuzz(target: &Target, corpus: &mut Corpus, enough: Enough, seed: u64) -> (u64, Vec<Vec<u8>>) {
    let mut random = SmallRng::seed_from_u64(seed);
    let (mut runs, mut finds) = (0, Vec::new());
    let mut seeds = corpus.inputs();
    let began = Instant::now();
    let more = |runs: u64| match enough {
        Enough::Time(time) => began.elapsed() < time,
        Enough::Runs(most) => runs < most,
    };
    while more(runs) && finds.len() < 5 {
        let pick = |random: &mut SmallRng| random.random_range(0..seeds.len());
        let (one, other) = (pick(&mut random), pick(&mut random));
        let input = mutate(&mut random, &seeds[one], &seeds[other]);
        let asked = Instant::now();
        let held = catch_unwind(AssertUnwindSafe(|| (target.run)(&input)));
        match held {
            Ok(shape) if asked.elapsed() <= SLOW => {
                if corpus.note(shape, &input) {
                    seeds.push(String::from_utf8_lossy(&input).into_owned());
                }
            }
            _ => finds.push(input),
        }
        runs += 1;
    }
    (runs, finds)
}

#[derive(clap::Parser)]
struct Asked {
    /// Seconds for all targets together.
    #[arg(default_value_t = 60)]
    seconds: u64,
    /// Only targets whose name holds one of these words.
    targets: Vec<String>,
    /// Instead of the seconds: so many runs of each target.
    #[arg(long)]
    runs: Option<u64>,
    /// Keeps inputs that went a new way in `crates/bench/corpus/`.
    #[arg(long)]
    keep: bool,
}

fn main() -> anyhow::Result<()> {
    let asked = <Asked as clap::Parser>::parse();
    let mut all = targets::all();
    let wanted = |t: &Target| asked.targets.iter().any(|word| t.name.contains(word));
    all.retain(|t| asked.targets.is_empty() || wanted(t));
    anyhow::ensure!(!all.is_empty(), "no target has such a name");
    let each = Duration::from_secs_f64(asked.seconds as f64 / all.len() as f64);
    let enough = asked.runs.map_or(Enough::Time(each), Enough::Runs);
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH)?;
    let seed = now.as_secs();
    let folder = Path::new("target/fuzz");
    let kept = Path::new("crates/bench/corpus");
    let mut found = 0;
    for t in &all {
        let began = Instant::now();
        let mut corpus = Corpus::of(t, kept)?;
        let before = corpus.ways();
        let (runs, finds) = fuzz(t, &mut corpus, enough, seed);
        let ways = corpus.ways();
        let line = format!(
            "{:<20} {runs:>10} runs in {:.0} s, seed {seed}, {before} ways known, {ways} now, {} finds\n",
            t.name,
            began.elapsed().as_secs_f64(),
            finds.len()
        );
        if asked.keep {
            std::fs::create_dir_all(kept)?;
            corpus.keep()?;
        }
        std::io::Write::write_all(&mut std::io::stdout(), line.as_bytes())?;
        for (i, input) in finds.iter().enumerate() {
            std::fs::create_dir_all(folder)?;
            std::fs::write(
                folder.join(format!("{}-{i}", t.name.replace(' ', "-"))),
                input,
            )?;
        }
        found += finds.len();
    }
    anyhow::ensure!(found == 0, "{found} finds are in {}", folder.display());
    Ok(())
}
