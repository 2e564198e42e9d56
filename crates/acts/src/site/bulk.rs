//! Values of many sites at once: what a change would do is shown first, then it is made for all or
//! for none. The values may be those of another site.

use crate::handles::SiteActs;
use crate::results::rounds::none_ticked;
use crate::site::sites::note_change;
use crate::{ActError, Actor, Result};
use newtfern_model::expectation::{IntendedField, Widget, first_widget, with_intended};
use newtfern_model::site::{FieldError, SiteChoices, SiteField, SiteFields};
use newtfern_store::access::people::Role;
use newtfern_store::estate::sites::Site;
use serde_json::json;

/// Fields that can be set for many sites at once.
const BULK_FIELDS: [SiteField; 12] = [
    SiteField::Platform,
    SiteField::Slot,
    SiteField::Supplier,
    SiteField::Key,
    SiteField::Consent,
    SiteField::Country,
    SiteField::Languages,
    SiteField::TimeZone,
    SiteField::Contact,
    SiteField::Budget,
    SiteField::On,
    SiteField::NotOn,
];

/// Value of a site that can be set for many at once.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SiteValue {
    /// A field of the site.
    Field(SiteField),
    /// What its first widget is meant to do.
    Intended(IntendedField),
}

impl SiteValue {
    /// Every value that can be set.
    pub fn all() -> impl Iterator<Item = SiteValue> {
        let fields = BULK_FIELDS.into_iter().map(SiteValue::Field);
        fields.chain(IntendedField::ALL.iter().copied().map(SiteValue::Intended))
    }

    /// Values that can be taken from another site: what no account and no platform decides.
    pub fn as_at() -> impl Iterator<Item = SiteValue> {
        let intended = IntendedField::ALL.iter().copied().map(SiteValue::Intended);
        let of_account = |field: &SiteField| {
            matches!(
                field,
                SiteField::Platform
                    | SiteField::Slot
                    | SiteField::Supplier
                    | SiteField::Key
                    | SiteField::Consent
            )
        };
        let fields = BULK_FIELDS.into_iter().filter(move |f| !of_account(f));
        intended.chain(fields.map(SiteValue::Field))
    }

    /// Returns its name in forms and in the audit trail.
    pub fn name(self) -> &'static str {
        match self {
            SiteValue::Field(field) => field.heading(),
            SiteValue::Intended(field) => field.heading(),
        }
    }

    /// Returns its name for people.
    pub fn label(self) -> &'static str {
        match self {
            SiteValue::Field(field) => field.label(),
            SiteValue::Intended(field) => field.label(),
        }
    }

    /// Finds a value by its name in forms.
    pub fn from_name(name: &str) -> Option<SiteValue> {
        SiteValue::all().find(|v| v.name() == name)
    }

    fn get(self, fields: &SiteFields, widget: Option<&Widget>) -> String {
        match self {
            SiteValue::Field(field) => fields.get(field),
            SiteValue::Intended(field) => widget.map(|w| field.get(w)).unwrap_or_default(),
        }
    }
}

/// Change that a bulk change would make to one site.
pub struct BulkChange {
    /// Number of the site.
    pub id: i64,
    /// Names of the client and the site.
    pub name: String,
    /// Name of the value for people.
    pub label: &'static str,
    /// Value before the change.
    pub before: String,
    /// Value after the change.
    pub after: String,
    /// Reason why the change cannot be made.
    pub problem: Option<String>,
}

/// A site as it would be.
struct Planned {
    fields: SiteFields,
    /// The file beside the fields, where it changes.
    file: Option<String>,
    /// Each value that is set, before and after.
    values: Vec<(SiteValue, String, String)>,
    /// What cannot be, and why.
    problem: Option<(SiteValue, String)>,
}

fn plan(site: &Site, set: &[(SiteValue, String)], known: SiteChoices) -> Planned {
    let text_of = |value: SiteValue| set.iter().find(|(v, _)| *v == value).map(|(_, t)| t);
    let is_set = |field: SiteField| text_of(SiteValue::Field(field)).is_some();
    let before = site.fields();
    let typed = |f: SiteField| match text_of(SiteValue::Field(f)) {
        Some(text) => text.clone(),
        None => before.get(f),
    };
    let (mut fields, errors) = SiteFields::read(&typed, known);
    // What was wrong before is not this change's fault, but a key must fit its supplier.
    let mine = |e: &&FieldError| {
        is_set(e.field) || (is_set(SiteField::Supplier) && e.field == SiteField::Key)
    };
    let wrong = errors.iter().find(mine);
    let mut problem = wrong.map(|e| (SiteValue::Field(e.field), e.why.clone()));
    if fields.platform_id != before.platform_id && !is_set(SiteField::Slot) {
        // A slot is its platform's.
        fields.slot_id.clear();
    }
    let of_widget = set.iter().filter_map(|(value, text)| match value {
        SiteValue::Intended(field) => Some((*field, text.as_str())),
        SiteValue::Field(_) => None,
    });
    let supplier = known.supplier_of(&fields);
    let file = with_intended(&fields, &site.beyond, of_widget, supplier);
    let file = file.unwrap_or_else(|e| {
        problem.get_or_insert((SiteValue::Intended(e.field), e.why));
        None
    });
    let was = first_widget(before, &site.beyond);
    let is = first_widget(&fields, file.as_deref().unwrap_or(&site.beyond));
    let value = |(value, _): &(SiteValue, String)| {
        let now = value.get(before, was.as_ref());
        (*value, now, value.get(&fields, is.as_ref()))
    };
    Planned {
        values: set.iter().map(value).collect(),
        fields,
        file,
        problem,
    }
}

