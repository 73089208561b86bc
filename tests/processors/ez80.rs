//! The eZ80: the executor against a second definition and against the table, in both modes and after every suffix; interrupts.

use crate::model::ez80::{Flags, Model, Sparse};
use crate::model::random::Random;
use plain_byte::processor::ez80::{Cpu, EZ80, EZ80_ADL};
use plain_byte::processor::{Bus, Exit, Flow, NoWatch, Processor};

/// Sparse memory and ports.
struct Far {
    memory: Sparse,
    port_in: u8,
    put_out: Vec<(u32, u8)>,
    read_in: Vec<u32>,
    /// What a chip sends when an interrupt is taken.
    sent: Option<u8>,
    last: u64,
}

impl Bus for Far {
    type Cell = u8;
    const WATCHED: bool = false;
    const MAPPED: bool = true;

    fn fetch(&mut self, address: u32) -> u8 {
        assert!(address <= 0xFF_FFFF);
        self.memory.read(address)
    }
    fn read(&mut self, address: u32, now: u64) -> u8 {
        self.at(now);
        self.fetch(address)
    }
    fn write(&mut self, address: u32, value: u8, now: u64) {
        assert!(address <= 0xFF_FFFF);
        self.at(now);
        self.memory.written.insert(address, value);
    }
    fn input(&mut self, port: u32, now: u64) -> u8 {
        self.at(now);
        self.read_in.push(port);
        self.port_in
    }
    fn output(&mut self, port: u32, value: u8, now: u64) {
        self.at(now);
        self.put_out.push((port, value));
    }
    fn acknowledge(&mut self, _: u64) -> Option<u8> {
        self.sent
    }
    fn attention(&self) -> bool {
        false
    }
}

impl Far {
    fn of(model: &Model) -> Self {
        let (memory, port_in) = (model.memory.clone(), model.port_in);
        Self { memory, port_in, put_out: vec![], read_in: vec![], sent: None, last: 0 }
    }

    /// Chips rely on a clock that never goes back.
    fn at(&mut self, now: u64) {
        assert!(now >= self.last, "time goes back from {} to {now}", self.last);
        self.last = now;
    }
}

fn random_model(random: &mut Random) -> Model {
    Model {
        a: random.number(8) as u8,
        f: Flags::of(random.number(8) as u8),
        words: std::array::from_fn(|_| random.number(24) as u32),
        sps: random.number(16) as u32,
        spl: random.number(24) as u32,
        pc: random.number(16) as u32,
        adl: random.next().is_multiple_of(2),
        madl: random.next().is_multiple_of(2),
        mb: random.number(8) as u8,
        i: random.number(16) as u32,
        second: [
            u32::from(Flags::of(random.number(8) as u8).byte()) | (random.number(8) as u32) << 8,
            random.number(24) as u32,
            random.number(24) as u32,
            random.number(24) as u32,
        ],
        iff: (false, random.next().is_multiple_of(2)),
        memory: Sparse { seed: random.next(), ..Sparse::default() },
        port_in: random.number(8) as u8,
        ..Model::default()
    }
}

/// Every register but R by its place in the set's list.
fn values(model: &Model) -> Vec<u64> {
    let [bc, de, hl, ix, iy] = model.words.map(u64::from);
    let sp = if model.adl { model.spl } else { u32::from(model.mb) << 16 | model.sps };
    let [af2, bc2, de2, hl2] = model.second.map(u64::from);
    let first = [model.a.into(), model.f.byte().into(), bc, de, hl, ix, iy, sp.into(), model.place().into()];
    let modes = [u64::from(model.adl), model.mb.into(), model.madl.into()];
    let rest = [model.sps.into(), model.spl.into(), af2, bc2, de2, hl2, model.i.into()];
    let control = [model.iff.0.into(), model.iff.1.into(), model.mode.into()];
    first.into_iter().chain(modes).chain(rest).chain(control).collect()
}

/// The places of those.
fn places() -> impl Iterator<Item = usize> {
    (0..=18).chain(20..=22)
}

fn cpu_of(model: &Model) -> Cpu {
    let mut cpu = Cpu::default();
    for (place, value) in places().zip(values(model)) {
        // MBASE goes with the program counter in Z80 mode, and both are there before it.
        cpu.set_register(place, value);
    }
    for place in [9, 10, 8, 12, 13] {
        let at = places().position(|one| one == place).expect("a place");
        cpu.set_register(place, values(model)[at]);
    }
    cpu
}

