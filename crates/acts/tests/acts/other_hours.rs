//! A widget with hours is looked at while somebody is there and while nobody is: the second look is
//! planned, and what it finds stays known. The visits are recorded ones.

use crate::room::{Room, actor, room};
use jiff::{SignedDuration, Timestamp};
use newtfern_acts::{CheckEvidence, Intended};
use newtfern_model::expectation::Expectation;
use newtfern_model::job::JobKind;
use newtfern_model::profile::Supplier;
use newtfern_model::site::SiteFields;
use newtfern_standards::observation::{Observation, Presence};
use newtfern_standards::private_hosts::PrivateHosts;
use newtfern_store::results::queue::Urgency;
use newtfern_verdict::chain::Outcome;
use newtfern_verdict::family::{Family, Standing};

/// Visits of a page that was in order, on both screens.
const HEALTHY: &str = include_str!("../../../verdict/tests/recorded/healthy.json");

fn visits(presence: Presence) -> Vec<Observation> {
    let record: serde_json::Value = serde_json::from_str(HEALTHY).unwrap();
    let mut visits: Vec<Observation> = serde_json::from_value(record["visits"].clone()).unwrap();
    for visit in &mut visits {
        visit.presence = Some(presence);
    }
    visits
}

struct Site {
    room: Room,
    id: i64,
}

/// A site whose widget is staffed in the half of the day that it is now, by the clock of UTC, or in
/// the other half.
async fn site(staffed_now: bool) -> Site {
    let room = room().await;
    let profile = newtfern_standins::supplier_profile(7411);
    let supplier = Supplier::from_toml(&profile).unwrap();
    let mut tx = room.store.begin().await.unwrap();
    tx.put_supplier(&supplier, &profile).await.unwrap();
    let own = PrivateHosts::read("*.localhost").unwrap();
    tx.set_private_hosts(&own).await.unwrap();
    tx.commit().await.unwrap();
    let client = room.client("Northmere Ice Rink").await;
    let fields = SiteFields {
        name: "Main site".into(),
        url: "http://northmere.localhost:7411/".into(),
        supplier_id: Some("brindle".into()),
        key: "northmere-live".into(),
        country: "CA".into(),
        time_zone: "UTC".into(),
        ..SiteFields::default()
    };
    let id = room.site(client, fields).await;
    let (from, to) = match is_morning(now(&room).await) == staffed_now {
        true => ("00:00", "12:00"),
        false => ("12:00", "24:00"),
    };
    let text = format!(
        "address = 'https://any.example/'\n[[widget]]\nsupplier = 'any'\n[[widget.hours]]\n\
        days = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun']\nfrom = '{from}'\nto = '{to}'\n"
    );
    let file = Expectation::read(&text).unwrap();
    let meant = Intended::of(&file, &file.widgets[0]);
    let sites = room.acts.sites();
    sites
        .change_intended(&actor(), id, meant, None)
        .await
        .unwrap();
    Site { room, id }
}

async fn now(room: &Room) -> Timestamp {
    room.acts.reads().now().await.unwrap()
}

fn is_morning(at: Timestamp) -> bool {
    at.strftime("%H").to_string().parse::<u8>().unwrap() < 12
}

impl Site {
    /// A look at this time, with these visits, as a worker ends it.
    async fn looked(&self, at: Timestamp, presence: Presence) -> Outcome {
        let store = &self.room.store;
        let mut tx = store.begin().await.unwrap();
        let one = [self.id];
        tx.start_round(JobKind::Check, "one", "test", &one, Urgency::Person)
            .await
            .unwrap();
        tx.commit().await.unwrap();
        let job = store.queue().claim().await.unwrap().unwrap();
        let subject = self.room.acts.sites().subject(self.id).await.unwrap();
        let page = subject.page(visits(presence), Vec::new());
        let seen = CheckEvidence { at, page };
        let checks = self.room.acts.checks();
        checks.finish_check(&job, &subject, seen).await.unwrap()
    }

    async fn planned(&self) -> Option<Timestamp> {
        let planned = self.room.store.rounds().planned_look(self.id).await;
        planned.unwrap().map(|(_, at)| at.to_jiff())
    }

    async fn load(&self) -> (Standing, String) {
        let all = self.room.store.sites().standings_of(&[self.id]).await;
        let all = all.unwrap();
        let load = all[&self.id].iter().find(|s| s.family == Family::Load);
        load.map(|s| (s.state, s.summary.clone())).unwrap()
    }
}

#[tokio::test]
async fn the_other_hours_are_planned_once_and_what_they_showed_stays_a_remark() {
    let site = site(true).await;
    let now = now(&site.room).await;
    assert_eq!(site.looked(now, Presence::Online).await, Outcome::Working);
    assert_eq!(site.load().await.0, Standing::Passing);
    let at = site.planned().await.expect("the other hours are planned");
    let later = at.duration_since(now);
    assert!(later > SignedDuration::ZERO, "{at}");
    assert!(
        later < SignedDuration::from_hours(12) + SignedDuration::from_mins(6),
        "{at}"
    );
    assert_ne!(is_morning(at), is_morning(now));

    // Nobody is there, and the widget says that somebody is.
    let night = now - SignedDuration::from_hours(12);
    site.looked(night, Presence::Online).await;
    // It is older than what is known, so the standing stays; the next look carries it.
    let soon = now + SignedDuration::from_secs(1);
    site.looked(soon, Presence::Online).await;
    let (standing, summary) = site.load().await;
    assert_eq!(standing, Standing::Remarks, "{summary}");
    assert!(summary.starts_with("While nobody was there ("), "{summary}");
    assert!(site.planned().await.is_some(), "it is looked at again");

    // Seen in order at those hours, it is a remark no longer, and nothing is planned.
    site.looked(night + SignedDuration::from_secs(2), Presence::Away)
        .await;
    site.looked(soon + SignedDuration::from_secs(2), Presence::Online)
        .await;
    assert_eq!(site.load().await.0, Standing::Passing);
    assert_eq!(site.planned().await, None);
}

#[tokio::test]
async fn a_widget_without_hours_has_no_others() {
    let site = site(false).await;
    let file =
        Expectation::read("address = 'https://any.example/'\n[[widget]]\nsupplier = 'any'\n");
    let file = file.unwrap();
    let meant = Intended::of(&file, &file.widgets[0]);
    let sites = site.room.acts.sites();
    sites
        .change_intended(&actor(), site.id, meant, None)
        .await
        .unwrap();
    let now = now(&site.room).await;
    site.looked(now, Presence::Online).await;
    assert_eq!(site.planned().await, None);
}
