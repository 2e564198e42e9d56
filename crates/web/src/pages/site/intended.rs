//! What a site's widget is meant to do beyond its design: hours, delay, channels, further
//! languages; and the visits that a check makes for it.

use crate::draw::week;
use crate::edit::Edit;
use crate::error::PageResult;
use crate::pages::{file, form_again, render};
use crate::session::{Fields, Posted, Reader, check, upload};
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::{Multipart, Path, State};
use axum::response::{IntoResponse, Redirect, Response};
use jiff::tz::TimeZone;
use newtfern_acts::store::estate::sites::Site;
use newtfern_acts::{ActError, Intended};
use newtfern_model::calendar;
use newtfern_model::channel::Addresses;
use newtfern_model::design::Field;
use newtfern_model::expectation::{
    Channel, ChannelKind, ClosedDay, ConsentException, Day, Hours, IntendedField, Opens,
    OutsideHours, TEXTS, TextSet, Widget, read_delay, staffed, zone,
};
use newtfern_standards::observation::TextName;
use newtfern_verdict::family::Family;
use newtfern_verdict::visits::{Reason, reasons};
use serde::de::DeserializeOwned;
use serde_json::json;
use std::collections::BTreeMap;

/// The texts that a further language has of its own; whoever answers has one name in all of them.
fn texts_of_a_language() -> impl Iterator<Item = Field> {
    TEXTS.into_iter().filter(|f| *f != Field::AgentName)
}

/// Rows of a form that are read.
const MOST_ROWS: usize = 60;

