//! Clients and their brand sheets.

use crate::draw::swatch::{Swatch, swatch};
use crate::edit::Edit;
use crate::error::{PageError, PageResult};
use crate::pages::{file, form_again, render};
use crate::session::{Fields, Posted, Reader, check, upload};
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, short};
use askama::Template;
use axum::extract::{Multipart, Path, Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::store::estate::clients::Client;
use newtfern_acts::store::estate::lists::Filter;
use newtfern_acts::store::sealed::client_tokens::TokenKind;
use newtfern_acts::{ActError, TokenHolder, TokenOrigin, sheet_state};
use newtfern_model::design::{Field, Layer};
use newtfern_standards::colour::Rgb;
use newtfern_verdict::brand::BrandSheet;
use serde::Deserialize;

#[derive(Default, Deserialize)]
pub struct ClientsQuery {
    #[serde(default)]
    q: String,
    page: Option<i64>,
}

#[derive(Template)]
#[template(path = "client/clients.html")]
struct List {
    frame: Frame,
    clients: Vec<(Client, Vec<Swatch>)>,
    q: String,
    pager: Pager,
    /// Fields typed into the form of a new client, and what is wrong with them.
    typed: Fields,
    problem: String,
}

/// A token of one of the client's accounts.
struct AccountToken {
    /// Value that the form posts.
    value: String,
    /// Account whose interface it opens, in words.
    words: String,
    /// Origins that it is sent to.
    goes_to: Vec<TokenOrigin>,
}

#[derive(Template)]
#[template(path = "client/client.html")]
struct Page {
    frame: Frame,
    client: Client,
    /// Fields as stored, or as typed where they cannot be saved.
    typed: Fields,
    common: Vec<Common>,
    problem: String,
    edit: Edit,
    /// The first of its sites, and how many there are.
    sites: Vec<(i64, String, String)>,
    total: i64,
    /// Tokens that it has.
    tokens: Vec<AccountToken>,
    /// Accounts that a token can be kept for: form value and words.
    accounts: Vec<(String, String)>,
    /// Clients that it can be merged into.
    others: Vec<(i64, String)>,
}

pub async fn list(
    State(app): State<App>,
    reader: Reader,
    Query(asked): Query<ClientsQuery>,
) -> PageResult {
    let page = list_page(&app, &reader, asked, Fields::default(), String::new()).await?;
    match page.pager.back("/clients") {
        Some(back) => Ok(back.into_response()),
        None => render(&page),
    }
}

async fn list_page(
    app: &App,
    reader: &Reader,
    asked: ClientsQuery,
    typed: Fields,
    problem: String,
) -> PageResult<List> {
    let number = asked.page.unwrap_or(1);
    let (clients, total) = app
        .reads()
        .clients()
        .page(&asked.q, Pager::offset(number), PAGE_SIZE)
        .await?;
    let clients = clients
        .into_iter()
        .map(|c| {
            let sheet = c.sheet().unwrap_or_default();
            let swatches = [sheet.primary, sheet.secondary]
                .into_iter()
                .flatten()
                .map(|x| swatch(&x.hex(), ""))
                .collect();
            (c, swatches)
        })
        .collect();
    let pager = Pager::new(number, total, &[("q", &asked.q)]);
    Ok(List {
        frame: Frame::new(app, reader, "Clients", "", "clients").await?,
        clients,
        q: asked.q,
        pager,
        typed,
        problem,
    })
}

/// Fields that all widgets of a client may have in common, beside colours and names.
const IN_COMMON: [Field; 6] = [
    Field::Corner,
    Field::Greeting,
    Field::NoticeText,
    Field::NoticeLink,
    Field::Away,
    Field::SupplierMark,
];

/// A value of all widgets as the form shows it.
struct Common {
    name: String,
    label: &'static str,
    choices: &'static [&'static str],
}

fn in_common() -> Vec<Common> {
    let of = |f: &Field| Common {
        name: format!("widget_{}", f.key()),
        label: f.label(),
        choices: f.shape().choices(),
    };
    IN_COMMON.iter().map(of).collect()
}

/// The client's name and brand sheet from the form, or what is wrong with them.
fn read(f: &Fields) -> Result<(String, BrandSheet), String> {
    let name = f.some("name").ok_or("Enter a name for the client.")?;
    let tokens = f.get("tokens");
    // A pasted token file wins over the fields: it is the client's own.
    if !tokens.trim().is_empty() {
        return Ok((
            name,
            BrandSheet::from_tokens(tokens)
                .map_err(|e| format!("The design tokens cannot be used: {e}."))?,
        ));
    }
    let colour = |name: &str, label: &str| {
        f.some(name)
            .map(|v| Rgb::parse(&v).map_err(|e| format!("{label}: {e}.")))
            .transpose()
    };
    let mut widget = Layer::new();
    for field in IN_COMMON {
        if let Some(typed) = f.some(&format!("widget_{}", field.key())) {
            let value = field.accept(&typed).map_err(|e| format!("{e}."))?;
            widget.insert(field, value);
        }
    }
    let sheet = BrandSheet {
        widget,
        primary: colour("primary", "Primary colour")?,
        secondary: colour("secondary", "Secondary colour")?,
        public_name: f.some("public_name").unwrap_or_else(|| name.clone()),
        legal_name: f.get("legal_name").trim().into(),
    };
    Ok((name, sheet))
}

