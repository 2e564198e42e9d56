//! The fields of each kind of profile, in the order of the form.

use crate::profiles::ProfileKind;

/// Kind of control that a field is typed in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shape {
    /// One line of text.
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
    /// One word of a list.
    Choice(&'static [&'static str]),
}

/// One field of a profile's form.
#[derive(Debug, Clone, Copy)]
pub struct FieldSpec {
    /// Path of the value in the file.
    pub path: &'static str,
    /// Name of the field, for people.
    pub label: &'static str,
    /// Kind of control.
    pub shape: Shape,
}

const fn field(path: &'static str, label: &'static str, shape: Shape) -> FieldSpec {
    FieldSpec { path, label, shape }
}

use Shape::{Choice, Code, Line, Lines, Number, Selector, Selectors};

const SUPPLIER: &[FieldSpec] = &[
    field("id", "Id (short name)", Line),
    field("name", "Name", Line),
    field("recognise.script_hosts", "Loader hosts", Lines),
    field("recognise.inline_markers", "Markers in inline code", Lines),
    field(
        "recognise.key_patterns",
        "Key patterns (with the group \u{201c}key\u{201d})",
        Lines,
    ),
    field(
        "snippet.template",
        "Code ({{key}} stands for the key)",
        Code,
    ),
    field(
        "snippet.position",
        "Position of the code",
        Choice(&["body-end", "head"]),
    ),
    field("alive.script", "Sign of life (JavaScript expression)", Line),
    field("alive.launcher", "Launcher (selector)", Selector),
    field("alive.frame_hosts", "Frame hosts", Lines),
    field("alive.socket_hosts", "Live connection hosts", Lines),
    field("alive.api_hosts", "Service hosts", Lines),
    field("alive.start_within_ms", "Start time limit, ms", Number),
    field("open.click", "Opening control (selector)", Selector),
    field("open.panel", "Panel (selector)", Selector),
    field("open.close", "Closing control (selector)", Selector),
    field(
        "consent.class",
        "Purpose",
        Choice(&["necessary", "functional", "analytics", "marketing"]),
    ),
    field("consent.storage", "Stored names", Lines),
    field("texts.title", "Title (selector)", Selector),
    field("texts.greeting", "Greeting (selector)", Selector),
    field("texts.notice", "Notice (selector)", Selector),
    field("texts.notice_link", "Notice link (selector)", Selector),
    field("texts.prompt", "Prompt (selector)", Selector),
    field("console.read", "Address to read settings", Line),
    field("console.write", "Address to write settings", Line),
];

const CONSENT: &[FieldSpec] = &[
    field("id", "Id (short name)", Line),
    field("name", "Name", Line),
    field("recognise.globals", "Names on window", Lines),
    field("recognise.selectors", "Banner (selectors)", Selectors),
    field("recognise.hosts", "Hosts", Lines),
    field("banner.accept", "Accept control (selectors)", Selectors),
    field("banner.refuse", "Refuse control (selectors)", Selectors),
    field("banner.more", "Next layer control (selectors)", Selectors),
    field("banner.reopen", "Reopen control (selectors)", Selectors),
    field(
        "state.script",
        "Consent choice (JavaScript expression)",
        Line,
    ),
    field("gating.type", "Type of blocked scripts", Line),
    field("gating.attribute", "Attribute of blocked scripts", Line),
    field(
        "gating.script",
        "Call around blocked script text ({{code}} stands for the text)",
        Code,
    ),
];

const PLATFORM: &[FieldSpec] = &[
    field("id", "Id (short name)", Line),
    field("name", "Name", Line),
    field("recognise.generators", "Generator prefixes", Lines),
    field("recognise.markers", "Texts in the documents", Lines),
    field(
        "recognise.headers",
        "Headers (name: beginning of value)",
        Lines,
    ),
    field("interface.read", "Address to read a slot", Line),
    field("interface.write", "Address to write a slot", Line),
    field("interface.publish", "Address to publish", Line),
    field("desk", "Address of the admin pages", Line),
    field("preview", "Address of the draft preview", Line),
    field("sets.hosts", "Hosts of tag sets", Lines),
    field(
        "sets.patterns",
        "Set patterns (with the group \u{201c}set\u{201d})",
        Lines,
    ),
    field("sets.read", "Address to read a set", Line),
    field("sets.write", "Address to write a draft set", Line),
    field("sets.publish", "Address to publish a set", Line),
];

const CLASSES: Shape = Lines;

const REGION: &[FieldSpec] = &[
    field("id", "Id (short name)", Line),
    field("name", "Name", Line),
    field("countries", "Countries, ISO 3166-1", Lines),
    field(
        "before.requests",
        "Classes allowed to send requests before consent",
        CLASSES,
    ),
    field(
        "before.storage",
        "Classes allowed to store data before consent",
        CLASSES,
    ),
    field(
        "before.frames",
        "Classes allowed to show frames before consent",
        CLASSES,
    ),
    field(
        "gpc",
        "Meaning of Global Privacy Control",
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
