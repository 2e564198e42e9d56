//! `newtfern check --site`: a whole site against its expectation file.

use crate::cmd::guarded::guard;
use crate::profiles_folder;
use crate::site::{self, SiteObservations, SiteOrder, SiteTools, Step};
use anyhow::{Context, Result, bail};
use newtfern_model::expectation::Expectation;
use newtfern_model::profile::ConsentManager;
use newtfern_model::profiles::Profiles;
use newtfern_model::region::Region;
use newtfern_probe::browser::Pool;
use newtfern_probe::crawl::agent;
use newtfern_probe::http::Http;
use newtfern_standards::har;
use newtfern_standards::observation::ConsentAct;
use newtfern_verdict::junit::{self, FailOn};
use newtfern_verdict::site_check::{SiteCase, SiteDiagnosis, judge, rivals, subjects};
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// Arguments of a check of a whole site.
pub struct SiteArgs {
    pub site: PathBuf,
    pub profiles: Option<PathBuf>,
    pub pages: usize,
    /// Not given: as the expectation needs.
    pub states: Vec<ConsentAct>,
    /// Other manners of visiting, too.
    pub manners: bool,
    /// The notice's link is followed.
    pub notice: bool,
    /// Not given: now.
    pub at: Option<jiff::Timestamp>,
    pub limit: u64,
    pub contact: String,
    pub ca: Option<PathBuf>,
    pub allow_private: bool,
    pub junit: Option<PathBuf>,
    pub har: Option<PathBuf>,
    /// All that was seen and what it was judged by, for judging it again without a browser.
    pub record: Option<PathBuf>,
    pub fail_on: FailOn,
}

/// The states of consent to visit in: those that were named, else those that tell apart whether
/// anything waits for it.
fn states(args: &SiteArgs, consent: Option<&ConsentManager>) -> Vec<ConsentAct> {
    match (args.states.is_empty(), consent) {
        (false, _) => args.states.clone(),
        (true, Some(_)) => vec![ConsentAct::Untouched, ConsentAct::Granted],
        (true, None) => vec![ConsentAct::Untouched],
    }
}

/// Reads the profiles; the platform that the expectation names must be among them.
fn profiles(args: &SiteArgs, expectation: &Expectation) -> Result<Profiles> {
    let mut profiles = match &args.profiles {
        Some(folder) => profiles_folder::read(folder)?,
        None => Profiles::default(),
    };
    profiles.at_hosts(expectation.hosts())?;
    if let Some(platform) = &expectation.platform {
        profiles.platform(platform)?;
    }
    Ok(profiles)
}

/// Checks a site; the reports are written before it ends.
pub async fn check(args: &SiteArgs) -> Result<SiteDiagnosis> {
    let began = Instant::now();
    let cannot = || format!("cannot read the expectation {}", args.site.display());
    let text = std::fs::read_to_string(&args.site).with_context(cannot)?;
    let in_file = || format!("in {}", args.site.display());
    let expectation = Expectation::read(&text).with_context(in_file)?;
    let profiles = profiles(args, &expectation)?;
    let subjects = subjects(&expectation, &profiles).with_context(in_file)?;
    let consent = expectation.consent_id().map(|id| profiles.consent(id));
    let consent = consent.transpose()?;
    let at = args.at.unwrap_or_else(jiff::Timestamp::now);
    let states = states(args, consent);
    let url = expectation.url().context("the address cannot be read")?;
    let guard = guard(args.allow_private);
    let may = guard.private.refuse(&url);
    may.map_err(|e| anyhow::anyhow!("{e}; --allow-private lets this check go there"))?;
    let pem = args.ca.as_ref().map(std::fs::read);
    let pem = pem.transpose().context("cannot read the --ca file")?;
    let tools = SiteTools {
        http: &Http::new(guard.clone(), pem.as_deref())?,
        crawler: &Http::called(guard.clone(), pem.as_deref(), &agent(&args.contact))?,
        pool: &Pool::new(guard, args.ca.clone()),
    };
    let stamp = newtfern_store::fresh_token();
    let order = SiteOrder {
        expectation: &expectation,
        url: &url,
        subjects: &subjects,
        known: profiles.suppliers.first(),
        consent,
        states: &states,
        manners: args.manners,
        notice: args.notice,
        pages: args.pages.max(1),
        limit: Duration::from_secs(args.limit),
        stamp: &stamp,
    };
    let looked = site::look(&tools, &order, progress).await?;
    tools.pool.close().await;
    if let Some(refused) = looked.refused() {
        bail!("{refused}; --allow-private lets this check go there");
    }
    let rivals = rivals(&expectation, &profiles);
    let diagnosis = judge(&SiteCase {
        expectation: &expectation,
        subjects: &subjects,
        rivals: &rivals,
        consent,
        region: &Region::for_country(&profiles.regions, &expectation.country),
        sample_words: &profiles.sample_words,
        states: &states,
        at,
        pages: &looked.pages,
        gaps: &looked.gaps,
        closed: &looked.closed,
    });
    let judged_by = (text.as_str(), states.as_slice(), at);
    write_reports(args, judged_by, &looked, &diagnosis, began)?;
    Ok(diagnosis)
}

