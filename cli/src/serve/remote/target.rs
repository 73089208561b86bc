//! The processor as a general debugger knows it: registers with numbers, memory as bytes, both described in XML.

use plain_byte::machine::MemoryKind;
use plain_byte::processor::Role;
use plain_byte::session::Session;

/// Where a register's value comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
enum From {
    /// The register at a place of the set's list.
    Place(usize),
    /// Where the program is, as an address of bytes.
    Program,
    /// Where the stack is, likewise.
    Stack,
    /// The debugger expects it, and the processor has none.
    Nothing,
}

/// A register as the debugger counts them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Numbered {
    name: String,
    /// Bits, as they go over the line: 8, 16, 32, 64 or 80.
    bits: u32,
    from: From,
    /// What every processor has: `pc`, `sp`, `flags`.
    generic: Option<&'static str>,
}

/// The registers that the debuggers' own feature for this processor wants, in its order.
const I386: &[(&str, &str)] = &[
    ("eax", "AX"),
    ("ecx", "CX"),
    ("edx", "DX"),
    ("ebx", "BX"),
    ("esp", ""),
    ("ebp", "BP"),
    ("esi", "SI"),
    ("edi", "DI"),
    ("eip", ""),
    ("eflags", "FL"),
    ("cs", "CS"),
    ("ss", "SS"),
    ("ds", "DS"),
    ("es", "ES"),
    ("fs", ""),
    ("gs", ""),
];
/// The 8086 as the other kind of debugger names it: the instruction set of 32 bits, in its mode of 16.
const I8086_TRIPLE: &str = "i386-unknown-unknown-code16";
/// Those of the coprocessor, which it wants, too.
const I387: &[&str] = &["fctrl", "fstat", "ftag", "fiseg", "fioff", "foseg", "fooff", "fop"];

/// The target of a session.
#[derive(Debug, Clone)]
pub struct Described {
    registers: Vec<Numbered>,
    is_i386: bool,
    /// Bytes of a cell.
    each: u32,
    /// Values of registers go over the line with the high byte first.
    is_high_first: bool,
}

fn room(bits: u8) -> u32 {
    u32::from(bits).next_power_of_two().max(8)
}

impl Described {
    pub fn of(session: &Session) -> Self {
        let set = session.processor();
        let is_i386 = set.is_segmented();
        let each = room(set.cell_bits()) / 8;
        let registers = if is_i386 { i386(session) } else { own(session, each) };
        Self { registers, is_i386, each, is_high_first: false }
    }

    pub fn count(&self) -> usize {
        self.registers.len()
    }

    /// The address of a cell, as the debugger counts them.
    pub fn address(&self, cell: u32) -> u64 {
        u64::from(cell) * u64::from(self.each)
    }

    /// The cell of an address.
    pub fn cell(&self, address: u64) -> Option<u32> {
        u32::try_from(address / u64::from(self.each)).ok()
    }

    /// The value of a register as it goes over the line.
    pub fn read(&self, session: &Session, number: usize) -> Option<Vec<u8>> {
        let one = self.registers.get(number)?;
        let machine = session.machine();
        let value = match one.from {
            From::Place(place) => machine.register(place),
            From::Program => self.address(machine.halted_at().unwrap_or(machine.place())),
            From::Stack => self.address(machine.stack_place().unwrap_or(0)),
            From::Nothing => 0,
        };
        let bytes = value.to_le_bytes();
        let bytes = (0..one.bits as usize / 8).map(|at| bytes.get(at).copied().unwrap_or(0));
        Some(if self.is_high_first { bytes.rev().collect() } else { bytes.collect() })
    }

