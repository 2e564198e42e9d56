//! Every act of a person, a worker or a program, one method each: rights, one transaction, the
//! audit row and an outbox row. [`Acts`] hands out one handle for each subject. Pages, workers and
//! the command line change nothing but through these, and read through [`Acts::reads`], which opens
//! no transaction.

pub mod access;
mod client;
mod error;
mod handles;
mod profile;
mod results;
mod room;
mod sealed;
mod settings;
mod site;
pub mod writing;

pub use access::actor::{Actor, has_role};
pub use access::hashing::hash_password;
pub use access::people::{LINK_HOURS, PeopleAct};
pub use access::second_factor::Setup;
pub use access::sessions::OpenedSession;
pub use client::bulk_design::DesignSet;
pub use client::clients::sheet_state;
pub use client::hand_work::{AskedLink, DiaryForm, ErrandPage, LINK_DAYS};
pub use error::{ActError, Result};
pub use handles::{
    CheckActs, ClientActs, ConsoleActs, HandingActs, ImportActs, PeopleActs, PlacingActs,
    ProfileActs, RoundActs, SettingActs, SiteActs, TokenActs, WriteActs,
};
pub use newtfern_store as store;
pub use profile::profiles::{ImportedProfile, MOST_PROFILE, ProfileForm};
pub use profile::proposals::VisitProposal;
pub use results::checks::{CheckEvidence, MadeSheet};
pub use results::mailbox::KeptMailbox;
pub use results::rounds::none_ticked;
pub use room::Acts;
pub(crate) use room::{record, record_each};
pub use sealed::token_origins::{TokenHolder, TokenOrigin, TokenState};
pub use sealed::tokens::Token;
pub use settings::HouseRules;
pub use site::bulk::{BulkChange, SiteValue};
pub use site::import::{ImportPreview, ImportResult, ImportSource};
pub use site::intended::Intended;
pub use site::sites::AddedSite;
pub use site::subject::Subject;
pub use site::survey::TakeOver;
pub use site::versions::version_of;
pub use site::widgets::WidgetFields;
pub use writing::placing::{OtherSuppliers, PlacePage, PushOutcome, PushPreview, SlotView};
pub use writing::reach::Reach;
pub use writing::slot_access::{AddressReport, Outside, ProposingVisit, SlotError, SlotText};
pub use writing::tags::TagPage;
