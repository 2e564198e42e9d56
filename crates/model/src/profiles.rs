//! A set of profiles, such as a folder of files. What a file is follows from its tables; a short
//! name is there once a kind.

use crate::platform::{Platform, PlatformError};
use crate::profile::sample_words::{SampleWords, SampleWordsError};
use crate::profile::{ConsentManager, ProfileError, Supplier};
use crate::region::Region;
use newtfern_standards::nearest::nearest;
use newtfern_standards::strict_toml::TomlError;
use std::collections::HashMap;

/// Kind of a profile.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum ProfileKind {
    /// Profile of a widget's supplier.
    Supplier,
    /// Profile of a consent manager.
    ConsentManager,
    /// Profile of a site builder or tag manager.
    Platform,
    /// Consent rules of a region.
    Region,
    /// Sample words, by language.
    SampleWords,
}

impl ProfileKind {
    /// Kinds that sites name or are judged by, each with a short name.
    pub const NAMED: [ProfileKind; 4] = [
        ProfileKind::Supplier,
        ProfileKind::Platform,
        ProfileKind::ConsentManager,
        ProfileKind::Region,
    ];

    /// Returns the kind's name in addresses and in the database.
    pub fn key(self) -> &'static str {
        match self {
            ProfileKind::Supplier => "supplier",
            ProfileKind::ConsentManager => "consent",
            ProfileKind::Platform => "platform",
            ProfileKind::Region => "region",
            ProfileKind::SampleWords => "words",
        }
    }

    /// The kind with a key.
    pub fn from_key(key: &str) -> Option<ProfileKind> {
        ProfileKind::NAMED.into_iter().find(|k| k.key() == key)
    }

    /// The table that only this kind has.
    pub fn own_table(self) -> &'static str {
        match self {
            ProfileKind::Supplier => "[snippet]",
            ProfileKind::ConsentManager => "[banner]",
            ProfileKind::Platform => "[[slot]]",
            ProfileKind::Region => "[before]",
            ProfileKind::SampleWords => "[sample_words]",
        }
    }

    /// Returns the kind as words for people.
    pub fn words(self) -> &'static str {
        match self {
            ProfileKind::Supplier => "supplier",
            ProfileKind::ConsentManager => "consent manager",
            ProfileKind::Platform => "platform",
            ProfileKind::Region => "region",
            ProfileKind::SampleWords => "sample words",
        }
    }

    /// The kind of a text, by the table that only this kind has.
    ///
    /// # Errors
    /// [`ProfilesError`], where it is none, or no TOML.
    pub fn of(file: &str, text: &str) -> Result<ProfileKind, ProfilesError> {
        let table: toml::Table =
            newtfern_standards::strict_toml::read(text).map_err(|error| ProfilesError::Syntax {
                file: file.to_string(),
                error,
            })?;
        let kinds = [
            ("snippet", ProfileKind::Supplier),
            ("banner", ProfileKind::ConsentManager),
            ("slot", ProfileKind::Platform),
            ("before", ProfileKind::Region),
            ("sample_words", ProfileKind::SampleWords),
        ];
        let found = kinds.iter().find(|(name, _)| table.contains_key(*name));
        found
            .map(|(_, kind)| *kind)
            .ok_or_else(|| ProfilesError::NoKind {
                file: file.to_string(),
            })
    }
}

/// Reason why a file is not taken into a set, or a name finds nothing in it.
#[derive(Debug, thiserror::Error)]
pub enum ProfilesError {
    /// The file is no TOML.
    #[error("{file}: {error}")]
    Syntax {
        /// Name of the file.
        file: String,
        /// Line and reason of the mistake.
        error: TomlError,
    },
    /// The file is TOML of no known kind.
    #[error(
        "{file} is not a profile: a supplier has a table [snippet], a consent manager [banner], a \
        platform [[slot]], a region [before], a list of sample words [sample_words]"
    )]
    NoKind {
        /// Name of the file.
        file: String,
    },
    /// A supplier profile with a wrong entry.
    #[error("{file}: {error}")]
    Profile {
        /// Name of the file.
        file: String,
        /// Mistake in the profile.
        error: ProfileError,
    },
    /// A platform profile with a wrong entry.
    #[error("{file}: {error}")]
    Platform {
        /// Name of the file.
        file: String,
        /// Mistake in the profile.
        error: PlatformError,
    },
    /// Each client runs the supplier itself, and nobody said where.
    #[error(
        "each client runs {supplier} at an address of its own: give it as `host` of the widget"
    )]
    NoHost {
        /// Short name of the supplier.
        supplier: String,
    },
    /// A list of sample words with a wrong entry.
    #[error("{file}: {error}")]
    SampleWords {
        /// Name of the file.
        file: String,
        /// Mistake in the list.
        error: SampleWordsError,
    },
    /// A channel of an expectation means nothing at its supplier.
    #[error("the widget of {supplier} has a channel whose target is not clear: {why}")]
    Channel {
        /// Short name of the supplier.
        supplier: String,
        /// Reason, in words for the person.
        why: String,
    },
    /// A short name is missing.
    #[error("{file}: this {} has no id", kind.words())]
    NoId {
        /// Name of the file.
        file: String,
        /// Kind of the profile.
        kind: ProfileKind,
    },
    /// A short name is there already.
    #[error("the {} \u{201c}{id}\u{201d} is there twice: in {first} and in {second}", kind.words())]
    Twice {
        /// Kind of the profile.
        kind: ProfileKind,
        /// Short name that occurs twice.
        id: String,
        /// The file that was read first.
        first: String,
        /// Name of the second file.
        second: String,
    },
    /// A name that no profile has.
    #[error("there is no {} \u{201c}{id}\u{201d} \
        among the profiles{}", kind.words(), near.as_ref().map(|n| format!("; the nearest is \
            \u{201c}{n}\u{201d}")).unwrap_or_default())]
    Unknown {
        /// Kind that was looked for.
        kind: ProfileKind,
        /// Short name that is unknown.
        id: String,
        /// The short name most like it.
        near: Option<String>,
    },
}

