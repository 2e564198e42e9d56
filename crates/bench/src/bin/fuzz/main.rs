//! `./run fuzz SECONDS [TARGET...]`: every parser of texts from outside, fed with mutated real ones
//! and with deep and wide ones, on the stable toolchain. Each target runs in a process of its own,
//! on a stack of 512 kB and with bounded memory. A panic, an abort, or an input that takes longer
//! than a second is a find: it is printed, kept in `target/fuzz/`, and should become a test beside
//! its parser.

mod child;
mod corpus;
mod outside;
mod sites;
mod target;
mod targets;

use corpus::Corpus;
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;
use target::Target;

const SLOW: Duration = Duration::from_secs(1);
/// Longer inputs only make each run slower.
const MOST_BYTES: usize = 4_000;
/// Rate and length of long inputs: what is deep or wide must be long.
const DEEP_EVERY: u32 = 500;
const DEEP_BYTES: usize = 60_000;

/// Openings that a reader may follow inwards, and what follows them without end.
const OPENINGS: &[&str] = &[
    "(",
    "[",
    "{",
    "{\"a\":",
    "[{",
    "a=[",
    "a.",
    "<p>",
    "<!--",
    "<b a=",
    "<template>",
    "<svg><foreignObject>",
    "&lt;script",
    ":not(",
    "BEGIN:VEVENT\r\n",
    "({1}\r\na",
    "* 1 FETCH (",
    "Content-Type: multipart/mixed; boundary=b\r\n\r\n--b\r\n",
    "url(",
    "`${",
    "/*",
    "*",
    "**/",
    "a,",
    "\n",
    "a=1\n",
    "[[a]]\n",
    "<url><loc>",
    "Disallow: /*a\n",
    "Disallow: /\n",
];

/// A seed with one opening that many times at one place.
fn deepen(random: &mut SmallRng, seed: &str) -> Vec<u8> {
    let mut bytes = seed.as_bytes().to_vec();
    let at = random.random_range(0..=bytes.len());
    let opening = OPENINGS[random.random_range(0..OPENINGS.len())];
    let times = random.random_range(1..=DEEP_BYTES / opening.len());
    bytes.splice(at..at, opening.repeat(times).into_bytes());
    bytes.truncate(DEEP_BYTES);
    bytes
}

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

/// Makes one to six small changes.
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

/// Limits at which a target has run enough: whichever comes first.
#[derive(Clone, Copy)]
struct Enough {
    /// Processor time, so that a busy machine neither shortens the work nor makes an input look
    /// slow.
    time: Duration,
    runs: u64,
}

/// Runs a target; gives how many runs and finds. An input that goes a new way is gone on from.
fn fuzz(
    target: &Target,
    corpus: &mut Corpus,
    enough: Enough,
    (seed, watched, clock): (u64, &child::Watched, &child::Clock),
) -> std::io::Result<(u64, usize)> {
    let mut random = SmallRng::seed_from_u64(seed);
    let (mut runs, mut finds) = (0, 0);
    let mut seeds = corpus.inputs();
    let mut spent = clock.spent()?;
    let until = spent + enough.time;
    while runs < enough.runs && spent < until && finds < 5 {
        let pick = |random: &mut SmallRng| random.random_range(0..seeds.len());
        let (one, other) = (pick(&mut random), pick(&mut random));
        let input = match random.random_range(0..DEEP_EVERY) {
            0 => deepen(&mut random, &seeds[one]),
            _ => mutate(&mut random, &seeds[one], &seeds[other]),
        };
        let asked = spent;
        watched.begin(&input, asked);
        let held = catch_unwind(AssertUnwindSafe(|| (target.run)(&input)));
        watched.end();
        spent = clock.spent()?;
        let mut took = spent - asked;
        // A host that holds the machine back is counted as our own time; an input that is slow is
        // so each time.
        for _ in 0..2 {
            if held.is_ok() && took > SLOW {
                let again = spent;
                let _ = catch_unwind(AssertUnwindSafe(|| (target.run)(&input)));
                spent = clock.spent()?;
                took = took.min(spent - again);
            }
        }
        match held {
            Ok(shape) if took <= SLOW => {
                if input.len() <= MOST_BYTES && corpus.note(shape, &input) {
                    seeds.push(String::from_utf8_lossy(&input).into_owned());
                }
            }
            _ => {
                let path = child::find_path(target.name, &finds.to_string())?;
                std::fs::write(path, &input)?;
                finds += 1;
            }
        }
        runs += 1;
    }
    Ok((runs, finds))
}

