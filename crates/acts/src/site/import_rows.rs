//! Takes the rows of a file: five hundred at a time, all of them or none.

use super::import::{ImportResult, nothing, token_addresses};
use super::sites::differences;
use crate::handles::ImportActs;
use crate::{Actor, Result, record, record_each};
use newtfern_model::design::{Design, Layer};
use newtfern_model::expectation::{Expectation, IntendedField};
use newtfern_model::intake::{Beyond, Change, PlannedRow, RowPlan};
use newtfern_model::platform::Platform;
use newtfern_model::site::SiteFields;
use newtfern_store::estate::intake::NewSite;
use newtfern_store::estate::sites::Site;
use newtfern_store::{StoreError, Tx};
use newtfern_verdict::brand::BrandSheet;
use serde_json::json;
use std::collections::{BTreeMap, HashMap, HashSet};

/// Rows that are written by one set of statements.
const AT_ONCE: usize = 500;

impl ImportActs<'_> {
    /// Reads what the rows are taken against. A transaction that is open waits for no second
    /// connection.
    async fn ground(self, rows: &[PlannedRow]) -> Result<Ground> {
        let names = self.acts.store.clients().client_names().await?;
        let clients: HashMap<String, i64> = names
            .into_iter()
            .map(|(id, name)| (name.to_lowercase(), id))
            .collect();
        let changed = rows.iter().filter_map(|row| match &row.what {
            RowPlan::Change { id, .. } => Some(*id),
            _ => None,
        });
        let changed: Vec<i64> = changed.collect();
        let sites = self.acts.store.sites().sites_of(&changed).await?;
        let named = rows
            .iter()
            .filter_map(|r| clients.get(&r.client.to_lowercase()));
        let named: HashSet<i64> = named
            .copied()
            .chain(sites.iter().map(|s| s.client_id))
            .collect();
        let named: Vec<i64> = named.into_iter().collect();
        Ok(Ground {
            sheets: self.acts.store.clients().sheets_of(&named).await?,
            house: self.acts.store.settings().house_style().await?,
            platforms: self.acts.store.profiles().platforms().await?,
            sites: sites.into_iter().map(|s| (s.id, s)).collect(),
            clients,
        })
    }

    pub(super) async fn take(
        self,
        actor: &Actor,
        rows: &[PlannedRow],
        import: Option<i64>,
    ) -> Result<ImportResult> {
        let mut ground = self.ground(rows).await?;
        let mut tx = self.acts.store.begin().await?;
        let new_clients = add_clients(&mut tx, &mut ground, rows).await?;
        let mut taken = ImportResult::default();
        for (n, some) in rows.chunks(AT_ONCE).enumerate() {
            if let Some(id) = import
                && self
                    .acts
                    .store
                    .imports()
                    .beat_import(id, (n * AT_ONCE) as i32)
                    .await?
            {
                return Err(nothing("it was cancelled"));
            }
            self.add(&mut tx, actor, some, &ground, &mut taken).await?;
            self.change(&mut tx, actor, some, &ground, &mut taken)
                .await?;
        }
        let detail = |name: String| (name, json!({"import": import}));
        let new_clients: Vec<_> = new_clients.into_iter().map(detail).collect();
        record_each(&mut tx, actor, "added a client", &new_clients).await?;
        if !taken.added.is_empty() || !taken.changed.is_empty() {
            let added: Vec<&String> = taken.added.iter().map(|(url, _)| url).collect();
            let detail = json!({"import": import, "added": added});
            record(&mut tx, actor, "imported sites", &taken.words(), detail).await?;
        }
        if let Some(id) = import {
            tx.end_import(id, &taken.words()).await?;
        }
        let added = taken.added.iter().map(|(_, id)| *id);
        let written: Vec<i64> = taken.changed.iter().copied().chain(added).collect();
        self.acts.checks().after_change(&mut tx, &written).await?;
        tx.commit().await?;
        Ok(taken)
    }

    async fn add(
        self,
        tx: &mut Tx,
        actor: &Actor,
        rows: &[PlannedRow],
        ground: &Ground,
        taken: &mut ImportResult,
    ) -> Result<()> {
        let new: Vec<&PlannedRow> = rows.iter().filter(|r| r.what == RowPlan::Add).collect();
        taken.refused += rows.iter().filter(|r| r.refused().is_some()).count();
        if new.is_empty() {
            return Ok(());
        }
        let layers: Vec<Layer> = new
            .iter()
            .map(|row| {
                let above = || ground.above(ground.client_of(row));
                let file = row.beyond.as_ref().and_then(Beyond::file);
                match file.map(Expectation::read) {
                    Some(Ok(file)) => file.own_values(&above()),
                    _ => Layer::new(),
                }
            })
            .collect();
        let sites: Vec<NewSite> = new
            .iter()
            .zip(&layers)
            .map(|(row, own)| NewSite {
                client: ground.client_of(row).unwrap_or_default(),
                fields: &row.fields,
                layer: own,
                beyond: row.beyond.as_ref().map(Beyond::text).unwrap_or_default(),
            })
            .collect();
        let ids = tx.add_sites(&sites).await.map_err(|e| match e {
            StoreError::Taken { .. } => nothing(
                "a site with one of these addresses was added in the meantime: preview the file \
                again",
            ),
            other => other.into(),
        })?;
        for row in &new {
            let id = ids.get(&row.fields.url).copied().unwrap_or_default();
            if let Some(token) = &row.token {
                let goes_to = token_addresses(row, &ground.platforms);
                self.acts
                    .tokens()
                    .keep_site_token(tx, actor, id, (token, &goes_to))
                    .await?;
            }
            taken.added.push((row.fields.url.clone(), id));
        }
        Ok(())
    }

    async fn change(
        self,
        tx: &mut Tx,
        actor: &Actor,
        rows: &[PlannedRow],
        ground: &Ground,
        taken: &mut ImportResult,
    ) -> Result<()> {
        let same = |r: &&PlannedRow| matches!(r.what, RowPlan::Same { .. });
        taken.same += rows.iter().filter(same).count();
        let mut batch = Batch::default();
        for row in rows {
            let RowPlan::Change { id, .. } = &row.what else {
                continue;
            };
            let before = ground.sites.get(id).ok_or_else(|| {
                nothing(format!("{} was removed in the meantime", row.fields.url))
            })?;
            let mut changed = batch.add(before, row, ground);
            if let Some(token) = &row.token {
                let goes_to = token_addresses(row, &ground.platforms);
                self.acts
                    .tokens()
                    .keep_site_token(tx, actor, *id, (token, &goes_to))
                    .await?;
                changed.insert("token".into(), json!("changed"));
            }
            let detail = serde_json::Value::Object(changed);
            batch.told.push((before.url.clone(), detail));
            taken.changed.push(*id);
        }
        batch.write(tx, actor).await
    }
}