/// A shift as the form shows it.
struct Shift {
    days: Vec<(&'static str, bool)>,
    from: String,
    to: String,
}

/// A further language as the form shows it: name, label, value.
struct Language {
    tag: String,
    texts: Vec<(&'static str, &'static str, String)>,
}

#[derive(Template)]
#[template(path = "site/intended.html")]
struct Page {
    frame: Frame,
    site: Site,
    shifts: Vec<Shift>,
    closed: String,
    hide: bool,
    window: bool,
    delay: String,
    /// Name, day and reason of the agreed exception to the consent rules.
    exception: [String; 3],
    /// Kind and target of each channel.
    channels: Vec<(String, String)>,
    kinds: Vec<&'static str>,
    languages: Vec<Language>,
    week: String,
    /// Words that say whether somebody is there now.
    now: String,
    plan: Vec<Reason>,
    visits: usize,
    problem: String,
    done: String,
    edit: Edit,
}

fn shifts(hours: &[Hours]) -> Vec<Shift> {
    let of = |h: &Hours| Shift {
        days: Day::ALL
            .iter()
            .map(|d| (d.word(), h.days.contains(d)))
            .collect(),
        from: h.from.into(),
        to: h.to.into(),
    };
    let blank = Shift {
        days: Day::ALL.iter().map(|d| (d.word(), false)).collect(),
        from: String::new(),
        to: String::new(),
    };
    hours.iter().map(of).chain([blank]).collect()
}

fn typed_shifts(fields: &Fields) -> Vec<Shift> {
    let row = |i: usize| {
        let from = fields.given(&format!("from-{i}"))?;
        let days: Vec<String> = fields
            .all(&format!("days-{i}"))
            .map(str::to_string)
            .collect();
        Some(Shift {
            days: Day::ALL
                .iter()
                .map(|d| (d.word(), days.iter().any(|t| t == d.word())))
                .collect(),
            from: from.to_string(),
            to: fields.get(&format!("to-{i}")).to_string(),
        })
    };
    (0..MOST_ROWS).map_while(row).collect()
}

/// Reads one value by the rules of the file.
fn value<T: DeserializeOwned>(of: &str, json: serde_json::Value) -> Result<T, String> {
    serde_json::from_value(json).map_err(|e| format!("{of}: {e}."))
}

fn read_hours(fields: &Fields) -> Result<Vec<Hours>, String> {
    let mut out = Vec::new();
    for (i, shift) in typed_shifts(fields).into_iter().enumerate() {
        let days: Vec<&str> = shift.days.iter().filter(|d| d.1).map(|d| d.0).collect();
        if days.is_empty() && shift.from.trim().is_empty() && shift.to.trim().is_empty() {
            continue;
        }
        let json = json!({"days": days, "from": shift.from.trim(), "to": shift.to.trim()});
        out.push(value(&format!("Shift {}", i + 1), json)?);
    }
    Ok(out)
}

/// Name, day and reason of an agreed exception; none where no name is given.
fn typed_exception(fields: &Fields) -> Result<Option<ConsentException>, String> {
    let typed = |name: &str| fields.get(name).trim().to_string();
    let [by, on, reason] = ["exception_by", "exception_on", "exception_reason"].map(typed);
    if by.is_empty() && on.is_empty() && reason.is_empty() {
        return Ok(None);
    }
    let json = json!({"by": by, "on": on, "reason": reason});
    value("Agreed exception", json).map(Some)
}

/// Kinds and targets as they were typed, rows without a target left out.
fn typed_channels(fields: &Fields) -> Vec<(String, String)> {
    let row = |i| {
        let target = fields.given(&format!("target-{i}"))?.to_string();
        Some((fields.get(&format!("channel-{i}")).to_string(), target))
    };
    let rows = (0..MOST_ROWS).map_while(row);
    rows.filter(|(_, target)| !target.trim().is_empty())
        .collect()
}

fn read(fields: &Fields, languages: &[String], addresses: &Addresses) -> Result<Intended, String> {
    let days = fields.get("closed").split([' ', ',', '\n', '\r', '\t']);
    let days = days.filter(|d| !d.is_empty());
    let closed: Result<Vec<ClosedDay>, String> = days
        .map(|d| value("Closed days", json!({"on": d})))
        .collect();
    let mut channels: Vec<Channel> = Vec::new();
    for (i, (kind, target)) in typed_channels(fields).into_iter().enumerate() {
        let nth = format!("Channel {}", i + 1);
        let typed: Channel = value(&nth, json!({"kind": kind, "target": target.trim()}))?;
        // Kept, and shown again, as the link that it means.
        let linked = typed.at(addresses);
        channels.push(linked.map_err(|why| format!("{nth}: {why}."))?);
    }
    let mut texts = BTreeMap::new();
    for language in languages.iter().skip(1) {
        let mut set = TextSet::default();
        for field in texts_of_a_language() {
            let typed = fields.get(&text_name(language, field)).trim();
            if !typed.is_empty() {
                set.set(field, typed.to_string());
            }
        }
        if set != TextSet::default() {
            texts.insert(language.clone(), set);
        }
    }
    let delay_s = read_delay(fields.get("delay")).map_err(|why| format!("Delay: {why}."))?;
    Ok(Intended {
        consent_exception: typed_exception(fields)?,
        hours: read_hours(fields)?,
        closed: closed?,
        outside_hours: match fields.get("outside_hours") {
            "hide" => OutsideHours::Hide,
            _ => OutsideHours::Message,
        },
        opens: match fields.get("opens") {
            "window" => Opens::Window,
            _ => Opens::Page,
        },
        delay_s,
        channels,
        texts,
    })
}

/// Name of a text's field in the form.
fn text_name(language: &str, field: Field) -> String {
    let name = field.name_in_texts().map_or(field.key(), TextName::word);
    format!("text-{language}-{name}")
}

fn languages_of(widget: &Widget, languages: &[String], typed: Option<&Fields>) -> Vec<Language> {
    let further = languages.iter().skip(1);
    let of = |tag: &String| {
        let set = widget.texts.get(tag).cloned().unwrap_or_default();
        let text = |field: Field| match typed {
            Some(f) => f.get(&text_name(tag, field)).to_string(),
            None => set.get(field).unwrap_or_default().to_string(),
        };
        Language {
            tag: tag.clone(),
            texts: texts_of_a_language()
                .filter_map(|f| Some((f.name_in_texts()?.word(), f.label(), text(f))))
                .collect(),
        }
    };
    further.map(of).collect()
}

/// The week and whether somebody is there now, where the zone is known.
async fn clock(app: &App, site: &Site, widget: &Widget) -> PageResult<(String, String)> {
    let now = app.reads().now().await?;
    let Some(zone) = zone(&site.time_zone) else {
        let words = match widget.hours.is_empty() && widget.closed.is_empty() {
            true => "Always staffed.",
            false => {
                "The site has no time zone, so its hours cannot be used. Set the time zone in the \
                site's settings."
            }
        };
        return Ok((week::svg(&widget.hours, None), words.into()));
    };
    let local = zone.to_datetime(now);
    let minute =
        u16::from(local.hour().unsigned_abs()) * 60 + u16::from(local.minute().unsigned_abs());
    let day = local.weekday().to_monday_zero_offset().unsigned_abs();
    let there = match staffed(&widget.hours, &widget.closed, &zone, now) {
        true => "staffed",
        false => "not staffed",
    };
    let words = format!(
        "Local time: {} ({}). Chat is {there} now.",
        local.strftime("%A %H:%M"),
        site.time_zone
    );
    Ok((week::svg(&widget.hours, Some((day.into(), minute))), words))
}

/// Returns whether Global Privacy Control alone refuses this widget where the site's visitors are.
async fn gpc_alone_refuses(app: &App, site: &Site, widget: &Widget) -> PageResult<bool> {
    Ok(
        match app.reads().profiles().supplier(&widget.supplier).await? {
            Some(supplier) => {
                let region = app.reads().settings().region_of(&site.country).await?;
                region.gpc_alone_refuses(supplier.consent.class)
            }
            None => false,
        },
    )
}

/// Name, day and reason of the agreed exception, as they are saved or typed.
fn exception(saved: Option<&ConsentException>, typed: Option<&Fields>) -> [String; 3] {
    match (typed, saved) {
        (Some(f), _) => {
            ["exception_by", "exception_on", "exception_reason"].map(|name| f.get(name).to_string())
        }
        (None, Some(e)) => [e.by.clone(), e.on.into(), e.reason.clone()],
        (None, None) => Default::default(),
    }
}

async fn page_of(
    app: &App,
    reader: &Reader,
    site: Site,
    typed: Option<&Fields>,
    (problem, done): (String, String),
) -> PageResult<Page> {
    let file = app.acts.sites().expectation_of(&site).await?;
    let Some(widget) = file.widgets.first() else {
        let why = "No supplier is chosen for this site: choose one in its settings first.";
        return Err(ActError::Bad(why.into()).into());
    };
    let consent = match &site.consent_id {
        Some(id) => app.reads().profiles().consent_manager(id).await?,
        None => None,
    };
    let (week, now) = clock(app, &site, widget).await?;
    let gpc = gpc_alone_refuses(app, &site, widget).await?;
    let plan = reasons(widget, &file.languages, consent.as_ref(), gpc);
    let days: Vec<String> = widget.closed.iter().map(|c| c.on.into()).collect();
    let kinds = ChannelKind::ALL.iter().map(|k| k.word()).collect();
    let mut channels = match typed {
        None => (widget.channels.iter())
            .map(|c| (c.kind.word().to_string(), c.target.clone()))
            .collect(),
        Some(fields) => typed_channels(fields),
    };
    channels.push(("phone".into(), String::new()));
    let title = format!("Hours, channels and languages: {}", site.name);
    Ok(Page {
        frame: Frame::new(app, reader, &title, Family::Design.key(), "").await?,
        shifts: typed.map_or_else(|| shifts(&widget.hours), typed_shifts),
        closed: typed.map_or_else(|| days.join("\n"), |f| f.get("closed").to_string()),
        hide: typed.map_or(widget.outside_hours == OutsideHours::Hide, |f| {
            f.get("outside_hours") == "hide"
        }),
        window: typed.map_or(widget.opens == Opens::Window, |f| {
            f.get("opens") == "window"
        }),
        delay: typed.map_or_else(
            || IntendedField::Delay.get(widget),
            |f| f.get("delay").to_string(),
        ),
        exception: exception(file.consent_exception.as_ref(), typed),
        channels,
        kinds,
        languages: languages_of(widget, &file.languages, typed),
        week,
        now,
        visits: plan.iter().map(|r| r.visits).sum(),
        plan,
        problem,
        done,
        edit: Edit::of(&site.beyond),
        site,
    })
}

/// Shows what is expected of a site.
///
/// # Errors
/// Where there is no such site, or it has no supplier.
pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let site = crate::pages::site_of(&app, id).await?;
    render(&page_of(&app, &reader, site, None, Default::default()).await?)
}

