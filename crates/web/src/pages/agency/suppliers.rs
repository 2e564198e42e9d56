//! What the suppliers' widgets cost on an empty page, beside each other: asked before one is
//! chosen.

use crate::error::PageResult;
use crate::families::weigh::moment_bar;
use crate::pages::render;
use crate::session::Reader;
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::State;
use newtfern_acts::store::results::checks::Drawing;
use newtfern_verdict::family::{Detail, Family};
use newtfern_verdict::weigh::suppliers::{SupplierWeight, beside_each_other};

/// Weigh-ins that are looked through, the newest.
const MOST: i64 = 500;

/// Row of one supplier.
struct Row {
    name: String,
    /// px of 200, which stand for 200 ms.
    width: f64,
    load: String,
    opening: String,
    range: String,
    /// px of 200: what the loads leave open.
    open: Option<(f64, f64)>,
    /// Comparison in words with the lightest.
    against: &'static str,
    sites: usize,
}

#[derive(Template)]
#[template(path = "agency/suppliers.html")]
struct Page {
    frame: Frame,
    rows: Vec<Row>,
    /// Known suppliers of which nothing was weighed alone.
    unweighed: Vec<String>,
}

fn row(w: &SupplierWeight, lightest: &SupplierWeight, name: String) -> Row {
    let (width, open) = moment_bar(&w.load);
    Row {
        against: match w {
            _ if w.supplier == lightest.supplier => "the lightest",
            _ if w.clearly_heavier_than(lightest) => "clearly heavier",
            _ => "no clear difference from the lightest",
        },
        open,
        name,
        width,
        load: w.load.words(),
        opening: w.opening.map(|m| m.words()).unwrap_or_default(),
        range: match w.sites {
            1 => String::new(),
            _ => format!("{:.1} to {:.1} ms", w.range_ms.0, w.range_ms.1),
        },
        sites: w.sites,
    }
}

/// Shows the suppliers side by side.
pub async fn page(State(app): State<App>, reader: Reader) -> PageResult {
    let store = app.reads();
    let drawings = store.checks().newest_drawings(Family::Weigh, MOST).await?;
    let weighed = drawings
        .iter()
        .filter_map(|(supplier, drawing)| match drawing {
            Drawing::Known(detail) => match detail.as_ref() {
                Detail::Weigh(d) => Some((supplier.as_str(), &d.weigh)),
                _ => None,
            },
            Drawing::Older => None,
        });
    let weights = beside_each_other(weighed);
    let known = store.profiles().all_suppliers().await?;
    let name = |id: &str| {
        let found = known.iter().find(|s| s.id == id);
        found.map_or_else(|| id.to_string(), |s| s.name.clone())
    };
    let unweighed = known
        .iter()
        .filter(|s| weights.iter().all(|w| w.supplier != s.id));
    render(&Page {
        frame: Frame::new(
            &app,
            &reader,
            "Suppliers by weight",
            Family::Weigh.key(),
            "",
        )
        .await?,
        rows: weights
            .iter()
            .map(|w| row(w, &weights[0], name(&w.supplier)))
            .collect(),
        unweighed: unweighed.map(|s| s.name.clone()).collect(),
    })
}
