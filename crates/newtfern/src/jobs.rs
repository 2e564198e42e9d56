//! What a worker does for each kind of job: visit by the probe, judge by the core, store in one go.

use crate::house::House;
use anyhow::{Context, Result, anyhow, bail};
use newtfern_core::assess::{self, Assessed, Expectation};
use newtfern_core::brand::Compared;
use newtfern_core::chain::{Diagnosis, Outcome};
use newtfern_core::colour::Rgb;
use newtfern_core::consent::Grid;
use newtfern_core::design::Design;
use newtfern_core::observation::{Observation, Viewport};
use newtfern_core::profile::{ConsentManager, Supplier};
use newtfern_core::standing::{Family, State};
use newtfern_core::weigh::{WeighIn, conclude};
use newtfern_probe::browser::{Browser, Pool};
use newtfern_probe::http::Http;
use newtfern_probe::visit::Pictures;
use newtfern_probe::{check, echo, paper, weigh};
use newtfern_store::clients::Client;
use newtfern_store::profiles::region_of;
use newtfern_store::queue::{Done, Job};
use newtfern_store::sites::Site;
use newtfern_store::standings::NewStanding;
use newtfern_web::sheet::{self, Sheet};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use time::{Duration, OffsetDateTime};
use url::Url;

pub struct Tools {
    pub house: House,
    pub pool: Arc<Pool>,
    pub http: Http,
}

/// A site with everything its checks need.
struct Subject {
    site: Site,
    client: Client,
    url: Url,
    supplier: Supplier,
    rivals: Vec<Supplier>,
    consent: Option<ConsentManager>,
    design: Design,
    brand: Option<Rgb>,
}

/// Progress that a heartbeat reports, and whether the round still wants the result.
#[derive(Default)]
pub struct Progress {
    pub done: AtomicUsize,
    pub of: AtomicUsize,
    pub cancelled: AtomicBool,
}

fn standing(a: Assessed) -> NewStanding {
    NewStanding {
        family: a.family,
        state: a.state,
        summary: a.summary,
        remedy: a.remedy,
        detail: a.detail,
    }
}

pub async fn run(tools: &Tools, job: &Job, progress: &Arc<Progress>) -> Result<Done> {
    if job.kind == "preview" {
        return preview(tools, job).await;
    }
    let subject = subject(tools, job.site_id).await?;
    match job.kind.as_str() {
        "check" => check_site(tools, &subject).await,
        "weigh" => weigh_site(tools, &subject, progress).await,
        "echo" => echo_site(tools, &subject, job).await,
        "sheet" => sheet_for(tools, &subject).await,
        other => bail!(
            "this worker does not know jobs of the kind {other}: is it older than the application?"
        ),
    }
}

async fn site_and_client(tools: &Tools, id: i64) -> Result<(Site, Client)> {
    let site = tools
        .house
        .store
        .site(id)
        .await?
        .context("the site was removed")?;
    let client = tools
        .house
        .store
        .client(site.client_id)
        .await?
        .context("the client was removed")?;
    Ok((site, client))
}

async fn subject(tools: &Tools, id: i64) -> Result<Subject> {
    let store = &tools.house.store;
    let (site, client) = site_and_client(tools, id).await?;
    let wanted = site.supplier_id.clone().ok_or_else(|| {
        anyhow!("no supplier is chosen for this site: choose one in its settings")
    })?;
    let mut all = store.all_suppliers().await?;
    let at = all
        .iter()
        .position(|s| s.id == wanted)
        .context("the site's supplier has no profile any more")?;
    let supplier = all.remove(at);
    let consent = match &site.consent_id {
        Some(id) => store.consent_manager(id).await?,
        None => None,
    };
    let sheet = client.sheet()?;
    let design = Design::resolve(&store.house_style().await?, &sheet.layer(), &site.layer()?);
    Ok(Subject {
        url: Url::parse(&site.url)?,
        supplier,
        rivals: all,
        consent,
        design,
        brand: sheet.primary,
        site,
        client,
    })
}

fn judge(
    s: &Subject,
    visits: &[Observation],
    asides: &[newtfern_core::chain::Aside],
) -> (Diagnosis, Vec<Assessed>) {
    let region = region_of(&s.site.country);
    let expectation = Expectation {
        supplier: &s.supplier,
        rivals: &s.rivals,
        key: &s.site.key,
        consent: s.consent.as_ref(),
        design: &s.design,
        brand: s.brand,
        region: &region,
    };
    assess::check(&expectation, visits, asides)
}

/// Pictures become blobs; their keys go into the observation.
async fn keep(tools: &Tools, mut seen: Observation, pictures: Pictures) -> Result<Observation> {
    if let Some(png) = pictures.page {
        seen.picture = Some(tools.house.blobs.put(png, "png").await?);
    }
    if let Some(png) = pictures.launcher {
        seen.launcher_picture = Some(tools.house.blobs.put(png, "png").await?);
    }
    seen.at = OffsetDateTime::now_utc()
        .format(&time::format_description::well_known::Rfc3339)
        .unwrap_or_default();
    Ok(seen)
}

