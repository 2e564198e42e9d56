//! `newtfern survey`: what is on a site already, by HTTP alone.

use super::say;
use crate::cmd::guarded::guard;
use crate::profiles_folder;
use anyhow::{Context, Result, bail};
use newtfern_model::profiles::Profiles;
use newtfern_model::survey::{Survey, read};
use newtfern_probe::crawl::{CrawlOrder, agent, crawl};
use newtfern_probe::http::Http;
use newtfern_standards::address;
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::{Duration, Instant};

#[derive(clap::Args)]
pub struct Args {
    /// The site's address
    url: String,
    /// Folder with profiles (TOML), at any depth
    #[arg(long)]
    profiles: Option<PathBuf>,
    /// Pages at most
    #[arg(long, default_value_t = 10, value_parser = clap::value_parser!(u16).range(1..=5_000))]
    pages: u16,
    /// Seconds for all of it
    #[arg(long, default_value_t = 300, value_parser = clap::value_parser!(u64).range(1..=86_400))]
    limit: u64,
    /// Where a site's owner can complain: it stands in our name
    #[arg(long, env = "NEWTFERN_CONTACT", default_value = "")]
    contact: String,
    /// Adds a trust anchor (PEM)
    #[arg(long)]
    ca: Option<PathBuf>,
    /// Lets it look at loopback and private addresses
    #[arg(long)]
    allow_private: bool,
    /// Prints one JSON object
    #[arg(long)]
    json: bool,
    /// Writes an expectation file of what is there
    #[arg(long)]
    write: Option<PathBuf>,
}

pub async fn run(args: Args) -> Result<ExitCode> {
    let json = args.json;
    match survey(&args).await {
        Ok(survey) => {
            if json {
                say(&serde_json::to_string_pretty(&survey)?);
            } else {
                print(&survey);
            }
            Ok(ExitCode::SUCCESS)
        }
        Err(error) if json => {
            say(
                &serde_json::json!({"outcome": "unchecked", "error": format!("{error:#}")})
                    .to_string(),
            );
            Ok(ExitCode::from(2))
        }
        Err(error) => Err(error),
    }
}

async fn survey(args: &Args) -> Result<Survey> {
    let url = address::parse(&args.url)?;
    let profiles = match &args.profiles {
        Some(folder) => profiles_folder::read(folder)?,
        None => Profiles::default(),
    };
    let guard = guard(args.allow_private);
    guard
        .private
        .refuse(&url)
        .map_err(|e| anyhow::anyhow!("{e}; --allow-private lets this survey go there"))?;
    let pem = args.ca.as_ref().map(std::fs::read).transpose();
    let pem = pem.context("cannot read the --ca file")?;
    let http = Http::called(guard, pem.as_deref(), &agent(&args.contact))?;
    let order = CrawlOrder {
        site: &url,
        given: &[],
        most: args.pages.into(),
        until: Instant::now() + Duration::from_secs(args.limit),
    };
    let crawled = crawl(&http, &order, |_| {}).await;
    if let Some(first) = crawled.pages.first().filter(|p| !p.is_had()) {
        bail!("{url} could not be loaded: {}", first.why_not());
    }
    let survey = read(&crawled.gathered(&url), &profiles);
    if let Some(path) = &args.write {
        std::fs::write(path, survey.expectation().write())
            .with_context(|| format!("cannot write {}", path.display()))?;
    }
    Ok(survey)
}

fn print(s: &Survey) {
    say(&format!(
        "{}: {} pages looked at by HTTP",
        s.final_url,
        s.pages.len()
    ));
    if let Some(p) = &s.platform {
        say(&format!(
            "\nPlatform: {} ({})",
            p.name,
            p.evidence.join("; ")
        ));
    }
    if let Some(c) = &s.consent {
        say(&format!(
            "\nConsent manager: {} ({})",
            c.name,
            c.evidence.join("; ")
        ));
    }
    for t in &s.tag_sets {
        say(&format!(
            "\nTag manager: {}, set {} on {} pages ({})",
            t.name, t.set, t.pages, t.evidence
        ));
    }
    if !s.languages.is_empty() {
        say(&format!("\nLanguages: {}", s.languages.join(", ")));
    }
    print_widgets(s);
    say("\nPages:");
    for p in &s.pages {
        say(&format!(
            "  {:<8} {:<24} {}",
            p.kind.word(),
            p.template,
            p.url
        ));
        if let Some(lost) = &p.lost {
            say(&format!("           not had: {lost}"));
        }
    }
    for k in &s.kept_out {
        say(&format!("\nKept out: {}: {}", k.what, k.why));
    }
    for n in &s.not_looked_at {
        say(&format!("\nNot looked at: {}: {}", n.what, n.why));
    }
}

fn print_widgets(s: &Survey) {
    for w in &s.widgets {
        let key = w
            .key
            .as_ref()
            .map(|k| format!(", key {k}"))
            .unwrap_or_default();
        say(&format!(
            "\nWidget: {}{key}; on {} pages, runs on {}",
            w.name, w.pages, w.runs
        ));
        if !w.states.is_empty() {
            say(&format!("  also: {}", w.states.join("; ")));
        }
        say(&format!("  {}: {}", w.first, w.evidence.line()));
    }
    if s.widgets.is_empty() {
        say(
            "\nNo widget was seen in the documents; one that another script brings is not seen by \
            HTTP.",
        );
    }
}
