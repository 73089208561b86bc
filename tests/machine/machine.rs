//! Machines below the session: the serial line bit by bit, chips, events in time, stops, snapshots, the run loops.

use crate::common::assembled;
use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::chip::{self, PARTS};
use plain_byte::machine::{
    Board, ChipAt, ChipPlace, Event, Machine, Noted, SeenRow, SerialLine, StopMap, Stopped, Watching, Wiring,
};
use plain_byte::processor::i8080;
use plain_byte::session::Session;
use proptest::prelude::*;
use std::collections::BTreeSet;

/// A machine of the board `bare` at the start of a program.
fn machine(source: &str) -> Machine {
    let assembly = assembled(source);
    assert!(assembly.succeeded(), "{:?}", assembly.diagnostics);
    let mut machine = Machine::new(&Board::bare(&i8080::I8085)).expect("a machine");
    machine.load(&assembly.image).expect("it fits");
    machine.set_register(9, assembly.image.start().unwrap_or(0).into());
    machine
}

/// Sends a byte to the line as a program would, `stretch` percent slow or fast, and returns where the frame ends.
fn send(line: &mut SerialLine, byte: u8, bit: u64, mut now: u64, stretch: u64) -> u64 {
    let bits = std::iter::once(false).chain((0..8).map(|at| byte >> at & 1 == 1)).chain([true]);
    for level in bits {
        line.drive(level, now);
        now += bit * stretch / 100;
    }
    line.listen(now + bit);
    now
}

/// A word processor that is brought along makes the machine that the library makes.
#[test]
fn a_word_processor_of_ones_own_has_its_memory() {
    use plain_byte::machine::{Board, Machine};
    use plain_byte::processor::pdp8;
    let board = Board::bare(plain_byte::processor::find("pdp8").expect("a processor"));
    let own = Machine::with_word_processor::<pdp8::Cpu, 0o100000>(&board, vec![]).expect("no chips");
    let mut both = [own, Machine::new(&board).expect("a machine")];
    for machine in &mut both {
        // CLA CLL CMA RAL; DCA I 00577; HLT.
        for (address, word) in (0o400..).zip([0o7344, 0o3777, 0o7402, 0o7777]) {
            machine.put(address, word);
        }
        machine.put(0o577, 0o7777);
        machine.set_place(0o400);
        let limit = machine.cycles() + 1_000;
        machine.run(limit, plain_byte::machine::Watching::Nothing);
    }
    let state =
        |machine: &Machine| (machine.cycles(), machine.place(), machine.cell(0o7777), machine.cell(0o577));
    assert_eq!(state(&both[0]), state(&both[1]));
    assert_eq!(both[0].cell(0o7777), 0o7776, "the accumulator was stored");
}

#[test]
fn the_far_end_hears_every_byte_at_any_rate_that_is_near_enough() {
    for (clock, baud) in [(3_072_000, 1200), (2_000_000, 110), (1_000_000, 9600)] {
        let bit = clock / baud;
        for stretch in [96, 100, 104] {
            let mut line = SerialLine::new(clock, baud);
            let mut now = 1000;
            for byte in 0..=255u8 {
                now = send(&mut line, byte, bit, now, stretch) + bit / 2;
            }
            line.listen(now + 20 * bit);
            let heard = line.take_received();
            assert_eq!(heard, (0..=255).collect::<Vec<u8>>(), "{baud} baud at {stretch} %");
            assert_eq!(line.framing_errors, 0);
            assert!(line.take_received().is_empty(), "what was taken is gone");
        }
    }
}

#[test]
fn glitches_are_no_start_bits_and_a_missing_stop_bit_is_counted() {
    let mut line = SerialLine::new(1_000_000, 1000);
    line.drive(false, 100);
    line.drive(true, 300);
    line.listen(20_000);
    assert!(line.take_received().is_empty() && line.framing_errors == 0);
    line.drive(false, 30_000);
    line.listen(60_000);
    assert!(line.take_received().is_empty() && line.framing_errors == 1);
}