async fn check_site(tools: &Tools, s: &Subject) -> Result<Done> {
    let request = check::Request {
        url: &s.url,
        supplier: &s.supplier,
        consent: s.consent.as_ref(),
        viewports: &[Viewport::Desktop, Viewport::Phone],
        pictures: true,
    };
    let evidence = check::run(&tools.pool, &tools.http, &request).await?;
    let mut visits = Vec::new();
    for (seen, pictures) in evidence.visits {
        visits.push(keep(tools, seen, pictures).await?);
    }
    let (diagnosis, assessed) = judge(s, &visits, &evidence.asides);
    let outcome = match &diagnosis.root {
        Some(root) => format!("{}: {root}", diagnosis.outcome.words()),
        None => diagnosis.outcome.words().to_string(),
    };
    let result = serde_json::json!({"diagnosis": diagnosis, "asides": evidence.asides});
    Ok(Done {
        outcome,
        result: Some(result),
        visits,
        standings: assessed.into_iter().map(standing).collect(),
    })
}

/// Judges the stored visits again, without a new one: after a change of rules, design or policy.
pub async fn reassess(tools: &Tools, site: i64) -> Result<Option<Outcome>> {
    let s = subject(tools, site).await?;
    let visits = tools.house.store.last_visits(site).await?;
    if visits.is_empty() {
        return Ok(None);
    }
    let asides: Vec<newtfern_core::chain::Aside> = tools
        .house
        .store
        .last_result(site, "check")
        .await?
        .and_then(|r| serde_json::from_value(r["asides"].clone()).ok())
        .unwrap_or_default();
    let (diagnosis, assessed) = judge(&s, &visits, &asides);
    for a in assessed.into_iter().filter(|a| a.family != Family::Watch) {
        tools.house.store.set_standing(site, &standing(a)).await?;
    }
    Ok(Some(diagnosis.outcome))
}

async fn weigh_site(tools: &Tools, s: &Subject, progress: &Arc<Progress>) -> Result<Done> {
    // A browser of its own, so that nothing else runs in it.
    let browser = Browser::launch(tools.pool.guard(), None).await?;
    let seed = s.site.id as u64;
    let request = weigh::Request {
        url: &s.url,
        supplier: &s.supplier,
        consent: s.consent.as_ref(),
        viewport: Viewport::Desktop,
        own_loads: crate::cmd::weigh::OWN_LOADS,
        pairs: 10,
        seed,
    };
    let told = progress.clone();
    let measured = weigh::run(&browser, &request, move |done, of| {
        told.done.store(done, Ordering::Relaxed);
        told.of.store(of, Ordering::Relaxed);
        !told.cancelled.load(Ordering::Relaxed)
    })
    .await?;
    let weighed = conclude(s.url.as_str(), seed, &measured, s.site.budget_ms)?;
    let assessed = assess::weighing(&weighed);
    let result = serde_json::json!({"weigh": weighed, "measured": measured});
    Ok(Done {
        outcome: assessed.summary.clone(),
        result: Some(result),
        visits: vec![],
        standings: vec![standing(assessed)],
    })
}

async fn echo_site(tools: &Tools, s: &Subject, job: &Job) -> Result<Done> {
    let browser = tools.pool.browser().await?;
    let token = match tools.house.store.supplier_token(&s.supplier.id).await? {
        Some(sealed) => Some(tools.house.sealer.open(&sealed)?),
        None => None,
    };
    let message = format!("Hello, this is a test by your agency (no. {})", job.id);
    let answer = format!("Seen, thank you (no. {})", job.id);
    let request = echo::Request {
        url: &s.url,
        supplier: &s.supplier,
        consent: s.consent.as_ref(),
        key: &s.site.key,
        message: &message,
        answer: &answer,
        token: token.as_deref(),
    };
    let (mut seen, picture) = echo::run(&browser, &tools.http, &request).await?;
    if let Some(png) = picture {
        seen.picture = Some(tools.house.blobs.put(png, "png").await?);
    }
    let assessed = assess::echoing(&seen);
    Ok(Done {
        outcome: assessed.summary.clone(),
        result: Some(serde_json::to_value(&seen)?),
        visits: vec![],
        standings: vec![standing(assessed)],
    })
}

async fn preview(tools: &Tools, job: &Job) -> Result<Done> {
    let (site, _) = site_and_client(tools, job.site_id).await?;
    let url = Url::parse(&site.url)?;
    let hosts: Vec<String> = match &site.supplier_id {
        Some(id) => tools
            .house
            .store
            .supplier(id)
            .await?
            .map(|s| s.hosts().map(str::to_string).collect())
            .unwrap_or_default(),
        None => Vec::new(),
    };
    let browser = tools.pool.browser().await?;
    let mut keys = Vec::new();
    for viewport in [Viewport::Desktop, Viewport::Phone] {
        let png = paper::picture_of(&browser, &url, viewport, &hosts).await?;
        keys.push(match png {
            Some(png) => Some(tools.house.blobs.put(png, "png").await?),
            None => None,
        });
    }
    if keys.iter().all(Option::is_none) {
        bail!("the page did not arrive, so there is no picture of it");
    }
    tools
        .house
        .store
        .set_previews(site.id, keys[0].as_deref(), keys[1].as_deref())
        .await?;
    Ok(Done {
        outcome: "pictures taken".into(),
        ..Done::default()
    })
}

