//! The lenses: the same rows of sites, with the columns and drawings of one part of the job.

use super::render;
use crate::draw::{chain, frond, grid, interval};
use crate::error::{PageError, PageResult};
use crate::session::Reader;
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, ago, frond_of, short};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::IntoResponse;
use newtfern_core::chain::Diagnosis;
use newtfern_core::consent::Grid;
use newtfern_core::design::{Design, Field};
use newtfern_core::standing::{Family, State as Standing};
use newtfern_core::weigh::WeighIn;
use newtfern_store::clients::Client;
use newtfern_store::sites::{Filter, Site, Standing as Stored, next_of};
use serde::Deserialize;
use serde_json::Value;
use std::collections::HashMap;

#[derive(Deserialize, Default, Clone)]
pub struct Asked {
    #[serde(default)]
    pub q: String,
    #[serde(default)]
    pub client: String,
    #[serde(default)]
    pub state: String,
    #[serde(default)]
    pub sort: String,
    #[serde(default)]
    pub page: Option<i64>,
}

impl Asked {
    /// The estate filters by loading, the heart of the job.
    pub fn filter(&self, family: Option<Family>) -> Filter {
        let family = family.unwrap_or(Family::Load);
        let state = Standing::from_key(&self.state);
        Filter {
            search: self.q.clone(),
            client: self.client.parse().ok(),
            family: state.map(|_| family),
            state,
            worst_in: (self.sort != "name").then_some(family),
        }
    }
}

pub struct Row {
    pub id: i64,
    pub name: String,
    pub client: String,
    pub client_id: i64,
    pub address: String,
    pub frond: String,
    pub mark: String,
    pub state: &'static str,
    pub state_key: &'static str,
    pub summary: String,
    pub drawing: String,
    /// Small pictures and colours of the row.
    pub crop: Option<String>,
    pub swatches: Vec<Swatch>,
    pub note: String,
    pub next: String,
    pub when: String,
}

pub struct Swatch {
    pub svg: String,
    pub label: String,
}

#[derive(Template)]
#[template(path = "lens.html")]
struct Page {
    frame: Frame,
    lens: &'static str,
    label: &'static str,
    question: &'static str,
    drawing_head: &'static str,
    legend: String,
    rows: Vec<Row>,
    clients: Vec<Client>,
    asked: Asked,
    pager: Pager,
    states: Vec<(&'static str, &'static str)>,
    act: Option<(&'static str, &'static str)>,
}

pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Path(lens): Path<String>,
    Query(asked): Query<Asked>,
) -> PageResult {
    let family = Family::from_key(&lens);
    if family.is_none() && lens != "estate" {
        return Err(PageError::NotFound("lens"));
    }
    let filter = asked.filter(family);
    let number = asked.page.unwrap_or(1);
    let (sites, total) = app
        .store
        .sites(&filter, Pager::offset(number), PAGE_SIZE)
        .await?;
    let query = [
        ("q", asked.q.as_str()),
        ("client", asked.client.as_str()),
        ("state", asked.state.as_str()),
        ("sort", asked.sort.as_str()),
    ];
    let pager = Pager::new(number, total, &query);
    if let Some(back) = pager.back(&format!("/lens/{lens}")) {
        return Ok(back.into_response());
    }
    let ids: Vec<i64> = sites.iter().map(|s| s.id).collect();
    let standings = app.store.standings_of(&ids).await?;
    let (clients, _) = app.store.clients("", 0, 500).await?;
    let house = if family == Some(Family::Design) {
        Some(app.store.house_style().await?)
    } else {
        None
    };
    let by_id: HashMap<i64, &Client> = clients.iter().map(|c| (c.id, c)).collect();
    let rows = sites
        .iter()
        .map(|site| {
            let all = standings
                .get(&site.id)
                .map(Vec::as_slice)
                .unwrap_or_default();
            let mut row = row(site, all, family);
            if let (Some(house), Some(client)) = (&house, by_id.get(&site.client_id)) {
                let sheet = client.sheet().unwrap_or_default();
                let design =
                    Design::resolve(house, &sheet.layer(), &site.layer().unwrap_or_default());
                row.swatches = [Field::ButtonColour, Field::IconColour, Field::HeaderColour]
                    .map(|f| swatch(design.get(f), f.label()))
                    .into();
                let n = newtfern_core::design::numbers(&design, sheet.primary, None);
                row.note = format!(
                    "{} \u{b7} text contrast {:.1}{}",
                    design.get(Field::Corner).replace('-', " "),
                    n.text_on_button,
                    n.to_brand
                        .map(|d| format!(" \u{b7} {d:.1} from the brand"))
                        .unwrap_or_default()
                );
            }
            row
        })
        .collect();
    let (label, question, drawing_head, legend, act) = words(family);
    render(&Page {
        frame: Frame::new(
            &app,
            &reader,
            label,
            family.map_or("estate", Family::key),
            "",
        )
        .await?,
        lens: family.map_or("estate", Family::key),
        label,
        question,
        drawing_head,
        legend,
        rows,
        pager,
        clients,
        asked,
        states: [
            "failing",
            "undecided",
            "stale",
            "not_yet",
            "passing",
            "not_applicable",
        ]
        .into_iter()
        .filter_map(|k| Some((k, Standing::from_key(k)?.words())))
        .collect(),
        act,
    })
}

