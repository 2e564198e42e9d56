//! The widgets of a site beside its first: of the same supplier with another key and other pages,
//! or of another one. The first is described by the site's own fields.

use crate::handles::SiteActs;
use crate::{ActError, Actor, Result};
use newtfern_model::expectation::{Widget, form_line, more_of, read_more};
use newtfern_model::pages::PageRules;

/// Fields of a further widget, as its form stores them.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct WidgetFields {
    pub supplier: String,
    pub key: String,
    /// Host at which the client runs the supplier.
    pub host: String,
    /// Patterns of pages, blanks between them; empty for all.
    pub on: String,
    pub not_on: String,
    /// The rest of it, as lines of an expectation file.
    pub more: String,
}

impl WidgetFields {
    /// Returns the fields of a widget.
    pub fn of(widget: &Widget) -> WidgetFields {
        let (on, not_on) = widget.pages();
        WidgetFields {
            supplier: widget.supplier.clone(),
            key: widget.key.clone(),
            host: widget.host.clone(),
            on,
            not_on,
            more: more_of(widget),
        }
    }

    fn into(self, widget: &mut Widget) -> Result<()> {
        let read = |text: &str| PageRules::list(text).map_err(|e| ActError::Bad(format!("{e}.")));
        let rules = PageRules::of(read(&self.on)?, read(&self.not_on)?);
        read_more(widget, &self.more)
            .map_err(|e| ActError::Bad(format!("{}.", form_line(&e.to_string()))))?;
        (widget.on, widget.not_on) = (rules.on, rules.not_on);
        (widget.supplier, widget.key, widget.host) = (self.supplier, self.key, self.host);
        Ok(())
    }
}

impl SiteActs<'_> {
    /// Saves the further widget at this place among the site's widgets, or adds one.
    ///
    /// # Errors
    /// [`ActError::Bad`] where the supplier is unknown, the key is not of its form or in use on the
    /// site already, or a page rule cannot be read.
    pub async fn save_widget(
        self,
        actor: &Actor,
        id: i64,
        at: Option<usize>,
        fields: WidgetFields,
        made_from: Option<&str>,
    ) -> Result<()> {
        let supplier = self
            .acts
            .store
            .profiles()
            .supplier(&fields.supplier)
            .await?;
        let supplier = supplier.ok_or_else(|| bad("Choose a supplier from the list."))?;
        if fields.key.trim().is_empty() || !supplier.accepts_key(&fields.key) {
            return Err(bad(&format!(
                "\u{201c}{}\u{201d} is not a key of {}: copy it from the client\u{2019}s account.",
                fields.key, supplier.name
            )));
        }
        if supplier.needs_host() && fields.host.is_empty() {
            return Err(bad(&format!(
                "Each client runs {} at an address of its own: enter it.",
                supplier.name
            )));
        }
        let act = "saved a further widget";
        self.change_file(actor, id, act, made_from, |file| {
            let same = |(i, w): (usize, &Widget)| {
                Some(i) != at && w.supplier == fields.supplier && w.key == fields.key
            };
            if file.widgets.iter().enumerate().any(same) {
                return Err(bad("The site has a widget with this key already."));
            }
            if at.is_none() {
                file.widgets.push(Widget::of("", ""));
            }
            let at = at.unwrap_or(file.widgets.len() - 1);
            let widget = file.widgets.get_mut(at).filter(|_| at > 0);
            fields.into(widget.ok_or(ActError::NotFound("widget"))?)
        })
        .await
    }

    /// Takes a further widget out of what is expected of a site; its code stays where it is.
    ///
    /// # Errors
    /// [`ActError::NotFound`] where there is none.
    pub async fn remove_widget(self, actor: &Actor, id: i64, at: usize) -> Result<()> {
        let act = "removed a further widget";
        self.change_file(actor, id, act, None, |file| {
            if at == 0 || at >= file.widgets.len() {
                return Err(ActError::NotFound("widget"));
            }
            file.widgets.remove(at);
            Ok(())
        })
        .await
    }
}

fn bad(why: &str) -> ActError {
    ActError::Bad(why.to_string())
}
