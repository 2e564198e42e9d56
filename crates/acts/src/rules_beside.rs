//! Page rules that stand elsewhere than at the site: in the extensions of its platform, at the console of its
//! supplier.

use crate::{ActError, Acts, Result, SlotError, Subject};
use newtfern_core::address::is_unencrypted;
use newtfern_core::address_template;
use newtfern_core::chain::NotLookedAt;
use newtfern_core::pages::beside::{RulesBeside, RulesTold};
use newtfern_core::profile::Console;
use serde_json::Value;

/// What was told of rules elsewhere, and what could not be asked.
#[derive(Debug, Default)]
pub struct Beside {
    pub rules: Vec<RulesBeside>,
    pub not_looked_at: Vec<NotLookedAt>,
}

impl Beside {
    fn keep(&mut self, place: String, told: &RulesTold) {
        if told.is_empty() {
            return;
        }
        match told.read() {
            Ok(rules) => self.rules.push(RulesBeside { place, rules }),
            Err(error) => self.miss(place, error.to_string()),
        }
    }

    fn miss(&mut self, place: String, why: String) {
        self.not_looked_at.push(NotLookedAt {
            what: format!("page rules in {place}"),
            why,
        });
    }
}

impl Acts {
    /// Page rules of the extensions that hold something, and of the supplier's console.
    ///
    /// # Errors
    /// Where the database refuses; what the outside does not give is told as not looked at.
    pub async fn rules_beside(&self, s: &Subject) -> Result<Beside> {
        let mut out = Beside::default();
        let loaded = self.load_placing(s.site.id).await?;
        for view in loaded.slots(self.outside()).await {
            let place = view.slot.name.clone();
            match view.held {
                Some(held) if !held.text.trim().is_empty() => out.keep(place, &held.rules),
                None if !view.problem.is_empty() => out.miss(place, view.problem),
                _ => {}
            }
        }
        if let Some(console) = &s.supplier.console {
            let place = format!("{}\u{2019}s console", s.supplier.name);
            match self.console_settings(s, console).await {
                Ok(settings) => out.keep(place, &rules_of(console, &settings)),
                Err(ActError::Store(error)) => return Err(error.into()),
                Err(other) => out.miss(place, other.to_string()),
            }
        }
        Ok(out)
    }

    /// What the supplier's console holds for the site's key.
    ///
    /// # Errors
    /// [`ActError`], where there is no token or the console does not answer.
    pub(crate) async fn console_settings(&self, s: &Subject, console: &Console) -> Result<Value> {
        match self.call_console(s, "GET", &console.read, None).await {
            Ok(settings) if settings.is_object() => Ok(settings),
            Ok(_) => Err(ActError::Bad(
                "it answered with something else than settings".into(),
            )),
            Err(ActError::Slot(SlotError::Token)) => {
                Err(ActError::Bad("it refuses the account's token".into()))
            }
            Err(other) => Err(other),
        }
    }

    /// Calls the supplier's console for the site's key, with the account's token; never unencrypted.
    ///
    /// # Errors
    /// [`ActError`], where there is no token or the console does not answer.
    pub(crate) async fn call_console(
        &self,
        s: &Subject,
        method: &str,
        address: &str,
        body: Option<&Value>,
    ) -> Result<Value> {
        let token = self.account_token(s.client.id, &s.supplier.id).await?;
        let token = token.ok_or_else(|| {
            let whose = &s.client.name;
            let of = &s.supplier.name;
            ActError::Bad(format!(
                "{whose} has no token for {of}: enter it on the client's page"
            ))
        })?;
        let at = address_template::fill(address, None, &[("key", &s.site.key)]);
        let at = at.map_err(|e| ActError::Bad(e.to_string()))?;
        if is_unencrypted(&at) {
            return Err(ActError::Unencrypted(at.origin().ascii_serialization()));
        }
        Ok(self.outside().call(method, &at, &token, body).await?)
    }
}

/// The console's own page rules, under its names for them.
fn rules_of(console: &Console, settings: &Value) -> RulesTold {
    let list = |name: &str| {
        let field = console.fields.get(name).map(|f| &settings[f.as_str()]);
        let items = field.and_then(Value::as_array).into_iter().flatten();
        items
            .filter_map(Value::as_str)
            .map(str::to_string)
            .collect()
    };
    RulesTold {
        on: list("on"),
        not_on: list("not_on"),
    }
}
