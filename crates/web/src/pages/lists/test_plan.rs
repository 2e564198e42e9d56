//! Test messages to many sites: what the month's limits leave room for, before anything is sent.

use crate::error::PageResult;
use crate::pages::lists::carried::carried;
use crate::pages::render;
use crate::session::Posted;
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use newtfern_model::job::JobKind;
use newtfern_verdict::echo::AccountTests;

#[derive(Template)]
#[template(path = "lists/test_plan.html")]
struct Page {
    frame: Frame,
    accounts: Vec<AccountTests>,
    limit: u32,
    /// Sites that are tested, those that must wait, and those without a supplier.
    fits: usize,
    left_out: usize,
    without: usize,
    ids: String,
    job: JobKind,
}

/// Shows which of the sites the limits leave room for.
///
/// # Errors
/// Where the accounts cannot be read.
pub async fn show(app: &App, posted: &Posted, sites: &[i64]) -> PageResult {
    let accounts = app.acts.checks().test_plan(sites).await?;
    let asked: usize = accounts.iter().map(|a| a.asked.len()).sum();
    let fits: Vec<i64> = accounts.iter().flat_map(|a| a.fits.clone()).collect();
    render(&Page {
        frame: Frame::new(app, &posted.reader(), "Send test messages", "echo", "").await?,
        limit: app.reads().settings().agency().await?.tests_a_month,
        fits: fits.len(),
        left_out: asked - fits.len(),
        without: sites.len() - asked,
        ids: carried(&fits),
        accounts,
        job: JobKind::Echo,
    })
}