/// Saves what is expected of a site.
///
/// # Errors
/// Where there is no such site; mistakes come back with the form.
pub async fn save(State(app): State<App>, Path(id): Path<i64>, posted: Posted) -> PageResult {
    let site = crate::pages::site_of(&app, id).await?;
    let file = app.acts.sites().expectation_of(&site).await?;
    let supplier = match file.widgets.first() {
        Some(widget) => app.reads().profiles().supplier(&widget.supplier).await?,
        None => None,
    };
    let addresses = supplier.map(|s| s.channels.addresses).unwrap_or_default();
    let kept = match read(&posted.fields, &file.languages, &addresses) {
        Err(problem) => Err(problem),
        Ok(meant) => {
            let (actor, version) = (posted.actor(), posted.fields.version());
            let kept = app
                .acts
                .sites()
                .change_intended(&actor, id, meant.clone(), version);
            match kept.await {
                Ok(()) => Ok(()),
                Err(ActError::Bad(problem)) => Err(problem),
                Err(ActError::Outdated) => return conflict(&app, &posted, id, &meant).await,
                Err(other) => return Err(other.into()),
            }
        }
    };
    match kept {
        Ok(()) => Ok(Redirect::to(&format!("/sites/{id}/intended")).into_response()),
        Err(problem) => {
            let reader = posted.reader();
            let told = (problem, String::new());
            form_again(&page_of(&app, &reader, site, Some(&posted.fields), told).await?)
        }
    }
}

