//! Handover sheets: links for the client, and the client's yes.

use crate::{ActError, Actor, Acts, Result, record};
use jiff::{SignedDuration, Timestamp};
use newtfern_core::family::hand_over;
use newtfern_core::site::MOST_NAME;
use newtfern_core::typed;
use newtfern_store::checks::NewCheck;
use newtfern_store::handovers::Handover;
use newtfern_store::people::Role;
use serde_json::json;

/// How long a client's link works.
const LINK_DAYS: i64 = 30;

impl Acts {
    async fn sheet(&self, id: i64) -> Result<Handover> {
        let found = self.store.handover(id).await?;
        found.ok_or(ActError::NotFound("handover sheet"))
    }

    /// Makes the link anew; the one before stops working. Gives its token, shown once, and until when
    /// it works.
    ///
    /// # Errors
    /// Where there is no such sheet.
    pub async fn renew_link(&self, actor: &Actor, id: i64) -> Result<(String, Timestamp)> {
        actor.may(Role::Technician)?;
        self.sheet(id).await?;
        let until = Timestamp::now() + SignedDuration::from_hours(24 * LINK_DAYS);
        let mut tx = self.store.begin().await?;
        let token = tx.renew_link(id, until).await?;
        let (subject, detail) = (format!("sheet {id}"), json!({"until": until.as_second()}));
        record(&mut tx, actor, "made a client's link", &subject, detail).await?;
        tx.commit().await?;
        Ok((token, until))
    }

    /// Withdraws a link.
    ///
    /// # Errors
    /// Where there is no such sheet.
    pub async fn withdraw_link(&self, actor: &Actor, id: i64) -> Result<i64> {
        actor.may(Role::Technician)?;
        let sheet = self.sheet(id).await?;
        let mut tx = self.store.begin().await?;
        tx.withdraw_handover(id).await?;
        let subject = format!("sheet {id}");
        record(
            &mut tx,
            actor,
            "withdrew a client's link",
            &subject,
            json!({}),
        )
        .await?;
        tx.commit().await?;
        Ok(sheet.site_id)
    }

    /// The client's yes, by their link. The typed name is data; who acted is the holder of the link.
    ///
    /// # Errors
    /// Where the link does not work, or no name was given.
    pub async fn accept(&self, token: &str, by: &str) -> Result<()> {
        let sheet = self.store.handover_by_token(token).await?;
        let sheet = sheet.ok_or(ActError::NotFound("link"))?;
        let by = typed::text(by, MOST_NAME);
        let by = by.map_err(|e| ActError::Bad(format!("Your name {e}.")))?;
        if by.is_empty() {
            let why = "Write your name, so that the agency knows who confirmed.";
            return Err(ActError::Bad(why.into()));
        }
        let actor = Actor {
            name: "client, by link".into(),
            role: Role::Viewer,
        };
        let now = self.store.now().await?;
        let mut tx = self.store.begin().await?;
        if tx.accept_handover(sheet.id, by).await? {
            let assessed = hand_over::confirmed(by, sheet.id);
            tx.keep_check(&NewCheck::of(sheet.site_id, "confirm", now, vec![assessed]))
                .await?;
            let subject = format!("sheet {}", sheet.id);
            let detail = json!({"name": by});
            record(&mut tx, &actor, "confirmed a handover", &subject, detail).await?;
        }
        Ok(tx.commit().await?)
    }
}
