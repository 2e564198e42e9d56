//! Writes outside that break off: a program that ends between two calls, and calls that do not say
//! whether they did what was asked.

use crate::house::{House, house};
use crate::stage::Stage;
use crate::writing::placing::{OTHERS, Placing, SLOT, placing};
use async_trait::async_trait;
use newtfern_acts::{Actor, Acts, AddressReport, Outside, ProposingVisit, SlotError, SlotText};
use newtfern_model::pages::PageCopy;
use newtfern_model::platform::Platform;
use newtfern_model::profile::Supplier;
use serde_json::Value;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use tokio::sync::Notify;
use url::Url;

/// When a call is the last of its program.
#[derive(Debug, Clone, Copy, PartialEq)]
enum End {
    /// It was not made any more.
    Before,
    /// It was made, and its answer never came.
    After,
    /// It was made, and all that came was that nothing came.
    Unsaid,
}

/// An outside at one of whose calls the program ends.
struct Mortal {
    stage: Arc<Stage>,
    calls: AtomicUsize,
    last: usize,
    end: End,
    over: Notify,
}

impl Mortal {
    /// Is this the call? Ends there where it must not be made.
    async fn is_last(&self) -> bool {
        let last = self.calls.fetch_add(1, Ordering::SeqCst) + 1 == self.last;
        if last && self.end == End::Before {
            self.ends().await;
        }
        last
    }

    async fn ends(&self) {
        self.over.notify_one();
        std::future::pending::<()>().await;
    }

    async fn answered<T>(&self, last: bool, answer: Result<T, SlotError>) -> Result<T, SlotError> {
        match self.end {
            End::After if last => {
                self.ends().await;
                answer
            }
            End::Unsaid if last => Err(SlotError::Unreachable("nothing came".into())),
            _ => answer,
        }
    }
}

#[async_trait]
impl Outside for Mortal {
    async fn look(&self, typed: &str, platforms: &[Platform]) -> AddressReport {
        self.stage.look(typed, platforms).await
    }
    async fn page(&self, address: &Url) -> PageCopy {
        self.stage.page(address).await
    }
    async fn picture(&self, address: &Url) -> Result<Vec<u8>, String> {
        self.stage.picture(address).await
    }
    async fn visit(&self, address: &Url, supplier: &Supplier) -> Result<ProposingVisit, String> {
        self.stage.visit(address, supplier).await
    }
    async fn read_slot(&self, address: &Url, token: &str) -> Result<SlotText, SlotError> {
        let last = self.is_last().await;
        let answer = self.stage.read_slot(address, token).await;
        self.answered(last, answer).await
    }
    async fn write_slot(
        &self,
        address: &Url,
        token: &str,
        text: &SlotText,
    ) -> Result<(), SlotError> {
        let last = self.is_last().await;
        let answer = self.stage.write_slot(address, token, text).await;
        self.answered(last, answer).await
    }
    async fn call(
        &self,
        method: &str,
        address: &Url,
        token: &str,
        body: Option<&Value>,
    ) -> Result<Value, SlotError> {
        let last = self.is_last().await;
        let answer = self.stage.call(method, address, token, body).await;
        self.answered(last, answer).await
    }
    async fn publish(&self, address: &Url, token: &str) -> Result<(), SlotError> {
        let last = self.is_last().await;
        let answer = self.stage.publish(address, token).await;
        self.answered(last, answer).await
    }
}

/// How an act went whose program may end at one of its calls outside.
#[derive(Debug, PartialEq)]
enum Went {
    /// The program ended at that call.
    Ended,
    /// The act came to its own end before.
    Through(Result<(), String>),
}

