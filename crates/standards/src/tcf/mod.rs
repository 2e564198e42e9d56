//! Consent strings of the Transparency and Consent Framework, version 2 (IAB Tech Lab, "Consent
//! string and vendor list formats v2"): decoded, and what they allow a class of widget.

mod base64_bits;
mod error;

pub use error::TcfError;

use base64_bits::Bits;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// Content of a visitor's consent string.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct TcString {
    /// Id of the consent manager in the framework's list.
    pub cmp_id: u16,
    /// Language in which the visitor was asked (ISO 639-1), upper case.
    pub language: String,
    /// Version of the vendor list.
    pub vendor_list: u16,
    /// Version of the framework's policy.
    pub policy: u8,
    /// Opted into by name.
    pub special_features: BTreeSet<u16>,
    /// Purposes that the visitor consented to.
    pub purposes: BTreeSet<u16>,
    /// Purposes for which legitimate interest was told and not objected to.
    pub legitimate_interests: BTreeSet<u16>,
    /// Vendors that the visitor consented to.
    pub vendors: BTreeSet<u16>,
    /// Vendors whose legitimate interest was told and not objected to.
    pub vendor_interests: BTreeSet<u16>,
    /// Country of the publisher (ISO 3166-1), upper case.
    pub publisher_country: String,
    /// Vendors that the visitor was told of; empty where the string does not say.
    pub told_of: BTreeSet<u16>,
}

/// Vendors of a list; a string that names more is not believed.
const MOST_VENDORS: usize = 65_535;

impl TcString {
    /// Decodes a consent string.
    ///
    /// # Errors
    /// [`TcfError`], where it is none of version 2.
    pub fn decode(text: &str) -> Result<TcString, TcfError> {
        let mut segments = text.trim().split('.');
        let mut out = core(segments.next().unwrap_or_default())?;
        for segment in segments {
            let mut bits = Bits::of(segment)?;
            // 1: vendors that were disclosed. Others are of no use here.
            if bits.number(3)? == 1 {
                out.told_of = vendors(&mut bits)?;
            }
        }
        Ok(out)
    }

    /// Do its consents suffice for a widget of this class?
    pub fn allows(&self, class: ConsentClass) -> bool {
        purposes_of(class).iter().all(|p| self.purposes.contains(p))
    }

    /// Returns the content as words for people.
    pub fn words(&self) -> String {
        let list = |all: &BTreeSet<u16>| match all.len() {
            0 => "none".to_string(),
            n if n > 12 => format!("{n} of them"),
            _ => all
                .iter()
                .map(u16::to_string)
                .collect::<Vec<_>>()
                .join(", "),
        };
        format!(
            "consent to purposes {}; legitimate interest for {}; vendors {}",
            list(&self.purposes),
            list(&self.legitimate_interests),
            list(&self.vendors)
        )
    }
}

/// Purpose of a service, as consent managers sort it (common practice).
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ConsentClass {
    /// The page does not work without it.
    Necessary,
    /// Does something for the visitor, such as remembering a choice.
    #[default]
    Functional,
    /// Counts visits and what visitors do.
    Analytics,
    /// Advertises, here or elsewhere.
    Marketing,
}

/// Purposes that a class needs (contract): functional 1; analytics 1, 7, 8; marketing 1, 2, 3, 4,
/// 7.
pub fn purposes_of(class: ConsentClass) -> &'static [u16] {
    match class {
        ConsentClass::Necessary => &[],
        ConsentClass::Functional => &[1],
        ConsentClass::Analytics => &[1, 7, 8],
        ConsentClass::Marketing => &[1, 2, 3, 4, 7],
    }
}

/// The visitor's decision as the interface tells it, for a class: its string, and the status of its
/// event. Nothing where the string cannot be read.
pub fn state(text: &str, status: &str, class: ConsentClass) -> Option<&'static str> {
    // The question is still on the screen: nothing was decided, whatever stands in the string.
    if status == "cmpuishown" || text.is_empty() {
        return Some("untouched");
    }
    let told = TcString::decode(text).ok()?;
    Some(match told.allows(class) {
        true => "granted",
        false => "refused",
    })
}

fn core(segment: &str) -> Result<TcString, TcfError> {
    let mut bits = Bits::of(segment)?;
    let version = bits.number(6)?;
    if version != 2 {
        return Err(TcfError::Version(version));
    }
    // Created and last updated, in tenths of a second since 1970.
    bits.skip(72)?;
    let cmp_id = bits.number(12)? as u16;
    bits.skip(12 + 6)?;
    let language = bits.letters(2)?;
    let vendor_list = bits.number(12)? as u16;
    let policy = bits.number(6)? as u8;
    // Specific to the service; texts other than the standard's.
    bits.skip(2)?;
    let special_features = bits.set(12)?;
    let purposes = bits.set(24)?;
    let legitimate_interests = bits.set(24)?;
    bits.skip(1)?;
    let publisher_country = bits.letters(2)?;
    Ok(TcString {
        cmp_id,
        language,
        vendor_list,
        policy,
        special_features,
        purposes,
        legitimate_interests,
        vendors: vendors(&mut bits)?,
        vendor_interests: vendors(&mut bits)?,
        publisher_country,
        told_of: BTreeSet::new(),
    })
}

/// A list of vendors: one bit each, or ranges of their numbers.
fn vendors(bits: &mut Bits) -> Result<BTreeSet<u16>, TcfError> {
    let most = bits.number(16)? as usize;
    if bits.number(1)? == 0 {
        return bits.set(most);
    }
    let mut out = BTreeSet::new();
    for _ in 0..bits.number(12)? {
        let range = bits.number(1)? == 1;
        let from = bits.number(16)? as u16;
        let to = if range { bits.number(16)? as u16 } else { from };
        out.extend(from..=to);
        if out.len() > MOST_VENDORS {
            break;
        }
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_no_string_says_why() {
        let why = |text: &str| TcString::decode(text).unwrap_err();
        assert_eq!(why(""), TcfError::Short);
        assert_eq!(why("C!"), TcfError::Letter('!'));
        // The version is the first character: B is 1.
        assert_eq!(
            why("BOEFEAyOEFEAyAHABDENAI4AAAB9vABAASA"),
            TcfError::Version(1)
        );
        assert_eq!(why("COvFyGBOvFyGB"), TcfError::Short);
    }

    #[test]
    fn a_question_on_the_screen_is_no_decision() {
        let class = ConsentClass::Functional;
        assert_eq!(state("", "tcloaded", class), Some("untouched"));
        assert_eq!(state("anything", "cmpuishown", class), Some("untouched"));
        assert_eq!(state("anything", "tcloaded", class), None);
    }
}
