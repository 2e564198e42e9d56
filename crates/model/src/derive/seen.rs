//! The second half of a profile: what one visit of a page with the widget shows of it. Proposed
//! with what tells it; a person decides.

use crate::profile::Supplier;
use crate::profile_form::{FormError, set};
use crate::profiles::ProfileKind;
use newtfern_standards::observation::{FixedElement, Observation, Rect, RequestKind};
use serde::{Deserialize, Serialize};
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
    if let Some(likely) = candidates(seen).first() {
        let (w, h) = (likely.rect.width, likely.rect.height);
        let size = format!("{w:.0} by {h:.0} px");
        let why = format!("it came after the document, stays in place and measures {size}");
        let selector = std::slice::from_ref(&likely.selector);
        lines("alive.launcher", selector, &why);
        lines("open.click", selector, "the launcher is what is pressed");
    }
    out
}

/// Returns the selector of what a second visit presses: what the profile names, else the likeliest
/// launcher.
pub fn pressed(supplier: &Supplier, seen: &Observation) -> Option<String> {
    let known = [&supplier.open.click, &supplier.alive.launcher];
    let known = known.into_iter().find(|s| !s.trim().is_empty()).cloned();
    known.or_else(|| candidates(seen).into_iter().next().map(|c| c.selector))
}

/// What pressing the launcher proposes: the largest of what came then is the panel.
pub fn propose_panel(opened: &[FixedElement]) -> Option<Proposal> {
    let largest = opened.iter().filter(|f| selector_of(f).is_some());
    let largest = largest.max_by(|a, b| a.rect.area().total_cmp(&b.rect.area()))?;
    let (w, h) = (largest.rect.width, largest.rect.height);
    Some(Proposal {
        path: "open.panel",
        value: selector_of(largest)?,
        why: format!("it came when the launcher was pressed and measures {w:.0} by {h:.0} px"),
    })
}

/// Selector of an element that stays in place: by its id, else by its name and classes.
fn selector_of(f: &FixedElement) -> Option<String> {
    let (_, id) = f.element.split_once('#').unwrap_or_default();
    let id = id.split(['.', ' ']).next().unwrap_or_default();
    match id {
        "" => f.element.contains(['.', '-']).then(|| f.element.clone()),
        id => Some(format!("#{id}")),
    }
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

/// An element that may be the launcher.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Candidate {
    /// Selector that finds it.
    pub selector: String,
    /// Its box on the page, CSS px.
    pub rect: Rect,
    /// Its label, or the beginning of its text.
    pub label: String,
}

/// Words of a launcher's label, in any language that has borrowed them.
const LABELS: [&str; 7] = [
    "chat", "talk", "help", "message", "support", "contact", "ask",
];

/// What looks like a launcher, the likeliest first: it stays in place, is small, and came after the
/// delivered document. A button's role, a label that offers a talk, a place on top of the page and
/// one near a lower corner speak for it.
pub fn candidates(seen: &Observation) -> Vec<Candidate> {
    let delivered = &seen.page.html;
    let (wide, high) = seen.layout.unwrap_or((1280.0, 800.0));
    let came = |selector: &str| {
        let name = selector.trim_start_matches('#').rsplit('.').next();
        let name = name.unwrap_or_default();
        [
            format!("\"{name}\""),
            format!("={name}"),
            format!("<{name}"),
        ]
        .iter()
        .all(|mark| !delivered.contains(mark))
    };
    let score = |f: &FixedElement| {
        let label = f.label.to_lowercase();
        let offers = LABELS.iter().any(|w| label.contains(w));
        let pressed = f.element.starts_with("button") || f.role == "button";
        let side = f.rect.x.min(wide - f.rect.x - f.rect.width).abs();
        let corner = (high - f.rect.y - f.rect.height).abs() + side;
        let points = i64::from(pressed) * 3 + i64::from(offers) * 3 + i64::from(f.z > 999);
        (-points, corner as i64)
    };
    let fits = |f: &&FixedElement| {
        let (w, h) = (f.rect.width, f.rect.height);
        w > 8.0 && h > 8.0 && w <= MOST_LAUNCHER && h <= MOST_LAUNCHER
    };
    let mut found: Vec<&FixedElement> = seen.fixed.iter().filter(fits).collect();
    found.sort_by_key(|f| score(f));
    let of = |f: &FixedElement| {
        let selector = selector_of(f).filter(|s| came(s))?;
        Some(Candidate {
            selector,
            rect: f.rect,
            label: f.label.clone(),
        })
    };
    found.into_iter().filter_map(of).take(8).collect()
}

/// Returns what a visit was looked through for and did not show, each as a sentence.
pub fn not_found(proposals: &[Proposal]) -> Vec<String> {
    let missing = |path: &str| proposals.iter().all(|p| p.path != path);
    let all = [
        (
            "alive.launcher",
            "No launcher was found: no small element that stays in place came \
            after the document. Enter its selector, or try a page on which it shows.",
        ),
        ("alive.frame_hosts", "Its scripts opened no frame."),
        ("alive.api_hosts", "Its scripts called no interface."),
        ("alive.socket_hosts", "No live connection was opened."),
        (
            "consent.storage",
            "Nothing was stored under its name or by its frames.",
        ),
        (
            "open.panel",
            "No panel was found: pressing the launcher brought nothing large that stays in place.",
        ),
    ];
    let missing = all.iter().filter(|(path, _)| missing(path));
    let always = "The sign of life and the panel's close button cannot be told from a visit: enter \
        them.";
    missing
        .map(|(_, words)| words.to_string())
        .chain([always.to_string()])
        .collect()
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
            ..FixedElement::default()
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

    #[test]
    fn launchers_are_ranked_by_role_label_and_place_and_may_lack_an_id() {
        let mut seen = Observation::default();
        seen.page.html = "<a class=\"totop\">up</a>".into();
        let up = FixedElement {
            label: "To the top".into(),
            ..fixed("a.totop", 1230.0, 760.0, 30.0)
        };
        let note = fixed("div.note", 1200.0, 700.0, 80.0);
        let tab = FixedElement {
            label: "Chat with us".into(),
            role: "button".into(),
            z: 2_147_483_000,
            ..fixed("div.w-tab", 1220.0, 400.0, 60.0)
        };
        seen.fixed = vec![up, note, tab];
        let all = candidates(&seen);
        let selectors: Vec<&str> = all.iter().map(|c| c.selector.as_str()).collect();
        assert_eq!(
            selectors,
            ["div.w-tab", "div.note"],
            "what was delivered is the page\u{2019}s own"
        );
        seen.fixed.clear();
        let told = not_found(&propose(&sample(), &seen));
        assert!(told[0].starts_with("No launcher was found"), "{told:?}");
        assert!(told.last().unwrap().contains("cannot be told"));
        // The largest of what pressing brought is the panel.
        let panel = FixedElement {
            rect: Rect {
                width: 320.0,
                height: 480.0,
                ..Rect::default()
            },
            ..fixed("div#w-panel.open", 0.0, 0.0, 0.0)
        };
        let told = propose_panel(&[fixed("div.w-shade", 0.0, 0.0, 200.0), panel]).unwrap();
        assert_eq!((told.path, told.value.as_str()), ("open.panel", "#w-panel"));
        assert!(told.why.ends_with("320 by 480 px"), "{}", told.why);
        assert_eq!(
            pressed(&sample(), &seen).as_deref(),
            Some("#example-launcher")
        );
    }
}