/// Adds a client from the form.
///
/// # Errors
/// Mistakes come back with the form.
pub async fn add(State(app): State<App>, posted: Posted) -> PageResult {
    let added = match read(&posted.fields) {
        Ok((name, sheet)) => {
            app.acts
                .clients()
                .add_client(&posted.actor(), &name, &sheet)
                .await
        }
        Err(problem) => Err(ActError::Bad(problem)),
    };
    match added {
        Ok(id) => Ok(Redirect::to(&format!("/clients/{id}")).into_response()),
        Err(ActError::Bad(problem)) => {
            let reader = posted.reader();
            let asked = ClientsQuery::default();
            form_again(&list_page(&app, &reader, asked, posted.fields, problem).await?)
        }
        Err(other) => Err(other.into()),
    }
}

async fn client_of(app: &App, id: i64) -> PageResult<Client> {
    app.reads()
        .clients()
        .client(id)
        .await?
        .ok_or(PageError::NotFound("client"))
}

/// Shows one client with its sites.
///
/// # Errors
/// Where there is no such client.
pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let client = client_of(&app, id).await?;
    let typed = stored(&client)?;
    render(&sheet_page(&app, &reader, client, typed, String::new()).await?)
}

/// The form's fields as they are kept.
fn stored(client: &Client) -> PageResult<Fields> {
    let sheet = client.sheet()?;
    let hex = |colour: Option<Rgb>| colour.map(Rgb::hex).unwrap_or_default();
    let stored = [
        ("name", client.name.clone()),
        ("public_name", sheet.public_name),
        ("legal_name", sheet.legal_name),
        ("primary", hex(sheet.primary)),
        ("secondary", hex(sheet.secondary)),
    ];
    let mut fields: Vec<(String, String)> = stored.map(|(n, v)| (n.to_string(), v)).into();
    let widget = sheet.widget.into_iter();
    fields.extend(widget.map(|(f, v)| (format!("widget_{}", f.key()), v)));
    Ok(Fields(fields))
}

/// Sites shown beside a brand sheet; the estate shows all.
const SHOWN: i64 = 30;

async fn sheet_page(
    app: &App,
    reader: &Reader,
    client: Client,
    typed: Fields,
    problem: String,
) -> PageResult<Page> {
    let filter = Filter {
        client: Some(client.id),
        ..Filter::default()
    };
    let (sites, total) = app.reads().lists().page(&filter, 0, SHOWN).await?;
    let line = |s: newtfern_acts::store::estate::sites::Site| (s.id, s.name.clone(), short(&s.url));
    let accounts = accounts(app).await?;
    let kept = app.reads().clients().client_tokens(client.id).await?;
    let mut tokens = Vec::with_capacity(kept.len());
    for (kind, id) in kept {
        let value = format!("{kind}:{id}");
        let named = accounts.iter().find(|(v, _)| *v == value);
        let words = named.map_or_else(|| value.clone(), |(_, words)| words.clone());
        let goes_to = match TokenKind::from_key(&kind) {
            Some(kind) => {
                let holder = TokenHolder::Client {
                    client: client.id,
                    kind,
                    profile: &id,
                };
                app.acts.tokens().token_goes_to(holder).await?
            }
            None => Vec::new(),
        };
        tokens.push(AccountToken {
            value,
            words,
            goes_to,
        });
    }
    let others = app.reads().clients().client_names().await?;
    Ok(Page {
        edit: Edit::of(&sheet_state(&client)),
        tokens,
        accounts,
        others: others
            .into_iter()
            .filter(|(id, _)| *id != client.id)
            .collect(),
        frame: Frame::new(app, reader, &client.name, "", "clients").await?,
        sites: sites.into_iter().map(line).collect(),
        total,
        common: in_common(),
        typed,
        problem,
        client,
    })
}