type Words = (
    &'static str,
    &'static str,
    &'static str,
    String,
    Option<(&'static str, &'static str)>,
);

/// Title, the question the lens answers, the drawing's heading, how to read it, the bulk act.
fn words(family: Option<Family>) -> Words {
    let leaf = |s: Standing| format!("{} {}", frond::mark(s), s.words());
    let leaves = [
        Standing::Passing,
        Standing::Failing,
        Standing::Undecided,
        Standing::NotYet,
        Standing::Stale,
    ]
    .map(leaf)
    .join(" &nbsp; ");
    match family {
        None => ("Estate", "How does each site stand, and what is next?", "Chain", leaves, Some(("check", "Verify"))),
        Some(Family::Design) => ("Design", "Which colours and corner does each widget have?", "Design", leaves, None),
        Some(Family::Place) => ("Place", "Is the snippet in the page, once, with the right key?", "Slot", leaves, Some(("check", "Verify"))),
        Some(Family::Load) => (
            "Load",
            "Does the widget come up for a visitor, and which link broke?",
            "Chain",
            "delivered, placed, allowed, fetched, ran, started, shown, usable".into(),
            Some(("check", "Verify")),
        ),
        Some(Family::Echo) => {
            ("Echo", "Does a message get through, and its answer back?", "Times", "seconds to the console, and for the answer back".into(), Some(("echo", "Send test messages")))
        }
        Some(Family::Weigh) => (
            "Weigh",
            "What does the widget cost the page?",
            "Own thread time, 0 to 200 ms",
            "the bar is the 95 % interval, the upright line the budget".into(),
            Some(("weigh", "Weigh")),
        ),
        Some(Family::Consent) => (
            "Consent",
            "Does anything happen before consent?",
            "Signals",
            "hollow dot: silence \u{b7} square: a signal that may be \u{b7} triangle: one that may not".into(),
            Some(("check", "Verify")),
        ),
        Some(Family::Brand) => (
            "Brand",
            "Does the widget look as designed?",
            "Seen beside designed",
            "crop of the launcher, then seen and designed colour with their CIEDE2000 difference".into(),
            Some(("check", "Verify")),
        ),
        Some(Family::HandOver) => ("Hand over", "Has the client the proof, and did they say yes?", "Sheet", leaves, Some(("sheet", "Make handover sheets"))),
        Some(Family::Watch) => ("Watch", "Whose results are getting old?", "Last visit", leaves, Some(("check", "Visit again"))),
    }
}