/// Writes the reports that were asked for, the archives of the visits among them.
fn write_reports(
    args: &SiteArgs,
    judged_by: (&str, &[ConsentAct], jiff::Timestamp),
    looked: &SiteObservations,
    diagnosis: &SiteDiagnosis,
    began: Instant,
) -> Result<()> {
    if let Some(folder) = &args.har {
        write_har(folder, looked)?;
    }
    if let Some(path) = &args.record {
        write_record(path, args, judged_by, looked, diagnosis)?;
    }
    if let Some(path) = &args.junit {
        let report = junit::report(diagnosis, args.fail_on, began.elapsed().as_secs_f64())?;
        std::fs::write(path, report).with_context(|| format!("cannot write {}", path.display()))?;
    }
    Ok(())
}

/// Expectation, profiles, states, instant, all that was seen, and the codes that it had.
fn write_record(
    path: &Path,
    args: &SiteArgs,
    (text, states, at): (&str, &[ConsentAct], jiff::Timestamp),
    looked: &SiteObservations,
    diagnosis: &SiteDiagnosis,
) -> Result<()> {
    let codes = diagnosis
        .diagnosis
        .verdict
        .findings()
        .iter()
        .map(|f| f.code);
    let record = serde_json::json!({
        "expectation": text,
        "profiles": profiles_folder::texts(args.profiles.as_deref())?,
        "states": states,
        "at": at.to_string(),
        "pages": looked.pages,
        "gaps": looked.gaps,
        "codes": codes.collect::<Vec<_>>(),
    });
    std::fs::write(path, serde_json::to_string(&record)?)
        .with_context(|| format!("cannot write {}", path.display()))
}

/// Tells a person who waits how far it is; a pipe gets the result alone.
fn progress(step: Step) {
    if std::io::stderr().is_terminal() {
        eprintln!("{step}");
    }
}

/// An archive a visit, in the order of the visits.
fn write_har(folder: &Path, looked: &SiteObservations) -> Result<()> {
    std::fs::create_dir_all(folder)
        .with_context(|| format!("cannot make the folder {}", folder.display()))?;
    for (i, seen) in site::observations(&looked.pages).enumerate() {
        let name = format!(
            "{:03}-{}-{}.har",
            i + 1,
            seen.condition.viewport.word(),
            seen.condition.consent.word()
        );
        let path = folder.join(name);
        let archive = har::of(seen, env!("CARGO_PKG_VERSION"));
        std::fs::write(&path, serde_json::to_string_pretty(&archive)?)
            .with_context(|| format!("cannot write {}", path.display()))?;
    }
    Ok(())
}
