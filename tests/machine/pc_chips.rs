//! The chips of a PC-style board, each on its own against its data sheet.

use plain_byte::machine::chip::{
    Chip, I8253, I8255, I8259, Interrupting, Keys, Pin, Pins, SCAN_KEYS, ScanKeyboard, Screen, TextAdapter,
};
use proptest::prelude::*;

/// A counter as the data sheet tells it, pulse by pulse.
#[derive(Debug, Clone, Copy)]
struct Counter {
    mode: u8,
    count: u32,
    /// A count, or a trigger, comes in with the next pulse.
    comes: bool,
    left: u32,
    runs: bool,
    out: bool,
    gate: bool,
}

impl Counter {
    fn new(mode: u8) -> Self {
        Self { mode, count: 0, comes: false, left: 0, runs: false, out: mode != 0, gate: true }
    }

    fn write(&mut self, count: u32) {
        let begins = !(matches!(self.mode, 1 | 5) || matches!(self.mode, 2 | 3) && self.runs);
        self.count = count;
        if begins {
            self.comes = true;
            if self.mode == 0 {
                (self.out, self.runs) = (false, false);
            }
        }
    }

    fn set_gate(&mut self, gate: bool) {
        let rises = gate && !self.gate;
        self.gate = gate;
        if rises && !matches!(self.mode, 0 | 4) && self.count > 0 {
            self.comes = true;
        }
        if !gate && matches!(self.mode, 2 | 3) {
            (self.out, self.runs) = (true, false);
        }
    }

    fn pulse(&mut self) {
        // Low for one pulse.
        if matches!(self.mode, 4 | 5) {
            self.out = true;
        }
        let may_load = self.gate || !matches!(self.mode, 2 | 3);
        if self.comes && may_load {
            (self.comes, self.runs, self.left) = (false, true, self.count);
            if self.mode == 1 {
                self.out = false;
            }
            return;
        }
        let counts = self.gate || matches!(self.mode, 1 | 5);
        if !self.runs || !counts {
            return;
        }
        match self.mode {
            2 => {
                self.left -= 1;
                self.out = self.left != 1 || self.count == 1;
                if self.left == 0 {
                    (self.left, self.out) = (self.count, true);
                }
            }
            3 => {
                // High for the larger half of the count, low for the other.
                self.left -= 1;
                if self.left == 0 {
                    self.left = self.count;
                }
                self.out = self.left > self.count / 2;
            }
            _ if self.left > 0 => {
                self.left -= 1;
                if self.left == 0 {
                    self.out = matches!(self.mode, 0 | 1);
                }
            }
            _ => {}
        }
    }
}

#[derive(Debug, Clone, Copy)]
enum Act {
    Pass(u64),
    Count(u16),
    Gate(bool),
}

fn acts() -> impl Strategy<Value = Vec<Act>> {
    let act = prop_oneof![
        4 => (1..40u64).prop_map(Act::Pass),
        1 => (2..30u16).prop_map(Act::Count),
        1 => any::<bool>().prop_map(Act::Gate),
    ];
    prop::collection::vec(act, 1..30)
}

proptest! {
    /// Each counter is, at every pulse, what the data sheet's own steps come to; new counts of a running generator are left out, which
    /// come in at its own time.
    #[test]
    fn counters_are_as_the_data_sheet_steps_them(mode in 0..6u8, first in 2..30u16, acts in acts(), which in 0..3u8) {
        // Four cycles to a pulse.
        let mut chip = I8253::new(4_000_000, Some(1_000_000), which == 2);
        let gate = Pin { port: 0, bit: which };
        let out = Pin { port: 1, bit: which };
        let mut model = Counter::new(mode);
        let mut now = 1;
        chip.write(3, u64::from(which << 6 | 0x30 | mode << 1), now);
        let write = |chip: &mut I8253, count: u16, now| {
            for byte in count.to_le_bytes() {
                chip.write(which.into(), byte.into(), now);
            }
        };
        write(&mut chip, first, now);
        model.write(first.into());
        for act in acts {
            match act {
                Act::Pass(pulses) => {
                    for _ in 0..pulses {
                        now += 4;
                        model.pulse();
                        chip.advance(now);
                        prop_assert_eq!(chip.level(out), Some(model.out), "mode {} at cycle {}", mode, now);
                    }
                }
                Act::Count(count) if !matches!(mode, 2 | 3) => {
                    write(&mut chip, count, now);
                    model.write(count.into());
                }
                Act::Count(_) => {}
                Act::Gate(level) => {
                    chip.drive(gate, Some(level), now);
                    model.set_gate(level);
                }
            }
            if let Some(next) = chip.next() {
                prop_assert!(next > now, "it wakes later than now");
            }
        }
    }
}

