//! The form of a design, for one site as for the house style: its groups and lines.

use crate::session::Fields;
use newtfern_model::design::{Design, DesignError, Field, Group, Layer, Shape};

/// One value of the design form.
pub struct Line {
    pub key: &'static str,
    pub label: &'static str,
    pub value: String,
    /// Source of the value, in words.
    pub from: String,
    /// Value that holds here without an own value.
    pub above: String,
    pub own: bool,
    shape: Shape,
}

impl Line {
    pub fn choices(&self) -> &'static [&'static str] {
        self.shape.choices()
    }

    pub fn is_colour(&self) -> bool {
        self.shape == Shape::Colour
    }

    pub fn is_long(&self) -> bool {
        matches!(self.shape, Shape::Words | Shape::Styles)
    }

    pub fn is_number(&self) -> bool {
        matches!(
            self.shape,
            Shape::Px(_) | Shape::PxOrNone(_) | Shape::Number(_)
        )
    }

    /// Numbers for phones alone.
    pub fn may_be_none(&self) -> bool {
        matches!(self.shape, Shape::PxOrNone(_))
    }

    /// The colour as a picker takes it; black where it is none.
    pub fn picked(&self) -> String {
        let colour = newtfern_standards::colour::Rgb::parse(&self.value);
        colour.map_or_else(|_| "#000000".into(), |c| c.hex())
    }
}

/// The values of one part of the widget.
pub struct Part {
    pub label: &'static str,
    pub lines: Vec<Line>,
    /// Whether the part is open at first.
    pub open: bool,
}

impl Part {
    pub fn own(&self) -> usize {
        self.lines.iter().filter(|l| l.own).count()
    }
}

/// All values by their parts. `from` says where one comes from.
pub fn parts(
    shown: &Design,
    above: &Design,
    own: &Layer,
    typed: Option<&Fields>,
    from: impl Fn(Field) -> String,
) -> Vec<Part> {
    let line = |field: Field| Line {
        key: field.key(),
        label: field.label(),
        value: typed.map_or_else(
            || shown.get(field).to_string(),
            |f| f.get(field.key()).to_string(),
        ),
        from: from(field),
        above: above.get(field).to_string(),
        own: own.contains_key(&field),
        shape: field.shape(),
    };
    let part = |group: Group| Part {
        label: group.label(),
        lines: Field::ALL
            .iter()
            .filter(|f| f.group() == group)
            .map(|f| line(*f))
            .collect(),
        open: matches!(group, Group::Launcher | Group::Colours | Group::Panel) || typed.is_some(),
    };
    Group::ALL.into_iter().map(part).collect()
}

/// Reads the form: a value equal to what comes from above is no own value. A field that the form
/// did not have stays as it was.
///
/// # Errors
/// The first value that its field does not take.
pub fn own_values(fields: &Fields, above: &Design, before: &Layer) -> Result<Layer, DesignError> {
    let mut layer = Layer::new();
    for field in Field::ALL {
        let Some(typed) = fields.given(field.key()) else {
            if let Some(kept) = before.get(field) {
                layer.insert(*field, kept.clone());
            }
            continue;
        };
        let value = field.accept(typed)?;
        if value != above.get(*field) {
            layer.insert(*field, value);
        }
    }
    Ok(layer)
}

/// The values of two layers beside each other: label, saved, typed.
pub fn beside(saved: &Layer, typed: &Layer) -> Vec<(String, String, String)> {
    let value = |layer: &Layer, field: &Field| {
        let own = layer.get(field).cloned();
        own.unwrap_or_else(|| "as above it".into())
    };
    let fields = Field::ALL.iter();
    fields
        .map(|f| (f.label().to_string(), value(saved, f), value(typed, f)))
        .collect()
}
