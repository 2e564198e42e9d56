//! Something that a result may depend on.

use crate::family::kind::Family;
use newtfern_model::site::SiteField;

/// Something that a result may rest on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Input {
    /// A field of the site.
    Site(SiteField),
    /// The profile of the supplier, with what the design puts into its code.
    Supplier,
    /// Marks by which other suppliers are recognised.
    Rivals,
    /// The profile of the consent manager.
    ConsentManager,
    /// The profile of the platform.
    Platform,
    /// The profile of the tag manager.
    TagManager,
    /// The rules of the visitors' region.
    Region,
    /// Sample texts that are looked for beyond the built-in ones.
    SampleWords,
    /// The design's values, from all layers.
    Design,
    /// The texts that the widget should show, by language.
    Texts,
    /// State of the panel when the page loads: open or closed.
    Start,
    /// Form of the widget and its channels.
    Form,
    /// Screens on which it shows.
    Screens,
    /// Delay from the load to the launcher.
    Delay,
    /// Staffed hours, and the behaviour otherwise.
    Hours,
    /// The site's widgets beside its first.
    FurtherWidgets,
    /// Exception to the consent rules that the client agreed to.
    Exception,
    /// Name of the client.
    Client,
    /// Name of the agency.
    Agency,
    /// Number of times that the site's slots, sets of tags and drafts were written to.
    Slots,
    /// Number of times that the supplier's settings of its key were written to.
    Console,
    /// Standing of the site in another family.
    Result(Family),
}

/// Inputs that are not the site's own fields, and not results.
pub(super) const OTHERS: [Input; 20] = [
    Input::Supplier,
    Input::Rivals,
    Input::ConsentManager,
    Input::Platform,
    Input::TagManager,
    Input::Region,
    Input::SampleWords,
    Input::Design,
    Input::Texts,
    Input::Start,
    Input::Form,
    Input::Screens,
    Input::Delay,
    Input::Hours,
    Input::FurtherWidgets,
    Input::Exception,
    Input::Client,
    Input::Agency,
    Input::Slots,
    Input::Console,
];

impl Input {
    /// Returns every input, in a fixed order.
    pub fn all() -> impl Iterator<Item = Input> {
        let fields = SiteField::ALL.iter().map(|f| Input::Site(*f));
        let results = Family::ALL.into_iter().map(Input::Result);
        fields.chain(OTHERS).chain(results)
    }

    /// Returns the key that is stored.
    pub fn key(self) -> String {
        match self {
            Input::Site(field) => format!("site.{}", field.heading()),
            Input::Result(family) => format!("result.{}", family.key()),
            other => other.words().replace([' ', '\''], "_"),
        }
    }

    /// Returns the input's name for people, in the middle of a sentence.
    pub fn words(self) -> String {
        match self {
            Input::Site(field) => field.label().to_lowercase(),
            Input::Result(family) => format!("the result of {}", family.label()),
            other => match other {
                Input::Supplier => "supplier profile",
                Input::Rivals => "other suppliers' marks",
                Input::ConsentManager => "consent manager profile",
                Input::Platform => "platform profile",
                Input::TagManager => "tag manager profile",
                Input::Region => "rules of the region",
                Input::SampleWords => "sample words",
                Input::Design => "design",
                Input::Texts => "texts",
                Input::Start => "closed or open at the start",
                Input::Form => "form and channels",
                Input::Screens => "screens",
                Input::Delay => "delay",
                Input::Hours => "hours",
                Input::FurtherWidgets => "further widgets",
                Input::Exception => "exception to consent",
                Input::Client => "client's name",
                Input::Agency => "agency's name",
                Input::Slots => "slots",
                _ => "settings at the supplier",
            }
            .to_string(),
        }
    }

    /// Judging what was seen once more cannot follow a change of this one: it takes a new look.
    pub fn takes_a_look(self) -> bool {
        use SiteField::{Address, Consent, Key, Languages, Supplier, SupplierHost};
        match self {
            Input::Site(field) => {
                matches!(
                    field,
                    Address | Consent | Key | Languages | Supplier | SupplierHost
                )
            }
            Input::ConsentManager
            | Input::Slots
            | Input::Console
            | Input::Screens
            | Input::FurtherWidgets => true,
            _ => false,
        }
    }
}
