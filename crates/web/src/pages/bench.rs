//! The bench: one site, the job from top to bottom, what to do next first.

use super::render;
use super::rounds::kind_for;
use crate::draw::{chain, frond, grid, interval};
use crate::error::{PageError, PageResult};
use crate::pages::lens::{Swatch, swatch};
use crate::session::Reader;
use crate::state::App;
use crate::view::{Frame, ago, frond_of, moment, short};
use askama::Template;
use axum::extract::{Path, State};
use newtfern_core::brand::Compared;
use newtfern_core::chain::Diagnosis;
use newtfern_core::colour::difference_in_words;
use newtfern_core::consent::{Cell, Grid};
use newtfern_core::design::Design;
use newtfern_core::finding::{Evidence, Finding};
use newtfern_core::standing::{Family, NextAction, State as Standing};
use newtfern_core::weigh::{Shift, WeighIn};
use newtfern_store::handovers::Handover;
use newtfern_store::placements::Placement;
use newtfern_store::sites::{Site, Standing as Stored};
use serde_json::Value;

pub struct Section {
    pub family: &'static str,
    pub label: &'static str,
    pub mark: String,
    pub state: &'static str,
    pub state_key: &'static str,
    pub summary: String,
    pub when: String,
}

pub struct Shot {
    pub words: String,
    pub key: String,
}

pub struct Told {
    pub code: String,
    pub severity: &'static str,
    pub summary: String,
    pub remedy: String,
    pub evidence: Vec<String>,
    pub candidates: Vec<String>,
}

pub struct Line {
    pub name: &'static str,
    pub drawing: String,
    pub figures: String,
}