/// Builds the sheet from what is stored, prints it, and keeps both.
async fn sheet_for(tools: &Tools, s: &Subject) -> Result<Done> {
    let store = &tools.house.store;
    let all = store
        .standings_of(&[s.site.id])
        .await?
        .remove(&s.site.id)
        .unwrap_or_default();
    let of = |f: Family| all.iter().find(|t| t.family() == f);
    let read = |f: Family, name: &str| of(f).and_then(|t| t.detail.get(name).cloned());
    let Some(diagnosis) =
        read(Family::Load, "diagnosis").and_then(|v| serde_json::from_value::<Diagnosis>(v).ok())
    else {
        bail!("the site has not been verified yet, so there is no proof to hand over");
    };
    let agency = store
        .setting("agency")
        .await?
        .and_then(|v| v.as_str().map(str::to_string))
        .unwrap_or_else(|| "Your agency".into());
    let mut sheet = Sheet {
        agency,
        client: s.client.name.clone(),
        site: s.site.name.clone(),
        address: s.site.url.clone(),
        supplier: s.supplier.name.clone(),
        key: s.site.key.clone(),
        made: newtfern_web::view::moment(OffsetDateTime::now_utc()),
        by: "Newtfern".into(),
        outcome: String::new(),
        chain: String::new(),
        notes: vec![],
        pictures: pictures(tools, read(Family::Load, "shots")).await?,
        weigh: vec![],
        weigh_words: String::new(),
        consent: String::new(),
        consent_words: String::new(),
        echo: of(Family::Echo)
            .filter(|t| t.state() != State::NotYet)
            .map(|t| t.summary.clone())
            .unwrap_or_default(),
        brand: String::new(),
        colours: vec![],
    };
    sheet.set_chain(&diagnosis);
    let words = |f: Family| of(f).map(|t| t.summary.clone()).unwrap_or_default();
    if let Some(w) =
        read(Family::Weigh, "weigh").and_then(|v| serde_json::from_value::<WeighIn>(v).ok())
    {
        sheet.set_weigh(&w, &words(Family::Weigh));
    }
    if let Some(g) =
        read(Family::Consent, "grid").and_then(|v| serde_json::from_value::<Grid>(v).ok())
    {
        sheet.set_consent(&g, &words(Family::Consent));
    }
    if let Some(c) =
        read(Family::Brand, "compared").and_then(|v| serde_json::from_value::<Compared>(v).ok())
    {
        sheet.brand = words(Family::Brand);
        sheet.colours = [("Launcher", c.launcher), ("Header", c.header)]
            .into_iter()
            .filter_map(|(n, p)| {
                p.map(|p| {
                    (
                        format!("{n} {}", p.seen.hex()),
                        newtfern_web::pages::lens::swatch(&p.seen.hex(), n).svg,
                    )
                })
            })
            .collect();
    }
    let body = sheet.body()?;
    let browser = tools.pool.browser().await?;
    let pdf = paper::print(&browser, &sheet::paper(&body)).await?;
    let key = tools.house.blobs.put(pdf, "pdf").await?;
    // The link is made, and shown once, when somebody asks for it.
    store
        .add_handover(
            s.site.id,
            &body,
            Some(&key),
            "Newtfern",
            OffsetDateTime::now_utc() + Duration::days(30),
        )
        .await?;
    let proven = diagnosis.outcome != Outcome::Broken;
    let standing = NewStanding {
        family: Family::HandOver,
        state: State::Undecided,
        summary: if proven {
            "The sheet is made; the client has not confirmed yet.".into()
        } else {
            "The sheet is made, of a site whose chain is broken.".into()
        },
        remedy: "Send the client the link.".into(),
        detail: serde_json::json!({"pdf": key}),
    };
    Ok(Done {
        outcome: "sheet made".into(),
        result: None,
        visits: vec![],
        standings: vec![standing],
    })
}

/// The pictures of visits with the widget up, at most one a viewport.
async fn pictures(
    tools: &Tools,
    shots: Option<serde_json::Value>,
) -> Result<Vec<(String, String)>> {
    use base64::Engine;
    let shots: Vec<serde_json::Value> = shots
        .and_then(|s| serde_json::from_value(s).ok())
        .unwrap_or_default();
    let mut out = Vec::new();
    for viewport in ["desktop", "phone"] {
        let of: Vec<_> = shots.iter().filter(|s| s["viewport"] == viewport).collect();
        let best = of.iter().find(|s| !s["up_ms"].is_null()).or(of.first());
        if let Some(key) = best.and_then(|s| s["picture"].as_str())
            && let Some(bytes) = tools.house.blobs.get(key).await?
        {
            out.push((
                format!("On a {viewport}"),
                base64::engine::general_purpose::STANDARD.encode(&bytes),
            ));
        }
    }
    Ok(out)
}
