//! How a widget starts, which form it has and where its channels lead, against the expectation.

use super::case::WidgetCase;
use crate::brand::OFFSET_TOLERANCE;
use crate::report::{ComparedValue, Report};
use newtfern_model::channel::Target;
use newtfern_model::code::Code;
use newtfern_model::design::Field;
use newtfern_model::expectation::{Channel, Form, Start, Widget};
use newtfern_model::finding::{Evidence, Finding, NotChecked, Severity};
use newtfern_model::profile::Supplier;
use newtfern_standards::observation::{ChannelSeen, Launcher, Observation};
use url::Url;

/// Compares start, form and channels of a widget.
pub(super) fn of_widget(case: &WidgetCase, out: &mut Report<Vec<ComparedValue>>) {
    let widget = case.widget;
    let usual = Widget::of(&widget.supplier, &widget.key);
    let asks = widget.start != usual.start
        || widget.form != usual.form
        || widget.channels != usual.channels;
    let look = Look {
        supplier: case.supplier,
        widget,
    };
    match super::looks::best(case.chain()) {
        Some(seen) => {
            look.start(seen, asks, out);
            look.form(seen, asks, out);
            look.channels(seen, out);
        }
        None if asks => {
            let why = "no launcher was seen";
            out.gaps.push(look.gap("the form", why.into()));
        }
        // The chain says why no launcher is there.
        None => {}
    }
}

struct Look<'a> {
    supplier: &'a Supplier,
    widget: &'a Widget,
}

