//! Sites from a spreadsheet: every row is accepted or comes back with its reason, in one transaction.

use crate::{ActError, Actor, Acts, Result, record};
use newtfern_core::address;
use newtfern_core::brand::BrandSheet;
use newtfern_core::intake::{self, SiteRow};
use newtfern_core::private_hosts::PrivateHosts;
use newtfern_heavy::heavy;
use newtfern_store::people::Role;
use serde_json::json;
use std::collections::{HashMap, HashSet};

/// What became of one row.
pub struct RowOutcome {
    pub line: u64,
    pub what: String,
    pub accepted: bool,
    pub why: String,
    pub id: i64,
}

/// What became of a file.
pub struct Imported {
    pub rows: Vec<RowOutcome>,
    pub added: usize,
}

fn refused(line: u64, what: &str, why: String) -> RowOutcome {
    RowOutcome {
        line,
        what: what.to_string(),
        accepted: false,
        why,
        id: 0,
    }
}

impl Acts {
    /// Imports a file. A row that cannot be taken comes back; what can is added together, or, where
    /// something fails on our side, nothing is.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the file as a whole cannot be read.
    pub async fn import(&self, actor: &Actor, bytes: &[u8]) -> Result<Imported> {
        actor.may(Role::Technician)?;
        let choices = self.choices().await?;
        let read = heavy(|| choices.known(|known| intake::read(bytes, known))).await;
        let rows = read.map_err(|e| ActError::Bad(format!("Nothing was imported: {e}.")))?;
        let addresses: Vec<String> = rows
            .iter()
            .filter_map(|r| r.result.as_ref().ok().map(|r| r.site.url.clone()))
            .collect();
        let known = self.store.known_addresses(&addresses).await?;
        let known: HashSet<String> = known.into_iter().collect();
        let private = self.store.private_hosts().await?;
        let mut clients: HashMap<String, i64> = HashMap::new();
        let mut out = Vec::new();
        let mut tx = self.store.begin().await?;
        for row in rows {
            let outcome = match row.result {
                Err(why) => refused(row.line, "", why),
                Ok(site) => match not_taken(&site, &known, &private) {
                    Some(why) => refused(row.line, &site.site.url, why),
                    None => {
                        let client = self.client_for(&mut tx, &site.client, &mut clients).await?;
                        let id = tx.add_site(client, &site.site).await?;
                        RowOutcome {
                            line: row.line,
                            what: site.site.url,
                            accepted: true,
                            why: format!("added to {}", site.client),
                            id,
                        }
                    }
                },
            };
            out.push(outcome);
        }
        let added: Vec<i64> = out.iter().filter(|r| r.accepted).map(|r| r.id).collect();
        if !added.is_empty() {
            tx.refresh(&added).await?;
            let subject = format!("{} of {} rows", added.len(), out.len());
            record(&mut tx, actor, "imported sites", &subject, json!({})).await?;
        }
        tx.commit().await?;
        for id in &added {
            self.judge_design(*id).await?;
        }
        Ok(Imported {
            added: added.len(),
            rows: out,
        })
    }

    /// The client of a row; one that is not there is added with it.
    async fn client_for(
        &self,
        tx: &mut newtfern_store::Tx,
        name: &str,
        known: &mut HashMap<String, i64>,
    ) -> Result<i64> {
        let plain = name.trim().to_lowercase();
        if let Some(id) = known.get(&plain) {
            return Ok(*id);
        }
        let id = match self.store.client_by_name(name).await? {
            Some(id) => id,
            None => {
                let sheet = BrandSheet {
                    public_name: name.to_string(),
                    ..BrandSheet::default()
                };
                tx.add_client(name, &sheet).await?
            }
        };
        known.insert(plain, id);
        Ok(id)
    }
}

/// Why a row that can be read is not taken.
fn not_taken(row: &SiteRow, known: &HashSet<String>, private: &PrivateHosts) -> Option<String> {
    if known.contains(&row.site.url) {
        return Some("a site with this address is there already".into());
    }
    let url = address::parse(&row.site.url).ok()?;
    let refused = private.refuse(&url).err();
    refused.map(|error| format!("{error}, which only an administrator can allow"))
}