#[test]
fn the_far_end_types_when_the_program_listens() {
    let mut line = SerialLine::new(1_000_000, 1000);
    line.type_in(b"\x55!");
    assert_eq!(line.waiting(), 2);
    let mut now = 5_000;
    for expected in *b"\x55!" {
        while line.sense(now) {
            now += 10;
        }
        let mut byte = 0;
        for bit in 0..8 {
            byte |= u8::from(line.sense(now + 1500 + 1000 * bit)) << bit;
        }
        assert_eq!(byte, expected);
        assert!(line.sense(now + 9500), "the stop bit");
        now += 10_000;
    }
    assert!((0..100).all(|at| line.sense(now + 1000 * at)), "nothing more is typed");
    assert_eq!(line.waiting(), 0);
}

#[test]
fn the_8212_latches_outputs_and_passes_inputs() {
    let place = |part: &str, wiring| ChipPlace {
        part: part.to_string(),
        name: "row".to_string(),
        at: ChipAt::Port(1),
        wiring: Some(wiring),
        interrupt: None,
        clock: None,
    };
    assert!(PARTS.iter().all(|part| chip::make(&place(part.name, Wiring::Lamps), 1_000_000).is_some()));
    assert!(chip::make(&place("8213", Wiring::Lamps), 1_000_000).is_none());
    let mut lamps = chip::make(&place("8212", Wiring::Lamps), 1_000_000).expect("a part");
    assert!(lamps.write(0, 0xA5, 0));
    assert_eq!((lamps.read(0, 0), lamps.lamps(), lamps.switches()), (None, Some(0xA5), None));
    assert!(!lamps.set_switches(1));
    let mut switches = chip::make(&place("8212", Wiring::Switches), 1_000_000).expect("a part");
    assert!(switches.set_switches(0x3C));
    assert!(!switches.write(0, 0xFF, 0), "an input port takes no output");
    assert_eq!((switches.read(0, 0), switches.lamps(), switches.switches()), (Some(0x3C), None, Some(0x3C)));
    assert_eq!(switches.clone().read(0, 0), Some(0x3C));
}

#[test]
fn events_happen_in_the_order_of_their_cycles() {
    let mut machine = machine("        org 100h\nnext:   in 1\n        out 2\n        jmp next\n");
    for (at, value) in [(900, 3), (300, 1), (600, 2), (300, 9)] {
        assert!(machine.happen(at, Event::Port(1, vec![value])));
    }
    assert_eq!(machine.run(1200, Watching::Nothing), Stopped::Cycles);
    let mut seen: Vec<u64> = machine.port_writes().iter().map(|write| write.value).collect();
    seen.dedup();
    assert_eq!(seen, [0xFF, 9, 2, 3], "of two at one cycle the later given one holds");
    let first = machine.port_writes().iter().find(|write| write.value == 9).expect("it was written");
    assert!((300..360).contains(&first.at), "{}", first.at);
}

#[test]
fn a_jump_to_itself_costs_what_it_would_without_the_short_cut() {
    let source = "        org 100h\nstart:  ei\n        mvi a, 8\n        sim\nspin:   jmp spin\n        org 2Ch\n        inr b\n        ei\n        ret\n        entry start\n";
    let events: Vec<u64> = (1..=50).map(|at| at * 977).collect();
    let run = |each: bool| {
        let mut machine = machine(source);
        machine.set_register(9, 0x100);
        machine.set_register(8, 0x1000);
        for &at in &events {
            assert!(machine.happen(at, Event::Interrupt("RST5.5".to_string())));
        }
        let mut seen = 0u64;
        let mut count = |row: SeenRow<'_>| seen += row.len() as u64;
        let watching = if each { Watching::Each(&mut count) } else { Watching::Nothing };
        let stopped = machine.run(60_000, watching);
        (stopped, machine.register(2), machine.cycles(), machine.instructions(), machine.place())
    };
    // Watched instruction by instruction there is no short cut.
    let (slow, fast) = (run(true), run(false));
    assert_eq!(slow, fast);
    assert_eq!((fast.0, fast.1), (Stopped::Endless, 50));
}

