//! What an instruction takes and what it gives, found by trying it.
//!
//! An instruction is executed on a machine of its own, again and again with one thing changed each time: a register, a flag, a cell that it
//! reads. What comes out otherwise depends on that. So the executor itself says what an instruction uses, for every processor alike, and no
//! second table can be wrong. What came of it is kept for each form of instruction.

use super::atom::{Atom, atoms};
use super::learning::{Changed, Learning};
use crate::image::Cell;
use crate::machine::{Access, Board, Event, Machine, MemoryKind, Noted, Stopped, What};
use crate::processor::{Context, Decoded, Flow, InstructionSet, Role, Shape, decode_in};
use std::collections::HashMap;
use std::collections::hash_map::DefaultHasher;
use std::hash::{Hash, Hasher};
use std::sync::Arc;

/// What something depends on: atoms and accesses, a bit for each.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(in crate::session) struct Inputs {
    /// Atoms.
    pub atoms: u64,
    /// Accesses of the instruction, in their order: data cells read, ports read.
    pub accesses: u64,
}

impl Inputs {
    pub fn is_empty(self) -> bool {
        self.atoms == 0 && self.accesses == 0
    }
}

/// What a form of instruction takes and gives.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(in crate::session) struct Effect {
    /// Atoms that it sets.
    pub defines: u64,
    /// What the new value of each of them depends on, in the order of the bits.
    pub atoms: Vec<Inputs>,
    /// What the value of each write to a cell or a port depends on, in the order of the accesses.
    pub writes: Vec<Inputs>,
    /// What the addresses of its accesses depend on.
    pub address: Inputs,
    /// What depends on it where execution goes.
    pub next: Inputs,
    /// It only puts registers onto the stack, which is no use of them.
    pub saves: bool,
    /// It moves the stack pointer and reads or writes where that leads.
    pub moves_stack: bool,
    /// Where execution goes after it; `None` where it is not an instruction.
    pub flow: Option<Flow>,
    /// How many cells it has.
    pub cells: u32,
    /// The atoms whose values matter for anything.
    pub uses: u64,
    /// Atoms that only get a copy of another one, each with that.
    pub copies: Vec<(u32, u32)>,
}

impl Effect {
    /// What the new value of an atom depends on.
    pub fn of_atom(&self, atom: u32) -> Inputs {
        let before = (self.defines & ((1 << atom) - 1)).count_ones() as usize;
        self.atoms.get(before).copied().unwrap_or_default()
    }

    /// The atoms that something depends on that it does. A flag that it may leave as it is does not count by that.
    pub fn reads(&self, atoms: &[Atom]) -> u64 {
        self.values(atoms) | self.written() | self.address.atoms | self.next.atoms
    }

    /// The atoms that the new values of atoms depend on, but for a flag that may stay as it is.
    fn values(&self, atoms: &[Atom]) -> u64 {
        let own = |at: u32| if atoms[at as usize].is_flag { !(1 << at) } else { u64::MAX };
        let defined = (0..atoms.len() as u32).filter(|at| self.defines >> at & 1 != 0);
        defined.fold(0, |all, at| all | self.of_atom(at).atoms & own(at))
    }

    /// The atoms that what it writes depends on.
    fn written(&self) -> u64 {
        self.writes.iter().fold(0, |all, one| all | one.atoms)
    }
}

impl Effect {
    /// The same with what it uses.
    pub(super) fn with_uses(mut self, atoms: &[Atom], decoded: &Decoded) -> Self {
        let defined: Vec<u32> = (0..atoms.len() as u32).filter(|at| self.defines >> at & 1 != 0).collect();
        // What moves one register to another is no use of it: what is done with the other one is.
        let moves = self.writes.is_empty() && self.address.atoms == 0 && self.next.atoms == 0;
        let is_copy = |at: &u32| {
            let from = self.of_atom(*at);
            let one = from.atoms.is_power_of_two() && from.accesses == 0;
            one && from.atoms.trailing_zeros() != *at
        };
        if moves && !defined.is_empty() && defined.iter().all(is_copy) {
            self.copies = defined.iter().map(|&at| (at, self.of_atom(at).atoms.trailing_zeros())).collect();
        } else {
            let (values, writes) = (self.values(atoms), self.written());
            let is_call = decoded.row.flow.is_call() || matches!(decoded.row.flow, Flow::Break(_));
            // A call that keeps the flags with the return address has no use of them.
            let flags = atoms.iter().enumerate().filter(|(_, atom)| atom.is_flag && is_call);
            let values = values & !flags.fold(0, |bits, (at, _)| bits | 1 << at);
            let writes = if self.saves || is_call { 0 } else { writes };
            self.uses = values | writes | self.address.atoms | self.next.atoms;
        }
        self.flow = Some(decoded.row.flow);
        self.cells = decoded.cells() as u32;
        self
    }
}

