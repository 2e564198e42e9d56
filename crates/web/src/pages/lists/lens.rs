//! The lenses: the same rows of sites, with the columns and drawings of one part of the job.

use crate::draw::frond;
use crate::error::{PageError, PageResult};
use crate::families::{self, Cell, cell};
use crate::pages::render;
use crate::session::Reader;
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager, ago, frond_of, short};
use askama::Template;
use axum::extract::{Path, Query, State};
use axum::response::IntoResponse;
use newtfern_acts::store::estate::lists::{Filter, Order};
use newtfern_acts::store::estate::sites::{Site, StandingRow};
use newtfern_model::design::{Design, Layer};
use newtfern_model::expectation::further_widgets;
use newtfern_model::job::JobKind;
use newtfern_verdict::brand::BrandSheet;
use newtfern_verdict::family::{Family, Standing};
use serde::Deserialize;
use std::collections::HashMap;

/// Query of a lens.
#[derive(Deserialize, Default, Clone)]
#[serde(default)]
pub struct LensQuery {
    pub q: String,
    pub client: String,
    pub state: String,
    pub sort: String,
    pub page: Option<i64>,
}

impl LensQuery {
    /// A lens filters and sorts by its family; the estate by the sites' own state.
    pub fn filter(&self, family: Option<Family>) -> Filter {
        let order = match (self.sort.as_str(), family) {
            ("name", _) => Order::Client,
            (_, None) => Order::Worst,
            (_, Some(family)) => Order::WorstIn(family),
        };
        Filter {
            search: self.q.clone(),
            client: self.client.parse().ok(),
            state: Standing::from_key(&self.state).map(|s| (family, s)),
            next: None,
            order,
        }
    }

    fn is_empty(&self) -> bool {
        self.q.is_empty() && self.client.is_empty() && self.state.is_empty()
    }

    fn query(&self) -> [(&str, &str); 4] {
        [
            ("q", &self.q),
            ("client", &self.client),
            ("state", &self.state),
            ("sort", &self.sort),
        ]
    }
}

/// Row of one site.
pub struct Row {
    id: i64,
    name: String,
    client: String,
    address: String,
    /// Widgets beside the first.
    further: usize,
    /// Whether somebody with a link waits for an answer.
    asks: bool,
    frond: String,
    mark: String,
    state: &'static str,
    state_key: &'static str,
    text: String,
    cell: Cell,
    when: String,
}

#[derive(Template)]
#[template(path = "lists/lens.html")]
struct Page {
    frame: Frame,
    lens: &'static str,
    label: &'static str,
    question: &'static str,
    drawing: &'static str,
    legend: String,
    rows: Vec<Row>,
    clients: Vec<(i64, String, bool)>,
    asked: LensQuery,
    pager: Pager,
    states: &'static [Standing],
    acts: Vec<JobKind>,
}

/// Shows the list of one family.
///
/// # Errors
/// Where there is no such lens.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Path(lens): Path<String>,
    Query(asked): Query<LensQuery>,
) -> PageResult {
    let family = Family::from_key(&lens);
    if family.is_none() && lens != "estate" {
        return Err(PageError::NotFound("lens"));
    }
    let filter = asked.filter(family);
    let number = asked.page.unwrap_or(1);
    let offset = Pager::offset(number);
    let (sites, total) = app.reads().lists().page(&filter, offset, PAGE_SIZE).await?;
    let pager = Pager::new(number, total, &asked.query());
    if let Some(back) = pager.back(&format!("/lens/{lens}")) {
        return Ok(back.into_response());
    }
    let clients = app.reads().clients().client_names().await?;
    let rows = rows(&app, &sites, family).await?;
    let entry = family.map(Family::entry);
    let lens = family.map_or("estate", Family::key);
    let label = family.map_or("Estate", Family::label);
    let chosen = |(id, name)| (id, name, asked.client.parse() == Ok(id));
    render(&Page {
        frame: Frame::new(&app, &reader, label, lens, "").await?,
        lens,
        label,
        question: entry.map_or("All sites, their results and next steps", |w| w.question),
        drawing: entry.map_or("Chain", |e| e.drawing),
        legend: legend(family),
        rows,
        pager,
        clients: clients.into_iter().map(chosen).collect(),
        asked,
        states: &Standing::ALL,
        acts: acts(family),
    })
}

