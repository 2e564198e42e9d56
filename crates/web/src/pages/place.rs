//! Placing: the fitted snippet with its steps, or a push through the platform's own interface. What a
//! slot held is kept before anything is written, and can be put back.

use super::render;
use crate::error::{PageError, PageResult};
use crate::outside::SlotText;
use crate::session::{Posted, Reader};
use crate::state::App;
use crate::view::{Frame, moment};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_core::platform::{Fitted, Interface, Platform, Slot, Takes, fit};
use newtfern_core::profile::{ConsentManager, Supplier};
use newtfern_core::slot_text::{self, Mark};
use newtfern_core::standing::Family;
use newtfern_store::placements::Placement;
use newtfern_store::sites::Site;
use serde::Deserialize;
use serde_json::json;
use url::Url;

pub struct Step {
    pub act: String,
    pub check: String,
    pub code: bool,
}

pub struct Past {
    pub placement: Placement,
    pub when: String,
    pub lines: Vec<(&'static str, &'static str, String)>,
}

#[derive(Template)]
#[template(path = "place.html")]
struct Page {
    frame: Frame,
    site: Site,
    platform: Option<Platform>,
    slot_id: String,
    fitted: Option<Fitted>,
    steps: Vec<Step>,
    problem: String,
    can_push: bool,
    /// What the slot holds now and what it would hold.
    preview: Vec<(&'static str, &'static str, String)>,
    unchanged: bool,
    version: String,
    past: Vec<Past>,
    done: String,
}

#[derive(Deserialize)]
pub struct Asked {
    slot: Option<String>,
    done: Option<String>,
}

struct Loaded {
    site: Site,
    supplier: Option<Supplier>,
    platform: Option<Platform>,
    consent: Option<ConsentManager>,
}

async fn load(app: &App, id: i64) -> PageResult<Loaded> {
    let site = app
        .store
        .site(id)
        .await?
        .ok_or(PageError::NotFound("site"))?;
    let supplier = match &site.supplier_id {
        Some(s) => app.store.supplier(s).await?,
        None => None,
    };
    let platform = app
        .store
        .platforms()
        .await?
        .into_iter()
        .find(|p| Some(&p.id) == site.platform_id.as_ref());
    let consent = match &site.consent_id {
        Some(c) => app.store.consent_manager(c).await?,
        None => None,
    };
    Ok(Loaded {
        site,
        supplier,
        platform,
        consent,
    })
}

/// The code for a slot; gated by the site's consent manager where it has one and the slot takes markup.
fn fitted(l: &Loaded, slot: &Slot) -> PageResult<Fitted> {
    let supplier = l.supplier.as_ref().ok_or_else(|| {
        PageError::Bad("Choose the supplier and its key in the site's settings first.".into())
    })?;
    let mut fitted =
        fit(supplier, &l.site.key, slot).map_err(|e| PageError::Bad(format!("{e}.")))?;
    if let Some(manager) = l.consent.as_ref().filter(|_| slot.takes == Takes::Markup) {
        let gating = &manager.gating;
        let mark = format!(
            "<script type=\"{}\" {}=\"chat\"",
            gating.script_type, gating.attribute
        );
        if !gating.script_type.is_empty() && !gating.attribute.is_empty() {
            fitted.code = fitted.code.replace("<script", &mark);
            fitted.becomes = fitted.code.clone();
        }
    }
    Ok(fitted)
}

fn diff(before: &str, after: &str) -> Vec<(&'static str, &'static str, String)> {
    slot_text::difference(before, after)
        .into_iter()
        .map(|(mark, line)| match mark {
            Mark::Same => ("same", " ", line),
            Mark::Added => ("added", "+", line),
            Mark::Removed => ("removed", "\u{2212}", line),
        })
        .collect()
}

fn slot_address(l: &Loaded, slot: &Slot, write: bool) -> Option<Url> {
    let interface: &Interface = l.platform.as_ref()?.interface.as_ref()?;
    let id = slot.interface.as_deref()?;
    Interface::fill(
        if write {
            &interface.write
        } else {
            &interface.read
        },
        &Url::parse(&l.site.url).ok()?,
        id,
    )
}

