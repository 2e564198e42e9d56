//! What visits in other manners tell: at 200 % zoom with less motion asked for, and by a visitor
//! who comes again. Each is judged only where the widget came up in it; a visit in which it did not
//! is judged by the chain's own.

use crate::busy;
use crate::chain::evidence::boxed;
use crate::report::Report;
use newtfern_model::code::Code;
use newtfern_model::expectation::{Start, Widget};
use newtfern_model::finding::{Evidence, Finding, NotChecked, Severity};
use newtfern_standards::observation::{Look, Manner, Observation, SecondVisit};

/// A panel may stand out of the view by this, CSS px: shadows and rounding.
const SLACK: f64 = 8.0;

/// Codes that these visits can tell beside the chain's own.
pub const CODES: [Code; 2] = [Code::UsableZoom, Code::ShownSecondVisit];

/// Judges all of them.
pub fn judge(widget: &Widget, visits: &[Observation]) -> Report<()> {
    let mut out = Report::default();
    for seen in visits {
        if seen.withheld.starved() && !seen.condition.manner.is_usual() {
            let what = format!("the widget {}", seen.condition.manner.words());
            out.gaps.push(busy::gap(what, &seen.withheld));
            continue;
        }
        match seen.condition.manner {
            Manner::Usual => {}
            Manner::Zoomed => zoomed(seen, &mut out),
            Manner::Again => again(widget, seen, &mut out),
        }
    }
    out
}

fn gap(what: &str, why: &str) -> NotChecked {
    NotChecked {
        what: what.into(),
        why: why.into(),
    }
}

/// WCAG 2.2, 1.4.4 (text is resized up to 200 % without loss of content or function) and 1.4.10
/// (reflow); 2.2.2 (what moves for more than five seconds can be stopped), for those who ask for
/// less motion.
fn zoomed(seen: &Observation, out: &mut Report<()>) {
    const WHAT: &str = "the widget at 200 % zoom";
    if let Some(why) = seen.looks.launcher.unlooked() {
        out.gaps.push(gap(WHAT, why.words()));
        return;
    }
    let Some(launcher) = seen.launcher.as_ref().filter(|l| l.present) else {
        return;
    };
    let view = seen.view();
    let shown = launcher.rect.overlap(&view) / launcher.rect.area().max(1.0);
    let size = format!("{:.0} x {:.0} CSS px", view.width, view.height);
    if launcher.hidden_by.is_some() || shown < 0.9 {
        let summary = format!(
            "At 200 % zoom ({size} are left) the launcher is {}.",
            match &launcher.hidden_by {
                Some(_) => "hidden",
                None => "outside the view",
            }
        );
        out.findings.push(
            zoom(summary)
                .with(boxed("launcher", &launcher.rect))
                .with(boxed("view", &view)),
        );
        return;
    }
    let panel = seen.operation.as_ref().and_then(|o| o.panel);
    if let Some(panel) = panel.filter(|_| seen.looks.opening.seen_ms().is_some()) {
        let out_of_view = [
            -panel.x,
            -panel.y,
            panel.x + panel.width - view.width,
            panel.y + panel.height - view.height,
        ];
        if out_of_view.iter().any(|px| *px > SLACK) {
            let summary = format!(
                "At 200 % zoom ({size} are left) the opened panel does not fit: part of it cannot \
                be reached."
            );
            out.findings.push(
                zoom(summary)
                    .with(boxed("panel", &panel))
                    .with(boxed("view", &view)),
            );
        }
    }
    still(seen, out);
}

/// Reports whether the launcher keeps still for who asks for less motion.
fn still(seen: &Observation, out: &mut Report<()>) {
    match &seen.moving {
        None => out.gaps.push(gap(
            "whether the launcher keeps still",
            "this look does not tell",
        )),
        Some(moving) if !moving.is_empty() => out.findings.push(
            Finding::new(
                Code::BrandMotion,
                Severity::Warning,
                "The launcher goes on moving although the visitor\u{2019}s system asks for less \
                motion.",
                "In the widget\u{2019}s settings, choose a movement that ends, or none; or ask \
                the supplier to follow prefers-reduced-motion.",
            )
            .with_all(moving.iter().map(|m| Evidence::fact(m.clone()))),
        ),
        Some(_) => {}
    }
}

fn zoom(summary: String) -> Finding {
    Finding::new(
        Code::UsableZoom,
        Severity::Warning,
        summary,
        "Ask the supplier for a panel that follows the size of the window (WCAG 2.2, 1.4.4 and \
        1.4.10), or choose smaller offsets.",
    )
}

fn again(widget: &Widget, seen: &Observation, out: &mut Report<()>) {
    const WHAT: &str = "the widget for a visitor who comes again";
    // Where it did not come at first, the chain tells why.
    if seen.looks.launcher.seen_ms().is_none() {
        return;
    }
    let Some(second) = &seen.second else {
        out.gaps
            .push(gap(WHAT, "the second load did not come about"));
        return;
    };
    match second.launcher {
        Look::NotLooked { why } => out.gaps.push(gap(WHAT, why.words())),
        Look::NotThere { until_ms } => out.findings.push(
            Finding::new(
                Code::ShownSecondVisit,
                Severity::Fault,
                "The widget is there at the first visit and gone when the visitor comes again.",
                "In the account, look for a rule about returning visitors; in the page, for a \
                cookie or stored value by which its own code holds the widget back.",
            )
            .with(Evidence::fact(format!(
                "looked for until {:.1} s after the first navigation",
                until_ms / 1000.0
            ))),
        ),
        Look::Seen { .. } => stays(widget, second, out),
    }
}

