//! Suppliers and the network rule.

use crate::tokens::{self, Token};
use crate::{ActError, Actor, Acts, Result, record, supplier_place};
use newtfern_core::family::Family;
use newtfern_core::private_hosts::PrivateHosts;
use newtfern_core::profile::Supplier;
use newtfern_core::typed;
use newtfern_store::lists::Filter;
use newtfern_store::people::Role;
use serde_json::json;
use url::Url;

/// Checks of a kind that a site's history may keep.
const KEPT: std::ops::RangeInclusive<i64> = 2..=1000;

/// Characters of a profile's text.
const MOST_PROFILE: usize = 200_000;

/// What holds for the whole house.
#[derive(Debug, Clone)]
pub struct HouseRules {
    /// The private and local addresses that visits may go to, as typed.
    pub private_hosts: String,
    /// How many checks of a kind stay for each site; none where no number was given.
    pub keep_checks: Option<i64>,
    /// Everybody signs in with a second factor.
    pub second_required: bool,
}

impl Acts {
    /// Keeps what holds for the whole house.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the number is none to keep, or a line is no host and no network.
    pub async fn set_house_rules(&self, actor: &Actor, rules: HouseRules) -> Result<()> {
        actor.may(Role::Administrator)?;
        let keep = rules.keep_checks.filter(|n| KEPT.contains(n));
        let keep = keep.ok_or_else(|| {
            let (from, to) = (KEPT.start(), KEPT.end());
            ActError::Bad(format!(
                "The history keeps a number of checks from {from} to {to}."
            ))
        })?;
        let private = PrivateHosts::read(&rules.private_hosts);
        let private = private.map_err(|e| ActError::Bad(format!("Nothing was changed: {e}.")))?;
        let second = rules.second_required;
        let mut tx = self.store.begin().await?;
        tx.set_private_hosts(&private).await?;
        tx.set_setting("keep_checks", &json!(keep)).await?;
        tx.set_setting("second_required", &json!(second)).await?;
        let detail = json!({
            "private addresses": private.to_string(),
            "checks kept": keep,
            "second factor for all": second,
        });
        record(&mut tx, actor, "changed the house rules", "", detail).await?;
        Ok(tx.commit().await?)
    }

    /// Keeps a supplier profile: a new one, or in place of `which`. What was judged by the one before is
    /// stale.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the text is no profile, or is another supplier's.
    pub async fn put_supplier(
        &self,
        actor: &Actor,
        which: Option<&str>,
        text: &str,
        token: Option<Token<'_>>,
    ) -> Result<Supplier> {
        actor.may(Role::Administrator)?;
        let refused = |why: String| ActError::Bad(format!("The profile was not kept: {why}"));
        typed::text(text, MOST_PROFILE).map_err(|e| refused(format!("it {e}")))?;
        let supplier = Supplier::given(text).map_err(|e| refused(e.to_string()))?;
        let id = &supplier.id;
        let console = supplier.echo.iter();
        let console = console.flat_map(|e| [&e.console_read, &e.console_answer]);
        let token = tokens::checked(token, console.filter_map(|a| Url::parse(a).ok()))?;
        match which {
            Some(which) if which != id => {
                return Err(refused(format!(
                    "its id is \u{201c}{id}\u{201d} where it was \u{201c}{which}\u{201d}; sites name it by its id, so add a new supplier instead"
                )));
            }
            None if self.store.supplier_text(id).await?.is_some() => {
                return Err(refused(format!(
                    "there is a supplier with the id \u{201c}{id}\u{201d} already: change its profile, or give another id"
                )));
            }
            _ => {}
        }
        let changed = self.store.supplier_text(&supplier.id).await?;
        let changed = changed.is_some_and(|before| before != text);
        let all = self.store.sites(&Filter::default(), 0, 100_000).await?.0;
        let uses = |s: &newtfern_store::sites::Site| s.supplier_id.as_ref() == Some(&supplier.id);
        let sites: Vec<i64> = all.iter().filter(|s| uses(s)).map(|s| s.id).collect();
        let mut tx = self.store.begin().await?;
        tx.put_supplier(&supplier, text).await?;
        if let Some(token) = token {
            let place = supplier_place(&supplier.id);
            tx.set_supplier_token(&supplier.id, &self.sealer.seal(&place, token)?)
                .await?;
        }
        if changed {
            let why = "The supplier's profile changed since it was looked at.";
            let judged = [
                Family::Place,
                Family::Load,
                Family::Echo,
                Family::Weigh,
                Family::Consent,
                Family::Brand,
            ];
            tx.make_stale(&sites, &judged, why).await?;
        }
        let act = "changed a supplier profile";
        record(&mut tx, actor, act, &supplier.id, json!({})).await?;
        tx.commit().await?;
        Ok(supplier)
    }

    /// Keeps the token of a site's platform interface.
    ///
    /// # Errors
    /// Where it cannot be sealed.
    pub async fn set_site_token(&self, actor: &Actor, site: i64, token: &str) -> Result<()> {
        actor.may(Role::Technician)?;
        let token = tokens::one_line(token)?;
        let sealed = self.sealer.seal(&crate::site_place(site), token)?;
        let mut tx = self.store.begin().await?;
        tx.set_site_token(site, &sealed).await?;
        record(
            &mut tx,
            actor,
            "changed a token",
            &format!("site {site}"),
            json!({}),
        )
        .await?;
        Ok(tx.commit().await?)
    }
}