async fn ending<F>(
    house: &House,
    (last, end): (usize, End),
    act: impl FnOnce(Acts) -> F,
) -> (Went, usize)
where
    F: Future<Output = Result<(), String>> + Send + 'static,
{
    let mortal = Arc::new(Mortal {
        stage: house.stage.clone(),
        calls: AtomicUsize::new(0),
        last,
        end,
        over: Notify::new(),
    });
    let task = tokio::spawn(act(house.acts_over(mortal.clone())));
    let abort = task.abort_handle();
    let went = tokio::select! {
        _ = mortal.over.notified() => {
            abort.abort();
            Went::Ended
        }
        done = task => Went::Through(done.unwrap()),
    };
    (went, mortal.calls.load(Ordering::SeqCst))
}

/// The time that a write was given is over.
async fn time_passes(house: &House) {
    sqlx::query("update begun_writes set until = now() - interval '1 second'")
        .execute(&house.store().pool)
        .await
        .unwrap();
}

fn actor() -> Actor {
    Actor::program("test")
}

fn site_of(p: &Placing) -> i64 {
    p.page.split('/').nth(2).unwrap().parse().unwrap()
}

/// A push into the usual slot.
async fn push(acts: Acts, site: i64) -> Result<(), String> {
    let page = acts
        .placing()
        .place_page(site, 0, Some("footer-code"))
        .await
        .unwrap();
    let (actor, others) = (actor(), newtfern_acts::OtherSuppliers::Keep);
    let pushed = acts
        .placing()
        .push(&actor, site, (0, "footer-code"), &page.print, others);
    pushed.await.map(|_| ()).map_err(|e| e.to_string())
}

/// Nothing is begun any more; what the slot holds and what is kept fit each other; and it can be
/// put back.
async fn all_is_known(p: &Placing, told: &str) {
    let house = &p.house;
    assert_eq!(
        house.count("select count(*) from begun_writes").await,
        0,
        "{told}"
    );
    let standing = "select count(*) from placements where put_back_at is null";
    match p.held() == OTHERS {
        true => assert_eq!(house.count(standing).await, 0, "{told}"),
        false => {
            assert_eq!(house.count(standing).await, 1, "{told}");
            let last = p.last().await;
            assert_eq!(last.before_text, OTHERS, "{told}");
            p.put_back(last.id).await.leads();
            assert_eq!(p.held(), OTHERS, "{told}");
        }
    }
}

#[tokio::test]
async fn a_push_that_breaks_off_at_any_call_is_settled_by_what_stands_there() {
    for end in [End::Before, End::After, End::Unsaid] {
        for last in 1.. {
            let p = placing().await;
            let site = site_of(&p);
            let (went, calls) = ending(&p.house, (last, end), move |acts| push(acts, site)).await;
            if calls < last {
                assert!(last > 4, "reading, reading again, writing: {last}");
                break;
            }
            let told = format!("{end:?} {last}: {went:?}");
            let written = p.held() != OTHERS;
            let begun = p.house.count("select count(*) from begun_writes").await;
            match end {
                // A write that did not say so happened all the same, and is told as that.
                End::Unsaid if written => {
                    assert_eq!((went, begun), (Went::Through(Ok(())), 0), "{told}")
                }
                End::Unsaid => assert_eq!(begun, 0, "{told}"),
                _ if begun > 0 => {
                    // Its program may still be there.
                    let early = p.push().await;
                    early.is(422).has("Another action is writing to this site");
                    time_passes(&p.house).await;
                    assert_eq!(
                        p.house.acts().writes().settle_broken().await.unwrap(),
                        1,
                        "{told}"
                    );
                    let settled =
                        "select count(*) from audit where act = 'settled a write that broke off'";
                    assert_eq!(p.house.count(settled).await, 1, "{told}");
                }
                _ => {}
            }
            all_is_known(&p, &told).await;
            // The next push blames nobody.
            assert!(p.push().await.leads().ends_with("done=pushed"), "{told}");
        }
    }
}