/// Effects, learnt as they are asked for.
pub(in crate::session) struct Effects {
    pub atoms: Vec<Atom>,
    set: &'static InstructionSet,
    learnt: HashMap<u64, Arc<Effect>>,
    /// One bench for each mode.
    benches: Vec<Bench>,
}

impl Effects {
    pub fn of(set: &'static InstructionSet) -> Self {
        Self { atoms: atoms(set), set, learnt: HashMap::new(), benches: Vec::new() }
    }

    /// The effect of an instruction with these cells that did accesses of these kinds.
    pub fn of_instruction(&mut self, decoded: &Decoded, cells: &[Cell], kinds: &[What]) -> Arc<Effect> {
        let mut hasher = DefaultHasher::new();
        form(decoded).hash(&mut hasher);
        kinds.iter().for_each(|&kind| (kind as u8).hash(&mut hasher));
        let key = hasher.finish();
        if let Some(effect) = self.learnt.get(&key) {
            return Arc::clone(effect);
        }
        let at = self.bench(decoded);
        let effect = Arc::new(self.benches[at].learn(&self.atoms, decoded, cells, kinds, key));
        self.learnt.insert(key, Arc::clone(&effect));
        effect
    }

    /// The place of the bench for an instruction's mode.
    fn bench(&mut self, decoded: &Decoded) -> usize {
        let set = if self.set.runs(decoded.set) { decoded.set } else { self.set };
        self.benches.iter().position(|bench| std::ptr::eq(bench.set, set)).unwrap_or_else(|| {
            self.benches.push(Bench::of(set));
            self.benches.len() - 1
        })
    }
}

/// The form of an instruction: what of it is not a number.
fn form(decoded: &Decoded) -> u64 {
    let mut hasher = DefaultHasher::new();
    let row = decoded.row;
    (decoded.set.name(), row.mnemonic, row.opcode_cells, row.mask, row.value).hash(&mut hasher);
    decoded.suffix.map(|suffix| suffix.cell).hash(&mut hasher);
    decoded.prefixes.cells().for_each(|cell| cell.hash(&mut hasher));
    for (shape, &value) in decoded.row.operands.iter().zip(&decoded.operands) {
        let fixed = match shape.inner() {
            Shape::Number(_) | Shape::Relative | Shape::Relative16 | Shape::Page | Shape::Bits(_) => 0,
            Shape::Direct(_) => 0,
            Shape::Indexed { .. } => value >> 8,
            Shape::Memory(_) => value >> 16,
            // An accumulator is a cell, too.
            Shape::Effective(_) => match value & 0o777_777 {
                cell @ ..16 => value & !0o777_777 | (cell + 1),
                _ => value & !0o777_777,
            },
            _ => value,
        };
        fixed.hash(&mut hasher);
    }
    hasher.finish()
}

/// Where instructions are tried.
struct Bench {
    set: &'static InstructionSet,
    machine: Machine,
    /// The fixed number in all cells.
    fill: Cell,
    place: u32,
    /// The registers of a processor at rest.
    registers: Vec<u64>,
}

/// What there is before an instruction is tried.
#[derive(Clone)]
struct Before {
    registers: Vec<u64>,
    cells: Vec<Cell>,
    /// Cells that hold something else than the others.
    other: Option<(u32, Cell)>,
    port: Cell,
}

/// What came of it.
#[derive(Clone)]
pub(super) struct Outcome {
    /// The registers as the processor took them, and as it left them.
    pub before: Vec<u64>,
    pub registers: Vec<u64>,
    pub notes: Vec<Noted>,
    pub next: u32,
}

/// So many states an instruction is tried in, and so often one is looked for that shows what is asked for.
const BASELINES: usize = 8;
const PATIENCE: usize = 240;
/// Accesses beyond these are of instructions that move many cells.
pub(super) const MOST_ACCESSES: usize = 24;

/// Numbers that look like chance and are the same every time.
struct Chance(u64);

impl Chance {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mixed = (self.0 ^ self.0 >> 30).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        let mixed = (mixed ^ mixed >> 27).wrapping_mul(0x94D0_49BB_1331_11EB);
        mixed ^ mixed >> 31
    }
}

