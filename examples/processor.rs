//! An instruction set of one's own: assembled, disassembled and run. `cargo run --example processor`.
//!
//! The sequencer of the Skerrow lamp: an accumulator, five instructions.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::{Board, Machine};
use plain_byte::number::Habit;
use plain_byte::processor::{
    Bus, Cells, Exit, Flag, Flow, Hints, Identity, InstructionSet, InterruptInputs, Mnemonics, Opcodes,
    Processor, Register, RegisterFile, Requests, Role, Row, Shape, Starter, Table, Tally, Timing, Usage,
    Watch, index_rows, no_advice, no_trap,
};
use plain_byte::report::{Follow, disassemble};
use plain_byte::session::{Limits, Session};
use std::error::Error;

const MODEL: u8 = 1;

/// A row: mnemonic, operands, opcode, cycles, flags, flow, and what it does in words.
const fn row(
    mnemonic: &'static str,
    operands: &'static [Shape],
    (value, cycles): (u64, u8),
    (flags, flow): (&'static str, Flow),
    meaning: &'static str,
) -> Row {
    Row {
        mnemonic,
        operands,
        opcode_cells: 1,
        mask: 0xFF,
        value,
        timing: [Timing::always(cycles); 2],
        flags: [flags; 2],
        models: MODEL,
        usage: Usage::Whole,
        flow,
        meaning,
    }
}

const ROWS: &[Row] = &[
    row("DARK", &[Shape::DATA8], (0x01, 5), ("-", Flow::On), "waits that many steps"),
    row("LIT", &[Shape::DATA8], (0x02, 3), ("*", Flow::On), "the number into A"),
    row("SHOW", &[Shape::PORT], (0x03, 4), ("-", Flow::On), "A to a port"),
    row("LESS", &[], (0x04, 2), ("*", Flow::On), "A less 1"),
    row("AGAIN", &[Shape::TARGET], (0x05, 4), ("-", Flow::Branch), "goes to the label if A is not 0"),
    row("REST", &[], (0x06, 2), ("-", Flow::Halt), "waits"),
];

static INDEX: [u16; 256] = index_rows(ROWS, MODEL);
static MNEMONICS: Mnemonics = Mnemonics::new(ROWS, MODEL);

static SEQUENCER: InstructionSet = InstructionSet {
    identity: Identity {
        name: "skerrow",
        title: "lamp sequencer of Skerrow Rock",
        cycle_name: "cycles",
        clock: 1_000_000,
        ancestors: &[],
    },
    table: Table {
        rows: ROWS,
        model: MODEL,
        column: 0,
        opcodes: Opcodes { index: &INDEX, shift: 0, pages: &[], operand: None },
        notation: "plain",
        groups: &[],
        mnemonics: &MNEMONICS,
        operand_names: &[],
        zero_page_forms: false,
        conditions: &[],
        jump: "AGAIN",
        near_jump: None,
        stack_users: &[],
    },
    registers: RegisterFile {
        list: &[
            Register { name: "A", bits: 8, role: Role::Data },
            Register { name: "F", bits: 1, role: Role::Flags },
            Register { name: "PC", bits: 16, role: Role::Program },
        ],
        flags: &[Flag { name: "Z", mask: 1, meaning: "zero" }],
        stack_page: 0,
    },
    interrupts: InterruptInputs {
        inputs: &[],
        level_input: None,
        vectors: &[],
        restarts: &[],
        pointers: &[],
    },
    cells: Cells {
        bits: 8,
        address_bits: 16,
        window_bits: 16,
        segment_shift: 0,
        port_bits: 8,
        last_port: 0xFF,
        habit: Habit::IntelHex,
    },
    hints: Hints {
        other_mnemonics: &[],
        foreign: &[],
        register_aliases: &[],
        advice: no_advice,
        trap: no_trap,
        example: "",
        starter: Starter::bytes("", ""),
    },
    status: None,
    modes: None,
};

#[derive(Debug, Clone, Default)]
struct Sequencer {
    a: u8,
    zero: bool,
    pc: u16,
    now: u64,
    instructions: u64,
    rests: bool,
}

impl Processor for Sequencer {
    type Cell = u8;

    fn of(_: &'static InstructionSet) -> Self {
        Self::default()
    }

    fn set(&self) -> &'static InstructionSet {
        &SEQUENCER
    }

    fn run<B: Bus<Cell = u8>, W: Watch>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Exit {
        let mut tally = Tally::new(self.now, limit);
        let mut local = watch.local(tally);
        let exit = loop {
            if self.rests {
                break Exit::Halt;
            }
            if tally.due() {
                break Exit::Limit;
            }
            if W::before(&mut local, self.pc.into(), tally) {
                break Exit::Watched;
            }
            let mut cell = || {
                let cell = bus.fetch(self.pc.into());
                self.pc = self.pc.wrapping_add(1);
                cell
            };
            let opcode = cell();
            let Some(found) = SEQUENCER.opcode(&[opcode.into()]).ok().flatten() else {
                self.pc = self.pc.wrapping_sub(1);
                break Exit::Undefined;
            };
            let cells = [(); 2].map(|()| 0u8);
            let [low, high] = match found.row.cells() {
                1 => cells,
                2 => [cell(), 0],
                _ => [cell(), cell()],
            };
            tally.add(Tally::step(found.row.timing[0].base));
            match opcode {
                0x01 => {}
                0x02 => self.a = low,
                0x03 => bus.output(low.into(), self.a, tally.now()),
                0x04 => self.a = self.a.wrapping_sub(1),
                0x05 if self.a != 0 => self.pc = u16::from_le_bytes([low, high]),
                0x05 => {}
                _ => self.rests = true,
            }
            if matches!(opcode, 0x02 | 0x04) {
                self.zero = self.a == 0;
            }
            if bus.attention() {
                break Exit::Attention;
            }
        };
        self.now = tally.now();
        self.instructions += tally.instructions();
        W::after(local, tally);
        exit
    }

    fn reset(&mut self, _: impl Fn(u32) -> u8) {
        (self.pc, self.rests) = (0, false);
    }

    fn request(&mut self, _: &str) {}

    fn requested(&mut self, _: Requests) {}

    fn waits_at(&self) -> Option<u32> {
        self.rests.then(|| self.pc.wrapping_sub(1).into())
    }

    fn register(&self, place: usize) -> u64 {
        [self.a.into(), self.zero.into(), self.pc.into()][place]
    }

    fn set_register(&mut self, place: usize, value: u64) {
        match place {
            0 => self.a = value as u8,
            1 => self.zero = value & 1 != 0,
            _ => (self.pc, self.rests) = (value as u16, false),
        }
    }

    fn counters(&self) -> (u64, u64) {
        (self.now, self.instructions)
    }

    fn set_counters(&mut self, now: u64, instructions: u64) {
        (self.now, self.instructions) = (now, instructions);
    }
}

