//! Kinds of work that workers do for a site.

use serde::{Deserialize, Serialize};

/// A stored word that this program does not know: an earlier program, or a later one, wrote it.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("\u{201c}{word}\u{201d} is no {what} that this program knows")]
pub struct UnknownWord {
    /// The set that it should belong to.
    pub what: &'static str,
    /// Word that was stored.
    pub word: String,
}

/// State of a job.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum JobState {
    /// No worker has it yet.
    Waiting,
    /// A worker has it.
    Running,
    /// The job was done.
    Done,
    /// The job could not be done.
    Failed,
    /// A person cancelled it.
    Cancelled,
}

impl JobState {
    /// Every state, in the order in which a job passes them.
    pub const ALL: [JobState; 5] = [
        JobState::Waiting,
        JobState::Running,
        JobState::Done,
        JobState::Failed,
        JobState::Cancelled,
    ];

    /// Returns the state's word, as it is stored and shown.
    pub fn word(self) -> &'static str {
        match self {
            JobState::Waiting => "waiting",
            JobState::Running => "running",
            JobState::Done => "done",
            JobState::Failed => "failed",
            JobState::Cancelled => "cancelled",
        }
    }
}

impl TryFrom<String> for JobState {
    type Error = UnknownWord;

    fn try_from(word: String) -> Result<JobState, UnknownWord> {
        let known = JobState::ALL.into_iter().find(|s| s.word() == word);
        let what = "state of a job";
        known.ok_or(UnknownWord { what, word })
    }
}

/// Origin of a stored check: a job, or an act of a person.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum CheckKind {
    /// Check that a worker made as a job.
    Job(JobKind),
    /// The client accepted a handover.
    Confirm,
    /// A person changed the design.
    Design,
}

impl CheckKind {
    /// Returns the key that is stored.
    pub fn key(self) -> &'static str {
        match self {
            CheckKind::Job(kind) => kind.key(),
            CheckKind::Confirm => "confirm",
            CheckKind::Design => "design",
        }
    }

    /// Returns the kind's name for people.
    pub fn title(self) -> &'static str {
        match self {
            CheckKind::Job(kind) => kind.title(),
            CheckKind::Confirm => "Client\u{2019}s yes",
            CheckKind::Design => "Design",
        }
    }
}

impl TryFrom<String> for CheckKind {
    type Error = UnknownWord;

    fn try_from(word: String) -> Result<CheckKind, UnknownWord> {
        let of_people = [CheckKind::Confirm, CheckKind::Design].into_iter();
        let all = JobKind::ALL
            .into_iter()
            .map(CheckKind::Job)
            .chain(of_people);
        let what = "kind of check";
        let known = all.into_iter().find(|k| k.key() == word);
        known.ok_or(UnknownWord { what, word })
    }
}

impl TryFrom<String> for JobKind {
    type Error = UnknownWord;

    fn try_from(word: String) -> Result<JobKind, UnknownWord> {
        let what = "kind of job";
        JobKind::from_key(&word).ok_or(UnknownWord { what, word })
    }
}

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
    /// Every kind, in the order in which they are offered.
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

    /// Returns the kind's key, as it is stored and posted.
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

    /// Returns the kind that a stored key names.
    pub fn from_key(key: &str) -> Option<JobKind> {
        JobKind::ALL.into_iter().find(|k| k.key() == key)
    }

    /// Title of a round of them.
    pub fn title(self) -> &'static str {
        match self {
            JobKind::Check => "Verify",
            JobKind::Echo => "Test messages",
            JobKind::Weigh => "Weigh",
            JobKind::Preview => "Screenshots for the design",
            JobKind::Sheet => "Handover sheets",
            JobKind::Survey => "Survey",
            JobKind::Pages => "Check all pages",
            JobKind::Push => "Publish to sites",
            JobKind::Swap => "Publish and remove other suppliers",
            JobKind::PutBack => "Undo publishing",
            JobKind::Values => "Write design to the supplier",
        }
    }

    /// Returns the words on the button for one site.
    pub fn act(self) -> &'static str {
        match self {
            JobKind::Check => "Verify now",
            JobKind::Echo => "Send test message",
            JobKind::Weigh => "Weigh now",
            JobKind::Preview => "Take screenshots",
            JobKind::Sheet => "Make handover sheet",
            JobKind::Survey => "Survey site",
            JobKind::Pages => "Check all pages",
            JobKind::Push => "Publish to site",
            JobKind::Swap => "Publish and remove other suppliers",
            JobKind::PutBack => "Undo publishing",
            JobKind::Values => "Write design to the supplier",
        }
    }

    /// Returns whether it writes the snippet into slots, and can be undone.
    pub fn places(self) -> bool {
        matches!(self, JobKind::Push | JobKind::Swap)
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn stored_words_are_read_back_and_others_are_errors() {
        for state in JobState::ALL {
            assert_eq!(JobState::try_from(state.word().to_string()), Ok(state));
        }
        for kind in JobKind::ALL {
            assert_eq!(JobKind::try_from(kind.key().to_string()), Ok(kind));
            let kind = CheckKind::Job(kind);
            assert_eq!(CheckKind::try_from(kind.key().to_string()), Ok(kind));
        }
        for kind in [CheckKind::Confirm, CheckKind::Design] {
            assert_eq!(CheckKind::try_from(kind.key().to_string()), Ok(kind));
        }
        let unknown = JobState::try_from("resting".to_string()).unwrap_err();
        assert!(unknown.to_string().contains("resting"), "{unknown}");
        assert!(JobKind::try_from("dance".to_string()).is_err());
        assert!(CheckKind::try_from(String::new()).is_err());
    }
}
