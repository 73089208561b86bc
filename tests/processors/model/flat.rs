//! What the tests of processors with bytes run them on: flat memory.

use plain_byte::processor::{Bus, InputLine, InstructionSet, OutputLine, Row};

/// Memory and one input value; what goes to memory and to ports is kept.
pub struct Flat {
    pub memory: Vec<u8>,
    pub port_in: u8,
    pub written: Vec<(u16, u8)>,
    pub put_out: Vec<(u8, u8)>,
}

impl Flat {
    pub fn new(memory: Vec<u8>) -> Self {
        Self { memory, port_in: 0, written: vec![], put_out: vec![] }
    }

    pub fn empty() -> Self {
        Self::new(vec![0; 0x1_0000])
    }
}

impl Bus for Flat {
    type Cell = u8;
    const WATCHED: bool = false;
    const MAPPED: bool = true;

    fn fetch(&mut self, address: u32) -> u8 {
        self.memory[address as usize]
    }
    fn read(&mut self, address: u32, _: u64) -> u8 {
        self.memory[address as usize]
    }
    fn write(&mut self, address: u32, value: u8, _: u64) {
        self.written.push((address as u16, value));
        self.memory[address as usize] = value;
    }
    fn input(&mut self, _: u32, _: u64) -> u8 {
        self.port_in
    }
    fn output(&mut self, port: u32, value: u8, _: u64) {
        self.put_out.push((port as u8, value));
    }
    fn sense(&mut self, _: InputLine, _: u64) -> Option<bool> {
        Some(true)
    }
    fn drive(&mut self, _: OutputLine, _: bool, _: u64) {}
    fn attention(&self) -> bool {
        false
    }
}

/// The flags, by name, that an instruction did something else to than its row says: `before` and `after` are the flag register.
pub fn wrong_flags(set: &InstructionSet, row: &Row, before: u64, after: u64) -> Vec<&'static str> {
    let marks = set.flag_effect(row).chars().zip(set.flags());
    let wrong = marks.filter(|(mark, flag)| {
        let (was, is) = (before & flag.mask != 0, after & flag.mask != 0);
        !match mark {
            '-' => was == is,
            '0' => !is,
            '1' => is,
            _ => true,
        }
    });
    wrong.map(|(_, flag)| flag.name).collect()
}
