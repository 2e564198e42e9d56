//! Kinds of work that workers do for a site.

use serde::{Deserialize, Serialize};

/// One kind of job.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum JobKind {
    /// Visit the site and judge the chain, consent and looks.
    Check,
    /// Send a test message and see its answer.
    Echo,
    /// Weigh what the widget costs the page.
    Weigh,
    /// Pictures of the page without the widget, for the design's preview.
    Preview,
    /// Make the handover sheet.
    Sheet,
    /// See what is on the site already, by HTTP.
    Survey,
    /// Look at the whole site: each page by HTTP, a sample of them in a browser.
    Pages,
    /// Publish the snippet into the site's slot.
    Push,
    /// The same, with the code of other suppliers taken out.
    Swap,
    /// Put back what a round of pushes wrote.
    PutBack,
    /// Write the design's values into the supplier's settings.
    Values,
}

impl JobKind {
    /// In the order in which they are offered.
    pub const ALL: [JobKind; 11] = [
        JobKind::Check,
        JobKind::Echo,
        JobKind::Weigh,
        JobKind::Preview,
        JobKind::Sheet,
        JobKind::Survey,
        JobKind::Pages,
        JobKind::Push,
        JobKind::Swap,
        JobKind::PutBack,
        JobKind::Values,
    ];

    /// As it is stored and posted.
    pub fn key(self) -> &'static str {
        match self {
            JobKind::Check => "check",
            JobKind::Echo => "echo",
            JobKind::Weigh => "weigh",
            JobKind::Preview => "preview",
            JobKind::Sheet => "sheet",
            JobKind::Survey => "survey",
            JobKind::Pages => "pages",
            JobKind::Push => "push",
            JobKind::Swap => "swap",
            JobKind::PutBack => "put_back",
            JobKind::Values => "values",
        }
    }

    /// Reads a key.
    pub fn from_key(key: &str) -> Option<JobKind> {
        JobKind::ALL.into_iter().find(|k| k.key() == key)
    }

    /// Title of a round of them.
    pub fn title(self) -> &'static str {
        match self {
            JobKind::Check => "Verify",
            JobKind::Echo => "Test messages",
            JobKind::Weigh => "Weigh",
            JobKind::Preview => "Pictures for the design",
            JobKind::Sheet => "Handover sheets",
            JobKind::Survey => "Survey",
            JobKind::Pages => "Check all pages",
            JobKind::Push => "Publish to the sites",
            JobKind::Swap => "Publish, and take other suppliers out",
            JobKind::PutBack => "Put back",
            JobKind::Values => "Write the design at the supplier",
        }
    }

    /// On the button for one site.
    pub fn act(self) -> &'static str {
        match self {
            JobKind::Check => "Verify now",
            JobKind::Echo => "Send a test message",
            JobKind::Weigh => "Weigh now",
            JobKind::Preview => "Take pictures",
            JobKind::Sheet => "Make the sheet",
            JobKind::Survey => "Survey the site",
            JobKind::Pages => "Check all pages",
            JobKind::Push => "Publish to the site",
            JobKind::Swap => "Publish, and take other suppliers out",
            JobKind::PutBack => "Put back",
            JobKind::Values => "Write the design at the supplier",
        }
    }

    /// Wants the machine for itself: whatever else runs there would be weighed too.
    pub fn is_alone(self) -> bool {
        self == JobKind::Weigh
    }

    /// Total time after which a job is given up, seconds.
    pub fn most_s(self) -> u64 {
        match self {
            JobKind::Check | JobKind::Preview => 120,
            JobKind::Push | JobKind::Swap | JobKind::PutBack | JobKind::Values => 120,
            JobKind::Echo | JobKind::Survey => 180,
            JobKind::Sheet => 120,
            JobKind::Pages => 600,
            JobKind::Weigh => 900,
        }
    }
}