impl Bench {
    fn of(set: &'static InstructionSet) -> Self {
        let board = Board::bare(set);
        let mut machine = Machine::new(&board).expect("every set has an executor");
        let fill = 0x5A & set.last_cell();
        let last = set.last_address();
        if last <= 0xFFFF {
            machine.areas().to_vec().iter().for_each(|area| {
                (area.first..=area.last).for_each(|address| _ = machine.put(address, fill));
            });
        }
        // Memory that is too large to be filled holds zeroes all the same.
        let fill = if last <= 0xFFFF { fill } else { machine.cell(last) };
        let registers = (0..set.registers().len()).map(|at| machine.register(at)).collect();
        Self { set, machine, fill, place: (last / 5 * 2) & !0x7F | 0x20, registers }
    }

    fn learn(
        &mut self,
        atoms: &[Atom],
        decoded: &Decoded,
        cells: &[Cell],
        kinds: &[What],
        seed: u64,
    ) -> Effect {
        let mut chance = Chance(seed);
        let mut effect = Learning::default();
        let wanted: Vec<Access> = kinds.iter().take(MOST_ACCESSES).filter_map(|&kind| access(kind)).collect();
        let (mut found, mut spare) = (0, None);
        for attempt in 0..PATIENCE {
            let before = self.chosen(atoms, decoded, cells, attempt, &mut chance);
            let Some(outcome) = self.try_it(&before) else { continue };
            if kinds_of(&outcome.notes) != wanted {
                spare = spare.or(Some((before, outcome)));
                continue;
            }
            self.look(atoms, &before, &outcome, &mut effect, &mut chance);
            found += 1;
            if found >= BASELINES {
                break;
            }
        }
        if let Some((before, outcome)) = spare.filter(|_| found == 0) {
            self.look(atoms, &before, &outcome, &mut effect, &mut chance);
        }
        effect.finish(atoms, decoded)
    }

    /// A state to try it in: chosen by chance, small numbers often, with other numbers in the instruction every other time.
    fn chosen(
        &self,
        atoms: &[Atom],
        decoded: &Decoded,
        cells: &[Cell],
        attempt: usize,
        chance: &mut Chance,
    ) -> Before {
        let set = self.set;
        let mut registers = self.registers.clone();
        for atom in atoms {
            let value = match (attempt % 6, chance.next() % 4) {
                (2, _) => 0,
                (5, _) => chance.next() % 2,
                (_, 0) => chance.next() % 4,
                _ => chance.next(),
            };
            let register = &mut registers[atom.place];
            *register = *register & !atom.mask | value << atom.shift() & atom.mask;
        }
        let mut cells = cells.to_vec();
        if attempt % 2 == 1 {
            let context = Context { set: decoded.set, window: set.window(self.place) };
            for at in 0..cells.len() {
                let mut other = cells.clone();
                other[at] = if set.is_word_machine() {
                    cells[at] ^ chance.next() & set.last_cell() >> (set.cell_bits() / 2 + 1)
                } else {
                    chance.next() & set.last_cell()
                };
                let same = decode_in(context, &other, self.place).ok().flatten();
                if same.is_some_and(|one| one.cells() == cells.len() && form(&one) == form(decoded)) {
                    cells = other;
                }
            }
        }
        Before { registers, cells, other: None, port: chance.next() & set.last_cell() }
    }

    /// Tries an instruction. `None` where it reached for its own cells.
    fn try_it(&mut self, before: &Before) -> Option<Outcome> {
        let Self { machine, place, fill, .. } = self;
        for (at, &value) in before.registers.iter().enumerate() {
            if is_set(self.set, at) {
                machine.set_register(at, value);
            }
        }
        let end = *place + before.cells.len() as u32;
        (*place..).zip(&before.cells).for_each(|(at, &cell)| _ = machine.put(at, cell));
        if let Some((address, cell)) = before.other {
            machine.put(address, cell);
        }
        machine.set_place(*place);
        let taken = (0..before.registers.len()).map(|at| machine.register(at)).collect();
        let mut notes = Vec::new();
        let limit = machine.cycles() + 100_000;
        let stopped = machine.step(limit, &mut notes).0;
        notes.retain(|note| note.access != Access::Fetch);
        let registers = (0..before.registers.len()).map(|at| machine.register(at)).collect();
        let next = machine.place();
        for note in notes.iter().rev().filter(|note| note.access == Access::Write && note.took_effect) {
            machine.put(note.address, note.before);
        }
        (*place..end).for_each(|at| _ = machine.put(at, *fill));
        if let Some((address, _)) = before.other {
            machine.put(address, *fill);
        }
        if !matches!(stopped, Stopped::Cycles) {
            machine.reset();
        }
        let is_memory = |note: &Noted| matches!(note.access, Access::Read | Access::Write);
        let touches = notes.iter().any(|note| is_memory(note) && (*place..end).contains(&note.address));
        (!touches).then_some(Outcome { before: taken, registers, notes, next })
    }

