//! `./run fuzz SECONDS [TARGET...]`: every parser of texts from outside, fed with mutated real ones, on
//! the stable toolchain. A panic, or an input that takes longer than a second, is a find: it is printed,
//! kept in `target/fuzz/`, and should become a test beside its parser.

use newtfern_core::brand::BrandSheet;
use newtfern_core::colour::Rgb;
use newtfern_core::consent::Region;
use newtfern_core::html::Document;
use newtfern_core::observation::Observation;
use newtfern_core::placement::Inspector;
use newtfern_core::platform::Platform;
use newtfern_core::policy::{Policies, ResourceKind};
use newtfern_core::private_hosts::PrivateHosts;
use newtfern_core::profile::{ConsentManager, Supplier};
use newtfern_core::site::Known;
use newtfern_core::{address, country, intake, script_scan, slot_text};
use newtfern_probe::decoding;
use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::time::{Duration, Instant};
use url::Url;

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

/// What a target does with an input; it panics where something is wrong.
type Run = Box<dyn Fn(&[u8])>;

struct Target {
    name: &'static str,
    seeds: Vec<String>,
    run: Run,
}

fn target(name: &'static str, seeds: &[&str], run: impl Fn(&str) + 'static) -> Target {
    Target {
        name,
        seeds: seeds.iter().map(|s| s.to_string()).collect(),
        run: Box::new(move |bytes| run(&String::from_utf8_lossy(bytes))),
    }
}

fn supplier() -> Option<Supplier> {
    Supplier::from_toml(&newtfern_standins::supplier_profile(80)).ok()
}

/// Parsers of what pages send.
fn pages() -> Option<Vec<Target>> {
    // Kept to the end of the program, so that the inspector is made once and not for each run.
    let supplier: &'static Supplier = Box::leak(Box::new(supplier()?));
    let manager = ConsentManager::from_toml(newtfern_standins::consent_profile()).ok()?;
    let manager: &'static ConsentManager = Box::leak(Box::new(manager));
    let inspector = Inspector::new(supplier, Some(manager));
    let page = Url::parse("https://mill.example/").ok()?;
    let snippet = supplier.snippet_for("mill-live");
    let html = format!("<html><body><p>Hours</p><!-- {snippet} -->{snippet}</body></html>");
    let script = "var a = `x${1}`; /* b */ s.src = \"https://cdn.example/l.js?k=mill-live\";";
    let policy =
        "default-src 'self'; script-src 'nonce-abc' https://*.example:443/a 'strict-dynamic'";
    let (inspected, linked) = (page.clone(), page.clone());
    let asked = page.join("/l.js").ok()?;
    Some(vec![
        target("snippet inspection", &[&html, &snippet], move |t| {
            let found = inspector.inspect(t, &inspected);
            let keys = found.pieces.iter().filter_map(|p| p.key.key());
            assert!(keys.into_iter().all(|k| k.len() <= t.len()));
        }),
        target("document and links", &[&html], move |t| {
            let document = Document::parse(t);
            document.links(&linked);
            for id in document.walk() {
                document.start_tag(id, false);
            }
        }),
        target("script scan", &[script, &snippet], |t| {
            drop(script_scan::scan(t))
        }),
        target("policy", &[policy], move |t| {
            let policies = Policies::new(page.clone(), t);
            policies.allow(ResourceKind::Script, &asked, "abc");
            policies.allow_inline_script("x()", Some("abc"));
            policies.smallest_changes(ResourceKind::Script, &asked);
        }),
    ])
}

/// Parsers of what people send.
fn typed() -> Option<Vec<Target>> {
    let snippet = supplier()?.snippet_for("mill-live");
    let pushed = snippet.clone();
    let csv = "client,name,address,country\nMill,Shop,https://mill.example/,GB\n";
    let addresses = ["https://www.mill.example:8443/a?b#c", "mill.example"];
    let colours = [
        "#2f6b4f",
        "rgb(1, 2, 3)",
        "hsl(120deg 50% 50%)",
        "oklch(60% 0.1 150 / 0.5)",
        "rebeccapurple",
    ];
    Some(vec![
        target("slot text", &[&snippet, "<!-- x -->"], move |t| {
            let once = slot_text::push(t, &pushed, None);
            assert!(once.text.contains(pushed.trim()), "what is pushed is there");
            slot_text::difference(t, &once.text);
        }),
        target("spreadsheet", &[csv], |t| {
            drop(intake::read(t.as_bytes(), Known::default()))
        }),
        target("addresses", &addresses, |t| {
            if let Ok(url) = address::parse(t) {
                let _ = PrivateHosts::none().refuse(&url);
                // What is accepted is accepted again as it is kept.
                assert_eq!(address::parse(url.as_str()).ok(), Some(url));
            }
        }),
        target("colours", &colours, |t| {
            if let Ok(colour) = Rgb::parse(t) {
                assert_eq!(Rgb::parse(&colour.hex()).ok(), Some(colour));
            }
        }),
        target("countries", &["Norway", "GB"], |t| {
            let _ = country::code_of(t);
        }),
    ])
}

