//! Platform, consent manager and tag manager's sets, by their profiles' marks.

use super::{RecognisedProfile, TagSet};
use crate::pages::ReadPage;
use crate::platform::Platform;
use crate::profile::ConsentManager;
use crate::profiles::Profiles;
use newtfern_standards::html::{Document, Kind};
use std::collections::BTreeMap;

/// The platform with the heaviest marks over all pages.
pub(super) fn platform(pages: &[&ReadPage], platforms: &[Platform]) -> Option<RecognisedProfile> {
    let mut best: Option<(usize, &Platform, Vec<String>)> = None;
    for platform in platforms {
        let mut seen: BTreeMap<String, usize> = BTreeMap::new();
        for page in pages {
            for mark in platform.marks_in(
                &page.document,
                &page.copy.page.html,
                &page.copy.page.headers,
            ) {
                seen.entry(mark.what).or_insert(mark.weight);
            }
        }
        let weight: usize = seen.values().sum();
        if weight > 0 && best.as_ref().is_none_or(|(most, ..)| weight > *most) {
            best = Some((weight, platform, seen.into_keys().collect()));
        }
    }
    best.map(|(_, platform, evidence)| RecognisedProfile {
        id: platform.id.clone(),
        name: platform.name.clone(),
        evidence,
    })
}

/// The first consent manager of which a mark is there.
pub(super) fn consent(
    pages: &[&ReadPage],
    managers: &[ConsentManager],
) -> Option<RecognisedProfile> {
    managers.iter().find_map(|manager| {
        let evidence = pages.iter().find_map(|page| {
            let seen = consent_marks(&page.document, &page.at, manager);
            (!seen.is_empty()).then_some(seen)
        })?;
        Some(RecognisedProfile {
            id: manager.id.clone(),
            name: if manager.name.is_empty() {
                manager.id.clone()
            } else {
                manager.name.clone()
            },
            evidence,
        })
    })
}

/// Marks of a consent manager that a document has: its scripts' hosts, elements by simple
/// selectors, and scripts that are held back by its own mark.
fn consent_marks(document: &Document, page: &url::Url, manager: &ConsentManager) -> Vec<String> {
    let mut out = Vec::new();
    let gating = &manager.gating;
    for id in document.walk() {
        let Kind::Element { name, .. } = &document.nodes[id].kind else {
            continue;
        };
        if let Some(host) = source_host(document, id, page)
            && manager
                .recognise
                .hosts
                .iter()
                .any(|h| h.eq_ignore_ascii_case(&host))
        {
            out.push(format!("a {name} of {host}"));
        }
        let selected = manager
            .recognise
            .selectors
            .iter()
            .find(|s| fits(document, id, s));
        if let Some(selector) = selected {
            out.push(format!("an element that fits {selector}"));
        }
        let held = !gating.attribute.is_empty()
            && name == "script"
            && document.attribute(id, &gating.attribute).is_some()
            && document.attribute(id, "type") == Some(gating.script_type.as_str());
        if held {
            out.push(format!(
                "a script that is held back by {}",
                gating.attribute
            ));
        }
    }
    out.sort();
    out.dedup();
    out
}

/// The host of an element's address.
pub(super) fn source_host(document: &Document, id: usize, page: &url::Url) -> Option<String> {
    let name = document.name(id)?;
    if !matches!(name, "script" | "link" | "iframe" | "img") {
        return None;
    }
    let address = document
        .attribute(id, "src")
        .or_else(|| document.attribute(id, "href"))?;
    let url = page.join(address).ok()?;
    url.host_str().map(str::to_string)
}

/// Selectors of one part, `#id`, `.class` or a name: what a document without styles and scripts can
/// be asked.
fn fits(document: &Document, id: usize, selector: &str) -> bool {
    let plain =
        |t: &str| !t.is_empty() && !t.contains([' ', '>', '[', ':', '+', '~', ',', '.', '#']);
    match (selector.strip_prefix('#'), selector.strip_prefix('.')) {
        (Some(wanted), _) => plain(wanted) && document.attribute(id, "id") == Some(wanted),
        (_, Some(wanted)) => {
            let classes = document.attribute(id, "class").unwrap_or_default();
            plain(wanted) && classes.split_ascii_whitespace().any(|c| c == wanted)
        }
        _ => plain(selector) && selector.contains('-') && document.name(id) == Some(selector),
    }
}

/// Sets of tag managers that pages load.
pub(super) fn tag_sets(pages: &[&ReadPage], platforms: &[Platform]) -> Vec<TagSet> {
    let mut out: Vec<TagSet> = Vec::new();
    for platform in platforms {
        let Some(marks) = &platform.sets else {
            continue;
        };
        for (set, script) in pages.iter().flat_map(|p| marks.in_page(&p.document)) {
            let known = |t: &&mut TagSet| t.platform == platform.id && t.set == set;
            match out.iter_mut().find(known) {
                Some(known) => known.pages += 1,
                None => out.push(TagSet {
                    platform: platform.id.clone(),
                    name: platform.name.clone(),
                    set,
                    pages: 1,
                    evidence: crate::placement::excerpt(&script),
                }),
            }
        }
    }
    out
}

/// Hosts of everything of which a profile is there: what stands on them is no unknown widget.
pub(super) fn known_hosts(profiles: &Profiles) -> Vec<String> {
    let suppliers = profiles
        .suppliers
        .iter()
        .flat_map(|s| s.hosts().map(str::to_string));
    let consents = profiles
        .consents
        .iter()
        .flat_map(|c| c.recognise.hosts.clone());
    let sets = profiles.platforms.iter().filter_map(|p| p.sets.as_ref());
    let sets = sets.flat_map(|s| s.hosts.clone());
    suppliers.chain(consents).chain(sets).collect()
}
