//! "What needs me now": computed next actions over all sites, batched by kind.

use super::render;
use super::rounds::kind_for;
use crate::draw::frond;
use crate::error::PageResult;
use crate::session::Reader;
use crate::state::App;
use crate::view::Frame;
use askama::Template;
use axum::extract::State;
use newtfern_core::standing::{Family, State as Standing};
use newtfern_store::sites::{Filter, next_of};
use std::collections::BTreeMap;

pub struct Batch {
    pub family: &'static str,
    pub family_key: &'static str,
    pub act: String,
    pub mark: String,
    /// The bulk act that settles it, if there is one.
    pub kind: Option<(&'static str, &'static str)>,
    pub items: Vec<Item>,
    pub more: usize,
    pub ids: Vec<i64>,
}

pub struct Item {
    pub id: i64,
    pub site: String,
    pub client: String,
    pub why: String,
}

#[derive(Template)]
#[template(path = "worklist.html")]
struct Page {
    frame: Frame,
    batches: Vec<Batch>,
    total: usize,
}

/// Rows shown of one batch; the act goes to all of it.
const SHOWN: usize = 12;

pub async fn page(State(app): State<App>, reader: Reader) -> PageResult {
    let mut batches: BTreeMap<(u8, Family, String), Batch> = BTreeMap::new();
    let mut total = 0;
    let mut offset = 0;
    loop {
        let (sites, all) = app.store.sites(&Filter::default(), offset, 500).await?;
        let ids: Vec<i64> = sites.iter().map(|s| s.id).collect();
        let standings = app.store.standings_of(&ids).await?;
        for site in &sites {
            let of = standings
                .get(&site.id)
                .map(Vec::as_slice)
                .unwrap_or_default();
            let Some(next) = next_of(of) else { continue };
            total += 1;
            let state = next.state;
            let urgency = if state == Standing::Failing { 0 } else { 1 };
            let batch = batches
                .entry((urgency, next.family, next.act.clone()))
                .or_insert_with(|| Batch {
                    family: next.family.label(),
                    family_key: next.family.key(),
                    act: next.act.clone(),
                    mark: frond::mark(state),
                    kind: kind_of(next.family, state),
                    items: Vec::new(),
                    more: 0,
                    ids: Vec::new(),
                });
            batch.ids.push(site.id);
            if batch.items.len() < SHOWN {
                batch.items.push(Item {
                    id: site.id,
                    site: site.name.clone(),
                    client: site.client_name.clone(),
                    why: next.why,
                });
            } else {
                batch.more += 1;
            }
        }
        offset += 500;
        if offset >= all {
            break;
        }
    }
    let batches = batches.into_values().collect();
    render(&Page {
        frame: Frame::new(&app, &reader, "Worklist", "", "worklist").await?,
        batches,
        total,
    })
}

fn kind_of(family: Family, state: Standing) -> Option<(&'static str, &'static str)> {
    let kind = kind_for(family, state)?;
    let label = match kind {
        "check" if state == Standing::Failing => "Verify again",
        "check" => "Verify",
        "echo" => "Send test messages",
        "weigh" => "Weigh",
        _ => "Make sheets",
    };
    Some((kind, label))
}
