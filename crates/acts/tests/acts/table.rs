//! Every act of a person, with what it needs to be done: the table that rights and the trail are
//! tested by.

use crate::room::{Room, actor, room};
use futures_util::future::BoxFuture;
use newtfern_acts::{
    ActError, Actor, Acts, AskedLink, DesignSet, DiaryForm, HouseRules, ImportSource, Intended,
    OtherSuppliers, PeopleAct, ProfileForm, SiteValue, TakeOver, TokenHolder, WidgetFields,
};
use newtfern_model::design::{Field, Layer};
use newtfern_model::diary;
use newtfern_model::job::JobKind;
use newtfern_model::profiles::ProfileKind;
use newtfern_model::site::{SiteField, SiteFields};
use newtfern_store::access::people::Role;
use newtfern_store::sealed::client_tokens::TokenKind;
use newtfern_verdict::brand::BrandSheet;
use newtfern_verdict::echo::Ticks;
use std::collections::BTreeMap;

/// What one act is tried on: two clients, two sites of the first, two people, and what else is
/// named.
pub struct Stage {
    pub room: Room,
    pub client: i64,
    pub other: i64,
    pub site: i64,
    pub sites: [i64; 2],
    pub person: i64,
    pub errand: i64,
    pub sheet: i64,
    pub round: i64,
    pub import: i64,
    pub running_import: i64,
    pub removal: i64,
}

impl Stage {
    pub fn acts(&self) -> &Acts {
        &self.room.acts
    }
}

/// How an act ends for somebody who may do it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ends {
    /// It is done, and the trail says so.
    Recorded,
    /// It begins outside, where nobody is in these tests; what is begun is stored first.
    Outside,
    /// Nothing here is in the state that it asks for.
    Refused,
}

const FILE: &[u8] = b"client,name,address\nMill,New,new.example\n";

/// A slot of the platform that takes the whole code.
const SLOT: &str = "footer-code";

fn link(site: i64) -> AskedLink {
    AskedLink {
        site,
        widget: 0,
        slot: SLOT.into(),
        to_whom: "Jo".into(),
    }
}

/// One more widget of the same supplier.
fn further() -> WidgetFields {
    WidgetFields {
        supplier: "brindle".into(),
        key: "mill-live-two".into(),
        on: "/shop/**".into(),
        ..WidgetFields::default()
    }
}

const HOLIDAYS: &str = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y\r\nBEGIN:VEVENT\r\n\
                        UID:1\r\n\
    DTSTART;VALUE=DATE:20261225\r\nRRULE:FREQ=YEARLY\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";

pub type Result<T> = std::result::Result<T, ActError>;

/// One act.
pub struct Case {
    /// The name of its method.
    pub name: &'static str,
    /// The least role that may do it.
    pub least: Role,
    pub ends: Ends,
    pub act: for<'a> fn(&'a Stage, &'a Actor) -> BoxFuture<'a, Result<()>>,
}

macro_rules! acts {
    ($s:ident, $who:ident; $($least:ident $ends:ident $name:literal => $act:expr,)*) => {
        vec![$(Case {
            name: $name,
            least: Role::$least,
            ends: Ends::$ends,
            act: |$s, $who| Box::pin(async move { $act.await.map(drop) }),
        }),*]
    };
}

fn typed(field: &str) -> String {
    match field {
        "name" => "Fenwick & Sallow".into(),
        "country" => "GB".into(),
        _ => String::new(),
    }
}

fn sheet(name: &str) -> BrandSheet {
    BrandSheet {
        public_name: name.into(),
        ..BrandSheet::default()
    }
}

fn layer() -> Layer {
    Layer::from([(Field::Title, "Talk to the mill".to_string())])
}

/// Adds a site nobody else has.
fn fields(host: &str) -> SiteFields {
    SiteFields {
        name: "A mill".into(),
        url: format!("https://{host}.example/"),
        supplier_id: Some("brindle".into()),
        key: "mill-live".into(),
        platform_id: Some("tarnwork".into()),
        languages: "en".into(),
        country: "GB".into(),
        time_zone: "Europe/London".into(),
        ..SiteFields::default()
    }
}

