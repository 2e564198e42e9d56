//! Copies of the snippet that were seen on a page and are wrong: whoever places by hand replaces
//! them, as a push does, and adds nothing beside them.

use crate::code::Code;
use crate::finding::{Evidence, Finding};

/// A copy that must go.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WrongCopy {
    /// Line of the delivered document in which it was seen, from 1.
    pub line: u32,
    /// Beginning of the copy.
    pub text: String,
    /// Reason why it must go, as a sentence.
    pub why: String,
}

/// Codes of a copy that is there and wrong.
const WRONG: [Code; 11] = [
    Code::PlacedWrongKey,
    Code::PlacedNoKey,
    Code::PlacedBadQuotes,
    Code::PlacedTruncated,
    Code::PlacedAltered,
    Code::PlacedCommented,
    Code::PlacedAsText,
    Code::PlacedDoubleWrapped,
    Code::PlacedInert,
    Code::PlacedWrongType,
    Code::PlacedLeftover,
];

/// Returns the copies that the last look at a page found wrong; of two copies the ones that are not
/// to stay: those with another key, else all but the first.
pub fn wrong_copies(findings: &[Finding], key: &str) -> Vec<WrongCopy> {
    let mut out: Vec<WrongCopy> = Vec::new();
    for found in findings {
        let lines: Vec<(u32, &String)> = found.evidence.iter().filter_map(html).collect();
        let wrong: Vec<(u32, &String)> = match found.code {
            code if WRONG.contains(&code) => lines,
            Code::PlacedTwice => surplus(&lines, key),
            _ => continue,
        };
        for (line, text) in wrong {
            if out.iter().all(|w| w.line != line) {
                out.push(WrongCopy {
                    line,
                    text: text.clone(),
                    why: found.summary.clone(),
                });
            }
        }
    }
    out
}

fn html(evidence: &Evidence) -> Option<(u32, &String)> {
    match evidence {
        Evidence::Html { line, text } => Some((*line, text)),
        _ => None,
    }
}

/// Returns which of several copies go.
fn surplus<'a>(lines: &[(u32, &'a String)], key: &str) -> Vec<(u32, &'a String)> {
    let ours = |(_, text): &(u32, &String)| !key.is_empty() && text.contains(key);
    let others: Vec<_> = lines.iter().copied().filter(|l| !ours(l)).collect();
    match others.len() {
        n if n > 0 && n < lines.len() => others,
        _ => lines.iter().copied().skip(1).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(code: Code, lines: &[(u32, &str)]) -> Finding {
        let evidence = lines.iter().map(|(line, text)| Evidence::Html {
            line: *line,
            text: text.to_string(),
        });
        Finding::broken(code, "It is wrong.", "Mend it.").with_all(evidence)
    }

    fn lines(findings: &[Finding]) -> Vec<u32> {
        wrong_copies(findings, "abcd-1234")
            .iter()
            .map(|w| w.line)
            .collect()
    }

    #[test]
    fn a_wrong_copy_is_replaced_and_what_is_missing_is_not() {
        let wrong = found(Code::PlacedWrongKey, &[(12, "<script data-key=\"zzzz\">")]);
        let told = wrong_copies(std::slice::from_ref(&wrong), "abcd-1234");
        assert_eq!((told[0].line, told[0].why.as_str()), (12, "It is wrong."));
        assert_eq!(lines(&[found(Code::PlacedAbsent, &[(3, "x")])]), [0; 0]);
    }

    #[test]
    fn of_two_copies_the_one_with_another_key_goes_else_the_later() {
        let (own, other) = (
            "<script data-key=\"abcd-1234\">",
            "<script data-key=\"zzzz\">",
        );
        let twice = |a, b| lines(&[found(Code::PlacedTwice, &[(10, a), (20, b)])]);
        assert_eq!(twice(other, own), [10]);
        assert_eq!(twice(own, other), [20]);
        assert_eq!(twice(own, own), [20]);
        assert_eq!(twice(other, other), [20]);
    }
}
