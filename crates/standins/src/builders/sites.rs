//! The clients' sites on these builders, and what is wrong with some.

use crate::estate::{CLIENTS, Client};

/// Fault that a site has at first.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Flaw {
    /// No code was placed yet.
    Bare,
    /// Saved and not published.
    Draft,
    /// The cache still has the pages from before.
    StaleCache,
    /// The code is in the home page's own slot.
    OnlyHome,
    /// The code is in a component that goes with its route.
    RouteLost,
    /// The code is in a block with a frame of its own.
    Framed,
    /// The code is in a text that scripts are taken out of.
    Stripped,
    /// Everywhere, although the legal pages should be without it.
    OnLegal,
    /// The extension and the supplier's console each keep it off pages that should have it.
    RulesApart,
    /// No tag in the set.
    TagMissing,
    /// A tag in the draft only.
    TagDraft,
    TagPaused,
    /// The tag's rule does not take the home page.
    TagRule,
    /// The page loads another set.
    TagOther,
    /// Through the tag manager and the template.
    TagTwice,
}

impl Flaw {
    /// The widget should come through the tag manager.
    pub fn is_of_tags(self) -> bool {
        use Flaw::*;
        matches!(
            self,
            TagMissing | TagDraft | TagPaused | TagRule | TagOther | TagTwice
        )
    }
}

pub struct Built {
    /// Host of the site, without `.localhost`.
    pub host: &'static str,
    pub client: usize,
    pub name: &'static str,
    pub builder: &'static str,
    pub flaw: Option<Flaw>,
    /// Comes through the tag manager, and all is well.
    pub tagged: bool,
}

const fn built(
    client: usize,
    host: &'static str,
    name: &'static str,
    builder: &'static str,
    flaw: Option<Flaw>,
) -> Built {
    Built {
        host,
        client,
        name,
        builder,
        flaw,
        tagged: false,
    }
}

use Flaw as F;

pub static BUILT: [Built; 23] = [
    built(0, "granary.wendlemill", "Granary shop", "kelpshop", None),
    built(0, "gallery.wendlemill", "Gallery", "lintel", Some(F::Draft)),
    built(
        1,
        "camp.reedwater",
        "Camp site listing",
        "stallhouse",
        Some(F::Stripped),
    ),
    built(1, "maps.reedwater", "River maps", "wharfside", None),
    built(
        2,
        "parts.pellclocks",
        "Parts shop",
        "kelpshop",
        Some(F::StaleCache),
    ),
    built(2, "museum.pellclocks", "Clock museum", "ferrule", None),
    built(
        3,
        "lectures.harrowdown",
        "Lectures",
        "cobble",
        Some(F::Draft),
    ),
    built(
        3,
        "atlas.harrowdown",
        "Sky atlas",
        "wharfside",
        Some(F::RouteLost),
    ),
    built(
        4,
        "paper.inkwell",
        "Paper shop",
        "kelpshop",
        Some(F::OnlyHome),
    ),
    built(4, "zines.inkwell", "Zines", "ferrule", Some(F::OnLegal)),
    built(4, "letters.inkwell", "Letters", "cobble", Some(F::Bare)),
    Built {
        tagged: true,
        ..built(5, "gifts.corrievalley", "Gift shop", "kelpshop", None)
    },
    built(
        5,
        "models.corrievalley",
        "Model railway stall",
        "stallhouse",
        None,
    ),
    built(6, "islands.skerrin", "The islands", "lintel", None),
    built(6, "news.skerrin", "News", "cobble", Some(F::TagMissing)),
    built(
        7,
        "archive.threetowers",
        "Archive",
        "ferrule",
        Some(F::TagPaused),
    ),
    built(
        7,
        "hostel.threetowers",
        "Singers' hostel",
        "lintel",
        Some(F::Framed),
    ),
    built(
        8,
        "spares.gustkites",
        "Spares",
        "kelpshop",
        Some(F::TagRule),
    ),
    built(
        8,
        "club.gustkites",
        "Flying club",
        "wharfside",
        Some(F::TagDraft),
    ),
    built(
        9,
        "cafe.northmere",
        "Rink cafe",
        "lintel",
        Some(F::TagOther),
    ),
    built(
        9,
        "league.northmere",
        "League tables",
        "cobble",
        Some(F::TagTwice),
    ),
    built(
        0,
        "recipes.wendlemill",
        "Recipes",
        "kelpshop",
        Some(F::RulesApart),
    ),
    built(
        9,
        "sharpening.northmere",
        "Skate sharpening",
        "kelpshop",
        Some(F::Bare),
    ),
];

impl Built {
    pub fn client(&self) -> &'static Client {
        &CLIENTS[self.client]
    }

    pub fn key(&self) -> String {
        let ruled = self.flaw == Some(F::RulesApart);
        let tail = if ruled { "-ruled" } else { "" };
        format!("{}-live{tail}", self.client().slug)
    }

    pub fn address(&self, port: u16) -> String {
        format!("http://{}.localhost:{port}/", self.host)
    }

    /// The set that its pages should load, where it has one.
    pub fn set(&self) -> Option<String> {
        let tags = self.tagged || self.flaw.is_some_and(Flaw::is_of_tags);
        let at = BUILT.iter().position(|b| b.host == self.host)?;
        tags.then(|| format!("WK-{}", 100 + at))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::builders::kind;
    use std::collections::HashSet;

    #[test]
    fn every_site_has_its_builder_and_every_builder_a_site() {
        let hosts: HashSet<&str> = BUILT.iter().map(|b| b.host).collect();
        assert_eq!(hosts.len(), BUILT.len());
        assert!(BUILT.iter().all(|b| kind(b.builder).is_some()));
        for kind in &crate::builders::KINDS {
            assert!(BUILT.iter().any(|b| b.builder == kind.id), "{}", kind.id);
        }
        assert!(crate::estate::SITES.len() + BUILT.len() >= 60);
    }
}
