//! Where a person keeps the page rules of a site, once the code stands in a slot.

use super::{Slot, Step};
use crate::pages::PageRules;
use crate::profile::Supplier;

/// Names under which a supplier's console may have page rules of its own.
const AT_CONSOLE: [&str; 2] = ["on", "not_on"];

/// Returns the step that keeps the page rules for code in a slot: in the slot's own list of pages,
/// else at the supplier's console. None where the widget goes on every page.
///
/// # Errors
/// In words for the person, where neither has a place for them.
///
/// ```
/// use newtfern_model::pages::PageRules;
/// use newtfern_model::platform::{Platform, rule_step};
/// use newtfern_model::profile::Supplier;
/// let supplier = "id='o'\nname='Osier'\n[recognise]\nscript_hosts=['cdn.osier.test']\n\
///      [snippet]\ntemplate='<script src=\"https://cdn.osier.test/l.js?k={{key}}\"></script>'";
/// let supplier = Supplier::from_toml(supplier).unwrap();
/// let platform = "id='p'\nname='P'\n[[slot]]\nid='app'\nname='Chat app'\ntakes='key'\n\
///      page_rules='Open the list of pages in the app.'\n\
///      [[slot]]\nid='box'\nname='Code box'\ntakes='markup'";
/// let platform = Platform::from_toml(platform).unwrap();
/// let rules = PageRules::of(vec![], PageRules::list("/legal/**").unwrap());
/// let step = rule_step(&platform.slots[0], &supplier, &rules).unwrap().unwrap();
/// assert!(step.act.ends_with("Pages without the widget: /legal/**."));
/// assert!(rule_step(&platform.slots[1], &supplier, &rules).is_err());
/// assert!(rule_step(&platform.slots[1], &supplier, &PageRules::default()).unwrap().is_none());
/// ```
pub fn rule_step(
    slot: &Slot,
    supplier: &Supplier,
    rules: &PageRules,
) -> Result<Option<Step>, String> {
    let usual = PageRules::default();
    if *rules == usual {
        return Ok(None);
    }
    let on = match rules.on == usual.on {
        true => String::new(),
        false => format!(" Pages with the widget: {}.", PageRules::line(&rules.on)),
    };
    let not_on = match rules.not_on.is_empty() {
        true => String::new(),
        false => format!(
            " Pages without the widget: {}.",
            PageRules::line(&rules.not_on)
        ),
    };
    let pages = format!("{on}{not_on}");
    let step = |act: String, check: &str| {
        Ok(Some(Step {
            act,
            check: check.into(),
        }))
    };
    if !slot.page_rules.is_empty() {
        let act = format!("{}{pages}", slot.page_rules);
        return step(act, "The list has these pages and no others.");
    }
    let console = supplier.console.as_ref();
    if console.is_some_and(|c| AT_CONSOLE.iter().any(|name| c.fields.contains_key(*name))) {
        let name = &supplier.name;
        let act = format!("Set the pages in the widget's settings at {name}.{pages}");
        return step(act, "The settings are saved and have these pages.");
    }
    Err(format!(
        "{} puts the widget on every page that it reaches and has no list of pages.{pages} Choose \
        another slot, or ask {} for a rule of its own",
        slot.name, supplier.name
    ))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::platform::Platform;
    use crate::profile::tests::sample;

    fn slot(more: &str) -> Slot {
        let text = format!(
            "id = 'p'\nname = 'P'\n[[slot]]\nid = 'a'\nname = 'Code box'\ntakes = 'markup'\n{more}"
        );
        Platform::from_toml(&text).unwrap().slots.remove(0)
    }

    fn rules(on: &str, not_on: &str) -> PageRules {
        let read = |text: &str| PageRules::list(text).unwrap();
        PageRules::of(read(on), read(not_on))
    }

    #[test]
    fn the_slots_own_list_comes_before_the_console() {
        let mut supplier = sample();
        supplier.console = None;
        let both = rules("/shop/**", "/legal/** kind:basket");
        let told = rule_step(&slot(""), &supplier, &both).unwrap_err();
        assert!(
            told.contains("Code box puts the widget on every page"),
            "{told}"
        );
        assert!(told.contains("Pages with the widget: /shop/**."), "{told}");
        let console = "[console]\nread = 'https://x.example/{{key}}'\n[console.fields]\nnot_on = \
            'pages_off'";
        let text = format!(
            "id = 'o'\nname = 'Osier'\n[recognise]\nscript_hosts = ['o.example']\n[snippet]\n\
            template = '<script src=\"https://o.example/l.js\"></script>'\n{console}"
        );
        let supplier = Supplier::from_toml(&text).unwrap();
        let step = rule_step(&slot(""), &supplier, &both).unwrap().unwrap();
        assert!(
            step.act
                .starts_with("Set the pages in the widget's settings at Osier.")
        );
        let own = slot("page_rules = 'Open the list of pages.'");
        let step = rule_step(&own, &supplier, &both).unwrap().unwrap();
        let told = "Open the list of pages. Pages with the widget: /shop/**. Pages without the \
            widget: /legal/** kind:basket.";
        assert_eq!(step.act, told);
    }

    #[test]
    fn a_widget_on_every_page_needs_no_rule() {
        let every = rule_step(&slot(""), &sample(), &rules("", ""));
        assert_eq!(every, Ok(None));
    }
}
