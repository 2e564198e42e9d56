//! Hand-made observations for the rules' own tests. Whole recorded ones are in `tests/recorded.rs`.

use super::{Case, Diagnosis, LinkState, Outcome, diagnose};
use crate::testing::{SAMPLE, sample};
use newtfern_model::code::Code;
use newtfern_model::finding::{Finding, Severity};
use newtfern_model::pages::Expect;
use newtfern_model::profile::{ConsentManager, Supplier};
use newtfern_standards::observation::{Aside, AsideLook, Purpose, *};

pub const GOOD: &str =
    "<script async src=\"https://cdn.example.test/l.js\" data-key=\"abcd-1234\"></script>";
pub const PAGE: &str = "https://kites.example/";

/// `body` stands on line 5.
pub fn html(body: &str) -> String {
    format!(
        "<!doctype html>\n<html><head><title>Kites</title></head>\n<body>\n<h1>Kites</h1>\n\
         {body}\n</body></html>\n"
    )
}

/// A page that arrived and holds `body`; nothing of the widget came in the 6 s it was watched.
pub fn page(body: &str) -> Observation {
    let seen = |at_ms| Look::Seen { at_ms };
    let not_there = Look::NotThere { until_ms: 6000.0 };
    let not_reached = Look::NotLooked {
        why: NotCheckedReason::EarlierStage,
    };
    Observation {
        version: VERSION,
        url: PAGE.into(),
        page: DeliveredPage {
            final_url: PAGE.into(),
            status: Some(200),
            mime: "text/html".into(),
            html: html(body),
            ..DeliveredPage::default()
        },
        final_html: html(body),
        looks: Looks {
            document: seen(100.0),
            load: seen(200.0),
            alive: not_there,
            launcher: not_there,
            stays: not_reached,
            opening: not_reached,
            closing: not_reached,
            keyboard: not_reached,
            consent_act: not_reached,
            storage: seen(6000.0),
            final_document: seen(6000.0),
        },
        ..Observation::default()
    }
}

pub fn script(url: &str, status: Option<u16>, failure: Option<FailureKind>) -> Request {
    Request {
        url: url.into(),
        method: "GET".into(),
        kind: RequestKind::Script,
        status,
        mime: "text/javascript".into(),
        failure: failure.map(|kind| NetFailure {
            kind,
            text: format!("{kind:?}"),
        }),
        end_ms: Some(50.0),
        document: PAGE.into(),
        ..Request::default()
    }
}

pub fn loader(status: Option<u16>, failure: Option<FailureKind>) -> Request {
    script("https://cdn.example.test/l.js", status, failure)
}

/// An answer of the supplier's service.
pub fn answer(status: u16, body: &str) -> Request {
    Request {
        url: "https://api.example.test/s".into(),
        kind: RequestKind::Fetch,
        status: Some(status),
        body: Some(body.into()),
        end_ms: Some(9.0),
        ..Request::default()
    }
}

/// Returns the request of the widget's frame.
pub fn frame(failure: Option<FailureKind>) -> Request {
    Request {
        kind: RequestKind::Document,
        document: "https://app.example.test/p".into(),
        ..script("https://app.example.test/p", None, failure)
    }
}

/// A page with the good snippet whose loader arrived.
pub fn loaded() -> Observation {
    with(page(GOOD), |o| o.requests.push(loader(Some(200), None)))
}

/// A page on which everything holds.
pub fn healthy() -> Observation {
    with(loaded(), |o| {
        let seen = |at_ms| Look::Seen { at_ms };
        o.looks.alive = seen(800.0);
        o.looks.launcher = seen(900.0);
        o.looks.stays = seen(2900.0);
        o.looks.opening = seen(1000.0);
        o.looks.closing = seen(1200.0);
        o.looks.keyboard = seen(1300.0);
        o.launcher = Some(Launcher {
            present: true,
            rect: Rect {
                x: 1200.0,
                y: 720.0,
                width: 60.0,
                height: 60.0,
            },
            reachable: 1.0,
            name: "Chat".into(),
            role: "button".into(),
            focusable: true,
            ..Launcher::default()
        });
        o.operation = Some(Operation {
            opened_ms: Some(80.0),
            ..Operation::default()
        });
    })
}

/// A healthy page with another launcher.
pub fn launcher(change: impl FnOnce(&mut Launcher)) -> Observation {
    with(healthy(), |o| change(o.launcher.as_mut().unwrap()))
}

pub fn on_phone(o: Observation) -> Observation {
    with(o, |o| {
        o.condition.viewport = Viewport::Phone;
        if let Some(l) = o.launcher.as_mut() {
            (l.rect.x, l.rect.y) = (310.0, 760.0);
        }
    })
}

pub fn with(mut o: Observation, change: impl FnOnce(&mut Observation)) -> Observation {
    change(&mut o);
    o
}

pub fn error(url: &str, text: &str) -> Message {
    Message {
        level: "error".into(),
        text: text.into(),
        url: url.into(),
        line: Some(1),
        ..Message::default()
    }
}

pub fn consent() -> Option<ConsentManager> {
    ConsentManager::from_toml("[gating]\ntype = \"text/plain\"\nattribute = \"data-wait\"").ok()
}

