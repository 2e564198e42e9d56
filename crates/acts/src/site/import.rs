//! Sites from files: what a file would change is shown before anything is written, then it is taken
//! wholly or not at all.

use crate::handles::ImportActs;
use crate::sealed::token_origins::platform_addresses;
use crate::{ActError, Actor, Result, record};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use newtfern_heavy::heavy;
use newtfern_model::intake::{self, Estate, PlannedRow, Question, RowPlan, Sheet};
use newtfern_model::platform::Platform;
use newtfern_model::site::SiteFields;
use newtfern_standards::address::is_unencrypted;
use newtfern_store::access::people::Role;
use newtfern_store::estate::imports::{Import, NewImport};
use serde::{Deserialize, Serialize};
use serde_json::json;
use std::collections::BTreeMap;
use url::Url;

/// A file may not be larger.
const MOST_BYTES: usize = 5 << 20;

/// Content of an import, as it is sealed.
#[derive(Serialize, Deserialize)]
enum Content {
    /// A spreadsheet's bytes, in base64.
    Spreadsheet(String),
    /// Expectation files, each with its name and text.
    Files(Vec<(String, String)>),
}

/// The row for which an import's content is sealed.
fn place(id: i64) -> String {
    format!("import {id} content")
}

/// Content that somebody uploads.
pub enum ImportSource<'a> {
    /// Bytes of a CSV or spreadsheet file.
    Spreadsheet(&'a [u8]),
    /// Expectation files, names and texts.
    Files(Vec<(String, String)>),
}

/// Preview of what a file would change.
pub struct ImportPreview {
    /// Import that is previewed.
    pub import: Import,
    /// Rows as they were read; empty once the file was imported.
    pub sheet: Sheet,
    /// Planned change of each row.
    pub rows: Vec<PlannedRow>,
    /// Questions that must be answered first.
    pub questions: Vec<Question>,
}

/// Result of an import.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ImportResult {
    /// Sites that are new, by address.
    pub added: Vec<(String, i64)>,
    /// Numbers of the sites that changed.
    pub changed: Vec<i64>,
    /// Sites that were so already.
    pub same: usize,
    /// Rows that were refused.
    pub refused: usize,
}

impl ImportResult {
    /// Returns the result as a sentence.
    pub fn words(&self) -> String {
        let ImportResult {
            added,
            changed,
            same,
            refused,
        } = self;
        let (added, changed) = (added.len(), changed.len());
        format!("{added} added, {changed} changed, {same} unchanged, {refused} refused")
    }
}

/// Addresses to which the token of a row goes; none where it has no token. Of a site whose platform
/// is not known yet, its own: whoever gives both says that they belong together.
pub(super) fn token_addresses(row: &PlannedRow, platforms: &[Platform]) -> Vec<Url> {
    if row.token.is_none() {
        return Vec::new();
    }
    let named = row.fields.platform_id.as_ref();
    let platform = named.and_then(|id| platforms.iter().find(|p| p.id == *id));
    match (platform, row.fields.address()) {
        (Some(platform), Some(url)) => platform_addresses(platform, &url, &row.fields.tag_set),
        (_, url) => url.into_iter().collect(),
    }
}

pub(super) fn nothing(why: impl std::fmt::Display) -> ActError {
    ActError::Bad(format!("Nothing was imported: {why}."))
}