/// Changes that are written by one set of statements.
#[derive(Default)]
struct Batch<'a> {
    fields: Vec<(i64, &'a SiteFields)>,
    /// Sites by the client that they go to.
    moved: BTreeMap<i64, Vec<i64>>,
    files: Vec<(i64, &'a str)>,
    layers: Vec<(i64, Layer)>,
    /// Addresses, with what changed there.
    told: Vec<(String, serde_json::Value)>,
}

impl<'a> Batch<'a> {
    /// Takes a row in; gives what it changes, for the trail.
    fn add(
        &mut self,
        before: &Site,
        row: &'a PlannedRow,
        ground: &Ground,
    ) -> serde_json::Map<String, serde_json::Value> {
        let mut changed = differences(before.fields(), &row.fields);
        self.fields.push((before.id, &row.fields));
        if let Some(client) = ground.client_of(row)
            && client != before.client_id
        {
            self.moved.entry(client).or_default().push(before.id);
            let moved = json!({"before": before.client_name, "after": row.client});
            changed.insert("client".into(), moved);
        }
        if let (RowPlan::Change { changes, .. }, Some(Beyond::Cells(_))) = (&row.what, &row.beyond)
        {
            for field in IntendedField::ALL {
                let of_field = changes.iter().find(|c| c.label == field.label());
                let told = |c: &Change| json!({"before": c.before, "after": c.after});
                changed.extend(of_field.map(|c| (field.heading().to_string(), told(c))));
            }
        }
        if let Some(beyond) = &row.beyond {
            self.files.push((before.id, beyond.text()));
            let layer = beyond.file().and_then(|f| design_of(before, f, ground));
            self.layers.extend(layer.map(|l| (before.id, l)));
        }
        changed
    }

    /// Writes the rows by as many statements for five hundred as for one.
    async fn write(self, tx: &mut Tx, actor: &Actor) -> Result<()> {
        if self.fields.is_empty() {
            return Ok(());
        }
        tx.set_sites(&self.fields).await?;
        for (client, sites) in &self.moved {
            tx.move_sites(sites, *client).await?;
        }
        tx.set_files(&self.files).await?;
        tx.set_layers(&self.layers).await?;
        record_each(tx, actor, "changed a site", &self.told).await
    }
}

/// Data that is read before the first row is written.
struct Ground {
    /// Clients by name, in small letters.
    clients: HashMap<String, i64>,
    sheets: HashMap<i64, BrandSheet>,
    house: Layer,
    platforms: Vec<Platform>,
    /// Existing sites that the import changes, by their number.
    sites: HashMap<i64, Site>,
}

impl Ground {
    fn client_of(&self, row: &PlannedRow) -> Option<i64> {
        self.clients.get(&row.client.to_lowercase()).copied()
    }

    /// The design of a client's sites before their own values.
    fn above(&self, client: Option<i64>) -> Design {
        let sheet = client.and_then(|id| self.sheets.get(&id));
        let brand = sheet.map(BrandSheet::layer).unwrap_or_default();
        Design::resolve(&self.house, &brand, &Layer::new())
    }
}

/// Adds the clients that nobody knows; gives their names.
async fn add_clients(tx: &mut Tx, ground: &mut Ground, rows: &[PlannedRow]) -> Result<Vec<String>> {
    let mut new = Vec::new();
    for row in rows.iter().filter(|r| r.refused().is_none()) {
        let lower = row.client.to_lowercase();
        if ground.clients.contains_key(&lower) {
            continue;
        }
        let sheet = BrandSheet {
            public_name: row.client.clone(),
            ..BrandSheet::default()
        };
        let id = tx.add_client(&row.client, &sheet).await?;
        ground.clients.insert(lower, id);
        new.push(row.client.clone());
    }
    Ok(new)
}

/// The site's own values with those of a file's design that differ from the layers above; none
/// where nothing changes.
fn design_of(site: &Site, file: &str, ground: &Ground) -> Option<Layer> {
    let read = Expectation::read(file).ok()?;
    let mut layer = site.layer().clone();
    layer.extend(read.own_values(&ground.above(Some(site.client_id))));
    (layer != *site.layer()).then_some(layer)
}
