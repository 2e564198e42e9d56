//! One visit: one load of one page under one condition, in a context of its own that is thrown away
//! afterwards, with one deadline over everything. It carries out a plan of the core and says of
//! each stage how far it looked.

mod again;
mod ask;
mod body;
mod channels;
mod closed_roots;
mod collector;
pub mod consent;
pub mod details;
mod emulation;
mod failure;
mod hiding;
mod motion;
mod opening;
mod operate;
mod panel_frames;
mod press;
mod progress;
mod prompt;
mod pump;
mod reach;
mod replaced;
mod scripts;
mod settle;
mod tab;
mod tcf;
#[cfg(test)]
mod tests;
mod texts;
mod withdrawal;

pub use body::decode;
pub use consent::decide;
pub use opening::{opener, panel};
pub use operate::Pictures;
pub(crate) use operate::pixel_scale;
pub use press::press;
pub use settle::blocking;
pub use tab::Tab;

use crate::browser::Browser;
use crate::pace::{self, Timer};
use crate::{ProbeError, pixels};
use newtfern_heavy::heavy;
use newtfern_standards::observation::{
    ConsentAct, Launcher, Look, Manner, NotCheckedReason, Observation, Stage, VERSION, VisitEnd,
    WidgetLet,
};
use newtfern_verdict::visits::{VisitPlan, WaitTimes};
use std::time::Duration;

/// A page's load event is waited for this long before its widget is waited for without it.
const LOAD_MS: f64 = 12_000.0;
/// A launcher is waited for to stand still this long.
const REST_MS: u64 = 1_500;

/// Makes the visit. Only a browser that cannot be had is an error; all else is observation.
///
/// # Errors
/// [`ProbeError::BrowserGone`], or where no page could be opened.
pub async fn visit(
    browser: &Browser,
    plan: &VisitPlan<'_>,
) -> Result<(Observation, Pictures), ProbeError> {
    let condition = plan.condition.clone();
    let tab = Tab::open_as(browser, &condition, Some(plan.supplier)).await?;
    tab.mark(|o| o.condition = condition);
    tab.with(|s| s.class = plan.supplier.consent.class);
    if plan.condition.widget == WidgetLet::Withheld {
        let hosts: Vec<String> = plan.supplier.hosts().map(str::to_string).collect();
        tab.withhold(&hosts).await?;
    }
    tab.keep_bodies(plan.supplier.hosts().map(str::to_string).collect());
    let mut pictures = Pictures::default();
    let total = Duration::from_millis(plan.total_ms);
    let outcome = pace::within(total, run(&tab, plan, &mut pictures)).await;
    let crashed = tab.observation().ended == VisitEnd::Crashed;
    let (ended, why) = match outcome {
        Ok(Err(ProbeError::BrowserGone { doing })) => {
            return Err(ProbeError::BrowserGone { doing });
        }
        _ if crashed => (VisitEnd::Crashed, NotCheckedReason::Crashed),
        Ok(Ok(())) => (VisitEnd::Complete, NotCheckedReason::EarlierStage),
        Ok(Err(_)) => (VisitEnd::Hung, NotCheckedReason::NoAnswer),
        Err(_) => (VisitEnd::Deadline, NotCheckedReason::Deadline),
    };
    tab.close_looks(why);
    let mut seen = tab.observation();
    seen.withheld = tab.withheld();
    seen.ended = ended;
    seen.version = VERSION;
    seen.url = plan.url.to_string();
    seen.condition = plan.condition.clone();
    seen.browser = browser.version.clone();
    tab.close().await;
    Ok((seen, pictures))
}

/// Notes a stage with its time.
async fn stage<T>(
    tab: &Tab,
    name: &str,
    work: impl Future<Output = Result<T, ProbeError>>,
) -> Result<T, ProbeError> {
    let began_ms = tab.now_ms();
    let outcome = work.await;
    let ended_ms = tab.now_ms();
    tab.mark(|o| {
        o.stages.push(Stage {
            name: name.to_string(),
            began_ms,
            ended_ms,
        });
    });
    outcome
}

