//! The diary of a site.

use crate::error::{PageError, PageResult};
use crate::pages::client::clients::picture_kind;
use crate::pages::{form_again, render, site_of};
use crate::session::{Fields, Reader, check, whole_form};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, moment};
use askama::Template;
use axum::extract::{Multipart, Path, Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::store::estate::sites::Site;
use newtfern_acts::{ActError, DiaryForm};
use newtfern_model::diary::Kind;
use serde::Deserialize;

struct Entry {
    when: String,
    who: String,
    what: &'static str,
    slot: String,
    words: String,
    photo: Option<String>,
}

#[derive(Template)]
#[template(path = "site/diary.html")]
struct Page {
    frame: Frame,
    site: Site,
    kinds: [Kind; 6],
    slots: Vec<(String, String)>,
    entries: Vec<Entry>,
    way_back: Vec<String>,
    has_backup: bool,
    typed: Fields,
    problem: String,
    pager: Pager,
    path: String,
}

#[derive(Deserialize, Default)]
pub struct DiaryQuery {
    page: Option<i64>,
}

async fn page_of(
    app: &App,
    reader: &Reader,
    id: i64,
    number: i64,
    typed: Fields,
    problem: String,
) -> PageResult<Page> {
    let site = site_of(app, id).await?;
    let platform = app.reads().profiles().platform_of(&site).await?;
    let slots: Vec<(String, String)> = platform
        .iter()
        .flat_map(|p| p.slots.iter().map(|s| (s.id.clone(), s.name.clone())))
        .collect();
    let (rows, total) = app
        .reads()
        .handing()
        .diary(id, Pager::offset(number), PAGE_SIZE)
        .await?;
    let mut entries = Vec::new();
    for row in rows {
        let named = slots.iter().find(|(s, _)| *s == row.slot_id);
        entries.push(Entry {
            when: moment(row.at),
            what: row.kind()?.label(),
            slot: named.map_or(row.slot_id.clone(), |(_, n)| n.clone()),
            who: row.who,
            words: row.words,
            photo: row.photo,
        });
    }
    Ok(Page {
        frame: Frame::new(app, reader, &format!("Diary: {}", site.name), "", "bench").await?,
        has_backup: app.reads().handing().has_backup_noted(id).await?,
        way_back: app.acts.handing().way_back(id).await?,
        kinds: Kind::ALL,
        slots,
        entries,
        typed,
        problem,
        pager: Pager::new(number, total, &[]),
        path: format!("/sites/{id}/diary"),
        site,
    })
}

/// Shows the diary of a site.
///
/// # Errors
/// Where there is no such site.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    Query(asked): Query<DiaryQuery>,
) -> PageResult {
    let number = asked.page.unwrap_or(1);
    let page = page_of(&app, &reader, id, number, Fields::default(), String::new());
    render(&page.await?)
}

/// Adds an entry to the diary.
///
/// # Errors
/// Where there is no such site; mistakes come back with the form.
pub async fn write(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    mut form: Multipart,
) -> PageResult {
    let (fields, files) = whole_form(&mut form).await?;
    check(&reader.0, fields.get("csrf"))?;
    let photo = match files.into_iter().next_back() {
        None => Ok(None),
        Some((_, bytes)) => match picture_kind(&bytes) {
            Some((extension @ ("png" | "jpg"), _)) => Ok(Some((bytes, extension))),
            _ => Err(ActError::Bad("The picture must be a PNG or JPEG.".into())),
        },
    };
    let kind = Kind::from_key(fields.get("kind")).ok_or(PageError::NotFound("kind of entry"))?;
    let written = match photo {
        Ok(photo) => {
            let form = DiaryForm {
                kind,
                slot: fields.get("slot"),
                words: fields.get("words"),
                photo,
            };
            app.acts
                .handing()
                .write_diary(&reader.actor(), id, form)
                .await
        }
        Err(error) => Err(error),
    };
    match written {
        Ok(()) => Ok(Redirect::to(&format!("/sites/{id}/diary")).into_response()),
        Err(ActError::Bad(problem)) => {
            form_again(&page_of(&app, &reader, id, 1, fields, problem).await?)
        }
        Err(other) => Err(other.into()),
    }
}
