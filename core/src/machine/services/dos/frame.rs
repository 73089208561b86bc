//! A call as the services see it: registers, the flags on the stack, and memory by segment and offset.

use super::Caller;

/// Bits of the flags.
const CARRY: u16 = 1;

/// 1 MiB, and after its last byte the first one follows.
const MEMORY: u32 = 0xF_FFFF;

/// The caller, inside the interrupt that hands its call over.
pub(super) struct Frame<'c, 'm> {
    caller: &'c mut Caller<'m>,
}

impl<'c, 'm> Frame<'c, 'm> {
    pub fn of(caller: &'c mut Caller<'m>) -> Self {
        Self { caller }
    }

    pub fn now(&self) -> u64 {
        self.caller.now()
    }

    pub fn get(&self, register: &str) -> u16 {
        self.caller.register(register) as u16
    }

    pub fn set(&mut self, register: &str, value: u16) {
        self.caller.set_register(register, value.into());
    }

    pub fn ah(&self) -> u8 {
        (self.get("AX") >> 8) as u8
    }

    pub fn al(&self) -> u8 {
        self.get("AX") as u8
    }

    /// Sets the low byte of a register.
    pub fn set_low(&mut self, register: &str, value: u8) {
        let high = self.get(register) & 0xFF00;
        self.set(register, high | u16::from(value));
    }

    /// The address of an offset in a segment.
    pub fn address(segment: u16, offset: u16) -> u32 {
        ((u32::from(segment) << 4) + u32::from(offset)) & MEMORY
    }

    /// The address that a pair of registers names.
    pub fn at(&self, segment: &str, offset: &str) -> u32 {
        Self::address(self.get(segment), self.get(offset))
    }

    pub fn byte(&self, address: u32) -> u8 {
        self.caller.cell(address & MEMORY) as u8
    }

    pub fn put(&mut self, address: u32, value: u8) {
        self.caller.put(address & MEMORY, value.into());
    }

    pub fn word_at(&self, address: u32) -> u16 {
        u16::from_le_bytes([self.byte(address), self.byte(address + 1)])
    }

    pub fn put_word_at(&mut self, address: u32, value: u16) {
        let [low, high] = value.to_le_bytes();
        self.put(address, low);
        self.put(address + 1, high);
    }

    pub fn put_all(&mut self, address: u32, bytes: &[u8]) {
        for (at, &byte) in (address..).zip(bytes) {
            self.put(at, byte);
        }
    }

    /// Bytes from a place on, which stay in its segment.
    pub fn bytes(&self, segment: u16, offset: u16, count: u16) -> Vec<u8> {
        (0..count).map(|at| self.byte(Self::address(segment, offset.wrapping_add(at)))).collect()
    }

    /// Puts bytes into a segment.
    pub fn put_bytes(&mut self, segment: u16, offset: u16, bytes: &[u8]) {
        for (at, &byte) in bytes.iter().enumerate() {
            self.put(Self::address(segment, offset.wrapping_add(at as u16)), byte);
        }
    }

    /// A text up to its zero byte, at most 128 bytes of it.
    pub fn text(&self, segment: &str, offset: &str) -> Vec<u8> {
        let (segment, offset) = (self.get(segment), self.get(offset));
        let bytes = (0..128).map(|at| self.byte(Self::address(segment, offset.wrapping_add(at))));
        bytes.take_while(|&byte| byte != 0).collect()
    }

    /// The caller's carry flag, which the interrupt has put on the stack.
    pub fn set_carry(&mut self, is_set: bool) {
        let place = Self::address(self.get("SS"), self.get("SP").wrapping_add(4));
        let flags = self.word_at(place) & !CARRY | if is_set { CARRY } else { 0 };
        self.put_word_at(place, flags);
    }

    /// Leaves the call to the firmware: it asks for that by the carry flag of the moment.
    pub fn leave_to_firmware(&mut self) {
        let flags = self.get("FLAGS") | CARRY;
        self.set("FLAGS", flags);
    }

    /// Goes back to the instruction that called, two bytes in front of where the interrupt would return to.
    pub fn back_to_call(&mut self) {
        self.go_back();
        let call = self.get("IP").wrapping_sub(2);
        self.set("IP", call);
    }

    /// Goes back to whoever called, as the return from the interrupt would.
    pub fn go_back(&mut self) {
        let (segment, offset) = (self.get("SS"), self.get("SP"));
        let word = |frame: &Self, at: u16| frame.word_at(Self::address(segment, offset.wrapping_add(at)));
        let (ip, cs, flags) = (word(self, 0), word(self, 2), word(self, 4));
        self.set("IP", ip);
        self.set("CS", cs);
        self.set("FLAGS", flags);
        self.set("SP", offset.wrapping_add(6));
    }
}