/// A stage with all that acts are done to.
pub async fn stage() -> Stage {
    let room = room().await;
    let client = room.client("Wendle Tide Mill").await;
    let other = room.client("Gust Kite Workshop").await;
    let mut sites = [0; 2];
    for (id, host) in sites.iter_mut().zip(["mill", "granary"]) {
        *id = room.site(client, fields(host)).await;
    }
    let removed = room.site(other, fields("kites")).await;
    let (acts, who) = (&room.acts, actor());
    let people = acts.people();
    let person = people
        .add_person(&who, "kay@fenwick.example", "Kay", Role::Technician, None)
        .await
        .unwrap();
    people
        .add_person(
            &who,
            "ada@fenwick.example",
            "Ada",
            Role::Administrator,
            None,
        )
        .await
        .unwrap();
    acts.sites().remove_sites(&who, &[removed]).await.unwrap();
    let (removals, _) = acts.reads().sites().removals(0, 9).await.unwrap();
    acts.handing()
        .make_errand(&who, link(sites[0]))
        .await
        .unwrap();
    let errand = acts.reads().handing().errands(sites[0]).await.unwrap()[0].id;
    let round = acts
        .rounds()
        .start_round(&who, JobKind::Check, &sites)
        .await
        .unwrap();
    let file = ImportSource::Spreadsheet(FILE);
    let import = acts
        .imports()
        .bring(&who, "new.csv", file, None)
        .await
        .unwrap();
    let file = ImportSource::Spreadsheet(FILE);
    let running_import = acts.imports().bring(&who, "now.csv", file, None);
    let running_import = running_import.await.unwrap();
    let begun = room.store.imports().begin_import(running_import, 1);
    assert!(begun.await.unwrap());
    let mut tx = room.store.begin().await.unwrap();
    let until = jiff::Timestamp::now() + jiff::SignedDuration::from_hours(24);
    tx.add_handover(sites[0], "<p>Sheet</p>", None, "test", until)
        .await
        .unwrap();
    tx.commit().await.unwrap();
    let sheet = acts.reads().handing().handovers(sites[0]).await.unwrap()[0].id;
    acts.checks().begin_hand_test(&who, sites[1]).await.unwrap();
    Stage {
        client,
        other,
        site: sites[0],
        sites,
        person,
        errand,
        sheet,
        round,
        import,
        running_import,
        removal: removals[0].id,
        room,
    }
}

/// All acts.
pub fn all() -> Vec<Case> {
    let mut all = of_people_and_settings();
    all.extend(of_clients_and_sites());
    all.extend(of_results_and_writing());
    all
}

fn of_people_and_settings() -> Vec<Case> {
    acts! { s, who;
        Administrator Recorded "add_person" => s.acts().people()
            .add_person(who, "jo@fenwick.example", "Jo", Role::Viewer, None),
        Administrator Recorded "set_role" => s.acts().people()
            .set_role(who, 0, s.person, Role::Viewer),
        Administrator Recorded "act_on_people" => s.acts().people()
            .act_on_people(who, 0, &[s.person], PeopleAct::Lock),
        Administrator Recorded "make_password_link" => s.acts().people()
            .make_password_link(who, s.person),
        Administrator Recorded "clear_second_factor" => s.acts().people()
            .clear_second_factor(who, s.person),
        Administrator Recorded "set_mailbox" => s.acts().settings()
            .set_mailbox(who, ("t@fenwick.example", "imaps://t@mail.fenwick.example", "p")),
        Administrator Recorded "set_house_rules" => s.acts().settings()
            .set_house_rules(who, HouseRules {
                private_hosts: "*.stage.example".into(),
                sample_words: "en: Your company".into(),
                keep_checks: Some(9),
                second_required: true,
            }),
        Administrator Recorded "set_agency" => s.acts().settings()
            .set_agency(who, &typed, None),
        Technician Recorded "keep_profile" => s.acts().profiles()
            .keep_profile(who, ProfileForm {
                kind: ProfileKind::Supplier,
                which: None,
                text: newtfern_standins::estate::Maker::Farthing.profile(80).leak(),
                why: "a second supplier",
                token: None,
                made_from: None,
            }),
        Administrator Recorded "bring_profiles" => async {
            let file = ("farthing.toml".to_string(),
                newtfern_standins::estate::Maker::Farthing.profile(80));
            s.acts().profiles().bring_profiles(who, &[file]).await
        },
        Administrator Recorded "remove_profile" => s.acts().profiles()
            .remove_profile(who, ProfileKind::ConsentManager, "hedgegate"),
        Technician Outside "try_profile" => s.acts().profiles()
            .try_profile(who, ProfileKind::ConsentManager,
                newtfern_standins::consent_profile(), "https://mill.example/"),
        Administrator Refused "confirm_token_origin" => s.acts().tokens()
            .confirm_token_origin(who, TokenHolder::Site(s.site), "https://elsewhere.example"),
    }
}

