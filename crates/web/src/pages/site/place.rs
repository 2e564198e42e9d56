//! Placing: the fitted snippet with its steps, or a push through the platform's own interface, with
//! what every slot of the site holds.

use crate::error::PageResult;
use crate::pages::lists::push_many::SiteChange;
use crate::pages::render;
use crate::pages::site::difference::difference;
use crate::session::{Fields, Posted, Reader, check, upload};
use crate::state::App;
use crate::view::{Frame, moment};
use askama::Template;
use axum::extract::{Multipart, Path, Query, State};
use axum::response::{IntoResponse, Redirect};
use newtfern_acts::store::estate::sites::Site;
use newtfern_acts::store::handing::errands::Words;
use newtfern_acts::{LINK_DAYS, OtherSuppliers, PlacePage, PushOutcome, SlotView, TagPage};
use newtfern_model::placing::PlannedChange;
use newtfern_model::placing::WrongCopy;
use newtfern_model::platform::{Advice, Fitted, Interface, Platform, Slot};
use newtfern_verdict::family::Family;
use serde::Deserialize;

pub(crate) struct Step {
    pub act: String,
    pub check: String,
    pub code: bool,
}

struct Past {
    id: i64,
    who: String,
    slots: String,
    when: String,
    put_back: bool,
    changes: Vec<SiteChange>,
}

/// A slot in the row of slots.
struct Tab {
    id: String,
    name: String,
    /// Content of the slot, in short.
    holds: String,
    current: bool,
    /// The better one for this snippet.
    advised: bool,
    /// The snippet cannot live there.
    impossible: bool,
}

/// Changes that a push would make.
struct Pushing {
    proven: bool,
    leftovers: Vec<String>,
    told: Vec<PlannedChange>,
    changes: Vec<SiteChange>,
    /// Whether the slots hold a draft that visitors do not get.
    draft: bool,
}

/// Changes that taking the widget off would make.
struct Off {
    told: Vec<PlannedChange>,
    left: Vec<String>,
}

/// A link, when it was made, when it was done, what was written with it.
type Errand = (
    newtfern_acts::store::handing::errands::Errand,
    String,
    Option<String>,
    Vec<Words>,
);

#[derive(Template)]
#[template(path = "site/place.html")]
struct Page {
    frame: Frame,
    site: Site,
    platform: Option<Platform>,
    slot_id: String,
    /// Address of the platform's desk.
    desk: Option<String>,
    tabs: Vec<Tab>,
    fitted: Option<Fitted>,
    wrong: Vec<WrongCopy>,
    /// Advice on the slot that is shown.
    advice: Option<Advice>,
    /// The better slot, where that is another one: its short name and its name.
    better: Option<(String, String)>,
    undo: String,
    steps: Vec<Step>,
    /// Reason why nothing keeps the site's page rules.
    no_rule: String,
    problem: String,
    pushing: Option<Pushing>,
    off: Option<Off>,
    /// Who took the widget off on purpose, and when.
    taken_off: Option<(String, String)>,
    seen: String,
    past: Vec<Past>,
    errands: Vec<Errand>,
    link_days: i64,
    tags: Option<TagPage>,
    /// The set was read from a file, so nothing is published from it.
    from_file: bool,
    /// The widget comes through the tag manager.
    by_tags: bool,
    /// Which of the site's widgets is placed; 0 is the first.
    widget: usize,
    /// Supplier's name and key of each.
    widgets: Vec<(String, String)>,
    /// Other suppliers whose code stands in the slots.
    others: Vec<String>,
    done: String,
}

impl Page {
    /// Key of the widget that is placed.
    fn key(&self) -> &str {
        self.widgets.get(self.widget).map_or("", |w| w.1.as_str())
    }
}

#[derive(Deserialize, Default)]
pub struct PlaceQuery {
    /// Which of the site's widgets; 0 is the first.
    #[serde(default)]
    widget: usize,
    slot: Option<String>,
    done: Option<String>,
}

/// The slot's steps; the one that keeps the page rules comes before the last, which looks at the
/// result.
pub(crate) fn steps(page: &PlacePage) -> Vec<Step> {
    let Some(slot) = &page.slot else {
        return Vec::new();
    };
    let step = |s: &newtfern_model::platform::Step| Step {
        code: s.act.contains("{{code}}"),
        act: s.act.replace("{{code}}", "").trim().to_string(),
        check: s.check.clone(),
    };
    let mut out: Vec<Step> = slot.steps.iter().map(step).collect();
    if let Ok(Some(rule)) = &page.rule {
        out.insert(out.len().saturating_sub(1), step(rule));
    }
    out
}

