//! The second half of a profile: what one visit of a page with the widget shows of it. Proposed
//! with what tells it; a person decides.

use crate::profile::Supplier;
use crate::profile_form::{FormError, set};
use crate::profiles::ProfileKind;
use newtfern_standards::observation::{Observation, RequestKind};
use url::Url;

/// A value that a visit suggests.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Proposal {
    /// Path of the value in the profile.
    pub path: &'static str,
    /// The value as the form takes it: several, one a line.
    pub value: String,
    /// Evidence that speaks for the proposal.
    pub why: String,
}

/// A launcher is no larger, CSS px (common practice: about 60).
const MOST_LAUNCHER: f64 = 220.0;
/// Names that are proposed of one kind.
const MOST: usize = 12;

fn host(url: &str) -> Option<String> {
    Url::parse(url).ok()?.host_str().map(str::to_string)
}

/// The part of a host that a firm owns, as far as two labels tell.
fn stem(host: &str) -> String {
    let labels: Vec<&str> = host.rsplit('.').take(2).collect();
    labels.into_iter().rev().collect::<Vec<_>>().join(".")
}

struct Owned {
    hosts: Vec<String>,
    scripts: Vec<String>,
    frames: Vec<String>,
    calls: Vec<String>,
}

fn add(list: &mut Vec<String>, host: String) {
    if !list.contains(&host) && list.len() < MOST {
        list.push(host);
    }
}

/// Returns the requests of the supplier's own scripts and frames, followed from request to request.
fn owned(supplier: &Supplier, seen: &Observation, page: &str) -> Owned {
    let mut out = Owned {
        hosts: supplier.recognise.script_hosts.clone(),
        scripts: Vec::new(),
        frames: Vec::new(),
        calls: Vec::new(),
    };
    let mut requests: Vec<_> = seen.requests.iter().collect();
    requests.sort_by(|a, b| a.start_ms.total_cmp(&b.start_ms));
    for r in requests {
        let Some(to) = host(&r.url).filter(|h| h != page) else {
            continue;
        };
        let by = [&r.initiator.url, &r.document]
            .into_iter()
            .chain(&r.initiator.stack);
        let ours =
            out.hosts.contains(&to) || by.filter_map(|u| host(u)).any(|h| out.hosts.contains(&h));
        if !ours {
            continue;
        }
        match r.kind {
            RequestKind::Document => add(&mut out.frames, to.clone()),
            RequestKind::Script => add(&mut out.scripts, to.clone()),
            RequestKind::Xhr | RequestKind::Fetch | RequestKind::EventSource => {
                add(&mut out.calls, to.clone())
            }
            _ => continue,
        }
        add(&mut out.hosts, to);
    }
    for frame in &seen.frames {
        if let Some(to) = host(&frame.url).filter(|h| out.hosts.contains(h)) {
            add(&mut out.frames, to);
        }
    }
    out
}

/// Returns what a visit of a page with the widget proposes for a profile that has its hosts.
pub fn propose(supplier: &Supplier, seen: &Observation) -> Vec<Proposal> {
    let page = host(&seen.page.final_url).or_else(|| host(&seen.url));
    let page = page.unwrap_or_default();
    let owned = owned(supplier, seen, &page);
    let mut out = Vec::new();
    let mut lines = |path: &'static str, list: &[String], why: &str| {
        if !list.is_empty() {
            out.push(Proposal {
                path,
                value: list.join("\n"),
                why: why.to_string(),
            });
        }
    };
    let known = &supplier.recognise.script_hosts;
    let mut scripts = known.clone();
    scripts.extend(owned.scripts.iter().filter(|s| !known.contains(s)).cloned());
    if scripts.len() > known.len() {
        lines(
            "recognise.script_hosts",
            &scripts,
            "its scripts loaded scripts from there",
        );
    }
    lines(
        "alive.frame_hosts",
        &owned.frames,
        "its scripts opened frames of there",
    );
    lines("alive.api_hosts", &owned.calls, "its scripts called there");
    lines(
        "alive.socket_hosts",
        &sockets(seen, &owned),
        "a live connection was opened to there",
    );
    lines(
        "consent.storage",
        &stored(supplier, seen, &owned),
        "stored by its frames, or named like it",
    );
    let launcher = launcher(seen);
    if let Some((selector, size)) = &launcher {
        let why = format!("it came after the document, stays in place and measures {size}");
        lines("alive.launcher", std::slice::from_ref(selector), &why);
        lines(
            "open.click",
            std::slice::from_ref(selector),
            "the launcher is what is pressed",
        );
    }
    out
}

/// Hosts of live connections to the supplier.
fn sockets(seen: &Observation, owned: &Owned) -> Vec<String> {
    let stems: Vec<String> = owned.hosts.iter().map(|h| stem(h)).collect();
    let mut sockets = Vec::new();
    for to in seen.sockets.iter().filter_map(|s| host(&s.url)) {
        if stems.contains(&stem(&to)) {
            add(&mut sockets, to);
        }
    }
    sockets
}

/// Names under which the supplier stores something.
fn stored(supplier: &Supplier, seen: &Observation, owned: &Owned) -> Vec<String> {
    let mut stored = Vec::new();
    let label = supplier.id.to_lowercase();
    for s in &seen.stored {
        let theirs = host(&s.place).is_some_and(|h| owned.hosts.contains(&h));
        if theirs || s.name.to_lowercase().contains(&label) {
            add(&mut stored, s.name.clone());
        }
    }
    stored
}

