//! Sites from files: what a file would change is shown before anything is written, then it is taken
//! wholly or not at all.

use crate::sites::{differences, note_change};
use crate::subject::file_of;
use crate::{ActError, Actor, Acts, Result, record};
use newtfern_core::brand::BrandSheet;
use newtfern_core::design::{Design, Layer};
use newtfern_core::expectation::Expectation;
use newtfern_core::family::design;
use newtfern_core::intake::{self, Estate, Planned, PlannedRow, Question, Sheet};
use newtfern_core::site::SiteFields;
use newtfern_heavy::heavy;
use newtfern_store::StoreError;
use newtfern_store::checks::NewCheck;
use newtfern_store::imports::{Import, NewImport};
use newtfern_store::intake::NewSite;
use newtfern_store::people::Role;
use serde_json::json;
use std::collections::{BTreeMap, HashMap};

/// Rows that are written by one set of statements.
const AT_ONCE: usize = 500;
/// A file may not be larger.
const MOST_BYTES: usize = 5 << 20;

/// What is brought in.
pub enum Brings<'a> {
    /// A spreadsheet.
    Spreadsheet(&'a [u8]),
    /// Expectation files, names and texts.
    Files(Vec<(String, String)>),
}

/// What a file would change.
pub struct Shown {
    /// The file.
    pub import: Import,
    /// As it was read; none once it was taken.
    pub sheet: Sheet,
    /// Row by row.
    pub rows: Vec<PlannedRow>,
    /// What has to be answered first.
    pub questions: Vec<Question>,
}

/// What came of a file.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Taken {
    /// Sites that are new, by address.
    pub added: Vec<(String, i64)>,
    /// Sites that changed.
    pub changed: Vec<i64>,
    /// Sites that were so already.
    pub same: usize,
    /// Rows that were refused.
    pub refused: usize,
}

impl Taken {
    /// In words.
    pub fn words(&self) -> String {
        let Taken {
            added,
            changed,
            same,
            refused,
        } = self;
        let (added, changed) = (added.len(), changed.len());
        format!("{added} added, {changed} changed, {same} as they were, {refused} refused")
    }
}

fn nothing(why: impl std::fmt::Display) -> ActError {
    ActError::Bad(format!("Nothing was imported: {why}."))
}

impl Acts {
    /// Keeps a file to be shown.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the file as a whole cannot be read.
    pub async fn bring(
        &self,
        actor: &Actor,
        name: &str,
        brings: Brings<'_>,
        client: Option<i64>,
    ) -> Result<i64> {
        actor.may(Role::Technician)?;
        let mut new = NewImport {
            who: &actor.name,
            name,
            client,
            ..NewImport::default()
        };
        let sheet = match brings {
            Brings::Spreadsheet(bytes) if bytes.len() > MOST_BYTES => {
                return Err(nothing("the file is larger than 5 MB: split it"));
            }
            Brings::Spreadsheet(bytes) => {
                new.spreadsheet = Some(bytes);
                heavy(|| intake::read(bytes)).await
            }
            Brings::Files(files) => {
                new.files = Some(json!(files));
                heavy(|| intake::files(&files)).await
            }
        };
        let sheet = sheet.map_err(nothing)?;
        if sheet.rows.is_empty() {
            return Err(nothing("there are no rows below the headings"));
        }
        let mut tx = self.store.begin().await?;
        let id = tx.add_import(&new).await?;
        tx.commit().await?;
        Ok(id)
    }

    /// What a file would change, as things are now.
    ///
    /// # Errors
    /// Where there is no such file, or the database refuses.
    pub async fn show_import(&self, id: i64) -> Result<Shown> {
        let import = self.store.import(id).await?;
        let import = import.ok_or(ActError::NotFound("import"))?;
        let sheet = sheet_of(&import).await?;
        let answers: BTreeMap<String, String> =
            serde_json::from_value(import.answers.clone()).unwrap_or_default();
        let client = match import.client_id {
            Some(id) => self.store.client(id).await?.map(|c| c.name),
            None => None,
        };
        let (rows, questions) = self.plan(&sheet, client.as_deref(), &answers).await?;
        Ok(Shown {
            import,
            sheet,
            rows,
            questions,
        })
    }

    async fn plan(
        &self,
        sheet: &Sheet,
        client: Option<&str>,
        answers: &BTreeMap<String, String>,
    ) -> Result<(Vec<PlannedRow>, Vec<Question>)> {
        let choices = self.choices().await?;
        let given = sheet.rows.iter().filter_map(|r| r.cells.as_ref().ok());
        let given = given.filter_map(|c| c.fields.get(&newtfern_core::site::SiteField::Address));
        let addresses: Vec<String> = given
            .filter_map(|a| Some(newtfern_core::address::parse(a).ok()?.to_string()))
            .collect();
        let sites = self.store.kept_at(&addresses).await?;
        let names = self.store.client_names().await?;
        let clients: Vec<String> = names.into_iter().map(|(_, name)| name).collect();
        let private = self.store.private_hosts().await?;
        let agency = self.store.agency().await?;
        let usual = SiteFields {
            country: agency.country,
            budget_ms: agency.budget_ms,
            ..SiteFields::default()
        };
        let planned = heavy(|| {
            choices.known(|known| {
                intake::plan(
                    sheet,
                    &Estate {
                        known,
                        sites: &sites,
                        clients: &clients,
                        private: &private,
                        client,
                        usual: &usual,
                        answers,
                    },
                )
            })
        });
        Ok(planned.await)
    }