#[test]
fn every_watcher_sees_the_same_run() {
    let source = "        org 100h\nstart:  lxi h, 2000h\n        mvi b, 200\nnext:   mov a, m\n        add b\n        mov m, a\n        inx h\n        dcr b\n        jnz next\n        out 5\n        hlt\n";
    let end = |machine: &Machine| {
        let registers: Vec<u64> = (0..17).map(|place| machine.register(place)).collect();
        (registers, machine.cycles(), machine.instructions(), machine.port_writes().to_vec())
    };
    let mut plain = machine(source);
    assert_eq!(plain.run(u64::MAX, Watching::Nothing), Stopped::Halt);
    let mut stops = machine(source);
    let never: StopMap = [0xFFFF, 0x1_0100].into_iter().collect();
    assert_eq!(stops.run(u64::MAX, Watching::Stops(&never)), Stopped::Halt);
    let mut each = machine(source);
    let mut seen = Vec::new();
    let mut callback = |row: SeenRow<'_>| seen.extend(row.iter().map(|seen| (seen.address, seen.cycle)));
    assert_eq!(each.run(u64::MAX, Watching::Each(&mut callback)), Stopped::Halt);
    let mut stepped = machine(source);
    let mut notes: Vec<Noted> = Vec::new();
    let mut begun = Vec::new();
    loop {
        begun.push((stepped.place(), stepped.cycles()));
        if stepped.step(u64::MAX, &mut notes).0 == Stopped::Halt {
            break;
        }
    }
    begun.pop();
    assert_eq!(end(&plain), end(&stops));
    assert_eq!(end(&plain), end(&each));
    assert_eq!(end(&plain), end(&stepped));
    assert_eq!(seen, begun, "every instruction is seen where and when it begins");
    assert_eq!(seen.len() as u64, plain.instructions());
    let writes = notes.iter().filter(|note| note.access == plain_byte::machine::Access::Write).count();
    assert_eq!(writes, 200);
}

#[test]
fn a_snapshot_is_the_machine_as_it_was() {
    let mut machine =
        machine("        org 100h\nnext:   inr a\n        sta 3000h\n        out 1\n        jmp next\n");
    machine.run(5_000, Watching::Nothing);
    let snapshot = machine.snapshot();
    let then = (machine.register(0), machine.cell(0x3000), machine.cycles(), machine.port_writes().len());
    machine.run(50_000, Watching::Nothing);
    let later = (machine.register(0), machine.cycles(), machine.port_writes().len());
    assert_eq!(snapshot.cycles(), then.2);
    machine.restore(&snapshot);
    assert_eq!(
        (machine.register(0), machine.cell(0x3000), machine.cycles(), machine.port_writes().len()),
        then
    );
    machine.run(50_000, Watching::Nothing);
    assert_eq!(
        (machine.register(0), machine.cycles(), machine.port_writes().len()),
        later,
        "and goes on the same way"
    );
}

#[test]
fn more_port_writes_than_can_be_kept_are_counted() {
    let mut machine = machine("        org 100h\nnext:   out 1\n        jmp next\n");
    machine.run(20 * ((1 << 20) + 100), Watching::Nothing);
    assert_eq!((machine.port_writes().len(), machine.port_writes_not_kept()), (1 << 20, 100));
}

