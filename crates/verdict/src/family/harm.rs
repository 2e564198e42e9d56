//! What a fault in each family does to the client: lists show the worst first, with the reason.

use super::kind::Family;

/// Families with the harm that a fault in them does, the greatest first. The order is common
/// practice: what breaks the law, then what keeps visitors from talking, then what costs or looks
/// wrong.
pub const HARMS: [(Family, &str); Family::ALL.len()] = [
    (
        Family::Consent,
        "The widget uses visitors\u{2019} data without consent.",
    ),
    (Family::Load, "Visitors cannot chat."),
    (Family::Pages, "Visitors cannot chat on some pages."),
    (Family::Echo, "Messages from visitors may get lost."),
    (Family::Place, "The widget is not on the site as planned."),
    (Family::Weigh, "The widget slows the site down."),
    (
        Family::Brand,
        "The widget does not match the client\u{2019}s design.",
    ),
    (Family::Design, "The widget is not ready to be placed."),
    (Family::HandOver, "The client has no proof yet."),
    (Family::Watch, "Changes on the site are not known."),
];

impl Family {
    /// Returns what a fault in this family does to the client.
    pub fn harm(self) -> &'static str {
        let found = HARMS.iter().find(|(family, _)| *family == self);
        found.map_or("", |(_, harm)| harm)
    }
}

#[cfg(test)]
mod tests {
    use super::HARMS;
    use crate::family::kind::Family;

    #[test]
    fn each_family_has_its_harm_once() {
        for family in Family::ALL {
            assert!(family.harm().ends_with('.'), "{family:?}");
            let times = HARMS.iter().filter(|(f, _)| *f == family).count();
            assert_eq!(times, 1, "{family:?}");
        }
    }
}
