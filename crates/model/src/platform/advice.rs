//! Which slot of a platform is the better one for this snippet on this site, and why.

use super::{Holding, Platform, Scope, Slot, fit};
use crate::profile::{ConsentManager, Supplier};

/// Advice on one slot.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Advice {
    /// Short name of the slot.
    pub slot: String,
    /// Slot's name on the platform.
    pub name: String,
    /// Reasons for the slot.
    pub reasons: Vec<&'static str>,
    /// Reasons against the slot.
    pub against: Vec<String>,
    /// Reason why the snippet cannot live there at all.
    pub impossible: Option<String>,
    /// The more the better.
    weight: i32,
}

/// All slots, the better first; those in which the snippet cannot live last.
///
/// ```
/// use newtfern_model::platform::{Platform, advise};
/// use newtfern_model::profile::Supplier;
/// let supplier = Supplier::from_toml(
///     "id='o'\nname='Osier'\n[recognise]\nscript_hosts=['cdn.osier.test']\n\
///      [snippet]\ntemplate='<script src=\"https://cdn.osier.test/l.js?k={{key}}\"></script>'",
/// )
/// .unwrap();
/// let platform = Platform::from_toml(
///     "id='p'\nname='P'\n\
///      [[slot]]\nid='embed'\nname='Embed block'\ntakes='markup'\ndoes=['frames']\n\
///      [[slot]]\nid='box'\nname='Code box'\ntakes='markup'",
/// )
/// .unwrap();
/// let advice = advise(&platform, &supplier, "ab12cd34", None);
/// assert_eq!(advice[0].slot, "box");
/// assert!(advice[1].impossible.as_ref().unwrap().contains("a separate frame"));
/// ```
pub fn advise(
    platform: &Platform,
    supplier: &Supplier,
    key: &str,
    consent: Option<&ConsentManager>,
) -> Vec<Advice> {
    // Without a key yet, any of the right form shows which slots are possible.
    let key = if key.trim().is_empty() {
        "ab12-cd34"
    } else {
        key
    };
    let of = |slot: &Slot| {
        weigh(
            slot,
            supplier,
            consent,
            fit(supplier, key, slot, consent)
                .err()
                .map(|e| e.to_string()),
        )
    };
    let mut all: Vec<Advice> = platform.slots.iter().map(of).collect();
    // Of two alike the first in the profile.
    all.sort_by_key(|a| (a.impossible.is_some(), -a.weight));
    all
}