fn read_count(chip: &mut I8253, now: u64) -> u64 {
    let low = chip.read(0, now).expect("a counter");
    low | chip.read(0, now).expect("a counter") << 8
}

#[test]
fn counts_are_latched_in_binary_and_in_bcd_and_the_8254_reads_back() {
    for (control, count, passed, left) in [
        (0x34, 0x1000u64, 0x234u64, 0x0DCC),
        (0x35, 0x1000, 234, 0x0766),
        (0x34, 0, 1, 0xFFFF),
        (0x35, 0, 1, 0x9999),
    ] {
        let mut chip = I8253::new(1_000_000, None, false);
        for (register, value) in [(3, control), (0, count & 0xFF), (0, count >> 8)] {
            chip.write(register, value, 0);
        }
        // It comes in with the first pulse.
        chip.write(3, 0x00, passed + 1);
        assert_eq!(read_count(&mut chip, passed + 50), left, "{control:02X}: what was latched");
        assert_ne!(read_count(&mut chip, passed + 50), left, "and then what it is");
    }
    let mut chip = I8253::new(1_000_000, None, true);
    for (register, value) in [(3, 0x30), (0, 5), (0, 0)] {
        chip.write(register, value, 0);
    }
    chip.write(3, 0xC2, 3);
    let [status, low, high] = [0; 3].map(|_| chip.read(0, 9).expect("a counter"));
    assert_eq!((status, low, high), (0x30, 3, 0), "the status comes before the count");
    chip.write(3, 0xE2, 20);
    assert_eq!(chip.read(0, 20), Some(0xB0), "OUT is high");
    // The 8253 knows no such command.
    let mut plain = I8253::new(1_000_000, None, false);
    plain.write(3, 0x10, 0);
    plain.write(0, 9, 0);
    plain.write(3, 0xE2, 3);
    assert_eq!(plain.read(0, 3), Some(7));
}

fn controller(words: &[(u32, u64)]) -> I8259 {
    let mut chip = I8259::default();
    words.iter().for_each(|&(register, value)| assert!(chip.write(register, value, 0)));
    chip
}

fn ask(chip: &mut I8259, level: u8, high: bool) {
    chip.drive(Pin { port: 0, bit: level }, Some(high), 5);
}

#[test]
fn interrupts_come_by_priority_and_end_as_they_are_told() {
    const SETUP: &[(u32, u64)] = &[(0, 0x13), (1, 0x08), (1, 0x01), (1, 0x00)];
    let mut chip = controller(SETUP);
    ask(&mut chip, 4, true);
    ask(&mut chip, 1, true);
    assert_eq!(chip.requests(), Some(4));
    assert_eq!((chip.read(0, 6), chip.acknowledge(6)), (Some(0x12), Some(0x09)), "level 1 first");
    chip.write(0, 0x0B, 6);
    assert_eq!((chip.read(0, 6), chip.requests()), (Some(0x02), None), "level 4 waits for its end");
    ask(&mut chip, 0, true);
    assert_eq!(chip.acknowledge(7), Some(0x08), "a higher one does not");
    chip.write(0, 0x20, 7);
    chip.write(0, 0x20, 7);
    assert_eq!(chip.acknowledge(8), Some(0x0C));
    // A level that stays high is one request.
    chip.write(0, 0x64, 8);
    assert_eq!(chip.requests(), None);
    // A request that is gone when it is taken is level 7, and nothing is in service.
    ask(&mut chip, 3, true);
    let mut late = chip.clone();
    ask(&mut late, 3, false);
    assert_eq!((late.acknowledge(9), late.read(0, 9)), (Some(0x0F), Some(0)));
    // The mask, and reading it.
    chip.write(1, 0x08, 9);
    assert_eq!((chip.requests(), chip.read(1, 9)), (None, Some(0x08)));
    // Nothing asks before it is programmed.
    let mut fresh = I8259::default();
    ask(&mut fresh, 0, true);
    assert_eq!(fresh.requests(), None);
}