/// The flags of F that the maker names.
fn known(place: usize, value: u64) -> u64 {
    match place {
        1 => value & 0xD7,
        14 => value & 0xFFD7,
        _ => value,
    }
}

fn found(cpu: &Cpu) -> Vec<u64> {
    places().map(|place| known(place, cpu.register(place))).collect()
}

fn compare(model: &mut Model, context: &dyn Fn() -> String) -> bool {
    let (mut cpu, mut bus) = (cpu_of(model), Far::of(model));
    assert_eq!(found(&cpu), values(model), "the state itself");
    let done = model.step();
    let exit = cpu.run(&mut bus, &mut NoWatch, 1);
    assert_eq!(exit == Exit::Undefined, done.is_none(), "{}", context());
    let Some((decoded, taken)) = done else { return false };
    let form = || format!("{} {}", decoded.row.form(), context());
    // Only F is read back from memory with bits that have no name.
    let names = || places().map(|place| EZ80.registers()[place].name);
    let told = |values: Vec<u64>| -> Vec<String> {
        names().zip(values).map(|(name, value)| format!("{name}={value:X}")).collect()
    };
    let reads_r = decoded.text(decoded.set, &|_| None).ends_with("a, r");
    if !reads_r {
        assert_eq!(told(found(&cpu)), told(values(model)), "{}", form());
    }
    assert_eq!((&bus.put_out, &bus.read_in), (&model.put_out, &model.read_in), "{}", form());
    let flags_pushed = decoded.row.mnemonic == "PUSH";
    if !flags_pushed {
        assert_eq!(bus.memory, model.memory, "{}", form());
    }
    let timing = decoded.timing();
    // What a return by a mark takes is known only when the mark is.
    let by_mark = decoded.suffix.is_some() && matches!(decoded.row.flow, Flow::Return | Flow::ReturnIf);
    let expected = if taken { timing.taken } else { timing.base };
    if !by_mark {
        assert_eq!(cpu.counters(), (expected.into(), 1), "time of {}", form());
    }
    assert_eq!(cpu.waits_at().is_some(), model.halted, "{}", form());
    true
}

/// Every opcode of every page, in both modes, alone and after each suffix.
#[test]
fn every_opcode_does_what_the_second_definition_says() {
    let mut random = Random(31);
    let pages: [&[u8]; 7] = [&[], &[0xCB], &[0xED], &[0xDD], &[0xFD], &[0xDD, 0xCB, 0], &[0xFD, 0xCB, 0]];
    let mut instructions = 0;
    for page in pages {
        for opcode in 0..=255u8 {
            for round in 0..40 {
                let mut model = random_model(&mut random);
                let suffix = [None, Some(0x40), Some(0x49), Some(0x52), Some(0x5B)][round % 5];
                let mut cells: Vec<u8> = suffix.into_iter().chain(page.iter().copied()).collect();
                if page.len() == 3
                    && let Some(distance) = cells.last_mut()
                {
                    *distance = random.number(8) as u8;
                }
                cells.push(opcode);
                if round % 3 == 0 {
                    // Where counts come to their end.
                    model.words[0] = random.number(1) as u32 | (random.number(1) as u32) << 8;
                }
                if round % 4 == 1 {
                    // What is searched for is there.
                    model.a = model.memory.read(model.words[2]);
                }
                for (offset, &cell) in cells.iter().enumerate() {
                    let at = model.pc.wrapping_add(offset as u32) & 0xFFFF;
                    let at =
                        if model.adl { model.pc + offset as u32 } else { u32::from(model.mb) << 16 | at };
                    model.memory.written.insert(at, cell);
                }
                if round % 2 == 0 && [Some(0x49), Some(0x5B)].contains(&suffix) {
                    // A mark that a caller leaves.
                    let mark = 2 + random.number(1) as u8;
                    model.memory.written.entry(model.spl).or_insert(mark);
                }
                let state = values(&model);
                instructions += u32::from(compare(&mut model, &|| format!("{cells:02X?} from {state:X?}")));
            }
        }
    }
    // So many opcodes there are; those that begin with a suffix or a prefix of their own are more.
    assert!(instructions > 883 * 40, "{instructions}");
}

