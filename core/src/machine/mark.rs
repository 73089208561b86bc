//! What a machine is at a cycle, in few numbers, so that two runs can be compared.

use super::{Fitted, Machine, Recorder, chip};
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::collections::BTreeMap;

/// 64 bits of FNV-1a over bytes, lowest byte of a number first. In a file it is a decimal number as a text, since few readers of JSON
/// keep so many bits of a number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hash(u64);

impl Default for Hash {
    fn default() -> Self {
        Self(0xCBF2_9CE4_8422_2325)
    }
}

impl Hash {
    fn byte(&mut self, byte: u8) {
        self.0 = (self.0 ^ u64::from(byte)).wrapping_mul(0x100_0000_01B3);
    }

    fn bytes(&mut self, bytes: &[u8]) {
        bytes.iter().for_each(|&byte| self.byte(byte));
    }

    fn number(&mut self, number: u64) {
        self.bytes(&number.to_le_bytes());
    }
}

/// Numbers are the same on every computer.
impl std::hash::Hasher for Hash {
    fn write(&mut self, bytes: &[u8]) {
        self.bytes(bytes);
    }

    fn write_u16(&mut self, number: u16) {
        self.bytes(&number.to_le_bytes());
    }

    fn write_u32(&mut self, number: u32) {
        self.bytes(&number.to_le_bytes());
    }

    fn write_u64(&mut self, number: u64) {
        self.number(number);
    }

    fn write_usize(&mut self, number: usize) {
        self.number(number as u64);
    }

    fn write_isize(&mut self, number: isize) {
        self.number(number as u64);
    }

    fn finish(&self) -> u64 {
        self.0
    }
}

impl Serialize for Hash {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(&self.0)
    }
}

impl<'de> Deserialize<'de> for Hash {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        let wrong = |_| serde::de::Error::custom(format!("`{text}` is not a sum: it has 64 bits"));
        text.parse().map(Self).map_err(wrong)
    }
}

/// A machine at a cycle: its registers, and what the rest comes to.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Mark {
    /// The cycle.
    pub cycle: u64,
    /// Instructions so far.
    pub instructions: u64,
    /// The registers by their names.
    pub registers: BTreeMap<String, u64>,
    /// Every cell that the processor sees, in the order of addresses, each in as many bytes as it needs.
    pub memory: Hash,
    /// What the chips would answer a program, whether they ask for an interrupt, and their lamps.
    pub chips: Hash,
    /// What was seen from outside: console, ports, lamps, the tape of the punch, the screen. Of lists the length and the end.
    pub seen: Hash,
    /// The names and the bytes of the files on the disk, and what the services remember.
    pub disk: Hash,
}

impl Mark {
    /// What is not the same in another, each a phrase: `A is 12h, not 13h`.
    pub fn differences(&self, was: &Self, set: &crate::processor::InstructionSet) -> Vec<String> {
        let mut differences = Vec::new();
        let mut counter = |name: &str, is: u64, was: u64| {
            if is != was {
                differences.push(format!("{is} {name}, not {was}"));
            }
        };
        counter(set.identity.cycle_name, self.cycle, was.cycle);
        counter("instructions", self.instructions, was.instructions);
        for (name, was) in &was.registers {
            let Some(is) = self.registers.get(name).filter(|is| *is != was) else { continue };
            let bits = set.register(name).map_or(8, |place| set.registers()[place].bits);
            let both = [*is, *was].map(|value| set.habit().literal(value, bits));
            differences.push(format!("{name} is {}, not {}", both[0], both[1]));
        }
        for (what, is, was) in [
            ("memory is", self.memory, was.memory),
            ("the chips are", self.chips, was.chips),
            ("what was seen from outside is", self.seen, was.seen),
            ("the files on the disk and what the services remember are", self.disk, was.disk),
        ] {
            if is != was {
                differences.push(format!("{what} not the same"));
            }
        }
        differences
    }
}

/// Of what only grows, the end is enough: what came before was in the marks before.
fn last<T>(list: &[T]) -> &[T] {
    const ENOUGH: usize = 4096;
    &list[list.len().saturating_sub(ENOUGH)..]
}