impl Look<'_> {
    fn gap(&self, what: &str, why: String) -> NotChecked {
        NotChecked {
            what: format!("{what} of {}", self.supplier.name),
            why,
        }
    }

    fn remedy(&self, what: &str) -> String {
        format!("Set {what} in the account at {}.", self.supplier.name)
    }

    fn start(&self, seen: &Observation, asks: bool, out: &mut Report<Vec<ComparedValue>>) {
        let open = seen.operation.as_ref().and_then(|o| o.open_at_start);
        let Some(open) = open else {
            if self.widget.start == Start::Open {
                let why = "the profile does not say what opens";
                out.gaps.push(self.gap("how it starts", why.into()));
            }
            return;
        };
        let came = if open { Start::Open } else { Start::Closed };
        let (wanted, came_as) = (start_word(self.widget.start), start_word(came));
        if asks || came != self.widget.start {
            out.what.push(value("start", wanted, came_as));
        }
        if came != self.widget.start {
            let summary = format!("The widget comes {came_as}; it should come {wanted}.");
            out.findings.push(fault(
                Code::BrandStart,
                summary,
                self.remedy("how the widget starts"),
            ));
        }
    }

    fn form(&self, seen: &Observation, asks: bool, out: &mut Report<Vec<ComparedValue>>) {
        let Some(launcher) = seen.launcher.as_ref() else {
            return;
        };
        let Some(fixed) = launcher.fixed else {
            if asks {
                let why = "this look is of older make and does not tell";
                out.gaps.push(self.gap("the form", why.into()));
            }
            return;
        };
        let listed = seen.channels.as_ref().map(|c| !c.is_empty());
        if self.widget.form == Form::Channels && listed.is_none() {
            let why = "its profile does not say where the channels are";
            out.gaps.push(self.gap("the form", why.into()));
            return;
        }
        let form = match (fixed, listed) {
            (_, Some(true)) if self.widget.form == Form::Channels => Form::Channels,
            (false, _) => Form::Inline,
            (true, _) if self.is_at_an_edge(launcher, seen) => Form::Tab,
            (true, Some(true)) => Form::Channels,
            (true, _) => Form::Launcher,
        };
        let (wanted, is) = (form_word(self.widget.form), form_word(form));
        if asks || form != self.widget.form {
            out.what.push(value("form", wanted, is));
        }
        if form != self.widget.form {
            let summary = format!(
                "The widget is {}; it should be {}.",
                in_words(form),
                in_words(self.widget.form)
            );
            let found = fault(
                Code::BrandForm,
                summary,
                self.remedy("the form of the widget"),
            );
            let at = crate::chain::evidence::boxed("launcher", &launcher.rect);
            out.findings.push(found.with(at));
        } else if form == Form::Tab {
            self.edge(launcher, seen, out);
        }
    }

    /// A tab is compared by its edge: that of the side which the design's corner names.
    fn edge(&self, launcher: &Launcher, seen: &Observation, out: &mut Report<Vec<ComparedValue>>) {
        let corner = self.widget.design.get(Field::Corner).unwrap_or_default();
        let Some((_, wanted)) = corner.rsplit_once('-') else {
            return;
        };
        let (view, r) = (seen.view(), &launcher.rect);
        let right = r.x + r.width / 2.0 > view.width / 2.0;
        let is = if right { "right" } else { "left" };
        out.what.push(value("edge", wanted, is));
        if is != wanted {
            let summary = format!("The tab is at the {is} edge and should be at the {wanted}.");
            let found = fault(
                Code::BrandCorner,
                summary,
                self.remedy("the edge of the tab"),
            );
            let at = crate::chain::evidence::boxed("launcher", r);
            out.findings.push(found.with(at));
        }
    }

    /// Returns whether it touches an edge of the screen, where the design does not put a button
    /// there.
    fn is_at_an_edge(&self, launcher: &Launcher, seen: &Observation) -> bool {
        let (view, r) = (seen.view(), &launcher.rect);
        let gaps = [
            r.x,
            r.y,
            view.width - r.x - r.width,
            view.height - r.y - r.height,
        ];
        let touches = gaps.iter().any(|g| *g <= 1.0);
        let design = &self.widget.design;
        let by_design = [Field::OffsetX, Field::OffsetY].map(|f| design.number(f));
        let meant = by_design
            .into_iter()
            .flatten()
            .any(|px| px <= OFFSET_TOLERANCE);
        touches && (self.widget.form == Form::Tab || !meant)
    }

    fn channels(&self, seen: &Observation, out: &mut Report<Vec<ComparedValue>>) {
        let wanted = &self.widget.channels;
        if wanted.is_empty() && self.widget.form != Form::Channels {
            return;
        }
        let Some(found) = &seen.channels else {
            let why = match self.supplier.channels.items.trim() {
                "" => "its profile does not say where they are",
                _ => "the list was not reached",
            };
            out.gaps.push(self.gap("the channels", why.into()));
            return;
        };
        let page = Url::parse(&seen.page.final_url).ok();
        let read = |link: &str| Target::read(link, page.as_ref());
        let meant = wanted
            .iter()
            .map(|c| c.at(&self.supplier.channels.addresses));
        let wanted: Vec<Channel> = match meant.collect() {
            Ok(links) => links,
            Err(why) => return out.gaps.push(self.gap("the channels", why)),
        };
        for (i, channel) in wanted.iter().enumerate() {
            let is = found.get(i).map(|f| f.href.clone());
            let same = is
                .as_deref()
                .is_some_and(|href| read(href).is_some() && read(href) == read(&channel.target));
            out.what.push(ComparedValue {
                name: "channel".into(),
                language: None,
                wanted: channel.target.clone(),
                seen: is,
                same,
            });
        }
        out.findings.extend(self.differences(&wanted, found, read));
    }

    /// Missing, surplus, leading elsewhere; where all are there and only their order differs, that.
    fn differences(
        &self,
        wanted: &[Channel],
        found: &[ChannelSeen],
        read: impl Fn(&str) -> Option<Target>,
    ) -> Vec<Finding> {
        let mut left: Vec<(usize, &ChannelSeen)> = found.iter().enumerate().collect();
        let mut missing = Vec::new();
        let mut places = Vec::new();
        for channel in wanted {
            let target = read(&channel.target);
            let at = left
                .iter()
                .position(|(_, f)| target.is_some() && read(&f.href) == target);
            match at {
                Some(at) => places.push(left.remove(at).0),
                None => missing.push(channel),
            }
        }
        let mut out = Vec::new();
        for channel in missing {
            // One of the same kind that nobody asked for: it leads elsewhere.
            let instead = left
                .iter()
                .position(|(_, f)| read(&f.href).is_some_and(|t| is_of_kind(channel, &t)));
            out.push(match instead {
                Some(at) => self.elsewhere(channel, left.remove(at).1),
                None => self.missing(channel),
            });
        }
        out.extend(left.iter().map(|(_, f)| self.surplus(f)));
        if out.is_empty() && !places.is_sorted() {
            out.push(self.order(wanted, found));
        }
        out
    }

    fn channel_fault(&self, summary: String, evidence: [String; 2]) -> Finding {
        let remedy =
            self.remedy("the channels, each with its target, in the order that is designed,");
        fault(Code::BrandChannel, summary, remedy).with_all(evidence.map(Evidence::fact))
    }

    fn elsewhere(&self, channel: &Channel, found: &ChannelSeen) -> Finding {
        let summary = format!("The channel {} leads elsewhere.", channel.kind.word());
        let sides = [
            format!("designed: {}", channel.target),
            format!("seen: {} \u{201c}{}\u{201d}", found.href, found.text),
        ];
        self.channel_fault(summary, sides)
    }

    fn missing(&self, channel: &Channel) -> Finding {
        let summary = format!("The channel {} is missing.", channel.kind.word());
        let sides = [
            format!("designed: {}", channel.target),
            "seen: nothing of this kind".into(),
        ];
        self.channel_fault(summary, sides)
    }

    fn surplus(&self, found: &ChannelSeen) -> Finding {
        let summary = format!(
            "The channel \u{201c}{}\u{201d} is not designed.",
            found.text
        );
        let sides = ["designed: nothing".into(), format!("seen: {}", found.href)];
        self.channel_fault(summary, sides)
    }

    fn order(&self, wanted: &[Channel], found: &[ChannelSeen]) -> Finding {
        let words = |all: Vec<&str>| all.join(", ");
        let sides = [
            format!(
                "designed: {}",
                words(wanted.iter().map(|c| c.target.as_str()).collect())
            ),
            format!(
                "seen: {}",
                words(found.iter().map(|f| f.href.as_str()).collect())
            ),
        ];
        self.channel_fault("The channels stand in another order.".into(), sides)
    }
}

