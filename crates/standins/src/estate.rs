//! The made-up clients of the demo agency "Fenwick & Sallow", their sites, and what is wrong with
//! some.

/// Fault that a site or a key stands for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fault {
    Status,
    Timeout,
    Dns,
    Absent,
    AsText,
    Commented,
    DoubleWrapped,
    WrongKey,
    Twice,
    BadQuotes,
    Truncated,
    Policy,
    LoaderStatus,
    ServiceDns,
    Throws,
    Silent,
    Hidden,
    Covered,
    Phone,
    NoOpen,
    /// Not a broken chain: a widget over its budget.
    Heavy,
    /// Not a broken chain: colours and corner other than designed.
    OffBrand,
    /// Not a broken chain at home: the supplier's own rule keeps the widget off some pages.
    Ruled,
    /// The supplier says that it is closed at this hour.
    Closed,
    /// Nobody is at the desk.
    Away,
    /// Nobody is at the desk, and no mail is sent about a message that is left.
    NoMail,
    /// The banner is there and does not hold the widget back.
    Early,
    /// Not a broken chain: a channel leads to the client before this one.
    LastHandle,
    /// Not a broken chain: the launcher moves on and on, whoever asks for less of it.
    Restless,
    /// Not a broken chain on a desktop: no launcher in a window of middling width, as zoom makes
    /// it.
    Cramped,
    /// Not a broken chain: sample words, a variable and no notice in the supplier's settings.
    Forgotten,
    /// Not a broken chain at first: the widget stays away from visitors who come again.
    Fleeting,
    /// The banner forgets a refusal on the next page.
    Forgets,
    /// Held back for desktops, and open for phones.
    OpenOnPhones,
    /// A table is wider than a phone, so that the launcher lies beside what a visitor sees.
    Wide,
    /// The panel's document answers with an error.
    PanelGone,
    /// A script of the site's own replaced a function that the widget needs.
    Clash,
    /// Visitors in the second language get pages without the snippet.
    OneLanguage,
}

/// Maker of a site's widget.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Maker {
    /// A launcher, a frame, a live connection.
    Brindle,
    /// A closed shadow root, a form before the talk.
    Farthing,
    /// A list of channels.
    Plashet,
    /// A server that each client runs for itself.
    Weir,
}

impl Maker {
    /// Id of its profile.
    pub fn id(self) -> &'static str {
        match self {
            Maker::Brindle => "brindle",
            Maker::Farthing => "farthing",
            Maker::Plashet => "plashet",
            Maker::Weir => "weir",
        }
    }

    /// Returns the profile of the maker's widget, for stand-ins at this port.
    pub fn profile(self, port: u16) -> String {
        match self {
            Maker::Brindle => crate::profiles::supplier_profile(port),
            Maker::Farthing => crate::farthing_profile(port),
            Maker::Plashet => crate::plashet_profile(port),
            Maker::Weir => crate::profiles::weir_profile().to_string(),
        }
    }
}

/// Begins the name of the server that a client runs its widget on.
pub const WEIR: &str = "weir.";

pub struct Client {
    pub slug: &'static str,
    pub name: &'static str,
    pub primary: &'static str,
    pub secondary: &'static str,
    pub country: &'static str,
    /// Time zone as an IANA name.
    pub zone: &'static str,
    pub line: &'static str,
}

