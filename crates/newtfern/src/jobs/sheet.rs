//! The handover sheet, built from what is stored, printed, and kept both ways.

use super::{Tools, pictures};
use anyhow::{Result, bail};
use jiff::Timestamp;
use newtfern_acts::{MadeSheet, Subject};
use newtfern_model::diary::Kind;
use newtfern_probe::paper;
use newtfern_store::estate::sites::StandingRow;
use newtfern_store::results::checks::Drawing;
use newtfern_store::results::queue::Job;
use newtfern_verdict::family::detail::load;
use newtfern_verdict::family::{Detail, Family, Standing, echo};
use newtfern_web::sheet::{HandoverSheet, paper as document};

pub async fn make(tools: &Tools, job: &Job, s: &Subject) -> Result<()> {
    let (store, id) = (tools.acts.reads(), s.site.id);
    let mut all = store.sites().standings_of(&[id]).await?;
    let all = all.remove(&id).unwrap_or_default();
    let findings = store.checks().findings(id).await?;
    let drawings = store.checks().drawings(&[id], None).await?;
    let detail = |f: Family| match drawings.get(&(id, f)) {
        Some(Drawing::Known(detail)) => Some(detail.as_ref()),
        _ => None,
    };
    let words = |f: Family| {
        let of = all.iter().find(|t| t.family == f);
        of.filter(|t| t.state != Standing::NotYet)
            .map(|t| t.summary.clone())
            .unwrap_or_default()
    };
    let load = proof(detail(Family::Load), &all)?;
    let mut sheet = HandoverSheet {
        agency: agency(tools).await?,
        client: s.client.name.clone(),
        site: s.site.name.clone(),
        address: s.site.url.clone(),
        supplier: s.supplier.name.clone(),
        key: s.site.key.clone(),
        made: newtfern_web::view::moment(Timestamp::now()),
        by: asked_by(tools, job).await?,
        pictures: pictures::carried(tools, &load.shots).await?,
        echo: of_the_message(detail(Family::Echo)).unwrap_or_else(|| words(Family::Echo)),
        tests: tests(tools, id).await?,
        pages: words(Family::Pages),
        ..HandoverSheet::default()
    };
    let found = findings
        .get(&Family::Load)
        .map(Vec::as_slice)
        .unwrap_or_default();
    sheet.set_load(load, found);
    for family in [Family::Weigh, Family::Consent, Family::Brand] {
        match detail(family) {
            Some(Detail::Weigh(d)) => sheet.set_weigh(&d.weigh, &words(family)),
            Some(Detail::Consent(grid)) => sheet.set_consent(grid, &words(family)),
            Some(Detail::Brand(d)) => sheet.set_brand(d, &words(family)),
            _ => {}
        }
    }
    set_diary(tools, id, &mut sheet).await?;
    let body = sheet.body()?;
    let key = printed(tools, &body).await?;
    let stood = all.iter().map(|t| (t.family, t.state)).collect();
    let sheet = MadeSheet {
        html: &body,
        pdf: key,
        proven: load.is_proven(),
        stood,
    };
    tools.acts.checks().finish_sheet(job, s, sheet).await?;
    Ok(())
}

/// Returns what became of the test message, whatever the looks of the talk were.
fn of_the_message(detail: Option<&Detail>) -> Option<String> {
    match detail {
        Some(Detail::Echo(seen)) => Some(echo::of_the_message(seen)),
        _ => None,
    }
}

/// Returns what a handover rests on: a verification that is not old.
fn proof<'a>(detail: Option<&'a Detail>, all: &[StandingRow]) -> Result<&'a load::Detail> {
    let Some(Detail::Load(load)) = detail else {
        bail!("the site has not been verified yet, so there is no proof to hand over");
    };
    let stale = all.iter().find(|t| t.family == Family::Load);
    if stale.is_some_and(|t| t.state == Standing::Stale) {
        bail!("the results of this site are old, so they prove nothing: verify it again first");
    }
    Ok(load)
}

/// Entries of the diary that a sheet looks through.
const ENTRIES: i64 = 200;
/// Characters of one entry that the sheet shows.
const MOST_SHOWN: usize = 300;

/// Puts into the sheet what the client should know of the work by hand; what slots held is of no
/// use to them.
async fn set_diary(tools: &Tools, site: i64, sheet: &mut HandoverSheet) -> Result<()> {
    let (entries, _) = tools.acts.reads().handing().diary(site, 0, ENTRIES).await?;
    sheet.backup = tools.acts.reads().handing().has_backup_noted(site).await?;
    for entry in entries {
        let kind = entry.kind()?;
        if matches!(kind, Kind::Backup | Kind::SideEffect | Kind::Access) {
            let words: String = entry.words.chars().take(MOST_SHOWN).collect();
            let when = newtfern_web::view::moment(entry.at);
            let by = format!("{}, {when}", entry.who);
            sheet.diary.push((kind.label().to_string(), words, by));
        }
    }
    Ok(())
}

/// Test talks that the sheet lists.
const TESTS: i64 = 10;

/// The test talks that were had: each was one of the client's own.
async fn tests(tools: &Tools, site: i64) -> Result<Vec<(String, String)>> {
    let made = tools.acts.reads().checks().tests_of(site, TESTS).await?;
    let told = |(at, outcome): (newtfern_store::Moment, String)| {
        (newtfern_web::view::moment(at.to_jiff()), outcome)
    };
    Ok(made.into_iter().map(told).collect())
}

/// Whoever asked for a job.
pub(super) async fn asked_by(tools: &Tools, job: &Job) -> Result<String> {
    let round = tools.acts.reads().rounds().round(job.round_id).await?;
    Ok(round.map_or_else(|| "Newtfern".into(), |r| r.who))
}

/// Name of the agency, as its settings have it.
async fn agency(tools: &Tools) -> Result<String> {
    let name = tools.acts.reads().settings().agency().await?.name;
    Ok(match name.is_empty() {
        true => "Your agency".into(),
        false => name,
    })
}

/// Blob of the sheet as PDF.
async fn printed(tools: &Tools, body: &str) -> Result<String> {
    let browser = tools.pool.browser().await?;
    let pdf = paper::print(&browser, &document(body)?).await?;
    Ok(tools.acts.blobs.put(pdf, "pdf").await?)
}
