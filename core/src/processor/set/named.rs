//! Registers and flags by their names. One rule holds wherever a person or a program names one: a name is the register's where there
//! is one, else the flag's; `flag C` is the flag, always.

use super::{Flag, InstructionSet, Role};

/// What a name is.
#[derive(Debug, Clone, Copy)]
pub enum Named {
    /// A register, by its place in the set's list.
    Register(usize),
    /// A flag.
    Flag(&'static Flag),
}

/// The word in front of a flag's name.
const FLAG: &str = "flag";

/// The name after the word `flag`, where that stands in front.
fn behind_flag(name: &str) -> Option<&str> {
    let (word, rest) = name.split_once(char::is_whitespace)?;
    word.eq_ignore_ascii_case(FLAG).then_some(rest.trim_start())
}

impl InstructionSet {
    /// The register or flag of a name, capitals or not: `c` is the Z80's register C, `flag c` its carry.
    pub fn named(&self, name: &str) -> Option<Named> {
        match behind_flag(name) {
            Some(flag) => self.flag(flag).map(Named::Flag),
            None => self.register(name).map(Named::Register).or_else(|| self.flag(name).map(Named::Flag)),
        }
    }

    /// The name of a flag by which nothing else is meant.
    pub fn flag_name(&self, flag: &Flag) -> String {
        let place = self.register(flag.name);
        let shared = place.is_some_and(|place| self.registers()[place].role != Role::Flags);
        if shared { format!("{FLAG} {}", flag.name) } else { flag.name.to_string() }
    }

    /// The names of all registers and flags, by which nothing else is meant.
    pub fn state_names(&self) -> impl Iterator<Item = String> {
        let registers = self.registers().iter().map(|register| register.name.to_string());
        registers.chain(self.flags().iter().map(|flag| self.flag_name(flag)))
    }
}
