//! What a worker does for each kind of job: visits by the probe, judged and stored by an act.

mod pages;
mod pictures;
mod sheet;
mod survey;
mod tools;

pub use tools::{Progress, Tools};

use crate::site::widget::{self, WidgetOrder};
use anyhow::{Result, bail};
use newtfern_acts::{CheckEvidence, Subject};
use newtfern_model::job::JobKind;
use newtfern_model::pages::Expect;
use newtfern_probe::browser::Browser;
use newtfern_probe::echo::{self, EchoOrder};
use newtfern_probe::mailbox::Access;
use newtfern_probe::paper;
use newtfern_probe::weigh::{self, WeighOrder};
use newtfern_standards::observation::Viewport;
use newtfern_store::estate::sites::Site;
use newtfern_store::results::queue::Job;
use newtfern_verdict::echo::{TestVisitor, test_message};
use newtfern_verdict::visits::{CheckOrder, guarded};
use newtfern_verdict::weigh::moments::LOADS;
use newtfern_verdict::weigh::stopping::MOST_LOADS;
use newtfern_verdict::weigh::{conclude, empty_page};
use std::sync::Arc;
use std::sync::atomic::Ordering;

/// Loads with and without the widget in a weigh-in that a worker makes.
const PAIRS: usize = 10;

/// Does a job and stores what came of it.
pub async fn run(tools: &Tools, job: &Job, progress: &Arc<Progress>) -> Result<()> {
    // Neither needs a supplier.
    match job.kind {
        JobKind::Preview => return preview(tools, job).await,
        JobKind::Survey => return survey::make(tools, job, progress).await,
        JobKind::Push | JobKind::Swap | JobKind::PutBack => {
            return Ok(tools.acts.placing().do_placing(job).await?);
        }
        JobKind::Values => return Ok(tools.acts.consoles().do_values(job).await?),
        _ => {}
    }
    let subject = tools.acts.sites().subject(job.site_id).await?;
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
    let at = tools.acts.reads().now().await?;
    let stamp = newtfern_store::fresh_token();
    let states = s.states();
    let order = WidgetOrder {
        check: CheckOrder {
            consent: s.consent.as_ref(),
            pictures: true,
            ..CheckOrder::of(&s.url, &s.supplier, &stamp)
        },
        widget: Some(&s.widget),
        languages: &s.file.languages,
        states: &states,
        further: s.expects() == Expect::Present,
        manners: true,
        notice: true,
    };
    let seen = widget::look(&tools.for_sites(), &order).await?;
    // What our own rule refuses says nothing of the site.
    if let Some(refused) = guarded(&seen.visits) {
        bail!("{refused}: an administrator can allow it in the settings (house rules)");
    }
    let mut asides = seen.asides;
    asides.extend(tools.acts.placing().beside(s, &seen.visits).await?);
    let visits = pictures::keep(tools, seen.visits, seen.pictures).await?;
    if s.site.preview_desktop.is_none() && s.site.preview_phone.is_none() {
        // Its design is drawn on a picture of the page, and the browser stands ready.
        match pictures_without(tools, &s.site).await {
            Ok([desktop, phone]) => {
                let keep = tools.acts.checks();
                let id = job.site_id;
                keep.keep_pictures(id, desktop.as_deref(), phone.as_deref())
                    .await?;
            }
            Err(why) => tracing::warn!("no picture of {} for its design: {why:#}", s.url),
        }
    }
    let seen = CheckEvidence {
        at,
        page: s.page(visits, asides),
    };
    tools.acts.checks().finish_check(job, s, seen).await?;
    Ok(())
}

async fn weigh_site(tools: &Tools, job: &Job, s: &Subject, progress: &Arc<Progress>) -> Result<()> {
    let at = tools.acts.reads().now().await?;
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
    tools
        .acts
        .checks()
        .finish_weigh(job, s, at, &weighed)
        .await?;
    Ok(())
}

/// Reason why nobody looked for the supplier's mail.
const NO_MAILBOX: &str = "the settings have no mailbox for test messages";

async fn echo_site(tools: &Tools, job: &Job, s: &Subject) -> Result<()> {
    let only_left = tools.acts.checks().may_test(s).await?;
    let at = tools.acts.reads().now().await?;
    let browser = tools.pool.browser().await?;
    let token = tools
        .acts
        .tokens()
        .account_token(s.client.id, &s.supplier.id)
        .await?;
    let agency = tools.acts.reads().settings().agency().await?;
    let by = sheet::asked_by(tools, job).await?;
    let message = format!("{} (no. {})", test_message(&by, &agency.name), job.id);
    let answers = [
        format!("Seen, thank you (no. {})", job.id),
        format!("And a second answer (no. {})", job.id),
    ];
    let mailbox = tools.acts.settings().mailbox().await?;
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
    tools.acts.checks().finish_echo(job, s, at, &seen).await?;
    Ok(())
}

async fn preview(tools: &Tools, job: &Job) -> Result<()> {
    let (site, _) = tools.acts.sites().site_and_client(job.site_id).await?;
    let [desktop, phone] = pictures_without(tools, &site).await?;
    if desktop.is_none() && phone.is_none() {
        bail!("the page did not arrive, so there is no picture of it");
    }
    tools
        .acts
        .checks()
        .finish_preview(job, desktop.as_deref(), phone.as_deref())
        .await?;
    Ok(())
}

/// Pictures of a site's page without its widget, on a desktop and a phone, as blobs.
async fn pictures_without(tools: &Tools, site: &Site) -> Result<[Option<String>; 2]> {
    let url = site.address()?;
    let supplier = match &site.supplier_id {
        Some(id) => tools.acts.reads().profiles().supplier(id).await?,
        None => None,
    };
    let hosts: Vec<String> = supplier
        .map(|s| s.hosts().map(str::to_string).collect())
        .unwrap_or_default();
    let browser = tools.pool.browser().await?;
    let mut keys = [None, None];
    for (key, viewport) in keys.iter_mut().zip([Viewport::Desktop, Viewport::Phone]) {
        if let Some(png) = paper::picture_of(&browser, &url, viewport, &hosts).await? {
            *key = Some(tools.acts.blobs.put(png, "png").await?);
        }
    }
    Ok(keys)
}