/// Pushes that were made together, newest first.
fn past(page: &PlacePage) -> Vec<Past> {
    let name = |id: &str| {
        let slot = page.platform.as_ref().and_then(|p| p.slot(id));
        slot.map_or_else(|| id.to_string(), |s| s.name.clone())
    };
    let mut out: Vec<Past> = Vec::new();
    for p in &page.past {
        let changed = SiteChange {
            name: name(&p.slot_id),
            lines: difference(&p.before_text, &p.after_text),
        };
        let batch = p.batch.unwrap_or(p.id);
        match out.last_mut().filter(|last| last.id == batch) {
            Some(last) => {
                last.slots = format!("{}, {}", changed.name, last.slots);
                last.changes.push(changed);
            }
            None => out.push(Past {
                id: batch,
                who: p.who.clone(),
                slots: changed.name.clone(),
                when: moment(p.at),
                put_back: p.put_back_at.is_some(),
                changes: vec![changed],
            }),
        }
    }
    out
}

fn desk(page: &PlacePage) -> Option<String> {
    let platform = page.platform.as_ref()?;
    let url = page.site.address().ok()?;
    Interface::fill(platform.desk.as_deref()?, &url, "").map(String::from)
}

fn tabs(page: &PlacePage, current: &str) -> Vec<Tab> {
    let Some(platform) = &page.platform else {
        return Vec::new();
    };
    let holds = |id: &str| {
        let view = page.slots.iter().find(|v| v.slot.id == id)?;
        let held = view.held.as_ref()?;
        Some(match held.text.trim() {
            "" => "empty".to_string(),
            text => format!("{} lines", text.lines().count()),
        })
    };
    let advice = |id: &str| page.advice.iter().find(|a| a.slot == id);
    let tab = |s: &Slot| Tab {
        id: s.id.clone(),
        name: s.name.clone(),
        holds: holds(&s.id).unwrap_or_default(),
        current: s.id == current,
        advised: page
            .advice
            .first()
            .is_some_and(|a| a.slot == s.id && a.impossible.is_none()),
        impossible: advice(&s.id).is_some_and(|a| a.impossible.is_some()),
    };
    platform.slots.iter().map(tab).collect()
}

/// The slot that is advised, where another one is shown and one is possible at all.
fn better(advice: &[Advice], shown: &str) -> Option<(String, String)> {
    let best = advice.first().filter(|a| a.impossible.is_none())?;
    (best.slot != shown).then(|| (best.slot.clone(), best.name.clone()))
}

fn pushing(page: &PlacePage) -> Option<Pushing> {
    let push = page.push.as_ref()?;
    Some(Pushing {
        proven: push.is_proven(),
        leftovers: push.left.clone(),
        told: push.told.clone(),
        changes: push.changes.iter().map(SiteChange::of).collect(),
        draft: page.slots.iter().any(SlotView::is_draft),
    })
}

async fn errands(app: &App, site: i64) -> PageResult<Vec<Errand>> {
    let rows = app.reads().handing().errands(site).await?;
    let ids: Vec<i64> = rows.iter().map(|e| e.id).collect();
    let words = app.reads().handing().errand_words(&ids).await?;
    let of = |id: i64| {
        words
            .iter()
            .filter(|w| w.errand_id == id)
            .cloned()
            .collect()
    };
    let errand = |e: newtfern_acts::store::handing::errands::Errand| {
        let (made, done) = (moment(e.created_at), e.done_at.map(moment));
        let words = of(e.id);
        (e, made, done, words)
    };
    Ok(rows.into_iter().map(errand).collect())
}

/// Shows the page of placing.
///
/// # Errors
/// Where there is no such site.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    Query(asked): Query<PlaceQuery>,
) -> PageResult {
    render(&page_of(&app, &reader, id, asked, None).await?)
}