/// The fixed element that the delivered document does not have, of a launcher's size; the one
/// nearest to a lower corner.
fn launcher(seen: &Observation) -> Option<(String, String)> {
    let delivered = &seen.page.html;
    let (_, high) = seen.layout.unwrap_or((1280.0, 800.0));
    let new = seen.fixed.iter().filter_map(|f| {
        let id = f.element.split('#').nth(1)?.split(['.', ' ']).next()?;
        let small = f.rect.width <= MOST_LAUNCHER && f.rect.height <= MOST_LAUNCHER;
        let there = f.rect.width > 8.0 && f.rect.height > 8.0;
        let ours = !delivered.contains(&format!("id=\"{id}\""))
            && !delivered.contains(&format!("id={id}"));
        (small && there && ours && !id.is_empty()).then_some((f, id))
    });
    let lowest = new.min_by(|(a, _), (b, _)| {
        let off = |r: &newtfern_standards::observation::Rect| (high - r.y - r.height).abs();
        off(&a.rect).total_cmp(&off(&b.rect))
    })?;
    let (f, id) = lowest;
    Some((
        format!("#{id}"),
        format!("{:.0} by {:.0} px", f.rect.width, f.rect.height),
    ))
}

/// A profile with what was proposed where it says nothing yet; what it says stays.
///
/// # Errors
/// [`FormError`], where the text is no TOML.
pub fn filled(text: &str, proposals: &[Proposal]) -> Result<String, FormError> {
    let kind = ProfileKind::Supplier;
    let mut out = text.to_string();
    for p in proposals {
        let at = crate::profile_form::fields(kind)
            .iter()
            .position(|f| f.path == p.path);
        let said = at.map(|i| crate::profile_form::values(kind, &out)[i].clone());
        if said.is_some_and(|s| s.trim().is_empty()) || p.path == "recognise.script_hosts" {
            out = set(kind, &out, p.path, &p.value)?;
        }
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::profile::tests::sample;
    use newtfern_standards::observation::{
        FixedElement, Initiator, Rect, Request, Socket, StoredItem,
    };

    fn request(url: &str, kind: RequestKind, by: &str) -> Request {
        Request {
            url: url.into(),
            kind,
            initiator: Initiator {
                url: by.into(),
                ..Initiator::default()
            },
            ..Request::default()
        }
    }

    fn fixed(element: &str, x: f64, y: f64, size: f64) -> FixedElement {
        FixedElement {
            element: element.into(),
            rect: Rect {
                x,
                y,
                width: size,
                height: size,
            },
            role: String::new(),
        }
    }

    #[test]
    fn what_its_own_scripts_did_is_proposed_and_nothing_of_others() {
        let mut seen = Observation::default();
        seen.page.final_url = "https://kites.example/".into();
        seen.page.html = "<div id=\"offer\"></div>".into();
        let loader = "https://cdn.example.test/l.js";
        seen.requests = vec![
            request(loader, RequestKind::Script, "https://kites.example/"),
            request(
                "https://api.example.test/settings",
                RequestKind::Fetch,
                loader,
            ),
            request(
                "https://app.example.test/panel",
                RequestKind::Document,
                loader,
            ),
            request(
                "https://count.other.test/c.js",
                RequestKind::Script,
                "https://kites.example/",
            ),
            request(
                "https://pic.example.test/a.png",
                RequestKind::Image,
                "https://app.example.test/panel",
            ),
        ];
        let socket = |url: &str| Socket {
            url: url.into(),
            ..Socket::default()
        };
        seen.sockets = vec![
            socket("wss://live.example.test/s"),
            socket("wss://other.test/x"),
        ];
        seen.stored = vec![
            StoredItem {
                name: "example_visitor".into(),
                place: "https://kites.example".into(),
                ..StoredItem::default()
            },
            StoredItem {
                name: "basket".into(),
                place: "https://kites.example".into(),
                ..StoredItem::default()
            },
        ];
        seen.fixed = vec![
            fixed("div#offer", 0.0, 0.0, 100.0),
            fixed("button#talk-button.round", 1200.0, 720.0, 60.0),
            fixed("div#talk-panel", 900.0, 100.0, 500.0),
        ];
        let told = propose(&sample(), &seen);
        let of = |path: &str| {
            told.iter()
                .find(|p| p.path == path)
                .map(|p| p.value.as_str())
        };
        assert_eq!(of("alive.frame_hosts"), Some("app.example.test"));
        assert_eq!(of("alive.api_hosts"), Some("api.example.test"));
        assert_eq!(of("alive.socket_hosts"), Some("live.example.test"));
        assert_eq!(of("consent.storage"), Some("example_visitor"));
        assert_eq!(of("alive.launcher"), Some("#talk-button"));
        assert_eq!(of("recognise.script_hosts"), None, "nothing new");
        assert!(
            told.iter()
                .all(|p| !p.value.contains("other.test") && !p.why.is_empty())
        );
        // What the text says already stays; what it leaves open is filled in.
        let text = "id = \"example\"\nname = \"Example\"\n[alive]\nlauncher = \"#mine\"\n";
        let out = filled(text, &told).unwrap();
        assert!(
            out.contains("launcher = \"#mine\"") && out.contains("app.example.test"),
            "{out}"
        );
    }
}
