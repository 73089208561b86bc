//! Rows of lights, which show what the machine holds: its registers and flags, a cell, the lamps of its ports.
//!
//! They show the machine as it is while it stands still. While it runs they are sampled many times a frame; the brightness of each is
//! the share of samples in which it was lit.

use super::Panel;
use crate::machine::chip::{self, Pin};
use crate::machine::{LightRow, Shows};
use crate::number::digits;
use crate::session::{Limits, Stop, instruction_at};

/// So often the lights are looked at in a stretch of running.
const LOOKS: u64 = 64;

/// A row of lights.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    /// What it shows.
    pub name: String,
    /// How bright each light is, 0 to 1, the leftmost first.
    pub lights: Vec<f32>,
    /// What it shows as a number, where none of its lights changed since the last look.
    pub value: Option<u64>,
    /// The radix in which it is read: lights stand together by its digits.
    pub radix: u32,
}

impl Row {
    /// How many lights stand together.
    pub fn group(&self) -> usize {
        group(self.radix)
    }

    /// Rows of a few lights stand side by side in a line of their own.
    pub fn is_short(&self) -> bool {
        self.lights.len() <= 3
    }

    /// How many digits it is read as.
    pub fn digit_count(&self) -> usize {
        digits(0, self.radix, self.lights.len() as u8).len()
    }

    /// What it shows as digits, where it has a value.
    pub fn digits(&self) -> Option<String> {
        self.value.map(|value| digits(value, self.radix, self.lights.len() as u8))
    }
}

/// How many lights or switches make a digit.
pub fn group(radix: u32) -> usize {
    if radix == 8 { 3 } else { 4 }
}

/// What was seen of the lights since the last look.
#[derive(Debug, Clone)]
pub(super) struct Lights {
    /// For each row how often each bit was lit, and how often that was looked at.
    lit: Vec<[u32; 36]>,
    looks: u32,
    /// Numbers for looking at moments that have nothing to do with the program's loops.
    moment: u64,
}

impl Lights {
    pub(super) fn new(rows: usize) -> Self {
        Self { lit: vec![[0; 36]; rows], looks: 0, moment: 0x2545_F491_4F6C_DD1D }
    }

    /// A number up to `most`, another one each time.
    fn any(&mut self, most: u64) -> u64 {
        self.moment ^= self.moment << 13;
        self.moment ^= self.moment >> 7;
        self.moment ^= self.moment << 17;
        self.moment % most.max(1)
    }

    pub(super) fn forget(&mut self) {
        self.looks = 0;
        self.lit.fill([0; 36]);
    }
}

impl Panel {
    /// Lets the machine run for so many cycles, and looks at its lights now and then.
    pub(super) fn pass_lit(&mut self, cycles: u64) -> Stop {
        let end = self.session.machine().cycles() + cycles;
        loop {
            let now = self.session.machine().cycles();
            if now >= end || !self.is_running() {
                return Stop::Cycles;
            }
            let most = 2 * (cycles / LOOKS).max(1);
            let slice = (1 + self.lights.any(most)).min(end - now);
            let stop = self.session.run(Limits::none().cycles(slice));
            self.look_at_lights();
            if stop != Stop::Cycles {
                self.stopped_by(&stop);
                return stop;
            }
        }
    }

    fn look_at_lights(&mut self) {
        let moment = self.lights.any(u64::MAX);
        let values = self.values(moment);
        self.lights.looks += 1;
        for (lit, (value, _)) in self.lights.lit.iter_mut().zip(values) {
            for (bit, count) in lit.iter_mut().enumerate() {
                *count += (value >> bit & 1) as u32;
            }
        }
    }

    /// What the processor puts out in the cycle that is so far after the beginning of its instruction.
    fn status(&self, moment: u64) -> u8 {
        let machine = self.session.machine();
        let Some(status) = machine.set().status else { return 0 };
        if machine.halted_at().is_some() {
            return status.halted;
        }
        let decoded = instruction_at(machine, machine.place()).0;
        decoded.map_or(0, |decoded| (status.at)(&decoded, decoded.timing().base.into(), moment))
    }

    /// What each row shows now, in the cycle so far after the beginning of an instruction, and how many lights it has.
    fn values(&self, moment: u64) -> Vec<(u64, u8)> {
        let status = self.status(moment);
        let machine = self.session.machine();
        let set = machine.set();
        let address = self.shown_address();
        let value = |row: &LightRow| match row.shows {
            Shows::Address => (address.into(), set.address_bits()),
            Shows::Data => (machine.cell(address), set.cell_bits()),
            Shows::Register(place) => (machine.register(place), set.registers()[place].bits),
            Shows::Flag(place) => {
                let flags = set.flags_register().map_or(0, |place| machine.register(place));
                ((flags & set.flags()[place].mask != 0).into(), 1)
            }
            Shows::Status(bit) => (u64::from(status >> bit & 1), 1),
            Shows::Lamps(chip) => (machine.chips()[chip].chip.lamps().unwrap_or(0), 8),
            Shows::Pins(chip, port) => {
                let fitted = &machine.chips()[chip];
                let row = chip::part(&fitted.place.part).and_then(|part| part.ports.get(usize::from(port)));
                let (first, count) =
                    row.map_or((0, 8), |row| (*row.1.start(), row.1.end() - row.1.start() + 1));
                let level = |bit: u8| fitted.chip.level(Pin { port, bit: first + bit }).unwrap_or(false);
                ((0..count).map(|bit| u64::from(level(bit)) << bit).sum(), count)
            }
            Shows::Run => (self.is_running().into(), 1),
        };
        machine.board().lights.iter().map(value).collect()
    }

    /// The rows of lights as they were since the last look; as they are where the machine stood still, which is told, too.
    pub(super) fn rows(&self) -> (Vec<Row>, bool) {
        let looks = self.lights.looks;
        let still = looks == 0 || !self.is_running();
        let radix = self.session.processor().habit().table_radix();
        let rows = self.values(0).into_iter().zip(&self.lights.lit).map(|((value, bits), lit)| {
            let bright = |bit: u8| match still {
                true => (value >> bit & 1) as f32,
                false => lit[usize::from(bit)] as f32 / looks as f32,
            };
            let lights: Vec<f32> = (0..bits).rev().map(bright).collect();
            let steady = lights.iter().all(|&bright| bright == 0.0 || bright == 1.0);
            let seen = lights.iter().fold(0, |value, &bright| value << 1 | u64::from(bright == 1.0));
            (lights, steady.then_some(seen))
        });
        let names = self.session.machine().board().lights.iter().map(|row| row.name.clone());
        let rows =
            names.zip(rows).map(|(name, (lights, value))| Row { name, lights, value, radix }).collect();
        (rows, still)
    }
}
