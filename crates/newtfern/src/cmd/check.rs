//! `newtfern check`: the chain of one page, or of a site's pages, without a database.

use super::check_site::{self, SiteArgs};
use super::{read_supplier, say};
use crate::cmd::guarded::guard;
use anyhow::{Context, Result};
use clap::Args as ClapArgs;
use newtfern_model::finding::Finding;
use newtfern_model::pages::Expect;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_probe::browser::Pool;
use newtfern_probe::check::run as visit;
use newtfern_probe::http::Http;
use newtfern_standards::address;
use newtfern_standards::observation::{Aside, ConsentAct, Observation, Viewport};
use newtfern_verdict::chain::{Case, Diagnosis, Outcome, diagnose};
use newtfern_verdict::junit::FailOn;
use newtfern_verdict::site_check::SiteDiagnosis;
use newtfern_verdict::visits::CheckOrder;
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

/// Severity from which on a finding makes the check fail.
#[derive(Clone, Copy, clap::ValueEnum)]
pub enum Fail {
    Fault,
    Warning,
}

#[derive(ClapArgs)]
pub struct Args {
    /// The page to visit; a whole site is named by --site
    #[arg(required_unless_present = "site", conflicts_with = "site")]
    url: Option<String>,
    /// Expectation file (TOML) of a whole site
    #[arg(long, conflicts_with_all = ["supplier", "key", "consent"])]
    site: Option<PathBuf>,
    /// Folder with profiles (TOML), at any depth, for --site
    #[arg(long, requires = "site")]
    profiles: Option<PathBuf>,
    /// Pages of the site at most, the address first
    #[arg(long, default_value_t = 1, requires = "site",
        value_parser = clap::value_parser!(u16).range(1..=5_000))]
    pages: u16,
    /// The instant by which hours are judged (RFC 3339); now, if it is not given
    #[arg(long, requires = "site")]
    at: Option<jiff::Timestamp>,
    /// Consent states to visit the address in, with --site: untouched, refused, granted, withdrawn,
    /// gpc
    #[arg(long, requires = "site", value_delimiter = ',', value_parser = consent_state)]
    states: Vec<ConsentAct>,
    /// Visits the address at 200 % zoom with less motion asked for, and for a second time, too
    #[arg(long, requires = "site")]
    manners: bool,
    /// Follows the link of the widget's notice, and compares the privacy page with what the widget
    /// sends and keeps
    #[arg(long, requires = "site")]
    notice: bool,
    /// Seconds for all of it
    #[arg(long, default_value_t = 300, requires = "site",
        value_parser = clap::value_parser!(u64).range(1..=86_400))]
    limit: u64,
    /// Writes a report for continuous integration (JUnit XML)
    #[arg(long, requires = "site")]
    junit: Option<PathBuf>,
    /// Folder for an HTTP archive (HAR 1.2) of each visit
    #[arg(long, requires = "site")]
    har: Option<PathBuf>,
    /// Where a site's owner can complain: it stands in our name when pages are looked through
    #[arg(long, env = "NEWTFERN_CONTACT", default_value = "")]
    contact: String,
    /// Ends with 1 for findings of this severity too
    #[arg(long, value_enum)]
    fail_on: Option<Fail>,
    /// Supplier profile (TOML); the first is the expected one, further ones are known rivals
    #[arg(long, required_unless_present = "site")]
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

