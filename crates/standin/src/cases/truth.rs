//! What is wrong in a case, and the numbers that choose it.

use serde::Serialize;

/// Numbers that look random and are the same for the same seed (Steele, Lea and Flood, "Fast splittable pseudorandom number
/// generators", 2014).
pub(crate) struct Dice(pub u64);

impl Dice {
    pub fn roll(&mut self, sides: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        ((z ^ (z >> 31)) % sides.max(1) as u64) as usize
    }

    pub(crate) fn pick<'a, T>(&mut self, of: &'a [T]) -> &'a T {
        &of[self.roll(of.len())]
    }
}

/// What is wrong in a case.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Truth {
    /// The kind of fault.
    pub kind: &'static str,
    /// The codes that are right when both sides were measured.
    pub codes: &'static [&'static str],
    /// The codes that are right when only logs tell, besides those.
    pub told: &'static [&'static str],
    /// The mod, where the fault is one's.
    #[serde(rename = "mod")]
    pub mod_id: Option<String>,
    /// The side that is off.
    pub side: &'static str,
}
