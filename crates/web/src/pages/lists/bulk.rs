//! Changing many sites at once: values with their differences first, another client, removal.

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
use newtfern_acts::store::estate::lists::Filter;
use newtfern_acts::store::estate::sites::Site;
use newtfern_acts::{ActError, BulkChange, DesignSet, SiteValue, TakeOver, none_ticked};
use newtfern_model::design::Field;
use newtfern_model::job::JobKind;
use newtfern_model::site::SiteField;
use newtfern_standards::country;

/// Something to choose for a field.
pub struct Choice {
    id: String,
    name: String,
}

/// What a form asks to change.
enum Asked {
    /// Values of the site, as they would be.
    Values(Vec<(SiteValue, String)>),
    /// A value of its design.
    Design(Field),
}

/// Begins the names of the design's values in the form.
const DESIGN: &str = "design.";
/// Begins the names of the site's values where a form sets several.
const VALUE: &str = "v-";

impl Asked {
    fn read(f: &Fields) -> Option<Asked> {
        let several = SiteValue::all().filter_map(|v| {
            let text = f.given(&format!("{VALUE}{}", v.name()))?;
            Some((v, text.to_string()))
        });
        let several: Vec<(SiteValue, String)> = several.collect();
        if !several.is_empty() {
            return Some(Asked::Values(several));
        }
        let name = f.get("field");
        match name.strip_prefix(DESIGN) {
            Some(key) => Field::from_key(key).map(Asked::Design),
            None => {
                let value = SiteValue::from_name(name)?;
                Some(Asked::Values(vec![(value, f.get("value").to_string())]))
            }
        }
    }

    /// The hidden fields that ask for the same again.
    fn again(&self, f: &Fields) -> Vec<(String, String)> {
        match self {
            Asked::Values(set) => {
                let hidden = |(v, text): &(SiteValue, String)| {
                    (format!("{VALUE}{}", v.name()), text.clone())
                };
                let from = ("as_at".to_string(), f.get("as_at").to_string());
                set.iter().map(hidden).chain([from]).collect()
            }
            Asked::Design(field) => vec![
                ("field".into(), format!("{DESIGN}{}", field.key())),
                ("value".into(), f.get("value").into()),
                ("back".into(), f.get("back").into()),
            ],
        }
    }