async fn run(tab: &Tab, plan: &VisitPlan<'_>, pictures: &mut Pictures) -> Result<(), ProbeError> {
    if !stage(tab, "document", document(tab, plan)).await? {
        return Ok(());
    }
    let act = plan.condition.consent;
    let decides = !matches!(act, ConsentAct::Untouched | ConsentAct::Gpc);
    if decides && let Some(manager) = plan.consent {
        // What is taken back was given before.
        let first = match act {
            ConsentAct::Withdrawn => ConsentAct::Granted,
            other => other,
        };
        stage(tab, "consent", decide(tab, manager, first)).await?;
    }
    let delivered = tab.observation().page;
    let waits = heavy(|| plan.waits(&delivered)).await;
    stage(tab, "start", start(tab, plan, waits)).await?;
    if tab.is_over() {
        return Ok(());
    }
    if act == ConsentAct::Withdrawn {
        if let Some(manager) = plan.consent {
            let back = withdrawal::take_back(tab, manager, plan.url, waits);
            stage(tab, "withdrawal", back).await?;
        }
        return stage(tab, "end", end(tab)).await;
    }
    if act == ConsentAct::Refused && plan.consent.is_some() {
        let next = withdrawal::second_page(tab, plan.url, waits);
        stage(tab, "next page", next).await?;
        return stage(tab, "end", end(tab)).await;
    }
    if plan.condition.manner == Manner::Again {
        stage(tab, "again", again::come(tab, plan, waits)).await?;
        return stage(tab, "end", end(tab)).await;
    }
    if !decides {
        consent::note(tab, plan.consent).await?;
        if let Some(manager) = plan.consent {
            consent::note_first_layer(tab, manager).await?;
        }
    }
    let up = stage(tab, "launcher", settle(tab, plan, waits, pictures)).await?;
    if plan.condition.manner == Manner::Zoomed {
        motion::read(tab, &plan.supplier.alive.launcher).await?;
    }
    tab.ask_presence(plan.supplier).await?;
    if up && let Some(watch) = plan.prompt {
        stage(tab, "prompt", prompt::watch(tab, plan.supplier, watch)).await?;
    }
    if up && plan.supplier.open.panel.trim().is_empty() {
        stage(tab, "channels", channels::read(tab, plan.supplier)).await?;
        tab.close_looks_of_operation();
    } else if up {
        let worked = operate::work(tab, plan.supplier, pictures, plan.pictures);
        stage(tab, "operation", worked).await?;
    }
    stage(tab, "stay", stay(tab, plan, waits)).await?;
    stage(tab, "end", end(tab)).await
}

/// Loads the page until its document is whole. False where nothing more can be said.
async fn document(tab: &Tab, plan: &VisitPlan<'_>) -> Result<bool, ProbeError> {
    if !tab.goto(plan.url, plan.page_ms).await? {
        return Ok(false);
    }
    let left = |tab: &Tab| {
        let left = plan.page_ms as f64 - tab.spent_ms(0.0);
        Duration::from_secs_f64(left.max(0.0) / 1000.0)
    };
    tab.wait_until(left(tab), |s| s.document_done || s.over)
        .await;
    if tab.is_over() {
        return Ok(false);
    }
    if !tab.document_arrived() && tab.has_answer() {
        // A page whose thread is busy tells late that its document is whole: it is asked, and
        // answers after all that it had to tell. One that does not answer is not told to be slow.
        let state = tab.evaluate("document.readyState").await?;
        if state != "loading" {
            let late = Duration::from_secs(2);
            tab.wait_until(late, |s| s.document_done || s.over).await;
        }
    }
    if !tab.document_arrived() {
        tab.mark(|o| {
            let text = "the page did not arrive whole in its time";
            o.page.failure = Some(failure::timeout(text));
        });
        return Ok(false);
    }
    tab.fetch_document().await;
    Ok(true)
}

/// Waits for the sign of life and the launcher.
async fn start(tab: &Tab, plan: &VisitPlan<'_>, waits: WaitTimes) -> Result<(), ProbeError> {
    let bare = plan.supplier.alive.launcher.is_empty();
    let signed = !plan.supplier.alive.script.trim().is_empty();
    // Without a sign of its own, the launcher is the sign. Where neither is known nothing tells
    // that it is up: all that comes in its time is seen.
    let up = move |s: &collector::Collector| {
        (signed || !bare) && (s.alive() || !signed) && (s.launcher_ms.is_some() || bare)
    };
    let load = Duration::from_secs_f64((LOAD_MS - tab.spent_ms(0.0)).max(0.0) / 1000.0);
    tab.wait_until(load, |s| up(s) || s.loaded || s.over).await;
    let timer = Timer::ms(waits.start_ms);
    let sealed = |s: &collector::Collector| s.sealed && s.launcher_ms.is_none() && !s.over;
    tab.wait_until(timer.left(), |s| up(s) || s.over || sealed(s))
        .await;
    // Its root may be closed, and may be made later than its host.
    while tab.with(|s| sealed(s)) && !timer.is_over() {
        closed_roots::adopt(tab, &plan.supplier.alive.launcher).await?;
        let moment = timer.left().min(Duration::from_millis(250));
        tab.wait_until(moment, |s| up(s) || s.over).await;
    }
    tab.wait_until(timer.left(), |s| up(s) || s.over).await;
    if tab.is_over() {
        return Ok(());
    }
    let alive = |tab: &Tab| tab.is_alive() || (!signed && tab.was_shown());
    if !alive(tab) && waits.nudge_ms > 0 {
        tab.note_nudge();
        operate::nudge(tab).await?;
        tab.wait_until(Duration::from_millis(waits.nudge_ms), |s| up(s) || s.over)
            .await;
    }
    if signed && !tab.is_alive() {
        // Asked once by hand: what the sign throws, and whether it was missed.
        if tab.sign(plan.supplier).await? == Some(true) {
            tab.note_alive_now();
        }
    }
    tab.note_start();
    Ok(())
}

