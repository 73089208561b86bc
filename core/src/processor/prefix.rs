//! What stands in front of an instruction of the 8086 and changes it.

/// How a string instruction is repeated.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Repeat {
    /// REPNE: comparisons as long as they find no equality.
    NotEqual,
    /// REP, REPE: comparisons as long as they find equality.
    Equal,
}

/// The prefixes of an instruction: of several of a kind the last one counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Prefixes {
    /// How many cells they are.
    pub count: u8,
    /// The code of the segment register that counts instead of the usual one.
    pub segment: Option<u8>,
    /// Whether the instruction is repeated.
    pub repeat: Option<Repeat>,
    /// Whether the bus is locked.
    pub lock: bool,
}

/// A prefix as the chart has it.
#[derive(Debug)]
pub struct Prefix {
    /// The cell.
    pub cell: u64,
    /// The name in front of an instruction or of an operand.
    pub name: &'static str,
    /// What it does.
    pub meaning: &'static str,
}

/// Every prefix, by its cell. Intel, *The 8086 Family User's Manual* (October 1979), table 2-21.
pub const PREFIXES: [Prefix; 7] = [
    Prefix { cell: 0x26, name: "ES:", meaning: "prefix: the next instruction's operand is counted in ES" },
    Prefix { cell: 0x2E, name: "CS:", meaning: "prefix: the next instruction's operand is counted in CS" },
    Prefix { cell: 0x36, name: "SS:", meaning: "prefix: the next instruction's operand is counted in SS" },
    Prefix { cell: 0x3E, name: "DS:", meaning: "prefix: the next instruction's operand is counted in DS" },
    Prefix { cell: 0xF0, name: "LOCK", meaning: "prefix: the bus is locked during the next instruction" },
    Prefix {
        cell: 0xF2,
        name: "REPNE",
        meaning: "prefix: the string instruction is repeated CX times, a comparison until it finds equality",
    },
    Prefix {
        cell: 0xF3,
        name: "REP",
        meaning: "prefix: the string instruction is repeated CX times, a comparison (REPE) as long as it finds equality",
    },
];

/// More than this are no instruction in a source text, though the processor goes through all of them.
pub(super) const MOST: u8 = 3;

/// Clocks of each.
pub const PREFIX_CLOCKS: u8 = 2;

impl Prefixes {
    /// Those in front of what the cells begin with.
    pub fn of(cells: &[u64]) -> Self {
        let mut found = Self::default();
        for &cell in cells {
            match cell {
                0x26 | 0x2E | 0x36 | 0x3E => found.segment = Some((cell >> 3 & 3) as u8),
                0xF0 => found.lock = true,
                0xF2 => found.repeat = Some(Repeat::NotEqual),
                0xF3 => found.repeat = Some(Repeat::Equal),
                _ => break,
            }
            found.count += 1;
            if found.count > MOST {
                break;
            }
        }
        found
    }

    /// The cells that say so, in the order in which they are written.
    pub fn cells(self) -> impl Iterator<Item = u64> {
        let lock = self.lock.then_some(0xF0);
        let repeat = self.repeat.map(|repeat| if repeat == Repeat::Equal { 0xF3 } else { 0xF2 });
        let segment = self.segment.map(|segment| 0x26 | u64::from(segment) << 3);
        lock.into_iter().chain(repeat).chain(segment)
    }
}