    /// Takes a file that was shown: wholly, or nothing of it. `answers` tell which client is meant by a
    /// name that nearly equals one. What waits for an answer is not taken.
    ///
    /// # Errors
    /// [`ActError::Bad`] where it is being taken already, was taken, or somebody cancelled it.
    pub async fn take_import(
        &self,
        actor: &Actor,
        id: i64,
        answers: BTreeMap<String, String>,
    ) -> Result<Taken> {
        actor.may(Role::Technician)?;
        let mut tx = self.store.begin().await?;
        tx.answer_import(id, json!(answers)).await?;
        tx.commit().await?;
        let shown = self.show_import(id).await?;
        if let Some(open) = shown.questions.first() {
            return Err(nothing(format!(
                "say first whether \u{201c}{}\u{201d} is {}",
                open.given, open.near
            )));
        }
        let of = i32::try_from(shown.rows.len()).unwrap_or(i32::MAX);
        if !self.store.begin_import(id, of).await? {
            return Err(nothing("it is being taken already, or was taken"));
        }
        let taken = self.take(actor, &shown.rows, Some(id)).await;
        if let Err(error) = &taken {
            self.store.fail_import(id, &error.to_string()).await?;
        }
        taken
    }

    /// Takes a spreadsheet at once, without showing it first: for programs of ours.
    ///
    /// # Errors
    /// As [`Acts::take_import`]; a row that is refused refuses the file.
    pub async fn import(&self, actor: &Actor, bytes: &[u8]) -> Result<Taken> {
        let sheet = heavy(|| intake::read(bytes)).await.map_err(nothing)?;
        let (rows, _) = self.plan(&sheet, None, &BTreeMap::new()).await?;
        if let Some((line, why)) = rows.iter().find_map(|r| Some((r.line, r.refused()?))) {
            return Err(nothing(format!("line {line}: {why}")));
        }
        self.take(actor, &rows, None).await
    }

    async fn take(&self, actor: &Actor, rows: &[PlannedRow], import: Option<i64>) -> Result<Taken> {
        let mut tx = self.store.begin().await?;
        let clients = self.clients_of(&mut tx, rows).await?;
        let mut taken = Taken::default();
        for (n, some) in rows.chunks(AT_ONCE).enumerate() {
            if let Some(id) = import
                && self.store.beat_import(id, (n * AT_ONCE) as i32).await?
            {
                return Err(nothing("it was cancelled"));
            }
            self.add(&mut tx, some, &clients, &mut taken).await?;
            self.change(&mut tx, actor, some, &clients, &mut taken)
                .await?;
        }
        if !taken.added.is_empty() || !taken.changed.is_empty() {
            let subject = taken.words();
            record(&mut tx, actor, "imported sites", &subject, json!({})).await?;
        }
        if let Some(id) = import {
            tx.end_import(id, &taken.words()).await?;
        }
        tx.commit().await?;
        for id in &taken.changed {
            self.judge_design(*id).await?;
        }
        Ok(taken)
    }

    /// Clients by name; those that nobody knows are added.
    async fn clients_of(
        &self,
        tx: &mut newtfern_store::Tx,
        rows: &[PlannedRow],
    ) -> Result<HashMap<String, i64>> {
        let names = self.store.client_names().await?;
        let mut clients: HashMap<String, i64> = names
            .into_iter()
            .map(|(id, name)| (name.to_lowercase(), id))
            .collect();
        for row in rows.iter().filter(|r| r.refused().is_none()) {
            let lower = row.client.to_lowercase();
            if clients.contains_key(&lower) {
                continue;
            }
            let sheet = BrandSheet {
                public_name: row.client.clone(),
                ..BrandSheet::default()
            };
            clients.insert(lower, tx.add_client(&row.client, &sheet).await?);
        }
        Ok(clients)
    }

