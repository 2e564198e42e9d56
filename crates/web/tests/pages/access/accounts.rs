//! Accounts: passwords, links, the second factor, sessions, and people locked and removed.

use crate::house::{Answer, Caller, House, house};
use newtfern_acts::hash_password;
use newtfern_store::access::people::Role;

pub(crate) const PASSWORD: &str = "fern and sallow";

pub(crate) async fn ada(house: &House, role: Role) -> i64 {
    let hash = hash_password(PASSWORD);
    house
        .add_person("ada@fenwick.example", "Ada Fenwick", role, &hash)
        .await
}

pub(crate) async fn sign_in(house: &House, password: &str) -> Answer {
    let fields = [("email", "ada@fenwick.example"), ("password", password)];
    house.stranger().post("/sign-in", &fields).await
}

/// The session's token from the cookie of an answer.
pub(crate) fn token(answer: &Answer) -> String {
    let cookies = answer.headers("set-cookie");
    let own = cookies.iter().find_map(|c| c.strip_prefix("newtfern="));
    own.unwrap().split(';').next().unwrap().to_string()
}

pub(crate) async fn arrived(house: &House, id: i64, answer: &Answer) -> Caller {
    house.with_session(id, &token(answer)).await
}

/// What stands between two texts of a page.
pub(crate) fn between(page: &str, from: &str, to: &str) -> String {
    let rest = &page[page.find(from).expect(from) + from.len()..];
    rest[..rest.find(to).expect(to)].to_string()
}

/// The code of a secret at a time, by the package that authenticators' tests use too.
pub(crate) fn code(secret: &str, aside: i64) -> String {
    let secret = totp_rs::Secret::try_from_base32(secret.replace(' ', "")).unwrap();
    let totp = totp_rs::Builder::new().with_secret(secret).build().unwrap();
    let now = jiff::Timestamp::now().as_second() + aside * 30;
    totp.generate(u64::try_from(now).unwrap()).to_string()
}

#[tokio::test]
async fn a_password_is_changed_by_who_knows_the_old_one_and_other_sessions_end() {
    let house = house().await;
    let id = ada(&house, Role::Viewer).await;
    let (here, there) = (house.signed_in(id).await, house.signed_in(id).await);
    let change = |old: &'static str, new: &'static str| {
        let here = here.clone();
        async move {
            here.post("/account/password", &[("old", old), ("new", new)])
                .await
        }
    };
    change("guess", "a much better one")
        .await
        .is(422)
        .has("current password is wrong");
    change(PASSWORD, "short")
        .await
        .is(422)
        .has("12 characters or more");
    there.get("/worklist").await.is(200);
    let done = change(PASSWORD, "a much better one").await;
    assert_eq!(done.leads(), "/account?done=password");
    here.get("/account?done=password")
        .await
        .is(200)
        .has("signed out on all other devices");
    assert_eq!(
        there.get("/worklist").await.leads(),
        "/sign-in?to=%2Fworklist"
    );
    sign_in(&house, PASSWORD).await.is(401);
    assert_eq!(
        sign_in(&house, "a much better one").await.leads(),
        "/lens/estate"
    );
    // Whoever sits at a forgotten screen does not try all passwords.
    for _ in 0..7 {
        change("guess", "a much better one").await.is(422);
    }
    change("a much better one", "yet another one")
        .await
        .is(422)
        .has("Too many attempts");
}

#[tokio::test]
async fn a_link_chooses_a_password_once() {
    // One story: each part stands on what the one before left behind.
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    let added = administrator
        .post(
            "/people",
            &[
                ("name", "Ada"),
                ("email", "ada@fenwick.example"),
                ("role", "technician"),
            ],
        )
        .await;
    let link = |answer: &Answer| format!("/welcome/{}", between(&answer.text(), "/welcome/", "<"));
    let first = link(&added);
    // Without a password nobody signs in, with an empty one least of all.
    sign_in(&house, "").await.is(401);
    let person = house
        .store()
        .people()
        .person_by_email("ada@fenwick.example")
        .await
        .unwrap()
        .unwrap();
    let number = person.id.to_string();
    // A second link takes the place of the first.
    let second = link(
        &administrator
            .post("/people/link", &[("person", &number)])
            .await,
    );
    let stranger = house.stranger();
    stranger
        .get(&first)
        .await
        .is(404)
        .has("link does not exist");
    stranger
        .get(&second)
        .await
        .is(200)
        .has("ada@fenwick.example");
    stranger
        .post(&second, &[("new", "short")])
        .await
        .is(422)
        .has("12 characters or more");
    let old = house.signed_in(person.id).await;
    assert_eq!(
        stranger.post(&second, &[("new", PASSWORD)]).await.leads(),
        "/sign-in"
    );
    assert_eq!(
        old.get("/worklist").await.leads(),
        "/sign-in?to=%2Fworklist"
    );
    stranger
        .post(&second, &[("new", "a much better one")])
        .await
        .is(404);
    assert_eq!(sign_in(&house, PASSWORD).await.leads(), "/lens/estate");
    // Only hashes are kept.
    let plain = "select count(*) from password_links where length(token_hash) <> 32";
    assert_eq!(house.count(plain).await, 0);
    administrator
        .get("/audit?q=chose")
        .await
        .has("chose a password by a link");
}