#[test]
fn flags_are_right_for_every_pair_of_operands() {
    let two = (0x80..=0xBF).step_by(8).map(|opcode| vec![opcode]).chain([vec![0xED, 0x04]]);
    let one = [0x07, 0x0F, 0x17, 0x1F, 0x27, 0x2F, 0x37, 0x3F, 0x3C, 0x3D].map(|opcode| vec![opcode]);
    let behind_cb =
        (0x07..=0x3F).step_by(8).filter(|opcode| *opcode != 0x37).map(|opcode| vec![0xCB, opcode]);
    let one = one.into_iter().chain(behind_cb).chain([vec![0xED, 0x44], vec![0xED, 0x4C]]);
    for (cells, pairs) in two.map(|cells| (cells, true)).chain(one.map(|cells| (cells, false))) {
        let mut model = Model { pc: 0x100, ..Model::default() };
        for (at, &cell) in (0x100..).zip(&cells) {
            model.memory.written.insert(at, cell);
        }
        let (mut cpu, mut bus) = (cpu_of(&model), Far::of(&model));
        for a in 0..=255u8 {
            for other in 0..=if pairs { 255 } else { 15u8 } {
                for c in [false, true] {
                    (model.a, model.words[0], model.pc) = (a, u32::from(other) << 8 | u32::from(a), 0x100);
                    // DAA looks at H and N, too.
                    model.f = Flags { c, h: other & 1 != 0, n: other & 2 != 0, ..Flags::default() };
                    for (place, value) in
                        [(0, a.into()), (1, model.f.byte().into()), (2, model.words[0].into()), (8, 0x100)]
                    {
                        cpu.set_register(place, value);
                    }
                    model.step();
                    let now = cpu.counters().0;
                    cpu.run(&mut bus, &mut NoWatch, now + 1);
                    assert_eq!(found(&cpu)[..3], values(&model)[..3], "{cells:02X?} of {a:02X}, {other:02X}");
                }
            }
        }
    }
}

#[test]
fn programs_of_any_bytes_run_as_the_second_definition_runs_them() {
    let mut random = Random(47);
    for _ in 0..600 {
        let mut model = random_model(&mut random);
        let (mut cpu, mut bus) = (cpu_of(&model), Far::of(&model));
        let state = values(&model);
        for _ in 0..200 {
            let before = model.clone();
            let Some((decoded, _)) = model.step() else { break };
            let now = cpu.counters().0;
            cpu.run(&mut bus, &mut NoWatch, now + 1);
            // Bits without a name come from memory into F and go back there; R counts by itself; EI takes one more along.
            let text = decoded.text(decoded.set, &|_| None);
            if ["push", "pop", "ex af", "ei", "halt", "slp"].iter().any(|word| text.starts_with(word))
                || text.ends_with("a, r")
            {
                break;
            }
            assert_eq!(found(&cpu), values(&model), "{text} from {:X?}, {state:X?}", values(&before));
        }
        assert_eq!((&bus.put_out, &bus.read_in), (&model.put_out, &model.read_in));
    }
}