impl ImportActs<'_> {
    /// Keeps a file to be shown.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the file as a whole cannot be read.
    pub async fn bring(
        self,
        actor: &Actor,
        name: &str,
        brings: ImportSource<'_>,
        client: Option<i64>,
    ) -> Result<i64> {
        actor.may(Role::Technician)?;
        if let Some(id) = client
            && self.acts.store.clients().client(id).await?.is_none()
        {
            return Err(nothing("the client was removed: choose another"));
        }
        let new = NewImport {
            who: &actor.name,
            name,
            client,
        };
        let (content, sheet) = match brings {
            ImportSource::Spreadsheet(bytes) if bytes.len() > MOST_BYTES => {
                return Err(nothing("the file is larger than 5 MB: split it"));
            }
            ImportSource::Spreadsheet(bytes) => {
                let content = Content::Spreadsheet(STANDARD.encode(bytes));
                (content, heavy(|| intake::read(bytes)).await)
            }
            ImportSource::Files(files) => {
                let sheet = heavy(|| intake::files(&files)).await;
                (Content::Files(files), sheet)
            }
        };
        let sheet = sheet.map_err(nothing)?;
        if sheet.rows.is_empty() {
            return Err(nothing("the file has no rows below its headings"));
        }
        let content = json!(content).to_string();
        let mut tx = self.acts.store.begin().await?;
        let id = tx.add_import(&new).await?;
        let sealed = self.acts.sealer.seal(&place(id), &content)?;
        tx.set_import_content(id, &sealed).await?;
        let detail = json!({"import": id, "rows": sheet.rows.len()});
        record(&mut tx, actor, "read a file of sites", name, detail).await?;
        tx.commit().await?;
        Ok(id)
    }

    /// Asks for the end of taking a file; then nothing of it is taken.
    pub async fn cancel_import(self, actor: &Actor, id: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        let import = self.acts.store.imports().import(id).await?;
        let import = import.ok_or(ActError::NotFound("import"))?;
        let mut tx = self.acts.store.begin().await?;
        if tx.cancel_import(id).await? {
            let detail = json!({"import": id});
            record(&mut tx, actor, "cancelled an import", &import.name, detail).await?;
        }
        Ok(tx.commit().await?)
    }

    /// Returns the rows of an import; empty once it was imported.
    async fn sheet_of(self, import: &Import) -> Result<Sheet> {
        let sealed = import.sealed.clone();
        let Some(text) = self.acts.open_secret(&place(import.id), sealed)? else {
            return Ok(Sheet::default());
        };
        let corrupt = |e: String| newtfern_store::error::corrupt("import", e);
        let content = serde_json::from_str(&text).map_err(|e| corrupt(e.to_string()))?;
        let sheet = match content {
            Content::Files(files) => heavy(|| intake::files(&files)).await,
            Content::Spreadsheet(bytes) => {
                let bytes = STANDARD.decode(bytes).map_err(|e| corrupt(e.to_string()))?;
                heavy(|| intake::read(&bytes)).await
            }
        };
        sheet.map_err(nothing)
    }

    /// Returns the preview of a file, against the sites of today.
    ///
    /// # Errors
    /// Where there is no such file, or the database refuses.
    pub async fn show_import(self, id: i64) -> Result<ImportPreview> {
        let import = self.acts.store.imports().import(id).await?;
        let import = import.ok_or(ActError::NotFound("import"))?;
        let sheet = self.sheet_of(&import).await?;
        let answers: BTreeMap<String, String> =
            serde_json::from_value(import.answers.clone()).unwrap_or_default();
        let client = match import.client_id {
            Some(id) => self.acts.store.clients().client(id).await?.map(|c| c.name),
            None => None,
        };
        let (rows, questions) = self.plan(&sheet, client.as_deref(), &answers).await?;
        Ok(ImportPreview {
            import,
            sheet,
            rows,
            questions,
        })
    }

    async fn plan(
        self,
        sheet: &Sheet,
        client: Option<&str>,
        answers: &BTreeMap<String, String>,
    ) -> Result<(Vec<PlannedRow>, Vec<Question>)> {
        let choices = self.acts.sites().choices().await?;
        let given = sheet.rows.iter().filter_map(|r| r.cells.as_ref().ok());
        let given = given.filter_map(|c| c.fields.get(&newtfern_model::site::SiteField::Address));
        let addresses: Vec<String> = given
            .filter_map(|a| Some(newtfern_standards::address::parse(a).ok()?.to_string()))
            .collect();
        let sites = self.acts.store.imports().kept_at(&addresses).await?;
        let names = self.acts.store.clients().client_names().await?;
        let clients: Vec<String> = names.into_iter().map(|(_, name)| name).collect();
        let private = self.acts.store.settings().private_hosts().await?;
        let agency = self.acts.store.settings().agency().await?;
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
        let (mut rows, questions) = planned.await;
        self.refuse_open_tokens(&mut rows).await?;
        Ok((rows, questions))
    }

    /// Refuses rows whose token would go out unencrypted: a file cannot say that its writer wants
    /// that.
    async fn refuse_open_tokens(self, rows: &mut [PlannedRow]) -> Result<()> {
        if rows.iter().all(|r| r.token.is_none()) {
            return Ok(());
        }
        let platforms = self.acts.store.profiles().platforms().await?;
        for row in rows.iter_mut().filter(|r| r.refused().is_none()) {
            let open = token_addresses(row, &platforms)
                .into_iter()
                .find(is_unencrypted);
            if let Some(url) = open {
                let to = url.origin().ascii_serialization();
                let why = format!(
                    "{}: it would go to {to} without encryption. Leave it out here and enter it \
                    in the site\u{2019}s settings",
                    intake::TOKEN
                );
                row.what = RowPlan::Refused(why);
            }
        }
        Ok(())
    }

    /// Takes a file that was shown: wholly, or nothing of it. `answers` tell which client is meant
    /// by a name that nearly equals one. What waits for an answer is not taken.
    ///
    /// # Errors
    /// [`ActError::Bad`] where it is being taken already, was taken, or somebody cancelled it.
    pub async fn take_import(
        self,
        actor: &Actor,
        id: i64,
        answers: BTreeMap<String, String>,
    ) -> Result<ImportResult> {
        actor.may(Role::Technician)?;
        let mut tx = self.acts.store.begin().await?;
        tx.answer_import(id, json!(answers)).await?;
        tx.commit().await?;
        let shown = self.show_import(id).await?;
        if let Some(open) = shown.questions.first() {
            return Err(nothing(format!(
                "choose first whether \u{201c}{}\u{201d} is {}",
                open.given, open.near
            )));
        }
        let of = i32::try_from(shown.rows.len()).unwrap_or(i32::MAX);
        if !self.acts.store.imports().begin_import(id, of).await? {
            return Err(nothing("this import is already running or finished"));
        }
        let taken = self.take(actor, &shown.rows, Some(id)).await;
        if let Err(error) = &taken {
            self.acts
                .store
                .imports()
                .fail_import(id, &error.to_string())
                .await?;
        }
        taken
    }

    /// Takes a spreadsheet at once, without showing it first: for programs of ours.
    ///
    /// # Errors
    /// As [`ImportActs::take_import`]; a row that is refused refuses the file.
    pub async fn import(self, actor: &Actor, bytes: &[u8]) -> Result<ImportResult> {
        actor.may(Role::Technician)?;
        let sheet = heavy(|| intake::read(bytes)).await.map_err(nothing)?;
        let (rows, _) = self.plan(&sheet, None, &BTreeMap::new()).await?;
        if let Some((line, why)) = rows.iter().find_map(|r| Some((r.line, r.refused()?))) {
            return Err(nothing(format!("line {line}: {why}")));
        }
        self.take(actor, &rows, None).await
    }
}