#[tokio::test]
async fn the_second_factor_is_asked_for_and_each_code_opens_once() {
    // One story: each part stands on what the one before left behind.
    let house = house().await;
    let id = ada(&house, Role::Technician).await;
    let here = house.signed_in(id).await;
    here.get("/account")
        .await
        .is(200)
        .has("Set up two-factor sign-in");
    here.post("/account/second/begin", &[("password", PASSWORD)])
        .await
        .leads();
    let page = here.get("/account").await.text();
    let secret = between(&page, "enter the secret <code>", "</code>");
    assert!(page.contains("<svg class=\"qr\""));
    // Not before it is confirmed.
    assert_eq!(sign_in(&house, PASSWORD).await.leads(), "/lens/estate");
    here.post("/account/second/confirm", &[("code", "000000")])
        .await
        .is(422)
        .has("clock");
    let before = code(&secret, -1);
    let confirmed = here
        .post("/account/second/confirm", &[("code", &before)])
        .await;
    confirmed.is(200).has("recovery codes");
    let recovery = between(
        &confirmed.text(),
        "<ul class=\"codes\"><li><code>",
        "</code>",
    );
    here.get("/account")
        .await
        .lacks(&recovery)
        .has("10 recovery codes are");
    // A session that was stolen does not replace it: the password is asked for, and a code of the
    // present one.
    let replace = async |password: &str, code: &str| {
        let form = [("password", password), ("code", code)];
        here.post("/account/second/begin", &form).await
    };
    replace("guess", "000000")
        .await
        .is(422)
        .has("password is wrong");
    replace(PASSWORD, "000000")
        .await
        .is(422)
        .has("code is wrong");
    replace(PASSWORD, &before).await.is(422).has("already used");
    here.get("/account").await.lacks("enter the secret");
    let trail = "select count(*) from audit where act in ('entered a wrong code', 'gave a wrong \
        own password', \
        'started to set up two-factor sign-in') and who = 'Ada Fenwick (ada@fenwick.example)'";
    assert_eq!(house.count(trail).await, 5);

    let half = sign_in(&house, PASSWORD).await;
    assert_eq!(half.leads(), "/sign-in/second?to=%2Flens%2Festate");
    let half = arrived(&house, id, &half).await;
    // With the password alone nothing opens.
    for path in ["/lens/estate", "/account", "/events", "/sites/export.csv"] {
        assert_eq!(half.get(path).await.leads(), "/sign-in/second", "{path}");
    }
    for path in ["/bulk", "/account/password", "/account/second/drop"] {
        assert_eq!(
            half.post(path, &[]).await.leads(),
            "/sign-in/second",
            "{path}"
        );
    }
    half.get("/sign-in/second").await.is(200).has("Ada Fenwick");
    let give = |code: String| {
        let half = half.clone();
        async move {
            let fields = [("code", code.as_str()), ("to", "/worklist")];
            half.post("/sign-in/second", &fields).await
        }
    };
    // The code that confirmed is used up, and so is every older one.
    give(before.clone()).await.is(401).has("was already used");
    let now = code(&secret, 0);
    let whole = give(now.clone()).await;
    assert_eq!(whole.leads(), "/worklist");
    // A new session, not the old one made larger.
    assert_eq!(
        half.get("/worklist").await.leads(),
        "/sign-in?to=%2Fworklist"
    );
    arrived(&house, id, &whole)
        .await
        .get("/worklist")
        .await
        .is(200);

    // A recovery code opens once, however it is typed.
    let own = &house;
    let recover = |code: String| async move {
        let half = sign_in(own, PASSWORD).await;
        let half = arrived(own, id, &half).await;
        half.post("/sign-in/second", &[("code", code.as_str())])
            .await
    };
    let typed = recovery.to_lowercase().replace('-', " ");
    assert_eq!(recover(typed).await.leads(), "/lens/estate");
    recover(recovery.clone()).await.is(401);
    here.get("/account").await.has("9 recovery codes are");
    // Its secret and codes are not kept as such.
    let row = house
        .store()
        .people()
        .second_factor(id)
        .await
        .unwrap()
        .unwrap();
    let sealed = row.second_sealed.unwrap();
    assert!(!String::from_utf8_lossy(&sealed).contains(&secret.replace(' ', "")));
}

