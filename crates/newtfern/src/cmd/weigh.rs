//! `newtfern weigh`: what a widget costs one page, without a database.

use super::{read_supplier, say};
use anyhow::Result;
use clap::Args as ClapArgs;
use newtfern_model::profile::Supplier;
use newtfern_probe::browser::Browser;
use newtfern_probe::weigh::{WeighOrder, run as measure};
use newtfern_standards::address;
use newtfern_standards::observation::Viewport;
use newtfern_verdict::weigh::moments::LOADS;
use newtfern_verdict::weigh::owners::Owner;
use newtfern_verdict::weigh::stopping::MOST_LOADS;
use newtfern_verdict::weigh::{WeighIn, conclude, empty_page};
use std::path::PathBuf;
use std::process::ExitCode;
use url::Url;

pub const DEFAULT_PAIRS: usize = 12;
pub const DEFAULT_BUDGET_MS: f64 = 50.0;

#[derive(Clone, Copy, clap::ValueEnum)]
pub enum View {
    Desktop,
    Phone,
}

#[derive(ClapArgs)]
pub struct Args {
    /// The page to weigh the widget on
    url: String,
    /// Supplier profile (TOML)
    #[arg(long)]
    supplier: PathBuf,
    /// The key that the snippet must have; another key on the page is refused
    #[arg(long)]
    key: Option<String>,
    /// Pairs of loads with and without the widget
    #[arg(long, default_value_t = DEFAULT_PAIRS,
        value_parser = clap::value_parser!(u16).range(2..=200).map(usize::from))]
    pairs: usize,
    /// Seed of the order within the pairs
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// Budget for the widget's own thread time, ms
    #[arg(long, default_value_t = DEFAULT_BUDGET_MS)]
    budget_ms: f64,
    #[arg(long, value_enum, default_value = "desktop")]
    viewport: View,
    /// Runs the processor so many times slower, as a phone's does
    #[arg(long, default_value_t = 1.0, value_parser = slowness)]
    slow: f64,
    /// Weighs the widget on an empty page too, at the same address
    #[arg(long, requires = "key")]
    empty: bool,
    /// Weighs it on a phone's screen with a processor 4 times slower, too
    #[arg(long)]
    phone: bool,
    /// Lets it visit loopback and private addresses
    #[arg(long)]
    allow_private: bool,
    /// Prints one JSON object
    #[arg(long)]
    json: bool,
}

use clap::builder::TypedValueParser;

fn slowness(text: &str) -> Result<f64, String> {
    match text.parse::<f64>() {
        Ok(rate) if (1.0..=20.0).contains(&rate) => Ok(rate),
        _ => Err("it must be a number from 1 to 20".into()),
    }
}

fn refuse_other_key(supplier: &Supplier, key: &str, url: &Url, body: &str) -> Result<()> {
    let inspector = newtfern_model::placement::Inspector::new(supplier, None);
    let pieces = inspector.inspect(body, url).pieces;
    if let Some(other) = pieces
        .iter()
        .filter_map(|p| p.key.key())
        .find(|k| *k != key)
    {
        anyhow::bail!("the page has the key {other}, not {key}");
    }
    Ok(())
}

pub async fn run(args: Args) -> Result<ExitCode> {
    let url = address::parse(&args.url)?;
    let guard = crate::cmd::guarded::guard(args.allow_private);
    guard
        .private
        .refuse(&url)
        .map_err(|e| anyhow::anyhow!("{e}; --allow-private lets this go there"))?;
    anyhow::ensure!(
        args.budget_ms.is_finite() && args.budget_ms >= 0.0,
        "the budget must be a number of ms, 0 or more"
    );
    let supplier = read_supplier(&args.supplier)?;
    if let Some(key) = &args.key {
        let http = newtfern_probe::http::Http::new(guard.clone(), None)?;
        let page = http.get(&url).await;
        refuse_other_key(&supplier, key, &url, &page.body)?;
    }
    let browser = Browser::launch(&guard, None).await?;
    let viewport = match args.viewport {
        View::Desktop => Viewport::Desktop,
        View::Phone => Viewport::Phone,
    };
    let quiet = args.json;
    let empty = args.key.as_ref().filter(|_| args.empty);
    let empty = empty.map(|key| empty_page(&supplier.snippet_for(key)));
    let request = WeighOrder {
        url: &url,
        supplier: &supplier,
        consent: None,
        viewport,
        own_loads: MOST_LOADS,
        further_loads: LOADS,
        stop_at: Some(args.budget_ms),
        phone_loads: if args.phone { LOADS } else { 0 },
        empty_page: empty.as_deref(),
        pairs: args.pairs,
        seed: args.seed,
        slow: args.slow,
    };
    let measured = measure(&browser, &request, |done, of| {
        if !quiet {
            eprint!("\r{done} of {of} loads");
        }
        true
    })
    .await?;
    if !quiet {
        eprintln!();
    }
    let mut weighed = conclude(url.as_str(), args.seed, &measured, args.budget_ms)?;
    weighed.slow = args.slow;
    if args.json {
        say(&serde_json::to_string_pretty(&weighed)?);
    } else {
        print(&weighed);
    }
    Ok(ExitCode::SUCCESS)
}

fn print(w: &WeighIn) {
    let o = &w.own;
    say(&format!(
        "{}: {} the budget of {:.0} ms",
        w.url,
        w.verdict.word(),
        w.budget_ms
    ));
    say(&format!(
        "  own thread time  {:6.1} ms  ({:.1} to {:.1})",
        o.thread_ms.median, o.thread_ms.low, o.thread_ms.high
    ));
    say(&format!(
        "  own wall time    {:6.1} ms  ({:.1} to {:.1})",
        o.wall_ms.median, o.wall_ms.low, o.wall_ms.high
    ));
    say(&format!(
        "  on the wire      {} bytes in {} requests",
        o.bytes, o.requests
    ));
    let shares = Owner::ALL.iter().zip(o.shares);
    for (owner, share) in shares.filter(|(_, s)| s.requests > 0) {
        say(&format!(
            "    {:<14} {} bytes in {}",
            owner.words(),
            share.bytes,
            share.requests
        ));
    }
    for (name, m) in w.elsewhere() {
        say(&format!("  {:<16} {}", name.to_lowercase(), m.words()));
    }
    for (name, shift) in [
        ("blocking time", w.page.tbt_ms),
        ("largest paint", w.page.lcp_ms),
        ("load", w.page.load_ms),
    ] {
        match shift {
            Some(s) => say(&format!(
                "  page, {name:<14} {:+6.1} ms  ({:+.1} to {:+.1}; without any widget \
                {:+.1} to {:+.1}): {}",
                s.shift,
                s.low,
                s.high,
                s.floor_low,
                s.floor_high,
                s.verdict(w.budget_ms).word()
            )),
            None => say(&format!("  page, {name:<14} not measured")),
        }
    }
}