fn stays(widget: &Widget, second: &SecondVisit, out: &mut Report<()>) {
    if second.open == Some(true) && widget.start == Start::Closed {
        out.findings.push(
            Finding::new(
                Code::BrandStart,
                Severity::Fault,
                "For a visitor who comes again the widget is open before anything is pressed; it \
                should come closed.",
                "In the widget\u{2019}s settings, switch off opening by itself for returning \
                visitors.",
            )
            .with(Evidence::fact("open at the second load of the same page")),
        );
    }
    let Some(route) = &second.route else {
        return;
    };
    match route.launcher {
        Look::NotLooked { why } => {
            let what = "the widget after a change of route";
            out.gaps.push(gap(what, why.words()));
        }
        Look::NotThere { .. } => out.findings.push(
            Finding::new(
                Code::ShownRouteLost,
                Severity::Fault,
                "The widget goes away when a visitor follows a link and the page changes its \
                route.",
                "Place the snippet outside the part of the page that the router replaces, or \
                start the widget again after each route.",
            )
            .with(Evidence::fact(format!("followed a link to {}", route.to))),
        ),
        Look::Seen { .. } => {}
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chain::testing::{healthy, with};
    use newtfern_standards::observation::{NotCheckedReason, Operation, Rect, RouteSeen};

    const SEEN: Look = Look::Seen { at_ms: 3000.0 };
    const GONE: Look = Look::NotThere { until_ms: 9000.0 };

    fn zoomed(change: impl FnOnce(&mut Observation)) -> Observation {
        with(healthy(), |o| {
            o.condition.manner = Manner::Zoomed;
            o.layout = Some((640.0, 400.0));
            o.moving = Some(Vec::new());
            o.launcher.as_mut().unwrap().rect = Rect {
                x: 560.0,
                y: 320.0,
                width: 60.0,
                height: 60.0,
            };
            change(o);
        })
    }

    fn again(second: Option<SecondVisit>) -> Observation {
        with(healthy(), |o| {
            o.condition.manner = Manner::Again;
            o.second = second;
        })
    }

    fn codes(seen: Observation) -> Vec<Code> {
        let told = judge(&Widget::of("example", "k"), &[seen]);
        assert!(told.findings.iter().all(|f| !f.remedy.is_empty()));
        told.findings.iter().map(|f| f.code).collect()
    }

    #[test]
    fn what_does_not_fit_or_moves_without_end_is_told_with_its_boxes() {
        let panel = |y, height| {
            zoomed(|o| {
                o.looks.opening = SEEN;
                o.operation = Some(Operation {
                    panel: Some(Rect {
                        x: 280.0,
                        y,
                        width: 340.0,
                        height,
                    }),
                    ..Operation::default()
                });
            })
        };
        assert_eq!(codes(panel(20.0, 290.0)), []);
        let cut = judge(&Widget::of("example", "k"), &[panel(-150.0, 460.0)]);
        assert_eq!(cut.findings[0].code, Code::UsableZoom);
        let lines: Vec<String> = cut.findings[0].evidence.iter().map(|e| e.line()).collect();
        assert!(lines.iter().any(|l| l.contains("640")), "{lines:?}");
        let away = zoomed(|o| o.launcher.as_mut().unwrap().rect.y = 700.0);
        assert_eq!(codes(away), [Code::UsableZoom]);
        let pulse = "animation pulse on button.start, without end".to_string();
        assert_eq!(
            codes(zoomed(|o| o.moving = Some(vec![pulse]))),
            [Code::BrandMotion]
        );
        // A look that was cut off tells nothing of it.
        let cut_off = zoomed(|o| {
            o.looks.launcher = Look::NotLooked {
                why: NotCheckedReason::Deadline,
            };
        });
        let told = judge(&Widget::of("example", "k"), &[cut_off]);
        assert!(told.findings.is_empty());
        assert_eq!(told.gaps[0].what, "the widget at 200 % zoom");
    }

    #[test]
    fn who_comes_again_or_follows_a_link_must_find_it() {
        let second = |launcher, open, route: Option<Look>| {
            again(Some(SecondVisit {
                launcher,
                open: Some(open),
                route: route.map(|launcher| RouteSeen {
                    to: "https://kites.example/shop".into(),
                    launcher,
                }),
            }))
        };
        assert_eq!(codes(second(SEEN, false, Some(SEEN))), []);
        assert_eq!(codes(second(GONE, false, None)), [Code::ShownSecondVisit]);
        assert_eq!(codes(second(SEEN, true, None)), [Code::BrandStart]);
        assert_eq!(
            codes(second(SEEN, false, Some(GONE))),
            [Code::ShownRouteLost]
        );
        let told = judge(&Widget::of("example", "k"), &[again(None)]);
        assert_eq!(told.gaps[0].why, "the second load did not come about");
        // It did not come at first either: nothing of coming again.
        let never = with(again(None), |o| o.looks.launcher = GONE);
        assert!(judge(&Widget::of("example", "k"), &[never]).gaps.is_empty());
    }
}
