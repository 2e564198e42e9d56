//! Acts on people: all or none, and never the last administrator.

use crate::access::accounts::{PASSWORD, ada, arrived, sign_in};
use crate::house::{Caller, house};
use newtfern_store::access::people::Role;

#[tokio::test]
async fn people_are_locked_signed_out_and_removed_all_or_none() {
    let house = house().await;
    let administrator = house.person(Role::Administrator).await;
    let id = ada(&house, Role::Technician).await;
    let number = id.to_string();
    let act = |kind: &'static str, people: Vec<String>| {
        let administrator = administrator.clone();
        async move {
            let mut fields = vec![("kind", kind)];
            fields.extend(people.iter().map(|p| ("person", p.as_str())));
            administrator.post("/people/act", &fields).await
        }
    };
    let here = house.signed_in(id).await;
    act("lock", vec![number.clone()]).await.leads();
    assert_eq!(
        here.get("/worklist").await.leads(),
        "/sign-in?to=%2Fworklist"
    );
    // The answer is that of a wrong password: it tells nothing.
    sign_in(&house, PASSWORD).await.is(401).has("is wrong");
    administrator.get("/people").await.has("locked");
    administrator
        .post("/people/link", &[("person", &number)])
        .await
        .is(422)
        .has("unlock them first");
    act("unlock", vec![number.clone()]).await.leads();
    let here = arrived(&house, id, &sign_in(&house, PASSWORD).await).await;
    act("end", vec![number.clone()]).await.leads();
    assert_eq!(
        here.get("/worklist").await.leads(),
        "/sign-in?to=%2Fworklist"
    );
    // Oneself is not among them, and one who is gone spoils the whole act.
    let own = administrator.id.to_string();
    act("lock", vec![number.clone(), own])
        .await
        .is(422)
        .has("You selected yourself");
    act("lock", vec![number.clone(), "999".into()])
        .await
        .is(404);
    act("lock", vec![])
        .await
        .is(422)
        .has("No people are selected");
    assert!(
        !house
            .store()
            .people()
            .person(id)
            .await
            .unwrap()
            .unwrap()
            .locked
    );
    act("remove", vec![number]).await.leads();
    assert!(house.store().people().person(id).await.unwrap().is_none());
    administrator
        .get("/audit?q=removed")
        .await
        .has("ada@fenwick.example");
}

/// Two administrators that lock each other at the same time would leave none.
#[tokio::test]
async fn an_administrator_is_always_left() {
    let house = house().await;
    let one = house.person(Role::Administrator).await;
    let two = house
        .signed_in(ada(&house, Role::Administrator).await)
        .await;
    let lock = |who: &Caller, whom: &Caller| {
        let (who, whom) = (who.clone(), whom.id.to_string());
        async move {
            let fields = [("kind", "lock"), ("person", whom.as_str())];
            who.post("/people/act", &fields).await.status.as_u16()
        }
    };
    let (a, b) = tokio::join!(lock(&one, &two), lock(&two, &one));
    assert!(a != 303 || b != 303, "{a} {b}");
    let left = "select count(*) from people where role = 'administrator' and locked_at is null";
    assert_eq!(house.count(left).await, 1);
}