#[derive(Template)]
#[template(path = "bench.html")]
struct Page {
    frame: Frame,
    site: Site,
    address: String,
    frond: String,
    next: Option<NextAction>,
    /// The bulk act that the next action asks for, if a worker can do it.
    next_kind: Option<(&'static str, &'static str)>,
    next_link: String,
    sections: Vec<Section>,
    chain: String,
    findings: Vec<Told>,
    place_findings: Vec<Told>,
    shots: Vec<Shot>,
    design: Vec<(&'static str, String, &'static str, Option<Swatch>)>,
    echo: Option<newtfern_core::echo::Seen>,
    echo_times: Vec<(&'static str, String)>,
    weigh: Option<WeighIn>,
    weigh_lines: Vec<Line>,
    consent: Option<Grid>,
    consent_svg: String,
    consent_cells: Vec<Cell>,
    consent_findings: Vec<Told>,
    brand: Option<Compared>,
    brand_rows: Vec<(&'static str, Swatch, Swatch, String)>,
    brand_figures: Vec<(&'static str, String, String)>,
    brand_findings: Vec<Told>,
    placements: Vec<(Placement, String)>,
    handovers: Vec<(Handover, String, String)>,
}

pub fn told(findings: Vec<Finding>) -> Vec<Told> {
    findings
        .into_iter()
        .map(|f| Told {
            evidence: f
                .evidence
                .iter()
                .filter(|e| !matches!(e, Evidence::Picture { .. }))
                .map(Evidence::line)
                .collect(),
            code: f.code,
            severity: f.severity.word(),
            summary: f.summary,
            remedy: f.remedy,
            candidates: f.candidates,
        })
        .collect()
}

fn read<T: serde::de::DeserializeOwned>(
    standings: &[Stored],
    family: Family,
    name: &str,
) -> Option<T> {
    let detail: &Value = &standings.iter().find(|s| s.family() == family)?.detail;
    serde_json::from_value(detail.get(name)?.clone()).ok()
}

pub async fn page(State(app): State<App>, reader: Reader, Path(id): Path<i64>) -> PageResult {
    let site = app
        .store
        .site(id)
        .await?
        .ok_or(PageError::NotFound("site"))?;
    let standings = app
        .store
        .standings_of(&[id])
        .await?
        .remove(&id)
        .unwrap_or_default();
    let client = app
        .store
        .client(site.client_id)
        .await?
        .ok_or(PageError::NotFound("client"))?;
    let design = Design::resolve(
        &app.store.house_style().await?,
        &client.sheet()?.layer(),
        &site.layer()?,
    );
    let placements = app.store.placements(id).await?;
    let handovers = app.store.handovers(id).await?;

    let diagnosis: Option<Diagnosis> = read(&standings, Family::Load, "diagnosis");
    let next = newtfern_store::sites::next_of(&standings);
    let weigh: Option<WeighIn> = read(&standings, Family::Weigh, "weigh");
    let consent: Option<Grid> = read(&standings, Family::Consent, "grid");
    let brand: Option<Compared> = read(&standings, Family::Brand, "compared");
    let echo: Option<newtfern_core::echo::Seen> = read(&standings, Family::Echo, "seen");
    let shots: Vec<Value> = read(&standings, Family::Load, "shots").unwrap_or_default();
    let next_kind =
        next.as_ref()
            .and_then(|n| kind_for(n.family, n.state))
            .map(|kind| match kind {
                "check" => (kind, "Verify now"),
                "echo" => (kind, "Send a test message"),
                "weigh" => (kind, "Weigh now"),
                _ => (kind, "Make the sheet"),
            });
    let next_link = match next.as_ref().map(|n| n.family) {
        Some(Family::Design) => format!("/sites/{id}/settings"),
        Some(Family::Place) => format!("/sites/{id}/place"),
        Some(Family::HandOver) if next_kind.is_none() => "#hand_over".into(),
        _ => String::new(),
    };
    let page = Page {
        frame: Frame::new(&app, &reader, &site.name, "", "bench").await?,
        address: short(&site.url),
        frond: frond_of(&standings),
        sections: standings
            .iter()
            .map(|s| Section {
                family: s.family().key(),
                label: s.family().label(),
                mark: frond::mark(s.state()),
                state: s.state().words(),
                state_key: s.state().key(),
                summary: s.summary.clone(),
                when: if s.state() == Standing::NotYet {
                    String::new()
                } else {
                    ago(s.at)
                },
            })
            .collect(),
        chain: diagnosis
            .as_ref()
            .map(|d| chain::svg(&d.chain, true))
            .unwrap_or_default(),
        // What Place shows with its evidence is not told twice.
        findings: told(
            diagnosis
                .map(|d| {
                    d.findings
                        .into_iter()
                        .filter(|f| {
                            !f.code.starts_with("placed.") && !f.code.starts_with("delivered.")
                        })
                        .collect()
                })
                .unwrap_or_default(),
        ),
        place_findings: told(read(&standings, Family::Place, "findings").unwrap_or_default()),
        shots: shots
            .iter()
            .filter_map(|s| {
                Some(Shot {
                    key: s["picture"].as_str()?.to_string(),
                    words: format!(
                        "{}, consent {}",
                        s["viewport"].as_str().unwrap_or_default(),
                        s["consent"].as_str().unwrap_or_default()
                    ),
                })
            })
            .collect(),
        design: design
            .values
            .iter()
            .map(|v| {
                (
                    v.field.label(),
                    v.value.clone(),
                    v.from.words(),
                    v.field.is_colour().then(|| swatch(&v.value, "")),
                )
            })
            .collect(),
        echo_times: echo
            .iter()
            .flat_map(|e| {
                [
                    ("Seen at the console", e.at_console_ms),
                    ("Answered there", e.answered_ms),
                    ("Answer seen in the widget", e.answer_seen_ms),
                ]
            })
            .filter_map(|(n, t)| t.map(|t| (n, format!("{:.2} s", t / 1000.0))))
            .collect(),
        echo,
        weigh_lines: weigh.as_ref().map(weigh_lines).unwrap_or_default(),
        weigh,
        consent_svg: consent.as_ref().map(grid::svg).unwrap_or_default(),
        consent_cells: consent
            .as_ref()
            .map(|g| g.cells.iter().filter(|c| c.count > 0).cloned().collect())
            .unwrap_or_default(),
        consent_findings: told(read(&standings, Family::Consent, "findings").unwrap_or_default()),
        consent,
        brand_rows: brand.as_ref().map(brand_rows).unwrap_or_default(),
        brand_figures: brand.as_ref().map(brand_figures).unwrap_or_default(),
        brand_findings: told(read(&standings, Family::Brand, "findings").unwrap_or_default()),
        brand,
        placements: placements
            .into_iter()
            .map(|p| {
                let when = moment(p.at);
                (p, when)
            })
            .collect(),
        handovers: handovers
            .into_iter()
            .map(|h| {
                let (when, until) = (moment(h.created_at), moment(h.expires_at));
                (h, when, until)
            })
            .collect(),
        next_kind,
        next_link,
        next,
        site,
    };
    render(&page)
}

pub fn weigh_lines(w: &WeighIn) -> Vec<Line> {
    let own = |name, c: newtfern_core::weigh::Centre, budget: Option<f64>| {
        let figures = format!("{:.1} ms ({:.1} to {:.1})", c.median, c.low, c.high);
        Line {
            name,
            drawing: interval::svg(
                &interval::Bar {
                    low: c.low,
                    mid: c.median,
                    high: c.high,
                },
                budget,
                None,
                0.0,
                200.0,
                &figures,
            ),
            figures,
        }
    };
    let mut out = vec![
        own("Own thread time", w.own.thread_ms, Some(w.budget_ms)),
        own("Own wall time", w.own.wall_ms, None),
    ];
    let page = |name, s: Option<Shift>| {
        s.map(|s| {
            let figures = format!(
                "{:+.1} ms ({:+.1} to {:+.1}), chance alone {:+.1} to {:+.1}",
                s.shift, s.low, s.high, s.floor_low, s.floor_high
            );
            Line {
                name,
                drawing: interval::svg(
                    &interval::Bar {
                        low: s.low,
                        mid: s.shift,
                        high: s.high,
                    },
                    None,
                    Some((s.floor_low, s.floor_high)),
                    -100.0,
                    200.0,
                    &figures,
                ),
                figures,
            }
        })
    };
    out.extend(
        [
            page("Page: blocking time", w.page.tbt_ms),
            page("Page: largest paint", w.page.lcp_ms),
            page("Page: load", w.page.load_ms),
        ]
        .into_iter()
        .flatten(),
    );
    out
}

fn brand_rows(c: &Compared) -> Vec<(&'static str, Swatch, Swatch, String)> {
    [("Launcher", c.launcher), ("Header", c.header)]
        .into_iter()
        .filter_map(|(name, pair)| {
            pair.map(|p| {
                (
                    name,
                    swatch(&p.seen.hex(), "seen"),
                    swatch(&p.expected.hex(), "designed"),
                    format!("{:.1}, {}", p.difference, difference_in_words(p.difference)),
                )
            })
        })
        .collect()
}

fn brand_figures(c: &Compared) -> Vec<(&'static str, String, String)> {
    let contrast = |v: Option<f64>| {
        v.map(|v| format!("{v:.1} to 1"))
            .unwrap_or_else(|| "unknown".into())
    };
    vec![
        (
            "Corner",
            c.corner.replace('-', " "),
            c.expected_corner.replace('-', " "),
        ),
        (
            "Offsets, px",
            format!("{:.0}, {:.0}", c.offset_x, c.offset_y),
            format!("{:.0}, {:.0}", c.expected_x, c.expected_y),
        ),
        (
            "Icon on the launcher",
            contrast(c.text_on_launcher),
            "3 or more".into(),
        ),
        (
            "Launcher on the page",
            contrast(c.on_page),
            "3 or more".into(),
        ),
        (
            "From the brand colour",
            c.to_brand
                .map(|d| format!("{d:.1} (CIEDE2000)"))
                .unwrap_or_else(|| "no brand colour".into()),
            String::new(),
        ),
    ]
}