fn of_clients_and_sites() -> Vec<Case> {
    acts! { s, who;
        Technician Recorded "add_client" => s.acts().clients()
            .add_client(who, "Harbour Lights", &sheet("Harbour")),
        Technician Recorded "change_sheet" => s.acts().clients()
            .change_sheet(who, s.client, "Wendle Mill", &sheet("Wendle"), None),
        Technician Recorded "set_logo" => s.acts().clients()
            .set_logo(who, s.client, b"<svg/>".to_vec(), "svg", "image/svg+xml"),
        Technician Recorded "change_design" => s.acts().clients()
            .change_design(who, s.site, &layer(), None),
        Technician Recorded "change_house_style" => s.acts().clients()
            .change_house_style(who, &layer(), None),
        Technician Recorded "set_bulk_design" => s.acts().clients()
            .set_bulk_design(who, &s.sites, Field::Title, DesignSet::To("Ask the mill")),
        Technician Recorded "merge_client" => s.acts().clients()
            .merge_client(who, s.client, s.other),
        Technician Recorded "remove_client" => s.acts().clients()
            .remove_client(who, s.other),
        Technician Recorded "set_client_token" => s.acts().tokens()
            .set_client_token(who, s.client, TokenKind::Platform, "tarnwork", Some("a-token")),
        Technician Recorded "set_site_token" => s.acts().tokens()
            .set_site_token(who, s.site, "a-token"),
        Technician Recorded "add_site" => s.acts().sites()
            .add_site(who, s.client, fields("shop"), true),
        Technician Recorded "change_site" => async {
            let site = SiteFields { name: "The mill".into(), ..fields("mill") };
            s.acts().sites().change_site(who, s.site, &site, None, None).await
        },
        Technician Recorded "remove_site" => s.acts().sites()
            .remove_site(who, s.site, "A mill"),
        Technician Recorded "remove_sites" => s.acts().sites()
            .remove_sites(who, &s.sites),
        Technician Recorded "bring_back" => s.acts().sites()
            .bring_back(who, s.removal),
        Technician Recorded "move_sites" => s.acts().sites()
            .move_sites(who, &s.sites, s.other),
        Technician Recorded "set_bulk" => s.acts().sites()
            .set_bulk(who, &s.sites, &[(SiteValue::Field(SiteField::Country), "IE".into())]),
        Technician Recorded "change_intended" => async {
            let meant = Intended {
                delay_s: Some(4.0),
                ..Intended::default()
            };
            s.acts().sites().change_intended(who, s.site, meant, None).await
        },
        Technician Recorded "import_holidays" => s.acts().sites()
            .import_holidays(who, s.site, HOLIDAYS),
        Technician Refused "take_over" => s.acts().sites()
            .take_over(who, s.site, &TakeOver { platform: true, ..TakeOver::default() }),
        Technician Refused "take_over_many" => async {
            let ticked = TakeOver { platform: true, ..TakeOver::default() };
            match s.acts().sites().take_over_many(who, &[s.site], &ticked).await? {
                (0, 1) => Err(ActError::Bad("the site was not surveyed".into())),
                _ => Ok(()),
            }
        },
        Viewer Recorded "note_export" => s.acts().sites()
            .note_export(who, "all sites"),
        Technician Recorded "bring" => s.acts().imports()
            .bring(who, "b.csv", ImportSource::Spreadsheet(FILE), None),
        Technician Recorded "cancel_import" => s.acts().imports()
            .cancel_import(who, s.running_import),
        Technician Outside "take_import" => s.acts().imports()
            .take_import(who, s.import, BTreeMap::new()),
        Technician Recorded "import" => s.acts().imports()
            .import(who, FILE),
    }
}