#[test]
fn priorities_rotate_levels_trigger_and_a_poll_takes() {
    // What it is set up with, which levels ask, what it sends and in which order, each with an end.
    for (words, end, asks, order) in [
        (&[(0, 0x13), (1, 0x20), (1, 0x01)][..], 0x20u64, &[2u8, 5, 7][..], &[0x22u64, 0x25, 0x27][..]),
        (&[(0, 0x13), (1, 0x20), (1, 0x01), (0, 0xC4)], 0x20, &[2, 5, 7], &[0x25, 0x27, 0x22]),
        (&[(0, 0x13), (1, 0x20), (1, 0x03)], 0, &[6, 3], &[0x23, 0x26]),
        (&[(0, 0x13), (1, 0x20), (1, 0x01)], 0xA0, &[0, 1], &[0x20, 0x21]),
        (&[(0, 0x11), (1, 0x40), (1, 0x00), (1, 0x01)], 0x20, &[4], &[0x44]),
    ] {
        let mut chip = controller(words);
        asks.iter().for_each(|&level| ask(&mut chip, level, true));
        for &sent in order {
            assert_eq!(chip.acknowledge(6), Some(sent as u8), "{words:?}");
            if end != 0 {
                chip.write(0, end, 6);
            }
        }
        assert_eq!(chip.requests(), None, "{words:?}");
    }
    // A level asks as long as it is high, where it is set up so.
    let mut chip = controller(&[(0, 0x1B), (1, 0x20), (1, 0x03)]);
    ask(&mut chip, 2, true);
    assert_eq!((chip.acknowledge(6), chip.acknowledge(7)), (Some(0x22), Some(0x22)));
    ask(&mut chip, 2, false);
    assert_eq!(chip.requests(), None);
    // A poll is an acknowledgement without one.
    let mut chip = controller(&[(0, 0x13), (1, 0x20), (1, 0x01)]);
    ask(&mut chip, 6, true);
    chip.write(0, 0x0C, 6);
    assert_eq!(chip.read(0, 6), Some(0x86));
    chip.write(0, 0x0C, 6);
    assert_eq!((chip.read(0, 6), chip.requests()), (Some(0), None));
    // In special mask mode a masked level in service holds no other back.
    let mut chip = controller(&[(0, 0x13), (1, 0x20), (1, 0x01)]);
    ask(&mut chip, 1, true);
    chip.acknowledge(6);
    ask(&mut chip, 5, true);
    assert_eq!(chip.requests(), None);
    chip.write(1, 0x02, 6);
    chip.write(0, 0x68, 6);
    assert_eq!(chip.acknowledge(7), Some(0x25));
}

