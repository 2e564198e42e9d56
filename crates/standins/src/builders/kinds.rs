//! The builders: what their slots do to code, and where it comes out.

/// Effect of a slot on its text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Effect {
    Plain,
    /// Puts script tags around it.
    Wrap,
    /// Puts it into a frame of its own.
    Frame,
    /// Takes script elements out.
    Strip,
    /// Writes the supplier's snippet for the key that it holds.
    Key,
    /// Page rules of the slot that writes the snippet, a pattern a line; comes out nowhere itself.
    Rules,
}

/// Pages on which it comes out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scope {
    Site,
    Items,
    Home,
}

pub struct Slot {
    pub id: &'static str,
    pub name: &'static str,
    pub help: &'static str,
    pub effect: Effect,
    pub scope: Scope,
}

const fn slot(
    id: &'static str,
    name: &'static str,
    help: &'static str,
    effect: Effect,
    scope: Scope,
) -> Slot {
    Slot {
        id,
        name,
        help,
        effect,
        scope,
    }
}

/// One kind of site builder.
pub struct Kind {
    pub id: &'static str,
    pub generator: &'static str,
    pub colour: &'static str,
    pub slots: &'static [Slot],
    /// Whether it has an interface for programs.
    pub interface: bool,
    /// Whether saved text is a draft until it is published.
    pub drafts: bool,
    /// Whether it keeps copies of pages.
    pub caches: bool,
    /// Whether its pages are made by a script in the browser.
    pub scripted: bool,
    /// Words of its save button, and of its publish button.
    pub words: (&'static str, &'static str),
}

use Effect::{Frame, Key, Plain, Rules, Strip, Wrap};
use Scope::{Home, Items, Site};

pub static KINDS: [Kind; 6] = [
    Kind {
        id: "kelpshop",
        generator: "Kelpshop 5",
        colour: "#2d5d62",
        slots: &[
            slot(
                "theme-code",
                "Theme code, end of body",
                "On all pages of this theme.",
                Plain,
                Site,
            ),
            slot(
                "item-template",
                "Item template, below the price",
                "On item pages only.",
                Plain,
                Items,
            ),
            slot(
                "script-box",
                "Script box",
                "Script tags are added for you.",
                Wrap,
                Site,
            ),
            slot(
                "app-key",
                "Talk app, key",
                "The key from the supplier; empty switches it off.",
                Key,
                Site,
            ),
            slot(
                "app-pages",
                "Talk app, pages without it",
                "One address a line; * stands for anything.",
                Rules,
                Site,
            ),
        ],
        interface: true,
        drafts: false,
        caches: true,
        scripted: false,
        words: ("Save the theme", "Empty the page cache"),
    },
    Kind {
        id: "lintel",
        generator: "Lintel 2.4",
        colour: "#6a4a7c",
        slots: &[
            slot(
                "site-box",
                "Code for all pages (Plus plan)",
                "Comes out before the end of the body.",
                Plain,
                Site,
            ),
            slot(
                "page-code",
                "Code of the home page",
                "On the home page only.",
                Plain,
                Home,
            ),
            slot(
                "embed-block",
                "Embed block on the home page",
                "Lives in a frame of its own.",
                Frame,
                Home,
            ),
        ],
        interface: true,
        drafts: true,
        caches: false,
        scripted: false,
        words: ("Save the draft", "Publish the site"),
    },
    Kind {
        id: "stallhouse",
        generator: "Stallhouse",
        colour: "#8a5a1f",
        slots: &[
            slot(
                "wrapper-bottom",
                "Page wrapper, bottom",
                "HTML below every page.",
                Plain,
                Site,
            ),
            slot(
                "description",
                "Description of the stall",
                "Text; scripts are taken out.",
                Strip,
                Home,
            ),
        ],
        interface: false,
        drafts: false,
        caches: false,
        scripted: false,
        words: ("Save", ""),
    },
    Kind {
        id: "ferrule",
        generator: "",
        colour: "#3b3b3b",
        slots: &[
            slot(
                "footer-file",
                "footer.html",
                "Included by every page before the closing body tag.",
                Plain,
                Site,
            ),
            slot(
                "index-file",
                "index.html, end of body",
                "The home page only.",
                Plain,
                Home,
            ),
        ],
        interface: false,
        drafts: false,
        caches: false,
        scripted: false,
        words: ("Write the file", ""),
    },
    Kind {
        id: "wharfside",
        generator: "Wharfside",
        colour: "#1d4f73",
        slots: &[
            slot(
                "shell",
                "Shell document, end of body",
                "Loaded once; stays while routes change.",
                Plain,
                Site,
            ),
            slot(
                "component",
                "Component of the home route",
                "Made and taken away with its route.",
                Plain,
                Home,
            ),
        ],
        interface: true,
        drafts: false,
        caches: false,
        scripted: true,
        words: ("Save", ""),
    },
    Kind {
        id: "cobble",
        generator: "Cobble 1.9",
        colour: "#55602a",
        slots: &[slot(
            "layout",
            "layouts/base.html, end of body",
            "On all pages, once the site is built.",
            Plain,
            Site,
        )],
        interface: true,
        drafts: true,
        caches: false,
        scripted: false,
        words: ("Save the layout", "Build and upload"),
    },
];

pub fn kind(id: &str) -> Option<&'static Kind> {
    KINDS.iter().find(|k| k.id == id)
}
