//! Changing many sites at once: one field with its differences first, another client, removal.

use crate::error::{NO_SUCH_ACTION, PageResult};
use crate::pages::lists::carried::carried;
use crate::pages::lists::rounds::meant;
use crate::pages::{form_again, render};
use crate::session::{Fields, Posted, Reader};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::State;
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::{ActError, BULK_FIELDS, BulkChange, DesignSet, TakeOver, none_ticked};
use newtfern_model::design::Field;
use newtfern_model::job::JobKind;
use newtfern_model::site::SiteField;
use newtfern_standards::country;

/// Something to choose for a field.
pub struct Choice {
    id: String,
    name: String,
}

/// Target of a bulk change: a field of the site, or a value of its design.
#[derive(Clone, Copy)]
enum BulkTarget {
    Site(SiteField),
    Design(Field),
}

/// Begins the names of the design's values in the form.
const DESIGN: &str = "design.";

impl BulkTarget {
    fn read(name: &str) -> Option<BulkTarget> {
        match name.strip_prefix(DESIGN) {
            Some(key) => Field::from_key(key).map(BulkTarget::Design),
            None => {
                let field = BULK_FIELDS.into_iter().find(|b| b.heading() == name);
                field.map(BulkTarget::Site)
            }
        }
    }

    fn name(&self) -> String {
        match self {
            BulkTarget::Site(field) => field.heading().to_string(),
            BulkTarget::Design(field) => format!("{DESIGN}{}", field.key()),
        }
    }

    fn label(&self) -> &'static str {
        match self {
            BulkTarget::Site(field) => field.label(),
            BulkTarget::Design(field) => field.label(),
        }
    }
}

/// Returns the value as it is typed, or set back where that is asked for.
fn design_set(f: &Fields) -> DesignSet<'_> {
    match f.get("back") == "yes" {
        true => DesignSet::Back,
        false => DesignSet::To(f.get("value")),
    }
}

/// A field with what it takes; nothing to choose where it is typed.
struct Settable {
    field: SiteField,
    choices: Vec<Choice>,
}

#[derive(Template)]
#[template(path = "lists/bulk.html")]
struct Page {
    frame: Frame,
    sites: Vec<i64>,
    ids: String,
    fields: Vec<Settable>,
    clients: Vec<(i64, String)>,
    /// Preview of a change: a field, its value, and its effect.
    chosen: Option<(BulkTarget, String)>,
    /// Whether it is set back to what the layers above say.
    back: bool,
    values: &'static [Field],
    changes: Vec<BulkChange>,
    /// The list to go back to.
    from: String,
    problem: String,
    /// Jobs that workers can do for all of them.
    jobs: [JobKind; 4],
    /// Result in words.
    done: String,
}

impl Page {
    fn changing(&self) -> usize {
        let real = |c: &&BulkChange| c.problem.is_none() && c.before != c.after;
        self.changes.iter().filter(real).count()
    }

    fn refused(&self) -> usize {
        self.changes.iter().filter(|c| c.problem.is_some()).count()
    }
}

async fn choices(app: &App, field: SiteField) -> PageResult<Vec<Choice>> {
    let store = app.reads();
    let choice = |id: &str, name: &str| Choice {
        id: id.to_string(),
        name: name.to_string(),
    };
    Ok(match field {
        SiteField::Platform => {
            let all = store.profiles().platforms().await?;
            all.iter().map(|p| choice(&p.id, &p.name)).collect()
        }
        SiteField::Slot => {
            let all = store.profiles().platforms().await?;
            let slots = all.iter().flat_map(|p| {
                let named = |s: &newtfern_model::platform::Slot| {
                    choice(&s.id, &format!("{}: {}", p.name, s.name))
                };
                p.slots.iter().map(named).collect::<Vec<_>>()
            });
            slots.collect()
        }
        SiteField::Supplier => {
            let all = store.profiles().all_suppliers().await?;
            all.iter().map(|s| choice(&s.id, &s.name)).collect()
        }
        SiteField::Consent => {
            let all = store.profiles().consent_managers().await?;
            all.iter().map(|m| choice(&m.id, &m.name)).collect()
        }
        SiteField::Country => {
            let all = country::COUNTRIES.iter();
            all.map(|(code, name)| choice(code, name)).collect()
        }
        _ => Vec::new(),
    })
}