impl SiteActs<'_> {
    /// Returns what setting these values would do to each of many sites; nothing is written.
    pub async fn show_bulk(
        self,
        sites: &[i64],
        set: &[(SiteValue, String)],
    ) -> Result<Vec<BulkChange>> {
        let choices = self.choices().await?;
        let mut out = Vec::new();
        for site in self.acts.store.sites().sites_of(sites).await? {
            let planned = choices.known(|known| plan(&site, set, known));
            for (value, before, after) in planned.values {
                let problem = planned.problem.as_ref().filter(|(of, _)| *of == value);
                out.push(BulkChange {
                    id: site.id,
                    name: site.title(),
                    label: value.label(),
                    before,
                    after,
                    problem: problem.map(|(_, why)| why.clone()),
                });
            }
            // A key that does not fit the new supplier was not asked for.
            if let Some((value, why)) = planned.problem
                && !set.iter().any(|(v, _)| *v == value)
            {
                out.push(BulkChange {
                    id: site.id,
                    name: site.title(),
                    label: value.label(),
                    before: String::new(),
                    after: String::new(),
                    problem: Some(why),
                });
            }
        }
        Ok(out)
    }

    /// Sets values of many sites, all or none. Gives how many changed.
    ///
    /// # Errors
    /// [`ActError::Bad`] where one of them cannot have a value.
    pub async fn set_bulk(
        self,
        actor: &Actor,
        sites: &[i64],
        set: &[(SiteValue, String)],
    ) -> Result<usize> {
        actor.may(Role::Technician)?;
        if sites.is_empty() {
            return Err(none_ticked());
        }
        let own = |(value, _): &&(SiteValue, String)| SiteValue::all().all(|v| v != *value);
        if let Some((value, _)) = set.iter().find(own) {
            return Err(ActError::Bad(format!(
                "{} differs for each site, so it cannot be set for many sites at once.",
                value.label()
            )));
        }
        let choices = self.choices().await?;
        let mut tx = self.acts.store.begin().await?;
        let (mut changed, mut looks) = (Vec::new(), Vec::new());
        for site in tx.sites_for_change(sites).await? {
            let planned = choices.known(|known| plan(&site, set, known));
            if let Some((_, why)) = planned.problem {
                return Err(ActError::Bad(format!(
                    "Nothing was changed. {}: {why}.",
                    site.title()
                )));
            }
            let differs = |(_, before, after): &&(SiteValue, String, String)| before != after;
            let told = planned.values.iter().filter(differs);
            let told = told.map(|(value, before, after)| {
                let both = json!({"before": before, "after": after});
                (value.name().to_string(), both)
            });
            let told: serde_json::Map<_, _> = told.collect();
            if told.is_empty() {
                continue;
            }
            tx.set_site(site.id, &planned.fields).await?;
            if let Some(file) = &planned.file {
                tx.set_beyond(site.id, file).await?;
                looks.push(site.id);
            }
            note_change(&mut tx, actor, &site, told).await?;
            changed.push(site.id);
        }
        self.acts.checks().after_change(&mut tx, &changed).await?;
        tx.commit().await?;
        self.acts.clients().judge_looks(actor, &looks).await?;
        Ok(changed.len())
    }

    /// Returns these values as a site has them, to be set for others.
    ///
    /// # Errors
    /// [`ActError::Bad`] where none is chosen, or the site has no widget whose values could be
    /// taken.
    pub async fn values_as_at(
        self,
        from: i64,
        values: &[SiteValue],
    ) -> Result<Vec<(SiteValue, String)>> {
        let site = self.acts.store.sites().site(from).await?;
        let site = site.ok_or(ActError::NotFound("site"))?;
        if values.is_empty() {
            return Err(ActError::Bad("Tick at least one value to copy.".into()));
        }
        let widget = first_widget(site.fields(), &site.beyond);
        let of_widget = |v: &SiteValue| matches!(v, SiteValue::Intended(_));
        if widget.is_none() && values.iter().any(of_widget) {
            return Err(ActError::Bad(format!(
                "{} has no supplier, so it has no hours, channels or delay to copy.",
                site.title()
            )));
        }
        let value = |v: &SiteValue| (*v, v.get(site.fields(), widget.as_ref()));
        Ok(values.iter().map(value).collect())
    }
}
