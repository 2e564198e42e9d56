//! Page rules that stand elsewhere than at the site: in the extensions of its platform, at the
//! console of its supplier.

use crate::handles::SiteActs;
use crate::{ActError, Result, SlotError, Subject};
use newtfern_model::finding::NotChecked;
use newtfern_model::pages::beside::{PageRuleReport, RulesElsewhere};
use newtfern_model::profile::Console;
use newtfern_standards::address::is_unencrypted;
use newtfern_standards::address_template;
use serde_json::Value;

/// Page rules set elsewhere, and the places that could not be asked.
#[derive(Debug, Default)]
pub struct ExternalRules {
    pub rules: Vec<RulesElsewhere>,
    pub not_looked_at: Vec<NotChecked>,
}

impl ExternalRules {
    fn keep(&mut self, place: String, told: &PageRuleReport) {
        if told.is_empty() {
            return;
        }
        match told.read() {
            Ok(rules) => self.rules.push(RulesElsewhere { place, rules }),
            Err(error) => self.miss(place, error.to_string()),
        }
    }

    fn miss(&mut self, place: String, why: String) {
        self.not_looked_at.push(NotChecked {
            what: format!("page rules in {place}"),
            why,
        });
    }
}

impl SiteActs<'_> {
    /// Page rules of the extensions that hold something, and of the supplier's console.
    ///
    /// # Errors
    /// What the outside does not give is told as not looked at.
    pub async fn rules_beside(self, s: &Subject) -> Result<ExternalRules> {
        let mut out = ExternalRules::default();
        let loaded = self.acts.placing().load_placing(s.site.id, 0).await?;
        for view in loaded.slots(self.acts.outside()).await {
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

    /// Returns the settings that the supplier's console has for the site's key.
    ///
    /// # Errors
    /// [`ActError`], where there is no token or the console does not answer.
    pub(crate) async fn console_settings(self, s: &Subject, console: &Console) -> Result<Value> {
        match self.call_console(s, "GET", &console.read, None).await {
            Ok(settings) if settings.is_object() => Ok(settings),
            Ok(_) => Err(ActError::Bad(
                "its answer was not a settings document".into(),
            )),
            Err(ActError::Slot(SlotError::Token)) => {
                Err(ActError::Bad("it refuses the account's token".into()))
            }
            Err(other) => Err(other),
        }
    }

    /// Calls the supplier's console for the site's key, with the account's token; never
    /// unencrypted.
    ///
    /// # Errors
    /// [`ActError`], where there is no token or the console does not answer.
    pub(crate) async fn call_console(
        self,
        s: &Subject,
        method: &str,
        address: &str,
        body: Option<&Value>,
    ) -> Result<Value> {
        let token = self
            .acts
            .tokens()
            .account_token(s.client.id, &s.supplier.id)
            .await?;
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
        Ok(self.acts.outside().call(method, &at, &token, body).await?)
    }
}

/// The console's own page rules, under its names for them.
fn rules_of(console: &Console, settings: &Value) -> PageRuleReport {
    let list = |name: &str| {
        let field = console.fields.get(name).map(|f| &settings[f.as_str()]);
        let items = field.and_then(Value::as_array).into_iter().flatten();
        items
            .filter_map(Value::as_str)
            .map(str::to_string)
            .collect()
    };
    PageRuleReport {
        on: list("on"),
        not_on: list("not_on"),
    }
}