#[derive(clap::Parser)]
struct FuzzArgs {
    /// Seconds of processor time for all targets together.
    #[arg(default_value_t = 60)]
    seconds: u64,
    /// Only targets whose name holds one of these words.
    targets: Vec<String>,
    /// Instead of them: seconds of processor time for each target.
    #[arg(long)]
    each: Option<u64>,
    /// No more runs of each target than this, however much time is left.
    #[arg(long)]
    runs: Option<u64>,
    /// Keeps inputs that went a new way in `crates/bench/corpus/`.
    #[arg(long)]
    keep: bool,
    /// Targets that run at once.
    #[arg(long, default_value_t = 2)]
    at_once: usize,
    /// Name of a target to run in this process.
    #[arg(long, hide = true)]
    child: Option<String>,
}

/// Folder in which inputs of new ways are stored.
const KEPT: &str = "crates/bench/corpus";

/// Runs one target in this process; returns false where something was found.
fn one(t: &Target, asked: &FuzzArgs) -> anyhow::Result<bool> {
    let enough = Enough {
        time: Duration::from_secs(asked.seconds),
        runs: asked.runs.unwrap_or(u64::MAX),
    };
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH)?;
    let seed = now.as_secs();
    let kept = Path::new(KEPT);
    let clock = Arc::new(child::Clock::of_this_thread()?);
    let watched = child::Watched::start(t.name, clock.clone())?;
    let mut corpus = Corpus::of(t, kept)?;
    let before = corpus.ways();
    let (runs, finds) = fuzz(t, &mut corpus, enough, (seed, &watched, &clock))?;
    let ways = corpus.ways();
    let line = format!(
        "{:<20} {runs:>10} runs in {:.0} s, seed {seed}, {before} ways known, {ways} now, \
        {finds} finds\n",
        t.name,
        clock.spent()?.as_secs_f64(),
    );
    std::io::Write::write_all(&mut std::io::stdout(), line.as_bytes())?;
    if asked.keep {
        std::fs::create_dir_all(kept)?;
        corpus.keep()?;
    }
    Ok(finds == 0)
}

fn main() -> anyhow::Result<()> {
    let asked = <FuzzArgs as clap::Parser>::parse();
    if let Some(name) = asked.child.clone() {
        return child::bounded(move || {
            let all = targets::all();
            let target = all.iter().find(|t| t.name == name);
            let target = target.ok_or_else(|| anyhow::anyhow!("no target has this name"))?;
            anyhow::ensure!(one(target, &asked)?, "something was found");
            Ok(())
        });
    }
    let mut all = targets::all();
    let wanted = |t: &Target| asked.targets.iter().any(|word| t.name.contains(word));
    all.retain(|t| asked.targets.is_empty() || wanted(t));
    anyhow::ensure!(!all.is_empty(), "no target has such a name");
    let at_once = asked.at_once.max(1);
    let shared = (asked.seconds / all.len() as u64).max(1);
    let each = asked.each.unwrap_or(shared);
    let mut more = vec![each.to_string()];
    more.extend(asked.runs.map(|runs| format!("--runs={runs}")));
    more.extend(asked.keep.then(|| "--keep".to_string()));
    let names: Vec<&str> = all.iter().map(|t| t.name).collect();
    let failed = child::all(&names, &more, at_once)?;
    anyhow::ensure!(
        failed.is_empty(),
        "finds are in {}: {}",
        child::FOLDER,
        failed.join(", ")
    );
    Ok(())
}