#[test]
fn ports_of_the_8255_are_plain_or_strobed() {
    let pin = |port: u8, bit: u8| Pin { port, bit };
    let mut chip = I8255::default();
    assert_eq!([0, 1, 2].map(|port| chip.read(port, 0)), [Some(0xFF); 3], "inputs without anything");
    assert_eq!(chip.read(3, 0), None, "the control word cannot be read");
    for (control, port, out) in [(0x80u64, 0u32, 0xA5u64), (0x80, 1, 0x3C), (0x80, 2, 0x81)] {
        chip.write(3, control, 0);
        chip.write(port, out, 0);
        assert_eq!((chip.read(port, 0), chip.level(pin(port as u8, 0))), (Some(out), Some(out & 1 != 0)));
    }
    // Half of C in, half out; single bits.
    chip.write(3, 0x88, 0);
    chip.write(3, 0x05, 0);
    chip.drive(pin(2, 7), Some(false), 0);
    assert_eq!(chip.read(2, 0), Some(0x74));
    assert_eq!((chip.level(pin(2, 2)), chip.level(pin(2, 7))), (Some(true), None));
    // A strobed in: the strobe latches, IBF says so, INTR asks where it is enabled.
    chip.write(3, 0xB0, 0);
    chip.write(3, 0x09, 0);
    for bit in 0..8 {
        chip.drive(pin(0, bit), Some(0x5A >> bit & 1 != 0), 1);
    }
    chip.drive(pin(2, 4), Some(false), 1);
    assert_eq!((chip.level(pin(2, 5)), chip.level(pin(2, 3))), (Some(true), Some(false)));
    chip.drive(pin(2, 4), Some(true), 2);
    chip.drive(pin(0, 1), Some(false), 2);
    assert_eq!(chip.level(pin(2, 3)), Some(true));
    assert_eq!(
        (chip.read(0, 3), chip.level(pin(2, 5)), chip.level(pin(2, 3))),
        (Some(0x5A), Some(false), Some(false))
    );
    // B strobed out: OBF falls with a byte, and comes back with the acknowledgement.
    chip.write(3, 0x84, 4);
    chip.write(3, 0x05, 4);
    chip.write(1, 0x77, 4);
    assert_eq!((chip.level(pin(2, 1)), chip.level(pin(2, 0))), (Some(false), Some(false)));
    chip.drive(pin(2, 2), Some(false), 5);
    chip.drive(pin(2, 2), Some(true), 6);
    assert_eq!((chip.level(pin(2, 1)), chip.level(pin(2, 0))), (Some(true), Some(true)));
    // A as a bus of both directions: what is in the latch comes out while it is taken.
    chip.write(3, 0xC0, 7);
    chip.write(0, 0x0F, 7);
    assert_eq!((chip.level(pin(0, 0)), chip.level(pin(2, 7))), (None, Some(false)));
    chip.drive(pin(2, 6), Some(false), 8);
    assert_eq!((chip.level(pin(0, 0)), chip.level(pin(0, 7))), (Some(true), Some(false)));
    chip.reset(9);
    assert_eq!(chip.level(pin(2, 7)), None);
}

#[test]
fn the_text_adapter_shows_what_the_6845_says() {
    let mut chip = TextAdapter::new(1_789_772, Some(1_789_772));
    let cell = |address: u32| match address {
        0xB_8000 => u64::from(b'L'),
        0xB_8001 => 0x1E,
        0xB_80A0 => 0xB1,
        0xB_80A1 => 0xC4,
        at if at % 2 == 0 => u64::from(b'.'),
        _ => 0x07,
    };
    let set = |chip: &mut TextAdapter, register: u64, value: u64| {
        chip.write(0, register, 0);
        chip.write(1, value, 0)
    };
    set(&mut chip, 14, 0);
    set(&mut chip, 15, 82);
    let picture = chip.raster(0).picture(cell);
    assert_eq!((picture.size, picture.cursor, picture.cursor_lit), ((80, 25), Some(82), true));
    let first = picture.glyphs[0];
    assert_eq!(
        (first.sign, picture.colour_name(first.ink), picture.colour_name(first.ground)),
        ('L', "yellow", "blue")
    );
    let shaded = picture.glyphs[80];
    assert_eq!((shaded.sign, shaded.ground, shaded.blinks, shaded.is_dark), ('▒', 4, true, false));
    // Sixteen pictures on the blinking characters are dark, eight on the cursor is.
    let frame = 114 * (32 * 8 + 6);
    let later = chip.raster(16 * frame).picture(cell);
    assert!(later.glyphs[80].is_dark && chip.raster(8 * frame).cursor_lit != picture.cursor_lit);
    // Without blinking the bit is the brightness of the ground.
    chip.write(4, 0x09, 0);
    assert_eq!(chip.raster(0).picture(cell).glyphs[80].ground, 12);
    // The first address moves everything, the cursor with it; only the addresses can be read.
    set(&mut chip, 13, 80);
    let moved = chip.raster(0).picture(cell);
    assert_eq!((moved.glyphs[0].sign, moved.cursor), ('▒', Some(2)));
    chip.write(0, 15, 0);
    assert_eq!(chip.read(1, 0), Some(82));
    for (register, value, read) in [(10u64, 0x20u64, None), (13, 0, None), (17, 5, Some(0))] {
        let written = set(&mut chip, register, value);
        assert_eq!((chip.read(1, 0), written), (read, register < 16), "R{register}");
    }
    assert_eq!(chip.raster(0).cursor, None, "a cursor that is told not to be there");
    chip.write(4, 0x01, 0);
    assert_eq!(chip.raster(0).picture(cell).glyphs.len(), 0, "no video");
    // The status tells where the beam is: displayed, after the line, in the vertical sync.
    for (time, status) in
        [(0u64, 0xF0u64), (90, 0xF1), (114 * 205, 0xF1), (114 * 224, 0xF9), (114 * 240, 0xF1)]
    {
        assert_eq!(chip.read(6, time), Some(status), "at character {time}");
    }
}