/// Returns the jobs that can be asked for the ticked rows.
fn acts(family: Option<Family>) -> Vec<JobKind> {
    match family {
        None => vec![
            JobKind::Check,
            JobKind::Pages,
            JobKind::Weigh,
            JobKind::Echo,
            JobKind::Sheet,
            JobKind::Survey,
        ],
        Some(family) => family.entry().job.into_iter().collect(),
    }
}

/// How to read the drawings, or the marks where there are none.
fn legend(family: Option<Family>) -> String {
    let own = families::legend(family);
    if !own.is_empty() {
        return own;
    }
    let shown = Standing::ALL
        .into_iter()
        .filter(|s| *s != Standing::NotApplicable);
    let leaf = |s: Standing| format!("{} {}", frond::mark(s), s.words());
    shown.map(leaf).collect::<Vec<_>>().join(" &nbsp; ")
}

async fn rows(app: &App, sites: &[Site], family: Option<Family>) -> PageResult<Vec<Row>> {
    let ids: Vec<i64> = sites.iter().map(|s| s.id).collect();
    let standings = app.reads().sites().standings_of(&ids).await?;
    let shown = family.unwrap_or(Family::Load);
    let drawings = app.reads().checks().drawings(&ids, Some(shown)).await?;
    let designs = match family {
        Some(Family::Design) => {
            let clients: Vec<i64> = sites.iter().map(|s| s.client_id).collect();
            let sheets = app.reads().clients().sheets_of(&clients).await?;
            Some((app.reads().settings().house_style().await?, sheets))
        }
        _ => None,
    };
    let (questions, _) = app
        .reads()
        .handing()
        .open_questions(Some(&ids), 20 * PAGE_SIZE)
        .await?;
    let mut out = Vec::with_capacity(sites.len());
    for site in sites {
        let all = standings
            .get(&site.id)
            .map(Vec::as_slice)
            .unwrap_or_default();
        let of_client = |(house, sheets): &'_ (Layer, HashMap<i64, BrandSheet>)| {
            let sheet = sheets.get(&site.client_id)?;
            let design = Design::resolve(house, &sheet.layer(), site.layer());
            Some((design, sheet.primary))
        };
        let design = designs.as_ref().and_then(of_client);
        let design = design.as_ref().map(|(design, brand)| (design, *brand));
        let cell = cell(family, drawings.get(&(site.id, shown)), site, design);
        let asks = questions.iter().any(|q| q.site_id == site.id);
        out.push(Row {
            asks,
            ..row(site, all, family, cell)
        });
    }
    Ok(out)
}

fn row(site: &Site, standings: &[StandingRow], family: Option<Family>, cell: Cell) -> Row {
    let of = |f: Family| standings.iter().find(|s| s.family == f);
    let shown = of(family.unwrap_or(Family::Load));
    let state = match family {
        None => site.state(),
        Some(_) => shown.map(|s| s.state).unwrap_or_default(),
    };
    let next = || match (&site.next_family, &site.next_act) {
        (Some(f), Some(act)) => {
            let label = Family::from_key(f).map_or("", Family::label);
            format!("{label}: {act}")
        }
        _ => "Nothing to do.".into(),
    };
    let looked = shown.filter(|s| s.check_id.is_some());
    Row {
        id: site.id,
        name: site.name.clone(),
        client: site.client_name.clone(),
        address: short(&site.url),
        further: further_widgets(&site.beyond),
        asks: false,
        frond: frond_of(standings),
        mark: frond::mark(state),
        state: state.words(),
        state_key: state.key(),
        text: match family {
            None => next(),
            Some(_) => shown.map(|s| s.summary.clone()).unwrap_or_default(),
        },
        cell,
        when: looked.map(|s| ago(s.at)).unwrap_or_default(),
    }
}
