//! The fields of each kind of profile, in the order of the form.

use crate::profiles::ProfileKind;

/// How a field is typed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shape {
    /// One line.
    Line,
    /// A list, one entry a line.
    Lines,
    /// A selector of an element.
    Selector,
    /// Selectors, one a line.
    Selectors,
    /// A whole number.
    Number,
    /// Several lines of code.
    Code,
    /// One of these.
    Choice(&'static [&'static str]),
}

/// One field.
#[derive(Debug, Clone, Copy)]
pub struct FieldSpec {
    /// Its place in the file.
    pub path: &'static str,
    /// For people.
    pub label: &'static str,
    /// How it is typed.
    pub shape: Shape,
}

const fn field(path: &'static str, label: &'static str, shape: Shape) -> FieldSpec {
    FieldSpec { path, label, shape }
}

use Shape::{Choice, Code, Line, Lines, Number, Selector, Selectors};

const SUPPLIER: &[FieldSpec] = &[
    field("id", "Short name", Line),
    field("name", "Name", Line),
    field("recognise.script_hosts", "Hosts of its loader", Lines),
    field("recognise.inline_markers", "Marks of inline code", Lines),
    field(
        "recognise.key_patterns",
        "Key patterns, with a group key",
        Lines,
    ),
    field("snippet.template", "Code, {{key}} where the key goes", Code),
    field(
        "snippet.position",
        "Where the code goes",
        Choice(&["body-end", "head"]),
    ),
    field("alive.script", "Sign of life, an expression", Line),
    field("alive.launcher", "Launcher, a selector", Selector),
    field("alive.frame_hosts", "Hosts of its frames", Lines),
    field("alive.socket_hosts", "Hosts of its live connections", Lines),
    field("alive.api_hosts", "Hosts of its service", Lines),
    field("alive.start_within_ms", "Starts within, ms", Number),
    field("open.click", "What opens it, a selector", Selector),
    field("open.panel", "Panel, a selector", Selector),
    field("open.close", "What closes it, a selector", Selector),
    field(
        "consent.class",
        "What it is for",
        Choice(&["necessary", "functional", "analytics", "marketing"]),
    ),
    field("consent.storage", "Names that it stores", Lines),
    field(
        "texts.title",
        "Where its title is seen, a selector",
        Selector,
    ),
    field("texts.greeting", "Where its greeting is seen", Selector),
    field("texts.notice", "Where its notice is seen", Selector),
    field(
        "texts.notice_link",
        "Where the notice\u{2019}s link is",
        Selector,
    ),
    field("texts.prompt", "Where its prompt is seen", Selector),
    field(
        "console.read",
        "Address that gives a key\u{2019}s settings",
        Line,
    ),
    field(
        "console.write",
        "Address that takes a key\u{2019}s settings",
        Line,
    ),
];

const CONSENT: &[FieldSpec] = &[
    field("id", "Short name", Line),
    field("name", "Name", Line),
    field("recognise.globals", "Names on window", Lines),
    field("recognise.selectors", "Selectors of its banner", Selectors),
    field("recognise.hosts", "Hosts that serve it", Lines),
    field("banner.accept", "What agrees, selectors", Selectors),
    field("banner.refuse", "What refuses, selectors", Selectors),
    field(
        "banner.more",
        "What opens its next layer, selectors",
        Selectors,
    ),
    field("banner.reopen", "What shows it again, selectors", Selectors),
    field("state.script", "The decision, an expression", Line),
    field("gating.type", "Type of scripts held back", Line),
    field("gating.attribute", "Attribute that marks them", Line),
    field(
        "gating.script",
        "Call in which script text waits, {{code}} in it",
        Code,
    ),
];

const PLATFORM: &[FieldSpec] = &[
    field("id", "Short name", Line),
    field("name", "Name", Line),
    field("recognise.generators", "Beginnings of its generator", Lines),
    field("recognise.markers", "Texts in its documents", Lines),
    field(
        "recognise.headers",
        "Headers, name: beginning of value",
        Lines,
    ),
    field("interface.read", "Address that gives a slot's text", Line),
    field("interface.write", "Address that takes a slot's text", Line),
    field("interface.publish", "Address that publishes them", Line),
    field("desk", "Address of its desk, for people", Line),
    field("preview", "Address that shows what is drafted", Line),
    field("sets.hosts", "Hosts of a tag manager's sets", Lines),
    field("sets.patterns", "Patterns of sets, with a group set", Lines),
    field("sets.read", "Address that gives a set", Line),
    field("sets.write", "Address that takes a set's draft", Line),
    field("sets.publish", "Address that publishes a set", Line),
];

const CLASSES: Shape = Lines;

const REGION: &[FieldSpec] = &[
    field("id", "Short name", Line),
    field("name", "Name", Line),
    field("countries", "Countries, ISO 3166-1", Lines),
    field(
        "before.requests",
        "Classes that may send requests before a decision",
        CLASSES,
    ),
    field(
        "before.storage",
        "Classes that may store before a decision",
        CLASSES,
    ),
    field(
        "before.frames",
        "Classes that may show frames before a decision",
        CLASSES,
    ),
    field(
        "gpc",
        "What Global Privacy Control means",
        Choice(&["refusal", "ignore"]),
    ),
];

/// The fields of a kind; what else a file may have is edited as text.
pub fn fields(kind: ProfileKind) -> &'static [FieldSpec] {
    match kind {
        ProfileKind::Supplier => SUPPLIER,
        ProfileKind::ConsentManager => CONSENT,
        ProfileKind::Platform => PLATFORM,
        ProfileKind::Region => REGION,
        ProfileKind::SampleWords => &[],
    }
}

/// Tables and lists that a kind may have beside its form's fields.
pub(super) fn beside(kind: ProfileKind) -> &'static [&'static str] {
    match kind {
        ProfileKind::Supplier => &[
            "key",
            "alive.refusals",
            "alive.states",
            "echo",
            "texts",
            "channels",
            "desk",
            "console",
        ],
        ProfileKind::ConsentManager => &[
            "banner.accept_text",
            "banner.refuse_text",
            "banner.reopen_text",
            "gating.categories",
            "gating.step",
            "state",
        ],
        ProfileKind::Platform => &["slot"],
        ProfileKind::Region | ProfileKind::SampleWords => &[],
    }
}
