//! All forms of the application that change something, so that each rule for forms is tried on each.

/// What technicians send.
pub const FORMS: [&str; 21] = [
    "/bulk",
    "/rounds/1/cancel",
    "/rounds/1/again",
    "/clients",
    "/clients/1",
    "/sites/new",
    "/sites/look",
    "/sites/1/settings",
    "/sites/1/remove",
    "/sites/1/design",
    "/sites/1/design/numbers",
    "/sites/1/pages/take-over",
    "/sites/1/place/push",
    "/sites/1/place/back",
    "/sites/1/act",
    "/handovers/1/link",
    "/handovers/1/withdraw",
    "/house-style",
    "/profiles/look",
    "/profiles/try",
    "/profiles/from-snippet",
];

/// What only administrators send.
pub const ADMINISTRATION: [&str; 10] = [
    "/settings",
    "/profiles/act",
    "/profiles/new",
    "/profiles/supplier/brindle",
    "/profiles/supplier/brindle/remove",
    "/people",
    "/people/act",
    "/people/link",
    "/people/role",
    "/people/second",
];