pub const CLIENTS: [Client; 10] = [
    Client {
        slug: "wendlemill",
        name: "Wendle Tide Mill",
        primary: "#1f5f7a",
        secondary: "#e3c27a",
        country: "GB",
        zone: "Europe/London",
        line: "A working tide mill on the estuary: flour, gears and guided tours.",
    },
    Client {
        slug: "reedwater",
        name: "Reedwater Canoe Hire",
        primary: "#2f6b4f",
        secondary: "#f0a04b",
        country: "IE",
        zone: "Europe/Dublin",
        line: "Canoes by the hour or the day on eleven miles of slow river.",
    },
    Client {
        slug: "pellclocks",
        name: "Pell & Daughter Clocks",
        primary: "#6b3f2a",
        secondary: "#c9b037",
        country: "GB",
        zone: "Europe/London",
        line: "Longcase, bracket and turret clocks, repaired where they stand.",
    },
    Client {
        slug: "harrowdown",
        name: "Harrow Down Observatory",
        primary: "#2b2f6b",
        secondary: "#9fb4d9",
        country: "NO",
        zone: "Europe/Oslo",
        line: "Public nights under a dark sky, every clear Friday.",
    },
    Client {
        slug: "inkwell",
        name: "Inkwell Lane Print Studio",
        primary: "#8c2f39",
        secondary: "#222222",
        country: "BE",
        zone: "Europe/Brussels",
        line: "Letterpress, lino and risograph, with room for your own plates.",
    },
    Client {
        slug: "corrievalley",
        name: "Corrie Valley Steam Railway",
        primary: "#7a1f1f",
        secondary: "#1f3d2b",
        country: "GB",
        zone: "Europe/London",
        line: "Nine miles of steam through the valley, April to October.",
    },
    Client {
        slug: "skerrin",
        name: "Skerrin Ferry Line",
        primary: "#0f4c81",
        secondary: "#f4f1e8",
        country: "NO",
        zone: "Europe/Oslo",
        line: "Four islands, two boats, one timetable.",
    },
    Client {
        slug: "threetowers",
        name: "Three Towers Choir Festival",
        primary: "#5a3d7a",
        secondary: "#e0b0c8",
        country: "AT",
        zone: "Europe/Vienna",
        line: "Six days, forty choirs, three towers to sing from.",
    },
    Client {
        slug: "gustkites",
        name: "Gust Kite Workshop",
        primary: "#b3491c",
        secondary: "#2a7f9e",
        country: "DK",
        zone: "Europe/Copenhagen",
        line: "Kites built to fly, and weekends to build your own.",
    },
    Client {
        slug: "northmere",
        name: "Northmere Ice Rink",
        primary: "#13678a",
        secondary: "#d7ecf5",
        country: "CA",
        zone: "America/Toronto",
        line: "Public skating, lessons and curling on two pads of ice.",
    },
];

pub struct Site {
    /// Host of the site, without `.localhost`.
    pub host: &'static str,
    pub client: usize,
    pub name: &'static str,
    pub fault: Option<Fault>,
    pub banner: bool,
    /// Whether its banner is Thornlatch's.
    pub thorn: bool,
    pub maker: Maker,
}

const fn thorned(site: Site) -> Site {
    Site {
        thorn: true,
        ..site
    }
}

const fn by(maker: Maker, site: Site) -> Site {
    Site { maker, ..site }
}

const fn site(
    client: usize,
    host: &'static str,
    name: &'static str,
    banner: bool,
    fault: Option<Fault>,
) -> Site {
    Site {
        host,
        client,
        name,
        fault,
        banner,
        thorn: false,
        maker: Maker::Brindle,
    }
}

use Fault as F;

