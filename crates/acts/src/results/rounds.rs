//! Rounds: started for many sites or for one, cancelled, tried again.

use crate::handles::RoundActs;
use crate::{ActError, Actor, Result, record};
use newtfern_model::job::JobKind;
use newtfern_store::access::people::Role;
use newtfern_store::results::queue::Urgency;
use newtfern_verdict::echo::AccountTests;
use serde_json::json;

/// An act on many sites that is given none.
pub fn none_ticked() -> ActError {
    ActError::Bad("No sites are selected. Select the sites first.".into())
}

pub(crate) fn of_sites(n: usize) -> String {
    match n {
        1 => "1 site".into(),
        n => format!("{n} sites"),
    }
}

impl RoundActs<'_> {
    /// Starts a round. What a person asks for one site goes before all rounds.
    ///
    /// # Errors
    /// [`ActError::Bad`] where no site was named.
    pub async fn start_round(self, actor: &Actor, kind: JobKind, sites: &[i64]) -> Result<i64> {
        let urgency = match sites.len() {
            1 => Urgency::Person,
            _ => Urgency::Round,
        };
        self.start(actor, kind, sites, urgency).await
    }

    /// Starts work that nobody waits for.
    ///
    /// # Errors
    /// As [`RoundActs::start_round`].
    pub async fn start_idle(self, actor: &Actor, kind: JobKind, sites: &[i64]) -> Result<i64> {
        self.start(actor, kind, sites, Urgency::Idle).await
    }

    async fn start(
        self,
        actor: &Actor,
        kind: JobKind,
        sites: &[i64],
        urgency: Urgency,
    ) -> Result<i64> {
        actor.may(Role::Technician)?;
        if sites.is_empty() {
            return Err(none_ticked());
        }
        // Some may have been removed since they were ticked.
        let sites = &self.acts.store.sites().site_ids_among(sites).await?[..];
        if sites.is_empty() {
            return Err(ActError::NotFound("site"));
        }
        let (fitting, title) = self.fitting(kind, sites).await?;
        let sites = &fitting[..];
        let mut tx = self.acts.store.begin().await?;
        let round = tx.start_round(kind, &title, &actor.name, sites, urgency);
        let round = round.await?;
        let detail = json!({"kind": kind.key(), "sites": sites.len()});
        let subject = format!("round {round}");
        record(&mut tx, actor, "started a round", &subject, detail).await?;
        tx.commit().await?;
        Ok(round)
    }

    /// The sites that a round can take, and its title: of test talks at many sites those that the
    /// month's limit of their account leaves room for.
    async fn fitting(self, kind: JobKind, sites: &[i64]) -> Result<(Vec<i64>, String)> {
        let title = |n: usize| format!("{}: {}", kind.title(), of_sites(n));
        if kind != JobKind::Echo || sites.len() < 2 {
            return Ok((sites.to_vec(), title(sites.len())));
        }
        let plan = self.acts.checks().test_plan(sites).await?;
        let out: usize = plan.iter().map(AccountTests::left_out).sum();
        let fits: Vec<i64> = plan.into_iter().flat_map(|a| a.fits).collect();
        match (fits.is_empty(), out) {
            (true, _) => Err(ActError::Bad(
                "No test was sent: the month\u{2019}s limit of test chats is used up in each \
                 account. \
                Raise it in Settings, or test next month."
                    .into(),
            )),
            (false, 0) => Ok((fits.clone(), title(fits.len()))),
            (false, out) => {
                let words = format!("{}, {out} left out by the limit", title(fits.len()));
                Ok((fits, words))
            }
        }
    }

    /// Puts back what a round of pushes wrote, on all sites on which it stands.
    ///
    /// # Errors
    /// [`ActError::Bad`] where nothing of it stands any more.
    pub async fn start_put_back(self, actor: &Actor, round: i64) -> Result<i64> {
        actor.may(Role::Technician)?;
        let sites = self.acts.store.rounds().pushed_sites(round).await?;
        if sites.is_empty() {
            let why = "This round has nothing left to undo.";
            return Err(ActError::Bad(why.into()));
        }
        let title = format!("{}: {}", JobKind::PutBack.title(), of_sites(sites.len()));
        let mut tx = self.acts.store.begin().await?;
        let kind = JobKind::PutBack;
        let back = tx.start_round(kind, &title, &actor.name, &sites, Urgency::Round);
        let back = back.await?;
        tx.set_of_round(back, round).await?;
        let detail = json!({"of": round, "sites": sites.len()});
        let subject = format!("round {back}");
        record(&mut tx, actor, "started a round", &subject, detail).await?;
        tx.commit().await?;
        Ok(back)
    }

    /// A new round for the sites whose jobs failed in this one.
    ///
    /// # Errors
    /// [`ActError::Bad`] where nothing failed.
    pub async fn try_again(self, actor: &Actor, round: i64) -> Result<i64> {
        actor.may(Role::Technician)?;
        let before = self.acts.store.rounds().round(round).await?;
        let before = before.ok_or(ActError::NotFound("round"))?;
        let sites = self.acts.store.rounds().failed_sites(round).await?;
        if sites.is_empty() {
            return Err(ActError::Bad("No site failed in this round.".into()));
        }
        self.start(actor, before.kind, &sites, Urgency::Round).await
    }

    /// Cancels a round: what waits at once, what runs within seconds.
    ///
    /// # Errors
    /// Where there is no such round.
    pub async fn cancel_round(self, actor: &Actor, round: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        if self.acts.store.rounds().round(round).await?.is_none() {
            return Err(ActError::NotFound("round"));
        }
        let mut tx = self.acts.store.begin().await?;
        tx.cancel_round(round).await?;
        let subject = format!("round {round}");
        record(&mut tx, actor, "cancelled a round", &subject, json!({})).await?;
        Ok(tx.commit().await?)
    }
}
