//! What grows old when something changes, through the acts that change it, against real PostgreSQL.

use crate::room::{Room, actor, room};
use newtfern_acts::{Intended, ProfileForm};
use newtfern_model::agency::Agency;
use newtfern_model::design::{Field, Layer};
use newtfern_model::expectation::{OutsideHours, Start};
use newtfern_model::job::{CheckKind, JobKind};
use newtfern_model::profiles::ProfileKind;
use newtfern_model::site::{SiteField, SiteFields};
use newtfern_store::results::checks::NewCheck;
use newtfern_verdict::brand::BrandSheet;
use newtfern_verdict::family::{Family, FamilyResult, Standing};
use newtfern_verdict::inputs::input::Input;
use std::collections::BTreeMap;

struct Site {
    room: Room,
    client: i64,
    id: i64,
}

fn fields() -> SiteFields {
    SiteFields {
        name: "Gallery".into(),
        url: "https://gallery.wendlemill.example/".into(),
        supplier_id: Some("brindle".into()),
        key: "wendle-live".into(),
        consent_id: Some("hedgegate".into()),
        platform_id: Some("tarnwork".into()),
        languages: "en".into(),
        country: "GB".into(),
        time_zone: "Europe/London".into(),
        ..SiteFields::default()
    }
}

async fn site() -> Site {
    let room = room().await;
    let client = room.client("Wendle Tide Mill").await;
    let id = room.site(client, fields()).await;
    Site { room, client, id }
}

impl Site {
    /// A look with which everything is in order, as things are now.
    async fn looked(&self) {
        let acts = &self.room.acts;
        let subject = acts.sites().subject(self.id).await.unwrap();
        let good = |family| FamilyResult {
            family,
            standing: Standing::Passing,
            summary: "good".into(),
            remedy: String::new(),
            findings: Vec::new(),
            detail: None,
        };
        let families = Family::ALL.map(good).into();
        let now = acts.reads().now().await.unwrap();
        let check = NewCheck::of(self.id, CheckKind::Job(JobKind::Check), now, families);
        let all = Family::ALL.map(|f| (f, Standing::Passing)).into();
        let mut tx = self.room.store.begin().await.unwrap();
        let id = tx.keep_check(&check).await.unwrap();
        let inputs = subject.prints.with_results(&all);
        tx.set_inputs(id, &inputs).await.unwrap();
        tx.commit().await.unwrap();
        assert!(self.old().await.is_empty());
    }

    /// What is old, with its reason.
    async fn old(&self) -> BTreeMap<Family, String> {
        let all = self
            .room
            .store
            .sites()
            .standings_of(&[self.id])
            .await
            .unwrap();
        let old = all[&self.id].iter().filter(|s| s.state == Standing::Stale);
        old.map(|s| (s.family, s.summary.clone())).collect()
    }

    /// Exactly the families that read one of these inputs are old, but Design, which is judged with
    /// each change; and each says what changed. Then everything is looked at again.
    async fn are_old(&self, inputs: &[Input], told: &str) {
        let reads = |f: &Family| inputs.iter().any(|i| f.reads().contains(i));
        let wanted = Family::ALL.into_iter().filter(|f| *f != Family::Design);
        let wanted: Vec<Family> = wanted.filter(reads).collect();
        let old = self.old().await;
        let is: Vec<Family> = old.keys().copied().collect();
        assert_eq!(is, wanted, "{told}: {old:?}");
        for (family, why) in &old {
            let named = inputs.iter().any(|i| why.contains(&i.words()));
            let written = why.starts_with("Newtfern wrote to");
            assert!(named || written, "{told}, {family:?}: {why}");
        }
        self.looked().await;
    }
}