async fn token(app: &App, site: i64) -> PageResult<Option<String>> {
    Ok(match app.store.site_token(site).await? {
        Some(sealed) => Some(app.sealer.open(&sealed)?),
        None => None,
    })
}

/// What the slot would hold after a push.
fn pushed(slot: &Slot, held: &str, code: &str, past: &[Placement]) -> slot_text::Pushed {
    // A field for a key holds one key and nothing of others.
    if matches!(slot.takes, Takes::Key | Takes::Address) {
        return slot_text::Pushed {
            text: code.to_string(),
            changed: held.trim() != code,
        };
    }
    let ours = past
        .iter()
        .filter(|p| p.slot_id == slot.id && p.put_back_at.is_none())
        .map(|p| p.ours.as_str())
        .find(|o| held.contains(o.trim_end()));
    slot_text::push(held, code, ours)
}

pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    Query(asked): Query<Asked>,
) -> PageResult {
    let l = load(&app, id).await?;
    let slot_id = asked.slot.clone().unwrap_or_else(|| l.site.slot_id.clone());
    let slot = l
        .platform
        .as_ref()
        .and_then(|p| p.slot(&slot_id).or(p.slots.first()).cloned());
    let past = app.store.placements(id).await?;
    let mut page = Page {
        frame: Frame::new(
            &app,
            &reader,
            &format!("Place: {}", l.site.name),
            Family::Place.key(),
            "",
        )
        .await?,
        slot_id: slot.as_ref().map(|s| s.id.clone()).unwrap_or_default(),
        platform: l.platform.clone(),
        fitted: None,
        steps: vec![],
        problem: String::new(),
        can_push: false,
        preview: vec![],
        unchanged: false,
        version: String::new(),
        past: past
            .iter()
            .map(|p| Past {
                when: moment(p.at),
                lines: diff(&p.before_text, &p.after_text),
                placement: p.clone(),
            })
            .collect(),
        done: asked.done.unwrap_or_default(),
        site: l.site.clone(),
    };
    let Some(slot) = slot else {
        page.problem = "Choose the platform in the site's settings: then the code and the steps that fit it are shown here.".into();
        return render(&page);
    };
    match fitted(&l, &slot) {
        Ok(code) => {
            page.steps = slot
                .steps
                .iter()
                .map(|s| Step {
                    code: s.act.contains("{{code}}"),
                    act: s.act.replace("{{code}}", "").trim().to_string(),
                    check: s.check.clone(),
                })
                .collect();
            if let (Some(address), Some(token)) =
                (slot_address(&l, &slot, false), token(&app, id).await?)
            {
                match app.outside.read_slot(&address, &token).await {
                    Ok(held) => {
                        page.can_push = true;
                        page.version = held.version.map(|v| v.to_string()).unwrap_or_default();
                        let after = pushed(&slot, &held.text, &code.code, &past);
                        page.unchanged = !after.changed;
                        page.preview = diff(&held.text, &after.text);
                        if let Some(why) = refusal(&l, &slot, &held.text, &after) {
                            page.problem = why.into();
                            page.can_push = false;
                        }
                    }
                    Err(error) => page.problem = format!("The slot cannot be read: {error}."),
                }
            }
            page.fitted = Some(code);
        }
        Err(PageError::Bad(why)) => page.problem = why,
        Err(other) => return Err(other),
    }
    render(&page)
}

/// Why a push would do harm, seen from what the slot holds.
fn refusal(l: &Loaded, slot: &Slot, held: &str, after: &slot_text::Pushed) -> Option<&'static str> {
    let supplier = l.supplier.as_ref().filter(|_| after.changed)?;
    if slot_text::holds_live(held, supplier, &l.site.key) {
        return Some(
            "The slot already holds this widget in another form. Pushing would place it twice: take the other one out first, or check the key.",
        );
    }
    if slot.takes == Takes::Markup
        && slot_text::swallowed(&after.text, supplier, l.consent.as_ref(), &l.site.key)
    {
        return Some(
            "What the slot holds would swallow the code: a comment or an element in it is not closed. Close it first; what the slot holds is shown below.",
        );
    }
    None
}

