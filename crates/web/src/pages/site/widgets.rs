//! The widgets of a site: the first, which its settings describe, and any further ones.

use crate::error::PageResult;
use crate::pages::{form_again, render, site_of};
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::store::estate::sites::Site;
use newtfern_acts::{ActError, WidgetFields, version_of};
use newtfern_verdict::family::Family;

/// The form of one further widget.
struct Row {
    /// Its place among the site's widgets; the first is 0.
    at: usize,
    fields: WidgetFields,
    new: bool,
}

#[derive(Template)]
#[template(path = "site/widgets.html")]
struct Page {
    frame: Frame,
    site: Site,
    /// None where the site has no supplier yet.
    first: Option<WidgetFields>,
    /// Further widgets, and a blank form for one more.
    further: Vec<Row>,
    /// Ids and names.
    suppliers: Vec<(String, String)>,
    version: String,
    problem: String,
}

impl Page {
    /// Name of a supplier, for people.
    fn name<'a>(&'a self, id: &'a str) -> &'a str {
        let known = self.suppliers.iter().find(|s| s.0 == id);
        known.map_or(id, |s| s.1.as_str())
    }
}

/// The page; a refused form comes back with what was typed, at its place or as a new one.
async fn page_of(
    app: &App,
    reader: &Reader,
    id: i64,
    refused: Option<(Option<usize>, WidgetFields, String)>,
) -> PageResult<Page> {
    let site = site_of(app, id).await?;
    let file = app.acts.sites().expectation_of(&site).await?;
    let (typed_at, typed, problem) = match refused {
        Some((at, typed, problem)) => (at, Some(typed), problem),
        None => (None, None, String::new()),
    };
    let mut all = file.widgets.iter().map(WidgetFields::of);
    let first = all.next();
    let mut further: Vec<Row> = all
        .enumerate()
        .map(|(i, fields)| Row {
            at: i + 1,
            fields,
            new: false,
        })
        .collect();
    further.push(Row {
        at: further.len() + 1,
        fields: WidgetFields::default(),
        new: true,
    });
    if let Some(typed) = typed {
        let at = typed_at.unwrap_or(further.len());
        if let Some(row) = further.iter_mut().find(|r| r.at == at) {
            row.fields = typed;
        }
    }
    let suppliers = app.reads().profiles().all_suppliers().await?;
    let title = format!("Widgets: {}", site.name);
    Ok(Page {
        frame: Frame::new(app, reader, &title, Family::Place.key(), "").await?,
        version: version_of(&site.beyond),
        suppliers: suppliers.into_iter().map(|s| (s.id, s.name)).collect(),
        site,
        first,
        further,
        problem,
    })
}

/// Shows the widgets of a site.
///
/// # Errors
/// Where there is no such site.
pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    render(&page_of(&app, &reader, id, None).await?)
}

/// Adds, saves or removes a further widget.
///
/// # Errors
/// Where there is no such site; mistakes come back with the form.
pub async fn save(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let f = &posted.fields;
    let at: Option<usize> = f.get("at").parse().ok().filter(|at| *at > 0);
    let typed = |name: &str| f.get(name).trim().to_string();
    let fields = WidgetFields {
        supplier: typed("supplier"),
        key: typed("key"),
        host: typed("host"),
        on: typed("on"),
        not_on: typed("not_on"),
        more: typed("more"),
    };
    let (actor, sites) = (posted.actor(), app.acts.sites());
    let saved = match (f.get("remove"), at) {
        ("yes", Some(at)) => sites.remove_widget(&actor, id, at).await,
        _ => {
            let made_from = f.version();
            sites
                .save_widget(&actor, id, at, fields.clone(), made_from)
                .await
        }
    };
    match saved {
        Ok(()) => Ok(Redirect::to(&format!("/sites/{id}/widgets")).into_response()),
        Err(error @ (ActError::Bad(_) | ActError::Outdated)) => {
            let refused = (at, fields, error.to_string());
            form_again(&page_of(&app, &posted.reader(), id, Some(refused)).await?)
        }
        Err(other) => Err(other.into()),
    }
}
