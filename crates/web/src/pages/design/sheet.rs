//! The value sheet: the design under the names of the supplier's settings, to be typed in, or
//! written there by a program with the difference first.

use super::super::render;
use crate::error::{PageError, PageResult};
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::{Frame, moment};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::ActError;
use newtfern_acts::store::estate::sites::Site;
use newtfern_model::value_sheet::{Change, Entry, entries};
use newtfern_verdict::family::Family;
use serde::Deserialize;

/// A setting that differs, for people.
struct Row {
    there: String,
    is: String,
    becomes: String,
}

impl Row {
    fn of(change: &Change) -> Row {
        let words = |v: &serde_json::Value| match v {
            serde_json::Value::Null => "nothing".to_string(),
            serde_json::Value::String(s) if s.is_empty() => "nothing".into(),
            serde_json::Value::String(s) => s.clone(),
            other => other.to_string(),
        };
        Row {
            there: change.there.clone(),
            is: words(&change.is),
            becomes: words(&change.becomes),
        }
    }
}

#[derive(Template)]
#[template(path = "design/value_sheet.html")]
struct Page {
    frame: Frame,
    site: Site,
    supplier: String,
    entries: Vec<Entry>,
    /// Settings that differ at the supplier; none where it has no such interface.
    differing: Option<Vec<Row>>,
    /// Reason why the difference is not known.
    problem: String,
    writes: Vec<Wrote>,
}

impl Page {
    /// Something was written that is not put back.
    fn stands(&self) -> bool {
        self.writes.iter().any(|w| w.put_back.is_none())
    }
}

struct Wrote {
    at: String,
    who: String,
    what: String,
    put_back: Option<String>,
}

#[derive(Deserialize, Default)]
pub struct SheetQuery {
    /// Which of the site's widgets; 0 is the first.
    #[serde(default)]
    widget: usize,
}

/// The sheet of a further widget, by what its file says. Nothing is written there by a program.
async fn further(app: &App, reader: &Reader, id: i64, widget: usize) -> PageResult<Page> {
    let s = app.acts.sites().subject(id).await?;
    let (Some(supplier), Some(of)) = (s.further.get(widget - 1), s.file.widgets.get(widget)) else {
        return Err(ActError::NotFound("widget").into());
    };
    let title = format!("Value sheet: {}, {}", s.site.name, of.key);
    Ok(Page {
        frame: Frame::new(app, reader, &title, Family::Design.key(), "").await?,
        entries: entries(supplier, &of.design.resolved()),
        supplier: supplier.name.clone(),
        differing: None,
        problem: String::new(),
        writes: Vec::new(),
        site: s.site,
    })
}

async fn page_of(app: &App, reader: &Reader, id: i64, problem: String) -> PageResult<Page> {
    let s = app.acts.sites().subject(id).await?;
    let writable = s
        .supplier
        .console
        .as_ref()
        .is_some_and(|c| c.write.is_some());
    let (differing, unknown) = match writable {
        false => (None, String::new()),
        true => match app.acts.consoles().settings_beside(&s).await {
            Ok(all) => (Some(all.iter().map(Row::of).collect()), String::new()),
            Err(ActError::Store(error)) => return Err(PageError::from(ActError::Store(error))),
            Err(other) => (None, other.to_string()),
        },
    };
    let writes = app.reads().writing().supplier_writes(id).await?;
    let told = |w: newtfern_acts::store::writing::supplier_writes::SupplierWrite| Wrote {
        at: moment(w.at),
        who: w.who,
        what: serde_json::from_value::<Vec<Change>>(w.changes)
            .unwrap_or_default()
            .iter()
            .map(|c| c.there.clone())
            .collect::<Vec<_>>()
            .join(", "),
        put_back: w.put_back_at.map(moment),
    };
    let title = format!("Value sheet: {}", s.site.name);
    Ok(Page {
        frame: Frame::new(app, reader, &title, Family::Design.key(), "").await?,
        entries: entries(&s.supplier, &s.design),
        supplier: s.supplier.name.clone(),
        differing,
        problem: if problem.is_empty() { unknown } else { problem },
        writes: writes.into_iter().map(told).collect(),
        site: s.site,
    })
}

/// Shows the value sheet of a site.
///
/// # Errors
/// Where there is no such site, or it has no supplier.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    Query(asked): Query<SheetQuery>,
) -> PageResult {
    match asked.widget {
        0 => render(&page_of(&app, &reader, id, String::new()).await?),
        widget => render(&further(&app, &reader, id, widget).await?),
    }
}

/// Writes what differs, or puts back what was there.
///
/// # Errors
/// Where there is no such site; what the supplier refuses is told on the page.
pub async fn write(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let actor = posted.actor();
    let done = match posted.fields.get("act") {
        "put_back" => app
            .acts
            .consoles()
            .put_settings_back(&actor, id)
            .await
            .map(|_| ()),
        _ => app
            .acts
            .consoles()
            .write_design(&actor, id)
            .await
            .map(|_| ()),
    };
    match done {
        Ok(()) => Ok(Redirect::to(&format!("/sites/{id}/design/sheet")).into_response()),
        Err(error @ (ActError::Bad(_) | ActError::Slot(_) | ActError::Unencrypted(_))) => {
            let reader = posted.reader();
            super::super::form_again(&page_of(&app, &reader, id, error.to_string()).await?)
        }
        Err(other) => Err(other.into()),
    }
}