/// Profiles of all kinds.
#[derive(Debug, Clone, Default)]
pub struct Profiles {
    /// Suppliers in the order in which they were read.
    pub suppliers: Vec<Supplier>,
    /// Consent managers in the order in which they were read.
    pub consents: Vec<ConsentManager>,
    /// Platforms in the order in which they were read.
    pub platforms: Vec<Platform>,
    /// Regions in the order in which they were read.
    pub regions: Vec<Region>,
    /// The sample texts of all files.
    pub sample_words: SampleWords,
    /// Whence each was read, by its short name.
    pub files: HashMap<(ProfileKind, String), String>,
}

#[derive(serde::Deserialize)]
struct SampleWordsFile {
    sample_words: SampleWords,
}

impl Profiles {
    /// Takes a file in; gives what it is.
    ///
    /// # Errors
    /// [`ProfilesError`], with the file; nothing of it is taken in then.
    pub fn add(&mut self, file: &str, text: &str) -> Result<ProfileKind, ProfilesError> {
        let kind = ProfileKind::of(file, text)?;
        let syntax = |error| ProfilesError::Syntax {
            file: file.to_string(),
            error,
        };
        let profile = |error| ProfilesError::Profile {
            file: file.to_string(),
            error,
        };
        match kind {
            ProfileKind::Supplier => {
                let read = Supplier::given(text).map_err(profile)?;
                self.once(kind, &read.id, file)?;
                self.suppliers.push(read);
            }
            ProfileKind::ConsentManager => {
                let read = ConsentManager::given(text).map_err(profile)?;
                self.once(kind, &read.id, file)?;
                self.consents.push(read);
            }
            ProfileKind::Platform => {
                let read = Platform::given(text).map_err(|error| ProfilesError::Platform {
                    file: file.to_string(),
                    error,
                })?;
                self.once(kind, &read.id, file)?;
                self.platforms.push(read);
            }
            ProfileKind::Region => {
                let read = Region::given(text).map_err(syntax)?;
                self.once(kind, &read.id, file)?;
                self.regions.push(read);
            }
            ProfileKind::SampleWords => {
                let read: SampleWordsFile =
                    newtfern_standards::strict_toml::read(text).map_err(syntax)?;
                let words = |error| ProfilesError::SampleWords {
                    file: file.to_string(),
                    error,
                };
                self.sample_words
                    .add(read.sample_words.sound().map_err(words)?);
            }
        }
        Ok(kind)
    }

    fn once(&mut self, kind: ProfileKind, id: &str, file: &str) -> Result<(), ProfilesError> {
        if id.trim().is_empty() {
            let file = file.to_string();
            return Err(ProfilesError::NoId { file, kind });
        }
        match self.files.get(&(kind, id.to_string())) {
            Some(first) => Err(ProfilesError::Twice {
                kind,
                id: id.to_string(),
                first: first.clone(),
                second: file.to_string(),
            }),
            None => {
                self.files.insert((kind, id.to_string()), file.to_string());
                Ok(())
            }
        }
    }