    /// Gives a register a value.
    pub fn write(&self, session: &mut Session, number: usize, bytes: &[u8]) -> bool {
        let Some(one) = self.registers.get(number) else { return false };
        let high = |value, &byte| value << 8 | u64::from(byte);
        let value = match self.is_high_first {
            true => bytes.iter().fold(0, high),
            false => bytes.iter().take(8).rev().fold(0, high),
        };
        match one.from {
            From::Place(place) => session.set_register(place, value),
            From::Program => {
                let Some(cell) = self.cell(value) else { return false };
                return session.go_to(cell.into()).is_ok();
            }
            From::Stack => {
                let (Some(cell), set) = (self.cell(value), session.processor()) else { return false };
                let base = set.register("SS").map_or(0, |place| session.machine().register(place) << 4);
                let Some(place) = set.place_of(Role::Stack) else { return false };
                session.set_register(place, u64::from(cell).wrapping_sub(base));
            }
            From::Nothing => {}
        }
        true
    }

    /// Memory from an address on, so many bytes; less where it ends.
    pub fn memory(&self, session: &Session, address: u64, count: usize) -> Option<Vec<u8>> {
        let last = session.processor().last_address();
        let each = u64::from(self.each);
        let first = self.cell(address).filter(|&cell| cell <= last)?;
        let cells = (first..=last).flat_map(|cell| {
            let value = session.cell(cell).to_le_bytes();
            (0..self.each as usize).map(move |at| value[at])
        });
        Some(cells.skip((address % each) as usize).take(count).collect())
    }

    /// Puts bytes into memory, whole cells.
    pub fn put(&self, session: &mut Session, address: u64, bytes: &[u8]) -> bool {
        let each = self.each as usize;
        if !address.is_multiple_of(each as u64) || !bytes.len().is_multiple_of(each) {
            return false;
        }
        let cells = bytes.chunks(each).map(|cell| {
            cell.iter().enumerate().fold(0u64, |value, (at, &byte)| value | u64::from(byte) << (8 * at))
        });
        let cells: Vec<u64> = cells.collect();
        self.cell(address).is_some_and(|first| session.put(first, &cells).is_ok())
    }

    /// The description of the registers.
    pub fn xml(&self, session: &Session) -> String {
        let mut out = "<?xml version=\"1.0\"?>\n<!DOCTYPE target SYSTEM \"gdb-target.dtd\">\n<target version=\"1.0\">\n".to_string();
        if self.is_i386 {
            out += "<architecture>i8086</architecture>\n<feature name=\"org.gnu.gdb.i386.core\">\n";
        } else {
            out += &format!("<feature name=\"plain-byte.{}\">\n", session.processor().name());
        }
        for (number, one) in self.registers.iter().enumerate() {
            let Numbered { name, bits, generic, .. } = one;
            let kind = match (*bits, self.is_i386, *generic) {
                (80, ..) => "i387_ext".to_string(),
                (_, true, Some("pc")) => "code_ptr".to_string(),
                (_, true, Some("sp")) => "data_ptr".to_string(),
                (bits, true, _) => format!("int{bits}"),
                (bits, false, _) => format!("uint{bits}"),
            };
            let generic = generic
                .filter(|_| !self.is_i386)
                .map_or(String::new(), |generic| format!(" generic=\"{generic}\""));
            out += &format!(
                "<reg name=\"{}\" bitsize=\"{bits}\" type=\"{kind}\" regnum=\"{number}\"{generic}/>\n",
                name.replace('\'', "2")
            );
        }
        out + "</feature>\n</target>\n"
    }

    /// The description of the memory.
    pub fn memory_map(&self, session: &Session) -> String {
        let mut out = "<?xml version=\"1.0\"?>\n<!DOCTYPE memory-map PUBLIC \"+//IDN gnu.org//DTD GDB Memory Map V1.0//EN\" \"http://sourceware.org/gdb/gdb-memory-map.dtd\">\n<memory-map>\n".to_string();
        for area in session.machine().areas() {
            let kind = if area.kind == MemoryKind::Rom { "rom" } else { "ram" };
            let (start, length) = (self.address(area.first), self.address(area.last - area.first + 1));
            out += &format!("<memory type=\"{kind}\" start=\"{start:#x}\" length=\"{length:#x}\"/>\n");
        }
        out + "</memory-map>\n"
    }

