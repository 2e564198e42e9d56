//! `newtfern check`: the chain of one page, without a database.

use super::{read_supplier, say};
use anyhow::{Context, Result};
use clap::Args as ClapArgs;
use newtfern_core::address;
use newtfern_core::chain::{Aside, Case, Diagnosis, Expect, Outcome, diagnose};
use newtfern_core::observation::{Observation, Viewport};
use newtfern_core::profile::{ConsentManager, Supplier};
use newtfern_core::visits::CheckOrder;
use newtfern_probe::browser::Pool;
use newtfern_probe::check::run as visit;
use newtfern_probe::guard::Guard;
use newtfern_probe::http::Http;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

#[derive(Clone, Copy, clap::ValueEnum)]
pub enum Wanted {
    Present,
    Absent,
}

#[derive(Clone, Copy, clap::ValueEnum)]
pub enum Viewports {
    Desktop,
    Phone,
    Both,
}

#[derive(ClapArgs)]
pub struct Args {
    /// The page to visit
    url: String,
    /// Supplier profile (TOML); the first is the expected one, further ones are known rivals
    #[arg(long, required = true)]
    supplier: Vec<PathBuf>,
    /// The key that the snippet must have
    #[arg(long)]
    key: Option<String>,
    #[arg(long, value_enum, default_value = "present")]
    expect: Wanted,
    /// Consent profile (TOML): visits untouched, then granted
    #[arg(long)]
    consent: Option<PathBuf>,
    #[arg(long, value_enum, default_value = "both")]
    viewport: Viewports,
    /// Adds a trust anchor (PEM) for HTTP and browser
    #[arg(long)]
    ca: Option<PathBuf>,
    /// Lets it visit loopback and private addresses
    #[arg(long)]
    allow_private: bool,
    /// Prints one JSON object
    #[arg(long)]
    json: bool,
    /// Writes what was seen (the observations and the copies beside them) to a file, for tests
    #[arg(long)]
    record: Option<PathBuf>,
}

/// The network rule of one visit by hand.
pub fn guard(allow_private: bool) -> Guard {
    match allow_private {
        true => Guard::open(),
        false => Guard::default(),
    }
}

pub async fn run(args: Args) -> Result<ExitCode> {
    let json = args.json;
    let url = args.url.clone();
    // As a task of its own: whatever happens in it, the answer has the published form.
    let diagnosis = match tokio::spawn(check(args)).await {
        Ok(Ok(diagnosis)) => diagnosis,
        Ok(Err(error)) => Diagnosis::unchecked(&url, &format!("{error:#}")),
        Err(_) => Diagnosis::unchecked(&url, "a mistake in this program ended the check"),
    };
    if json {
        say(&serde_json::to_string_pretty(&diagnosis)?);
    } else {
        print(&diagnosis);
    }
    Ok(ExitCode::from(match diagnosis.outcome {
        Outcome::Working | Outcome::AsIntended => 0,
        Outcome::Broken => 1,
        Outcome::Unchecked => 2,
    }))
}

async fn check(args: Args) -> Result<Diagnosis> {
    let url = address::parse(&args.url)?;
    let guard = guard(args.allow_private);
    guard
        .private
        .refuse(&url)
        .map_err(|e| anyhow::anyhow!("{e}; --allow-private lets this check go there"))?;
    let read = args.supplier.iter().map(|p| read_supplier(p));
    let mut suppliers: Vec<Supplier> = read.collect::<Result<_>>()?;
    let rivals = suppliers.split_off(1);
    let supplier = suppliers.remove(0);
    let consent = args.consent.as_ref().map(|p| read_consent(p)).transpose()?;
    let viewports: &[Viewport] = match args.viewport {
        Viewports::Desktop => &[Viewport::Desktop],
        Viewports::Phone => &[Viewport::Phone],
        Viewports::Both => &[Viewport::Desktop, Viewport::Phone],
    };
    let pem = args.ca.as_ref().map(std::fs::read).transpose();
    let pem = pem.context("cannot read the --ca file")?;
    let http = Http::new(guard.clone(), pem.as_deref())?;
    let pool = Pool::new(guard, args.ca.clone());
    let stamp = newtfern_store::fresh_token();
    let order = CheckOrder {
        url: &url,
        supplier: &supplier,
        consent: consent.as_ref(),
        viewports,
        pictures: false,
        stamp: &stamp,
    };
    let evidence = visit(&pool, &http, &order).await?;
    pool.close().await;
    let visits = evidence.visits;
    // A private address met under way is refused, not broken.
    if let Some(refused) = newtfern_core::visits::guarded(&visits) {
        anyhow::bail!("{refused}; --allow-private lets this check go there");
    }
    if let Some(path) = &args.record {
        record(path, &visits, &evidence.asides)?;
    }
    Ok(diagnose(&Case {
        supplier: &supplier,
        rivals: &rivals,
        key: args.key.as_deref(),
        expect: match args.expect {
            Wanted::Present => Expect::Present,
            Wanted::Absent => Expect::Absent,
        },
        consent: consent.as_ref(),
        visits: &visits,
        asides: &evidence.asides,
    }))
}

fn read_consent(path: &Path) -> Result<ConsentManager> {
    let text = std::fs::read_to_string(path)
        .with_context(|| format!("cannot read the consent profile {}", path.display()))?;
    ConsentManager::from_toml(&text).with_context(|| format!("in {}", path.display()))
}

/// Everything that was seen, to be judged again without a browser.
fn record(path: &Path, visits: &[Observation], asides: &[Aside]) -> Result<()> {
    let record = serde_json::json!({"visits": visits, "asides": asides});
    std::fs::write(path, serde_json::to_string_pretty(&record)?)
        .with_context(|| format!("cannot write {}", path.display()))
}

fn print(d: &Diagnosis) {
    say(&format!("{}: {}", d.final_url, d.outcome.words()));
    for link in &d.chain {
        say(&format!("  {:<10} {}", link.link.word(), link.state.word()));
    }
    for f in &d.findings {
        say(&format!(
            "\n{} ({})\n  {}",
            f.code,
            f.severity.word(),
            f.summary
        ));
        for e in &f.evidence {
            say(&format!("    {}", e.line()));
        }
        if !f.remedy.is_empty() {
            say(&format!("  To do: {}", f.remedy));
        }
        for c in &f.candidates {
            say(&format!("  Or {}: {}", c.code, c.tell));
        }
    }
    if !d.not_looked_at.is_empty() {
        say("\nNot to be told:");
    }
    for n in &d.not_looked_at {
        say(&format!("  {}: {}", n.what, n.why));
    }
}
