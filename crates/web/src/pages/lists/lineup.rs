//! The line-up: launchers and open panels of a client, or of the estate, side by side, the odd ones
//! first.

use crate::draw::swatch::{Swatch, swatch};
use crate::error::PageResult;
use crate::pages::lists::lens::LensQuery;
use crate::pages::render;
use crate::session::Reader;
use crate::state::App;
use crate::view::{Frame, PAGE_SIZE, Pager};
use askama::Template;
use axum::extract::{Query, State};
use axum::response::IntoResponse;
use newtfern_acts::store::results::checks::Drawing;
use newtfern_verdict::brand::ColourPair;
use newtfern_verdict::family::brand::{Distance, distance};
use newtfern_verdict::family::detail::brand::Detail;
use newtfern_verdict::family::{Detail as Drawn, Family};

/// Preview of one site's widget.
struct Tile {
    id: i64,
    name: String,
    client: String,
    crop: Option<String>,
    panel: Option<String>,
    swatches: Vec<Swatch>,
    /// Distance and reasons, in words.
    words: String,
    odd: bool,
}

#[derive(Template)]
#[template(path = "lists/lineup.html")]
struct Page {
    frame: Frame,
    tiles: Vec<Tile>,
    /// Sites whose launcher was never seen.
    unseen: usize,
    odd: usize,
    asked: LensQuery,
    clients: Vec<(i64, String, bool)>,
    pager: Pager,
}

/// Difference from which on a tile is odd: a colour that is visibly another.
const ODD: f64 = newtfern_verdict::brand::COLOUR_TOLERANCE;

fn swatches(pair: Option<ColourPair>) -> Vec<Swatch> {
    let pair = pair.map(|p| {
        [
            swatch(&p.seen.hex(), "seen"),
            swatch(&p.expected.hex(), "designed"),
        ]
    });
    pair.into_iter().flatten().collect()
}

fn words(d: &Distance) -> String {
    match d.why.as_slice() {
        [] => "matches the design".into(),
        why => format!("{:.0} from the design: {}", d.value, why.join(", ")),
    }
}

fn detail_of(drawing: &Drawing) -> Option<&Detail> {
    match drawing {
        Drawing::Known(detail) => match detail.as_ref() {
            Drawn::Brand(detail) => Some(detail),
            _ => None,
        },
        Drawing::Older => None,
    }
}

/// Shows the widgets of many sites side by side.
pub async fn page(
    State(app): State<App>,
    reader: Reader,
    Query(asked): Query<LensQuery>,
) -> PageResult {
    let filter = asked.filter(Some(Family::Brand));
    let ids = app.reads().lists().site_ids(&filter).await?;
    let drawings = app
        .reads()
        .checks()
        .drawings(&ids, Some(Family::Brand))
        .await?;
    let seen = |id: &i64| {
        let detail = detail_of(drawings.get(&(*id, Family::Brand))?)?;
        Some((*id, distance(detail)?, detail))
    };
    let mut all: Vec<(i64, Distance, &Detail)> = ids.iter().filter_map(seen).collect();
    all.sort_by(|a, b| b.1.value.total_cmp(&a.1.value).then(a.0.cmp(&b.0)));
    let number = asked.page.unwrap_or(1).max(1);
    let query = [("q", asked.q.as_str()), ("client", asked.client.as_str())];
    let pager = Pager::new(number, all.len() as i64, &query);
    if let Some(back) = pager.back("/line-up") {
        return Ok(back.into_response());
    }
    let odd = all.iter().filter(|(_, d, _)| d.value > ODD).count();
    let skip = usize::try_from(Pager::offset(number)).unwrap_or_default();
    let shown: Vec<_> = all.iter().skip(skip).take(PAGE_SIZE as usize).collect();
    let of_page: Vec<i64> = shown.iter().map(|(id, ..)| *id).collect();
    let sites = app.reads().sites().sites_of(&of_page).await?;
    let tile = |(id, d, detail): &&(i64, Distance, &Detail)| {
        let site = sites.iter().find(|s| s.id == *id)?;
        let look = detail.looks.first()?;
        Some(Tile {
            id: *id,
            name: site.name.clone(),
            client: site.client_name.clone(),
            crop: look.compared.crop.clone(),
            panel: look.panel.clone(),
            swatches: swatches(look.compared.launcher),
            words: words(d),
            odd: d.value > ODD,
        })
    };
    let tiles = shown.iter().filter_map(tile).collect();
    let clients = app.reads().clients().client_names().await?;
    let chosen = |(id, name)| (id, name, asked.client.parse() == Ok(id));
    render(&Page {
        frame: Frame::new(&app, &reader, "Line-up", Family::Brand.key(), "").await?,
        tiles,
        unseen: ids.len() - all.len(),
        odd,
        clients: clients.into_iter().map(chosen).collect(),
        asked,
        pager,
    })
}
