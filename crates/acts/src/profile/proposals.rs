//! What a visit of a page proposes for a supplier's profile. A worker makes the visit: pages start
//! no browser.

use crate::handles::ProfileActs;
use crate::{ActError, Actor, ProposingVisit, Result, record};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use newtfern_heavy::heavy;
use newtfern_model::derive::{
    Candidate, Proposal, candidates, filled, not_found, propose, propose_panel,
};
use newtfern_model::profile::Supplier;
use newtfern_standards::address;
use newtfern_store::access::people::Role;
use serde::{Deserialize, Serialize};
use serde_json::json;
use std::time::{Duration, Instant};
use url::Url;

/// Time that somebody waits for a visit; a page has a minute.
const WAITED: Duration = Duration::from_secs(50);
/// Between two looks whether it was made.
const EVERY: Duration = Duration::from_millis(250);

/// Values that a visit proposes for a profile.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct VisitProposal {
    /// The text with that filled in where it says nothing yet.
    pub text: String,
    /// Each value, and what tells it.
    pub lines: Vec<String>,
    /// What was looked for and not found, each as a sentence.
    pub missing: Vec<String>,
    /// Elements that may be the launcher, the likeliest first.
    pub candidates: Vec<Candidate>,
    /// Width and height of the page that they stand on, CSS px.
    pub page: (f64, f64),
    /// The page as it was, a PNG as Base64 (RFC 4648); none where no picture could be taken.
    pub picture: Option<String>,
}

/// Answer of the worker that made the visit.
type Answer = std::result::Result<VisitProposal, String>;

impl ProfileActs<'_> {
    /// Makes one visit of a page that has the widget, and returns what it proposes for a supplier's
    /// profile.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the text is no profile, the address none, or no visit can be made in
    /// time.
    pub async fn propose(self, actor: &Actor, text: &str, typed: &str) -> Result<VisitProposal> {
        actor.may(Role::Technician)?;
        let supplier = Supplier::from_toml(text);
        let supplier = supplier.map_err(|e| ActError::Bad(format!("{e}.")))?;
        let url = address::parse(typed).map_err(|e| ActError::Bad(format!("{e}.")))?;
        let mut tx = self.acts.store.begin().await?;
        let wanted = (url.as_str(), text);
        let asked = tx.ask_for_visit(&actor.name, wanted, WAITED.as_secs_f64());
        let asked = asked.await?.ok_or_else(|| {
            let why = "Too many visits are waiting. Try again in a minute.";
            ActError::Bad(why.into())
        })?;
        let detail = json!({"supplier": supplier.id});
        record(&mut tx, actor, "asked for a visit", url.as_str(), detail).await?;
        tx.commit().await?;
        let began = Instant::now();
        while began.elapsed() < WAITED {
            if let Some(answer) = self.acts.store.queue().fetch_asked_visit(asked).await? {
                let answer: Answer = serde_json::from_value(answer)
                    .map_err(|e| newtfern_store::error::corrupt("answer of a visit", e))?;
                return answer.map_err(ActError::Bad);
            }
            tokio::time::sleep(EVERY).await;
        }
        self.acts.store.queue().drop_asked_visit(asked).await?;
        let why = "No worker made the visit in time. Check that a worker is running, then try \
            again.";
        Err(ActError::Bad(why.into()))
    }

    /// Makes a visit that somebody asked for; false where none waits. What a worker does beside its
    /// jobs.
    pub async fn make_asked_visit(self) -> Result<bool> {
        let Some(asked) = self.acts.store.queue().take_asked_visit().await? else {
            return Ok(false);
        };
        let answer: Answer = self.proposed(&asked.profile, &asked.url).await;
        self.acts
            .store
            .queue()
            .answer_asked_visit(asked.id, json!(answer))
            .await?;
        Ok(true)
    }

    async fn proposed(self, text: &str, url: &str) -> Answer {
        let supplier = Supplier::from_toml(text).map_err(|e| format!("{e}."))?;
        let url = Url::parse(url).map_err(|e| format!("{e}."))?;
        let visited = self.acts.outside().visit(&url, &supplier).await;
        let ProposingVisit {
            seen,
            opened,
            picture,
        } = visited.map_err(|e| format!("{e}."))?;
        if let Some(failure) = &seen.page.failure {
            return Err(format!("The page could not be read: {}.", failure.text));
        }
        let told = heavy(|| {
            let mut told = propose(&supplier, &seen);
            told.extend(propose_panel(&opened));
            told
        })
        .await;
        let line = |p: &Proposal| {
            let value = p.value.replace('\n', ", ");
            format!("{}: {value} ({})", p.path, p.why)
        };
        Ok(VisitProposal {
            lines: told.iter().map(line).collect(),
            missing: not_found(&told),
            candidates: candidates(&seen),
            page: (seen.view().width, seen.view().height),
            picture: picture.map(|png| STANDARD.encode(png)),
            text: filled(text, &told).map_err(|e| format!("{e}."))?,
        })
    }
}
