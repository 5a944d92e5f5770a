//! Numbers that look like chance, the same each time.

/// A linear congruential generator.
pub struct Chance(pub u64);

impl Chance {
    /// A number below this one.
    pub fn below(&mut self, most: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) as usize) % most
    }
}
