//! Hours, channels and further languages of a site: kept, refused with the field, and read by a
//! check.

use crate::house::{House, house};
use newtfern_model::design::Field;
use newtfern_model::expectation::{Expectation, OutsideHours};
use newtfern_store::access::people::Role;

async fn expected(house: &House, id: i64) -> Expectation {
    let site = house.store().sites().site(id).await.unwrap().unwrap();
    house.acts().sites().expectation_of(&site).await.unwrap()
}

#[tokio::test]
async fn what_is_intended_is_kept_shown_and_part_of_the_file() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Gust Kite Workshop").await;
    let id = house.site(client, 1).await;
    sqlx::query("update sites set languages = 'en, cy', time_zone = 'Europe/London' where id = $1")
        .bind(id)
        .execute(&house.store().pool)
        .await
        .unwrap();
    let path = format!("/sites/{id}/intended");
    let form = [
        ("days-0", "mon"),
        ("days-0", "tue"),
        ("from-0", "9:00"),
        ("to-0", "17:30"),
        ("from-1", ""),
        ("to-1", ""),
        ("closed", "2026-12-25\n2026-12-26"),
        ("outside_hours", "hide"),
        ("delay", "2.5 s"),
        ("channel-0", "phone"),
        ("target-0", "tel:+441632960123"),
        ("channel-1", "mail"),
        ("target-1", ""),
        ("text-cy-greeting", "Helo!"),
    ];
    technician.post(&path, &form).await.leads();
    let file = expected(&house, id).await;
    let widget = &file.widgets[0];
    assert_eq!(widget.hours[0].to_string(), "mon, tue 09:00 to 17:30");
    assert_eq!((widget.closed.len(), widget.delay_s), (2, Some(2.5)));
    assert_eq!(widget.outside_hours, OutsideHours::Hide);
    // An empty target drops its channel.
    assert_eq!(widget.channels.len(), 1);
    assert_eq!(widget.texts["cy"].get(Field::Greeting), Some("Helo!"));
    // The first language has the design's own texts.
    assert!(widget.texts["en"].get(Field::Greeting).is_some());
    assert_eq!(Expectation::read(&file.write()).unwrap(), file);
    technician
        .get(&path)
        .await
        .has("Europe/London")
        .has("a desktop in cy")
        .has("tel:+441632960123");
    let ics = technician.get(&format!("/sites/{id}/hours.ics")).await;
    ics.is(200)
        .has("RRULE:FREQ=WEEKLY;BYDAY=MO,TU")
        .has("DTSTART;VALUE=DATE:20261225");

    let shift = |from, to| vec![("days-0", "mon"), ("from-0", from), ("to-0", to)];
    for (form, told) in [
        (shift("9", "17:30"), "not a time of day"),
        (shift("09:00", "09:00"), "from and to are the same"),
        (vec![("closed", "christmas")], "Closed days"),
        (
            vec![("delay", "soon")],
            "is no delay: write seconds or minutes",
        ),
        (vec![("delay", "-1")], "not from 0 s to 24 h"),
    ] {
        technician.post(&path, &form).await.is(422).has(told);
    }
    assert_eq!(expected(&house, id).await, file, "nothing of it was kept");
}