    /// The same with a port's value given first, where a port is read.
    fn try_with_port(&mut self, before: &Before, ports: &[u32]) -> Option<Outcome> {
        let now = self.machine.cycles();
        for &port in ports {
            self.machine.happen(now, Event::Port(port, vec![before.port]));
        }
        self.try_it(before)
    }

    /// Changes one thing after the other, and looks what comes of it.
    fn look(
        &mut self,
        atoms: &[Atom],
        before: &Before,
        first: &Outcome,
        effect: &mut Learning,
        chance: &mut Chance,
    ) {
        let ports: Vec<u32> =
            first.notes.iter().filter(|note| note.access == Access::In).map(|note| note.address).collect();
        let first = match ports.is_empty() {
            true => None,
            false => self.try_with_port(before, &ports),
        }
        .map_or(std::borrow::Cow::Borrowed(first), std::borrow::Cow::Owned);
        effect.begin(atoms, &first);
        for (at, atom) in atoms.iter().enumerate() {
            // Through zero and through ones a carry goes on.
            let own = (before.registers[atom.place] & atom.mask) >> atom.shift();
            for flip in [u64::MAX, chance.next() | 1, own, !own] {
                let mut other = before.clone();
                other.registers[atom.place] ^= flip << atom.shift() & atom.mask;
                if other.registers == before.registers {
                    continue;
                }
                let Some(outcome) = self.try_it(&other) else { continue };
                effect.compare(atoms, &first, &outcome, Changed::Atom(at));
            }
        }
        for (number, note) in first.notes.iter().enumerate().take(MOST_ACCESSES) {
            // An accumulator that is a cell is an atom.
            let role = self.set.registers().get(note.address as usize).map(|one| one.role);
            let is_ram = self.machine.kind(note.address) == Some(MemoryKind::Ram) && role != Some(Role::Cell);
            match note.access {
                Access::Read if is_ram => {
                    for flip in [self.set.last_cell(), chance.next() & self.set.last_cell() | 1] {
                        let cell = self.machine.cell(note.address) ^ flip;
                        let other = Before { other: Some((note.address, cell)), ..before.clone() };
                        let Some(outcome) = self.try_it(&other) else { continue };
                        effect.compare(atoms, &first, &outcome, Changed::Access(number));
                    }
                }
                Access::In => {
                    let other = Before { port: before.port ^ self.set.last_cell(), ..before.clone() };
                    let Some(outcome) = self.try_with_port(&other, &ports) else { continue };
                    effect.compare(atoms, &first, &outcome, Changed::Access(number));
                }
                _ => {}
            }
        }
    }
}

/// True where a register is set by itself: the program counter is set as a place, pairs by their halves.
fn is_set(set: &InstructionSet, place: usize) -> bool {
    !matches!(set.registers()[place].role, Role::Program | Role::Pair | Role::Line)
}

fn access(kind: What) -> Option<Access> {
    Some(match kind {
        What::Read => Access::Read,
        What::Write => Access::Write,
        What::In => Access::In,
        What::Out => Access::Out,
        _ => return None,
    })
}

pub(super) fn kinds_of(notes: &[Noted]) -> Vec<Access> {
    notes.iter().take(MOST_ACCESSES).map(|note| note.access).collect()
}

impl std::ops::BitOr for Inputs {
    type Output = Self;

