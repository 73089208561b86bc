//! What is done to samples before anybody listens to them: fewer of them, without what is too low or too high to be a tone.

/// A filter of the second order.
#[derive(Debug, Clone, Copy)]
struct Biquad {
    b: [f32; 3],
    a: [f32; 2],
    x: [f32; 2],
    y: [f32; 2],
}

impl Biquad {
    /// A filter after the cookbook formulas for a bilinear transform, with the quality of Butterworth's.
    fn new(rate: f64, corner: f64, is_high: bool) -> Self {
        let angle = std::f64::consts::TAU * corner / rate;
        let alpha = angle.sin() / std::f64::consts::SQRT_2;
        let (a0, cos) = (1.0 + alpha, angle.cos());
        let (edge, middle) =
            if is_high { ((1.0 + cos) / 2.0, -(1.0 + cos)) } else { ((1.0 - cos) / 2.0, 1.0 - cos) };
        let b = [edge, middle, edge].map(|one| (one / a0) as f32);
        Self { b, a: [-2.0 * cos, 1.0 - alpha].map(|one| (one / a0) as f32), x: [0.0; 2], y: [0.0; 2] }
    }

    #[inline]
    fn next(&mut self, x: f32) -> f32 {
        let y = self.b[0] * x + self.b[1] * self.x[0] + self.b[2] * self.x[1]
            - self.a[0] * self.y[0]
            - self.a[1] * self.y[1];
        self.x = [x, self.x[0]];
        // Numbers that fade for ever slow a processor down.
        self.y = [if y.abs() < 1e-20 { 0.0 } else { y }, self.y[0]];
        y
    }
}

/// Rates below twice this are not lowered.
const WANTED: u32 = 11_000;
/// What is lower than this is hum.
const LOWEST: f64 = 600.0;
/// What is higher than this is hiss.
const HIGHEST: f64 = 3_600.0;

/// Takes samples in, and gives fewer.
#[derive(Debug, Clone)]
pub struct Filter {
    /// Samples in for each one out.
    pub each: u32,
    /// Samples a second that come out.
    pub rate: f64,
    high: Biquad,
    low: Option<Biquad>,
    /// How loud it is, slowly.
    level: f32,
}

impl Filter {
    pub fn new(rate: u32) -> Self {
        let each = (rate / WANTED).max(1);
        let rate = f64::from(rate) / f64::from(each);
        let low = (rate > 2.2 * HIGHEST).then(|| Biquad::new(rate, HIGHEST, false));
        Self { each, rate, high: Biquad::new(rate, LOWEST, true), low, level: 0.0 }
    }

    /// The mean of as many samples as make one, filtered, and how loud it is around it.
    #[inline]
    pub fn next(&mut self, mean: f32) -> (f32, f32) {
        let mut x = self.high.next(if mean.is_finite() { mean.clamp(-4.0, 4.0) } else { 0.0 });
        if let Some(low) = &mut self.low {
            x = low.next(x);
        }
        // A click is not louder than what is around it.
        let loud = self.level * 2.5 + 1e-4;
        let limited = x.clamp(-loud, loud);
        self.level += (limited.abs() - self.level) * if limited.abs() > self.level { 0.02 } else { 0.004 };
        (limited / (self.level + 1e-5), self.level)
    }
}
