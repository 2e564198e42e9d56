//! A widget that is taken off a site on purpose, and what is expected of the site then: nobody is
//! told to place again what somebody took away.

use super::write::Work;
use crate::handles::PlacingActs;
use crate::{ActError, Actor, Result, record};
use newtfern_heavy::heavy;
use newtfern_store::access::people::Role;
use newtfern_store::estate::sites::Site;
use serde_json::json;

impl PlacingActs<'_> {
    /// Takes the widget off a site: out of every slot that can be written. From then on it is
    /// expected on no page, unless it comes through a tag manager. `seen` as in
    /// [`PlacingActs::push`]. Gives what is left to be taken out by hand.
    ///
    /// # Errors
    /// As [`PlacingActs::push`].
    pub async fn take_off(
        self,
        actor: &Actor,
        id: i64,
        widget: usize,
        seen: &str,
    ) -> Result<Vec<String>> {
        let (l, slots) = self.load_as_seen(actor, (id, widget), seen).await?;
        l.token()?;
        let placing = l.placing(&slots)?;
        let (changes, _, left) = heavy(|| placing.clear()).await;
        if changes.is_empty() {
            return Ok(left);
        }
        let work = Work {
            changes: &changes,
            ours: "",
            act: "removed a widget",
            proven: left.is_empty(),
            round: None,
        };
        self.written(actor, &l, &work).await?;
        // A further widget is taken off by taking it out of the site's widgets too.
        if !l.by_tags() && l.widgets.len() <= 1 {
            let mut tx = self.acts.store.begin().await?;
            tx.expect_no_widget(id, &actor.name).await?;
            let (act, url) = ("expects no widget on a site", l.site.url.as_str());
            record(
                &mut tx,
                actor,
                act,
                url,
                json!({"not_on": l.site.pages_not_on}),
            )
            .await?;
            self.acts.checks().after_change(&mut tx, &[id]).await?;
            tx.commit().await?;
        }
        self.verify(actor, &[id]).await?;
        Ok(left)
    }

    /// Expects the widget again on a site that it was taken off.
    ///
    /// # Errors
    /// [`ActError::NotFound`] where it was not taken off.
    pub async fn expect_again(self, actor: &Actor, id: i64) -> Result<()> {
        actor.may(Role::Technician)?;
        let (site, _) = self.acts.sites().site_and_client(id).await?;
        match self.expected_again(actor, &site).await? {
            true => Ok(()),
            false => Err(ActError::NotFound("removed widget")),
        }
    }

    /// Expects the widget again where it was taken off: it is placed again, or its removal is
    /// undone. False where it was not.
    pub(super) async fn expected_again(self, actor: &Actor, site: &Site) -> Result<bool> {
        if site.off_since.is_none() {
            return Ok(false);
        }
        let mut tx = self.acts.store.begin().await?;
        if !tx.expect_widget(site.id).await? {
            return Ok(false);
        }
        let act = "expects the widget on a site again";
        record(&mut tx, actor, act, &site.url, json!({})).await?;
        self.acts.checks().after_change(&mut tx, &[site.id]).await?;
        tx.commit().await?;
        Ok(true)
    }
}

/// Returns why a round places nothing on a site that somebody took the widget off.
pub(super) fn refused(site: &Site) -> Option<String> {
    let (since, who) = site.taken_off()?;
    let day = since.to_jiff().strftime("%-d %B %Y");
    Some(format!(
        "{who} removed the widget from this site on {day}, so it is left out. To place it again, \
        open the site\u{2019}s page Place"
    ))
}