/// Reads the launcher and takes the picture. True where the widget is up and can be worked.
async fn settle(
    tab: &Tab,
    plan: &VisitPlan<'_>,
    waits: WaitTimes,
    pictures: &mut Pictures,
) -> Result<bool, ProbeError> {
    let selector = plan.supplier.alive.launcher.as_str();
    // A picture of half a page is none: what is shown is shown of the loaded page.
    let load = Duration::from_millis(waits.stay_ms);
    tab.wait_until(load, |s| s.loaded || s.over).await;
    let mut launcher = Launcher::default();
    if !selector.is_empty() {
        let rest = Duration::from_millis(REST_MS);
        launcher = tab.launcher_at_rest(selector, rest).await?;
        let view = tab.observation().view();
        let fine = |l: &Launcher| {
            l.present
                && l.hidden_by.is_none()
                && l.reachable >= 0.5
                && l.rect.overlap(&view) > 0.5 * l.rect.area()
        };
        // What is not in order yet may be on its way: it is read again at the end of the watch.
        if !fine(&launcher) {
            tab.watch_on(waits.stay_ms).await;
            launcher = tab.launcher_at_rest(selector, Duration::ZERO).await?;
        }
        if launcher.hidden_by.is_some() {
            launcher.hidden_rule = hiding::rule(tab, selector).await;
        }
        if launcher.present {
            (launcher.name, launcher.role) = tab.accessible(selector).await;
        }
        tab.note_launcher(launcher.clone());
    }
    tab.read_figures(selector).await?;
    if plan.pictures {
        take_pictures(tab, &launcher, pictures).await?;
    }
    let visible = launcher.hidden_by.is_none() && launcher.rect.area() > 0.0;
    Ok(tab.is_alive_or(plan.supplier) && launcher.present && visible)
}

async fn take_pictures(
    tab: &Tab,
    launcher: &Launcher,
    pictures: &mut Pictures,
) -> Result<(), ProbeError> {
    let png = tab.picture().await?;
    let scale = pixel_scale(&tab.observation());
    // Under something else, the pixels are not the launcher's.
    let seen = launcher.present && launcher.hidden_by.is_none() && launcher.reachable >= 0.5;
    if seen {
        let rect = launcher.rect;
        let (crop, colours) = heavy(|| {
            let crop = pixels::crop(&png, &rect, scale, 10.0);
            (crop, pixels::launcher_colours(&png, &rect, scale))
        })
        .await;
        if let Ok((launcher, behind)) = colours {
            tab.mark(|o| {
                o.launcher_colour = Some(launcher.hex());
                o.behind_colour = Some(behind.hex());
            });
        }
        pictures.launcher = crop.ok();
    }
    pictures.page = Some(png);
    Ok(())
}

/// Watches on after the launcher came: a page may route itself.
async fn stay(tab: &Tab, plan: &VisitPlan<'_>, waits: WaitTimes) -> Result<(), ProbeError> {
    let selector = plan.supplier.alive.launcher.as_str();
    if selector.is_empty() || !tab.was_shown() {
        return Ok(());
    }
    tab.watch_on(waits.stay_ms).await;
    let expression = format!("nf.launcher({})", serde_json::Value::from(selector));
    let read = tab.evaluate(&expression).await?;
    let now: Launcher = serde_json::from_value(read).unwrap_or_default();
    let there = now.present && now.hidden_by.is_none() && now.rect.area() > 0.0;
    let at_ms = tab.now_ms();
    tab.mark(|o| {
        o.looks.stays = match there {
            true => Look::Seen { at_ms },
            false => Look::NotThere { until_ms: at_ms },
        };
        // Gone since it was read: its last state is what counts. Hidden while the panel is open is
        // how many are made.
        let routed = o.navigations.iter().any(|n| n.same_document);
        if let Some(l) = o.launcher.as_mut()
            && !there
            && (routed || !now.present)
        {
            l.present = now.present;
            l.hidden_by = now.hidden_by.clone();
            l.rect = now.rect;
            l.lost_ms.get_or_insert(at_ms);
        }
    });
    Ok(())
}

/// Reads what is read last: cookies, the document as it stands.
async fn end(tab: &Tab) -> Result<(), ProbeError> {
    replaced::note(tab).await;
    tab.read_storage().await;
    tab.read_final().await
}