#[tokio::test]
async fn each_field_of_a_site_makes_exactly_those_old_that_read_it() {
    let site = site().await;
    site.looked().await;
    let mut now = fields();
    for field in SiteField::ALL {
        let before = now.clone();
        match field {
            SiteField::Name => now.name = "Hall".into(),
            SiteField::Address => now.url = "https://hall.wendlemill.example/".into(),
            SiteField::Platform => now.platform_id = None,
            SiteField::Supplier => now.supplier_id = Some("quoin".into()),
            SiteField::Key => now.key = "wendle-test".into(),
            SiteField::SupplierHost => now.supplier_host = "chat.mill.example".into(),
            SiteField::Consent => now.consent_id = None,
            SiteField::Slot => now.slot_id = "footer".into(),
            SiteField::Languages => now.languages = "en, nb".into(),
            SiteField::Country => now.country = "US".into(),
            SiteField::TimeZone => now.time_zone = "Europe/Oslo".into(),
            SiteField::Contact => now.contact = "desk@wendlemill.example".into(),
            SiteField::Budget => now.budget_ms = 80.0,
            SiteField::On => now.pages_on = "/shop/**".into(),
            SiteField::NotOn => now.pages_not_on = "/shop/old/**".into(),
            SiteField::TagManager => now.tag_manager_id = Some("tarnwork".into()),
            SiteField::TagSet => now.tag_set = "set-1".into(),
        }
        if *field == SiteField::Supplier {
            // A second supplier must be known before it can be chosen.
            let text = newtfern_standins::supplier_profile(80).replace("brindle", "quoin");
            let form = ProfileForm {
                kind: ProfileKind::Supplier,
                which: None,
                text: &text,
                why: "",
                token: None,
                made_from: None,
            };
            site.room
                .acts
                .profiles()
                .keep_profile(&actor(), form)
                .await
                .unwrap();
            site.are_old(&[Input::Rivals], "a supplier more").await;
        }
        assert_ne!(before, now, "{field:?} was not changed");
        let acts = &site.room.acts;
        acts.sites()
            .change_site(&actor(), site.id, &now, None, None)
            .await
            .unwrap();
        // What follows from the field: the profile that it names, and the texts' languages.
        let also = match field {
            SiteField::Platform => vec![Input::Platform],
            SiteField::Supplier => vec![Input::Supplier, Input::Rivals],
            SiteField::Consent => vec![Input::ConsentManager],
            SiteField::Country => vec![Input::Region],
            SiteField::TagManager => vec![Input::TagManager],
            SiteField::Languages => vec![Input::Texts],
            _ => Vec::new(),
        };
        let inputs: Vec<Input> = [Input::Site(*field)].into_iter().chain(also).collect();
        site.are_old(&inputs, field.heading()).await;
    }
}

#[tokio::test]
async fn each_value_of_a_design_makes_exactly_those_old_that_read_it() {
    let site = site().await;
    site.looked().await;
    let mut layer = Layer::new();
    for field in Field::ALL {
        // A choice takes one of its own words; any other value is as good as any.
        let value = match field.shape().choices() {
            [] => "7",
            words => words.iter().find(|w| **w != field.default_value()).unwrap(),
        };
        layer.insert(*field, (*value).into());
        let acts = &site.room.acts;
        acts.clients()
            .change_design(&actor(), site.id, &layer, None)
            .await
            .unwrap();
        let also = match field {
            Field::Form => vec![Input::Form],
            Field::Start => vec![Input::Start],
            Field::OnPhones => vec![Input::Screens],
            Field::ButtonColour => vec![Input::Supplier],
            _ => vec![Input::Texts],
        };
        let old = site.old().await;
        assert!(old.contains_key(&Family::Brand), "{field:?}");
        assert!(old.contains_key(&Family::HandOver), "{field:?}");
        let may = [Input::Design].into_iter().chain(also);
        let may: Vec<Input> = may.collect();
        for family in old.keys() {
            let reads = may.iter().any(|i| family.reads().contains(i));
            assert!(reads, "{field:?} made {family:?} old: {old:?}");
        }
        site.looked().await;
    }
}

#[tokio::test]
async fn what_is_intended_makes_exactly_those_old_that_read_it() {
    let site = site().await;
    site.looked().await;
    let acts = &site.room.acts;
    let subject = acts.sites().subject(site.id).await.unwrap();
    let mut meant = Intended::of(&subject.file, &subject.widget);
    meant.outside_hours = OutsideHours::Hide;
    acts.sites()
        .change_intended(&actor(), site.id, meant.clone(), None)
        .await
        .unwrap();
    site.are_old(&[Input::Hours], "hours").await;
    meant.delay_s = Some(4.0);
    acts.sites()
        .change_intended(&actor(), site.id, meant.clone(), None)
        .await
        .unwrap();
    site.are_old(&[Input::Delay], "delay").await;
    assert_eq!(subject.widget.start, Start::Closed);
}

