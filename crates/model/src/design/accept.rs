//! Values as people type them, and as they are kept.

use super::error::DesignError;
use super::field::{Field, Shape};
use newtfern_standards::colour::Rgb;
use newtfern_standards::typed::MOST_TEXT;

/// A style sheet may be this long, characters.
const MOST_STYLES: usize = 4_000;

impl Field {
    /// Accepts a value as typed and gives it as it is kept.
    ///
    /// # Errors
    /// [`DesignError`], where the field does not take the value.
    pub fn accept(self, typed: &str) -> Result<String, DesignError> {
        let fail = |why: String| Err(DesignError { field: self, why });
        let most = match self.shape() {
            Shape::Styles => MOST_STYLES,
            _ => MOST_TEXT,
        };
        let value = match newtfern_standards::typed::text(typed, most) {
            Ok(value) => value,
            Err(error) => return fail(error.to_string()),
        };
        match self.shape() {
            Shape::Choice(words) if !words.contains(&value) => {
                fail(format!("must be one of: {}", words.join(", ")))
            }
            Shape::PxOrNone(_) if value.is_empty() => Ok(String::new()),
            Shape::Px(most) | Shape::PxOrNone(most) => match value.parse::<f64>() {
                Ok(v) if (0.0..=f64::from(most)).contains(&v) => Ok(v.to_string()),
                _ => fail(format!("must be a number of px from 0 to {most}")),
            },
            Shape::Number(most) => match value.parse::<f64>() {
                Ok(v) if (0.0..=f64::from(most)).contains(&v) => Ok(v.to_string()),
                _ => fail(format!("must be a number from 0 to {most}")),
            },
            Shape::Colour => match Rgb::parse(value) {
                Ok(colour) => Ok(colour.hex()),
                Err(e) => fail(e.to_string()),
            },
            Shape::Link
                if !value.is_empty()
                    && !value.starts_with('/')
                    && newtfern_standards::address::parse(value).is_err() =>
            {
                fail("must be an address, or a path that begins with /".into())
            }
            Shape::Asked => asked(value).or_else(|why| fail(why.into())),
            _ => Ok(value.to_string()),
        }
    }
}

/// The names in one form: `name, mail*`.
fn asked(typed: &str) -> Result<String, &'static str> {
    let names = typed.split(',').map(str::trim).filter(|n| !n.is_empty());
    let mut out: Vec<String> = Vec::new();
    for name in names {
        let (bare, star) = match name.strip_suffix('*') {
            Some(bare) => (bare.trim(), "*"),
            None => (name, ""),
        };
        if bare.is_empty() || bare.contains('*') {
            return Err("must be names separated by commas, such as name, mail*");
        }
        if out.iter().any(|o| o.trim_end_matches('*') == bare) {
            return Err("names a field twice");
        }
        out.push(format!("{bare}{star}"));
    }
    Ok(out.join(", "))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_default_is_taken_by_its_own_field() {
        for field in Field::ALL {
            let value = field.default_value();
            assert_eq!(field.accept(value).unwrap(), value, "{}", field.key());
            assert_eq!(Field::from_key(field.key()), Some(*field));
            let json = serde_json::to_string(field).unwrap();
            assert_eq!(json, format!("\"{}\"", field.key()));
        }
    }

    #[test]
    fn typed_values_are_checked_and_kept_in_one_form() {
        let kept = |field: Field, typed: &str| field.accept(typed).unwrap();
        assert_eq!(kept(Field::ButtonColour, " rgb(47,125,79) "), "#2f7d4f");
        assert_eq!(kept(Field::OffsetX, "020"), "20");
        assert_eq!(
            (kept(Field::PhoneSize, " 048"), kept(Field::PhoneSize, "")),
            ("48".into(), String::new())
        );
        assert_eq!(kept(Field::Asked, " name,mail * ,"), "name, mail*");
        for (field, typed) in [
            (Field::Corner, "middle"),
            (Field::OffsetY, "-1"),
            (Field::PhoneSize, "201"),
            (Field::PromptDelay, "soon"),
            (Field::PromptScroll, "101"),
            (Field::HeaderColour, "greenish"),
            (Field::NoticeLink, "javascript:alert(1)"),
            (Field::AgentPhoto, "data:text/html,x"),
            (Field::Asked, "name, name*"),
            (Field::Asked, "na*me"),
            (Field::Rating, "maybe"),
        ] {
            let error = field.accept(typed).unwrap_err().to_string();
            assert!(error.starts_with(field.label()), "{typed}: {error}");
        }
    }
}