async fn page_of(
    app: &App,
    reader: &Reader,
    id: i64,
    asked: PlaceQuery,
    file: Option<&str>,
) -> PageResult<Page> {
    let page = app
        .acts
        .placing()
        .place_page(id, asked.widget, asked.slot.as_deref())
        .await?;
    let slot_id = page.slot.as_ref().map(|s| s.id.clone()).unwrap_or_default();
    let title = format!("Place: {}", page.site.name);
    Ok(Page {
        frame: Frame::new(app, reader, &title, Family::Place.key(), "").await?,
        tags: app.acts.placing().tag_page(id, file).await?,
        from_file: file.is_some(),
        by_tags: page.by_tags,
        others: page.others.clone(),
        desk: desk(&page),
        tabs: tabs(&page, &slot_id),
        steps: steps(&page),
        no_rule: page.rule.as_ref().err().cloned().unwrap_or_default(),
        pushing: pushing(&page),
        past: past(&page),
        off: page.off.map(|(_, told, left)| Off { told, left }),
        taken_off: taken_off(&page.site),
        seen: page.print,
        errands: errands(app, id).await?,
        link_days: LINK_DAYS,
        better: better(&page.advice, &slot_id),
        advice: page.advice.into_iter().find(|a| a.slot == slot_id),
        undo: page.slot.map(|s| s.undo).unwrap_or_default(),
        slot_id,
        problem: page.problem,
        fitted: page.fitted,
        wrong: page.wrong,
        platform: page.platform,
        widget: page.widget,
        widgets: page.widgets,
        site: page.site,
        done: asked.done.unwrap_or_default(),
    })
}

fn taken_off(site: &Site) -> Option<(String, String)> {
    let (since, who) = site.taken_off()?;
    Some((who.to_string(), moment(since)))
}

/// Which of the site's widgets a form is about; the first where it does not say.
fn widget_of(fields: &Fields) -> usize {
    fields.get("widget").parse().unwrap_or(0)
}

fn back(id: i64, slot: &str, done: &str) -> Redirect {
    back_to(id, 0, slot, done)
}

fn back_to(id: i64, widget: usize, slot: &str, done: &str) -> Redirect {
    let query = url::form_urlencoded::Serializer::new(String::new())
        .append_pair("widget", &widget.to_string())
        .append_pair("slot", slot)
        .append_pair("done", done)
        .finish();
    Redirect::to(&format!("/sites/{id}/place?{query}"))
}

/// Pushes the snippet into a slot.
///
/// # Errors
/// Where it would do harm, or the interface refuses.
pub async fn push(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let f = &posted.fields;
    let (slot, seen, widget) = (f.get("slot"), f.get("seen"), widget_of(f));
    let others = match f.get("others") {
        "go" => OtherSuppliers::Remove,
        _ => OtherSuppliers::Keep,
    };
    let actor = posted.actor();
    let pushed = app
        .acts
        .placing()
        .push(&actor, id, (widget, slot), seen, others)
        .await?;
    let done = match pushed {
        PushOutcome::Written(_) | PushOutcome::Published => "pushed",
        PushOutcome::Unchanged => "same",
    };
    Ok(back_to(id, widget, slot, done).into_response())
}

/// Places through the tag manager, and publishes its set.
///
/// # Errors
/// Where the set has changed, or the interface refuses.
pub async fn publish_set(
    State(app): State<App>,
    Path(id): Path<i64>,
    posted: Posted,
) -> PageResult {
    let seen = posted.fields.get("seen").parse().unwrap_or(0);
    let written = app
        .acts
        .placing()
        .push_tag(&posted.actor(), id, seen)
        .await?;
    Ok(back(id, "", if written { "pushed" } else { "same" }).into_response())
}

/// Shows an exported set of the tag manager, and what placing through it would change.
///
/// # Errors
/// Where the file did not arrive.
pub async fn set_file(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    mut form: Multipart,
) -> PageResult {
    let (csrf, bytes) = upload(&mut form, "set").await?;
    check(&reader.0, &csrf)?;
    let text = String::from_utf8_lossy(&bytes);
    render(&page_of(&app, &reader, id, PlaceQuery::default(), Some(&text)).await?)
}

/// Takes the widget off.
///
/// # Errors
/// Where the interface refuses.
pub async fn off(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let (seen, widget) = (posted.fields.get("seen"), widget_of(&posted.fields));
    let left = app
        .acts
        .placing()
        .take_off(&posted.actor(), id, widget, seen)
        .await?;
    let done = if left.is_empty() { "off" } else { "" };
    Ok(back_to(id, widget, "", done).into_response())
}

/// Expects the widget again where it was taken off.
///
/// # Errors
/// Where it was not taken off.
pub async fn again(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let placing = app.acts.placing();
    placing.expect_again(&posted.actor(), id).await?;
    Ok(back(id, "", "again").into_response())
}

/// Puts back what a slot held.
///
/// # Errors
/// Where the slot no longer holds what was pushed.
pub async fn put_back(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let wanted: i64 = posted.fields.get("placement").parse().unwrap_or(0);
    let slot = app
        .acts
        .placing()
        .put_back(&posted.actor(), id, wanted)
        .await?;
    Ok(back(id, &slot, "back").into_response())
}
