//! Words that suppliers ship as samples and that people forget to replace, by language: those that
//! are looked for beyond the built-in ones.

use oxilangtag::LanguageTag;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt;

/// Lines of a list.
const MOST_LINES: usize = 500;
/// Characters of a sample.
const MOST_CHARACTERS: usize = 200;

/// Reason why a list of sample words is not read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SampleWordsError {
    /// The line has no language, or no words.
    #[error(
        "\u{201c}{0}\u{201d} is no sample text: write its language, a colon and the words (en: \
        Your name here)"
    )]
    Line(String),
    /// A sample text that is too long.
    #[error("a sample text has at most {MOST_CHARACTERS} characters: \u{201c}{0}\u{2026}\u{201d}")]
    Long(String),
    /// More sample texts than are taken.
    #[error("the list has {0} sample texts, and may have {MOST_LINES}")]
    Many(usize),
}

/// Sample words by language (BCP 47).
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct SampleWords(BTreeMap<String, Vec<String>>);

impl SampleWords {
    /// Reads a list of one sample a line: language, colon, words. Empty lines are left out.
    ///
    /// # Errors
    /// [`SampleWordsError`], with the line.
    pub fn read(text: &str) -> Result<SampleWords, SampleWordsError> {
        let lines: Vec<&str> = text
            .lines()
            .map(str::trim)
            .filter(|l| !l.is_empty())
            .collect();
        if lines.len() > MOST_LINES {
            return Err(SampleWordsError::Many(lines.len()));
        }
        let mut out = SampleWords::default();
        for line in lines {
            let beginning = || line.chars().take(40).collect::<String>();
            if line.chars().count() > MOST_CHARACTERS {
                return Err(SampleWordsError::Long(beginning()));
            }
            let parted = line.split_once(':').map(|(l, w)| (l.trim(), w.trim()));
            let parted = parted.filter(|(language, words)| {
                LanguageTag::parse(*language).is_ok() && !words.is_empty()
            });
            let (language, words) = parted.ok_or_else(|| SampleWordsError::Line(beginning()))?;
            out.put(language, words);
        }
        Ok(out)
    }

    /// The list, where it is one that could have been typed.
    ///
    /// # Errors
    /// [`SampleWordsError`], with the sample.
    pub fn sound(self) -> Result<SampleWords, SampleWordsError> {
        SampleWords::read(&self.to_string())
    }

    /// Adds those of another list that are not in this one.
    pub fn add(&mut self, more: SampleWords) {
        for (language, words) in more.0 {
            for sample in words {
                self.put(&language, &sample);
            }
        }
    }

    fn put(&mut self, language: &str, sample: &str) {
        let known = self.0.entry(language.to_string()).or_default();
        if !known.iter().any(|k| k == sample) {
            known.push(sample.to_string());
        }
    }

    /// All samples, whatever their language: a widget in one may have been left with the samples of
    /// another.
    pub fn all(&self) -> impl Iterator<Item = &str> {
        self.0.values().flatten().map(String::as_str)
    }
}

impl fmt::Display for SampleWords {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (language, words) in &self.0 {
            for sample in words {
                writeln!(f, "{language}: {sample}")?;
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_list_reads_back_as_it_was_written() {
        let text =
            "cy: Enw eich cwmni\n\n en :Your name here \nen: Your name here\nen: Ask: anything";
        let read = SampleWords::read(text).expect("a list");
        let all: Vec<&str> = read.all().collect();
        assert_eq!(all, ["Enw eich cwmni", "Your name here", "Ask: anything"]);
        assert_eq!(SampleWords::read(&read.to_string()), Ok(read.clone()));
        let mut more = SampleWords::read("cy: Enw eich cwmni\nnb: Firmanavn").expect("a list");
        more.add(read);
        assert_eq!(more.all().count(), 4);
    }

    #[test]
    fn a_line_that_is_none_is_told() {
        for line in ["Your name here", "en:", "two words: sample", ": sample"] {
            let told = SampleWords::read(line);
            assert_eq!(told, Err(SampleWordsError::Line(line.into())), "{line}");
        }
        let long = format!("en: {}", "a".repeat(MOST_CHARACTERS));
        assert!(matches!(
            SampleWords::read(&long),
            Err(SampleWordsError::Long(_))
        ));
        let many = "en: a\n".repeat(MOST_LINES + 1);
        assert_eq!(
            SampleWords::read(&many),
            Err(SampleWordsError::Many(MOST_LINES + 1))
        );
    }
}
