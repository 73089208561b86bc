//! States that are the same in every run.

/// A small generator.
pub struct Random(pub u64);

impl Random {
    pub fn next(&mut self) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0
    }

    /// Any number of so many bits, with the edges more often than chance has them.
    pub fn number(&mut self, bits: u32) -> u64 {
        let value = self.next();
        let (all, top) = ((1 << bits) - 1, 1 << (bits - 1));
        if value >> 60 < 3 { [0, all, top, top - 1][(value >> 8) as usize % 4] } else { value & all }
    }
}