/// More than a third are in order; each fault has a site of its own.
pub const SITES: [Site; 58] = [
    site(0, "wendlemill", "Main site", true, None),
    site(0, "tickets.wendlemill", "Tickets", true, None),
    site(0, "flour.wendlemill", "Flour shop", true, Some(F::Twice)),
    by(
        Maker::Plashet,
        site(0, "friends.wendlemill", "Friends of the mill", true, None),
    ),
    site(
        0,
        "school.wendlemill",
        "School visits",
        true,
        Some(F::Commented),
    ),
    site(1, "reedwater", "Main site", true, None),
    site(1, "hire.reedwater", "Hire desk", true, Some(F::Early)),
    site(
        1,
        "river.reedwater",
        "River levels",
        false,
        Some(F::DoubleWrapped),
    ),
    site(1, "guides.reedwater", "Guides", true, None),
    site(
        1,
        "locks.reedwater",
        "Locks and weirs",
        true,
        Some(F::Forgets),
    ),
    site(2, "pellclocks", "Main site", true, None),
    site(
        2,
        "turret.pellclocks",
        "Turret clocks",
        true,
        Some(F::BadQuotes),
    ),
    site(2, "shop.pellclocks", "Clock shop", true, None),
    site(
        2,
        "sundials.pellclocks",
        "Sundials",
        true,
        Some(F::Restless),
    ),
    site(2, "archive.pellclocks", "Old archive", false, Some(F::Dns)),
    site(2, "bells.pellclocks", "Bells", false, Some(F::Clash)),
    by(Maker::Weir, site(3, "harrowdown", "Main site", true, None)),
    site(
        3,
        "nights.harrowdown",
        "Public nights",
        true,
        Some(F::Policy),
    ),
    by(
        Maker::Farthing,
        site(
            3,
            "sky.harrowdown",
            "Sky this week",
            true,
            Some(F::OffBrand),
        ),
    ),
    site(3, "members.harrowdown", "Members", true, Some(F::Absent)),
    site(3, "shop.harrowdown", "Shop", true, None),
    site(4, "inkwell", "Main site", true, None),
    site(4, "type.inkwell", "Type cabinet", true, Some(F::Cramped)),
    site(4, "courses.inkwell", "Courses", true, Some(F::OffBrand)),
    site(4, "presses.inkwell", "The presses", true, Some(F::AsText)),
    site(4, "prints.inkwell", "Print shop", true, None),
    site(
        4,
        "cards.inkwell",
        "Greeting cards",
        true,
        Some(F::OpenOnPhones),
    ),
    site(5, "corrievalley", "Main site", true, None),
    site(
        5,
        "book.corrievalley",
        "Booking",
        true,
        Some(F::LoaderStatus),
    ),
    thorned(site(5, "timetable.corrievalley", "Timetable", true, None)),
    site(
        5,
        "shed.corrievalley",
        "Engine shed",
        true,
        Some(F::Truncated),
    ),
    by(
        Maker::Farthing,
        site(
            5,
            "santa.corrievalley",
            "Winter trains",
            true,
            Some(F::Away),
        ),
    ),
    site(6, "skerrin", "Main site", true, None),
    site(6, "freight.skerrin", "Freight", true, Some(F::ServiceDns)),
    site(6, "book.skerrin", "Booking", false, Some(F::Covered)),
    by(
        Maker::Farthing,
        site(6, "crew.skerrin", "Working aboard", true, None),
    ),
    by(
        Maker::Farthing,
        site(6, "lost.skerrin", "Lost and found", true, Some(F::NoMail)),
    ),
    site(
        6,
        "live.skerrin",
        "Where is the boat",
        true,
        Some(F::Timeout),
    ),
    site(6, "dock.skerrin", "Harbour desk", true, Some(F::Closed)),
    site(6, "fares.skerrin", "Fares", false, Some(F::Wide)),
    site(
        6,
        "isles.skerrin",
        "Island guide",
        false,
        Some(F::OneLanguage),
    ),
    site(7, "threetowers", "Main site", true, None),
    by(
        Maker::Farthing,
        site(
            7,
            "songs.threetowers",
            "Song library",
            true,
            Some(F::Forgotten),
        ),
    ),
    site(7, "choirs.threetowers", "For choirs", true, Some(F::Silent)),
    site(7, "box.threetowers", "Box office", true, Some(F::NoOpen)),
    site(7, "fringe.threetowers", "Fringe", true, None),
    site(
        7,
        "friends.threetowers",
        "Friends of the festival",
        true,
        Some(F::Fleeting),
    ),
    site(7, "press.threetowers", "Press", true, Some(F::Status)),
    site(8, "gustkites", "Main site", true, None),
    site(
        8,
        "weekends.gustkites",
        "Building weekends",
        true,
        Some(F::Throws),
    ),
    site(8, "shop.gustkites", "Kite shop", true, Some(F::Phone)),
    site(8, "repairs.gustkites", "Repairs", false, Some(F::PanelGone)),
    by(
        Maker::Plashet,
        site(8, "wind.gustkites", "Wind today", true, Some(F::LastHandle)),
    ),
    site(9, "northmere", "Main site", false, None),
    site(9, "lessons.northmere", "Lessons", false, Some(F::WrongKey)),
    site(
        9,
        "curling.northmere",
        "Curling club",
        false,
        Some(F::Heavy),
    ),
    site(
        9,
        "hockey.northmere",
        "Youth hockey",
        false,
        Some(F::Hidden),
    ),
    site(9, "shop.northmere", "Skate shop", false, None),
];