/// Could this link be meant for the channel? Services for messages are told apart by their host
/// only.
fn is_of_kind(channel: &Channel, seen: &Target) -> bool {
    let wanted = Target::read(&channel.target, None);
    wanted.is_some_and(|w| w.is_of_service(seen)) && seen.fits(channel.kind)
}

fn fault(code: Code, summary: String, remedy: String) -> Finding {
    Finding::new(code, Severity::Fault, summary, remedy)
}

fn value(name: &'static str, wanted: &str, seen: &str) -> ComparedValue {
    ComparedValue {
        name: name.into(),
        language: None,
        wanted: wanted.into(),
        seen: Some(seen.into()),
        same: wanted == seen,
    }
}

fn start_word(start: Start) -> &'static str {
    match start {
        Start::Closed => "closed",
        Start::Open => "open",
    }
}

fn form_word(form: Form) -> &'static str {
    match form {
        Form::Launcher => "launcher",
        Form::Tab => "tab",
        Form::Inline => "inline",
        Form::Channels => "channels",
    }
}

fn in_words(form: Form) -> &'static str {
    match form {
        Form::Launcher => "a button in a corner",
        Form::Tab => "a tab at an edge",
        Form::Inline => "in the page, and scrolls with it",
        Form::Channels => "a list of channels",
    }
}

#[cfg(test)]
mod tests;