/// Returns the list that the sites were selected in, with its filter, order and page. A form can
/// name any address, so only lists are gone back to.
fn list_of(f: &Fields) -> String {
    let from = f.get("from");
    let is_list = from.starts_with("/lens/") && !from.contains(['\\', '\r', '\n']);
    if is_list { from } else { "/lens/estate" }.to_string()
}

async fn page_of(app: &App, reader: &Reader, f: &Fields, problem: String) -> PageResult<Page> {
    let sites = meant(app, f).await?;
    let (mut problem, mut changes) = (problem, Vec::new());
    let mut chosen = BulkTarget::read(f.get("field")).map(|c| (c, f.get("value").to_string()));
    match &chosen {
        Some((BulkTarget::Site(field), value)) => {
            changes = app.acts.sites().show_bulk(&sites, *field, value).await?;
        }
        Some((BulkTarget::Design(field), _)) => {
            let shown = app
                .acts
                .clients()
                .show_bulk_design(&sites, *field, design_set(f))
                .await;
            match shown {
                Ok(shown) => changes = shown,
                Err(ActError::Bad(why)) => (problem, chosen) = (why, None),
                Err(other) => return Err(other.into()),
            }
        }
        None => {}
    }
    let mut fields = Vec::new();
    for field in BULK_FIELDS {
        fields.push(Settable {
            choices: choices(app, field).await?,
            field,
        });
    }
    Ok(Page {
        frame: Frame::new(app, reader, "Edit many sites", "", "").await?,
        ids: carried(&sites),
        sites,
        fields,
        clients: app.reads().clients().client_names().await?,
        chosen,
        back: f.get("back") == "yes",
        values: Field::ALL,
        changes,
        problem,
        from: list_of(f),
        jobs: [
            JobKind::Survey,
            JobKind::Check,
            JobKind::Pages,
            JobKind::Values,
        ],
        done: String::new(),
    })
}

/// Shows what can be done with the ticked sites; with a field and a value, what that would change.
pub async fn show(State(app): State<App>, posted: Posted) -> PageResult {
    let page = page_of(&app, &posted.reader(), &posted.fields, String::new()).await?;
    match page.sites.is_empty() {
        true => Err(none_ticked().into()),
        false => render(&page),
    }
}

/// Does the chosen act.
///
/// # Errors
/// What cannot be done is told with the page.
pub async fn act(State(app): State<App>, posted: Posted) -> PageResult {
    let f = &posted.fields;
    let sites = meant(&app, f).await?;
    let actor = posted.actor();
    if f.get("act") == "take-over" {
        let ticked = TakeOver {
            platform: f.get("platform") == "yes",
            consent: f.get("consent") == "yes",
            languages: f.get("languages") == "yes",
            widget: None,
        };
        let (changed, without) = app
            .acts
            .sites()
            .take_over_many(&actor, &sites, &ticked)
            .await?;
        let mut page = page_of(&app, &posted.reader(), f, String::new()).await?;
        page.done = format!("{changed} sites changed; {without} have no survey yet.");
        return render(&page);
    }
    let done = match f.get("act") {
        "set" => match BulkTarget::read(f.get("field")) {
            Some(BulkTarget::Site(field)) => {
                let set = app
                    .acts
                    .sites()
                    .set_bulk(&actor, &sites, field, f.get("value"));
                set.await.map(|_| list_of(f))
            }
            Some(BulkTarget::Design(field)) => {
                let set = app
                    .acts
                    .clients()
                    .set_bulk_design(&actor, &sites, field, design_set(f));
                set.await.map(|_| list_of(f))
            }
            None => Err(ActError::Bad("Choose a field to set.".into())),
        },
        "move" => {
            let client = f.get("client_id").parse().unwrap_or(0);
            let moved = app.acts.sites().move_sites(&actor, &sites, client);
            moved
                .await
                .map(|()| format!("/lens/estate?client={client}"))
        }
        "remove" => {
            let removed = app.acts.sites().remove_sites(&actor, &sites);
            removed.await.map(|id| format!("/removed?last={id}"))
        }
        _ => Err(ActError::Bad(NO_SUCH_ACTION.into())),
    };
    match done {
        Ok(to) => Ok(Redirect::to(&to).into_response()),
        Err(error @ (ActError::Bad(_) | ActError::Fields(_))) => {
            let page = page_of(&app, &posted.reader(), f, error.to_string()).await?;
            form_again(&page)
        }
        Err(other) => Err(other.into()),
    }
}
