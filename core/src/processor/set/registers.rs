//! What a program and a person see of a processor's inside: registers and flags.

use super::InstructionSet;

/// The registers and flags of a set.
#[derive(Debug, Clone, Copy)]
pub struct RegisterFile {
    /// The registers that have a name, in the order they are shown.
    pub list: &'static [Register],
    /// The flags, most significant first.
    pub flags: &'static [Flag],
    /// What is added to the stack pointer to give an address.
    pub stack_page: u32,
}

/// A register of a set's list.
pub(in crate::processor) const fn register(name: &'static str, bits: u8, role: Role) -> Register {
    Register { name, bits, role }
}

/// A register that a person can name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Register {
    /// The maker's name.
    pub name: &'static str,
    /// Its width.
    pub bits: u8,
    /// What it is for.
    pub role: Role,
}

/// What a register is, as far as showing it goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    /// Holds data.
    Data,
    /// Holds the flags.
    Flags,
    /// The stack pointer.
    Stack,
    /// The program counter.
    Program,
    /// Is the memory cell whose address is the register's place in the list.
    Cell,
    /// Two others seen as one; shown only when asked for.
    Pair,
    /// Interrupt state and the like.
    Control,
    /// Changes with nearly every instruction by itself; shown only when asked for.
    Internal,
    /// What a line of the board carries where nothing there drives it: an input, or the bus at an acknowledgement; shown only when
    /// asked for.
    Line,
}

/// A flag: its name and its bit in the flag register.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Flag {
    /// The maker's name.
    pub name: &'static str,
    /// The bit's weight in the flag register.
    pub mask: u64,
    /// What a 1 says, in words.
    pub meaning: &'static str,
}

impl InstructionSet {
    /// The place of a register by its name, capitals or not.
    pub fn register(&self, name: &str) -> Option<usize> {
        self.registers().iter().position(|register| register.name.eq_ignore_ascii_case(name))
    }

    /// A flag by its name, capitals or not.
    pub fn flag(&self, name: &str) -> Option<&'static Flag> {
        self.flags().iter().find(|flag| flag.name.eq_ignore_ascii_case(name))
    }

    /// The place of the register that holds the flags.
    pub fn flags_register(&self) -> Option<usize> {
        self.registers().iter().position(|register| register.role == Role::Flags)
    }
}