/// The same visit with consent given.
pub fn granted(o: Observation) -> Observation {
    with(o, |o| {
        o.condition.consent = ConsentAct::Granted;
        o.looks.consent_act = Look::Seen { at_ms: 400.0 };
        o.consent = ConsentSeen {
            manager: true,
            state_before: "untouched".into(),
            state_after: "granted".into(),
            acted_ms: Some(400.0),
            ..ConsentSeen::default()
        };
    })
}

/// The same visit, in which consent was to be given and could not be.
pub fn ungranted(o: Observation) -> Observation {
    with(granted(o), |o| {
        o.looks.consent_act = Look::NotThere { until_ms: 6000.0 };
        o.consent.state_after = "untouched".into();
        o.consent.acted_ms = None;
        o.consent.error = "no control to give consent was found".into();
    })
}

/// A copy beside the page that holds `body`.
pub fn aside(purpose: Purpose, body: &str) -> Aside {
    Aside {
        purpose,
        url: "https://kites.example/other".into(),
        status: 200,
        html: html(body),
        look: AsideLook::Had,
        blob: None,
    }
}

/// A copy that could not be had.
pub fn missed(purpose: Purpose, why: NotCheckedReason) -> Aside {
    Aside {
        status: 0,
        html: String::new(),
        look: AsideLook::Missed { why },
        ..aside(purpose, "")
    }
}

/// A second supplier that shares nothing with the sample.
pub fn rival() -> Supplier {
    let text = SAMPLE
        .replace("cdn.example.test", "cdn.rival.test")
        .replace("exampleChat(", "rivalChat(")
        .replace("\"example\"", "\"rival\"");
    Supplier::from_toml(&text).unwrap()
}

/// Expectation of the page, for tests.
pub struct Wanted {
    pub supplier: Supplier,
    pub rivals: Vec<Supplier>,
    pub expect: Expect,
    pub consent: Option<ConsentManager>,
    pub asides: Vec<Aside>,
}

impl Default for Wanted {
    fn default() -> Self {
        Wanted {
            supplier: sample(),
            rivals: vec![],
            expect: Expect::Present,
            consent: None,
            asides: vec![],
        }
    }
}

impl Wanted {
    pub fn with_asides(asides: impl Into<Vec<Aside>>) -> Wanted {
        Wanted {
            asides: asides.into(),
            ..Wanted::default()
        }
    }

    pub fn of(&self, visits: &[Observation]) -> Diagnosis {
        let d = diagnose(&Case {
            supplier: &self.supplier,
            rivals: &self.rivals,
            key: Some("abcd-1234"),
            expect: self.expect,
            consent: self.consent.as_ref(),
            visits,
            asides: &self.asides,
            siblings: &[],
        });
        is_whole(&d);
        d
    }
}

/// The public contract of every diagnosis: one root where broken, its link broken and the later
/// ones not reached; none otherwise; nothing told without evidence and a remedy.
fn is_whole(d: &Diagnosis) {
    let broken = d
        .verdict
        .chain()
        .iter()
        .filter(|l| l.state == LinkState::Broken);
    let broken: Vec<_> = broken.map(|l| l.link).collect();
    assert_eq!(
        d.verdict.outcome() == Outcome::Broken,
        d.verdict.root().is_some()
    );
    assert_eq!(
        broken.len(),
        usize::from(d.verdict.root().is_some()),
        "{d:?}"
    );
    if let Some(f) = d.verdict.root_finding() {
        assert_eq!(Some(broken[0]), f.link);
        assert_eq!(f.severity, Severity::Broken);
    }
    if d.verdict.outcome() == Outcome::Unchecked {
        assert!(!d.verdict.not_looked_at().is_empty(), "{d:?}");
    }
    for f in d.verdict.findings() {
        assert!(!f.summary.is_empty(), "{f:?}");
        let note = f.severity == Severity::Note;
        assert!(
            note || (f.remedy.ends_with('.') && !f.evidence.is_empty()),
            "{f:?}"
        );
    }
}

/// The root cause of one visit; none where the chain holds.
#[track_caller]
pub fn root(o: Observation) -> Option<Code> {
    let d = Wanted::default().of(&[o]);
    assert_ne!(
        d.verdict.outcome(),
        Outcome::Unchecked,
        "{:?}",
        d.verdict.not_looked_at()
    );
    d.verdict.root()
}

/// The finding that is the root cause of one visit.
#[track_caller]
pub fn told(o: Observation) -> Finding {
    let d = Wanted::default().of(&[o]);
    d.verdict
        .root_finding()
        .unwrap_or_else(|| panic!("{d:?}"))
        .clone()
}

/// Asserts that one visit cannot be judged, for a reason with these words.
#[track_caller]
pub fn undecided(o: Observation, why: &str) {
    let d = Wanted::default().of(&[o]);
    assert_eq!(
        (d.verdict.outcome(), d.verdict.root()),
        (Outcome::Unchecked, None),
        "{d:?}"
    );
    assert!(
        d.verdict.not_looked_at()[0].why.contains(why),
        "{:?}",
        d.verdict.not_looked_at()
    );
    let open = d
        .verdict
        .chain()
        .iter()
        .filter(|l| l.state == LinkState::Undecided);
    assert_eq!(open.count(), 1, "{:?}", d.verdict.chain());
}