/// Parsers of files and messages.
fn files() -> Vec<Target> {
    let supplier = newtfern_standins::supplier_profile(80);
    let tokens = BrandSheet::default().to_tokens().to_string();
    let seen = serde_json::to_string(&Observation::default()).unwrap_or_default();
    let message = r#"{"method":"Network.responseReceived","params":{"response":{"status":200}},"sessionId":"A"}"#;
    let mut encodings = target(
        "encodings",
        &["<meta charset=windows-1252>M\u{fc}hle"],
        |_| {},
    );
    encodings.run = Box::new(|bytes| {
        let text = decoding::text_of(bytes, Some("text/html; charset=x"));
        assert!(text.len() <= bytes.len() * 3 + 3);
    });
    vec![
        target(
            "supplier profile",
            &[&supplier, newtfern_standins::rival_profile()],
            |t| {
                if let Ok(supplier) = Supplier::from_toml(t) {
                    supplier.snippet_for("mill-live");
                    supplier.key_in(t);
                }
            },
        ),
        target(
            "consent profile",
            &[newtfern_standins::consent_profile()],
            |t| {
                drop(ConsentManager::from_toml(t));
            },
        ),
        target(
            "platform profile",
            &[newtfern_standins::platform_profile()],
            |t| {
                drop(Platform::from_toml(t));
            },
        ),
        target(
            "region profile",
            &[include_str!("../../../../profiles/regions/opt-in.toml")],
            |t| {
                drop(Region::from_toml(t));
            },
        ),
        target("design tokens", &[&tokens], |t| {
            drop(BrandSheet::from_tokens(t))
        }),
        target("observations", &[&seen], |t| {
            drop(serde_json::from_str::<Observation>(t))
        }),
        target("protocol messages", &[message], |t| {
            drop(serde_json::from_str::<serde_json::Value>(t))
        }),
        encodings,
    ]
}

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

/// Runs a target; gives how many runs, and the finds.
fn fuzz(target: &Target, enough: Enough, seed: u64) -> (u64, Vec<Vec<u8>>) {
    let mut random = SmallRng::seed_from_u64(seed);
    let (mut runs, mut finds) = (0, Vec::new());
    let began = Instant::now();
    let more = |runs: u64| match enough {
        Enough::Time(time) => began.elapsed() < time,
        Enough::Runs(most) => runs < most,
    };
    while more(runs) && finds.len() < 5 {
        let pick = |random: &mut SmallRng| random.random_range(0..target.seeds.len());
        let (one, other) = (pick(&mut random), pick(&mut random));
        let input = mutate(&mut random, &target.seeds[one], &target.seeds[other]);
        let asked = Instant::now();
        let held = catch_unwind(AssertUnwindSafe(|| (target.run)(&input))).is_ok();
        if !held || asked.elapsed() > SLOW {
            finds.push(input);
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
}

fn main() -> anyhow::Result<()> {
    let asked = <Asked as clap::Parser>::parse();
    let texts = pages().into_iter().flatten();
    let texts = texts.chain(typed().into_iter().flatten());
    let mut all: Vec<Target> = texts.chain(files()).collect();
    let wanted = |t: &Target| asked.targets.iter().any(|word| t.name.contains(word));
    all.retain(|t| asked.targets.is_empty() || wanted(t));
    anyhow::ensure!(!all.is_empty(), "no target has such a name");
    let each = Duration::from_secs_f64(asked.seconds as f64 / all.len() as f64);
    let enough = asked.runs.map_or(Enough::Time(each), Enough::Runs);
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH)?;
    let seed = now.as_secs();
    let folder = Path::new("target/fuzz");
    let mut found = 0;
    for t in &all {
        let began = Instant::now();
        let (runs, finds) = fuzz(t, enough, seed);
        let line = format!(
            "{:<20} {runs:>10} runs in {:.0} s, seed {seed}, {} finds\n",
            t.name,
            began.elapsed().as_secs_f64(),
            finds.len()
        );
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