#[tokio::test]
async fn what_many_sites_share_makes_exactly_those_old_that_read_it() {
    let site = site().await;
    site.looked().await;
    let acts = &site.room.acts;
    let house = Layer::from([(Field::Size, "72".to_string())]);
    acts.clients()
        .change_house_style(&actor(), &house, None)
        .await
        .unwrap();
    site.are_old(&[Input::Design], "house style").await;
    let mut sheet = BrandSheet::default();
    sheet.widget.insert(Field::OffsetX, "31".into());
    acts.clients()
        .change_sheet(&actor(), site.client, "Wendle Tide Mill", &sheet, None)
        .await
        .unwrap();
    site.are_old(&[Input::Design], "brand sheet").await;
    acts.clients()
        .change_sheet(&actor(), site.client, "Wendle Mill", &sheet, None)
        .await
        .unwrap();
    site.are_old(&[Input::Client], "client's name").await;
    let name = |field: &str| match field {
        "name" => "Fenwick & Sallow".to_string(),
        "budget_ms" => Agency::default().budget_ms.to_string(),
        "tests_a_month" => Agency::default().tests_a_month.to_string(),
        _ => String::new(),
    };
    acts.settings()
        .set_agency(&actor(), &name, None)
        .await
        .unwrap();
    site.are_old(&[Input::Agency], "agency").await;
    let supplier = newtfern_standins::supplier_profile(80);
    let profiles = [
        (
            ProfileKind::Supplier,
            "brindle",
            supplier.replace("window.Brindle &&", "window.Brindle && true &&"),
            Input::Supplier,
        ),
        (
            ProfileKind::ConsentManager,
            "hedgegate",
            newtfern_standins::consent_profile().replace("Accept all", "Accept"),
            Input::ConsentManager,
        ),
        (
            ProfileKind::Platform,
            "tarnwork",
            newtfern_standins::platform_profile().replacen("name = \"", "name = \"New ", 1),
            Input::Platform,
        ),
    ];
    for (kind, which, text, input) in profiles {
        let form = ProfileForm {
            kind,
            which: Some(which),
            text: &text,
            why: "",
            token: None,
            made_from: None,
        };
        acts.profiles().keep_profile(&actor(), form).await.unwrap();
        site.are_old(&[input], which).await;
    }
}

/// After a look finds the widget gone, what said that it works everywhere says so no longer.
#[tokio::test]
async fn a_widget_that_is_gone_makes_what_went_through_it_old() {
    let site = site().await;
    site.looked().await;
    let acts = &site.room.acts;
    let subject = acts.sites().subject(site.id).await.unwrap();
    let gone = FamilyResult {
        family: Family::Load,
        standing: Standing::Failing,
        summary: "The snippet is not in the page.".into(),
        remedy: "Place it.".into(),
        findings: Vec::new(),
        detail: None,
    };
    let now = acts.reads().now().await.unwrap();
    let check = NewCheck::of(site.id, CheckKind::Job(JobKind::Check), now, vec![gone]);
    acts.checks()
        .keep_result(&check, subject.prints.clone())
        .await
        .unwrap();
    let old = site.old().await;
    let is: Vec<Family> = old.keys().copied().collect();
    assert_eq!(
        is,
        [Family::Pages, Family::Echo, Family::Weigh, Family::HandOver]
    );
    for why in old.values() {
        assert_eq!(why, "Load is failing since this check.");
    }
}

/// A result whose inputs changed while it was made is old as soon as it is kept.
#[tokio::test]
async fn a_look_that_was_overtaken_by_a_change_is_old_at_once() {
    let site = site().await;
    site.looked().await;
    let acts = &site.room.acts;
    let begun = acts.sites().subject(site.id).await.unwrap();
    let mut other = fields();
    other.time_zone = "Europe/Oslo".into();
    acts.sites()
        .change_site(&actor(), site.id, &other, None, None)
        .await
        .unwrap();
    let load = FamilyResult {
        family: Family::Load,
        standing: Standing::Passing,
        summary: "The chain holds on desktop and phone.".into(),
        remedy: String::new(),
        findings: Vec::new(),
        detail: None,
    };
    let now = acts.reads().now().await.unwrap();
    let check = NewCheck::of(site.id, CheckKind::Job(JobKind::Check), now, vec![load]);
    acts.checks()
        .keep_result(&check, begun.prints.clone())
        .await
        .unwrap();
    let old = site.old().await;
    assert_eq!(old[&Family::Load], "Changed since this check: time zone.");
}
