//! Handover sheets: links for the client, and the client's yes.

use crate::handles::HandingActs;
use crate::{ActError, Actor, Result, record};
use jiff::{SignedDuration, Timestamp};
use newtfern_model::job::CheckKind;
use newtfern_standards::typed::{self, MOST_NAME};
use newtfern_store::access::people::Role;
use newtfern_store::handing::handovers::Handover;
use newtfern_store::results::checks::NewCheck;
use newtfern_verdict::family::{Family, hand_over};
use serde_json::json;

/// Days for which a client's link works.
const LINK_DAYS: i64 = 30;

impl HandingActs<'_> {
    async fn sheet(self, id: i64) -> Result<Handover> {
        let found = self.acts.store.handing().handover(id).await?;
        found.ok_or(ActError::NotFound("handover sheet"))
    }

    /// Makes the link anew; the one before stops working. Gives its token, shown once, and until
    /// when it works.
    ///
    /// # Errors
    /// Where there is no such sheet.
    pub async fn renew_link(self, actor: &Actor, id: i64) -> Result<(String, Timestamp)> {
        actor.may(Role::Technician)?;
        self.sheet(id).await?;
        let until = Timestamp::now() + SignedDuration::from_hours(24 * LINK_DAYS);
        let mut tx = self.acts.store.begin().await?;
        let token = tx.renew_link(id, until).await?;
        let (subject, detail) = (format!("sheet {id}"), json!({"until": until.as_second()}));
        record(&mut tx, actor, "made a client's link", &subject, detail).await?;
        tx.commit().await?;
        Ok((token, until))
    }

    /// Withdraws the client's link of a sheet.
    ///
    /// # Errors
    /// Where there is no such sheet.
    pub async fn withdraw_link(self, actor: &Actor, id: i64) -> Result<i64> {
        actor.may(Role::Technician)?;
        let sheet = self.sheet(id).await?;
        let mut tx = self.acts.store.begin().await?;
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

    /// The client's yes, by their link. The typed name is data; who acted is the holder of the
    /// link.
    ///
    /// # Errors
    /// Where the link does not work, or no name was given.
    pub async fn accept(self, token: &str, by: &str) -> Result<()> {
        let sheet = self.acts.store.handing().handover_by_token(token).await?;
        let sheet = sheet.ok_or(ActError::NotFound("link"))?;
        let by = typed::text(by, MOST_NAME);
        let by = by.map_err(|e| ActError::Bad(format!("Your name {e}.")))?;
        if by.is_empty() {
            let why = "Enter your name, so that the agency knows who confirmed.";
            return Err(ActError::Bad(why.into()));
        }
        let actor = Actor {
            name: "client, by link".into(),
            address: String::new(),
            role: Role::Viewer,
        };
        let now = self.acts.store.now().await?;
        let mut tx = self.acts.store.begin().await?;
        if tx.accept_handover(sheet.id, by).await? {
            let assessed = hand_over::confirmed(by, sheet.id);
            let check = NewCheck::of(sheet.site_id, CheckKind::Confirm, now, vec![assessed]);
            // The client says yes to what the sheet tells, not to what changed since it was made.
            let stood = tx.rests_on(&[sheet.site_id]).await?;
            let of_sheet = stood.into_iter().find(|r| r.family == Family::HandOver);
            let inputs = of_sheet.map(|r| r.inputs).unwrap_or_default();
            self.acts.checks().keep(&mut tx, &check, inputs).await?;
            let subject = format!("sheet {}", sheet.id);
            let detail = json!({"name": by});
            record(&mut tx, &actor, "confirmed a handover", &subject, detail).await?;
        }
        Ok(tx.commit().await?)
    }
}