    /// Puts each supplier that a client runs itself at its address; `widgets` has the supplier and
    /// the host of each widget of a site.
    ///
    /// # Errors
    /// [`ProfilesError::NoHost`], where no host is given.
    pub fn at_hosts<'a>(
        &mut self,
        widgets: impl Iterator<Item = (&'a str, &'a str)>,
    ) -> Result<(), ProfilesError> {
        for (id, host) in widgets {
            let ours = self.suppliers.iter_mut().find(|s| s.id == id);
            let Some(supplier) = ours.filter(|s| s.needs_host()) else {
                continue;
            };
            if host.is_empty() {
                let supplier = supplier.id.clone();
                return Err(ProfilesError::NoHost { supplier });
            }
            *supplier = supplier.clone().at_host(host);
        }
        Ok(())
    }

    /// A supplier by its short name.
    ///
    /// # Errors
    /// [`ProfilesError::Unknown`], with the nearest name.
    pub fn supplier(&self, id: &str) -> Result<&Supplier, ProfilesError> {
        let found = self.suppliers.iter().find(|s| s.id == id);
        found.ok_or_else(|| {
            unknown(
                ProfileKind::Supplier,
                id,
                self.suppliers.iter().map(|s| s.id.as_str()),
            )
        })
    }

    /// A consent manager by its short name.
    ///
    /// # Errors
    /// [`ProfilesError::Unknown`], with the nearest name.
    pub fn consent(&self, id: &str) -> Result<&ConsentManager, ProfilesError> {
        let found = self.consents.iter().find(|s| s.id == id);
        found.ok_or_else(|| {
            unknown(
                ProfileKind::ConsentManager,
                id,
                self.consents.iter().map(|s| s.id.as_str()),
            )
        })
    }

    /// A platform by its short name.
    ///
    /// # Errors
    /// [`ProfilesError::Unknown`], with the nearest name.
    pub fn platform(&self, id: &str) -> Result<&Platform, ProfilesError> {
        let found = self.platforms.iter().find(|s| s.id == id);
        found.ok_or_else(|| {
            unknown(
                ProfileKind::Platform,
                id,
                self.platforms.iter().map(|s| s.id.as_str()),
            )
        })
    }
}

fn unknown<'a>(kind: ProfileKind, id: &str, known: impl Iterator<Item = &'a str>) -> ProfilesError {
    ProfilesError::Unknown {
        kind,
        id: id.to_string(),
        near: nearest(id, known).map(str::to_string),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::profile::tests::SAMPLE;

    const BANNER: &str = "id = 'bar'\n[banner]\naccept = '#yes'";
    const PLATFORM: &str =
        "id = 'cms'\nname = 'CMS'\n[[slot]]\nid = 'a'\nname = 'A'\ntakes = 'markup'";
    const REGION: &str = "id = 'r'\nname = 'R'\n[before]\nrequests = []\nstorage = []";

    #[test]
    fn what_a_file_is_follows_from_its_tables() {
        let mut all = Profiles::default();
        for (file, text, kind) in [
            ("a.toml", SAMPLE, ProfileKind::Supplier),
            ("b.toml", BANNER, ProfileKind::ConsentManager),
            ("c.toml", PLATFORM, ProfileKind::Platform),
            ("d.toml", REGION, ProfileKind::Region),
            (
                "e.toml",
                "[sample_words]\nen = ['John']",
                ProfileKind::SampleWords,
            ),
            (
                "f.toml",
                "[sample_words]\nen = ['Jane']",
                ProfileKind::SampleWords,
            ),
        ] {
            assert_eq!(all.add(file, text).unwrap(), kind, "{file}");
        }
        assert!(all.sample_words.all().eq(["John", "Jane"]));
        assert_eq!(all.supplier("example").unwrap().name, "Example Chat");
        assert!(all.consent("bar").is_ok() && all.platform("cms").is_ok());
        let told = all.supplier("exmple").unwrap_err().to_string();
        assert_eq!(
            told,
            "there is no supplier \u{201c}exmple\u{201d} among the profiles; the nearest is \
            \u{201c}example\u{201d}"
        );
    }

    #[test]
    fn every_mistake_names_its_file() {
        let mut all = Profiles::default();
        all.add("one.toml", SAMPLE).unwrap();
        all.add("cms.toml", PLATFORM).unwrap();
        // The same short name is another thing in another kind.
        all.add("bar.toml", &BANNER.replace("bar", "example"))
            .unwrap();
        let mut told = |file: &str, text: &str| all.add(file, text).unwrap_err().to_string();
        let twice = told("two.toml", SAMPLE);
        assert!(
            twice.contains("one.toml") && twice.contains("two.toml") && twice.contains("example"),
            "{twice}"
        );
        for (text, words) in [
            ("id = 'x'", "x.toml is not a profile"),
            ("id = ", "x.toml: line 1: "),
            (
                "[banner]\naccept = 'x'",
                "x.toml: this consent manager has no id",
            ),
            (
                &SAMPLE.replace("?P<key>[^", "?P<k>[^"),
                "no group named key",
            ),
            (
                &SAMPLE.replace("[consent]", "[texts]\ngreting = '#a'\n[consent]"),
                "the nearest is \u{201c}greeting\u{201d}",
            ),
            (
                &SAMPLE.replace("[open]", "[alive.states]\noffline = 'x'\n[open]"),
                "is not a field here; the nearest is \u{201c}online\u{201d}",
            ),
        ] {
            let told = told("x.toml", text);
            assert!(told.contains(words), "{told}");
        }
        assert_eq!(
            all.suppliers.len() + all.platforms.len() + all.consents.len(),
            3
        );
    }
}
