//! What a worker does for each kind of job: visits by the probe, judged and stored by an act.

mod pages;
mod pictures;
mod sheet;
mod survey;

use crate::ways::Ways;
use anyhow::{Result, bail};
use newtfern_acts::{Acts, Seen, Subject};
use newtfern_core::chain::Expect;
use newtfern_core::echo::TestVisitor;
use newtfern_core::job::JobKind;
use newtfern_core::observation::{FailureKind, Viewport};
use newtfern_core::visits::{
    CheckOrder, further_states, in_language, in_other_manners, languages_of, prompt_of, states_of,
};
use newtfern_core::weigh::moments::LOADS;
use newtfern_core::weigh::stopping::MOST_LOADS;
use newtfern_core::weigh::{conclude, empty_page};
use newtfern_probe::browser::{Browser, Pool};
use newtfern_probe::echo::EchoOrder;
use newtfern_probe::http::Http;
use newtfern_probe::mailbox::Access;
use newtfern_probe::weigh::WeighOrder;
use newtfern_probe::{check, echo, paper, weigh};
use newtfern_store::queue::Job;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use url::Url;

/// What one job works with.
pub struct Tools {
    pub acts: Acts,
    pub pool: Arc<Pool>,
    pub http: Http,
    pub crawler: Http,
}

impl Tools {
    /// By the network rule as it is now.
    pub async fn now(ways: &Ways, acts: &Acts) -> Result<Tools> {
        let way = ways.now(&acts.store).await?;
        Ok(Tools {
            acts: acts.clone(),
            pool: way.pool,
            http: way.http,
            crawler: way.crawler,
        })
    }
}

/// How far a job is, for its heartbeat.
#[derive(Default)]
pub struct Progress {
    pub done: AtomicUsize,
    pub of: AtomicUsize,
}

/// Loads with and without the widget in a weigh-in that a worker makes.
const PAIRS: usize = 10;

/// Does a job and stores what came of it.
pub async fn run(tools: &Tools, job: &Job, progress: &Arc<Progress>) -> Result<()> {
    // Neither needs a supplier.
    match job.kind {
        JobKind::Preview => return preview(tools, job).await,
        JobKind::Survey => return survey::make(tools, job, progress).await,
        JobKind::Push | JobKind::Swap | JobKind::PutBack => {
            return Ok(tools.acts.do_placing(job).await?);
        }
        JobKind::Values => return Ok(tools.acts.do_values(job).await?),
        _ => {}
    }
    let subject = tools.acts.subject(job.site_id).await?;
    match job.kind {
        JobKind::Check => check_site(tools, job, &subject).await,
        JobKind::Weigh => weigh_site(tools, job, &subject, progress).await,
        JobKind::Echo => echo_site(tools, job, &subject).await,
        JobKind::Sheet => sheet::make(tools, job, &subject).await,
        JobKind::Pages => pages::look_at(tools, job, &subject, progress).await,
        JobKind::Preview
        | JobKind::Survey
        | JobKind::Push
        | JobKind::Swap
        | JobKind::PutBack
        | JobKind::Values => Ok(()),
    }
}

async fn check_site(tools: &Tools, job: &Job, s: &Subject) -> Result<()> {
    let at = tools.acts.store.now().await?;
    let stamp = newtfern_store::fresh_token();
    let languages = languages_of(&s.file.languages, Some(&s.widget));
    let first = languages.first().copied().unwrap_or_default();
    let order = CheckOrder {
        consent: s.consent.as_ref(),
        pictures: true,
        delay_ms: (s.widget.delay_s * 1000.0) as u64,
        locale: first,
        prompt: prompt_of(Some(&s.widget), first),
        ..CheckOrder::of(&s.url, &s.supplier, &stamp)
    };
    let mut evidence = check::run(&tools.pool, &tools.http, &order).await?;
    if s.expects() == Expect::Present {
        // Nobody can be asked for a decision of which the profile does not say how it is made.
        let mut plans = further_states(
            &order,
            &states_of(s.consent.as_ref(), s.gpc_alone_refuses()),
        );
        for locale in languages.iter().skip(1) {
            plans.extend(in_language(&CheckOrder {
                locale,
                prompt: prompt_of(Some(&s.widget), locale),
                ..order
            }));
        }
        plans.extend(in_other_manners(&order));
        check::further(&tools.pool, &tools.http, plans, &mut evidence).await?;
    }
    // What our own rule refuses says nothing of the site.
    let refused = evidence
        .visits
        .iter()
        .filter_map(|v| v.page.failure.as_ref());
    if let Some(f) = refused.into_iter().find(|f| f.kind == FailureKind::Guard) {
        bail!(
            "{}: an administrator can allow it in the settings (house rules)",
            f.text
        );
    }
    check::privacy_page(&tools.http, &mut evidence).await;
    let mut asides = evidence.asides;
    asides.extend(tools.acts.beside(s, &evidence.visits).await?);
    let hash = crate::site::pictures::hash;
    hash(&tools.http, &s.url, &s.design, &mut evidence.visits).await;
    let visits = pictures::keep(tools, evidence.visits, evidence.pictures).await?;
    let seen = Seen { at, visits, asides };
    tools.acts.finish_check(job, s, seen).await?;
    Ok(())
}

