//! Test talks by hand, and the mailbox that mails of test talks are read from.

use crate::house::house;
use newtfern_model::code::Code;
use newtfern_store::access::people::Role;
use newtfern_verdict::family::{Family, Standing};

#[tokio::test]
async fn a_person_sends_what_is_written_and_ticks_what_they_saw() {
    let house = house().await;
    let technician = house.person(Role::Technician).await;
    let client = house.client("Gust Kite Workshop").await;
    let id = house.site(client, 1).await;
    let path = format!("/sites/{id}/test");
    technician.get(&path).await.has("Start a test").has("0 of ");
    technician.post(&path, &[("act", "begin")]).await.leads();
    let waiting = house.store().checks().hand_test(id).await.unwrap().unwrap();
    assert!(waiting.message.starts_with("Hello, this is a test by "));
    technician.get(&path).await.has(&waiting.message);

    // Ticks that contradict each other come back as they were, with nothing kept.
    let jumped = [("act", "saw"), ("answer_seen", "yes"), ("note", "odd")];
    technician
        .post(&path, &jumped)
        .await
        .is(422)
        .has("An answer cannot appear before you give it")
        .has("name=\"answer_seen\" value=\"yes\" checked")
        .has(">odd</textarea>");
    assert!(
        house
            .store()
            .checks()
            .hand_test(id)
            .await
            .unwrap()
            .is_some()
    );

    let saw = [
        ("act", "saw"),
        ("sent", "yes"),
        ("arrived", "yes"),
        ("answered", "yes"),
        ("page", "https://mill.example/"),
        ("note", "answered by Ida"),
    ];
    technician.post(&path, &saw).await.leads();
    let found = house.store().checks().findings(id).await.unwrap();
    let codes: Vec<Code> = found[&Family::Echo].iter().map(|f| f.code).collect();
    assert_eq!(codes, [Code::EchoNoAnswer, Code::EchoPage]);
    technician
        .get(&format!("/sites/{id}"))
        .await
        .has("answered by Ida")
        .has("did not appear in the widget");
    // It counts among the month's, and is listed.
    technician.get(&path).await.has("1 of ").has("Start a test");
    let viewer = house.person(Role::Viewer).await;
    viewer.get(&path).await.lacks("Prepare a test message");
    viewer.post(&path, &[("act", "begin")]).await.is(403);

    technician.post(&path, &[("act", "begin")]).await.leads();
    technician.post(&path, &[("act", "drop")]).await.leads();
    assert!(
        house
            .store()
            .checks()
            .hand_test(id)
            .await
            .unwrap()
            .is_none()
    );
    technician.post(&path, &[("act", "drop")]).await.is(404);
    let all = house.store().sites().standings_of(&[id]).await.unwrap();
    let echo = all[&id].iter().find(|s| s.family == Family::Echo);
    assert_eq!(echo.unwrap().state, Standing::Failing);
}

#[tokio::test]
async fn the_mailbox_is_kept_sealed_and_never_given_to_another_server() {
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    let server = "imaps://tests@mail.fenwick.example";
    let form = |server: &'static str, password: &'static str| {
        [
            ("address", "tests@fenwick.example"),
            ("server", server),
            ("password", password),
        ]
    };
    let post = async |server, password| {
        administrator
            .post("/settings/mailbox", &form(server, password))
            .await
    };
    post(server, "").await.is(422).has("needs its password");
    post("mail.fenwick.example", "secret-words")
        .await
        .is(422)
        .has("is not an address of a mailbox")
        .has("value=\"mail.fenwick.example\"")
        .lacks("secret-words");
    post(server, "secret-words").await.leads();
    let (mailbox, password) = house.acts().settings().mailbox().await.unwrap().unwrap();
    assert_eq!((mailbox.port, password.as_str()), (993, "secret-words"));
    let kept = house
        .store()
        .settings()
        .setting("mailbox")
        .await
        .unwrap()
        .unwrap();
    assert!(!kept.to_string().contains("secret-words"));
    administrator
        .get("/settings")
        .await
        .has(server)
        .lacks("secret-words");
    // Another address of the same server needs no password; another server does.
    post(server, "").await.leads();
    post("imaps://tests@mail.elsewhere.example", "")
        .await
        .is(422)
        .has("needs its password");
    let forget = [("address", ""), ("server", ""), ("password", "")];
    administrator
        .post("/settings/mailbox", &forget)
        .await
        .leads();
    assert!(house.acts().settings().mailbox().await.unwrap().is_none());
}