fn weigh(
    slot: &Slot,
    supplier: &Supplier,
    consent: Option<&ConsentManager>,
    impossible: Option<String>,
) -> Advice {
    let (mut reasons, mut against, mut weight) = (Vec::new(), Vec::new(), 0);
    let mut speaks = |worth: i32, good: bool, pro: &'static str, contra: &str| {
        if good {
            weight += worth;
            reasons.push(pro);
        } else if !contra.is_empty() {
            against.push(contra.to_string());
        }
    };
    match slot.scope {
        Scope::Site => speaks(40, true, "covers all pages", ""),
        Scope::Template => speaks(15, false, "", "covers the pages of one template only"),
        Scope::Page => speaks(0, false, "", "covers one page only"),
    }
    if let Some(manager) = consent {
        let holding = Holding::of(slot, supplier, manager);
        speaks(
            30,
            holding.in_the_code(),
            "the code waits for consent",
            match holding {
                Holding::Hosts => "you must set the consent manager to block it",
                _ => "the consent manager cannot block it",
            },
        );
    }
    let (theme, plan) = (!slot.lost_with_theme, !slot.paid_plan);
    let lost = "a change of theme removes the code";
    speaks(20, theme, "survives a change of theme", lost);
    speaks(15, plan, "needs no paid plan", "needs a paid plan");
    let updates = "gets the supplier's updates automatically";
    speaks(5, slot.follows_supplier, updates, "");
    let published = slot.interface.is_some();
    speaks(5, published, "Newtfern can publish to it", "");
    let asked = slot.position == supplier.snippet.position;
    speaks(3, asked, "has the position that the supplier asks for", "");
    let notes = slot.notes(None);
    weight -= 10 * notes.len() as i32;
    against.extend(notes);
    Advice {
        slot: slot.id.clone(),
        name: slot.name.clone(),
        reasons,
        against,
        impossible,
        weight,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::profile::tests::sample;

    fn platform(slots: &str) -> Platform {
        Platform::from_toml(&format!("id = 'p'\nname = 'P'\n{slots}")).unwrap()
    }

    fn order(p: &Platform, consent: Option<&ConsentManager>) -> Vec<String> {
        advise(p, &sample(), "abcd-1234", consent)
            .into_iter()
            .map(|a| a.slot)
            .collect()
    }

    #[test]
    fn the_better_slot_comes_first_and_says_why() {
        let p = platform(
            "[[slot]]\nid = 'page'\nname = 'Page object'\nscope = 'page'\ntakes = 'markup'\n\
             [[slot]]\nid = 'theme'\nname = 'Theme code'\nscope = 'template'\ntakes = \
             'markup'\nlost_with_theme = true\n\
             [[slot]]\nid = 'key'\nname = 'Extension'\ntakes = 'key'\nfollows_supplier = true\n\
             [[slot]]\nid = 'box'\nname = 'Code box'\ntakes = 'markup'\npaid_plan = true\n\
             [[slot]]\nid = 'editor'\nname = 'Editor'\ntakes = 'markup'\ndoes = ['strips']",
        );
        assert_eq!(order(&p, None), ["key", "box", "page", "theme", "editor"]);
        // Where consent is wanted, the slot that can hold it back is the better one.
        let bar = ConsentManager::from_toml(
            "id = 'b'\n[banner]\n[gating]\ntype = 'text/plain'\nattribute = 'data-b'",
        )
        .unwrap();
        assert_eq!(order(&p, Some(&bar))[0], "box");
        let advice = advise(&p, &sample(), "", None);
        assert!(
            advice[0]
                .reasons
                .contains(&"gets the supplier's updates automatically")
        );
        assert!(advice[1].against.contains(&"needs a paid plan".to_string()));
        let editor = advice.last().unwrap().impossible.as_ref().unwrap();
        assert!(editor.contains("removes script elements"), "{editor}");
    }

    #[test]
    fn what_a_slot_does_to_code_is_told_before() {
        let one = |slot: &str| {
            let p = platform(&format!("[[slot]]\nid = 'a'\nname = 'The slot'\n{slot}"));
            fit(&sample(), "abcd-1234", &p.slots[0], None).map_err(|e| e.to_string())
        };
        for (slot, told) in [
            ("takes = 'markup'\ndoes = ['escapes']", "as text"),
            ("takes = 'markup'\ndoes = ['frames']", "a separate frame"),
            ("takes = 'markup'\ndoes = ['wraps']", "adds script tags"),
            (
                "takes = 'snippet'\ndoes = ['strips']",
                "removes script elements",
            ),
        ] {
            let error = one(slot).unwrap_err();
            assert!(
                error.contains(told) && error.contains("Choose another slot"),
                "{error}"
            );
        }
        assert!(one("takes = 'script-text'\ndoes = ['wraps']").is_ok());
        // A slot that writes the code itself does nothing to it.
        for takes in ["key", "switch"] {
            assert!(
                one(&format!("takes = '{takes}'\ndoes = ['strips', 'escapes']")).is_ok(),
                "{takes}"
            );
        }
        assert_eq!(one("takes = 'switch'").unwrap().code, "");
        assert_eq!(
            one("takes = 'snippet'").unwrap().code,
            sample().snippet_for("abcd-1234")
        );
        // The manager's own word for the widget's class marks what is held back.
        let p = platform("[[slot]]\nid = 'a'\nname = 'Box'\ntakes = 'markup'");
        let gated = |more: &str| {
            let bar = format!("[gating]\ntype = 'text/plain'\nattribute = 'data-wait'\n{more}");
            let bar = ConsentManager::from_toml(&bar).unwrap();
            fit(&sample(), "abcd-1234", &p.slots[0], Some(&bar))
                .unwrap()
                .code
        };
        assert!(gated("").contains("<script type=\"text/plain\" data-wait=\"chat\""));
        let own = gated("[gating.categories]\nfunctional = 'extras & help'\nmarketing = 'ads'");
        assert!(
            own.contains("data-wait=\"extras &amp; help\""),
            "functional is the sample's class: {own}"
        );
        let late = one("takes = 'markup'\ndoes = ['delays', 'defers']").unwrap();
        assert_eq!(late.notes.len(), 2);
        assert!(late.notes[0].contains("exempt this script"));
    }
}
