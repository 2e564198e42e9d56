//! Test talks by hand, where the supplier's console has no interface: the message is written here,
//! a person sends it, and ticks what they saw.

use crate::handles::CheckActs;
use crate::{ActError, Actor, Result, record};
use newtfern_model::job::{CheckKind, JobKind};
use newtfern_standards::typed;
use newtfern_store::access::people::Role;
use newtfern_store::results::checks::NewCheck;
use newtfern_verdict::echo::{Ticks, test_message};
use newtfern_verdict::family::echo;
use serde_json::json;

/// Characters of a person's own words, and of the page that the console names.
const MOST_WORDS: usize = 500;

impl CheckActs<'_> {
    /// Writes a message for a person to send; the one before, if any waits, is dropped.
    ///
    /// # Errors
    /// Where no test may be had now, with the reason.
    pub async fn begin_hand_test(self, actor: &Actor, site: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        let subject = self.acts.sites().subject(site).await?;
        self.may_test(&subject).await?;
        let agency = self.acts.store.settings().agency().await?.name;
        let words = test_message(&actor.name, &agency);
        let mut tx = self.acts.store.begin().await?;
        tx.begin_hand_test(site, &actor.name, &words).await?;
        let what = "began a test by hand";
        record(&mut tx, actor, what, &subject.site.url, json!({})).await?;
        Ok(tx.commit().await?)
    }

    /// Drops the test that waits: it was not made.
    ///
    /// # Errors
    /// Where none waits.
    pub async fn drop_hand_test(self, actor: &Actor, site: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        let mut tx = self.acts.store.begin().await?;
        if !tx.end_hand_test(site).await? {
            return Err(ActError::NotFound("test by hand"));
        }
        let subject = format!("site {site}");
        record(
            &mut tx,
            actor,
            "dropped a test by hand",
            &subject,
            json!({}),
        )
        .await?;
        Ok(tx.commit().await?)
    }

    /// Keeps what the person saw of the test that waits.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the ticks contradict each other; where none waits.
    pub async fn end_hand_test(self, actor: &Actor, site: i64, ticks: Ticks) -> Result<()> {
        actor.may(Role::Technician)?;
        ticks.sound().map_err(|why| ActError::Bad(why.into()))?;
        for words in [&ticks.note, &ticks.page] {
            typed::text(words, MOST_WORDS).map_err(|e| ActError::Bad(format!("A text {e}.")))?;
        }
        let subject = self.acts.sites().subject(site).await?;
        let waiting = self.acts.store.checks().hand_test(site).await?;
        let waiting = waiting.ok_or(ActError::NotFound("test by hand"))?;
        let seen = ticks.seen(subject.url.as_str(), &waiting.message, &actor.name);
        let assessed = echo::assess(&seen, &subject.design);
        let now = self.acts.store.now().await?;
        let detail = json!({"message": waiting.message, "saw": assessed.summary});
        let check = NewCheck {
            expectation: subject.prints.in_one(),
            ..NewCheck::of(site, CheckKind::Job(JobKind::Echo), now, vec![assessed])
        };
        let mut tx = self.acts.store.begin().await?;
        self.keep(&mut tx, &check, subject.prints.clone()).await?;
        tx.end_hand_test(site).await?;
        record(
            &mut tx,
            actor,
            "made a test by hand",
            &subject.site.url,
            detail,
        )
        .await?;
        Ok(tx.commit().await?)
    }
}