const SOURCE: &str = "\
start:  lit 3                   ; three flashes
flash:  show 10h
        dark 20
        less
        again flash
        rest
";

pub(crate) fn example() -> Result<String, Box<dyn Error>> {
    let options = Options::default().set(&SEQUENCER);
    let assembly = assemble("flash.asm", &mut Texts::one("flash.asm", SOURCE), &options);
    if let Some(wrong) = assembly.diagnostics.first() {
        return Err(assembly.sources.draw(wrong).into());
    }
    let mut text = disassemble(&SEQUENCER, &assembly.image, Follow::From(&[0]), &|_| None)
        .iter()
        .fold(String::new(), |text, line| {
            text + &format!("{:04X}  {:16} {}\n", line.address, line.text, line.meaning)
        });
    let machine =
        Machine::with_processor::<Sequencer>(&Board::bare(&SEQUENCER), vec![]).ok_or("no such part")?;
    let mut session = Session::from(machine);
    session.load_assembly(&assembly)?;
    let stop = session.run(Limits::none());
    let shown: Vec<u64> = session.machine().port_writes().iter().map(|write| write.value).collect();
    text += &format!("{}: showed {shown:?} in {} cycles\n", stop.reason(), session.machine().cycles());
    Ok(text)
}

#[allow(dead_code)]
fn main() -> Result<(), Box<dyn Error>> {
    print!("{}", example()?);
    Ok(())
}
