//! Motorola 6845, CRT controller (Motorola, *MC6845 CRT controller* data sheet): what is scanned, where it begins, where the cursor is.
//!
//! ```text
//! R0  characters of a line, less 1    R1  displayed    R2, R3  horizontal sync
//! R4  lines of characters, less 1     R5  scan lines on top    R6  displayed    R7  vertical sync    R8  interlace
//! R9  scan lines of a character, less 1
//! R10 cursor: blink in bits 5 and 6, first scan line; R11 its last one
//! R12, R13  the first address         R14, R15  the cursor's address    R16, R17  the light pen's
//! ```
//!
//! R14 to R17 can be read. Addresses have fourteen bits.

/// Registers that there are.
const REGISTERS: usize = 18;

/// The bits that a register has.
const BITS: [u8; REGISTERS] = [
    0xFF, 0xFF, 0xFF, 0xFF, 0x7F, 0x1F, 0x7F, 0x7F, 0x03, 0x1F, 0x7F, 0x1F, 0x3F, 0xFF, 0x3F, 0xFF, 0x3F,
    0xFF,
];

/// How the cursor is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CursorForm {
    /// Always there.
    Steady,
    /// Not there.
    None,
    /// There for so many pictures, then gone for as many.
    Blinks(u64),
}

/// The chip, after its two registers: the address register and the one that it chooses.
#[derive(Debug, Clone)]
pub struct Mc6845 {
    chosen: u8,
    registers: [u8; REGISTERS],
}

impl Mc6845 {
    /// With registers as they were set.
    pub fn new(registers: &[u8]) -> Self {
        let mut own = [0; REGISTERS];
        for (to, &from) in own.iter_mut().zip(registers) {
            *to = from;
        }
        Self { chosen: 0, registers: own }
    }

    /// Writes the address register.
    pub fn choose(&mut self, value: u8) {
        self.chosen = value & 0x1F;
    }

    /// Writes the register that is chosen. False where it cannot be written.
    pub fn write(&mut self, value: u8) -> bool {
        let at = usize::from(self.chosen);
        if at >= REGISTERS - 2 {
            return false;
        }
        self.registers[at] = value & BITS[at];
        true
    }

    /// Reads it; `None` where it cannot be read.
    pub fn read(&self) -> Option<u8> {
        let at = usize::from(self.chosen);
        (14..REGISTERS).contains(&at).then(|| self.registers[at])
    }

    fn word(&self, high: usize) -> u16 {
        u16::from_be_bytes([self.registers[high], self.registers[high + 1]])
    }

    /// The address of the first character.
    pub fn start(&self) -> u16 {
        self.word(12)
    }

    /// The address of the cursor.
    pub fn cursor(&self) -> u16 {
        self.word(14)
    }

    /// How the cursor is shown.
    pub fn cursor_form(&self) -> CursorForm {
        let (first, last) = (self.registers[10] & 0x1F, self.registers[11]);
        if first > last || first > self.registers[9] {
            return CursorForm::None;
        }
        match self.registers[10] >> 5 & 3 {
            0 => CursorForm::Steady,
            1 => CursorForm::None,
            2 => CursorForm::Blinks(8),
            _ => CursorForm::Blinks(16),
        }
    }

    /// Characters in a line, and lines.
    pub fn size(&self) -> (usize, usize) {
        (self.registers[1].into(), self.registers[6].into())
    }

    /// Characters that a scan line takes, sync and all.
    pub fn line(&self) -> u64 {
        u64::from(self.registers[0]) + 1
    }

    fn scan_lines(&self) -> u64 {
        u64::from(self.registers[9]) + 1
    }

    /// Characters that a picture takes.
    pub fn picture(&self) -> u64 {
        let lines = (u64::from(self.registers[4]) + 1) * self.scan_lines() + u64::from(self.registers[5]);
        self.line() * lines
    }

    /// True where a character is displayed at a time, counted in characters.
    pub fn displays(&self, time: u64) -> bool {
        let at = time % self.picture();
        let (columns, rows) = self.size();
        at % self.line() < columns as u64 && at / self.line() < rows as u64 * self.scan_lines()
    }

    /// True in the sixteen scan lines of the vertical sync.
    pub fn syncs(&self, time: u64) -> bool {
        let line = time % self.picture() / self.line();
        let first = u64::from(self.registers[7]) * self.scan_lines();
        (first..first + 16).contains(&line)
    }
}