/// The form again, with what somebody else saved meanwhile beside it.
async fn conflict(app: &App, posted: &Posted, id: i64, typed: &Intended) -> PageResult {
    let site = crate::pages::site_of(app, id).await?;
    let file = app.acts.sites().expectation_of(&site).await?;
    let first = file.widgets.first();
    let saved = first.map(|w| Intended::of(&file, w)).unwrap_or_default();
    let fields = saved.in_words().into_iter().zip(typed.in_words());
    let fields = fields.map(|((label, saved), (_, typed))| (label.to_string(), saved, typed));
    let fields: Vec<_> = fields.collect();
    let (reader, told) = (posted.reader(), Default::default());
    let mut page = page_of(app, &reader, site, Some(&posted.fields), told).await?;
    page.edit = page.edit.against(fields);
    form_again(&page)
}

/// Takes the whole days of an iCalendar file.
///
/// # Errors
/// Where there is no such site; a file that brings nothing says why.
pub async fn holidays(
    State(app): State<App>,
    reader: Reader,
    Path(id): Path<i64>,
    mut form: Multipart,
) -> PageResult {
    let (csrf, bytes) = upload(&mut form, "calendar").await?;
    check(&reader.0, &csrf)?;
    let text = String::from_utf8_lossy(&bytes).into_owned();
    let read = app
        .acts
        .sites()
        .import_holidays(&reader.actor(), id, &text)
        .await;
    let site = crate::pages::site_of(&app, id).await?;
    match read {
        Ok(read) => {
            let timed = match read.timed {
                0 => String::new(),
                n => format!(" {n} entries with a time of day were passed over."),
            };
            let done = format!("The file has {} whole days.{timed}", read.days.len());
            render(&page_of(&app, &reader, site, None, (String::new(), done)).await?)
        }
        Err(ActError::Bad(problem)) => {
            form_again(&page_of(&app, &reader, site, None, (problem, String::new())).await?)
        }
        Err(other) => Err(other.into()),
    }
}

/// The hours as an iCalendar file.
///
/// # Errors
/// Where there is no such site.
pub async fn calendar(
    State(app): State<App>,
    _: Reader,
    Path(id): Path<i64>,
) -> PageResult<Response> {
    let site = crate::pages::site_of(&app, id).await?;
    let expected = app.acts.sites().expectation_of(&site).await?;
    let widget = expected.widgets.into_iter().next();
    let (hours, closed) = widget.map(|w| (w.hours, w.closed)).unwrap_or_default();
    let now = app.reads().now().await?.to_zoned(TimeZone::UTC);
    let stamp = now.strftime("%Y%m%dT%H%M%SZ").to_string();
    let name = format!("{}, {}: chat hours", site.client_name, site.name);
    let text = calendar::written(&name, &hours, &closed, &site.time_zone, &stamp);
    Ok(file("text/calendar; charset=utf-8", "hours.ics", text))
}