fn of_results_and_writing() -> Vec<Case> {
    acts! { s, who;
        Technician Recorded "write_diary" => s.acts().handing()
            .write_diary(who, s.site, DiaryForm {
                kind: diary::Kind::Backup,
                slot: "",
                words: "A copy was made.",
                photo: None,
            }),
        Technician Recorded "make_errand" => s.acts().handing()
            .make_errand(who, link(s.site)),
        Technician Recorded "make_errands" => async {
            s.acts().handing().make_errands(who, &[link(s.site)]).await
        },
        Technician Recorded "withdraw_errand" => s.acts().handing()
            .withdraw_errand(who, s.errand),
        Technician Recorded "answer_errand" => s.acts().handing()
            .answer_errand(who, s.errand, "Below the footer."),
        Technician Recorded "renew_link" => s.acts().handing()
            .renew_link(who, s.sheet),
        Technician Recorded "withdraw_link" => s.acts().handing()
            .withdraw_link(who, s.sheet),
        Technician Outside "propose" => s.acts().profiles()
            .propose(who, "no profile", "https://mill.example/"),
        Technician Refused "judge_again" => async {
            let outcome = s.acts().checks().judge_again(who, s.site).await?;
            outcome.ok_or(ActError::Bad("nothing was seen".into()))
        },
        Technician Recorded "begin_hand_test" => s.acts().checks()
            .begin_hand_test(who, s.site),
        Technician Recorded "drop_hand_test" => s.acts().checks()
            .drop_hand_test(who, s.sites[1]),
        Technician Recorded "end_hand_test" => s.acts().checks()
            .end_hand_test(who, s.sites[1], Ticks { sent: true, ..Ticks::default() }),
        Technician Recorded "start_round" => s.acts().rounds()
            .start_round(who, JobKind::Check, &s.sites),
        Technician Recorded "start_idle" => s.acts().rounds()
            .start_idle(who, JobKind::Check, &s.sites),
        Technician Refused "start_put_back" => s.acts().rounds()
            .start_put_back(who, s.round),
        Technician Refused "try_again" => s.acts().rounds()
            .try_again(who, s.round),
        Technician Recorded "cancel_round" => s.acts().rounds()
            .cancel_round(who, s.round),
        Technician Recorded "save_widget" => s.acts().sites()
            .save_widget(who, s.site, None, further(), None),
        Technician Refused "remove_widget" => s.acts().sites()
            .remove_widget(who, s.site, 1),
        Technician Outside "push" => s.acts().placing()
            .push(who, s.site, (0, SLOT), "", OtherSuppliers::Keep),
        Technician Outside "push_usual" => s.acts().placing()
            .push_usual(who, s.site, s.round, OtherSuppliers::Keep),
        Technician Refused "take_off" => s.acts().placing()
            .take_off(who, s.site, 0, ""),
        Technician Refused "expect_again" => s.acts().placing()
            .expect_again(who, s.site),
        Technician Refused "put_back" => s.acts().placing()
            .put_back(who, s.site, 1),
        Technician Refused "put_back_round" => s.acts().placing()
            .put_back_round(who, s.site, s.round),
        Technician Refused "push_tag" => s.acts().placing()
            .push_tag(who, s.site, 1),
        Technician Outside "write_design" => s.acts().consoles()
            .write_design(who, s.site),
        Technician Refused "put_settings_back" => s.acts().consoles()
            .put_settings_back(who, s.site),
    }
}
