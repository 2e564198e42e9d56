//! How far two colours must be apart to be told from each other: one table for the form, the
//! verdict and the sheet.

/// Content that stands on a ground.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Needs {
    /// Words that are read (WCAG 2.2, SC 1.4.3, level AA, text of usual size).
    Words,
    /// A control, such as a button or the icon on it (WCAG 2.2, SC 1.4.11).
    Control,
}

impl Needs {
    /// The least contrast, 1 to 21.
    pub const fn least(self) -> f64 {
        match self {
            Needs::Words => 4.5,
            Needs::Control => 3.0,
        }
    }
}
