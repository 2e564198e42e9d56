//! Sites as files: a spreadsheet of all, an empty one to fill in, expectation files.

use super::{csv, file, site_of};
use crate::error::PageResult;
use crate::session::Reader;
use crate::state::App;
use axum::extract::{Path, State};
use axum::response::Response;
use newtfern_acts::store::lists::Filter;
use newtfern_acts::store::sites::Site;
use newtfern_core::intake::{self, SiteRow};

/// Sites that are read at once.
const AT_ONCE: i64 = 1000;

/// All sites, in parts.
async fn each(app: &App, mut take: impl FnMut(Site)) -> PageResult<()> {
    let mut offset = 0;
    loop {
        let (sites, total) = app
            .store()
            .sites(&Filter::default(), offset, AT_ONCE)
            .await?;
        offset += sites.len() as i64;
        let over = sites.is_empty() || offset >= total;
        sites.into_iter().for_each(&mut take);
        if over {
            return Ok(());
        }
    }
}

/// All sites, in the form that can be imported.
///
/// # Errors
/// Where the database refuses.
pub async fn spreadsheet(State(app): State<App>, _: Reader) -> PageResult {
    let mut rows = Vec::new();
    each(&app, |s| {
        rows.push(SiteRow {
            client: s.client_name.clone(),
            site: s.fields().clone(),
        });
    })
    .await?;
    Ok(csv("sites.csv", intake::write(&rows)))
}

/// An empty spreadsheet with what each column takes.
///
/// # Errors
/// Where the database refuses.
pub async fn template(State(app): State<App>, _: Reader) -> PageResult {
    Ok(csv("sites-to-fill-in.csv", app.acts.site_template().await?))
}

/// A name for a site's file: its host and path, in letters that every file system takes.
fn name_of(site: &Site) -> String {
    let bare = site.url.split("://").nth(1).unwrap_or(&site.url);
    let kept = bare.trim_end_matches('/').chars().map(|c| match c {
        c if c.is_ascii_alphanumeric() || matches!(c, '.' | '-') => c,
        _ => '_',
    });
    let name: String = kept.take(80).collect();
    format!("{name}.toml")
}

/// One site's expectation, as a file that `newtfern check --site` reads.
///
/// # Errors
/// Where there is no such site.
pub async fn expectation(State(app): State<App>, _: Reader, Path(id): Path<i64>) -> PageResult {
    let site = site_of(&app, id).await?;
    let text = app.acts.expectation_of(&site).await?.write();
    Ok(file(
        "application/toml; charset=utf-8",
        &name_of(&site),
        text,
    ))
}

/// All expectations in one archive (tar, POSIX.1-2001), a folder a client.
///
/// # Errors
/// Where the database refuses.
pub async fn expectations(State(app): State<App>, _: Reader) -> PageResult<Response> {
    let mut sites = Vec::new();
    each(&app, |s| sites.push(s)).await?;
    let mut archive = tar::Builder::new(Vec::new());
    for site in &sites {
        let text = app.acts.expectation_of(site).await?.write();
        let mut head = tar::Header::new_ustar();
        head.set_size(text.len() as u64);
        head.set_mode(0o644);
        let path = format!("expectations/{}-{}", site.id, name_of(site));
        // Writing to memory fails only for a path that is too long; these are cut.
        let _ = archive.append_data(&mut head, path, text.as_bytes());
    }
    let bytes = archive.into_inner().unwrap_or_default();
    Ok(file("application/x-tar", "expectations.tar", bytes))
}