pub async fn push(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let l = load(&app, id).await?;
    let slot = l
        .platform
        .as_ref()
        .and_then(|p| p.slot(posted.fields.get("slot")))
        .cloned()
        .ok_or_else(|| PageError::Bad("This platform has no such slot.".into()))?;
    let code = fitted(&l, &slot)?;
    let (Some(read), Some(write), Some(token)) = (
        slot_address(&l, &slot, false),
        slot_address(&l, &slot, true),
        token(&app, id).await?,
    ) else {
        return Err(PageError::Bad(
            "This slot has no interface, or the site has no token for it: paste the code by hand."
                .into(),
        ));
    };
    let slot_error =
        |e: crate::outside::SlotError| PageError::Bad(format!("Nothing was pushed: {e}."));
    let held = app
        .outside
        .read_slot(&read, &token)
        .await
        .map_err(slot_error)?;
    // The person saw one state of the slot; another one must be seen first.
    if posted.fields.get("version") != held.version.map(|v| v.to_string()).unwrap_or_default() {
        return Err(slot_error(crate::outside::SlotError::Conflict));
    }
    let past = app.store.placements(id).await?;
    let after = pushed(&slot, &held.text, &code.code, &past);
    if !after.changed {
        return Ok(
            Redirect::to(&format!("/sites/{id}/place?slot={}&done=same", slot.id)).into_response(),
        );
    }
    if let Some(why) = refusal(&l, &slot, &held.text, &after) {
        return Err(PageError::Bad(format!("Nothing was pushed. {why}")));
    }
    // Kept first: if the write fails half-way, what was there is known.
    let kept = app
        .store
        .add_placement(
            id,
            &slot.id,
            &held.text,
            &after.text,
            &code.code,
            posted.who(),
        )
        .await?;
    if let Err(error) = app
        .outside
        .write_slot(
            &write,
            &token,
            &SlotText {
                text: after.text,
                version: held.version,
            },
        )
        .await
    {
        app.store.mark_put_back(kept).await?;
        return Err(slot_error(error));
    }
    app.store
        .note(
            posted.who(),
            "pushed a snippet",
            &l.site.url,
            json!({"slot": slot.id, "placement": kept}),
        )
        .await?;
    Ok(Redirect::to(&format!("/sites/{id}/place?slot={}&done=pushed", slot.id)).into_response())
}

pub async fn put_back(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let l = load(&app, id).await?;
    let wanted: i64 = posted.fields.get("placement").parse().unwrap_or(0);
    let past = app.store.placements(id).await?;
    let placement = past
        .iter()
        .find(|p| p.id == wanted && p.put_back_at.is_none())
        .ok_or(PageError::NotFound("kept state"))?;
    let slot = l
        .platform
        .as_ref()
        .and_then(|p| p.slot(&placement.slot_id))
        .cloned()
        .ok_or_else(|| PageError::Bad("This platform has no such slot.".into()))?;
    let (Some(read), Some(write), Some(token)) = (
        slot_address(&l, &slot, false),
        slot_address(&l, &slot, true),
        token(&app, id).await?,
    ) else {
        return Err(PageError::Bad(
            "This slot has no interface: put the text back by hand.".into(),
        ));
    };
    let slot_error =
        |e: crate::outside::SlotError| PageError::Bad(format!("Nothing was put back: {e}."));
    let held = app
        .outside
        .read_slot(&read, &token)
        .await
        .map_err(slot_error)?;
    let text = if held.text == placement.after_text {
        placement.before_text.clone()
    } else if held.text.contains(placement.ours.trim_end()) {
        // Others have written meanwhile: only ours is taken out.
        held.text.replacen(placement.ours.trim_end(), "", 1)
    } else {
        return Err(PageError::Bad(
            "Nothing was put back: the slot no longer holds what was pushed.".into(),
        ));
    };
    app.outside
        .write_slot(
            &write,
            &token,
            &SlotText {
                text,
                version: held.version,
            },
        )
        .await
        .map_err(slot_error)?;
    app.store.mark_put_back(placement.id).await?;
    app.store
        .note(
            posted.who(),
            "put a slot back",
            &l.site.url,
            json!({"slot": slot.id, "placement": placement.id}),
        )
        .await?;
    Ok(Redirect::to(&format!("/sites/{id}/place?slot={}&done=back", slot.id)).into_response())
}
