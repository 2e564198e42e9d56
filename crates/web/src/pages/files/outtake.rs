//! Sites as files: a spreadsheet of all, an empty one to fill in, expectation files.

use crate::error::PageResult;
use crate::pages::{csv, file, site_of};
use crate::session::Reader;
use crate::state::App;
use axum::body::Body;
use axum::extract::{Path, State};
use axum::response::Response;
use futures_util::{StreamExt, TryStreamExt, stream};
use newtfern_acts::ActError;
use newtfern_acts::store::estate::lists::Filter;
use newtfern_acts::store::estate::sites::Site;
use newtfern_model::expectation::first_widget;
use newtfern_model::intake::{self, SiteRow};

/// Two blocks of zeros end an archive (POSIX.1-2001, pax, ustar interchange format).
const END_OF_ARCHIVE: usize = 2 * 512;
/// Sites that are read at once.
const AT_ONCE: i64 = 1000;

/// A file of all sites, sent in parts as they are read: `first`, what `part` makes of each
/// thousand, `last`. A file of many sites never lies in memory as a whole. One that cannot be read
/// to its end breaks off, so that nobody takes it for whole.
fn in_parts<F, Fut>(app: App, first: Vec<u8>, part: F, last: Vec<u8>) -> Body
where
    F: Fn(App, Vec<Site>) -> Fut + Send + 'static,
    Fut: Future<Output = Result<Vec<u8>, ActError>> + Send,
{
    let parts = stream::try_unfold((app, part, 0_i64), |(app, part, offset)| async move {
        let read = app
            .reads()
            .lists()
            .page(&Filter::default(), offset, AT_ONCE)
            .await;
        let (sites, _) = read.map_err(ActError::from)?;
        if sites.is_empty() {
            return Ok::<_, ActError>(None);
        }
        let next = offset + sites.len() as i64;
        let bytes = part(app.clone(), sites).await?;
        Ok(Some((bytes, (app, part, next))))
    });
    let told = parts.inspect_err(|error| tracing::warn!("a file of all sites broke off: {error}"));
    let first = stream::once(async { Ok(first) });
    let last = stream::once(async { Ok(last) });
    Body::from_stream(first.chain(told).chain(last))
}

/// All sites, in the form that can be imported.
pub async fn spreadsheet(State(app): State<App>, reader: Reader) -> PageResult {
    app.acts
        .sites()
        .note_export(&reader.actor(), "all sites, as a spreadsheet")
        .await?;
    let part = async |_: App, sites: Vec<Site>| {
        let row = |s: &Site| SiteRow {
            client: s.client_name.clone(),
            site: s.fields().clone(),
            widget: first_widget(s.fields(), &s.beyond),
        };
        let rows: Vec<SiteRow> = sites.iter().map(row).collect();
        Ok(intake::write_rows(&rows).into_bytes())
    };
    let body = in_parts(app, intake::write_headings().into_bytes(), part, Vec::new());
    Ok(file("text/csv; charset=utf-8", "sites.csv", body))
}

/// An empty spreadsheet with what each column takes.
pub async fn template(State(app): State<App>, _: Reader) -> PageResult {
    Ok(csv(
        "sites-to-fill-in.csv",
        app.acts.sites().site_template().await?,
    ))
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

/// Sends one site's expectation, as a file that `newtfern check --site` reads.
///
/// # Errors
/// Where there is no such site.
pub async fn expectation(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
) -> PageResult {
    let site = site_of(&app, id).await?;
    let what = format!("the expectation of {}", site.url);
    app.acts.sites().note_export(&reader.actor(), &what).await?;
    let text = app.acts.sites().expectation_of(&site).await?.write();
    Ok(file(
        "application/toml; charset=utf-8",
        &name_of(&site),
        text,
    ))
}

/// All expectations in one archive (tar, POSIX.1-2001), a file a site.
pub async fn expectations(State(app): State<App>, reader: Reader) -> PageResult<Response> {
    app.acts
        .sites()
        .note_export(&reader.actor(), "the expectations of all sites")
        .await?;
    let part = async |app: App, sites: Vec<Site>| {
        let files = app.acts.sites().expectations_of(&sites).await?;
        let mut archive = tar::Builder::new(Vec::new());
        for (site, expectation) in sites.iter().zip(files) {
            let text = expectation.write();
            let mut head = tar::Header::new_ustar();
            head.set_size(text.len() as u64);
            head.set_mode(0o644);
            let path = format!("expectations/{}-{}", site.id, name_of(site));
            // Writing to memory fails only for a path that is too long; these are cut.
            let _ = archive.append_data(&mut head, path, text.as_bytes());
        }
        let mut bytes = archive.into_inner().unwrap_or_default();
        // Each part ends like an archive of its own; only the last end is wanted.
        bytes.truncate(bytes.len().saturating_sub(END_OF_ARCHIVE));
        Ok(bytes)
    };
    let body = in_parts(app, Vec::new(), part, vec![0; END_OF_ARCHIVE]);
    Ok(file("application/x-tar", "expectations.tar", body))
}