/// Returns the accounts that a token can be stored for.
async fn accounts(app: &App) -> PageResult<Vec<(String, String)>> {
    let platforms = app.reads().profiles().platforms().await?;
    let suppliers = app.reads().profiles().all_suppliers().await?;
    let value = |kind: TokenKind, id: &str| format!("{}:{id}", kind.key());
    let platforms = platforms
        .iter()
        .filter(|p| p.interface.is_some() || p.sets.is_some())
        .map(|p| {
            (
                value(TokenKind::Platform, &p.id),
                format!("Platform {}", p.name),
            )
        });
    let suppliers = suppliers.iter().map(|s| {
        (
            value(TokenKind::Supplier, &s.id),
            format!("Supplier {}", s.name),
        )
    });
    Ok(platforms.chain(suppliers).collect())
}

/// The client's page with what kept an act from being done.
///
/// # Errors
/// Where there is no such client, or something failed on our side.
pub(crate) async fn told(app: &App, posted: &Posted, id: i64, error: ActError) -> PageResult {
    let ActError::Bad(problem) = error else {
        return Err(error.into());
    };
    let client = client_of(app, id).await?;
    let typed = stored(&client)?;
    form_again(&sheet_page(app, &posted.reader(), client, typed, problem).await?)
}

/// Changes a client and its brand sheet.
///
/// # Errors
/// Where there is no such client; mistakes come back with the form.
pub async fn change(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let client = client_of(&app, id).await?;
    let kept = match read(&posted.fields) {
        Ok((name, sheet)) => {
            app.acts
                .clients()
                .change_sheet(&posted.actor(), id, &name, &sheet, posted.fields.version())
                .await
        }
        Err(problem) => Err(ActError::Bad(problem)),
    };
    match kept {
        Ok(()) => Ok(Redirect::to(&format!("/clients/{id}")).into_response()),
        Err(ActError::Bad(problem)) => {
            let reader = posted.reader();
            form_again(&sheet_page(&app, &reader, client, posted.fields, problem).await?)
        }
        Err(ActError::Outdated) => {
            let (reader, client) = (posted.reader(), client_of(&app, id).await?);
            let saved = stored(&client)?;
            let typed = posted.fields.clone();
            let fields = saved.0.iter().map(|(name, saved)| {
                let label = name.trim_start_matches("widget_").replace('_', " ");
                (label, saved.clone(), typed.get(name).trim().to_string())
            });
            let fields: Vec<_> = fields.collect();
            let mut page = sheet_page(&app, &reader, client, posted.fields, String::new()).await?;
            page.edit = page.edit.against(fields);
            form_again(&page)
        }
        Err(other) => Err(other.into()),
    }
}

/// Returns the kind of picture that a logo is, told by its first bytes, not by its name.
pub(crate) fn picture_kind(bytes: &[u8]) -> Option<(&'static str, &'static str)> {
    if bytes.starts_with(b"\x89PNG\r\n\x1a\n") {
        Some(("png", "image/png"))
    } else if bytes.starts_with(b"\xff\xd8\xff") {
        Some(("jpg", "image/jpeg"))
    } else {
        let text = std::str::from_utf8(bytes).ok()?;
        let start = text.trim_start_matches('\u{feff}').trim_start();
        ((start.starts_with("<svg") || start.starts_with("<?xml") || start.starts_with("<!--"))
            && text.contains("<svg"))
        .then_some(("svg", "image/svg+xml"))
    }
}

/// Saves a client's logo.
///
/// # Errors
/// Where the file is no picture.
pub async fn logo(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    mut form: Multipart,
) -> PageResult {
    let (csrf, bytes) = upload(&mut form, "logo").await?;
    check(&reader.0, &csrf)?;
    let (extension, media_type) = picture_kind(&bytes)
        .ok_or_else(|| PageError::Bad("The logo must be a PNG, JPEG or SVG picture.".into()))?;
    app.acts
        .clients()
        .set_logo(&reader.actor(), id, bytes, extension, media_type)
        .await?;
    Ok(Redirect::to(&format!("/clients/{id}")).into_response())
}

/// The brand sheet as design tokens.
///
/// # Errors
/// Where there is no such client.
pub async fn tokens(State(app): State<App>, _: Reader, Path(id): Path<i64>) -> PageResult {
    let client = client_of(&app, id).await?;
    let text = serde_json::to_string_pretty(&client.sheet()?.to_tokens()).unwrap_or_default();
    Ok(file("application/json", "brand.tokens.json", text))
}

#[cfg(test)]
mod tests {
    use super::picture_kind;

    #[test]
    fn logos_are_told_by_their_bytes() {
        assert_eq!(
            picture_kind(b"\x89PNG\r\n\x1a\nrest").map(|k| k.0),
            Some("png")
        );
        assert_eq!(
            picture_kind(b"<?xml version='1.0'?><svg xmlns='x'/>").map(|k| k.0),
            Some("svg")
        );
        assert_eq!(picture_kind(b"<html><svg>"), None);
        assert_eq!(picture_kind(b""), None);
    }
}
