//! How a colour looks to eyes that lack one kind of cone. Source: G. M. Machado, M. M. Oliveira and
//! L. A. F. Fernandes, "A physiologically-based model for simulation of color vision deficiency"
//! (2009), severity 1.

use super::Rgb;

/// Eyes that tell fewer colours apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Vision {
    /// Without the cones for long waves.
    Protan,
    /// Without those for middle waves.
    Deutan,
    /// Without those for short waves.
    Tritan,
}

impl Vision {
    /// Every kind of colour vision.
    pub const ALL: [Vision; 3] = [Vision::Protan, Vision::Deutan, Vision::Tritan];

    /// Returns its matrix over linear sRGB, row by row.
    pub fn matrix(self) -> [[f64; 3]; 3] {
        match self {
            Vision::Protan => [
                [0.152_286, 1.052_583, -0.204_868],
                [0.114_503, 0.786_281, 0.099_216],
                [-0.003_882, -0.048_116, 1.051_998],
            ],
            Vision::Deutan => [
                [0.367_322, 0.860_646, -0.227_968],
                [0.280_085, 0.672_501, 0.047_413],
                [-0.011_820, 0.042_940, 0.968_881],
            ],
            Vision::Tritan => [
                [1.255_528, -0.076_749, -0.178_779],
                [-0.078_411, 0.930_809, 0.147_602],
                [0.004_733, 0.691_367, 0.303_900],
            ],
        }
    }

    /// Returns the name for people.
    pub fn label(self) -> &'static str {
        match self {
            Vision::Protan => "without red cones",
            Vision::Deutan => "without green cones",
            Vision::Tritan => "without blue cones",
        }
    }
}

impl Rgb {
    /// Returns the colour as it looks to such eyes.
    pub fn seen_by(self, vision: Vision) -> Rgb {
        let [r, g, b] = self.linear();
        let row = |m: [f64; 3]| m[0] * r + m[1] * g + m[2] * b;
        Rgb::from_linear(vision.matrix().map(row))
    }
}