#[tokio::test]
async fn codes_cannot_be_tried_without_end() {
    let house = house().await;
    let id = ada(&house, Role::Viewer).await;
    let here = house.signed_in(id).await;
    here.post("/account/second/begin", &[("password", PASSWORD)])
        .await
        .leads();
    let secret = between(
        &here.get("/account").await.text(),
        "enter the secret <code>",
        "</code>",
    );
    here.post("/account/second/confirm", &[("code", &code(&secret, -1))])
        .await
        .is(200);
    let half = arrived(&house, id, &sign_in(&house, PASSWORD).await).await;
    for _ in 0..6 {
        half.post("/sign-in/second", &[("code", "000000")])
            .await
            .is(401);
    }
    half.post("/sign-in/second", &[("code", &code(&secret, 0))])
        .await
        .is(429)
        .has("Too many attempts");
}

#[tokio::test]
async fn the_house_may_ask_everybody_for_a_second_factor() {
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    let rules = [("second_required", "yes"), ("keep_checks", "30")];
    let technician = house.signed_in(ada(&house, Role::Technician).await).await;
    administrator.post("/settings", &rules).await.leads();
    // From then on every page leads to one's own account, forms too, and nothing is changed.
    for path in ["/lens/estate", "/settings", "/events"] {
        assert_eq!(technician.get(path).await.leads(), "/account", "{path}");
    }
    assert_eq!(
        technician.post("/clients", &[("name", "X")]).await.leads(),
        "/account"
    );
    technician
        .get("/account")
        .await
        .is(200)
        .has("Set it up below");
    technician
        .post("/account/second/begin", &[("password", PASSWORD)])
        .await
        .leads();
    let page = technician.get("/account").await.text();
    let secret = between(&page, "enter the secret <code>", "</code>");
    technician
        .post("/account/second/confirm", &[("code", &code(&secret, 0))])
        .await
        .is(200);
    technician.get("/lens/estate").await.is(200);
    // It cannot be taken away again by oneself, but by an administrator who has one.
    technician
        .post("/account/second/drop", &[("password", PASSWORD)])
        .await
        .is(422)
        .has("Two-factor sign-in is required");
}

#[tokio::test]
async fn a_second_factor_is_taken_away_by_its_owner_or_an_administrator() {
    let house = house().await;
    let id = ada(&house, Role::Viewer).await;
    let here = house.signed_in(id).await;
    let set_up = || async {
        here.post("/account/second/begin", &[("password", PASSWORD)])
            .await
            .leads();
        let page = here.get("/account").await.text();
        let secret = between(&page, "enter the secret <code>", "</code>");
        let right = code(&secret, 0);
        here.post("/account/second/confirm", &[("code", &right)])
            .await
            .is(200);
    };
    set_up().await;
    here.post("/account/second/drop", &[("password", "guess")])
        .await
        .is(422);
    let elsewhere = house.signed_in(id).await;
    here.post("/account/second/drop", &[("password", PASSWORD)])
        .await
        .leads();
    // Whoever else had a session has none any more.
    assert!(
        elsewhere
            .get("/worklist")
            .await
            .leads()
            .starts_with("/sign-in")
    );
    assert_eq!(sign_in(&house, PASSWORD).await.leads(), "/lens/estate");
    set_up().await;
    let administrator = house.person(Role::Administrator).await;
    let number = id.to_string();
    administrator
        .get("/people?q=ada")
        .await
        .has("password and code");
    administrator
        .post("/people/second", &[("person", &number)])
        .await
        .leads();
    assert_eq!(
        here.get("/worklist").await.leads(),
        "/sign-in?to=%2Fworklist"
    );
    assert_eq!(sign_in(&house, PASSWORD).await.leads(), "/lens/estate");
}

#[tokio::test]
async fn sessions_are_listed_to_their_person_and_ended() {
    let house = house().await;
    let id = ada(&house, Role::Viewer).await;
    let other = house.person(Role::Technician).await;
    let here = house.signed_in(id).await;
    let there = arrived(&house, id, &sign_in(&house, PASSWORD).await).await;
    let page = here.get("/account").await;
    page.has("This session").has("Sign out everywhere else");
    let number = between(&page.text(), "name=\"session\" value=\"", "\"");
    // Nobody ends another's.
    other
        .post("/account/sessions", &[("session", &number)])
        .await
        .is(404);
    there.get("/worklist").await.is(200);
    here.post("/account/sessions", &[("session", &number)])
        .await
        .leads();
    assert_eq!(
        there.get("/worklist").await.leads(),
        "/sign-in?to=%2Fworklist"
    );
    let there = house.signed_in(id).await;
    here.post("/account/sessions", &[("session", "others")])
        .await
        .leads();
    there.get("/worklist").await.leads();
    here.get("/worklist").await.is(200);
    other.get("/worklist").await.is(200);
}