    /// Headline of what would be changed.
    fn words(&self, f: &Fields) -> String {
        let (label, value) = match self {
            Asked::Values(set) => match set.as_slice() {
                [(value, text)] => (value.label(), text.as_str()),
                _ => return format!("{} values as at {}", set.len(), f.get("as_at")),
            },
            Asked::Design(field) => (field.label(), f.get("value")),
        };
        match (f.get("back"), value) {
            ("yes", _) => format!("{label}: reset"),
            (_, "") => format!("{label}: empty"),
            (_, value) => format!("{label}: {value}"),
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

/// A value with what it takes; nothing to choose where it is typed.
struct Settable {
    value: SiteValue,
    choices: Vec<Choice>,
    /// A line that it takes.
    example: &'static str,
}

/// Sites that are offered to copy from; any other is found by its name or address.
const OFFERED: i64 = 200;

#[derive(Template)]
#[template(path = "lists/bulk.html")]
struct Page {
    frame: Frame,
    sites: Vec<i64>,
    ids: String,
    fields: Vec<Settable>,
    /// What the widget is meant to do.
    intended: Vec<Settable>,
    clients: Vec<(i64, String)>,
    /// Headline of a previewed change, with the hidden fields that ask for it.
    chosen: Option<(String, Vec<(String, String)>)>,
    values: &'static [Field],
    /// Values that can be taken from another site, and whether they are ticked.
    copied: Vec<(SiteValue, bool)>,
    /// Site to copy from, as it was typed.
    as_at: String,
    /// Names of sites to copy from.
    offered: Vec<String>,
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
        self.sites_of(|c| c.problem.is_none() && c.before != c.after)
    }

    /// Number of sites with such a change; those of one site follow each other.
    fn sites_of(&self, wanted: fn(&BulkChange) -> bool) -> usize {
        let mut sites: Vec<i64> = self
            .changes
            .iter()
            .filter(|c| wanted(c))
            .map(|c| c.id)
            .collect();
        sites.dedup();
        sites.len()
    }

    fn refused(&self) -> usize {
        self.sites_of(|c| c.problem.is_some())
    }
}

async fn choices(app: &App, value: SiteValue) -> PageResult<Vec<Choice>> {
    let SiteValue::Field(field) = value else {
        return Ok(Vec::new());
    };
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

fn example(value: SiteValue) -> &'static str {
    match value {
        SiteValue::Intended(field) => field.example(),
        SiteValue::Field(SiteField::Languages) => "en, cy",
        SiteValue::Field(SiteField::TimeZone) => "Europe/London",
        SiteValue::Field(SiteField::On) => "/** or /shop/** kind:item",
        SiteValue::Field(SiteField::NotOn) => "/legal/** kind:basket",
        SiteValue::Field(_) => "",
    }
}

/// The site that a name or an address means.
///
/// # Errors
/// In words for the person, where it is none or several.
async fn site_named(app: &App, typed: &str) -> PageResult<Result<Site, String>> {
    let filter = Filter {
        search: typed.replace(',', " "),
        ..Filter::default()
    };
    let (mut found, of) = app.reads().lists().page(&filter, 0, 20).await?;
    let exact = |s: &Site| s.title() == typed || s.url == typed || s.name == typed;
    let mut named = found.iter().filter(|s| exact(s));
    if let (Some(only), None) = (named.next(), named.next()) {
        return Ok(Ok(only.clone()));
    }
    Ok(match found.len() {
        1 => Ok(found.remove(0)),
        0 => Err(format!("No site is called \u{201c}{typed}\u{201d}.")),
        _ => Err(format!(
            "{of} sites match \u{201c}{typed}\u{201d}: enter the address of one of them, such as \
            {}.",
            found[0].url
        )),
    })
}

/// Returns what the form asks for; values of another site as they are there now.
///
/// # Errors
/// In words for the person, where that cannot be read.
async fn asked(app: &App, f: &Fields) -> PageResult<Result<Option<Asked>, String>> {
    let typed = f.get("as_at").trim();
    if f.get("act") != "copy" {
        return Ok(Ok(Asked::read(f)));
    }
    if typed.is_empty() {
        return Ok(Err("Enter the site to copy from.".into()));
    }
    let from = match site_named(app, typed).await? {
        Ok(site) => site,
        Err(why) => return Ok(Err(why)),
    };
    let ticked: Vec<SiteValue> = f.all("copy").filter_map(SiteValue::from_name).collect();
    match app.acts.sites().values_as_at(from.id, &ticked).await {
        Ok(set) => Ok(Ok(Some(Asked::Values(set)))),
        Err(ActError::Bad(why)) => Ok(Err(why)),
        Err(other) => Err(other.into()),
    }
}

/// Preview of a change: its headline, the hidden fields that ask for it, what it would do.
struct Preview {
    chosen: (String, Vec<(String, String)>),
    changes: Vec<BulkChange>,
}

/// What the form's change would do; none where it asks for none.
///
/// # Errors
/// In words for the person, where it cannot be made.
async fn preview(
    app: &App,
    f: &Fields,
    sites: &[i64],
) -> PageResult<Result<Option<Preview>, String>> {
    let asked = match asked(app, f).await? {
        Ok(Some(asked)) => asked,
        Ok(None) => return Ok(Ok(None)),
        Err(why) => return Ok(Err(why)),
    };
    let shown = match &asked {
        Asked::Values(set) => app.acts.sites().show_bulk(sites, set).await,
        Asked::Design(field) => {
            let clients = app.acts.clients();
            clients.show_bulk_design(sites, *field, design_set(f)).await
        }
    };
    let chosen = (asked.words(f), asked.again(f));
    match shown {
        Ok(changes) => Ok(Ok(Some(Preview { chosen, changes }))),
        Err(ActError::Bad(why)) => Ok(Err(why)),
        Err(other) => Err(other.into()),
    }
}

async fn page_of(app: &App, reader: &Reader, f: &Fields, problem: String) -> PageResult<Page> {
    let sites = meant(app, f).await?;
    let (preview, problem) = match preview(app, f, &sites).await? {
        Ok(preview) => (preview, problem),
        Err(why) => (None, why),
    };
    let (chosen, changes) = match preview {
        Some(p) => (Some(p.chosen), p.changes),
        None => (None, Vec::new()),
    };
    let (mut fields, mut intended) = (Vec::new(), Vec::new());
    for value in SiteValue::all() {
        let list = match value {
            SiteValue::Field(_) => &mut fields,
            SiteValue::Intended(_) => &mut intended,
        };
        list.push(Settable {
            choices: choices(app, value).await?,
            example: example(value),
            value,
        });
    }
    let (offered, _) = app
        .reads()
        .lists()
        .page(&Filter::default(), 0, OFFERED)
        .await?;
    let ticked: Vec<&str> = f.all("copy").collect();
    let copied = SiteValue::as_at().map(|v| (v, ticked.contains(&v.name())));
    Ok(Page {
        frame: Frame::new(app, reader, "Edit many sites", "", "").await?,
        ids: carried(&sites),
        sites,
        fields,
        intended,
        clients: app.reads().clients().client_names().await?,
        chosen,
        values: Field::ALL,
        copied: copied.collect(),
        as_at: f.get("as_at").to_string(),
        offered: offered.iter().map(Site::title).collect(),
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
        "set" => match Asked::read(f) {
            Some(Asked::Values(set)) => {
                let set = app.acts.sites().set_bulk(&actor, &sites, &set).await;
                set.map(|_| list_of(f))
            }
            Some(Asked::Design(field)) => {
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
