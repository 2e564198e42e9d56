//! Whether a test talk may be had: the month's budget of the client's account, and quiet hours.

use crate::handles::CheckActs;
use crate::{ActError, Result, Subject};
use newtfern_model::expectation::{staffed, zone};
use newtfern_verdict::echo::{AccountTests, may_test};
use std::collections::BTreeMap;

impl CheckActs<'_> {
    /// Returns what the month's limit leaves room for of the test talks at these sites, an account
    /// each.
    ///
    /// # Errors
    /// Where it cannot be read.
    pub async fn test_plan(self, sites: &[i64]) -> Result<Vec<AccountTests>> {
        let budget = self.acts.store.settings().agency().await?.tests_a_month;
        let rows = self.acts.store.checks().test_accounts(sites).await?;
        let mut accounts: BTreeMap<(String, String), AccountTests> = BTreeMap::new();
        for (site, client, supplier, made) in rows {
            let account = accounts
                .entry((client.clone(), supplier.clone()))
                .or_insert(AccountTests {
                    client,
                    supplier,
                    made,
                    asked: Vec::new(),
                    fits: Vec::new(),
                });
            account.asked.push(site);
        }
        Ok(accounts.into_values().map(|a| a.within(budget)).collect())
    }

    /// Lets a test talk through, or says why not now. True where nobody is there by the site's
    /// hours: then a message may only be left.
    ///
    /// # Errors
    /// [`ActError::Bad`], with the reason.
    pub async fn may_test(self, s: &Subject) -> Result<bool> {
        let agency = self.acts.store.settings().agency().await?;
        let now = self.acts.store.now().await?;
        let made = self
            .acts
            .store
            .checks()
            .tests_this_month(s.client.id, &s.supplier.id)
            .await?;
        let (hours, closed) = (&s.widget.hours, &s.widget.closed);
        let timed = !hours.is_empty() || !closed.is_empty();
        let there = zone(&s.site.time_zone).filter(|_| timed);
        let there = there.map(|z| staffed(hours, closed, &z, now));
        let can_leave = s.supplier.echo.as_ref().is_some_and(|e| e.away.is_some());
        let whose = (s.client.name.as_str(), s.supplier.name.as_str());
        may_test(whose, (made, agency.tests_a_month), there, can_leave, hours).map_err(|why| {
            let text = why.to_string();
            ActError::Bad(format!("No test was sent: {text}."))
        })?;
        Ok(there == Some(false))
    }
}