pub fn swatch(colour: &str, label: &str) -> Swatch {
    let plain: String = colour
        .chars()
        .filter(|c| c.is_ascii_alphanumeric() || *c == '#')
        .take(7)
        .collect();
    Swatch {
        svg: format!(
            r#"<svg class="swatch" width="22" height="22" viewBox="0 0 22 22" aria-hidden="true"><rect width="22" height="22" rx="3" fill="{plain}"/></svg>"#
        ),
        label: format!("{label} {plain}"),
    }
}

fn read<T: serde::de::DeserializeOwned>(detail: &Value, name: &str) -> Option<T> {
    serde_json::from_value(detail.get(name)?.clone()).ok()
}

pub fn row(site: &Site, standings: &[Stored], family: Option<Family>) -> Row {
    let of = |f: Family| standings.iter().find(|s| s.family() == f);
    let shown = of(family.unwrap_or(Family::Load));
    let state = shown.map(Stored::state).unwrap_or_default();
    let next = next_of(standings);
    let mut row = Row {
        id: site.id,
        name: site.name.clone(),
        client: site.client_name.clone(),
        client_id: site.client_id,
        address: short(&site.url),
        frond: frond_of(standings),
        mark: frond::mark(state),
        state: state.words(),
        state_key: state.key(),
        summary: shown.map(|s| s.summary.clone()).unwrap_or_default(),
        drawing: String::new(),
        crop: None,
        swatches: Vec::new(),
        note: String::new(),
        next: next
            .as_ref()
            .map(|n| format!("{}: {}", n.family.label(), n.act))
            .unwrap_or_else(|| "Nothing to do.".into()),
        when: shown
            .filter(|_| state != Standing::NotYet)
            .map(|s| ago(s.at))
            .unwrap_or_default(),
    };
    let Some(stored) = shown else { return row };
    match family {
        Some(Family::Load) | None => {
            if let Some(d) = read::<Diagnosis>(&stored.detail, "diagnosis") {
                row.drawing = chain::svg(&d.chain, false);
                row.note = d.root.unwrap_or_default();
            }
        }
        Some(Family::Weigh) => {
            if let Some(w) = read::<WeighIn>(&stored.detail, "weigh") {
                let t = w.own.thread_ms;
                let words = format!(
                    "{:.0} ms, {:.0} to {:.0}, budget {:.0}",
                    t.median, t.low, t.high, w.budget_ms
                );
                row.drawing = interval::svg(
                    &interval::Bar {
                        low: t.low,
                        mid: t.median,
                        high: t.high,
                    },
                    Some(w.budget_ms),
                    None,
                    0.0,
                    200.0,
                    &words,
                );
                row.note = format!(
                    "{:.0} ms \u{b7} {:.1} kB in {} requests",
                    t.median,
                    w.own.bytes as f64 / 1000.0,
                    w.own.requests
                );
            }
        }
        Some(Family::Consent) => {
            if let Some(g) = read::<Grid>(&stored.detail, "grid") {
                row.drawing = grid::svg(&g);
                row.note = g.region;
            }
        }
        Some(Family::Brand) => {
            if let Some(c) = read::<newtfern_core::brand::Compared>(&stored.detail, "compared") {
                row.crop = c.crop;
                if let Some(p) = c.launcher {
                    row.swatches = vec![
                        swatch(&p.seen.hex(), "seen"),
                        swatch(&p.expected.hex(), "designed"),
                    ];
                    row.note = format!(
                        "{:.1} apart \u{b7} {}",
                        p.difference,
                        c.corner.replace('-', " ")
                    );
                }
            }
        }
        Some(Family::Echo) => {
            if let Some(s) = read::<newtfern_core::echo::Seen>(&stored.detail, "seen") {
                row.note = match (s.at_console_ms, s.answer_seen_ms) {
                    (Some(a), Some(b)) => format!(
                        "there {:.2} s \u{b7} answered {:.2} s",
                        a / 1000.0,
                        b / 1000.0
                    ),
                    _ => s.stopped,
                };
            }
        }
        Some(Family::Place) => row.note = site.slot_id.replace('-', " "),
        Some(Family::Watch) => row.note = row.when.clone(),
        _ => {}
    }
    row
}