#[test]
fn the_keyboard_sends_a_number_down_and_up_and_waits_to_be_taken() {
    let (data, clear) = (0, Pin { port: 1, bit: 0 });
    let number = |chip: &ScanKeyboard| {
        (0..8).fold(0u8, |sum, bit| sum | u8::from(chip.level(Pin { port: data, bit }) == Some(true)) << bit)
    };
    let mut chip = ScanKeyboard::new(1_000_000);
    let take = |chip: &mut ScanKeyboard, now: &mut u64| {
        while chip.requests().is_none() {
            let next = chip.next()?;
            *now = next;
            chip.advance(next);
        }
        let sent = number(chip);
        chip.drive(clear, Some(true), *now);
        assert_eq!(chip.requests(), None, "the pulse takes it");
        chip.drive(clear, Some(false), *now);
        Some(sent)
    };
    let mut now = 0;
    chip.type_in(b"aQ\x03\r", 0);
    assert_eq!(chip.waiting(), 4);
    let mut all = Vec::new();
    while let Some(sent) = take(&mut chip, &mut now) {
        all.push(sent);
    }
    assert_eq!(all, [0x1E, 0x9E, 0x2A, 0x10, 0x90, 0xAA, 0x1D, 0x2E, 0xAE, 0x9D, 0x1C, 0x9C]);
    assert_eq!(chip.waiting(), 0);
    // Every key by its legend; what is not taken stays, sixteen of them.
    for key in SCAN_KEYS {
        assert!(chip.has(key.legend));
        chip.press(key.legend, true, now);
        assert_eq!(take(&mut chip, &mut now), Some(key.code), "{}", key.legend);
    }
    for _ in 0..20 {
        chip.press("F1", true, now);
    }
    assert_eq!(std::iter::from_fn(|| take(&mut chip, &mut now)).count(), 16);
    // While CLR0 is high nothing comes.
    chip.drive(clear, Some(true), now);
    chip.press("F2", true, now);
    assert_eq!(chip.next(), None);
    chip.drive(clear, Some(false), now);
    assert_eq!(take(&mut chip, &mut now), Some(60));
}

#[test]
fn a_speaker_sounds_what_moves_it_and_samples_tell_its_pitch() {
    use plain_byte::sound::samples;
    // Two tones of the timer with a pause between: 1000 Hz and 500 Hz.
    let source = "
        cpu 8086
        org 7C00h
start:  cli
        in al, 61h
        or al, 3
        mov ah, al
        mov al, 0B6h
        out 43h, al
        mov bx, 1193
        call tone
        mov bx, 2386
        call tone
stop:   hlt
        jmp stop
tone:   mov al, bl
        out 42h, al
        mov al, bh
        out 42h, al
        mov al, ah
        out 61h, al
        call wait_a_while
        and al, 0FCh
        out 61h, al
wait_a_while: mov cx, 0
.on:    loop .on
        ret
";
    let mut texts = plain_byte::assembler::Texts::one("tone.asm", source);
    let assembly = plain_byte::assembler::assemble("tone.asm", &mut texts, &Default::default());
    let mut session = plain_byte::session::Session::shipped("petrel").expect("a board");
    session.load_assembly(&assembly).expect("it fits");
    session.run(plain_byte::session::Limits::none().cycles(20_000_000));
    let machine = session.machine();
    let clock = machine.board().clock;
    let speaker = machine.speaker().expect("a speaker");
    let pitches: Vec<u64> = speaker.tones(clock).iter().map(|tone| tone.hertz).collect();
    assert!(matches!(pitches[..], [998..=1002, 498..=502]), "{pitches:?}");
    // The samples cross zero as often as the cone moves.
    let samples = samples(speaker, clock, machine.cycles(), 44_100);
    let crossings = samples.windows(2).filter(|pair| (pair[0] < 0) != (pair[1] < 0)).count();
    assert!(crossings.abs_diff(speaker.turns().len()) < 12, "{crossings} of {}", speaker.turns().len());
    assert_eq!(samples.len() as u64, (machine.cycles() * 44_100).div_ceil(clock));
}