impl Machine {
    /// What it is now. Two machines that went the same way have the same marks.
    pub fn mark(&self) -> Mark {
        let registers = self.set().registers().iter().enumerate();
        Mark {
            cycle: self.cycles(),
            instructions: self.instructions(),
            registers: registers.map(|(at, one)| (one.name.to_string(), self.register(at))).collect(),
            memory: self.memory_hash(),
            chips: self.chips_hash(),
            seen: self.seen_hash(),
            disk: self.disk_hash(),
        }
    }

    fn memory_hash(&self) -> Hash {
        let mut hash = Hash::default();
        let bytes = usize::from(self.set().cell_bits()).div_ceil(8);
        for area in self.areas() {
            for address in area.first..=area.last {
                hash.bytes(&self.cell(address).to_le_bytes()[..bytes]);
            }
        }
        hash
    }

    fn chips_hash(&self) -> Hash {
        let mut hash = Hash::default();
        self.chips().iter().for_each(|fitted| self.chip_hash(fitted, &mut hash));
        hash
    }

    /// What a chip would answer. Reading changes some, so that a copy is asked.
    fn chip_hash(&self, fitted: &Fitted, hash: &mut Hash) {
        let now = self.cycles();
        let mut chip = fitted.chip.clone();
        chip.advance(now);
        hash.number(chip.requests().map_or(0, |since| since + 1));
        hash.number(chip.lamps().unwrap_or(0));
        hash.number(chip.next().unwrap_or(0));
        let registers = chip::part(&fitted.place.part).map_or(1, |part| part.registers);
        for offset in 0..registers {
            if self.set().cell_bits() == 12 {
                for function in 0..8 {
                    let (value, skips) = chip.clone().transfer(offset, function, 0, now);
                    hash.number(value << 1 | u64::from(skips));
                }
            } else {
                hash.number(chip.clone().read(offset, now).map_or(0, |value| value + 1));
            }
        }
    }

    fn seen_hash(&self) -> Hash {
        let mut hash = Hash::default();
        hash.number(self.output().len() as u64);
        hash.bytes(last(self.output()));
        hash.number(self.port_writes().len() as u64);
        for write in last(self.port_writes()) {
            [write.port.into(), write.value, write.at].into_iter().for_each(|one| hash.number(one));
        }
        hash.number(self.port_writes_not_kept());
        for lamp in self.lamps() {
            hash.number(u64::from(lamp.lit) | lamp.lit_cycles(self.cycles()) << 1);
        }
        let turns = self.speaker().map_or(&[][..], super::Speaker::turns);
        if let Some(last) = turns.last() {
            hash.number(turns.len() as u64);
            hash.number(*last);
        }
        if let Some(recorder) = self.recorder() {
            self.recorder_hash(recorder, &mut hash);
        }
        let punched = self.punched().unwrap_or_default();
        hash.number(punched.len() as u64);
        hash.bytes(last(punched));
        for line in self.screen().iter().flat_map(chip::Picture::lines) {
            hash.bytes(line.as_bytes());
        }
        hash
    }

    /// Where the tape is, and the end of what is on it.
    fn recorder_hash(&self, recorder: &Recorder, hash: &mut Hash) {
        const ENOUGH: usize = 64;
        let now = self.cycles();
        hash.bytes(recorder.deck().name().as_bytes());
        hash.number(recorder.position(now));
        hash.number(u64::from(recorder.motor()) | u64::from(recorder.hears(now)) << 1);
        let tape = recorder.tape(now).filter(|_| recorder.has_recorded());
        tape.iter().flat_map(|tape| tape.turns().rev().take(ENOUGH)).for_each(|turn| hash.number(turn));
    }

    fn disk_hash(&self) -> Hash {
        let mut hash = Hash::default();
        let Some(volume) = self.disk() else { return hash };
        for name in volume.names() {
            hash.bytes(name.to_string().as_bytes());
            hash.bytes(volume.bytes(name).unwrap_or_default());
        }
        if let Some(service) = &self.service {
            service.remembers(&mut hash);
        }
        hash
    }
}