#[tokio::test]
async fn a_put_back_that_breaks_off_at_any_call_is_settled_too() {
    for end in [End::Before, End::After, End::Unsaid] {
        for last in 1.. {
            let p = placing().await;
            let site = site_of(&p);
            p.push().await.leads();
            let placement = p.last().await.id;
            let back = move |acts: Acts| async move {
                let done = acts.placing().put_back(&actor(), site, placement).await;
                done.map(|_| ()).map_err(|e| e.to_string())
            };
            let (went, calls) = ending(&p.house, (last, end), back).await;
            if calls < last {
                break;
            }
            let told = format!("{end:?} {last}: {went:?}");
            time_passes(&p.house).await;
            p.house.acts().writes().settle_broken().await.unwrap();
            all_is_known(&p, &told).await;
        }
    }
}

/// Whoever opens the page of placing sees what is there, without waiting for a worker.
#[tokio::test]
async fn the_page_settles_what_broke_off() {
    let p = placing().await;
    let site = site_of(&p);
    let mut last = 1;
    // The call that writes.
    while p.held() == OTHERS {
        let (_, calls) = ending(&p.house, (last, End::After), move |acts| push(acts, site)).await;
        assert!(calls >= last);
        time_passes(&p.house).await;
        last += 1;
    }
    p.technician.get(&p.page).await.has("/back");
    assert_eq!(p.house.count("select count(*) from begun_writes").await, 0);
    assert!(p.push().await.leads().ends_with("done=same"));
    assert!(p.house.stage.held(SLOT).contains("l.js?k=kite-001"));
}

#[tokio::test]
async fn a_set_of_tags_that_breaks_off_at_any_call_is_settled() {
    for end in [End::Before, End::After, End::Unsaid] {
        for last in 1.. {
            let house = house().await;
            let site = crate::writing::tags::chosen(&house).await;
            let place = move |acts: Acts| async move {
                let pushed = acts.placing().push_tag(&actor(), site, 7).await;
                pushed.map(|_| ()).map_err(|e| e.to_string())
            };
            let (went, calls) = ending(&house, (last, end), place).await;
            if calls < last {
                break;
            }
            let told = format!("{end:?} {last}: {went:?}");
            time_passes(&house).await;
            house.acts().writes().settle_broken().await.unwrap();
            assert_eq!(
                house.count("select count(*) from begun_writes").await,
                0,
                "{told}"
            );
            let live = house.stage.tags.lock().unwrap().versions.len() == 2;
            let kept = house.count("select count(*) from placements").await;
            assert_eq!(kept, i64::from(live), "{told}");
            if live {
                let row = house
                    .store()
                    .writing()
                    .placements(site)
                    .await
                    .unwrap()
                    .remove(0)
                    .id;
                house
                    .acts()
                    .placing()
                    .put_back(&actor(), site, row)
                    .await
                    .unwrap();
                assert_eq!(house.stage.tags.lock().unwrap().versions.len(), 3, "{told}");
            }
        }
    }
}

#[tokio::test]
async fn settings_at_a_supplier_that_break_off_at_any_call_are_settled() {
    for end in [End::Before, End::After, End::Unsaid] {
        for last in 1.. {
            let house = house().await;
            let site = crate::site::designs::at_the_supplier(&house).await;
            let before = house.stage.settings.lock().unwrap().clone();
            let write = move |acts: Acts| async move {
                let wrote = acts.consoles().write_design(&actor(), site).await;
                wrote.map(|_| ()).map_err(|e| e.to_string())
            };
            let (went, calls) = ending(&house, (last, end), write).await;
            if calls < last {
                break;
            }
            let told = format!("{end:?} {last}: {went:?}");
            time_passes(&house).await;
            house.acts().writes().settle_broken().await.unwrap();
            assert_eq!(
                house.count("select count(*) from begun_writes").await,
                0,
                "{told}"
            );
            let written = *house.stage.settings.lock().unwrap() != before;
            let kept = house.count("select count(*) from supplier_writes").await;
            assert_eq!(kept, i64::from(written), "{told}");
            if written {
                house
                    .acts()
                    .consoles()
                    .put_settings_back(&actor(), site)
                    .await
                    .unwrap();
                assert_eq!(*house.stage.settings.lock().unwrap(), before, "{told}");
            }
        }
    }
}