pub async fn run(mut args: Args) -> Result<ExitCode> {
    let json = args.json;
    let fail_on = match args.fail_on {
        None => FailOn::Broken,
        Some(Fail::Fault) => FailOn::Fault,
        Some(Fail::Warning) => FailOn::Warning,
    };
    let url = args.url.clone().unwrap_or_default();
    // As a task of its own: whatever happens in it, the answer has the published form.
    let (diagnosis, site) = match args.site.take() {
        None => match tokio::spawn(check(args)).await {
            Ok(Ok(diagnosis)) => (diagnosis, None),
            Ok(Err(error)) => (Diagnosis::failed(&url, &format!("{error:#}")), None),
            Err(_) => (Diagnosis::failed(&url, OUR_MISTAKE), None),
        },
        Some(site) => {
            let args = SiteArgs {
                site,
                profiles: args.profiles,
                pages: args.pages.into(),
                states: args.states,
                manners: args.manners,
                notice: args.notice,
                at: args.at,
                limit: args.limit,
                contact: args.contact,
                ca: args.ca,
                allow_private: args.allow_private,
                junit: args.junit,
                har: args.har,
                record: args.record,
                fail_on,
            };
            match tokio::spawn(async move { check_site::check(&args).await }).await {
                Ok(Ok(site)) => (site.diagnosis.clone(), Some(site)),
                Ok(Err(error)) => (Diagnosis::failed(&url, &format!("{error:#}")), None),
                Err(_) => (Diagnosis::failed(&url, OUR_MISTAKE), None),
            }
        }
    };
    match (json, &site) {
        (true, Some(site)) => say(&serde_json::to_string_pretty(site)?),
        (true, None) => say(&serde_json::to_string_pretty(&diagnosis)?),
        (false, _) => {
            print(&diagnosis);
            site.iter().for_each(print_pages);
        }
    }
    let counts = |f: &Finding| fail_on.counts(f.severity);
    Ok(ExitCode::from(match diagnosis.verdict.outcome() {
        Outcome::Broken => 1,
        Outcome::Unchecked => 2,
        Outcome::Working | Outcome::AsIntended => {
            u8::from(diagnosis.verdict.findings().iter().any(counts))
        }
    }))
}

fn consent_state(text: &str) -> Result<ConsentAct, String> {
    let known = ConsentAct::ALL.into_iter().find(|s| s.word() == text);
    known.ok_or_else(|| "untouched, refused, granted, withdrawn or gpc".to_string())
}

const OUR_MISTAKE: &str = "a mistake in this program ended the check";

async fn check(args: Args) -> Result<Diagnosis> {
    let url = address::parse(args.url.as_deref().unwrap_or_default())?;
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
        consent: consent.as_ref(),
        viewports,
        ..CheckOrder::of(&url, &supplier, &stamp)
    };
    let evidence = visit(&pool, &http, &order).await?;
    pool.close().await;
    let visits = evidence.visits;
    // A private address met under way is refused, not broken.
    if let Some(refused) = newtfern_verdict::visits::guarded(&visits) {
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
        siblings: &[],
    }))
}

fn read_consent(path: &Path) -> Result<ConsentManager> {
    let text = std::fs::read_to_string(path)
        .with_context(|| format!("cannot read the consent profile {}", path.display()))?;
    ConsentManager::given(&text).with_context(|| format!("in {}", path.display()))
}

/// Everything that was seen, to be judged again without a browser.
fn record(path: &Path, visits: &[Observation], asides: &[Aside]) -> Result<()> {
    let record = serde_json::json!({"visits": visits, "asides": asides});
    std::fs::write(path, serde_json::to_string_pretty(&record)?)
        .with_context(|| format!("cannot write {}", path.display()))
}

fn print(d: &Diagnosis) {
    say(&format!("{}: {}", d.final_url, d.verdict.outcome().words()));
    for link in d.verdict.chain() {
        say(&format!("  {:<10} {}", link.link.word(), link.state.word()));
    }
    for f in d.verdict.findings() {
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
    if !d.verdict.not_looked_at().is_empty() {
        say("\nNot to be told:");
    }
    for n in d.verdict.not_looked_at() {
        say(&format!("  {}: {}", n.what, n.why));
    }
}

fn print_pages(site: &SiteDiagnosis) {
    say(&format!(
        "\nPages: {} of {} right, {} unknown",
        site.coverage.right, site.coverage.expected, site.coverage.unknown
    ));
    for p in &site.pages {
        let seen = serde_json::json!(p.seen);
        let root = p.root.map(|r| format!(" {r}")).unwrap_or_default();
        let how = if p.visited { "" } else { " (by HTTP)" };
        let seen = seen.as_str().unwrap_or_default();
        say(&format!(
            "  {:<8} {seen}{root}{how}  {}",
            p.kind.word(),
            p.url
        ));
    }
}