    /// What stands around an address: memory of a kind, or nothing, and how far that goes.
    pub fn memory_region(&self, session: &Session, address: u64) -> String {
        let last = self.address(session.processor().last_address()) + u64::from(self.each) - 1;
        let (mut start, mut end, mut allowed) = (0, last + 1, "");
        if address > last {
            return format!("start:{:x};size:{:x};", last + 1, u64::MAX - last);
        }
        for area in session.machine().areas() {
            let (first, behind) = (self.address(area.first), self.address(area.last) + u64::from(self.each));
            if (first..behind).contains(&address) {
                let is_rom = area.kind == MemoryKind::Rom;
                (start, end, allowed) = (first, behind, if is_rom { "rx" } else { "rwx" });
                break;
            }
            if behind <= address {
                start = start.max(behind);
            } else {
                end = end.min(first);
            }
        }
        let allowed = if allowed.is_empty() { String::new() } else { format!("permissions:{allowed};") };
        format!("start:{start:x};size:{:x};{allowed}", end - start)
    }

    /// What the machine is, for the kind of debugger that asks so. It takes a processor that it does not know for one with the high byte
    /// first, and shows what it reads so; from here on registers come that way.
    pub fn host_info(&mut self, session: &Session) -> String {
        if self.is_i386 {
            let triple: String = I8086_TRIPLE.bytes().map(|byte| format!("{byte:02x}")).collect();
            return format!("triple:{triple};endian:little;ptrsize:4;");
        }
        self.is_high_first = true;
        let bytes =
            (u32::from(session.processor().address_bits()).div_ceil(8) * self.each).next_power_of_two();
        format!("endian:big;ptrsize:{};", bytes.min(8))
    }

    /// A register as the other kind of debugger asks for it.
    pub fn register_info(&self, number: usize) -> Option<String> {
        let one = self.registers.get(number)?;
        let offset: u32 = self.registers[..number].iter().map(|one| one.bits / 8).sum();
        let generic = one.generic.map_or(String::new(), |generic| format!("generic:{generic};"));
        Some(format!(
            "name:{};bitsize:{};offset:{offset};encoding:uint;format:hex;set:registers;{generic}",
            one.name.to_lowercase().replace('\'', "2"),
            one.bits
        ))
    }
}

fn i386(session: &Session) -> Vec<Numbered> {
    let set = session.processor();
    let flags = set.flags_register();
    let mut all: Vec<Numbered> = I386
        .iter()
        .map(|&(name, own)| {
            let (from, generic) = match name {
                "eip" => (From::Program, Some("pc")),
                "esp" => (From::Stack, Some("sp")),
                "eflags" => (flags.map_or(From::Nothing, From::Place), Some("flags")),
                _ => (set.register(own).map_or(From::Nothing, From::Place), None),
            };
            Numbered { name: name.to_string(), bits: 32, from, generic }
        })
        .collect();
    let nothing = |name: String, bits| Numbered { name, bits, from: From::Nothing, generic: None };
    all.extend((0..8).map(|number| nothing(format!("st{number}"), 80)));
    all.extend(I387.iter().map(|name| nothing((*name).to_string(), 32)));
    all
}

fn own(session: &Session, each: u32) -> Vec<Numbered> {
    let set = session.processor();
    let address_bits = room(set.address_bits())
        .max(u32::from(set.address_bits()) + each.trailing_zeros())
        .next_power_of_two();
    let all = set
        .registers()
        .iter()
        .enumerate()
        .filter(|(_, one)| !matches!(one.role, Role::Internal | Role::Line | Role::Pair));
    let numbered = |(place, one): (usize, &plain_byte::processor::Register)| {
        let (bits, from, generic) = match one.role {
            Role::Program => (address_bits, From::Program, Some("pc")),
            Role::Stack if session.machine().stack_place().is_some() && set.registers.stack_page == 0 => {
                (address_bits, From::Stack, Some("sp"))
            }
            Role::Flags => (room(one.bits), From::Place(place), Some("flags")),
            _ => (room(one.bits), From::Place(place), None),
        };
        Numbered { name: one.name.to_lowercase(), bits, from, generic }
    };
    all.map(numbered).collect()
}