async fn weigh_site(tools: &Tools, job: &Job, s: &Subject, progress: &Arc<Progress>) -> Result<()> {
    let at = tools.acts.store.now().await?;
    // A browser of its own, so that nothing else runs in it.
    let browser = Browser::launch(tools.pool.guard(), None).await?;
    let seed = s.site.id as u64;
    let order = WeighOrder {
        url: &s.url,
        supplier: &s.supplier,
        consent: s.consent.as_ref(),
        viewport: Viewport::Desktop,
        own_loads: MOST_LOADS,
        further_loads: LOADS,
        stop_at: Some(s.site.budget_ms),
        phone_loads: match s.widget.viewports.contains(&Viewport::Phone) {
            true => LOADS,
            false => 0,
        },
        empty_page: Some(&empty_page(&s.supplier.snippet_for(&s.widget.key))),
        pairs: PAIRS,
        seed,
        slow: 1.0,
    };
    let told = progress.clone();
    let measured = weigh::run(&browser, &order, move |done, of| {
        told.done.store(done, Ordering::Relaxed);
        told.of.store(of, Ordering::Relaxed);
        true
    });
    let measured = measured.await?;
    let weighed = conclude(s.url.as_str(), seed, &measured, s.site.budget_ms);
    tools.acts.finish_weigh(job, s, at, &weighed).await?;
    Ok(())
}

/// Why nobody looked for the supplier's mail.
const NO_MAILBOX: &str = "no mailbox of test talks is kept in the settings";

async fn echo_site(tools: &Tools, job: &Job, s: &Subject) -> Result<()> {
    let only_left = tools.acts.may_test(s).await?;
    let at = tools.acts.store.now().await?;
    let browser = tools.pool.browser().await?;
    let token = tools
        .acts
        .account_token(s.client.id, &s.supplier.id)
        .await?;
    let message = format!("Hello, this is a test by your agency (no. {})", job.id);
    let answers = [
        format!("Seen, thank you (no. {})", job.id),
        format!("And a second answer (no. {})", job.id),
    ];
    let agency = tools.acts.store.agency().await?;
    let mailbox = tools.acts.mailbox().await?;
    let mailbox = mailbox.map(|(mailbox, password)| Access { mailbox, password });
    let own = mailbox.as_ref().map(|a| a.mailbox.address.as_str());
    let visitor = TestVisitor::of(&agency.name, own.unwrap_or(&agency.contact));
    let order = EchoOrder {
        visitor: &visitor,
        url: &s.url,
        supplier: &s.supplier,
        consent: s.consent.as_ref(),
        key: &s.site.key,
        message: &message,
        answers: &answers,
        token: token.as_deref(),
        only_left,
        mailbox: mailbox.as_ref().ok_or(NO_MAILBOX),
    };
    let (mut seen, picture) = echo::run(&browser, &tools.http, &order).await?;
    if let Some(png) = picture {
        seen.picture = Some(tools.acts.blobs.put(png, "png").await?);
    }
    tools.acts.finish_echo(job, s, at, &seen).await?;
    Ok(())
}

async fn preview(tools: &Tools, job: &Job) -> Result<()> {
    let (site, _) = tools.acts.site_and_client(job.site_id).await?;
    let url = Url::parse(&site.url)?;
    let supplier = match &site.supplier_id {
        Some(id) => tools.acts.store.supplier(id).await?,
        None => None,
    };
    let hosts: Vec<String> = supplier
        .map(|s| s.hosts().map(str::to_string).collect())
        .unwrap_or_default();
    let browser = tools.pool.browser().await?;
    let mut keys = Vec::new();
    for viewport in [Viewport::Desktop, Viewport::Phone] {
        let png = paper::picture_of(&browser, &url, viewport, &hosts).await?;
        keys.push(match png {
            Some(png) => Some(tools.acts.blobs.put(png, "png").await?),
            None => None,
        });
    }
    let [desktop, phone] = [keys[0].as_deref(), keys[1].as_deref()];
    if desktop.is_none() && phone.is_none() {
        bail!("the page did not arrive, so there is no picture of it");
    }
    tools.acts.finish_preview(job, desktop, phone).await?;
    Ok(())
}
