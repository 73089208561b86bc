//! The pieces of a processor's state that an instruction takes and gives: registers, halves of registers, flags.

use crate::machine::Machine;
use crate::processor::{InstructionSet, Named, Role};

/// A piece of the state that is set as a whole: a register, a byte of one that has names for its bytes, a flag.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::session) struct Atom {
    /// The register's place in the set's list.
    pub place: usize,
    /// Its bits in that register.
    pub mask: u64,
    /// What it is called.
    pub name: &'static str,
    /// It is a flag.
    pub is_flag: bool,
    /// What the register is for.
    pub role: Role,
}

impl Atom {
    /// How far its bits stand from the right end of its register.
    pub fn shift(self) -> u32 {
        self.mask.trailing_zeros()
    }

    /// Its width.
    pub fn bits(self) -> u8 {
        self.mask.count_ones() as u8
    }

    /// Its value.
    pub fn value(self, machine: &Machine) -> u64 {
        (machine.register(self.place) & self.mask) >> self.shift()
    }
}

/// Names of the bytes of registers that have some: register, bits of the byte, name.
const BYTES: &[(&str, u64, &str)] = &[
    ("AX", 0x00FF, "AL"),
    ("AX", 0xFF00, "AH"),
    ("BX", 0x00FF, "BL"),
    ("BX", 0xFF00, "BH"),
    ("CX", 0x00FF, "CL"),
    ("CX", 0xFF00, "CH"),
    ("DX", 0x00FF, "DL"),
    ("DX", 0xFF00, "DH"),
    ("BC", 0x00_00FF, "C"),
    ("BC", 0x00_FF00, "B"),
    ("BC", 0xFF_0000, "BCU"),
    ("DE", 0x00_00FF, "E"),
    ("DE", 0x00_FF00, "D"),
    ("DE", 0xFF_0000, "DEU"),
    ("HL", 0x00_00FF, "L"),
    ("HL", 0x00_FF00, "H"),
    ("HL", 0xFF_0000, "HLU"),
];

/// Flags that are no part of a program's data: with this one set every instruction is followed by an interrupt.
const TRAP: &str = "TF";

/// The code segment belongs to the place of the program, not to its data.
const CODE_SEGMENT: &str = "CS";

/// Control registers narrower than this hold what interrupts wait for, and in which mode the processor is.
const DATA_BITS: u8 = 8;

/// The atoms of a set, at most 64.
pub(in crate::session) fn atoms(set: &'static InstructionSet) -> Vec<Atom> {
    let mut atoms = Vec::new();
    for (place, register) in set.registers().iter().enumerate() {
        let whole = u64::MAX >> (64 - u32::from(register.bits));
        let atom = |mask: u64, name| Atom { place, mask, name, is_flag: false, role: register.role };
        match register.role {
            Role::Control if register.bits < DATA_BITS || register.name == "APR" => {}
            _ if register.name == CODE_SEGMENT => {}
            Role::Data | Role::Stack | Role::Cell | Role::Control => {
                let named = BYTES.iter().filter(|row| row.0 == register.name && row.1 <= whole);
                let bytes: Vec<Atom> = named.map(|row| atom(row.1, row.2)).collect();
                match bytes.is_empty() {
                    true => atoms.push(atom(whole, register.name)),
                    false => atoms.extend(bytes),
                }
            }
            Role::Flags => {
                let flags = set.flags().iter().filter(|flag| flag.name != TRAP);
                atoms.extend(flags.map(|flag| Atom { is_flag: true, ..atom(flag.mask, flag.name) }));
            }
            Role::Program | Role::Pair | Role::Internal | Role::Line => {}
        }
    }
    atoms.truncate(64);
    atoms
}

/// The atoms that a register or flag of a name has a part in, as bits of their places; 0 where there is no such name.
pub(in crate::session) fn atoms_named(set: &'static InstructionSet, atoms: &[Atom], name: &str) -> u64 {
    let bits = |is: &dyn Fn(&Atom) -> bool| {
        atoms.iter().enumerate().filter(|(_, atom)| is(atom)).fold(0, |bits, (at, _)| bits | 1 << at)
    };
    match set.named(name) {
        Some(Named::Flag(flag)) => bits(&|atom| atom.is_flag && atom.mask == flag.mask),
        Some(Named::Register(place)) => {
            let register = &set.registers()[place];
            match register.role {
                Role::Pair => {
                    // A byte of a register, or two registers seen as one: the names of its parts are in its own.
                    let own = bits(&|atom| !atom.is_flag && atom.name == register.name);
                    let part = |atom: &Atom| {
                        let flags = atom.is_flag && register.name.ends_with(['F', 'W']);
                        flags || !atom.is_flag && atom.name.len() == 1 && register.name.contains(atom.name)
                    };
                    let psw = |atom: &Atom| register.name == "PSW" && (atom.is_flag || atom.name == "A");
                    if own != 0 { own } else { bits(&|atom| part(atom) || psw(atom)) }
                }
                _ => bits(&|atom| atom.place == place),
            }
        }
        None => 0,
    }
}