proptest! {
    /// A map of stops is a set of addresses.
    #[test]
    fn stops_are_a_set(steps in proptest::collection::vec((any::<bool>(), prop_oneof![0u32..200, 0xFF00u32..0x1_0100]), 0..60)) {
        let mut map = StopMap::default();
        let mut set = BTreeSet::new();
        for (insert, address) in steps {
            if insert {
                prop_assert_eq!(map.insert(address), set.insert(address));
            } else {
                prop_assert_eq!(map.remove(address), set.remove(&address));
            }
        }
        prop_assert_eq!(map.addresses(), set.iter().copied().collect::<Vec<_>>());
        for address in (0..300).chain(0xFE00..0x1_0200) {
            prop_assert_eq!(map.contains(address), set.contains(&address));
        }
    }

    /// However a run is cut into slices, it comes to the same.
    #[test]
    fn slices_make_no_difference(cuts in proptest::collection::vec(1u64..400, 1..30), switches in proptest::collection::vec((1u64..4000, any::<u8>()), 0..6)) {
        let source = "        org 100h\n        lxi sp, 4000h\nnext:   in 7\n        mov b, a\n        call mix\n        out 8\n        jmp next\nmix:    rlc\n        xra b\n        adc c\n        mov c, a\n        ret\n";
        let total: u64 = cuts.iter().sum();
        let mut whole = machine(source);
        let mut sliced = machine(source);
        for machine in [&mut whole, &mut sliced] {
            for (at, value) in &switches {
                machine.happen(*at, Event::Port(7, vec![u64::from(*value)]));
            }
        }
        whole.run(total, Watching::Nothing);
        let mut end = 0;
        for cut in cuts {
            end += cut;
            sliced.run(end, Watching::Nothing);
        }
        prop_assert_eq!(whole.cycles(), sliced.cycles());
        prop_assert_eq!(whole.port_writes(), sliced.port_writes());
        prop_assert_eq!(whole.register(0), sliced.register(0));
    }
}

/// Whoever sees every instruction sees it where and when it begins, on every processor, between its interrupts and its devices.
#[test]
fn every_instruction_is_seen_on_every_processor() {
    for (board, source) in [
        ("gannet", include_str!("../../demo/signal.asm")),
        ("plover", include_str!("../../demo/fog.asm")),
        ("puffin", include_str!("../../demo/blink.asm")),
        ("curlew", include_str!("../../demo/clock.asm")),
        ("dunlin", include_str!("../../demo/night-log.asm")),
        ("heron", include_str!("../../demo/dusk.asm")),
        ("osprey", include_str!("../../demo/turn.asm")),
        (
            "osprey",
            "        cpu pdp10\n        org 1000\n        movei 1, 0\nagain:  xct inner\n        xct outer\n        soja 1, again\ninner:  aoj 1,\nouter:  xct inner\n        entry 1000\n",
        ),
    ] {
        let mut session = Session::shipped(board).expect("a board");
        let options = Options::default().set(session.processor());
        let assembly = assemble(board, &mut Texts::one(board, source), &options);
        session.load_assembly(&assembly).expect("it fits");
        let (mut each, mut stepped) = (session.machine().clone(), session.machine().clone());
        let mut seen = Vec::new();
        let mut callback = |row: SeenRow<'_>| seen.extend(row.iter().map(|seen| (seen.address, seen.cycle)));
        let end = stepped.cycles() + 400_000;
        each.run(end, Watching::Each(&mut callback));
        let (mut begun, mut notes) = (Vec::new(), Vec::new());
        while stepped.cycles() < each.cycles() {
            let (before, counted) = ((stepped.place(), stepped.cycles()), stepped.instructions());
            let stopped = stepped.step(u64::MAX, &mut notes).0;
            if stepped.instructions() > counted {
                begun.push(before);
            }
            if stopped == Stopped::Halt {
                break;
            }
        }
        assert!(seen.len() > 100, "{board}: {}", seen.len());
        for (at, (is, was)) in seen.iter().zip(&begun).enumerate() {
            assert_eq!(is, was, "{board}: instruction {at}");
        }
        assert_eq!(seen.len(), begun.len(), "{board}");
    }
}
