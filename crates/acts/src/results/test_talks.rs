//! Whether a test talk may be had: the month's budget of the client's account, and quiet hours.

use crate::handles::CheckActs;
use crate::{ActError, Result, Subject};
use newtfern_model::expectation::{staffed, zone};
use newtfern_verdict::echo::may_test;

impl CheckActs<'_> {
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