    async fn add(
        &self,
        tx: &mut newtfern_store::Tx,
        rows: &[PlannedRow],
        clients: &HashMap<String, i64>,
        taken: &mut Taken,
    ) -> Result<()> {
        let new: Vec<&PlannedRow> = rows.iter().filter(|r| r.what == Planned::Add).collect();
        taken.refused += rows.iter().filter(|r| r.refused().is_some()).count();
        if new.is_empty() {
            return Ok(());
        }
        let of = |row: &PlannedRow| clients.get(&row.client.to_lowercase()).copied();
        let client_ids: Vec<i64> = new.iter().filter_map(|r| of(r)).collect();
        let sheets = self.store.sheets_of(&client_ids).await?;
        let house = self.store.house_style().await?;
        let layers: Vec<(Layer, Design, Option<newtfern_core::colour::Rgb>)> = new
            .iter()
            .map(|row| {
                let sheet = of(row).and_then(|id| sheets.get(&id));
                let brand = sheet.map(BrandSheet::layer).unwrap_or_default();
                let above = Design::resolve(&house, &brand, &Layer::new());
                let file = row.beyond.as_deref().map(Expectation::read);
                let own = match file {
                    Some(Ok(file)) => file.own_values(&above),
                    _ => Layer::new(),
                };
                let design = Design::resolve(&house, &brand, &own);
                (own, design, sheet.and_then(|s| s.primary))
            })
            .collect();
        let sites: Vec<NewSite> = new
            .iter()
            .zip(&layers)
            .map(|(row, (own, ..))| NewSite {
                client: of(row).unwrap_or_default(),
                fields: &row.fields,
                layer: own,
                beyond: row.beyond.as_deref().unwrap_or_default(),
            })
            .collect();
        let ids = tx.add_sites(&sites).await.map_err(|e| match e {
            StoreError::Taken { .. } => nothing(
                "a site with one of these addresses was added since: look at the file again",
            ),
            other => other.into(),
        })?;
        let now = self.store.now().await?;
        let mut checks = Vec::with_capacity(new.len());
        for (row, (_, values, brand)) in new.iter().zip(&layers) {
            let id = ids.get(&row.fields.url).copied().unwrap_or_default();
            let chosen = row.fields.supplier_id.is_some() && !row.fields.key.trim().is_empty();
            let beyond = row.beyond.as_deref().unwrap_or_default();
            let file = file_of(&row.fields, beyond, values);
            let assessed = design::assess(values, design::Beside::of(&file, *brand), chosen);
            checks.push(NewCheck::of(id, "design", now, vec![assessed]));
            if let Some(token) = &row.token {
                self.keep_site_token(tx, id, token).await?;
            }
            taken.added.push((row.fields.url.clone(), id));
        }
        tx.keep_many(&checks).await?;
        Ok(())
    }

    async fn change(
        &self,
        tx: &mut newtfern_store::Tx,
        actor: &Actor,
        rows: &[PlannedRow],
        clients: &HashMap<String, i64>,
        taken: &mut Taken,
    ) -> Result<()> {
        for row in rows {
            let id = match &row.what {
                Planned::Change { id, .. } => *id,
                Planned::Same { .. } => {
                    taken.same += 1;
                    continue;
                }
                _ => continue,
            };
            let before = self.store.site(id).await?;
            let before = before.ok_or_else(|| {
                nothing(format!("{} was removed since it was shown", row.fields.url))
            })?;
            let (mut changed, stale) = differences(before.fields(), &row.fields);
            tx.set_site(id, &row.fields).await?;
            if let Some(client) = clients.get(&row.client.to_lowercase())
                && *client != before.client_id
            {
                tx.move_sites(&[id], *client).await?;
                let moved = json!({"before": before.client_name, "after": row.client});
                changed.insert("client".into(), moved);
                tx.make_stale(&[id], &crate::estate::LOOKS, crate::estate::MOVED)
                    .await?;
            }
            if let Some(token) = &row.token {
                self.keep_site_token(tx, id, token).await?;
                changed.insert("token".into(), json!("changed"));
            }
            if let Some(file) = &row.beyond {
                tx.set_beyond(id, file).await?;
                self.take_design(tx, &before, file).await?;
            }
            note_change(tx, actor, &before, changed, &stale).await?;
            taken.changed.push(id);
        }
        Ok(())
    }

    /// The values of a file's design, where they differ from the layers above, as the site's own.
    async fn take_design(
        &self,
        tx: &mut newtfern_store::Tx,
        site: &newtfern_store::sites::Site,
        file: &str,
    ) -> Result<()> {
        let Ok(read) = Expectation::read(file) else {
            return Ok(());
        };
        let sheets = self.store.sheets_of(&[site.client_id]).await?;
        let brand = sheets.get(&site.client_id).map(BrandSheet::layer);
        let house = self.store.house_style().await?;
        let above = Design::resolve(&house, &brand.unwrap_or_default(), &Layer::new());
        let mut layer = site.layer().clone();
        layer.extend(read.own_values(&above));
        if layer != *site.layer() {
            tx.set_adjustments(site.id, &layer).await?;
            tx.make_stale(&[site.id], &crate::estate::LOOKS, crate::sites::CHANGED)
                .await?;
        }
        Ok(())
    }
}

async fn sheet_of(import: &Import) -> Result<Sheet> {
    if let Some(bytes) = &import.spreadsheet {
        return heavy(|| intake::read(bytes)).await.map_err(nothing);
    }
    let Some(files) = import.files.clone() else {
        return Ok(Sheet::default());
    };
    let files: Vec<(String, String)> =
        serde_json::from_value(files).map_err(|e| newtfern_store::sites::corrupt("import", e))?;
    heavy(|| intake::files(&files)).await.map_err(nothing)
}