/// Interrupts: the mode, what lies on which stack, and where it goes.
#[test]
fn interrupts_are_taken_in_every_mode() {
    // ADL, MADL, mode of the interrupt, what the chip sends: PC, stack cells from the top of SPL and of SPS, ADL.
    type Row = ((bool, bool, u8, u8), (u64, &'static [u8], &'static [u8], u64));
    let rows: [Row; 9] = [
        ((false, false, 1, 0), (0x05_0038, &[], &[0x34, 0x12], 0)),
        ((true, false, 1, 0), (0x00_0038, &[0x34, 0x12, 0x00], &[], 1)),
        ((false, true, 1, 0), (0x00_0038, &[2, 0x34, 0x12], &[], 1)),
        ((true, true, 1, 0), (0x00_0038, &[3, 0x34, 0x12, 0x00], &[], 1)),
        ((false, false, 0, 0xDF), (0x05_0018, &[], &[0x34, 0x12], 0)),
        ((false, false, 2, 0x10), (0x05_5678, &[], &[0x34, 0x12], 0)),
        ((true, false, 2, 0x10), (0x9A_BCDE, &[0x34, 0x12, 0x00], &[], 1)),
        ((false, true, 2, 0x10), (0x9A_BCDE, &[2, 0x34, 0x12], &[], 1)),
        ((true, true, 2, 0x10), (0x9A_BCDE, &[3, 0x34, 0x12, 0x00], &[], 1)),
    ];
    for ((adl, madl, mode, sent), (pc, on_long, on_short, adl_after)) in rows {
        let mut model = Model { adl, madl, mode, mb: 5, i: 0x2140, iff: (true, true), ..Model::default() };
        (model.sps, model.spl, model.pc) = (0x8000, 0x30_0000, 0x1234);
        for (at, cell) in
            [(0x05_4010, 0x78), (0x05_4011, 0x56), (0x21_4010, 0xDE), (0x21_4011, 0xBC), (0x21_4012, 0x9A)]
        {
            model.memory.written.insert(at, cell);
        }
        // EI; RETI.L or RETI at the vector.
        let (mut cpu, mut bus) = (cpu_of(&model), Far::of(&model));
        bus.sent = Some(sent);
        let back: &[u8] =
            if madl { &[if adl_after == 1 { 0x5B } else { 0x49 }, 0xED, 0x4D] } else { &[0xED, 0x4D] };
        for (at, &cell) in (pc as u32..).zip(back) {
            bus.memory.written.insert(at, cell);
        }
        cpu.request("INT");
        cpu.run(&mut bus, &mut NoWatch, 1);
        let context = format!("ADL {adl}, MADL {madl}, mode {mode}");
        assert_eq!((cpu.register(8), cpu.register(9)), (pc, adl_after), "{context}");
        assert_eq!((cpu.register(20), cpu.register(21)), (0, 0), "{context}");
        let stack = |bus: &Far, at: u64, count: usize| -> Vec<u8> {
            (0..count as u32).map(|more| bus.memory.read(at as u32 + more)).collect()
        };
        assert_eq!(stack(&bus, cpu.register(13), on_long.len()), on_long, "{context}");
        assert_eq!(stack(&bus, 0x05_0000 | cpu.register(12), on_short.len()), on_short, "{context}");
        assert_eq!(
            (cpu.register(13), cpu.register(12)),
            (0x30_0000 - on_long.len() as u64, 0x8000 - on_short.len() as u64),
            "{context}"
        );
        // And back.
        let now = cpu.counters().0;
        cpu.run(&mut bus, &mut NoWatch, now + 1);
        let home = if adl { 0x1234 } else { 0x05_1234 };
        assert_eq!((cpu.register(8), cpu.register(9)), (home, adl.into()), "{context}");
        assert_eq!((cpu.register(12), cpu.register(13)), (0x8000, 0x30_0000), "{context}");
    }
}

/// R counts the fetches of opcodes and prefixes in seven bits, and the highest bit stays.
#[test]
fn r_counts_fetches() {
    for (r, second, value) in [(0x00, false, 0x05), (0x7E, true, 0x03), (0xFE, false, 0x83)] {
        // LD R, A; NOP; ADD IX, IX; LD A, R.
        let mut model = Model { pc: 0x100, a: r, iff: (false, second), ..Model::default() };
        for (at, cell) in (0x100..).zip([0xED, 0x4F, 0x00, 0xDD, 0x29, 0xED, 0x5F]) {
            model.memory.written.insert(at, cell);
        }
        let (mut cpu, mut bus) = (cpu_of(&model), Far::of(&model));
        for _ in 0..4 {
            let now = cpu.counters().0;
            cpu.run(&mut bus, &mut NoWatch, now + 1);
        }
        assert_eq!((cpu.register(0), cpu.register(19)), (value, value), "{r:02X}");
        let expected = Flags { s: value >= 0x80, pv: second, ..Flags::default() };
        assert_eq!(cpu.register(1) as u8 & !1, expected.byte(), "{r:02X}");
    }
}

#[test]
fn the_sets_are_one_processor() {
    assert!(EZ80.own_rows().zip(EZ80_ADL.own_rows()).all(|(short, long)| {
        (short.mnemonic, short.value, short.mask, short.flow)
            == (long.mnemonic, long.value, long.mask, long.flow)
    }));
    for (set, cells) in [(&EZ80, 3), (&EZ80_ADL, 4)] {
        assert_eq!(set.row_of(0xCD).expect("a call").cells(), cells);
        assert_eq!(set.suffix_named(".lil").map(|suffix| suffix.cell), Some(0x5B));
    }
    assert_eq!(EZ80.suffix_named(".l").map(|suffix| suffix.cell), Some(0x49));
    assert_eq!(EZ80_ADL.suffix_named(".s").map(|suffix| suffix.cell), Some(0x52));
}