impl Site {
    pub fn client(&self) -> &'static Client {
        &CLIENTS[self.client]
    }

    /// The key the client's account has for this site.
    pub fn key(&self) -> String {
        let base = match self.maker {
            Maker::Plashet => format!("{}-links", self.client().slug),
            Maker::Brindle | Maker::Farthing | Maker::Weir => {
                format!("{}-live", self.client().slug)
            }
        };
        let tail = match self.fault {
            Some(F::LoaderStatus) => "-status",
            Some(F::ServiceDns) => "-nodns",
            Some(F::Throws) => "-throws",
            Some(F::Silent) => "-silent",
            Some(F::NoOpen) => "-deaf",
            Some(F::Phone) => "-desk",
            Some(F::Heavy) => "-heavy",
            Some(F::OffBrand) => "-off",
            Some(F::Away) => "-away",
            Some(F::NoMail) => "-nomail",
            Some(F::LastHandle) => "-last",
            Some(F::Restless) => "-restless",
            Some(F::Cramped) => "-cramped",
            Some(F::Fleeting) => "-fleeting",
            Some(F::Forgotten) => "-forgotten",
            Some(F::Closed) => "-closed",
            Some(F::PanelGone) => "-gone",
            _ => "",
        };
        format!("{base}{tail}")
    }

    /// Address at which the client runs its supplier; empty where the supplier does.
    pub fn supplier_host(&self, port: u16) -> String {
        match self.maker {
            Maker::Weir => format!("{WEIR}{}.localhost:{port}", self.client().slug),
            Maker::Brindle | Maker::Farthing | Maker::Plashet => String::new(),
        }
    }

    /// Id of its consent manager's profile.
    pub fn manager(&self) -> Option<&'static str> {
        match (self.banner, self.thorn) {
            (false, _) => None,
            (true, false) => Some("hedgegate"),
            (true, true) => Some("thornlatch"),
        }
    }

    pub fn address(&self, port: u16) -> String {
        if self.fault == Some(F::Dns) {
            format!("http://{}.test/", self.host)
        } else {
            format!("http://{}.localhost:{port}/", self.host)
        }
    }
}

pub fn fault_of_key(key: &str) -> Option<Fault> {
    let (_, tail) = key.split_once("-live-")?;
    Some(match tail {
        "status" => F::LoaderStatus,
        "nodns" => F::ServiceDns,
        "throws" => F::Throws,
        "silent" => F::Silent,
        "deaf" => F::NoOpen,
        "desk" => F::Phone,
        "heavy" => F::Heavy,
        "off" => F::OffBrand,
        "ruled" => F::Ruled,
        "closed" => F::Closed,
        "away" => F::Away,
        "nomail" => F::NoMail,
        "restless" => F::Restless,
        "cramped" => F::Cramped,
        "fleeting" => F::Fleeting,
        "forgotten" => F::Forgotten,
        "gone" => F::PanelGone,
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::HashSet;

    #[test]
    fn hosts_are_different_and_a_third_of_the_sites_is_in_order() {
        let hosts: HashSet<&str> = SITES.iter().map(|s| s.host).collect();
        assert_eq!(hosts.len(), SITES.len());
        let healthy = SITES.iter().filter(|s| s.fault.is_none()).count();
        assert!(healthy * 3 >= SITES.len(), "{healthy} of {}", SITES.len());
        let mut of_brindle = SITES.iter().filter(|s| s.maker == Maker::Brindle);
        assert!(of_brindle.all(|s| crate::account::settings_of_key(&s.key()).is_some()));
    }
}
