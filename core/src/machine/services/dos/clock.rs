//! The board's own clock: ticks since midnight in its cells, and the date that the services keep.

use super::Frame;

/// Where the firmware counts ticks, and notes that midnight has passed.
const TICKS: u32 = 0x46C;
const MIDNIGHT: u32 = 0x470;

/// Ticks of a day, and hundredths of a second in one.
const DAY: u64 = 0x18_00B0;
const HUNDREDTHS_OF_DAY: u64 = 24 * 60 * 60 * 100;

/// A date; it begins where such clocks do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) struct Clock {
    pub year: u16,
    pub month: u8,
    pub day: u8,
}

impl Default for Clock {
    fn default() -> Self {
        Self { year: 1980, month: 1, day: 1 }
    }
}

fn days_of(year: u16, month: u8) -> u8 {
    match month {
        2 if year.is_multiple_of(4) && (!year.is_multiple_of(100) || year.is_multiple_of(400)) => 29,
        2 => 28,
        4 | 6 | 9 | 11 => 30,
        _ => 31,
    }
}

impl Clock {
    /// Sunday is 0.
    fn weekday(self) -> u8 {
        // The first day of 1980 was a Tuesday.
        let years = (1980..self.year).map(|year| 337 + u32::from(days_of(year, 2)));
        let months = (1..self.month).map(|month| u32::from(days_of(self.year, month)));
        ((2 + years.chain(months).sum::<u32>() + u32::from(self.day) - 1) % 7) as u8
    }

    /// Takes note of a midnight that has passed.
    fn follow(&mut self, frame: &mut Frame<'_, '_>) {
        if frame.byte(MIDNIGHT) == 0 {
            return;
        }
        frame.put(MIDNIGHT, 0);
        self.day += 1;
        if self.day > days_of(self.year, self.month) {
            (self.day, self.month) = (1, self.month + 1);
        }
        if self.month > 12 {
            (self.month, self.year) = (1, self.year + 1);
        }
    }

    /// Hours, minutes, seconds, hundredths.
    fn time(frame: &Frame<'_, '_>) -> [u8; 4] {
        let ticks = u64::from(frame.word_at(TICKS + 2)) << 16 | u64::from(frame.word_at(TICKS));
        let hundredths = ticks % DAY * HUNDREDTHS_OF_DAY / DAY;
        let part = |of: u64, most: u64| (hundredths / of % most) as u8;
        [part(360_000, 24), part(6000, 60), part(100, 60), part(1, 100)]
    }

    /// The date and the time as a directory keeps them.
    pub fn stamp(&mut self, frame: &mut Frame<'_, '_>) -> (u16, u16) {
        self.follow(frame);
        let [hours, minutes, seconds, _] = Self::time(frame).map(u16::from);
        let date = (self.year - 1980) << 9 | u16::from(self.month) << 5 | u16::from(self.day);
        (date, hours << 11 | minutes << 5 | (seconds / 2))
    }

    /// Calls 2Ah to 2Dh.
    pub fn call(&mut self, frame: &mut Frame<'_, '_>) {
        self.follow(frame);
        let (cx, dx) = (frame.get("CX"), frame.get("DX"));
        let ([minutes, hours], [hundredths, seconds]) = (cx.to_le_bytes(), dx.to_le_bytes());
        match frame.ah() {
            0x2A => {
                frame.set("CX", self.year);
                frame.set("DX", u16::from_le_bytes([self.day, self.month]));
                frame.set_low("AX", self.weekday());
            }
            0x2B => {
                let (month, day) = (seconds, hundredths);
                let is_date = (1980..=2099).contains(&cx)
                    && (1..=12).contains(&month)
                    && (1..=days_of(cx, month)).contains(&day);
                if is_date {
                    *self = Self { year: cx, month, day };
                }
                frame.set_low("AX", if is_date { 0 } else { 0xFF });
            }
            0x2C => {
                let [hours, minutes, seconds, hundredths] = Self::time(frame);
                frame.set("CX", u16::from_le_bytes([minutes, hours]));
                frame.set("DX", u16::from_le_bytes([hundredths, seconds]));
            }
            _ => {
                let is_time = hours < 24 && minutes < 60 && seconds < 60 && hundredths < 100;
                if is_time {
                    let whole = (u64::from(hours) * 60 + u64::from(minutes)) * 60 + u64::from(seconds);
                    let ticks = (whole * 100 + u64::from(hundredths)) * DAY / HUNDREDTHS_OF_DAY;
                    frame.put_word_at(TICKS, ticks as u16);
                    frame.put_word_at(TICKS + 2, (ticks >> 16) as u16);
                }
                frame.set_low("AX", if is_time { 0 } else { 0xFF });
            }
        }
    }
}