    fn bitor(self, other: Self) -> Self {
        Self { atoms: self.atoms | other.atoms, accesses: self.accesses | other.accesses }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::assembler::{Options, Texts, assemble};
    use crate::processor::find;
    use std::fmt::Write;

    /// An instruction as it is written, and what it takes and gives.
    fn told(cpu: &str, line: &str, kinds: &[What]) -> String {
        let set = find(cpu).expect("a processor");
        let source = format!(
            "        cpu {cpu}\n        org {}\n        {line}\n",
            if set.is_word_machine() { "200" } else { "200h" }
        );
        let assembly = assemble("one.asm", &mut Texts::one("one.asm", source), &Options::default());
        assert!(assembly.succeeded(), "{line}: {:?}", assembly.diagnostics);
        let segment = &assembly.image.segments()[0];
        let mut effects = Effects::of(set);
        let context = set.context(segment.start);
        let decoded = decode_in(context, &segment.cells, segment.start).ok().flatten().expect("it is one");
        let effect = effects.of_instruction(&decoded, &segment.cells[..decoded.cells()], kinds);
        let inputs = |inputs: Inputs| {
            let mut names: Vec<String> = (0..effects.atoms.len())
                .filter(|at| inputs.atoms >> at & 1 != 0)
                .map(|at| effects.atoms[at].name.to_string())
                .collect();
            names.extend((0..64).filter(|at| inputs.accesses >> at & 1 != 0).map(|at| format!("#{at}")));
            names.join("+")
        };
        let mut text = String::new();
        for (at, atom) in effects.atoms.iter().enumerate().filter(|(at, _)| effect.defines >> at & 1 != 0) {
            let _ = write!(text, "{}={} ", atom.name, inputs(effect.of_atom(at as u32)));
        }
        effect.writes.iter().for_each(|&one| _ = write!(text, "w={} ", inputs(one)));
        let _ = write!(
            text,
            "at={} next={}{}",
            inputs(effect.address),
            inputs(effect.next),
            if effect.saves { " saves" } else { "" }
        );
        text
    }

    #[test]
    fn what_instructions_take_and_give_is_found_by_trying_them() {
        use What::{In, Out, Read, Write};
        let rows: &[(&str, &str, &[What])] = &[
            ("8085", "mov a, c", &[]),
            ("8085", "mvi c, 0", &[]),
            ("8085", "xra a", &[]),
            ("8085", "ani 0", &[]),
            ("8085", "add b", &[]),
            ("8085", "inr c", &[]),
            ("8085", "lda 1234h", &[Read]),
            ("8085", "sta 1234h", &[Write]),
            ("8085", "mov a, m", &[Read]),
            ("8085", "push psw", &[Write, Write]),
            ("8085", "pop h", &[Read, Read]),
            ("8085", "xchg", &[]),
            ("8085", "jc 200h", &[]),
            ("8085", "cnz 200h", &[]),
            ("8085", "cnz 200h", &[Write, Write]),
            ("8085", "in 10h", &[In]),
            ("8085", "out 10h", &[Out]),
            ("8085", "ret", &[Read, Read]),
            ("6502", "lda ($20),y", &[Read, Read, Read]),
            ("6502", "adc #1", &[]),
            ("6502", "sbc $1234,x", &[Read]),
            ("6502", "pha", &[Write]),
            ("6502", "jsr $300", &[Write, Write]),
            ("6502", "inc $40", &[Read, Write, Write]),
            ("z80", "ld a, (ix+3)", &[Read]),
            ("z80", "ex af, af'", &[]),
            ("z80", "ldir", &[Read, Write]),
            ("z80", "adc hl, de", &[]),
            ("z80", "djnz 200h", &[]),
            ("ez80", "ld a, b", &[]),
            ("8086", "mov ah, 9", &[]),
            ("8086", "add ax, bx", &[]),
            ("8086", "xor ax, ax", &[]),
            ("8086", "mov ax, [bx+si]", &[Read, Read]),
            ("8086", "div bl", &[]),
            ("8086", "loop 200h", &[]),
            ("8086", "movsb", &[Read, Write]),
            ("8086", "rep movsb", &[Read, Write]),
            ("pdp8", "tad 150", &[Read]),
            ("pdp8", "dca 150", &[Write]),
            ("pdp8", "sza cla", &[]),
            ("pdp8", "sza", &[]),
            ("pdp8", "cla sza", &[]),
            ("pdp8", "sna cla", &[]),
            ("pdp8", "isz 150", &[Read, Write]),
            ("pdp10", "add 1, 2000", &[Read]),
            ("pdp10", "movem 2, 2001(1)", &[Write]),
            ("pdp10", "sojg 1, 2000", &[]),
            ("pdp10", "move 1, 2", &[Read]),
        ];
        let table: Vec<String> = rows
            .iter()
            .map(|(cpu, line, kinds)| format!("{cpu:5} {line:18} {}", told(cpu, line, kinds)))
            .collect();
        insta::assert_snapshot!(table.join("\n"));
    }
}
